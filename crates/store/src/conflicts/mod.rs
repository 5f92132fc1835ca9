//! Conflicts: one that is open for a pair and a rule, its generations, and what was chosen for each.
//!
//! Decides nothing about values: a generation is told from the next by the digest that it is given. What a plan finds is kept
//! with the plan, and what it no longer finds ends there; a choice names the generation that it is for.

mod found;
mod listed;
mod settled;

pub use found::{FoundConflict, Seen};
pub(crate) use found::{end_the_others, keep};
pub use listed::{ConflictFilter, ConflictGroup, ConflictPlace, ConflictRow, GenerationRow};
pub use settled::{SeenConflict, SettledConflict, StandingConflict};
pub(crate) use settled::{carried, refused};
