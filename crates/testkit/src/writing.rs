//! Writing an item as a person would have it written: fields in one call, states by the moves that lead there.

use hovrel_connect::{ConnectError, Connector, Write};
use hovrel_core::model::{Artefact, Value};
use hovrel_core::workflow::Workflow;

/// The state among the fields of a write, if its kind has one that is reached by moves.
async fn state(c: &dyn Connector, container: &str, write: &Write) -> Option<(String, String, Workflow)> {
    let catalogue = c.catalogue(container).await.ok()?;
    let field = catalogue.kind(write.kind)?.fields.iter().find(|f| f.workflow.is_some())?.clone();
    let to = write.fields.get(&field.id).map(Value::display)?;
    Some((field.id, to, field.workflow?))
}

/// Writes everything, and moves the item to its state.
///
/// # Errors
/// Those of the calls.
pub async fn put(c: &dyn Connector, container: &str, write: &Write) -> Result<Artefact, ConnectError> {
    let mut fields = write.clone();
    if let Some((field, ..)) = state(c, container, write).await {
        fields.fields.remove(&field);
    }
    let written = c.write(container, &fields).await?;
    walk(c, container, write, written.artefact).await
}

/// Moves an item to the state of a write, if there is one.
///
/// # Errors
/// Those of the calls; a refusal where no moves lead there.
pub async fn walk(c: &dyn Connector, container: &str, write: &Write, item: Artefact) -> Result<Artefact, ConnectError> {
    let mut item = item;
    let Some((field, to, workflow)) = state(c, container, write).await else { return Ok(item) };
    loop {
        let at = item.fields.get(&field).map(Value::display).unwrap_or_default();
        let Some(way) = workflow.way(&at, &to) else {
            return Err(ConnectError::Refused { field, text: format!("no moves lead from {at} to {to}") });
        };
        let Some(next) = way.first() else { return Ok(item) };
        item = c.move_to(container, write.kind, &item.id, &next.to).await?.artefact;
    }
}
