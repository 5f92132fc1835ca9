//! What a proof holds, and how its numbers are counted together.

use std::collections::{BTreeMap, HashSet};

use serde::{Deserialize, Deserializer, Serialize};

use super::causes::{DifferenceCause, Weight};
use super::said::SaidCount;
use crate::agree::same;
use crate::base::Pair;
use crate::loss::Loss;
use crate::model::{ATTACHMENTS, Artefact, Attachment, End, Ends, Kind, Value};
use crate::plan::Absence;
use crate::rules::{Direction, Lane};

/// The proof of one lane.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LaneProof {
    /// The id of the lane.
    pub lane: String,
    /// What people call it; empty if they call it by its kinds.
    #[serde(default)]
    pub name: String,
    /// Its kind at the left.
    pub left_kind: Kind,
    /// Its kind at the right.
    pub right_kind: Kind,
    /// Which end it writes; in proofs of before that was kept, the right.
    #[serde(default)]
    pub direction: Direction,
    /// Artefacts in the lane's scope at the left.
    pub left_count: u64,
    /// Of those at the end that it reads, those whose counterpart exists at the other.
    pub paired: u64,
    /// Artefacts in the lane's scope at the right.
    pub right_count: u64,
    /// What became of each field, over all pairs.
    pub fields: Vec<FieldProof>,
    /// Fields that do not agree.
    pub differences: Vec<Difference>,
    /// Artefacts of the end that it reads without a counterpart.
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
    /// What people call the left item.
    pub left_key: String,
    /// What people call the right item.
    pub right_key: String,
    /// The file at the left.
    pub left: Attachment,
    /// The file at the right.
    pub right: Attachment,
}

impl LaneProof {
    /// Of a lane with so many artefacts in its scope at each end, before anything is compared.
    pub(super) fn of(lane: &Lane, covered: Ends<u64>) -> LaneProof {
        LaneProof {
            lane: lane.id.clone(),
            name: lane.name.clone(),
            left_kind: lane.left_kind,
            right_kind: lane.right_kind,
            direction: lane.direction,
            left_count: covered.left,
            paired: 0,
            right_count: covered.right,
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

    /// How many artefacts are in the lane's scope at the end that it reads.
    pub fn covered(&self) -> u64 {
        match self.direction.read() {
            End::Left => self.left_count,
            End::Right => self.right_count,
        }
    }

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

/// A file that could not be read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FileNotRead {
    /// What people call the left item.
    pub left_key: String,
    /// What people call the right item.
    pub right_key: String,
    /// The name of the file.
    pub name: String,
    /// The end at which it could not be read.
    #[serde(alias = "at_left", deserialize_with = "end_or_at_left")]
    pub end: End,
    /// What happened, in words.
    pub why: String,
}

/// An end; proofs of before the 30th of November 2026 said whether it was the left one.
fn end_or_at_left<'de, D: Deserializer<'de>>(from: D) -> Result<End, D::Error> {
    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Kept {
        End(End),
        AtLeft(bool),
    }
    Ok(match Kept::deserialize(from)? {
        Kept::End(end) => end,
        Kept::AtLeft(true) => End::Left,
        Kept::AtLeft(false) => End::Right,
    })
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
    /// Items of which something differs that nothing explains.
    pub unexplained_items: u64,
}

/// Items that wait for one thing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct WaitsFor {
    /// What is waited for.
    pub cause: DifferenceCause,
    /// Items that wait for it whole.
    pub items: u64,
    /// Fields that wait for it.
    pub fields: u64,
    /// Of the items, those of which nothing is at the other end.
    pub whole: u64,
}

impl Headline {
    /// Counts the proofs of all lanes together.
    pub fn of(lanes: &[LaneProof]) -> Headline {
        let mut out = Headline::default();
        /// Items by lane and key, those of them of which nothing is there, and fields.
        type OfCause<'a> = (HashSet<(&'a str, &'a str)>, u64, u64);
        let mut by_cause: BTreeMap<DifferenceCause, OfCause<'_>> = BTreeMap::new();
        let (mut waiting, mut unexplained) = (HashSet::new(), HashSet::new());
        for lane in lanes {
            out.agrees += lane.fields.iter().map(|f| f.agree + f.settled).sum::<u64>();
            let read = lane.direction.read();
            let fields = lane.differences.iter().map(|d| (d.key(read), d.cause, false));
            let items = lane.missing.iter().map(|m| (m.key.as_str(), m.cause, true));
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

/// What became of one field, over all pairs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FieldProof {
    /// The field.
    pub field: String,
    /// Pairs compared in this field.
    pub compared: u64,
    /// Pairs that agree exactly or with a declared loss.
    pub agree: u64,
    /// Of these, those that agree with a declared loss.
    pub with_loss: u64,
    /// Pairs that differ as somebody decided, or as the written end made it when it was saved.
    #[serde(default)]
    pub settled: u64,
}

/// Files by their digests, links by where they lead, comments and past changes by what they say: each counted
/// in both directions.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PieceProof {
    /// The field.
    pub field: String,
    /// Pieces that the items of the end that is read have, as far as they can be carried.
    pub expected: u64,
    /// Of these, those that are at the end that is written.
    pub there: u64,
    /// Pieces at the end that is written that nothing at the other stands for.
    #[serde(alias = "only_right")]
    pub only_there: u64,
}

/// An item of the end that is read without a counterpart.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ProofItem {
    /// Its id.
    #[serde(alias = "left_id")]
    pub id: String,
    /// What people call it.
    #[serde(alias = "left_key")]
    pub key: String,
    /// Its title.
    pub title: String,
    /// Why it has none.
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
    /// What people call the left item.
    pub left_key: String,
    /// What people call the right item.
    pub right_key: String,
    /// The title of the item that is there.
    pub title: String,
    /// The end at which it is missing.
    #[serde(alias = "at_left", deserialize_with = "end_or_at_left")]
    pub end: End,
    /// How it is missing there.
    pub what: Absence,
}

/// A loss of a value that agrees as far as it could be carried.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ProofLoss {
    /// What people call the left item.
    pub left_key: String,
    /// What people call the right item.
    pub right_key: String,
    /// What was lost.
    pub loss: Loss,
}

/// A field that does not agree.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Difference {
    /// What people call the left item.
    pub left_key: String,
    /// What people call the right item.
    pub right_key: String,
    /// The title of the left item.
    pub title: String,
    /// The field.
    pub field: String,
    /// What the item that is written should hold.
    #[cfg_attr(feature = "schema", schema(value_type = crate::model::ValueSchema))]
    pub expected: Value,
    /// What it holds.
    #[cfg_attr(feature = "schema", schema(value_type = crate::model::ValueSchema))]
    pub found: Value,
    /// Why it differs.
    pub cause: DifferenceCause,
}

impl Difference {
    /// What people call the item at an end.
    fn key(&self, end: End) -> &str {
        match end {
            End::Left => &self.left_key,
            End::Right => &self.right_key,
        }
    }
}

impl ProofItem {
    pub(super) fn of(item: &Artefact, cause: DifferenceCause) -> ProofItem {
        let Artefact { id, key, title, .. } = item;
        ProofItem { id: id.clone(), key: key.clone(), title: title.clone(), cause }
    }
}

impl AbsentItem {
    /// What people call the item of the pair at an end.
    pub fn key(&self, end: End) -> &str {
        match end {
            End::Left => &self.left_key,
            End::Right => &self.right_key,
        }
    }

    /// A half of a pair that is missing; none if the other is not there either, so that there is nothing to tell of.
    pub(super) fn of(pair: &Pair, missing: End, what: Absence, items: Ends<Option<&Artefact>>) -> Option<AbsentItem> {
        let there = items[missing.other()]?;
        let key = |end: End, kept: &String| items[end].map_or_else(|| kept.clone(), |a| a.key.clone());
        Some(AbsentItem {
            left_key: key(End::Left, &pair.keys.left),
            right_key: key(End::Right, &pair.keys.right),
            title: there.title.clone(),
            end: missing,
            what,
        })
    }
}

impl FieldProof {
    pub(super) fn of(field: &str) -> FieldProof {
        FieldProof { field: field.to_owned(), compared: 0, agree: 0, with_loss: 0, settled: 0 }
    }
}

impl PieceProof {
    pub(super) fn add(&mut self, said: &SaidCount) {
        self.expected += said.wanted;
        self.there += said.wanted.saturating_sub(said.lacks + said.removed);
        self.only_there += said.own;
    }

    pub(super) fn count(&mut self, expected: &Value, now: &Value) {
        let (wanted, held) = (expected.members(), now.members());
        self.expected += wanted.len() as u64;
        self.there += wanted.iter().filter(|w| held.iter().any(|h| same(w, h))).count() as u64;
        self.only_there += held.iter().filter(|h| !wanted.iter().any(|w| same(w, h))).count() as u64;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Proofs are kept for good: what said whether it was the left end is read as that end.
    #[test]
    fn a_proof_of_before_tells_its_ends() {
        let item = |end: &str| {
            let text = format!(r#"{{"left_key":"A-1","right_key":"7","title":"Door",{end},"what":"gone"}}"#);
            serde_json::from_str::<AbsentItem>(&text)
        };
        let (left, right) = (item(r#""at_left":true"#).expect("read"), item(r#""at_left":false"#).expect("read"));
        assert_eq!((left.end, right.end), (End::Left, End::Right));
        assert_eq!((left.key(left.end), left.key(right.end)), ("A-1", "7"));
        let again = serde_json::to_string(&left).expect("written");
        assert!(again.contains(r#""end":"left""#), "{again}");
        assert_eq!(serde_json::from_str::<AbsentItem>(&again).expect("read"), left);
        assert!(item(r#""end":"top""#).is_err());
    }
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
        let pieces = PieceProof { field: ATTACHMENTS.into(), expected: 3, there: 3, only_there: 0 };
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
        proof.file_compared("Two", Err(FileNotRead { left_key, right_key, name, end: End::Right, why: "gone".into() }));
        let read = proof.files.as_ref().expect("files were read");
        assert_eq!((read.of, read.read, read.same, read.bytes, read.not_read.len()), (3, 2, 1, 16, 1));
        assert_eq!((proof.fields[0].agree, proof.pieces[0].there), (1, 2));
        let headline = Headline::of(&[proof]);
        assert_eq!((headline.agrees, headline.unexplained_items, headline.unexplained_fields), (1, 1, 1));
    }

    fn some_lane() -> LaneProof {
        LaneProof { paired: 2, ..LaneProof::of(&Lane::of_kind(Kind::TestCase, vec![]), Ends { left: 2, right: 2 }) }
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
        assert_eq!((files.expected, files.there, files.only_there), (2, 1, 2), "a file of other bytes is another");

        let link =
            |id: &str| Link::new(LinkType::Verifies, LinkEnd::Artefact { kind: Kind::Requirement, id: id.into() });
        let mut links = PieceProof::default();
        links.count(&Value::Links(vec![link("1")]), &Value::Links(vec![link("2"), link("1")]));
        links.count(&Value::Empty, &Value::Empty);
        assert_eq!((links.expected, links.there, links.only_there), (1, 1, 1));
    }
}
