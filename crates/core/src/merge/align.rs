//! Which parts of a list are which after an edit that may have rewritten, moved in or taken out some of them.
//!
//! Decides by likeness: the alignment in order that has the greatest likeness in all, after Needleman and Wunsch 1970, “A
//! general method applicable to the search for similarities in the amino acid sequence of two proteins”, without a
//! penalty for gaps. Where two alignments are equally good, nobody knows which is meant: only what all the best ones
//! have in common counts.

use crate::bounds::MOST_ALIGNED;

/// The likeness of equal parts, in thousandths.
pub const EQUAL: u32 = 1_000;
/// Parts that are less alike than this are never taken for one another.
pub const FLOOR: u32 = 600;

/// Where each of the `old` parts is among the `new` ones; none of those that are not, or of which that can't be told.
/// `likeness` of two parts, by their places, is from 0 to [`EQUAL`]. None of lists that are too long to be aligned.
pub fn align(old: usize, new: usize, likeness: impl Fn(usize, usize) -> u32) -> Option<Vec<Option<usize>>> {
    if old.saturating_mul(new) > MOST_ALIGNED {
        return None;
    }
    let alike = |i: usize, j: usize| Some(likeness(i, j)).filter(|like| *like >= FLOOR);
    let alike: Vec<Option<u32>> = (0..old * new).map(|at| alike(at / new, at % new)).collect();
    let alike = |i: usize, j: usize| alike[i * new + j];
    let width = new + 1;
    // The greatest likeness of what stands before two places, and of what stands from them on.
    let mut before = vec![0u32; (old + 1) * width];
    let mut behind = before.clone();
    for i in 0..old {
        for j in 0..new {
            let with = alike(i, j).map_or(0, |like| before[i * width + j] + like);
            let without = before[i * width + j + 1].max(before[(i + 1) * width + j]);
            before[(i + 1) * width + j + 1] = without.max(with);
        }
    }
    for i in (0..old).rev() {
        for j in (0..new).rev() {
            let with = alike(i, j).map_or(0, |like| behind[(i + 1) * width + j + 1] + like);
            let without = behind[(i + 1) * width + j].max(behind[i * width + j + 1]);
            behind[i * width + j] = without.max(with);
        }
    }
    let best = behind[0];
    let place = |i: usize| {
        let left_out = (0..=new).any(|j| before[i * width + j] + behind[(i + 1) * width + j] == best);
        let is_best = |j: &usize| {
            alike(i, *j).is_some_and(|like| before[i * width + j] + like + behind[(i + 1) * width + j + 1] == best)
        };
        let mut found = (0..new).filter(is_best);
        match (found.next(), found.next()) {
            (only, None) if !left_out => only,
            _ => None,
        }
    };
    Some((0..old).map(place).collect())
}
