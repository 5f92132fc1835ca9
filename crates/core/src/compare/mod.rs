//! Comparing two ends of a lane against the base, and making a plan of what differs.
//!
//! Decides, per field, who changed what since both were last in step (the reconciliation rules of
//! Pierce and Vouillon 2004, “What's in Unison?”), and per artefact what a transfer would do. With no base
//! a difference is a conflict, never a silent overwrite.

mod beside;
mod both;
mod item;
mod lane;
mod prevails;
mod said;
mod walk;

pub use beside::{BesideField, beside};
pub(crate) use item::ReadyRule;
pub use item::{Clocks, Comparer, FolderNames, Found, as_made_there, targets};
pub use lane::{Known, LaneFindings, compare_lane};
pub use walk::{AtEnd, Relation};
