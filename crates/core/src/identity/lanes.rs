//! Counterparts for all lanes of a route at once.
//!
//! Decides which lane an artefact of the end that is written belongs to where several lanes fill one kind: to the one that has
//! it in a pair, then to the one for which it is the surer counterpart, then to the first that covers it. What two lanes
//! could take for theirs is looked at together, so that nothing is unambiguous only because half of it is in sight.

use std::collections::HashMap;
use std::collections::hash_map::Entry;

use super::{Asked, Candidate, Evidence, Looking, Settled, match_first_contact};
use crate::base::Pairs;
use crate::model::{Artefact, End, Ends, FastMap, Kind};
use crate::rules::Lane;

/// Titles of the folders above an artefact, in canonical form for both ends.
pub type PathOf<'p> = dyn Fn(&Artefact) -> String + 'p;

/// What is the same for all lanes of a route.
#[derive(Clone, Copy)]
pub struct Between<'b> {
    /// Names of the systems, as they stand in origin marks.
    pub systems: Ends<&'b str>,
    /// Titles of the folders above an item.
    pub paths: Ends<&'b PathOf<'b>>,
}

/// A lane with what it covers at both ends, and what is remembered of it.
pub struct InLane<'l, 'a> {
    /// The lane.
    pub lane: &'l Lane,
    /// The items that it covers at each end.
    pub covered: Ends<&'l [&'a Artefact]>,
    /// The pairs that it has.
    pub pairs: &'l Pairs,
    /// What a person said of items without a pair.
    pub settled: &'l Settled,
    /// What was asked, and nobody has decided yet.
    pub asked: &'l Asked,
}

/// What a lane has at the end that it writes, or writes first.
#[derive(Debug, Clone, Default)]
pub struct Counterparts<'a> {
    /// What was found for artefacts of the end that is read that have no pair, by their id.
    pub found: HashMap<&'a str, (&'a Artefact, Evidence)>,
    /// Artefacts that no other lane has, in the order of their end.
    pub own: Vec<&'a Artefact>,
}

/// Finds what each lane has at the end that it writes, or writes first, in the order of the lanes.
pub fn counterparts<'a>(between: Between<'_>, lanes: &[InLane<'_, 'a>]) -> Vec<Counterparts<'a>> {
    let mut out: Vec<Counterparts<'a>> = lanes.iter().map(|_| Counterparts::default()).collect();
    let fills = |of: &InLane<'_, '_>| (of.lane.written(), of.lane.kind_at(of.lane.written()));
    let mut filled: Vec<(End, Kind)> = lanes.iter().map(fills).collect();
    filled.sort();
    filled.dedup();
    for (written, kind) in filled {
        let group: Vec<usize> = (0..lanes.len()).filter(|n| fills(&lanes[*n]) == (written, kind)).collect();
        among(between, lanes, (written, &group), &mut out);
    }
    out
}

/// Of lanes that fill one kind at an end.
fn among<'a>(
    between: Between<'_>,
    lanes: &[InLane<'_, 'a>],
    (written, group): (End, &[usize]),
    out: &mut [Counterparts<'a>],
) {
    let read = written.other();
    let paired = |id: &str| group.iter().copied().find(|n| lanes[*n].pairs.place(written, id).is_some());
    let free: HashMap<usize, Vec<&'a Artefact>> = group
        .iter()
        .map(|&n| {
            let free = |a: &&Artefact| lanes[n].pairs.place(read, &a.id).is_none();
            (n, lanes[n].covered[read].iter().copied().filter(free).collect())
        })
        .collect();
    let mut claims: Vec<(bool, usize, &'a Artefact, &'a Artefact, Evidence)> = Vec::new();
    for &n in group {
        let of = &lanes[n];
        let alike = |m: &&usize| lanes[**m].lane.kind_at(read) == of.lane.kind_at(read);
        let mut settled = of.settled.clone();
        let mut pool: Vec<(&'a Artefact, bool)> = free[&n].iter().map(|a| (*a, true)).collect();
        for m in group.iter().filter(alike).filter(|m| **m != n) {
            settled.extend(lanes[*m].settled.iter().map(|(id, said)| (id.clone(), said.clone())));
            pool.extend(free[m].iter().map(|a| (*a, false)));
        }
        // In the order of the end, so that it is the same for every lane.
        pool.sort_by_key(|(a, _)| a.position);
        let seen = |artefact: &'a Artefact, path: &PathOf<'_>| Candidate { artefact, path: path(artefact) };
        let from: Vec<Candidate<'a>> = pool.iter().map(|(a, _)| seen(a, between.paths[read])).collect();
        let open = of.covered[written].iter().filter(|a| paired(&a.id).is_none());
        let there: Vec<Candidate<'a>> = open.map(|a| seen(a, between.paths[written])).collect();
        let looking = Looking {
            systems: between.systems,
            read,
            matching: &of.lane.finding(),
            settled: &settled,
            asked: of.asked,
        };
        let found = match_first_contact(looking, &from, &there).into_iter().filter(|(l, ..)| pool[*l].1);
        claims.extend(found.map(|(l, r, e)| (!e.is_sure(), n, from[l].artefact, there[r].artefact, e)));
    }
    // The surer first, and else in the order of the lanes.
    claims.sort_by_key(|(unsure, n, ..)| (*unsure, *n));
    let mut owner: FastMap<&str, usize> = FastMap::default();
    for (_, n, from, there, evidence) in claims {
        if let Entry::Vacant(free) = owner.entry(&there.id) {
            free.insert(n);
            out[n].found.insert(&from.id, (there, evidence));
        }
    }
    if let [n] = *group {
        out[n].own = lanes[n].covered[written].to_vec();
        return;
    }
    for &n in group {
        for artefact in lanes[n].covered[written] {
            if *owner.entry(&artefact.id).or_insert_with(|| paired(&artefact.id).unwrap_or(n)) == n {
                out[n].own.push(artefact);
            }
        }
    }
}
