//! What a route covers at its left: what the conditions of its lanes match, and what is brought along.
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
use crate::model::{Artefact, Kind, LinkEnd, Reference, Value};
use crate::rules::{Along, Direction, Lane};
use crate::scope::Filter;
use apart::tell_apart;

/// What is chosen of an end.
pub struct Chosen<'f, 'a> {
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

/// What a lane covers at the left.
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

/// What each of a route's lanes covers at the left, in the order of the lanes.
pub fn choose<'a>(lanes: &[Lane], of: &Chosen<'_, 'a>) -> Vec<Covered<'a>> {
    let mut out: Vec<Covered<'a>> = Vec::with_capacity(lanes.len());
    for lane in lanes {
        let Some(kind) = of.catalogue.kind(lane.left_kind) else {
            out.push(Covered::default());
            continue;
        };
        let filter = Filter::new(&lane.left_scope, kind, of.now);
        let items = (of.items)(lane.left_kind).iter();
        let matched = items.filter(|a| filter.matches(a, (of.path)(a))).collect();
        out.push(Covered { matched, ..Covered::default() });
    }
    if lanes.iter().any(|l| l.along != Along::Nothing) {
        bring_along(lanes, of, &mut out);
    }
    tell_apart(lanes, of.carried, &mut out);
    if lanes.iter().any(|l| l.left_kind != Kind::Folder && !l.left_scope.is_open()) {
        keep_needed_folders(lanes, (of.items)(Kind::Folder), &mut out);
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
    let bringing: Vec<usize> = (0..lanes.len()).filter(|n| lanes[*n].along != Along::Nothing).collect();
    let mut there: HashMap<(Kind, &str), &'a Artefact> = HashMap::new();
    for kind in bringing.iter().map(|n| lanes[*n].left_kind) {
        there.extend((of.items)(kind).iter().map(|a| ((kind, a.id.as_str()), a)));
    }
    while let Some((from, matched)) = open.pop_front() {
        let Some(kind) = of.catalogue.kind(from.kind) else { continue };
        for (kind, id) in leads_to(from, kind) {
            let Some(found) = there.get(&(kind, id)).copied() else { continue };
            for &n in &bringing {
                let lane = &lanes[n];
                let takes = lane.left_kind == kind && (matched || lane.along == Along::Reached);
                if takes && taken.insert((n, found.id.as_str())) {
                    out[n].along.push(found);
                    open.push_back((found, false));
                }
            }
        }
    }
}

/// Leaves of the folders those that hold something in scope, directly or further down.
fn keep_needed_folders(lanes: &[Lane], folders: &[Artefact], out: &mut [Covered<'_>]) {
    let others = lanes.iter().zip(out.iter()).filter(|(lane, _)| lane.left_kind != Kind::Folder);
    let held = others.flat_map(|(_, covered)| covered.matched.iter().chain(&covered.along).copied());
    let needed = folders_above(folders, held);
    for (_, covered) in lanes.iter().zip(out).filter(|(lane, _)| lane.left_kind == Kind::Folder) {
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
