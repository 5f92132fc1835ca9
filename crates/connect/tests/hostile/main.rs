//! Systems that lie, break off, never end or lead elsewhere: what is read of them is bounded, what can't be kept is told at
//! its item, and whoever waits for something else is answered meanwhile.

mod files;

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};
use std::time::Duration;

use hovrel_connect::{
    CheckState, ConnectError, Connector, Credentials, HttpConnector, OslcConnector, Outside, profile,
};
use hovrel_core::model::{Kind, Value};
use hovrel_testkit::saltmere::{self, CONTAINER, Habits, Lie, Said, Saltmere};
use hovrel_testkit::{read_all, within};
use serde_json::json;

fn anywhere() -> Arc<Outside> {
    Arc::new(Outside::anywhere())
}

fn connect(system: &Saltmere, outside: &Arc<Outside>) -> Result<HttpConnector, ConnectError> {
    let described = profile::parse("saltmere.yaml", &saltmere::profile(Habits::default(), false)).expect("a profile");
    let asked = Credentials([("key".to_owned(), saltmere::KEY.to_owned())].into());
    HttpConnector::new(described, &system.address, asked, outside)
}

async fn lying(path: &str, lie: Lie) -> (Saltmere, HttpConnector) {
    let system = Saltmere::start(Habits::default()).await;
    system.lie(path, lie);
    let connector = connect(&system, &anywhere()).expect("an address");
    (system, connector)
}

fn page(items: &serde_json::Value) -> Lie {
    Lie::json(json!({"checks": items, "of": items.as_array().map(Vec::len)}).to_string())
}

#[tokio::test]
async fn what_a_refusal_says_is_read_in_part_and_shown_only_where_the_profile_says() {
    for said in [Said::Endless, Said::Text("the root password is hunter2".into())] {
        let lie = Lie { status: 403, content_type: "application/json", said };
        let (system, connector) = lying("/sm/checks", lie).await;
        let refused = within("a refusal", connector.read(CONTAINER, Kind::TestCase, None)).await.expect_err("refused");
        assert!(matches!(refused, ConnectError::Forbidden { .. }), "{refused}");
        let shown = refused.to_string();
        assert!(!shown.contains("hunter2") && !shown.contains("aaaa"), "{shown}");
        // What lay in buffers on the way was given, too.
        assert!(system.given() < 16 * 1024 * 1024, "{} bytes were taken", system.given());
    }
    let told = json!({"wrong": {"code": "no", "why": format!("not\u{7} today{}", "!".repeat(5_000))}}).to_string();
    let lie = Lie { status: 403, content_type: "application/json", said: Said::Text(told) };
    let (_system, connector) = lying("/sm/checks", lie).await;
    let refused = connector.read(CONTAINER, Kind::TestCase, None).await.expect_err("refused").to_string();
    assert!(refused.contains("not today!") && refused.len() < 1_000, "{refused}");
}

#[tokio::test]
async fn an_answer_without_end_is_given_up() {
    let (system, connector) = lying("/sm/checks/1", Lie { said: Said::Endless, ..Lie::json("") }).await;
    let refused = within("a refusal", connector.one(CONTAINER, Kind::TestCase, "1")).await.expect_err("it never ends");
    assert!(matches!(refused, ConnectError::TooMuch { .. }), "{refused}");
    let most = hovrel_core::bounds::LARGEST_ANSWER as u64 + 16 * 1024 * 1024;
    assert!(system.given() <= most, "{} bytes were taken", system.given());
}

/// The largest numbers of every type, below nought and no numbers at all, wherever a system tells one.
#[tokio::test]
async fn numbers_from_outside_are_clamped() {
    for number in
        ["18446744073709551615", "9223372036854775807", "4294967295", "0", "-1", "1e400", "99999999999999999999"]
    {
        let about = format!(r#"{{"edition": "1", "clock": "2026-01-01T00:00:00Z", "berths": {number}}}"#);
        let (system, connector) = lying("/sm/about", Lie::json(about)).await;
        let first = connector.read(CONTAINER, Kind::TestCase, None).await;
        assert_eq!(first.map(|p| p.artefacts.len()).ok(), Some(10), "{number}");
        let at_once = connector.describe().calls_at_once;
        assert!((1..=64).contains(&at_once), "{number} became {at_once} calls at once");
        let counted = format!(r#"{{"checks": [], "of": {number}}}"#);
        system.lie("/sm/checks", Lie::json(counted));
        let _ = within("an answer", connector.read(CONTAINER, Kind::TestCase, None)).await;
        let item = format!(r#"{{"no": {number}, "title": "so", "files": [{{"name": "x", "size": {number}}}]}}"#);
        system.lie("/sm/checks/1", Lie::json(item));
        let _ = within("an answer", connector.one(CONTAINER, Kind::TestCase, "1")).await;
        expires_in(number).await;
    }
}

/// A token that is good for a number of seconds (RFC 6749 §5.1).
async fn expires_in(number: &'static str) {
    let app = axum::Router::new().fallback(async move || {
        let token = format!(r#"{{"access_token": "so", "expires_in": {number}}}"#);
        ([("content-type", "application/json")], token)
    });
    let address = serve(app).await;
    let fernway = profile::shipped().into_iter().find(|p| p.profile == "fernway").expect("it ships");
    let asked = Credentials([("client".to_owned(), "so".to_owned()), ("secret".to_owned(), "so".to_owned())].into());
    let connector = HttpConnector::new(fernway, &address, asked, &anywhere()).expect("an address");
    let steps = connector.check().await;
    assert_eq!(steps[0].state, CheckState::Ok, "{number}: {:?}", steps[0]);
}

async fn serve(app: axum::Router) -> String {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let address = format!("http://{}", listener.local_addr().expect("an address"));
    tokio::spawn(async move { axum::serve(listener, app).await });
    address
}

/// Counts who calls.
async fn thief() -> (String, Arc<AtomicUsize>) {
    let calls = Arc::new(AtomicUsize::new(0));
    let counted = calls.clone();
    let app = axum::Router::new().fallback(async move || {
        counted.fetch_add(1, Relaxed);
        "[]"
    });
    (serve(app).await.trim_start_matches("http://").to_owned(), calls)
}

#[tokio::test]
async fn a_list_that_goes_on_elsewhere_takes_no_sign_in_there() {
    let (thief, calls) = thief().await;
    let forms: [fn(&str, &str) -> String; 5] = [
        |own, thief| format!("http://{own}:P@{thief}/"),
        |own, thief| format!("http://{own}@{thief}/"),
        |_, thief| format!("http://{thief}/"),
        |_, thief| format!("//{thief}/"),
        |_, thief| format!("http:\\\\{thief}/"),
    ];
    for form in forms {
        let own = Arc::new(std::sync::OnceLock::<String>::new());
        let (told, to) = (own.clone(), thief.clone());
        let app = axum::Router::new().fallback(async move |uri: axum::http::Uri| {
            let next = form(told.get().map_or("", String::as_str), &to);
            let body = match uri.path() {
                path if path.contains("token") => r#"{"access_token": "so", "expires_in": 60}"#,
                _ => "[]",
            };
            ([("content-type", "application/json".to_owned()), ("link", format!("<{next}>; rel=\"next\""))], body)
        });
        let address = serve(app).await;
        let _ = own.set(address.trim_start_matches("http://").split(':').next().unwrap_or_default().to_owned());
        let fernway = profile::shipped().into_iter().find(|p| p.profile == "fernway").expect("it ships");
        let asked = [("client".to_owned(), "so".to_owned()), ("secret".to_owned(), "so".to_owned())];
        let connector =
            HttpConnector::new(fernway, &address, Credentials(asked.into()), &anywhere()).expect("an address");
        let _ = connector.containers().await;
        assert_eq!(calls.load(Relaxed), 0, "{}", form(&address, &thief));
    }
}

#[tokio::test]
async fn what_no_database_takes_is_replaced_and_told_at_its_item() {
    let whole = json!({"no": 1, "title": "Pan 1", "note": "dry", "links": [], "remarks": [], "files": []});
    let raw = r#"{"no": 2, "title": "Pan \u0000 2", "note": "half \ud800 of a pair \\ud800", "grade": "a\u0000",
        "remarks": [{"at": "2026-05-06T07:08:09Z", "by": "p\u00001", "text": "no\u0000te"}],
        "links": [{"how": "bears on", "url": "http://a.example/\u0000"}], "files": [{"name": "a\u0000.txt", "size": 1}]}"#;
    let listed = format!(r#"{{"checks": [{whole}, {raw}], "of": 2}}"#);
    let (_system, connector) = lying("/sm/checks", Lie::json(listed)).await;
    let items = read_all(&connector, CONTAINER, Kind::TestCase).await;
    assert_eq!(items.len(), 2, "one item does not take the others with it");
    assert!(items[0].read_losses.is_empty());
    assert_eq!(items[1].title, "Pan \u{FFFD} 2");
    let note = items[1].fields.get("note").map(Value::display).unwrap_or_default();
    assert_eq!(note, "half \u{FFFD} of a pair \\ud800");
    let kept = serde_json::to_string(&items).expect("JSON");
    assert!(!kept.contains("\\u0000"), "{kept}");
    let told: std::collections::BTreeSet<&str> = items[1].read_losses.iter().map(|l| l.field.id()).collect();
    for field in ["title", "note", "grade", "@comments", "@links", "@attachments"] {
        assert!(told.contains(field), "{field} among {told:?}");
    }
}

#[tokio::test]
async fn a_field_that_no_database_takes_spoils_no_catalogue() {
    let form = r#"{"forms": [{"form": "check", "lines": [
        {"line": "title", "called": "Title", "sort": "words", "must": true},
        {"line": "gra\u0000de", "called": "Gra\u0000de", "sort": "one_of", "among": ["a\u0000"]}]}]}"#;
    let (system, connector) = lying("/sm/form", Lie::json(form)).await;
    system.lie("/sm/places", Lie::json(r#"{"places": [{"place": "pa\u0000ns", "called": "The \u0000 pans"}]}"#));
    let catalogue = connector.catalogue(CONTAINER).await.expect("a catalogue");
    let told = serde_json::to_string(&catalogue).expect("JSON");
    assert!(!told.contains("\\u0000"), "{told}");
    let kind = catalogue.kind(Kind::TestCase).expect("the kind");
    assert!(kind.field("gra\u{FFFD}de").is_some_and(|f| f.read_only), "its system knows no such field");
    let places = connector.containers().await.expect("places");
    assert_eq!(places[0].name, "The \u{FFFD} pans");
}

/// A text that takes long to read, in every item of a page: other tasks of the same thread go on meanwhile.
#[tokio::test]
async fn others_go_on_while_a_page_is_read() {
    let deep = format!("{}so", "> ".repeat(20_000));
    let items: Vec<_> = (0..100).map(|n| json!({"no": n, "title": "so", "note": deep})).collect();
    let (_system, connector) = lying("/sm/checks", page(&json!(items))).await;
    let ticks = Arc::new(AtomicUsize::new(0));
    let counted = ticks.clone();
    let ticking = tokio::spawn(async move {
        loop {
            tokio::time::sleep(Duration::from_millis(1)).await;
            counted.fetch_add(1, Relaxed);
        }
    });
    let _ = connector.catalogue(CONTAINER).await;
    let before = ticks.load(Relaxed);
    let read = connector.read(CONTAINER, Kind::TestCase, None).await.expect("a page");
    assert_eq!(read.artefacts.len(), 100);
    assert!(ticks.load(Relaxed) > before, "nothing else was done while the page was read");
    ticking.abort();
}

#[tokio::test]
async fn a_list_that_never_ends_is_told() {
    // Each page shows nothing and leads on.
    let (_system, connector) = lying("/sm/checks", Lie::json(r#"{"checks": [], "of": 5}"#)).await;
    let mut reading = hovrel_connect::Reading::of(Kind::TestCase);
    let end = within("the end of a list", async {
        loop {
            match reading.page(&connector, CONTAINER).await {
                Ok(Some(_)) => {}
                other => return other,
            }
        }
    });
    assert!(end.await.is_err(), "five items are promised and none is shown");
    let long = "x".repeat(100_000);
    let (_system, connector) = lying("/sm/checks", page(&json!([{"no": long, "title": "so"}]))).await;
    let refused = connector.read(CONTAINER, Kind::TestCase, None).await.expect_err("no index takes such an id");
    assert!(refused.to_string().contains("100000 bytes"), "{refused}");
}

#[tokio::test]
async fn nothing_is_called_that_is_not_open() {
    let (system, open) = lying("/sm/none", Lie::json("")).await;
    assert!(open.containers().await.is_ok());
    let closed = Arc::new(Outside::default());
    let refused = connect(&system, &closed).err().map(|e| e.to_string()).unwrap_or_default();
    assert!(refused.contains("--outside"), "{refused}");
    // A name is looked at when it is looked up.
    let (thief, calls) = thief().await;
    let port = thief.rsplit(':').next().unwrap_or_default();
    let named = OslcConnector::new(&format!("http://localhost:{port}/"), Credentials::default(), &closed);
    let refused = named.expect("a name may lead anywhere").containers().await.expect_err("it leads here");
    assert!(refused.to_string().contains("--outside"), "{refused}");
    assert_eq!(calls.load(Relaxed), 0);
    let loopback: Arc<Outside> = Arc::new("loopback".parse().expect("a list"));
    assert!(connect(&system, &loopback).expect("it is open").containers().await.is_ok());
}

/// RDF that refers to itself, expands, or is nested without end.
#[tokio::test]
async fn hostile_rdf_takes_an_end() {
    let itself: String = (0..40).map(|n| format!("<http://a.example/p{n}> _:b ; ")).collect();
    let around = |inner: &str| {
        format!(
            "<{{}}/catalog> a <http://open-services.net/ns/core#ServiceProviderCatalog> ; \
             <http://open-services.net/ns/core#serviceProvider> <{{}}/p> . \
             <{{}}/p> <http://purl.org/dc/terms/title> \"P\" ; <http://purl.org/dc/terms/source> _:b . {inner}"
        )
    };
    let entity = |n: usize| format!("<!ENTITY e{n} \"{}\">", format!("&e{};", n - 1).repeat(10));
    let bomb = format!(
        "<?xml version=\"1.0\"?><!DOCTYPE r [<!ENTITY e0 \"aaaaaaaaaa\">{}]>\
         <rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\"><rdf:Description>&e9;</rdf:Description></rdf:RDF>",
        (1..10).map(entity).collect::<String>()
    );
    let nested = |open: &str, close: &str| format!("{}{}", open.repeat(50_000), close.repeat(50_000));
    let inputs = [
        ("refers to itself", "text/turtle", around(&format!("_:b {} <http://a.example/q> \"x\" .", itself)), true),
        ("expands", "application/rdf+xml", bomb, false),
        ("nested Turtle", "text/turtle", format!("<a> <b> {} .", nested("[ <b> ", "]")), false),
        ("nested lists", "text/turtle", format!("<a> <b> {} .", nested("(", ")")), false),
        ("nested JSON", "application/ld+json", nested("[", "]"), false),
        ("nested JSON objects", "application/ld+json", nested("{\"@id\":\"a\",\"b\":", "}"), false),
        ("nested XML", "application/rdf+xml", nested("<a>", "</a>"), false),
    ];
    // Some take the whole of the time that is allowed: all of them at once.
    futures::future::join_all(inputs.map(async |(name, kind, text, reads)| {
        let own = Arc::new(std::sync::OnceLock::<String>::new());
        let told = own.clone();
        let app = axum::Router::new().fallback(async move || {
            let body = text.replace("{}", told.get().map_or("", String::as_str));
            ([("content-type", kind)], body)
        });
        let address = serve(app).await;
        let _ = own.set(address.clone());
        let connector =
            OslcConnector::new(&format!("{address}/catalog"), Credentials::default(), &anywhere()).expect("an address");
        let found = within(name, connector.containers()).await;
        if reads {
            assert_eq!(found.map(|c| c.len()).map_err(|e| e.to_string()), Ok(1), "{name}");
        }
    }))
    .await;
}
