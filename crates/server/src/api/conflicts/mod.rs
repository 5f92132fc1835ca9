//! Conflicts over all routes: as a list, one with what both ends hold, and what a person chooses for one or for many.

pub mod detail;
pub mod listed;
mod read;
pub mod settle;
