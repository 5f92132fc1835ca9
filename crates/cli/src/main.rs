//! `hovrel`: a thin map from commands to the crates that do the work.

mod commands;

use std::path::PathBuf;

use clap::{Parser, Subcommand};

#[derive(Parser)]
#[command(name = "hovrel", version, about = "Moves and synchronises test artefacts between systems, and proves it")]
struct Arguments {
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
    /// Print the OpenAPI description of the server.
    Openapi,
}

#[derive(Subcommand)]
enum ProfileCommand {
    /// Read a profile file and say what is wrong with it.
    Check { file: PathBuf },
}

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let filter = tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "info".into());
    tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).init();
    match Arguments::parse().command {
        Command::Serve(arguments) => commands::serve::run(arguments).await,
        Command::Profile { command: ProfileCommand::Check { file } } => commands::profile::check(&file),
        Command::Openapi => {
            println!("{}", serde_json::to_string_pretty(&hovrel_server::description())?);
            Ok(())
        }
    }
}
