//! `hovrel serve`.

use std::path::PathBuf;
use std::time::Duration;

use anyhow::Context;
use hovrel_engine::{Hub, WorkerOptions, run_worker, tidy};
use hovrel_store::{Sealer, Store};
use tokio_util::sync::CancellationToken;

#[derive(clap::Args)]
pub struct Arguments {
    /// Where PostgreSQL is.
    #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
    database_url: String,
    /// File with the key that opens credentials; made if it is not there.
    #[arg(long, env = "HOVREL_KEY_FILE")]
    key_file: PathBuf,
    /// Address to listen on.
    #[arg(long, default_value = "127.0.0.1:0")]
    listen: String,
    /// Where to write the address once it listens.
    #[arg(long)]
    announce: Option<PathBuf>,
    /// Systems that the connect form offers, as JSON; for the demo.
    #[arg(long)]
    presets: Option<PathBuf>,
    /// More profiles: a folder of YAML files.
    #[arg(long)]
    profiles: Option<PathBuf>,
    /// What may be called beside the Internet, with commas between: networks (10.0.0.0/8), addresses, names of hosts,
    /// `loopback`, `private`. With a `!` before it: what may not be called.
    #[arg(long, env = "HOVREL_OUTSIDE", default_value = "", value_parser = outside)]
    outside: hovrel_connect::Outside,
    /// Seconds after which another worker takes up the job of one that went silent.
    #[arg(long, default_value_t = 6.0)]
    lease_seconds: f64,
    /// Days after which plans that were not carried out, and what jobs told while they ran, are cleared; everything is kept
    /// if this is left out. What belongs to a pair, and what was carried out, is always kept.
    #[arg(long, env = "HOVREL_KEEP_DAYS", value_parser = clap::value_parser!(u32).range(1..=36_500))]
    keep_days: Option<u32>,
}

fn outside(text: &str) -> Result<hovrel_connect::Outside, String> {
    text.parse()
}

pub async fn run(a: Arguments) -> anyhow::Result<()> {
    let sealer = Sealer::new(&key(&a.key_file)?).with_context(|| format!("{}", a.key_file.display()))?;
    let opened = Store::open(&a.database_url, 16).await;
    let store = opened.context("see that PostgreSQL runs, and that --database-url is its address")?;
    let mut offers = hovrel_connect::Offer::shipped();
    if let Some(folder) = &a.profiles {
        offers.extend(read_profiles(folder)?.into_iter().map(hovrel_connect::Offer::of));
    }
    let presets = match &a.presets {
        Some(path) => serde_json::from_slice(&std::fs::read(path).with_context(|| format!("{}", path.display()))?)?,
        None => Vec::new(),
    };
    let hub = Hub::new(store, sealer, offers, a.outside);
    let end = CancellationToken::new();
    let options =
        WorkerOptions { lease: Duration::from_secs_f64(a.lease_seconds.max(0.5)), ..WorkerOptions::default() };
    let worker = tokio::spawn(run_worker(hub.clone(), options, end.clone()));
    if let Some(days) = a.keep_days {
        tokio::spawn(tidy(hub.clone(), days, end.clone()));
    }
    let listener =
        tokio::net::TcpListener::bind(&a.listen).await.with_context(|| format!("{} is not free", a.listen))?;
    let address = format!("http://{}", listener.local_addr()?);
    tracing::info!("Hovrel listens on {address}");
    if let Some(path) = &a.announce {
        let next = path.with_extension("next");
        std::fs::write(&next, &address)?;
        std::fs::rename(next, path)?;
    }
    let router = hovrel_server::router(hub, presets);
    let stop = end.clone();
    tokio::spawn(async move {
        told_to_end().await;
        stop.cancel();
    });
    hovrel_server::serve(listener, router, end.clone()).await;
    // What takes longer is left to its lease, as after a kill.
    let _ = tokio::time::timeout(LONGEST_END, worker).await;
    Ok(())
}

/// How long the end of Hovrel may take.
const LONGEST_END: Duration = Duration::from_secs(2);

async fn told_to_end() {
    let terminated = async {
        match tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()) {
            Ok(mut signal) => signal.recv().await,
            Err(_) => std::future::pending().await,
        }
    };
    tokio::select! { _ = tokio::signal::ctrl_c() => {}, _ = terminated => {} }
}

/// Reads the key, or makes one that only this user may read.
fn key(path: &PathBuf) -> anyhow::Result<String> {
    use std::io::Write;
    use std::os::unix::fs::OpenOptionsExt;
    if path.exists() {
        return std::fs::read_to_string(path).with_context(|| format!("{} can't be read", path.display()));
    }
    let key = Sealer::new_key();
    let mut file = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(path)?;
    file.write_all(key.as_bytes())?;
    Ok(key)
}

fn read_profiles(folder: &PathBuf) -> anyhow::Result<Vec<hovrel_connect::profile::Profile>> {
    let mut out = Vec::new();
    for entry in std::fs::read_dir(folder).with_context(|| format!("{} can't be read", folder.display()))? {
        let path = entry?.path();
        if !path.extension().is_some_and(|e| e == "yaml" || e == "yml") {
            continue;
        }
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let parsed = hovrel_connect::profile::parse(&name, &std::fs::read_to_string(&path)?);
        out.push(parsed.map_err(|faults| {
            let lines: Vec<String> = faults.iter().map(ToString::to_string).collect();
            anyhow::anyhow!(lines.join("\n"))
        })?);
    }
    Ok(out)
}
