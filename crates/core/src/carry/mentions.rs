//! Items and people named in running text, led on to what they are called at the other end.
//!
//! Decides what counts as a mention: a word that stands by itself in running text and is the key of an item of the
//! left (with a letter and a digit in it, so that plain numbers and plain words are left alone), or `@` and the login
//! of somebody there. Code, addresses, paths and file names are left as they are. An item that comes to be in the same plan is named when
//! it is there; one that is not carried keeps its own key.

use std::cell::RefCell;

use super::context::{Context, PairLookup};
use super::users::match_user;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Inline, Reference, Value};
use crate::rules::Fill;

/// A value as the other end will hold it, with what its texts name called as it is called there.
pub fn lead_on(value: Value, fill: &Fill, cx: &Context<'_>, losses: &mut Vec<Loss>) -> Value {
    let found = RefCell::new(Vec::new());
    let swap = |word: &str| match word.strip_prefix('@') {
        Some(login) => person(login, fill, cx, &mut found.borrow_mut()),
        None => item(word, cx.places),
    };
    let out = swapped(value, &swap);
    losses.append(&mut found.borrow_mut());
    out
}

/// The text with each left key replaced by the key of its counterpart, where that has been created since; none
/// if the text names no such item.
pub fn renamed(value: &Value, places: &(dyn PairLookup + Sync)) -> Option<Value> {
    let known = |word: &str| item(word, places).filter(|i| matches!(i, Inline::Text { text } if text != word));
    let names_one = value.any_document(&mut |d| {
        d.any_inline(&mut |i| matches!(i, Inline::Text { text } if pieces(text, &known).is_some()))
    });
    names_one.then(|| swapped(value.clone(), &known))
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
        Reference::Known(there) => Some(Inline::text(places.name_there(place.kind, &there)?)),
        Reference::Pending { kind, id } => Some(Inline::Mention { id, label: key.to_owned(), pending: Some(kind) }),
    }
}

/// The login at the other end, or the full name of somebody who is not known there.
fn person(login: &str, fill: &Fill, cx: &Context<'_>, losses: &mut Vec<Loss>) -> Option<Inline> {
    let known = cx.from.users.iter().find(|u| u.login.as_deref() == Some(login))?;
    let there = match_user(known, cx.to_users).and_then(|(id, _)| cx.to_users.login(&id).map(str::to_owned));
    Some(Inline::text(match there {
        Some(login) => format!("@{login}"),
        None => {
            losses.push(Loss {
                field: fill.target.clone(),
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

/// Words that can be mentions, with their places in bytes: only those that stand by themselves in running text.
/// What is written without a space between (an address, a path, an e-mail address, a file's name, a setting) is one
/// thing, and a key inside it is a part of that thing.
fn words(text: &str) -> impl Iterator<Item = (usize, &str)> {
    tokens(text).filter(|(_, token)| !is_address(token)).flat_map(|(at, token)| standing(at, token))
}

/// The runs of a text between white space.
fn tokens(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut rest = 0;
    std::iter::from_fn(move || {
        let start = rest + text[rest..].find(|c: char| !c.is_whitespace())?;
        let end = text[start..].find(char::is_whitespace).map_or(text.len(), |n| start + n);
        rest = end;
        Some((start, &text[start..end]))
    })
}

/// Whether a run is an address or a path: of the web, of a file, relative or whole.
fn is_address(token: &str) -> bool {
    token.contains(['/', '\\']) || token.get(..4).is_some_and(|head| head.eq_ignore_ascii_case("www."))
}

/// The words in a run that stand between brackets, quotation marks, commas and dashes, or alone. The signs that end
/// a sentence may follow them.
fn standing(at: usize, token: &str) -> impl Iterator<Item = (usize, &str)> {
    let divides = |c: char| match c {
        '-' | '_' | '.' | ':' | '@' | '#' | '=' | '&' | '%' | '+' | '~' | '$' | '|' | '*' | '?' | '!' | '^' | '`' => {
            false
        }
        c => !c.is_alphanumeric() && !is_joined(c),
    };
    let mut from = 0;
    let parts = token.split(divides).map(move |part| {
        let start = at + from;
        from += part.len() + token[from + part.len()..].chars().next().map_or(0, char::len_utf8);
        (start, part)
    });
    parts.filter_map(|(start, part)| {
        let word = part.trim_end_matches(['.', ':', '!', '?']).trim_end_matches('-');
        let of_key = |c: char| c.is_alphanumeric() || is_joined(c) || matches!(c, '-' | '_');
        let is_word = match word.strip_prefix('@') {
            Some(login) => !login.is_empty() && login.chars().all(|c| of_key(c) || c == '.'),
            None => {
                word.chars().all(of_key)
                    && word.contains(char::is_alphabetic)
                    && word.contains(|c: char| c.is_ascii_digit())
            }
        };
        is_word.then_some((start, word))
    })
}

/// Marks that belong to the letter before them (Unicode: combining marks and joiners).
fn is_joined(c: char) -> bool {
    matches!(c, '\u{300}'..='\u{36f}' | '\u{200c}' | '\u{200d}' | '\u{ad}')
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
        assert_eq!(
            found("„OS-1“ – «OS-2», [OS-3]; OS-4,OS-5: OS-6- OS-7?!"),
            ["OS-1", "OS-2", "OS-3", "OS-4", "OS-5", "OS-6", "OS-7"]
        );
        assert_eq!(found("@ @@x -"), Vec::<&str>::new());
    }

    /// A key inside something that is written without a space belongs to that thing.
    #[test]
    fn a_key_inside_something_else_is_no_mention() {
        for text in [
            "https://wiki.skarnvik.example/OS-2001",
            "(https://wiki.skarnvik.example/view?item=OS-2001&x=1)",
            "www.skarnvik.example?OS-2001",
            "HTTPS://WIKI/OS-2001#OS-2002",
            "/srv/logs/OS-2001.txt",
            "C:\\logs\\OS-2001",
            "logs/OS-2001/run",
            "OS-2001.txt",
            "OS-2001.Then",
            "os-2001@skarnvik.example",
            "mail:os-2001@skarnvik.example",
            "item=OS-2001",
            "#OS-2001",
            "$OS-2001",
            "--filter=OS-2001",
            "XOS-2001",
            "OS-2001_copy",
        ] {
            let found: Vec<&str> = words(text).map(|(_, w)| w).filter(|w| w.eq_ignore_ascii_case("OS-2001")).collect();
            assert!(found.is_empty(), "{text}: {found:?}");
        }
    }

    #[test]
    fn a_text_is_cut_at_its_mentions_and_nowhere_else() {
        let swap = |w: &str| (w == "OS-1").then(|| Inline::text("TB-9"));
        let made = |text| pieces(text, &swap).map(|p| crate::model::plain_inlines(&p));
        assert_eq!(made("OS-1: as OS-1."), Some("TB-9: as TB-9.".into()));
        assert_eq!(made("OS-12 and XOS-1"), None);
    }
}
