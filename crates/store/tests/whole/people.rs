//! Who may come in: sessions end by time and by signing out, keys by being revoked.

use chrono::{TimeDelta, Utc};
use hovrel_store::{NewKey, Store, StoreError};
use hovrel_testkit::Database;
use uuid::Uuid;

async fn with_a_person() -> (Store, Uuid) {
    let store = Store::open(&Database::fresh().await.url, 4).await.expect("the schema is made");
    let person = store.make_first_person("ida", "Ida Brekke", "hash").await.expect("asked").expect("a person");
    (store, person)
}

#[tokio::test]
async fn of_many_first_people_at_once_one_is_made() {
    let store = Store::open(&Database::fresh().await.url, 8).await.expect("the schema is made");
    let logins: Vec<String> = (0..16).map(|n| format!("first {n}")).collect();
    let tries = logins.iter().map(|login| store.make_first_person(login, "Ida Brekke", "hash"));
    let made = futures::future::join_all(tries).await;
    assert_eq!(made.into_iter().filter(|m| matches!(m, Ok(Some(_)))).count(), 1);
    assert_eq!(store.count_people().await.expect("a count"), 1);
}

#[tokio::test]
async fn a_login_is_one_person() {
    let (store, person) = with_a_person().await;
    assert_eq!(store.count_people().await.expect("a count"), 1);
    let found = store.person_by_login("ida").await.expect("asked").expect("found");
    assert_eq!((found.id, found.name.as_str()), (person, "Ida Brekke"));
    assert!(store.person_by_login("Ida").await.expect("asked").is_none(), "capitals count");
}

#[tokio::test]
async fn a_session_lasts_until_its_time_or_until_signing_out() {
    let (store, person) = with_a_person().await;
    let at = |minutes: i64| Utc::now() + TimeDelta::minutes(minutes);
    for (token, minutes) in [(b"one", 5), (b"two", 5), (b"old", -1)] {
        store.begin_session(token, person, "csrf", at(minutes)).await.expect("it begins");
    }
    let there = async |token: &[u8]| store.session(token).await.expect("asked").map(|s| (s.person.login, s.csrf));
    assert_eq!(there(b"one").await, Some(("ida".into(), "csrf".into())));
    assert_eq!(there(b"old").await, None, "its time is over");
    assert_eq!(there(b"none").await, None);
    store.end_session(b"one").await.expect("it ends");
    assert!(there(b"one").await.is_none() && there(b"two").await.is_some(), "another one goes on");
    // What ended is forgotten with the next sign-in, so its token could begin again.
    store.begin_session(b"new", person, "csrf", at(5)).await.expect("it begins");
    store.begin_session(b"old", person, "csrf", at(5)).await.expect("the old one was forgotten");
}

#[tokio::test]
async fn a_key_is_revoked_once_and_for_good() {
    let (store, person) = with_a_person().await;
    let (id, other) = (Uuid::now_v7(), Uuid::now_v7());
    let new = |id: Uuid, name: &'static str, hash: &'static [u8; 32]| NewKey {
        id,
        name,
        hash,
        may: vec!["dry_run"],
        route_ids: None,
        made_by: person,
        expires_at: None,
    };
    store.make_key(&new(id, "Pipeline", &[1; 32])).await.expect("a key");
    store.make_key(&new(other, "Report", &[2; 32])).await.expect("a key");
    let named_alike = store.make_key(&new(Uuid::now_v7(), "Report", &[3; 32])).await;
    assert!(matches!(named_alike, Err(StoreError::Exists(_))), "{named_alike:?}");
    let (key, by) = store.key_by_hash(&[1; 32]).await.expect("asked").expect("found");
    assert_eq!((key.id, by.id, key.used_at), (id, person, None), "as it was before it was used");
    let (key, _) = store.key_by_hash(&[1; 32]).await.expect("asked").expect("found");
    let used = key.used_at.expect("noted");
    let (key, _) = store.key_by_hash(&[1; 32]).await.expect("asked").expect("found");
    assert_eq!(key.used_at, Some(used), "noted to the minute");

    store.revoke_key(id).await.expect("revoked");
    let revoked = async || {
        let keys = store.keys().await.expect("keys");
        keys.into_iter().map(|(k, by)| (k.id, by, k.revoked_at)).collect::<Vec<_>>()
    };
    let once = revoked().await;
    assert_eq!(once.iter().map(|k| (k.0, k.2.is_some())).collect::<Vec<_>>(), [(other, false), (id, true)]);
    assert_eq!(once[0].1, "Ida Brekke");
    store.revoke_key(id).await.expect("twice is once");
    assert_eq!(revoked().await, once);
    assert!(matches!(store.revoke_key(Uuid::now_v7()).await, Err(StoreError::Missing(_))));
    assert!(store.key_by_hash(&[3; 32]).await.expect("asked").is_none());
}
