//! The law by which a slot is kept in step that people edit at both ends.
//!
//! Decides, from what both ends hold and what is remembered, what becomes of one slot ([`verdict`]), which of two edits is
//! the newer ([`newest`]), what is remembered afterwards ([`Remembered`]), and what one write does next after each answer
//! ([`Carrying`]). Knows nothing of fields, rules or systems: values are whatever can be compared, and how they are carried is
//! asked of [`Ways`].

mod carrying;
mod newest;
mod remembered;
mod verdict;
mod ways;

pub use carrying::{Answer, Carrying, Ending, Next, Seen};
pub use newest::{CLOCK_IS_RIGHT, Edited, Unsure, newest};
pub use remembered::{Half, Remembered, Replaced, Swing, Wrote, made_of};
pub use verdict::{Clash, Held, Verdict, verdict};
pub use ways::{Ways, one_stands_for_the_other};
