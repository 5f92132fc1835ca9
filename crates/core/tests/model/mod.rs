//! A model of two systems, their people, and Hovrel between them, for one item with two slots.
//!
//! Every edit types a word of its own, so that what becomes of each can be told: it is at both ends, or in an open conflict,
//! unless a person typed over it. Or people choose among a few words, so that both ends come to the same and return to what was. Hovrel's part asks the same law as the engine does (`hovrel_core::law`): verdicts, moves of
//! what is remembered, and the machine of one write; only reading, calling and noting are played here, a step at a time, so that
//! anything may happen between any two of them.

mod hovrel;
mod search;
mod world;

pub use hovrel::Planted;
pub use search::{Bounds, Found, every_history, random_histories};
pub use world::{Alphabet, settings};
