//! `hovrel check`.

use serde_json::{Value, json};

use super::connection::Connection;
use super::{Found, Trouble};

pub async fn run(to: &Connection, names: &[String]) -> Result<Found, Trouble> {
    let systems = match names {
        [] => to.get("/systems").await?.as_array().cloned().unwrap_or_default(),
        names => {
            let mut found = Vec::new();
            for name in names {
                found.push(to.named("/systems", "system", name).await?);
            }
            found
        }
    };
    let (mut value, mut lines, mut failed) = (Vec::new(), Vec::new(), Vec::new());
    for system in &systems {
        let (id, name) = (system["id"].as_str().unwrap_or_default(), system["name"].as_str().unwrap_or_default());
        let checked = to.post(&format!("/systems/{id}/check"), None).await?;
        let steps = checked.as_array().cloned().unwrap_or_default();
        for step in &steps {
            let said = |key: &str| step[key].as_str().unwrap_or_default().to_owned();
            let advice = Some(said("advice")).filter(|a| !a.is_empty()).map_or_else(String::new, |a| format!(" – {a}"));
            lines.push(format!("{name}: {:<8}{}: {}{advice}", said("state"), said("step"), said("found")));
        }
        if steps.iter().any(|s| s["state"] == "failed") {
            failed.push(name.to_owned());
        }
        value.push(json!({"system": name, "steps": steps}));
    }
    let trouble = (!failed.is_empty()).then(|| Trouble::Failed(format!("a check failed: {}", failed.join(", "))));
    Ok(Found { value: Value::Array(value), lines, trouble })
}
