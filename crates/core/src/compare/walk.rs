//! Everything that a lane has at both ends, each once.
//!
//! Decides what belongs together: a pair, a pair that lacks one of its items, two that were found to be one, or an item
//! that nothing at the other end stands for; and whether a pair has to be looked at at all. What a dry run or a proof makes
//! of it stands with them.

use std::collections::HashMap;

use super::item::Comparer;
use crate::base::{Pair, Pairs};
use crate::identity::{Counterparts, Evidence};
use crate::model::{Artefact, ById, End, Ends, FastSet};
use crate::plan::Absence;

/// One end of a lane, as it was read.
#[derive(Clone, Copy)]
pub struct AtEnd<'a> {
    /// What the lane covers, in the order of the end.
    pub covered: &'a [&'a Artefact],
    /// Everything of the lane's kind, covered or not, by id: what is no longer covered is not gone.
    pub all: &'a ById<'a>,
    /// Why items of pairs were not read, by id; those that do not stand here are gone.
    pub absent: Option<&'a HashMap<String, Absence>>,
}

impl AtEnd<'_> {
    fn why_absent(&self, id: &str) -> Absence {
        self.absent.and_then(|absent| absent.get(id)).copied().unwrap_or(Absence::Gone)
    }
}

/// How items of both ends stand to each other.
#[derive(Debug, Clone, Copy)]
pub enum Relation<'a> {
    /// A pair of which both items are there.
    Pair {
        /// The pair.
        pair: &'a Pair,
        /// Its items.
        items: Ends<&'a Artefact>,
        /// Whether nothing changed since both were last in step.
        untouched: bool,
    },
    /// A pair of which the item at one end is not there, or no longer covered.
    Half {
        /// The pair.
        pair: &'a Pair,
        /// The end at which its item is missing.
        missing: End,
        /// How it is missing.
        why: Absence,
        /// What is there all the same.
        items: Ends<Option<&'a Artefact>>,
    },
    /// A pair that a person let go.
    LetGo(&'a Pair),
    /// Two without a pair that were found to be one.
    Adoption {
        /// The two items.
        items: Ends<&'a Artefact>,
        /// Why they are taken for counterparts.
        evidence: &'a Evidence,
    },
    /// Nothing at the other end stands for it.
    Only(End, &'a Artefact),
}

impl Comparer<'_> {
    /// What the lane has at both ends, in the order of [`walk`].
    pub fn walk<'a>(&self, at: Ends<AtEnd<'a>>, pairs: &'a Pairs, found: &'a Counterparts<'a>) -> Vec<Relation<'a>> {
        let mut out = walk(at, self.read(), pairs, found);
        // Afterwards, so that items are gone through in the order in which they stand in memory and nothing else is looked at.
        let mut pickers = Ends::of(|end| self.picker(end));
        for relation in &mut out {
            if let Relation::Pair { pair, items, untouched } = relation {
                *untouched = self.untouched(&mut pickers, *items, pair);
            }
        }
        out
    }
}

/// What a lane has, in the order of the end that it reads, then the pairs whose item there is not covered, then what is at the
/// other end alone. Whether pairs are untouched is not looked at.
fn walk<'a>(at: Ends<AtEnd<'a>>, read: End, pairs: &'a Pairs, found: &'a Counterparts<'a>) -> Vec<Relation<'a>> {
    let written = read.other();
    let mut covered = vec![false; pairs.len()];
    let mut out = Vec::with_capacity(at[read].covered.len());
    for &item in at[read].covered {
        let pair = pairs.place(read, &item.id).map(|place| {
            covered[place] = true;
            &pairs[place]
        });
        out.push(match (pair, found.found.get(item.id.as_str())) {
            (Some(pair), _) if pair.let_go => Relation::LetGo(pair),
            (Some(pair), _) => match at[written].all.get(pair.ids[written].as_str()) {
                Some(&there) => Relation::Pair { pair, items: Ends::at(read, item, there), untouched: false },
                None => {
                    let why = at[written].why_absent(&pair.ids[written]);
                    Relation::Half { pair, missing: written, why, items: Ends::at(read, Some(item), None) }
                }
            },
            (None, Some((there, evidence))) => Relation::Adoption { items: Ends::at(read, item, *there), evidence },
            (None, None) => Relation::Only(read, item),
        });
    }
    for pair in pairs.iter().zip(covered).filter(|(_, covered)| !covered).map(|(pair, _)| pair) {
        let items = Ends::of(|end| at[end].all.get(pair.ids[end].as_str()).copied());
        out.push(match pair.let_go {
            true => Relation::LetGo(pair),
            false => {
                let why = items[read].map_or_else(|| at[read].why_absent(&pair.ids[read]), |_| Absence::OutOfScope);
                Relation::Half { pair, missing: read, why, items }
            }
        });
    }
    let found: FastSet<&str> = found.found.values().map(|(there, _)| there.id.as_str()).collect();
    let taken = |id: &str| found.contains(id) || pairs.place(written, id).is_some();
    out.extend(at[written].covered.iter().filter(|a| !taken(&a.id)).map(|a| Relation::Only(written, a)));
    out
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::model::{Fingerprint, Kind};

    fn pair(n: usize, let_go: bool) -> Pair {
        let ids = Ends { left: format!("L{n}"), right: format!("R{n}") };
        Pair { ids, keys: Ends::default(), bases: Ends::of(|_| Fingerprint::of(&n)), agreed: None, let_go }
    }

    proptest! {
        /// Of each item: is it there, is it covered, at either end; is it in a pair, and was that let go, or is it found
        /// to be one with that of its number.
        #[test]
        fn everything_is_met_once(
            items in prop::collection::vec((0..3u8, 0..3u8, 0..4u8), 0..8),
            reads_left in any::<bool>(),
        ) {
            let read = if reads_left { End::Left } else { End::Right };
            let make = |end: &str, place: fn(&(u8, u8, u8)) -> u8| -> Vec<Artefact> {
                let there = items.iter().enumerate().filter(|(_, item)| place(item) > 0);
                there.map(|(n, _)| Artefact::bare(Kind::TestCase, &format!("{end}{n}"))).collect()
            };
            let (lefts, rights) = (make("L", |i| i.0), make("R", |i| i.1));
            let number = |a: &Artefact| a.id[1..].parse::<usize>().expect("a number");
            let all = Ends { left: &lefts, right: &rights }
                .map(|list| list.iter().map(|a| (a.id.as_str(), a)).collect::<ById>());
            let covered = Ends {
                left: lefts.iter().filter(|a| items[number(a)].0 == 2).collect::<Vec<_>>(),
                right: rights.iter().filter(|a| items[number(a)].1 == 2).collect::<Vec<_>>(),
            };
            let paired = |n: &usize| items[*n].2 > 1;
            let pairs = (0..items.len()).filter(paired).map(|n| pair(n, items[n].2 == 3)).collect::<Vec<Pair>>().into();
            let mut found = Counterparts::default();
            for item in covered[read].iter().filter(|a| items[number(a)].2 == 1) {
                if let Some(there) = covered[read.other()].iter().find(|r| number(r) == number(item)) {
                    found.found.insert(&item.id, (there, Evidence::Settled));
                }
            }
            let at = Ends {
                left: AtEnd { covered: &covered.left, all: &all.left, absent: None },
                right: AtEnd { covered: &covered.right, all: &all.right, absent: None },
            };
            let (mut met_pairs, mut met_items) = (Vec::new(), Vec::new());
            for relation in walk(at, read, &pairs, &found) {
                match relation {
                    Relation::LetGo(pair) => met_pairs.push(pair.ids.left.as_str()),
                    Relation::Pair { pair, items, .. } => {
                        prop_assert_eq!(pair.ids.as_ref(), items.map(|item| &item.id));
                        met_pairs.push(&pair.ids.left);
                    }
                    Relation::Half { pair, missing, why, items } => {
                        met_pairs.push(&pair.ids.left);
                        let is_covered = covered[missing].iter().any(|a| a.id == pair.ids[missing]);
                        // What is written is met wherever it stands.
                        prop_assert!(!is_covered && (missing == read || why == Absence::Gone));
                        prop_assert_eq!(why == Absence::Gone, items[missing].is_none());
                    }
                    Relation::Adoption { items, .. } => met_items.extend([items.left.id.as_str(), items.right.id.as_str()]),
                    Relation::Only(end, item) => {
                        prop_assert!(covered[end].iter().any(|a| a.id == item.id));
                        met_items.push(&item.id);
                    }
                }
            }
            let mut free: Vec<&str> = covered.left.iter().chain(&covered.right)
                .filter(|a| !paired(&number(a))).map(|a| a.id.as_str()).collect();
            free.sort_unstable();
            met_items.sort_unstable();
            prop_assert_eq!(met_items, free);
            met_pairs.sort_unstable();
            prop_assert_eq!(met_pairs, pairs.iter().map(|p| p.ids.left.as_str()).collect::<Vec<_>>());
        }
    }
}
