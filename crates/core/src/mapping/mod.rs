//! Mapping: lanes and rules, how a value is converted, and whether a rule is sound.
//!
//! Decides how one field at the right is filled from the left. [`convert()`] applies a rule to an
//! artefact, [`check()`] finds everything wrong with a lane before it runs, [`suggest()`] proposes rules
//! with their evidence. Rules are data: a route is a file of them.

mod amounts;
mod check;
mod comments;
mod computed;
mod convert;
mod deep;
mod expand;
mod files;
mod fit;
mod item_faults;
mod lane;
mod limits;
mod links;
mod mentions;
mod met;
mod new_field;
mod order;
mod resolve;
mod steps;
mod suggest;
mod tables;
mod users;
mod versions;

pub use check::{Fault, FaultReason, check};
pub(crate) use comments::renamed_comments;
pub use computed::Computed;
pub(crate) use convert::sorted;
pub use convert::{Context, Converted, PairLookup, Place, Ready, convert, source_value};
pub use deep::join_deep;
pub use expand::{call_order, expand_calls};
pub use files::link_to_refused_files;
pub(crate) use fit::{length_in, says_nothing};
pub use lane::{
    Conversion, Direction, Fallback, FirstContact, KeyFields, Lane, LinkTypeRow, LinkTypes, Matching, Policies, Rule,
    Source, UserTable, ValueMap, ValueRow,
};
pub use limits::{Beyond, beyond_limits};
pub use links::{as_they_are_called, leads_back, same_links};
pub use mentions::{labelled, named, names_pending, pending_names, renamed};
pub use met::{RuleTable, met};
pub use new_field::field_like;
pub use order::{order_is_carried, order_of};
pub use resolve::{Lacking, NotThere, Resolved, resolved, written_from};
pub use suggest::{GoTogether, Suggestion, Twins, suggest, suggest_value_map};
pub use users::{UserMatch, UserMatcher, recognise};
pub use versions::{Became, LaneChange, LanePart, RuleChange, changes_between};

/// The pseudo-field that holds an artefact's folder.
pub const PARENT: &str = "@parent";
/// The field that holds an artefact's place among those of its folder, as a number.
pub const POSITION: &str = "@position";
/// The pseudo-field that holds an artefact's files.
pub const ATTACHMENTS: &str = "@attachments";
/// The pseudo-field that holds an artefact's links.
pub const LINKS: &str = "@links";
/// The pseudo-field that holds an artefact's comments.
pub const COMMENTS: &str = "@comments";
/// The field under which the engine puts the names of an artefact's folders, outermost first, where a rule
/// asks for them.
pub const PATH: &str = "@path";
/// The pseudo-field that holds an artefact's history.
pub const HISTORY: &str = "@history";
