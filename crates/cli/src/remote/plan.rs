//! `hovrel dry-run` and `hovrel transfer`, and the limits beyond which a pipeline does not go on.

use serde::Deserialize;
use serde_json::json;

use super::connection::Connection;
use super::job::finished;
use super::{Found, Trouble, read};

/// Beyond any of these nothing is written, and the exit code is 3.
#[derive(clap::Args)]
pub struct Limits {
    /// Changes that lose something of what the left holds.
    #[arg(long, value_name = "N")]
    max_losses: Option<u64>,
    /// Fields in conflict: both ends changed them, or nobody knows who did.
    #[arg(long, value_name = "N")]
    max_conflicts: Option<u64>,
    /// Items that can't be transferred as they are.
    #[arg(long, value_name = "N")]
    max_blocked: Option<u64>,
    /// Changes that the rehearsal saw the right refuse.
    #[arg(long, value_name = "N")]
    max_refused: Option<u64>,
}

/// What a limit looks at. All of it must be in the answer: what is not told is not nothing.
#[derive(Deserialize)]
struct Figures {
    id: String,
    changes: u64,
    included: u64,
    with_losses: u64,
    conflicts: u64,
    refused: u64,
    in_step: u64,
    outcomes: Vec<Counted>,
}

#[derive(Deserialize)]
struct Counted {
    outcome: String,
    count: u64,
}

impl Figures {
    fn outcome(&self, outcome: &str) -> u64 {
        self.outcomes.iter().filter(|o| o.outcome == outcome).map(|o| o.count).sum()
    }
}

impl Limits {
    fn exceeded(&self, plan: &Figures) -> Vec<String> {
        let each = [
            (plan.with_losses, self.max_losses, "changes have losses"),
            (plan.conflicts, self.max_conflicts, "fields are in conflict"),
            (plan.outcome("blocked"), self.max_blocked, "items can't be transferred"),
            (plan.refused, self.max_refused, "changes would be refused"),
        ];
        let over = each.into_iter().filter_map(|(n, limit, what)| Some((n, limit.filter(|l| n > *l)?, what)));
        over.map(|(n, limit, what)| format!("{n} {what}, {limit} are allowed")).collect()
    }
}

/// What becomes of items, in the words of the interface; together they are all changes of a plan. What only a lane that
/// carries both ways can have (`false`) is told where there are any.
const OUTCOMES: [(&str, &str, bool); 16] = [
    ("new_right", "new at right", true),
    ("new_left", "new at left", false),
    ("update_right", "update right", true),
    ("update_left", "update left", false),
    ("adopt", "already at both", true),
    ("held_right", "edited at right", true),
    ("held_left", "edited at left", false),
    ("conflict", "conflict", true),
    ("blocked", "can't be transferred", true),
    ("gone_right", "gone at right", true),
    ("gone_left", "gone at left", true),
    ("out_of_scope_left", "left the scope", true),
    ("out_of_scope_right", "left the scope at right", false),
    ("unreadable", "can't be read", true),
    ("taken_off_left", "removed at left", true),
    ("taken_off_right", "removed at right", false),
];

fn told(plan: &Figures) -> Vec<String> {
    let line = |what: &str, n: u64| format!("{what:<22}{n:>8}");
    let mut lines = vec![format!("plan {}", plan.id), line("changes", plan.changes)];
    let shown = OUTCOMES.iter().filter(|(id, _, always)| *always || plan.outcome(id) > 0);
    lines.extend(shown.map(|(id, what, _)| line(&format!("  {what}"), plan.outcome(id))));
    lines.extend([
        line("included", plan.included),
        line("with losses", plan.with_losses),
        line("fields in conflict", plan.conflicts),
        line("would be refused", plan.refused),
        line("in step", plan.in_step),
    ]);
    lines
}

fn held(route: &str, exceeded: &[String]) -> Option<Trouble> {
    (!exceeded.is_empty()).then(|| Trouble::Held(format!("{route} goes no further: {}", exceeded.join("; "))))
}

/// What a transfer came to.
#[derive(Deserialize)]
struct Carried {
    done: u64,
    refused: u64,
}

pub async fn make(to: &Connection, name: &str, limits: &Limits) -> Result<Found, Trouble> {
    let route = to.route(name).await?;
    let id = route["id"].as_str().unwrap_or_default();
    let job = to.post(&format!("/routes/{id}/dry-runs"), None).await?;
    let done = finished(to, &job, "dry run").await?;
    let plan = to.get(&format!("/plans/{}", done["result"]["plan"].as_str().unwrap_or_default())).await?;
    let figures: Figures = read(&plan)?;
    Ok(Found { lines: told(&figures), trouble: held(name, &limits.exceeded(&figures)), value: plan })
}

pub async fn transfer(to: &Connection, name: &str, limits: &Limits) -> Result<Found, Trouble> {
    let route = to.route(name).await?;
    let plan = &route["plan"];
    let Some(id) = plan["id"].as_str() else {
        return Err(Trouble::Held(format!("{name} has no plan yet; make one with hovrel dry-run")));
    };
    if let Some(trouble) = held(name, &limits.exceeded(&read(plan)?)) {
        return Err(trouble);
    }
    let job = to.post(&format!("/plans/{id}/transfer"), None).await?;
    let done = finished(to, &job, "transfer").await?;
    let Carried { done: carried, refused } = read(&done["result"])?;
    let value = json!({"plan": id, "job": done["id"], "done": carried, "refused": refused});
    let lines = vec![format!("{carried} changes transferred"), format!("{refused} refused")];
    let trouble = (refused > 0).then(|| {
        Trouble::Refused(format!("{refused} changes of {name} were refused; they are listed under Transfer with why"))
    });
    Ok(Found { value, lines, trouble })
}

#[cfg(test)]
mod tests {
    use hovrel_core::plan::Outcome;
    use serde_json::Value;

    use super::*;

    fn plan() -> Value {
        json!({"id": "p", "changes": 9, "included": 5, "with_losses": 3, "conflicts": 2, "refused": 1, "in_step": 0,
               "outcomes": [{"outcome": "blocked", "count": 4}, {"outcome": "adopt", "count": 5}]})
    }

    #[test]
    fn what_is_beyond_a_limit_is_told() {
        let limits = Limits { max_losses: Some(2), max_conflicts: Some(2), max_blocked: Some(0), max_refused: None };
        let exceeded = limits.exceeded(&read(&plan()).unwrap_or_else(|_| panic!("it is read")));
        assert_eq!(exceeded, ["3 changes have losses, 2 are allowed", "4 items can't be transferred, 0 are allowed"]);
    }

    /// Whatever a plan can have is told, so that the lines add up to its changes.
    #[test]
    fn every_outcome_is_told() {
        let all: Vec<&str> = Outcome::ALL.iter().map(|o| o.id()).filter(|id| *id != "in_step").collect();
        let counts: Vec<Value> = all.iter().map(|id| json!({"outcome": id, "count": 1})).collect();
        let mut plan = plan();
        (plan["outcomes"], plan["changes"]) = (json!(counts), json!(all.len()));
        let lines = told(&read(&plan).unwrap_or_else(|_| panic!("it is read")));
        let told: usize = lines.iter().filter(|line| line.starts_with("  ") && line.ends_with(" 1")).count();
        assert_eq!(told, all.len(), "{lines:?}");
    }

    /// An answer that lacks a figure, or has something else in its place, is no answer of nought.
    #[test]
    fn a_figure_that_is_not_told_is_not_nought() {
        for key in ["with_losses", "conflicts", "refused", "outcomes"] {
            for wrong in [None, Some(json!(null)), Some(json!("0")), Some(json!(-1))] {
                let mut plan = plan();
                match wrong {
                    None => drop(plan.as_object_mut().expect("an object").remove(key)),
                    Some(wrong) => plan[key] = wrong,
                }
                assert!(read::<Figures>(&plan).is_err(), "{plan}");
            }
        }
    }
}
