//! `hovrel route export` and `hovrel route import`.

use std::path::PathBuf;

use clap::Subcommand;
use serde_json::json;

use super::connection::Connection;
use super::{Found, Trouble};

#[derive(Subcommand)]
pub enum RouteCommand {
    /// Write a route as one YAML file.
    Export {
        /// Name or id.
        route: String,
        /// Where to; without it to the output.
        #[arg(long, short, value_name = "FILE")]
        output: Option<PathBuf>,
    },
    /// Make a route from a YAML file, or a new version of the route of that name.
    Import { file: PathBuf },
}

pub async fn run(to: &Connection, command: RouteCommand) -> Result<Found, Trouble> {
    match command {
        RouteCommand::Export { route, output } => {
            let found = to.route(&route).await?;
            let id = found["id"].as_str().unwrap_or_default();
            let bytes = to.file(&format!("/routes/{id}/file")).await?;
            let text = String::from_utf8_lossy(&bytes).into_owned();
            let value = json!({"route": found["name"], "version": found["version"], "file": text});
            let Some(path) = output else {
                return Ok(Found { value, lines: vec![text.trim_end().to_owned()], trouble: None });
            };
            let failed = |e| Trouble::Usage(format!("{} can't be written: {e}", path.display()));
            std::fs::write(&path, text).map_err(failed)?;
            Ok(Found { value, lines: vec![format!("{route}, version {}", found["version"])], trouble: None })
        }
        RouteCommand::Import { file } => {
            let failed = |e| Trouble::Usage(format!("{} can't be read: {e}", file.display()));
            let text = std::fs::read_to_string(&file).map_err(failed)?;
            let made = to.post_yaml("/routes/file", &text).await?;
            let (name, version) = (made["name"].as_str().unwrap_or_default(), &made["version"]);
            let open = made["rules"]["to_settle"].as_u64().unwrap_or(0);
            let value = json!({"id": made["id"], "route": name, "version": version, "to_settle": open});
            let mut lines = vec![format!("{name}, version {version}")];
            if open > 0 {
                lines.push(format!("{open} rule problems to fix before a dry run"));
            }
            Ok(Found { value, lines, trouble: None })
        }
    }
}
