//! Versions of a route and the losses of a transfer, as the API tells them; and what is suggested for two kinds.

use hovrel_testkit::in_address;
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
    let target = lane["rules"][0]["into"]["right"]["target"].clone();
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
                fields.iter().any(|f| f["field"] == *field && f["decision"] != "write_right")
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
    let lines = client.ledger(&job).await;
    assert!(lines.iter().all(|l| l["foreseen"] == true && !l["loss"]["why"].as_str().unwrap().is_empty()), "{lines:?}");
    let text = |l: &Value, key: &str| l["loss"][key].to_string();
    let mut met: Vec<_> = lines
        .iter()
        .map(|l| (l["left_key"].as_str().unwrap().to_owned(), text(l, "field"), text(l, "before")))
        .collect();
    met.sort();
    assert_eq!(met, expected, "each that was declared, once, and no other");

    // Grouped, they are as many; each group finds its own, and the receipt has the same numbers, planned and happened.
    let path = format!("/jobs/{}/losses", job["id"].as_str().unwrap());
    let groups = client.get(&format!("{path}/groups")).await;
    let groups = groups.as_array().expect("groups");
    let sum = |of: &[Value], key: &str| of.iter().map(|g| g[key].as_i64().unwrap()).sum::<i64>();
    assert_eq!(sum(groups, "count"), lines.len() as i64);
    for group in groups {
        let text = |key: &str| group[key].as_str().unwrap();
        let (cause, field, kind) = (in_address(text("cause")), in_address(text("field")), text("kind"));
        let page = client.get(&format!("{path}?cause={cause}&field={field}&kind={kind}")).await;
        assert_eq!(page["total"], group["count"], "{group}");
        assert!(page["items"].as_array().unwrap().iter().all(|l| l["loss"]["why"] == group["why"]), "{page}");
    }
    for wrong in ["after=x", "cause=%7B", "kind=worse", "after=[1]"] {
        let (status, _) = client.call(Method::GET, &format!("{path}?{wrong}"), None, None).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{wrong}");
    }
    let receipt = client.get(&format!("/plans/{}/receipt", plan["id"].as_str().unwrap())).await;
    let losses = receipt["losses"].as_array().unwrap();
    assert_eq!(sum(losses, "planned"), lines.len() as i64);
    assert!(losses.iter().all(|l| l["planned"] == l["foreseen"] && l["not_foreseen"] == 0), "{losses:?}");
    let done = receipt["lines"].as_array().unwrap();
    assert!(done.iter().all(|l| l["planned"] == l["done"] && l["refused"] == 0), "{done:?}");
    let told: Vec<Value> = done.iter().filter(|l| l["doing"] != "remember").cloned().collect();
    assert_eq!(
        (sum(&told, "planned"), sum(&told, "done")),
        (plan["included"].as_i64().unwrap(), job["result"]["done"].as_i64().unwrap())
    );
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn versions_are_compared_and_noted() {
    let Routed { client, route, _both } = routed().await;
    let path = format!("/routes/{route}");
    let now = client.get(&path).await;
    let mut lanes = now["lanes"].clone();
    let begun = now["version"].as_i64().expect("a version");
    for n in 0..2 {
        lanes[0]["rules"].as_array_mut().unwrap().remove(0);
        let body = json!({"name": now["name"], "lanes": lanes});
        assert!(client.call(Method::PUT, &path, Some(body), Some(begun + n)).await.0.is_success());
    }
    let rules =
        |told: &Value| told.as_array().unwrap().iter().map(|l| l["rules"].as_array().unwrap().len()).sum::<usize>();
    let compared =
        async |version: i64, since: i64| client.get(&format!("{path}/versions/{version}/changes?since={since}")).await;
    assert_eq!(rules(&compared(begun + 2, begun + 1).await), 1);
    assert_eq!(rules(&compared(begun + 2, begun).await), 2, "over two versions");
    let back = compared(begun, begun + 2).await;
    assert!(
        back[0]["rules"][0]["before"].is_null() && !back[0]["rules"][0]["after"].is_null(),
        "the other way round: {back}"
    );
    assert_eq!(compared(begun, begun).await, json!([]));

    let note = format!("{path}/versions/{begun}/note");
    let put = async |at: &str, text: &str| client.call(Method::PUT, at, Some(json!({"note": text})), None).await.0;
    assert_eq!(put(&note, "  before the board met ").await, StatusCode::NO_CONTENT);
    let told = client.get(&format!("{path}/versions")).await;
    let of = |n: i64| told["versions"].as_array().unwrap().iter().find(|v| v["version"] == n).unwrap()["note"].clone();
    assert_eq!((of(begun), of(begun + 1)), (json!("before the board met"), json!("")));
    assert_eq!(put(&note, &"x".repeat(501)).await, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(put(&format!("{path}/versions/99/note"), "x").await, StatusCode::NOT_FOUND);
}

/// A name is no rule: what was planned still holds. The ends are what everything hangs on.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_route_is_renamed_at_any_time_and_gets_other_ends_before_anything_ran() {
    let Routed { client, route, _both } = routed().await;
    let path = format!("/routes/{route}");
    let now = client.get(&path).await;
    let end = |name: &str| json!({"system": now[name]["system"], "container": now[name]["container"]});
    let swapped = |left: Value, right: Value| json!({"left": left, "right": right, "lanes": []});
    let put =
        async |body: Value, seen: i64| client.call(Method::PUT, &format!("{path}/ends"), Some(body), Some(seen)).await;
    let version = now["version"].as_i64().unwrap();
    let same = put(swapped(end("left"), end("left")), version).await;
    assert_eq!(same.0, StatusCode::UNPROCESSABLE_ENTITY, "{same:?}");
    let (status, changed) = put(swapped(end("right"), end("left")), version).await;
    assert_eq!(status, StatusCode::OK, "{changed}");
    assert_eq!((&changed["left"]["system"], &changed["version"]), (&now["right"]["system"], &json!(version + 1)));
    let late = put(swapped(end("left"), end("right")), version).await.0;
    assert_eq!(late, StatusCode::PRECONDITION_FAILED, "it was saved meanwhile");
    let back = json!({"left": end("left"), "right": end("right"), "lanes": now["lanes"]});
    assert_eq!(put(back, version + 1).await.0, StatusCode::OK);

    let plan = client.dry_run(&route).await;
    let rename =
        async |name: &str| client.call(Method::PUT, &format!("{path}/name"), Some(json!({"name": name})), None).await;
    let (status, renamed) = rename("Cases to the new tool").await;
    assert_eq!(
        (status, &renamed["name"], &renamed["version"]),
        (StatusCode::OK, &json!("Cases to the new tool"), &json!(version + 2))
    );
    assert_eq!(renamed["plan"]["id"], plan["id"]);
    assert_eq!(rename("  ").await.0, StatusCode::UNPROCESSABLE_ENTITY);
    let (status, refused) = put(swapped(end("right"), end("left")), version + 2).await;
    assert_eq!(status, StatusCode::CONFLICT, "{refused}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn suggestions_have_their_evidence_and_none_comes_twice() {
    let Routed { client, route, _both } = routed().await;
    let ask = format!("/routes/{route}/suggestions");
    let kinds = |left: &str, right: &str| json!({"left_kind": left, "right_kind": right});
    let found = client.post(&ask, kinds("test_case", "test_case")).await;
    let list = found.as_array().expect("suggestions");
    let targets: Vec<&str> =
        list.iter().map(|s| s["rule"]["into"]["right"]["target"].as_str().expect("a target")).collect();
    let mut once = targets.clone();
    once.sort_unstable();
    once.dedup();
    assert_eq!(once.len(), targets.len(), "one for each field of the right: {targets:?}");
    let of = |target: &str| {
        list.iter().find(|s| s["rule"]["into"]["right"]["target"] == target).unwrap_or_else(|| panic!("{target}"))
    };
    assert_eq!(of("title")["rule"]["into"]["right"]["source"], json!({"field": "name"}));
    assert_eq!(of("priority")["rule"]["into"]["right"]["source"], json!({"field": "importance"}));
    for one in list {
        let score = one["score"].as_u64().expect("a number");
        assert!((45..=100).contains(&score) && !one["evidence"].as_array().unwrap().is_empty(), "{one}");
    }
    assert_eq!(client.post(&ask, kinds("requirement", "defect")).await, json!([]), "kinds that an end does not have");
    let (status, _) = client.call(Method::POST, &ask, Some(kinds("colour", "test_case")), None).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
}
