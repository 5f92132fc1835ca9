//! Settling a route: lanes are checked whole, bad ones are refused by their place, scopes count what they match.

use hovrel_standins::world::oddities;
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

use crate::{Routed, pointers, routed};

impl Routed {
    async fn lanes(&self) -> Vec<Value> {
        self.client.get(&format!("/routes/{}", self.route)).await["lanes"].as_array().expect("lanes").clone()
    }

    async fn faults(&self, lanes: &[Value]) -> Vec<Value> {
        let body = json!({"lanes": lanes});
        self.client.post(&format!("/routes/{}/checks", self.route), body).await.as_array().expect("faults").clone()
    }

    async fn save(&self, lanes: &[Value], version: i64) -> (StatusCode, Value) {
        let body = json!({"name": "Lift control moves", "lanes": lanes});
        self.client.call(Method::PUT, &format!("/routes/{}", self.route), Some(body), Some(version)).await
    }

    async fn scope(&self, end: &str, condition: Value) -> Value {
        let mut lanes = self.lanes().await;
        cases(&mut lanes)[format!("{end}_scope")] = condition;
        self.covers(end, &lanes, None).await
    }

    /// What the lane of test cases covers, with an expression in place of its condition.
    async fn covers(&self, end: &str, lanes: &[Value], text: Option<&str>) -> Value {
        let body = json!({"end": end, "lane": "test_case", "lanes": lanes, "text": text});
        self.client.post(&format!("/routes/{}/scope", self.route), body).await
    }
}

fn cases(lanes: &mut [Value]) -> &mut Value {
    lanes.iter_mut().find(|l| l["left_kind"] == "test_case").expect("a lane of test cases")
}

fn rule<'l>(lane: &'l mut Value, target: &str) -> &'l mut Value {
    let rules = lane["rules"].as_array_mut().expect("rules");
    rules.iter_mut().find(|r| r["into"]["right"]["target"] == target).unwrap_or_else(|| panic!("no rule for {target}"))
}

fn row(field: &str, op: &str, value: &str) -> Value {
    json!({"row": {"field": field, "op": op, "value": value}})
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn lanes_are_checked_whole_with_the_items_concerned() {
    let m = routed().await;
    let mut lanes = m.lanes().await;
    assert_eq!(m.faults(&lanes).await, [] as [Value; 0], "the proposal, settled");

    // Three things wrong at once are three faults, each with its field, and how many items it stops.
    let lane = cases(&mut lanes);
    rule(lane, "priority")["into"]["right"]["conversions"] = json!([{"value_map": {"rows": [], "otherwise": "block"}}]);
    rule(lane, "title")["into"]["right"]["source"] = json!({"field": "colour"});
    lane["rules"].as_array_mut().unwrap().retain(|r| r["into"]["right"]["target"] != "status");
    let faults = m.faults(&lanes).await;
    let of = |field: &str| faults.iter().find(|f| f["field"] == field).unwrap_or_else(|| panic!("{field}: {faults:?}"));
    assert!(of("title")["message"].as_str().is_some_and(|m| m.contains("colour")), "{}", of("title"));
    let unmapped: Vec<&Value> = faults.iter().filter(|f| f["field"] == "priority").collect();
    let stopped: u64 = unmapped.iter().map(|f| f["item_count"].as_u64().unwrap_or_default()).sum();
    assert!(stopped > 40, "every value is without a row: {unmapped:?}");
    assert!(unmapped.iter().all(|f| f["blocks"] == true && !f["items"].as_array().unwrap().is_empty()));

    // They can be kept, and a dry run refuses them with every fault.
    let version = m.client.get(&format!("/routes/{}", m.route)).await["version"].as_i64().expect("a version");
    assert_eq!(m.save(&lanes, version).await.0, 200);
    let (status, problem) = m.client.call(Method::POST, &format!("/routes/{}/dry-runs", m.route), None, None).await;
    assert_eq!(status, 409, "{problem}");
    let told = problem["detail"].as_str().expect("words");
    assert!(told.contains("title: ") && told.contains("priority: "), "{told}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_route_that_is_not_one_is_refused_and_the_old_one_stays() {
    let m = routed().await;
    let lanes = m.lanes().await;
    let version = m.client.get(&format!("/routes/{}", m.route)).await["version"].as_i64().expect("a version");
    for (place, wrong) in [
        ("/left_kind", json!("colour")),
        ("/direction", json!("sideways")),
        ("/rules/0/into/right/conversions", json!([{"paint": "red"}])),
        ("/left_scope", json!({"row": {"field": "@title", "op": "rhymes", "value": "x"}})),
        ("/policies/first_contact", json!("toss_a_coin")),
    ] {
        let mut lanes = lanes.clone();
        *lanes[0].pointer_mut(place).unwrap_or_else(|| panic!("a lane has {place}")) = wrong;
        let (status, problem) = m.save(&lanes, version).await;
        assert_eq!(status, 422, "{place}: {problem}");
        let told = problem["fields"][0]["pointer"].as_str().unwrap_or_default();
        assert!(told.starts_with("/lanes/0"), "{place} is told at {told}: {problem}");
    }
    let mut extra = lanes.clone();
    extra[0]["colour"] = json!("red");
    assert_eq!(m.save(&extra, version).await.0, 422, "what is unknown is refused");
    assert_eq!(m.lanes().await, lanes);

    // A version that somebody else saved in between is not written over.
    assert_eq!(m.save(&lanes, version).await.0, 200);
    assert_eq!(m.save(&lanes, version).await.0, 412);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_scope_as_text_is_the_same_as_rows() {
    let m = routed().await;
    let lanes = m.lanes().await;
    let under = m.scope("left", json!({"all": [row("@folder", "under", "Line & cabins")]})).await;
    let text = under["text"].as_str().expect("it can be written");
    assert_eq!(text, "under(folder, \"Line & cabins\")");
    let again = m.covers("left", &lanes, Some(text)).await;
    assert_eq!(
        (&again["matched"], &again["condition"]["all"][0]["row"]["op"]),
        (&under["matched"], &"under".into()),
        "{again}"
    );

    // What can't be read is told with its place, and the scope stays what it was.
    let wrong = m.covers("left", &lanes, Some("under(folder, 3) && nowhere")).await;
    let faults = wrong["text_faults"].as_array().expect("faults");
    assert_eq!((faults.len(), &faults[0]["from"], &faults[1]["from"]), (2, &0.into(), &20.into()), "{faults:?}");
    assert_eq!((&wrong["matched"], &wrong["condition"]), (&wrong["total"], &json!({"all": []})));

    // A row that says nothing of this end is told at its place, and a dry run waits for it.
    let mut gone = lanes.clone();
    cases(&mut gone)["left_scope"] = json!({"all": [{"any": [row("colour", "is", "red")]}]});
    let told = m.covers("left", &gone, None).await;
    assert_eq!((&told["faults"][0]["at"], &told["text"]), (&json!([0, 0]), &Value::Null), "{told}");
    assert!(m.faults(&gone).await.iter().any(|f| f["reason"]["reason"] == "scope"));

    let path = format!("/routes/{}/names?end=left&kind=test_case", m.route);
    let names = m.client.get(&path).await;
    let held = |list: &str, text: &str| {
        names[list]
            .as_array()
            .expect("a list")
            .iter()
            .any(|n| [&n["text"], &n["field"], &n["name"]].contains(&&text.into()))
    };
    assert!(held("names", "fields.importance") && held("places", "@folder") && held("functions", "fold"), "{names}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_linked_comes_along_and_into_the_plan() {
    let m = routed().await;
    let mut lanes = m.lanes().await;
    // One test run, and of everything else only what leads from it.
    for lane in &mut lanes {
        let kind = lane["left_kind"].as_str().expect("a kind").to_owned();
        if kind == "execution" {
            lane["left_scope"] = json!({"expression": "title.contains(\"Season opening\") || key.endsWith(\"1\")"});
        } else if kind != "folder" {
            lane["left_scope"] = json!({"any": []});
            lane["along"] = "reached".into();
        }
    }
    let covered = m.covers("left", &lanes, None).await;
    let along = covered["along"].as_u64().expect("a number");
    assert_eq!(covered["matched"], 0);
    assert!(along > 0 && along < covered["total"].as_u64().expect("a number"), "{covered}");
    assert!(covered["items"].as_array().expect("items").iter().all(|i| i["along"] == true));

    let version = m.client.get(&format!("/routes/{}", m.route)).await["version"].as_i64().expect("a version");
    let (status, saved) = m.save(&lanes, version).await;
    assert_eq!(status, 200, "{saved}");
    let plan = m.client.dry_run(&m.route).await;
    let changes = m.client.all_changes(&plan).await;
    let of_kind = |kind: &str| changes.iter().filter(|c| c["kind"] == kind).count() as u64;
    assert_eq!(of_kind("test_case"), along, "as many as were counted before");
    assert!(of_kind("test_run") > 0 && of_kind("test_run") < 6, "runs of the executions in scope");
    let (line, planned) = (saved["scope"]["matched"].as_u64(), plan["left_in_scope"].as_u64());
    assert!(line >= planned && line < Some(60), "folders that are too deep are joined: {line:?}, {planned:?}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_scope_counts_what_it_matches_and_shows_it() {
    let m = routed().await;
    let all = m.scope("left", json!({"all": []})).await;
    assert_eq!(all["matched"], all["total"]);
    let wind = m.scope("left", row("@folder", "under", "Line & cabins / Wind")).await;
    let items = wind["items"].as_array().expect("items");
    assert_eq!(wind["matched"].as_u64(), Some(items.len() as u64));
    assert!(!items.is_empty() && items.iter().all(|i| i["path"] == "Line & cabins / Wind"), "{items:?}");
    let rest = m.scope("left", json!({"all": [row("@folder", "under", "Line & cabins")]})).await;
    assert!(rest["matched"].as_u64() > wind["matched"].as_u64());

    // All and any, as sets are: what is in both is counted once.
    let long = row("@key", "is", &format!("OS-{}", oddities::LONG_TITLE));
    let either = json!({"any": [row("@folder", "under", "Line & cabins / Wind"), long.clone()]});
    assert_eq!(m.scope("left", either).await["matched"].as_u64(), wind["matched"].as_u64().map(|n| n + 1));
    let both = json!({"all": [row("@folder", "under", "Line & cabins / Wind"), long]});
    assert_eq!(m.scope("left", both).await["matched"], 0);
    assert!(m.scope("right", json!({"all": []})).await["total"].as_u64() < all["total"].as_u64());
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_preview_shows_what_the_rules_make_of_a_real_item() {
    let m = routed().await;
    let mut lanes = m.lanes().await;
    let lane = cases(&mut lanes).clone();
    let path = format!("/routes/{}/preview", m.route);
    let shown = async |body: Value| m.client.post(&path, body).await;
    let value = |preview: &Value, target: &str| {
        let values = preview["values"].as_array().expect("values");
        values.iter().find(|v| v["rule"] == target).cloned().unwrap_or_else(|| panic!("no {target}"))
    };

    let key = format!("OS-{}", oddities::LONG_TITLE);
    let long = shown(json!({"lane": lane, "at": 0, "key": key})).await;
    assert_eq!(long["item"]["key"], key.as_str());
    let title = value(&long, "title");
    assert_eq!(title["from"].as_str().map(|t| t.chars().count()), Some(400));
    assert_eq!(title["losses"][0]["kind"], "truncated");
    assert!(title["from"].as_str().unwrap().starts_with(title["becomes"].as_str().unwrap()));

    // The one with a file that is not taken, and its link to where that stays.
    let key = format!("OS-{}", oddities::REFUSED_FILE);
    let odd = shown(json!({"lane": lane, "at": 0, "key": key})).await;
    let stays = value(&odd, "@attachments")["losses"][0]["after"].as_str().expect("an address").to_owned();
    assert!(value(&odd, "@links")["becomes"].as_str().unwrap().contains(&stays), "{odd}");

    // Past the end it is the last; out of scope it is none.
    let total = long["total"].as_u64().expect("a number");
    assert_eq!(shown(json!({"lane": lane, "at": 100_000})).await["at"], total - 1);
    let mut nothing = lane.clone();
    nothing["left_scope"] = row("@key", "is", "OS-0");
    let none = shown(json!({"lane": nothing, "at": 0})).await;
    assert_eq!((&none["total"], &none["item"]), (&json!(0), &Value::Null));

    // A rule that can't be followed says why in place of a value.
    let mut wrong = lane.clone();
    rule(&mut wrong, "priority")["into"]["right"]["conversions"] =
        json!([{"value_map": {"rows": [], "otherwise": "block"}}]);
    let fault = value(&shown(json!({"lane": wrong, "at": 0})).await, "priority")["fault"].clone();
    assert!(fault.as_str().is_some_and(|f| f.contains("value map")), "{fault}");
}

/// A value map is shown what reaches it from the items in scope, computed or not.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn values_are_counted_as_they_reach_the_map() {
    let m = routed().await;
    let mut lanes = m.lanes().await;
    let lane = cases(&mut lanes);
    let path = format!("/routes/{}/met", m.route);
    let met = async |lane: &Value, target: &str| {
        let found = m.client.post(&path, json!({"lane": lane, "rule": target})).await;
        let values: Vec<(String, u64)> = found["values"]
            .as_array()
            .expect("values")
            .iter()
            .map(|v| (v["value"].as_str().unwrap().to_owned(), v["count"].as_u64().unwrap()))
            .collect();
        values
    };
    let sum = |values: &[(String, u64)]| values.iter().map(|(_, n)| n).sum::<u64>();
    let all = met(lane, "priority").await;
    assert!(all.len() > 2, "{all:?}");
    let (most, count) = all[0].clone();

    let mut few = lane.clone();
    let from = rule(&mut few, "priority")["into"]["right"]["source"]["field"].as_str().expect("a field").to_owned();
    few["left_scope"] = row(&from, "is", &most);
    assert_eq!(met(&few, "priority").await, [(most, count)], "only what is in scope");

    let mut computed = lane.clone();
    rule(&mut computed, "priority")["into"]["right"]["source"] =
        json!({"computed": "key.endsWith(\"1\") ? \"first\" : \"other\""});
    let found = met(&computed, "priority").await;
    assert_eq!((found.len(), sum(&found)), (2, sum(&all)), "{found:?}");
    assert_eq!(found[0].0, "other", "the most frequent first");
    // While an expression is being written there is nothing to count.
    rule(&mut computed, "priority")["into"]["right"]["source"] = json!({"computed": "key.endsWith("});
    assert_eq!(met(&computed, "priority").await, [(String::new(), sum(&all))]);

    // People likewise, with whom they are recognised as.
    let people = async |lane: &Value, target: &str| {
        m.client.post(&format!("{path}/people"), json!({"lane": lane, "rule": target})).await
    };
    let by_people = |r: &&Value| {
        r["into"]["right"]["conversions"].as_array().is_some_and(|c| c.iter().any(|c| c["users"].is_object()))
    };
    let named = lane["rules"].as_array().unwrap().iter().find(by_people).expect("a rule with people")["id"].clone();
    let named = named.as_str().unwrap();
    let everybody = people(lane, named).await;
    let count = |told: &Value| told.as_array().unwrap().iter().map(|p| p["count"].as_u64().unwrap()).sum::<u64>();
    assert!(
        everybody.as_array().unwrap().iter().any(|p| p["there"].is_string() && p["how"].is_string()),
        "{everybody}"
    );
    let some = people(&few, named).await;
    assert!((1..count(&everybody)).contains(&count(&some)), "only what is in scope: {some} of {everybody}");

    for path in [path.clone(), format!("{path}/people")] {
        let wrong = json!({"lane": lane, "rule": "colour"});
        let (status, problem) = m.client.call(Method::POST, &path, Some(wrong), None).await;
        assert_eq!((status.as_u16(), pointers(&problem)), (422, vec!["/rule"]));
    }
}

/// A survey says which routes it concerns: whose rules do not fit, and what the other end does not take.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_survey_tells_what_it_means_for_routes() {
    let m = routed().await;
    let route = m.client.get(&format!("/routes/{}", m.route)).await;
    let uses = async |end: &str| {
        let (system, container) = (route[end]["system"].as_str().unwrap(), route[end]["container"].as_str().unwrap());
        m.client.get(&format!("/systems/{system}/containers/{container}/routes")).await
    };
    let left = uses("left").await;
    assert_eq!(
        (&left[0]["name"], &left[0]["other"], &left[0]["to_settle"]),
        (&route["name"], &route["right"]["system_name"], &json!(0))
    );
    let title = left[0]["beyond"].as_array().unwrap().iter().find(|b| b["target"] == "Title").expect("one is too long");
    assert_eq!((&title["kind"], &title["met"], &title["shortened"]), (&json!("test_case"), &json!(400), &json!(true)));
    assert_eq!(uses("right").await[0]["beyond"], json!([]), "nothing is taken from there");

    let mut lanes = m.lanes().await;
    rule(cases(&mut lanes), "title")["into"]["right"]["source"] = json!({"field": "colour"});
    assert_eq!(m.save(&lanes, route["version"].as_i64().unwrap()).await.0, 200);
    for end in ["left", "right"] {
        let now = uses(end).await;
        assert_eq!((&now[0]["to_settle"], &now[0]["faults"][0]["field"]), (&json!(1), &json!("Title")), "{now}");
    }
    assert_eq!(m.client.get(&format!("/systems/{}/containers/nowhere/routes", uuid::Uuid::nil())).await, json!([]));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_in_use_is_not_taken_away() {
    let m = routed().await;
    let systems = m.client.get("/systems").await;
    let old = systems.as_array().unwrap().iter().find(|s| s["name"] == "Oldstone").expect("it is connected");
    let path = format!("/systems/{}", old["id"].as_str().unwrap());
    let (status, problem) = m.client.call(Method::DELETE, &path, None, None).await;
    assert_eq!(status, 409, "{problem}");
    assert!(problem.to_string().contains("Lift control moves"), "the route is named: {problem}");
    // A route is removed by whoever says its name.
    let route = format!("/routes/{}", m.route);
    let (status, problem) = m.client.call(Method::DELETE, &route, Some(json!({"name": "Lift"})), None).await;
    assert_eq!((status.as_u16(), pointers(&problem)), (422, vec!["/name"]));
    let body = json!({"name": "Lift control moves"});
    assert!(m.client.call(Method::DELETE, &route, Some(body), None).await.0.is_success());
    assert_eq!(m.client.call(Method::GET, &route, None, None).await.0, 404);
    assert!(m.client.call(Method::DELETE, &path, None, None).await.0.is_success());
}
