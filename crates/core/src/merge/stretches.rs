//! Both edits of a list of parts, stretch by stretch, where nothing is refused.
//!
//! Decides what both edits make of a stretch by the rules of a merge, and leaves the stretches in which they clash to whoever
//! asks. A part that was moved stands as taken out at one place and put in at another.

use super::lists::{self, Parts, Stretch};
use super::{diff3, documents, steps};
use crate::model::{Block, Step};

/// What lists are made of whose edits can be put together.
pub trait Parted: Sized {
    /// A list and its two edits, stretch by stretch; none of lists that are too long to be aligned.
    fn stretches(all: [&[Self]; 3]) -> Option<Vec<Stretch<Self>>>;
}

/// A list (the first), and what two edits made of it, stretch by stretch; none of lists that are too long to be aligned.
pub fn stretches<T: Parted + PartialEq>(all: [&[T]; 3]) -> Option<Vec<Stretch<T>>> {
    let found = T::stretches(all)?;
    let mut out: Vec<Stretch<T>> = Vec::new();
    for stretch in found {
        match (out.last_mut(), stretch) {
            (_, Stretch::Made(list)) if list.is_empty() => {}
            (Some(Stretch::Made(before)), Stretch::Made(list)) => before.extend(list),
            (Some(Stretch::Clash(before)), Stretch::Clash(more)) => {
                before.iter_mut().zip(more).for_each(|(before, more)| before.extend(more));
            }
            (_, stretch) => out.push(stretch),
        }
    }
    Some(out)
}

impl Parted for String {
    fn stretches([base, one, other]: [&[String]; 3]) -> Option<Vec<Stretch<String>>> {
        let stretch = |hunk: diff3::Hunk| match hunk.part {
            diff3::Part::Same | diff3::Part::One | diff3::Part::Alike => Stretch::Made(one[hunk.one].to_vec()),
            diff3::Part::Other => Stretch::Made(other[hunk.other].to_vec()),
            diff3::Part::Clash => {
                Stretch::Clash([base[hunk.base].to_vec(), one[hunk.one].to_vec(), other[hunk.other].to_vec()])
            }
        };
        Some(diff3::hunks(base, one, other).into_iter().map(stretch).collect())
    }
}

impl Parted for Block {
    fn stretches(all: [&[Block]; 3]) -> Option<Vec<Stretch<Block>>> {
        lists::stretches(all, &Parts { words: &documents::words, merge: &documents::block })
    }
}

impl Parted for Step {
    fn stretches(all: [&[Step]; 3]) -> Option<Vec<Stretch<Step>>> {
        lists::stretches(all, &Parts { words: &steps::words, merge: &steps::step })
    }
}
