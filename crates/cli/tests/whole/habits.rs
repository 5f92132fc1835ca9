//! A right end with habits that an administrator meets sooner or later, one at a time, and what Hovrel must do.

use std::collections::BTreeMap;

use futures::StreamExt;
use hovrel_connect::Connector;
use hovrel_core::model::{Artefact, Attachment, Comment, Document, Kind, Stamp};
use hovrel_standins::world::Size;
use hovrel_testkit::saltmere::{self, Habits, Saltmere, profile};
use hovrel_testkit::{Client, OLDSTONE, Systems, read_all};
use serde_json::{Value, json};

use crate::meanwhile::{edit, relate};
use crate::program::Program;

/// The fields that are fed there; grade and readiness are people's own.
const FED: [&str; 5] = ["title", "from", "@links", "@comments", "@attachments"];

/// Test cases on their way into Saltmere.
struct Pans {
    systems: Systems,
    pans: Saltmere,
    client: Client,
    route: String,
    program: Program,
}

impl Pans {
    async fn with(habits: Habits) -> Pans {
        Pans::fed(habits, &FED).await
    }

    async fn fed(habits: Habits, fed: &[&str]) -> Pans {
        let (systems, pans) = (Systems::start(Size::SMALL).await, Saltmere::start(habits).await);
        let program = Program::start_with_profile(&profile(habits, false)).await;
        let client = Client::sign_in(&program.address).await;
        let left = client.connect(&systems, &OLDSTONE).await;
        let right = client.connect_at(&saltmere::KNOWN, saltmere::KNOWN.name, &pans.address).await;
        let mut lanes = client.proposed_lanes(&left, &right).await;
        lanes.retain(|l| l["left_kind"] == "test_case" && l["right_kind"] == "test_case");
        assert_eq!(lanes.len(), 1, "{lanes:?}");
        let rules = lanes[0]["rules"].as_array_mut().expect("rules");
        rules.retain(|r| r["into"]["right"]["target"].as_str().is_some_and(|t| fed.contains(&t)));
        assert_eq!(rules.len(), fed.len(), "{rules:?}");
        let route = client.keep_route("Into the pans", &left, &right, lanes).await;
        Pans { systems, pans, client, route, program }
    }

    /// Makes a plan and carries it out, all of it.
    async fn carried(&self) -> Value {
        let job = self.client.transfer_all(&self.route).await;
        assert_eq!(job["state"], "done", "{job}");
        job
    }

    async fn carried_whole(&self) {
        let job = self.carried().await;
        assert_eq!(job["result"]["refused"], 0, "{:?}", self.refused(&job).await);
    }

    async fn refused(&self, job: &Value) -> Vec<Value> {
        let list = self.client.get(&format!("/jobs/{}/refused", job["id"].as_str().expect("an id"))).await;
        list.as_array().expect("a list").clone()
    }

    async fn settled(&self) {
        let next = self.client.dry_run(&self.route).await;
        assert_eq!(next["changes"], 0, "{:?}", self.client.all_changes(&next).await);
    }

    fn old(&self) -> std::sync::Arc<dyn Connector> {
        self.systems.connect(&OLDSTONE)
    }

    async fn cases(&self) -> Vec<Artefact> {
        read_all(&*self.old(), OLDSTONE.container, Kind::TestCase).await
    }

    fn number(&self, case: &Artefact) -> u64 {
        let there = self.pans.marked(&format!("Oldstone:{}", case.key)).expect("it was carried");
        there["no"].as_u64().expect("a number")
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_update_that_empties_what_is_not_sent_stops_its_lane_before_the_second_item() {
    // New items need no update here, so that all of them are there before the first one.
    let mut pans = Pans::fed(Habits { replaces: true, ..Habits::default() }, &["title", "from"]).await;
    pans.carried_whole().await;
    let cases = pans.cases().await;
    for case in &cases[..4] {
        let no = pans.number(case);
        let mut state = pans.pans.state();
        let check = state.checks.get_mut(&no).expect("it is there");
        check.insert("grade".into(), json!("fine"));
        check.insert("ready".into(), json!("ja"));
    }
    for case in &cases[..4] {
        edit(&*pans.old(), OLDSTONE.container, &case.id, "name", &format!("{} again", case.key)).await;
    }
    let job = pans.carried().await;
    assert_eq!(pans.pans.state().updated.len(), 1, "the lane stopped before the second item");
    let refused = pans.refused(&job).await;
    assert!(refused.len() >= 4, "{refused:?}");
    assert!(refused.iter().any(|r| r["why"].as_str().is_some_and(|why| why.contains("not sent"))), "{refused:?}");
    assert!(refused.iter().any(|r| r["advice"].as_str().is_some_and(|a| a.contains("updates: whole"))), "{refused:?}");

    // With what the system needs said in its profile, nothing is emptied.
    let touched = pans.pans.state().updated[0];
    pans.program.restart_with_profile(&profile(pans.pans.habits, true)).await;
    pans.carried_whole().await;
    for case in &cases[..4] {
        let there = pans.pans.marked(&format!("Oldstone:{}", case.key)).expect("its mark is there");
        assert_eq!(there["title"], format!("{} again", case.key));
        if there["no"] != touched {
            assert_eq!((&there["grade"], &there["ready"]), (&json!("fine"), &json!("ja")), "{there:?}");
        }
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn comments_that_come_back_in_other_words_are_sent_once() {
    let pans = Pans::with(Habits { rewrites_comments: true, says_nothing: true, ..Habits::default() }).await;
    pans.carried_whole().await;
    let cases = pans.cases().await;
    let comments: usize = cases.iter().map(|c| c.comments.len()).sum();
    let sent = || pans.pans.state().posted.len();
    assert!(comments > 3);
    assert_eq!(sent(), comments, "each is sent once");
    pans.settled().await;
    // One that somebody took off stays off; one that the left adds comes, by itself.
    let with: Vec<&Artefact> = cases.iter().filter(|c| !c.comments.is_empty()).collect();
    let no = pans.number(with[0]);
    pans.pans.state().checks.get_mut(&no).expect("it is there").insert("remarks".into(), json!([]));
    let stamp = Stamp { at: Some("2026-06-03T08:00:00Z".parse().expect("a time")), by: None };
    let said = Comment { id: None, stamp, body: Document::from_text("One more.") };
    pans.old().add_comment(OLDSTONE.container, Kind::TestCase, &with[1].id, &said).await.expect("it is added");
    edit(&*pans.old(), OLDSTONE.container, &with[0].id, "name", "Touched").await;
    for _ in 0..2 {
        pans.carried_whole().await;
        assert_eq!(sent(), comments + 1, "{:?}", pans.pans.state().posted.last());
    }
    let proof = pans.client.prove(&pans.route).await;
    assert_eq!(proof["headline"]["unexplained_fields"], 0, "{}", proof["headline"]);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn files_of_which_nothing_is_told_are_carried_and_nobody_s_is_replaced() {
    let pans = Pans::with(Habits { no_digests: true, ..Habits::default() }).await;
    let cases = pans.cases().await;
    let file = |bytes: &'static [u8]| {
        let file = Attachment {
            name: "log.txt".into(),
            media_type: "text/plain".into(),
            bytes: Some(bytes.len() as u64),
            digest: None,
        };
        (file, futures::stream::iter([Ok(bytes.into())]).boxed())
    };
    let put = async |case: &Artefact, bytes: &'static [u8]| {
        let (file, bytes) = file(bytes);
        pans.old().put_attachment(Kind::TestCase, &case.id, &file, bytes).await.expect("it is stored");
    };
    put(&cases[0], b"first").await;
    put(&cases[1], b"first").await;
    pans.carried_whole().await;
    let (own, theirs) = (pans.number(&cases[0]), pans.number(&cases[1]));
    let held = |no: u64| pans.pans.state().files[&(no, "log.txt".to_owned())].clone();
    assert_eq!(held(own), b"first");
    let carried: usize = cases.iter().map(|c| c.attachments.len()).sum::<usize>() + 2;
    assert!(pans.pans.state().files.len() >= carried - 3, "those that may be were carried");
    pans.settled().await;
    // Both change at the left; at the right somebody put other bytes in the place of one.
    put(&cases[0], b"second").await;
    put(&cases[1], b"second").await;
    pans.pans.state().files.insert((theirs, "log.txt".to_owned()), b"theirs".to_vec());
    let plan = pans.client.dry_run(&pans.route).await;
    pans.client.finish(&pans.client.transfer(&plan).await).await;
    assert_eq!(held(own), b"second");
    assert_eq!(held(theirs), b"theirs", "nobody's file is replaced");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_link_keeps_the_word_that_it_was_made_with() {
    let pans = Pans::with(Habits::default()).await;
    pans.carried_whole().await;
    let cases = pans.cases().await;
    let (one, other) = (&cases[0], &cases[7]);
    let no = pans.number(one);
    // Somebody there uses the other of the two words for what was carried.
    let links = |how: Option<&str>| {
        let mut state = pans.pans.state();
        let links = state.checks.get_mut(&no).and_then(|c| c.get_mut("links")).and_then(Value::as_array_mut);
        let links = links.expect("links");
        if let Some(how) = how {
            links.iter_mut().for_each(|l| l["how"] = json!(how));
        }
        links.clone()
    };
    let before = links(Some("touches"));
    assert!(!before.is_empty(), "it has links");
    // That is no other link: the next transfer takes note of it.
    let plan = pans.client.dry_run(&pans.route).await;
    pans.client.finish(&pans.client.transfer(&plan).await).await;
    assert_eq!(links(None), before);
    relate(&*pans.old(), OLDSTONE.container, one, other).await;
    let plan = pans.client.dry_run(&pans.route).await;
    pans.client.finish(&pans.client.transfer(&plan).await).await;
    let after = links(None);
    let to = pans.number(other).to_string();
    let is_new = |l: &&Value| l["no"].to_string().trim_matches('"') == to;
    assert_eq!(after.len(), before.len() + 1, "{after:?}");
    for link in &after {
        let word = if is_new(&link) { "bears on" } else { "touches" };
        assert_eq!(link["how"], word, "{after:?}");
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_system_that_counts_who_looks_is_not_taken_for_changed() {
    for says_nothing in [false, true] {
        let pans = Pans::with(Habits { counts_looks: true, says_nothing, ..Habits::default() }).await;
        pans.carried_whole().await;
        let cases = pans.cases().await;
        for case in &cases[..3] {
            edit(&*pans.old(), OLDSTONE.container, &case.id, "name", &format!("{} again", case.key)).await;
        }
        pans.carried_whole().await;
        pans.settled().await;
        for case in &cases[..3] {
            let there = pans.pans.marked(&format!("Oldstone:{}", case.key)).expect("it is there");
            assert_eq!(there["title"], format!("{} again", case.key));
        }
    }
}

/// Somebody who may not see a field any more is not somebody who cleared it.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_field_that_answers_leave_out_is_not_written_over() {
    let pans = Pans::with(Habits::default()).await;
    pans.carried_whole().await;
    let case = &pans.cases().await[0];
    let (no, new) = (pans.number(case), format!("{} again", case.key));
    let title = || pans.pans.state().checks[&no]["title"].clone();
    let (old, links) = (title(), pans.pans.state().checks[&no]["links"].clone());
    edit(&*pans.old(), OLDSTONE.container, &case.id, "name", &new).await;
    pans.pans.state().hidden = ["title", "links"].map(str::to_owned).into();
    let plan = pans.client.dry_run(&pans.route).await;
    let changes = pans.client.all_changes(&plan).await;
    let of = changes.iter().find(|c| c["left"]["id"] == case.id.as_str()).expect("its change");
    assert_eq!(of["outcome"], "unreadable", "{of}");
    let job = pans.client.finish(&pans.client.transfer(&plan).await).await;
    assert_eq!((&job["state"], title()), (&json!("done"), old), "{job}");

    // When it is told again, the edit goes over, and nothing else.
    pans.pans.state().hidden.clear();
    pans.carried_whole().await;
    assert_eq!((title(), &pans.pans.state().checks[&no]["links"]), (json!(new), &links));
    pans.settled().await;
}

/// Its answer to a search by mark goes over several pages, whatever was searched for.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_item_is_made_once_where_a_search_finds_everything() {
    if !cfg!(feature = "failpoints") {
        return;
    }
    let mut pans = Pans::with(Habits { finds_everything: true, ..Habits::default() }).await;
    let plan = pans.client.dry_run(&pans.route).await;
    pans.client.decide_all(&plan).await;
    pans.program.restart_to_end_at("create called").await;
    let job = pans.client.transfer(&plan).await;
    assert!(pans.program.ends_before(async || None).await);
    pans.program.kill_and_restart().await;
    let job = pans.client.finish(&job).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let mut marks: BTreeMap<String, usize> = BTreeMap::new();
    for check in pans.pans.state().checks.values() {
        if let Some(mark) = check.get("from").and_then(Value::as_str) {
            *marks.entry(mark.to_owned()).or_default() += 1;
        }
    }
    assert!(marks.len() > 40 && marks.values().all(|n| *n == 1), "{marks:?}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_the_right_makes_of_a_value_when_saving_is_told_as_that() {
    let pans = Pans::with(Habits { rewords_titles: true, ..Habits::default() }).await;
    let cases = pans.cases().await;
    edit(&*pans.old(), OLDSTONE.container, &cases[0].id, "name", "Brakes hold (twice)").await;
    pans.carried_whole().await;
    assert_eq!(pans.pans.marked(&format!("Oldstone:{}", cases[0].key)).expect("it is there")["title"], "Brakes hold");
    pans.settled().await;
    let proof = pans.client.prove(&pans.route).await;
    assert_eq!(proof["headline"]["unexplained_fields"], 0, "{}", proof["headline"]);
    let causes: Vec<&Value> = proof["lanes"][0]["differences"].as_array().expect("a list").iter().collect();
    let title = causes.iter().find(|d| d["left_key"] == cases[0].key.as_str()).expect("it is told");
    assert_eq!(title["cause"], "changed_on_saving", "{title}");
}
