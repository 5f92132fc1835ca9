//! States that are reached by moves: an item is written first and then moved, by the shortest way.
//!
//! A move that may have been done is looked up before it is tried again, so that no way is walked twice.

use hovrel_core::catalogue::KindSchema;
use hovrel_core::model::{Artefact, Value};
use reqwest::Method;
use serde_json::json;

use super::client::Client;
use super::decode::Decoder;
use super::encode::Request;
use super::fill;
use crate::{ConnectError, Outcome, Write};

/// How often a move is tried in all, over what gets lost on the way.
const TRIES: usize = 8;

/// A state to be reached.
pub struct State {
    field: String,
    to: String,
}

/// Takes the state out of a write: it is not written but reached.
pub fn split(write: &Write, kind: &KindSchema) -> (Write, Option<State>) {
    let mut write = write.clone();
    let Some(field) = kind.fields.iter().find(|f| f.workflow.is_some()) else { return (write, None) };
    let state = match write.fields.remove(&field.id) {
        Some(Value::Choice(to)) => Some(State { field: field.id.clone(), to }),
        // A state can't be cleared.
        _ => None,
    };
    (write, state)
}

/// Moves an item to a state.
pub async fn walk(
    client: &Client,
    decoder: &Decoder<'_>,
    item: Artefact,
    state: &State,
) -> Result<Artefact, ConnectError> {
    let mut item = item;
    let mut tries = 0;
    let workflow = decoder.fields.field(&state.field).and_then(|f| f.workflow.as_ref());
    let (Some(workflow), Some(path)) = (workflow, &decoder.of.move_at) else { return Ok(item) };
    let path = fill(path, &[("id", &item.id)]);
    loop {
        let at = item.fields.get(&state.field).map(Value::display).unwrap_or_default();
        let next = match workflow.way(&at, &state.to) {
            None => {
                let text = format!("no moves lead from “{at}” to “{}”", state.to);
                return Err(ConnectError::Refused { field: state.field.clone(), text });
            }
            Some(way) => match way.first() {
                None => return Ok(item),
                Some(next) => next.to.clone(),
            },
        };
        let request = Request { body: Some(json!({"to": next})), ..Request::default() };
        item = match client.write(Method::POST, &path, request).await {
            Ok(answer) => decoder.artefact(&answer)?,
            Err(e) if e.outcome() == Outcome::Refused || tries >= TRIES => return Err(e),
            Err(_) => {
                tries += 1;
                decoder.artefact(&client.read(&fill(&decoder.of.one, &[("id", &item.id)])).await?)?
            }
        };
    }
}
