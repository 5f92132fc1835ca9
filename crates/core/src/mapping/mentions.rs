//! Items and people named in running text, led on to what they are called at the right.
//!
//! Decides what counts as a mention: a word that is the key of an item of the left (with a letter and a
//! digit in it, so that plain numbers and plain words are left alone), or `@` and the login of somebody
//! there. Code and addresses are left as they are. An item that comes to be in the same plan is named when
//! it is there; one that is not carried keeps its own key.

use std::borrow::Cow;
use std::cell::RefCell;

use super::convert::{Context, PairLookup};
use super::lane::Rule;
use super::users::match_user;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Document, Inline, Kind, Reference, Value};

/// A value as the right will hold it, with what its texts name called as it is called there.
pub fn lead_on(value: Value, rule: &Rule, cx: &Context<'_>, losses: &mut Vec<Loss>) -> Value {
    let found = RefCell::new(Vec::new());
    let swap = |word: &str| match word.strip_prefix('@') {
        Some(login) => person(login, rule, cx, &mut found.borrow_mut()),
        None => item(word, cx.places),
    };
    let out = swapped(value, &swap);
    losses.append(&mut found.borrow_mut());
    out
}

/// A text of the right in which items are called by their keys at the left although they are there by now,
/// with their names of there; none if there is no such item in it.
pub fn renamed(value: &Value, places: &(dyn PairLookup + Sync)) -> Option<Value> {
    let known = |word: &str| item(word, places).filter(|i| matches!(i, Inline::Text { text } if text != word));
    let names_one = value.any_document(&mut |d| {
        d.any_inline(&mut |i| matches!(i, Inline::Text { text } if pieces(text, &known).is_some()))
    });
    names_one.then(|| swapped(value.clone(), &known))
}

/// Whether a value names items that are still to be made.
pub fn names_pending(value: &Value) -> bool {
    value.any_document(&mut |d| d.any_inline(&mut |i| matches!(i, Inline::Mention { pending: Some(_), .. })))
}

/// The items, by kind and id at the left, that a value's texts name and that are still to be made.
pub fn pending_names(value: &Value) -> Vec<(Kind, String)> {
    let mut out = Vec::new();
    let mut see = |i: &Inline| {
        if let Inline::Mention { pending: Some(kind), id, .. } = i {
            out.push((*kind, id.clone()));
        }
        false
    };
    value.any_document(&mut |d| d.any_inline(&mut see));
    out
}

/// A value with the items that its texts wait for called as `name` says; those that it does not know keep
/// the words of the left.
pub fn named<'v>(value: &'v Value, name: &dyn Fn(Kind, &str) -> Option<String>) -> Cow<'v, Value> {
    match names_pending(value) {
        true => Cow::Owned(value.clone().map_documents(&|d| named_in(d, name))),
        false => Cow::Borrowed(value),
    }
}

/// The same of a document.
fn named_in(document: &Document, name: &dyn Fn(Kind, &str) -> Option<String>) -> Document {
    document.with_inlines(&|i| match i {
        Inline::Mention { pending: Some(kind), id, label } => {
            Some(vec![Inline::text(name(*kind, id).unwrap_or_else(|| label.clone()))])
        }
        _ => None,
    })
}

/// A value with the items that its texts wait for called as at the left.
pub fn labelled(value: &Value) -> Cow<'_, Value> {
    named(value, &|_, _| None)
}

/// What stands in place of a word; none if it stays.
type Swap<'s> = dyn Fn(&str) -> Option<Inline> + 's;

fn swapped(value: Value, swap: &Swap<'_>) -> Value {
    let one = |i: &Inline| match i {
        Inline::Text { text } => pieces(text, swap),
        // A system with mentions of its own says which words are one.
        Inline::Mention { id, pending: None, .. } => swap(id).map(|i| vec![i]),
        _ => None,
    };
    value.map_documents(&|d| {
        let may_be = d.any_inline(&mut |i| match i {
            Inline::Text { text } => words(text).next().is_some(),
            other => matches!(other, Inline::Mention { .. }),
        });
        if may_be { d.with_inlines(&one) } else { d.clone() }
    })
}

fn item(key: &str, places: &(dyn PairLookup + Sync)) -> Option<Inline> {
    let (kind, id) = places.called(key)?;
    let place = places.counterpart(kind, &id)?;
    match place.reference {
        Reference::Known(there) => Some(Inline::text(places.name_at_right(place.kind, &there)?)),
        Reference::Pending { kind, id } => Some(Inline::Mention { id, label: key.to_owned(), pending: Some(kind) }),
    }
}

/// The login at the right, or the full name of somebody who is not known there.
fn person(login: &str, rule: &Rule, cx: &Context<'_>, losses: &mut Vec<Loss>) -> Option<Inline> {
    let known = cx.left.users.iter().find(|u| u.login.as_deref() == Some(login))?;
    let there = match_user(known, cx.right_users).and_then(|(id, _)| cx.right_users.login(&id).map(str::to_owned));
    Some(Inline::text(match there {
        Some(login) => format!("@{login}"),
        None => {
            losses.push(Loss {
                field: rule.target.clone(),
                kind: LossKind::Substituted,
                cause: LossCause::UnknownUser,
                before: format!("@{login}"),
                after: known.name.clone(),
            });
            known.name.clone()
        }
    }))
}

/// The text cut at its mentions, with others in their places; none if it holds none.
fn pieces(text: &str, swap: &Swap<'_>) -> Option<Vec<Inline>> {
    if !text.contains(|c: char| c.is_ascii_digit() || c == '@') {
        return None;
    }
    let mut out: Vec<Inline> = Vec::new();
    let mut kept = 0;
    for (at, word) in words(text) {
        if let Some(other) = swap(word) {
            if at > kept {
                out.push(Inline::text(&text[kept..at]));
            }
            out.push(other);
            kept = at + word.len();
        }
    }
    if out.is_empty() {
        return None;
    }
    if kept < text.len() {
        out.push(Inline::text(&text[kept..]));
    }
    Some(out)
}

/// Words that can be mentions, with their places in bytes. A full stop ends a key (people forget the space
/// after it) but not a login, unless it is the last character; what stands before an @ makes it an e-mail
/// address, which is none.
fn words(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let of_key = |c: char| c.is_alphanumeric() || matches!(c, '-' | '_');
    let mut rest = 0;
    let runs = std::iter::from_fn(move || {
        let start = rest + text[rest..].find(|c| of_key(c) || c == '@')?;
        let person = text[start..].starts_with('@');
        let body = start + usize::from(person);
        let part = |c: char| of_key(c) || (person && matches!(c, '.' | '@'));
        let end = text[body..].find(|c| !part(c)).map_or(text.len(), |n| body + n);
        rest = end;
        let after_word = person && text[..start].ends_with(of_key);
        Some((start, if after_word { "" } else { &text[start..end] }))
    });
    runs.map(|(at, word)| (at, word.trim_end_matches(['.', '-', '_']))).filter(|(_, word)| {
        match word.strip_prefix('@') {
            Some(login) => !login.is_empty() && !login.contains('@'),
            None => word.contains(|c: char| c.is_alphabetic()) && word.contains(|c: char| c.is_ascii_digit()),
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_that_can_be_mentions() {
        let found = |text| words(text).map(|(_, w)| w).collect::<Vec<_>>();
        assert_eq!(found("Same as OS-12, only at night (see OS-7)."), ["OS-12", "OS-7"]);
        assert_eq!(found("12 s; E113 at OS-12."), ["E113", "OS-12"]);
        assert_eq!(found("ask @ida.brekke. Or ida@skarnvik.example"), ["@ida.brekke"]);
        assert_eq!(found("العربية OS-3、OS-4 und OS-12-nachts"), ["OS-3", "OS-4", "OS-12-nachts"]);
        assert_eq!(found("OS-5.Then OS-6-"), ["OS-5", "OS-6"]);
        assert_eq!(found("@ @@x -"), Vec::<&str>::new());
    }

    #[test]
    fn a_text_is_cut_at_its_mentions_and_nowhere_else() {
        let swap = |w: &str| (w == "OS-1").then(|| Inline::text("TB-9"));
        let made = |text| pieces(text, &swap).map(|p| crate::model::plain_inlines(&p));
        assert_eq!(made("OS-1: as OS-1."), Some("TB-9: as TB-9.".into()));
        assert_eq!(made("OS-12 and XOS-1"), None);
    }
}
