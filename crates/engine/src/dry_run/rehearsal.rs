//! The rehearsal of a plan: every change played to a copy of the ends that it writes, before any of it is kept.

use std::collections::HashMap;
use std::sync::Arc;

use hovrel_core::model::{End, Ends, Kind};
use hovrel_core::plan::{Change, Outcome};
use hovrel_core::rehearse::{Refusal, Rehearsal, Target, play_at_both};
use hovrel_core::rules::{FirstContact, Lane};

use super::draft::Made;
use crate::EngineError;
use crate::reading::pace;
use crate::route::BothEnds;

/// What a rehearsal found of a change.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Rehearsed {
    /// What that end would not take.
    pub refusals: Vec<Refusal>,
    /// What it costs, in calls to each end.
    pub calls: Ends<f64>,
    /// The item that it comes from gets a link to its counterpart; its calls are among those.
    pub links_back: bool,
}

/// What was found of each change, by its place; nothing of those that are taken and cost nothing.
pub(crate) fn rehearse(both: &BothEnds, lanes: &[&Lane], made: &Made) -> Result<HashMap<u32, Rehearsed>, EngineError> {
    let mut stages = Ends::of(|end| {
        // Nothing is rehearsed at an end that no lane writes.
        let written = lanes.iter().any(|l| l.direction.writes(end));
        let items = written.then(|| both.at[end].items.values().flatten());
        Rehearsal::at(Arc::new(Target::new(&both.ends.catalogues[end], items.into_iter().flatten())))
    });
    let lane_of: HashMap<&str, &Lane> = lanes.iter().map(|l| (l.id.as_str(), *l)).collect();
    let mut played = HashMap::new();
    let paces = both.at.as_ref().map(|end| pace(&*end.connector));
    for read in made.read()? {
        let (change, decision) = read?;
        let lane = lane_of.get(change.lane.as_str());
        let policy = first_contact(lane.copied());
        let links_back = lane.is_some_and(|lane| lane.policies.link_back && gets_link(&change, lane.read(), both));
        let (refusals, calls) = play_at_both(&mut stages, paces.as_ref(), (&change, &decision, policy), links_back);
        let found = Rehearsed { refusals, calls, links_back };
        if found != Rehearsed::default() {
            played.insert(change.seq, found);
        }
    }
    Ok(played)
}

fn first_contact(lane: Option<&Lane>) -> FirstContact {
    lane.map(|l| l.policies.first_contact).unwrap_or_default()
}

/// Whether a change, carried out, leaves a link to the counterpart at the end that its lane reads.
fn gets_link(change: &Change, read: End, both: &BothEnds) -> bool {
    let Some(side) = change.side(read) else { return false };
    let there: (Kind, String) = (change.kind_at(read), side.id.clone());
    matches!(
        change.outcome,
        Outcome::New(_) | Outcome::Adopt | Outcome::Update(_) | Outcome::Conflict | Outcome::Gone(_)
    ) && !both.linked_back[read].contains(&there)
}
