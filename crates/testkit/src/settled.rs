//! A route between any two systems with everything settled, as a person would who wants it all moved.

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
    let lanes = settled(client, systems, &route, lanes, (left, right)).await;
    Some((route, lanes))
}

/// Settles what proposed lanes, or lanes that were turned round, leave to a person, and saves them: the first value of a list, a
/// text for what is empty, the first folder for what must be in one.
pub async fn settled(
    client: &Client,
    systems: &Systems,
    route: &str,
    mut lanes: Vec<Value>,
    (left, right): (&Known, &Known),
) -> Vec<Value> {
    let known = |end: &str| if end == "left" { left } else { right };
    for _ in 0..4 {
        let faults = client.post(&format!("/routes/{route}/checks"), json!({"lanes": lanes})).await;
        let blocking: Vec<&Value> = faults.as_array().expect("faults").iter().filter(|f| f["blocks"] == true).collect();
        if blocking.is_empty() {
            client.save_lanes(route, &lanes).await;
            return lanes;
        }
        for fault in blocking {
            let lane = lanes.iter_mut().find(|l| l["id"] == fault["lane"]).expect("the lane");
            let end = if lane["direction"] == "to_left" { "left" } else { "right" };
            let to = systems.connect(known(end));
            let there = to.catalogue(known(end).container).await.expect("a catalogue");
            let folders = match there.kind(Kind::Folder) {
                Some(_) => read_all(&*to, known(end).container, Kind::Folder).await,
                None => Vec::new(),
            };
            mend((lane, end), fault, &there, folders.first().map(|f| f.id.as_str()));
        }
    }
    let faults = client.post(&format!("/routes/{route}/checks"), json!({"lanes": lanes})).await;
    panic!("not settled: {faults}");
}

/// A lane between the same systems, the other way round: its left is the right, and it carries to the left what the other carries
/// to the right.
pub fn mirrored(lane: &Value) -> Value {
    let mut out = lane.clone();
    let swap = |value: &mut Value, one: &str, other: &str| {
        let held = value[one].clone();
        value[one] = value[other].clone();
        value[other] = held;
    };
    swap(&mut out, "left_kind", "right_kind");
    swap(&mut out, "left_scope", "right_scope");
    out["direction"] = match lane["direction"].as_str() {
        Some("both") => json!("both"),
        Some("to_left") => json!("to_right"),
        _ => json!("to_left"),
    };
    for rule in out["rules"].as_array_mut().expect("rules") {
        swap(&mut rule["into"], "left", "right");
    }
    out
}

/// A rule that fills a slot of the right end.
pub fn rule_into_right(target: &str, source: Value) -> Value {
    rule_into("right", target, source)
}

fn rule_into(end: &str, target: &str, source: Value) -> Value {
    json!({"into": {end: {"target": target, "source": source}}})
}

fn mend((lane, end): (&mut Value, &str), fault: &Value, there: &Catalogue, folder: Option<&str>) {
    let target = fault["field"].as_str().unwrap_or_default().to_owned();
    let kind = Kind::from_id(lane[format!("{end}_kind")].as_str().expect("a kind")).expect("a known one");
    let field = there.kind(kind).and_then(|k| k.field(&target));
    let rules = lane["rules"].as_array_mut().expect("rules");
    let at = rules.iter().position(|r| r["into"][end]["target"] == target.as_str());
    let source = match (&*target, field.and_then(|f| f.allowed.as_ref())) {
        ("@parent", _) => json!({"constant": {"type": "reference", "value": {"known": folder.expect("a folder")}}}),
        (_, Some(allowed)) => json!({"constant": {"type": "choice", "value": allowed[0]}}),
        _ => json!({"constant": {"type": "text", "value": "not stated"}}),
    };
    let map = at.and_then(|n| rules[n]["into"][end]["conversions"].as_array_mut());
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
            rules.retain(|r| r["into"][end]["target"] != asked.as_str());
            rules.push(rule_into(end, &asked, source));
        }
        _ => {
            rules.retain(|r| r["into"][end]["target"] != target.as_str());
            rules.push(rule_into(end, &target, source));
        }
    }
}
