//! What happens at the other end while a plan waits or a transfer runs: somebody edits an item, or changes what
//! can be held there. Nothing of theirs is overwritten, and what is not concerned goes on.

use std::collections::BTreeSet;

use futures::StreamExt;
use hovrel_connect::{Connector, Write};
use hovrel_core::model::{Artefact, Attachment, Fields, Kind, LINKS, Link, LinkEnd, LinkType, Value as Held};
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::world::{Size, oddities};
use hovrel_testkit::{
    Client, FERNWAY, Known, OLDSTONE, Systems, TALLYBENCH, connectors, eventually, read_all, settled_route,
};
use serde_json::Value;

use crate::program::Program;

pub async fn edit(c: &dyn Connector, container: &str, id: &str, field: &str, value: &str) {
    let now = c.one(container, Kind::TestCase, id).await.expect("it is there");
    let fields: Fields = [(field, Held::text(value))].into_iter().collect();
    let write =
        Write { kind: Kind::TestCase, id: Some(now.id), version: now.version, fields, parent: None, in_source: false };
    c.write(container, &write).await.expect("it is written");
}

/// Links one test case to another.
pub async fn relate(c: &dyn Connector, container: &str, from: &Artefact, to: &Artefact) {
    let target = LinkEnd::Artefact { kind: Kind::TestCase, id: to.id.clone() };
    let links = [from.links.clone(), vec![Link::new(LinkType::RelatesTo, target)]].concat();
    let fields: Fields = [(LINKS, Held::Links(links))].into_iter().collect();
    let (id, version) = (Some(from.id.clone()), from.version.clone());
    let write = Write { kind: Kind::TestCase, id, version, fields, parent: None, in_source: false };
    c.write(container, &write).await.expect("it is written");
}

const CASES: &[Kind] = &[Kind::Folder, Kind::TestCase];

/// A route out of Oldstone with its first plan, all of it taken in and nothing carried out yet.
struct Begun {
    systems: Systems,
    client: Client,
    route: String,
    plan: Value,
    /// Runs until it is dropped.
    program: Program,
}

async fn begun(right: &Known, kinds: &[Kind]) -> Begun {
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let (route, _) = settled_route(&client, &systems, &OLDSTONE, right, kinds).await.expect("kinds in common");
    let plan = client.dry_run(&route).await;
    client.decide_all(&plan).await;
    Begun { systems, client, route, plan, program }
}

/// The priorities that Tallybench takes, set on its own page: at once, or from when so many more cases were made.
async fn set_priorities(systems: &Systems, taken: &[&str], after: Option<u32>) {
    let mut body = taken.iter().map(|p| format!("{p}=on")).collect::<Vec<_>>().join("&");
    body += &after.map_or(String::new(), |n| format!("&after={n}"));
    let page = format!("{}/setup", systems.tallybench.url());
    let form = reqwest::Client::new().post(page).header("content-type", "application/x-www-form-urlencoded").body(body);
    assert!(form.send().await.expect("an answer").status().is_success());
}

async fn refused(client: &Client, job: &Value) -> Vec<Value> {
    let list = client.get(&format!("/jobs/{}/refused", job["id"].as_str().expect("an id"))).await;
    list.as_array().expect("a list").clone()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_schema_that_changes_in_the_middle_stops_its_lane() {
    let Begun { systems, client, route, plan, program: _program } = begun(&TALLYBENCH, &[]).await;
    set_priorities(&systems, &["Urgent"], Some(3)).await;
    let carried = async || {
        let there = read_all(&*systems.connect(&TALLYBENCH), TALLYBENCH.container, Kind::TestCase).await;
        there.iter().filter(|c| c.origin.is_some()).count()
    };
    let job = client.transfer(&plan).await;
    let job = client.finish(&job).await;
    assert_eq!(job["state"], "done", "{job}");
    let stopped = refused(&client, &job).await;
    let says = |r: &&Value| r["why"].as_str().is_some_and(|why| why.contains("Tallybench changed during the transfer"));
    let halted: Vec<&Value> = stopped.iter().filter(says).collect();
    assert!(halted.len() > 3, "the lane stopped: {stopped:?}");
    assert!(halted.iter().all(|r| r["why"].as_str().unwrap().contains("“Priority” no longer takes “Low”")));
    assert!(halted.iter().all(|r| r["advice"].as_str().unwrap().contains("Survey the system again")));
    let kept = carried().await;
    assert!(kept >= 3, "what was done stays done");
    // Lanes that have nothing to do with it went on.
    let suites = read_all(&*systems.connect(&TALLYBENCH), TALLYBENCH.container, Kind::TestSuite).await;
    assert!(suites.iter().any(|s| s.origin.is_some()), "suites were carried");

    // Put right there, what was refused is retried alone, and then all is as if nothing had happened.
    set_priorities(&systems, &["Urgent", "High", "Normal", "Low"], None).await;
    let again = client.post(&format!("/jobs/{}/retry", job["id"].as_str().unwrap()), serde_json::json!({})).await;
    let job = client.finish(&again).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    assert!(carried().await > kept);
    // The system was surveyed after the first transfer, when its list was short: it is surveyed again.
    let right = client.get(&format!("/routes/{route}")).await["right"]["system"].as_str().expect("a system").to_owned();
    let body = serde_json::json!({"container": TALLYBENCH.container});
    let survey = client.post(&format!("/systems/{right}/surveys"), body).await;
    client.finish(&survey).await;
    // Lists that lacked a member come whole at the next run, and then nothing is left.
    let next = client.dry_run(&route).await;
    client.decide_all(&next).await;
    client.finish(&client.transfer(&next).await).await;
    let settled = client.dry_run(&route).await;
    assert_eq!(settled["included"], 0, "{:?}", client.all_changes(&settled).await);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_item_changed_between_dry_run_and_write_is_not_overwritten() {
    let Begun { systems, client, route, plan, program: _program } = begun(&TALLYBENCH, CASES).await;
    client.finish(&client.transfer(&plan).await).await;

    let (old, tally) = connectors(&systems);
    for id in ["OS-2002", "OS-2004"] {
        edit(&*old, OLDSTONE.container, id, "name", &format!("{id} edited at the left")).await;
    }
    let plan = client.dry_run(&route).await;
    assert_eq!(plan["changes"], 2, "{:?}", client.all_changes(&plan).await);
    // Somebody types something there before the plan is carried out.
    let find = async |mark: &str| {
        let found = tally.find_by_origin(TALLYBENCH.container, Kind::TestCase, mark).await.expect("an answer");
        found.expect("it is there")
    };
    let there = find("Oldstone:OS-2002").await;
    edit(&*tally, TALLYBENCH.container, &there.id, "preconditions", "Typed at the right").await;
    let before = find("Oldstone:OS-2002").await;
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(1)), "{job}");
    let stopped = refused(&client, &job).await;
    assert_eq!(stopped[0]["key"], "OS-2002");
    assert!(stopped[0]["why"].as_str().unwrap().contains("it was changed there"), "{stopped:?}");
    assert_eq!(find("Oldstone:OS-2002").await, before, "nothing was overwritten");
    assert_eq!(find("Oldstone:OS-2004").await.title, "OS-2004 edited at the left", "the other was written");
    // It shows again, with both values.
    let next = client.dry_run(&route).await;
    let shown = client.all_changes(&next).await;
    assert_eq!(shown.len(), 1, "{shown:?}");
    let path = format!("/plans/{}/changes/{}", next["id"].as_str().unwrap(), shown[0]["seq"]);
    let detail = client.get(&path).await;
    let reasons: BTreeSet<&str> =
        detail["fields"].as_array().unwrap().iter().filter_map(|f| f["reason"].as_str()).collect();
    assert!(reasons.contains("left_changed") && reasons.contains("right_changed"), "{detail}");
}

/// What Tallybench does while the plan is carried out, and what each refusal then says.
async fn met_by(plan: FaultPlan) -> (Systems, Client, String, Value, Vec<Value>, Program) {
    let Begun { systems, client, route, plan: first, program } = begun(&TALLYBENCH, CASES).await;
    client.finish(&client.transfer(&first).await).await;
    let (old, _) = connectors(&systems);
    edit(&*old, OLDSTONE.container, "OS-2004", "name", "Edited at the left").await;
    let next = client.dry_run(&route).await;
    assert_eq!(next["changes"], 1, "{:?}", client.all_changes(&next).await);
    systems.tallybench.faults.set(plan);
    let job = client.finish(&client.transfer(&next).await).await;
    systems.misbehave(FaultPlan::default());
    assert_eq!(job["result"]["refused"], 1, "{job}");
    let stopped = refused(&client, &job).await;
    (systems, client, route, job, stopped, program)
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_item_deleted_between_dry_run_and_write_shows_as_gone() {
    let (systems, client, route, _, stopped, _program) =
        met_by(FaultPlan { deleted_before: 1000, ..FaultPlan::default() }).await;
    let why = stopped[0]["why"].as_str().unwrap();
    assert!(why.ends_with("is not there"), "{why}");
    assert!(stopped[0]["advice"].as_str().unwrap().contains("been deleted"));
    let mark = "Oldstone:OS-2004";
    let there = systems.connect(&TALLYBENCH);
    let found = there.find_by_origin(TALLYBENCH.container, Kind::TestCase, mark).await.expect("an answer");
    assert!(found.is_none(), "it is not made again behind anybody's back");
    let shown = client.all_changes(&client.dry_run(&route).await).await;
    let gone: Vec<&Value> = shown.iter().filter(|c| c["outcome"] == "gone_right").collect();
    assert_eq!(gone.len(), 1, "{shown:?}");
    assert_eq!(gone[0]["left"]["key"], "OS-2004");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_full_quota_is_told_and_retried_when_there_is_room() {
    let (systems, client, route, job, stopped, _program) =
        met_by(FaultPlan { full: 1000, ..FaultPlan::default() }).await;
    assert!(stopped[0]["why"].as_str().unwrap().contains("quota is full"), "{stopped:?}");
    assert!(stopped[0]["advice"].as_str().unwrap().contains("Free up space"), "{stopped:?}");
    assert!(systems.tallybench.faults.count().full > 0);
    let again = client.post(&format!("/jobs/{}/retry", job["id"].as_str().unwrap()), serde_json::json!({})).await;
    let job = client.finish(&again).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    assert_eq!(client.dry_run(&route).await["changes"], 0);
}

/// Files whose bytes are not those that their item declares: the item says so, and the others go on.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_file_of_other_bytes_than_declared_is_not_carried() {
    let Begun { systems, client, plan, program: _program, .. } = begun(&TALLYBENCH, CASES).await;
    systems.oldstone.faults.set(FaultPlan { other_bytes: 1000, ..FaultPlan::default() });
    let job = client.finish(&client.transfer(&plan).await).await;
    systems.misbehave(FaultPlan::default());
    let stopped = refused(&client, &job).await;
    let says = |r: &&Value| r["why"].as_str().is_some_and(|why| why.contains("has other bytes in Oldstone"));
    let spoilt = stopped.iter().filter(says).count() as i64;
    assert!(spoilt > 0 && Some(spoilt) == job["result"]["refused"].as_i64(), "{stopped:?}");
    assert!(job["result"]["done"].as_i64() > Some(spoilt), "the others went on: {job}");
    let there = read_all(&*systems.connect(&TALLYBENCH), TALLYBENCH.container, Kind::TestCase).await;
    let here = read_all(&*systems.connect(&OLDSTONE), OLDSTONE.container, Kind::TestCase).await;
    let digests: BTreeSet<&str> =
        here.iter().flat_map(|c| &c.attachments).filter_map(|f| f.digest.as_deref()).collect();
    let carried = there.iter().filter(|c| c.origin.is_some()).flat_map(|c| &c.attachments);
    assert!(
        carried.clone().all(|f| f.digest.as_deref().is_some_and(|d| digests.contains(d))),
        "nothing spoilt was kept"
    );

    // With the files as they should be, what was refused is retried alone.
    let again = client.post(&format!("/jobs/{}/retry", job["id"].as_str().unwrap()), serde_json::json!({})).await;
    let job = client.finish(&again).await;
    assert_eq!(job["result"]["refused"], 0, "{job}");
}

/// A file whose bytes are not of its declared type is carried as it is, and the proof says so.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_file_of_another_type_than_declared_is_told() {
    let Begun { systems, client, route, .. } = &begun(&TALLYBENCH, CASES).await;
    let words: &[u8] = b"tower;load\n9;4.2\n";
    let file = |name: &str, media_type: &str| Attachment {
        name: name.into(),
        media_type: media_type.into(),
        bytes: Some(words.len() as u64),
        digest: None,
    };
    let old = systems.connect(&OLDSTONE);
    for file in [file("load.png", "image/png"), file("load.csv", "text/csv")] {
        let bytes = futures::stream::iter([Ok(words.into())]).boxed();
        old.put_attachment(Kind::TestCase, "OS-2001", &file, bytes).await.expect("it is stored");
    }
    let plan = client.dry_run(route).await;
    client.decide_all(&plan).await;
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let proof = client.prove(route).await;
    assert_eq!((proof["differences"].as_i64(), proof["losses_unforeseen"].as_i64()), (Some(0), Some(1)), "{proof}");
    let told = &proof["unforeseen"][0];
    assert_eq!(told["left_key"], "OS-2001");
    assert!(told["loss"]["why"].as_str().is_some_and(|why| why.contains("not image/png, as declared")), "{told}");
    let there = systems.connect(&TALLYBENCH).find_by_origin("ropeway", Kind::TestCase, "Oldstone:OS-2001").await;
    let there = there.expect("an answer").expect("it was carried");
    let carried =
        there.attachments.iter().filter(|f| f.name.starts_with("load") && f.bytes == Some(words.len() as u64));
    assert_eq!(carried.count(), 2, "{:?}", there.attachments);
}

/// A transfer that is paused when items are there and their links are still to come writes these when it goes on.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn links_that_were_still_to_come_at_a_pause_are_written() {
    let Begun { systems, client, route, .. } = &begun(&FERNWAY, &[Kind::TestCase]).await;
    // One that nothing but its link is to come of, to one of which nothing is.
    let old = systems.connect(&OLDSTONE);
    let mut quiet = read_all(&*old, OLDSTONE.container, Kind::TestCase).await;
    quiet.retain(|c| c.comments.is_empty() && !c.links.iter().any(|l| l.link_type == LinkType::RelatesTo));
    let (from, to) = (&quiet[quiet.len() - 2], &quiet[quiet.len() - 1]);
    relate(&*old, OLDSTONE.container, from, to).await;

    let plan = client.dry_run(route).await;
    client.decide_all(&plan).await;
    systems.fernway.faults.set(FaultPlan { delay: 1000, delay_ms: 150, ..FaultPlan::default() });
    let job = client.transfer(&plan).await;
    let fern = systems.connect(&FERNWAY);
    let there = async |key: &str| {
        let mark = format!("Oldstone:{key}");
        fern.find_by_origin(FERNWAY.container, Kind::TestCase, &mark).await.expect("an answer")
    };
    eventually("two items", async || Some((there(&from.key).await?, there(&to.key).await?))).await;
    client.want(&job, "pause", "paused").await;
    systems.misbehave(FaultPlan::default());
    let half = there(&from.key).await.expect("it was carried");
    assert_eq!(half.links.len(), from.links.len(), "its link is still to come: {:?}", half.links);
    client.want(&job, "run", "running").await;
    let job = client.finish(&job).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let circle = [("OS-2001", "OS-2002"), ("OS-2002", "OS-2003"), ("OS-2003", "OS-2001")];
    for (key, other) in circle.into_iter().chain([(&*from.key, &*to.key)]) {
        let from = there(key).await.expect("it was carried");
        let to = there(other).await.expect("it was carried");
        let wanted = LinkEnd::Artefact { kind: Kind::TestCase, id: to.id };
        assert!(from.links.iter().any(|l| l.target == wanted), "{key}: {:?}", from.links);
    }
    assert_eq!(client.dry_run(route).await["changes"], 0);
}

/// A text that names items still to be made is written twice; what somebody typed in between is theirs.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_text_edited_before_its_names_are_led_on_is_kept() {
    let Begun { systems, client, plan, program: _program, .. } = begun(&TALLYBENCH, CASES).await;
    let tally = systems.connect(&TALLYBENCH);
    let key = format!("OS-{}", oddities::WORD_PROCESSOR);
    let mark = format!("Oldstone:{key}");
    // Slow enough that there is a moment between making the items and leading on what they name.
    systems.tallybench.faults.set(FaultPlan { delay: 1000, delay_ms: 60, ..FaultPlan::default() });
    let job = client.transfer(&plan).await;
    let found = async || tally.find_by_origin(TALLYBENCH.container, Kind::TestCase, &mark).await.expect("an answer");
    let made = eventually(&mark, found).await;
    let text = made.fields.get("preconditions").map(Held::display).unwrap_or_default();
    assert!(text.contains("see OS-2010"), "still with the key of the left: {text}");
    edit(&*tally, TALLYBENCH.container, &made.id, "preconditions", "Typed at the right").await;
    let job = client.finish(&job).await;
    systems.misbehave(FaultPlan::default());
    let stopped = refused(&client, &job).await;
    assert_eq!(stopped.len(), 1, "{stopped:?}");
    assert_eq!(stopped[0]["key"], key.as_str());
    assert!(stopped[0]["why"].as_str().unwrap().contains("it was changed there"), "{stopped:?}");
    let now = tally.one(TALLYBENCH.container, Kind::TestCase, &made.id).await.expect("it is there");
    assert_eq!(now.fields.get("preconditions").map(Held::display).as_deref(), Some("Typed at the right"));
}

/// In Fernway an item's key changes when it is handed to another desk: it stays the counterpart that it was.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_item_that_gets_another_key_stays_a_pair() {
    let Begun { systems, client, route, plan, program: _program } = begun(&FERNWAY, &[Kind::Requirement]).await;
    client.finish(&client.transfer(&plan).await).await;
    assert_eq!(client.dry_run(&route).await["changes"], 0);

    let there = read_all(&*systems.connect(&FERNWAY), FERNWAY.container, Kind::Requirement).await;
    let item = there.iter().find(|a| a.origin.is_some()).expect("something was carried");
    let page = format!("{}/item/{}/desk", systems.fernway.url(), item.id);
    let form = reqwest::Client::new().post(page).header("content-type", "application/x-www-form-urlencoded");
    assert!(form.body("desk=GATE").send().await.expect("an answer").status().is_success());
    let now = systems.connect(&FERNWAY).one(FERNWAY.container, Kind::Requirement, &item.id).await.expect("it is there");
    assert!(now.key.starts_with("GATE-") && now.key != item.key, "{}", now.key);
    let again = client.dry_run(&route).await;
    assert_eq!(again["changes"], 0, "{:?}", client.all_changes(&again).await);
    assert_eq!(client.prove(&route).await["differences"], 0);
}
