//! A pair: two artefacts that are one thing, remembered with the fingerprints of their base.

use std::collections::HashMap;
use std::sync::Arc;

use super::Base;
use super::agreement::Agreement;
use crate::model::{Ends, Fingerprint};

/// The remembered identity of two artefacts, with the fingerprints of the base.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pair {
    /// The ids of its items in their systems.
    pub ids: Ends<String>,
    /// What people called its items when both were last in step; empty where that was not kept.
    pub keys: Ends<String>,
    /// What each end held then under the lane's rules, by its fingerprint.
    pub bases: Ends<Fingerprint>,
    /// How each field came to be in step; none where that was not kept.
    pub agreed: Option<Arc<Agreement>>,
    /// Whether a person decided that the two are not carried any more.
    pub let_go: bool,
}

/// Gives the base of a pair when its fingerprints are not enough.
pub trait Bases {
    /// What was kept of a pair at its last agreement; none if nothing was.
    fn base(&self, pair: &Pair) -> Option<Base>;
}

impl Bases for HashMap<String, Base> {
    /// Keyed by the left id.
    fn base(&self, pair: &Pair) -> Option<Base> {
        self.get(&pair.ids.left).cloned()
    }
}
