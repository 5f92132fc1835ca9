//! `hovrel`: a thin map from commands to the crates that do the work.

mod commands;
mod remote;
mod tell;

use std::path::PathBuf;
use std::process::ExitCode;

use clap::{Parser, Subcommand};

#[derive(Parser)]
#[command(name = "hovrel", version, about = "Moves and synchronises test artefacts between systems, and proves it")]
struct Arguments {
    #[command(flatten)]
    remote: remote::Remote,
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the web application, with workers inside.
    Serve(commands::serve::Arguments),
    /// Check a system's profile; faults are named with line and key.
    Profile {
        #[command(subcommand)]
        command: ProfileCommand,
    },
    /// Prove a route: both ends are read again and compared. Or verify a proof that was handed on.
    #[command(args_conflicts_with_subcommands = true)]
    Proof {
        #[command(subcommand)]
        command: Option<ProofCommand>,
        #[command(flatten)]
        prove: remote::Prove,
    },
    #[command(flatten)]
    Remote(remote::RemoteCommand),
    /// Print the OpenAPI description of the server.
    Openapi,
}

#[derive(Subcommand)]
enum ProfileCommand {
    /// Read a profile file and say what is wrong with it.
    Check { file: PathBuf },
}

#[derive(Subcommand)]
enum ProofCommand {
    /// Check that a signed proof is what was signed. Exit codes: 0 it is, 1 it is not, 2 it can't be read.
    Verify {
        file: PathBuf,
        /// The key that must have signed it: its fingerprint, or all of it in hexadecimal.
        #[arg(long)]
        key: Option<String>,
    },
}

fn main() -> ExitCode {
    let runtime = match tokio::runtime::Runtime::new() {
        Ok(runtime) => runtime,
        Err(error) => {
            eprintln!("no threads could be started: {error}");
            return ExitCode::FAILURE;
        }
    };
    let code = runtime.block_on(run()).unwrap_or_else(|error| {
        // For people: what failed and why, without the way through the program.
        eprintln!("{error:#}");
        ExitCode::FAILURE
    });
    // Reading that goes on beside the runtime must not hold up the end.
    runtime.shutdown_timeout(std::time::Duration::from_secs(1));
    code
}

const QUIET: &str = "html5ever=warn,markup5ever=warn,selectors=warn,hyper=info,hyper_util=info,reqwest=info,\
    rustls=info,tokio_postgres=info,cel=warn";

async fn run() -> anyhow::Result<ExitCode> {
    #[cfg(feature = "failpoints")]
    hovrel_engine::points_from_environment();
    // Libraries that tell every letter they read are asked by their names.
    let asked = std::env::var("RUST_LOG").unwrap_or_else(|_| "info".to_owned());
    let filter = tracing_subscriber::EnvFilter::builder().parse_lossy(format!("{QUIET},{asked}"));
    tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).init();
    let arguments = Arguments::parse();
    Ok(match arguments.command {
        Command::Serve(arguments) => {
            commands::serve::run(arguments).await?;
            ExitCode::SUCCESS
        }
        Command::Profile { command: ProfileCommand::Check { file } } => commands::profile::check(&file),
        Command::Proof { command: Some(ProofCommand::Verify { file, key }), .. } => {
            commands::proof::run(&file, key.as_deref())
        }
        Command::Proof { command: None, prove } => remote::prove(&arguments.remote, &prove).await,
        Command::Remote(command) => remote::run(&arguments.remote, command).await,
        Command::Openapi => {
            let description = serde_json::to_string_pretty(&hovrel_server::description())?;
            tell::tell([description], ExitCode::SUCCESS)
        }
    })
}
