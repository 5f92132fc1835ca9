//! One file per command.

pub mod profile;
pub mod proof;
pub mod serve;
