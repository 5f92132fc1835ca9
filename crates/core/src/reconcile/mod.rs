//! The proof: both ends, read again, compared pair by pair and field by field.
//!
//! Decides what agrees, what differs, and why, from what the ends hold now and what was agreed on. A
//! proof never trusts the transfer's own record of what it wrote.

mod causes;

use std::collections::{BTreeMap, HashMap, HashSet};

use serde::{Deserialize, Serialize};

use crate::compare::{Absence, Bases, Comparer, comments_of, history_of, right_value, same};
use crate::identity::{Accepted, Pair, Sorted, sort_history};
use crate::loss::Loss;
use crate::mapping::{ATTACHMENTS, COMMENTS, Context, HISTORY, LINKS, Lane, source_value};
use crate::model::{Artefact, Kind, Value};
use crate::plan::lacks_only;

use causes::Case;
pub use causes::{DifferenceCause, Fate, Progress, Weight};

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
    /// Items of pairs that are gone, no longer covered, or can't be read.
    #[serde(default)]
    pub absent: Vec<AbsentItem>,
    /// Pairs that a person let go.
    #[serde(default)]
    pub let_go: u64,
}

/// What a proof comes to.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Headline {
    /// Fields of pairs that agree, with their losses declared, or that differ as is on record.
    pub agrees: u64,
    /// Fields that wait for a person or for the next transfer, and items that wait whole.
    pub waits_fields: u64,
    /// Items of which anything waits.
    pub waits_items: u64,
    /// What they wait for.
    pub waits: Vec<WaitsFor>,
    /// Fields and items that differ without any reason that is known.
    pub unexplained_fields: u64,
    pub unexplained_items: u64,
}

/// Items that wait for one thing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct WaitsFor {
    pub cause: DifferenceCause,
    pub items: u64,
    pub fields: u64,
    /// Of the items, those of which nothing is at the right.
    pub whole: u64,
}

impl Headline {
    /// What it comes to, in one sentence for a person.
    pub fn describe(&self) -> String {
        let items = |n: u64| if n == 1 { "1 item".to_owned() } else { format!("{n} items") };
        let fields = |n: u64| if n == 1 { "1 field".to_owned() } else { format!("{n} fields") };
        let agrees = match self.agrees {
            1 => "1 field is as it should be".to_owned(),
            n => format!("{n} fields are as they should be"),
        };
        let waits = match self.waits_items {
            0 => "nothing waits for anybody".to_owned(),
            1 => "1 item waits".to_owned(),
            n => format!("{n} items wait"),
        };
        let unexplained = match (self.unexplained_items, self.unexplained_fields) {
            (0, _) => "nothing is unexplained".to_owned(),
            (n, 0) => format!("{} unexplained", items(n)),
            (n, f) => format!("{} unexplained ({})", items(n), fields(f)),
        };
        format!("{agrees}, {waits}, {unexplained}")
    }

    pub fn of(lanes: &[LaneProof]) -> Headline {
        let mut out = Headline::default();
        let mut by_cause: BTreeMap<DifferenceCause, (HashSet<(&str, &str)>, u64, u64)> = BTreeMap::new();
        let (mut waiting, mut unexplained) = (HashSet::new(), HashSet::new());
        for lane in lanes {
            out.agrees += lane.fields.iter().map(|f| f.agree + f.settled).sum::<u64>();
            let fields = lane.differences.iter().map(|d| (d.left_key.as_str(), d.cause, false));
            let items = lane.missing.iter().map(|m| (m.left_key.as_str(), m.cause, true));
            for (key, cause, whole) in fields.chain(items) {
                // An item of which nothing is at the right any more is somebody's to decide about.
                let weight =
                    if whole && cause == DifferenceCause::RemovedAtRight { Weight::Waits } else { cause.weight() };
                let item = (lane.lane.as_str(), key);
                match weight {
                    Weight::Settled => {}
                    Weight::Waits => {
                        waiting.insert(item);
                        out.waits_fields += u64::from(!whole);
                        let entry = by_cause.entry(cause).or_default();
                        entry.0.insert(item);
                        entry.1 += u64::from(!whole);
                        entry.2 += u64::from(whole);
                    }
                    Weight::Unexplained => {
                        unexplained.insert(item);
                        out.unexplained_fields += u64::from(!whole);
                    }
                }
            }
        }
        out.waits_items = waiting.len() as u64;
        out.unexplained_items = unexplained.len() as u64;
        let told = |(cause, (items, fields, whole)): (_, (HashSet<_>, u64, u64))| WaitsFor {
            cause,
            items: items.len() as u64,
            fields,
            whole,
        };
        out.waits = by_cause.into_iter().map(told).collect();
        out
    }
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
    /// Pairs that differ as somebody decided, or as the right made it when it was saved.
    #[serde(default)]
    pub settled: u64,
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
    #[serde(default = "not_known")]
    pub cause: DifferenceCause,
}

/// Of proofs that were made before causes of missing items were kept.
fn not_known() -> DifferenceCause {
    DifferenceCause::Unexplained
}

/// An item of a pair that is not there to be compared.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct AbsentItem {
    pub left_key: String,
    pub right_key: String,
    pub title: String,
    /// Whether it is the left one.
    pub at_left: bool,
    pub what: Absence,
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

/// Everything that a lane's proof is made from, as just read and as remembered.
pub struct Proven<'a> {
    /// Artefacts in scope.
    pub left: &'a [&'a Artefact],
    pub right: &'a [&'a Artefact],
    pub left_all: &'a HashMap<&'a str, &'a Artefact>,
    pub right_all: &'a HashMap<&'a str, &'a Artefact>,
    pub absent_left: &'a HashMap<String, Absence>,
    pub absent_right: &'a HashMap<String, Absence>,
    pub pairs: &'a [Pair],
    /// Of pairs that changed since they were in step.
    pub bases: &'a dyn Bases,
    pub accepted: &'a HashMap<(String, String), Vec<Accepted>>,
    /// What became of items in the latest plan, by left id.
    pub fates: &'a HashMap<String, Fate>,
}

/// Compares every pair of a lane.
pub fn prove_lane(lane: &Lane, cx: &Context<'_>, from: &Proven<'_>) -> LaneProof {
    let comparer = Comparer::new(lane, cx);
    let by_left: HashMap<&str, &Pair> = from.pairs.iter().map(|p| (p.left_id.as_str(), p)).collect();
    let mut fields: BTreeMap<&str, FieldProof> = BTreeMap::new();
    let mut pieces: BTreeMap<&str, PieceProof> = BTreeMap::new();
    let mut proof = LaneProof {
        lane: lane.id.clone(),
        left_kind: lane.left_kind,
        right_kind: lane.right_kind,
        left_count: from.left.len() as u64,
        paired: 0,
        right_count: from.right.len() as u64,
        fields: Vec::new(),
        differences: Vec::new(),
        missing: Vec::new(),
        pieces: Vec::new(),
        losses: Vec::new(),
        absent: Vec::new(),
        let_go: from.pairs.iter().filter(|p| p.let_go).count() as u64,
    };
    for artefact in from.left {
        let pair = by_left.get(artefact.id.as_str());
        let fate = from.fates.get(&artefact.id);
        if pair.is_some_and(|p| p.let_go) {
            continue;
        }
        let found = pair.and_then(|p| Some((*p, *from.right_all.get(p.right_id.as_str())?)));
        let Some((pair, other)) = found else {
            if let Some(pair) = pair {
                let what = from.absent_right.get(&pair.right_id).copied().unwrap_or(Absence::Gone);
                proof.absent.push(AbsentItem {
                    left_key: artefact.key.clone(),
                    right_key: pair.right_key.clone(),
                    title: artefact.title.clone(),
                    at_left: false,
                    what,
                });
            }
            proof.missing.push(ProofItem {
                left_id: artefact.id.clone(),
                left_key: artefact.key.clone(),
                title: artefact.title.clone(),
                cause: if pair.is_some() { DifferenceCause::RemovedAtRight } else { Fate::of_item(fate) },
            });
            continue;
        };
        proof.paired += 1;
        let untouched = comparer.untouched(artefact, other, pair);
        let base = if untouched { None } else { from.bases.base(pair) };
        let accepted = from.accepted.get(&(artefact.id.clone(), other.id.clone())).map_or(&[][..], Vec::as_slice);
        let left_side = comparer.left_side(artefact);
        for ready in comparer.rules() {
            let target = ready.rule.target.as_str();
            let Some(source) = source_value(ready.rule, artefact, cx.left_system) else { continue };
            let converted = ready.convert(artefact, cx);
            let now = right_value(other, target);
            let entry = fields.entry(target).or_insert_with(|| FieldProof::of(target));
            entry.compared += 1;
            let expected = converted.value.unwrap_or(Value::Empty);
            let said = SaidCount::of(&comparer, target, (&source, &expected), &now, accepted);
            let agrees = converted.fault.is_none()
                && match &said {
                    Some(said) => said.lacks == 0 && said.removed == 0,
                    None => same(&expected, &now),
                };
            match (&said, target) {
                (Some(said), _) => pieces.entry(target).or_default().add(said),
                (None, ATTACHMENTS | LINKS) => pieces.entry(target).or_default().count(&expected, &now),
                _ => {}
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
            } else if matches!(now.as_ref(), Value::Unreadable(_)) {
                DifferenceCause::RightUnreadable
            } else if !lacks_only(&expected, &now).is_empty() {
                DifferenceCause::WaitsForOthers
            } else if said.is_some_and(|s| s.lacks == 0) {
                DifferenceCause::RemovedAtRight
            } else {
                let same = match (untouched, base.as_ref().and_then(|b| b.field(target))) {
                    (true, _) => Some((true, true)),
                    (false, None) => None,
                    (false, Some((l, r))) => Some((left_side.0.get(target) == Some(l), now.as_ref() == r)),
                };
                let agreed = pair.agreed.as_ref().and_then(|a| a.field(target));
                Case { target, expected: &expected, same, agreed, rule: ready.digest(), fate }.cause()
            };
            if cause.weight() == Weight::Settled {
                entry.settled += 1;
            }
            proof.differences.push(Difference {
                left_key: artefact.key.clone(),
                right_key: other.key.clone(),
                title: artefact.title.clone(),
                field: target.to_owned(),
                expected,
                found: now.into_owned(),
                cause,
            });
        }
    }
    absent_at_left(&mut proof, from);
    proof.fields = fields.into_values().collect();
    proof.pieces = pieces.into_iter().map(|(field, p)| PieceProof { field: field.to_owned(), ..p }).collect();
    proof
}

/// The comments or past changes of a pair, counted.
struct SaidCount {
    wanted: u64,
    /// Still to be added.
    lacks: u64,
    /// Carried, and taken off at the right since.
    removed: u64,
    /// Of the right's own people.
    own: u64,
}

impl SaidCount {
    /// None for everything that is neither comments nor history.
    fn of(
        comparer: &Comparer<'_>,
        target: &str,
        (source, expected): (&Value, &Value),
        now: &Value,
        accepted: &[Accepted],
    ) -> Option<SaidCount> {
        fn counted<P>(wanted: usize, sorted: &Sorted<P>) -> SaidCount {
            let lacks = (sorted.to_add.len() + sorted.doubtful.len()) as u64;
            let removed = sorted.removed_there.len() as u64;
            SaidCount { wanted: wanted as u64, lacks, removed, own: sorted.own }
        }
        match target {
            COMMENTS => {
                let sorted = comparer.sorted_comments(source, expected, now, accepted);
                Some(counted(comments_of(expected).len(), &sorted))
            }
            HISTORY => {
                let both = (history_of(source), history_of(expected));
                Some(counted(both.1.len(), &sort_history(HISTORY, both, history_of(now), accepted)))
            }
            _ => None,
        }
    }
}

/// Pairs whose left half is gone, or no longer covered.
fn absent_at_left(proof: &mut LaneProof, from: &Proven<'_>) {
    let covered: HashSet<&str> = from.left.iter().map(|a| a.id.as_str()).collect();
    for pair in from.pairs.iter().filter(|p| !p.let_go && !covered.contains(p.left_id.as_str())) {
        let known = from.left_all.get(pair.left_id.as_str());
        let what = match known {
            Some(_) => Absence::OutOfScope,
            None => from.absent_left.get(&pair.left_id).copied().unwrap_or(Absence::Gone),
        };
        let Some(other) = from.right_all.get(pair.right_id.as_str()) else { continue };
        proof.absent.push(AbsentItem {
            left_key: known.map_or_else(|| pair.left_key.clone(), |a| a.key.clone()),
            right_key: other.key.clone(),
            title: other.title.clone(),
            at_left: true,
            what,
        });
    }
}

impl FieldProof {
    fn of(field: &str) -> FieldProof {
        FieldProof { field: field.to_owned(), compared: 0, agree: 0, with_loss: 0, settled: 0 }
    }
}

impl PieceProof {
    fn add(&mut self, said: &SaidCount) {
        self.expected += said.wanted;
        self.there += said.wanted.saturating_sub(said.lacks + said.removed);
        self.only_right += said.own;
    }

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
            bytes: Some(4),
            digest: Some(digest.into()),
        };
        let mut files = PieceProof::default();
        let left = Value::Attachments(vec![file("a.png", "1"), file("b.png", "2")]);
        files.count(&left, &Value::Attachments(vec![file("a.png", "1"), file("b.png", "other"), file("c.png", "3")]));
        assert_eq!((files.expected, files.there, files.only_right), (2, 1, 2), "a file of other bytes is another");

        let link =
            |id: &str| Link::new(LinkType::Verifies, LinkEnd::Artefact { kind: Kind::Requirement, id: id.into() });
        let mut links = PieceProof::default();
        links.count(&Value::Links(vec![link("1")]), &Value::Links(vec![link("2"), link("1")]));
        links.count(&Value::Empty, &Value::Empty);
        assert_eq!((links.expected, links.there, links.only_right), (1, 1, 1));
    }
}
