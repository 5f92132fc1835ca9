//! A route as a file: made again in a fresh database it gives the same plan; what is wrong is told by its lines.

use hovrel_standins::world::Size;
use hovrel_testkit::{Client, OLDSTONE, Systems, TALLYBENCH};
use reqwest::StatusCode;
use serde_json::Value;

use crate::serve;

async fn changes(client: &Client, route: &str) -> (Value, Value) {
    let plan = client.dry_run(route).await;
    let file = client.get(&format!("/plans/{}/file", plan["id"].as_str().expect("an id"))).await;
    (file["digest"].clone(), file["changes"].clone())
}

async fn import(client: &Client, text: &str) -> (StatusCode, Value) {
    client.send_text("/routes/file", "application/yaml", text).await
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_route_made_again_from_its_file_gives_the_same_plan() {
    let both = Systems::start(Size::SMALL).await;
    let first = Client::sign_in(&serve().await).await;
    let route = first.make_route(&both).await;
    // With everything a file may hold: conditions as rows and text, a computed value, what comes along.
    let mut saved = first.get(&format!("/routes/{route}")).await;
    let lane =
        saved["lanes"].as_array_mut().expect("lanes").iter_mut().find(|l| l["id"] == "test_case").expect("cases");
    lane["left_scope"] = serde_json::json!({"any": [
        {"row": {"field": "importance", "op": "one_of", "values": ["Stops the line", "Grave"]}},
        {"expression": "size(fields.labels) > 1 // a comment: \"with\" signs #"}
    ]});
    lane["along"] = "linked".into();
    lane["rules"].as_array_mut().expect("rules").push(serde_json::json!(
        {"into": {"right": {
            "target": "component",
            "source": {"computed": "key + \" / \" + string(size(fields.labels))"},
            "conversions": [{"shorten": {"to": 12}}]
        }}}
    ));
    let body = serde_json::json!({"name": saved["name"], "lanes": saved["lanes"]});
    let (status, kept) = first.call(reqwest::Method::PUT, &format!("/routes/{route}"), Some(body), Some(1)).await;
    assert_eq!(status, 200, "{kept}");
    let file = String::from_utf8(first.bytes(&format!("/routes/{route}/file")).await).expect("UTF-8");
    let secrets = [hovrel_standins::oldstone::PASSWORD, hovrel_standins::tallybench::KEY, &route, "127.0.0.1"];
    assert!(secrets.iter().all(|s| !file.contains(s)), "{file}");

    let second = Client::sign_in(&serve().await).await;
    // Without its systems it is refused, and says which.
    let (status, problem) = import(&second, &file).await;
    assert_eq!(status, 422, "{problem}");
    assert!(problem["fields"][0]["detail"].as_str().expect("words").contains("no system is called “Oldstone”"));
    second.connect(&both, &OLDSTONE).await;
    second.connect(&both, &TALLYBENCH).await;
    let (status, made) = import(&second, &file).await;
    assert_eq!((status, &made["version"]), (StatusCode::CREATED, &1.into()), "{made}");
    let again = made["id"].as_str().expect("an id").to_owned();
    assert_eq!(second.bytes(&format!("/routes/{again}/file")).await, file.as_bytes(), "the same file");
    let (plan, plan_again) = (changes(&first, &route).await, changes(&second, &again).await);
    assert!(plan.1.as_array().is_some_and(|c| c.len() > 20), "it has changes");
    assert_eq!(plan, plan_again, "byte for byte");

    // Once more it is a new version of the same route.
    let edited = file.replace("linked", "reached");
    let (status, saved) = import(&second, &edited).await;
    assert_eq!((status, &saved["id"], &saved["version"]), (StatusCode::OK, &again.as_str().into(), &2.into()));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_file_that_is_wrong_is_refused_whole_with_its_lines() {
    let both = Systems::start(Size::SMALL).await;
    let client = Client::sign_in(&serve().await).await;
    let route = client.make_route(&both).await;
    let file = String::from_utf8(client.bytes(&format!("/routes/{route}/file")).await).expect("UTF-8");
    let line = |wanted: &str| 1 + file.lines().position(|l| l.contains(wanted)).expect("it is in the file");
    let wrong = file
        .replacen("left_kind: test_case", "left_kind: cabin", 1)
        .replacen("container: ropeway", "container: ropeway\n  password: hunter2", 1)
        .replacen("name: Lift control moves", "name: Another", 1);
    let (status, problem) = import(&client, &wrong).await;
    assert_eq!(status, 422, "{problem}");
    let told: Vec<&str> =
        problem["fields"].as_array().expect("faults").iter().filter_map(|f| f["detail"].as_str()).collect();
    let at = |n: usize| format!("line {n}:");
    assert_eq!(told.len(), 2, "{told:?}");
    assert!(told[0].starts_with(&at(line("container: ropeway") + 1)) && told[0].contains("password"), "{told:?}");
    assert!(told[1].starts_with(&at(line("left_kind: test_case") + 1)) && told[1].contains("cabin"), "{told:?}");
    assert_eq!(client.get("/routes").await.as_array().expect("routes").len(), 1, "nothing was imported");
    // A name that another route has, between other ends.
    let other = file.replacen("container: lift-control", "container: nowhere", 1);
    let (status, problem) = import(&client, &other).await;
    assert_eq!(status, 422);
    assert!(problem["fields"][0]["detail"].as_str().expect("words").contains("between other ends"), "{problem}");
    assert_eq!(import(&client, "- 1\n- 2\n").await.0, 422);
    assert_eq!(import(&client, "a: [").await.0, 422);
}
