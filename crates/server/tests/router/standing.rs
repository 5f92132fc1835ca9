//! Where routes stand: a list says of each what it says of itself, and figures follow what they were made from.

use hovrel_connect::Write;
use hovrel_core::model::{Fields, Kind, Value as Held};
use hovrel_testkit::{Client, OLDSTONE, eventually, is_over, rule_into_right};
use serde_json::{Value, json};

use crate::{Routed, routed};

/// Waits until nobody works: a transfer is followed by a survey.
async fn at_rest(client: &Client) {
    eventually("the end of all jobs", async || {
        let overview = client.get("/overview").await;
        overview["jobs"].as_array().expect("jobs").iter().all(is_over).then_some(())
    })
    .await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_list_says_of_each_route_what_it_says_of_itself() {
    let Routed { client, route, _both } = routed().await;
    let first = format!("/routes/{route}");
    let before = client.get(&first).await;
    let body = json!({"name": "Beside", "left": {"system": before["left"]["system"], "container": before["left"]["container"]},
        "right": {"system": before["right"]["system"], "container": before["right"]["container"]},
        "lanes": [before["lanes"][0]]});
    let beside = client.post("/routes", body).await;
    let plan = client.dry_run(&route).await;
    client.finish(&client.transfer(&plan).await).await;
    client.prove(&route).await;
    at_rest(&client).await;

    let listed = client.get("/routes").await;
    let listed = listed.as_array().expect("routes");
    let named: Vec<_> = listed.iter().map(|r| r["name"].as_str().expect("a name")).collect();
    assert!(named.is_sorted() && named.len() == 2, "{named:?}");
    for one in listed {
        assert_eq!(*one, client.get(&format!("/routes/{}", one["id"].as_str().unwrap())).await);
    }
    assert_eq!(client.get("/overview").await["routes"].as_array(), Some(listed));
    let of = |id: &Value| listed.iter().find(|r| r["id"] == *id).expect("it is listed");
    let (done, idle) = (of(&before["id"]), of(&beside["id"]));
    assert_eq!((&done["plan"]["id"], &done["plan"]["transfer"]["state"]), (&plan["id"], &"done".into()));
    assert_eq!(
        done["plan"]["changes"],
        client.get(&format!("/plans/{}", plan["id"].as_str().unwrap())).await["changes"]
    );
    assert!(done["pairs"].as_i64() > Some(0) && done["proof"]["id"].is_string(), "{done}");
    assert_eq!((&idle["pairs"], &idle["proof"], &idle["plan"]), (&0.into(), &Value::Null, &Value::Null));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn figures_follow_the_survey_and_the_version() {
    let Routed { client, route, _both } = routed().await;
    let path = format!("/routes/{route}");
    let before = client.get(&path).await;
    let total = before["scope"]["total"].as_u64().expect("a number");

    // One more at the left, which nobody knows of before the next survey.
    let fields: Fields = [("name", Held::text("The lamp is seen from the cabin"))].into_iter().collect();
    let write = Write { kind: Kind::TestCase, id: None, version: None, fields, parent: None, in_source: false };
    _both.connect(&OLDSTONE).write(OLDSTONE.container, &write).await.expect("it is made");
    assert_eq!(client.get(&path).await["scope"]["total"], total);
    let left = &before["left"];
    let ask = format!("/systems/{}/surveys", left["system"].as_str().unwrap());
    let job = client.post(&ask, json!({"container": left["container"]})).await;
    assert_eq!(client.finish(&job).await["state"], "done");
    assert_eq!(client.get(&path).await["scope"]["total"], total + 1);

    // A rule that leads nowhere is told as soon as it is saved, and forgotten with it.
    let mut lanes = before["lanes"].clone();
    let kept = lanes.clone();
    let constant = json!({"constant": {"type": "text", "value": "x"}});
    lanes[0]["rules"].as_array_mut().expect("rules").push(rule_into_right("nowhere", constant));
    for (lanes, version, to_settle) in [(lanes, 1, 1), (kept, 2, 0)] {
        let body = json!({"name": before["name"], "lanes": lanes});
        let (status, told) = client
            .call(reqwest::Method::PUT, &path, Some(body), Some(before["version"].as_i64().unwrap() + version - 1))
            .await;
        assert!(status.is_success(), "{told}");
        assert_eq!(client.get(&path).await["rules"]["to_settle"], to_settle);
    }
}
