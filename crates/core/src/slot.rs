//! Slots: the places of an artefact that a rule can read or fill.
//!
//! Decides how each slot is spelt where it stands in a file, a table or the API. What an artefact holds in one is decided in
//! [`crate::model`]; nothing here knows of rules or ends.

use std::borrow::Borrow;
use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};
use std::ops::Deref;

use serde::{Deserialize, Serialize, Serializer};

/// How [`Slot::Folder`] is spelt.
pub const PARENT: &str = "@parent";
/// How [`Slot::Position`] is spelt.
pub const POSITION: &str = "@position";
/// How [`Slot::Files`] is spelt.
pub const ATTACHMENTS: &str = "@attachments";
/// How [`Slot::Links`] is spelt.
pub const LINKS: &str = "@links";
/// How [`Slot::Comments`] is spelt.
pub const COMMENTS: &str = "@comments";
/// How [`Slot::History`] is spelt.
pub const HISTORY: &str = "@history";
/// The field under which the engine puts the names of an artefact's folders, outermost first, where a rule
/// asks for them.
pub const PATH: &str = "@path";

/// A place of an artefact that a rule can read or fill. It is ordered and looked up by its spelling.
#[derive(Debug, Clone, Deserialize)]
#[serde(from = "String")]
pub enum Slot {
    /// The folder that holds it.
    Folder,
    /// Its place among those of its folder, as a number.
    Position,
    /// Its files.
    Files,
    /// Its links.
    Links,
    /// What people wrote about it.
    Comments,
    /// What was changed of it in the past.
    History,
    /// A field, by its id.
    Field(String),
}

impl Slot {
    /// Its spelling: the id of a field, or `@` and a name.
    pub fn id(&self) -> &str {
        match self {
            Slot::Folder => PARENT,
            Slot::Position => POSITION,
            Slot::Files => ATTACHMENTS,
            Slot::Links => LINKS,
            Slot::Comments => COMMENTS,
            Slot::History => HISTORY,
            Slot::Field(id) => id,
        }
    }

    /// Whether what it holds is added piece by piece and never changed.
    pub fn is_said(&self) -> bool {
        matches!(self, Slot::Comments | Slot::History)
    }

    /// Whether what it holds is written by calls of its own, after the item.
    pub fn has_its_own_calls(&self) -> bool {
        self.is_said() || matches!(self, Slot::Files)
    }
}

/// The slot of a spelling that is no field's.
pub(crate) fn named(id: &str) -> Option<Slot> {
    match id {
        PARENT => Some(Slot::Folder),
        POSITION => Some(Slot::Position),
        ATTACHMENTS => Some(Slot::Files),
        LINKS => Some(Slot::Links),
        COMMENTS => Some(Slot::Comments),
        HISTORY => Some(Slot::History),
        _ => None,
    }
}

impl From<String> for Slot {
    fn from(id: String) -> Slot {
        named(&id).unwrap_or(Slot::Field(id))
    }
}

impl From<&str> for Slot {
    fn from(id: &str) -> Slot {
        named(id).unwrap_or_else(|| Slot::Field(id.to_owned()))
    }
}

// Fingerprints write every slot of every item: nothing is made for that.
impl Serialize for Slot {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.id())
    }
}

impl fmt::Display for Slot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.id())
    }
}

// Maps by slot are looked up by spelling too, and canonical JSON is in the order of spellings.
impl PartialEq for Slot {
    fn eq(&self, other: &Slot) -> bool {
        self.id() == other.id()
    }
}

impl Eq for Slot {}

impl PartialOrd for Slot {
    fn partial_cmp(&self, other: &Slot) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Slot {
    fn cmp(&self, other: &Slot) -> Ordering {
        self.id().cmp(other.id())
    }
}

impl Hash for Slot {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.id().hash(state);
    }
}

impl Borrow<str> for Slot {
    fn borrow(&self) -> &str {
        self.id()
    }
}

impl Deref for Slot {
    type Target = str;

    fn deref(&self) -> &str {
        self.id()
    }
}

#[cfg(feature = "schema")]
impl utoipa::PartialSchema for Slot {
    fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
        utoipa::openapi::ObjectBuilder::new()
            .schema_type(utoipa::openapi::schema::Type::String)
            .description(Some(
                "A place of an artefact that a rule can read or fill: the id of a field, or `@` and a name.",
            ))
            .into()
    }
}

#[cfg(feature = "schema")]
impl utoipa::ToSchema for Slot {}

impl PartialEq<String> for Slot {
    fn eq(&self, id: &String) -> bool {
        self.id() == id
    }
}

impl PartialEq<str> for Slot {
    fn eq(&self, id: &str) -> bool {
        self.id() == id
    }
}

impl PartialEq<&str> for Slot {
    fn eq(&self, id: &&str) -> bool {
        self.id() == *id
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;

    const NAMED: [Slot; 6] = [Slot::Folder, Slot::Position, Slot::Files, Slot::Links, Slot::Comments, Slot::History];

    #[test]
    fn a_slot_is_its_spelling() {
        for slot in NAMED.into_iter().chain([Slot::Field("title".into())]) {
            let json = serde_json::to_value(&slot).expect("a text");
            assert_eq!(json, slot.id());
            let again: Slot = serde_json::from_value(json).expect("read again");
            assert_eq!((&again, again.id().starts_with('@')), (&slot, !matches!(slot, Slot::Field(_))));
        }
        // One that was put together by hand is the same as the named one.
        assert_eq!(Slot::Field(LINKS.into()), Slot::Links);
    }

    #[test]
    fn maps_by_slot_are_in_the_order_of_spellings_and_found_by_them() {
        let slots = NAMED.into_iter().chain(["a", "Z", "~"].map(Slot::from));
        let map: BTreeMap<Slot, usize> = slots.enumerate().map(|(n, slot)| (slot, n)).collect();
        let ids: Vec<&str> = map.keys().map(Slot::id).collect();
        assert!(ids.is_sorted(), "{ids:?}");
        assert!(ids.iter().all(|id| map.contains_key(*id)));
    }
}
