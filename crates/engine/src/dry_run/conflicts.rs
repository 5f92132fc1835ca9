//! The conflicts of a route beside its dry run: those that are open go into the comparing, those that are found go with the
//! plan.

use std::collections::{BTreeMap, HashMap};

use hovrel_core::catalogue::Catalogue;
use hovrel_core::conflict::{OfLane, Standing, decision_with, generation};
use hovrel_core::model::{End, Ends};
use hovrel_core::plan::{Change, Decision, FieldReason, Outcome, Side};
use hovrel_core::rules::{Lane, RuleId};
use hovrel_store::{FoundConflict, Seen, Store};
use uuid::Uuid;

use crate::EngineError;

/// The conflicts of a route that are open, by lane, and the rules as they are.
pub(super) struct Conflicts {
    standing: HashMap<String, OfLane>,
    lanes: HashMap<String, (Lane, BTreeMap<RuleId, String>)>,
    nothing: OfLane,
    /// What people are called at each end, by their ids.
    people: Ends<HashMap<String, String>>,
}

impl Conflicts {
    pub async fn of(store: &Store, route: Uuid, catalogues: &Ends<Catalogue>) -> Result<Conflicts, EngineError> {
        let mut standing: HashMap<String, OfLane> = HashMap::new();
        for row in store.standing_conflicts(route).await? {
            let Some(reason) = FieldReason::of_id(&row.reason) else { continue };
            // What was refused is chosen again before it is tried again.
            let chosen = row.choice.filter(|_| row.state == "settled");
            let choice = chosen.map(serde_json::from_value).transpose()?;
            let of_item = standing.entry(row.lane).or_default().entry(row.left_id).or_default();
            of_item.insert(row.rule.as_str().into(), Standing { digest: row.digest, reason, choice });
        }
        let called = |catalogue: &Catalogue| catalogue.users.iter().map(|u| (u.id.clone(), u.name.clone())).collect();
        let people = catalogues.as_ref().map(called);
        Ok(Conflicts { standing, lanes: HashMap::new(), nothing: OfLane::default(), people })
    }

    /// Those of a lane.
    pub fn standing(&self, lane: &str) -> &OfLane {
        self.standing.get(lane).unwrap_or(&self.nothing)
    }

    /// Notes a lane with the digests of its rules.
    pub fn compared(&mut self, lane: &Lane, digests: &BTreeMap<RuleId, String>) {
        self.lanes.insert(lane.id.clone(), (lane.clone(), digests.clone()));
    }

    /// The rules that there are.
    pub fn rules(&self) -> Vec<(String, String)> {
        let of = |(lane, _): &(Lane, _)| {
            let rules = lane.rules.iter().map(|rule| (lane.id.clone(), rule.id.to_string()));
            rules.collect::<Vec<_>>()
        };
        self.lanes.values().flat_map(of).collect()
    }

    /// The decision on a change that nobody has touched in this plan, with what was chosen of its conflicts before.
    pub fn decision(&self, change: &Change) -> Decision {
        match self.lanes.get(&change.lane) {
            Some((lane, digests)) => decision_with(change, lane, self.standing(&lane.id), |rule| digest(digests, rule)),
            None => Decision::default_for(change),
        }
    }

    /// Who changed an item last, by name.
    fn called(&self, end: End, side: &Side) -> Option<String> {
        let by = side.modified.as_ref()?.by.as_ref()?;
        Some(self.people[end].get(by).unwrap_or(by).clone())
    }

    /// The conflicts in a change, as they are kept.
    pub fn found(&self, change: &Change) -> Result<Vec<FoundConflict>, serde_json::Error> {
        let (Some((lane, digests)), Some(left), Some(right)) =
            (self.lanes.get(&change.lane), &change.left, &change.right)
        else {
            return Ok(Vec::new());
        };
        // Those of items that are no pair yet are the plan's own.
        if change.outcome == Outcome::Adopt {
            return Ok(Vec::new());
        }
        let mut out = Vec::new();
        for field in change.fields.iter().filter(|f| f.reason.is_conflict()) {
            let Some(rule) = lane.rule_filling(lane.written(), &field.field) else { continue };
            let stands = self.standing(&lane.id).get(&left.id).and_then(|of| of.get(&rule.id));
            let digest = digest(digests, &rule.id);
            let lost = stands.is_some_and(|stands| stands.choice_cannot_be_done(field, &digest, change.written));
            out.push(FoundConflict {
                refused: lost.then(|| hovrel_words::MERGE_NOT_TAKEN.to_owned()),
                left_id: left.id.clone(),
                lane: change.lane.clone(),
                rule: rule.id.to_string(),
                slot: field.field.to_string(),
                kind: change.kind.id().to_owned(),
                reason: field.reason.id().to_owned(),
                title: left.title.clone(),
                left_key: left.key.clone(),
                right_key: right.key.clone(),
                left_by: self.called(End::Left, left),
                right_by: self.called(End::Right, right),
                digest: generation(field, &digest).as_bytes().to_vec(),
                body: serde_json::to_value(field)?,
                seq: change.seq as i32,
            });
        }
        Ok(out)
    }
}

fn digest(digests: &BTreeMap<RuleId, String>, rule: &RuleId) -> String {
    digests.get(rule).cloned().unwrap_or_default()
}

/// What the dry run saw of a lane besides its changes.
pub(super) fn note(seen: &mut Seen, lane: &str, gone: Vec<String>, unknown: Vec<(String, RuleId)>) {
    seen.gone.extend(gone.into_iter().map(|item| (lane.to_owned(), item)));
    seen.unknown.extend(unknown.into_iter().map(|(item, rule)| (lane.to_owned(), item, rule.to_string())));
}
