//! A field made at the right for what has no place there: proposed, made once, filled by the next transfer.

use hovrel_testkit::rule_into_right;
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

use crate::{pointers, routed};

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_field_is_made_where_there_is_none_and_filled() {
    let m = routed().await;
    let ask = format!("/routes/{}/new-field", m.route);
    let like = |field: &str| format!("{ask}?end=right&left_kind=test_case&right_kind=test_case&field={field}");
    let fields = m.client.get(&format!("/routes/{}/schema", m.route)).await;
    let cases = fields["left"]["catalogue"]["kinds"].as_array().unwrap().iter().find(|k| k["kind"] == "test_case");
    let of = cases.unwrap()["fields"].as_array().unwrap().iter().find(|f| f["name"] == "Brake class").unwrap().clone();
    let id = of["id"].as_str().unwrap();
    let proposed = m.client.get(&like(id)).await;
    assert_eq!((&proposed["name"], &proposed["value_type"]), (&"Brake class".into(), &"text".into()), "{proposed}");
    assert_eq!(m.client.get(&like("steps")).await, Value::Null, "no field that is made holds steps");
    assert_eq!(m.client.call(Method::GET, &like("colour"), None, None).await.0, StatusCode::NOT_FOUND);

    let wrong = json!({"end": "right", "kind": "test_case", "field": {"name": " title ", "value_type": "steps"}});
    let (status, problem) = m.client.call(Method::POST, &ask, Some(wrong), None).await;
    assert_eq!(status, 422);
    assert_eq!(pointers(&problem), ["/field/name", "/field/value_type"], "{problem}");
    let in_folders = json!({"end": "right", "kind": "folder", "field": proposed});
    let (status, problem) = m.client.call(Method::POST, &ask, Some(in_folders), None).await;
    assert_eq!((status, pointers(&problem)), (StatusCode::UNPROCESSABLE_ENTITY, vec!["/field/value_type"]));

    let made = m.client.post(&ask, json!({"end": "right", "kind": "test_case", "field": proposed})).await;
    assert_eq!((&made["name"], &made["max_length"]), (&"Brake class".into(), &of["max_length"]), "{made}");
    let (status, problem) = m
        .client
        .call(Method::POST, &ask, Some(json!({"end": "right", "kind": "test_case", "field": proposed})), None)
        .await;
    assert_eq!((status, pointers(&problem)), (StatusCode::UNPROCESSABLE_ENTITY, vec!["/field/name"]), "{problem}");

    // It is a target like any other from now on.
    let route = m.client.get(&format!("/routes/{}", m.route)).await;
    let mut lanes = route["lanes"].as_array().expect("lanes").clone();
    let lane = lanes.iter_mut().find(|l| l["left_kind"] == "test_case").expect("a lane of test cases");
    let rule = rule_into_right(made["id"].as_str().expect("an id"), json!({"field": id}));
    lane["rules"].as_array_mut().unwrap().push(rule);
    let faults = m.client.post(&format!("/routes/{}/checks", m.route), json!({"lanes": lanes})).await;
    assert_eq!(faults, json!([]));
    let body = json!({"name": route["name"], "lanes": lanes});
    let path = format!("/routes/{}", m.route);
    assert_eq!(m.client.call(Method::PUT, &path, Some(body), route["version"].as_i64()).await.0, 200);
    let plan = m.client.dry_run(&m.route).await;
    m.client.decide_all(&plan).await;
    let job = m.client.transfer(&plan).await;
    assert_eq!(m.client.finish(&job).await["state"], "done");
    let proof = m.client.prove(&m.route).await;
    assert_eq!(proof["differences"], 0, "{proof}");
    // What arrived holds it.
    let system = route["right"]["system"].as_str().unwrap();
    let container = route["right"]["container"].as_str().unwrap();
    let survey = m.client.post(&format!("/systems/{system}/surveys"), json!({"container": container})).await;
    m.client.finish(&survey).await;
    let now = m.client.get(&format!("/routes/{}/schema", m.route)).await;
    let kinds = now["right"]["survey"]["kinds"].as_array().unwrap();
    let cases = kinds.iter().find(|k| k["kind"] == "test_case").unwrap();
    let held = cases["fields"].as_array().unwrap().iter().find(|f| f["field"] == made["id"]).unwrap();
    assert!(held["filled"].as_u64().is_some_and(|n| n > 20), "{held}");
}
