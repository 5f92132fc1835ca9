//! The first transfer against Tallybench's limit, by the real program on a real database: `./bench`. Prints
//! the share of the allowed calls that was used, how many of the calls were writes that had to be made, and
//! the peak of memory. The demo world runs against 240 calls a minute; with `HOVREL_BENCH_MEDIUM` set, the
//! medium world of about 20,000 artefacts runs against a limit that takes minutes and not hours.

#[path = "../tests/whole/program.rs"]
mod program;

use std::time::{Duration, Instant};

use hovrel_standins::world::Size;
use hovrel_standins::{cairnbook, fernway, oldstone, tallybench};
use hovrel_testkit::{Client, Systems};
use program::Program;

/// Calls that both systems counted.
#[derive(Clone, Copy)]
struct Calls {
    oldstone: u64,
    tallybench: u64,
}

impl Calls {
    fn so_far(both: &Systems) -> Calls {
        Calls { oldstone: both.oldstone.faults.count().calls, tallybench: both.tallybench.faults.count().calls }
    }
}

/// What the systems allow: Oldstone takes its time over each call and answers few at once, Tallybench answers so many a minute.
struct Limits {
    each: Duration,
    at_once: usize,
    calls_per_minute: u32,
}

impl Limits {
    /// The least time that the calls of a job take by these limits, as a share of the time that they took. A quarter of a
    /// minute's calls is there at once.
    fn share(&self, before: Calls, after: Calls, took: Duration) -> String {
        let (old, tally) = (after.oldstone - before.oldstone, after.tallybench - before.tallybench);
        let least_old = old as f64 * self.each.as_secs_f64() / self.at_once as f64;
        let per_minute = f64::from(self.calls_per_minute);
        let least_tally = (tally as f64 - per_minute / 4.0).max(0.0) * 60.0 / per_minute;
        let (least, took) = (least_old.max(least_tally), took.as_secs_f64());
        format!(
            "{took:.1} s; {old} calls to Oldstone, {least_old:.1} s at least; {tally} to Tallybench, {least_tally:.1} s at \
             least; {:.0} %",
            100.0 * least / took
        )
    }
}

#[tokio::main]
async fn main() {
    let medium = std::env::var_os("HOVREL_BENCH_MEDIUM").is_some();
    let (size, calls_per_minute) = if medium { (Size::MEDIUM, 12_000) } else { (Size::DEMO, 240) };
    // Tallybench begins with the demo's own content in both: it is not what is measured.
    let tally = tallybench::Options { calls_per_minute, ..Default::default() };
    let both = Systems::beside(
        oldstone::start(oldstone::Options { size, ..Default::default() }).await.expect("Oldstone starts"),
        tallybench::start(tally).await.expect("Tallybench starts"),
        fernway::start(fernway::Options::default()).await.expect("Fernway starts"),
        cairnbook::start(cairnbook::Options::default()).await.expect("Cairnbook starts"),
    );
    let program = Program::start_with_long_leases().await;
    let client = Client::sign_in(&program.address).await;
    let old = oldstone::Options::default();
    let limits = Limits { each: old.delay, at_once: old.calls_at_once, calls_per_minute };
    let (begun, before) = (Instant::now(), Calls::so_far(&both));
    let route = client.make_route(&both).await;
    println!("surveys of both ends: {}", limits.share(before, Calls::so_far(&both), begun.elapsed()));
    let peak = || program.peak_mib().map_or("unknown".into(), |m| m.to_string());
    println!("peak memory of hovrel after the surveys: {} MiB", peak());
    let (begun, before) = (Instant::now(), Calls::so_far(&both));
    let plan = client.dry_run(&route).await;
    let share = limits.share(before, Calls::so_far(&both), begun.elapsed());
    println!("dry run over {} items: {share}", plan["left_total"]);
    println!("peak memory of hovrel after the dry run: {} MiB", peak());
    // Every open overview asks every few seconds. Checking the rules is the larger part of what a route's figures take.
    let lanes = client.get(&format!("/routes/{route}")).await["lanes"].clone();
    let begun = Instant::now();
    client.post(&format!("/routes/{route}/checks"), serde_json::json!({"lanes": lanes})).await;
    let checked = begun.elapsed();
    let begun = Instant::now();
    client.get("/overview").await;
    let (looked, checked) = (begun.elapsed().as_secs_f64() * 1000.0, checked.as_secs_f64() * 1000.0);
    println!("an overview: {looked:.0} ms; checking the rules: {checked:.0} ms");
    // The bucket holds a quarter of a minute's calls; it is full again after fifteen seconds.
    tokio::time::sleep(Duration::from_secs(16)).await;
    let started = Instant::now();
    let job = client.transfer(&plan).await;
    let job = client.finish(&job).await;
    let seconds = started.elapsed().as_secs_f64();
    let progress = &job["progress"];
    let right = &progress["right"]["meter"];
    let number = |v: &serde_json::Value| v.as_f64().expect("a number");
    let (calls, slowed) = (number(&right["calls"]), number(&right["refused_for_rate"]));
    let (written, files) = (number(&progress["written"]), number(&progress["files"]));
    let per_minute = f64::from(calls_per_minute);
    let allowed = per_minute / 4.0 + seconds * per_minute / 60.0;
    println!("changes {}, refused {}, {seconds:.1} s", job["result"]["done"], job["result"]["refused"]);
    println!("calls to Tallybench {calls}, of {allowed:.0} that its limit allowed: {:.1} %", 100.0 * calls / allowed);
    println!("told to slow down {slowed} times; items written {written}, files sent {files}");
    println!("writes per call: {:.2}", (written + files) / calls);
    println!("peak memory of hovrel: {} MiB", peak());
}
