//! What a rule's table has to deal with.
//!
//! Decides which values a value map, or a table of link types or people, meets: those that reach it, computed and
//! converted by what stands before it, with how many items in scope hold each.

use crate::carry::{Context, Ready};
use crate::model::{Artefact, Value};
use crate::rules::{Fill, RuleTable};
use crate::survey::{FieldSurvey, Spread};

/// The spread of what reaches a table of a rule, under the name of the target. `items` are those in scope, with what
/// rules take from beside them; of a field that an item does not have at all it holds nothing.
pub fn values_reaching(fill: &Fill, table: RuleTable, items: &[&Artefact], cx: &Context<'_>) -> FieldSurvey {
    let ready = Ready::new(fill, cx);
    let mut spread = Spread::default();
    for item in items {
        match ready.before_table(table, item, cx) {
            // What goes through a table is chosen rather than written: each of its texts counts.
            Some(Value::Text(text)) => spread.see(&Value::choice(text)),
            Some(value) => spread.see(&value),
            None => {}
        }
    }
    spread.finish(fill.target.to_string(), items.len() as u64)
}
