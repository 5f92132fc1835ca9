//! What one lane does is no other's: an item that can't be read stands in its own way and in nobody else's, and of two
//! lanes of one kind each carries what its scope says.

use std::collections::{BTreeMap, BTreeSet};

use hovrel_core::model::{Artefact, Kind, LinkEnd};
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, OLDSTONE, Systems, TALLYBENCH, read_all, settled_route};
use serde_json::{Value, json};

use crate::meanwhile::edit;
use crate::program::Program;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_item_that_cannot_be_read_stands_in_no_other_items_way() {
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let (route, _) = settled_route(&client, &systems, &OLDSTONE, &TALLYBENCH, &[]).await.expect("kinds in common");
    let mut broken = String::new();
    let change = |state: &mut Value| {
        let records = state["records"].as_object_mut().expect("records");
        let mut results = records.values_mut().flat_map(|kind| kind.as_object_mut()).flat_map(|kind| kind.values_mut());
        let result = results.find(|r| r["kind"] == "result").expect("a result");
        result["values"]["attempt"] = json!("the third");
        broken = result["number"].to_string();
    };
    systems.oldstone.change(change).expect("it is still a state");
    // What is surveyed is what the rules are checked against: the route is still ready.
    let left = client.get(&format!("/routes/{route}")).await["left"]["system"].as_str().expect("a system").to_owned();
    let body = json!({"container": OLDSTONE.container});
    client.finish(&client.post(&format!("/systems/{left}/surveys"), body).await).await;
    let plan = client.dry_run(&route).await;
    let blocked = client.changes(&plan, "outcome=blocked").await;
    let of_it: Vec<&Value> =
        blocked.iter().filter(|c| c["left"]["key"].as_str().is_some_and(|k| k.ends_with(&broken))).collect();
    let [one] = of_it[..] else { panic!("{broken} is blocked, by itself: {blocked:?}") };
    assert_eq!(one["kind"], "result");
    assert!(one.to_string().contains("the third"), "what can't be read is told: {one}");
    client.decide_all(&plan).await;
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let count = async |known| read_all(&*systems.connect(known), known.container, Kind::Result).await;
    let (there, here) = (count(&TALLYBENCH).await, count(&OLDSTONE).await);
    assert_eq!(there.iter().filter(|r| r.origin.is_some()).count(), here.len() - 1, "all of the others were carried");
    let proof = client.prove(&route).await;
    assert_eq!(proof["headline"]["unexplained_items"], 0, "{}", proof["headline"]);
}

/// Two lanes of test cases instead of one: those of one importance, and these.
fn two_lanes(mut lanes: Vec<Value>, importance: &str, second: Value) -> Vec<Value> {
    let at = lanes.iter().position(|l| l["left_kind"] == "test_case").expect("test cases");
    let mut other = lanes[at].clone();
    lanes[at]["left_scope"] = json!({"row": {"field": "importance", "op": "is", "value": importance}});
    other["id"] = json!("the others");
    other["left_scope"] = second;
    lanes.insert(at + 1, other);
    lanes
}

/// Carries everything; what is at the right afterwards by the key that it has at the left.
async fn carried(client: &Client, systems: &Systems, route: &str) -> BTreeMap<String, Artefact> {
    for _ in 0..2 {
        let plan = client.dry_run(route).await;
        client.decide_all(&plan).await;
        let job = client.finish(&client.transfer(&plan).await).await;
        let refused = client.get(&format!("/jobs/{}/refused", job["id"].as_str().expect("an id"))).await;
        assert_eq!((&job["state"], &refused), (&json!("done"), &json!([])));
    }
    let next = client.dry_run(route).await;
    assert_eq!(next["included"], 0, "{:?}", client.all_changes(&next).await);
    assert_eq!(client.prove(route).await["headline"]["unexplained_items"], 0);
    let there = read_all(&*systems.connect(&TALLYBENCH), TALLYBENCH.container, Kind::TestCase).await;
    let marked: Vec<Artefact> = there.into_iter().filter(|c| c.origin.is_some()).collect();
    let count = marked.len();
    let key = |c: &Artefact| c.origin.as_deref().and_then(|o| o.split_once(':')).expect("a mark").1.to_owned();
    let out: BTreeMap<String, Artefact> = marked.into_iter().map(|c| (key(&c), c)).collect();
    assert_eq!(out.len(), count, "nothing is there twice");
    out
}

async fn between_lanes(second: impl Fn(&str) -> Value) {
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let (route, lanes) = settled_route(&client, &systems, &OLDSTONE, &TALLYBENCH, &[Kind::Folder, Kind::TestCase])
        .await
        .expect("kinds in common");
    let cases = read_all(&*systems.connect(&OLDSTONE), OLDSTONE.container, Kind::TestCase).await;
    let of = |c: &Artefact| c.fields.get("importance").map(|v| v.display()).unwrap_or_default();
    // The importance of most, so that links lead from one lane to the other in both directions.
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    cases.iter().for_each(|c| *counts.entry(of(c)).or_default() += 1);
    let most = counts.iter().max_by_key(|(_, n)| **n).expect("some").0.clone();
    client.save_lanes(&route, &two_lanes(lanes, &most, second(&most))).await;
    let there = carried(&client, &systems, &route).await;
    let names: BTreeSet<&str> = there.keys().map(String::as_str).collect();
    assert_eq!(names, cases.iter().map(|c| c.key.as_str()).collect(), "each is there");
    let mut across = 0;
    for case in &cases {
        for link in case.links.iter() {
            let LinkEnd::Artefact { kind: Kind::TestCase, id } = &link.target else { continue };
            let Some(target) = cases.iter().find(|c| c.id == *id) else { continue };
            let leads = there[&case.key].links.iter().any(|l| match &l.target {
                LinkEnd::Artefact { id, .. } => *id == there[&target.key].id,
                _ => false,
            });
            assert!(leads, "{} leads to {}", case.key, target.key);
            across += usize::from(of(case) != of(target));
        }
    }
    assert!(across > 0, "some link leads from one lane to the other");

    // An item that comes into the scope of the other lane goes on with its counterpart.
    let old = systems.connect(&OLDSTONE);
    let goes = cases.iter().find(|c| of(c) == most && c.key.starts_with("OS-2")).expect("one of most");
    let other = counts.keys().find(|importance| **importance != most).expect("another importance");
    edit(&*old, OLDSTONE.container, &goes.id, "importance", other).await;
    edit(&*old, OLDSTONE.container, &goes.id, "name", "Goes to the other lane").await;
    let plan = client.dry_run(&route).await;
    let changes = client.all_changes(&plan).await;
    let [change] = &changes[..] else { panic!("one item changed: {changes:?}") };
    assert_eq!((&change["outcome"], &change["left"]["key"]), (&json!("update_right"), &json!(goes.key)), "{change}");
    let after = carried(&client, &systems, &route).await;
    assert_eq!((after[&goes.key].id.as_str(), after.len()), (there[&goes.key].id.as_str(), there.len()));
    assert_eq!(after[&goes.key].title, "Goes to the other lane");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn two_lanes_of_one_kind_each_carry_their_own() {
    between_lanes(|most| json!({"row": {"field": "importance", "op": "is_not", "value": most}})).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_two_lanes_both_cover_is_carried_once() {
    between_lanes(|_| json!({"all": []})).await;
}
