//! Looking at what there is: finding anything by what it says, and the page of one item.

use hovrel_standins::world::{Size, oddities};
use hovrel_testkit::{Client, OLDSTONE, Systems, TALLYBENCH, eventually};
use reqwest::Method;
use serde_json::Value;

use crate::{Routed, routed, serve};

async fn found(client: &Client, words: &str) -> Vec<Value> {
    let words: String = words.bytes().map(|b| format!("%{b:02X}")).collect();
    client.get(&format!("/find?q={words}")).await.as_array().expect("a list").clone()
}

fn keys(found: &[Value]) -> Vec<&str> {
    found.iter().filter_map(|f| f["key"].as_str()).collect()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn anything_is_found_by_what_it_says_in_any_script() {
    let both = Systems::start(Size::SMALL).await;
    let client = Client::sign_in(&serve().await).await;
    client.connect(&both, &OLDSTONE).await;
    assert_eq!(keys(&found(&client, "OS-2001").await)[0], "OS-2001", "what is called so comes first");
    assert_eq!(keys(&found(&client, "os-2001").await)[0], "OS-2001");
    for (words, number) in [
        ("freezer", oddities::WORD_PROCESSOR),
        ("العربية", oddities::OTHER_SCRIPTS),
        ("strain gauge", oddities::REFUSED_FILE),
        ("ladder reaches", oddities::DEEP),
    ] {
        let list = found(&client, words).await;
        assert!(keys(&list).contains(&format!("OS-{number}").as_str()), "{words}: {:?}", keys(&list));
    }
    let twins = found(&client, "Stop button is lit").await;
    assert!(keys(&twins).len() >= 2, "both of one name: {:?}", keys(&twins));

    // What is no search finds nothing, and breaks nothing.
    for words in ["", " ", "x", "zebra crossing quagga", "' or 1=1 --", "a & | ! ( b:*", "\\", "%_%", "<->"] {
        assert!(found(&client, words).await.len() <= 12, "{words}");
    }
    assert!(found(&client, "zebra crossing quagga").await.is_empty());
    assert_eq!(client.call(Method::GET, "/find", None, None).await.0, 422, "a search has words");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_page_of_an_item_holds_what_hangs_on_it_and_what_became_of_it() {
    let Routed { client, route, _both } = routed().await;
    let plan = client.dry_run(&route).await;
    client.decide_all(&plan).await;
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!(job["result"]["refused"], 0, "{job}");
    let systems = client.get("/systems").await;
    let id = |name: &str| {
        let one = systems.as_array().unwrap().iter().find(|s| s["name"] == name).expect("it is connected");
        one["id"].as_str().unwrap().to_owned()
    };
    let page = async |system: &str, container: &str, kind: &str, item: &str| {
        client.get(&format!("/systems/{system}/containers/{container}/artefact?kind={kind}&id={item}")).await
    };
    let (old, tally) = (id("Oldstone"), id("Tallybench"));
    let key = format!("OS-{}", oddities::REFUSED_FILE);
    let left = page(&old, OLDSTONE.container, "test_case", &key).await;
    assert_eq!((&left["key"], &left["kind"]), (&key.as_str().into(), &"test_case".into()));
    assert_eq!(left["attachments"].as_array().unwrap().len(), 2);
    let counterpart = &left["counterparts"][0];
    assert_eq!((&counterpart["system_name"], &counterpart["end"]), (&"Tallybench".into(), &"right".into()));
    let touches = left["touches"].as_array().unwrap();
    assert_eq!((touches.len(), &touches[0]["state"], &touches[0]["outcome"]), (1, &"done".into(), &"new_right".into()));
    assert!(touches[0]["losses"].as_i64() > Some(0), "its file was lost: {touches:?}");

    // And from the other end back. What was made is there once the survey that follows a transfer has seen it.
    let there = counterpart["item"]["id"].as_str().unwrap();
    let path = format!("/systems/{tally}/containers/{}/artefact?kind=test_case&id={there}", TALLYBENCH.container);
    let right = eventually("what the transfer made", async || {
        let (status, body) = client.call(Method::GET, &path, None, None).await;
        status.is_success().then_some(body)
    })
    .await;
    assert_eq!(
        (&right["counterparts"][0]["key"], &right["counterparts"][0]["end"]),
        (&key.as_str().into(), &"left".into())
    );
    assert_eq!(right["attachments"].as_array().unwrap().len(), 1);
    let stays = left["url"].as_str().expect("an address");
    let links = right["links"].as_array().unwrap();
    assert!(links.iter().any(|l| l["url"] == stays), "a link to where the file stays: {links:?}");

    let nowhere = format!("/systems/{old}/containers/{}/artefact?kind=test_case&id=OS-0", OLDSTONE.container);
    assert_eq!(client.call(Method::GET, &nowhere, None, None).await.0, 404);
    let nothing = format!("/systems/{old}/containers/{}/artefact?kind=colour&id=OS-0", OLDSTONE.container);
    assert_eq!(client.call(Method::GET, &nothing, None, None).await.0, 422);
}
