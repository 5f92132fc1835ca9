//! The canonical model: every system is translated to and from these types.
//!
//! Decides what an artefact is made of and when two values are the same value. Nothing here knows a
//! system, a rule or a screen. All types are plain data with total equality, so that comparing,
//! hashing and property tests need no special cases (decimals are kept as normalised digits).

mod artefact;
mod code;
mod document;
mod end;
mod fields;
mod fingerprint;
mod held;
mod kind;
mod levels;
mod maps;
mod named_values;
mod origin;
mod pending;
mod piece;
mod spaces;
mod span;
mod steps;
mod value;
mod verdict;

pub use crate::slot::{ATTACHMENTS, COMMENTS, HISTORY, LINKS, PARENT, PATH, POSITION, Slot};
pub use artefact::{Artefact, Attachment, Comment, HistoryEntry, Link, LinkEnd, LinkType, Stamp};
pub(crate) use code::codes;
pub use document::{Block, Document, Inline, is_address};
pub(crate) use document::{picture_at, plain_inlines};
pub use end::{End, Ends};
pub use fields::{FieldKey, FieldKeys, Fields, Picker};
pub use fingerprint::{FORM, Fingerprint, ShortForm, canonical};
pub use held::slot_value;
pub(crate) use held::sorted;
pub use kind::Kind;
pub use levels::levels;
pub use maps::ById;
pub(crate) use maps::{FastMap, FastSet};
pub use named_values::{NAMED_VALUES_FORM, Names};
pub use origin::{is_mark, marks_system, origin_mark};
pub use pending::{labelled, named, names_pending, pending_names};
pub use piece::{Piece, piece_ids, with_piece_ids};
pub use span::Span;
pub use steps::{Argument, Call, Expanded, Step};
#[cfg(feature = "schema")]
pub use value::ValueSchema;
pub use value::{Decimal, Pending, Reference, Value, ValueError, ValueType, read_day};
pub use verdict::Verdict;
