//! Evidence: a proof and its loss ledger as files that can be handed on.
//!
//! Decides what such a file holds and how it is written: as a page that reads and prints well ([`page`]), as a
//! spreadsheet ([`spreadsheet`]), and as JSON that is signed and can be checked by anyone ([`sign`], [`verify`]).
//! All three are made of the same [`Evidence`], so their numbers can't differ. No I/O.

mod page;
mod signed;
mod spreadsheet;
mod words;

use std::collections::BTreeMap;

use chrono::{DateTime, Utc};
use hovrel_core::loss::Loss;
use hovrel_core::model::Kind;
use hovrel_core::reconcile::{Headline, LaneProof};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

pub use page::page;
pub use signed::{NotVerified, Verified, fingerprint, public_key, sign, verify};
pub use spreadsheet::{NotWritten, spreadsheet};

/// A proof with everything that belongs to it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Evidence {
    /// The version of Hovrel that proved it.
    pub hovrel: String,
    pub route: RouteFacts,
    pub proof: ProofFacts,
    /// Everything that could not be carried exactly and that stands, when both ends were read.
    pub ledger: Vec<LedgerEntry>,
    /// Names of the right's fields by kind and id, for people.
    pub names: BTreeMap<String, BTreeMap<String, String>>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RouteFacts {
    pub id: Uuid,
    pub name: String,
    /// The version whose rules the proof went by.
    pub version: i32,
    pub left: EndFacts,
    pub right: EndFacts,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct EndFacts {
    pub system: String,
    pub address: String,
    pub container: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ProofFacts {
    pub id: Uuid,
    pub at: DateTime<Utc>,
    pub lanes: Vec<LaneProof>,
    /// What it comes to.
    #[serde(default)]
    pub headline: Headline,
    pub losses_foreseen: u64,
    pub losses_unforeseen: u64,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LedgerEntry {
    pub left_key: String,
    pub right_key: String,
    /// Whether the plan had shown it.
    pub foreseen: bool,
    pub loss: Loss,
}

impl Evidence {
    /// What people call a field of the right.
    fn field_name<'a>(&'a self, kind: Kind, field: &'a str) -> &'a str {
        let known = self.names.get(kind.id()).and_then(|names| names.get(field));
        known.map_or_else(|| words::hanging(field), String::as_str)
    }

    /// What people call the field of a loss. The ledger does not say of which kind its item is: the first kind that
    /// has the field names it.
    fn loss_field<'a>(&'a self, field: &'a str) -> &'a str {
        let named = Kind::ALL.into_iter().find(|k| self.names.get(k.id()).is_some_and(|n| n.contains_key(field)));
        named.map_or_else(|| words::hanging(field), |kind| self.field_name(kind, field))
    }

    /// Fields that differ, in all lanes.
    pub fn differing(&self) -> usize {
        self.proof.lanes.iter().map(|l| l.differences.len()).sum()
    }

    /// Items without a counterpart, in all lanes.
    pub fn missing(&self) -> usize {
        self.proof.lanes.iter().map(|l| l.missing.len()).sum()
    }

    /// The outcome in one line.
    fn headline(&self) -> String {
        words::capital(&self.proof.headline.describe())
    }
}
