//! Carrying: what a value of one end becomes at the other, under one rule.
//!
//! Decides how a rule's source is converted, step by step, and made to fit the target, and which losses and faults that
//! has. One file for each subject: texts, steps, links, people, files, what was said. Knows one artefact at a time, and
//! nothing of what the target holds now.

mod amounts;
mod back;
mod calls;
mod comments;
mod context;
mod convert;
mod fault;
mod files;
mod fit;
mod links;
mod mapped;
mod members;
mod mentions;
mod ready;
mod references;
mod resolve;
mod returned;
mod source;
mod steps;
mod tables;
mod texts;
mod users;
mod ways;

pub use calls::{with_calls, without_calls};
pub(crate) use comments::renamed_comments;
pub use context::{Context, PairLookup, Place};
pub use convert::{Converted, convert};
pub use fault::FaultReason;
pub(crate) use files::refusal;
pub use links::leads_back;
pub use mentions::renamed;
pub use ready::Ready;
pub use resolve::{Lacking, NotThere, Resolved, resolved, written_from};
pub use returned::{NotTried, Returned, can_be_typed, try_return};
pub use source::source_value;
pub(crate) use steps::call_text;
pub(crate) use texts::{length_in, says_nothing};
pub use users::{UserMatch, UserMatcher, recognise};
pub use ways::BothWays;
