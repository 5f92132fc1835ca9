//! Databases that another Hovrel was at: earlier forms are brought up, later ones are refused.

use hovrel_core::base::BaseSide;
use hovrel_core::model::Fingerprint;
use hovrel_store::{Store, StoreError};
use hovrel_testkit::Database;
use serde_json::{Value, json};

use crate::plans::with_a_pair;

/// What a query finds that returns JSON.
async fn asked(database: &Database, query: &str) -> Vec<Value> {
    let rows = database.ask(&format!("select to_jsonb(q)::text as told from ({query}) q")).await;
    rows.iter().map(|row| serde_json::from_str(row).expect("JSON")).collect()
}

#[tokio::test]
async fn fingerprints_of_an_earlier_form_are_made_again() {
    let database = Database::fresh().await;
    with_a_pair(&database).await;
    // One snapshot may stand for what an end holds and for how both agreed: an empty one does.
    database
        .change(
            r#"update snapshots set body = '{"r1": {"type": "text", "value": "Wind"}}'
                   where hash = (select left_base from pairs);
               update pairs set agreed = right_base;
               update snapshots set body = '{}' where hash = (select agreed from pairs)"#,
        )
        .await;
    // As they stood before: 32 bytes that say nothing of the form they were made in.
    database
        .change(
            "alter table pairs drop constraint pairs_left_base_fkey, drop constraint pairs_right_base_fkey,
                 drop constraint pairs_agreed_fkey;
             update snapshots set hash = sha256(hash);
             update pairs set left_base = sha256(left_base), right_base = sha256(right_base), agreed = sha256(agreed);
             alter table pairs add constraint pairs_left_base_fkey foreign key (left_base) references snapshots,
                 add constraint pairs_right_base_fkey foreign key (right_base) references snapshots,
                 add constraint pairs_agreed_fkey foreign key (agreed) references snapshots;
             update forms set form = 0 where name = 'fingerprints'",
        )
        .await;
    let joined = "select left_id, (select body from snapshots where hash = left_base) as l,
                         (select body from snapshots where hash = right_base) as r,
                         (select body from snapshots where hash = agreed) as a from pairs order by left_id";
    let before = asked(&database, joined).await;
    assert!(before.iter().all(|pair| !pair["l"].is_null() && !pair["a"].is_null()), "{before:?}");

    let store = Store::open(&database.url, 2).await.expect("it is brought up");
    assert_eq!(asked(&database, joined).await, before, "every pair has the values that it had");
    let hex = |print: Fingerprint| print.as_bytes().iter().map(|b| format!("{b:02x}")).collect::<String>();
    let held = BaseSide([("r1".into(), hovrel_core::model::Value::text("Wind"))].into());
    let wanted = json!([{
        "l": hex(held.fingerprint()),
        "r": hex(BaseSide::default().fingerprint()),
        "a": hex(Fingerprint::of(&json!({}))),
    }]);
    let now =
        "select encode(left_base, 'hex') as l, encode(right_base, 'hex') as r, encode(agreed, 'hex') as a from pairs";
    assert_eq!(json!(asked(&database, now).await), wanted);
    assert_eq!(asked(&database, "select hash from snapshots").await.len(), 3, "nothing stands on the others");
    drop(store);
    Store::open(&database.url, 2).await.expect("once is enough");
}

#[tokio::test]
async fn a_database_of_a_later_hovrel_is_refused_and_left_alone() {
    for later in [
        "update forms set form = 99 where name = 'proofs'",
        "insert into forms values ('dreams', 1)",
        "insert into __diesel_schema_migrations (version) values ('2099')",
    ] {
        let database = Database::fresh().await;
        drop(Store::open(&database.url, 2).await.expect("the schema is made"));
        database.change(later).await;
        let before = asked(&database, "select * from forms order by name").await;
        match Store::open(&database.url, 2).await {
            Err(StoreError::Later(what)) => {
                assert!(["99", "dreams", "2099"].iter().any(|w| what.contains(w)), "{what}")
            }
            other => panic!("{later}: {:?}", other.err()),
        }
        assert_eq!(asked(&database, "select * from forms order by name").await, before);
    }
}

#[tokio::test]
async fn what_lists_show_of_older_changes_is_filled_in() {
    let database = Database::fresh().await;
    let plan = crate::plans::with_a_whole_change(&database).await;
    let briefs = format!("select brief from changes where plan_id = '{plan}'");
    let before = asked(&database, &briefs).await;
    assert_eq!(before[0]["brief"]["fields"], json!([["title", "new"]]));
    database.change("update changes set brief = 'null'; update forms set form = 1 where name = 'changes'").await;
    drop(Store::open(&database.url, 2).await.expect("it is brought up"));
    assert_eq!(asked(&database, &briefs).await, before);
}
