//! The whole journey through the API of the real program: laws 1, 2, 4 and 9 end to end, with faults and
//! with the program killed while it transfers.

use std::collections::BTreeMap;
use std::time::Duration;

use crate::meanwhile::edit;
use crate::program::Program;
use hovrel_core::model::{Artefact, Kind, Link, LinkEnd, Reference, Step, Value as Held};
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::world::{Size, oddities};
use hovrel_testkit::{
    CAIRNBOOK, Client, FERNWAY, Known, OLDSTONE, Systems, TALLYBENCH, connectors, read_all, settled_route,
};
use reqwest::Method;
use serde_json::{Value, json};

/// Everything at an end that does not depend on the order of making: by origin mark or title.
pub async fn state(systems: &Systems, known: &Known) -> BTreeMap<String, String> {
    systems.misbehave(FaultPlan::default());
    let connector = systems.connect(known);
    let offered = connector.catalogue(known.container).await.expect("a catalogue");
    let mut items = Vec::new();
    for kind in offered.kinds {
        items.extend(read_all(&*connector, known.container, kind.kind).await);
    }
    let path = |id: &Option<String>| {
        let mut names = Vec::new();
        let mut at = id.clone();
        while let Some(f) = at.and_then(|id| items.iter().find(|f| f.kind == Kind::Folder && f.id == id)) {
            names.push(f.title.clone());
            at = f.parent.clone();
        }
        names.join(" < ")
    };
    let name = |a: &Artefact| format!("{:?} {}", a.kind, a.origin.clone().unwrap_or_else(|| a.title.clone()));
    // Ids depend on the order of making; what they stand for does not.
    let names: BTreeMap<(Kind, String), String> = items.iter().map(|a| ((a.kind, a.id.clone()), name(a))).collect();
    let keys: BTreeMap<&str, String> = items.iter().map(|a| (a.key.as_str(), name(a))).collect();
    let carried = "2026-06-01T00:00:00Z".parse::<chrono::DateTime<chrono::FixedOffset>>().expect("a time");
    let mut out = BTreeMap::new();
    for item in &items {
        let mut files: Vec<_> = item.attachments.iter().map(|f| (&f.name, &f.digest)).collect();
        files.sort();
        let links: Vec<String> = item.links.iter().map(|l| link(l, &names)).collect();
        // What a system says of itself (its number, its time) depends on the order too.
        let own = |f: &str| matches!(f, "identifier" | "modified");
        let fields: Vec<_> =
            item.fields.iter().filter(|(f, _)| !own(f)).map(|(f, v)| format!("{f:?}: {}", shown(v, &names))).collect();
        let mut comments: Vec<String> = item.comments.iter().map(|c| c.body.plain()).collect();
        comments.sort();
        // What was written down while items were made is the system's own.
        let history: Vec<String> =
            item.history.iter().filter(|h| h.stamp.at < Some(carried)).map(|h| h.display()).collect();
        let held = format!("{} {} {files:?} {links:?} {comments:?} {history:?}", path(&item.parent), fields.join(", "));
        let held = without_keys(&held, &keys);
        assert!(out.insert(name(item), held).is_none(), "{} is there twice", name(item));
    }
    out
}

/// The text with what is named by its key named by where it came from.
fn without_keys(text: &str, keys: &BTreeMap<&str, String>) -> String {
    let of_key = |c: char| c.is_alphanumeric() || c == '-';
    let is_key = |w: &str| w.contains('-') && w.contains(|c: char| c.is_ascii_digit());
    let mut out = String::new();
    for part in text.split_inclusive(|c| !of_key(c)) {
        let word = part.trim_end_matches(|c| !of_key(c));
        match keys.get(word).filter(|_| is_key(word)) {
            Some(name) => out += &format!("{name}{}", &part[word.len()..]),
            None => out += part,
        }
    }
    out
}

fn link(link: &Link, names: &BTreeMap<(Kind, String), String>) -> String {
    match &link.target {
        LinkEnd::Artefact { kind, id } => format!("{} {}", link.link_type.word(), names[&(*kind, id.clone())]),
        // The simulated system listens on another port each time.
        _ => link.display().split("127.0.0.1").next().unwrap_or_default().to_owned(),
    }
}

fn shown(value: &Held, names: &BTreeMap<(Kind, String), String>) -> String {
    // References in the simulated systems are unique across kinds.
    let named = |r: &Reference| names.iter().find(|((_, id), _)| id == r.id()).map(|(_, n)| n.clone());
    match value {
        Held::Reference(r) => format!("{:?}", named(r)),
        Held::References(list) => format!("{:?}", list.iter().map(named).collect::<Vec<_>>()),
        Held::Steps(steps) => {
            let one = |s: &Step| {
                let mut plain = s.clone();
                let call = plain.call.take().map(|c| named(&c.target));
                format!("{plain:?} {call:?}")
            };
            steps.iter().map(one).collect()
        }
        other => format!("{other:?}"),
    }
}

/// What a transfer that nobody disturbs leaves at the right.
async fn undisturbed(left: &Known, right: &Known) -> BTreeMap<String, String> {
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let (route, _) = settled_route(&client, &systems, left, right, &[]).await.expect("kinds in common");
    let plan = client.dry_run(&route).await;
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    state(&systems, right).await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_whole_journey() {
    let (both, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let route = client.make_route(&both).await;

    // Law 1: the same inputs give the same plan, and nothing is written outside.
    let before = state(&both, &TALLYBENCH).await;
    let first = client.dry_run(&route).await;
    let plan = client.dry_run(&route).await;
    assert_eq!(first["digest"], plan["digest"]);
    assert_eq!(state(&both, &TALLYBENCH).await, before);

    // Items already at the right are offered for adoption, with evidence, and not made twice.
    let adopted = client.changes(&plan, "outcome=adopt&kind=test_case").await;
    assert!(adopted.iter().any(|c| c["evidence"]["how"] == "title_and_path"), "{adopted:?}");
    assert!(adopted.iter().any(|c| c["evidence"]["how"] == "similar" && c["included"] == false), "{adopted:?}");

    // Every value that can't be transferred exactly is in the plan.
    let losses = client.changes(&plan, "with_losses=true").await;
    for (number, cause) in [
        (oddities::LONG_TITLE, "at most"),
        (oddities::TABLE_IN_STEP, "table inside a table cell"),
        (oddities::VALUE_OFF_LIST, "value map does not name"),
        (oddities::WHO_LEFT, "recognised"),
        (oddities::WORD_PROCESSOR, "no underline"),
        (oddities::REFUSED_FILE, "files of this type"),
    ] {
        let key = format!("OS-{number}");
        let change =
            losses.iter().find(|c| c["left"]["key"] == key.as_str()).unwrap_or_else(|| panic!("{key} loses nothing"));
        let detail = client.get(&format!("/plans/{}/changes/{}", plan["id"].as_str().unwrap(), change["seq"])).await;
        assert!(detail["losses"].to_string().contains(cause), "{key}: {}", detail["losses"]);
    }

    // Folders that lie too deep have the rest of their way in their names.
    let deep = client.changes(&plan, "with_losses=true&kind=folder").await;
    assert!(deep.iter().any(|c| c["left"]["title"] == "Night / Team B / Ladder"), "{deep:?}");

    // One item and one field left out.
    let news = client.changes(&plan, "outcome=new_right&kind=test_case").await;
    // Not one of the circle of links, part of which waits for review.
    let (item, other) = (&news[0], &news[5]);
    let path = |c: &Value| format!("/plans/{}/changes/{}", plan["id"].as_str().unwrap(), c["seq"]);
    let (status, _) = client.call(Method::PATCH, &path(item), Some(json!({"included": false})), None).await;
    assert!(status.is_success());
    let (status, body) =
        client.call(Method::PATCH, &path(other), Some(json!({"fields": {"preconditions": "leave"}})), None).await;
    assert!(status.is_success(), "{body}");

    let job = client.transfer(&plan).await;
    let job = client.finish(&job).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let after = state(&both, &TALLYBENCH).await;
    let mark = |c: &Value| format!("TestCase Oldstone:{}", c["left"]["key"].as_str().unwrap());
    assert!(!after.contains_key(&mark(item)), "what was left out is not there");
    assert!(after[&mark(other)].contains("\"preconditions\": Empty"), "{}", after[&mark(other)]);

    // A plan is transferred once.
    let again =
        client.call(Method::POST, &format!("/plans/{}/transfer", plan["id"].as_str().unwrap()), None, None).await;
    assert_eq!(again.0, 409);

    // What was left out shows again, and nothing else that was carried does.
    let next = client.dry_run(&route).await;
    let cases = client.changes(&next, "outcome=new_right&kind=test_case").await;
    let keys: Vec<_> = cases.iter().map(|c| c["left"]["key"].clone()).collect();
    assert_eq!(keys, [item["left"]["key"].clone()]);
    let field = client.changes(&next, &format!("find={}", other["left"]["key"].as_str().unwrap())).await;
    assert_eq!(field.len(), 1);
    assert_eq!(field[0]["fields"], 1);

    // Decide the rest: everything in, the left wins.
    for change in client.changes(&next, "").await {
        let detail = client.get(&format!("/plans/{}/changes/{}", next["id"].as_str().unwrap(), change["seq"])).await;
        let fields: BTreeMap<&str, &str> = detail["fields"]
            .as_array()
            .unwrap()
            .iter()
            .map(|f| (f["field"].as_str().unwrap(), "write_right"))
            .collect();
        let body = json!({"included": true, "fields": fields});
        let path = format!("/plans/{}/changes/{}", next["id"].as_str().unwrap(), change["seq"]);
        assert!(client.call(Method::PATCH, &path, Some(body), None).await.0.is_success());
    }
    let job = client.transfer(&next).await;
    let job = client.finish(&job).await;
    assert_eq!(job["result"]["refused"], 0, "{job}");

    // Law 2: settled. And the proof agrees.
    let settled = client.dry_run(&route).await;
    assert_eq!(settled["changes"], 0, "{:?}", client.changes(&settled, "").await);
    let proof = client.prove(&route).await;
    assert_eq!(proof["differences"], 0, "{proof}");
    assert_eq!(proof["losses_unforeseen"], 0);
    assert!(proof["lanes"].to_string().contains("too_long"), "the long title is in the list of losses");

    // An edit at the left is one change: of the field, and of the history that notes it.
    let (old, tally) = connectors(&both);
    edit(&*old, "lift-control", "OS-2002", "name", "Edited at the left").await;
    let one = client.dry_run(&route).await;
    let changes = client.changes(&one, "").await;
    assert_eq!(changes.len(), 1, "{changes:?}");
    assert_eq!(changes[0]["outcome"], "update_right");
    let detail = client.get(&format!("/plans/{}/changes/{}", one["id"].as_str().unwrap(), changes[0]["seq"])).await;
    let fields: Vec<&str> = detail["fields"].as_array().unwrap().iter().filter_map(|f| f["field"].as_str()).collect();
    assert_eq!(fields, ["title", "@history"]);
    let job = client.transfer(&one).await;
    client.finish(&job).await;

    // A value changed behind Hovrel's back: the proof notices, a dry run keeps it.
    let there = tally.find_by_origin("ropeway", Kind::TestCase, "Oldstone:OS-2003").await.unwrap().unwrap();
    edit(&*tally, "ropeway", &there.id, "title", "Edited at the right").await;
    let proof = client.prove(&route).await;
    assert_eq!(proof["differences"], 1, "{proof}");
    assert!(proof.to_string().contains("right_changed_since"));
    let held = client.dry_run(&route).await;
    let changes = client.changes(&held, "").await;
    assert_eq!((changes.len(), changes[0]["outcome"].as_str()), (1, Some("held_right")));

    // Nothing secret anywhere a person can look.
    let secrets = [hovrel_standins::oldstone::PASSWORD, hovrel_standins::tallybench::KEY];
    let places = [
        program.log(),
        client.get("/overview").await.to_string(),
        client.get("/systems").await.to_string(),
        client.get(&format!("/plans/{}/file", held["id"].as_str().unwrap())).await.to_string(),
        client.get(&format!("/routes/{route}")).await.to_string(),
    ];
    for secret in secrets {
        assert!(places.iter().all(|p| !p.contains(secret)), "a secret is told");
    }
    assert!(program.log().len() > 1000, "the log was really searched");
}

/// Everything that hangs on the test cases, as it is at the right after one transfer.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_hangs_together_hangs_together_afterwards() {
    let (both, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let route = client.make_route(&both).await;
    let plan = client.dry_run(&route).await;
    // The copies are taken to be the same, and the left's links win, so that nothing waits.
    for change in client.changes(&plan, "outcome=adopt&kind=test_case").await {
        let path = format!("/plans/{}/changes/{}", plan["id"].as_str().unwrap(), change["seq"]);
        let linked =
            client.get(&path).await["fields"].as_array().is_some_and(|f| f.iter().any(|f| f["field"] == "@links"));
        let fields = if linked { json!({"@links": "write_right"}) } else { json!({}) };
        let body = json!({"included": true, "fields": fields});
        assert!(client.call(Method::PATCH, &path, Some(body), None).await.0.is_success());
    }
    let all_in = json!({"included": true});
    client.post(&format!("/plans/{}/include", plan["id"].as_str().unwrap()), all_in).await;
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");

    let (old, tally) = connectors(&both);
    let at = |c: &'static str, kind| match c {
        "left" => read_all(&*old, "lift-control", kind),
        _ => read_all(&*tally, "ropeway", kind),
    };
    let known = |a: &Artefact, field: &str| match a.fields.get(field) {
        Some(Held::Reference(r)) => r.id().to_owned(),
        other => panic!("{field} refers to nothing: {other:?}"),
    };

    // Attempts in their order: the rerun did not change the first.
    let mut attempts: BTreeMap<String, Vec<(i64, String)>> = BTreeMap::new();
    for (end, run, verdict) in [("left", "execution", "verdict"), ("right", "execution", "outcome")] {
        // The right has a round of its own.
        let carried = |a: &Artefact| end == "left" || a.origin.is_some();
        let mut executions = at(end, Kind::Execution).await;
        executions.retain(carried);
        let mark = |a: &Artefact| a.origin.clone().unwrap_or_else(|| format!("Oldstone:{}", a.key));
        let names: BTreeMap<String, String> = executions.iter().map(|e| (e.id.clone(), mark(e))).collect();
        let mut here: BTreeMap<String, Vec<(i64, String)>> = names.values().map(|n| (n.clone(), vec![])).collect();
        for result in at(end, Kind::Result).await.into_iter().filter(carried) {
            let Some(Held::Integer(attempt)) = result.fields.get("attempt") else { panic!("an attempt has a number") };
            let word = result.fields.get(verdict).map(Held::display).unwrap_or_default();
            let word = if word == "Broken rig" { "error".to_owned() } else { word.to_lowercase() };
            let word = word.trim_end_matches("ed").replace("not sure", "unclear");
            here.get_mut(&names[&known(&result, run)]).expect("its execution").push((*attempt, word));
        }
        here.values_mut().for_each(|list| list.sort());
        match attempts.is_empty() {
            true => attempts = here,
            false => assert_eq!(here, attempts, "the same attempts at both ends"),
        }
    }
    assert!(attempts.values().any(|list| list.len() > 1 && list[0].1 == "fail"), "something was run again");
    // Planned and not run is not the same as never planned.
    assert!(attempts.values().any(Vec::is_empty), "something was planned and never run");
    let planned: Vec<String> = at("right", Kind::Execution).await.iter().map(|e| known(e, "case")).collect();
    let cases = at("right", Kind::TestCase).await;
    assert!(cases.iter().any(|c| c.origin.is_some() && !planned.contains(&c.id)), "something was never planned");

    // A circle of links, and a link to what is not carried here, as an address.
    let by_mark = |mark: &str| cases.iter().find(|c| c.origin.as_deref() == Some(mark)).expect("it was carried");
    for (from, to) in [("OS-2001", "OS-2002"), ("OS-2002", "OS-2003"), ("OS-2003", "OS-2001")] {
        let (from, to) = (by_mark(&format!("Oldstone:{from}")), by_mark(&format!("Oldstone:{to}")));
        let wanted = LinkEnd::Artefact { kind: Kind::TestCase, id: to.id.clone() };
        assert!(from.links.iter().any(|l| l.target == wanted), "{:?}", from.links);
        assert!(
            from.links.iter().any(|l| matches!(&l.target, LinkEnd::Url(u) if u.contains("/records/requirement/RQ-")))
        );
    }

    // A file that is not taken here leaves a link to where it stays.
    let left = at("left", Kind::TestCase).await;
    let holder = format!("OS-{}", oddities::REFUSED_FILE);
    let stays = left.iter().find(|c| c.key == holder).and_then(|c| c.url.clone()).expect("it has an address");
    let leads_there = |c: &&Artefact| c.links.iter().any(|l| l.target == LinkEnd::Url(stays.clone()));
    let leading: Vec<_> = cases.iter().filter(leads_there).map(|c| c.origin.as_deref()).collect();
    assert_eq!(leading, [Some(format!("Oldstone:{holder}").as_str())]);

    // What was said names the items and people of here.
    let said: Vec<(&Artefact, String)> =
        cases.iter().flat_map(|c| c.comments.iter().map(move |m| (c, m.body.plain()))).collect();
    let same: Vec<_> = said.iter().filter_map(|(c, text)| Some((c, text.strip_prefix("Same as ")?))).collect();
    assert!(same.len() > 1, "some comments name other items");
    for (case, rest) in same {
        let key = rest.trim_end_matches(", only at night.");
        let named = cases.iter().find(|c| c.key == key).unwrap_or_else(|| panic!("{key} is nothing here"));
        let number = |a: &Artefact| a.origin.as_deref().and_then(|o| o.rsplit('-').next()?.parse::<u32>().ok());
        assert_eq!(number(named).map(|n| n + 1), number(case), "{key} is the one that was meant");
    }
    let asked: Vec<_> = said.iter().filter(|(_, text)| text.contains("the lamps differ")).collect();
    assert!(!asked.is_empty());
    for (_, text) in asked {
        assert!(text.contains("ask @lholm or @tormod."), "{text}");
    }

    // A call without arguments is kept, one with arguments stands expanded, a circle is text.
    let steps = |c: &Artefact| match c.fields.get("steps") {
        Some(Held::Steps(steps)) => steps.clone(),
        other => panic!("no steps: {other:?}"),
    };
    let expanded = steps(by_mark("Oldstone:OS-2002"));
    assert_eq!(expanded[1].action.plain(), "Run the line up to 5 m/s.");
    let kept: Vec<_> = cases.iter().flat_map(steps).filter_map(|s| s.call).collect();
    let shared = at("right", Kind::SharedSteps).await;
    assert!(!kept.is_empty() && kept.iter().all(|c| shared.iter().any(|s| s.id == c.target.id())));
    let circle = steps(by_mark(&format!("Oldstone:OS-{}", oddities::WHO_LEFT)));
    let named = shared.iter().find(|s| s.origin.as_deref() == Some("Oldstone:SS-4")).expect("they were carried");
    assert!(circle[0].call.is_none());
    assert_eq!(circle[0].action.plain(), format!("Speak to a cabin ({})", named.key), "by its key of here");
    // A table of values became data sets, and is the same table.
    let table = |list: &[Artefact], key: &str, field: &str| {
        list.iter()
            .find(|c| c.key == key || c.origin.as_deref() == Some(&format!("Oldstone:{key}")))
            .map(|c| c.fields.get(field).cloned())
    };
    let with_table = left.iter().find(|c| matches!(c.fields.get("parameters"), Some(Held::Table(_)))).expect("a table");
    assert_eq!(table(&cases, &with_table.key, "data_sets"), table(&left, &with_table.key, "parameters"));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn faults_and_kills_change_nothing_about_the_end_in_tallybench() {
    disturbed(&OLDSTONE, &TALLYBENCH, &[11, 12]).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn faults_and_kills_change_nothing_about_the_end_in_fernway() {
    disturbed(&OLDSTONE, &FERNWAY, &[13]).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn faults_and_kills_change_nothing_about_the_end_in_cairnbook() {
    disturbed(&OLDSTONE, &CAIRNBOOK, &[14]).await;
}

/// What was given up on at first left the lists of others without it; they are completed by the next transfer.
async fn complete(client: &Client, route: &str) {
    let rest = client.dry_run(route).await;
    if rest["included"] != 0 {
        let job = client.finish(&client.transfer(&rest).await).await;
        assert_eq!(job["result"]["refused"], 0, "{job}");
    }
}

/// A transfer to a system that misbehaves, killed ten times and once paused, ends as one that nobody
/// disturbs.
async fn disturbed(left: &Known, right: &Known, seeds: &[u64]) {
    let expected = undisturbed(left, right).await;
    for seed in seeds.iter().copied() {
        let (both, mut program) = (Systems::start(Size::SMALL).await, Program::start().await);
        let client = Client::sign_in(&program.address).await;
        let (route, _) = settled_route(&client, &both, left, right, &[]).await.expect("kinds in common");
        let plan = client.dry_run(&route).await;
        // Slow enough that the transfer is still in the middle at the last of the ten moments.
        both.misbehave(FaultPlan { delay: 1000, delay_ms: 300, ..FaultPlan::rough(seed) });
        let job = client.transfer(&plan).await;
        // Ten moments, spread by the seed over the time that the transfer takes.
        for n in 0..10u64 {
            tokio::time::sleep(Duration::from_millis(120 + (seed * 7919 + n * 104_729) % 380)).await;
            let now = client.get(&format!("/jobs/{}", job["id"].as_str().unwrap())).await;
            assert_eq!(now["state"], "running", "kill {n} comes in the middle: {now}");
            if n == 5 {
                client.want(&job, "pause", "paused").await;
            }
            program.kill_and_restart().await;
            if n == 5 {
                // A pause outlives the program.
                tokio::time::sleep(Duration::from_millis(800)).await;
                let path = format!("/jobs/{}", job["id"].as_str().unwrap());
                assert_eq!(client.get(&path).await["state"], "paused");
                client.want(&job, "run", "running").await;
            }
        }
        let mut job = client.finish(&job).await;
        // What a fault plan made Hovrel give up on is retried, as a person would.
        for _ in 0..5 {
            assert_eq!(job["state"], "done", "{job}");
            if job["result"]["refused"] == 0 {
                break;
            }
            let again = client.post(&format!("/jobs/{}/retry", job["id"].as_str().unwrap()), json!({})).await;
            job = client.finish(&again).await;
        }
        assert_eq!(job["result"]["refused"], 0, "{job}");
        let count = both.running(right).faults.count();
        assert!(count.cut_after > 0 && count.cut_before > 0 && count.errors > 0 && count.too_many > 0, "{count:?}");
        both.misbehave(FaultPlan::default());
        complete(&client, &route).await;
        let found = state(&both, right).await;
        let other: Vec<_> = expected
            .keys()
            .chain(found.keys())
            .filter(|name| expected.get(*name) != found.get(*name))
            .map(|name| (name, expected.get(name), found.get(name)))
            .collect();
        assert!(other.is_empty(), "seed {seed}: undisturbed and disturbed differ in {other:#?}");
        let next = client.dry_run(&route).await;
        assert_eq!(next["included"], 0, "what is left waits for a person: {next}");
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn bad_input_is_refused_with_every_field() {
    let program = Program::start().await;
    let client = Client::sign_in(&program.address).await;
    let body = json!({"name": 5, "profile": "oldstone", "address": "", "colour": "red"});
    let (status, problem) = client.call(Method::POST, "/systems", Some(body), None).await;
    assert_eq!(status, 422);
    let pointers = problem["fields"].to_string();
    assert!(pointers.contains("/name") && pointers.contains("/colour"), "{problem}");
    let body = json!({"name": "", "profile": "nothing", "address": ""});
    let (status, problem) = client.call(Method::POST, "/systems", Some(body), None).await;
    assert_eq!((status.as_u16(), problem["fields"].as_array().map(Vec::len)), (422, Some(4)), "{problem}");
    // RFC 9457 §3: the members of a problem.
    for member in ["type", "title", "status", "detail"] {
        assert!(!problem[member].is_null(), "{member} in {problem}");
    }
    assert!(client.get("/systems").await.as_array().is_some_and(Vec::is_empty), "nothing was saved");
    let (status, _) = client
        .call(
            Method::PUT,
            "/routes/00000000-0000-0000-0000-000000000000",
            Some(json!({"name": "x", "lanes": []})),
            None,
        )
        .await;
    assert_eq!(status, 428, "a change says which version it saw (RFC 6585 §3)");

    // Without a session, or with a session but without its token, nothing is done.
    let bare = reqwest::Client::new();
    let url = format!("{}/api/v1/systems", program.address);
    assert_eq!(bare.get(&url).send().await.unwrap().status(), 401);
    let refused = bare.post(&url).header("cookie", "hovrel_session=guess").json(&json!({})).send().await.unwrap();
    assert_eq!(refused.status(), 401);
    assert_eq!(refused.headers()["content-type"], "application/problem+json");
}
