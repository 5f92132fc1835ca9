//! The first transfer of the demo world against Tallybench's limit of 240 calls a minute, by the real
//! program on a real database: `./bench`. Prints the share of the allowed calls that was used, and how
//! many of the calls were writes that had to be made.

#[allow(dead_code, reason = "the tests use the rest")]
#[path = "../tests/whole/program.rs"]
mod program;

use std::time::{Duration, Instant};

use hovrel_standins::world::Size;
use hovrel_standins::{oldstone, tallybench};
use hovrel_testkit::{Both, Client};
use program::Program;

#[tokio::main]
async fn main() {
    let both = Both {
        oldstone: oldstone::start(oldstone::Options { size: Size::DEMO, ..Default::default() })
            .await
            .expect("Oldstone starts"),
        tallybench: tallybench::start(tallybench::Options { size: Size::DEMO, ..Default::default() })
            .await
            .expect("Tallybench starts"),
    };
    let program = Program::start().await;
    let client = Client::sign_in(&program.address).await;
    let route = client.make_route(&both).await;
    let plan = client.dry_run(&route).await;
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
    let allowed = 60.0 + seconds * 240.0 / 60.0;
    println!("changes {}, refused {}, {seconds:.1} s", job["result"]["done"], job["result"]["refused"]);
    println!("calls to Tallybench {calls}, of {allowed:.0} that its limit allowed: {:.1} %", 100.0 * calls / allowed);
    println!("told to slow down {slowed} times; items written {written}, files sent {files}");
    println!("writes per call: {:.2}", (written + files) / calls);
    println!("peak memory of hovrel: {} MiB", program.peak_mib().map_or("unknown".into(), |m| m.to_string()));
}
