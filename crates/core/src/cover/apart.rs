//! Lanes from one kind to the same kind, told apart: each artefact belongs to one of them, so that it is carried once.
//!
//! Decides by what is remembered first: the lane that has an artefact in a pair keeps it as long as it covers it, and
//! hands the pair over to the one that covers it instead. Without a pair the first lane that covers it has it.

use std::collections::{HashMap, HashSet};

use super::Covered;
use crate::base::Pair;
use crate::model::{End, Ends};
use crate::rules::Lane;

/// Where each lane covers artefacts that another lane of the same kinds has, takes them out of it and counts them.
/// `carried` tells whether a lane has the artefact of an id in a pair.
pub(super) fn tell_apart(lanes: &[Lane], carried: &dyn Fn(&Lane, &str) -> bool, out: &mut [Covered<'_>]) {
    for (n, lane) in lanes.iter().enumerate() {
        let group: Vec<usize> = (0..lanes.len()).filter(|m| are_of_the_same_kinds(&lanes[*m], lane)).collect();
        if group.len() < 2 || group[0] != n {
            continue;
        }
        let mut owner: HashMap<&str, (usize, bool)> = HashMap::new();
        for &m in &group {
            for artefact in out[m].matched.iter().chain(&out[m].along) {
                let remembered = carried(&lanes[m], &artefact.id);
                let now = owner.entry(&artefact.id).or_insert((m, remembered));
                if remembered && !now.1 {
                    *now = (m, true);
                }
            }
        }
        for m in group {
            let covered = &mut out[m];
            let before = covered.matched.len() + covered.along.len();
            covered.matched.retain(|a| owner[a.id.as_str()].0 == m);
            covered.along.retain(|a| owner[a.id.as_str()].0 == m);
            covered.with_others = (before - covered.matched.len() - covered.along.len()) as u64;
        }
    }
}

fn are_of_the_same_kinds(one: &Lane, other: &Lane) -> bool {
    (one.left_kind, one.right_kind, one.read()) == (other.left_kind, other.right_kind, other.read())
}

/// A pair that another lane has from now on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HandedOver {
    /// The id of the left item.
    pub left_id: String,
    /// The lane that had it.
    pub from: String,
    /// The lane that has it now.
    pub to: String,
}

/// A lane that may take pairs over: what it covers, and both halves of the pairs that it has.
struct Other<'l> {
    lane: &'l Lane,
    covers: HashSet<String>,
    /// The ids of those at either end.
    has: Ends<HashSet<String>>,
}

/// Hands the pairs of artefacts that left the scope of their lane over to the lane of the same kinds that covers them
/// now; what was handed over. `covered` is what each lane covers at the end that it reads, in the order of the lanes.
pub fn hand_over(lanes: &[Lane], covered: &[Covered<'_>], pairs: &mut HashMap<String, Vec<Pair>>) -> Vec<HandedOver> {
    let ids = |of: &Covered<'_>| -> HashSet<String> { of.all().into_iter().map(|a| a.id.clone()).collect() };
    let mut out = Vec::new();
    for (lane, own) in lanes.iter().zip(covered) {
        let others = lanes.iter().zip(covered).filter(|(o, _)| o.id != lane.id && are_of_the_same_kinds(o, lane));
        let mut others: Vec<Other<'_>> = others
            .map(|(lane, covered)| {
                let has = pairs.get(&lane.id).map_or(&[][..], Vec::as_slice);
                let has = Ends::of(|end| has.iter().map(|pair| pair.ids[end].clone()).collect());
                Other { lane, covers: ids(covered), has }
            })
            .collect();
        if others.is_empty() {
            continue;
        }
        let (own, read) = (ids(own), lane.read());
        let (mut stay, leave): (Vec<Pair>, Vec<Pair>) =
            pairs.remove(&lane.id).unwrap_or_default().into_iter().partition(|p| own.contains(&p.ids[read]));
        for pair in leave {
            let to = others.iter_mut().find(|o| o.covers.contains(&pair.ids[read]));
            let Some(to) = to.filter(|o| !End::BOTH.into_iter().any(|end| o.has[end].contains(&pair.ids[end]))) else {
                stay.push(pair);
                continue;
            };
            for end in End::BOTH {
                to.has[end].insert(pair.ids[end].clone());
            }
            out.push(HandedOver { left_id: pair.ids.left.clone(), from: lane.id.clone(), to: to.lane.id.clone() });
            pairs.entry(to.lane.id.clone()).or_default().push(pair);
        }
        pairs.insert(lane.id.clone(), stay);
    }
    out
}
