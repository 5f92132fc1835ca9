//! The store on a real PostgreSQL: what constraints and transactions promise.

mod artefacts;
mod conflicts;
mod forms;
mod jobs;
mod numbers;
mod people;
mod plans;
mod record;
mod retention;
mod routes;
mod seal;

use hovrel_store::{NewRoute, NewSystem, Store};
use hovrel_testkit::Database;
use serde_json::json;
use uuid::Uuid;

/// An empty database with one route between two systems; the route's id.
async fn with_a_route() -> (Store, Uuid) {
    with_a_route_in(&Database::fresh().await).await
}

async fn with_a_route_in(database: &Database) -> (Store, Uuid) {
    let store = Store::open(&database.url, 8).await.expect("the schema is made");
    let person = store.make_first_person("ida", "Ida Brekke", "hash").await.expect("asked").expect("a person");
    let (left, right, route) = (Uuid::now_v7(), Uuid::now_v7(), Uuid::now_v7());
    for (id, name) in [(left, "Old"), (right, "New")] {
        let system = NewSystem { id, name, profile: "oldstone", address: "http://x.example", credentials: b"sealed" };
        store.make_system(&system).await.expect("a system");
    }
    let new = NewRoute {
        id: route,
        name: "Moves",
        left_system: left,
        left_container: "a",
        right_system: right,
        right_container: "b",
        lanes: json!([]),
        follows: vec![],
    };
    store.make_route(&new, person).await.expect("a route");
    (store, route)
}
