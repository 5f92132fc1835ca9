//! Values of a right artefact by the names of rules' targets, and when two are the same for a person.

use std::borrow::Cow;
use std::collections::BTreeMap;

use crate::catalogue::KindSchema;
use crate::identity::{comment_is_there, is_same_entry};
use crate::mapping::{ATTACHMENTS, COMMENTS, HISTORY, LINKS, PARENT, POSITION, labelled, same_links, sorted};
use crate::model::{Artefact, Comment, HistoryEntry, Reference, ShortForm, Value, with_piece_ids};

/// The value of a right artefact under a target name, pseudo-fields included. A field the system left
/// out of its answer holds nothing.
pub fn right_value<'v>(artefact: &'v Artefact, target: &str) -> Cow<'v, Value> {
    match target {
        PARENT => Cow::Owned(match &artefact.parent {
            Some(id) => Value::Reference(Reference::Known(id.clone())),
            None => Value::Empty,
        }),
        LINKS => Cow::Owned(Value::Links(sorted(&artefact.links)).settled()),
        ATTACHMENTS => {
            let mut files = artefact.attachments.clone();
            files.sort_by(|a, b| a.name.cmp(&b.name));
            Cow::Owned(Value::Attachments(files).settled())
        }
        COMMENTS => Cow::Owned(Value::Comments(with_piece_ids(&artefact.comments)).settled()),
        HISTORY => Cow::Owned(Value::History(with_piece_ids(&artefact.history)).settled()),
        field => artefact.fields.get(field).map_or(Cow::Owned(Value::Empty), Cow::Borrowed),
    }
}

/// Whether two values are the same for a person: blank values are one. Of files the media type is not
/// compared, since systems guess it, each in its own way; the bytes are, by their digest. Of comments
/// and history, `wanted` must be there; what else `now` holds is the people's there.
pub fn same(wanted: &Value, now: &Value) -> bool {
    match (wanted, now) {
        (Value::Comments(_), _) => {
            let written = labelled(wanted);
            comments_of(&written).iter().all(|c| comment_is_there(c, comments_of(now)))
        }
        (Value::History(list), _) => list.iter().all(|e| history_of(now).iter().any(|h| is_same_entry(e, h))),
        (Value::Empty, Value::Comments(_) | Value::History(_)) => true,
        // Labels and people of an item are sets: some systems keep them in an order of their own.
        (Value::ChoiceList(a), Value::ChoiceList(b)) | (Value::UserList(a), Value::UserList(b)) => {
            let set = |list: &[String]| list.iter().cloned().collect::<std::collections::BTreeSet<_>>();
            set(a) == set(b)
        }
        (Value::Attachments(a), Value::Attachments(b)) => {
            a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a.is_same(b))
        }
        (Value::Links(a), Value::Links(b)) => same_links(a, b),
        // What is still to be made is called as at the left.
        (a, b) => a == b || (a.is_blank() && b.is_blank()) || *labelled(a) == *b,
    }
}

/// Whether two lists hold files of one name of which the systems don't both say which bytes they are.
pub(super) fn files_untold(wanted: &Value, now: &Value) -> bool {
    let (Value::Attachments(wanted), Value::Attachments(now)) = (wanted, now) else { return false };
    wanted.iter().any(|w| now.iter().any(|n| n.name == w.name && !n.is_told_beside(w)))
}

/// The comments in a value.
pub fn comments_of(value: &Value) -> &[Comment] {
    match value {
        Value::Comments(list) => list,
        _ => &[],
    }
}

/// The past changes in a value.
pub fn history_of(value: &Value) -> &[HistoryEntry] {
    match value {
        Value::History(list) => list,
        _ => &[],
    }
}

/// What an artefact holds in everything that can be written to it, as short fingerprints by field: so that what a write
/// did not send can be compared with what it was. Fields that the system itself keeps are left out, and so are comments
/// and history, which grow, and the place in the folder, which moves when others come and go.
pub fn holdings(artefact: &Artefact, kind: &KindSchema) -> BTreeMap<String, String> {
    let own = kind.fields.iter().filter(|f| !f.read_only && !matches!(f.id.as_str(), COMMENTS | HISTORY | POSITION));
    let fields = own.map(|f| f.id.as_str()).chain(kind.in_folders.then_some(PARENT));
    fields.map(|field| (field.to_owned(), holding(artefact, field, ShortForm::Now))).collect()
}

fn holding(artefact: &Artefact, field: &str, form: ShortForm) -> String {
    let value = right_value(artefact, field);
    match value.as_ref() {
        blank if blank.is_blank() => String::new(),
        // A set has no order.
        Value::ChoiceList(list) | Value::UserList(list) => {
            let mut list = list.clone();
            list.sort();
            form.of(&list)
        }
        value => form.of(value),
    }
}

/// The fields of which an artefact holds something else than it did, apart from those that were written.
pub fn changed_besides(
    before: &BTreeMap<String, String>,
    after: &Artefact,
    written: &dyn Fn(&str) -> bool,
) -> Vec<String> {
    let differs =
        |(field, was): &(&String, &String)| !written(field) && holding(after, field, ShortForm::of_kept(was)) != **was;
    before.iter().filter(differs).map(|(field, _)| field.clone()).collect()
}
