//! Words of a source, changed where they stand.
//!
//! Decides what is a word and what is markup, and that an edit of words leaves all markup between them as it was written.

use std::ops::Range;

use super::super::{TextFormat, read, write};
use crate::diff::changes;
use crate::model::Document;

/// The source of `was` with the words of `wanted`; none where more than words is to be changed.
pub fn changed(source: &str, format: TextFormat, was: &Document, wanted: &Document) -> Option<String> {
    let (old, new) = (write(was, format), write(wanted, format));
    let [here, old, new] = [source, &old, &new].map(|text| tokens(text, format));
    let words = |list: &[&str]| list.iter().skip(1).step_by(2).map(|w| (*w).to_owned()).collect::<Vec<_>>();
    // Both ways of writing say the same words, so that what one holds between them is what the other does.
    if words(&here) != words(&old) {
        return None;
    }
    let mut out = String::new();
    let mut at = 0;
    for (tag, token) in changes(&old, &new) {
        match tag {
            similar::ChangeTag::Equal => {
                out.push_str(here[at]);
                at += 1;
            }
            similar::ChangeTag::Insert => out.push_str(token),
            // Markup that is written otherwise than it would be written by Hovrel may say more.
            similar::ChangeTag::Delete if here[at] != *token => return None,
            similar::ChangeTag::Delete => at += 1,
        }
    }
    Some(out)
}

/// Whether nothing is written in a source that a document can't hold.
pub fn says_no_more(source: &str, format: TextFormat) -> bool {
    let (held, losses) = read(source, format);
    if !losses.is_empty() {
        return false;
    }
    if !matches!(format, TextFormat::Html | TextFormat::Xhtml) {
        return true;
    }
    let written = write(&held, format);
    let known = |tag: &Tag<'_>| {
        let whole = &source[tag.at.clone()];
        tag.is_known() && (!tag.has_attributes || written.contains(whole))
    };
    tags(source).iter().all(known)
}

/// What stands between words, and words, by turns: the first and the last are between words.
fn tokens(text: &str, format: TextFormat) -> Vec<&str> {
    let markup = match format {
        TextFormat::Html | TextFormat::Xhtml => markup(text),
        _ => Vec::new(),
    };
    let mut out = Vec::new();
    let (mut begun, mut in_word) = (0, false);
    let mut markup = markup.into_iter().peekable();
    for (at, c) in text.char_indices() {
        while markup.peek().is_some_and(|m| m.end <= at) {
            markup.next();
        }
        let of_word = c.is_alphanumeric() && !markup.peek().is_some_and(|m| m.contains(&at));
        if of_word != in_word {
            out.push(&text[begun..at]);
            (begun, in_word) = (at, of_word);
        }
    }
    out.push(&text[begun..]);
    if in_word {
        out.push("");
    }
    out
}

/// A tag of HTML, or what is written like one.
pub struct Tag<'s> {
    /// Where it stands.
    pub at: Range<usize>,
    /// In the letters in which it is written; empty for a comment or a declaration.
    pub name: &'s str,
    pub closes: bool,
    pub stands_alone: bool,
    has_attributes: bool,
}

/// Elements that begin a block (HTML Living Standard §15.3, “block” in its default style sheet) and say no more than a document
/// holds, if they have no attributes.
const HELD_BLOCKS: &[&str] =
    &["p", "div", "h1", "h2", "h3", "h4", "h5", "h6", "ul", "ol", "dl", "table", "pre", "blockquote", "hr"];
/// Elements that begin a block and say more.
const OTHER_BLOCKS: &[&str] = &["section", "article", "figure", "details", "address"];
/// Elements that are never closed (HTML Living Standard §13.1.2, void elements).
const VOID: &[&str] =
    &["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"];
/// Other elements that say no more than a document holds, if they have no attributes.
const HELD: &[&str] = &[
    "li", "thead", "tbody", "tr", "td", "th", "b", "strong", "i", "em", "s", "del", "strike", "sub", "sup", "code",
    "br", "img", "a", "span", "data", "object",
];

impl Tag<'_> {
    fn is(&self, names: &[&str]) -> bool {
        names.iter().any(|name| name.eq_ignore_ascii_case(self.name))
    }

    pub fn is_block(&self) -> bool {
        self.is(HELD_BLOCKS) || self.is(OTHER_BLOCKS)
    }

    fn is_known(&self) -> bool {
        self.is(HELD_BLOCKS) || self.is(HELD)
    }
}

/// The tags of a source, comments among them. What stands in quotation marks in a tag does not end it.
pub fn tags(source: &str) -> Vec<Tag<'_>> {
    let mut out = Vec::new();
    let mut rest = 0;
    while let Some(start) = source[rest..].find('<').map(|n| rest + n) {
        let inside = &source[start + 1..];
        if inside.starts_with("!--") {
            let end = source[start..].find("-->").map_or(source.len(), |n| start + n + 3);
            out.push(Tag { at: start..end, name: "", closes: false, stands_alone: true, has_attributes: false });
            rest = end;
            continue;
        }
        let closes = inside.starts_with('/');
        let named = &inside[usize::from(closes)..];
        if !named.starts_with(|c: char| c.is_ascii_alphabetic() || matches!(c, '!' | '?')) {
            rest = start + 1;
            continue;
        }
        let mut quote = None;
        let end = inside.char_indices().find(|(_, c)| match (quote, c) {
            (None, '>') => true,
            (None, '"' | '\'') => {
                quote = Some(*c);
                false
            }
            (Some(open), c) if open == *c => {
                quote = None;
                false
            }
            _ => false,
        });
        let end = end.map_or(source.len(), |(n, _)| start + 1 + n + 1);
        let name = &named[..named.find(|c: char| !c.is_ascii_alphanumeric()).unwrap_or(named.len())];
        let behind = source[start..end].trim_end_matches('>');
        let alone = behind.ends_with('/') && !closes;
        let attributes = behind[1 + usize::from(closes) + name.len()..].trim_end_matches('/').trim();
        let tag = Tag { at: start..end, name, closes, stands_alone: false, has_attributes: !attributes.is_empty() };
        out.push(Tag { stands_alone: alone || tag.name.is_empty() || tag.is(VOID), ..tag });
        rest = end;
    }
    out
}

/// The stretches of a source that are no words: tags, and characters that are written by a name or a number.
fn markup(source: &str) -> Vec<Range<usize>> {
    let mut out: Vec<Range<usize>> = tags(source).into_iter().map(|tag| tag.at).collect();
    let named = |(at, _): (usize, &str)| {
        let rest = &source[at + 1..];
        let end = rest.find(|c: char| !c.is_ascii_alphanumeric() && c != '#')?;
        (end > 0 && rest[end..].starts_with(';')).then_some(at..at + 1 + end + 1)
    };
    out.extend(source.match_indices('&').filter_map(named));
    out.sort_by_key(|range| range.start);
    out
}
