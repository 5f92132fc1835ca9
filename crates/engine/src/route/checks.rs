//! Every fault of a route's lanes.

use hovrel_core::carry::FaultReason;
use hovrel_core::check::{Fault, check, could_go_back, fault};
use hovrel_core::model::{Artefact, Kind, PARENT};
use hovrel_core::rules::{Direction, Lane, Rule, Source};
use hovrel_core::suggest::origin_rule;

use super::ends::RouteEnds;
use super::places::Places;

/// A lane in another direction: with the rules that it loses by that, and how many of its rules run back where it carries both
/// ways. The ends are what its rules are turned by; without them nothing runs back, and no mark is written.
pub fn turned(lane: &Lane, direction: Direction, ends: Option<&RouteEnds>) -> (Lane, Vec<Rule>, usize) {
    let into = direction.written();
    let (mut turned, mut lost) = match lane.written() == into {
        true => (Lane { direction, ..lane.clone() }, Vec::new()),
        false => lane.turned(into),
    };
    turned.direction = direction;
    let places = Places::assumed();
    let Some(cx) = ends.and_then(|ends| ends.context(&turned, &places)) else { return (turned, lost, 0) };
    if let Some(rule) = origin_rule(cx.to_kind, into).filter(|_| lane.written() != into) {
        let is_filled = |r: &Rule| r.fill(into).is_some_and(|f| rule.fill(into).is_some_and(|o| o.target == f.target));
        if !turned.rules.iter().any(is_filled) {
            turned.rules.push(rule);
            // It stands for the one that wrote the mark at the other end.
            lost.retain(|r| r.fill(into.other()).is_none_or(|fill| fill.source != Source::Origin));
        }
    }
    if direction != Direction::Both {
        return (turned, lost, 0);
    }
    let could = could_go_back(&turned, &cx);
    let back = turned.rules.iter_mut().filter(|rule| could.contains(&rule.id));
    back.for_each(|rule| rule.back = true);
    (turned, lost, could.len())
}

/// Every fault of a route's lanes. `items` gives the artefacts in scope of a lane.
pub fn lane_checks<'a>(lanes: &[Lane], ends: &RouteEnds, items: &dyn Fn(&Lane) -> Vec<&'a Artefact>) -> Vec<Fault> {
    let mut faults = Vec::new();
    let folders = Places::assumed();
    for (n, lane) in lanes.iter().enumerate() {
        let simple = |reason: FaultReason| fault(lane, "", reason, true);
        let opposed =
            |l: &&Lane| (l.left_kind, l.right_kind) == (lane.left_kind, lane.right_kind) && l.read() != lane.read();
        if let Some(other) = lanes[..n].iter().find(opposed) {
            faults.push(simple(FaultReason::Opposed { lane: other.id.clone() }));
        }
        if lanes[..n].iter().any(|l| l.id == lane.id) {
            faults.push(simple(FaultReason::FedTwice));
        }
        match ends.context(lane, &folders) {
            None => faults.push(simple(FaultReason::NoSuchKind)),
            Some(cx) => faults.extend(check(lane, &cx, &items(lane))),
        }
    }
    // Test cases in folders need the folders to be carried.
    let mirrors = |l: &Lane| l.left_kind != Kind::Folder && l.fills().any(|f| f.source == Source::Folder);
    if let Some(lane) = lanes.iter().find(|l| mirrors(l)).filter(|_| !lanes.iter().any(|l| l.left_kind == Kind::Folder))
    {
        faults.push(fault(lane, PARENT, FaultReason::NoFolderLane, true));
    }
    faults
}
