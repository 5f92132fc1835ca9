//! Files of an item, and what its texts lead to of them.
//!
//! Decides by which name each file of an item is told from the others, and what becomes of an address in a text that leads
//! to a file of the same system.

use std::cell::RefCell;
use std::collections::{HashMap, HashSet};

use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::model::{ATTACHMENTS, Artefact, Attachment, COMMENTS, Document, Fields, Inline, Value};
use serde_json::Value as Json;

use super::super::addresses::{file_at, inside};
use super::super::tree;
use super::Decoder;
use crate::profile::Files;
use crate::told::not_readable;

impl Decoder<'_> {
    /// Pictures and links in the texts of an item that lead to files of its system, in the system's own words for where
    /// they are: a picture of the item's own becomes its file, everything else leads back there in full and is told.
    pub(super) fn follow_files(&self, item: &mut Artefact) {
        let names: HashSet<&str> = item.attachments.iter().map(|f| f.name.as_str()).collect();
        let losses = RefCell::new(Vec::new());
        let kind = self.kind;
        let id = item.id.as_str();
        let led = |field: &str, address: &str, picture: bool| -> Option<String> {
            let whole = inside(address, self.address)?;
            let file = file_at(self.profile, &whole, self.address)?;
            let own = file.kind == kind && file.id == id;
            if own && picture && names.contains(file.name.as_str()) {
                return Some(file.name);
            }
            losses.borrow_mut().push(Loss {
                field: field.into(),
                kind: LossKind::Downgraded,
                cause: if own { LossCause::FileNotFollowed } else { LossCause::FileOfOtherItem },
                before: address.to_owned(),
                after: whole.clone(),
            });
            Some(whole)
        };
        let followed = |field: &str, document: &Document| -> Document {
            let pictures = document.with_inlines(&|inline| match inline {
                Inline::Image { source, alt } => {
                    Some(vec![Inline::Image { source: led(field, source, true)?, alt: alt.clone() }])
                }
                _ => None,
            });
            pictures.with_inlines(&|inline| match inline {
                Inline::Link { url, content } => {
                    Some(vec![Inline::Link { url: led(field, url, false)?, content: content.clone() }])
                }
                _ => None,
            })
        };
        let mut fields = Fields::default();
        for (field, value) in item.fields.iter() {
            fields.set(field.clone(), value.clone().map_documents(&|d| followed(field, d)));
        }
        let comments = Value::Comments(item.comments.clone()).map_documents(&|d| followed(COMMENTS, d));
        item.fields = fields;
        if let Value::Comments(list) = comments {
            item.comments = list;
        }
        item.read_losses.extend(losses.into_inner());
    }

    /// The files of an item. Of those that have one name, the later ones get a number, which is declared.
    pub(super) fn files(&self, item: &Json, losses: &mut Vec<Loss>) -> Vec<Attachment> {
        let Some(at) = &self.of.files else { return Vec::new() };
        let mut out: Vec<Attachment> = Vec::new();
        for nameless in tree::items(item, &at.items).into_iter().filter(|f| tree::text(f, &at.name).is_none()) {
            losses.push(not_readable(ATTACHMENTS, "the file has no name", nameless.to_string()));
        }
        for (file, name) in named_files(item, at) {
            let told = |at: &Option<String>| at.as_ref().and_then(|at| tree::text(file, at)).filter(|t| !t.is_empty());
            let before = tree::text(file, &at.name).unwrap_or_default();
            if before != name {
                losses.push(Loss {
                    field: ATTACHMENTS.into(),
                    kind: LossKind::Substituted,
                    cause: LossCause::FileNameTaken,
                    before,
                    after: name.clone(),
                });
            }
            out.push(Attachment {
                name,
                media_type: tree::text(file, &at.media_type).unwrap_or_else(|| "application/octet-stream".into()),
                bytes: told(&at.bytes).and_then(|n| n.trim().parse().ok()),
                digest: told(&at.sha256).map(|d| d.to_lowercase()),
            });
        }
        out
    }
}

/// The files of an item, each with a name that no other of them has.
pub fn named_files<'i>(item: &'i Json, at: &Files) -> Vec<(&'i Json, String)> {
    let found = tree::items(item, &at.items).into_iter();
    let listed: Vec<(&Json, String)> = found.filter_map(|f| Some((f, tree::text(f, &at.name)?))).collect();
    let mut taken: HashSet<String> = HashSet::new();
    let all: HashSet<&String> = listed.iter().map(|(_, name)| name).collect();
    let mut out = Vec::new();
    // From which number on there may be a free one, of each name.
    let mut from: HashMap<&str, u32> = HashMap::new();
    for (file, name) in &listed {
        let numbered = |n: u32| match name.rsplit_once('.') {
            Some((stem, ending)) if !stem.is_empty() => format!("{stem} ({n}).{ending}"),
            _ => format!("{name} ({n})"),
        };
        let free = |name: &String| !taken.contains(name) && !all.contains(name);
        let own = match taken.contains(name) {
            false => name.clone(),
            true => {
                let next = from.entry(name).or_insert(2);
                let own = (*next..).map(numbered).inspect(|_| *next += 1).find(free);
                own.unwrap_or_else(|| name.clone())
            }
        };
        taken.insert(own.clone());
        out.push((*file, own));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_of_one_name_get_numbers_that_are_free() {
        let at: Files = serde_saphyr::from_str(
            "{ schema_field: f, items: /files, name: /name, media_type: /t, bytes: /b, sha256: /s, path: /p }",
        )
        .unwrap();
        let names = ["log.txt", "log.txt", "log (2).txt", "log.txt", ".env", ".env", "plan"];
        let item = serde_json::json!({"files": names.map(|name| serde_json::json!({"name": name}))});
        let found: Vec<String> = named_files(&item, &at).into_iter().map(|(_, name)| name).collect();
        let wanted = ["log.txt", "log (3).txt", "log (2).txt", "log (4).txt", ".env", ".env (2)", "plan"];
        assert_eq!(found, wanted);
    }
}
