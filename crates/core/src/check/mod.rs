//! Checking a lane against both catalogues and what is really there, before anything runs.
//!
//! Decides what is wrong with a rule: missing fields, types that don't go together, required fields
//! nothing feeds, values no map names, rules that would have to run backwards and can't. Each fault
//! carries the items concerned. All faults are returned together (law 10).

mod item_faults;
mod limits;
mod types;

pub use limits::{Beyond, beyond_limits};

use std::collections::HashSet;

use crate::carry::{Context, FaultReason, Ready};
use crate::catalogue::{FieldSchema, KindSchema};
use crate::expression::compile;
use crate::model::{Artefact, End, Kind, PARENT, Slot, ValueType};
use crate::rules::{Conversion, Direction, Fallback, Fill, Lane, Rule, RuleId, Source, ValueRow, row_back};
use crate::scope::condition_faults;
use item_faults::ItemFaults;
use types::{after_conversions, go_both_ways, goes_into, invertible};

/// One thing that is wrong with a lane.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// The id of the lane.
    pub lane: String,
    /// The end that the lane writes, or writes first: what is wrong is wrong on the way there.
    pub into: End,
    /// The target field of the rule at fault.
    pub field: String,
    /// Why it can't be applied.
    pub reason: FaultReason,
    /// Items of the end that is read concerned, by id; the first few.
    pub items: Vec<String>,
    /// How many items are concerned in all.
    pub item_count: u64,
    /// Whether a dry run must wait for this to be settled. A fault on items alone only holds back
    /// those items.
    pub blocks: bool,
}

/// Finds every fault of `lane`, on its way into the end that it writes, or writes first. `items` are the artefacts in the lane's
/// scope at the end that it reads, as last surveyed; without them only the schema is checked.
pub fn check(lane: &Lane, cx: &Context<'_>, items: &[&Artefact]) -> Vec<Fault> {
    let mut faults = Vec::new();
    let (written, read) = (lane.written(), lane.read());
    let fills = || lane.rules.iter().filter_map(|rule| rule.fill(written));
    for end in End::BOTH {
        let kind = if end == written { cx.to_kind } else { cx.from_kind };
        for wrong in condition_faults(lane.scope_at(end), kind) {
            faults.push(fault(lane, "", FaultReason::Scope { end, why: wrong.message }, true));
        }
    }
    let mut fed: HashSet<&str> = HashSet::new();
    let mut rules: Vec<Result<ItemFaults<'_>, Vec<Fault>>> = Vec::new();
    for rule in &lane.rules {
        let Some(fill) = rule.fill(written) else {
            let not_written = FaultReason::NotWrittenInto { end: read };
            let other = rule.fill(read);
            faults.extend(other.map(|fill| fault(lane, &fill.target, not_written, true)));
            continue;
        };
        let mut wrong = match fed.insert(&fill.target) {
            false => vec![FaultReason::FedTwice],
            true => schema_faults(fill, cx.from_kind, cx.to_kind),
        };
        wrong.extend(way_back_faults(rule, fill, (lane.direction, written), cx));
        rules.push(match wrong.is_empty() {
            true => Ok(ItemFaults::new(lane, Ready::new(fill, cx))),
            false => Err(wrong.into_iter().map(|r| fault(lane, &fill.target, r, true)).collect()),
        });
    }
    // Item by item: what one holds is near at hand for all rules.
    for item in items {
        rules.iter_mut().flatten().for_each(|rule| rule.see(item, cx));
    }
    faults.extend(rules.into_iter().flat_map(|found| found.map_or_else(|wrong| wrong, ItemFaults::finish)));
    for field in cx.to_kind.fields.iter().filter(|f| f.required && !f.read_only) {
        if !fed.contains(field.id.as_str()) {
            faults.push(fault(lane, &field.id, FaultReason::RequiredUnfed, true));
        }
    }
    if cx.to_kind.needs_folder && !fills().any(|f| f.target == Slot::Folder) {
        faults.push(fault(lane, PARENT, FaultReason::RequiredUnfed, true));
    }
    if let Some(mark) = cx.to_kind.fields.iter().find(|f| f.origin_mark) {
        let fed = |f: &Fill| f.target == mark.id && f.source == Source::Origin;
        if !fills().any(fed) {
            faults.push(fault(lane, &mark.id, FaultReason::NoOriginRule, true));
        }
    } else if lane.kind_at(written) != Kind::Folder {
        // Folders are told apart by their paths.
        faults.push(fault(lane, "", FaultReason::NoMarkPlace, true));
    }
    faults
}

/// The rules of a lane that could carry both ways as they are, if it did: those that go on as they do, and nothing at either end
/// stands against their way back.
pub fn could_go_back(lane: &Lane, cx: &Context<'_>) -> Vec<RuleId> {
    let could = |rule: &&Rule| {
        let asked = Rule { back: true, ..(*rule).clone() };
        let fill = asked.fill(lane.written()).filter(|_| asked.fill(lane.read()).is_none());
        fill.is_some_and(|fill| {
            schema_faults(fill, cx.from_kind, cx.to_kind).is_empty()
                && way_back_faults(&asked, fill, (Direction::Both, lane.written()), cx).is_empty()
        })
    };
    lane.rules.iter().filter(could).map(|rule| rule.id.clone()).collect()
}

/// A fault of a lane that concerns no item in particular.
pub fn fault(lane: &Lane, field: &str, reason: FaultReason, blocks: bool) -> Fault {
    let (lane, into, field) = (lane.id.clone(), lane.written(), field.to_owned());
    Fault { lane, into, field, reason, items: Vec::new(), item_count: 0, blocks }
}

/// What is wrong with the way of a rule back from the end that `fill` is in.
fn way_back_faults(
    rule: &Rule,
    fill: &Fill,
    (direction, written): (Direction, End),
    cx: &Context<'_>,
) -> Vec<FaultReason> {
    let other = written.other();
    let spelt_out = rule.fill(other).filter(|_| direction == Direction::Both);
    if !rule.back && spelt_out.is_none() {
        return Vec::new();
    }
    if rule.back && !invertible(fill) {
        return vec![FaultReason::NotInvertible];
    }
    if direction != Direction::Both {
        return Vec::new();
    }
    // Both ways join the same two fields.
    let lane_rule = Lane { direction, ..Lane::of_kind(cx.from_kind.kind, vec![rule.clone()]) }.with_ways_back();
    let way_back = lane_rule.rules.first().and_then(|rule| rule.fill(other));
    let joins = |a: &Fill, b: &Fill, kind| joined(&a.source, kind).as_ref() == Some(&b.target);
    let Some(way_back) = way_back else { return vec![FaultReason::NotInvertible] };
    let computes = is_computed(fill) || is_computed(way_back);
    let of_schema = || schema_faults(way_back, cx.to_kind, cx.from_kind).into_iter().map(of_way_back);
    if !joins(fill, way_back, cx.from_kind) || !joins(way_back, fill, cx.to_kind) {
        // What is wrong with an expression says more.
        let told: Vec<_> = of_schema().filter(|f| matches!(f, FaultReason::BackExpression { .. })).collect();
        return match (told.is_empty(), computes) {
            (false, _) => told,
            (true, true) => vec![FaultReason::ReadsMore],
            (true, false) => vec![FaultReason::NotInvertible],
        };
    }
    let type_of = |kind: &KindSchema, slot: &Slot| kind.field(slot).map(|f| f.value_type);
    let types = (type_of(cx.to_kind, &fill.target), type_of(cx.from_kind, &way_back.target));
    let is_folder = fill.target == Slot::Folder;
    if !is_folder && !computes && !matches!(types, (Some(one), Some(other)) if go_both_ways(one, other)) {
        return vec![FaultReason::NotInvertible];
    }
    let allowed = cx.from_kind.field(&way_back.target).and_then(|f| f.allowed.as_ref());
    let back_to = fill.conversions.iter().flat_map(back_to_of).filter(|value| !value.is_empty());
    let astray = back_to.filter(|value| allowed.is_some_and(|allowed| !allowed.contains(value)));
    let astray: Vec<_> = astray.map(|value| FaultReason::BackNotAllowed { value: value.clone() }).collect();
    if !astray.is_empty() {
        return astray;
    }
    // The values that come are those that the conversions lead back to; they are told item by item.
    of_schema().filter(|reason| !(rule.back && matches!(reason, FaultReason::TypesDiffer { .. }))).collect()
}

/// A rule has two expressions where both its ways compute: what is wrong says in which.
fn of_way_back(reason: FaultReason) -> FaultReason {
    match reason {
        FaultReason::Expression { from, to, why } => FaultReason::BackExpression { from, to, why },
        reason => reason,
    }
}

fn is_computed(fill: &Fill) -> bool {
    matches!(fill.source, Source::Computed(_))
}

/// The slot that a way of a rule starts from: where it computes, the only field that it asks for.
fn joined(source: &Source, kind: &KindSchema) -> Option<Slot> {
    match source {
        Source::Computed(text) => Some(Slot::Field(compile(text, kind).ok()?.only_field()?.to_owned())),
        source => source.goes_back_to(),
    }
}

/// The values that the way back of a value map leads to.
fn back_to_of(conversion: &Conversion) -> Vec<&String> {
    let Conversion::ValueMap(map) = conversion else { return Vec::new() };
    let leads_back = |row: &&ValueRow| row_back(&map.rows, &row.right).is_some_and(|back| std::ptr::eq(back, *row));
    map.rows.iter().filter(leads_back).map(|row| &row.left).collect()
}

fn schema_faults(fill: &Fill, from: &KindSchema, to: &KindSchema) -> Vec<FaultReason> {
    let mut out = Vec::new();
    let target = to.field(&fill.target);
    if target.is_none() && fill.target != Slot::Folder {
        out.push(FaultReason::NoSuchTarget { field: fill.target.clone() });
    }
    if target.is_some_and(|t| t.read_only) {
        out.push(FaultReason::ReadOnly);
    }
    let source = match &fill.source {
        Source::Field(field) => {
            let found = from.field(field);
            if found.is_none() {
                out.push(FaultReason::NoSuchSource { field: field.clone() });
            }
            found.map(|f| f.value_type)
        }
        Source::Computed(text) => match compile(text, from) {
            Ok(found) if found.asks_time => {
                let why = "a value that depends on now would change with every dry run".to_owned();
                out.push(FaultReason::Expression { from: 0, to: text.chars().count() as u32, why });
                None
            }
            Ok(found) => found.is.value_type(),
            Err(wrong) => {
                let each = wrong.into_iter();
                out.extend(each.map(|f| FaultReason::Expression { from: f.from, to: f.to, why: f.message }));
                None
            }
        },
        Source::Folder if fill.target != Slot::Folder => {
            out.push(FaultReason::TypesDiffer { from: ValueType::Reference, to: ValueType::Text });
            None
        }
        Source::Links if fill.target != Slot::Links => {
            out.push(FaultReason::TypesDiffer { from: ValueType::Links, to: ValueType::Text });
            None
        }
        Source::Attachments if fill.target != Slot::Files => {
            out.push(FaultReason::TypesDiffer { from: ValueType::Attachments, to: ValueType::Text });
            None
        }
        Source::Comments | Source::CommentsAndHistory if fill.target != Slot::Comments => {
            out.push(FaultReason::TypesDiffer { from: ValueType::Comments, to: ValueType::Text });
            None
        }
        Source::History if fill.target != Slot::History => {
            out.push(FaultReason::TypesDiffer { from: ValueType::History, to: ValueType::Text });
            None
        }
        _ => None,
    };
    if let (Some(source), Some(target)) = (source, target) {
        let from = after_conversions(source, fill);
        if !goes_into(from, target.value_type) {
            out.push(FaultReason::TypesDiffer { from, to: target.value_type });
        }
    }
    out.extend(fill.conversions.iter().flat_map(|c| led_astray(c, target)));
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
