//! One change with every difference, and the rule behind each.

use axum::Json;
use axum::extract::State;
use hovrel_core::carry::FaultReason;
use hovrel_core::diff::{ValueDiff, diff};
use hovrel_core::model::{End, Ends, Value};
use hovrel_core::plan::{Brief, FieldChange, FieldDecision, FieldReason, decided_fields};
use hovrel_core::rules::Lane;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::listed::{ListedChange, listed, say_what_lacks};
use super::read::{first_contact, read};
use crate::App;
use crate::api::losses::LossDetail;
use crate::api::names::Names;
use crate::api::words::field_name;
use crate::path::Path;
use crate::problem::Problem;

/// A change with its values and their differences.
#[derive(Serialize, ToSchema)]
pub struct ChangeDetail {
    change: ListedChange,
    fields: Vec<FieldDetail>,
    losses: Vec<LossDetail>,
    /// Changes that must be applied before this one.
    depends_on: Vec<u32>,
}

#[derive(Serialize, ToSchema)]
pub struct FieldDetail {
    field: String,
    field_name: String,
    /// What the field is called that it is made from; empty if that is no field.
    from_name: String,
    rule: String,
    /// What the left holds; like `write` and `right` a difference without any change.
    left: ValueDiff,
    /// What will be written.
    write: ValueDiff,
    /// What the right holds.
    right: ValueDiff,
    /// From what the end that is written holds to what will be written.
    diff: ValueDiff,
    /// The end of the left's text that a rule cuts off.
    cut_off: String,
    reason: FieldReason,
    /// Whether a person may say what becomes of it.
    can_be_decided: bool,
    /// Whether the left's value may be written over what the right holds.
    may_be_written: bool,
    decision: FieldDecision,
    losses: Vec<LossDetail>,
    /// What it becomes at the left, where the rule carries both ways.
    back: Option<BackDetail>,
    /// What both edits make of it together, where they are in different parts.
    merge: Option<MergeDetail>,
    /// Why it can't be carried to an end, in words.
    cannot: Vec<String>,
}

/// What both edits of a field make of it together.
#[derive(Serialize, ToSchema)]
pub struct MergeDetail {
    /// From what the left holds to what will be written there.
    left: ValueDiff,
    /// From what the right holds to what will be written there.
    right: ValueDiff,
    losses: Vec<LossDetail>,
}

/// What a field becomes at the left.
#[derive(Serialize, ToSchema)]
pub struct BackDetail {
    field_name: String,
    /// What will be written.
    write: ValueDiff,
    /// From what the left holds to what will be written.
    diff: ValueDiff,
    /// Whether the right's value may be written over what the left holds.
    may_be_written: bool,
    /// Whether it is written there unless a person says otherwise.
    goes: bool,
    losses: Vec<LossDetail>,
}

pub(super) async fn detail(app: &App, id: Uuid, seq: u32) -> Result<ChangeDetail, Problem> {
    let plan = app.hub.store.plan(id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(plan.lanes)?;
    let route = app.hub.store.route(plan.route_id).await?;
    let mut row = read(app.hub.store.change(id, seq as i32).await?)?;
    let Ends { left, right } = Names::at_both(app, &route).await?;
    for (side, names) in [(&mut row.change.left, &left), (&mut row.change.right, &right)] {
        if let Some(side) = side {
            side.modified = side.modified.as_ref().map(|m| names.stamp(m, names));
        }
    }
    let left_kind = row.change.kind;
    let policy = first_contact(&lanes, &row.change.lane);
    let lane = lanes.iter().find(|l| l.id == row.change.lane);
    let first = row.change.written;
    // What is written, and what it is made from.
    let names = Ends { left: &left, right: &right };
    let (here, there) = (names[first], names[first.other()]);
    let (kind, other_kind) = (row.change.kind_at(first), row.change.kind_at(first.other()));
    let back_of = |f: &FieldChange, from: &Value| {
        let back = f.back.as_ref()?;
        let write = left.named(&back.write, left.refers_to(left_kind, Some(&back.field)), &right);
        Some(BackDetail {
            field_name: field_name(&back.field, left.catalogue.kind(left_kind)),
            write: diff(&write, &write),
            diff: diff(from, &then(f, from, &write)),
            may_be_written: f.reason.may_be_written(first.other()) && f.written_into(first.other(), first).is_some(),
            goes: f.reason.default_decision(policy, first) == FieldDecision::Write(first.other()),
            losses: back.losses.iter().map(LossDetail::of).collect(),
        })
    };
    let merge_of = |f: &FieldChange, (from, held): (&Value, &Value), to| {
        let merge = f.merge.as_ref()?;
        let slot = f.back.as_ref().map_or(&f.field, |back| &back.field);
        let at_left = left.named(&merge.write.left, left.refers_to(left_kind, Some(slot)), &right);
        let losses = merge.losses.left.iter().chain(&merge.losses.right);
        Some(MergeDetail {
            left: diff(from, &then(f, from, &at_left)),
            right: diff(held, &then(f, held, &right.named(&merge.write.right, to, &left))),
            losses: losses.map(LossDetail::of).collect(),
        })
    };
    let fields = decided_fields(&row.change, &row.decision).iter().map(|f| {
        let rule = lane.and_then(|lane| lane.rule_filling(first, &f.field));
        let fill = rule.and_then(|rule| rule.fill(first));
        let is_mark = here.catalogue.kind(kind).and_then(|k| k.field(&f.field)).is_some_and(|field| field.origin_mark);
        let source = fill.and_then(|fill| fill.source.field());
        let told = |end: End| f.held(end).unwrap_or(&Value::Empty);
        let from = there.named(told(first.other()), there.refers_to(other_kind, source), there);
        let to = here.refers_to(kind, Some(&f.field));
        let write = here.named(&f.write, to, there);
        let held = here.named(told(first), to, there);
        let (at_left, at_right) = if first == End::Right { (&from, &held) } else { (&held, &from) };
        FieldDetail {
            field_name: field_name(&f.field, here.catalogue.kind(kind)),
            from_name: source.map(|s| field_name(s, there.catalogue.kind(other_kind))).unwrap_or_default(),
            rule: match rule.map(|rule| rule.taken_back().and_then(|end| rule.fill(end)).or(fill)) {
                Some(converts) => converts.map(rule_words).unwrap_or_default(),
                None if is_mark => "origin".into(),
                None => String::new(),
            },
            left: diff(at_left, at_left),
            write: diff(&write, &write),
            right: diff(at_right, at_right),
            diff: diff(&held, &then(f, &held, &write)),
            cut_off: cut_off(&from, &write),
            reason: f.reason,
            can_be_decided: f.reason.can_be_decided(first),
            may_be_written: f.reason.may_be_written(first) && f.written_into(first, first).is_some(),
            decision: row.decision.field(f, policy, first),
            back: back_of(f, &from),
            merge: merge_of(f, (&from, &held), to),
            cannot: f.cannot.iter().map(|(end, why)| cannot(*end, why)).collect(),
            losses: f.losses.iter().map(LossDetail::of).collect(),
            field: f.field.to_string(),
        }
    });
    let mut change = listed(seq, Brief::of(&row.change), (&row.decision, row.included, &row.refusals), &lanes);
    say_what_lacks(app, id, std::slice::from_mut(&mut change)).await?;
    Ok(ChangeDetail {
        fields: fields.collect(),
        losses: row.change.losses.iter().map(LossDetail::of).collect(),
        depends_on: row.change.depends_on.clone(),
        change,
    })
}

/// Why a value can't be carried to an end, in words.
pub fn cannot(end: End, why: &FaultReason) -> String {
    format!("it can't be transferred to the {}: {}", end.id(), hovrel_words::fault(end, why))
}

/// What an end holds after a write. Of comments and past changes only what is added is written: what is there stays.
fn then(f: &FieldChange, held: &Value, write: &Value) -> Value {
    match (held, write) {
        _ if matches!(f.reason, FieldReason::TakenOff(_)) => write.clone(),
        (Value::Comments(held), Value::Comments(added)) => Value::Comments([&held[..], added].concat()),
        (Value::History(held), Value::History(added)) => Value::History([&held[..], added].concat()),
        (Value::Comments(_) | Value::History(_), Value::Empty) => held.clone(),
        (_, write) => write.clone(),
    }
}

fn cut_off(left: &Value, write: &Value) -> String {
    match (left, write) {
        (Value::Text(whole), Value::Text(kept)) => whole.strip_prefix(kept.as_str()).unwrap_or_default().to_owned(),
        _ => String::new(),
    }
}

fn rule_words(fill: &hovrel_core::rules::Fill) -> String {
    use hovrel_core::rules::{Conversion, Source};
    match (&fill.source, fill.conversions.last()) {
        (Source::Folder, _) => "mirror".into(),
        (Source::Origin, _) => "origin".into(),
        (Source::Constant(_), _) => "constant".into(),
        (Source::Attachments, _) => "files".into(),
        (_, Some(Conversion::LinkTypes(_))) => "types of links".into(),
        (Source::Links, _) => "links".into(),
        (Source::Comments, _) => "comments".into(),
        (Source::CommentsAndHistory, _) => "comments and history".into(),
        (Source::History, _) => "history".into(),
        (_, None) => "as it is".into(),
        (_, Some(Conversion::ValueMap(_))) => "value map".into(),
        (_, Some(Conversion::RichText)) => "rich text".into(),
        (_, Some(Conversion::Shorten { to })) => format!("shorten to {to}"),
        (_, Some(Conversion::Users(_))) => "people".into(),
        (_, Some(Conversion::IfEmpty { .. })) => "a text if empty".into(),
        (_, Some(Conversion::Hours)) => "hours".into(),
        (_, Some(Conversion::Number { .. })) => "number".into(),
        (_, Some(Conversion::PathLevel { level })) => format!("folder at level {level}"),
    }
}

/// One change with every difference.
#[utoipa::path(get, path = "/plans/{id}/changes/{seq}", operation_id = "getChange", params(("id" = Uuid, Path), ("seq" = u32, Path)),
    responses((status = 200, body = ChangeDetail)))]
pub async fn change(State(app): State<App>, Path((id, seq)): Path<(Uuid, u32)>) -> Result<Json<ChangeDetail>, Problem> {
    Ok(Json(detail(&app, id, seq).await?))
}
