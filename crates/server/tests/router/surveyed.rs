//! What a survey found, as it is listed: pages, filters, folders; and the checks of a system before it.

use std::collections::BTreeSet;

use hovrel_standins::tallybench;
use hovrel_testkit::{OLDSTONE, TALLYBENCH};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

use crate::{Routed, pointers, routed};

/// Where the artefacts of an end are listed.
async fn listing(m: &Routed, end: &str) -> String {
    let route = m.client.get(&format!("/routes/{}", m.route)).await;
    let (system, container) = (route[end]["system"].as_str().unwrap(), route[end]["container"].as_str().unwrap());
    format!("/systems/{system}/containers/{container}")
}

fn items(list: &Value) -> Vec<&Value> {
    list["items"].as_array().expect("items").iter().map(|i| &i["artefact"]).collect()
}

fn keys<'a>(items: &[&'a Value]) -> Vec<&'a str> {
    items.iter().filter_map(|i| i["key"].as_str()).collect()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn everything_is_listed_once_page_by_page() {
    let m = routed().await;
    let at = format!("{}/artefacts?kind=test_case", listing(&m, "left").await);
    let whole = m.client.get(&format!("{at}&limit=500")).await;
    let (total, all) = (whole["total"].as_u64().expect("a number"), keys(&items(&whole)).len() as u64);
    assert_eq!((all, &whole["next"]), (total, &Value::Null));
    let (mut seen, mut cursor) = (Vec::new(), String::new());
    loop {
        let page = m.client.get(&format!("{at}&limit=7{cursor}")).await;
        assert_eq!(page["total"], total, "a page says how many there are in all");
        seen.extend(keys(&items(&page)).into_iter().map(String::from));
        match page["next"].as_i64() {
            Some(next) => cursor = format!("&after={next}"),
            None => break,
        }
    }
    assert_eq!(seen, keys(&items(&whole)), "in the same order, each once");
    for wrong in ["kind=colour", "kind=test_case&colour=red", "kind=test_case&holds=everything"] {
        let path = format!("{}/artefacts?{wrong}", listing(&m, "left").await);
        assert_eq!(m.client.call(Method::GET, &path, None, None).await.0, StatusCode::UNPROCESSABLE_ENTITY, "{wrong}");
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_filter_finds_what_holds_a_value_and_nothing_else() {
    let m = routed().await;
    let at = format!("{}/artefacts?limit=500&kind=test_case", listing(&m, "left").await);
    let whole = m.client.get(&at).await;
    let all = items(&whole);
    let value = |item: &Value, field: &str| item["fields"][field]["value"].clone();
    // Of one value, of several, and of none: as the items themselves say.
    for field in ["importance", "labels", "state"] {
        let lists = |v: &Value| v.as_array().cloned().unwrap_or_else(|| vec![v.clone()]);
        let values: BTreeSet<String> =
            all.iter().flat_map(|i| lists(&value(i, field))).filter_map(|v| v.as_str().map(String::from)).collect();
        assert!(values.len() > 1, "{field}: {values:?}");
        for wanted in values.iter().map(String::as_str).filter(|v| !v.is_empty()) {
            let asked = wanted.bytes().map(|b| format!("%{b:02X}")).collect::<String>();
            let found = m.client.get(&format!("{at}&field={field}&value={asked}")).await;
            let expected: Vec<&Value> =
                all.iter().copied().filter(|i| lists(&value(i, field)).contains(&json!(wanted))).collect();
            assert_eq!(keys(&items(&found)), keys(&expected), "{field} is {wanted}");
            assert_eq!(found["total"], expected.len());
        }
    }
    let words = m.client.get(&format!("{at}&find=wind")).await;
    let among = |i: &&Value| i["title"].as_str().unwrap().to_lowercase().contains("wind");
    assert!(keys(&items(&words)).len() >= all.iter().filter(|i| among(i)).count());
    let with_files = m.client.get(&format!("{at}&holds=files")).await;
    let has_files = |i: &&&Value| i["attachments"].as_array().is_some_and(|a| !a.is_empty());
    assert_eq!(with_files["total"], all.iter().filter(has_files).count());
    let none = m.client.get(&format!("{at}&find=no-such-words-anywhere")).await;
    assert_eq!((&none["items"], &none["total"], &none["next"]), (&json!([]), &json!(0), &Value::Null));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn folders_are_listed_as_a_tree_with_what_is_in_them() {
    let m = routed().await;
    let at = listing(&m, "left").await;
    let tree = m.client.get(&format!("{at}/folders")).await;
    let nodes = tree.as_array().expect("folders");
    let paths: Vec<Vec<&str>> =
        nodes.iter().map(|n| n["path"].as_array().unwrap().iter().map(|p| p.as_str().unwrap()).collect()).collect();
    assert!(paths.is_sorted() && paths.len() > 3, "{paths:?}");
    for (node, path) in nodes.iter().zip(&paths) {
        assert_eq!(node["title"].as_str(), path.last().copied(), "a path ends with the folder itself");
        assert!(path.len() == 1 || paths.contains(&path[..path.len() - 1].to_vec()), "{path:?} stands in a folder");
    }
    let cases = m.client.get(&format!("{at}/artefacts?kind=test_case&limit=500")).await;
    let in_one = items(&cases).iter().filter(|c| c["parent"].is_string()).count() as u64;
    assert_eq!(nodes.iter().map(|n| n["items"].as_u64().unwrap()).sum::<u64>(), in_one);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_check_says_how_far_it_came_and_tells_no_secret() {
    let Routed { client, _both, .. } = routed().await;
    let offered = |address: String, key: &str| json!({"name": "Another", "profile": TALLYBENCH.profile, "address": address, "sign_in": {"key": key}});
    let here = _both.address(&TALLYBENCH);
    let good = client.post("/systems/check", offered(here.clone(), tallybench::KEY)).await;
    let states = |told: &Value| -> Vec<String> {
        told.as_array().expect("steps").iter().map(|s| s["state"].as_str().expect("a state").to_owned()).collect()
    };
    assert!(states(&good).len() > 2 && states(&good).iter().all(|s| s == "ok"), "{good}");
    assert!(!good.to_string().contains(tallybench::KEY));

    // One fails, and what stands on it is not tried.
    let wrong = client.post("/systems/check", offered(here, "not the key")).await;
    let found = states(&wrong);
    let failed = found.iter().position(|s| s == "failed").expect("one step fails");
    assert!(
        found[..failed].iter().all(|s| s == "ok") && found[failed + 1..].iter().all(|s| s == "skipped"),
        "{found:?}"
    );
    let step = &wrong[failed];
    assert!(!step["found"].as_str().unwrap().is_empty() && !step["advice"].as_str().unwrap().is_empty(), "{step}");
    assert!(!wrong.to_string().contains("not the key"));
    let nobody = client.post("/systems/check", offered("http://127.0.0.1:9".into(), "x")).await;
    assert_eq!(states(&nobody)[0], "failed", "{nobody}");
    let (status, problem) = client.call(Method::POST, "/systems/check", Some(offered(String::new(), "x")), None).await;
    assert_eq!((status, pointers(&problem)), (StatusCode::UNPROCESSABLE_ENTITY, vec!["/address"]));

    // Of a system that is kept, the outcome is kept with it.
    let systems = client.get("/systems").await;
    let old = systems.as_array().unwrap().iter().find(|s| s["name"] == OLDSTONE.name).expect("it is connected");
    let path = format!("/systems/{}", old["id"].as_str().unwrap());
    let told = client.post(&format!("{path}/check"), json!({})).await;
    let now = client.get(&path).await;
    assert_eq!(now["check"], told, "{now}");
}
