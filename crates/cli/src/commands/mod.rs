//! One file per command.

pub mod profile;
pub mod serve;
