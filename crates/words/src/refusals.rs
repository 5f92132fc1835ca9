//! Why an end would not take a change, and what to do.

use hovrel_core::rehearse::RefusalReason;

/// Why a conflict is open again after both edits were put together.
pub const MERGE_NOT_TAKEN: &str =
    "One of the ends does not accept what both edits were merged to, or can't hold it. Decide again.";

/// What the target would say and what to do, for a person.
pub fn refusal(reason: &RefusalReason) -> String {
    match reason {
        RefusalReason::KindNotTaken => "items of this kind can't be written there; leave it out".into(),
        RefusalReason::ItemGone => "it no longer exists; make a new dry run".into(),
        RefusalReason::Waits { change, key, left_out } => {
            let what = if key.is_empty() { format!("change {} of this plan", change + 1) } else { key.clone() };
            match left_out {
                true => format!("it needs {what}, which is left out; include {what} first"),
                false => format!("it needs {what}, which would be refused; fix {what} first"),
            }
        }
        RefusalReason::NoSuchField => "there is no such field there; remove the rule".into(),
        RefusalReason::ReadOnly => "the field can only be read there; remove the rule".into(),
        RefusalReason::Required => {
            "the field is required there and would be empty; include it, or fill it by a rule".into()
        }
        RefusalReason::WrongType { wanted } => {
            format!("the field takes {}; choose a conversion", wanted.word())
        }
        RefusalReason::NotAllowed { value } => format!("“{value}” is not allowed there; map it to another value"),
        RefusalReason::TooLong { length, limit } => {
            format!("{length} characters, and the field takes {limit}; shorten it by rule or in the item")
        }
        RefusalReason::Taken { value, by } => {
            format!(
                "{by} holds “{value}” there already, and it must be unique; make the two a pair or leave this one out"
            )
        }
        RefusalReason::NobodyThere { person } => format!("nobody there is called {person}; map the person"),
        RefusalReason::NotThere { what } => {
            format!("{what}, to which it refers, is not there; transfer that first")
        }
        RefusalReason::NeedsFolder => "it must be in a folder there; fill the folder by a rule".into(),
        RefusalReason::NotInFolders => "items of this kind are in no folder there; remove the rule".into(),
        RefusalReason::TooDeep { levels, limit } => {
            format!("it would be {levels} levels deep, and folders go {limit} deep there; move it up")
        }
        RefusalReason::NoWay { from, to } => {
            format!("“{to}” can't be reached from “{from}” there; map it to a state that can be reached")
        }
        RefusalReason::MoveAsks { to, field } => {
            format!(
                "reaching “{to}” asks for the field “{field}”, which would be empty; include it, or fill it by a rule"
            )
        }
        RefusalReason::FileTooLarge { name, bytes, limit } => {
            format!("the file “{name}” has {bytes} bytes, and {limit} are allowed; leave it out or make it smaller")
        }
        RefusalReason::FileType { name, media_type } => {
            format!("the file “{name}” is of the type {media_type}, which is not allowed there")
        }
        RefusalReason::FileTwice { name } => {
            format!("two files are called “{name}”, and names are unique there; rename one where they come from")
        }
        RefusalReason::LinkType { link } => format!("links of the type “{link}” are not allowed there"),
        RefusalReason::CallsNotTaken => "steps can't call shared steps there".into(),
        RefusalReason::ArgumentsNotTaken => "calls of shared steps take no arguments there".into(),
        RefusalReason::StepDataNotTaken => "steps have no data of their own there".into(),
    }
}
