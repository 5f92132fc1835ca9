//! The edit script of two lists of words.
//!
//! Decides how long the words may be that are compared one by one: Myers' algorithm takes the square of the words that
//! differ. Of more, what is between the equal beginning and the equal end counts as changed.

use std::hash::Hash;

use similar::{Algorithm, ChangeTag, capture_diff_slices};

use crate::bounds::MOST_COMPARED_WORDS;

/// Every word of both, in order, with what became of it.
pub fn changes<'t, T: Hash + Ord>(old: &'t [T], new: &'t [T]) -> Vec<(ChangeTag, &'t T)> {
    let ahead = old.iter().zip(new).take_while(|(a, b)| a == b).count();
    let (old_rest, new_rest) = (&old[ahead..], &new[ahead..]);
    let behind = old_rest.iter().rev().zip(new_rest.iter().rev()).take_while(|(a, b)| a == b).count();
    let (old_part, new_part) = (&old_rest[..old_rest.len() - behind], &new_rest[..new_rest.len() - behind]);
    let same = |list: &'t [T]| list.iter().map(|word| (ChangeTag::Equal, word));
    let mut out: Vec<_> = same(&old[..ahead]).collect();
    if old_part.len() + new_part.len() > MOST_COMPARED_WORDS {
        out.extend(old_part.iter().map(|word| (ChangeTag::Delete, word)));
        out.extend(new_part.iter().map(|word| (ChangeTag::Insert, word)));
    } else {
        for op in capture_diff_slices(Algorithm::Myers, old_part, new_part) {
            let (tag, before, after) = op.as_tag_tuple();
            if tag == similar::DiffTag::Equal {
                out.extend(same(&new_part[after]));
            } else {
                out.extend(old_part[before].iter().map(|word| (ChangeTag::Delete, word)));
                out.extend(new_part[after].iter().map(|word| (ChangeTag::Insert, word)));
            }
        }
    }
    out.extend(same(&old_rest[old_rest.len() - behind..]));
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sides(all: &[(ChangeTag, &u32)], without: ChangeTag) -> Vec<u32> {
        all.iter().filter(|(tag, _)| *tag != without).map(|(_, n)| **n).collect()
    }

    /// Whatever the lengths, both lists can be read off the script, and what is equal at the ends is not marked.
    #[test]
    fn a_script_holds_both_lists() {
        for n in [0, 1, 30, 3_000, 300_000u32] {
            let old: Vec<u32> = [7, 7].into_iter().chain(0..n).chain([8]).collect();
            let new: Vec<u32> = [7, 7].into_iter().chain((0..n).map(|k| k * 2 + n)).chain([8]).collect();
            let all = changes(&old, &new);
            assert!(sides(&all, ChangeTag::Insert) == old && sides(&all, ChangeTag::Delete) == new, "{n}");
            assert_eq!((all[0].0, all[all.len() - 1].0), (ChangeTag::Equal, ChangeTag::Equal));
        }
    }
}
