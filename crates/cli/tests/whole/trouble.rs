//! What goes wrong inside: a panic, a database that goes away, a system that never comes to an end. Hovrel goes on, says what
//! it was, and ends when it is told to.

use std::process::{Command, Stdio};
use std::time::Duration;

use hovrel_core::model::Kind;
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::world::Size;
use hovrel_testkit::saltmere::{self, Habits, Lie, Said, Saltmere};
use hovrel_testkit::{Client, Database, OLDSTONE, Systems, TALLYBENCH, eventually, is_over, read_all, settled_route};
use reqwest::Method;
use serde_json::{Value, json};

use crate::program::Program;

fn profile() -> String {
    saltmere::profile(Habits::default(), false)
}

/// Connects Saltmere under a name without surveying it; its id.
async fn connected(client: &Client, system: &Saltmere, name: &str) -> String {
    let sign_in = json!({"key": saltmere::KEY});
    let body = json!({"name": name, "profile": "saltmere", "address": system.address, "sign_in": sign_in});
    client.post("/systems", body).await["id"].as_str().expect("an id").to_owned()
}

async fn survey(client: &Client, system: &str) -> Value {
    client.post(&format!("/systems/{system}/surveys"), json!({"container": saltmere::KNOWN.container})).await
}

#[tokio::test]
async fn a_panic_is_the_failure_of_its_job_and_of_nothing_else() {
    let system = Saltmere::start(Habits::default()).await;
    let program = Program::start_failing(&profile(), "survey begun=6*panic(as it is)->off").await;
    let client = Client::sign_in(&program.address).await;
    let id = connected(&client, &system, "Saltmere").await;
    // More than there are workers.
    for _ in 0..6 {
        let begun = survey(&client, &id).await;
        let job = client.finish(&begun).await;
        assert_eq!(job["state"], "failed");
        assert!(job["error"].as_str().is_some_and(|e| e.contains("as it is")), "{job}");
    }
    let begun = survey(&client, &id).await;
    assert_eq!(client.finish(&begun).await["state"], "done");
    let taken = program.ask("select max(takeovers)::text as told from jobs").await;
    assert_eq!(taken, ["0"], "what failed is not taken again");
}

/// A job that brings its worker down each time, and one that this version knows nothing of.
#[tokio::test]
async fn a_job_that_nobody_can_do_is_not_taken_up_without_end() {
    let system = Saltmere::start(Habits::default()).await;
    let program = Program::start_failing(&profile(), "").await;
    let client = Client::sign_in(&program.address).await;
    let id = connected(&client, &system, "Saltmere").await;
    for (set, said) in [
        (
            "state = 'running', takeovers = 20, taken_at = now(), lease_until = now() - interval '1 minute'",
            "went silent",
        ),
        ("state = 'waiting', kind = 'audit'", "audit"),
    ] {
        let done = survey(&client, &id).await;
        let done = client.finish(&done).await;
        let job = done["id"].as_str().expect("an id");
        program.change(&format!("alter table jobs drop constraint if exists jobs_kind_check; update jobs set finished_at = null, error = null, {set} where id = '{job}'")).await;
        let failed = async || {
            let now = client.get(&format!("/jobs/{job}")).await;
            (now["state"] == "failed").then_some(now)
        };
        let now = eventually("the failure of the job", failed).await;
        assert!(now["error"].as_str().is_some_and(|e| e.contains(said)), "{now}");
    }
}

/// The program sleeps for longer than its leases, alone on its database: it takes its jobs up again when it wakes, and
/// none of them ends as if somebody had stopped it.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_program_that_slept_takes_up_its_jobs_again() {
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let (route, _) = settled_route(&client, &systems, &OLDSTONE, &TALLYBENCH, &[]).await.expect("kinds in common");
    let left = client.get(&format!("/routes/{route}")).await["left"].clone();
    systems.misbehave(FaultPlan { seed: 5, delay: 1000, delay_ms: 400, ..FaultPlan::default() });
    let jobs = [
        (
            format!("/systems/{}/surveys", left["system"].as_str().expect("an id")),
            json!({"container": left["container"]}),
        ),
        (format!("/routes/{route}/dry-runs"), json!({})),
        (format!("/routes/{route}/proofs"), json!({})),
    ];
    let slept_through = async |path: String, body: Value| {
        let job = client.post(&path, body).await;
        let asked = format!("/jobs/{}", job["id"].as_str().expect("an id"));
        for _ in 0..3 {
            let runs = async || {
                let now = client.get(&asked).await;
                (now["state"] == "running" || is_over(&now)).then_some(())
            };
            eventually("a worker takes it", runs).await;
            tokio::time::sleep(Duration::from_millis(300)).await;
            program.signal("STOP");
            tokio::time::sleep(Duration::from_millis(2200)).await;
            program.signal("CONT");
            tokio::time::sleep(Duration::from_millis(300)).await;
        }
        let job = client.finish(&job).await;
        assert_eq!(job["state"], "done", "{path}: {job}");
        job
    };
    for (path, body) in jobs {
        slept_through(path, body).await;
    }
    let plan = client.dry_run(&route).await;
    client.decide_all(&plan).await;
    let job = slept_through(format!("/plans/{}/transfer", plan["id"].as_str().expect("an id")), json!({})).await;
    assert_eq!(job["result"]["refused"], 0, "{job}");
    let slept = program.log().matches("the lease was lost").count() + program.log().matches("went away").count();
    assert!(slept > 3, "jobs were taken from it {slept} times");
}

/// A PostgreSQL of its own, that can go away. What it said is kept is there when it is back, however it ended.
struct Cluster {
    folder: tempfile::TempDir,
    /// Where its data is, which may be elsewhere if the folder is out of reach for its user.
    data: String,
    url: String,
}

impl Cluster {
    fn script(&self, script: &str) -> String {
        shell(&format!("pg_folder={:?}; {script}", self.data), &self.folder)
    }

    fn start() -> Cluster {
        let folder = tempfile::tempdir().expect("a folder");
        let path = folder.path().join("postgres");
        let told = shell(
            &format!(
                "start_postgres {path:?} '-c fsync=off -c full_page_writes=off'; \
                 echo \"told $pg_folder $database_url\""
            ),
            &folder,
        );
        let line = told.lines().find_map(|l| l.strip_prefix("told ")).unwrap_or_else(|| panic!("it starts: {told}"));
        let (data, url) = line.split_once(' ').expect("a folder and an address");
        Cluster { data: data.to_owned(), url: url.to_owned(), folder }
    }

    fn restart(&self, mode: &str) {
        self.script(&format!("cd / && pg pg_ctl -D \"$pg_folder\" -m {mode} -w restart >/dev/null"));
    }

    /// Away for so long.
    async fn away(&self, time: Duration) {
        self.script("stop_postgres");
        tokio::time::sleep(time).await;
        let port = self.url.rsplit_once(':').and_then(|(_, rest)| rest.split('/').next()).expect("a port");
        self.script(&format!(
            "cd / && pg pg_ctl -D \"$pg_folder\" -w -o \"-p {port} -h 127.0.0.1 -c unix_socket_directories='' -c max_connections=200 -c fsync=off\" start >/dev/null"
        ));
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        self.script("stop_postgres; case \"$pg_folder\" in /var/tmp/hovrel-*) rm -rf \"$pg_folder\";; esac");
    }
}

/// Runs shell commands with what ./start and ./test share.
fn shell(commands: &str, folder: &tempfile::TempDir) -> String {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    let out = folder.path().join("out");
    let file = std::fs::File::create(&out).expect("a file");
    let status = Command::new("bash")
        .arg("-c")
        .arg(format!("root={root}; . {root}/scripts/common.sh; {commands}"))
        // The server that is started would keep a pipe open.
        .stdout(Stdio::from(file.try_clone().expect("a file")))
        .stderr(Stdio::from(file))
        .status();
    let said = std::fs::read_to_string(out).unwrap_or_default();
    assert!(status.expect("bash is there").success(), "{commands}: {said}");
    said
}

/// The database is restarted three times, in each way, and once it is away for longer than any lease, while a transfer runs:
/// it goes on by itself to the same end.
#[tokio::test(flavor = "multi_thread")]
async fn a_transfer_outlives_its_database() {
    let cluster = Cluster::start();
    let systems = Systems::start(Size::SMALL).await;
    let program = Program::start_on(Database::fresh_at(&cluster.url).await).await;
    let client = Client::sign_in(&program.address).await;
    let (route, _) = settled_route(&client, &systems, &OLDSTONE, &TALLYBENCH, &[]).await.expect("kinds in common");
    let plan = client.dry_run(&route).await;
    client.decide_all(&plan).await;
    systems.misbehave(FaultPlan { seed: 3, delay: 1000, delay_ms: 400, ..FaultPlan::default() });
    let job = client.transfer(&plan).await;
    let path = format!("/jobs/{}", job["id"].as_str().expect("an id"));
    let done = async || {
        let (status, now) = client.tried(&path).await?;
        status.is_success().then(|| (now["progress"]["settled"].as_u64().unwrap_or(0), is_over(&now)))
    };
    let mut cut = 0;
    for mode in ["fast", "immediate", "fast", "away"] {
        let before = eventually("progress", async || done().await.map(|(done, _)| done)).await;
        let went_on = async || done().await.filter(|(now, over)| *now > before || *over);
        let (_, over) = eventually("more progress", went_on).await;
        if over {
            break;
        }
        cut += 1;
        match mode {
            "away" => cluster.away(Duration::from_secs(12)).await,
            mode => cluster.restart(mode),
        }
    }
    eventually("the end of the transfer", async || done().await.filter(|(_, over)| *over)).await;
    let job = client.get(&path).await;
    assert!(cut >= 3, "it was over before the database went away three times: {job}");
    let refused = client.get(&format!("{path}/refused")).await;
    assert_eq!((&job["state"], &refused), (&json!("done"), &json!([])), "{job}");
    systems.misbehave(FaultPlan::default());
    let next = client.dry_run(&route).await;
    assert_eq!(next["included"], 0, "nothing is left to do: {:?}", client.all_changes(&next).await);
    assert_eq!(client.prove(&route).await["headline"]["unexplained_items"], 0);
    let there = read_all(&*systems.connect(&TALLYBENCH), TALLYBENCH.container, Kind::TestCase).await;
    let marks: std::collections::BTreeSet<_> = there.iter().filter_map(|c| c.origin.clone()).collect();
    let marked = there.iter().filter(|c| c.origin.is_some()).count();
    assert_eq!(marks.len(), marked, "nothing was made twice");
}

#[test]
fn a_database_that_is_not_there_is_told_at_once() {
    let folder = tempfile::tempdir().expect("a folder");
    let begun = std::time::Instant::now();
    let out = Command::new(env!("CARGO_BIN_EXE_hovrel"))
        .args(["serve", "--database-url", "postgres://hovrel@127.0.0.1:9/none", "--key-file"])
        .arg(folder.path().join("key"))
        .output()
        .expect("it can be started");
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(!out.status.success() && said.contains("PostgreSQL") && said.contains("can't be reached"), "{said}");
    assert!(begun.elapsed() < Duration::from_secs(20), "it did not wait for it");
}

/// A system that holds whatever reads it: the survey is stopped when a person wants so, the program ends when it is told to,
/// and others are answered meanwhile.
#[tokio::test]
async fn what_never_ends_can_be_stopped() {
    let deep = format!("{}so", "> ".repeat(20_000));
    let items: Vec<_> = (0..1500).map(|n| json!({"no": n, "title": "so", "note": deep})).collect();
    let heavy = Lie::json(json!({"checks": items, "of": 1500}).to_string());
    let silent = Lie { said: Said::Nothing, ..Lie::json("") };
    let mut program = Program::start_with_profile(&profile()).await;
    let client = Client::sign_in(&program.address).await;
    for (name, lie) in [("Heavy pans", heavy), ("Silent pans", silent)] {
        let system = Saltmere::start(Habits::default()).await;
        system.lie("/sm/checks", lie);
        let id = connected(&client, &system, name).await;
        for _ in 0..4 {
            survey(&client, &id).await;
        }
        survey(&client, &id).await;
        tokio::time::sleep(Duration::from_millis(800)).await;
        let asked = std::time::Instant::now();
        client.get("/systems").await;
        assert!(asked.elapsed() < Duration::from_secs(5), "others are answered");
        let jobs = client.get("/overview").await["jobs"].clone();
        for job in jobs.as_array().expect("jobs").iter().filter(|j| j["state"] == "running" || j["state"] == "waiting")
        {
            let path = format!("/jobs/{}", job["id"].as_str().expect("an id"));
            client.call(Method::PUT, &format!("{path}/wanted"), Some(json!({"wanted": "stop"})), None).await;
        }
        let stopped = async || {
            let now = client.get("/overview").await["jobs"].clone();
            let over = |j: &Value| hovrel_testkit::is_over(j);
            now.as_array().expect("jobs").iter().all(over).then_some(())
        };
        eventually("the stop of the surveys", stopped).await;
        for _ in 0..4 {
            survey(&client, &id).await;
        }
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    // Four surveys at once, each with a page of 60 MB.
    let peak = program.peak_mib().expect("the system tells it");
    assert!(peak < 2_000, "{peak} MiB");
    eprintln!("hostile surveys took {peak} MiB at most");
    let took = program.end("TERM");
    assert!(took < Duration::from_secs(20), "the end took {took:?}");
}

/// Six hundred wrong passwords at once take no more memory than the few that are looked at.
#[tokio::test(flavor = "multi_thread")]
async fn wrong_passwords_take_little_memory() {
    let program = Program::start().await;
    let client = Client::sign_in(&program.address).await;
    client.get("/systems").await;
    let before = program.peak_mib().expect("the system tells it");
    let bare = reqwest::Client::new();
    let tries = (0..600).map(|n| {
        let body = json!({"login": "admin", "password": format!("wrong {n}")});
        bare.post(format!("{}/api/v1/session", program.address)).json(&body).send()
    });
    let answers = futures::future::join_all(tries).await;
    let refused = answers.iter().flatten().filter(|a| a.status() == 401 || a.status() == 429).count();
    assert_eq!(refused, 600);
    let after = program.peak_mib().expect("the system tells it");
    assert!(after - before <= 100, "{before} MiB before, {after} MiB after");
}
