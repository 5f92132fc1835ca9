//! What a route remembers: its versions, what people said of its counterparts, histories, and who is whose pair.

use hovrel_core::model::End;
use hovrel_store::{NewHistory, NewMatch, Store, StoreError};
use serde_json::json;
use uuid::Uuid;

use crate::with_a_route;

#[tokio::test]
async fn a_version_is_saved_once_and_none_is_written_over() {
    let (store, route) = with_a_route().await;
    let ida = store.person_by_login("ida").await.expect("asked").expect("she is there").id;
    assert_eq!(store.save_route(route, 1, "Moves on", (&json!([1]), None), ida).await.expect("saved"), 2);
    let stale = store.save_route(route, 1, "Too late", (&json!([2]), None), ida).await;
    assert!(matches!(stale, Err(StoreError::Stale { current: 2 })), "{stale:?}");
    let nowhere = store.save_route(Uuid::now_v7(), 1, "Nowhere", (&json!([]), None), ida).await;
    assert!(matches!(nowhere, Err(StoreError::Missing(_))), "{nowhere:?}");
    let now = store.route(route).await.expect("it is there");
    assert_eq!((now.name.as_str(), now.version, now.lanes), ("Moves on", 2, json!([1])));
    store.save_route(route, 2, "Moves on", (&json!([3]), None), ida).await.expect("saved");
    let versions = async |upto, limit| {
        let rows = store.route_versions(route, upto, limit).await.expect("versions");
        rows.into_iter().map(|v| (v.version, v.lanes, v.saved_by)).collect::<Vec<_>>()
    };
    let by = || Some("Ida Brekke".to_owned());
    assert_eq!(versions(i32::MAX, 2).await, [(3, json!([3]), by()), (2, json!([1]), by())], "the latest first");
    assert_eq!(versions(2, 9).await, [(2, json!([1]), by()), (1, json!([]), by())]);

    // Somebody who is not there saves nothing.
    assert!(store.save_route(route, 3, "By nobody", (&json!([4]), None), Uuid::now_v7()).await.is_err());
    assert_eq!(store.route(route).await.expect("it is there").version, 3, "route and version go together");
}

/// Test cases of the left.
const CASES: (&str, End) = ("cases", End::Left);

async fn said(store: &Store, route: Uuid) -> Vec<(String, Option<String>)> {
    let settled = store.settled_matches(route).await.expect("what was said");
    settled.into_iter().map(|m| (m.item_id, m.other_id)).collect()
}

#[tokio::test]
async fn what_is_said_of_counterparts_goes_in_whole() {
    let (store, route) = with_a_route().await;
    let ida = store.person_by_login("ida").await.expect("asked").expect("she is there").id;
    let says = |by: Uuid, pairs: &[(&str, Option<&str>)]| -> Vec<NewMatch> {
        let one = |(item, other): &(&str, Option<&str>)| NewMatch {
            item_id: (*item).into(),
            other_id: other.map(String::from),
            settled_by: by,
        };
        pairs.iter().map(one).collect()
    };
    let pair = |left: &str, right: &str| (left.to_owned(), Some(right.to_owned()));
    store.settle_matches(route, CASES, &says(ida, &[("a", Some("1")), ("b", Some("2"))]), &[]).await.expect("said");
    // Two change their counterparts with one another.
    store.settle_matches(route, CASES, &says(ida, &[("a", Some("2")), ("b", Some("1"))]), &[]).await.expect("said");
    assert_eq!(said(&store, route).await, [pair("a", "2"), pair("b", "1")]);
    store.settle_matches(route, CASES, &says(ida, &[("c", None)]), &["a".into()]).await.expect("said");
    assert_eq!(said(&store, route).await, [pair("b", "1"), ("c".into(), None)], "one is open again");

    // One counterpart can't be two items', and somebody unknown says nothing: then nothing changes.
    let twice = store.settle_matches(route, CASES, &says(ida, &[("d", Some("1"))]), &["c".into()]).await;
    let nobody = store.settle_matches(route, CASES, &says(Uuid::now_v7(), &[("d", None)]), &["c".into()]).await;
    assert!(twice.is_err() && nobody.is_err(), "{twice:?} {nobody:?}");
    assert_eq!(said(&store, route).await, [pair("b", "1"), ("c".into(), None)]);
    // In another lane it is another item.
    let other = says(ida, &[("b", Some("1"))]);
    store.settle_matches(route, ("folders", End::Left), &other, &[]).await.expect("said");
    assert_eq!(said(&store, route).await.len(), 3);
    // And so it is at the other end, whatever it is called there.
    store.settle_matches(route, ("cases", End::Right), &other, &[]).await.expect("said");
    assert_eq!(said(&store, route).await.len(), 4);
}

#[tokio::test]
async fn a_history_is_kept_anew_only_when_it_changed() {
    let (store, route) = with_a_route().await;
    let history = |entry: u8, key: &str| NewHistory {
        route_id: route,
        lane: "cases".into(),
        item_end: End::Left,
        item_id: "l1".into(),
        item_key: key.into(),
        system_name: "Old".into(),
        entries: json!([entry]),
    };
    let kept = async || {
        let mut rows = store.kept_histories(&[route], &["l1"]).await.expect("kept");
        assert_eq!(rows.len(), 1);
        let row = rows.remove(0);
        (row.entries, row.item_key, row.kept_at)
    };
    store.keep_histories(&[history(1, "OS-1")]).await.expect("kept");
    let first = kept().await;
    store.keep_histories(&[history(1, "OS-1")]).await.expect("kept");
    assert_eq!(kept().await, first, "the same is not written again");
    store.keep_histories(&[history(2, "OS-1")]).await.expect("kept");
    let second = kept().await;
    assert!(second.0 == json!([2]) && second.2 > first.2, "{second:?}");
    assert!(store.kept_histories(&[Uuid::now_v7()], &["l1"]).await.expect("asked").is_empty());
}
