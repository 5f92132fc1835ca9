//! What a route covers at the ends that it reads: what the conditions of its lanes match, and what is brought along.
//!
//! Brought along is what no condition matches and something in scope leads to: by a link, a field that refers to
//! items, a call of shared steps. Folders follow what they hold: once another lane is limited, only those are
//! covered that hold something in scope, so that a narrow first try does not make every folder. What two lanes of the
//! same kinds cover belongs to one of them.

mod apart;

pub use apart::{HandedOver, hand_over};

use std::collections::{HashMap, HashSet, VecDeque};

use crate::catalogue::{Catalogue, KindSchema};
use crate::expression::Moment;
use crate::model::{Artefact, End, Ends, Kind, LinkEnd, Reference, Value};
use crate::rules::{Along, Direction, Lane};
use crate::scope::Filter;
use apart::tell_apart;

/// What is chosen of an end.
pub struct Chosen<'f, 'a> {
    /// Which end it is.
    pub end: End,
    /// What the end can hold.
    pub catalogue: &'f Catalogue,
    /// The items of a kind.
    pub items: &'f dyn Fn(Kind) -> &'a [Artefact],
    /// Titles of the folders above an artefact, outermost first.
    pub path: &'f dyn Fn(&Artefact) -> &'a [String],
    /// What days ago are counted from.
    pub now: Moment,
    /// Whether a lane has the artefact of an id in a pair.
    pub carried: &'f dyn Fn(&Lane, &str) -> bool,
}

/// What a lane covers at the end that it reads.
#[derive(Default)]
pub struct Covered<'a> {
    /// Those that the condition of the lane matches.
    pub matched: Vec<&'a Artefact>,
    /// Those that are brought along.
    pub along: Vec<&'a Artefact>,
    /// How many more it would cover that another lane of the same kinds has.
    pub with_others: u64,
}

impl<'a> Covered<'a> {
    /// Both, in the order of the end.
    pub fn all(&self) -> Vec<&'a Artefact> {
        let mut out: Vec<&Artefact> = self.matched.iter().chain(&self.along).copied().collect();
        out.sort_by_key(|a| a.position);
        out
    }
}

/// How many artefacts lanes cover together: one that becomes two things is counted once.
pub fn count_once<'a>(covered: impl IntoIterator<Item = &'a Artefact>) -> u64 {
    covered.into_iter().map(|a| (a.kind, a.id.as_str())).collect::<HashSet<_>>().len() as u64
}

/// What each of a route's lanes covers at the end that it reads, in the order of the lanes.
pub fn choose_at_both<'a>(lanes: &[Lane], of: Ends<&Chosen<'_, 'a>>) -> Vec<Covered<'a>> {
    let covered = of.map(|of| choose(lanes, of).into_iter());
    let of_lane = |(lane, of): (&Lane, Ends<Covered<'a>>)| match lane.read() {
        End::Left => of.left,
        End::Right => of.right,
    };
    let covered = covered.left.zip(covered.right).map(|(left, right)| Ends { left, right });
    lanes.iter().zip(covered).map(of_lane).collect()
}

/// What each of a route's lanes covers at an end, in the order of the lanes; nothing of those that don't read it, or don't read
/// it first.
pub fn choose<'a>(lanes: &[Lane], of: &Chosen<'_, 'a>) -> Vec<Covered<'a>> {
    let mut out: Vec<Covered<'a>> = Vec::with_capacity(lanes.len());
    for lane in lanes {
        let Some(kind) = of.catalogue.kind(lane.kind_at(of.end)).filter(|_| lane.read() == of.end) else {
            out.push(Covered::default());
            continue;
        };
        let filter = Filter::new(lane.scope_at(of.end), kind, of.now);
        let items = (of.items)(lane.kind_at(of.end)).iter();
        let matched = items.filter(|a| filter.matches(a, (of.path)(a))).collect();
        out.push(Covered { matched, ..Covered::default() });
    }
    if lanes.iter().any(|l| l.read() == of.end && l.along != Along::Nothing) {
        bring_along(lanes, of, &mut out);
    }
    tell_apart(lanes, of.carried, &mut out);
    let is_limited = |l: &Lane| l.kind_at(of.end) != Kind::Folder && !l.scope_at(of.end).is_open();
    if lanes.iter().any(|l| l.read() == of.end && is_limited(l)) {
        keep_needed_folders(lanes, of.end, (of.items)(Kind::Folder), &mut out);
    }
    out
}

fn bring_along<'a>(lanes: &[Lane], of: &Chosen<'_, 'a>, out: &mut [Covered<'a>]) {
    let mut taken: HashSet<(usize, &str)> = HashSet::new();
    let mut open: VecDeque<(&Artefact, bool)> = VecDeque::new();
    for (n, covered) in out.iter().enumerate() {
        for a in &covered.matched {
            taken.insert((n, a.id.as_str()));
            open.push_back((a, true));
        }
    }
    let brings = |lane: &Lane| lane.read() == of.end && lane.along != Along::Nothing;
    let bringing: Vec<usize> = (0..lanes.len()).filter(|n| brings(&lanes[*n])).collect();
    let mut there: HashMap<(Kind, &str), &'a Artefact> = HashMap::new();
    for kind in bringing.iter().map(|n| lanes[*n].kind_at(of.end)) {
        there.extend((of.items)(kind).iter().map(|a| ((kind, a.id.as_str()), a)));
    }
    while let Some((from, matched)) = open.pop_front() {
        let Some(kind) = of.catalogue.kind(from.kind) else { continue };
        for (kind, id) in leads_to(from, kind) {
            let Some(found) = there.get(&(kind, id)).copied() else { continue };
            for &n in &bringing {
                let lane = &lanes[n];
                let takes = lane.kind_at(of.end) == kind && (matched || lane.along == Along::Reached);
                if takes && taken.insert((n, found.id.as_str())) {
                    out[n].along.push(found);
                    open.push_back((found, false));
                }
            }
        }
    }
}

/// Leaves of the folders those that hold something in scope, directly or further down.
fn keep_needed_folders(lanes: &[Lane], end: End, folders: &[Artefact], out: &mut [Covered<'_>]) {
    let others = lanes.iter().zip(out.iter()).filter(|(lane, _)| lane.kind_at(end) != Kind::Folder);
    let held = others.flat_map(|(_, covered)| covered.matched.iter().chain(&covered.along).copied());
    let needed = folders_above(folders, held);
    for (_, covered) in lanes.iter().zip(out).filter(|(lane, _)| lane.kind_at(end) == Kind::Folder) {
        covered.matched.retain(|f| needed.contains(&f.id));
    }
}

/// The folders that hold something of these, directly or further down, by their ids.
fn folders_above<'i>(folders: &[Artefact], items: impl Iterator<Item = &'i Artefact>) -> HashSet<String> {
    let parents: HashMap<&str, Option<&str>> = folders.iter().map(|f| (f.id.as_str(), f.parent.as_deref())).collect();
    let mut needed: HashSet<String> = HashSet::new();
    for artefact in items {
        let mut at = artefact.parent.as_deref();
        while let Some(id) = at.filter(|id| needed.insert((*id).to_owned())) {
            at = parents.get(id).copied().flatten();
        }
    }
    needed
}

/// Of the folders of the right that a lane would make at the left, those that hold something that a lane covers there: once
/// a lane is limited at the right, the others are none of the route's business. `covered` is what each lane covers at the
/// right.
pub fn keep_needed_at_right<'a>(lanes: &[&Lane], folders: &'a [Artefact], covered: &mut [&mut Vec<&'a Artefact>]) {
    if !lanes.iter().any(|l| l.right_kind != Kind::Folder && !l.right_scope.is_open()) {
        return;
    }
    let others = lanes.iter().zip(covered.iter()).filter(|(lane, _)| lane.right_kind != Kind::Folder);
    let needed = folders_above(folders, others.flat_map(|(_, covered)| covered.iter().copied()));
    let makes_back = |lane: &Lane| lane.right_kind == Kind::Folder && lane.direction == Direction::Both;
    for (_, covered) in lanes.iter().zip(covered).filter(|(lane, _)| makes_back(lane)) {
        covered.retain(|folder| needed.contains(&folder.id));
    }
}

/// The items that an artefact leads to.
fn leads_to<'a>(from: &'a Artefact, kind: &KindSchema) -> Vec<(Kind, &'a str)> {
    let mut out: Vec<(Kind, &str)> = Vec::new();
    for link in &from.links {
        if let LinkEnd::Artefact { kind, id } = &link.target {
            out.push((*kind, id));
        }
    }
    for (field, value) in from.fields.iter() {
        let to = || kind.field(field).and_then(|f| f.refers_to);
        match value {
            Value::Reference(r) => out.extend(to().map(|kind| (kind, r.id()))),
            Value::References(list) => out.extend(to().into_iter().flat_map(|k| list.iter().map(move |r| (k, r.id())))),
            Value::Steps(steps) => {
                let calls = steps.iter().filter_map(|s| s.call.as_ref());
                out.extend(calls.map(|c| (Kind::SharedSteps, Reference::id(&c.target))));
            }
            _ => {}
        }
    }
    out
}
