//! One clock: moved by a test, it is later for Hovrel and for every simulated system.

use chrono::TimeDelta;
use hovrel_connect::Write;
use hovrel_core::model::{Kind, Value};
use hovrel_testkit::{KNOWN, OLDSTONE, put, read_all};
use reqwest::StatusCode;
use serde_json::{Value as Json, json};

use crate::{Routed, routed};

const LATER: TimeDelta = TimeDelta::days(3);

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_expires_and_what_counts_days_goes_by_the_clock_that_the_systems_go_by() {
    let Routed { client, route, _both: systems } = routed().await;
    let tomorrow = systems.clock.now() + TimeDelta::days(1);
    let body = json!({"name": "for a day", "may": ["look"], "expires_at": tomorrow});
    let key = client.post("/keys", body).await["key"].as_str().expect("a key").to_owned();
    let with_key = async || {
        let asked = reqwest::Client::new().get(format!("{}/api/v1/routes", client.address)).bearer_auth(&key);
        asked.send().await.expect("an answer").status()
    };
    assert_eq!(with_key().await, StatusCode::OK);
    let before = systems.clock.now();
    let changed_lately = async || {
        let lanes = client.get(&format!("/routes/{route}")).await["lanes"].clone();
        let text = "modified > now - duration(\"24h\")";
        let body = json!({"end": "left", "lane": "test_case", "lanes": lanes, "text": text});
        let answer = client.post(&format!("/routes/{route}/scope"), body).await;
        assert_eq!(answer["faults"], json!([]), "{answer}");
        answer["matched"].as_u64().expect("a count")
    };
    assert_eq!(changed_lately().await, 0, "the world was made long ago");

    systems.clock.advance(LATER);
    assert_eq!(with_key().await, StatusCode::UNAUTHORIZED, "its day is over");
    // Nobody's clock is off: they all moved.
    for known in KNOWN {
        let steps = systems.connect(known).check().await;
        let clocks = steps.iter().find(|s| s.step == "Compare clocks").expect("clocks are compared");
        assert!(clocks.found.starts_with("within "), "{}: {}", known.name, clocks.found);
    }
    // What is written at a system bears the time that it is now, and counts as new.
    let old = systems.connect(&OLDSTONE);
    let case = read_all(&*old, OLDSTONE.container, Kind::TestCase).await.swap_remove(0);
    let fields = [("name", Value::text("Renamed three days later"))].into_iter().collect();
    let (id, version) = (Some(case.id), case.version);
    let write = Write { kind: Kind::TestCase, id, version, fields, parent: None, in_source: false };
    let written = put(&*old, OLDSTONE.container, &write).await.expect("it is taken");
    let at = written.modified.and_then(|stamp| stamp.at).expect("a time");
    assert!(at.to_utc() > before + LATER - TimeDelta::minutes(2), "{at} is not three days after {before}");
    client.connected(&systems, &OLDSTONE).await;
    assert_eq!(changed_lately().await, 1);
    assert_ne!(client.get("/overview").await, Json::Null, "the session goes on");
}
