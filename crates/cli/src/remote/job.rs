//! Waiting for a job of the server, with a bar for whoever watches.

use std::time::Duration;

use indicatif::{ProgressBar, ProgressStyle};
use serde_json::Value;

use super::Trouble;
use super::connection::Connection;

/// How often the server is asked. It tells the same to anybody.
const EVERY: Duration = Duration::from_millis(300);

/// Waits until a job is over; what it was, then. A job that did not end well is trouble.
pub async fn finished(to: &Connection, job: &Value, what: &str) -> Result<Value, Trouble> {
    let id = job["id"].as_str().ok_or_else(|| Trouble::Failed("the server queued no job".into()))?;
    let bar = if to.watched { ProgressBar::new_spinner() } else { ProgressBar::hidden() };
    loop {
        let now = to.get(&format!("/jobs/{id}")).await?;
        match now["state"].as_str() {
            Some("done") => {
                bar.finish_and_clear();
                return Ok(now);
            }
            Some("failed") => {
                bar.finish_and_clear();
                let why = now["error"].as_str().unwrap_or("no reason is known");
                return Err(Trouble::Failed(format!("{what} failed: {why}")));
            }
            Some("stopped") => {
                bar.finish_and_clear();
                return Err(Trouble::Held(format!("{what} was stopped")));
            }
            state => show(&bar, what, state.unwrap_or_default(), &now["progress"]),
        }
        tokio::time::sleep(EVERY).await;
    }
}

fn show(bar: &ProgressBar, what: &str, state: &str, progress: &Value) {
    let number = |key: &str| progress[key].as_u64();
    let (at, total) = (number("settled").or(number("read")), number("total"));
    let style = match total {
        Some(_) => "{msg} [{bar:30}] {pos}/{len} {elapsed}",
        None => "{spinner} {msg} {elapsed}",
    };
    if let Ok(style) = ProgressStyle::with_template(style) {
        bar.set_style(style.progress_chars("=> "));
    }
    if let Some(total) = total {
        bar.set_length(total);
        bar.set_position(at.unwrap_or(0));
    }
    let system = progress["system"].as_str().unwrap_or_default();
    let doing = match (state, progress["kind"].as_str()) {
        ("paused", _) => "paused".to_owned(),
        (_, Some(kind)) => format!("{system} {}", kind.replace('_', " ")),
        _ => progress["phase"].as_str().unwrap_or(state).to_owned(),
    };
    bar.set_message(format!("{what}: {doing}"));
    bar.tick();
}
