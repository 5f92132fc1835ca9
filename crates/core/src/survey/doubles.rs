//! Doubles as the survey tells them: items of one end that seem to be one thing.
//!
//! Decides of which kinds it is asked (what people write by hand; runs and results repeat titles by their nature),
//! and from which likeness two items are pointed out.

use serde::{Deserialize, Serialize};

use crate::identity::{Candidate, Doubles, doubles};
use crate::model::Kind;

/// A group of items that seem to be one thing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct DoubleGroup {
    /// The least likeness that holds the group together, in hundredths.
    pub score: u8,
    /// The items, in the order in which they were found.
    pub items: Vec<DoubleItem>,
}

/// An item that may be there twice.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct DoubleItem {
    /// Its id.
    pub id: String,
    /// What people call it.
    pub key: String,
    /// Its title.
    pub title: String,
    /// Titles of the folders above.
    pub path: String,
}

/// From how alike two items of one end are pointed out; common practice, no source.
const DOUBLES_FROM: u8 = 90;

/// Groups that are named; the count is exact beyond that.
const NAMED: usize = 100;

/// How many groups of items seem to be one thing, and the surest of them.
pub fn doubles_of(kind: Kind, all: &[Candidate<'_>]) -> (u64, Vec<DoubleGroup>) {
    if !matches!(kind, Kind::Requirement | Kind::TestCase | Kind::SharedSteps | Kind::Defect) {
        return (0, Vec::new());
    }
    let groups = doubles(all, DOUBLES_FROM);
    let item = |n: &usize| {
        let Candidate { artefact: a, path } = &all[*n];
        DoubleItem { id: a.id.clone(), key: a.key.clone(), title: a.title.clone(), path: path.clone() }
    };
    let named = groups.iter().take(NAMED);
    let named = named
        .map(|Doubles { members, score }| DoubleGroup { score: *score, items: members.iter().map(item).collect() });
    (groups.len() as u64, named.collect())
}
