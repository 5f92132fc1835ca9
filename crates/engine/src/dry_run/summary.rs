//! What a dry run found, in numbers.

use std::collections::BTreeMap;

use hovrel_core::model::{Ends, Kind};
use hovrel_core::rehearse::Pace;
use hovrel_core::rules::RuleId;
use serde::{Deserialize, Serialize};

/// What a dry run found, in numbers.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct PlanSummary {
    /// Items that lanes cover which read the left, or read it first.
    pub left_in_scope: u64,
    /// Items that lanes cover which read the right.
    #[serde(default)]
    pub right_in_scope: u64,
    pub left_total: u64,
    pub right_total: u64,
    pub in_step: u64,
    /// Artefacts at the right that nothing at the left stands for, and that are not made there.
    pub only_right: u64,
    /// The same the other way round.
    #[serde(default)]
    pub only_left: u64,
    /// What each end allows, as it was read; none in plans of before it was kept.
    #[serde(default)]
    pub paces: Option<Ends<Pace>>,
    /// Pairs that a person let go, and that are not told again.
    #[serde(default)]
    pub let_go: u64,
    /// Kinds whose items stand in folders at both ends and don't keep their order there.
    #[serde(default)]
    pub order_not_kept: Vec<Kind>,
    /// How many items more than one lane covers, of the same kinds: one of them carries each.
    #[serde(default)]
    pub covered_twice: u64,
    /// The digest of each rule with what it reads besides the item, by lane and target.
    #[serde(default)]
    pub rules: BTreeMap<String, BTreeMap<RuleId, String>>,
}
