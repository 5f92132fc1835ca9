//! Deciding about a plan: in or out, whole or in parts; what hangs together goes together, and what can't be
//! decided is refused.

use std::collections::BTreeMap;

use hovrel_testkit::{Client, Systems};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

use crate::{Routed, pointers, routed};

/// A plan of the small world.
struct Planned {
    client: Client,
    plan: Value,
    route: String,
    _both: Systems,
}

async fn planned() -> Planned {
    let Routed { client, route, _both } = routed().await;
    let plan = client.dry_run(&route).await;
    Planned { client, plan, route, _both }
}

impl Planned {
    fn id(&self) -> &str {
        self.plan["id"].as_str().expect("an id")
    }

    fn path(&self, change: &Value) -> String {
        format!("/plans/{}/changes/{}", self.id(), change["seq"])
    }

    async fn decide(&self, change: &Value, body: Value) -> (StatusCode, Value) {
        self.client.call(Method::PATCH, &self.path(change), Some(body), None).await
    }

    async fn included(&self) -> i64 {
        let plan = self.client.get(&format!("/plans/{}", self.id())).await;
        plan["included"].as_i64().expect("a number")
    }

    async fn is_in(&self, change: &Value) -> bool {
        self.client.get(&self.path(change)).await["change"]["included"] == true
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_needed_goes_in_and_out_with_what_needs_it() {
    let p = planned().await;
    let news = p.client.changes(&p.plan, "outcome=new_right&kind=execution").await;
    let execution = news.iter().find(|c| c["included"] == true).expect("an execution that goes in");
    let needs = p.client.get(&p.path(execution)).await["depends_on"].as_array().expect("places").clone();
    let cases = p.client.changes(&p.plan, "kind=test_case&outcome=new_right").await;
    let case = cases.iter().find(|c| needs.contains(&c["seq"])).expect("it needs its case");

    let before = p.included().await;
    assert!(p.decide(case, json!({"included": false})).await.0.is_success());
    assert!(!p.is_in(case).await && !p.is_in(execution).await, "the execution goes out with its case");
    let out = before - p.included().await;
    assert!(out >= 2, "{out} went out");
    // Their results too: nothing that needs what is out is in.
    let results = p.client.changes(&p.plan, "kind=result").await;
    let mut seen = 0;
    for result in &results {
        let detail = p.client.get(&p.path(result)).await;
        if detail["depends_on"].as_array().expect("places").contains(&execution["seq"]) {
            assert_eq!(detail["change"]["included"], false);
            seen += 1;
        }
    }
    assert!(seen > 0, "the execution has results");

    // Taking in the last of them takes in all that it needs, and nothing else.
    assert!(p.decide(execution, json!({"included": true})).await.0.is_success());
    assert!(p.is_in(case).await && p.is_in(execution).await);
    assert_eq!(p.included().await, before - out + 2);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn fields_are_decided_one_by_one() {
    let p = planned().await;
    let adopted = p.client.changes(&p.plan, "outcome=adopt&kind=test_case").await;
    let doubtful = adopted.iter().find(|c| c["included"] == false).expect("one that waits for review");
    let fresh = &p.client.changes(&p.plan, "outcome=new_right&kind=test_case").await[0];

    // What is unknown is refused by its place, and nothing of the body is kept.
    let (status, problem) = p.decide(fresh, json!({"included": false, "fields": {"colour": "leave"}})).await;
    assert_eq!((status.as_u16(), pointers(&problem)), (422, vec!["/fields/colour"]));
    assert!(p.is_in(fresh).await, "nothing of it was kept");
    for body in [json!({"fields": {"title": "perhaps"}}), json!({"taken": true}), json!({"included": "yes"})] {
        assert_eq!(p.decide(fresh, body.clone()).await.0, 422, "{body}");
    }
    for other_end in ["write_left", "keep_left", "merge"] {
        let (status, problem) = p.decide(fresh, json!({"fields": {"priority": other_end}})).await;
        assert_eq!((status.as_u16(), pointers(&problem)), (422, vec!["/fields/priority"]), "{other_end}: one way only");
    }
    let (status, problem) = p.decide(fresh, json!({"as_new": true})).await;
    assert_eq!((status.as_u16(), pointers(&problem)), (422, vec!["/as_new"]), "it is new already");

    // A field left out of a new item is not written, and can be taken in again.
    let written = |detail: &Value| detail["change"]["fields_written"].as_u64().expect("a number");
    let all = written(&p.client.get(&p.path(fresh)).await);
    let (_, detail) = p.decide(fresh, json!({"fields": {"priority": "leave"}})).await;
    assert_eq!(written(&detail), all - 1);
    let (_, detail) = p.decide(fresh, json!({"fields": {"priority": "write_right"}})).await;
    assert_eq!(written(&detail), all);

    // Deciding a field of an item that was out takes it in; made anew, its fields are those of a new item.
    let field = p.client.get(&p.path(doubtful)).await["fields"][0]["field"].as_str().expect("a field").to_owned();
    let (_, detail) = p.decide(doubtful, json!({"fields": {field: "write_right"}})).await;
    assert_eq!(detail["change"]["included"], true);
    let (_, detail) = p.decide(doubtful, json!({"as_new": true})).await;
    assert_eq!((&detail["change"]["as_new"], &detail["change"]["included"]), (&json!(true), &json!(true)));
    assert!(written(&detail) > 3, "{detail}");
    let (_, detail) = p.decide(doubtful, json!({"as_new": false})).await;
    assert_eq!(detail["change"]["as_new"], false);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn many_are_decided_by_a_filter_and_a_plan_is_carried_out_once() {
    let p = planned().await;
    let include = format!("/plans/{}/include", p.id());
    let all = p.included().await;
    p.client.post(&include, json!({"included": false})).await;
    assert_eq!(p.included().await, 0);
    p.client.post(&include, json!({"included": true, "filter": {"kind": "folder"}})).await;
    let folders = p.client.changes(&p.plan, "kind=folder").await;
    assert_eq!(p.included().await as usize, folders.len());
    let (status, _) =
        p.client.call(Method::POST, &include, Some(json!({"included": true, "filter": {"colour": 1}})), None).await;
    assert_eq!(status, 422, "an unknown filter is no filter");
    assert!(all as usize > folders.len());

    // An older plan can't be transferred out once there is a newer one, nor any plan twice, nor decided afterwards.
    let newer = p.client.dry_run(&p.route).await;
    let begin = |plan: &Value| format!("/plans/{}/transfer", plan["id"].as_str().expect("an id"));
    assert_eq!(p.client.call(Method::POST, &begin(&p.plan), None, None).await.0, 409);
    p.client.post(&format!("/plans/{}/include", newer["id"].as_str().unwrap()), json!({"included": false})).await;
    let narrow = json!({"included": true, "filter": {"kind": "folder"}});
    p.client.post(&format!("/plans/{}/include", newer["id"].as_str().unwrap()), narrow).await;
    let job = p.client.finish(&p.client.transfer(&newer).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["done"].as_u64()), (Some("done"), Some(folders.len() as u64)));
    assert_eq!(p.client.call(Method::POST, &begin(&newer), None, None).await.0, 409);
    let change = format!("/plans/{}/changes/0", newer["id"].as_str().unwrap());
    let (status, problem) = p.client.call(Method::PATCH, &change, Some(json!({"included": false})), None).await;
    assert_eq!(status, 409);
    assert!(problem["advice"].as_str().is_some_and(|a| a.contains("dry run")), "{problem}");

    // A job that is over takes no more wishes.
    let job = job["id"].as_str().expect("an id");
    for (method, path, body) in [
        (Method::PUT, format!("/jobs/{job}/wanted"), json!({"wanted": "pause"})),
        (Method::PUT, format!("/jobs/{job}/wanted"), json!({"wanted": "faster"})),
    ] {
        let (status, _) = p.client.call(method, &path, Some(body.clone()), None).await;
        assert!(matches!(status.as_u16(), 409 | 422), "{body}: {status}");
    }
}

/// The file of a plan is the whole plan: every change in its order with what was decided.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_plan_can_be_kept_as_a_file() {
    let p = planned().await;
    let fresh = &p.client.changes(&p.plan, "outcome=new_right&kind=test_case").await[0];
    p.decide(fresh, json!({"fields": {"priority": "leave"}})).await;
    let file = p.client.get(&format!("/plans/{}/file", p.id())).await;
    assert_eq!((&file["plan"], &file["digest"]), (&p.plan["id"], &p.plan["digest"]));
    let changes = file["changes"].as_array().expect("changes");
    assert_eq!(changes.len() as i64, p.plan["changes"].as_i64().unwrap());
    let seqs: Vec<u64> = changes.iter().map(|c| c["change"]["seq"].as_u64().expect("a place")).collect();
    assert!(seqs.windows(2).all(|w| w[0] < w[1]), "in their order, each once");
    let decided = changes.iter().find(|c| c["change"]["seq"] == fresh["seq"]).expect("it is there");
    assert_eq!(decided["decision"]["fields"]["priority"], "leave");
    let included = changes.iter().filter(|c| c["decision"]["included"] == true).count() as i64;
    assert_eq!(included, p.included().await);
    assert!(!file["lanes"].as_array().expect("lanes").is_empty());
}

/// The same decision for all that wait for it, counted before it is made, and undone in one step.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_like_it_is_decided_at_once_and_undone_at_once() {
    let p = planned().await;
    let waiting = async || {
        let mut out = Vec::new();
        for change in p.client.changes(&p.plan, "outcome=adopt").await {
            for field in p.client.get(&p.path(&change)).await["fields"].as_array().unwrap() {
                if field["can_be_decided"] == true {
                    let text = |key: &str| field[key].as_str().unwrap().to_owned();
                    out.push((
                        change["kind"].as_str().unwrap().to_owned(),
                        text("field"),
                        text("reason"),
                        text("decision"),
                    ));
                }
            }
        }
        out
    };
    let before = waiting().await;
    let open = before.iter().filter(|w| w.3 == "leave");
    let like = |w: &(String, String, String, String)| {
        before.iter().filter(|o| (&o.0, &o.1, &o.2) == (&w.0, &w.1, &w.2) && o.3 == "leave").count()
    };
    let most = open.max_by_key(|w| like(w)).expect("the small world has pairs that differ").clone();
    let many = like(&most) as i64;
    let path = format!("/plans/{}/decide", p.id());
    let ask = |only_count: bool, decision: &str| json!({"kind": most.0, "field": most.1, "reason": most.2, "decision": decision, "only_count": only_count});
    let counted = p.client.post(&path, ask(true, "write_right")).await;
    assert_eq!((counted["changed"].as_i64(), &waiting().await), (Some(many), &before), "counting changes nothing");
    p.client.post(&path, ask(false, "write_right")).await;
    let after = waiting().await;
    assert!(
        after.iter().zip(&before).all(|(now, was)| {
            let is_like = (&was.0, &was.1, &was.2) == (&most.0, &most.1, &most.2);
            now.3 == if is_like { "write_right".to_owned() } else { was.3.clone() }
        }),
        "these and no others: {after:?}"
    );
    let undoable = async || p.client.get(&format!("/plans/{}", p.id())).await["undoable"].as_i64();
    assert_eq!(undoable().await, Some(1));
    p.client.post(&format!("/plans/{}/undo", p.id()), json!({})).await;
    assert_eq!((waiting().await, undoable().await), (before, Some(0)));
    let none = p.client.call(Method::POST, &format!("/plans/{}/undo", p.id()), Some(json!({})), None).await;
    assert_eq!(none.0, StatusCode::CONFLICT);
    let mut wrong = ask(false, "write_right");
    for (key, value) in [
        ("field", "colour"),
        ("reason", "new"),
        ("decision", "perhaps"),
        ("decision", "write_left"),
        ("decision", "keep_left"),
        ("decision", "merge"),
    ] {
        let right = std::mem::replace(&mut wrong[key], json!(value));
        assert_eq!(
            p.client.call(Method::POST, &path, Some(wrong.clone()), None).await.0,
            StatusCode::UNPROCESSABLE_ENTITY,
            "{key}"
        );
        wrong[key] = right;
    }
}

/// Before a transfer the receipt says what is included; its lines are all of it, whatever is decided.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_receipt_is_all_that_is_included() {
    let p = planned().await;
    let receipt = async || p.client.get(&format!("/plans/{}/receipt", p.id())).await;
    let planned = |r: &Value, but: &str| {
        let lines = r["lines"].as_array().unwrap().iter().filter(|l| l["doing"] != but);
        lines.map(|l| l["planned"].as_i64().unwrap()).sum::<i64>()
    };
    let first = receipt().await;
    assert_eq!(planned(&first, "remember"), p.included().await);
    assert!(first["lines"].as_array().unwrap().iter().all(|l| l["done"] == 0 && l["refused"] == 0), "{first}");
    assert_eq!(first["transfer"], Value::Null);
    let calls = |r: &Value| r["estimate"]["calls"]["right"].as_i64().unwrap();
    assert!(calls(&first) > 0);
    // The dry run and the receipt say the same calls and the same time, whatever is decided.
    let figures = async || p.client.get(&format!("/plans/{}", p.id())).await;
    assert_eq!(figures().await["estimate"], first["estimate"]);
    let pairs = p.client.changes(&p.plan, "outcome=adopt&kind=test_case").await;
    let pair = pairs.iter().find(|c| c["conflicts_open"] != 0).expect("a pair that differs");
    let fields = p.client.get(&p.path(pair)).await["fields"].as_array().unwrap().clone();
    let open = fields.iter().filter(|f| f["can_be_decided"] == true).map(|f| f["field"].as_str().unwrap());
    let as_it_is: BTreeMap<&str, &str> = open.map(|f| (f, "leave")).collect();
    let written: BTreeMap<&str, &str> = as_it_is.keys().map(|f| (*f, "write_right")).collect();
    let mut said = Vec::new();
    for fields in [&as_it_is, &written, &as_it_is] {
        assert!(p.decide(pair, json!({"included": true, "fields": fields})).await.0.is_success());
        said.push(figures().await["estimate"].clone());
        assert_eq!(said.last(), Some(&receipt().await["estimate"]));
    }
    let right = |of: &Value| of["calls"]["right"].as_i64().unwrap();
    assert!(right(&said[1]) > right(&said[0]), "what is written costs a call: {said:?}");
    assert_eq!(said[2], said[0]);
    let undo = format!("/plans/{}/undo", p.id());
    for before in [&said[1], &said[0], &first["estimate"]] {
        p.client.post(&undo, json!({})).await;
        assert_eq!(&figures().await["estimate"], before, "undoing brings the cost back");
    }
    p.client.decide_all(&p.plan).await;
    let all = receipt().await;
    assert_eq!(figures().await["estimate"], all["estimate"]);
    assert_eq!(planned(&all, "remember"), p.included().await);
    assert!(calls(&all) > calls(&first), "more is to be done");
    let left_out = json!({"filter": {"kind": "test_case"}, "included": false});
    p.client.post(&format!("/plans/{}/include", p.id()), left_out).await;
    let fewer = receipt().await;
    assert_eq!(planned(&fewer, "remember"), p.included().await);
    assert!(calls(&fewer) < calls(&all));
    let losses =
        |r: &Value| r["losses"].as_array().unwrap().iter().map(|l| l["planned"].as_i64().unwrap()).sum::<i64>();
    assert!(losses(&fewer) < losses(&all), "what is left out loses nothing");
}
