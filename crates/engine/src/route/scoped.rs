//! What each lane of a route covers, and what is its own at both ends.
//!
//! Decides the order of the lanes, which lane a pair comes to, and where the items of a lane are at either end.

use std::collections::{HashMap, HashSet};

use hovrel_core::base::{Pair, Pairs};
use hovrel_core::carry::{Context, Place};
use hovrel_core::catalogue::KindSchema;
use hovrel_core::compare::{AtEnd, Clocks, Comparer, FolderNames};
use hovrel_core::cover::{Chosen, Covered, HandedOver, choose_at_both, hand_over, keep_needed_at_right};
use hovrel_core::expression::Moment;
use hovrel_core::identity::{Asked, Between, Counterparts, InLane, Settled, counterparts};
use hovrel_core::model::{Artefact, ById, End, Ends, Kind, Reference, marks_system};
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
    /// What was found for those of the end that is read that have no pair.
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
    folders: Ends<&'a FolderNames>,
    clocks: Clocks,
}

impl<'a> Ways<'a> {
    /// None if one of the ends lacks the kind.
    pub fn of(both: &'a BothEnds, lane: &Lane, places: &'a Ends<Places>) -> Option<Ways<'a>> {
        let first = lane.written();
        let carries_back = lane.direction == Direction::Both;
        Some(Ways {
            into_first: both.ends.context_into(first, lane, &places[first])?,
            into_other: match carries_back {
                true => Some(both.ends.context_into(first.other(), lane, &places[first.other()])?),
                false => None,
            },
            folders: both.at.as_ref().map(|end| &end.paths),
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

/// Decides what each lane covers, and where the items of one end are at the other. Lanes come in the order of their
/// kinds, folders first and from the top down. A pair comes to the lane that covers it now.
pub(crate) fn scope_lanes<'a>(
    both: &'a BothEnds,
    lanes: &[Lane],
    mut pairs: HashMap<String, Vec<Pair>>,
    (settled, asked): (&HashMap<String, Settled>, &HashMap<String, Asked>),
) -> InScope<'a> {
    let covered = covered(both, lanes, &pairs);
    let handed_over = hand_over(lanes, &covered, &mut pairs);
    let mut pairs: HashMap<String, Pairs> = pairs.into_iter().map(|(lane, of)| (lane, of.into())).collect();
    for lane in lanes {
        pairs.entry(lane.id.clone()).or_default();
    }
    let mut scoped: Vec<Scoped<'a>> = lanes
        .iter()
        .zip(covered)
        .map(|(lane, covered)| {
            let (written, with_others) = (lane.written(), covered.with_others);
            let there = || {
                let kind = both.ends.catalogues[written].kind(lane.kind_at(written))?;
                let end = &both.at[written];
                let items = end.of_kind(lane.kind_at(written));
                Some(in_scope(items, lane.scope_at(written), kind, &end.paths, both.read_at))
            };
            let from = prepared_for_lane(both, lane, covered.all());
            let covered = Ends::at(written, there().unwrap_or_default(), from);
            Scoped { lane: lane.clone(), covered, found: Counterparts::default(), with_others }
        })
        .collect();
    find(both, &mut scoped, &pairs, (settled, asked));
    let mut places = Ends::<Places>::default();
    // Nothing leads into an end where nothing is carried.
    let is_written = Ends::of(|end| lanes.iter().any(|lane| lane.direction.writes(end)));
    for s in &mut scoped {
        let read = s.lane.read();
        if s.lane.kind_at(read) == Kind::Folder {
            for end in End::BOTH {
                s.covered[end].sort_by_key(|f| both.at[end].paths.get(&f.id).map_or(0, Vec::len));
            }
        }
        let from = &mut s.covered[read];
        if s.lane.kind_at(read) == Kind::SharedSteps {
            let order = call_order(from);
            let at: HashMap<&str, usize> = order.iter().enumerate().map(|(n, id)| (id.as_str(), n)).collect();
            from.sort_by_key(|a| at.get(a.id.as_str()).copied().unwrap_or(usize::MAX));
        }
        for into in End::BOTH.into_iter().filter(|end| is_written[*end]) {
            place(&mut places[into], into, s, both, &pairs[&s.lane.id]);
        }
    }
    scoped.sort_by_key(|s| s.lane.kind_at(s.lane.read()));
    for into in End::BOTH.into_iter().filter(|end| is_written[*end]) {
        let (from, there) = (&both.at[into.other()], &both.at[into]);
        places[into].set_from(from.connector.clone());
        places[into].set_keys(from.items.values().flatten(), there.items.values().flatten());
    }
    let mut followed: Vec<_> = both.carried_elsewhere.iter().filter(|e| e.followed.is_some()).collect();
    followed.sort_by_key(|e| e.followed);
    for e in followed {
        places.right.set_elsewhere(e.kind, &e.left_id, &e.there);
    }
    InScope { lanes: scoped, places, pairs, handed_over }
}

/// What each lane covers at the end that it reads.
fn covered<'a>(both: &'a BothEnds, lanes: &[Lane], pairs: &HashMap<String, Vec<Pair>>) -> Vec<Covered<'a>> {
    let remembered: HashSet<(&str, &str)> = lanes
        .iter()
        .flat_map(|lane| {
            let of = pairs.get(&lane.id).map_or(&[][..], Vec::as_slice);
            of.iter().map(|pair| (lane.id.as_str(), pair.ids[lane.read()].as_str()))
        })
        .collect();
    let carried = |lane: &Lane, id: &str| remembered.contains(&(lane.id.as_str(), id));
    let items = Ends::of(|end| move |kind| both.at[end].of_kind(kind));
    let path = Ends::of(|end| move |a: &Artefact| path_of(a, &both.at[end].paths));
    let of = Ends::of(|end| Chosen {
        end,
        catalogue: &both.ends.catalogues[end],
        items: &items[end],
        path: &path[end],
        now: both.read_at,
        carried: &carried,
    });
    choose_at_both(lanes, of.as_ref())
}

/// Finds what each lane has at the end that it writes, all of them together.
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
            covered: s.covered.as_ref().map(Vec::as_slice),
            pairs: &pairs[&s.lane.id],
            settled: settled.get(&s.lane.id).unwrap_or(&nothing),
            asked: asked.get(&s.lane.id).unwrap_or(&nobody),
        })
        .collect();
    let systems = both.ends.systems.as_ref().map(String::as_str);
    let (left, right) = (|a: &Artefact| both.at.left.path(a), |a: &Artefact| both.at.right.path(a));
    let between = Between { systems, paths: Ends { left: &left, right: &right } };
    let found = counterparts(between, &lanes);
    drop(lanes);
    for (s, mut found) in scoped.iter_mut().zip(found) {
        s.covered[s.lane.written()] = std::mem::take(&mut found.own);
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

/// Notes where the items of a lane are at an end, on the way there: with their pair, with what surely is their counterpart, or
/// still to be made. Of what is to be made at the end that a lane does not write first only folders are led to: they come before
/// all that they hold.
fn place(places: &mut Places, into: End, s: &Scoped<'_>, both: &BothEnds, known: &Pairs) {
    let (from, read) = (into.other(), s.lane.read());
    let (from_kind, kind) = (s.lane.kind_at(from), s.lane.kind_at(into));
    let there: HashSet<&str> = both.at[into].of_kind(kind).iter().map(|a| a.id.as_str()).collect();
    let mut set = |id: &str, reference| places.set(from_kind, id, Place { kind, reference });
    for pair in known.iter().filter(|p| there.contains(p.ids[into].as_str())) {
        set(&pair.ids[from], Reference::Known(pair.ids[into].clone()));
    }
    // What is only alike may still be refused: nothing refers to it yet.
    for (id, (other, _)) in s.found.found.iter().filter(|(_, (_, how))| how.is_sure()) {
        let ids = Ends::at(read, *id, other.id.as_str());
        set(ids[from], Reference::Known(ids[into].to_owned()));
    }
    let system = both.ends.systems[into].as_str();
    let came_from_there = |a: &Artefact| a.origin.as_deref().is_some_and(|mark| marks_system(mark, system));
    let is_made = |a: &Artefact| match into == s.lane.written() {
        true => true,
        false => s.lane.direction == Direction::Both && from_kind == Kind::Folder && !came_from_there(a),
    };
    for artefact in s.covered[from].iter().filter(|a| is_made(a) && known.place(from, &a.id).is_none()) {
        set(&artefact.id, Reference::Pending { kind: from_kind, id: artefact.id.clone() });
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
