//! Making and changing one item, exactly once.
//!
//! Decides what a call that came to nothing certain means: after any doubt the item is looked at, and what it
//! holds says whether the write was done, was cut, or met somebody else's edit (invariant 2).

use std::sync::atomic::Ordering::Relaxed;

use hovrel_connect::{ConnectError, Outcome as CallOutcome, Write};
use hovrel_core::compare::{right_value, same};
use hovrel_core::mapping::Lane;
use hovrel_core::model::{Artefact, Fields, Value};
use hovrel_core::plan::Change;

use super::Transfer;
use super::apply::{Failure, TRIES, pause, read_one};

fn mark(t: &Transfer, change: &Change) -> String {
    let key = change.left.as_ref().map_or("", |s| &s.key);
    format!("{}:{key}", t.left_name)
}

/// Makes the item, exactly once: after any doubt it is looked for by its origin mark (invariant 2).
pub(super) async fn create(
    t: &Transfer,
    change: &Change,
    lane: &Lane,
    write: &Write,
    begun: bool,
) -> Result<Artefact, Failure> {
    let mark = mark(t, change);
    let find = || t.right.find_by_origin(&t.right_container, lane.right_kind, &mark);
    let mut look = begun;
    for tries in 1.. {
        if look && let Some(found) = find().await? {
            return finish(t, lane, write, found).await;
        }
        match t.right.write(&t.right_container, write).await {
            Ok(made) => {
                t.written.fetch_add(1, Relaxed);
                return Ok(made);
            }
            // The mark is there: it was made by this transfer before it was cut.
            Err(ConnectError::Duplicate) => match find().await? {
                Some(found) => return finish(t, lane, write, found).await,
                None => return Err(ConnectError::Duplicate.into()),
            },
            Err(e) if e.outcome() == CallOutcome::Refused || tries >= TRIES => return Err(e.into()),
            Err(e) => {
                look = e.outcome() == CallOutcome::Unknown;
                pause(tries).await;
            }
        }
    }
    unreachable!("the loop ends by returning")
}

/// An item found by its mark was made before the cut, perhaps not as far as is wanted now: its state was
/// still to be reached, and its lists.
async fn finish(t: &Transfer, lane: &Lane, write: &Write, found: Artefact) -> Result<Artefact, Failure> {
    let found = t.right.complete(&t.right_container, write, found).await?;
    finish_lists(t, lane, write, found).await
}

/// More of what the lists of an item lead to may be there than when it was made.
pub(super) async fn finish_lists(
    t: &Transfer,
    lane: &Lane,
    write: &Write,
    found: Artefact,
) -> Result<Artefact, Failure> {
    let lists: Fields = write
        .fields
        .iter()
        .filter(|(field, wanted)| !same(wanted, &right_value(&found, field)) && is_part(&found, field, wanted))
        .map(|(field, wanted)| (field.clone(), wanted.clone()))
        .collect();
    if lists.is_empty() {
        return Ok(found);
    }
    let (id, version) = (Some(found.id.clone()), found.version.clone());
    update(t, lane, &Write { kind: write.kind, id, version, fields: lists, parent: None }, false).await
}

/// Changes the item under its version. After any doubt it is read: if it holds what was to be written,
/// it was done; if its version is still the one that was seen, it was not; if what it holds is part of
/// what was to be written, the rest follows; else somebody changed it.
pub(super) async fn update(t: &Transfer, lane: &Lane, write: &Write, begun: bool) -> Result<Artefact, Failure> {
    let id = write.id.clone().unwrap_or_default();
    let mut write = write.clone();
    let mut look = begun;
    for tries in 1.. {
        if look {
            let now = read_one(t, lane.right_kind, &id).await?;
            if holds(&now, &write) {
                return Ok(now);
            }
            if now.version != write.version {
                if !t.is_under_way(&now, &write) {
                    return Err(ConnectError::Changed.into());
                }
                write.version = now.version;
            }
        }
        match t.right.write(&t.right_container, &write).await {
            Ok(changed) => {
                t.written.fetch_add(1, Relaxed);
                return Ok(changed);
            }
            Err(e) if e.outcome() == CallOutcome::Refused || tries >= TRIES => return Err(e.into()),
            Err(e) => {
                look = e.outcome() == CallOutcome::Unknown;
                pause(tries).await;
            }
        }
    }
    unreachable!("the loop ends by returning")
}

pub(super) fn holds(artefact: &Artefact, write: &Write) -> bool {
    is_at(artefact, write) && write.fields.iter().all(|(field, value)| same(value, &right_value(artefact, field)))
}

fn is_at(artefact: &Artefact, write: &Write) -> bool {
    write.parent.as_ref().is_none_or(|p| *p == artefact.parent)
}

/// Whether a list at the right is part of what it is to be, so that writing it takes nothing away.
fn is_part(artefact: &Artefact, field: &str, wanted: &Value) -> bool {
    match (right_value(artefact, field).as_ref(), wanted) {
        (Value::Empty, Value::Links(_) | Value::References(_)) => true,
        (Value::Links(now), Value::Links(all)) => now.iter().all(|l| all.contains(l)),
        (Value::References(now), Value::References(all)) => now.iter().all(|r| all.contains(r)),
        _ => false,
    }
}

impl Transfer {
    /// Whether a changed item is one that this write was cut at: what it was to hold is there, but for
    /// members of its lists that were not there then, and a state that is reached by moves of its own.
    fn is_under_way(&self, now: &Artefact, write: &Write) -> bool {
        let is_held = |field: &str, value: &Value| same(value, &right_value(now, field));
        let schema = self.there.kind(write.kind);
        let is_state = |field: &str| schema.and_then(|k| k.field(field)).is_some_and(|f| f.workflow.is_some());
        let some_held = write.parent.is_some() || write.fields.iter().any(|(f, v)| is_held(f, v));
        let follows = |f: &str, v: &Value| is_held(f, v) || is_part(now, f, v) || (some_held && is_state(f));
        is_at(now, write) && write.fields.iter().all(|(field, value)| follows(field, value))
    }
}
