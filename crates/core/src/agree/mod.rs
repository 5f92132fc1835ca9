//! When two values say the same to a person.
//!
//! Decides, for each type of value, what counts as a difference: blank values are one, sets have no order, and of
//! comments and past changes only what is wanted must be there. Which comment became which is in [`sort_comments`].

mod holdings;
mod links;
mod said;

pub use holdings::{changed_besides, holdings};
pub use links::{in_their_words, same_links};
pub use said::{
    Accepted, SaidOfOne, Sorted, comment_is_there, first_said, is_same_entry, said, sort_comments, sort_history,
};

use crate::model::{Attachment, Comment, HistoryEntry, Value, labelled};

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
            let all_in =
                |some: &[Attachment], others: &[Attachment]| some.iter().all(|f| others.iter().any(|o| o.is_same(f)));
            a.len() == b.len() && all_in(a, b) && all_in(b, a)
        }
        (Value::Links(a), Value::Links(b)) => same_links(a, b),
        // What is still to be made is called as at the left.
        (a, b) => a == b || (a.is_blank() && b.is_blank()) || *labelled(a) == *b,
    }
}

/// Whether two lists hold files of one name of which the systems don't both say which bytes they are.
pub(crate) fn files_untold(wanted: &Value, now: &Value) -> bool {
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

/// What each comment or past change of a value says, as it is remembered, by what tells it apart.
pub fn said_in(value: &Value) -> impl Iterator<Item = (String, String)> {
    let comments = comments_of(value).iter().filter_map(|c| Some((c.id.clone()?, said(&c.body))));
    let past = history_of(value).iter().filter_map(|e| Some((e.id.clone()?, said(&(&e.field, &e.before, &e.after)))));
    comments.chain(past)
}
