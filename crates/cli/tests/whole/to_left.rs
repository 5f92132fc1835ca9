//! A route with lanes in opposite directions: test cases go to the right, and defects come back from there. What people do at
//! either end is told for what it is, and the rest of a lane's life (counterparts, kept histories, turning it) is by its own ends.

use std::collections::BTreeMap;

use hovrel_connect::Write;
use hovrel_core::model::{Artefact, Kind, Value as Held};
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, FERNWAY, Known, OLDSTONE, Systems, read_all, settled, settled_route};
use serde_json::{Value, json};

use crate::both_sides::found;
use crate::both_ways::{edited, text};
use crate::browser::walked;
use crate::program::Program;

struct Ground {
    systems: Systems,
    program: Program,
    client: Client,
    route: String,
}

/// What each end calls the title of a defect.
const TITLE: (&str, &str) = ("name", "title");

async fn made(systems: &Systems, known: &Known, field: &str, title: String) {
    let fields = [(field, Held::text(title))].into_iter().collect();
    let write = Write { kind: Kind::Defect, id: None, version: None, fields, parent: None, in_source: false };
    systems.connect(known).write(known.container, &write).await.expect("it is made");
}

impl Ground {
    /// Test cases to the right by settled rules, and defects that are still to be turned.
    async fn begin() -> Ground {
        let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
        for n in 1..=4 {
            made(&systems, &FERNWAY, TITLE.1, format!("Gate {n} stays open")).await;
        }
        let client = Client::sign_in(&program.address).await;
        let kinds = [Kind::TestCase, Kind::Defect];
        let (route, _) = settled_route(&client, &systems, &OLDSTONE, &FERNWAY, &kinds).await.expect("kinds in common");
        Ground { systems, program, client, route }
    }

    async fn lanes(&self) -> Vec<Value> {
        self.client.get(&format!("/routes/{}", self.route)).await["lanes"].as_array().expect("lanes").clone()
    }

    /// Turns the lane of the defects round, and settles what that leaves to a person; what it lost.
    async fn turn(&self) -> Vec<Value> {
        let mut lanes = self.lanes().await;
        let lane = lanes.iter_mut().find(|lane| lane["left_kind"] == "defect").expect("a lane of defects");
        let body = json!({"lane": lane, "direction": "to_left"});
        let turned = self.client.post(&format!("/routes/{}/turned", self.route), body).await;
        *lane = turned["lane"].clone();
        settled(&self.client, &self.systems, &self.route, lanes, (&OLDSTONE, &FERNWAY)).await;
        turned["lost"].as_array().expect("a list").clone()
    }

    async fn of(&self, known: &Known) -> Vec<Artefact> {
        read_all(&*self.systems.connect(known), known.container, Kind::Defect).await
    }

    /// Defects of the right, each with the one that was made of it at the left.
    async fn pairs(&self) -> Vec<(Artefact, Artefact)> {
        let left = self.of(&OLDSTONE).await;
        let made = |right: Artefact| {
            let mark = format!("Fernway:{}", right.key);
            Some((left.iter().find(|l| l.origin.as_deref() == Some(&mark))?.clone(), right))
        };
        self.of(&FERNWAY).await.into_iter().filter_map(made).collect()
    }

    /// Makes a dry run; the plan and the outcome of each change of a defect, by what its own end calls it.
    async fn plan(&self) -> (Value, BTreeMap<String, String>) {
        let plan = self.client.dry_run(&self.route).await;
        let key =
            |c: &Value| ["right", "left"].iter().find_map(|end| c[*end]["key"].as_str()).expect("a key").to_owned();
        let told = |c: &Value| (key(c), c["outcome"].as_str().expect("an outcome").to_owned());
        let changes = self.client.all_changes(&plan).await;
        let found = changes.iter().filter(|c| c["kind"] == "defect").map(told).collect();
        (plan, found)
    }

    /// What the page of an item shows.
    async fn page(&self, end: &str, known: &Known, id: &str) -> Value {
        let route = self.client.get(&format!("/routes/{}", self.route)).await;
        let system = route[end]["system"].as_str().expect("a system").to_owned();
        let page = format!("/systems/{system}/containers/{}/artefact?kind=defect&id={id}", known.container);
        found(&self.client, &page).await
    }

    async fn edit(&self, known: &Known, item: &Artefact, field: &str, to: &str) {
        let to = Held::text(to);
        edited((&self.systems, known), item, false, |_| [(field, to)].into_iter().collect()).await;
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn defects_come_back_while_cases_go_over() {
    let ground = Ground::begin().await;
    let lost = ground.turn().await;
    assert!(lost.iter().all(Value::is_string), "{lost:?}");
    let (plan, found) = ground.plan().await;
    let defects = ground.of(&FERNWAY).await;
    assert!(found.values().all(|outcome| ["new_left", "adopt", "blocked"].contains(&outcome.as_str())), "{found:?}");
    assert_eq!(plan["right_in_scope"].as_u64(), Some(defects.len() as u64));
    assert!(plan["left_in_scope"].as_u64() > Some(0), "the cases of the left: {plan}");
    // The page of what is to be made at the left says so, although nothing of it is there yet.
    let fresh = defects.iter().find(|d| found.get(&d.key).is_some_and(|o| o == "new_left")).expect("one is new");
    let waits = ground.page("right", &FERNWAY, &fresh.id).await;
    assert_eq!((waits["open"][0]["outcome"].as_str(), &waits["touches"]), (Some("new_left"), &json!([])), "{waits}");
    ground.client.decide_all(&plan).await;
    let receipt = ground.client.get(&format!("/plans/{}/receipt", plan["id"].as_str().expect("an id"))).await;
    assert_eq!(receipt["written"], json!(["left", "right"]));
    let job = ground.client.finish(&ground.client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let pairs = ground.pairs().await;
    let blocked = found.values().filter(|outcome| *outcome == "blocked").count();
    assert_eq!(pairs.len() + blocked, defects.len(), "each defect of the right is at the left once");
    let (_, again) = ground.plan().await;
    assert!(again.values().all(|outcome| outcome == "blocked"), "{again:?}");
    let (made, fresh) = pairs.iter().find(|(_, right)| right.id == fresh.id).expect("it was made");
    for (end, known, id) in [("right", &FERNWAY, &fresh.id), ("left", &OLDSTONE, &made.id)] {
        let shown = ground.page(end, known, id).await;
        let touched = &shown["touches"][0];
        assert_eq!(
            (touched["outcome"].as_str(), touched["state"].as_str()),
            (Some("new_left"), Some("done")),
            "{shown}"
        );
    }

    // People work at both ends: what the right says arrives, what the left says is its own, and both at once is asked about.
    let [theirs, ours, both, rests] = &pairs[..4] else { panic!("{} pairs", pairs.len()) };
    ground.edit(&FERNWAY, &theirs.1, TITLE.1, "Said at the right").await;
    ground.edit(&OLDSTONE, &ours.0, TITLE.0, "Said at the left").await;
    ground.edit(&FERNWAY, &both.1, TITLE.1, "One of two").await;
    ground.edit(&OLDSTONE, &both.0, TITLE.0, "The other of two").await;
    let (plan, found) = ground.plan().await;
    let outcomes = [theirs, ours, both, rests].map(|pair| found.get(&pair.1.key).map(String::as_str));
    assert_eq!(outcomes, [Some("update_left"), Some("held_left"), Some("conflict"), None], "{found:?}");

    // In the browser: what the left holds is kept or written over, and the transfer carries it.
    let walk = |part: &str| {
        let route = ground.route.clone();
        vec![("ROUTE", route), ("LEFT", "Oldstone".into()), ("RIGHT", "Fernway".into()), ("PART", part.to_owned())]
    };
    assert_eq!(plan["open_conflicts"], 1, "{plan}");
    walked(&ground.program, &["to-left"], walk("carry")).await;
    let now = ground.pairs().await;
    let title = |pair: &(Artefact, Artefact)| {
        let of = now.iter().find(|(_, right)| right.id == pair.1.id).expect("it is there");
        (text(&of.0, TITLE.0), text(&of.1, TITLE.1))
    };
    assert_eq!(title(theirs), ("Said at the right".into(), "Said at the right".into()));
    assert_eq!(title(ours).0, "Said at the left");
    assert_eq!(title(both), ("One of two".into(), "One of two".into()));
    let proof = ground.client.prove(&ground.route).await;
    assert_eq!(proof["headline"]["unexplained_items"], 0, "{proof}");
    let lane = proof["lanes"].as_array().expect("lanes").iter().find(|l| l["left_kind"] == "defect").expect("a lane");
    assert_eq!(lane["direction"], "to_left");
    assert_eq!(lane["paired"].as_u64(), Some(now.len() as u64));
    let causes: Vec<&Value> = lane["differences"].as_array().expect("a list").iter().map(|d| &d["cause"]).collect();
    assert!(causes.contains(&&json!("left_changed_since")), "{causes:?}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_lane_is_turned_in_the_browser() {
    let ground = Ground::begin().await;
    let walk = vec![
        ("ROUTE", ground.route.clone()),
        ("LEFT", "Oldstone".into()),
        ("RIGHT", "Fernway".into()),
        ("PART", "turn".into()),
    ];
    walked(&ground.program, &["to-left"], walk).await;
    let lanes = ground.lanes().await;
    let lane = lanes.iter().find(|lane| lane["left_kind"] == "defect").expect("a lane");
    assert_eq!(lane["direction"], "to_left");
    let rules = lane["rules"].as_array().expect("rules");
    assert!(rules.iter().all(|rule| rule["into"]["right"].is_null() && rule["into"]["left"].is_object()), "{rules:?}");

    // Beside one between the same kinds the other way it is at fault.
    let mut opposed = lanes.clone();
    let mut other = lane.clone();
    (other["id"], other["direction"], other["rules"]) = (json!("defects out"), json!("to_right"), json!([]));
    opposed.push(other);
    let faults = ground.client.post(&format!("/routes/{}/checks", ground.route), json!({"lanes": opposed})).await;
    let faults = faults.as_array().expect("a list");
    let found = faults.iter().find(|f| f["reason"]["reason"] == "opposed").expect("it is told");
    assert_eq!((&found["lane"], &found["blocks"]), (&json!("defects out"), &json!(true)));

    // Who is whose counterpart is said of the items of the right.
    settled(&ground.client, &ground.systems, &ground.route, lanes, (&OLDSTONE, &FERNWAY)).await;
    let path = format!("/routes/{}/matches/defect", ground.route);
    let alone = ground.client.get(&format!("{path}/alone?end=right")).await["items"][0].clone();
    let others = ground.client.get(&format!("{path}/alone?end=left")).await["items"][0].clone();
    let (one, other) = (alone["id"].as_str().expect("an id"), others["id"].as_str().expect("an id"));
    let said = json!({"settle": [{"item": one, "said": {"other": other}}]});
    let (status, problem) = ground.client.call(reqwest::Method::PUT, &path, Some(said), None).await;
    assert_eq!(status, 204, "{problem}");
    let listed = ground.client.get(&path).await["settled"][0].clone();
    assert_eq!((listed["item"]["id"].as_str(), listed["other"]["id"].as_str()), (Some(one), Some(other)));
    let (plan, found) = ground.plan().await;
    let key = alone["key"].as_str().expect("a key");
    assert_eq!(found.get(key).map(String::as_str), Some("adopt"), "{found:?}");
    // Turned again, the two are still one.
    let lanes = ground.lanes().await;
    let lane = lanes.iter().find(|lane| lane["left_kind"] == "defect").expect("a lane");
    let body = json!({"lane": lane, "direction": "to_right"});
    let turned = ground.client.post(&format!("/routes/{}/turned", ground.route), body).await["lane"].clone();
    let lanes = lanes.iter().map(|l| if l["id"] == turned["id"] { turned.clone() } else { l.clone() }).collect();
    settled(&ground.client, &ground.systems, &ground.route, lanes, (&OLDSTONE, &FERNWAY)).await;
    let (_, found) = ground.plan().await;
    assert_eq!(found.get(key).map(String::as_str), Some("adopt"), "{plan}");
}

/// What was in step before a lane was turned round is in step after: nothing is written over, and the next edit comes back.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_lane_that_carried_before_is_turned_and_goes_on() {
    let ground = Ground::begin().await;
    for n in 1..=4 {
        made(&ground.systems, &OLDSTONE, TITLE.0, format!("Brake {n} sticks")).await;
    }
    let (plan, outgoing) = ground.plan().await;
    ground.client.decide_all(&plan).await;
    let job = ground.client.finish(&ground.client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let before = ground.of(&OLDSTONE).await;
    let mark = |left: &Artefact| format!("Oldstone:{}", left.key);
    let carried = |right: &Artefact| before.iter().find(|left| right.origin.as_deref() == Some(&mark(left))).cloned();
    let made = ground.of(&FERNWAY).await.into_iter().filter_map(|right| Some((carried(&right)?, right)));
    let pairs: Vec<(Artefact, Artefact)> = made.collect();
    assert!(pairs.len() > 4, "{} of {}: {outgoing:?}", pairs.len(), before.len());

    ground.turn().await;
    ground.edit(&FERNWAY, &pairs[0].1, TITLE.1, "Said at the right").await;
    ground.edit(&OLDSTONE, &pairs[1].0, TITLE.0, "Said at the left").await;
    let (plan, found) = ground.plan().await;
    // Besides what was edited, a mark of what it came from goes into each, and nothing else.
    let changes = ground.client.all_changes(&plan).await;
    for (n, (_, right)) in pairs.iter().enumerate() {
        assert_eq!(found.get(&right.key).map(String::as_str), Some("update_left"), "{found:?}");
        let change = changes.iter().find(|c| c["right"]["key"] == right.key.as_str()).expect("a change");
        let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), change["seq"]);
        let fields = ground.client.get(&path).await["fields"].as_array().expect("fields").clone();
        let of_title = |f: &&Value| f["field"] == TITLE.0;
        let reason = fields.iter().find(of_title).and_then(|f| f["reason"].as_str());
        assert_eq!(reason, [Some("right_changed"), Some("left_changed")].get(n).copied().flatten(), "{fields:#?}");
        let rest: Vec<&Value> = fields.iter().filter(|f| !of_title(f)).map(|f| &f["field"]).collect();
        assert_eq!(rest, ["origin"], "{fields:#?}");
    }
    ground.client.decide_all(&plan).await;
    let job = ground.client.finish(&ground.client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let after = ground.of(&OLDSTONE).await;
    for (left, right) in &pairs {
        let now = after.iter().find(|item| item.id == left.id).expect("it is there");
        let title = match right.id == pairs[0].1.id {
            true => "Said at the right".to_owned(),
            false if left.id == pairs[1].0.id => "Said at the left".to_owned(),
            false => text(left, TITLE.0),
        };
        assert_eq!(text(now, TITLE.0), title);
    }
    let proof = ground.client.prove(&ground.route).await;
    assert_eq!(proof["headline"]["unexplained_items"], 0, "{proof}");
}
