//! Lanes and rules as data: a route is a file of them.
//!
//! Decides how rules are written down, and what changed between two versions of them. What a rule does is decided in
//! [`crate::carry`], and whether it is sound in [`crate::check`].

mod back;
mod conversion;
mod direction;
mod lane;
mod order;
mod policies;
mod rule;
mod turned;
mod versions;

pub use conversion::{
    Conversion, Fallback, LinkTypeRow, LinkTypes, RuleTable, UserTable, ValueMap, ValueRow, row_back,
};
pub use direction::Direction;
pub use lane::{Along, Lane};
pub use order::{order_is_carried, order_of};
pub use policies::{BothEdited, FirstContact, KeyFields, Matching, Policies};
pub(crate) use rule::computed_field;
pub use rule::{Fill, Rule, RuleId, Source};
pub use versions::{Became, LaneChange, LanePart, RuleChange, changes_between};
