//! A wide world: two systems whose test cases have 200 fields more than usual, one of them a list of 5,000 values of
//! which every one is met; and beside it the usual route, to compare with.

use futures::{StreamExt, TryStreamExt};
use hovrel_connect::Write;
use hovrel_core::catalogue::NewField;
use hovrel_core::model::{Fields, Kind, Value, ValueType};
use hovrel_standins::world::Size;
use hovrel_standins::{Running, tallybench};
use hovrel_testkit::{Client, Systems, TALLYBENCH};
use serde_json::json;

pub const FIELDS: usize = 200;
pub const VALUES: usize = 5_000;

/// Values of added texts per item; the rest of the fields is empty, as is usual where there are so many.
const FILLED: usize = 12;

pub struct Wide {
    /// The usual route, from Oldstone to Tallybench.
    pub usual: String,
    /// The wide one.
    pub wide: String,
    /// They run until they are dropped.
    _systems: (Systems, Running, Running),
}

/// A Tallybench with added fields, the first of them the long list; the fields' ids.
async fn with_fields(value: impl Fn(usize) -> String) -> (Running, Vec<String>) {
    let options = tallybench::Options { size: Size::SMALL, calls_per_minute: 600_000, ..Default::default() };
    let running = tallybench::start(options).await.expect("Tallybench starts");
    let c = TALLYBENCH.connector(&running.url());
    let mut ids = Vec::new();
    for n in 0..FIELDS {
        let new = match n {
            0 => NewField {
                name: "Part".into(),
                value_type: ValueType::Choice,
                allowed: (0..VALUES).map(&value).collect(),
                max_length: None,
            },
            _ => NewField {
                name: format!("Reading {n:03}"),
                value_type: ValueType::Text,
                allowed: Vec::new(),
                max_length: Some(120),
            },
        };
        ids.push(c.make_field(TALLYBENCH.container, Kind::TestCase, &new).await.expect("a field"));
    }
    (running, ids)
}

/// Makes both routes at the program that `client` is signed in to.
pub async fn wide_world(client: &Client) -> Wide {
    let systems = Systems::start(Size::SMALL).await;
    let usual = client.make_route(&systems).await;
    let (left, ids) = with_fields(|n| format!("Part {n:04}")).await;
    let (right, _) = with_fields(|n| format!("Nord {n:04}")).await;
    let c = TALLYBENCH.connector(&left.url());
    let write = |n: usize| {
        let title = Value::text(format!("Part {n:04} holds under load"));
        let usual = [("title", title), ("priority", Value::choice("Normal")), ("status", Value::choice("active"))];
        let mut fields: Fields = usual.into_iter().collect();
        fields.set(ids[0].as_str(), Value::choice(format!("Part {n:04}")));
        for k in 0..FILLED {
            let id = &ids[1 + (n * FILLED + k) % (FIELDS - 1)];
            fields.set(id.as_str(), Value::text(format!("{} N at {n}", n * 7 + k)));
        }
        Write { kind: Kind::TestCase, id: None, version: None, fields, parent: None, in_source: false }
    };
    let batches = (0..VALUES).collect::<Vec<_>>();
    let made = futures::stream::iter(batches.chunks(50).map(|part| {
        let (c, writes) = (c.clone(), part.iter().map(|n| write(*n)).collect::<Vec<_>>());
        async move { c.create_many(TALLYBENCH.container, Kind::TestCase, &writes).await }
    }));
    let made: Vec<_> = made.buffered(4).try_collect().await.expect("items are taken");
    assert!(made.into_iter().flatten().all(|m| m.is_ok()));
    let ends = (
        client.connect_at(&TALLYBENCH, "South", &left.url()).await,
        client.connect_at(&TALLYBENCH, "North", &right.url()).await,
    );
    let mut lanes = client.proposed_lanes(&ends.0, &ends.1).await;
    let rules = lanes.iter_mut().flat_map(|l| l["rules"].as_array_mut().expect("rules"));
    // What the long list does not name is left to a person.
    for map in rules
        .flat_map(|r| r["into"]["right"]["conversions"].as_array_mut().expect("steps"))
        .filter_map(|c| c.get_mut("value_map"))
    {
        map["otherwise"] = json!("block");
    }
    let wide = client.keep_route("The south moves north", &ends.0, &ends.1, lanes).await;
    Wide { usual, wide, _systems: (systems, left, right) }
}
