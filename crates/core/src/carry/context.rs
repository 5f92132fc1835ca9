//! What a conversion may look at: both catalogues, people, and where the counterparts of artefacts are.

use std::collections::HashMap;

use super::users::UserMatcher;
use crate::catalogue::{Catalogue, KindSchema};
use crate::model::{Kind, LinkEnd, Reference};

/// Where the counterpart of an artefact is, or will be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// Its kind there.
    pub kind: Kind,
    /// Its id there, or that it is still to be made.
    pub reference: Reference,
}

/// Finds the counterpart of an artefact.
pub trait PairLookup {
    /// Where its counterpart is, or will be. None if it is neither paired nor planned.
    fn counterpart(&self, kind: Kind, id: &str) -> Option<Place>;
    /// Where an artefact is that another route carried: to another system, or to another container of this one.
    fn elsewhere(&self, _kind: Kind, _id: &str) -> Option<LinkEnd> {
        None
    }
    /// Where a person finds the artefact itself, at the end that it comes from.
    fn address(&self, _kind: Kind, _id: &str) -> Option<String> {
        None
    }
    /// The artefact that people call by a key, at the end that values come from.
    fn called(&self, _key: &str) -> Option<(Kind, String)> {
        None
    }
    /// What people call an artefact at the end that values go into.
    fn name_there(&self, _kind: Kind, _id: &str) -> Option<String> {
        None
    }
}

impl PairLookup for HashMap<(Kind, String), Place> {
    fn counterpart(&self, kind: Kind, id: &str) -> Option<Place> {
        self.get(&(kind, id.to_owned())).cloned()
    }
}

/// Everything that a conversion may look at, on its way from one end into the other.
pub struct Context<'a> {
    /// Name of the system that values come from, as it stands in origin marks.
    pub system: &'a str,
    /// What the end that values come from can hold, with its people.
    pub from: &'a Catalogue,
    /// What the items of the lane can hold there.
    pub from_kind: &'a KindSchema,
    /// What their counterparts can hold.
    pub to_kind: &'a KindSchema,
    /// People at the end that values go into.
    pub to_users: &'a UserMatcher,
    /// Where items are, at both ends.
    pub places: &'a (dyn PairLookup + Sync),
}
