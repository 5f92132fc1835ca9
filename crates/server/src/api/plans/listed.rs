//! The changes of a plan as a list: filtered, page by page, without their values.

use std::collections::HashMap;

use axum::Json;
use axum::extract::State;
use hovrel_core::model::{End, Kind};
use hovrel_core::plan::{Brief, Decision, Outcome};
use hovrel_core::rehearse::Refusal;
use hovrel_core::rules::Lane;
use hovrel_store::{BriefRow, ChangeFilter};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::read::first_contact;
use crate::App;
use crate::path::Path;
use crate::problem::Problem;
use crate::query::Query;

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
            && !lanes.iter().flat_map(Lane::fills).any(|f| f.target == *field)
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
    /// The end that it writes, or writes first.
    written: End,
    outcome: Outcome,
    left: Option<hovrel_core::plan::Side>,
    right: Option<hovrel_core::plan::Side>,
    evidence: Option<hovrel_core::identity::Evidence>,
    fields: u32,
    fields_written: u32,
    conflicts_open: u32,
    losses: u32,
    faults: Vec<String>,
    /// What the end that is written would say to it, as the rehearsal found.
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
pub(super) async fn say_what_lacks(app: &App, plan: Uuid, list: &mut [ListedChange]) -> Result<(), Problem> {
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

fn refusal_words(refusal: &Refusal) -> String {
    let told = hovrel_words::refusal(&refusal.reason);
    if refusal.field.is_empty() { told } else { format!("{}: {told}", refusal.field) }
}

pub(super) fn listed(
    seq: u32,
    brief: Brief,
    (decision, included, refusals): (&Decision, bool, &[Refusal]),
    lanes: &[Lane],
) -> ListedChange {
    let policy = first_contact(lanes, &brief.lane);
    let absent_at = match brief.outcome {
        Outcome::Gone(end) | Outcome::OutOfScope(end) => end,
        _ if brief.right.is_some() => End::Left,
        _ => End::Right,
    };
    ListedChange {
        seq,
        fields: brief.fields.len() as u32,
        fields_written: brief.fields_written(decision, policy) as u32,
        conflicts_open: brief.conflicts_open(decision, policy) as u32,
        faults: brief
            .faults
            .iter()
            .map(|(field, reason)| format!("{field}: {}", hovrel_words::fault(brief.written, reason)))
            .collect(),
        refusals: refusals.iter().map(refusal_words).collect(),
        kind: brief.kind,
        written: brief.written,
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
        absence: brief.absence.map(|a| hovrel_words::absence(a, absent_at).to_owned()),
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
