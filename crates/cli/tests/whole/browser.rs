//! The real interface in headless Chromium, driven by Playwright: see web/e2e.

use std::process::Command;

use hovrel_connect::Write;
use hovrel_core::model::{Fields, Kind, Value};
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, OLDSTONE, Systems, TALLYBENCH, read_all};

use crate::program::Program;
use crate::wide::wide_world;

/// Runs walks of web/e2e by their names; what they told.
pub async fn walked(program: &Program, walks: &[&str], more: Vec<(&'static str, String)>) -> String {
    let web = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web");
    // Each run clears the folder of its traces when it begins: another that goes on at the same time has its own.
    let traces = format!("test-results/{}", walks[0]);
    let mut command = Command::new("npx");
    command
        .args(["playwright", "test", "--output", &traces])
        .args(walks)
        .current_dir(web)
        .env("HOVREL_ADDRESS", &program.address)
        .envs(more);
    let output =
        tokio::task::spawn_blocking(move || command.output()).await.expect("it ran").expect("Playwright starts");
    let told = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(output.status.success(), "{told}{}", String::from_utf8_lossy(&output.stderr));
    assert!(told.contains(&format!("{} passed", walks.len())), "every walk ran: {told}");
    println!("{told}");
    told
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_person_in_the_browser() {
    let both = Systems::start(Size::SMALL).await;
    let program = Program::start_with_presets(&both).await;
    let systems = vec![
        ("OLDSTONE", both.oldstone.url()),
        ("TALLYBENCH", both.tallybench.url()),
        ("FERNWAY", both.fernway.url()),
        ("CAIRNBOOK", both.cairnbook.url()),
    ];
    let walks = ["journey", "keyboard", "leaving", "requirements", "sheets", "sizes", "tracker", "weight"];
    let told = walked(&program, &walks, systems).await;
    let lines = told.lines().filter_map(|l| {
        Some(l.trim()).filter(|l| ["heard: ", "sheets: ", "sizes: ", "weight: "].iter().any(|p| l.starts_with(p)))
    });
    lines.for_each(|l| println!("{l}"));
}

/// How many test cases stand at the right under a title that somebody edited.
const EDITED: usize = 110;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_hundred_doubtful_matches_in_the_browser() {
    let both = Systems::start(Size::DEMO).await;
    let (left, right) = (both.connect(&OLDSTONE), both.connect(&TALLYBENCH));
    let there = read_all(&*right, TALLYBENCH.container, Kind::TestCase).await;
    let cases = read_all(&*left, OLDSTONE.container, Kind::TestCase).await;
    let new =
        cases.iter().filter(|c| c.title.split(' ').count() > 4 && !there.iter().any(|t| t.title.contains(&c.title)));
    for (n, case) in new.take(EDITED).enumerate() {
        let title = match n % 3 {
            0 => format!("{} (new rig)", case.title),
            1 => format!("Check: {}", case.title.to_lowercase()),
            _ => case.title.split(' ').rev().collect::<Vec<_>>().join(" "),
        };
        let fields: Fields = [
            ("title", Value::text(&title)),
            ("priority", Value::choice("Normal")),
            ("status", Value::choice("active")),
        ]
        .into_iter()
        .collect();
        let write = Write { kind: Kind::TestCase, id: None, version: None, fields, parent: None, in_source: false };
        right.write(TALLYBENCH.container, &write).await.expect("it is made");
    }
    let program = Program::start().await;
    let client = Client::sign_in(&program.address).await;
    let route = client.make_route(&both).await;
    let told = walked(&program, &["counterparts"], vec![("ROUTE", route.clone())]).await;
    println!("{}", told.lines().filter(|l| l.contains("a hundred matches")).collect::<String>());

    // What was said holds for the dry run.
    let plan = client.dry_run(&route).await;
    let adopted = client.changes(&plan, "outcome=adopt&kind=test_case").await;
    let settled = adopted.iter().filter(|c| c["evidence"]["how"] == "settled" && c["included"] == true);
    assert!(settled.count() >= 90, "{} adoptions", adopted.len());
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn two_hundred_fields_and_five_thousand_values_in_the_browser() {
    let program = Program::start().await;
    let client = Client::sign_in(&program.address).await;
    let world = wide_world(&client).await;
    let routes = vec![("USUAL", world.usual.clone()), ("WIDE", world.wide.clone())];
    let told = walked(&program, &["wide", "fields"], routes).await;
    told.lines().filter_map(|l| l.trim().strip_prefix("wide: ")).for_each(|l| println!("{l}"));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_new_route_in_the_browser() {
    let both = Systems::start(Size::DEMO).await;
    let program = Program::start_with_presets(&both).await;
    Client::sign_in(&program.address).await;
    let told = walked(&program, &["new-route"], Vec::new()).await;
    told.lines().filter_map(|l| l.trim().strip_prefix("new route: ")).for_each(|l| println!("{l}"));
}
