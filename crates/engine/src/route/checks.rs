//! Every fault of a route's lanes.

use hovrel_core::carry::FaultReason;
use hovrel_core::check::{Fault, check, could_go_back};
use hovrel_core::model::{Artefact, Kind};
use hovrel_core::rules::{Lane, RuleId, Source};

use super::ends::RouteEnds;
use super::places::Places;

/// The rules of a lane that could carry both ways as they are; none if one of the ends lacks the kind.
pub fn rules_that_could_go_back(lane: &Lane, ends: &RouteEnds) -> Vec<RuleId> {
    let folders = Places::assumed();
    ends.context(lane, &folders).map(|cx| could_go_back(lane, &cx)).unwrap_or_default()
}

/// Every fault of a route's lanes. `items` gives the artefacts in scope of a lane.
pub fn lane_checks<'a>(lanes: &[Lane], ends: &RouteEnds, items: &dyn Fn(&Lane) -> Vec<&'a Artefact>) -> Vec<Fault> {
    let mut faults = Vec::new();
    let folders = Places::assumed();
    for (n, lane) in lanes.iter().enumerate() {
        let simple = |reason: FaultReason| Fault {
            lane: lane.id.clone(),
            field: String::new(),
            reason,
            items: Vec::new(),
            item_count: 0,
            blocks: true,
        };
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
        faults.push(Fault {
            lane: lane.id.clone(),
            field: hovrel_core::model::PARENT.into(),
            reason: FaultReason::NoFolderLane,
            items: Vec::new(),
            item_count: 0,
            blocks: true,
        });
    }
    faults
}
