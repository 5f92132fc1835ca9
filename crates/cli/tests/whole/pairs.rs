//! Every kind between every pair of systems, by real runs: what is carried exactly, what with a loss, what
//! not at all, and which fields have a way back. Law 2 holds for each pair: a second dry run is empty, with faults on, but
//! for what waits for a person; also when every rule that can carries both ways from then on, and what only the right had is
//! at the left.
//!
//! Writes nothing unless `HOVREL_WRITE_DOCS` is set; else `docs/pairs.md` must be what the runs found.

use std::collections::{BTreeMap, BTreeSet};

use hovrel_core::catalogue::{Catalogue, KindSchema};
use hovrel_core::model::{ATTACHMENTS, Artefact, COMMENTS, Kind, LINKS, PARENT};
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, KNOWN, Known, Systems, read_all, settled_route};
use reqwest::Method;
use serde_json::{Value, json};

use crate::program::Program;

/// What a run between two systems found of one kind.
#[derive(Default)]
struct Found {
    items: usize,
    blocked: BTreeMap<String, usize>,
    losses: BTreeSet<String>,
    /// What items hold at the left and no rule takes.
    behind: BTreeSet<String>,
}

/// How a kind is carried, which of its fields come back, and what of it stays behind.
type Row = [String; 3];

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn every_kind_between_every_pair() {
    let mut table: BTreeMap<(usize, usize), BTreeMap<Kind, Row>> = BTreeMap::new();
    for (l, left) in KNOWN.into_iter().enumerate() {
        for (r, right) in KNOWN.into_iter().enumerate().filter(|(r, _)| *r != l) {
            let seed = (10 * l + r) as u64;
            table.insert((l, r), between(left, right, seed).await);
        }
    }
    let written = page(&table);
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/pairs.md");
    if std::env::var_os("HOVREL_WRITE_DOCS").is_some() {
        std::fs::write(path, &written).expect("the page can be written");
    }
    let kept = std::fs::read_to_string(path).expect("docs/pairs.md is there");
    assert_eq!(kept, written, "run it again with HOVREL_WRITE_DOCS=1 and read what changed");
}

async fn between(left: &Known, right: &Known, seed: u64) -> BTreeMap<Kind, Row> {
    let name = format!("{} → {}", left.name, right.name);
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let (from, to) = (systems.connect(left), systems.connect(right));
    let there = to.catalogue(right.container).await.expect("a catalogue");
    let mut out: BTreeMap<Kind, Row> = BTreeMap::new();
    let mut items: BTreeMap<Kind, Vec<Artefact>> = BTreeMap::new();
    let here = from.catalogue(left.container).await.expect("a catalogue");
    for kind in from.describe().kinds {
        items.insert(kind, read_all(&*from, left.container, kind).await);
        if there.kind(kind).is_none() {
            let refused = format!("refused: {} has no {}", right.name, plural(kind));
            out.insert(kind, [refused, String::new(), "everything".into()]);
        }
    }
    let Some((route, lanes)) = settled_route(&client, &systems, left, right, &[]).await else { return out };

    let plan = client.dry_run(&route).await;
    let mut found: BTreeMap<Kind, Found> = BTreeMap::new();
    for (kind, held) in items.iter().filter(|(k, _)| !out.contains_key(*k)) {
        let lane = lanes.iter().find(|l| l["left_kind"] == kind.id()).expect("a lane");
        let behind = left_behind(held, here.kind(*kind).expect("the kind"), lane);
        found.insert(*kind, Found { items: held.len(), behind, ..Found::default() });
    }
    for change in client.all_changes(&plan).await {
        let kind = Kind::from_id(change["kind"].as_str().expect("a kind")).expect("a known one");
        let at = found.entry(kind).or_default();
        for fault in change["faults"].as_array().into_iter().flatten() {
            *at.blocked.entry(fault.as_str().unwrap_or_default().to_owned()).or_default() += 1;
        }
        if change["losses"].as_u64() > Some(0) {
            let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), change["seq"]);
            for loss in client.get(&path).await["losses"].as_array().expect("losses") {
                at.losses.insert(loss["why"].as_str().unwrap_or_default().to_owned());
            }
        }
    }
    client.decide_all(&plan).await;
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{name}: {job}");

    // With faults on: a system that stumbles must not be taken for one that holds less.
    systems.misbehave(FaultPlan::rough(seed));
    let second = client.dry_run(&route).await;
    let met = [left, right].map(|known| systems.running(known).faults.count());
    assert!(met.iter().any(|count| count.sorts() > 0), "{name}: no faults were met: {met:?}");
    systems.misbehave(FaultPlan::default());
    for change in client.all_changes(&second).await {
        let waits = change["outcome"] == "blocked";
        let path = format!("/plans/{}/changes/{}", second["id"].as_str().expect("an id"), change["seq"]);
        assert!(waits, "{name}: not settled: {}", client.get(&path).await);
    }
    let proof = client.prove(&route).await;
    assert_eq!(proof["losses_unforeseen"], 0, "{name}: {proof}");
    let back = and_back(&client, &route, lanes, &there, &name).await;
    for (kind, f) in found {
        let behind = f.behind.iter().cloned().collect::<Vec<_>>().join(", ");
        out.insert(kind, [f.words(), back.get(&kind).cloned().unwrap_or_default(), behind]);
    }
    out
}

/// Lets every rule that can carry both ways, and carries everything over: what only the right has is made at the left, nobody
/// is asked about what nobody edited, and the next dry run is empty. The fields that come back, by kind.
async fn and_back(
    client: &Client,
    route: &str,
    mut lanes: Vec<Value>,
    there: &Catalogue,
    name: &str,
) -> BTreeMap<Kind, String> {
    let one_way = |lane: &mut Value, fields: &[&str]| {
        for rule in lane["rules"].as_array_mut().expect("rules") {
            if fields.iter().any(|field| rule["into"]["right"]["target"] == *field) {
                rule["back"] = json!(false);
            }
        }
    };
    for lane in &mut lanes {
        lane["direction"] = json!("both");
        lane["rules"].as_array_mut().expect("rules").iter_mut().for_each(|rule| rule["back"] = json!(true));
    }
    let faults = client.post(&format!("/routes/{route}/checks"), json!({"lanes": lanes})).await;
    let blocking: Vec<Value> =
        faults.as_array().expect("faults").iter().filter(|f| f["blocks"] == true).cloned().collect();
    for fault in &blocking {
        let lane = lanes.iter_mut().find(|l| l["id"] == fault["lane"]).expect("the lane");
        one_way(lane, &[fault["field"].as_str().expect("a field")]);
    }
    let faults = client.post(&format!("/routes/{route}/checks"), json!({"lanes": lanes})).await;
    let left: Vec<&Value> = faults.as_array().expect("faults").iter().filter(|f| f["blocks"] == true).collect();
    assert!(left.is_empty(), "{name}: {left:?}");
    client.save_lanes(route, &lanes).await;

    // What stands in a folder that only the right had comes when that is at the left, folder by folder.
    for round in 1.. {
        let plan = client.dry_run(route).await;
        let mut waits = true;
        for change in client.all_changes(&plan).await {
            let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), change["seq"]);
            let as_expected = match change["outcome"].as_str() {
                Some("blocked" | "new_left") => true,
                // What was said at the right alone, and the files and links that it alone had, come too.
                Some("update_left") => {
                    let fields = client.get(&path).await["fields"].as_array().cloned().unwrap_or_default();
                    fields.iter().all(|f| [COMMENTS, ATTACHMENTS, LINKS].iter().any(|set| f["field"] == *set))
                }
                _ => false,
            };
            assert!(as_expected && round < 9, "{name}: nobody edited anything: {}", client.get(&path).await);
            // What the left would not take is told before, and left out here.
            let is_refused = change["refusals"].as_array().is_some_and(|r| !r.is_empty());
            if is_refused {
                let left_out = Some(json!({"included": false}));
                assert!(client.call(Method::PATCH, &path, left_out, None).await.0.is_success(), "{name}");
            }
            waits &= change["outcome"] == "blocked" || is_refused;
        }
        let job = client.finish(&client.transfer(&plan).await).await;
        let refused = client.get(&format!("/jobs/{}/refused", job["id"].as_str().expect("an id"))).await;
        assert_eq!((job["state"].as_str(), &refused), (Some("done"), &json!([])), "{name}");
        if waits {
            break;
        }
    }
    let mut out = BTreeMap::new();
    for lane in &lanes {
        let kind = Kind::from_id(lane["left_kind"].as_str().expect("a kind")).expect("a known one");
        let schema = Kind::from_id(lane["right_kind"].as_str().expect("a kind")).and_then(|kind| there.kind(kind));
        let field_name = |target: &str| match (target, schema.and_then(|s| s.field(target))) {
            (PARENT, _) => "the folder".to_owned(),
            (_, Some(field)) => field.name.clone(),
            (other, None) => other.to_owned(),
        };
        let rules = lane["rules"].as_array().expect("rules").iter().filter(|rule| rule["back"] == true);
        let names: BTreeSet<String> =
            rules.filter_map(|rule| rule["into"]["right"]["target"].as_str()).map(field_name).collect();
        out.insert(kind, names.into_iter().collect::<Vec<_>>().join(", "));
    }
    out
}

impl Found {
    fn words(&self) -> String {
        if self.items == 0 {
            return "none there to carry".into();
        }
        let blocked: usize = self.blocked.values().sum();
        let reasons = || self.blocked.keys().cloned().collect::<Vec<_>>().join("; ");
        let mut out = match self.losses.is_empty() {
            _ if blocked >= self.items => return format!("refused: {}", reasons()),
            true => "exactly".to_owned(),
            false => format!("with loss: {}", self.losses.iter().cloned().collect::<Vec<_>>().join("; ")),
        };
        if blocked > 0 {
            out += &format!(" ({blocked} of {} wait: {})", self.items, reasons());
        }
        out
    }
}

/// Names of what at least one item holds and no rule of the lane takes.
fn left_behind(items: &[Artefact], schema: &KindSchema, lane: &Value) -> BTreeSet<String> {
    let rules = lane["rules"].as_array().expect("rules");
    let fed = |source: &str| rules.iter().any(|r| r["into"]["right"]["source"] == source);
    let takes = |field: &str| rules.iter().any(|r| r["into"]["right"]["source"]["field"] == field);
    let any = |held: &dyn Fn(&Artefact) -> bool| items.iter().any(held);
    let mut out: BTreeSet<String> = schema
        .fields
        .iter()
        // The key and the time are said by the origin mark and by the record itself.
        .filter(|f| !f.origin_mark && !f.id.starts_with('@') && !f.read_only && !takes(&f.id))
        .filter(|f| any(&|a| a.fields.get(&f.id).is_some_and(|v| !v.is_blank())))
        .map(|f| f.name.clone())
        .collect();
    let hanging: [(&str, bool); 5] = [
        ("files", !fed("attachments") && any(&|a| !a.attachments.is_empty())),
        ("links", !fed("links") && any(&|a| !a.links.is_empty())),
        ("comments", !fed("comments") && any(&|a| !a.comments.is_empty())),
        (
            "history (Hovrel keeps it)",
            !fed("history") && !fed("comments_and_history") && any(&|a| !a.history.is_empty()),
        ),
        (
            "the folder",
            !rules.iter().any(|r| r["into"]["right"]["target"] == "@parent") && any(&|a| a.parent.is_some()),
        ),
    ];
    out.extend(hanging.iter().filter(|(_, left)| *left).map(|(name, _)| (*name).to_owned()));
    out
}

fn plural(kind: Kind) -> String {
    let word = kind.word();
    if word.ends_with('s') { word.to_owned() } else { format!("{word}s") }
}

fn page(table: &BTreeMap<(usize, usize), BTreeMap<Kind, Row>>) -> String {
    let mut out = String::from(
        "# Every kind between every pair of systems\n\n\
         Written by `crates/cli/tests/whole/pairs.rs` from real runs over the small demo world, with the rules \
         that Hovrel proposes, settled where a person must. *Exactly*: what the rules carry arrives as it is. \
         *With loss*: at least one item loses something, and each loss was in the plan before. *Refused*: why it \
         is not carried. *Comes back*: the fields that go both ways if the lane does; an edit at the right of any of them \
         arrives at the left. *Stays behind*: what items hold and no rule takes, since the right has no place for it; the \
         Rules stop lists it too.\n",
    );
    for ((l, r), kinds) in table {
        out += &format!(
            "\n## {} → {}\n\n| kind | carried | comes back | stays behind |\n|---|---|---|---|\n",
            KNOWN[*l].name, KNOWN[*r].name
        );
        for (kind, [words, back, behind]) in kinds {
            out += &format!("| {kind} | {words} | {back} | {behind} |\n");
        }
    }
    out
}
