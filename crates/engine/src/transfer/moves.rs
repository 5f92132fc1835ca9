//! States that are reached by moves: one call for each move, by the shortest way.
//!
//! Decides what a move means of which no answer came: the item is looked at. Where it stands where it was, the move was
//! not made; where the move leads, it was; anywhere else somebody moved it.

use std::collections::BTreeSet;

use hovrel_connect::{ConnectError, Outcome as CallOutcome};
use hovrel_core::model::{Artefact, Value, slot_value};
use hovrel_core::plan::FieldChange;
use serde_json::json;

use super::course::Course;
use super::failure::{Failure, Refusal, TRIES, pause};
use crate::points::point;

const STEP: &str = "move ";

impl Course<'_> {
    /// Whether a move of the item was begun before.
    pub fn has_moved(&self) -> bool {
        self.begun().any(|step| step.starts_with(STEP))
    }
}

/// Moves an item to a state.
pub(super) async fn walk(c: &mut Course<'_>, f: &FieldChange, item: Artefact) -> Result<Artefact, Failure> {
    let (desk, kind) = (c.desk(), c.kind());
    let schema = desk.catalogue.kind(kind);
    let workflow = schema.and_then(|k| k.field(&f.field)).and_then(|f| f.workflow.as_ref());
    let (Some(workflow), Value::Choice(to)) = (workflow, &f.write) else {
        // A state can't be cleared.
        return Ok(item);
    };
    let state = |item: &Artefact| slot_value(item, &f.field).display();
    // Where it may stand: as planned, or where this change itself has moved it before.
    let planned = f.held(c.change.written).map(Value::display);
    let own: BTreeSet<String> = c.begun().filter_map(|step| step.strip_prefix(STEP)).map(str::to_owned).collect();
    let at = state(&item);
    if planned.is_some_and(|planned| planned != at) && !own.contains(&at) && at != *to {
        return Err(ConnectError::Changed.into());
    }
    let mut item = item;
    let mut tries = 0;
    loop {
        let at = state(&item);
        let next = match workflow.way(&at, to) {
            None => {
                let why = format!("“{to}” can't be reached from “{at}”");
                let advice = "Map it to a state that can be reached, and make a new dry run.";
                return Err(Failure::Refused(Refusal { of_value: true, ..Refusal::new(why, advice) }));
            }
            Some(way) => match way.first() {
                None => break,
                Some(next) => next.to.clone(),
            },
        };
        c.about_to(c.at(&format!("{STEP}{next}")), &json!({"from": at, "to": next})).await?;
        let answer = desk.connector.move_to(&desk.container, kind, &item.id, &next).await;
        point("move called");
        item = match answer {
            Ok(written) => written.artefact,
            Err(e) if e.outcome() == CallOutcome::Refused || tries >= TRIES => return Err(e.into()),
            Err(_) => {
                tries += 1;
                pause(tries).await;
                let now = desk.read(kind, &item.id).await?;
                if ![&at, &next].contains(&&state(&now)) {
                    return Err(ConnectError::Changed.into());
                }
                now
            }
        };
    }
    let held = slot_value(&item, &f.field).into_owned();
    c.wrote_field(&f.field, f.write.clone(), held);
    Ok(item)
}
