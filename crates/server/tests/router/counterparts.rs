//! Counterparts: what a person says of items without a pair holds for the dry run, and what makes no sense is refused.

use hovrel_connect::Write;
use hovrel_core::model::{Kind, Value as Held};
use hovrel_testkit::TALLYBENCH;
use reqwest::Method;
use serde_json::{Value, json};

use crate::{Routed, pointers, routed};

fn rows<'v>(list: &'v Value, shelf: &str) -> &'v [Value] {
    list[shelf].as_array().expect("rows")
}

fn id(row: &Value, end: &str) -> String {
    row[end]["id"].as_str().expect("an id").to_owned()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_a_person_says_holds_for_the_dry_run() {
    let Routed { client, route, _both } = routed().await;
    let path = format!("/routes/{route}/matches/test_case");
    let list = client.get(&path).await;
    let (doubtful, sure) = (rows(&list, "doubtful"), rows(&list, "sure"));
    assert!(!doubtful.is_empty() && !sure.is_empty(), "{list}");
    let doubts: Vec<u64> = doubtful.iter().map(|m| m["doubt"].as_u64().expect("a number")).collect();
    assert!(doubts.is_sorted_by(|a, b| a >= b), "the most doubtful first: {doubts:?}");

    // Side by side, field by field; and others to choose from, likest first.
    let (one, its) = (id(&doubtful[0], "item"), id(&doubtful[0], "other"));
    let beside = client.get(&format!("{path}/beside?left_id={one}&right_id={its}")).await;
    let fields = beside.as_array().expect("fields");
    assert!(fields.iter().any(|f| f["field_name"] == "Title" || f["field_name"] == "Heading"), "{beside}");
    assert!(fields.iter().any(|f| f["same"] == false), "they only look alike");
    let others = client.get(&format!("{path}/others?item={one}")).await;
    let scores: Vec<u64> =
        others.as_array().expect("a list").iter().map(|o| o["likeness"]["score"].as_u64().expect("a score")).collect();
    assert!(scores.len() <= 9 && scores.is_sorted_by(|a, b| a >= b), "{scores:?}");
    assert_eq!(others[0]["item"]["id"], its, "the likest is the one that was offered");
    let title = doubtful[0]["other"]["title"].as_str().expect("a title");
    let first = title.split(' ').next().unwrap_or_default();
    let found = client.get(&format!("{path}/others?item={one}&find={first}")).await;
    assert!(
        found.as_array().expect("a list").iter().all(|o| o["item"]["title"]
            .as_str()
            .unwrap()
            .to_lowercase()
            .contains(&first.to_lowercase())),
        "{found}"
    );

    // One is said to be the same, a sure one to have no counterpart.
    let (wrong, was) = (id(&sure[0], "item"), id(&sure[0], "other"));
    let said = json!({"settle": [{"item": one, "said": {"other": its}}, {"item": wrong, "said": "nobody"}]});
    assert_eq!(client.call(Method::PUT, &path, Some(said), None).await.0, 204);
    let after = client.get(&path).await;
    assert_eq!(after["settled_count"], 2);
    assert!(rows(&after, "settled").iter().all(|m| m["settled_by"] == "First"), "{after}");
    let others = client.get(&format!("{path}/others?item={wrong}")).await;
    assert!(
        others.as_array().expect("a list").iter().all(|o| o["item"]["id"] != its.as_str()),
        "nobody is the counterpart of two"
    );
    let plan = client.dry_run(&route).await;
    let changes = client.all_changes(&plan).await;
    let of = |id: &str| {
        changes.iter().find(|c| c["kind"] == "test_case" && c["left"]["id"] == id).unwrap_or_else(|| panic!("{id}"))
    };
    assert_eq!((&of(&one)["outcome"], &of(&one)["evidence"]["how"]), (&json!("adopt"), &json!("settled")));
    assert_eq!(of(&one)["included"], true, "what a person said needs no second look");
    assert_eq!(of(&wrong)["outcome"], "new_right");
    assert!(
        !changes.iter().any(|c| c["right"]["id"] == was.as_str() && c["kind"] == "test_case"),
        "it stays by itself"
    );

    // Opened again, matching decides as before.
    let open = json!({"settle": [{"item": one, "said": "open"}, {"item": wrong, "said": "open"}]});
    assert_eq!(client.call(Method::PUT, &path, Some(open), None).await.0, 204);
    let again = client.get(&path).await;
    assert_eq!(
        (&again["doubtful"], &again["sure"], &again["settled"]),
        (&list["doubtful"], &list["sure"], &list["settled"])
    );
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_makes_no_sense_is_refused_whole() {
    let Routed { client, route, _both } = routed().await;
    let path = format!("/routes/{route}/matches/test_case");
    let list = client.get(&path).await;
    let (a, b) = (&rows(&list, "sure")[0], &rows(&list, "sure")[1]);
    let (other, nobody) = (id(a, "other"), "nobody-has-this-id");
    let twice = json!({"settle": [
        {"item": id(a, "item"), "said": {"other": other}},
        {"item": id(b, "item"), "said": {"other": other}},
        {"item": nobody, "said": "nobody"},
        {"item": id(b, "item"), "said": {"other": nobody}},
    ]});
    let (status, problem) = client.call(Method::PUT, &path, Some(twice), None).await;
    assert_eq!(
        (status.as_u16(), pointers(&problem)),
        (422, vec!["/settle/1/said", "/settle/2/item", "/settle/3/said"])
    );
    assert_eq!(client.get(&path).await["settled_count"], 0, "nothing of it is kept");
    assert_eq!(client.call(Method::GET, &path.replace("test_case", "cabin"), None, None).await.0, 404);

    // The small world holds two test cases of one name in one folder; they are pointed out, not merged.
    let schema = client.get(&format!("/routes/{route}/schema")).await;
    let kinds = schema["left"]["survey"]["kinds"].as_array().expect("kinds");
    let cases = kinds.iter().find(|k| k["kind"] == "test_case").expect("test cases");
    let groups = cases["doubles"].as_array().expect("groups");
    assert_eq!(cases["doubles_count"], groups.len());
    let titles: Vec<&str> = groups[0]["items"].as_array().unwrap().iter().filter_map(|i| i["title"].as_str()).collect();
    assert!(titles.len() >= 2, "{groups:?}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn keys_open_what_their_maker_ticked_and_nothing_else() {
    let Routed { client, route, _both } = routed().await;
    let empty = json!({"name": " ", "may": [], "routes": [], "expires_at": "2020-01-01T00:00:00Z"});
    let (status, problem) = client.call(Method::POST, "/keys", Some(empty), None).await;
    assert_eq!((status.as_u16(), pointers(&problem)), (422, vec!["/name", "/may", "/expires_at", "/routes"]));
    let made = client.post("/keys", json!({"name": "looks at one", "may": ["look"], "routes": [route]})).await;
    let (id, key) = (made["id"].as_str().expect("an id"), made["key"].as_str().expect("a key"));
    let now = client.get(&format!("/routes/{route}")).await;
    let ends = ["left", "right"].map(|e| json!({"system": now[e]["system"], "container": now[e]["container"]}));
    client.post("/routes", json!({"name": "Another", "left": ends[0], "right": ends[1], "lanes": []})).await;
    let bare = reqwest::Client::new();
    let ask = async |method: Method, path: &str| {
        let request = bare.request(method, format!("{}/api/v1{path}", client.address)).bearer_auth(key);
        request.json(&json!({})).send().await.expect("an answer")
    };
    let with_key = async |method: Method, path: &str| ask(method, path).await.status().as_u16();
    for (method, path, status) in [
        (Method::GET, "/routes".to_owned(), 200),
        (Method::GET, format!("/routes/{route}"), 200),
        (Method::GET, "/systems".to_owned(), 200),
        (Method::GET, "/overview".to_owned(), 200),
        (Method::POST, format!("/routes/{route}/met/people"), 422),
        (Method::POST, format!("/routes/{route}/dry-runs"), 403),
        (Method::DELETE, format!("/routes/{route}"), 403),
        (Method::GET, "/keys".to_owned(), 403),
        (Method::POST, "/keys".to_owned(), 403),
        (Method::POST, "/systems".to_owned(), 403),
        (Method::GET, "/routes/00000000-0000-0000-0000-000000000000".to_owned(), 403),
    ] {
        assert_eq!(with_key(method.clone(), &path).await, status, "{method} {path}");
    }
    for (path, at) in [("/routes", ""), ("/overview", "/routes")] {
        let told: Value = ask(Method::GET, path).await.json().await.expect("JSON");
        let ids: Vec<&str> = told
            .pointer(at)
            .and_then(Value::as_array)
            .expect("routes")
            .iter()
            .filter_map(|r| r["id"].as_str())
            .collect();
        assert_eq!(ids, [&route], "{path} tells of no other route");
    }
    let listed = client.get("/keys").await;
    assert!(!listed.to_string().contains(key), "a key is shown once");
    assert!(!listed[0]["used_at"].is_null(), "{listed}");
    assert_eq!(client.call(Method::DELETE, &format!("/keys/{id}"), None, None).await.0, 204);
    assert_eq!(with_key(Method::GET, "/routes").await, 401);
}

/// Somebody edits one of two that were found to be alike, so that they are less alike than what is asked about: it is asked on
/// until a person decides, and nothing is made twice without a word.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_likely_match_stays_one_until_somebody_decides() {
    let Routed { client, route, _both } = routed().await;
    let likely = async || {
        let plan = client.dry_run(&route).await;
        let all = client.all_changes(&plan).await;
        let is_likely =
            |c: &&Value| c["outcome"] == "adopt" && c["evidence"]["how"] == "similar" && c["kind"] == "test_case";
        all.iter().filter(is_likely).map(|c| (id(c, "left"), id(c, "right"), c["included"] == true)).collect::<Vec<_>>()
    };
    let before = likely().await;
    let (left, right, _) = before.first().expect("some are alike").clone();
    let there = _both.connect(&TALLYBENCH);
    let now = there.one(TALLYBENCH.container, Kind::TestCase, &right).await.expect("it is there");
    let fields = [("title", Held::text("Turnstile shows what it likes")), ("preconditions", Held::Empty)];
    let (fields, version) = (fields.into_iter().collect(), now.version);
    let write = Write { kind: Kind::TestCase, id: Some(now.id), version, fields, parent: None, in_source: false };
    there.write(TALLYBENCH.container, &write).await.expect("it is taken");
    for _ in 0..2 {
        assert_eq!(likely().await, before, "still asked, and not taken in by itself");
    }
    let said = json!({"settle": [{"item": left, "said": "nobody"}]});
    let path = format!("/routes/{route}/matches/test_case");
    assert_eq!(client.call(Method::PUT, &path, Some(said), None).await.0, 204);
    assert_eq!(likely().await, before[1..], "somebody decided");
}
