//! Every kind between every pair of systems, by real runs: what is carried exactly, what with a loss, what
//! not at all. Law 2 holds for each pair: a second dry run is empty, with faults on, but for what waits for
//! a person.
//!
//! Writes nothing unless `HOVREL_WRITE_DOCS` is set; else `docs/pairs.md` must be what the runs found.

use std::collections::{BTreeMap, BTreeSet};

use hovrel_core::catalogue::KindSchema;
use hovrel_core::model::{Artefact, Kind};
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, KNOWN, Known, Systems, read_all, settled_route};
use serde_json::Value;

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

/// How a kind is carried, and what of it stays behind.
type Row = (String, String);

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
            out.insert(kind, (format!("refused: {} has no {}", right.name, plural(kind)), "everything".into()));
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
    for (kind, f) in found {
        let behind = f.behind.iter().cloned().collect::<Vec<_>>().join(", ");
        out.insert(kind, (f.words(), behind));
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
         is not carried. *Stays behind*: what items hold and no rule takes, since the right has no place for it; the \
         Rules stop lists it too.\n",
    );
    for ((l, r), kinds) in table {
        out += &format!(
            "\n## {} → {}\n\n| kind | carried | stays behind |\n|---|---|---|\n",
            KNOWN[*l].name, KNOWN[*r].name
        );
        for (kind, (words, behind)) in kinds {
            out += &format!("| {kind} | {words} | {behind} |\n");
        }
    }
    out
}
