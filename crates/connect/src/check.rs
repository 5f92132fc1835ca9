//! The check: reach, sign in, answer, clock, access, containers; each step says what came back.

use chrono::{DateTime, Utc};
use hovrel_core::law::CLOCK_IS_RIGHT;

use crate::{CheckState, CheckStep, ConnectError};

const STEPS: [&str; 5] = ["Reach the address", "Sign in", "Compare clocks", "Look at permissions", "List projects"];

/// What a system said of itself once it took the sign-in.
pub struct Said {
    /// Empty where it does not say.
    pub version: String,
    /// Its time, or the text in its place that is none.
    pub clock: Result<DateTime<Utc>, String>,
    /// What Hovrel's clock showed then.
    pub ours: DateTime<Utc>,
    /// The word for what the sign-in allows, where the system says so.
    pub access: Option<String>,
}

/// The steps of a check. Signing in reaches the address too; which of the two failed is told apart by the
/// error. `containers` counts what there is to choose from.
pub async fn check(
    address: &str,
    said: Result<Said, ConnectError>,
    containers: impl Future<Output = Result<usize, ConnectError>>,
) -> Vec<CheckStep> {
    let mut steps: Vec<CheckStep> = Vec::new();
    let (reach, sign_in) = match &said {
        Ok(said) if said.version.is_empty() => {
            (ok(0, format!("{address} answers")), ok(1, "the sign-in was accepted".into()))
        }
        Ok(said) => {
            (ok(0, format!("{address} answers, version {}", said.version)), ok(1, "the sign-in was accepted".into()))
        }
        Err(e @ (ConnectError::SignIn { .. } | ConnectError::Forbidden { .. })) => {
            (ok(0, format!("{address} answers")), failed(1, e))
        }
        Err(e) => (failed(0, e), skipped(1)),
    };
    steps.push(reach);
    steps.push(sign_in);
    let Ok(said) = said else {
        steps.extend((2..STEPS.len()).map(skipped));
        return steps;
    };
    steps.push(clock(&said));
    steps.push(match &said.access {
        Some(word) if word != "write" => CheckStep {
            step: STEPS[3].into(),
            state: CheckState::Warning,
            found: format!("the access is “{word}”"),
            advice: "This system can be read from. To write to it, use an account or key that may write.".into(),
        },
        Some(_) => ok(3, "reading and writing are allowed".into()),
        None => CheckStep {
            step: STEPS[3].into(),
            state: CheckState::Unknown,
            found: "this system does not report permissions".into(),
            advice: String::new(),
        },
    });
    steps.push(match containers.await {
        Ok(0) => CheckStep {
            step: STEPS[4].into(),
            state: CheckState::Failed,
            found: "there is no project that this sign-in may see".into(),
            advice: "Ask the system's administrator to give the account a project.".into(),
        },
        Ok(n) => ok(4, format!("{n} to choose from")),
        Err(e) => failed(4, &e),
    });
    steps
}

fn clock(said: &Said) -> CheckStep {
    let theirs = match &said.clock {
        Ok(time) => *time,
        Err(text) => {
            return CheckStep {
                step: STEPS[2].into(),
                state: CheckState::Warning,
                found: format!("its clock shows “{text}”, which is not a time"),
                advice: "Hovrel continues without comparing clocks.".into(),
            };
        }
    };
    let off = (theirs - said.ours).num_seconds();
    if off.abs() > CLOCK_IS_RIGHT {
        let way = if off > 0 { "ahead" } else { "behind" };
        return CheckStep {
            step: STEPS[2].into(),
            state: CheckState::Warning,
            found: format!("its clock is {} s {way}", off.abs()),
            advice:
                "Set the clock of one of the machines, or its time zone; until then nothing goes by which edit is newer."
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
