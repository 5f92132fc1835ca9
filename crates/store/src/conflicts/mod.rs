//! Conflicts: one that is open for a pair and a rule, its generations, and what was chosen for each.
//!
//! Decides nothing about values: a generation is told from the next by the digest that it is given. What a plan finds is kept
//! with the plan, and what it no longer finds ends there; a choice names the generation that it is for.

mod found;
mod listed;
mod settled;

use crate::schema::{conflict_generations, conflicts};
use diesel::prelude::*;
pub use found::{FoundConflict, Seen};

pub(crate) use found::{end_the_others, keep};
pub use listed::{ConflictFilter, ConflictGroup, ConflictPlace, ConflictRow, GenerationRow};
pub use settled::{SeenConflict, SettledConflict, StandingConflict};
pub(crate) use settled::{carried, refused};

/// Joins a conflict with its latest generation.
#[diesel::dsl::auto_type(no_type_alias)]
fn is_latest() -> _ {
    conflict_generations::conflict_id.eq(conflicts::id).and(conflict_generations::generation.eq(conflicts::generation))
}
