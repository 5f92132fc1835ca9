//! Text that can be kept.
//!
//! Decides what becomes of NUL, which PostgreSQL takes in no text: the replacement character of Unicode (U+FFFD, §23.8 of
//! the standard) stands for it, and the item says where.

use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::Value as Json;

use crate::bounds::LONGEST_LOSS;
use crate::catalogue::Catalogue;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{ATTACHMENTS, Artefact, COMMENTS, HISTORY, LINKS, PARENT};

/// The artefact as it can be kept. What was replaced is among what was lost in reading it.
pub fn keepable_artefact(artefact: Artefact) -> Artefact {
    let mut found = Vec::new();
    let mut out = match cleaned(&artefact, &mut found) {
        Some(clean) => clean,
        None => return artefact,
    };
    let field_of = |path: &[String]| match path.first().map(String::as_str) {
        Some("fields") => path.get(1).cloned().unwrap_or_default(),
        Some("attachments") => ATTACHMENTS.to_owned(),
        Some("comments") => COMMENTS.to_owned(),
        Some("history") => HISTORY.to_owned(),
        Some("links") => LINKS.to_owned(),
        Some("parent") => PARENT.to_owned(),
        other => other.unwrap_or_default().to_owned(),
    };
    // The title is a field as well, and what was lost already is told already.
    let told: Vec<Loss> = found
        .iter()
        .filter(|(path, _)| !matches!(path[0].as_str(), "read_losses" | "title"))
        .map(|(path, text)| without_nul(&field_of(path), text).1)
        .collect();
    out.read_losses.extend(told);
    out
}

/// A text of a field as it can be kept, and what is told of it.
pub fn without_nul(field: &str, text: &str) -> (String, Loss) {
    let plain = replaced(text);
    let loss = Loss {
        field: field.into(),
        kind: LossKind::Substituted,
        cause: LossCause::NotReadable { what: "NUL is a character that can't be kept".to_owned() },
        before: text.chars().take(LONGEST_LOSS).collect::<String>().replace('\0', "␀"),
        after: plain.chars().take(LONGEST_LOSS).collect(),
    };
    (plain, loss)
}

/// A catalogue as it can be kept. A field whose id can't be is only read: its system would not know it by another.
pub fn keepable_catalogue(catalogue: Catalogue) -> Catalogue {
    let Some(mut out) = cleaned(&catalogue, &mut Vec::new()) else { return catalogue };
    for (kind, before) in out.kinds.iter_mut().zip(&catalogue.kinds) {
        for (field, before) in kind.fields.iter_mut().zip(&before.fields) {
            field.read_only |= field.id != before.id;
        }
    }
    out
}

/// Anything as it can be kept.
pub fn keepable<T: Serialize + DeserializeOwned>(value: T) -> T {
    cleaned(&value, &mut Vec::new()).unwrap_or(value)
}

/// None if there is nothing to replace. `found` gets every text that was replaced, with where it stands.
fn cleaned<T: Serialize + DeserializeOwned>(value: &T, found: &mut Vec<(Vec<String>, String)>) -> Option<T> {
    let mut json = serde_json::to_value(value).ok()?;
    clean(&mut json, &mut Vec::new(), found);
    if found.is_empty() {
        return None;
    }
    serde_json::from_value(json).ok()
}

fn clean(json: &mut Json, path: &mut Vec<String>, found: &mut Vec<(Vec<String>, String)>) {
    match json {
        Json::String(text) if text.contains('\0') => {
            found.push((path.clone(), text.clone()));
            *text = replaced(text);
        }
        Json::Array(list) => {
            for (n, inner) in list.iter_mut().enumerate() {
                path.push(n.to_string());
                clean(inner, path, found);
                path.pop();
            }
        }
        Json::Object(map) => {
            let wrong: Vec<String> = map.keys().filter(|name| name.contains('\0')).cloned().collect();
            for name in wrong {
                path.push(replaced(&name));
                found.push((path.clone(), name.clone()));
                path.pop();
                if let Some(inner) = map.remove(&name) {
                    map.insert(replaced(&name), inner);
                }
            }
            for (name, inner) in map.iter_mut() {
                path.push(name.clone());
                clean(inner, path, found);
                path.pop();
            }
        }
        _ => {}
    }
}

fn replaced(text: &str) -> String {
    text.replace('\0', "\u{FFFD}")
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;
    use crate::model::{Block, Comment, Document, Inline, Kind, Stamp, Value};

    #[test]
    fn every_text_of_an_item_can_be_kept_and_says_so() {
        let mut item = Artefact::bare(Kind::TestCase, "OS-1");
        item.title = "a\0b".into();
        item.fields.set("title", Value::Text("a\0b".into()));
        item.fields.set("na\0me", Value::Text("whole".into()));
        let paragraph = Block::Paragraph { content: vec![Inline::text("c\0d")] };
        item.fields.set("text", Value::RichText(Document { blocks: vec![paragraph] }));
        item.parent = Some("e\0".into());
        let stamp = Stamp { at: None, by: Some("f\0".into()) };
        item.comments = vec![Comment { id: None, stamp, body: Document::from_text("so") }];
        let kept = keepable_artefact(item.clone());
        assert!(!serde_json::to_string(&kept).unwrap().contains("\\u0000"), "{kept:?}");
        let told: BTreeSet<&str> = kept.read_losses.iter().map(|l| l.field.id()).collect();
        assert_eq!(told, BTreeSet::from([COMMENTS, PARENT, "na\u{FFFD}me", "text", "title"]));
        assert_eq!(kept.title, "a\u{FFFD}b");
        let again = keepable_artefact(kept.clone());
        assert_eq!(again, kept, "what can be kept stays as it is");
    }
}
