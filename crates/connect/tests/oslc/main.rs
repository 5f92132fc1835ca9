//! The OSLC consumer against a provider that is not ours: documents written by hand after the published
//! vocabularies (OASIS OSLC QM 2.1, CM 3.0, Core 3.0), and RDF read and written checked with rdflib (PyPI).

use std::collections::HashMap;
use std::io::Write as _;
use std::process::{Command, Stdio};
use std::sync::{Arc, Mutex};

use axum::Router;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use hovrel_connect::{ConnectError, Connector, Credentials, OslcConnector, Outside, Write};
use hovrel_core::model::{
    Decimal, Fields, HISTORY, HistoryEntry, Kind, LINKS, Link, LinkEnd, LinkType, Reference, Value, ValueType,
};
use hovrel_standins::cairnbook;
use hovrel_standins::world::Size;
use hovrel_testkit::{CAIRNBOOK, Systems, read_all};

/// What was put, by path: media type, If-Match and body.
type Taken = Arc<Mutex<HashMap<String, (String, Option<String>, String)>>>;

/// A provider of the documents in `provider/`: their names are their paths.
async fn provider() -> (String, Taken) {
    let taken = Taken::default();
    let app = Router::new().route("/{*path}", get(document).put(put)).with_state(taken.clone());
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let address = format!("http://{}", listener.local_addr().expect("an address"));
    tokio::spawn(async move { axum::serve(listener, app).await });
    (address, taken)
}

async fn document(State(taken): State<Taken>, Path(path): Path<String>) -> Response {
    if let Some((media_type, _, body)) = taken.lock().expect("no panic").get(&path) {
        return ([("content-type", media_type.clone()), ("etag", "\"2\"".into())], body.clone()).into_response();
    }
    let file = format!("{}/tests/oslc/provider/{}.ttl", env!("CARGO_MANIFEST_DIR"), path.replace('/', "-"));
    match std::fs::read_to_string(file) {
        Ok(text) => ([("content-type", "text/turtle; charset=utf-8"), ("etag", "\"1\"")], text).into_response(),
        Err(_) => StatusCode::NOT_FOUND.into_response(),
    }
}

async fn put(State(taken): State<Taken>, Path(path): Path<String>, headers: HeaderMap, body: Bytes) -> StatusCode {
    let of = |name: &str| headers.get(name).and_then(|v| v.to_str().ok()).map(str::to_owned);
    let body = String::from_utf8(body.to_vec()).expect("text");
    taken.lock().expect("no panic").insert(path, (of("content-type").unwrap_or_default(), of("if-match"), body));
    StatusCode::OK
}

fn connect(address: &str) -> OslcConnector {
    let outside = Arc::new(Outside::anywhere());
    OslcConnector::new(&format!("{address}/catalog"), Credentials::default(), &outside).expect("an address")
}

#[tokio::test]
async fn quality_and_change_management_are_read_by_their_shapes() {
    let (address, _) = provider().await;
    let c = connect(&address);
    let containers = c.containers().await.expect("containers");
    assert_eq!((containers.len(), containers[0].name.as_str()), (1, "Workshop"), "found in the nested catalogue");
    let at = containers[0].id.clone();
    let catalogue = c.catalogue(&at).await.expect("a catalogue");
    let kinds: Vec<(Kind, bool)> = catalogue.kinds.iter().map(|k| (k.kind, k.writable)).collect();
    let read_only = [Kind::TestCase, Kind::Execution, Kind::Result].map(|k| (k, false));
    assert_eq!(kinds, [&read_only[..], &[(Kind::Defect, true)]].concat());
    let tests = catalogue.kind(Kind::TestCase).expect("tests");
    let types: Vec<(&str, ValueType, bool)> =
        tests.fields.iter().map(|f| (f.id.as_str(), f.value_type, f.required)).collect();
    assert_eq!(
        types,
        [
            ("title", ValueType::Text, true),
            ("contributor", ValueType::UserList, false),
            ("description", ValueType::RichText, false),
            ("identifier", ValueType::Text, true),
            ("urgency", ValueType::Choice, false),
            ("weight", ValueType::Decimal, false),
            (LINKS, ValueType::Links, false),
        ]
    );
    assert_eq!(tests.field("urgency").and_then(|f| f.allowed.clone()), Some(vec!["Later".into(), "Now".into()]));
    assert_eq!(catalogue.users[0].email.as_deref(), Some("ylva@skarnvik.example"));
    assert_eq!(catalogue.kind(Kind::Defect).and_then(|k| k.field("title")?.max_length), Some(80));

    let tests = read_all(&c, &at, Kind::TestCase).await;
    assert_eq!(tests.len(), 2, "over both pages, each read by itself");
    let one = &tests[0];
    assert_eq!((one.title.as_str(), one.key.as_str()), ("Brake & hold", "1"));
    assert_eq!(one.fields.get("weight"), Some(&Value::Decimal(Decimal::parse("1.5").expect("a number"))));
    assert_eq!(one.fields.get("urgency"), Some(&Value::choice("Now")));
    assert_eq!(one.fields.get("contributor"), Some(&Value::UserList(vec!["/people/7".into()])));
    assert_eq!(one.fields.get("description").map(Value::display).as_deref(), Some("Hold for 10 s."));
    let verifies = Link {
        word: Some("http://open-services.net/ns/qm#validatesRequirement".into()),
        ..Link::new(LinkType::Verifies, LinkEnd::Url("https://rm.skarnvik.example/r/9".into()))
    };
    assert_eq!(one.links, [verifies]);
    assert_eq!(
        one.modified.as_ref().and_then(|m| Some(m.at?.to_rfc3339())).as_deref(),
        Some("2026-02-03T04:05:06+01:00")
    );

    let records = read_all(&c, &at, Kind::Execution).await;
    let case = Value::Reference(Reference::known("/test/1"));
    assert_eq!(records[0].fields.get("runsTestCase"), Some(&case), "planned, and not run");
    let results = read_all(&c, &at, Kind::Result).await;
    assert_eq!(results[0].fields.get("producedBy"), Some(&Value::Reference(Reference::known("/record/1"))));
    let changes = read_all(&c, &at, Kind::Defect).await;
    assert_eq!(changes[0].fields.get("approved"), Some(&Value::Boolean(true)));
    assert_eq!(changes[0].links[0].link_type, LinkType::Affects);
    let gone = c.one(&at, Kind::Defect, "/change/9").await;
    assert!(matches!(gone, Err(ConnectError::Missing { .. })), "{gone:?}");
}

/// A resource is put with what was not understood of it, under the tag that it was read with.
#[tokio::test]
async fn what_a_shape_does_not_name_stays() {
    let (address, taken) = provider().await;
    let c = connect(&address);
    let at = c.containers().await.expect("containers")[0].id.clone();
    let now = c.one(&at, Kind::Defect, "/change/1").await.expect("it is there");
    let fields: Fields = [("title", Value::text("Loose bolt & nut"))].into_iter().collect();
    let write = Write {
        kind: Kind::Defect,
        id: Some(now.id.clone()),
        version: now.version,
        fields,
        parent: None,
        in_source: false,
    };
    let put = c.write(&at, &write).await.expect("it is put").artefact;
    assert_eq!((put.title.as_str(), &put.links), ("Loose bolt & nut", &now.links));
    let (media_type, seen, body) = taken.lock().expect("no panic").get("change/1").cloned().expect("it was put");
    assert_eq!((media_type.as_str(), seen.as_deref()), ("text/turtle", Some("\"1\"")));
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/oslc/provider/change-1.ttl");
    let expected = std::fs::read_to_string(file).expect("a file").replace("Loose bolt", "Loose bolt & nut");
    let base = format!("{address}/change/1");
    let triples = same([vec![["text/turtle", &base, &expected], ["text/turtle", &base, &body]]]);
    assert_eq!(triples, [6]);
    // Its version is another one now, and what it was before is not taken any more.
    assert!(matches!(c.write(&at, &write).await, Err(ConnectError::Changed)));
}

/// Groups of texts that must say the same, by rdflib; how many triples each group has.
fn same<'a>(groups: impl IntoIterator<Item = Vec<[&'a str; 3]>>) -> Vec<usize> {
    let python =
        std::env::var("HOVREL_TEST_PYTHON").expect("HOVREL_TEST_PYTHON is a Python with rdflib; ./test makes one");
    let groups: Vec<Vec<[&str; 3]>> = groups.into_iter().collect();
    let mut child = Command::new(python)
        .arg(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/oslc/check.py"))
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("Python starts");
    let given = serde_json::to_vec(&groups).expect("JSON");
    child.stdin.take().expect("a pipe").write_all(&given).expect("it reads");
    let told = child.wait_with_output().expect("it ends");
    assert!(told.status.success(), "{}", String::from_utf8_lossy(&told.stderr));
    String::from_utf8_lossy(&told.stdout).lines().map(|l| l.parse().expect("a number")).collect()
}

#[tokio::test]
async fn rdflib_reads_the_three_syntaxes_as_one_graph() {
    let systems = Systems::start(Size::SMALL).await;
    let base = systems.running(&CAIRNBOOK).url();
    let connector = systems.connect(&CAIRNBOOK);
    let some = read_all(&*connector, CAIRNBOOK.container, Kind::Requirement).await;
    let mut paths: Vec<String> =
        ["/rm/catalog", CAIRNBOOK.container, "/rm/shapes/requirement", "/rm/people"].map(String::from).to_vec();
    paths.push("/rm/query/requirement?oslc.paging=true&oslc.pageSize=7".into());
    paths.extend(some.iter().take(8).map(|r| r.id.clone()));
    let http = reqwest::Client::new();
    let mut texts = Vec::new();
    for path in &paths {
        let url = format!("{base}{path}");
        for media_type in ["text/turtle", "application/rdf+xml", "application/ld+json"] {
            let request =
                http.get(&url).basic_auth(cairnbook::LOGIN, Some(cairnbook::PASSWORD)).header("accept", media_type);
            let answer = request.send().await.expect("an answer");
            assert!(answer.status().is_success(), "{url}");
            texts.push((media_type, url.clone(), answer.text().await.expect("text")));
        }
    }
    let groups = texts.chunks(3).map(|of| of.iter().map(|(m, url, text)| [*m, url.as_str(), text.as_str()]).collect());
    let triples = same(groups);
    assert_eq!(triples.len(), paths.len());
    assert!(triples.iter().all(|n| *n >= 4), "{triples:?}");
}

/// What a requirement was before comes version by version (PROV-O), and becomes what was changed.
#[tokio::test]
async fn versions_tell_what_was_changed() {
    let systems = Systems::start(Size::SMALL).await;
    let c = systems.connect(&CAIRNBOOK);
    let catalogue = c.catalogue(CAIRNBOOK.container).await.expect("a catalogue");
    let history = catalogue.kind(Kind::Requirement).and_then(|k| k.field(HISTORY)).expect("it has a history");
    assert!(history.read_only);
    let all = read_all(&*c, CAIRNBOOK.container, Kind::Requirement).await;
    let item = all.iter().find(|a| !a.history.is_empty()).expect("one was changed");
    let told = |e: &HistoryEntry| (e.field.clone(), e.before.clone(), e.after.clone());
    assert_eq!(told(&item.history[0]), ("level".into(), "Function".into(), "Detail".into()));
    let by = item.history[0].stamp.by.clone().expect("somebody");
    assert!(catalogue.user(&by).is_some(), "{by} is one of its people");

    let fields: Fields =
        [("title", Value::text("Renamed & kept")), ("level", Value::choice("System"))].into_iter().collect();
    let (id, version) = (Some(item.id.clone()), item.version.clone());
    let write = Write { kind: Kind::Requirement, id, version, fields, parent: None, in_source: false };
    let now = c.write(CAIRNBOOK.container, &write).await.expect("it is written").artefact;
    let entries: Vec<_> = now.history.iter().map(told).collect();
    assert_eq!(entries.len(), 3, "{entries:?}");
    assert_eq!(entries[0], told(&item.history[0]), "what was told before stays");
    assert!(entries.contains(&("title".into(), item.title.clone(), "Renamed & kept".into())), "{entries:?}");
    assert!(entries.contains(&("level".into(), "Detail".into(), "System".into())), "{entries:?}");
    assert_eq!(c.one(CAIRNBOOK.container, Kind::Requirement, &item.id).await.expect("it is there"), now);
}
