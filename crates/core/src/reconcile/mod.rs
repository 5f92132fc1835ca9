//! The proof: both ends, read again, compared pair by pair and field by field.
//!
//! Decides what agrees, what differs, and why, from what the ends hold now and what was agreed on. A
//! proof never trusts the transfer's own record of what it wrote.

mod causes;

use std::collections::{BTreeMap, HashMap, HashSet};

use serde::{Deserialize, Serialize};

use crate::agree::{Accepted, Sorted, comments_of, history_of, same, sort_history};
use crate::base::{Bases, Pair};
use crate::carry::{Context, source_value};
use crate::compare::{AtEnd, Comparer, Relation, walk};
use crate::identity::Counterparts;
use crate::loss::Loss;
use crate::model::{ATTACHMENTS, Artefact, Attachment, End, Ends, Kind, Slot, Value, slot_value};
use crate::plan::{Absence, lacks_only};
use crate::rules::{Lane, order_is_carried, order_of};

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
    /// Files, links, comments and past changes, counted by field.
    #[serde(default)]
    pub pieces: Vec<PieceProof>,
    /// Losses of values that agree as far as they could be carried, and of what is there of lists that wait for more.
    pub losses: Vec<ProofLoss>,
    /// Items of pairs that are gone, no longer covered, or can't be read.
    #[serde(default)]
    pub absent: Vec<AbsentItem>,
    /// Pairs that a person let go.
    #[serde(default)]
    pub let_go: u64,
    /// The order in which items stand in their folders; none where they don't stand in folders at both ends.
    #[serde(default)]
    pub order: Option<OrderProof>,
    /// Files whose bytes were read at both ends; none if they were only compared as the systems state them.
    #[serde(default)]
    pub files: Option<FilesRead>,
}

/// A file as both ends gave it out, with the digests and sizes of what came.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileCompared {
    pub left_key: String,
    pub right_key: String,
    pub left: Attachment,
    pub right: Attachment,
}

impl LaneProof {
    /// That files are read, of so many that both ends have.
    pub fn begin_files(&mut self, of: u64) {
        self.files = Some(FilesRead { of, ..FilesRead::default() });
    }

    /// Takes a file that was read at both ends. Other bytes have no reason that anybody knows: what the systems state of
    /// them said otherwise.
    pub fn file_compared(&mut self, title: &str, found: Result<FileCompared, FileNotRead>) {
        let files = self.files.get_or_insert_default();
        let FileCompared { left_key, right_key, left, right } = match found {
            Ok(compared) => compared,
            Err(not_read) => return files.not_read.push(not_read),
        };
        files.read += 1;
        files.bytes += left.bytes.unwrap_or(0) + right.bytes.unwrap_or(0);
        if left.is_same(&right) {
            files.same += 1;
            return;
        }
        let known = |d: &Difference| d.field == ATTACHMENTS && d.left_key == left_key;
        if !self.differences.iter().any(known) {
            for field in self.fields.iter_mut().filter(|f| f.field == ATTACHMENTS) {
                field.agree = field.agree.saturating_sub(1);
            }
        }
        for piece in self.pieces.iter_mut().filter(|p| p.field == ATTACHMENTS) {
            piece.there = piece.there.saturating_sub(1);
        }
        self.differences.push(Difference {
            left_key,
            right_key,
            title: title.to_owned(),
            field: ATTACHMENTS.to_owned(),
            expected: Value::Attachments(vec![left]),
            found: Value::Attachments(vec![right]),
            cause: DifferenceCause::Unexplained,
        });
    }
}

/// Folders whose items stand in the same order at both ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OrderProof {
    /// Whether a rule carries the order.
    pub carried: bool,
    /// Folders with several items of the lane.
    pub folders: u64,
    /// Of these, those in which the items stand in the same order at the right.
    pub same: u64,
}

impl OrderProof {
    /// In one sentence for a person.
    pub fn describe(self) -> String {
        let OrderProof { carried, folders, same } = self;
        let found = format!("in {same} of {folders} folders the items stand as at the left");
        match carried {
            true => format!("their order in folders is transferred; {found}"),
            false => format!("their order in folders is not kept there; {found}"),
        }
    }
}

/// Files that were read at both ends and compared byte by byte.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FilesRead {
    /// Files that both ends have.
    pub of: u64,
    /// Of these, those that were read.
    pub read: u64,
    /// Of those that were read, those whose bytes are the same.
    pub same: u64,
    /// Bytes that were read, of both ends together.
    pub bytes: u64,
    /// Files that could not be read, and why.
    pub not_read: Vec<FileNotRead>,
}

impl FilesRead {
    /// In one sentence for a person; `files` is none where no file was read.
    pub fn describe(files: Option<&FilesRead>) -> String {
        match files {
            None => "their files were compared by the digests that the systems state".to_owned(),
            Some(f) => {
                let not_read = match f.not_read.len() {
                    0 => String::new(),
                    n => format!(", {n} could not be read"),
                };
                format!(
                    "{} of their {} files were read at both ends: {} have the same bytes{not_read}",
                    f.read, f.of, f.same
                )
            }
        }
    }
}

/// A file that could not be read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FileNotRead {
    pub left_key: String,
    pub right_key: String,
    pub name: String,
    /// Whether it is the left one.
    pub at_left: bool,
    pub why: String,
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
        /// Items by lane and key, those of them of which nothing is there, and fields.
        type OfCause<'a> = (HashSet<(&'a str, &'a str)>, u64, u64);
        let mut by_cause: BTreeMap<DifferenceCause, OfCause<'_>> = BTreeMap::new();
        let (mut waiting, mut unexplained) = (HashSet::new(), HashSet::new());
        for lane in lanes {
            out.agrees += lane.fields.iter().map(|f| f.agree + f.settled).sum::<u64>();
            let fields = lane.differences.iter().map(|d| (d.left_key.as_str(), d.cause, false));
            let items = lane.missing.iter().map(|m| (m.left_key.as_str(), m.cause, true));
            for (key, cause, whole) in fields.chain(items) {
                // An item of which nothing is there any more is somebody's to decide about.
                let weight = match cause {
                    DifferenceCause::RemovedAt(_) if whole => Weight::Waits,
                    cause => cause.weight(),
                };
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

impl AbsentItem {
    /// What became of it, for a person.
    pub fn describe(&self) -> &'static str {
        self.what.describe(if self.at_left { End::Left } else { End::Right })
    }
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
    pub at: Ends<AtEnd<'a>>,
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
    let written = lane.direction.written();
    let from_end = written.other();
    let mut fields: BTreeMap<&str, FieldProof> = BTreeMap::new();
    let mut pieces: BTreeMap<&str, PieceProof> = BTreeMap::new();
    let mut proof = LaneProof {
        lane: lane.id.clone(),
        left_kind: lane.left_kind,
        right_kind: lane.right_kind,
        left_count: from.at.left.covered.len() as u64,
        paired: 0,
        right_count: from.at.right.covered.len() as u64,
        fields: Vec::new(),
        differences: Vec::new(),
        missing: Vec::new(),
        pieces: Vec::new(),
        losses: Vec::new(),
        absent: Vec::new(),
        let_go: 0,
        order: None,
        files: None,
    };
    let mut both: Vec<(&Artefact, &Artefact)> = Vec::new();
    // A proof trusts pairs alone: what only seems to be one has not been carried.
    let nothing_found = Counterparts::default();
    for relation in walk(from.at, from.pairs, &nothing_found) {
        let (pair, artefact, other) = match relation {
            Relation::Pair { pair, items } => (pair, items.left, items.right),
            Relation::LetGo(_) => {
                proof.let_go += 1;
                continue;
            }
            Relation::Half { pair, missing, why, items } => {
                proof.absent.extend(AbsentItem::of(pair, missing, why, items));
                if let (true, Some(item)) = (missing == written, items[from_end]) {
                    proof.missing.push(ProofItem::of(item, DifferenceCause::RemovedAt(written)));
                }
                continue;
            }
            Relation::Only(end, item) if end == from_end => {
                proof.missing.push(ProofItem::of(item, Fate::of_item(from.fates.get(&item.id))));
                continue;
            }
            Relation::Only(..) | Relation::Adoption { .. } => continue,
        };
        let fate = from.fates.get(&artefact.id);
        proof.paired += 1;
        both.push((artefact, other));
        let untouched = comparer.untouched(artefact, other, pair);
        let base = if untouched { None } else { from.bases.base(pair) };
        let accepted = from.accepted.get(&(artefact.id.clone(), other.id.clone())).map_or(&[][..], Vec::as_slice);
        let left_side = comparer.left_side(artefact);
        for ready in comparer.rules() {
            let target = &ready.rule.target;
            let Some(source) = source_value(ready.rule, artefact, cx.left_system) else { continue };
            let converted = ready.convert(artefact, cx);
            let now = slot_value(other, target);
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
                (None, Slot::Files | Slot::Links) => pieces.entry(target).or_default().count(&expected, &now),
                _ => {}
            }
            let waits_for_others = !agrees && !lacks_only(&expected, &now).is_empty();
            // A list that waits for some of its members holds the others, with what they lost.
            if agrees || (waits_for_others && !now.is_blank()) {
                entry.with_loss += u64::from(agrees && !converted.losses.is_empty());
                proof.losses.extend(converted.losses.into_iter().map(|loss| ProofLoss {
                    left_key: artefact.key.clone(),
                    right_key: other.key.clone(),
                    loss,
                }));
            }
            if agrees {
                entry.agree += 1;
                continue;
            }
            let cause = if converted.fault.is_some() {
                DifferenceCause::CannotBeCarried
            } else if matches!(now.as_ref(), Value::Unreadable(_)) {
                DifferenceCause::Unreadable(written)
            } else if waits_for_others {
                DifferenceCause::WaitsForOthers
            } else if said.is_some_and(|s| s.lacks == 0) {
                DifferenceCause::RemovedAt(written)
            } else {
                let same = match (untouched, base.as_ref().and_then(|b| b.field(target))) {
                    (true, _) => Some(Ends { left: true, right: true }),
                    (false, None) => None,
                    (false, Some((l, r))) => {
                        Some(Ends { left: left_side.0.get(target) == Some(l), right: now.as_ref() == r })
                    }
                };
                let agreed = pair.agreed.as_ref().and_then(|a| a.field(target));
                let same_rule = agreed.is_some_and(|a| ready.is_known_as(&a.rule, cx));
                Case { target, expected: &expected, written, same, agreed, same_rule, fate }.cause()
            };
            if cause.weight() == Weight::Settled {
                entry.settled += 1;
            }
            proof.differences.push(Difference {
                left_key: artefact.key.clone(),
                right_key: other.key.clone(),
                title: artefact.title.clone(),
                field: target.to_string(),
                expected,
                found: now.into_owned(),
                cause,
            });
        }
    }
    proof.order = order_is_carried(lane).map(|carried| order(carried, &both));
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
        target: &Slot,
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
            Slot::Comments => {
                let sorted = comparer.sorted_comments(source, expected, now, accepted);
                Some(counted(comments_of(expected).len(), &sorted))
            }
            Slot::History => {
                let both = (history_of(source), history_of(expected));
                Some(counted(both.1.len(), &sort_history(&Slot::History, both, history_of(now), accepted)))
            }
            _ => None,
        }
    }
}

/// In how many folders the items stand in the same order at both ends.
fn order(carried: bool, pairs: &[(&Artefact, &Artefact)]) -> OrderProof {
    let mut by_folder: BTreeMap<Option<&str>, Vec<(&Artefact, &Artefact)>> = BTreeMap::new();
    for (left, right) in pairs {
        by_folder.entry(left.parent.as_deref()).or_default().push((left, right));
    }
    let mut out = OrderProof { carried, folders: 0, same: 0 };
    for items in by_folder.values_mut().filter(|items| items.len() > 1) {
        items.sort_by_key(|(left, _)| order_of(left));
        out.folders += 1;
        out.same += u64::from(items.is_sorted_by_key(|(_, right)| order_of(right)));
    }
    out
}

impl ProofItem {
    fn of(left: &Artefact, cause: DifferenceCause) -> ProofItem {
        let Artefact { id, key, title, .. } = left;
        ProofItem { left_id: id.clone(), left_key: key.clone(), title: title.clone(), cause }
    }
}

impl AbsentItem {
    /// A half of a pair that is missing; none if the other is not there either, so that there is nothing to tell of.
    fn of(pair: &Pair, missing: End, what: Absence, items: Ends<Option<&Artefact>>) -> Option<AbsentItem> {
        let there = items[missing.other()]?;
        let key = |end: End, kept: &String| items[end].map_or_else(|| kept.clone(), |a| a.key.clone());
        Some(AbsentItem {
            left_key: key(End::Left, &pair.left_key),
            right_key: key(End::Right, &pair.right_key),
            title: there.title.clone(),
            at_left: missing == End::Left,
            what,
        })
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
    use crate::model::{Link, LinkEnd, LinkType};

    /// Systems that state the same digest for other bytes.
    #[test]
    fn bytes_that_differ_are_unexplained_whatever_the_systems_state() {
        let file = |digest: &str| Attachment {
            name: "a.png".into(),
            media_type: "image/png".into(),
            bytes: Some(4),
            digest: Some(digest.into()),
        };
        let files = FieldProof { compared: 2, agree: 2, ..FieldProof::of(ATTACHMENTS) };
        let pieces = PieceProof { field: ATTACHMENTS.into(), expected: 3, there: 3, only_right: 0 };
        let mut proof = LaneProof { fields: vec![files], pieces: vec![pieces], ..some_lane() };
        proof.begin_files(3);
        let compared = |key: &str, right: &str| FileCompared {
            left_key: key.into(),
            right_key: "R".into(),
            left: file("1"),
            right: file(right),
        };
        proof.file_compared("One", Ok(compared("L1", "1")));
        proof.file_compared("Two", Ok(compared("L2", "2")));
        let (left_key, right_key, name) = ("L2".into(), "R".into(), "b.png".into());
        proof.file_compared("Two", Err(FileNotRead { left_key, right_key, name, at_left: false, why: "gone".into() }));
        let read = proof.files.as_ref().expect("files were read");
        assert_eq!((read.of, read.read, read.same, read.bytes, read.not_read.len()), (3, 2, 1, 16, 1));
        assert_eq!((proof.fields[0].agree, proof.pieces[0].there), (1, 2));
        let headline = Headline::of(&[proof]);
        assert_eq!((headline.agrees, headline.unexplained_items, headline.unexplained_fields), (1, 1, 1));
    }

    fn some_lane() -> LaneProof {
        LaneProof {
            lane: "cases".into(),
            left_kind: Kind::TestCase,
            right_kind: Kind::TestCase,
            left_count: 2,
            paired: 2,
            right_count: 2,
            fields: Vec::new(),
            differences: Vec::new(),
            missing: Vec::new(),
            pieces: Vec::new(),
            losses: Vec::new(),
            absent: Vec::new(),
            let_go: 0,
            order: None,
            files: None,
        }
    }

    #[test]
    fn folders_with_their_items_in_another_order_are_counted() {
        // By its number at the left, by the place in the list at the right.
        let listed = |place: u32| Artefact { position: place, ..Artefact::bare(Kind::TestCase, "r") };
        let at = |folder: &str, number: Value| {
            let mut item = Artefact { parent: Some(folder.into()), ..Artefact::bare(Kind::TestCase, "l") };
            item.fields.set("@position", number);
            item
        };
        let numbered = |folder, number| at(folder, Value::Integer(number));
        let (first, second) = (listed(1), listed(2));
        let both = [numbered("a", 20), numbered("a", 10), numbered("b", 1), numbered("b", 2), numbered("c", 1)];
        let [a20, a10, b1, b2, c1] = &both;
        let found = order(true, &[(a20, &first), (a10, &second), (b1, &first), (b2, &second), (c1, &first)]);
        assert_eq!(found, OrderProof { carried: true, folders: 2, same: 1 }, "one item alone is in no order");
        let unnumbered = at("a", Value::Empty);
        let found = order(false, &[(a20, &first), (&unnumbered, &second)]);
        assert_eq!(found, OrderProof { carried: false, folders: 1, same: 1 }, "without a number it stands behind");
    }

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
