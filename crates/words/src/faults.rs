//! Why a rule can't be applied, to any item or to one, and what to do.

use hovrel_core::carry::FaultReason;
use hovrel_core::model::End;

/// What is wrong and what to do, for a person, on the way into an end.
pub fn fault(end: End, reason: &FaultReason) -> String {
    let (from, to) = (end.other().id(), end.id());
    match reason {
        FaultReason::NoSuchKind => "one of the ends has no such kind; choose another kind for this lane".into(),
        FaultReason::NoSuchSource { field } => {
            format!("the {from} end has no field “{field}”; choose another source or remove the rule")
        }
        FaultReason::NoSuchTarget { field } => format!("the {to} end has no field “{field}”; remove the rule"),
        FaultReason::Scope { end, why } => format!("the scope at the {}: {why}", end.id()),
        FaultReason::ReadOnly => format!("this field can only be read at the {to}; remove the rule"),
        FaultReason::FedTwice => "two rules fill this field; remove one of them".into(),
        FaultReason::RequiredUnfed => format!("the {to} end requires this field and no rule fills it; choose a source"),
        FaultReason::RequiredEmpty => {
            format!("the {to} end requires this field and the item holds nothing; map the empty value")
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
            format!("the {to} end does not allow “{}”; use a value map", short(value))
        }
        FaultReason::MapTargetNotAllowed { value } => {
            format!("the value map gives “{}”, which the {to} end does not allow", short(value))
        }
        FaultReason::TooLong { length, limit } => {
            format!("the value has {length} characters, the field takes {limit}; shorten it by rule or in the item")
        }
        FaultReason::UnknownUser { name } => {
            format!("nobody at the {to} was recognised as {name}; add them to the people table or name a fallback")
        }
        FaultReason::NotInvertible => {
            "the rule runs both ways, and what it does can't be taken back; make it one way, or enter an expression for the way back".into()
        }
        FaultReason::ReadsMore => {
            "an expression of a rule that runs both ways may name one field only: the one that the other way fills".into()
        }
        FaultReason::NoWayBack { value } => {
            format!("no row of the value map leads back from “{}”; add one, or mark one of several for the way back", short(value))
        }
        FaultReason::BackNotAllowed { value } => {
            format!("the way back leads to “{}”, which the {from} end does not allow; mark another row for the way back", short(value))
        }
        FaultReason::CutThere => {
            "the text was cut there, and the edit touches the last word before the cut; make it at the other end".into()
        }
        FaultReason::OnlyHeldHere => {
            format!("the edit touches what only the {to} can hold: a format of the same words, or a part that was rewritten; make it there too, or decide which end is written")
        }
        FaultReason::StepsInPlaceOfCalls => {
            format!("the edit touches shared steps that stand in place of a call that the item has at the {to}; make it in the shared steps, or put steps of its own there")
        }
        FaultReason::NotWrittenInto { end } => {
            let (end, other) = (end.id(), end.other().id());
            format!("the rule fills a field at the {end} alone, and the lane does not run that way by itself; turn the lane, remove the rule, or have it fill a field at the {other}")
        }
        FaultReason::Opposed { lane } => {
            format!("the lane “{lane}” runs the other way between the same kinds, so that items would go round; let one lane run both ways, and remove the other")
        }
        FaultReason::NoMarkPlace => {
            format!("the {to} end has no place for the mark that shows where an item came from; without it an interrupted transfer could create items twice. Give the kind such a field there, or choose another kind")
        }
        FaultReason::NoOriginRule => {
            "nothing writes the origin mark, so an interrupted transfer could create items twice; fill this field from the origin".into()
        }
        FaultReason::FolderNotCarried { folder } => {
            format!("its folder ({folder}) is neither at the {to} nor in this plan; widen the scope of the folder lane")
        }
        FaultReason::NoFolderLane => {
            "the route has no lane for folders, so there is nothing to mirror into; add a folder lane or remove the rule".into()
        }
        FaultReason::NotCarried { what } => {
            format!("it refers to {what}, which is neither at the {to} nor in this plan; widen the scope or transfer that first")
        }
        FaultReason::NoWay { from, to } => {
            format!("“{to}” can't be reached from “{from}” there; map the value to a state that can be reached")
        }
        FaultReason::MoveAsks { to, field } => {
            format!("reaching “{to}” asks for the field “{field}”, which would be empty; fill it by a rule")
        }
        FaultReason::OutsideScope { end } => {
            format!("as it would be created, the scope at the {} does not cover it; widen that scope, or leave it out of the other", end.id())
        }
        FaultReason::AndMore { reasons } => {
            format!("and {reasons} more; fix the ones listed")
        }
        FaultReason::BackExpression { from, why, .. } => {
            format!("in the expression for the way back, at character {}: {why}", from + 1)
        }
        FaultReason::Expression { from, why, .. } => format!("in the expression at character {}: {why}", from + 1),
        FaultReason::NotComputed { why } => {
            format!("the value can't be computed for the item: {why}; give it a value in the expression")
        }
        FaultReason::Unreadable { raw } => {
            format!("the {from} end holds “{}”, which is not of the field's type; correct the item", short(raw))
        }
    }
}

fn short(text: &str) -> String {
    if text.chars().count() <= 60 { text.to_owned() } else { text.chars().take(59).chain(['…']).collect() }
}
