//! Where both ends edited the same, the policy of the lane decides; which edit is newer is told by both systems' histories,
//! and never by a clock that is off.

use chrono::TimeDelta;
use hovrel_connect::Write;
use hovrel_core::model::{Artefact, Kind, Value as Held};
use hovrel_standins::fault::FaultPlan;
use hovrel_testkit::{Known, OLDSTONE, TALLYBENCH, read_all};
use serde_json::{Value, json};

use crate::{Routed, routed};

/// The title of a case at each end, and what both ends call it there.
const LEFT: (&Known, &str) = (&OLDSTONE, "name");
const RIGHT: (&Known, &str) = (&TALLYBENCH, "title");

impl Routed {
    async fn case(&self, known: &Known, id: &str) -> Artefact {
        self._both.connect(known).one(known.container, Kind::TestCase, id).await.expect("it is there")
    }

    async fn retitled(&self, (known, field): (&Known, &str), id: &str, title: &str) {
        let now = self.case(known, id).await;
        let fields = [(field, Held::text(title))].into_iter().collect();
        let write = Write {
            kind: Kind::TestCase,
            id: Some(now.id),
            version: now.version,
            fields,
            parent: None,
            in_source: false,
        };
        self._both.connect(known).write(known.container, &write).await.expect("it is taken");
    }

    async fn titles(&self, of: &(Artefact, Artefact)) -> [String; 2] {
        let left = self.case(&OLDSTONE, &of.0.id).await.title;
        [left, self.case(&TALLYBENCH, &of.1.id).await.title]
    }

    async fn policy(&self, both_edited: &str) {
        let mut lanes = self.client.get(&format!("/routes/{}", self.route)).await["lanes"].clone();
        for lane in lanes.as_array_mut().expect("lanes").iter_mut().filter(|l| l["left_kind"] == "test_case") {
            lane["direction"] = json!("both");
            lane["policies"]["both_edited"] = json!(both_edited);
            for rule in lane["rules"].as_array_mut().expect("rules") {
                rule["back"] = json!(rule["into"]["right"]["target"] == "title");
            }
        }
        self.client.save_lanes(&self.route, lanes.as_array().expect("lanes")).await;
    }

    async fn record(&self, of: &(Artefact, Artefact)) -> Vec<Value> {
        let lines = self.client.get(&format!("/record?route={}&left_id={}", self.route, of.0.id)).await;
        lines["items"].as_array().expect("lines").clone()
    }

    async fn pairs(&self) -> Vec<(Artefact, Artefact)> {
        let read = async |known: &Known| read_all(&*self._both.connect(known), known.container, Kind::TestCase).await;
        let (old, there) = (read(&OLDSTONE).await, read(&TALLYBENCH).await);
        let pair = |left: Artefact| {
            let mark = format!("Oldstone:{}", left.key);
            let right = there.iter().find(|r| r.origin.as_deref() == Some(&mark) && r.title == left.title)?;
            Some((left, right.clone()))
        };
        old.into_iter().filter_map(pair).collect()
    }

    /// What a dry run and its transfer found of the titles of items: left key and reason.
    async fn run(&self) -> Vec<(String, String)> {
        let plan = self.client.dry_run(&self.route).await;
        let mut out = Vec::new();
        for change in self.client.changes(&plan, "field=title").await {
            let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), change["seq"]);
            for field in self.client.get(&path).await["fields"]
                .as_array()
                .expect("fields")
                .iter()
                .filter(|f| f["field"] == "title")
            {
                let text = |of: &Value| of.as_str().unwrap_or_default().to_owned();
                out.push((text(&change["left"]["id"]), text(&field["reason"])));
            }
        }
        let job = self.client.finish(&self.client.transfer(&plan).await).await;
        assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
        out
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_newer_edit_is_carried_and_never_by_a_clock_that_is_off() {
    let m = routed().await;
    m.client.transfer_all(&m.route).await;
    m.policy("newest").await;
    assert!(m.run().await.is_empty(), "nobody edited anything");

    let pairs = m.pairs().await;
    let [right_newer, left_newer, close, off] = &pairs[..4] else { panic!("{} pairs", pairs.len()) };
    let edit_left = async |of: &(Artefact, Artefact)| m.retitled(LEFT, &of.0.id, &format!("Left {}", of.0.key)).await;
    let edit_right =
        async |of: &(Artefact, Artefact)| m.retitled(RIGHT, &of.1.id, &format!("Right {}", of.0.key)).await;
    edit_left(right_newer).await;
    edit_right(left_newer).await;
    m._both.clock.advance(TimeDelta::minutes(5));
    edit_right(right_newer).await;
    edit_left(left_newer).await;
    edit_left(close).await;
    edit_right(close).await;
    let mut found = m.run().await;
    found.sort();
    let mut wanted = [(right_newer, "right_prevails"), (left_newer, "left_prevails"), (close, "same_time")]
        .map(|(of, reason)| (of.0.id.clone(), reason.to_owned()));
    wanted.sort();
    assert_eq!(found, wanted);
    let [left, right] = ["Left", "Right"].map(|word| move |of: &(Artefact, Artefact)| format!("{word} {}", of.0.key));
    assert_eq!(m.titles(right_newer).await, [right(right_newer), right(right_newer)]);
    assert_eq!(m.titles(left_newer).await, [left(left_newer), left(left_newer)]);
    assert_eq!(m.titles(close).await, [left(close), right(close)], "a person decides");

    // What was written over is found in the record, with why.
    let lines = m.record(left_newer).await;
    let line = lines.iter().find(|l| l["why"] == "policy").expect("it is there");
    assert_eq!((line["end"].as_str(), line["field_name"].as_str()), (Some("right"), Some("Title")), "{line}");
    assert!(line["change"].to_string().contains("Right"), "{line}");

    // A clock that is off decides nothing, whatever the stamps say.
    m._both.running(&OLDSTONE).faults.set(FaultPlan { clock_ahead: 900, ..FaultPlan::default() });
    edit_left(off).await;
    edit_right(off).await;
    let reason = |found: &[(String, String)], of: &(Artefact, Artefact)| {
        found.iter().find(|(id, _)| *id == of.0.id).map(|(_, reason)| reason.clone())
    };
    let found = m.run().await;
    assert_eq!(reason(&found, off).as_deref(), Some("left_clock_off"), "{found:?}");
    assert_eq!(m.titles(off).await, [left(off), right(off)]);

    // With an end that wins nobody is asked, and the conflicts that waited are over, with how.
    m.policy("right_wins").await;
    let found = m.run().await;
    assert_eq!(reason(&found, off).as_deref(), Some("right_prevails"), "{found:?}");
    for of in [off, close] {
        assert_eq!(m.titles(of).await, [right(of), right(of)]);
    }
    let open = m.client.get("/conflicts?state=open").await;
    let of_titles = |list: &Value| {
        let is_of = |c: &&Value| [&off.0.key, &close.0.key].iter().any(|key| c["left_key"] == **key);
        list["items"].as_array().expect("conflicts").iter().filter(is_of).cloned().collect::<Vec<_>>()
    };
    assert_eq!(of_titles(&open), [] as [Value; 0]);
    let closed = of_titles(&m.client.get("/conflicts?state=closed").await);
    assert_eq!(closed.iter().map(|c| c["ended"].clone()).collect::<Vec<_>>(), [json!("policy"), json!("policy")]);
    assert!(m.run().await.is_empty(), "nothing is left");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn who_decided_in_the_dry_run_is_in_the_record() {
    let m = routed().await;
    m.client.transfer_all(&m.route).await;
    m.policy("ask").await;
    m.run().await;
    let pairs = m.pairs().await;
    let (one, all_like_it) = (&pairs[0], &pairs[1..4]);
    for of in &pairs[..4] {
        m.retitled(LEFT, &of.0.id, &format!("Left {}", of.0.key)).await;
        m.retitled(RIGHT, &of.1.id, &format!("Right {}", of.0.key)).await;
    }
    let plan = m.client.dry_run(&m.route).await;
    let id = plan["id"].as_str().expect("an id");
    let changes = m.client.changes(&plan, "field=title").await;
    let change = changes.iter().find(|c| c["left"]["id"] == one.0.id.as_str()).expect("it is in conflict");
    let decide = async |body: Value| {
        let path = format!("/plans/{id}/changes/{}", change["seq"]);
        let (status, said) = m.client.call(reqwest::Method::PATCH, &path, Some(body), None).await;
        assert!(status.is_success(), "{said}");
    };
    // A decision that was undone is nobody's.
    decide(json!({"fields": {"title": "write_left"}})).await;
    m.client.post(&format!("/plans/{id}/undo"), json!({})).await;
    let alike = json!({"kind": "test_case", "field": "title", "reason": "both_changed", "decision": "write_right"});
    assert_eq!(m.client.post(&format!("/plans/{id}/decide"), alike).await["changed"], 4);
    decide(json!({"included": true, "fields": {"title": "write_left"}})).await;
    let job = m.client.finish(&m.client.transfer(&plan).await).await;
    assert_eq!(job["state"], "done", "{job}");
    for (of, end) in all_like_it.iter().map(|of| (of, "right")).chain([(one, "left")]) {
        let lines = m.record(of).await;
        let latest = lines.iter().find(|l| l["why"] == "chosen").expect("it was decided");
        assert_eq!(
            (latest["end"].as_str(), latest["field_name"].as_str()),
            (Some(end), Some(if end == "left" { "Name" } else { "Title" }))
        );
        assert_eq!(latest["by"], "First", "{latest}");
    }
}
