//! Why a rule can't be applied, to any item or to one, and what to do.

use hovrel_core::carry::FaultReason;

/// What is wrong and what to do, for a person.
pub fn fault(reason: &FaultReason) -> String {
    match reason {
        FaultReason::NoSuchKind => "one of the ends has no such kind; choose another kind for this lane".into(),
        FaultReason::NoSuchSource { field } => {
            format!("the left end has no field “{field}”; choose another source or remove the rule")
        }
        FaultReason::NoSuchTarget { field } => format!("the right end has no field “{field}”; remove the rule"),
        FaultReason::Scope { end, why } => format!("the scope at the {}: {why}", end.id()),
        FaultReason::ReadOnly => "this field can only be read at the right; remove the rule".into(),
        FaultReason::FedTwice => "two rules fill this field; remove one of them".into(),
        FaultReason::RequiredUnfed => "the right end requires this field and no rule fills it; choose a source".into(),
        FaultReason::RequiredEmpty => {
            "the right end requires this field and the item holds nothing; map the empty value".into()
        }
        FaultReason::TypesDiffer { from, to } => {
            format!("{} can't become {}; choose a conversion or another field", from.word(), to.word())
        }
        FaultReason::WrongType { value, wanted } => {
            format!("“{}” is not {}; correct the item or choose a conversion", short(value), wanted.word())
        }
        FaultReason::ValueNotInMap { value } => {
            format!("the value “{}” is not in the value map; add a row or choose what happens to others", short(value))
        }
        FaultReason::NotAllowed { value } => {
            format!("the right end does not allow “{}”; use a value map", short(value))
        }
        FaultReason::MapTargetNotAllowed { value } => {
            format!("the value map gives “{}”, which the right end does not allow", short(value))
        }
        FaultReason::TooLong { length, limit } => {
            format!("the value has {length} characters, the field takes {limit}; shorten it by rule or in the item")
        }
        FaultReason::UnknownUser { name } => {
            format!("nobody at the right was recognised as {name}; add them to the people table or name a fallback")
        }
        FaultReason::NotInvertible => {
            "the rule runs both ways and its conversion can't run backwards; make it one way".into()
        }
        FaultReason::NotWrittenInto { .. } => "lanes run from left to right; swap the ends of the route instead".into(),
        FaultReason::NoMarkPlace => {
            "the right end has no place for the mark that shows where an item came from; without it an interrupted transfer could create items twice. Give the kind such a field there, or choose another kind".into()
        }
        FaultReason::NoOriginRule => {
            "nothing writes the origin mark, so an interrupted transfer could create items twice; fill this field from the origin".into()
        }
        FaultReason::FolderNotCarried { folder } => {
            format!("its folder ({folder}) is neither at the right nor in this plan; widen the scope of the folder lane")
        }
        FaultReason::NoFolderLane => {
            "the route has no lane for folders, so there is nothing to mirror into; add a folder lane or remove the rule".into()
        }
        FaultReason::NotCarried { what } => {
            format!("it refers to {what}, which is neither at the right nor in this plan; widen the scope or transfer that first")
        }
        FaultReason::NoWay { from, to } => {
            format!("“{to}” can't be reached from “{from}” there; map the value to a state that can be reached")
        }
        FaultReason::MoveAsks { to, field } => {
            format!("reaching “{to}” asks for the field “{field}”, which would be empty; fill it by a rule")
        }
        FaultReason::AndMore { reasons } => {
            format!("and {reasons} more; fix the ones listed")
        }
        FaultReason::Expression { from, why, .. } => format!("in the expression at character {}: {why}", from + 1),
        FaultReason::NotComputed { why } => {
            format!("the value can't be computed for the item: {why}; give it a value in the expression")
        }
        FaultReason::Unreadable { raw } => {
            format!("the left end holds “{}”, which is not of the field's type; correct the item", short(raw))
        }
    }
}

fn short(text: &str) -> String {
    if text.chars().count() <= 60 { text.to_owned() } else { text.chars().take(59).chain(['…']).collect() }
}
