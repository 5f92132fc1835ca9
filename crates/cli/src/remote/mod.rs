//! Commands that speak to a running server, with a key: for pipelines, and for people at a terminal.
//!
//! Decides how each ends: what it prints (lines for people, or one JSON value), and its exit code. Progress goes to
//! the terminal's error stream, and nowhere if that is none.

mod check;
mod connection;
mod job;
mod plan;
mod proof;
mod route;
mod survey;

use std::process::ExitCode;

use clap::Subcommand;
use serde::de::DeserializeOwned;
use serde_json::Value;

use connection::Connection;

use crate::tell::tell;

/// An answer as what it must hold. One that lacks something is trouble, and not an answer of nothing.
fn read<T: DeserializeOwned>(answer: &Value) -> Result<T, Trouble> {
    T::deserialize(answer).map_err(|e| Trouble::Failed(format!("the server's answer is not what was expected: {e}")))
}

/// Where the server is, and how to speak.
#[derive(clap::Args)]
pub struct Remote {
    /// The address of the server.
    #[arg(long, global = true, env = "HOVREL_SERVER")]
    server: Option<String>,
    /// File with the key. Without it the key is taken from HOVREL_KEY.
    #[arg(long, global = true)]
    key_from: Option<std::path::PathBuf>,
    /// Print one JSON value in place of lines.
    #[arg(long, global = true)]
    json: bool,
    /// Show no progress, even at a terminal.
    #[arg(long, short, global = true)]
    quiet: bool,
}

#[derive(Subcommand)]
pub enum RemoteCommand {
    /// Check the connections to systems: all of them, or those that are named.
    Check { systems: Vec<String> },
    /// Read everything in a project of a system, for scope and rules.
    Survey {
        system: String,
        /// The project; may be left out if the system has one only.
        container: Option<String>,
    },
    /// Make a dry run of a route: what a transfer would do. Writes nothing outside.
    DryRun {
        /// Name or id.
        route: String,
        #[command(flatten)]
        limits: plan::Limits,
    },
    /// Transfer the latest plan of a route.
    Transfer {
        /// Name or id.
        route: String,
        #[command(flatten)]
        limits: plan::Limits,
    },
    /// Routes as files.
    Route {
        #[command(subcommand)]
        command: route::RouteCommand,
    },
}

pub use proof::Prove;

/// Why a command did not do all that was asked.
#[derive(Debug, thiserror::Error)]
pub enum Trouble {
    #[error("{0}")]
    Failed(String),
    #[error("{0}")]
    Usage(String),
    /// Nothing was written.
    #[error("{0}")]
    Held(String),
    #[error("{0}")]
    Refused(String),
    #[error("{0}")]
    Differs(String),
    #[error("{0}")]
    Waits(String),
    #[error("{0}")]
    Key(String),
}

impl Trouble {
    /// The exit codes of docs/command-line.md.
    fn code(&self) -> u8 {
        match self {
            Trouble::Failed(_) => 1,
            Trouble::Usage(_) => 2,
            Trouble::Held(_) => 3,
            Trouble::Refused(_) => 4,
            Trouble::Differs(_) => 5,
            Trouble::Key(_) => 6,
            Trouble::Waits(_) => 7,
        }
    }
}

/// What a command found: for programs, and for people.
struct Found {
    value: Value,
    lines: Vec<String>,
    /// Why it is not all that was asked; what was found is printed nevertheless.
    trouble: Option<Trouble>,
}

pub async fn run(remote: &Remote, command: RemoteCommand) -> ExitCode {
    let found = async {
        let to = Connection::new(remote)?;
        match command {
            RemoteCommand::Check { systems } => check::run(&to, &systems).await,
            RemoteCommand::Survey { system, container } => survey::run(&to, &system, container).await,
            RemoteCommand::DryRun { route, limits } => plan::make(&to, &route, &limits).await,
            RemoteCommand::Transfer { route, limits } => plan::transfer(&to, &route, &limits).await,
            RemoteCommand::Route { command } => route::run(&to, command).await,
        }
    };
    end(remote, found.await)
}

pub async fn prove(remote: &Remote, asked: &Prove) -> ExitCode {
    let found = async { proof::run(&Connection::new(remote)?, asked).await };
    end(remote, found.await)
}

/// Prints what was found and says how it ended.
fn end(remote: &Remote, found: Result<Found, Trouble>) -> ExitCode {
    let (lines, trouble) = match found {
        Ok(Found { value, trouble, .. }) if remote.json => (vec![value.to_string()], trouble),
        Ok(Found { lines, trouble, .. }) => (lines, trouble),
        Err(trouble) => (Vec::new(), Some(trouble)),
    };
    let code = trouble.as_ref().map_or(ExitCode::SUCCESS, |trouble| ExitCode::from(trouble.code()));
    let code = tell(lines, code);
    trouble.iter().for_each(|trouble| eprintln!("{trouble}"));
    code
}
