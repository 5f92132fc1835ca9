//! A lane that carries both ways, between a system with versions and one whose last write wins: an edit at either end
//! arrives at the other, edits of one slot at both ends are merged where they are in different parts and else wait for a
//! person, and nothing is lost wherever it is cut off.

use std::collections::BTreeMap;

use hovrel_connect::Write;
use hovrel_core::model::{Artefact, Fields, Kind, Value as Held};
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, FERNWAY, Known, OLDSTONE, Systems, read_all, settled_route};
use serde_json::{Value, json};

use crate::browser::walked;
use crate::program::Program;

/// What each end calls the title and the choice.
pub const TITLE: (&str, &str) = ("name", "title");
const CHOICE: (&str, &str) = ("importance", "importance");

/// Items of Oldstone, each with the one of another system that was made of it.
pub async fn paired(systems: &Systems, other: &Known, kind: Kind) -> Vec<(Artefact, Artefact)> {
    let read = async |known: &Known| read_all(&*systems.connect(known), known.container, kind).await;
    let (old, there) = (read(&OLDSTONE).await, read(other).await);
    let pair = |left: Artefact| {
        let mark = format!("Oldstone:{}", left.key);
        let right = there.iter().find(|a| a.origin.as_deref() == Some(&mark))?;
        Some((left, right.clone()))
    };
    old.into_iter().filter_map(pair).collect()
}

/// Somebody edits an item in its own system, as it is there now.
pub async fn edited(
    (systems, known): (&Systems, &Known),
    item: &Artefact,
    in_source: bool,
    edit: impl FnOnce(&Artefact) -> Fields,
) {
    let c = systems.connect(known);
    let now = c.one(known.container, item.kind, &item.id).await.expect("it is there");
    let fields = edit(&now);
    let write = Write { kind: item.kind, id: Some(now.id), version: now.version, fields, parent: None, in_source };
    c.write(known.container, &write).await.expect("it is written");
}

pub struct Ground {
    pub systems: Systems,
    pub program: Program,
    pub client: Client,
    pub route: String,
}

/// Both of an item, by the id at the left.
pub type Both = BTreeMap<String, (Artefact, Artefact)>;

impl Ground {
    /// Test cases carried once, by a lane that carries both ways from then on.
    pub async fn begin() -> Ground {
        let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
        let client = Client::sign_in(&program.address).await;
        let (route, mut lanes) =
            settled_route(&client, &systems, &OLDSTONE, &FERNWAY, &[Kind::TestCase]).await.expect("kinds in common");
        let rules = |lanes: &mut [Value], mend: &dyn Fn(&mut Value, &str)| {
            for rule in lanes[0]["rules"].as_array_mut().expect("rules") {
                let target = rule["into"]["right"]["target"].as_str().unwrap_or_default().to_owned();
                mend(rule, &target);
            }
        };
        let row = |left: &str, right: &str| json!({"left": left, "right": right});
        rules(&mut lanes, &|rule, target| {
            if target == CHOICE.1 {
                let rows = [
                    row("Stops the line", "Vital"),
                    row("Grave", "Vital"),
                    row("Middling", "Useful"),
                    row("Slight", "Small"),
                    row("Trifling", "Small"),
                ];
                let map = json!({"value_map": {"rows": rows, "otherwise": {"use": "Useful"}}});
                rule["into"]["right"]["conversions"] = json!([map]);
            }
        });
        client.save_lanes(&route, &lanes).await;
        let plan = client.dry_run(&route).await;
        client.decide_all(&plan).await;
        client.finish(&client.transfer(&plan).await).await;
        // The title could go back as it is; the map does not yet, since two of its rows lead to one value.
        let turned = json!({"lane": lanes[0], "direction": "both"});
        let turned = client.post(&format!("/routes/{route}/turned"), turned).await;
        let back = |rule: &&Value| rule["back"] == true;
        let could: Vec<&str> = turned["lane"]["rules"]
            .as_array()
            .expect("rules")
            .iter()
            .filter(back)
            .filter_map(|rule| rule["id"].as_str())
            .collect();
        assert!(could.contains(&TITLE.1) && !could.contains(&CHOICE.1), "{could:?}");
        assert_eq!((turned["both_ways"].as_u64(), &turned["lost"]), (Some(could.len() as u64), &json!([])));
        // Both ways from now on; of two rows that lead to one value, one is marked for the way back.
        lanes[0]["direction"] = json!("both");
        rules(&mut lanes, &|rule, target| {
            rule["back"] = json!(target == TITLE.1 || target == CHOICE.1);
            if target == CHOICE.1 {
                let rows = &mut rule["into"]["right"]["conversions"][0]["value_map"]["rows"];
                [0, 3].into_iter().for_each(|n| rows[n]["returns"] = json!(true));
            }
        });
        client.save_lanes(&route, &lanes).await;
        Ground { systems, program, client, route }
    }

    pub async fn items(&self) -> Both {
        paired(&self.systems, &FERNWAY, Kind::TestCase)
            .await
            .into_iter()
            .map(|both| (both.0.id.clone(), both))
            .collect()
    }

    pub async fn edit(&self, known: &Known, item: &Artefact, field: &str, value: Held) {
        edited((&self.systems, known), item, false, |_| [(field, value)].into_iter().collect()).await;
    }

    pub async fn plan(&self) -> (Value, BTreeMap<String, String>) {
        let plan = self.client.dry_run(&self.route).await;
        let found = self.client.all_changes(&plan).await.into_iter().map(|c| {
            let text = |of: &Value| of.as_str().unwrap_or_default().to_owned();
            (text(&c["left"]["id"]), text(&c["outcome"]))
        });
        (plan, found.collect())
    }

    /// Decides fields of a change, by the id of its left item; the change as it is decided then.
    async fn decide(&self, plan: &Value, left: &str, fields: Value) -> Value {
        let all = self.client.all_changes(plan).await;
        let change = all.iter().find(|c| c["left"]["id"] == left).expect("it is in the plan");
        let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), change["seq"]);
        let body = json!({"fields": fields});
        let (status, said) = self.client.call(reqwest::Method::PATCH, &path, Some(body), None).await;
        assert!(status.is_success(), "{said}");
        said
    }

    pub async fn transfer(&self, plan: &Value) {
        self.carried(&self.client.transfer(plan).await, "undisturbed").await;
    }

    /// A transfer that is killed at a place, and goes on when the program is there again.
    pub async fn transfer_cut_at(&mut self, plan: &Value, cut: &str) {
        let job = self.program.transfer_cut_at(&self.client, plan, cut).await;
        self.carried(&job, cut).await;
    }

    /// Waits until everything of a transfer is done, with nothing refused.
    async fn carried(&self, job: &Value, cut: &str) {
        let job = self.client.finish(job).await;
        assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{cut}: {job}");
    }
}

/// A title with another word in the place of the first, of the last, or of both.
fn reworded(title: &str, first: Option<&str>, last: Option<&str>) -> String {
    let mut words: Vec<&str> = title.split(' ').collect();
    let end = words.len() - 1;
    first.into_iter().for_each(|word| words[0] = word);
    last.into_iter().for_each(|word| words[end] = word);
    words.join(" ")
}

pub fn text(item: &Artefact, field: &str) -> String {
    item.fields.get(field).map(Held::display).unwrap_or_default()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_edit_at_either_end_arrives_at_the_other_and_both_at_once_wait() {
    let ground = Ground::begin().await;
    // What one way left behind is taken over: nobody edited anything, and nobody is asked.
    let (plan, found) = ground.plan().await;
    assert!(!found.values().any(|outcome| outcome == "conflict"), "{found:?}");
    let before = ground.items().await;
    ground.transfer(&plan).await;
    assert_eq!(ground.items().await, before, "only what is remembered has moved");
    let (_, found) = ground.plan().await;
    let open: Vec<&String> = found.values().filter(|outcome| *outcome != "blocked").collect();
    assert!(open.is_empty(), "{found:?}");

    // Short titles of items that are not odd, whose choices a row of the map leads back from.
    let fit = |item: &&(Artefact, Artefact)| {
        item.0.key.starts_with("OS-2")
            && text(&item.0, TITLE.0).len() < 100
            && text(&item.0, TITLE.0) == text(&item.1, TITLE.1)
            && text(&item.0, TITLE.0).split(' ').count() > 3
    };
    let items: Vec<(Artefact, Artefact)> = before.values().filter(fit).cloned().collect();
    assert!(items.len() >= 7, "{}", items.len());
    let [left_edited, right_edited, choice, clash, same, both, merged] = &items[..7] else { unreachable!() };
    let title = |words: &str| Held::text(words);
    ground.edit(&OLDSTONE, &left_edited.0, TITLE.0, title("Edited at the left")).await;
    ground.edit(&FERNWAY, &right_edited.1, TITLE.1, title("Edited at the right")).await;
    let other = |item: &Artefact| if text(item, CHOICE.1) == "Vital" { "Small" } else { "Vital" };
    ground.edit(&FERNWAY, &choice.1, CHOICE.1, Held::choice(other(&choice.1))).await;
    ground.edit(&OLDSTONE, &clash.0, TITLE.0, title("What the left says")).await;
    ground.edit(&FERNWAY, &clash.1, TITLE.1, title("What the right says")).await;
    ground.edit(&OLDSTONE, &same.0, TITLE.0, title("Both say it")).await;
    ground.edit(&FERNWAY, &same.1, TITLE.1, title("Both say it")).await;
    // Another slot at each end: the title goes right, the choice comes left.
    ground.edit(&OLDSTONE, &both.0, TITLE.0, title("Title from the left")).await;
    ground.edit(&FERNWAY, &both.1, CHOICE.1, Held::choice(other(&both.1))).await;

    // Other words of one title at each end.
    let was = text(&merged.0, TITLE.0);
    ground.edit(&OLDSTONE, &merged.0, TITLE.0, title(&reworded(&was, Some("Leftmost"), None))).await;
    ground.edit(&FERNWAY, &merged.1, TITLE.1, title(&reworded(&was, None, Some("rightmost")))).await;

    let (plan, found) = ground.plan().await;
    let outcome = |item: &(Artefact, Artefact)| found.get(&item.0.id).map(String::as_str);
    assert_eq!(outcome(left_edited), Some("update_right"), "{found:?}");
    assert_eq!(outcome(right_edited), Some("update_left"));
    assert_eq!(outcome(choice), Some("update_left"));
    assert_eq!(outcome(clash), Some("conflict"));
    assert_eq!(outcome(both), Some("update_right"));
    assert_eq!(outcome(merged), Some("update_right"));
    // Both edits are used unless a person says otherwise, and again when they take that back.
    let mut calls = BTreeMap::new();
    for said in ["write_left", "leave", "merge"] {
        let detail = ground.decide(&plan, &merged.0.id, json!({(TITLE.1): said})).await;
        let title = detail["fields"].as_array().and_then(|all| all.iter().find(|f| f["field"] == TITLE.1));
        let title = title.expect("it is told");
        assert_eq!((title["decision"].as_str(), title["merge"].is_object()), (Some(said), true), "{title}");
        let plan = ground.client.get(&format!("/plans/{}", plan["id"].as_str().expect("an id"))).await;
        let told = |end: &str| plan["estimate"]["calls"][end].as_i64().expect("an estimate");
        calls.insert(said, (told("left"), told("right")));
    }
    let (none, left, both_ends) = (calls["leave"], calls["write_left"], calls["merge"]);
    assert!(left.0 > none.0 && left.1 == none.1, "{calls:?}");
    assert!(both_ends.0 == left.0 && both_ends.1 > none.1, "{calls:?}");
    ground.transfer(&plan).await;

    let now = ground.items().await;
    let titles = |item: &(Artefact, Artefact)| {
        let (left, right) = &now[&item.0.id];
        (text(left, TITLE.0), text(right, TITLE.1))
    };
    let twice = |words: &str| (words.to_owned(), words.to_owned());
    assert_eq!(titles(left_edited), twice("Edited at the left"));
    assert_eq!(titles(right_edited), twice("Edited at the right"));
    assert_eq!(titles(both), twice("Title from the left"));
    assert_eq!(titles(merged), twice(&reworded(&was, Some("Leftmost"), Some("rightmost"))));
    assert_eq!(titles(clash), ("What the left says".into(), "What the right says".into()), "nothing is overwritten");
    for item in [choice, both] {
        let (left, right) = &now[&item.0.id];
        assert_eq!(text(right, CHOICE.1), other(&item.1), "the edit stays");
        assert_ne!(text(left, CHOICE.0), text(&item.0, CHOICE.0), "and arrived at the left");
    }
    for (id, (left, right)) in &before {
        if !items[..7].iter().any(|item| item.0.id == *id) {
            assert_eq!(&now[id], &(left.clone(), right.clone()), "nothing else is touched");
        }
    }

    // Only what a person decides is left, and it is not told twice.
    let (plan, found) = ground.plan().await;
    let open: BTreeMap<&String, &String> = found.iter().filter(|(_, outcome)| *outcome != "blocked").collect();
    assert_eq!(open.len(), 1, "{found:?}");
    ground.decide(&plan, &clash.0.id, json!({(TITLE.1): "write_left"})).await;
    ground.transfer(&plan).await;
    let (left, right) = ground.items().await.remove(&clash.0.id).expect("it is there");
    assert_eq!((text(&left, TITLE.0), text(&right, TITLE.1)), twice("What the right says"));
    let (_, found) = ground.plan().await;
    assert!(found.values().all(|outcome| outcome == "blocked"), "{found:?}");
    assert_eq!(ground.client.prove(&ground.route).await["headline"]["unexplained_items"], 0);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_somebody_does_meanwhile_is_not_overwritten_and_the_rest_goes_on() {
    let ground = Ground::begin().await;
    let (plan, _) = ground.plan().await;
    ground.transfer(&plan).await;
    let items: Vec<(Artefact, Artefact)> = ground.items().await.into_values().collect();
    let fit = |item: &&(Artefact, Artefact)| item.0.key.starts_with("OS-2") && text(&item.1, CHOICE.1) == "Useful";
    let items: Vec<&(Artefact, Artefact)> = items.iter().filter(fit).take(2).collect();
    let [same_slot, other_slot] = items[..] else { panic!("two of one importance") };
    ground.edit(&OLDSTONE, &same_slot.0, TITLE.0, Held::text("From the left")).await;
    ground.edit(&FERNWAY, &same_slot.1, CHOICE.1, Held::choice("Vital")).await;
    ground.edit(&FERNWAY, &other_slot.1, TITLE.1, Held::text("From the right")).await;
    let (plan, _) = ground.plan().await;
    // Before it is carried out: the slot that is to be written at the left, and another slot of another item.
    for item in items {
        ground.edit(&OLDSTONE, &item.0, CHOICE.0, Held::choice("Trifling")).await;
    }
    let job = ground.client.finish(&ground.client.transfer(&plan).await).await;
    assert_eq!(job["result"]["refused"], 1, "{job}");
    let refused = ground.client.get(&format!("/jobs/{}/refused", job["id"].as_str().expect("an id"))).await;
    assert_eq!(refused[0]["key"], same_slot.0.key, "{refused}");
    let now = ground.items().await;
    let (left, right) = &now[&same_slot.0.id];
    assert_eq!((text(left, CHOICE.0), text(right, CHOICE.1)), ("Trifling".into(), "Vital".into()), "both edits stay");
    assert_eq!(text(right, TITLE.1), "From the left", "the other end got what is its own");
    let (left, _) = &now[&other_slot.0.id];
    assert_eq!((text(left, TITLE.0), text(left, CHOICE.0)), ("From the right".into(), "Trifling".into()));
    let (_, found) = ground.plan().await;
    assert_eq!(found.get(&same_slot.0.id).map(String::as_str), Some("conflict"), "{found:?}");
    assert_eq!(found.get(&other_slot.0.id).map(String::as_str), Some("update_right"), "{found:?}");
}

/// Where a transfer is cut off that writes both ends of one item; nowhere in a build without such places.
pub const CUTS: &[&str] = match cfg!(feature = "failpoints") {
    true => &["intended", "update intended", "update called", "before made", "made", "before done", "done"],
    false => &[],
};

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn cut_off_at_every_place_both_ends_get_what_is_theirs_once() {
    if !cfg!(feature = "failpoints") {
        return;
    }
    let mut ground = Ground::begin().await;
    let (plan, _) = ground.plan().await;
    ground.transfer(&plan).await;
    let items: Vec<(Artefact, Artefact)> = ground.items().await.into_values().collect();
    let fit = |item: &&(Artefact, Artefact)| {
        let title = text(&item.0, TITLE.0);
        item.0.key.starts_with("OS-2") && title.len() < 100 && title.split(' ').count() > 3
    };
    let items: Vec<&(Artefact, Artefact)> = items.iter().filter(fit).take(3).collect();
    for (round, cut) in CUTS.iter().enumerate() {
        let now = ground.items().await;
        let (wanted, choice) =
            (format!("Round {round}, from the left"), if round % 2 == 0 { "Vital" } else { "Small" });
        let second = format!("Round {round}, from the right");
        let (first_word, last_word) = (format!("Left{round}"), format!("right{round}"));
        let was = text(&now[&items[2].0.id].0, TITLE.0);
        for (n, item) in items.iter().enumerate() {
            let (left, right) = &now[&item.0.id];
            match n {
                // One item is written at both ends, another at the left alone, and the title of the third is merged.
                0 => {
                    ground.edit(&OLDSTONE, left, TITLE.0, Held::text(&wanted)).await;
                    ground.edit(&FERNWAY, right, CHOICE.1, Held::choice(choice)).await;
                }
                1 => ground.edit(&FERNWAY, right, TITLE.1, Held::text(&second)).await,
                _ => {
                    let (at_left, at_right) =
                        (reworded(&was, Some(&first_word), None), reworded(&was, None, Some(&last_word)));
                    ground.edit(&OLDSTONE, left, TITLE.0, Held::text(at_left)).await;
                    ground.edit(&FERNWAY, right, TITLE.1, Held::text(at_right)).await;
                }
            }
        }
        let (plan, found) = ground.plan().await;
        assert!(items.iter().all(|item| found[&item.0.id].starts_with("update")), "{cut}: {found:?}");
        ground.transfer_cut_at(&plan, cut).await;
        let now = ground.items().await;
        let (left, right) = &now[&items[0].0.id];
        assert_eq!((text(left, TITLE.0), text(right, TITLE.1)), (wanted.clone(), wanted), "{cut}");
        assert_eq!(text(right, CHOICE.1), choice, "{cut}");
        let (left, right) = &now[&items[1].0.id];
        assert_eq!((text(left, TITLE.0), text(right, TITLE.1)), (second.clone(), second), "{cut}");
        let (left, right) = &now[&items[2].0.id];
        let merged = reworded(&was, Some(&first_word), Some(&last_word));
        assert_eq!((text(left, TITLE.0), text(right, TITLE.1)), (merged.clone(), merged), "{cut}");
        let (_, found) = ground.plan().await;
        assert!(found.values().all(|outcome| outcome == "blocked"), "after {cut}: {found:?}");
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_item_that_is_new_at_the_right_is_made_at_the_left_once() {
    let mut ground = Ground::begin().await;
    let (plan, _) = ground.plan().await;
    ground.transfer(&plan).await;
    let there = ground.systems.connect(&FERNWAY);
    let old = ground.systems.connect(&OLDSTONE);
    let before = read_all(&*old, OLDSTONE.container, Kind::TestCase).await.len();
    let cuts: &[Option<&str>] = match cfg!(feature = "failpoints") {
        true => &[None, Some("create intended"), Some("create called"), Some("done")],
        false => &[None],
    };
    for (n, cut) in cuts.iter().enumerate() {
        let title = format!("Found at the gate, number {n}");
        let fields: Fields = [(TITLE.1, Held::text(&title)), (CHOICE.1, Held::choice("Vital"))].into_iter().collect();
        let write = Write { kind: Kind::TestCase, id: None, version: None, fields, parent: None, in_source: false };
        let made = there.write(FERNWAY.container, &write).await.expect("it is made").artefact;
        let plan = ground.client.dry_run(&ground.route).await;
        let new: Vec<Value> = ground.client.all_changes(&plan).await;
        let new: Vec<&Value> = new.iter().filter(|c| c["outcome"] != "blocked").collect();
        assert_eq!(new.len(), 1, "{new:?}");
        let told = (new[0]["outcome"].as_str(), new[0]["right"]["key"].as_str(), new[0]["included"].as_bool());
        assert_eq!(told, (Some("new_left"), Some(made.key.as_str()), Some(true)), "{}", new[0]);
        assert_eq!(new[0]["refusals"], json!([]), "{}", new[0]);
        let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), new[0]["seq"]);
        let detail = ground.client.get(&path).await;
        let field = detail["fields"].as_array().expect("fields").iter().find(|f| f["field"] == CHOICE.0);
        let field = field.expect("the choice is written");
        assert_eq!(
            (field["decision"].as_str(), field["field_name"].as_str()),
            (Some("write_left"), Some("Importance"))
        );
        match cut {
            None => ground.transfer(&plan).await,
            Some(cut) => ground.transfer_cut_at(&plan, cut).await,
        }
        let at_left = read_all(&*old, OLDSTONE.container, Kind::TestCase).await;
        assert_eq!(at_left.len(), before + n + 1, "once, after {cut:?}");
        let here: Vec<&Artefact> = at_left.iter().filter(|a| a.title == title).collect();
        assert_eq!((here.len(), text(here[0], CHOICE.0)), (1, "Stops the line".to_owned()));
        // It is a pair like any other from now on.
        ground.edit(&OLDSTONE, here[0], TITLE.0, Held::text(format!("{title}, seen again"))).await;
        let (plan, found) = ground.plan().await;
        let fields = ground.client.all_changes(&plan).await;
        assert_eq!(found.get(&here[0].id).map(String::as_str), Some("update_right"), "after {cut:?}: {fields:?}");
        ground.transfer(&plan).await;
        let (_, found) = ground.plan().await;
        assert!(found.values().all(|outcome| outcome == "blocked"), "after {cut:?}: {found:?}");
        let now = there.one(FERNWAY.container, Kind::TestCase, &made.id).await.expect("it is there");
        assert_eq!(now.title, format!("{title}, seen again"));
    }
    assert_eq!(ground.client.prove(&ground.route).await["headline"]["unexplained_items"], 0);
}

/// In the browser: what comes back is tried before it is saved, and then comes back like that.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_way_back_is_tried_entered_and_carried() {
    let ground = Ground::begin().await;
    let (plan, _) = ground.plan().await;
    ground.transfer(&plan).await;
    let walk = vec![("ROUTE", ground.route.clone()), ("LEFT", "Oldstone".into()), ("RIGHT", "Fernway".into())];
    walked(&ground.program, &["way-back"], walk).await;
    let (plan, found) = ground.plan().await;
    assert!(found.values().all(|outcome| outcome == "blocked"), "the other way back makes no question: {found:?}");
    ground.transfer(&plan).await;

    let items = ground.items().await;
    let fit = |item: &&(Artefact, Artefact)| {
        item.0.key.starts_with("OS-2") && text(&item.0, TITLE.0) == text(&item.1, TITLE.1)
    };
    let fit: Vec<&(Artefact, Artefact)> = items.values().filter(fit).take(2).collect();
    let [computed, both] = fit[..] else { panic!("{} items", items.len()) };
    ground.edit(&FERNWAY, &computed.1, TITLE.1, Held::text("N: The gate stays open")).await;
    ground.edit(&OLDSTONE, &both.0, TITLE.0, Held::text("What the left says")).await;
    ground.edit(&FERNWAY, &both.1, TITLE.1, Held::text("N: What the right says")).await;
    let (plan, _) = ground.plan().await;
    ground.transfer(&plan).await;
    let now = ground.items().await;
    let titles = |of: &Artefact| (text(&now[&of.id].0, TITLE.0), text(&now[&of.id].1, TITLE.1));
    assert_eq!(titles(&computed.0), ("The gate stays open".into(), "N: The gate stays open".into()));
    // By the policy that was chosen in the same walk.
    assert_eq!(titles(&both.0), ("What the left says".into(), "What the left says".into()));
    let (_, found) = ground.plan().await;
    assert!(found.values().all(|outcome| outcome == "blocked"), "{found:?}");
}
