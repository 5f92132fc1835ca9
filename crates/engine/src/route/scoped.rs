//! What each lane of a route covers, and what is its own at both ends.
//!
//! Decides the order of the lanes, which lane a pair comes to, and where the items of a lane are at the right.

use std::collections::{HashMap, HashSet};

use hovrel_core::base::{Pair, Pairs};
use hovrel_core::carry::{Context, Place};
use hovrel_core::catalogue::KindSchema;
use hovrel_core::compare::{AtEnd, Clocks, Comparer, FolderNames};
use hovrel_core::cover::{Chosen, HandedOver, choose, hand_over, keep_needed_at_right};
use hovrel_core::expression::Moment;
use hovrel_core::identity::{Asked, Between, Counterparts, InLane, Settled, counterparts};
use hovrel_core::model::{Artefact, ById, End, Ends, Kind, Reference};
use hovrel_core::prepare::call_order;
use hovrel_core::rules::{Direction, Lane};
use hovrel_core::scope::{Condition, Filter};

use super::places::Places;
use super::read::BothEnds;
use crate::reading::path_of;

/// A lane with what is its own at both ends.
pub(crate) struct Scoped<'a> {
    pub lane: Lane,
    /// The items that it covers at each end.
    pub covered: Ends<Vec<&'a Artefact>>,
    /// What was found for those of the left that have no pair.
    pub found: Counterparts<'a>,
    /// How many more it covers that another lane carries.
    pub with_others: u64,
}

impl<'a> Scoped<'a> {
    /// Everything of the lane's kinds, covered or not.
    pub fn all(&self, both: &'a BothEnds) -> Ends<ById<'a>> {
        Ends::of(|end| both.at[end].of_kind(self.lane.kind_at(end)).iter().map(|a| (a.id.as_str(), a)).collect())
    }

    /// Both ends of the lane, as they were read.
    pub fn at<'s>(&'s self, both: &'s BothEnds, all: &'s Ends<ById<'s>>) -> Ends<AtEnd<'s>> {
        Ends::of(|end| AtEnd {
            covered: &self.covered[end],
            all: &all[end],
            absent: both.at[end].absent.get(&self.lane.kind_at(end)),
        })
    }
}

/// What a lane's items are compared by: its rules on both their ways, if it carries both.
pub(crate) struct Ways<'a> {
    into_first: Context<'a>,
    into_other: Option<Context<'a>>,
    /// Of the end that is not written first.
    folders: &'a FolderNames,
    clocks: Clocks,
}

impl<'a> Ways<'a> {
    /// None if one of the ends lacks the kind.
    pub fn of(both: &'a BothEnds, lane: &Lane, places: &'a Ends<Places>) -> Option<Ways<'a>> {
        let first = lane.direction.written();
        let carries_back = lane.direction == Direction::Both;
        Some(Ways {
            into_first: both.ends.context_into(first, lane, &places[first])?,
            into_other: match carries_back {
                true => Some(both.ends.context_into(first.other(), lane, &places[first.other()])?),
                false => None,
            },
            folders: &both.at[first.other()].paths,
            clocks: Clocks {
                now: both.read_at.timestamp(),
                ahead: both.at.as_ref().map(|end| end.connector.meter().clock_ahead),
            },
        })
    }

    /// The lane's comparer.
    pub fn comparer(&'a self, lane: &'a Lane) -> Comparer<'a> {
        let comparer = Comparer::new(lane, &self.into_first);
        match &self.into_other {
            Some(cx) => comparer.both_ways(cx, self.clocks, self.folders),
            None => comparer,
        }
    }
}

/// What is in the scope of a route.
pub(crate) struct InScope<'a> {
    pub lanes: Vec<Scoped<'a>>,
    /// Where items of the other end are, on the way into each end.
    pub places: Ends<Places>,
    /// The pairs of each lane.
    pub pairs: HashMap<String, Pairs>,
    /// Pairs that another lane has from now on.
    pub handed_over: Vec<HandedOver>,
}

/// Decides what each lane covers, and where folders are at the right. Lanes come in the order of their
/// kinds, folders first and from the top down. A pair comes to the lane that covers it now.
pub(crate) fn scope_lanes<'a>(
    both: &'a BothEnds,
    lanes: &[Lane],
    mut pairs: HashMap<String, Vec<Pair>>,
    (settled, asked): (&HashMap<String, Settled>, &HashMap<String, Asked>),
) -> InScope<'a> {
    let Ends { left, right } = &both.at;
    let left_of = |kind| left.of_kind(kind);
    let left_path = |a: &Artefact| path_of(a, &left.paths);
    let remembered: HashSet<(&str, &str)> =
        pairs.iter().flat_map(|(lane, of)| of.iter().map(|p| (lane.as_str(), p.ids.left.as_str()))).collect();
    let end = Chosen {
        catalogue: &both.ends.catalogues.left,
        items: &left_of,
        path: &left_path,
        now: both.read_at,
        carried: &|lane, id| remembered.contains(&(lane.id.as_str(), id)),
    };
    let covered = choose(lanes, &end);
    let handed_over = hand_over(lanes, &covered, &mut pairs);
    let mut pairs: HashMap<String, Pairs> = pairs.into_iter().map(|(lane, of)| (lane, of.into())).collect();
    for lane in lanes {
        pairs.entry(lane.id.clone()).or_default();
    }
    let mut scoped: Vec<Scoped<'a>> = lanes
        .iter()
        .zip(covered)
        .map(|(lane, covered)| Scoped {
            lane: lane.clone(),
            covered: Ends {
                left: prepared_for_lane(both, lane, covered.all()),
                right: both.ends.catalogues.right.kind(lane.right_kind).map_or_else(Vec::new, |kind| {
                    let items = right.of_kind(lane.right_kind);
                    in_scope(items, &lane.right_scope, kind, &right.paths, both.read_at)
                }),
            },
            found: Counterparts::default(),
            with_others: covered.with_others,
        })
        .collect();
    find(both, &mut scoped, &pairs, (settled, asked));
    let mut places = Places::default();
    let mut places_left = Places::default();
    // Nothing leads into the left where nothing is carried there.
    let carries_back = lanes.iter().any(|lane| lane.direction.writes(End::Left));
    for s in &mut scoped {
        match s.lane.left_kind {
            Kind::Folder => s.covered.left.sort_by_key(|f| left.paths.get(&f.id).map_or(0, Vec::len)),
            Kind::SharedSteps => {
                let order = call_order(&s.covered.left);
                let at: HashMap<&str, usize> = order.iter().enumerate().map(|(n, id)| (id.as_str(), n)).collect();
                s.covered.left.sort_by_key(|a| at.get(a.id.as_str()).copied().unwrap_or(usize::MAX));
            }
            _ => {}
        }
        place(&mut places, s, both, &pairs[&s.lane.id]);
        if carries_back {
            place_at_left(&mut places_left, s, both, &pairs[&s.lane.id]);
        }
    }
    scoped.sort_by_key(|s| s.lane.left_kind);
    places.set_from(left.connector.clone());
    places.set_keys(left.items.values().flatten(), right.items.values().flatten());
    if carries_back {
        places_left.set_from(right.connector.clone());
        places_left.set_keys(right.items.values().flatten(), left.items.values().flatten());
    }
    let mut followed: Vec<_> = both.carried_elsewhere.iter().filter(|e| e.followed.is_some()).collect();
    followed.sort_by_key(|e| e.followed);
    for e in followed {
        places.set_elsewhere(e.kind, &e.left_id, &e.there);
    }
    InScope { lanes: scoped, places: Ends { left: places_left, right: places }, pairs, handed_over }
}

/// Finds what each lane has at the right, all of them together.
fn find<'a>(
    both: &'a BothEnds,
    scoped: &mut [Scoped<'a>],
    pairs: &HashMap<String, Pairs>,
    (settled, asked): (&HashMap<String, Settled>, &HashMap<String, Asked>),
) {
    let (nothing, nobody) = (Settled::new(), Asked::new());
    let lanes: Vec<InLane<'_, 'a>> = scoped
        .iter()
        .map(|s| InLane {
            lane: &s.lane,
            left: &s.covered.left,
            right: &s.covered.right,
            pairs: &pairs[&s.lane.id],
            settled: settled.get(&s.lane.id).unwrap_or(&nothing),
            asked: asked.get(&s.lane.id).unwrap_or(&nobody),
        })
        .collect();
    let between = Between {
        left_system: &both.ends.systems.left,
        left_path: &|a| both.at.left.path(a),
        right_path: &|a| both.at.right.path(a),
    };
    let found = counterparts(between, &lanes);
    drop(lanes);
    for (s, mut found) in scoped.iter_mut().zip(found) {
        s.covered.right = std::mem::take(&mut found.own);
        s.found = found;
    }
    let (lanes, mut covered): (Vec<&Lane>, Vec<&mut Vec<&Artefact>>) =
        scoped.iter_mut().map(|s| (&s.lane, &mut s.covered.right)).unzip();
    keep_needed_at_right(&lanes, both.at.right.of_kind(Kind::Folder), &mut covered);
}

/// The items of a lane as its own rules take them.
fn prepared_for_lane<'a>(both: &'a BothEnds, lane: &Lane, items: Vec<&'a Artefact>) -> Vec<&'a Artefact> {
    let Some(own) = both.of_lane.get(&lane.id) else { return items };
    let by_id: HashMap<&str, &Artefact> = own.iter().map(|a| (a.id.as_str(), a)).collect();
    items.into_iter().filter_map(|a| by_id.get(a.id.as_str()).copied()).collect()
}

/// Notes where the items of a lane are at the right: with their pair, with what surely is their
/// counterpart, or still to be made.
fn place(places: &mut Places, s: &Scoped<'_>, both: &BothEnds, known: &Pairs) {
    let (left_kind, right_kind) = (s.lane.left_kind, s.lane.right_kind);
    let there: HashSet<&str> = both.at.right.of_kind(right_kind).iter().map(|a| a.id.as_str()).collect();
    let mut set = |id: &str, reference| places.set(left_kind, id, Place { kind: right_kind, reference });
    for pair in known.iter().filter(|p| there.contains(p.ids.right.as_str())) {
        set(&pair.ids.left, Reference::Known(pair.ids.right.clone()));
    }
    for artefact in s.covered.left.iter().filter(|a| known.place(End::Left, &a.id).is_none()) {
        // What is only alike may still be refused: nothing refers to it yet.
        let reference = match s.found.found.get(artefact.id.as_str()).filter(|(_, how)| how.is_sure()) {
            Some((other, _)) => Reference::Known(other.id.clone()),
            None => Reference::Pending { kind: left_kind, id: artefact.id.clone() },
        };
        set(&artefact.id, reference);
    }
}

/// Notes where the items of a lane of the right are at the left: those that are there. What is still to be made there is led
/// to by nothing so far.
fn place_at_left(places: &mut Places, s: &Scoped<'_>, both: &BothEnds, known: &Pairs) {
    let (left_kind, right_kind) = (s.lane.left_kind, s.lane.right_kind);
    let there: HashSet<&str> = both.at.left.of_kind(left_kind).iter().map(|a| a.id.as_str()).collect();
    let mut set = |id: &str, left_id: &str| {
        let reference = Reference::Known(left_id.to_owned());
        places.set(right_kind, id, Place { kind: left_kind, reference });
    };
    for pair in known.iter().filter(|p| there.contains(p.ids.left.as_str())) {
        set(&pair.ids.right, &pair.ids.left);
    }
    for (left_id, (other, _)) in s.found.found.iter().filter(|(_, (_, how))| how.is_sure()) {
        set(&other.id, left_id);
    }
}

/// The artefacts of an end that match a condition over their kind. `now` is what days ago are counted from.
pub fn in_scope<'a>(
    artefacts: &'a [Artefact],
    condition: &Condition,
    kind: &KindSchema,
    paths: &HashMap<String, Vec<String>>,
    now: Moment,
) -> Vec<&'a Artefact> {
    let filter = Filter::new(condition, kind, now);
    artefacts.iter().filter(|a| filter.matches(a, path_of(a, paths))).collect()
}
