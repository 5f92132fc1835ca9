//! `hovrel plan` and `hovrel apply`, and the limits beyond which a pipeline does not go on.

use serde_json::{Value, json};

use super::connection::Connection;
use super::job::finished;
use super::{Found, Trouble};

/// Beyond any of these nothing is written, and the exit code is 3.
#[derive(clap::Args)]
pub struct Limits {
    /// Changes that lose something of what the left holds.
    #[arg(long, value_name = "N")]
    max_losses: Option<u64>,
    /// Fields in conflict: both ends changed them, or nobody knows who did.
    #[arg(long, value_name = "N")]
    max_conflicts: Option<u64>,
    /// Items that can't be carried as they are.
    #[arg(long, value_name = "N")]
    max_blocked: Option<u64>,
    /// Changes that the rehearsal saw the right refuse.
    #[arg(long, value_name = "N")]
    max_refused: Option<u64>,
}

impl Limits {
    fn exceeded(&self, plan: &Value) -> Vec<String> {
        let blocked = outcome(plan, "blocked");
        let number = |key: &str| plan[key].as_u64().unwrap_or(0);
        let each = [
            (number("with_losses"), self.max_losses, "changes lose something"),
            (number("conflicts"), self.max_conflicts, "fields are in conflict"),
            (blocked, self.max_blocked, "items can't be carried"),
            (number("refused"), self.max_refused, "changes would be refused"),
        ];
        let over = each.into_iter().filter_map(|(n, limit, what)| Some((n, limit.filter(|l| n > *l)?, what)));
        over.map(|(n, limit, what)| format!("{n} {what}, {limit} are allowed")).collect()
    }
}

fn outcome(plan: &Value, outcome: &str) -> u64 {
    let counts = plan["outcomes"].as_array().into_iter().flatten().filter(|o| o["outcome"] == outcome);
    counts.filter_map(|o| o["count"].as_u64()).sum()
}

/// What becomes of items, in the words of the interface; together they are all changes of a plan.
const OUTCOMES: [(&str, &str); 11] = [
    ("new_right", "new at right"),
    ("update_right", "update right"),
    ("adopt", "already at right"),
    ("held_right", "edited at right"),
    ("conflict", "conflict"),
    ("blocked", "can't be carried"),
    ("gone_right", "gone at right"),
    ("gone_left", "gone at left"),
    ("left_scope", "left the scope"),
    ("unreadable", "can't be read"),
    ("taken_off", "taken off at left"),
];

fn told(plan: &Value) -> Vec<String> {
    let line = |what: &str, n: &Value| format!("{what:<22}{n:>8}");
    let mut lines =
        vec![format!("plan {}", plan["id"].as_str().unwrap_or_default()), line("changes", &plan["changes"])];
    lines.extend(OUTCOMES.iter().map(|(id, what)| line(&format!("  {what}"), &json!(outcome(plan, id)))));
    lines.extend([
        line("taken in", &plan["included"]),
        line("losing something", &plan["with_losses"]),
        line("fields in conflict", &plan["conflicts"]),
        line("would be refused", &plan["refused"]),
        line("in step", &plan["in_step"]),
    ]);
    lines
}

fn held(route: &str, exceeded: &[String]) -> Option<Trouble> {
    (!exceeded.is_empty()).then(|| Trouble::Held(format!("{route} goes no further: {}", exceeded.join("; "))))
}

pub async fn make(to: &Connection, name: &str, limits: &Limits) -> Result<Found, Trouble> {
    let route = to.route(name).await?;
    let id = route["id"].as_str().unwrap_or_default();
    let job = to.post(&format!("/routes/{id}/dry-runs"), None).await?;
    let done = finished(to, &job, "dry run").await?;
    let plan = to.get(&format!("/plans/{}", done["result"]["plan"].as_str().unwrap_or_default())).await?;
    Ok(Found { lines: told(&plan), trouble: held(name, &limits.exceeded(&plan)), value: plan })
}

pub async fn apply(to: &Connection, name: &str, limits: &Limits) -> Result<Found, Trouble> {
    let route = to.route(name).await?;
    let plan = &route["plan"];
    let Some(id) = plan["id"].as_str() else {
        return Err(Trouble::Held(format!("{name} has no plan yet; make one with hovrel plan")));
    };
    if let Some(trouble) = held(name, &limits.exceeded(plan)) {
        return Err(trouble);
    }
    let job = to.post(&format!("/plans/{id}/transfer"), None).await?;
    let done = finished(to, &job, "transfer").await?;
    let number = |key: &str| done["result"][key].as_u64().unwrap_or(0);
    let (carried, refused) = (number("done"), number("refused"));
    let value = json!({"plan": id, "job": done["id"], "done": carried, "refused": refused});
    let lines = vec![format!("{carried} changes carried out"), format!("{refused} refused")];
    let trouble = (refused > 0).then(|| {
        Trouble::Refused(format!("{refused} changes of {name} were refused; they are listed under Transfer with why"))
    });
    Ok(Found { value, lines, trouble })
}
