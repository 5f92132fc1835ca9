//! What the journey through the demo comes to, in figures that an administrator reads: what waits and for whom, one
//! ledger, an edited rule, and items that are not there any more.

use std::collections::{BTreeMap, BTreeSet};

use hovrel_core::model::{Artefact, Kind, Value as Held};
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, LOGIN, OLDSTONE, PASSWORD, Systems, TALLYBENCH, read_all};
use reqwest::Method;
use serde_json::{Value, json};

use crate::program::Program;

fn losses(proof: &Value) -> i64 {
    let lanes = proof["lanes"].as_array().expect("lanes");
    lanes.iter().map(|l| l["losses"].as_array().expect("losses").len() as i64).sum()
}

fn line(loss: &Value) -> String {
    let of = &loss["loss"];
    format!("{} {} {} {}", loss["left_key"], of["field"], of["kind"], of["before"])
}

/// Those of one list that are not in the other as often.
fn only<'l>(one: &'l [String], other: &[String]) -> Vec<&'l String> {
    let count = |list: &[String], of: &String| list.iter().filter(|l| *l == of).count();
    one.iter().filter(|l| count(one, l) > count(other, l)).collect()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_demo_says_what_waits_what_changed_and_what_is_gone() {
    let (systems, program) = (Systems::start(Size::DEMO).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let route = client.make_route(&systems).await;
    let plan = client.dry_run(&route).await;
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");

    // Three figures of different weight: nothing went wrong, and what waits says for whom.
    let proof = client.prove(&route).await;
    let headline = &proof["headline"];
    assert_eq!((&headline["unexplained_items"], &headline["unexplained_fields"]), (&json!(0), &json!(0)), "{headline}");
    let waits = headline["waits"].as_array().expect("a list");
    let undecided = waits.iter().find(|w| w["cause"] == "undecided").expect("some are undecided");
    let (items, whole) = (undecided["items"].as_i64().unwrap(), undecided["whole"].as_i64().unwrap());
    assert_eq!((items - whole, whole), (20, 14), "{headline}");
    let all: i64 = waits.iter().map(|w| w["items"].as_i64().unwrap()).sum();
    assert!(headline["waits_items"].as_i64().unwrap() <= all, "{headline}");

    // Both number the items of a folder, so that their order is carried: nothing is declared, and the proof counts it.
    assert_eq!(plan["order_not_kept"], json!([]));
    let ordered: Vec<&Value> =
        proof["lanes"].as_array().unwrap().iter().map(|l| &l["order"]).filter(|o| !o.is_null()).collect();
    assert_eq!(ordered.len(), 2, "folders and test cases stand in folders: {ordered:?}");
    for order in ordered {
        assert!(order["folders"].as_i64().unwrap() > 5, "{order}");
        assert_eq!((&order["carried"], &order["same"]), (&json!(true), &order["folders"]), "{order}");
    }

    // The ledger and the proof count the same losses, now and when the rest was decided and carried.
    let ledger =
        |proof: &Value| (proof["losses_foreseen"].as_i64().unwrap(), proof["losses_unforeseen"].as_i64().unwrap());
    let (foreseen, unforeseen) = ledger(&proof);
    let noted: Vec<String> = client.ledger(&job).await.iter().map(line).collect();
    let found: Vec<String> =
        proof["lanes"].as_array().unwrap().iter().flat_map(|l| l["losses"].as_array().unwrap()).map(line).collect();
    assert_eq!(only(&noted, &found), Vec::<&String>::new(), "in the ledger, and not in the proof");
    assert_eq!(only(&found, &noted), Vec::<&String>::new(), "in the proof, and not in the ledger");
    assert_eq!(foreseen + unforeseen, losses(&proof), "one count of losses");
    assert!(foreseen > 900, "{foreseen}");
    let again = client.dry_run(&route).await;
    client.decide_all(&again).await;
    client.finish(&client.transfer(&again).await).await;
    let later = client.prove(&route).await;
    let (all, none) = ledger(&later);
    assert_eq!((all + none, none), (losses(&later), unforeseen), "one more transfer makes none unforeseen");
    assert!(all >= foreseen, "what stands is not forgotten: {all} after {foreseen}");

    // A row of a value map says something else: that is a change of each item with this value.
    let cases = read_all(&*systems.connect(&OLDSTONE), OLDSTONE.container, Kind::TestCase).await;
    let there = read_all(&*systems.connect(&TALLYBENCH), TALLYBENCH.container, Kind::TestCase).await;
    let marks: BTreeSet<&str> = there.iter().filter_map(|c| c.origin.as_deref()).collect();
    let lanes = client.get(&format!("/routes/{route}")).await["lanes"].clone();
    let (lanes, row) = other_row(lanes);
    let has = |c: &&Artefact| c.fields.get(&row.source).map(Held::display).as_deref() == Some(&*row.value);
    let with = cases.iter().filter(has).filter(|c| marks.contains(format!("Oldstone:{}", c.key).as_str())).count();
    client.save_lanes(&route, &lanes).await;
    let edited = client.dry_run(&route).await;
    let mut told = 0;
    for change in client.changes(&edited, "kind=test_case&field=priority").await {
        let path = format!("/plans/{}/changes/{}", edited["id"].as_str().unwrap(), change["seq"]);
        let detail = client.get(&path).await;
        let field = detail["fields"].as_array().unwrap().iter().find(|f| f["field"] == "priority").unwrap().clone();
        told += usize::from(field["reason"] == "rule_changed" && field["decision"] == "write_right");
    }
    assert_eq!((told, with), (42, 42), "{row:?}");

    // Items that go at the left are told as gone, in the dry run and in the proof; their counterparts stay.
    let gone: Vec<u32> = cases.iter().rev().take(3).map(|c| c.key.trim_start_matches("OS-").parse().unwrap()).collect();
    let remove = |state: &mut Value| {
        for number in &gone {
            state["cases"].as_object_mut().expect("cases").remove(&number.to_string()).expect("it was there");
        }
    };
    systems.oldstone.change(remove).expect("it is still a state");
    let after = client.dry_run(&route).await;
    let absent = client.changes(&after, "outcome=gone_left").await;
    let keys: Vec<&str> = absent.iter().filter_map(|c| c["left"]["key"].as_str()).collect();
    for number in &gone {
        assert!(keys.contains(&format!("OS-{number}").as_str()), "{keys:?}");
    }
    assert!(
        absent.iter().all(|c| c["included"] == false && c["absence"].as_str().unwrap().contains("gone at the left"))
    );
    let proof = client.prove(&route).await;
    let told: Vec<&Value> =
        proof["lanes"].as_array().unwrap().iter().flat_map(|l| l["absent"].as_array()).flatten().collect();
    assert_eq!(told.len(), gone.len(), "{told:?}");
    assert!(told.iter().all(|a| a["what"] == "gone" && a["end"] == "left"), "{told:?}");
    assert_eq!(proof["headline"]["unexplained_items"], 0, "{}", proof["headline"]);

    // Let go, they are not told again; and nothing was removed at the right.
    for change in &absent {
        let path = format!("/plans/{}/changes/{}", after["id"].as_str().unwrap(), change["seq"]);
        let (status, said) = client.call(Method::PATCH, &path, Some(json!({"let_go": true})), None).await;
        assert!(status.is_success(), "{said}");
    }
    client.finish(&client.transfer(&after).await).await;
    let last = client.dry_run(&route).await;
    assert_eq!((client.changes(&last, "outcome=gone_left").await.len(), &last["let_go"]), (0, &json!(absent.len())));
}

/// A row of a value map that leads elsewhere now.
#[derive(Debug)]
struct Row {
    /// The field at the left whose values it maps.
    source: String,
    value: String,
}

/// The lanes with one row of the priority's value map leading elsewhere.
fn other_row(lanes: Value) -> (Vec<Value>, Row) {
    let mut lanes = lanes.as_array().expect("lanes").clone();
    let lane = lanes.iter_mut().find(|l| l["left_kind"] == "test_case").expect("a lane");
    let rules = lane["rules"].as_array_mut().expect("rules");
    let rule = rules.iter_mut().find(|r| r["into"]["right"]["target"] == "priority").expect("a rule");
    let source = rule["into"]["right"]["source"]["field"].as_str().expect("a field").to_owned();
    let conversions = rule["into"]["right"]["conversions"].as_array_mut().expect("a list");
    let map = conversions.iter_mut().find_map(|c| c.get_mut("value_map")).expect("a value map");
    let rows = map["rows"].as_array_mut().expect("rows");
    let value = "Slight".to_owned();
    let row = rows.iter_mut().find(|r| r["left"] == value.as_str()).expect("its row");
    assert_ne!(row["right"], "High");
    row["right"] = json!("High");
    (lanes, Row { source, value })
}

/// By the script with which `./start` fills a new installation.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_new_installation_has_something_to_look_at() {
    let (systems, program) = (Systems::start(Size::DEMO).await, Program::start().await);
    let folder = tempfile::tempdir().expect("a folder");
    let (sign_in, presets) = (folder.path().join("sign-in"), folder.path().join("systems.json"));
    std::fs::write(&presets, systems.presets().to_string()).expect("it can be written");
    let client = Client::sign_in(&program.address).await;
    std::fs::write(&sign_in, format!("{LOGIN} with the password {PASSWORD}\n")).expect("it can be written");
    // The second time there is something already: it is left as it is.
    for _ in 0..2 {
        let mut script = tokio::process::Command::new("node");
        script.arg(concat!(env!("CARGO_MANIFEST_DIR"), "/../../scripts/workspace.mjs"));
        let told = script.arg(&program.address).arg(&sign_in).arg(&presets).output().await.expect("it runs");
        assert!(told.status.success(), "{}", String::from_utf8_lossy(&told.stderr));
        let routes = client.get("/routes").await;
        let names: BTreeSet<&str> = routes.as_array().unwrap().iter().map(|r| r["name"].as_str().unwrap()).collect();
        let [defects, cases] = ["Defects, both ways", "Passenger information, both ways"];
        assert_eq!(names, BTreeSet::from([defects, cases, "Lift control moves", "Safety requirements to the tracker"]));
        assert_eq!(client.get("/systems").await.as_array().unwrap().len(), 4);
        for route in routes.as_array().unwrap() {
            assert!(!route["plan"].is_null(), "a dry run to look at: {route}");
        }
        // Edits at both ends show what can become of them; one that both made alike is agreed on in silence.
        let found = async |name: &str| {
            let living = routes.as_array().unwrap().iter().find(|r| r["name"] == name).expect("it is there");
            let plan = client.get(&format!("/plans/{}", living["plan"]["id"].as_str().expect("an id"))).await;
            let outcomes = plan["outcomes"].as_array().expect("outcomes").iter();
            let count: BTreeMap<String, i64> =
                outcomes.map(|o| (o["outcome"].as_str().unwrap().to_owned(), o["count"].as_i64().unwrap())).collect();
            (plan, count)
        };
        let counts = |of: &[(&str, i64)]| of.iter().map(|(o, n)| ((*o).to_owned(), *n)).collect::<BTreeMap<_, _>>();
        // Cases are edited by step: one each way, one at both ends in different steps, and one in the same.
        let (plan, count) = found(cases).await;
        let wanted = [("adopt", 3), ("conflict", 1), ("update_left", 1), ("update_right", 2)];
        assert_eq!(count, counts(&wanted), "{plan}");
        let (plan, count) = found(defects).await;
        let wanted = [("blocked", 1), ("conflict", 1), ("new_left", 1), ("update_left", 1), ("update_right", 2)];
        assert_eq!(count, counts(&wanted), "{plan}");
        let merged = client.all_changes(&plan).await;
        let mut merged = merged.iter().filter(|c| c["left"]["title"].as_str().is_some_and(|t| t.ends_with("in a row")));
        let path = format!("/plans/{}/changes/{}", plan["id"].as_str().unwrap(), merged.next().expect("it")["seq"]);
        let detail = client.get(&path).await;
        let decided = |f: &Value| (f["field"].as_str() == Some("title")).then(|| f["decision"].clone());
        let title = detail["fields"].as_array().expect("fields").iter().find_map(decided);
        assert_eq!(title, Some("merge".into()), "{detail}");
    }
}
