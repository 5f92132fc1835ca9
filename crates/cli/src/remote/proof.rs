//! `hovrel proof ROUTE`: both ends read again and compared.

use std::path::PathBuf;

use serde::Deserialize;
use serde_json::json;

use super::connection::Connection;
use super::job::finished;
use super::{Found, Trouble, read};

#[derive(clap::Args)]
pub struct Prove {
    /// Name or id of the route to prove.
    route: Option<String>,
    /// Keep the proof as a file: a page, a spreadsheet or signed JSON, by its ending (.html, .xlsx, .json).
    #[arg(long, short, value_name = "FILE")]
    output: Option<PathBuf>,
    /// Read files at both ends and compare them byte by byte: all, or so many chosen at random. Else they are compared by
    /// the digests that the systems state.
    #[arg(long, value_name = "all|NUMBER", value_parser = files)]
    read_files: Option<Files>,
}

#[derive(Clone, Copy)]
enum Files {
    All,
    Sample(u32),
}

/// What the exit code says. All of it must be in the answer.
#[derive(Deserialize)]
struct Headline {
    agrees: u64,
    waits_items: u64,
    unexplained_items: u64,
}

fn files(text: &str) -> Result<Files, String> {
    match text {
        "all" => Ok(Files::All),
        number => number.parse().map(Files::Sample).map_err(|_| "“all” or a number of files is needed".to_owned()),
    }
}

pub async fn run(to: &Connection, asked: &Prove) -> Result<Found, Trouble> {
    let Some(name) = &asked.route else {
        return Err(Trouble::Usage("name the route to prove, or the file to verify".into()));
    };
    let form = match asked.output.as_ref().map(|p| p.extension().and_then(|e| e.to_str())) {
        None => None,
        Some(Some(form @ ("html" | "xlsx" | "json"))) => Some(form.to_owned()),
        Some(_) => return Err(Trouble::Usage("a proof is kept as .html, .xlsx or .json".into())),
    };
    let route = to.route(name).await?;
    let id = route["id"].as_str().unwrap_or_default();
    let files = match asked.read_files {
        None => json!("none"),
        Some(Files::All) => json!("all"),
        Some(Files::Sample(n)) => json!({"sample": n}),
    };
    let job = to.post(&format!("/routes/{id}/proofs"), Some(&json!({"files": files}))).await?;
    finished(to, &job, "proof").await?;
    let state = to.get(&format!("/routes/{id}/proofs")).await?;
    let proof = &state["proof"];
    if let (Some(path), Some(form)) = (&asked.output, form) {
        let proof = proof["id"].as_str().unwrap_or_default();
        let bytes = to.file(&format!("/routes/{id}/proofs/{proof}/files/{form}")).await?;
        std::fs::write(path, bytes).map_err(|e| Trouble::Usage(format!("{} can't be written: {e}", path.display())))?;
    }
    let Headline { agrees, waits_items: waits, unexplained_items: unexplained } = read(&proof["headline"])?;
    let mut lines: Vec<String> = Vec::new();
    for lane in proof["lanes"].as_array().into_iter().flatten() {
        let read = if lane["direction"] == "to_left" { "right_count" } else { "left_count" };
        let kind = lane["left_kind"].as_str().unwrap_or_default().replace('_', " ");
        lines.push(format!("{kind:<14}{:>8} of {} paired", lane["paired"], lane[read]));
    }
    let mut bytes = (0, 0, 0, 0);
    for files in proof["lanes"].as_array().into_iter().flatten().map(|l| &l["files"]).filter(|f| f.is_object()) {
        let number = |name: &str| files[name].as_u64().unwrap_or(0);
        let not_read = files["not_read"].as_array().map_or(0, Vec::len) as u64;
        bytes = (bytes.0 + number("of"), bytes.1 + number("read"), bytes.2 + number("same"), bytes.3 + not_read);
    }
    if asked.read_files.is_some() {
        let (of, done, same, not) = bytes;
        lines.push(format!(
            "{done:>8} of {of} files read at both ends: {same} have the same bytes, {not} could not be read"
        ));
    }
    lines.push(format!("{agrees:>8} fields are as they should be"));
    lines.push(format!("{waits:>8} items wait"));
    for cause in proof["headline"]["waits"].as_array().into_iter().flatten() {
        lines.push(format!("{:>12} {}", cause["items"], cause["why"].as_str().unwrap_or_default()));
    }
    lines.push(format!("{unexplained:>8} items are unexplained"));
    let value = json!({
        "proof": proof["id"],
        "at": proof["at"],
        "differences": proof["differences"],
        "agrees": agrees,
        "waits": waits,
        "unexplained": unexplained,
        "files": {"of": bytes.0, "read": bytes.1, "same": bytes.2, "not_read": bytes.3},
        "losses_foreseen": proof["losses_foreseen"],
        "losses_unforeseen": proof["losses_unforeseen"],
    });
    Ok(Found { value, lines, trouble: trouble(name, waits, unexplained) })
}

/// What is unexplained weighs more than what waits.
fn trouble(name: &str, waits: u64, unexplained: u64) -> Option<Trouble> {
    match (unexplained, waits) {
        (0, 0) => None,
        (0, n) => {
            Some(Trouble::Waits(format!("{name}: {n} items wait for a decision, or for the next transfer; see Proof")))
        }
        (n, _) => Some(Trouble::Differs(format!("{name}: {n} items differ without a known reason; see Proof"))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_exit_code_is_that_of_the_headline() {
        for (waits, unexplained, code) in [(0, 0, None), (3, 0, Some(7)), (0, 1, Some(5)), (3, 1, Some(5))] {
            let found = trouble("Moves", waits, unexplained).map(|t| t.code());
            assert_eq!(found, code, "{waits} wait, {unexplained} are unexplained");
        }
    }
}
