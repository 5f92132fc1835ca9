//! What people and programs hand in, as JSON or YAML: read whole, or refused whole with every fault at its place.
//!
//! Decides how reading goes on behind a fault, so that all are told at once (law 10), and how a place is named: by
//! JSON Pointer (RFC 6901), and in a file by its line as well.

#![warn(missing_docs)]

mod json;
mod pointer;
mod yaml;

pub use json::{by_word, parse};
pub use pointer::{escaped, unescaped};
pub use yaml::{lines_of, read_yaml};

/// One thing that is wrong.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// Where, by JSON Pointer (RFC 6901); empty for the whole.
    pub pointer: String,
    /// What is wrong there, as a sentence without its full stop.
    pub detail: String,
}

/// One thing that is wrong in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileFault {
    /// The line that it is in, from 1.
    pub line: u64,
    /// What is wrong, and where by JSON Pointer.
    pub fault: Fault,
}
