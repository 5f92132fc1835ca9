//! Preparing what was read of an end, before its items are converted and compared.
//!
//! Decides what stands in the place of calls that the other end can't keep and of folders that are too deep there, and
//! what stands beside an item for its rules to take: computed values, a link to files that the other end refuses.

mod computed;
mod deep;
mod expand;
mod refused_files;

pub use computed::Computed;
pub use deep::join_deep;
pub use expand::{call_order, expand_calls};
pub use refused_files::link_to_refused_files;
