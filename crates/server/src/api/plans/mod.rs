//! Plans: what a dry run found, what a person decides about it, and what a transfer made of it.

pub mod begin;
pub mod decide;
pub mod detail;
pub mod figures;
pub mod file;
pub mod listed;
mod read;
pub mod receipt;

pub use figures::PlanFigure;
