//! What hangs on an item: links, comments, past changes.
//!
//! Decides what becomes of what says too little of itself: a comment without a time is kept without one, a link that leads
//! nowhere is told.

use hovrel_core::loss::Loss;
use hovrel_core::model::{COMMENTS, Comment, HISTORY, HistoryEntry, LINKS, Link, LinkEnd, LinkType, Stamp};
use serde_json::Value as Json;

use super::super::tree;
use super::times::read_time;
use super::{Decoder, said};
use crate::told::{not_readable, rich};

impl Decoder<'_> {
    /// Who and when. A time that can't be read is told; what hangs on it is kept without.
    fn stamp(&self, item: &Json, at: &str, by: &str, field: &str, losses: &mut Vec<Loss>) -> Stamp {
        let by = Some(said(item, by, (field, "who it was by"), losses)).filter(|t| !t.is_empty());
        let told = tree::text(item, at).filter(|t| !t.is_empty());
        let at = told.as_ref().and_then(|t| read_time(t, self.zone));
        if at.is_none() {
            let what = if told.is_some() { "its time can't be read" } else { "it has no time" };
            losses.push(not_readable(field, what, told.unwrap_or_else(|| item.to_string())));
        }
        Stamp { at, by }
    }

    pub(super) fn comments(&self, item: &Json, losses: &mut Vec<Loss>) -> Vec<Comment> {
        let Some(at) = &self.of.comments else { return Vec::new() };
        let mut out = Vec::new();
        for found in tree::items(item, &at.items) {
            let stamp = self.stamp(found, &at.at, &at.by, COMMENTS, losses);
            if tree::at(found, &at.text).is_none() {
                losses.push(not_readable(COMMENTS, "it has no text", found.to_string()));
            }
            let text = said(found, &at.text, (COMMENTS, "its text"), losses);
            let body = rich(&text, at.format, COMMENTS, losses);
            out.push(Comment { id: piece_id(found, &at.id), stamp, body });
        }
        out
    }

    pub(super) fn history(&self, item: &Json, losses: &mut Vec<Loss>) -> Vec<HistoryEntry> {
        let Some(at) = &self.of.history else { return Vec::new() };
        let one = |found: &Json| {
            // What was no text is kept as it was written.
            let text = |place: &str| match tree::at(found, place) {
                Some(held) => tree::as_text(held).unwrap_or_else(|| held.to_string()),
                None => String::new(),
            };
            HistoryEntry {
                id: piece_id(found, &at.id),
                stamp: self.stamp(found, &at.at, &at.by, HISTORY, losses),
                field: text(&at.field),
                before: text(&at.before),
                after: text(&at.after),
            }
        };
        tree::items(item, &at.items).into_iter().map(one).collect()
    }

    /// A link of a type or to a kind that the profile does not know is kept under the system's own words.
    pub(super) fn links(&self, item: &Json, losses: &mut Vec<Loss>) -> Vec<Link> {
        let Some(at) = &self.of.links else { return Vec::new() };
        let mut link = |found: &Json| {
            let word = said(found, &at.link_type, (LINKS, "its type"), losses);
            let link_type = at.types.get(&word).cloned().unwrap_or_else(|| LinkType::Other(word.clone()));
            let kind_word = said(found, &at.kind, (LINKS, "the kind of what it points to"), losses);
            let id = said(found, &at.id, (LINKS, "the id of what it points to"), losses);
            let url = said(found, &at.url, (LINKS, "its address"), losses);
            let (id, url) = (Some(id).filter(|id| !id.is_empty()), Some(url).filter(|url| !url.is_empty()));
            let kind = self.profile.kinds.iter().find(|(_, k)| k.schema_id == kind_word).map(|(kind, _)| *kind);
            let target = match (kind, id) {
                (Some(kind), Some(id)) => LinkEnd::Artefact { kind, id },
                (_, id) => match url {
                    Some(url) => LinkEnd::Url(url),
                    None => {
                        let what = match id {
                            Some(_) => format!("it points to a “{kind_word}”, which the profile does not name"),
                            None => "it points neither to an item nor to an address".to_owned(),
                        };
                        let before = match id {
                            Some(id) => format!("{word} {id}"),
                            None => found.to_string(),
                        };
                        losses.push(not_readable(LINKS, &what, before));
                        return None;
                    }
                },
            };
            Some(Link { link_type, target, word: Some(word) })
        };
        tree::items(item, &at.items).into_iter().filter_map(&mut link).collect()
    }
}

/// The id of a comment or a past change, in systems that give them one.
fn piece_id(found: &Json, at: &Option<String>) -> Option<String> {
    tree::text(found, at.as_ref()?).filter(|id| !id.is_empty())
}
