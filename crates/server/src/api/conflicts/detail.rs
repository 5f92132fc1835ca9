//! One conflict: what both ends held and hold, what may be chosen and what that would write, and what was found and chosen
//! before.

use axum::Json;
use axum::extract::State;
use chrono::{DateTime, Utc};
use hovrel_core::conflict::{Part, Take};
use hovrel_core::diff::{ValueDiff, diff};
use hovrel_core::model::{End, Ends, Value};
use hovrel_core::plan::FieldReason;
use hovrel_core::rules::Lane;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::listed::ListedConflict;
use super::read::{Generation, generations};
use crate::App;
use crate::api::called::{Called, kind_of};
use crate::api::losses::LossDetail;
use crate::api::names::Names;
use crate::api::words::field_name;
use crate::path::Path;
use crate::problem::Problem;

/// A conflict with its values.
#[derive(Serialize, ToSchema)]
pub struct ConflictDetail {
    conflict: ListedConflict,
    left: HeldAt,
    right: HeldAt,
    /// What may be chosen, and what each would write.
    choices: Vec<ChoiceDetail>,
    /// Why it can't be carried to an end, in words.
    cannot: Vec<String>,
    /// Both edits part by part, where a person can put them together.
    proposal: Option<ProposalDetail>,
    chosen: Option<Chosen>,
    /// What was found and chosen before, the latest first.
    earlier: Vec<Earlier>,
    /// The dry run that found it last, and its change there.
    plan: Option<Uuid>,
    seq: i32,
    /// How many others are open for the same rule and reason.
    similar: i64,
}

/// What an end holds.
#[derive(Serialize, ToSchema)]
pub struct HeldAt {
    field_name: String,
    /// What it held when both ends were last in step; none if they never were.
    base: Option<ValueDiff>,
    /// From that to what it holds; what it holds, if there was nothing.
    now: ValueDiff,
}

#[derive(Serialize, ToSchema)]
pub struct ChoiceDetail {
    take: Take,
    /// From what the left holds to what is written there; none if nothing is. A merge is shown when it is put together.
    left: Option<ValueDiff>,
    /// The same of the right.
    right: Option<ValueDiff>,
    losses: Vec<LossDetail>,
}

#[derive(Serialize, ToSchema)]
pub struct ProposalDetail {
    parts: Vec<PartDetail>,
    /// The whole as a text that can be edited, with the left's words where both edited; none if it is no text.
    text: Option<String>,
}

/// A part of both edits.
#[derive(Serialize, ToSchema)]
#[serde(rename_all = "snake_case", tag = "part")]
pub enum PartDetail {
    /// What both edits make of it.
    Made { value: ValueDiff },
    /// Both edited it, and differently: from what it was to what each makes of it.
    Clash { base: ValueDiff, left: ValueDiff, right: ValueDiff },
}

/// What was chosen.
#[derive(Serialize, ToSchema)]
pub struct Chosen {
    take: Take,
    merged: Option<ValueDiff>,
    /// Who chose; none if it was chosen in a dry run.
    by: Option<String>,
    at: Option<DateTime<Utc>>,
}

/// A generation before.
#[derive(Serialize, ToSchema)]
pub struct Earlier {
    generation: i32,
    reason: FieldReason,
    at: DateTime<Utc>,
    left: ValueDiff,
    right: ValueDiff,
    chosen: Option<Chosen>,
}

/// What values of a rule are called at both ends.
struct Shown<'a> {
    lane: &'a Lane,
    names: Ends<&'a Names>,
    slots: Ends<Option<&'a str>>,
}

impl Shown<'_> {
    fn at(&self, end: End, value: &Value) -> Value {
        let names = self.names[end];
        names.named(value, names.refers_to(self.lane.kind_at(end), self.slots[end]), self.names[end.other()])
    }

    fn alone(&self, end: End, value: &Value) -> ValueDiff {
        let shown = self.at(end, value);
        diff(&shown, &shown)
    }

    fn changed(&self, end: End, before: &Value, after: &Value) -> ValueDiff {
        diff(&self.at(end, before), &self.at(end, after))
    }

    fn held(&self, end: End, generation: &Generation) -> HeldAt {
        let now = generation.field.held(end).unwrap_or(&Value::Empty);
        let kind = self.names[end].catalogue.kind(self.lane.kind_at(end));
        HeldAt {
            field_name: self.slots[end].map(|slot| field_name(slot, kind)).unwrap_or_default(),
            base: generation.base.as_ref().map(|base| self.alone(end, &base[end])),
            now: match &generation.base {
                Some(base) => self.changed(end, &base[end], now),
                None => self.alone(end, now),
            },
        }
    }

    fn chosen(&self, generation: &Generation) -> Option<Chosen> {
        let choice = generation.choice.as_ref()?;
        let first = self.lane.written();
        Some(Chosen {
            take: choice.take,
            merged: choice.merged.as_ref().map(|value| self.alone(first, value)),
            by: generation.row.settled_by.clone(),
            at: generation.row.settled_at,
        })
    }

    fn choice(&self, take: Take, generation: &Generation) -> ChoiceDetail {
        let first = self.lane.written();
        let field = &generation.field;
        let into = hovrel_core::conflict::decision_for(field, take, first);
        let mut out = ChoiceDetail { take, left: None, right: None, losses: Vec::new() };
        for end in End::BOTH {
            let Some((_, value, losses)) = into.and_then(|decided| field.decided_into(decided, end, first)) else {
                continue;
            };
            let written = self.changed(end, field.held(end).unwrap_or(&Value::Empty), value);
            match end {
                End::Left => out.left = Some(written),
                End::Right => out.right = Some(written),
            }
            out.losses.extend(losses.iter().map(LossDetail::of));
        }
        out
    }

    fn proposal(&self, generation: &Generation) -> Option<ProposalDetail> {
        let first = self.lane.written();
        let proposal = generation.proposal(first)?;
        let whole = proposal.with(&vec![hovrel_core::conflict::Pick::Left; proposal.clashes()]);
        let text = match whole {
            Some(Value::Text(text)) => Some(text),
            _ => None,
        };
        let part = |part: &Part| match part {
            Part::Made(value) => PartDetail::Made { value: self.alone(first, value) },
            Part::Clash { base, left, right } => PartDetail::Clash {
                base: self.alone(first, base),
                left: self.changed(first, base, left),
                right: self.changed(first, base, right),
            },
        };
        Some(ProposalDetail { parts: proposal.parts.iter().map(part).collect(), text })
    }
}

/// One conflict with what both ends hold.
#[utoipa::path(get, path = "/conflicts/{id}", operation_id = "getConflict", params(("id" = Uuid, Path)),
    responses((status = 200, body = ConflictDetail)))]
pub async fn one(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<ConflictDetail>, Problem> {
    let row = app.hub.store.conflict(id).await?;
    let all = generations(&app.hub.store, std::slice::from_ref(&row)).await?;
    let all = all.get(&id).map_or(&[][..], Vec::as_slice);
    let Some((latest, before)) = all.split_first() else { return Err(Problem::missing("This conflict")) };
    let similar = app.hub.store.list_conflicts(&super::settle::like(&row), None, 1).await?.1;
    let called = Called::of(&app, std::iter::once(row.route_id)).await?;
    let names = called.names(row.route_id).ok_or_else(|| Problem::missing("The route of this conflict"))?;
    // What a lane left behind that is gone is shown all the same.
    let bare = Lane::of_kind(kind_of(&row.kind)?, Vec::new());
    let lane = called.lane(row.route_id, &row.lane).unwrap_or(&bare);
    let rule = lane.rules.iter().find(|r| r.id.as_str() == row.rule);
    let first = lane.written();
    let source = rule.and_then(|r| r.fill(first)).and_then(|fill| fill.source.field());
    let mut slots = Ends::of(|_| source);
    slots[first] = Some(row.slot.as_str());
    let shown = Shown { lane, names: names.as_ref().map(|n| &**n), slots };
    let (plan, seq, is_open) = (row.last_plan, row.seq, row.state == "open");
    let cannot = latest.field.cannot.iter();
    Ok(Json(ConflictDetail {
        left: shown.held(End::Left, latest),
        right: shown.held(End::Right, latest),
        choices: latest.takes(first).into_iter().map(|take| shown.choice(take, latest)).collect(),
        cannot: cannot.map(|(end, why)| crate::api::plans::detail::cannot(*end, why)).collect(),
        proposal: shown.proposal(latest),
        chosen: shown.chosen(latest),
        earlier: before
            .iter()
            .map(|g| Earlier {
                generation: g.row.generation,
                reason: g.field.reason,
                at: g.row.at,
                left: shown.alone(End::Left, g.field.held(End::Left).unwrap_or(&Value::Empty)),
                right: shown.alone(End::Right, g.field.held(End::Right).unwrap_or(&Value::Empty)),
                chosen: shown.chosen(g),
            })
            .collect(),
        plan,
        seq,
        similar: similar - i64::from(is_open),
        conflict: ListedConflict::of(row.clone(), &called)?,
    }))
}
