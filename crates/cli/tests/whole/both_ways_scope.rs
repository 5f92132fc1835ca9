//! A route that covers one folder and runs both ways: folders follow what they hold at either end, and nothing is made of
//! what is none of the route's business.

use std::collections::BTreeSet;

use hovrel_connect::Write;
use hovrel_core::model::{Artefact, Fields, Kind, Value as Held};
use hovrel_testkit::{Known, OLDSTONE, TALLYBENCH, read_all};
use serde_json::json;

use crate::both_ways_texts::Ground;

async fn names(ground: &Ground, known: &Known, kind: Kind) -> BTreeSet<(String, Option<String>)> {
    let items = read_all(&*ground.systems.connect(known), known.container, kind).await;
    items.into_iter().map(|a| (a.title, a.parent)).collect()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn folders_out_of_scope_are_made_at_neither_end() {
    let mut ground = Ground::begin_with(&[Kind::Folder, Kind::TestCase], false).await;
    ground.settle().await;
    let tops = |all: &[Artefact]| all.iter().filter(|f| f.parent.is_none()).cloned().collect::<Vec<Artefact>>();
    let left = ground.systems.connect(&OLDSTONE);
    let right = ground.systems.connect(&TALLYBENCH);
    let all = read_all(&*left, OLDSTONE.container, Kind::Folder).await;
    let there = read_all(&*right, TALLYBENCH.container, Kind::Folder).await;
    let covered = tops(&all)
        .into_iter()
        .find(|f| {
            all.iter().any(|c| c.parent.as_deref() == Some(&f.id)) && tops(&there).iter().any(|t| t.title == f.title)
        })
        .expect("a folder at both ends with folders in it");

    // From now on, cases of that folder alone.
    let path = format!("/routes/{}", ground.route);
    let mut lanes = ground.client.get(&path).await["lanes"].as_array().expect("lanes").clone();
    let scope = json!({"row": {"field": "@folder", "op": "under", "value": covered.title}});
    for lane in lanes.iter_mut().filter(|lane| lane["left_kind"] == "test_case") {
        (lane["left_scope"], lane["right_scope"]) = (scope.clone(), scope.clone());
    }
    ground.client.save_lanes(&ground.route, &lanes).await;

    // Folders that somebody makes: with a case in it, in scope or not, and with none.
    let folder = async |title: &str, parent: Option<String>| {
        let fields = [("title", Held::text(title))].into_iter().collect();
        let write =
            Write { kind: Kind::Folder, id: None, version: None, fields, parent: Some(parent), in_source: false };
        right.write(TALLYBENCH.container, &write).await.expect("it is made").artefact.id
    };
    let inside = tops(&there).into_iter().find(|t| t.title == covered.title).expect("it is there").id;
    let used = folder("Seen by the route", Some(inside.clone())).await;
    folder("Empty", Some(inside)).await;
    let elsewhere = folder("None of its business", None).await;
    let deeper = folder("Deeper", Some(used.clone())).await;
    for (title, parent) in [("A new case", used), ("Another new case", elsewhere), ("A case below", deeper.clone())] {
        let fields =
            [("title", Held::text(title)), ("priority", Held::choice("Normal")), ("status", Held::choice("active"))];
        let (fields, parent) = (fields.into_iter().collect(), Some(parent));
        let write =
            Write { kind: Kind::TestCase, id: None, version: None, fields, parent: Some(parent), in_source: false };
        right.write(TALLYBENCH.container, &write).await.expect("it is made");
    }
    // One that has been at both ends moves into one of them.
    let items = ground.items().await;
    let is_below = |folder: &Option<String>| {
        all.iter()
            .any(|f| Some(&f.id) == folder.as_ref() && (f.parent.as_ref() == Some(&covered.id) || f.id == covered.id))
    };
    let moved = &items.values().find(|(left, _)| is_below(&left.parent)).expect("a case in it").1;
    let now = right.one(TALLYBENCH.container, Kind::TestCase, &moved.id).await.expect("it is there");
    let write = Write {
        kind: Kind::TestCase,
        id: Some(now.id),
        version: now.version,
        fields: Fields::default(),
        parent: Some(Some(deeper.clone())),
        in_source: false,
    };
    right.write(TALLYBENCH.container, &write).await.expect("it is moved");
    let before = (names(&ground, &OLDSTONE, Kind::Folder).await, names(&ground, &TALLYBENCH, Kind::Folder).await);
    // Folders come before what they hold, all in one run.
    ground.run(None).await;
    let after = (names(&ground, &OLDSTONE, Kind::Folder).await, names(&ground, &TALLYBENCH, Kind::Folder).await);
    let all = read_all(&*left, OLDSTONE.container, Kind::Folder).await;
    let id = |title: &str| all.iter().find(|f| f.title == title).map(|f| f.id.clone());
    let made: Vec<&(String, Option<String>)> = after.0.difference(&before.0).collect();
    let wanted = [("Deeper".to_owned(), id("Seen by the route")), ("Seen by the route".to_owned(), Some(covered.id))];
    assert_eq!(made, wanted.iter().collect::<Vec<_>>());
    assert_eq!(after.1, before.1, "and none at the right");
    let cases = names(&ground, &OLDSTONE, Kind::TestCase).await;
    let folder_of = |title: &str| cases.iter().find(|(t, _)| t == title).map(|(_, folder)| folder.clone());
    assert_eq!(folder_of("A new case"), Some(id("Seen by the route")));
    assert_eq!(folder_of("A case below"), Some(id("Deeper")));
    assert_eq!(folder_of("Another new case"), None);
    assert_eq!(folder_of(&moved.title), Some(id("Deeper")));
    let next = ground.client.dry_run(&ground.route).await;
    assert_eq!(next["included"], 0, "{:?}", ground.client.all_changes(&next).await);
}
