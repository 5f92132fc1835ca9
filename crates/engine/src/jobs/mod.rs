//! Jobs while they are run: what is told of them, and how long they stay with their worker.

mod lease;
mod running;

pub(crate) use lease::Lease;
pub(crate) use running::{Ended, Running};
