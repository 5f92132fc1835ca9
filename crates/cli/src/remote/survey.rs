//! `hovrel survey`.

use serde_json::json;

use super::connection::Connection;
use super::job::finished;
use super::{Found, Trouble};

pub async fn run(to: &Connection, system: &str, container: Option<String>) -> Result<Found, Trouble> {
    let found = to.named("/systems", "system", system).await?;
    let id = found["id"].as_str().unwrap_or_default();
    let there = to.get(&format!("/systems/{id}/containers")).await?;
    let there: Vec<&str> = there.as_array().into_iter().flatten().filter_map(|c| c["id"].as_str()).collect();
    let container = match (container, there.as_slice()) {
        (Some(named), _) if there.contains(&named.as_str()) => named,
        (Some(named), _) => {
            let there = there.join(", ");
            return Err(Trouble::Usage(format!("{system} has no project “{named}”; there are: {there}")));
        }
        (None, [only]) => (*only).to_owned(),
        (None, several) => {
            return Err(Trouble::Usage(format!("{system} has several projects; name one: {}", several.join(", "))));
        }
    };
    let job = to.post(&format!("/systems/{id}/surveys"), Some(&json!({"container": container}))).await?;
    finished(to, &job, &format!("survey of {system}")).await?;
    let surveys = to.get(&format!("/systems/{id}/surveys")).await?;
    let all = surveys["surveys"].as_array().cloned().unwrap_or_default();
    let survey = all.into_iter().find(|s| s["container"] == container.as_str()).unwrap_or_default();
    let kinds = survey["survey"]["kinds"].as_array().cloned().unwrap_or_default();
    let line = |k: &serde_json::Value| {
        format!("{:<14}{:>8}", k["kind"].as_str().unwrap_or_default().replace('_', " "), k["count"])
    };
    let mut lines = vec![format!("{system}, {container}")];
    lines.extend(kinds.iter().map(line));
    let counts: Vec<_> = kinds.iter().map(|k| json!({"kind": k["kind"], "count": k["count"]})).collect();
    let value = json!({"system": system, "container": container, "at": survey["at"], "kinds": counts});
    Ok(Found { value, lines, trouble: None })
}
