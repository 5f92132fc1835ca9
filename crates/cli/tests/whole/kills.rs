//! The program is ended by signal 9 at every place that a transfer comes by, again and again, and goes on each time; and
//! a worker that slept while another took its job over wakes up. What is there afterwards is what a transfer leaves that
//! nobody disturbed: nothing is missing, nothing is written twice, and the journal notes each change as done.

use std::collections::BTreeMap;

use futures::StreamExt;
use hovrel_core::model::{Attachment, Comment, Document, Kind, Stamp};
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::world::Size;
use hovrel_testkit::{
    Client, FERNWAY, Known, OLDSTONE, Systems, TALLYBENCH, eventually, mirrored, read_all, settled_route,
};
use serde_json::json;

use crate::journey::state;
use crate::meanwhile::{edit, relate};
use crate::program::Program;

/// Where the first transfer is cut off, in turn.
const MAKING: &[&str] = &[
    "batch intended",
    "batch called",
    "back intended",
    "back called",
    "intended",
    "create intended",
    "create called",
    "file intended",
    "file called",
    "piece intended",
    "piece called",
    "piece accepted",
    "before made",
    "made",
    "before done",
    "done",
    "later intended",
    "later called",
];

/// Where those are that change what the first made, each of them at one place: it would be over before the next.
const CHANGING: &[&str] = &[
    "intended",
    "update intended",
    "update called",
    "piece intended",
    "piece called",
    "piece accepted",
    "file intended",
    "file called",
    "remove intended",
    "remove called",
    "before done",
    "done",
];

/// Where a transfer is cut off whose items come to their states by moves, one item at a time.
const MOVING: &[&str] = &[
    "create intended",
    "create called",
    "made",
    "file intended",
    "file called",
    "piece intended",
    "piece called",
    "move intended",
    "move called",
    "done",
];

/// A walk through transfers: what is made, and then what changed.
struct Walk {
    systems: Systems,
    program: Program,
    client: Client,
    route: String,
    right: &'static Known,
}

impl Walk {
    /// The same by a route whose left is the other system: each of its lanes carries to the left.
    async fn turned_round(self) -> Walk {
        let now = self.client.get(&format!("/routes/{}", self.route)).await;
        let lanes = now["lanes"].as_array().expect("lanes").iter().map(mirrored).collect();
        let end = |end: &str| json!({"system": now[end]["system"], "container": now[end]["container"]});
        let route = self.client.keep_route("The other way round", &end("right"), &end("left"), lanes).await;
        Walk { route, ..self }
    }

    async fn begin(right: &'static Known, kinds: &[Kind], back: bool) -> Walk {
        let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
        let client = Client::sign_in(&program.address).await;
        let (route, mut lanes) =
            settled_route(&client, &systems, &OLDSTONE, right, kinds).await.expect("kinds in common");
        if back {
            // Some test cases hold what their own system does not take any more, so that it takes no link either.
            for lane in lanes.iter_mut().filter(|l| l["left_kind"] != "test_case") {
                lane["policies"]["link_back"] = json!(true);
            }
            client.save_lanes(&route, &lanes).await;
        }
        Walk { systems, program, client, route, right }
    }

    /// Makes a plan and carries it out, cut off at each of these places in turn; those that it did not come by.
    async fn transfer(&mut self, cuts: &[&'static str]) -> Vec<&'static str> {
        let plan = self.client.dry_run(&self.route).await;
        self.client.decide_all(&plan).await;
        let mut missed = Vec::new();
        let mut job = None;
        for cut in cuts {
            self.program.restart_to_end_at(cut).await;
            let of = match &job {
                Some(of) => of,
                None => job.insert(self.client.transfer(&plan).await),
            };
            if !self.program.ends_in(&self.client, of).await {
                missed.push(*cut);
            }
        }
        self.program.kill_and_restart().await;
        let job = match job {
            Some(job) => job,
            None => self.client.transfer(&plan).await,
        };
        let job = self.client.finish(&job).await;
        let refused = self.client.get(&format!("/jobs/{}/refused", job["id"].as_str().expect("an id"))).await;
        assert_eq!((&job["state"], &refused), (&json!("done"), &json!([])), "{job}");
        let undone = self.program.ask("select state as told from journal where state <> 'done'").await;
        assert!(undone.is_empty(), "every change was noted as done: {undone:?}");
        let unnoted =
            "select distinct concat_ws(' ', s.seq, s.written_end, s.step) as told from steps s where not exists
            (select from journal_items i where (i.job_id, i.seq, i.written_end) = (s.job_id, s.seq, s.written_end))";
        let unnoted = self.program.ask(unnoted).await;
        assert!(unnoted.is_empty(), "what was sent to an end is noted with the item there: {unnoted:?}");
        missed
    }

    /// What is there once no more is to be carried.
    async fn settled(&self) -> BTreeMap<String, String> {
        let next = self.client.dry_run(&self.route).await;
        assert_eq!(next["included"], 0, "{:?}", self.client.all_changes(&next).await);
        assert_eq!(self.client.prove(&self.route).await["headline"]["unexplained_items"], 0);
        let mut both = state(&self.systems, self.right).await;
        let old = self.systems.connect(&OLDSTONE);
        for item in read_all(&*old, OLDSTONE.container, Kind::TestSuite).await {
            // How many a left item has: addresses differ, since a simulated system listens on another port each time.
            both.insert(format!("left {}", item.key), format!("{} links", item.links.len()));
        }
        both
    }
}

fn file(name: &str, bytes: &'static [u8]) -> (Attachment, hovrel_connect::ByteStream) {
    let file = Attachment {
        name: name.into(),
        media_type: "text/plain".into(),
        bytes: Some(bytes.len() as u64),
        digest: None,
    };
    (file, futures::stream::iter([Ok(bytes.into())]).boxed())
}

/// What people do at the left before a transfer: a title, a link, a comment, a file more, and the one of last time taken
/// off again; each in another item every time.
async fn edited(systems: &Systems, round: usize) {
    let old = systems.connect(&OLDSTONE);
    let mut cases = read_all(&*old, OLDSTONE.container, Kind::TestCase).await;
    // The odd ones hold what their system does not take any more.
    cases.retain(|c| c.key.starts_with("OS-2"));
    let case = |n: usize| &cases[(round + n) % cases.len()];
    let name = |round: usize| format!("added {round}.txt");
    edit(&*old, OLDSTONE.container, &case(0).id, "name", &format!("{} (mended)", case(0).title)).await;
    relate(&*old, OLDSTONE.container, case(2), case(5)).await;
    let said = Stamp { at: Some("2026-06-03T08:00:00Z".parse().expect("a time")), by: None };
    let body = Document::from_text(&format!("Looked at {} in round {round}.", case(4).key));
    let comment = Comment { id: None, stamp: said, body };
    old.add_comment(OLDSTONE.container, Kind::TestCase, &case(4).id, &comment).await.expect("it is added");
    let (added, bytes) = file(&name(round), b"added since");
    old.put_attachment(Kind::TestCase, &case(6).id, &added, bytes).await.expect("it is stored");
    if round > 0 {
        // What was `case(6)` then.
        old.remove_attachment(Kind::TestCase, &case(5).id, &name(round - 1)).await.expect("it is removed");
    }
}

/// Makes the same edits for both, and compares what they leave in the end: `cut` transfers after each, cut off at another place
/// every time; `calm` transfers all that was changed at once.
async fn changed_alike(mut calm: Walk, mut cut: Walk) {
    for (round, place) in CHANGING.iter().enumerate() {
        edited(&calm.systems, round).await;
        edited(&cut.systems, round).await;
        let missed = cut.transfer(&[place]).await;
        assert!(missed.is_empty(), "the transfer never came by {missed:?}");
    }
    calm.transfer(&[]).await;
    same(&calm.settled().await, &cut.settled().await);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn cut_off_at_every_place_a_transfer_leaves_what_an_undisturbed_one_does() {
    if !cfg!(feature = "failpoints") {
        return;
    }
    let mut calm = Walk::begin(&TALLYBENCH, &[], true).await;
    calm.transfer(&[]).await;
    let cut = cut_at_each(MAKING, &calm, async || Walk::begin(&TALLYBENCH, &[], true).await).await;
    changed_alike(calm, cut).await;
}

/// A lane that reads the right and writes the left does there what one that faces it does, wherever it is cut off.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_route_that_carries_to_the_left_leaves_what_one_to_the_right_does() {
    if !cfg!(feature = "failpoints") {
        return;
    }
    let begin = async || Walk::begin(&TALLYBENCH, &[], true).await;
    let mut calm = begin().await;
    calm.transfer(&[]).await;
    let cut = cut_at_each(MAKING, &calm, async || begin().await.turned_round().await).await;
    changed_alike(calm, cut).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn cut_off_while_items_are_made_one_by_one_and_moved() {
    if !cfg!(feature = "failpoints") {
        return;
    }
    let mut calm = Walk::begin(&FERNWAY, &[], false).await;
    calm.transfer(&[]).await;
    cut_at_each(MOVING, &calm, async || Walk::begin(&FERNWAY, &[], false).await).await;
}

/// Walks that are cut off until one was at each of these places; the last of them. Which places a walk comes by before
/// it is over depends on what is carried side by side.
async fn cut_at_each(places: &[&'static str], calm: &Walk, begin: impl AsyncFn() -> Walk) -> Walk {
    let mut missed = places.to_vec();
    for _ in 0..5 {
        let mut cut = begin().await;
        missed = cut.transfer(&missed).await;
        same(&calm.settled().await, &cut.settled().await);
        if missed.is_empty() {
            return cut;
        }
    }
    panic!("no transfer came by {missed:?}");
}

/// Compared item by item, so that a difference is told where it is.
fn same(calm: &BTreeMap<String, String>, cut: &BTreeMap<String, String>) {
    let names = |of: &BTreeMap<String, String>| of.keys().cloned().collect::<Vec<_>>();
    assert_eq!(names(calm), names(cut));
    for (name, held) in calm {
        assert_eq!(timeless(held), timeless(&cut[name]), "{name}");
    }
}

/// Without the minute at which `edited` said something: it does so in one world after the other, and the system that it says
/// it in notes the time.
fn timeless(held: &str) -> String {
    let after_the_time = |part: &str| part.chars().skip("2026-06-03 09:00".len()).collect::<String>();
    let mut parts = held.split("hovrel, ");
    let first = parts.next().unwrap_or_default().to_owned();
    parts.fold(first, |out, part| out + "hovrel, " + &after_the_time(part))
}

/// A worker is stopped in the middle of its transfer (SIGSTOP), its lease runs out, another takes the job over; then the
/// first goes on where it was (SIGCONT), with calls in its hands.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_worker_that_slept_writes_nothing_once_another_has_its_job() {
    let mut calm = Walk::begin(&TALLYBENCH, &[], false).await;
    let walk = Walk::begin(&TALLYBENCH, &[], false).await;
    calm.transfer(&[]).await;

    let plan = walk.client.dry_run(&walk.route).await;
    walk.client.decide_all(&plan).await;
    walk.systems.misbehave(FaultPlan { delay: 1000, delay_ms: 40, ..FaultPlan::default() });
    let job = walk.client.transfer(&plan).await;
    let id = job["id"].as_str().expect("an id").to_owned();
    let settled = async || {
        let now = walk.client.get(&format!("/jobs/{id}")).await;
        (now["progress"]["settled"].as_i64()? > 10).then_some(())
    };
    eventually("something is written", settled).await;
    walk.program.signal("STOP");
    let holder = format!("select lease_owner::text as told from jobs where id = '{id}'");
    let slept = walk.program.ask(&holder).await;
    let second = walk.program.another(&[]).await;
    let other = walk.client.at(&second.address);
    let taken = async || (walk.program.ask(&holder).await != slept).then_some(());
    eventually("the other takes it over", taken).await;
    let now = async || other.get(&format!("/jobs/{id}")).await;
    let before = now().await["progress"]["settled"].as_i64();
    let gone_on = async || {
        let now = now().await;
        (now["progress"]["settled"].as_i64() > before || hovrel_testkit::is_over(&now)).then_some(())
    };
    eventually("the other goes on with it", gone_on).await;
    walk.program.signal("CONT");
    walk.systems.misbehave(FaultPlan::default());
    let job = other.finish(&json!({"id": id})).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    // Whichever it meets first: its lease is another's, or the database has ended what it left open when it fell asleep.
    let says = async || {
        let log = walk.program.log();
        ["the lease was lost", "the database went away"].iter().any(|why| log.contains(why)).then_some(())
    };
    eventually("the sleeper says why it stopped", says).await;
    drop(second);
    same(&calm.settled().await, &walk.settled().await);
}
