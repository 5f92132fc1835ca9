//! Brings a running Hovrel, of whichever version, to a state that is worth keeping for the tests of later ones:
//! `cargo run -p hovrel-testkit --example keep ADDRESS FOLDER`. FOLDER is where the simulated systems keep what they hold.
//!
//! One route is carried out, edited at both ends, decided, carried out again, edited once more, and proved; its last dry
//! run has something of everything. Another is being carried out when this ends: end the program by signal 9 then, and
//! `pg_dump --inserts --rows-per-insert=50 --no-owner` its database. See crates/cli/tests/kept/README.md.

use hovrel_connect::{Connector, Write};
use hovrel_core::model::{Artefact, Comment, Document, Fields, Kind, Stamp, Value as Held};
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, FERNWAY, OLDSTONE, Systems, TALLYBENCH, eventually, read_all, settled_route};
use reqwest::Method;
use serde_json::{Value, json};

async fn edit(c: &dyn Connector, container: &str, item: &Artefact, field: &str, value: &str) {
    let now = c.one(container, Kind::TestCase, &item.id).await.expect("it is there");
    let fields: Fields = [(field, Held::text(value))].into_iter().collect();
    let write =
        Write { kind: Kind::TestCase, id: Some(now.id), version: now.version, fields, parent: None, in_source: false };
    c.write(container, &write).await.expect("it is written");
}

async fn say(c: &dyn Connector, container: &str, item: &Artefact, words: &str) {
    let comment = Comment {
        id: None,
        stamp: Stamp { at: Some("2026-11-27T08:00:00Z".parse().expect("a time")), by: None },
        body: Document::from_text(words),
    };
    c.add_comment(container, Kind::TestCase, &item.id, &comment).await.expect("it is said");
}

/// Left and right of some pairs, by the changes that made them.
async fn pairs(client: &Client, plan: &Value, systems: &Systems) -> Vec<(Artefact, Artefact)> {
    let left = read_all(&*systems.connect(&OLDSTONE), OLDSTONE.container, Kind::TestCase).await;
    let right = read_all(&*systems.connect(&TALLYBENCH), TALLYBENCH.container, Kind::TestCase).await;
    let mut made: Vec<Value> = client.all_changes(plan).await;
    made.retain(|c| c["kind"] == "test_case" && c["outcome"] == "new_right");
    let both = |c: &Value| {
        let left = left.iter().find(|a| a.id == c["left"]["id"].as_str().unwrap_or_default())?;
        Some((left.clone(), right.iter().find(|a| a.title == left.title)?.clone()))
    };
    made.iter().filter_map(both).collect()
}

async fn carried_out(client: &Client, plan: &Value) {
    let job = client.transfer(plan).await;
    let job = client.finish(&job).await;
    assert_eq!(job["state"], "done", "{job}");
}

#[tokio::main]
async fn main() {
    let mut arguments = std::env::args().skip(1);
    let (address, folder) = (arguments.next().expect("an address"), arguments.next().expect("a folder"));
    let systems = Systems::start_in(Size::SMALL, Some(folder.into())).await;
    let client = Client::sign_in(&address).await;
    let (route, _) = settled_route(&client, &systems, &OLDSTONE, &TALLYBENCH, &[]).await.expect("a route");
    let plan = client.dry_run(&route).await;
    client.decide_all(&plan).await;
    carried_out(&client, &plan).await;

    let pairs = pairs(&client, &plan, &systems).await;
    assert!(pairs.len() >= 8, "{}", pairs.len());
    let (from, to) = (systems.connect(&OLDSTONE), systems.connect(&TALLYBENCH));
    let (left_title, right_title) = ("name", "title");
    // What the right holds is kept, by decision, in one; a comment is followed by another.
    edit(&*from, OLDSTONE.container, &pairs[0].0, left_title, "Kept as the right has it").await;
    edit(&*to, TALLYBENCH.container, &pairs[0].1, right_title, "As somebody wrote it there").await;
    say(&*from, OLDSTONE.container, &pairs[1].0, "Seen again on tower 4.").await;
    let plan = client.dry_run(&route).await;
    for change in client.changes(&plan, "outcome=conflict").await {
        let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), change["seq"]);
        let detail = client.get(&path).await;
        let fields = detail["fields"].as_array().expect("fields").iter();
        let kept: serde_json::Map<String, Value> =
            fields.map(|f| (f["field"].as_str().expect("a field").to_owned(), json!("keep_right"))).collect();
        let body = json!({"included": true, "fields": kept});
        assert!(client.call(Method::PATCH, &path, Some(body), None).await.0.is_success());
    }
    carried_out(&client, &plan).await;

    edit(&*from, OLDSTONE.container, &pairs[2].0, left_title, "Edited at the left").await;
    edit(&*to, TALLYBENCH.container, &pairs[3].1, right_title, "Edited at the right").await;
    edit(&*from, OLDSTONE.container, &pairs[4].0, left_title, "Edited at both, left").await;
    edit(&*to, TALLYBENCH.container, &pairs[4].1, right_title, "Edited at both, right").await;
    say(&*from, OLDSTONE.container, &pairs[5].0, "Still to be carried.").await;
    let plan = client.dry_run(&route).await;
    println!("the last dry run: {}", plan["outcomes"]);
    println!("the proof: {}", client.prove(&route).await["headline"]);

    let (second, _) = settled_route(&client, &systems, &OLDSTONE, &FERNWAY, &[]).await.expect("a route");
    let plan = client.dry_run(&second).await;
    client.decide_all(&plan).await;
    systems.misbehave(FaultPlan { delay: 1000, delay_ms: 600, ..FaultPlan::default() });
    let job = client.transfer(&plan).await;
    let path = format!("/jobs/{}", job["id"].as_str().expect("an id"));
    let begun = async || {
        let job = client.get(&path).await;
        (job["progress"]["written"].as_u64().unwrap_or(0) >= 6).then_some(())
    };
    eventually("the second transfer to be on its way", begun).await;
    println!("now");
    // What was written last reaches the folder within half a second of the end of the calls.
    tokio::time::sleep(std::time::Duration::from_secs(8)).await;
    drop(systems);
}
