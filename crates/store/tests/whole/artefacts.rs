//! What surveys keep: one in place of the one before, listed by filters that stay inside their project and kind.

use hovrel_store::{ArtefactFilter, ArtefactRow, NewArtefact, Store, StoreError, Total};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::with_a_route;

/// An item that holds a value of a list field, and a title.
fn kept(system: Uuid, container: &str, kind: &str, seq: i32, title: &str, fields: Value) -> NewArtefact {
    NewArtefact {
        row: ArtefactRow {
            system_id: system,
            container: container.into(),
            kind: kind.into(),
            external_id: format!("{kind}-{seq}"),
            seq,
            key: format!("{}-{seq}", container.to_uppercase()),
            title: title.into(),
            path: "Drive / Wind".into(),
            body: json!({"fields": fields, "attachments": if seq == 1 { json!([{}]) } else { json!([]) }, "read_losses": []}),
        },
        words: title.to_lowercase(),
    }
}

async fn survey(store: &Store, system: Uuid, container: &str, rows: Vec<NewArtefact>) {
    let rows = Box::new(rows.into_iter().map(Ok));
    let none = json!({});
    store.keep_survey(system, container, "A project", &none, &none, rows).await.expect("it is kept");
}

fn labelled(labels: &[&str]) -> Value {
    json!({"labels": {"type": "choice_list", "value": labels}})
}

/// Two projects of one system, with two kinds in the first; all of them know the field and its values.
async fn with_surveys() -> (Store, Uuid) {
    let (store, route) = with_a_route().await;
    let system = store.route(route).await.expect("it is there").left_system;
    let here = vec![
        kept(system, "a", "test_case", 1, "100 % load", labelled(&["winter", "safety"])),
        kept(system, "a", "test_case", 2, "Half load", labelled(&["summer"])),
        kept(system, "a", "test_case", 3, "No load", json!({"level": {"type": "choice", "value": "High"}})),
        kept(system, "a", "requirement", 4, "Load is limited", labelled(&["winter"])),
    ];
    survey(&store, system, "a", here).await;
    survey(&store, system, "b", vec![kept(system, "b", "test_case", 1, "Load elsewhere", labelled(&["winter"]))]).await;
    (store, system)
}

async fn listed(store: &Store, system: Uuid, filter: ArtefactFilter) -> (Vec<i32>, i64) {
    let filter = ArtefactFilter { kind: "test_case".into(), limit: 10, ..filter };
    let (rows, total) = store.list_artefacts(system, "a", &filter).await.expect("a list");
    assert!(rows.iter().all(|r| r.container == "a" && r.kind == "test_case"), "{rows:?}");
    assert!(!total.more || total.counted == Total::MOST, "{total:?}");
    (rows.iter().map(|r| r.seq).collect(), total.counted)
}

#[tokio::test]
async fn a_filter_stays_in_its_project_and_its_kind() {
    let (store, system) = with_surveys().await;
    let by = |field: &str, value: &str| ArtefactFilter {
        field: Some((field.into(), value.into())),
        ..ArtefactFilter::default()
    };
    assert_eq!(listed(&store, system, ArtefactFilter::default()).await, (vec![1, 2, 3], 3));
    assert_eq!(listed(&store, system, by("labels", "winter")).await, (vec![1], 1), "one of a list");
    assert_eq!(listed(&store, system, by("labels", "")).await, (vec![3], 1), "none at all");
    assert_eq!(listed(&store, system, by("level", "High")).await, (vec![3], 1));
    let after = ArtefactFilter { after: 1, ..by("labels", "winter") };
    assert_eq!(listed(&store, system, after).await, (vec![], 1), "a page goes on behind its cursor");
    let with_files = ArtefactFilter { with_files: true, ..ArtefactFilter::default() };
    assert_eq!(listed(&store, system, with_files).await, (vec![1], 1));
    for (words, found) in
        [("load", vec![1, 2, 3]), ("100 %", vec![1]), ("A-2", vec![2]), ("wind", vec![1, 2, 3]), ("%l_", vec![])]
    {
        let total = found.len() as i64;
        let filter = ArtefactFilter { find: Some(words.into()), ..ArtefactFilter::default() };
        assert_eq!(listed(&store, system, filter).await, (found, total), "{words}");
    }
}

#[tokio::test]
async fn a_survey_takes_the_place_of_the_one_before_whole() {
    let (store, system) = with_surveys().await;
    let head = async |container: &str| {
        let heads = store.survey_heads().await.expect("surveys");
        heads.into_iter().find(|h| h.system_id == system && h.container == container).expect("it is there")
    };
    let (before, other) = (head("a").await, head("b").await);
    survey(&store, system, "a", vec![kept(system, "a", "test_case", 1, "The only one", json!({}))]).await;
    assert_eq!(listed(&store, system, ArtefactFilter::default()).await, (vec![1], 1));
    assert!(matches!(store.artefact(system, "a", "requirement", "requirement-4").await, Err(StoreError::Missing(_))));
    assert!(store.artefact(system, "b", "test_case", "test_case-1").await.is_ok(), "another project is left alone");
    let now = head("a").await;
    assert!(now.at > before.at && head("b").await.at == other.at);

    // What a project can hold changes by itself; what is in it stays as surveyed.
    store.keep_catalogue(system, "a", &json!({"kinds": []})).await.expect("kept");
    let again = head("a").await;
    assert!(again.at == now.at && again.catalogue_at > now.catalogue_at);
    assert_eq!(store.survey(system, "a").await.expect("read").expect("there").catalogue, json!({"kinds": []}));

    // One that breaks off leaves the one before.
    let broken = vec![
        Ok(kept(system, "a", "test_case", 1, "Half", json!({}))),
        Err(serde_json::from_str::<Value>("{").unwrap_err()),
    ];
    let none = json!({});
    assert!(store.keep_survey(system, "a", "A project", &none, &none, Box::new(broken.into_iter())).await.is_err());
    assert_eq!(store.artefact(system, "a", "test_case", "test_case-1").await.expect("there").title, "The only one");
}

#[tokio::test]
async fn words_are_found_in_any_project_the_called_one_first() {
    let (store, _) = with_surveys().await;
    let found = async |words: &str| -> Vec<String> {
        store.find_artefacts(words, 10).await.expect("found").into_iter().map(|r| r.key).collect()
    };
    assert_eq!(found("load").await, ["A-1", "A-2", "A-3", "A-4", "B-1"]);
    assert_eq!(found("a-2").await, ["A-2"], "however it is written");
    assert_eq!(found("limi").await, ["A-4"], "by the beginning of a word");
    assert_eq!(found("100 %").await, ["A-1"]);
    assert!(found("%").await == ["A-1"] && found("nothing").await.is_empty(), "signs are only themselves");
}

/// Whatever letters they are written in, and however many others hold the words.
#[tokio::test]
async fn the_one_that_is_called_so_comes_before_those_that_hold_the_words() {
    let (store, route) = with_a_route().await;
    let system = store.route(route).await.expect("it is there").left_system;
    let mut rows: Vec<NewArtefact> = (0..1_500)
        .map(|n| kept(system, "a", "test_case", n + 10, &format!("Åse follows A-7 and 100_{n} %"), json!({})))
        .collect();
    rows.insert(0, kept(system, "a", "test_case", 7, "Stop", json!({})));
    survey(&store, system, "a", rows).await;
    let keys = async |words: &str, limit| -> Vec<String> {
        let found = store.find_artefacts(words, limit).await.expect("a list");
        found.into_iter().map(|r| r.key).collect()
    };
    let found = keys("a-7", 5).await;
    assert_eq!((found.len(), found[0].as_str()), (5, "A-7"), "{found:?}");
    assert_eq!(found.iter().filter(|k| *k == "A-7").count(), 1, "it is told once");
    assert_eq!(keys("ÅSE FOLLOWS", 3).await.len(), 3);
    assert_eq!(keys("100_7 %", 3).await[0], "A-17", "what stands for anything elsewhere stands for itself");
    let all = |find: &str| ArtefactFilter { find: Some(find.into()), ..ArtefactFilter::default() };
    assert_eq!(listed(&store, system, all("drive / wInd")).await.0.len(), 10, "folders are looked at too");
}

/// What shows a filter's matches counts as many as tell somebody something; all there are of a kind it knows.
#[tokio::test]
async fn a_filter_counts_to_five_hundred_and_says_when_there_are_more() {
    let (store, route) = with_a_route().await;
    let system = store.route(route).await.expect("it is there").left_system;
    let word = |n: i32| if n <= Total::MOST as i32 { "brake" } else { "brake and grip" };
    let rows = (1..=703).map(|n| kept(system, "a", "test_case", n, word(n), labelled(&[word(n)]))).collect();
    survey(&store, system, "a", rows).await;
    let total = async |filter: ArtefactFilter| {
        let filter = ArtefactFilter { kind: "test_case".into(), limit: 10, ..filter };
        let (_, total) = store.list_artefacts(system, "a", &filter).await.expect("a list");
        (total.counted, total.more)
    };
    let find = |words: &str| ArtefactFilter { find: Some(words.into()), ..ArtefactFilter::default() };
    let held = |value: &str| ArtefactFilter { field: Some(("labels".into(), value.into())), ..Default::default() };
    assert_eq!(total(ArtefactFilter::default()).await, (703, false));
    assert_eq!(total(find("brake")).await, (500, true));
    assert_eq!(total(ArtefactFilter { after: 600, ..find("brake") }).await, (500, true), "of a later page too");
    assert_eq!(total(find("grip")).await, (203, false));
    assert_eq!(total(held("brake")).await, (500, false), "as many as are counted, and no more");
    assert_eq!(total(find("br")).await, (500, true), "two letters");
    assert_eq!(total(find("zq")).await, (0, false));

    // Pages lead over what was counted and go on behind it: everything that matches, once and in its order.
    for (words, limit, most) in [("brake", 90, 703), ("brake", 500, 703), ("brake", 501, 703), ("grip", 90, 203)] {
        let (mut seen, mut after) = (Vec::new(), 0);
        loop {
            let filter = ArtefactFilter { kind: "test_case".into(), limit, after, ..find(words) };
            let (rows, _) = store.list_artefacts(system, "a", &filter).await.expect("a list");
            seen.extend(rows.iter().map(|r| r.seq));
            let Some(last) = rows.last().filter(|_| rows.len() as i64 == limit) else { break };
            after = last.seq;
        }
        assert_eq!(seen, (704 - most..=703).collect::<Vec<i32>>(), "{words} by {limit}");
    }
}
