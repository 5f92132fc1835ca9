//! Checking a lane against both catalogues and what is really there, before anything runs.
//!
//! Decides what is wrong with a rule: missing fields, types that don't go together, required fields
//! nothing feeds, values no map names, rules that would have to run backwards and can't. Each fault
//! carries the items concerned. All faults are returned together (law 10).

use std::collections::HashSet;

use serde::{Deserialize, Serialize};

use super::computed::value_type;
use super::convert::{Context, Ready};
use super::item_faults::ItemFaults;
use super::lane::{Conversion, Direction, Fallback, Lane, Rule, Source};
use super::{ATTACHMENTS, COMMENTS, HISTORY, LINKS, PARENT};
use crate::catalogue::{FieldSchema, KindSchema};
use crate::expression::compile;
use crate::model::{Artefact, Kind, ValueType};
use crate::scope::condition_faults;

/// One thing that is wrong with a lane.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Fault {
    pub lane: String,
    /// The target field of the rule at fault.
    pub field: String,
    pub reason: FaultReason,
    pub message: String,
    /// Items of the left end concerned, by id; the first few.
    pub items: Vec<String>,
    /// How many items are concerned in all.
    pub item_count: u64,
    /// Whether a dry run must wait for this to be settled. A fault on items alone only holds back
    /// those items.
    pub blocks: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "reason", rename_all = "snake_case")]
pub enum FaultReason {
    NoSuchKind,
    NoSuchSource {
        field: String,
    },
    NoSuchTarget {
        field: String,
    },
    /// A condition of the left or right scope.
    Scope {
        left: bool,
        why: String,
    },
    ReadOnly,
    FedTwice,
    RequiredUnfed,
    RequiredEmpty,
    TypesDiffer {
        from: ValueType,
        to: ValueType,
    },
    WrongType {
        value: String,
        wanted: ValueType,
    },
    ValueNotInMap {
        value: String,
    },
    NotAllowed {
        value: String,
    },
    MapTargetNotAllowed {
        value: String,
    },
    TooLong {
        length: u32,
        limit: u32,
    },
    UnknownUser {
        name: String,
    },
    NotInvertible,
    OnlyToRight,
    NoOriginRule,
    /// The right has no place for the origin mark, so that an interrupted transfer could create items twice.
    NoMarkPlace,
    FolderNotCarried {
        folder: String,
    },
    NotCarried {
        what: String,
    },
    Unreadable {
        raw: String,
    },
    /// What is wrong with an expression, and where: characters from 0.
    Expression {
        from: u32,
        to: u32,
        why: String,
    },
    NotComputed {
        why: String,
    },
    NoWay {
        from: String,
        to: String,
    },
    MoveAsks {
        to: String,
        field: String,
    },
    /// Of one rule, so many reasons beyond those told one by one.
    AndMore {
        reasons: u32,
    },
}

impl FaultReason {
    /// What is wrong and what to do, for a person.
    pub fn describe(&self) -> String {
        match self {
            FaultReason::NoSuchKind => "one of the ends has no such kind; choose another kind for this lane".into(),
            FaultReason::NoSuchSource { field } => {
                format!("the left end has no field “{field}”; choose another source or remove the rule")
            }
            FaultReason::NoSuchTarget { field } => format!("the right end has no field “{field}”; remove the rule"),
            FaultReason::Scope { left, why } => {
                format!("the scope at the {}: {why}", if *left { "left" } else { "right" })
            }
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
            FaultReason::OnlyToRight => "lanes run from left to right; swap the ends of the route instead".into(),
            FaultReason::NoMarkPlace => {
                "the right end has no place for the mark that shows where an item came from; without it an interrupted transfer could create items twice. Give the kind such a field there, or choose another kind".into()
            }
            FaultReason::NoOriginRule => {
                "nothing writes the origin mark, so an interrupted transfer could create items twice; fill this field from the origin".into()
            }
            FaultReason::FolderNotCarried { folder } => {
                format!("its folder ({folder}) is neither at the right nor in this plan; widen the scope of the folder lane")
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
}

fn short(text: &str) -> String {
    if text.chars().count() <= 60 { text.to_owned() } else { text.chars().take(59).chain(['…']).collect() }
}

/// Finds every fault of `lane`. `items` are the artefacts in the lane's scope at the left, as last
/// surveyed; without them only the schema is checked.
pub fn check(lane: &Lane, cx: &Context<'_>, items: &[&Artefact]) -> Vec<Fault> {
    let mut faults = Vec::new();
    if lane.direction != Direction::ToRight {
        faults.push(fault(lane, "", FaultReason::OnlyToRight, true));
    }
    for (left, condition, kind) in [(true, &lane.left_scope, cx.left_kind), (false, &lane.right_scope, cx.right_kind)] {
        for wrong in condition_faults(condition, kind) {
            faults.push(fault(lane, "", FaultReason::Scope { left, why: wrong.message }, true));
        }
    }
    let mut fed: HashSet<&str> = HashSet::new();
    let mut rules: Vec<Result<ItemFaults<'_>, Vec<Fault>>> = Vec::new();
    for rule in &lane.rules {
        let wrong = match fed.insert(&rule.target) {
            false => vec![FaultReason::FedTwice],
            true => schema_faults(rule, cx.left_kind, cx.right_kind),
        };
        rules.push(match wrong.is_empty() {
            true => Ok(ItemFaults::new(lane, Ready::new(rule, cx))),
            false => Err(wrong.into_iter().map(|r| fault(lane, &rule.target, r, true)).collect()),
        });
    }
    // Item by item: what one holds is near at hand for all rules.
    for item in items {
        rules.iter_mut().flatten().for_each(|rule| rule.see(item, cx));
    }
    faults.extend(rules.into_iter().flat_map(|found| found.map_or_else(|wrong| wrong, ItemFaults::finish)));
    for field in cx.right_kind.fields.iter().filter(|f| f.required && !f.read_only) {
        if !fed.contains(field.id.as_str()) {
            faults.push(fault(lane, &field.id, FaultReason::RequiredUnfed, true));
        }
    }
    if cx.right_kind.needs_folder && !lane.rules.iter().any(|r| r.target == PARENT) {
        faults.push(fault(lane, PARENT, FaultReason::RequiredUnfed, true));
    }
    if let Some(mark) = cx.right_kind.fields.iter().find(|f| f.origin_mark) {
        let fed = |r: &Rule| r.target == mark.id && r.source == Source::Origin;
        if !lane.rules.iter().any(fed) {
            faults.push(fault(lane, &mark.id, FaultReason::NoOriginRule, true));
        }
    } else if lane.right_kind != Kind::Folder {
        // Folders are told apart by their paths.
        faults.push(fault(lane, "", FaultReason::NoMarkPlace, true));
    }
    faults
}

pub(super) fn fault(lane: &Lane, field: &str, reason: FaultReason, blocks: bool) -> Fault {
    Fault {
        lane: lane.id.clone(),
        field: field.to_owned(),
        message: reason.describe(),
        reason,
        items: Vec::new(),
        item_count: 0,
        blocks,
    }
}

fn schema_faults(rule: &Rule, left: &KindSchema, right: &KindSchema) -> Vec<FaultReason> {
    let mut out = Vec::new();
    let target = right.field(&rule.target);
    if target.is_none() && rule.target != PARENT {
        out.push(FaultReason::NoSuchTarget { field: rule.target.clone() });
    }
    if target.is_some_and(|t| t.read_only) {
        out.push(FaultReason::ReadOnly);
    }
    let source = match &rule.source {
        Source::Field(field) => {
            let found = left.field(field);
            if found.is_none() {
                out.push(FaultReason::NoSuchSource { field: field.clone() });
            }
            found.map(|f| f.value_type)
        }
        Source::Computed(text) => match compile(text, left) {
            Ok(found) if found.asks_time => {
                let why = "a value that depends on now would change with every dry run".to_owned();
                out.push(FaultReason::Expression { from: 0, to: text.chars().count() as u32, why });
                None
            }
            Ok(found) => value_type(&found.is),
            Err(wrong) => {
                let each = wrong.into_iter();
                out.extend(each.map(|f| FaultReason::Expression { from: f.from, to: f.to, why: f.message }));
                None
            }
        },
        Source::Folder if rule.target != PARENT => {
            out.push(FaultReason::TypesDiffer { from: ValueType::Reference, to: ValueType::Text });
            None
        }
        Source::Links if rule.target != LINKS => {
            out.push(FaultReason::TypesDiffer { from: ValueType::Links, to: ValueType::Text });
            None
        }
        Source::Attachments if rule.target != ATTACHMENTS => {
            out.push(FaultReason::TypesDiffer { from: ValueType::Attachments, to: ValueType::Text });
            None
        }
        Source::Comments | Source::CommentsAndHistory if rule.target != COMMENTS => {
            out.push(FaultReason::TypesDiffer { from: ValueType::Comments, to: ValueType::Text });
            None
        }
        Source::History if rule.target != HISTORY => {
            out.push(FaultReason::TypesDiffer { from: ValueType::History, to: ValueType::Text });
            None
        }
        _ => None,
    };
    if let (Some(source), Some(target)) = (source, target) {
        let from = after_conversions(source, rule);
        if !goes_into(from, target.value_type) {
            out.push(FaultReason::TypesDiffer { from, to: target.value_type });
        }
    }
    out.extend(rule.conversions.iter().flat_map(|c| led_astray(c, target)));
    if rule.direction == Direction::Both && !invertible(rule) {
        out.push(FaultReason::NotInvertible);
    }
    out
}

/// What a step's table leads to and the target does not take.
fn led_astray(conversion: &Conversion, target: Option<&FieldSchema>) -> Vec<FaultReason> {
    let astray = |value: &str| FaultReason::MapTargetNotAllowed { value: value.to_owned() };
    match conversion {
        Conversion::ValueMap(map) => {
            let Some(allowed) = target.and_then(|t| t.allowed.as_ref()) else { return Vec::new() };
            let allowed: HashSet<&String> = allowed.iter().collect();
            let default = match &map.otherwise {
                Fallback::Use(v) => Some(v),
                _ => None,
            };
            let led_to = map.rows.iter().map(|r| &r.right).chain(default);
            led_to.filter(|v| !v.is_empty() && !allowed.contains(v)).map(|v| astray(v)).collect()
        }
        Conversion::LinkTypes(map) => {
            let Some(kept) = target.and_then(|t| t.link_types.as_ref()) else { return Vec::new() };
            let led_to = map.rows.iter().filter_map(|r| r.right.as_ref());
            led_to.filter(|t| !kept.contains(t)).map(|t| astray(t.word())).collect()
        }
        _ => Vec::new(),
    }
}

fn after_conversions(source: ValueType, rule: &Rule) -> ValueType {
    rule.conversions.iter().fold(source, |t, c| match (c, t) {
        (Conversion::ValueMap(_), ValueType::ChoiceList) => ValueType::ChoiceList,
        (Conversion::ValueMap(_), _) => ValueType::Choice,
        (Conversion::RichText, ValueType::Text) => ValueType::RichText,
        (Conversion::IfEmpty { .. }, t) => t,
        (Conversion::Hours | Conversion::Number { .. }, _) => ValueType::Decimal,
        (_, t) => t,
    })
}

/// Whether a value of one type can be written as another without a conversion; the counterpart of
/// `fit` in [`super::convert()`].
fn goes_into(from: ValueType, to: ValueType) -> bool {
    use ValueType::*;
    from == to
        || match to {
            Text => !matches!(from, Steps | Attachments | Table | Reference | References | Links | Comments | History),
            RichText => matches!(from, Text | Steps),
            Choice => matches!(from, Text),
            ChoiceList => matches!(from, Choice | Text),
            UserList => matches!(from, User),
            Integer => matches!(from, Text),
            Decimal => matches!(from, Integer | Text),
            Url => matches!(from, Text),
            _ => false,
        }
}

/// Whether a rule can run from right to left.
fn invertible(rule: &Rule) -> bool {
    matches!(rule.source, Source::Field(_))
        && rule.conversions.iter().all(|c| match c {
            Conversion::RichText | Conversion::Users(_) => true,
            Conversion::Shorten { .. }
            | Conversion::IfEmpty { .. }
            | Conversion::Hours
            | Conversion::Number { .. }
            | Conversion::PathLevel { .. } => false,
            // Two types that become one can't be told apart on the way back.
            Conversion::LinkTypes(map) => map
                .rows
                .iter()
                .all(|row| row.right.is_some() && map.rows.iter().filter(|r| r.right == row.right).count() == 1),
            Conversion::ValueMap(map) => map.rows.iter().all(|row| {
                let same: Vec<_> = map.rows.iter().filter(|r| r.right == row.right).collect();
                same.len() == 1 || same.iter().filter(|r| r.returns).count() == 1
            }),
        })
}
