//! Conflicts from being found to being over: kept over dry runs, decided in the browser by keyboard alone, for one and for
//! many alike, carried by the next transfer; and what lost is found again.

use std::collections::BTreeMap;

use hovrel_core::model::{Artefact, Value as Held};
use hovrel_testkit::{FERNWAY, OLDSTONE};
use serde_json::{Value, json};

use crate::both_ways::{CUTS, Ground, TITLE, text};
use crate::browser::walked;

/// So many are decided alike.
const SIMILAR: usize = 9;

impl Ground {
    async fn conflicts(&self, state: &str) -> Vec<Value> {
        let page = self.client.get(&format!("/conflicts?state={state}&limit=500&route={}", self.route)).await;
        assert_eq!(page["total"], page["items"].as_array().expect("items").len());
        page["items"].as_array().expect("items").clone()
    }

    async fn conflict(&self, of: &Value) -> Value {
        self.client.get(&format!("/conflicts/{}", of["id"].as_str().expect("an id"))).await
    }

    async fn settle(&self, body: Value) -> (u16, Value) {
        let (status, said) = self.client.call(reqwest::Method::POST, "/conflicts/settle", Some(body), None).await;
        (status.as_u16(), said)
    }
}

fn by_key<'c>(list: &'c [Value], item: &(Artefact, Artefact)) -> &'c Value {
    let found = list.iter().find(|c| c["left_key"] == item.0.key.as_str());
    found.unwrap_or_else(|| panic!("{} is among {list:?}", item.0.key))
}

fn named(of: &Value) -> Value {
    json!({"id": of["id"], "generation": of["generation"], "revision": of["revision"]})
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn conflicts_are_decided_in_the_browser_and_carried_by_the_next_transfer() {
    let ground = Ground::begin().await;
    let (plan, _) = ground.plan().await;
    ground.transfer(&plan).await;
    assert_eq!(ground.conflicts("open").await, [] as [Value; 0]);
    let before = ground.items().await;
    let fit = |item: &&(Artefact, Artefact)| {
        item.0.key.starts_with("OS-2") && text(&item.0, TITLE.0) == text(&item.1, TITLE.1)
    };
    let items: Vec<(Artefact, Artefact)> = before.values().filter(fit).take(SIMILAR + 4).cloned().collect();
    assert_eq!(items.len(), SIMILAR + 4, "of {}", before.len());
    let titles = |item: &Artefact| [format!("Halt {} at once", item.key), format!("Park {} at once", item.key)];
    for (left, right) in &items {
        let [at_left, at_right] = titles(left);
        ground.edit(&OLDSTONE, left, TITLE.0, Held::text(at_left)).await;
        ground.edit(&FERNWAY, right, TITLE.1, Held::text(at_right)).await;
    }
    let (plan, _) = ground.plan().await;
    let open = ground.conflicts("open").await;
    assert_eq!(open.len(), items.len());
    // They are found by who changed an item last, and by age.
    let total = async |filter: &str| {
        let page = ground.client.get(&format!("/conflicts?state=open&route={}&{filter}", ground.route)).await;
        page["total"].as_u64().expect("a number")
    };
    let editors = ground.client.get("/conflicts/editors").await;
    let editors: Vec<&str> = editors.as_array().expect("people").iter().filter_map(Value::as_str).collect();
    assert!(!editors.is_empty());
    for by in editors {
        let of = open.iter().filter(|c| c["left_by"] == by || c["right_by"] == by).count();
        assert_eq!(total(&format!("by={}", by.replace(' ', "%20"))).await, of as u64, "{by}");
    }
    assert_eq!((total("by=Nobody").await, total("days=1").await, total("days=0").await), (0, 0, open.len() as u64));
    // Another dry run finds the same.
    ground.plan().await;
    let key = |c: &Value| (c["id"].to_string(), c["generation"].clone(), c["opened_at"].to_string());
    let again = ground.conflicts("open").await;
    assert_eq!(again.iter().map(key).collect::<Vec<_>>(), open.iter().map(key).collect::<Vec<_>>());

    // Somebody types once more at the left, and at another item changes it back: the one is another generation, the other
    // ends, and what was shown before decides nothing.
    let [changed, withdrawn, agreed, merged] = &items[SIMILAR..] else { unreachable!() };
    ground.edit(&OLDSTONE, &changed.0, TITLE.0, Held::text("Evacuate it at once")).await;
    ground.edit(&OLDSTONE, &withdrawn.0, TITLE.0, Held::text(text(&withdrawn.0, TITLE.0))).await;
    ground.edit(&OLDSTONE, &agreed.0, TITLE.0, Held::text(&titles(&agreed.0)[1])).await;
    ground.plan().await;
    let stale = json!({"conflicts": [named(by_key(&open, changed)), named(by_key(&open, merged))], "take": "left"});
    let (status, said) = ground.settle(stale).await;
    assert_eq!((status, said["type"].as_str()), (412, Some("/problems/other-generation")), "{said}");
    assert!(
        said["detail"].as_str().is_some_and(|d| d.contains(&changed.0.key) && !d.contains(&merged.0.key)),
        "{said}"
    );
    let over = ground.conflicts("closed").await;
    assert_eq!(by_key(&over, withdrawn)["ended"], "withdrawn");
    assert_eq!(by_key(&over, agreed)["ended"], "agreed");
    let open = ground.conflicts("open").await;
    assert_eq!(by_key(&open, changed)["generation"], 2);
    let detail = ground.conflict(by_key(&open, changed)).await;
    assert!(detail["earlier"][0]["left"].to_string().contains("Halt"), "what stood there before is known: {detail}");
    // A merge needs its parts, and is of one.
    let of_merged = named(by_key(&open, merged));
    for wrong in [
        json!({"conflicts": [of_merged], "take": "merge"}),
        json!({"conflicts": [of_merged], "take": "merge", "merge": {"picks": []}}),
        json!({"conflicts": [of_merged], "take": "left", "merge": {"text": "x"}}),
        json!({"conflicts": [of_merged, named(by_key(&open, changed))], "take": "merge", "merge": {"text": "x"}}),
        json!({"conflicts": [of_merged, of_merged], "take": "left"}),
        json!({"conflicts": [], "take": "left"}),
        json!({"conflicts": [{"id": "00000000-0000-0000-0000-000000000000", "generation": 1, "revision": 1}], "take": "left"}),
    ] {
        let (status, said) = ground.settle(wrong.clone()).await;
        assert_eq!(status, 422, "{wrong}: {said}");
    }
    assert!(ground.conflicts("settled").await.is_empty(), "nothing of these was kept");

    let more =
        vec![("ROUTE", ground.route.clone()), ("MERGED", merged.0.key.clone()), ("ALONE", changed.0.key.clone())];
    walked(&ground.program, &["conflicts"], more).await;

    let settled = ground.conflicts("settled").await;
    assert_eq!(settled.len(), SIMILAR + 2, "{settled:?}");
    let (plan_after, found) = ground.plan().await;
    assert_ne!(plan["id"], plan_after["id"]);
    assert!(found.values().filter(|outcome| *outcome == "conflict").count() >= SIMILAR, "{found:?}");
    assert_eq!(plan_after["open_conflicts"], 0, "what was decided is decided in the new plan");
    ground.transfer(&plan_after).await;
    let now = ground.items().await;
    let held = |item: &(Artefact, Artefact)| {
        let (left, right) = &now[&item.0.id];
        (text(left, TITLE.0), text(right, TITLE.1))
    };
    let both = |words: &str| (words.to_owned(), words.to_owned());
    for item in &items[..SIMILAR] {
        assert_eq!(held(item), both(&titles(&item.0)[1]), "the right was used");
    }
    assert_eq!(held(changed), both("Evacuate it at once"));
    assert_eq!(held(merged), both(&format!("Halt {0} Park {0} at once", merged.0.key)));
    assert_eq!(held(withdrawn), both(&titles(&withdrawn.0)[1]), "the right's edit went over like any other");
    assert_eq!(held(agreed), both(&titles(&agreed.0)[1]));

    // They are over, and what lost is there.
    assert!(ground.conflicts("open").await.is_empty() && ground.conflicts("settled").await.is_empty());
    let over = ground.conflicts("closed").await;
    let ended: BTreeMap<String, usize> = over.iter().fold(BTreeMap::new(), |mut all, c| {
        *all.entry(c["ended"].to_string()).or_default() += 1;
        all
    });
    assert_eq!(ended["\"carried\""], SIMILAR + 2, "{ended:?}");
    let detail = ground.conflict(by_key(&over, &items[0])).await;
    assert!(detail["left"]["now"].to_string().contains("Halt"), "{detail}");
    assert_eq!((&detail["chosen"]["take"], detail["chosen"]["by"].is_string()), (&json!("right"), true), "{detail}");
    // So it is in the record: what a person chose, and each write with what stood there.
    let line = |of: &Value| {
        let change = of["change"]["pieces"].as_array().into_iter().flatten();
        let removed: String = change.filter(|p| p["change"] == "removed").map(|p| p["text"].to_string()).collect();
        (of["what"].to_string(), of["why"].to_string(), of["end"].to_string(), removed.contains("Halt"))
    };
    let record = ground.client.get(&format!("/record?route={}&find={}", ground.route, items[0].0.key)).await;
    let lines: Vec<_> = record["items"].as_array().expect("lines").iter().take(2).map(line).collect();
    let told = |what: &str, why: &str, end: &str, lost| (format!("{what:?}"), format!("{why:?}"), end.to_owned(), lost);
    assert_eq!(lines, [told("field", "chosen", "\"left\"", true), told("choice", "chose_right", "null", false)]);
    assert_eq!(record["items"].as_array().and_then(|l| l.last()).expect("the first")["what"], "item", "{record}");
    let (_, found) = ground.plan().await;
    assert!(found.values().all(|outcome| outcome == "blocked"), "{found:?}");
}

/// Each place at which a change that writes both ends can be cut, the merge being what a person put together: both ends hold
/// it afterwards, the conflict is over as it was decided, and both edits are in the record, once.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_merge_that_was_decided_is_carried_once_wherever_it_is_cut() {
    let mut ground = Ground::begin().await;
    let (plan, _) = ground.plan().await;
    ground.transfer(&plan).await;
    let items = ground.items().await;
    let fit = |item: &&(Artefact, Artefact)| {
        item.0.key.starts_with("OS-2") && text(&item.0, TITLE.0) == text(&item.1, TITLE.1)
    };
    let items: Vec<(Artefact, Artefact)> = items.values().filter(fit).take(CUTS.len()).cloned().collect();
    assert_eq!(items.len(), CUTS.len());
    for (item, cut) in items.iter().zip(CUTS) {
        let edits = [format!("Halt {} at once", item.0.key), format!("Park {} at once", item.0.key)];
        ground.edit(&OLDSTONE, &item.0, TITLE.0, Held::text(&edits[0])).await;
        ground.edit(&FERNWAY, &item.1, TITLE.1, Held::text(&edits[1])).await;
        ground.plan().await;
        let open = ground.conflicts("open").await;
        let merged = format!("Halt and park {}", item.0.key);
        let body = json!({"conflicts": [named(by_key(&open, item))], "take": "merge", "merge": {"text": merged}});
        let (status, said) = ground.settle(body).await;
        assert_eq!(status, 200, "{cut}: {said}");
        let (plan, _) = ground.plan().await;
        ground.transfer_cut_at(&plan, cut).await;
        let now = &ground.items().await[&item.0.id];
        assert_eq!((text(&now.0, TITLE.0), text(&now.1, TITLE.1)), (merged.clone(), merged.clone()), "{cut}");
        let over = ground.conflicts("closed").await;
        assert_eq!(by_key(&over, item)["ended"], "carried", "{cut}");
        let path = format!("/record?route={}&left_id={}", ground.route, item.0.id);
        let lines = ground.client.get(&path).await["items"].as_array().expect("lines").clone();
        for (end, lost) in ["left", "right"].into_iter().zip(["Halt", "Park"]) {
            let of_end = |l: &&Value| l["end"] == end && l["why"] == "chosen" && l["change"].to_string().contains(lost);
            assert_eq!(lines.iter().filter(of_end).count(), 1, "{cut}, {end}: {lines:?}");
        }
        let (_, found) = ground.plan().await;
        assert!(found.values().all(|outcome| outcome == "blocked"), "after {cut}: {found:?}");
    }
}
