//! A route between any two systems with everything settled, as a person would who wants it all moved.

use hovrel_connect::Connector;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::Kind;
use serde_json::{Value, json};

use crate::{Client, Known, Systems, read_all};

/// Connects and surveys both systems and makes a route for these kinds (all if none is named) with every
/// rule settled: its id and lanes; none if the systems have no kind in common.
pub async fn settled_route(
    client: &Client,
    systems: &Systems,
    left: &Known,
    right: &Known,
    kinds: &[Kind],
) -> Option<(String, Vec<Value>)> {
    let ends = (client.connected(systems, left).await, client.connected(systems, right).await);
    let mut lanes = client.proposed_lanes(&ends.0, &ends.1).await;
    lanes.retain(|l| kinds.is_empty() || kinds.iter().any(|k| l["left_kind"] == k.id()));
    if lanes.is_empty() {
        return None;
    }
    let name = format!("{} to {} {}", left.name, right.name, right.container);
    let route = client.keep_route(&name, &ends.0, &ends.1, lanes.clone()).await;
    let to = systems.connect(right);
    let there = to.catalogue(right.container).await.expect("a catalogue");
    let lanes = settle(client, &route, lanes, &there, &*to, right).await;
    Some((route, lanes))
}

/// Settles what a proposal leaves to a person: the first value of a list, a text for what is empty, the
/// first folder for what must be in one.
async fn settle(
    client: &Client,
    route: &str,
    mut lanes: Vec<Value>,
    there: &Catalogue,
    to: &dyn Connector,
    right: &Known,
) -> Vec<Value> {
    for _ in 0..4 {
        let faults = client.post(&format!("/routes/{route}/checks"), json!({"lanes": lanes})).await;
        let blocking: Vec<&Value> = faults.as_array().expect("faults").iter().filter(|f| f["blocks"] == true).collect();
        if blocking.is_empty() {
            client.save_lanes(route, &lanes).await;
            return lanes;
        }
        let folders = match there.kind(Kind::Folder) {
            Some(_) => read_all(to, right.container, Kind::Folder).await,
            None => Vec::new(),
        };
        for fault in blocking {
            let lane = lanes.iter_mut().find(|l| l["id"] == fault["lane"]).expect("the lane");
            mend(lane, fault, there, folders.first().map(|f| f.id.as_str()));
        }
    }
    let faults = client.post(&format!("/routes/{route}/checks"), json!({"lanes": lanes})).await;
    panic!("not settled: {faults}");
}

/// A rule that fills a slot of the right end.
pub fn rule_into_right(target: &str, source: Value) -> Value {
    json!({"into": {"right": {"target": target, "source": source}}})
}

fn mend(lane: &mut Value, fault: &Value, there: &Catalogue, folder: Option<&str>) {
    let target = fault["field"].as_str().unwrap_or_default().to_owned();
    let kind = Kind::from_id(lane["right_kind"].as_str().expect("a kind")).expect("a known one");
    let field = there.kind(kind).and_then(|k| k.field(&target));
    let rules = lane["rules"].as_array_mut().expect("rules");
    let at = rules.iter().position(|r| r["into"]["right"]["target"] == target.as_str());
    let source = match (&*target, field.and_then(|f| f.allowed.as_ref())) {
        ("@parent", _) => json!({"constant": {"type": "reference", "value": {"known": folder.expect("a folder")}}}),
        (_, Some(allowed)) => json!({"constant": {"type": "choice", "value": allowed[0]}}),
        _ => json!({"constant": {"type": "text", "value": "not stated"}}),
    };
    let map = at.and_then(|n| rules[n]["into"]["right"]["conversions"].as_array_mut());
    match (fault["reason"]["reason"].as_str(), map) {
        (Some("value_not_in_map" | "map_target_not_allowed"), Some(conversions)) => {
            let first = field.and_then(|f| f.allowed.as_ref()).map(|a| a[0].clone()).expect("a list");
            for map in conversions.iter_mut().filter_map(|c| c.get_mut("value_map")) {
                map["otherwise"] = json!({"use": first});
            }
        }
        (Some("required_empty"), Some(conversions)) if target != "@parent" => {
            conversions.push(json!({"if_empty": {"text": "not stated"}}));
        }
        (Some("move_asks"), _) => {
            let asked = fault["reason"]["field"].as_str().expect("a field").to_owned();
            let source = json!({"constant": {"type": "text", "value": "carried over"}});
            rules.retain(|r| r["into"]["right"]["target"] != asked.as_str());
            rules.push(rule_into_right(&asked, source));
        }
        _ => {
            rules.retain(|r| r["into"]["right"]["target"] != target.as_str());
            rules.push(rule_into_right(&target, source));
        }
    }
}
