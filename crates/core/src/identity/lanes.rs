//! Counterparts for all lanes of a route at once.
//!
//! Decides which lane an artefact at the right belongs to where several lanes fill one kind: to the one that has it in
//! a pair, then to the one for which it is the surer counterpart, then to the first that covers it. What two lanes
//! could take for theirs is looked at together, so that nothing is unambiguous only because half of it is in sight.

use std::collections::HashMap;
use std::collections::hash_map::Entry;

use super::{Asked, Candidate, Evidence, Looking, Settled, match_first_contact};
use crate::base::Pairs;
use crate::model::{Artefact, End, FastMap, Kind};
use crate::rules::Lane;

/// Titles of the folders above an artefact, in canonical form for both ends.
pub type PathOf<'p> = dyn Fn(&Artefact) -> String + 'p;

/// What is the same for all lanes of a route.
#[derive(Clone, Copy)]
pub struct Between<'b> {
    /// Name of the left system, as it stands in origin marks.
    pub left_system: &'b str,
    /// Titles of the folders above a left item.
    pub left_path: &'b PathOf<'b>,
    /// Titles of the folders above a right item.
    pub right_path: &'b PathOf<'b>,
}

/// A lane with what it covers at both ends, and what is remembered of it.
pub struct InLane<'l, 'a> {
    /// The lane.
    pub lane: &'l Lane,
    /// The left items that it covers.
    pub left: &'l [&'a Artefact],
    /// The right items that it covers.
    pub right: &'l [&'a Artefact],
    /// The pairs that it has.
    pub pairs: &'l Pairs,
    /// What a person said of items without a pair.
    pub settled: &'l Settled,
    /// What was asked, and nobody has decided yet.
    pub asked: &'l Asked,
}

/// What a lane has at the right.
#[derive(Debug, Clone, Default)]
pub struct Counterparts<'a> {
    /// What was found for artefacts at the left that have no pair, by their id.
    pub found: HashMap<&'a str, (&'a Artefact, Evidence)>,
    /// Artefacts that no other lane has, in the order of the right.
    pub own: Vec<&'a Artefact>,
}

/// Finds what each lane has at the right, in the order of the lanes.
pub fn counterparts<'a>(between: Between<'_>, lanes: &[InLane<'_, 'a>]) -> Vec<Counterparts<'a>> {
    let mut out: Vec<Counterparts<'a>> = lanes.iter().map(|_| Counterparts::default()).collect();
    let mut kinds: Vec<Kind> = lanes.iter().map(|of| of.lane.right_kind).collect();
    kinds.sort();
    kinds.dedup();
    for kind in kinds {
        let group: Vec<usize> = (0..lanes.len()).filter(|n| lanes[*n].lane.right_kind == kind).collect();
        among(between, lanes, &group, &mut out);
    }
    out
}

/// Of lanes that fill one kind.
fn among<'a>(between: Between<'_>, lanes: &[InLane<'_, 'a>], group: &[usize], out: &mut [Counterparts<'a>]) {
    let paired = |id: &str| group.iter().copied().find(|n| lanes[*n].pairs.place(End::Right, id).is_some());
    let free: HashMap<usize, Vec<&'a Artefact>> = group
        .iter()
        .map(|&n| {
            let free = |a: &&Artefact| lanes[n].pairs.place(End::Left, &a.id).is_none();
            (n, lanes[n].left.iter().copied().filter(free).collect())
        })
        .collect();
    let mut claims: Vec<(bool, usize, &'a Artefact, &'a Artefact, Evidence)> = Vec::new();
    for &n in group {
        let of = &lanes[n];
        let alike = |m: &&usize| lanes[**m].lane.left_kind == of.lane.left_kind;
        let mut settled = of.settled.clone();
        let mut pool: Vec<(&'a Artefact, bool)> = free[&n].iter().map(|a| (*a, true)).collect();
        for m in group.iter().filter(alike).filter(|m| **m != n) {
            settled.extend(lanes[*m].settled.iter().map(|(id, said)| (id.clone(), said.clone())));
            pool.extend(free[m].iter().map(|a| (*a, false)));
        }
        // In the order of the left, so that it is the same for every lane.
        pool.sort_by_key(|(a, _)| a.position);
        let seen = |artefact: &'a Artefact, path: &PathOf<'_>| Candidate { artefact, path: path(artefact) };
        let left: Vec<Candidate<'a>> = pool.iter().map(|(a, _)| seen(a, between.left_path)).collect();
        let open = of.right.iter().filter(|a| paired(&a.id).is_none());
        let right: Vec<Candidate<'a>> = open.map(|a| seen(a, between.right_path)).collect();
        let looking = Looking {
            left_system: between.left_system,
            matching: &of.lane.finding(),
            settled: &settled,
            asked: of.asked,
        };
        let found = match_first_contact(looking, &left, &right).into_iter().filter(|(l, ..)| pool[*l].1);
        claims.extend(found.map(|(l, r, e)| (!e.is_sure(), n, left[l].artefact, right[r].artefact, e)));
    }
    // The surer first, and else in the order of the lanes.
    claims.sort_by_key(|(unsure, n, ..)| (*unsure, *n));
    let mut owner: FastMap<&str, usize> = FastMap::default();
    for (_, n, left, right, evidence) in claims {
        if let Entry::Vacant(free) = owner.entry(&right.id) {
            free.insert(n);
            out[n].found.insert(&left.id, (right, evidence));
        }
    }
    if let [n] = *group {
        out[n].own = lanes[n].right.to_vec();
        return;
    }
    for &n in group {
        for artefact in lanes[n].right {
            if *owner.entry(&artefact.id).or_insert_with(|| paired(&artefact.id).unwrap_or(n)) == n {
                out[n].own.push(artefact);
            }
        }
    }
}
