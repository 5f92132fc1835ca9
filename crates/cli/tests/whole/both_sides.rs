//! What both sides know of each other afterwards: links back at the left, the left's history where the right
//! holds none, and new items that are found by searching.

use std::collections::BTreeSet;

use hovrel_core::model::{Artefact, Kind, LinkEnd};
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, FERNWAY, OLDSTONE, Systems, eventually, read_all, settled_route};
use reqwest::Method;
use serde_json::{Value, json};

use crate::program::Program;

/// Asks until something is found: what a transfer made is surveyed after it.
pub async fn found(client: &Client, path: &str) -> Value {
    eventually(path, async || {
        let (status, body) = client.call(Method::GET, path, None, None).await;
        (status.is_success() && body != json!([])).then_some(body)
    })
    .await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn both_sides_know_of_each_other_afterwards() {
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let kinds = [Kind::Requirement];
    let (route, mut lanes) =
        settled_route(&client, &systems, &OLDSTONE, &FERNWAY, &kinds).await.expect("kinds in common");
    let old = systems.connect(&OLDSTONE);
    let before = read_all(&*old, OLDSTONE.container, Kind::Requirement).await;

    // Nothing is written at the left unless the lane asks for it, and the plan says so before.
    assert_eq!(client.dry_run(&route).await["links_back"], 0);
    lanes[0]["policies"]["link_back"] = json!(true);
    client.save_lanes(&route, &lanes).await;
    let plan = client.dry_run(&route).await;
    client.decide_all(&plan).await;
    let plan = client.get(&format!("/plans/{}", plan["id"].as_str().expect("an id"))).await;
    let changes = client.all_changes(&plan).await;
    let carried = changes.iter().filter(|c| c["outcome"] != "blocked").count();
    assert_eq!(plan["links_back"], json!(carried), "{plan}");
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");

    let after = read_all(&*old, OLDSTONE.container, Kind::Requirement).await;
    let there = read_all(&*systems.connect(&FERNWAY), FERNWAY.container, Kind::Requirement).await;
    let marked = |key: &str| there.iter().find(|a| a.origin.as_deref() == Some(&format!("Oldstone:{key}")));
    let urls = |a: &Artefact| -> BTreeSet<String> {
        let url = |l: &LinkEnd| if let LinkEnd::Url(url) = l { Some(url.clone()) } else { None };
        a.links.iter().filter_map(|l| url(&l.target)).collect()
    };
    for (was, is) in before.iter().zip(&after) {
        let counterpart = marked(&was.key).unwrap_or_else(|| panic!("{} was carried", was.key));
        let url = counterpart.url.clone().expect("a page of its own");
        assert!(urls(is).contains(&url), "{} leads to {url}: {:?}", is.key, is.links);
        assert!(was.links.iter().all(|l| is.links.contains(l)), "what was linked stays linked");
        assert_eq!(is.links.len(), was.links.len() + 1);
        assert_eq!(is.fields, was.fields, "nothing else of it is touched");
        assert!(!urls(counterpart).contains(&url), "it does not lead to itself");
    }

    // Law 5: Hovrel's own links do not come back as somebody's change.
    let settled = client.dry_run(&route).await;
    assert_eq!(settled["changes"], 0, "{:?}", client.all_changes(&settled).await);
    assert_eq!(settled["links_back"], 0);
    assert_eq!(client.prove(&route).await["differences"], 0);

    // Fernway takes no history: Hovrel keeps it, with the names of those who made it.
    let with_past = before.iter().find(|a| !a.history.is_empty()).expect("something was changed once");
    let counterpart = marked(&with_past.key).expect("it was carried");
    let routes = client.get(&format!("/routes/{route}")).await;
    let right = &routes["right"];
    let page = format!(
        "/systems/{}/containers/{}/artefact?kind=requirement&id={}",
        right["system"].as_str().expect("a system"),
        FERNWAY.container,
        counterpart.id
    );
    let shown = found(&client, &page).await;
    let kept = &shown["kept_histories"][0];
    assert_eq!(kept["key"], with_past.key.as_str(), "{shown}");
    assert_eq!(kept["system_name"], "Oldstone");
    let entry = &with_past.history[0];
    let login = entry.stamp.by.clone().expect("somebody");
    let people = old.catalogue(OLDSTONE.container).await.expect("a catalogue").users;
    let name = &people.iter().find(|u| u.id == login).expect("known there").name;
    let told = kept["history"].to_string();
    assert!(told.contains(name.as_str()) && told.contains(&entry.after), "{told}");

    // What was made is found by searching, without anybody having asked for a survey.
    let hits = found(&client, &format!("/find?q={}", counterpart.key)).await;
    assert!(hits.as_array().unwrap().iter().any(|h| h["system_name"] == "Fernway"), "{hits}");
    // By its old key, too, which stands among its labels; and by a word inside an address.
    let hits = found(&client, &format!("/find?q=Oldstone:{}", with_past.key)).await;
    assert!(hits.as_array().unwrap().iter().any(|h| h["key"] == counterpart.key.as_str()), "{hits}");
    let hits = found(&client, "/find?q=wiki%20skarnvik").await;
    assert!(hits.as_array().unwrap().iter().any(|h| h["title"] == "Workshop floor heating"), "{hits}");
}
