//! What a conversion may look at: both catalogues, people, and where the counterparts of artefacts are.

use std::collections::HashMap;

use super::users::UserMatcher;
use crate::catalogue::{Catalogue, KindSchema};
use crate::model::{Kind, LinkEnd, Reference};

/// Where an artefact of the left is, or will be, at the other end.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// Its kind there.
    pub kind: Kind,
    pub reference: Reference,
}

/// Finds the counterpart of an artefact.
pub trait PairLookup {
    /// Where its counterpart is, or will be. None if it is neither paired nor planned.
    fn counterpart(&self, kind: Kind, left_id: &str) -> Option<Place>;
    /// Where an artefact is that another route carried: to another system, or to another container of this one.
    fn elsewhere(&self, _kind: Kind, _left_id: &str) -> Option<LinkEnd> {
        None
    }
    /// Where a person finds an artefact at the left.
    fn at_left(&self, _kind: Kind, _left_id: &str) -> Option<String> {
        None
    }
    /// The artefact of the left that people there call by a key.
    fn called(&self, _key: &str) -> Option<(Kind, String)> {
        None
    }
    /// What people call an artefact of the other end.
    fn name_at_right(&self, _kind: Kind, _right_id: &str) -> Option<String> {
        None
    }
}

impl PairLookup for HashMap<(Kind, String), Place> {
    fn counterpart(&self, kind: Kind, left_id: &str) -> Option<Place> {
        self.get(&(kind, left_id.to_owned())).cloned()
    }
}

/// Everything a conversion may look at.
pub struct Context<'a> {
    /// Name of the left system, as it stands in origin marks.
    pub left_system: &'a str,
    pub left: &'a Catalogue,
    pub left_kind: &'a KindSchema,
    pub right_kind: &'a KindSchema,
    pub right_users: &'a UserMatcher,
    pub places: &'a (dyn PairLookup + Sync),
}
