//! The habits of the simulated systems, as a bare client meets them: sign-in, pages, versions, limits, states. What
//! the connectors are tested against must itself be as it is described.

use hovrel_standins::world::Size;
use hovrel_standins::{Running, cairnbook, fernway, oldstone, tallybench};
use reqwest::{Method, RequestBuilder, Response, StatusCode};
use serde_json::{Value, json};

/// A client of one of them.
struct At<'s> {
    system: &'s Running,
    http: reqwest::Client,
    sign: Box<dyn Fn(RequestBuilder) -> RequestBuilder>,
}

impl<'s> At<'s> {
    fn new(system: &'s Running, sign: impl Fn(RequestBuilder) -> RequestBuilder + 'static) -> At<'s> {
        At { system, http: reqwest::Client::new(), sign: Box::new(sign) }
    }

    fn ask(&self, method: Method, path: &str) -> RequestBuilder {
        (self.sign)(self.http.request(method, format!("{}{path}", self.system.url())))
    }

    async fn get(&self, path: &str) -> Response {
        self.ask(Method::GET, path).send().await.expect("an answer")
    }

    async fn json(&self, path: &str) -> Value {
        self.get(path).await.json().await.expect("JSON")
    }

    async fn post(&self, path: &str, body: Value) -> Response {
        self.ask(Method::POST, path).json(&body).send().await.expect("an answer")
    }
}

fn head<'a>(answer: &'a Response, name: &str) -> &'a str {
    answer.headers().get(name).and_then(|v| v.to_str().ok()).unwrap_or_default()
}

async fn tally(calls_per_minute: u32) -> Running {
    let options = tallybench::Options { size: Size::SMALL, calls_per_minute, ..Default::default() };
    tallybench::start(options).await.expect("it starts")
}

fn with_key(request: RequestBuilder) -> RequestBuilder {
    request.header("x-tally-key", tallybench::KEY)
}

fn case(mark: &str) -> Value {
    json!({"title": "Rain gauge", "priority": "Normal", "status": "active", "external_ref": mark})
}

#[tokio::test]
async fn tallybench_takes_changes_under_the_version_that_was_seen() {
    let system = tally(10_000).await;
    let at = At::new(&system, with_key);
    let made = at.post("/api/projects/ropeway/cases", case("Old:1")).await;
    assert_eq!(made.status(), StatusCode::CREATED);
    let tag = head(&made, "etag").to_owned();
    let made: Value = made.json().await.expect("JSON");
    let path = format!("/api/cases/{}", made["id"]);
    let put = |tag: Option<String>, title: &str| {
        let request = at.ask(Method::PUT, &path).json(&json!({"title": title}));
        tag.into_iter().fold(request, |r, tag| r.header("if-match", tag)).send()
    };
    // RFC 6585 §3 and RFC 9110 §13.1.1.
    assert_eq!(put(None, "Blind").await.unwrap().status(), StatusCode::PRECONDITION_REQUIRED);
    let changed = put(Some(tag.clone()), "Rain gauge at Summit").await.unwrap();
    assert_eq!(changed.status(), StatusCode::OK);
    assert_ne!(head(&changed, "etag"), tag);
    assert_eq!(put(Some(tag), "Late").await.unwrap().status(), StatusCode::PRECONDITION_FAILED);
    let now = at.json(&path).await;
    assert_eq!((&now["title"], now["history"].as_array().map(Vec::len)), (&json!("Rain gauge at Summit"), Some(1)));

    // A mark belongs to one case; a field that is wrong is named.
    let second = at.post("/api/projects/ropeway/cases", case("Old:1")).await;
    assert_eq!(second.status(), StatusCode::CONFLICT);
    let mut wrong = case("Old:2");
    wrong["priority"] = json!("Soon");
    let refused = at.post("/api/projects/ropeway/cases", wrong).await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let told: Value = refused.json().await.expect("JSON");
    assert_eq!(told["error"]["field"], "priority");
}

#[tokio::test]
async fn tallybench_makes_fifty_at_once_each_for_itself() {
    let system = tally(10_000).await;
    let at = At::new(&system, with_key);
    let batch = |count: usize| json!({"items": (0..count).map(|n| case(&format!("Old:{n}"))).collect::<Vec<_>>()});
    let many = "/api/projects/ropeway/cases/batch";
    for count in [0, 51] {
        assert_eq!(at.post(many, batch(count)).await.status(), StatusCode::UNPROCESSABLE_ENTITY, "{count}");
    }
    let mut body = batch(50);
    body["items"][7]["title"] = json!("");
    let answers: Value = at.post(many, body).await.json().await.expect("JSON");
    let answers = answers["answers"].as_array().expect("answers");
    assert_eq!(answers.len(), 50);
    let refused: Vec<usize> = (0..50).filter(|n| answers[*n]["item"].is_null()).collect();
    assert_eq!(refused, [7]);
    assert_eq!((&answers[7]["status"], &answers[7]["error"]["field"]), (&json!(422), &json!("title")));
}

#[tokio::test]
async fn tallybench_lets_a_number_of_calls_a_minute_through() {
    let system = tally(40).await;
    let at = At::new(&system, with_key);
    let mut taken = 0;
    let held = loop {
        let answer = at.get("/api/about").await;
        if answer.status() == StatusCode::TOO_MANY_REQUESTS {
            break answer;
        }
        taken += 1;
        assert!(taken < 40, "a minute's calls are not let through at once");
    };
    assert!(taken >= 10, "a quarter of a minute's calls are there at once: {taken}");
    // RFC 6585 §4 and RFC 9110 §10.2.3.
    assert!(head(&held, "retry-after").parse::<u64>().is_ok_and(|s| s >= 1), "{held:?}");
    let bare = At::new(&system, |request| request);
    assert_eq!(bare.get("/api/about").await.status(), StatusCode::UNAUTHORIZED);
}

#[tokio::test]
async fn tallybench_keeps_chapters_five_deep_and_lists_by_cursor() {
    let system = tally(10_000).await;
    let at = At::new(&system, with_key);
    let chapters = "/api/projects/ropeway/chapters";
    let mut parent = Value::Null;
    for level in 1..=6 {
        let answer = at.post(chapters, json!({"title": format!("Level {level}"), "chapter_id": parent})).await;
        if level == 6 {
            assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY);
        } else {
            assert_eq!(answer.status(), StatusCode::CREATED, "level {level}");
            parent = answer.json::<Value>().await.expect("JSON")["id"].clone();
        }
    }
    let (mut seen, mut cursor) = (Vec::new(), String::new());
    loop {
        let page = at.json(&format!("{chapters}?limit=3{cursor}")).await;
        let items = page["items"].as_array().expect("items");
        assert!(items.len() <= 3);
        seen.extend(items.iter().map(|i| i["id"].as_u64().expect("an id")));
        match page["next"].as_str() {
            Some(next) => cursor = format!("&after={next}"),
            None => break,
        }
    }
    let mut once = seen.clone();
    once.sort_unstable();
    once.dedup();
    assert_eq!(once.len(), seen.len(), "each once");
    assert!(seen.len() > 5, "{seen:?}");
}

/// RFC 6749 §4.4 (the grant), §5.1 (the answer), §5.2 (its errors).
#[tokio::test]
async fn fernway_gives_tokens_to_its_clients_and_forgets_them() {
    let options = fernway::Options { size: Size::SMALL, token_seconds: 1, ..Default::default() };
    let system = fernway::start(options).await.expect("it starts");
    let http = reqwest::Client::new();
    let ask = |secret: &str, grant: &str| {
        http.post(format!("{}/oauth/token", system.url()))
            .basic_auth(fernway::CLIENT, Some(secret))
            .header("content-type", "application/x-www-form-urlencoded")
            .body(format!("grant_type={grant}"))
            .send()
    };
    let wrong = ask("guess", "client_credentials").await.unwrap();
    assert_eq!(wrong.status(), StatusCode::UNAUTHORIZED);
    assert!(head(&wrong, "www-authenticate").starts_with("Basic"));
    assert_eq!(wrong.json::<Value>().await.unwrap()["error"], "invalid_client");
    let other = ask(fernway::SECRET, "password").await.unwrap();
    assert_eq!(other.status(), StatusCode::BAD_REQUEST);
    assert_eq!(other.json::<Value>().await.unwrap()["error"], "unsupported_grant_type");

    let given = ask(fernway::SECRET, "client_credentials").await.unwrap();
    assert_eq!(head(&given, "cache-control"), "no-store");
    let given: Value = given.json().await.unwrap();
    assert_eq!((&given["token_type"], &given["expires_in"]), (&json!("Bearer"), &json!(1)));
    let token = given["access_token"].as_str().expect("a token").to_owned();
    let at = At::new(&system, move |request| request.bearer_auth(&token));
    assert_eq!(at.get("/v2/about").await.status(), StatusCode::OK);
    tokio::time::sleep(std::time::Duration::from_millis(1200)).await;
    let late = at.get("/v2/about").await;
    assert_eq!(late.status(), StatusCode::UNAUTHORIZED);
    // RFC 6750 §3.1.
    assert!(head(&late, "www-authenticate").contains("invalid_token"));
}

async fn fern(system: &Running) -> At<'_> {
    let token = reqwest::Client::new()
        .post(format!("{}/oauth/token", system.url()))
        .basic_auth(fernway::CLIENT, Some(fernway::SECRET))
        .header("content-type", "application/x-www-form-urlencoded")
        .body("grant_type=client_credentials");
    let token: Value = token.send().await.expect("an answer").json().await.expect("JSON");
    let token = token["access_token"].as_str().expect("a token").to_owned();
    At::new(system, move |request| request.bearer_auth(&token))
}

#[tokio::test]
async fn fernway_moves_through_states_and_leads_from_page_to_page() {
    let options = fernway::Options { size: Size::SMALL, calls_per_second: 1000, ..Default::default() };
    let system = fernway::start(options).await.expect("it starts");
    let at = fern(&system).await;
    let made: Value =
        at.post("/v2/projects/SITE/items", json!({"form": "need", "title": "Lamp"})).await.json().await.expect("JSON");
    let path = format!("/v2/items/{}", made["uid"].as_str().expect("an id"));
    assert_eq!(made["state"], "Noted");
    let to = async |state: &str| at.post(&format!("{path}/moves"), json!({"to": state})).await.status();
    assert_eq!(to("Built").await, StatusCode::CONFLICT, "there is no such move");
    assert_eq!(to("Dropped").await, StatusCode::UNPROCESSABLE_ENTITY, "the move asks for a reason");
    assert_eq!(to("Agreed").await, StatusCode::OK);
    // The last write wins, whatever was seen before.
    for title in ["Lamp at Harbour", "Lamp at Midway"] {
        let put = at.ask(Method::PUT, &path).json(&json!({"title": title, "reason": "It was taken down"})).send();
        assert_eq!(put.await.unwrap().status(), StatusCode::OK);
    }
    assert_eq!(to("Dropped").await, StatusCode::OK);
    let now = at.json(&path).await;
    assert_eq!((&now["title"], &now["state"]), (&json!("Lamp at Midway"), &json!("Dropped")));

    // Each project has its own items, called by its own code.
    assert!(now["key"].as_str().is_some_and(|k| k.starts_with("SITE-")), "{now}");
    let listed = at.json("/v2/projects/SITE/items?form=need").await;
    assert_eq!(listed.as_array().map(Vec::len), Some(1));
    assert_eq!(at.get("/v2/projects/NONE/items?form=need").await.status(), StatusCode::NOT_FOUND);

    // Pages lead on by their header (RFC 8288).
    let (mut seen, mut next) = (0, "/v2/projects/ROPE/items?form=need&per_page=2&page=1".to_owned());
    let mut pages = 0;
    loop {
        let answer = at.get(&next).await;
        let (total, link) = (head(&answer, "item-count").to_owned(), head(&answer, "link").to_owned());
        let items: Value = answer.json().await.expect("JSON");
        let count = items.as_array().expect("a list").len();
        assert!(count <= 2);
        (seen, pages) = (seen + count, pages + 1);
        match link.split(", ").find(|l| l.ends_with("rel=\"next\"")) {
            Some(on) => next = on[1..on.find('>').expect("an address")].to_owned(),
            None => {
                assert_eq!(total, seen.to_string());
                break;
            }
        }
    }
    assert!(pages > 2, "{pages}");
}

#[tokio::test]
async fn oldstone_asks_for_a_session_and_takes_a_few_calls_at_once() {
    let delay = std::time::Duration::from_millis(150);
    let options = oldstone::Options { size: Size::SMALL, delay, calls_at_once: 2, ..Default::default() };
    let system = oldstone::start(options).await.expect("it starts");
    let bare = At::new(&system, |request| request);
    assert_eq!(bare.get("/os/about").await.status(), StatusCode::UNAUTHORIZED);
    let sign_in = async |password: &str| {
        let body = format!("<sign-in><login>{}</login><password>{password}</password></sign-in>", oldstone::LOGIN);
        bare.ask(Method::POST, "/os/session").body(body).send().await.expect("an answer")
    };
    assert_eq!(sign_in("guess").await.status(), StatusCode::FORBIDDEN);
    let session = sign_in(oldstone::PASSWORD).await.text().await.expect("text");
    let token = session.split("token=\"").nth(1).and_then(|t| t.split('"').next()).expect("a token").to_owned();
    let at = At::new(&system, move |request| request.header("x-oldstone-session", &token));

    let all = futures::future::join_all((0..6).map(|_| at.get("/os/about"))).await;
    let busy: Vec<&Response> = all.iter().filter(|a| a.status() == StatusCode::SERVICE_UNAVAILABLE).collect();
    let taken = all.iter().filter(|a| a.status() == StatusCode::OK).count();
    assert_eq!((taken, busy.len()), (2, 4), "two at once, and the others are told to come again");
    assert!(busy.iter().all(|a| head(a, "retry-after") == "1"));

    // Pages by offset, and changes under a revision that must match.
    let page = at.get("/os/projects/lift-control/cases?from=3&count=2").await.text().await.expect("text");
    assert_eq!(page.matches("<case ").count(), 2);
    assert!(page.contains("from=\"3\""), "{page}");
    let change = |rev: &str| format!("<case rev=\"{rev}\"><name>Renamed</name></case>");
    let put = async |rev: &str| {
        at.ask(Method::PUT, "/os/cases/OS-2002").body(change(rev)).send().await.expect("an answer").status()
    };
    let now = at.get("/os/cases/OS-2002").await.text().await.expect("text");
    let rev = now.split("rev=\"").nth(1).and_then(|r| r.split('"').next()).expect("a revision").to_owned();
    assert_eq!(put("0").await, StatusCode::CONFLICT);
    assert_eq!(put(&rev).await, StatusCode::OK);
    assert_eq!(put(&rev).await, StatusCode::CONFLICT, "it is another revision by now");
    assert_eq!(at.get("/os/cases/OS-1").await.status(), StatusCode::NOT_FOUND);
}

/// OSLC Core 3.0: resources in any of three syntaxes, changes under an entity tag, errors as resources.
#[tokio::test]
async fn cairnbook_speaks_rdf_as_it_is_asked() {
    let system =
        cairnbook::start(cairnbook::Options { size: Size::SMALL, ..Default::default() }).await.expect("it starts");
    let at = At::new(&system, |request| request.basic_auth(cairnbook::LOGIN, Some(cairnbook::PASSWORD)));
    let bare = At::new(&system, |request| request);
    let refused = bare.get("/rm/catalog").await;
    assert_eq!(refused.status(), StatusCode::UNAUTHORIZED);
    assert!(head(&refused, "www-authenticate").starts_with("Basic"), "RFC 7617 §2");
    for syntax in ["text/turtle", "application/rdf+xml", "application/ld+json"] {
        let answer = at.ask(Method::GET, "/rm/catalog").header("accept", syntax).send().await.expect("an answer");
        assert_eq!(answer.status(), StatusCode::OK, "{syntax}");
        assert!(head(&answer, "content-type").starts_with(syntax), "{syntax}");
        assert!(head(&answer, "vary").contains("accept"));
        let body = answer.text().await.expect("text");
        assert!(body.contains("ServiceProviderCatalog"), "{syntax}: {body}");
    }
    let odd = at.ask(Method::GET, "/rm/catalog").header("accept", "image/png").send().await.expect("an answer");
    assert_eq!(odd.status(), StatusCode::NOT_ACCEPTABLE);
    assert!(odd.text().await.expect("text").contains("http://open-services.net/ns/core#"), "an oslc:Error");
    assert_eq!(at.get("/rm/r/_none").await.status(), StatusCode::NOT_FOUND);
}
