//! `hovrel proof ROUTE`: both ends read again and compared.

use std::path::PathBuf;

use serde_json::json;

use super::connection::Connection;
use super::job::finished;
use super::{Found, Trouble};

#[derive(clap::Args)]
pub struct Prove {
    /// Name or id of the route to prove.
    route: Option<String>,
    /// Keep the proof as a file: a page, a spreadsheet or signed JSON, by its ending (.html, .xlsx, .json).
    #[arg(long, short, value_name = "FILE")]
    output: Option<PathBuf>,
}

pub async fn run(to: &Connection, asked: &Prove) -> Result<Found, Trouble> {
    let Some(name) = &asked.route else {
        return Err(Trouble::Usage("name the route to prove, or say what to verify".into()));
    };
    let form = match asked.output.as_ref().map(|p| p.extension().and_then(|e| e.to_str())) {
        None => None,
        Some(Some(form @ ("html" | "xlsx" | "json"))) => Some(form.to_owned()),
        Some(_) => return Err(Trouble::Usage("a proof is kept as .html, .xlsx or .json".into())),
    };
    let route = to.route(name).await?;
    let id = route["id"].as_str().unwrap_or_default();
    let job = to.post(&format!("/routes/{id}/proofs"), None).await?;
    finished(to, &job, "proof").await?;
    let state = to.get(&format!("/routes/{id}/proofs")).await?;
    let proof = &state["proof"];
    if let (Some(path), Some(form)) = (&asked.output, form) {
        let proof = proof["id"].as_str().unwrap_or_default();
        let bytes = to.file(&format!("/routes/{id}/proofs/{proof}/files/{form}")).await?;
        std::fs::write(path, bytes).map_err(|e| Trouble::Usage(format!("{} can't be written: {e}", path.display())))?;
    }
    let differences = proof["differences"].as_u64().unwrap_or(0);
    let mut lines: Vec<String> = Vec::new();
    for lane in proof["lanes"].as_array().into_iter().flatten() {
        let kind = lane["left_kind"].as_str().unwrap_or_default().replace('_', " ");
        lines.push(format!("{kind:<14}{:>8} of {} paired", lane["paired"], lane["left_count"]));
    }
    lines.push(format!("{differences} differences"));
    let value = json!({
        "proof": proof["id"],
        "at": proof["at"],
        "differences": differences,
        "losses_foreseen": proof["losses_foreseen"],
        "losses_unforeseen": proof["losses_unforeseen"],
    });
    let trouble = (differences > 0).then(|| Trouble::Differs(format!("{name}: {differences} differences; see Proof")));
    Ok(Found { value, lines, trouble })
}
