//! Versions of a route and the losses of a transfer, as the API tells them; and what is suggested for two kinds.

use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

use crate::{Routed, routed};

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn versions_tell_what_changed_and_lead_back() {
    let Routed { client, route, _both } = routed().await;
    let path = format!("/routes/{route}");
    let now = client.get(&path).await;
    let (first, begun) = (now["lanes"].clone(), now["version"].as_i64().expect("a version"));
    let save = async |lanes: &Value, seen: i64| {
        let body = json!({"name": now["name"], "lanes": lanes});
        let (status, told) = client.call(Method::PUT, &path, Some(body), Some(seen)).await;
        assert_eq!(status, StatusCode::OK, "{told}");
    };
    let mut second = first.clone();
    let lane = second.as_array_mut().unwrap().iter_mut().find(|l| l["left_kind"] == "test_case").expect("a lane");
    let target = lane["rules"][0]["target"].clone();
    lane["rules"].as_array_mut().unwrap().remove(0);
    save(&second, begun).await;

    let list = client.get(&format!("{path}/versions")).await;
    let versions = list["versions"].as_array().expect("versions");
    let numbers: Vec<i64> = versions.iter().map(|v| v["version"].as_i64().unwrap()).collect();
    assert_eq!(numbers, (1..=begun + 1).rev().collect::<Vec<_>>(), "the latest first, none left out");
    assert_eq!((&versions[0]["saved_by"], &list["next"]), (&json!("First"), &Value::Null));
    let changes = versions[0]["changes"].as_array().expect("changes");
    assert_eq!(changes.len(), 1, "one lane changed: {changes:?}");
    assert!(changes[0].to_string().contains(target.as_str().unwrap()), "{changes:?}");
    assert_eq!(versions.last().unwrap()["changes"], json!([]), "the first has nothing before it");
    let older = client.get(&format!("{path}/versions?before={begun}")).await;
    assert!(older["versions"].as_array().unwrap().iter().all(|v| v["version"].as_i64() < Some(begun)), "{older}");

    // The way back is one more version.
    let before = client.get(&format!("{path}/versions/{begun}")).await;
    assert_eq!(before, first);
    save(&before, begun + 1).await;
    let again = client.get(&path).await;
    assert_eq!((&again["lanes"], again["version"].as_i64()), (&first, Some(begun + 2)));
    for wrong in [format!("{path}/versions/99"), format!("{path}/versions/0")] {
        assert_eq!(client.call(Method::GET, &wrong, None, None).await.0, StatusCode::NOT_FOUND, "{wrong}");
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn losses_of_a_transfer_are_those_that_its_plan_declared() {
    let Routed { client, route, _both } = routed().await;
    let plan = client.dry_run(&route).await;
    let declared = async || {
        let id = plan["id"].as_str().unwrap();
        let mut out = Vec::new();
        for change in client.all_changes(&plan).await.iter().filter(|c| c["included"] == true && c["losses"] != 0) {
            let detail = client.get(&format!("/plans/{id}/changes/{}", change["seq"])).await;
            let key = change["left"]["key"].as_str().unwrap_or_default().to_owned();
            // What waits for a decision is not written, and loses nothing.
            let waits = |field: &Value| {
                let fields = detail["fields"].as_array().unwrap();
                fields.iter().any(|f| f["field"] == *field && f["decision"] != "write")
            };
            let losses = detail["losses"].as_array().unwrap().iter().filter(|l| !waits(&l["field"]));
            out.extend(losses.map(|l| (key.clone(), l["field"].to_string(), l["before"].to_string())));
        }
        out.sort();
        out
    };
    let expected = declared().await;
    assert!(expected.len() > 5, "{expected:?}");
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let ledger = client.get(&format!("/jobs/{}/losses", job["id"].as_str().unwrap())).await;
    let lines = ledger.as_array().expect("lines");
    assert!(lines.iter().all(|l| l["foreseen"] == true && !l["loss"]["why"].as_str().unwrap().is_empty()), "{ledger}");
    let text = |l: &Value, key: &str| l["loss"][key].to_string();
    let mut met: Vec<_> = lines
        .iter()
        .map(|l| (l["left_key"].as_str().unwrap().to_owned(), text(l, "field"), text(l, "before")))
        .collect();
    met.sort();
    assert_eq!(met, expected, "each that was declared, once, and no other");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn suggestions_have_their_evidence_and_none_comes_twice() {
    let Routed { client, route, _both } = routed().await;
    let ask = format!("/routes/{route}/suggestions");
    let kinds = |left: &str, right: &str| json!({"left_kind": left, "right_kind": right});
    let found = client.post(&ask, kinds("test_case", "test_case")).await;
    let list = found.as_array().expect("suggestions");
    let targets: Vec<&str> = list.iter().map(|s| s["rule"]["target"].as_str().expect("a target")).collect();
    let mut once = targets.clone();
    once.sort_unstable();
    once.dedup();
    assert_eq!(once.len(), targets.len(), "one for each field of the right: {targets:?}");
    let of = |target: &str| list.iter().find(|s| s["rule"]["target"] == target).unwrap_or_else(|| panic!("{target}"));
    assert_eq!(of("title")["rule"]["source"], json!({"field": "name"}));
    assert_eq!(of("priority")["rule"]["source"], json!({"field": "importance"}));
    for one in list {
        let score = one["score"].as_u64().expect("a number");
        assert!((45..=100).contains(&score) && !one["evidence"].as_array().unwrap().is_empty(), "{one}");
    }
    assert_eq!(client.post(&ask, kinds("requirement", "defect")).await, json!([]), "kinds that an end does not have");
    let (status, _) = client.call(Method::POST, &ask, Some(kinds("colour", "test_case")), None).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
}
