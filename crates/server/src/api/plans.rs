//! Dry runs and plans: what was found, in or out, field by field, and the transfer of it.

use std::collections::HashMap;

use axum::Json;
use axum::extract::State;
use axum::response::Response;
use chrono::{DateTime, Utc};
use hovrel_core::diff::{ValueDiff, diff};
use hovrel_core::mapping::{FirstContact, Lane};
use hovrel_core::model::{Kind, Value};
use hovrel_core::plan::{Brief, Change, Decision, FieldDecision, Outcome, decided_fields};
use hovrel_core::rehearse::{Calls, Estimate, Refusal};
use hovrel_engine::PlanSummary;
use hovrel_store::{BriefRow, ChangeCount, ChangeFilter, ChangeRow, NewJob, Plan};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::decisions::still_open;
use super::jobs::JobAnswer;
use super::names::Names;
use crate::App;
use crate::path::Path;
use crate::problem::Problem;
use crate::query::Query;
use crate::surveyed::LeftEnd;

/// Begins a dry run. Refused while rules have faults that block it.
#[utoipa::path(post, path = "/routes/{id}/dry-runs", operation_id = "dryRun", params(("id" = Uuid, Path)),
    responses((status = 202, body = JobAnswer)))]
pub async fn dry_run(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let route = app.hub.store.route(id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    let left = LeftEnd::of(&app, &route, &lanes).await?;
    let faults = super::rules::faults(&app, &route, &lanes, &left, &left.covered(&lanes)).await?;
    let blocking: Vec<_> = faults.iter().filter(|f| f.blocks).collect();
    if !blocking.is_empty() {
        let listed: Vec<String> = blocking.iter().map(|f| format!("{}: {}", f.field, f.message)).collect();
        return Err(Problem::not_now(
            format!("{} must be fixed first: {}", blocking.len(), listed.join("; ")),
            "Open Rules and fix what is listed there.",
        ));
    }
    let job = NewJob { id: Uuid::now_v7(), kind: "dry_run".into(), route_id: Some(id), ..NewJob::default() };
    super::jobs::queue(&app, job).await
}

/// A plan in numbers.
#[derive(Serialize, ToSchema)]
pub struct PlanFigure {
    pub id: Uuid,
    pub made_at: DateTime<Utc>,
    pub route_version: i32,
    /// Changes in all, moves of a base not counted.
    pub changes: i64,
    pub included: i64,
    pub with_losses: i64,
    /// Fields in conflict, as the dry run found them.
    pub conflicts: i64,
    /// Of these, fields that are not decided yet.
    pub open_conflicts: i64,
    /// The changes that have them.
    pub in_conflict: i64,
    pub in_step: u64,
    pub left_in_scope: u64,
    pub left_total: u64,
    pub only_right: u64,
    /// Pairs that a person let go: they are not carried, and not told again.
    pub let_go: u64,
    /// Kinds whose items stand in folders at both ends and don't keep their order there.
    pub order_not_kept: Vec<Kind>,
    /// Items that more than one lane covers, of the same kinds: one of them carries each.
    pub covered_twice: u64,
    /// Left items that get a link to their counterpart, of the changes taken in.
    pub links_back: i64,
    /// Changes taken in that the right would not take, as the rehearsal found.
    pub refused: i64,
    /// What the transfer of the changes taken in will cost, without retries; none if the plan was made before it was
    /// estimated.
    pub estimate: Option<Estimate>,
    pub outcomes: Vec<OutcomeCount>,
    pub fields: Vec<String>,
    /// BLAKE3 over the changes, in hex.
    pub digest: String,
    /// How many decisions can be undone.
    pub undoable: i64,
    /// The transfer of this plan, if there was one.
    pub transfer: Option<JobAnswer>,
}

#[derive(Serialize, ToSchema)]
pub struct OutcomeCount {
    pub outcome: String,
    pub kind: String,
    pub included: bool,
    pub count: i64,
}

impl PlanFigure {
    /// Plans in numbers, in their order.
    pub async fn of(app: &App, plans: Vec<Plan>) -> Result<Vec<PlanFigure>, Problem> {
        let ids: Vec<Uuid> = plans.iter().map(|p| p.id).collect();
        let counts = app.hub.store.change_counts(&ids).await?;
        let fields = app.hub.store.changed_fields(&ids).await?;
        let transfers = app.hub.store.transfers_of_plans(&ids).await?;
        let steps: HashMap<Uuid, i64> = app.hub.store.decision_steps(&ids).await?.into_iter().collect();
        let one = |plan: Plan| {
            let id = plan.id;
            let fields = fields.iter().find(|(of, _)| *of == id).map(|(_, names)| names.clone()).unwrap_or_default();
            let transfer = transfers.iter().find(|t| t.plan_id == Some(id)).cloned().map(JobAnswer::of);
            let counts: Vec<&ChangeCount> =
                counts.iter().filter(|c| c.plan_id == id && c.outcome != "in_step").collect();
            let undoable = steps.get(&id).copied().unwrap_or_default();
            PlanFigure::in_all(plan, &counts, fields, undoable, transfer)
        };
        plans.into_iter().map(one).collect()
    }

    pub async fn of_one(app: &App, plan: Plan) -> Result<PlanFigure, Problem> {
        let figures = PlanFigure::of(app, vec![plan]).await?;
        figures.into_iter().next().ok_or_else(|| Problem::missing("The plan"))
    }

    fn in_all(
        plan: Plan,
        counts: &[&ChangeCount],
        fields: Vec<String>,
        undoable: i64,
        transfer: Option<JobAnswer>,
    ) -> Result<PlanFigure, Problem> {
        let summary: PlanSummary = serde_json::from_value(plan.summary)?;
        let sum = |of: fn(&ChangeCount) -> i64| counts.iter().map(|c| of(c)).sum();
        let mut calls = Calls::default();
        for of in counts.iter().filter(|c| c.included) {
            calls.add(serde_json::from_value(of.kind.clone().into())?, of.right_calls, of.left_calls);
        }
        Ok(PlanFigure {
            changes: sum(|c| c.count),
            included: sum(|c| if c.included { c.count } else { 0 }),
            with_losses: sum(|c| c.with_losses),
            conflicts: sum(|c| c.conflicts),
            in_conflict: sum(|c| c.in_conflict),
            open_conflicts: sum(|c| c.open),
            refused: sum(|c| c.refused),
            in_step: summary.in_step,
            left_in_scope: summary.left_in_scope,
            left_total: summary.left_total,
            only_right: summary.only_right,
            let_go: summary.let_go,
            order_not_kept: summary.order_not_kept,
            covered_twice: summary.covered_twice,
            links_back: sum(|c| if c.included { c.links_back } else { 0 }),
            estimate: summary.paces.map(|p| calls.estimate(&p.left, &p.right)),
            outcomes: counts
                .iter()
                .map(|c| OutcomeCount {
                    outcome: c.outcome.clone(),
                    kind: c.kind.clone(),
                    included: c.included,
                    count: c.count,
                })
                .collect(),
            fields,
            undoable,
            digest: plan.digest.iter().map(|b| format!("{b:02x}")).collect(),
            transfer,
            id: plan.id,
            made_at: plan.made_at,
            route_version: plan.route_version,
        })
    }
}

/// A plan in numbers.
#[utoipa::path(get, path = "/plans/{id}", operation_id = "getPlan", params(("id" = Uuid, Path)),
    responses((status = 200, body = PlanFigure)))]
pub async fn one(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<PlanFigure>, Problem> {
    let plan = app.hub.store.plan(id).await?;
    Ok(Json(PlanFigure::of_one(&app, plan).await?))
}

/// Which changes.
#[derive(Debug, Default, Deserialize, IntoParams, ToSchema)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ChangeQuery {
    outcome: Option<Outcome>,
    kind: Option<Kind>,
    /// A field that the plan's rules fill.
    field: Option<String>,
    #[serde(default)]
    with_losses: bool,
    /// Only those with fields in conflict that are not decided yet.
    #[serde(default)]
    in_conflict: bool,
    #[serde(default)]
    left_out: bool,
    /// Only those taken in that the right would not take.
    #[serde(default)]
    refused: bool,
    find: Option<String>,
    /// Cursor of the page before.
    after: Option<i32>,
    limit: Option<i64>,
}

impl ChangeQuery {
    /// Changes of a kind that have a field.
    pub(super) fn of_field(field: &str, kind: Kind) -> ChangeQuery {
        ChangeQuery { field: Some(field.to_owned()), kind: Some(kind), ..ChangeQuery::default() }
    }

    /// Refused if its field is none of the plan's.
    pub(super) fn filter(self, lanes: &[Lane]) -> Result<ChangeFilter, Problem> {
        if let Some(field) = &self.field
            && !lanes.iter().flat_map(|l| &l.rules).any(|r| r.target == *field)
        {
            return Err(Problem::field("/field", format!("no rule of this plan fills a field “{field}”")));
        }
        Ok(ChangeFilter {
            outcome: self.outcome.map(|o| o.id().to_owned()),
            kind: self.kind.map(|k| k.id().to_owned()),
            field: self.field,
            with_losses: self.with_losses,
            in_conflict: self.in_conflict,
            left_out: self.left_out,
            refused: self.refused,
            find: self.find.filter(|f| !f.trim().is_empty()),
        })
    }
}

#[derive(Serialize, ToSchema)]
pub struct ChangeList {
    items: Vec<ListedChange>,
    /// How many match; of a filter's matches 500 are counted.
    total: i64,
    /// More match than `total`, which were counted.
    more: bool,
    next: Option<i32>,
}

/// A change without its values.
#[derive(Serialize, ToSchema)]
pub struct ListedChange {
    seq: u32,
    kind: Kind,
    outcome: Outcome,
    left: Option<hovrel_core::plan::Side>,
    right: Option<hovrel_core::plan::Side>,
    evidence: Option<hovrel_core::identity::Evidence>,
    fields: u32,
    fields_written: u32,
    conflicts_open: u32,
    losses: u32,
    faults: Vec<String>,
    /// What the right would say to it, as the rehearsal found.
    refusals: Vec<String>,
    included: bool,
    as_new: bool,
    /// Whether the pair is let go, if it is taken in.
    let_go: bool,
    /// Why one of the two is not there to be compared.
    absence: Option<String>,
    steps: Option<u32>,
    files: u32,
    /// What it needs and is left out, if it is left out itself.
    lacks: Vec<LackedChange>,
}

/// A change that another needs.
#[derive(Serialize, ToSchema)]
pub struct LackedChange {
    seq: i32,
    key: String,
    title: String,
}

/// Says of changes that are left out what they need and is left out too.
async fn say_what_lacks(app: &App, plan: Uuid, list: &mut [ListedChange]) -> Result<(), Problem> {
    let out: Vec<i32> = list.iter().filter(|c| !c.included).map(|c| c.seq as i32).collect();
    if out.is_empty() {
        return Ok(());
    }
    let mut lacking: HashMap<i32, Vec<LackedChange>> = HashMap::new();
    for l in app.hub.store.lacking(plan, &out).await? {
        lacking.entry(l.seq).or_default().push(LackedChange { seq: l.needs, key: l.key, title: l.title });
    }
    for change in list {
        change.lacks = lacking.remove(&(change.seq as i32)).unwrap_or_default();
    }
    Ok(())
}

pub(super) struct Read {
    pub change: Change,
    pub decision: Decision,
    pub included: bool,
    pub refusals: Vec<Refusal>,
    pub right_calls: f64,
    pub left_calls: f64,
    pub links_back: bool,
}

pub(super) fn read(row: ChangeRow) -> Result<Read, Problem> {
    Ok(Read {
        change: serde_json::from_value(row.body)?,
        decision: serde_json::from_value(row.decision)?,
        included: row.included,
        refusals: serde_json::from_value(row.refusals)?,
        right_calls: row.right_calls,
        left_calls: row.left_calls,
        links_back: row.links_back,
    })
}

fn refusal_words(refusal: &Refusal) -> String {
    let told = refusal.reason.describe();
    if refusal.field.is_empty() { told } else { format!("{}: {told}", refusal.field) }
}

pub(super) fn first_contact(lanes: &[Lane], lane: &str) -> FirstContact {
    lanes.iter().find(|l| l.id == lane).map(|l| l.policies.first_contact).unwrap_or_default()
}

fn listed(
    seq: u32,
    brief: Brief,
    (decision, included, refusals): (&Decision, bool, &[Refusal]),
    lanes: &[Lane],
) -> ListedChange {
    let policy = first_contact(lanes, &brief.lane);
    let at_left = match brief.outcome {
        Outcome::GoneRight => false,
        Outcome::GoneLeft | Outcome::LeftScope => true,
        _ => brief.right.is_some(),
    };
    ListedChange {
        seq,
        fields: brief.fields.len() as u32,
        fields_written: brief.fields_written(decision, policy) as u32,
        conflicts_open: brief.conflicts_open(decision, policy) as u32,
        faults: brief.faults.iter().map(|(field, reason)| format!("{field}: {}", reason.describe())).collect(),
        refusals: refusals.iter().map(refusal_words).collect(),
        kind: brief.kind,
        outcome: brief.outcome,
        losses: brief.losses,
        steps: brief.steps,
        files: brief.files,
        left: brief.left,
        right: brief.right,
        evidence: brief.evidence,
        included,
        as_new: decision.as_new,
        let_go: decision.let_go,
        absence: brief.absence.map(|a| a.describe(at_left).to_owned()),
        lacks: Vec::new(),
    }
}

pub(super) const PAGE: i64 = 100;

/// Changes of a plan, in its order.
#[utoipa::path(get, path = "/plans/{id}/changes", operation_id = "listChanges", params(("id" = Uuid, Path), ChangeQuery),
    responses((status = 200, body = ChangeList)))]
pub async fn changes(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<ChangeQuery>,
) -> Result<Json<ChangeList>, Problem> {
    let (after, limit) = (query.after.unwrap_or(-1), query.limit.unwrap_or(PAGE).clamp(1, 500));
    let plan = app.hub.store.plan(id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(plan.lanes)?;
    let (rows, total) = app.hub.store.list_changes(id, &query.filter(&lanes)?, after, limit).await?;
    let next = (rows.len() as i64 == limit).then(|| rows.last().map(|r| r.seq)).flatten();
    let one = |row: BriefRow| {
        let (brief, decision) = (serde_json::from_value(row.brief)?, serde_json::from_value(row.decision)?);
        let refusals: Vec<Refusal> = serde_json::from_value(row.refusals)?;
        Ok(listed(row.seq as u32, brief, (&decision, row.included, &refusals), &lanes))
    };
    let mut items = rows.into_iter().map(one).collect::<Result<Vec<_>, Problem>>()?;
    say_what_lacks(&app, id, &mut items).await?;
    Ok(Json(ChangeList { items, total: total.counted, more: total.more, next }))
}

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
    rule: String,
    /// What the left holds; like `write` and `right` a difference without any change.
    left: ValueDiff,
    /// What will be written.
    write: ValueDiff,
    /// What the right holds.
    right: ValueDiff,
    /// From what the right holds to what will be written.
    diff: ValueDiff,
    /// The end of the left's text that a rule cuts off.
    cut_off: String,
    reason: hovrel_core::plan::FieldReason,
    /// Whether a person may say what becomes of it.
    can_be_decided: bool,
    /// Whether the left's value may be written over what the right holds.
    may_be_written: bool,
    decision: FieldDecision,
    losses: Vec<LossDetail>,
}

#[derive(Serialize, ToSchema)]
pub struct LossDetail {
    field: String,
    kind: hovrel_core::loss::LossKind,
    why: String,
    before: String,
    after: String,
}

impl LossDetail {
    pub fn of(l: &hovrel_core::loss::Loss) -> LossDetail {
        LossDetail {
            field: l.field.clone(),
            kind: l.kind,
            why: l.cause.describe(),
            before: l.before.clone(),
            after: l.after.clone(),
        }
    }
}

pub(super) async fn detail(app: &App, id: Uuid, seq: u32) -> Result<ChangeDetail, Problem> {
    let plan = app.hub.store.plan(id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(plan.lanes)?;
    let route = app.hub.store.route(plan.route_id).await?;
    let mut row = read(app.hub.store.change(id, seq as i32).await?)?;
    let left = Names::of(app, route.left_system, &route.left_container).await?;
    let right = Names::of(app, route.right_system, &route.right_container).await?;
    for (side, names) in [(&mut row.change.left, &left), (&mut row.change.right, &right)] {
        if let Some(side) = side {
            side.modified = side.modified.as_ref().map(|m| names.stamp(m, names));
        }
    }
    let (left_kind, right_kind) = (row.change.kind, row.change.right_kind);
    let policy = first_contact(&lanes, &row.change.lane);
    let lane = lanes.iter().find(|l| l.id == row.change.lane);
    let kind = right.catalogue.kind(row.change.right_kind);
    let fields = decided_fields(&row.change, &row.decision).iter().map(|f| {
        let rule = lane.and_then(|l| l.rules.iter().find(|r| r.target == f.field));
        let source = rule.and_then(|r| match &r.source {
            hovrel_core::mapping::Source::Field(field) => Some(field.as_str()),
            _ => None,
        });
        let from = left.named(f.left.as_ref().unwrap_or(&Value::Empty), left.refers_to(left_kind, source), &left);
        let to = right.refers_to(right_kind, Some(&f.field));
        let write = right.named(&f.write, to, &left);
        let held = right.named(f.right.as_ref().unwrap_or(&Value::Empty), to, &left);
        FieldDetail {
            field_name: field_name(&f.field, kind),
            rule: rule.map(rule_words).unwrap_or_default(),
            left: diff(&from, &from),
            write: diff(&write, &write),
            right: diff(&held, &held),
            diff: diff(&held, &write),
            cut_off: cut_off(&from, &write),
            reason: f.reason,
            can_be_decided: f.reason.can_be_decided(),
            may_be_written: f.reason.may_be_written(),
            decision: row.decision.field(f, policy),
            losses: f.losses.iter().map(LossDetail::of).collect(),
            field: f.field.clone(),
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

fn cut_off(left: &Value, write: &Value) -> String {
    match (left, write) {
        (Value::Text(whole), Value::Text(kept)) => whole.strip_prefix(kept.as_str()).unwrap_or_default().to_owned(),
        _ => String::new(),
    }
}

pub fn field_name(field: &str, kind: Option<&hovrel_core::catalogue::KindSchema>) -> String {
    match field {
        hovrel_core::mapping::PARENT => "Folder".into(),
        hovrel_core::mapping::ATTACHMENTS => "Files".into(),
        hovrel_core::mapping::LINKS => "Links".into(),
        hovrel_core::mapping::COMMENTS => "Comments".into(),
        hovrel_core::mapping::HISTORY => "History".into(),
        other => kind.and_then(|k| k.field(other)).map_or_else(|| other.to_owned(), |f| f.name.clone()),
    }
}

fn rule_words(rule: &hovrel_core::mapping::Rule) -> String {
    use hovrel_core::mapping::{Conversion, Source};
    match (&rule.source, rule.conversions.last()) {
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

/// Begins the transfer of a plan. A plan is transferred once.
#[utoipa::path(post, path = "/plans/{id}/transfer", operation_id = "transferPlan", params(("id" = Uuid, Path)),
    responses((status = 202, body = JobAnswer)))]
pub async fn transfer(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    still_open(&app, id).await?;
    let plan = app.hub.store.plan(id).await?;
    if app.hub.store.latest_plans(&[plan.route_id]).await?.iter().any(|p| p.id != id) {
        return Err(Problem::not_now(
            "There is a newer dry run of this route.",
            "Open the newest one and transfer that.",
        ));
    }
    let job = NewJob {
        id: Uuid::now_v7(),
        kind: "transfer".into(),
        route_id: Some(plan.route_id),
        plan_id: Some(id),
        ..NewJob::default()
    };
    super::jobs::queue(&app, job).await
}
