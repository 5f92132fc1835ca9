//! The plan: the ordered changes a dry run found, and what a person decided about them.
//!
//! Decides the order in which changes are applied (what others depend on first), what is done about
//! each, and what is left. A plan is immutable; decisions stand beside it. The same inputs give the same
//! plan, byte for byte (law 1).

mod applied;
mod brief;
mod change;
mod decision;
mod legs;
mod order;
mod reason;
mod waits;

pub use applied::{Written, WrittenField, base_after};
pub use brief::Brief;
pub use change::{Absence, Change, FieldChange, Merge, Outcome, Rebase, Returned, Side};
pub use decision::{Decision, decided_fields, fields_to_write, losses_of_equal, losses_of_written, makes_new};
pub use legs::{leg_back, leg_merged};
pub use order::waves;
pub use reason::{FieldDecision, FieldReason};
pub use waits::{lacks_only, waits_only_for};
