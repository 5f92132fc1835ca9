//! The proof: both ends, read again, compared pair by pair and field by field.
//!
//! Decides what agrees, what differs, and why, from what the ends hold now and what was agreed on. A
//! proof never trusts the transfer's own record of what it wrote.

use std::collections::{BTreeMap, HashMap};

use serde::{Deserialize, Serialize};

use crate::compare::{Base, Comparer, right_value, same};
use crate::identity::Pair;
use crate::loss::Loss;
use crate::mapping::{ATTACHMENTS, COMMENTS, Context, HISTORY, LINKS, Lane, source_value};
use crate::model::{Artefact, Kind, Value};
use crate::plan::lacks_only;

/// The proof of one lane.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LaneProof {
    pub lane: String,
    pub left_kind: Kind,
    pub right_kind: Kind,
    /// Artefacts in the lane's scope at the left.
    pub left_count: u64,
    /// Of these, those whose counterpart exists at the right.
    pub paired: u64,
    /// Artefacts in the lane's scope at the right.
    pub right_count: u64,
    pub fields: Vec<FieldProof>,
    pub differences: Vec<Difference>,
    /// Left artefacts without a counterpart.
    pub missing: Vec<ProofItem>,
    /// What hangs on the items, by its field.
    #[serde(default)]
    pub pieces: Vec<PieceProof>,
    /// Losses of values that agree as far as they could be carried.
    pub losses: Vec<ProofLoss>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FieldProof {
    pub field: String,
    /// Pairs compared in this field.
    pub compared: u64,
    /// Pairs that agree exactly or with a declared loss.
    pub agree: u64,
    /// Of these, those that agree with a declared loss.
    pub with_loss: u64,
}

/// Files by their digests, links by where they lead, comments and past changes by what they say: each counted
/// in both directions.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PieceProof {
    pub field: String,
    /// Pieces that the left's items have, as far as they can be carried.
    pub expected: u64,
    /// Of these, those that are at the right.
    pub there: u64,
    /// Pieces at the right that nothing at the left stands for.
    pub only_right: u64,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ProofItem {
    pub left_id: String,
    pub left_key: String,
    pub title: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ProofLoss {
    pub left_key: String,
    pub right_key: String,
    pub loss: Loss,
}

/// A field that does not agree.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Difference {
    pub left_key: String,
    pub right_key: String,
    pub title: String,
    pub field: String,
    #[cfg_attr(feature = "schema", schema(value_type = crate::model::ValueSchema))]
    pub expected: Value,
    #[cfg_attr(feature = "schema", schema(value_type = crate::model::ValueSchema))]
    pub found: Value,
    pub cause: DifferenceCause,
}

/// Why a field does not agree.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum DifferenceCause {
    /// The field was left out, or waits as a conflict: it was never in step.
    NeverCarried,
    /// The left changed since the last transfer.
    LeftChangedSince,
    /// The right changed since the last transfer, behind Hovrel's back.
    RightChangedSince,
    BothChangedSince,
    /// The right's value was kept by decision.
    KeptByDecision,
    /// The value can't be carried.
    CannotBeCarried,
    /// A list that holds all but what is not at the right yet.
    WaitsForOthers,
}

impl DifferenceCause {
    /// In a few words, for a person.
    pub fn describe(self) -> &'static str {
        match self {
            DifferenceCause::NeverCarried => "left out, or waits as a conflict",
            DifferenceCause::LeftChangedSince => "changed at the left since the transfer",
            DifferenceCause::RightChangedSince => "changed at the right since the transfer",
            DifferenceCause::BothChangedSince => "changed at both ends since the transfer",
            DifferenceCause::KeptByDecision => "the right's value was kept by decision",
            DifferenceCause::CannotBeCarried => "the value can't be carried",
            DifferenceCause::WaitsForOthers => "what it names is not at the right yet",
        }
    }
}

/// Compares every pair of a lane. Items are those in scope, as just read.
pub fn prove_lane(
    lane: &Lane,
    cx: &Context<'_>,
    left: &[&Artefact],
    right: &[&Artefact],
    right_all: &HashMap<&str, &Artefact>,
    pairs: &[Pair],
    bases: &dyn crate::compare::Bases,
) -> LaneProof {
    let comparer = Comparer::new(lane, cx);
    let by_left: HashMap<&str, &Pair> = pairs.iter().map(|p| (p.left_id.as_str(), p)).collect();
    let mut fields: BTreeMap<&str, FieldProof> = BTreeMap::new();
    let mut pieces: BTreeMap<&str, PieceProof> = BTreeMap::new();
    let mut proof = LaneProof {
        lane: lane.id.clone(),
        left_kind: lane.left_kind,
        right_kind: lane.right_kind,
        left_count: left.len() as u64,
        paired: 0,
        right_count: right.len() as u64,
        fields: Vec::new(),
        differences: Vec::new(),
        missing: Vec::new(),
        pieces: Vec::new(),
        losses: Vec::new(),
    };
    for artefact in left {
        let found = by_left.get(artefact.id.as_str()).and_then(|p| Some((*p, *right_all.get(p.right_id.as_str())?)));
        let Some((pair, other)) = found else {
            proof.missing.push(ProofItem {
                left_id: artefact.id.clone(),
                left_key: artefact.key.clone(),
                title: artefact.title.clone(),
            });
            continue;
        };
        proof.paired += 1;
        let base = if comparer.untouched(artefact, other, pair) { None } else { bases.base(pair) };
        for ready in comparer.rules() {
            let rule = ready.rule;
            if source_value(rule, artefact, cx.left_system).is_none() {
                continue;
            }
            let converted = ready.convert(artefact, cx);
            let now = right_value(other, &rule.target);
            let entry = fields.entry(&rule.target).or_insert_with(|| FieldProof {
                field: rule.target.clone(),
                compared: 0,
                agree: 0,
                with_loss: 0,
            });
            entry.compared += 1;
            let expected = comparer.expected(converted.value.unwrap_or(Value::Empty), &now);
            let agrees = converted.fault.is_none() && same(&expected, &now);
            if matches!(rule.target.as_str(), ATTACHMENTS | LINKS | COMMENTS | HISTORY) {
                pieces.entry(&rule.target).or_default().count(&expected, &now);
            }
            if agrees {
                entry.agree += 1;
                entry.with_loss += u64::from(!converted.losses.is_empty());
                proof.losses.extend(converted.losses.into_iter().map(|loss| ProofLoss {
                    left_key: artefact.key.clone(),
                    right_key: other.key.clone(),
                    loss,
                }));
                continue;
            }
            let cause = if converted.fault.is_some() {
                DifferenceCause::CannotBeCarried
            } else if !lacks_only(&expected, &now).is_empty() {
                DifferenceCause::WaitsForOthers
            } else {
                cause(&comparer, artefact, other, &rule.target, base.as_ref())
            };
            proof.differences.push(Difference {
                left_key: artefact.key.clone(),
                right_key: other.key.clone(),
                title: artefact.title.clone(),
                field: rule.target.clone(),
                expected,
                found: now.into_owned(),
                cause,
            });
        }
    }
    proof.fields = fields.into_values().collect();
    proof.pieces = pieces.into_iter().map(|(field, p)| PieceProof { field: field.to_owned(), ..p }).collect();
    proof
}

fn cause(
    comparer: &Comparer<'_>,
    left: &Artefact,
    right: &Artefact,
    target: &str,
    base: Option<&Base>,
) -> DifferenceCause {
    // Untouched since the base, and yet not what the rule gives: a person kept the right's value.
    let Some(base) = base else { return DifferenceCause::KeptByDecision };
    let (Some(was_left), Some(was_right)) = (base.left.0.get(target), base.right.0.get(target)) else {
        return DifferenceCause::NeverCarried;
    };
    let left_same = comparer.left_side(left).0.get(target) == Some(was_left);
    let right_same = right_value(right, target).as_ref() == was_right;
    match (left_same, right_same) {
        (true, true) => DifferenceCause::KeptByDecision,
        (false, true) => DifferenceCause::LeftChangedSince,
        (true, false) => DifferenceCause::RightChangedSince,
        (false, false) => DifferenceCause::BothChangedSince,
    }
}

impl PieceProof {
    fn count(&mut self, expected: &Value, now: &Value) {
        let (wanted, held) = (pieces(expected), pieces(now));
        self.expected += wanted.len() as u64;
        self.there += wanted.iter().filter(|w| held.iter().any(|h| same(w, h))).count() as u64;
        self.only_right += held.iter().filter(|h| !wanted.iter().any(|w| same(w, h))).count() as u64;
    }
}

/// The members of a list, each as a list of its own.
fn pieces(list: &Value) -> Vec<Value> {
    match list {
        Value::Attachments(l) => l.iter().map(|f| Value::Attachments(vec![f.clone()])).collect(),
        Value::Links(l) => l.iter().map(|f| Value::Links(vec![f.clone()])).collect(),
        Value::Comments(l) => l.iter().map(|c| Value::Comments(vec![c.clone()])).collect(),
        Value::History(l) => l.iter().map(|h| Value::History(vec![h.clone()])).collect(),
        _ => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Attachment, Link, LinkEnd, LinkType};

    #[test]
    fn pieces_are_counted_in_both_directions() {
        let file = |name: &str, digest: &str| Attachment {
            name: name.into(),
            media_type: "image/png".into(),
            bytes: 4,
            digest: digest.into(),
        };
        let mut files = PieceProof::default();
        let left = Value::Attachments(vec![file("a.png", "1"), file("b.png", "2")]);
        files.count(&left, &Value::Attachments(vec![file("a.png", "1"), file("b.png", "other"), file("c.png", "3")]));
        assert_eq!((files.expected, files.there, files.only_right), (2, 1, 2), "a file of other bytes is another");

        let link = |id: &str| Link {
            link_type: LinkType::Verifies,
            target: LinkEnd::Artefact { kind: Kind::Requirement, id: id.into() },
        };
        let mut links = PieceProof::default();
        links.count(&Value::Links(vec![link("1")]), &Value::Links(vec![link("2"), link("1")]));
        links.count(&Value::Empty, &Value::Empty);
        assert_eq!((links.expected, links.there, links.only_right), (1, 1, 1));
    }
}
