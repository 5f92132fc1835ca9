//! Evidence: a proof and its loss ledger as files that can be handed on.
//!
//! Decides what such a file holds and how it is written: as a page that reads and prints well ([`page`]), as a
//! spreadsheet ([`spreadsheet`]), and as JSON that is signed and can be checked by anyone ([`sign`], [`verify`]).
//! All three are made of the same [`Evidence`], so their numbers can't differ. No I/O.

#![warn(missing_docs)]

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
    /// The route that was proved.
    pub route: RouteFacts,
    /// What was found.
    pub proof: ProofFacts,
    /// Everything that could not be carried exactly and that stands, when both ends were read.
    pub ledger: Vec<LedgerEntry>,
    /// Names of the right's fields by kind and id, for people.
    pub names: BTreeMap<String, BTreeMap<String, String>>,
}

/// The route that a proof is about, as it was then.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RouteFacts {
    /// Its id in this installation.
    pub id: Uuid,
    /// What people called it.
    pub name: String,
    /// The version whose rules the proof went by.
    pub version: i32,
    /// The end that was read.
    pub left: EndFacts,
    /// The end that was written.
    pub right: EndFacts,
}

/// One end of a route.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct EndFacts {
    /// The name of the system in this installation.
    pub system: String,
    /// Where the system is.
    pub address: String,
    /// The project there: its name, or its id if it was never surveyed.
    pub container: String,
}

/// What a proof found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ProofFacts {
    /// Its id in this installation.
    pub id: Uuid,
    /// When both ends had been read and compared.
    pub at: DateTime<Utc>,
    /// Lane by lane, in the order of the route.
    pub lanes: Vec<LaneProof>,
    /// What it comes to.
    #[serde(default)]
    pub headline: Headline,
    /// Losses in the ledger that the plan had shown.
    pub losses_foreseen: u64,
    /// Losses in the ledger that showed only when the items were written.
    pub losses_unforeseen: u64,
}

/// A loss, with the pair that it concerns.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LedgerEntry {
    /// What people call the item at the left.
    pub left_key: String,
    /// What people call its counterpart at the right.
    pub right_key: String,
    /// Whether the plan had shown it.
    pub foreseen: bool,
    /// What was lost.
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
        words::capital(&hovrel_words::headline(&self.proof.headline))
    }
}
