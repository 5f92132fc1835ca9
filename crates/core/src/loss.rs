//! Losses: values that could not be carried exactly (law 7: every loss is declared).
//!
//! Decides how a loss is described: what sort it is, what caused it, and the value before and after.
//! A loss is foreseen in the plan and recorded in the ledger when it happens; both are this type.

use serde::{Deserialize, Serialize};

use crate::slot::Slot;

/// A value that is not carried exactly.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Loss {
    /// The field at the end that is written (or read, for a loss met while reading).
    pub field: Slot,
    pub kind: LossKind,
    pub cause: LossCause,
    /// What was there, as one line of text.
    pub before: String,
    /// What is left of it.
    pub after: String,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LossKind {
    Truncated,
    Flattened,
    Substituted,
    Dropped,
    Downgraded,
}

impl LossKind {
    /// The word for a person.
    pub fn word(self) -> &'static str {
        match self {
            LossKind::Truncated => "shortened",
            LossKind::Flattened => "flattened",
            LossKind::Substituted => "replaced",
            LossKind::Dropped => "dropped",
            LossKind::Downgraded => "reduced",
        }
    }
}

/// Why a loss happens. Wording for people is in [`LossCause::describe`].
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "cause", rename_all = "snake_case")]
pub enum LossCause {
    /// Longer than the field allows (characters).
    TooLong { limit: u32 },
    /// The text format has no such element.
    NoSuchMarkup { element: String },
    /// The element can't stand where it stands in this text format.
    NotHere { element: String, inside: String },
    /// Step data has no field of its own at the other end.
    NoStepData,
    /// Files can't belong to a step at the other end.
    NoStepFiles,
    /// A call of shared steps can't be kept.
    NoCalls,
    /// Shared steps can't be called there (or not with arguments): their steps stand in place of the call.
    CallExpanded,
    /// Shared steps that call themselves, directly or by others.
    CallCycle,
    /// Shared steps that are not there.
    CallOfNothing,
    /// A link to something that is not carried, kept as an address.
    LinkKeptAsAddress,
    /// The other end has no such type of link.
    NoSuchLinkType,
    /// The rule leaves links of this type out.
    LinkTypeLeftOut,
    /// What is referred to is not carried.
    NotCarried,
    /// A value that the value map does not name.
    NotInMap,
    /// An empty field that the rule fills in.
    FilledIn,
    /// Nobody at the other end was recognised.
    UnknownUser,
    /// Folders deeper than the other end allows.
    TooDeep { levels: u32 },
    /// A file larger than the other end takes (bytes).
    FileTooBig { limit: u64 },
    /// A file type the other end refuses.
    FileTypeRefused,
    /// A file whose bytes begin as those of another type than its item declares; it is carried as it is.
    FileOfOtherType { declared: String },
    /// Another file of the item has the same name.
    FileNameTaken,
    /// Author and time can't be kept as they were: they stand in the text of a comment.
    AuthorInText,
    /// Steps become a numbered list of text.
    StepsAsText,
    /// Spaces at the ends are taken off there.
    Trimmed,
    /// A number of seconds that a number of hours can't say exactly.
    Rounded,
    /// A table is made to fit the way in which the other end keeps tables.
    TableFitted { how: TableFit },
    /// A picture or file in the text that belongs to another item.
    FileOfOtherItem,
    /// A picture or file in the text that is in its system, and not among the item's files.
    FileNotFollowed,
    /// Something that is read can't be kept as it is: it says too little of itself.
    NotReadable { what: String },
    /// The target system stored something else than what was sent.
    AlteredByTarget,
}

/// What was done to a table so that it fits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum TableFit {
    /// Column names without a row under them can't be kept.
    NoRows,
    /// A row was longer than the names of the columns; the rest gets names.
    ColumnNamed,
    /// Two columns had one name; the later one gets a number.
    ColumnNumbered,
}

impl LossCause {
    /// One sentence for a person.
    pub fn describe(&self) -> String {
        match self {
            LossCause::TooLong { limit } => format!("the field takes {limit} characters at most"),
            LossCause::NoSuchMarkup { element } => format!("the text format has no {element}"),
            LossCause::NotHere { element, inside } => {
                format!("the text format can't hold a {element} inside a {inside}")
            }
            LossCause::NoStepData => "steps have no data of their own there; it is joined to the action".into(),
            LossCause::NoStepFiles => "files can't belong to a step there; the step names them".into(),
            LossCause::NoCalls => "calls of shared steps can't be kept there; the call is written as text".into(),
            LossCause::CallExpanded => "the call can't be kept there; the shared steps stand in its place".into(),
            LossCause::CallCycle => "the shared steps call themselves in a circle; the call is written as text".into(),
            LossCause::CallOfNothing => "the shared steps are not there; the call is written as text".into(),
            LossCause::LinkKeptAsAddress => {
                "what it links to is not transferred; the link is kept as an address".into()
            }
            LossCause::NoSuchLinkType => "the other end has no such type of link".into(),
            LossCause::LinkTypeLeftOut => "the rule leaves links of this type out".into(),
            LossCause::NotCarried => "what it refers to is not transferred".into(),
            LossCause::NotInMap => "the value map does not name this value".into(),
            LossCause::FilledIn => "the field was empty; the rule fills it in".into(),
            LossCause::UnknownUser => "nobody there was recognised as this person".into(),
            LossCause::TooDeep { levels: 1 } => "nested folders aren't possible there".into(),
            LossCause::TooDeep { levels } => format!("folders go {levels} levels deep at most there"),
            LossCause::FileTooBig { limit } => format!("files are {} kB at most there", limit / 1000),
            LossCause::FileTypeRefused => "files of this type are refused there".into(),
            LossCause::FileOfOtherType { declared } => {
                format!("the content is not {declared}, as declared; copied unchanged")
            }
            LossCause::FileNameTaken => "another file of the item has the same name; it gets a number".into(),
            LossCause::AuthorInText => "author and time can't be set there; they stand at the head of the text".into(),
            LossCause::StepsAsText => "steps are not kept there; they become a numbered list".into(),
            LossCause::Trimmed => "spaces at both ends are removed there".into(),
            LossCause::Rounded => "hours are kept to a ten thousandth; what is finer is rounded".into(),
            LossCause::TableFitted { how: TableFit::NoRows } => {
                "column names without a row under them can't be kept there".into()
            }
            LossCause::TableFitted { how: TableFit::ColumnNamed } => {
                "a row is longer than the names of the columns; the rest gets names".into()
            }
            LossCause::TableFitted { how: TableFit::ColumnNumbered } => {
                "two columns have one name; the later one gets a number".into()
            }
            LossCause::FileOfOtherItem => "it is a file of another item; its address points to the left".into(),
            LossCause::FileNotFollowed => {
                "it is kept in the left system, and not among the item's files; its address points there".into()
            }
            LossCause::NotReadable { what } => format!("{what}, so it can't be transferred"),
            LossCause::AlteredByTarget => "the target stored something else than what was sent".into(),
        }
    }
}
