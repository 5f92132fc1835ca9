//! What a call sends, as it is remembered from before the call.

use std::collections::BTreeMap;

use hovrel_connect::Write;
use hovrel_core::agree::same;
use hovrel_core::carry::Lacking;
use hovrel_core::model::{Artefact, Kind, Reference, Slot, Value};
use hovrel_core::plan::WrittenField;
use serde::{Deserialize, Serialize};

/// The fields of one call, by target, the folder among them; and the lists that lack some of their members in it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Sent {
    pub values: BTreeMap<Slot, Value>,
    #[serde(default)]
    pub lacking: Lacking,
}

impl Sent {
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// As a connector takes it; without an id it makes an item.
    pub fn write(&self, kind: Kind, id: Option<&str>, version: Option<String>) -> Write {
        let folder = self.values.get(&Slot::Folder).map(|value| match value {
            Value::Reference(Reference::Known(id)) => Some(id.clone()),
            _ => None,
        });
        let others = self.values.iter().filter(|(field, _)| **field != Slot::Folder);
        Write {
            kind,
            id: id.map(str::to_owned),
            version,
            fields: others.map(|(field, value)| (field.id(), value.clone())).collect(),
            parent: folder,
            in_source: false,
        }
    }

    /// Whether an item holds all of it.
    pub fn is_held_by(&self, item: &Artefact) -> bool {
        let held = |(field, value): (&Slot, &Value)| !item.left_out.contains(field) && same(value, &field.of(item));
        self.values.iter().all(held)
    }

    /// What the item holds of it, for the base: as the write's own answer says; of a later read, only what equals what
    /// was sent (the rest may be somebody's by then, so what was sent stands for it). What the answer leaves out was
    /// taken as it was sent.
    pub fn written(&self, item: &Artefact, own: bool) -> BTreeMap<Slot, WrittenField> {
        let one = |(field, sent): (&Slot, &Value)| {
            let now = field.of(item).into_owned();
            let answered = own && !item.left_out.contains(field);
            let held = if answered || same(sent, &now) { now } else { sent.clone() };
            (field.clone(), WrittenField { sent: sent.clone(), held })
        };
        self.values.iter().map(one).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_somebody_did_after_the_write_is_no_part_of_what_was_written() {
        let mut item = Artefact::bare(Kind::TestCase, "7");
        item.fields.set("title", Value::text("Typed by somebody"));
        item.fields.set("status", Value::Empty);
        let sent = |field: &str, value: Value| Sent { values: [(field.into(), value)].into(), lacking: Lacking::new() };
        let mine = sent("title", Value::text("Mine"));
        assert_eq!(mine.written(&item, false)["title"].held, Value::text("Mine"));
        assert_eq!(mine.written(&item, true)["title"].held, Value::text("Typed by somebody"), "the system's own word");
        let cleared = sent("status", Value::text(""));
        assert_eq!(cleared.written(&item, false)["status"].held, Value::Empty, "two ways to say nothing are one");
        assert!(!mine.is_held_by(&item) && cleared.is_held_by(&item));
    }

    #[test]
    fn a_folder_is_sent_as_one() {
        let folder = |value| Sent { values: [(Slot::Folder, value)].into(), lacking: Lacking::new() };
        let write = |value| folder(value).write(Kind::TestCase, Some("7"), None);
        assert_eq!(write(Value::Reference(Reference::known("3"))).parent, Some(Some("3".into())));
        assert_eq!(write(Value::Empty).parent, Some(None));
        assert_eq!(Sent::default().write(Kind::TestCase, None, None).parent, None);
    }
}
