//! The real program on a real database, started and killed.

use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use hovrel_testkit::Database;

pub struct Program {
    child: Child,
    pub address: String,
    folder: tempfile::TempDir,
    database: Database,
    lease_seconds: &'static str,
}

/// Long enough that a busy machine keeps them up, and short enough that a killed program's jobs go on at once.
const SHORT: &str = "1.5";

impl Program {
    pub async fn start() -> Program {
        Program::start_offering("[]", SHORT).await
    }

    /// With the leases of every day.
    #[allow(dead_code, reason = "asked by the benchmark")]
    pub async fn start_with_long_leases() -> Program {
        Program::start_offering("[]", "30").await
    }

    /// As the demo does: the connect form offers the simulated systems.
    pub async fn start_with_presets(both: &hovrel_testkit::Systems) -> Program {
        Program::start_offering(&both.presets().to_string(), SHORT).await
    }

    async fn start_offering(presets: &str, lease_seconds: &'static str) -> Program {
        let folder = tempfile::tempdir().expect("a folder");
        std::fs::write(folder.path().join("presets"), presets).expect("presets can be written");
        let database = Database::fresh().await;
        let child = run(&folder, &database, "127.0.0.1:0", lease_seconds);
        let mut program = Program { child, address: String::new(), folder, database, lease_seconds };
        program.address = program.announced().await;
        program
    }

    /// Ends the program by signal 9 and starts it again at the same address.
    pub async fn kill_and_restart(&mut self) {
        self.child.kill().expect("it runs");
        self.child.wait().expect("it ends");
        std::fs::remove_file(self.folder.path().join("address")).expect("it had announced itself");
        let listen = self.address.trim_start_matches("http://").to_owned();
        self.child = run(&self.folder, &self.database, &listen, self.lease_seconds);
        self.announced().await;
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

    /// The high-water mark of its resident memory (proc(5), VmHWM).
    #[allow(dead_code, reason = "asked by the benchmark")]
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

impl Drop for Program {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn run(folder: &tempfile::TempDir, database: &Database, listen: &str, lease_seconds: &str) -> Child {
    let path = |name: &str| -> PathBuf { folder.path().join(name) };
    let log = std::fs::OpenOptions::new().create(true).append(true).open(path("log")).expect("a log");
    Command::new(env!("CARGO_BIN_EXE_hovrel"))
        .args(["serve", "--listen", listen, "--lease-seconds", lease_seconds, "--key-file"])
        .arg(path("key"))
        .arg("--announce")
        .arg(path("address"))
        .arg("--presets")
        .arg(path("presets"))
        .env("DATABASE_URL", &database.url)
        // What is secret must be in no log, however much is logged.
        .env(
            "RUST_LOG",
            std::env::var("RUST_LOG").as_deref().unwrap_or("debug,hyper=info,tokio_postgres=info,html5ever=info"),
        )
        .stderr(log)
        .stdout(Stdio::null())
        .spawn()
        .expect("the program can be started")
}
