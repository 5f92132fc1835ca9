//! Why a rule is proposed.

use hovrel_core::suggest::Reason;

/// One sentence for a person.
pub fn suggested_because(reason: &Reason) -> String {
    match reason {
        Reason::BothHaveFolders => "Both ends keep items in folders.".into(),
        Reason::BothHaveLinks => "Both ends link items to one another.".into(),
        Reason::BothHavePositions => "Both ends number the items of a folder, so they keep their order.".into(),
        Reason::BothHaveComments => "Both ends keep comments.".into(),
        Reason::BothHaveFiles => "Both ends keep files with their items.".into(),
        Reason::TakesHistory => "The end that is filled accepts past changes with their author and time.".into(),
        Reason::HoldsOrigin => {
            "This field keeps the original number searchable, and prevents items from being created twice.".into()
        }
        Reason::AlikeNames(names) => format!("The names are similar: {} and {}.", names.left, names.right),
        Reason::SameType => "Both have the same type.".into(),
        Reason::ValuesAllowed(allowed, of) => {
            format!("{allowed} of the {of} values found there are allowed in it.")
        }
        Reason::PairsHoldTheSame(pairs, of) => format!("In {pairs} of {of} pairs both hold the same."),
        Reason::PairsGoTogether(pairs, of) => format!("In {pairs} of {of} pairs the values go together."),
        Reason::PairsDoNotSupport(pairs) => format!("The {pairs} known pairs don't support it."),
    }
}
