//! The pairs of a lane, found by the id of either item.
//!
//! Decides how a pair is found: through the hash of the id, which leads to its place in the list, so that ids are held
//! once. Comparing asks for every item at both ends, several times.

use std::fmt;
use std::hash::BuildHasher;
use std::ops::Deref;

use foldhash::quality::RandomState;
use hashbrown::HashTable;

use super::Pair;
use crate::model::{End, Ends};

/// The pairs of a lane in the order in which they were given.
#[derive(Clone, Default)]
pub struct Pairs {
    all: Vec<Pair>,
    /// The place of each pair, by the hash of the id of its item at that end.
    places: Ends<HashTable<usize>>,
    hasher: RandomState,
}

impl Pairs {
    /// The place of the pair to which an item of an end belongs; the first, if several have it.
    pub fn place(&self, end: End, id: &str) -> Option<usize> {
        let same = |place: &usize| self.all[*place].ids[end] == id;
        self.places[end].find(self.hasher.hash_one(id), same).copied()
    }
}

impl From<Vec<Pair>> for Pairs {
    fn from(all: Vec<Pair>) -> Pairs {
        let hasher = RandomState::default();
        let places = Ends::of(|end| {
            let id = |place: &usize| all[*place].ids[end].as_str();
            let mut places = HashTable::with_capacity(all.len());
            for place in 0..all.len() {
                let hash = hasher.hash_one(id(&place));
                let entry = places.entry(hash, |other| id(other) == id(&place), |other| hasher.hash_one(id(other)));
                entry.or_insert(place);
            }
            places
        });
        Pairs { all, places, hasher }
    }
}

impl Deref for Pairs {
    type Target = [Pair];

    fn deref(&self) -> &[Pair] {
        &self.all
    }
}

impl fmt::Debug for Pairs {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.all.fmt(f)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::model::Fingerprint;

    proptest! {
        /// Each is found by either id as by looking at one after the other, ids that several have too.
        #[test]
        fn a_pair_is_found_by_the_id_of_either_item(ids in prop::collection::vec((0..12u8, 0..12u8), 0..16)) {
            let pair = |(left, right): &(u8, u8)| Pair {
                ids: Ends { left: format!("L{left}"), right: format!("R{right}") },
                keys: Ends::default(),
                bases: Ends::of(|_| Fingerprint::of(&0)),
                agreed: None,
                let_go: false,
            };
            let all: Vec<Pair> = ids.iter().map(pair).collect();
            let pairs = Pairs::from(all.clone());
            prop_assert_eq!(&*pairs, &*all);
            for (end, letter) in [(End::Left, 'L'), (End::Right, 'R')] {
                for id in (0..14).map(|n| format!("{letter}{n}")) {
                    prop_assert_eq!(pairs.place(end, &id), all.iter().position(|pair| pair.ids[end] == id));
                }
            }
        }
    }
}
