//! What the program clears when it is told how long to keep things.

use hovrel_standins::world::Size;
use hovrel_testkit::{Client, Systems, eventually};

use crate::program::Program;

#[tokio::test]
async fn what_is_older_than_it_is_kept_is_cleared_at_the_start() {
    let both = Systems::start(Size::SMALL).await;
    let program = Program::start().await;
    let client = Client::sign_in(&program.address).await;
    let route = client.make_route(&both).await;
    let carried = client.dry_run(&route).await;
    client.finish(&client.transfer(&carried).await).await;
    let (old, newest) = (client.dry_run(&route).await, client.dry_run(&route).await);
    program
        .change(
            "update plans set made_at = made_at - interval '31 days';
            update jobs set finished_at = finished_at - interval '31 days'",
        )
        .await;
    let one = async |query: &str| program.ask(query).await.remove(0);
    let (events, plans) = ("select count(*)::text as told from job_events", "select id::text as told from plans");
    assert_ne!(one(events).await, "0");
    let before = one("select count(*)::text as told from pairs").await;

    let second = program.another(&[("HOVREL_KEEP_DAYS", "30")]).await;
    eventually("what is old is gone", async || (one(events).await == "0").then_some(())).await;
    let kept = program.ask(plans).await;
    let is_kept = |plan: &serde_json::Value| kept.iter().any(|id| plan["id"] == id.as_str());
    assert!(is_kept(&carried) && is_kept(&newest) && !is_kept(&old), "{kept:?}");
    assert_eq!(one("select count(*)::text as told from pairs").await, before);
    let elsewhere = Client::sign_in(&second.address).await;
    let now = elsewhere.dry_run(&route).await;
    assert_eq!(
        (&now["in_step"], &now["outcomes"]),
        (&newest["in_step"], &newest["outcomes"]),
        "nothing else is missed"
    );
}
