//! Three-way differences of lists.
//!
//! Decides what is the same in all three lists and what became of the stretches between, after Khanna, Kunal and Pierce
//! 2007, “A Formal Investigation of Diff3”: two edits are apart where something that all three have stands between them.

use std::hash::Hash;
use std::ops::Range;

use crate::diff::changes;

/// A stretch of three lists.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hunk {
    /// Where it stands in the list that was edited.
    pub base: Range<usize>,
    /// Where it stands after one edit.
    pub one: Range<usize>,
    /// Where it stands after the other edit.
    pub other: Range<usize>,
    /// What became of it.
    pub part: Part,
}

/// What became of a stretch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// All three have it.
    Same,
    /// Only the one edit changed it.
    One,
    /// Only the other edit changed it.
    Other,
    /// Both made the same of it.
    Alike,
    /// Both changed it, and differently.
    Clash,
}

/// What three lists have in common and what not, in order: every place of each of them stands in one hunk.
pub fn hunks<T: Hash + Ord>(base: &[T], one: &[T], other: &[T]) -> Vec<Hunk> {
    let (in_one, in_other) = (matches(base, one), matches(base, other));
    let mut out: Vec<Hunk> = Vec::new();
    // Where the next hunk begins, in each list.
    let mut at = [0, 0, 0];
    let common = in_one.iter().zip(&in_other).enumerate();
    let common = common.filter_map(|(n, (a, b))| Some([n, (*a)?, (*b)?]));
    for found in common.chain([[base.len(), one.len(), other.len()]]) {
        if found != at {
            let [base_at, one_at, other_at] = [0, 1, 2].map(|list| at[list]..found[list]);
            let part = part_of(&base[base_at.clone()], &one[one_at.clone()], &other[other_at.clone()]);
            out.push(Hunk { base: base_at, one: one_at, other: other_at, part });
        }
        if found[0] < base.len() {
            match out.last_mut().filter(|last| last.part == Part::Same) {
                Some(last) => {
                    (last.base.end, last.one.end, last.other.end) = (found[0] + 1, found[1] + 1, found[2] + 1);
                }
                None => {
                    let [base, one, other] = found.map(|n| n..n + 1);
                    out.push(Hunk { base, one, other, part: Part::Same });
                }
            }
        }
        at = found.map(|n| n + 1);
    }
    out
}

fn part_of<T: Ord>(base: &[T], one: &[T], other: &[T]) -> Part {
    match (one == base, other == base, one == other) {
        (true, true, _) => Part::Same,
        (false, true, _) => Part::One,
        (true, false, _) => Part::Other,
        (false, false, true) => Part::Alike,
        (false, false, false) => Part::Clash,
    }
}

/// Where each of the old is found in the new, by a shortest edit script.
fn matches<T: Hash + Ord>(old: &[T], new: &[T]) -> Vec<Option<usize>> {
    use similar::ChangeTag;
    let mut out = Vec::with_capacity(old.len());
    let mut at = 0;
    for (tag, _) in changes(old, new) {
        match tag {
            ChangeTag::Delete => out.push(None),
            ChangeTag::Insert => at += 1,
            ChangeTag::Equal => {
                out.push(Some(at));
                at += 1;
            }
        }
    }
    out
}

/// What both edits make of a list. `within` puts together what both changed in one stretch; without it, nothing is made.
pub(super) fn merge<T: Hash + Ord + Clone>(
    base: &[T],
    one: &[T],
    other: &[T],
    within: impl Fn(&[T], &[T], &[T]) -> Option<Vec<T>>,
) -> Option<Vec<T>> {
    let mut out = Vec::new();
    for hunk in hunks(base, one, other) {
        match hunk.part {
            Part::Same | Part::One | Part::Alike => out.extend_from_slice(&one[hunk.one]),
            Part::Other => out.extend_from_slice(&other[hunk.other]),
            Part::Clash => out.extend(within(&base[hunk.base], &one[hunk.one], &other[hunk.other])?),
        }
    }
    Some(out)
}
