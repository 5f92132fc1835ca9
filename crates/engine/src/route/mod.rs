//! A route at work: both of its ends as they were read, what its lanes cover there, and what is remembered of it.
//!
//! Decides what a dry run and a proof have in common: what is read, which lane has which item, and where the counterparts
//! are.

mod back_links;
mod bases;
mod checks;
mod elsewhere;
mod ends;
mod load;
mod places;
mod read;
mod scoped;

pub(crate) use bases::LaneMemory;
pub use bases::{asked_by_lane, settled_by_lane};
pub use checks::{lane_checks, turned};
pub use ends::{RouteEnds, prepare_items};
pub(crate) use load::{LoadedRoute, load_route};
pub use places::Places;
pub(crate) use read::BothEnds;
pub use scoped::in_scope;
pub(crate) use scoped::{InScope, Scoped, Ways, scope_lanes};
