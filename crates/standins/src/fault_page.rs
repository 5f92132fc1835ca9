//! A page of each stand-in where a person makes it misbehave, and sees what it did so far.

use axum::Router;
use axum::extract::{Form, State};
use axum::response::{Html, Redirect};
use axum::routing::get;

use crate::fault::{FaultPlan, Faults};
use crate::page::Look;

#[derive(Clone)]
struct Shown {
    look: Look,
    faults: Faults,
}

/// `/misbehave` for one system.
pub fn routes(look: Look, faults: Faults) -> Router {
    Router::new().route("/misbehave", get(show).post(set)).with_state(Shown { look, faults })
}

async fn show(State(at): State<Shown>) -> Html<String> {
    let (plan, count) = (at.faults.plan(), at.faults.count());
    let rows: String = [
        ("delay", "Calls delayed", plan.delay, Some(count.delayed)),
        ("delay_ms", "Longest delay, in milliseconds", plan.delay_ms, None),
        ("too_many", "Refused with 429", plan.too_many, Some(count.too_many)),
        ("retry_after", "Seconds that Retry-After asks for", plan.retry_after, None),
        ("error", "Answered with 500", plan.error, Some(count.errors)),
        ("unavailable", "Answered with 503", plan.unavailable, Some(count.unavailable)),
        ("truncated", "Done, and the answer ends in the middle", plan.truncated, Some(count.truncated)),
        ("malformed", "Done, and the answer can't be read", plan.malformed, Some(count.malformed)),
        ("signed_out", "Answered that the sign-in has expired", plan.signed_out, Some(count.signed_out)),
        ("repeated", "Lists that show the page before once more", plan.repeated, Some(count.repeated)),
        ("other_bytes", "Files with other bytes than declared", plan.other_bytes, Some(count.other_bytes)),
        ("full", "Refused with 507, since the quota is full", plan.full, Some(count.full)),
        ("changed_before", "Items changed by somebody else just before", plan.changed_before, Some(count.meddled)),
        ("deleted_before", "Items deleted by somebody else just before", plan.deleted_before, Some(count.meddled)),
        ("doubled_hooks", "Webhooks delivered twice", plan.doubled_hooks, Some(count.doubled_hooks)),
        ("cut_before", "Cut before the work is done", plan.cut_before, Some(count.cut_before)),
        ("cut_after", "Cut after the work is done", plan.cut_after, Some(count.cut_after)),
    ]
    .into_iter()
    .map(|(name, label, now, met)| {
        let met = met.map_or(String::new(), |n| format!("{n} so far"));
        format!("<tr><td><label for={name}>{label}</label></td><td><input id={name} name={name} type=number min=0 max=10000 value={now}></td><td class=dim>{met}</td></tr>")
    })
    .collect();
    let rough = FaultPlan::rough(plan.seed);
    let body = format!(
        "<p>Shares are in thousandths of the calls. The same seed gives the same faults. {} calls so far.</p>\
         <form method=post><table><tr><td><label for=seed>Seed</label></td><td><input id=seed name=seed type=number min=0 value={}></td><td></td></tr>{rows}\
         <tr><td><label for=clock_ahead>Seconds that its clock is ahead</label></td><td><input id=clock_ahead name=clock_ahead type=number value={}></td><td></td></tr></table><button>Misbehave like this</button></form>\
         <form method=post>{}<button>Misbehave roughly</button></form><form method=post>{}<button>Behave</button></form>",
        count.calls,
        plan.seed,
        plan.clock_ahead,
        hidden(&rough),
        hidden(&FaultPlan::default()),
    );
    at.look.page("Misbehave", &body)
}

fn hidden(plan: &FaultPlan) -> String {
    let fields = serde_json::to_value(plan).unwrap_or_default();
    let fields = fields.as_object().into_iter().flatten();
    fields.map(|(name, value)| format!("<input type=hidden name={name} value={value}>")).collect()
}

async fn set(State(at): State<Shown>, Form(plan): Form<FaultPlan>) -> Redirect {
    at.faults.set(plan);
    Redirect::to("/misbehave")
}
