//! The check: reach, sign in, answer, clock, access, containers; each step says what came back.

use chrono::Utc;

use super::client::{About, Client};
use super::decode::read_time;
use super::tree;
use crate::{CheckState, CheckStep, ConnectError};

/// A clock further off than this makes "changed since" questions wrong.
const CLOCK_LIMIT_SECONDS: i64 = 120;

const STEPS: [&str; 5] = ["Reach the address", "Sign in", "Compare clocks", "Look at permissions", "List projects"];

pub async fn check(client: &Client) -> Vec<CheckStep> {
    let mut steps: Vec<CheckStep> = Vec::new();
    // Signing in reaches the address too; which of the two failed is told apart by the error.
    let signed_in = client.token_header(true).await.map(|_| ());
    let about = match signed_in {
        Ok(()) => client.read_about().await,
        Err(e) => Err(e),
    };
    let (reach, sign_in) = match &about {
        Ok(about) => (
            ok(0, format!("{} answers, version {}", client.address, about.version)),
            ok(1, "the sign-in was accepted".into()),
        ),
        Err(e @ (ConnectError::SignIn { .. } | ConnectError::Forbidden { .. })) => {
            (ok(0, format!("{} answers", client.address)), failed(1, e))
        }
        Err(e) => (failed(0, e), skipped(1)),
    };
    steps.push(reach);
    steps.push(sign_in);
    let Ok(about) = about else {
        steps.extend((2..STEPS.len()).map(skipped));
        return steps;
    };
    steps.push(clock(&about));
    steps.push(match &about.access {
        Some(word) if word != "write" => CheckStep {
            step: STEPS[3].into(),
            state: CheckState::Warning,
            found: format!("the access is “{word}”"),
            advice: "This system can be read from. To write to it, use an account or key that may write.".into(),
        },
        Some(_) => ok(3, "reading and writing are allowed".into()),
        None => ok(3, "the system does not say what is allowed; a transfer will tell".into()),
    });
    steps.push(match client.read(&client.profile.containers.path).await {
        Ok(answer) => match tree::items(&answer, &client.profile.containers.items).len() {
            0 => CheckStep {
                step: STEPS[4].into(),
                state: CheckState::Failed,
                found: "there is no project that this sign-in may see".into(),
                advice: "Ask the system's administrator to give the account a project.".into(),
            },
            n => ok(4, format!("{n} to choose from")),
        },
        Err(e) => failed(4, &e),
    });
    steps
}

fn clock(about: &About) -> CheckStep {
    let theirs = read_time(&about.clock, about.zone).map(|t| t.to_utc());
    let Some(theirs) = theirs else {
        return CheckStep {
            step: STEPS[2].into(),
            state: CheckState::Warning,
            found: format!("its clock says “{}”, which is not a time", about.clock),
            advice: "Hovrel goes on without comparing clocks.".into(),
        };
    };
    let off = (theirs - Utc::now()).num_seconds();
    if off.abs() > CLOCK_LIMIT_SECONDS {
        let way = if off > 0 { "ahead" } else { "behind" };
        return CheckStep {
            step: STEPS[2].into(),
            state: CheckState::Warning,
            found: format!("its clock is {} s {way}", off.abs()),
            advice:
                "Set the clock of one of the machines, or its time zone; until then “newest wins” can't be trusted."
                    .into(),
        };
    }
    ok(2, format!("within {} s of each other", off.abs().max(1)))
}

fn ok(step: usize, found: String) -> CheckStep {
    CheckStep { step: STEPS[step].into(), state: CheckState::Ok, found, advice: String::new() }
}

fn skipped(step: usize) -> CheckStep {
    CheckStep { step: STEPS[step].into(), state: CheckState::Skipped, found: "not tried".into(), advice: String::new() }
}

fn failed(step: usize, e: &ConnectError) -> CheckStep {
    CheckStep { step: STEPS[step].into(), state: CheckState::Failed, found: e.to_string(), advice: e.advice().into() }
}
