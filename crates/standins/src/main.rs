//! Starts the simulated systems and says where they are.

use std::path::PathBuf;

use clap::Parser;
use hovrel_standins::world::Size;
use hovrel_standins::{cairnbook, fernway, oldstone, tallybench};

#[derive(Parser)]
#[command(about = "Simulated outside systems for the demo")]
struct Arguments {
    /// Folder to keep their state in; in memory only if left out.
    #[arg(long)]
    data: Option<PathBuf>,
    /// Where to write addresses and sign-ins as JSON once they listen.
    #[arg(long)]
    announce: PathBuf,
    #[arg(long, default_value_t = 0)]
    oldstone_port: u16,
    #[arg(long, default_value_t = 0)]
    tallybench_port: u16,
    #[arg(long, default_value_t = 0)]
    fernway_port: u16,
    #[arg(long, default_value_t = 0)]
    cairnbook_port: u16,
    /// Calls a minute that Tallybench allows.
    #[arg(long, default_value_t = 240)]
    tallybench_rate: u32,
    /// How much there is in them: 400 test cases, 19,500 or 99,000, with what belongs to them.
    #[arg(long, value_enum, default_value_t = World::Demo)]
    world: World,
}

#[derive(Debug, Clone, Copy, clap::ValueEnum)]
enum World {
    Demo,
    Medium,
    Large,
}

impl World {
    fn size(self) -> Size {
        match self {
            World::Demo => Size::DEMO,
            World::Medium => Size::MEDIUM,
            World::Large => Size::LARGE,
        }
    }
}

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    tracing_subscriber::fmt().with_writer(std::io::stderr).init();
    let arguments = Arguments::parse();
    let old = oldstone::start(oldstone::Options {
        port: arguments.oldstone_port,
        data: arguments.data.clone(),
        size: arguments.world.size(),
        ..Default::default()
    })
    .await?;
    let tally = tallybench::start(tallybench::Options {
        port: arguments.tallybench_port,
        data: arguments.data.clone(),
        size: arguments.world.size(),
        calls_per_minute: arguments.tallybench_rate,
        ..Default::default()
    })
    .await?;
    let fern = fernway::start(fernway::Options {
        port: arguments.fernway_port,
        data: arguments.data.clone(),
        size: arguments.world.size(),
        ..Default::default()
    })
    .await?;
    let moor = cairnbook::start(cairnbook::Options {
        port: arguments.cairnbook_port,
        data: arguments.data.clone(),
        size: arguments.world.size(),
        ..Default::default()
    })
    .await?;
    let announced = serde_json::json!([
        {"name": "Oldstone", "profile": "oldstone", "address": old.url(),
         "sign_in": {"login": oldstone::LOGIN, "password": oldstone::PASSWORD}},
        {"name": "Tallybench", "profile": "tallybench", "address": tally.url(), "sign_in": {"key": tallybench::KEY}},
        {"name": "Fernway", "profile": "fernway", "address": fern.url(),
         "sign_in": {"client": fernway::CLIENT, "secret": fernway::SECRET}},
        {"name": "Cairnbook", "profile": "oslc", "address": format!("{}/rm/catalog", moor.url()),
         "sign_in": {"login": cairnbook::LOGIN, "password": cairnbook::PASSWORD}},
    ]);
    let next = arguments.announce.with_extension("next");
    std::fs::write(&next, serde_json::to_vec_pretty(&announced)?)?;
    std::fs::rename(next, &arguments.announce)?;
    let mut terminate = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate())?;
    tokio::select! { _ = tokio::signal::ctrl_c() => {}, _ = terminate.recv() => {} }
    // What was written last reaches the disk within half a second.
    tokio::time::sleep(std::time::Duration::from_millis(700)).await;
    Ok(())
}
