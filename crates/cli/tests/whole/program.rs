//! The real program on a real database, started and killed.

#![allow(dead_code, reason = "tests and the benchmark each ask for a part of it")]

use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use hovrel_testkit::{Client, Database, eventually};
use serde_json::Value;

pub struct Program {
    child: Child,
    pub address: String,
    folder: tempfile::TempDir,
    database: Database,
    lease_seconds: &'static str,
}

/// Long enough that a busy machine keeps them up, and short enough that a killed program's jobs go on at once.
const SHORT: &str = "1.5";

fn fresh_folder() -> tempfile::TempDir {
    tempfile::tempdir().expect("a folder")
}

impl Program {
    pub async fn start() -> Program {
        Program::start_offering("[]", SHORT, None).await
    }

    /// With a profile besides those that ship.
    pub async fn start_with_profile(profile: &str) -> Program {
        Program::start_offering("[]", SHORT, Some(profile)).await
    }

    /// Ends it and starts it with another profile in the place of its own.
    pub async fn restart_with_profile(&mut self, profile: &str) {
        std::fs::write(self.folder.path().join("profiles/own.yaml"), profile).expect("it can be written");
        self.restart(None).await;
    }

    /// With the leases of every day.
    pub async fn start_with_long_leases() -> Program {
        Program::start_offering("[]", "30", None).await
    }

    /// As the demo does: the connect form offers the simulated systems.
    pub async fn start_with_presets(both: &hovrel_testkit::Systems) -> Program {
        Program::start_offering(&both.presets().to_string(), SHORT, None).await
    }

    /// On a database of its own server.
    pub async fn start_on(database: Database) -> Program {
        Program::start_with(fresh_folder(), "[]", SHORT, None, database, None).await
    }

    /// On a database that was there before, whose credentials are sealed by a key.
    pub async fn start_with_key(database: Database, key: &str) -> Program {
        let folder = fresh_folder();
        std::fs::write(folder.path().join("key"), key).expect("it can be written");
        Program::start_with(folder, "[]", SHORT, None, database, None).await
    }

    /// So that something happens at places that it comes by, in the words of the `fail` library.
    pub async fn start_failing(profile: &str, points: &str) -> Program {
        Program::start_with(fresh_folder(), "[]", SHORT, Some(profile), Database::fresh().await, Some(points)).await
    }

    async fn start_offering(presets: &str, lease_seconds: &'static str, profile: Option<&str>) -> Program {
        Program::start_with(fresh_folder(), presets, lease_seconds, profile, Database::fresh().await, None).await
    }

    async fn start_with(
        folder: tempfile::TempDir,
        presets: &str,
        lease_seconds: &'static str,
        profile: Option<&str>,
        database: Database,
        points: Option<&str>,
    ) -> Program {
        std::fs::create_dir(folder.path().join("profiles")).expect("a folder");
        if let Some(profile) = profile {
            std::fs::write(folder.path().join("profiles/own.yaml"), profile).expect("it can be written");
        }
        std::fs::write(folder.path().join("presets"), presets).expect("presets can be written");
        let child = run(&folder, &database, "127.0.0.1:0", lease_seconds, &failing_at(points));
        let mut program = Program { child, address: String::new(), folder, database, lease_seconds };
        program.address = program.announced().await;
        program
    }

    /// Ends the program by signal 9 and starts it again at the same address.
    pub async fn kill_and_restart(&mut self) {
        self.restart(None).await;
    }

    /// The same, and it ends by signal 9 when a transfer comes by a place.
    pub async fn restart_to_end_at(&mut self, place: &str) {
        self.restart(Some(place)).await;
    }

    async fn restart(&mut self, cut: Option<&str>) {
        // It may have ended by itself.
        let _ = self.child.kill();
        self.child.wait().expect("it ends");
        std::fs::remove_file(self.folder.path().join("address")).expect("it had announced itself");
        let listen = self.address.trim_start_matches("http://").to_owned();
        let points = cut.map(|place| format!("{place}=return"));
        self.child = run(&self.folder, &self.database, &listen, self.lease_seconds, &failing_at(points.as_deref()));
        self.announced().await;
    }

    /// Whether the program ends before something else is so.
    pub async fn ends_before(&mut self, mut other: impl AsyncFnMut() -> Option<()>) -> bool {
        eventually("the program ends, or what is waited for", async || {
            if self.child.try_wait().expect("it can be asked").is_some() {
                return Some(true);
            }
            other().await.map(|()| false)
        })
        .await
    }

    /// Whether the program ends before a job of it is done.
    pub async fn ends_in(&mut self, client: &Client, job: &Value) -> bool {
        let path = format!("/jobs/{}", job["id"].as_str().expect("an id"));
        let over = async || {
            let (status, now) = client.tried(&path).await?;
            (status.is_success() && now["state"] == "done").then_some(())
        };
        self.ends_before(over).await
    }

    /// A transfer that is cut off at a place, and goes on when the program is there again.
    pub async fn transfer_cut_at(&mut self, client: &Client, plan: &Value, cut: &str) -> Value {
        self.restart_to_end_at(cut).await;
        let job = client.transfer(plan).await;
        assert!(self.ends_in(client, &job).await, "the transfer never came by {cut}");
        self.kill_and_restart().await;
        job
    }

    /// Sends the program a signal by its name.
    pub fn signal(&self, name: &str) {
        let sent = Command::new("kill").args([format!("-{name}"), self.child.id().to_string()]).status();
        assert!(sent.expect("kill is there").success());
    }

    /// Another program on the same database, with the same key, and with some variables in its environment.
    pub async fn another(&self, variables: &[(&str, &str)]) -> Second {
        let folder = fresh_folder();
        std::fs::create_dir(folder.path().join("profiles")).expect("a folder");
        for name in ["key", "presets"] {
            std::fs::copy(self.folder.path().join(name), folder.path().join(name)).expect("it can be copied");
        }
        let child = run(&folder, &self.database, "127.0.0.1:0", self.lease_seconds, variables);
        let announced = async || std::fs::read_to_string(folder.path().join("address")).ok();
        let address = eventually("the second program starts", announced).await;
        Second { child, address, _folder: folder }
    }

    /// What a query of its database finds, whose one column is the text `told`.
    pub async fn ask(&self, query: &str) -> Vec<String> {
        self.database.ask(query).await
    }

    /// Does something in its database that no part of Hovrel does.
    pub async fn change(&self, commands: &str) {
        self.database.change(commands).await;
    }

    async fn announced(&mut self) -> String {
        let path = self.folder.path().join("address");
        for _ in 0..300 {
            if let Ok(address) = std::fs::read_to_string(&path) {
                return address;
            }
            if let Some(status) = self.child.try_wait().expect("it can be asked") {
                panic!("the program ended with {status}: {}", self.log());
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("the program did not start: {}", self.log());
    }

    /// Ends it by a signal; how long that took.
    pub fn end(&mut self, signal: &str) -> Duration {
        let begun = std::time::Instant::now();
        self.signal(signal);
        self.child.wait().expect("it ends");
        begun.elapsed()
    }

    /// The high-water mark of its resident memory (proc(5), VmHWM).
    pub fn peak_mib(&self) -> Option<u64> {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.child.id())).ok()?;
        let line = status.lines().find(|l| l.starts_with("VmHWM:"))?;
        Some(line.split_whitespace().nth(1)?.parse::<u64>().ok()? / 1024)
    }

    /// Everything it wrote to its log.
    pub fn log(&self) -> String {
        std::fs::read_to_string(self.folder.path().join("log")).unwrap_or_default()
    }
}

/// A second program beside the first.
pub struct Second {
    child: Child,
    pub address: String,
    _folder: tempfile::TempDir,
}

impl Drop for Second {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Drop for Program {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// What tells the `fail` library what happens at places that the program comes by.
fn failing_at(points: Option<&str>) -> Vec<(&str, &str)> {
    points.map(|points| ("FAILPOINTS", points)).into_iter().collect()
}

fn run(
    folder: &tempfile::TempDir,
    database: &Database,
    listen: &str,
    lease_seconds: &str,
    variables: &[(&str, &str)],
) -> Child {
    let path = |name: &str| -> PathBuf { folder.path().join(name) };
    let log = std::fs::OpenOptions::new().create(true).append(true).open(path("log")).expect("a log");
    Command::new(env!("CARGO_BIN_EXE_hovrel"))
        .args(["serve", "--listen", listen, "--lease-seconds", lease_seconds, "--outside", "loopback", "--key-file"])
        .arg(path("key"))
        .arg("--announce")
        .arg(path("address"))
        .arg("--presets")
        .arg(path("presets"))
        .arg("--profiles")
        .arg(path("profiles"))
        .env("DATABASE_URL", &database.url)
        .env("FAILPOINTS", "")
        .envs(variables.iter().copied())
        // A proxy of the environment is not asked.
        .env("http_proxy", "http://127.0.0.1:9")
        // What is secret must be in no log, however much is logged.
        .env("RUST_LOG", std::env::var("RUST_LOG").as_deref().unwrap_or("debug"))
        .stderr(log)
        .stdout(Stdio::null())
        .spawn()
        .expect("the program can be started")
}
