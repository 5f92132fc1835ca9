//! Lanes and rules keep what is remembered of their pairs whatever they are called.

use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

use crate::{Routed, pointers, routed};

async fn saved(m: &Routed, change: impl FnOnce(&mut Vec<Value>)) -> (StatusCode, Value) {
    let path = format!("/routes/{}", m.route);
    let now = m.client.get(&path).await;
    let mut lanes = now["lanes"].as_array().expect("lanes").clone();
    change(&mut lanes);
    let body = json!({"name": now["name"], "lanes": lanes});
    m.client.call(Method::PUT, &path, Some(body), now["version"].as_i64()).await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_lane_with_another_name_has_the_pairs_that_it_had() {
    let m = routed().await;
    m.client.transfer_all(&m.route).await;
    let before = m.client.prove(&m.route).await;
    let (status, told) = saved(&m, |lanes| {
        lanes.iter_mut().for_each(|lane| lane["name"] = json!(format!("Winter, {}", lane["id"].as_str().unwrap())));
    })
    .await;
    assert_eq!(status, StatusCode::OK, "{told}");
    let versions = m.client.get(&format!("/routes/{}/versions", m.route)).await;
    for change in versions["versions"][0]["changes"].as_array().expect("changes") {
        assert_eq!((&change["parts"], &change["rules"]), (&json!(["name"]), &json!([])), "{change}");
        assert!(change["name"].as_str().expect("a name").starts_with("Winter, "), "{change}");
    }
    assert_eq!(m.client.dry_run(&m.route).await["changes"], 0);
    let after = m.client.prove(&m.route).await;
    let paired = |proof: &Value| -> Vec<Value> {
        proof["lanes"].as_array().expect("lanes").iter().map(|l| l["paired"].clone()).collect()
    };
    assert_eq!((paired(&after), &after["headline"]), (paired(&before), &before["headline"]));
    assert!(after["lanes"].as_array().unwrap().iter().all(|l| l["name"].as_str().unwrap().starts_with("Winter, ")));
}

/// A rule that fills another field from now on begins anew there; nothing that was agreed on for the old field is taken
/// for an edit of the new one.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_rule_that_fills_another_field_is_not_taken_for_an_edit_there() {
    let m = routed().await;
    m.client.transfer_all(&m.route).await;
    let fills = |r: &Value, field: &str| r["into"]["right"]["target"] == field;
    let change = async |change: &dyn Fn(&mut Vec<Value>)| {
        let (status, told) = saved(&m, |lanes| {
            let lane = lanes.iter_mut().find(|l| l["left_kind"] == "test_case").expect("cases");
            change(lane["rules"].as_array_mut().expect("rules"));
        })
        .await;
        assert_eq!(status, StatusCode::OK, "{told}");
    };
    change(&|rules| {
        rules.retain(|r| !fills(r, "component"));
        let into = json!({"right": {"target": "component", "source": {"computed": "key"}}});
        rules.push(json!({"id": "its number", "into": into}));
    })
    .await;
    m.client.transfer_all(&m.route).await;
    change(&|rules| {
        rules.retain(|r| !fills(r, "preconditions"));
        let rule = rules.iter_mut().find(|r| r["id"] == "its number").expect("the rule");
        rule["into"]["right"]["target"] = json!("preconditions");
    })
    .await;
    let second = m.client.dry_run(&m.route).await;
    let mut reasons = std::collections::BTreeSet::new();
    for change in m.client.all_changes(&second).await {
        let path = format!("/plans/{}/changes/{}", second["id"].as_str().unwrap(), change["seq"]);
        let detail = m.client.get(&path).await;
        let fields = detail["fields"].as_array().expect("fields").iter().filter(|f| f["field"] == "preconditions");
        reasons.extend(fields.map(|f| f["reason"].as_str().unwrap().to_owned()));
    }
    assert_eq!(reasons, ["no_base".to_owned()].into(), "a person is asked, as at first contact");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn names_and_ids_have_a_length() {
    let m = routed().await;
    let long = "x".repeat(101);
    let (status, told) = saved(&m, |lanes| {
        lanes[0]["name"] = json!(long);
        lanes[0]["rules"][0]["id"] = json!(long);
    })
    .await;
    assert_eq!((status.as_u16(), pointers(&told)), (422, vec!["/lanes/0/name", "/lanes/0/rules/0/id"]), "{told}");
}
