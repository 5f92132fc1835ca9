//! What a transfer of a plan will do before it is begun, and what it did afterwards, line by line.
//!
//! Decides which changes are one line, so that the lines together are all that is included. A line that is planned is the
//! same line when it is done.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::model::{End, Kind};
use hovrel_core::plan::{Brief, Decision, Outcome, losses_of_equal, losses_of_written};
use hovrel_core::rehearse::Estimate;
use hovrel_core::rules::Lane;
use hovrel_store::Undertaken;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::figures::PlanFigure;
use super::read::first_contact;
use crate::App;
use crate::api::jobs::JobAnswer;
use crate::path::Path;
use crate::problem::Problem;

/// What is done to an item, or to a pair.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Doing {
    Create,
    /// An item that is new at the right is created at the left.
    CreateLeft,
    /// An item that is gone at the right is created once more.
    CreateAgain,
    /// An item that is gone at the left is created once more.
    CreateAgainLeft,
    Update,
    /// Only the left is written, with what was edited at the right.
    UpdateLeft,
    /// Two items that are there become a pair; what differs is written as decided.
    Pair,
    /// Nothing is written: the right's values are kept, by decision.
    Keep,
    /// Nothing is written: the left's values are kept, by decision.
    KeepLeft,
    /// The pair is let go; nothing is removed.
    LetGo,
    /// Both ends came to the same by themselves: it is remembered, and nothing is written.
    Remember,
}

/// Items of one kind to which the same is done.
#[derive(Serialize, ToSchema)]
pub struct ReceiptLine {
    doing: Doing,
    kind: Kind,
    planned: i64,
    /// Carried out.
    done: i64,
    /// What was not accepted, or could not be done.
    refused: i64,
}

/// Losses of one cause.
#[derive(Serialize, ToSchema)]
pub struct ReceiptLoss {
    kind: LossKind,
    why: String,
    /// As the plan shows them, for what is included.
    planned: i64,
    /// In the ledger now: foreseen by a plan, and not.
    foreseen: i64,
    not_foreseen: i64,
}

/// A plan as it will be carried out, or was.
#[derive(Serialize, ToSchema)]
pub struct Receipt {
    plan: Uuid,
    route: Uuid,
    route_name: String,
    route_version: i32,
    left_system: String,
    right_system: String,
    /// The ends that lanes of the plan write.
    written: Vec<End>,
    lines: Vec<ReceiptLine>,
    losses: Vec<ReceiptLoss>,
    /// As the plan's figures have them.
    links_back: i64,
    estimate: Option<Estimate>,
    /// The transfer of this plan, if there was one.
    transfer: Option<JobAnswer>,
}

/// What is done to changes of one outcome; none if it depends on their fields.
fn doing(of: &Undertaken, outcome: Outcome) -> Option<Doing> {
    match outcome {
        _ if of.let_go => Some(Doing::LetGo),
        Outcome::New(end) => Some(create(end)),
        Outcome::Adopt if of.as_new => Some(create(End::of_id(&of.written).unwrap_or(End::Right))),
        Outcome::Gone(End::Right) => Some(Doing::CreateAgain),
        Outcome::Gone(End::Left) => Some(Doing::CreateAgainLeft),
        Outcome::Adopt => Some(Doing::Pair),
        Outcome::Update(End::Left) => Some(Doing::UpdateLeft),
        Outcome::Update(End::Right) => Some(Doing::Update),
        Outcome::InStep => Some(Doing::Remember),
        Outcome::OutOfScope(_) | Outcome::TakenOff(_) => Some(Doing::LetGo),
        Outcome::Conflict | Outcome::Held(_) | Outcome::Blocked | Outcome::Unreadable => None,
    }
}

fn create(end: End) -> Doing {
    match end {
        End::Left => Doing::CreateLeft,
        End::Right => Doing::Create,
    }
}

/// Changes are read so many at a time.
const PART: i64 = 500;

/// What a plan will do when it is transferred, as it is decided now; or what its transfer did.
#[utoipa::path(get, path = "/plans/{id}/receipt", operation_id = "getReceipt", params(("id" = Uuid, Path)),
    responses((status = 200, body = Receipt)))]
pub async fn one(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<Receipt>, Problem> {
    let store = &app.hub.store;
    let plan = store.plan(id).await?;
    let route = store.route(plan.route_id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(plan.lanes.clone())?;
    let figure = PlanFigure::of_one(&app, plan).await?;
    let job = figure.transfer.as_ref().map(|j| j.id);
    let mut lines: BTreeMap<(Doing, String), [i64; 3]> = BTreeMap::new();
    let mut add = |doing: Doing, kind: &str, counts: [i64; 3]| {
        let line = lines.entry((doing, kind.to_owned())).or_default();
        line.iter_mut().zip(counts).for_each(|(sum, n)| *sum += n);
    };
    for of in store.undertaken(id, job).await? {
        if let Some(doing) = doing(&of, serde_json::from_value(of.outcome.clone().into())?) {
            add(doing, &of.kind, [of.planned, of.done, of.refused]);
        }
    }
    let mut after = -1;
    loop {
        let rows = store.included_conflicts(id, job, after, PART).await?;
        let Some(last) = rows.last() else { break };
        after = last.seq;
        for row in rows {
            let (brief, decision): (Brief, Decision) =
                (serde_json::from_value(row.brief)?, serde_json::from_value(row.decision)?);
            let writes = brief.fields_written(&decision, first_contact(&lanes, &brief.lane)) > 0;
            let came = |state: &str| i64::from(row.state.as_deref() == Some(state));
            let doing = match (writes, brief.written) {
                (true, End::Right) => Doing::Update,
                (true, End::Left) => Doing::UpdateLeft,
                (false, End::Right) => Doing::Keep,
                (false, End::Left) => Doing::KeepLeft,
            };
            add(doing, brief.kind.id(), [1, came("done"), came("refused")]);
        }
    }
    let one = |((doing, kind), [planned, done, refused]): ((Doing, String), [i64; 3])| {
        Ok(ReceiptLine { doing, kind: serde_json::from_value(kind.into())?, planned, done, refused })
    };
    Ok(Json(Receipt {
        lines: lines.into_iter().map(one).collect::<Result<_, Problem>>()?,
        losses: losses(&app, id, job, &lanes).await?,
        written: End::BOTH.into_iter().filter(|end| lanes.iter().any(|l| l.direction.writes(*end))).collect(),
        links_back: figure.links_back,
        estimate: figure.estimate,
        left_system: store.system(route.left_system).await?.name,
        right_system: store.system(route.right_system).await?.name,
        transfer: figure.transfer,
        plan: id,
        route: route.id,
        route_name: route.name,
        route_version: figure.route_version,
    }))
}

/// Losses by cause: as planned, and as they are in the ledger.
async fn losses(app: &App, plan: Uuid, job: Option<Uuid>, lanes: &[Lane]) -> Result<Vec<ReceiptLoss>, Problem> {
    let store = &app.hub.store;
    let mut counts: BTreeMap<(String, &'static str), (LossKind, [i64; 3])> = BTreeMap::new();
    let mut add = |cause: &LossCause, kind: LossKind, at: usize, n: i64| {
        counts.entry((hovrel_words::loss_cause(cause), hovrel_words::loss_kind(kind))).or_insert((kind, [0; 3])).1
            [at] += n;
    };
    let mut after = -1;
    loop {
        let rows = store.included_with_losses(plan, after, PART).await?;
        let Some(last) = rows.last() else { break };
        after = last.seq;
        for row in rows {
            let read = super::read::read(row)?;
            let policy = first_contact(lanes, &read.change.lane);
            let of_written = losses_of_written(&read.change, &read.decision, policy);
            let all: Vec<&Loss> = of_written.into_iter().chain(losses_of_equal(&read.change)).collect();
            all.into_iter().for_each(|loss| add(&loss.cause, loss.kind, 0, 1));
        }
    }
    if let Some(job) = job {
        for group in store.loss_groups(job).await? {
            let cause: LossCause = serde_json::from_value(group.cause)?;
            let at = if group.foreseen { 1 } else { 2 };
            add(&cause, serde_json::from_value(group.kind.into())?, at, group.count);
        }
    }
    let one = |((why, _), (kind, [planned, foreseen, not_foreseen])): ((String, _), (LossKind, [i64; 3]))| {
        ReceiptLoss { kind, why, planned, foreseen, not_foreseen }
    };
    let mut out: Vec<ReceiptLoss> = counts.into_iter().map(one).collect();
    out.sort_by_key(|l| std::cmp::Reverse(l.planned.max(l.foreseen + l.not_foreseen)));
    Ok(out)
}
