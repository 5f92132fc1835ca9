//! The real router on a real database, over HTTP: sign-in, versions, bad input, cursors, live events.

mod clock;
mod counterparts;
mod decide;
mod door;
mod filters;
mod look;
mod new_field;
mod policies;
mod quiet;
mod renamed;
mod route_file;
mod settle;
mod standing;
mod surveyed;
mod versions;

use hovrel_clock::Clock;
use hovrel_engine::{Hub, WorkerOptions, run_worker};
use hovrel_standins::world::Size;
use hovrel_standins::{oldstone, tallybench};
use hovrel_store::{Sealer, Store};
use hovrel_testkit::{Client, Database, Systems};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

/// Hovrel with its workers in this process; its address.
async fn serve() -> String {
    serve_by(&Clock::default()).await
}

/// The same, by a clock that somebody else may move.
async fn serve_by(clock: &Clock) -> String {
    let store = Store::open(&Database::fresh().await.url, 8).await.expect("the schema is made");
    let sealer = Sealer::new(&Sealer::new_key()).expect("a key");
    let hub = Hub::new(store, sealer, hovrel_connect::Offer::shipped(), hovrel_connect::Outside::anywhere().by(clock));
    tokio::spawn(run_worker(hub.clone(), WorkerOptions::default(), Default::default()));
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let address = format!("http://{}", listener.local_addr().expect("an address"));
    tokio::spawn(hovrel_server::serve(listener, hovrel_server::router(hub, vec![]), Default::default()));
    address
}

/// A route between both test management systems of the small world, settled.
struct Routed {
    client: Client,
    route: String,
    /// They run until they are dropped.
    _both: Systems,
}

async fn routed() -> Routed {
    let both = Systems::start(Size::SMALL).await;
    let client = Client::sign_in(&serve_by(&both.clock).await).await;
    let route = client.make_route(&both).await;
    Routed { client, route, _both: both }
}

fn pointers(problem: &Value) -> Vec<&str> {
    let fields = problem["fields"].as_array().map(Vec::as_slice).unwrap_or_default();
    fields.iter().filter_map(|f| f["pointer"].as_str()).collect()
}

#[tokio::test]
async fn only_the_first_administrator_is_made_without_signing_in() {
    let address = serve().await;
    let bare = reqwest::Client::new();
    let setup = format!("{address}/api/v1/setup");
    let short = json!({"login": " ", "name": "", "password": "short", "colour": "red"});
    let answer = bare.post(&setup).json(&short).send().await.expect("an answer");
    assert_eq!(answer.status(), 422);
    assert_eq!(pointers(&answer.json().await.expect("a problem")), ["/colour"], "what is unknown is told first");
    let short = json!({"login": " ", "name": "", "password": "short"});
    let problem: Value = bare.post(&setup).json(&short).send().await.expect("an answer").json().await.expect("JSON");
    assert_eq!(pointers(&problem), ["/login", "/name", "/password"]);
    Client::sign_in(&address).await;
    let second = json!({"login": "eve", "name": "Eve", "password": "a long enough password"});
    assert_eq!(bare.post(&setup).json(&second).send().await.expect("an answer").status(), 409);
}

#[tokio::test]
async fn a_session_is_a_cookie_that_no_script_reads_and_a_token_that_no_other_site_has() {
    let address = serve().await;
    let client = Client::sign_in(&address).await;
    let bare = reqwest::Client::new();
    let session = format!("{address}/api/v1/session");
    let mut told = Vec::new();
    for (login, password) in [("admin", "a wrong password"), ("nobody", "a long enough password")] {
        let body = json!({"login": login, "password": password});
        let answer = bare.post(&session).json(&body).send().await.expect("an answer");
        assert_eq!(answer.status(), 401);
        told.push(answer.text().await.expect("a body"));
    }
    assert_eq!(told[0], told[1], "which of the two was wrong is not told");
    let body = json!({"login": "admin", "password": "a long enough password"});
    let answer = bare.post(&session).json(&body).send().await.expect("an answer");
    let cookie = answer.headers()["set-cookie"].to_str().expect("text").to_owned();
    for part in ["HttpOnly", "SameSite=Strict", "Path=/"] {
        assert!(cookie.contains(part), "{part} in {cookie}");
    }
    // With the cookie alone, as a form on another site would send it.
    let systems = format!("{address}/api/v1/systems");
    let cookie = cookie.split(';').next().unwrap_or_default();
    let forged = bare.post(&systems).header("cookie", cookie).json(&json!({})).send().await.expect("an answer");
    assert_eq!(forged.status(), 403);
    assert_eq!(bare.get(&systems).header("cookie", cookie).send().await.expect("an answer").status(), 200);
    assert_eq!(client.call(Method::DELETE, "/session", None, None).await.0, StatusCode::NO_CONTENT);
    assert_eq!(client.call(Method::GET, "/systems", None, None).await.0, StatusCode::UNAUTHORIZED);
}

#[tokio::test]
async fn pages_are_guarded_and_unknown_addresses_are_problems() {
    let address = serve().await;
    let client = Client::sign_in(&address).await;
    let page = reqwest::get(&address).await.expect("a page");
    let policy = page.headers()["content-security-policy"].to_str().expect("text").to_owned();
    assert!(policy.contains("default-src 'self'") && !policy.contains("script-src"), "{policy}");
    assert_eq!(page.headers()["x-content-type-options"], "nosniff");
    let (status, problem) = client.call(Method::GET, "/nowhere", None, None).await;
    assert_eq!((status.as_u16(), problem["type"].as_str()), (404, Some("/problems/missing")));
    let nobody = "00000000-0000-0000-0000-000000000000";
    for path in ["/routes/{}", "/systems/{}", "/plans/{}", "/jobs/{}"] {
        let (status, problem) = client.call(Method::GET, &path.replace("{}", nobody), None, None).await;
        assert_eq!(status, 404, "{path}");
        // RFC 9457 §3.1.
        assert!(["type", "title", "status", "detail"].iter().all(|m| !problem[*m].is_null()), "{path}: {problem}");
    }
}

#[tokio::test]
async fn changes_say_which_version_they_saw() {
    let address = serve().await;
    let client = Client::sign_in(&address).await;
    let sign_in = json!({"login": "x", "password": "y"});
    let body = json!({"name": "Old", "profile": "oldstone", "address": "http://127.0.0.1:9", "sign_in": sign_in});
    let made = client.post("/systems", body.clone()).await;
    let path = format!("/systems/{}", made["id"].as_str().expect("an id"));
    let (status, problem) = client.call(Method::POST, "/systems", Some(body.clone()), None).await;
    assert_eq!((status.as_u16(), pointers(&problem)), (422, vec!["/name"]), "the name is taken");
    // RFC 6585 §3, RFC 9110 §13.1.1.
    assert_eq!(client.call(Method::PUT, &path, Some(body.clone()), None).await.0, 428);
    assert_eq!(client.call(Method::PUT, &path, Some(body.clone()), Some(1)).await.0, 200);
    assert_eq!(client.call(Method::PUT, &path, Some(body.clone()), Some(1)).await.0, 412, "it is version 2 by now");
    // A sign-in is not sent to an address that it was not entered for.
    let moved = json!({"name": "Old", "profile": "oldstone", "address": "http://127.0.0.1:10"});
    let (status, problem) = client.call(Method::PUT, &path, Some(moved), Some(2)).await;
    assert_eq!((status.as_u16(), pointers(&problem)), (422, vec!["/sign_in"]));
    let wrong = json!({"name": "a:b", "profile": "oldstone", "address": "", "sign_in": {"login": "", "pin": "1"}});
    let (_, problem) = client.call(Method::POST, "/systems", Some(wrong), None).await;
    let found = pointers(&problem);
    for pointer in ["/name", "/address", "/sign_in/login", "/sign_in/password", "/sign_in/pin"] {
        assert!(found.contains(&pointer), "{pointer} in {found:?}");
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn lists_go_on_by_cursor_and_events_where_they_were_left() {
    let Routed { client, route, _both } = routed().await;
    let plan = client.dry_run(&route).await;
    let id = plan["id"].as_str().expect("an id");
    let (mut seen, mut cursor) = (Vec::new(), String::new());
    loop {
        let page = client.get(&format!("/plans/{id}/changes?limit=20{cursor}")).await;
        seen.extend(page["items"].as_array().expect("items").iter().map(|c| c["seq"].as_u64().expect("a place")));
        match page["next"].as_i64() {
            Some(next) => cursor = format!("&after={next}"),
            None => break,
        }
    }
    assert_eq!(seen.len() as i64, plan["changes"].as_i64().expect("a number"));
    assert!(seen.windows(2).all(|w| w[0] < w[1]), "in order, each once");
    let (status, _) = client.call(Method::GET, &format!("/plans/{id}/changes?colour=red"), None, None).await;
    assert_eq!(status, 422, "an unknown filter is no filter");

    let job = client.transfer(&plan).await;
    let job = client.finish(&job).await;
    let events = format!("/jobs/{}/events", job["id"].as_str().expect("an id"));
    let told = client.events(&events, None).await;
    let last: Value = serde_json::from_str(&told.last().expect("events").1).expect("JSON");
    assert_eq!(last["state"], "done", "the stream ends with the job");
    for (n, (seq, _)) in told.iter().enumerate() {
        let rest = client.events(&events, Some(*seq)).await;
        assert_eq!(rest, told[n + 1..], "after a reconnect nothing is missed and nothing told twice");
    }
    let told = client.get("/overview").await.to_string();
    assert!(![oldstone::PASSWORD, tallybench::KEY].iter().any(|s| told.contains(s)));
}
