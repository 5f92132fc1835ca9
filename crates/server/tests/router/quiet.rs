//! What stands beside the changes of a plan: pairs in step, items at one end alone, what a change that is left out
//! lacks, and what an item's page says of dry runs and of its neighbours. Each list is as long as its count.

use std::collections::BTreeSet;

use hovrel_testkit::{Client, OLDSTONE, in_address};
use reqwest::Method;
use serde_json::{Value, json};

use crate::{Routed, routed};

/// A list walked page by page, with the total of its first page.
async fn walked(client: &Client, path: &str) -> (Vec<Value>, i64) {
    let (mut out, mut after, mut total) = (Vec::new(), String::new(), None);
    loop {
        let page = client.get(&format!("{path}&limit=7{after}")).await;
        out.extend(page["items"].as_array().expect("items").clone());
        total = total.or(page["total"].as_i64());
        let next = match &page["next"] {
            Value::Null => return (out, total.expect("a total")),
            Value::String(place) => in_address(place),
            place => place.to_string(),
        };
        after = format!("&after={next}");
    }
}

fn text(of: &Value) -> &str {
    of.as_str().unwrap_or_else(|| panic!("a text, not {of}"))
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn pairs_in_step_are_listed_as_they_are_counted() {
    let Routed { client, route, _both } = routed().await;
    let first = client.dry_run(&route).await;
    let (none, total) = walked(&client, &format!("/plans/{}/pairs?which=in_step", text(&first["id"]))).await;
    assert_eq!((none.len(), total, &first["in_step"]), (0, 0, &json!(0)), "nothing is paired yet");
    client.finish(&client.transfer(&first).await).await;
    let plan = client.dry_run(&route).await;
    let path = format!("/plans/{}/pairs?which=in_step", text(&plan["id"]));
    let (list, total) = walked(&client, &path).await;
    assert_eq!((Some(list.len() as i64), Some(total)), (plan["in_step"].as_i64(), plan["in_step"].as_i64()));
    let ids: BTreeSet<(&str, &str)> = list.iter().map(|p| (text(&p["left"]["kind"]), text(&p["left"]["id"]))).collect();
    assert_eq!(ids.len(), list.len(), "each of them once");
    let changed = client.all_changes(&plan).await;
    let is_changed = |pair: &Value| {
        let same = |c: &&Value| c["kind"] == pair["left"]["kind"] && c["left"]["id"] == pair["left"]["id"];
        changed.iter().any(|c| same(&c))
    };
    assert!(!changed.is_empty() && !list.iter().any(is_changed), "what has a change is not in step");
    // Every pair of a lane is listed too, whatever the plan says of it, and as many as the proof counts.
    let proof = client.prove(&route).await;
    let mut pairs = 0;
    for lane in proof["lanes"].as_array().expect("lanes") {
        let (of_lane, total) = walked(&client, &format!("/routes/{route}/pairs?lane={}", text(&lane["lane"]))).await;
        assert_eq!((Some(of_lane.len() as i64), Some(total)), (lane["paired"].as_i64(), lane["paired"].as_i64()));
        pairs += total;
    }
    assert_eq!(Some(pairs), client.get(&format!("/routes/{route}")).await["pairs"].as_i64());
    let (status, _) = client.call(Method::GET, &format!("/routes/{route}/pairs?lane=nowhere"), None, None).await;
    assert_eq!(status, 404, "there is no such lane");
    // Titles are those of the surveys, and by them and by keys of either end a pair is found.
    let one = list.iter().find(|p| p["left"]["kind"] == "test_case" && p["left"]["title"].is_string()).expect("a case");
    for words in [&one["left"]["title"], &one["left"]["key"], &one["right"]["key"]] {
        let (found, total) = walked(&client, &format!("{path}&find={}", in_address(text(words)))).await;
        assert_eq!(found.len() as i64, total);
        assert!(found.contains(one), "{words}: {found:?}");
        assert!(found.len() < list.len(), "{words} finds not everything");
    }
    let (nothing, total) = walked(&client, &format!("{path}&find=%25_%25")).await;
    assert_eq!((nothing.len(), total), (0, 0), "what stands for anything elsewhere is a text here");
    let (status, _) = client.call(Method::GET, &format!("{path}&after=nowhere"), None, None).await;
    assert_eq!(status, 422, "a place that no answer gave");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn items_at_one_end_alone_are_listed_as_they_are_counted() {
    let Routed { client, route, _both } = routed().await;
    let path = format!("/routes/{route}/matches/test_case");
    let counts = client.get(&path).await;
    for (end, counted) in [("left", &counts["alone"]["left"]), ("right", &counts["alone"]["right"])] {
        let (list, total) = walked(&client, &format!("{path}/alone?end={end}")).await;
        assert_eq!((json!(list.len()), json!(total)), (counted.clone(), counted.clone()), "{end}");
        let matched: BTreeSet<&str> = ["doubtful", "sure", "settled"]
            .iter()
            .flat_map(|shelf| counts[*shelf].as_array().expect("rows"))
            .filter_map(|row| row[if end == "left" { "item" } else { "other" }]["id"].as_str())
            .collect();
        assert!(list.iter().all(|item| !matched.contains(text(&item["id"]))), "what has a match is not alone");
        let Some(one) = list.first() else { continue };
        let (found, total) =
            walked(&client, &format!("{path}/alone?end={end}&find={}", in_address(text(&one["key"])))).await;
        assert_eq!(found.len() as i64, total);
        assert!(found.contains(one), "{one}");
    }
    // One that a person says has no counterpart is not counted as alone, nor listed.
    let alone = client.get(&format!("{path}/alone?end=left")).await["items"][0].clone();
    let said = json!({"settle": [{"item": alone["id"], "said": "nobody"}]});
    assert_eq!(client.call(Method::PUT, &path, Some(said), None).await.0, 204);
    let (list, total) = walked(&client, &format!("{path}/alone?end=left")).await;
    assert_eq!(Some(total + 1), counts["alone"]["left"].as_i64());
    assert!(!list.contains(&alone));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_change_that_is_left_out_says_what_it_needs() {
    let Routed { client, route, _both } = routed().await;
    let plan = client.dry_run(&route).await;
    let id = text(&plan["id"]);
    let folders = client.changes(&plan, "kind=folder&outcome=new_right").await;
    let mut told = 0;
    for folder in folders {
        let path = format!("/plans/{id}/changes/{}", folder["seq"]);
        assert!(client.call(Method::PATCH, &path, Some(json!({"included": false})), None).await.0.is_success());
        for change in client.all_changes(&plan).await {
            let lacks = change["lacks"].as_array().expect("a list");
            assert!(lacks.is_empty() || change["included"] == false, "what is included lacks nothing: {change}");
            let named = lacks.iter().any(|l| l["seq"] == folder["seq"]);
            if named && told == 0 {
                let detail = client.get(&format!("/plans/{id}/changes/{}", change["seq"])).await;
                assert_eq!(detail["change"]["lacks"], change["lacks"]);
                // To include it includes what it lacks.
                let path = format!("/plans/{id}/changes/{}", change["seq"]);
                assert!(client.call(Method::PATCH, &path, Some(json!({"included": true})), None).await.0.is_success());
                let after = client.get(&path).await;
                assert_eq!(after["change"]["lacks"], json!([]), "{after}");
            }
            told += usize::from(named);
        }
    }
    assert!(told > 0, "something stands in a folder that is new");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_page_of_an_item_leads_on_and_says_what_waits() {
    let Routed { client, route, _both } = routed().await;
    let left = text(&client.get(&format!("/routes/{route}")).await["left"]["system"]).to_owned();
    let list = format!("/systems/{left}/containers/{}", OLDSTONE.container);
    let page = client.get(&format!("{list}/artefacts?kind=test_case&limit=500")).await;
    let ids: Vec<&str> = page["items"].as_array().expect("items").iter().map(|i| text(&i["artefact"]["id"])).collect();
    let item = async |id: &str| client.get(&format!("{list}/artefact?kind=test_case&id={id}")).await;

    // From the first to the last in the order of the list, and no further.
    let mut at = item(ids[0]).await;
    assert_eq!((&at["previous"], &at["open"]), (&Value::Null, &json!([])), "no dry run yet");
    for pair in ids.windows(2) {
        assert_eq!(at["next"]["id"], pair[1]);
        at = item(pair[1]).await;
        assert_eq!(at["previous"]["id"], pair[0]);
    }
    assert_eq!(at["next"], Value::Null);

    // What a dry run wants to do with it is told until it is transferred; then only what waits in the next.
    let plan = client.dry_run(&route).await;
    let changes = client.changes(&plan, "kind=test_case").await;
    let change = changes.iter().find(|c| c["outcome"] == "new_right" && c["included"] == true).expect("a new one");
    let id = text(&change["left"]["id"]);
    let open = item(id).await["open"].clone();
    assert_eq!(open.as_array().map(Vec::len), Some(1), "{open}");
    assert_eq!((&open[0]["route"], &open[0]["outcome"]), (&json!(route), &json!("new_right")));
    assert_eq!((&open[0]["seq"], &open[0]["included"]), (&change["seq"], &json!(true)));
    let clash = changes.iter().find(|c| c["conflicts_open"].as_i64() > Some(0)).expect("one in conflict");
    let open = item(text(&clash["left"]["id"])).await["open"].clone();
    assert_eq!(open[0]["conflicts"], clash["conflicts_open"], "{open}");
    client.finish(&client.transfer(&plan).await).await;
    assert_eq!(item(id).await["open"], json!([]), "it was transferred");

    // What was not read exactly is told in words.
    let unread = client.get(&format!("{list}/artefacts?kind=test_case&holds=read_losses&limit=1")).await;
    if let Some(id) = unread["items"][0]["artefact"]["id"].as_str() {
        let told = item(id).await["not_read"].clone();
        assert!(told[0]["why"].as_str().is_some_and(|why| !why.is_empty()), "{told}");
    }
}
