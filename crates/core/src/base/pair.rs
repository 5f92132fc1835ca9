//! A pair: two artefacts that are one thing, remembered with the fingerprints of their base.

use std::collections::HashMap;
use std::sync::Arc;

use super::Base;
use super::agreement::Agreement;
use crate::model::{End, Fingerprint};

/// The remembered identity of two artefacts, with the fingerprints of the base.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pair {
    /// The id of the left item in its system.
    pub left_id: String,
    /// The id of the right item in its system.
    pub right_id: String,
    /// What people called both when last in step; empty where that was not kept.
    pub left_key: String,
    /// What people call the right item.
    pub right_key: String,
    /// Of the values at the left under the lane's rules when last in step.
    pub left_base: Fingerprint,
    /// What the right item held at the last agreement, by its digest.
    pub right_base: Fingerprint,
    /// How each field came to be in step; none where that was not kept.
    pub agreed: Option<Arc<Agreement>>,
    /// Whether a person decided that the two are not carried any more.
    pub let_go: bool,
}

impl Pair {
    /// The id of its item at an end.
    pub fn id(&self, end: End) -> &str {
        match end {
            End::Left => &self.left_id,
            End::Right => &self.right_id,
        }
    }

    /// What an end held when both were last in step, by its digest.
    pub fn base(&self, end: End) -> &Fingerprint {
        match end {
            End::Left => &self.left_base,
            End::Right => &self.right_base,
        }
    }
}

/// Gives the base of a pair when its fingerprints are not enough.
pub trait Bases {
    /// What was kept of a pair at its last agreement; none if nothing was.
    fn base(&self, pair: &Pair) -> Option<Base>;
}

impl Bases for HashMap<String, Base> {
    /// Keyed by the left id.
    fn base(&self, pair: &Pair) -> Option<Base> {
        self.get(&pair.left_id).cloned()
    }
}
