//! What could not be carried exactly, and why.

use hovrel_core::loss::{LossCause, LossKind, TableFit};

/// The word for a person.
pub fn loss_kind(kind: LossKind) -> &'static str {
    match kind {
        LossKind::Truncated => "shortened",
        LossKind::Flattened => "flattened",
        LossKind::Substituted => "replaced",
        LossKind::Dropped => "dropped",
        LossKind::Downgraded => "reduced",
    }
}

/// One sentence for a person.
pub fn loss_cause(cause: &LossCause) -> String {
    match cause {
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
        LossCause::LinkKeptAsAddress => "what it links to is not transferred; the link is kept as an address".into(),
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
        LossCause::FileOfOtherItem => "it is a file of another item; its address points to where it comes from".into(),
        LossCause::FileNotFollowed => {
            "it is kept in the system that it comes from, and not among the item's files; its address points there"
                .into()
        }
        LossCause::NotReadable { what } => format!("{what}, so it can't be transferred"),
        LossCause::AlteredByTarget => "the target stored something else than what was sent".into(),
    }
}
