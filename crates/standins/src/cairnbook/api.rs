//! Cairnbook's interface: OSLC Core 3.0 and RM 2.1 (OASIS), as far as a provider must and a bit further.

use std::collections::HashMap;

use axum::Router;
use axum::body::Bytes;
use axum::extract::{Path, Query, Request, State as Extract};
use axum::http::{HeaderMap, HeaderValue, StatusCode, Uri, header};
use axum::middleware::{Next, from_fn_with_state};
use axum::response::{IntoResponse, Redirect, Response};
use axum::routing::get;
use base64::Engine;
use chrono::SubsecRound;
use oxrdf::vocab::rdf;
use oxrdf::{Graph, NamedNode, NamedOrBlankNode};
use serde_json::Value;

use super::graph::{Build, Syntax, property, read, taken, term, type_of, write};
use super::kinds::{self, KINDS, LINKS};
use super::state::{State, uid};
use super::{LOGIN, PASSWORD, Server, reqif, seed};
use crate::clock;
use crate::fault::{Faults, misbehave};
use crate::meddle::meddled;
use crate::records::{Form, Kind, Record, Refusal, as_text, check_links, fill, note_changes};

const LONGEST_PAGE: usize = 100;
/// Whoever writes through the interface.
const WRITER: &str = "u70";

pub fn routes(server: Server, faults: Faults) -> Router {
    Router::new()
        .route("/rm/catalog", get(catalogue))
        .route("/rm/providers/safety", get(provider))
        .route("/rm/shapes/{kind}", get(shape))
        .route("/rm/people", get(people))
        .route("/rm/query/{kind}", get(query).post(make))
        .route("/rm/r/{uid}", get(one).put(change))
        .route("/rm/reqif", get(file_out).post(file_in))
        .layer(axum::extract::DefaultBodyLimit::max(2_000_000))
        .layer(from_fn_with_state(server.kept.clone(), meddled::<State>))
        .layer(from_fn_with_state(server.clone(), guard))
        .layer(from_fn_with_state(faults, misbehave))
        .with_state(server)
}

/// Sign-in, the two calls at once, and the clock of this system.
async fn guard(Extract(server): Extract<Server>, request: Request, next: Next) -> Response {
    let headers = request.headers();
    // A person's browser sees the page of a resource.
    let html = headers.get(header::ACCEPT).and_then(|v| v.to_str().ok()).is_some_and(|a| a.contains("text/html"));
    if let Some(uid) = request.uri().path().strip_prefix("/rm/r/").filter(|_| html) {
        return Redirect::to(&format!("/page/{uid}")).into_response();
    }
    let known = format!("Basic {}", base64::engine::general_purpose::STANDARD.encode(format!("{LOGIN}:{PASSWORD}")));
    let given = headers.get(header::AUTHORIZATION).and_then(|v| v.to_str().ok());
    let mut answer = match (given == Some(known.as_str()), server.slots.try_acquire()) {
        (false, _) => {
            let mut answer = problem(StatusCode::UNAUTHORIZED, "sign in with login and password");
            answer
                .headers_mut()
                .insert(header::WWW_AUTHENTICATE, HeaderValue::from_static("Basic realm=\"Cairnbook\""));
            answer
        }
        (true, Err(_)) => {
            (StatusCode::SERVICE_UNAVAILABLE, [(header::RETRY_AFTER, "1")], "two calls at once at most").into_response()
        }
        (true, Ok(_slot)) => next.run(request).await,
    };
    let now = server.faults.now().format("%a, %d %b %Y %H:%M:%S GMT").to_string();
    if let Ok(now) = HeaderValue::from_str(&now) {
        answer.headers_mut().insert(header::DATE, now);
    }
    answer
}

/// The address under which a call came: what is told is told in it.
fn base(headers: &HeaderMap) -> String {
    let host = headers.get(header::HOST).and_then(|v| v.to_str().ok()).unwrap_or("127.0.0.1");
    format!("http://{host}")
}

/// An `oslc:Error` (OSLC Core 3.0, part 3).
fn problem(status: StatusCode, text: &str) -> Response {
    let mut graph = Graph::new();
    let mut build = Build { graph: &mut graph, base: "" };
    let s: NamedOrBlankNode = oxrdf::BlankNode::default().into();
    build.is_a(&s, term("oslc:Error"));
    build.text(&s, "oslc:statusCode", status.as_str());
    build.text(&s, "oslc:message", text);
    let body = write(&graph, Syntax::RdfXml).unwrap_or_default();
    (status, [(header::CONTENT_TYPE, Syntax::RdfXml.media_type())], body).into_response()
}

fn bad((field, text): Refusal) -> Response {
    problem(StatusCode::BAD_REQUEST, &format!("{field}: {text}"))
}

fn told(headers: &HeaderMap, graph: &Graph) -> Response {
    let Some(syntax) = Syntax::wanted(headers) else {
        return problem(StatusCode::NOT_ACCEPTABLE, "Turtle, RDF/XML or JSON-LD can be had");
    };
    match write(graph, syntax) {
        Ok(body) => {
            let heads = [(header::CONTENT_TYPE, syntax.media_type()), (header::VARY, "accept")];
            (heads, [("oslc-core-version", "2.0")], body).into_response()
        }
        Err(e) => problem(StatusCode::INTERNAL_SERVER_ERROR, &e),
    }
}

async fn catalogue(headers: HeaderMap) -> Response {
    let (base, mut graph) = (base(&headers), Graph::new());
    let mut build = Build { graph: &mut graph, base: &base };
    let s: NamedOrBlankNode = build.at("/rm/catalog").into();
    build.is_a(&s, term("oslc:ServiceProviderCatalog"));
    build.text(&s, "dcterms:title", "Cairnbook");
    let provider = build.at("/rm/providers/safety");
    build.put(&s, "oslc:serviceProvider", provider.clone());
    let provider = provider.into();
    build.is_a(&provider, term("oslc:ServiceProvider"));
    build.text(&provider, "dcterms:title", "Safety requirements");
    told(&headers, &graph)
}

async fn provider(headers: HeaderMap) -> Response {
    let (base, mut graph) = (base(&headers), Graph::new());
    let mut build = Build { graph: &mut graph, base: &base };
    let s: NamedOrBlankNode = build.at("/rm/providers/safety").into();
    build.is_a(&s, term("oslc:ServiceProvider"));
    build.text(&s, "dcterms:title", "Safety requirements");
    let service: NamedOrBlankNode = oxrdf::BlankNode::default().into();
    build.put(&s, "oslc:service", service.clone());
    build.is_a(&service, term("oslc:Service"));
    build.put(&service, "oslc:domain", NamedNode::new_unchecked("http://open-services.net/ns/rm#"));
    for kind in &KINDS {
        for (link, class, leads) in [
            ("oslc:creationFactory", "oslc:CreationFactory", "oslc:creation"),
            ("oslc:queryCapability", "oslc:QueryCapability", "oslc:queryBase"),
        ] {
            let node: NamedOrBlankNode = oxrdf::BlankNode::default().into();
            build.put(&service, link, node.clone());
            build.is_a(&node, term(class));
            build.text(&node, "dcterms:title", kind.label);
            let (at, shape) =
                (build.at(&format!("/rm/query/{}", kind.id)), build.at(&format!("/rm/shapes/{}", kind.id)));
            build.put(&node, leads, at);
            build.put(&node, "oslc:resourceShape", shape);
            build.put(&node, "oslc:resourceType", type_of(kind));
        }
    }
    told(&headers, &graph)
}

/// The shape of a kind (OSLC Core 3.0, part 6).
async fn shape(Path(kind): Path<String>, headers: HeaderMap) -> Response {
    let Some(kind) = kinds::find(&kind) else { return problem(StatusCode::NOT_FOUND, "there is no such shape") };
    let (base, mut graph) = (base(&headers), Graph::new());
    let mut build = Build { graph: &mut graph, base: &base };
    let s: NamedOrBlankNode = build.at(&format!("/rm/shapes/{}", kind.id)).into();
    build.is_a(&s, term("oslc:ResourceShape"));
    build.text(&s, "dcterms:title", kind.label);
    build.put(&s, "oslc:describes", type_of(kind));
    let resource = term("oslc:Resource");
    for field in kind.fields {
        let p = described(&mut build, &s, field.id, field.label, property(field));
        let many = field.form == Form::Tags;
        let occurs = if many {
            "oslc:Zero-or-many"
        } else if field.needed {
            "oslc:Exactly-one"
        } else {
            "oslc:Zero-or-one"
        };
        build.put(&p, "oslc:occurs", term(occurs));
        let value_type = match field.form {
            Form::Rich => rdf::XML_LITERAL.into_owned(),
            _ if field.id == "title" => rdf::XML_LITERAL.into_owned(),
            Form::Person | Form::Ref(_) => resource.clone(),
            Form::Mark => term("oslc:AnyResource"),
            _ => oxrdf::vocab::xsd::STRING.into_owned(),
        };
        build.put(&p, "oslc:valueType", value_type);
        if field.longest > 0 {
            build.number(&p, "oslc:maxSize", field.longest);
        }
        field.values.iter().for_each(|v| build.text(&p, "oslc:allowedValue", v));
        match field.form {
            Form::Person => {
                build.put(&p, "oslc:range", term("foaf:Person"));
                let people = build.at("/rm/people");
                build.put(&p, "oslc:allowedValues", people);
            }
            Form::Ref(_) => build.put(&p, "oslc:range", type_of(&kinds::VOLUME)),
            Form::Mark => build.put(&p, "oslc:representation", term("oslc:Inline")),
            _ => {}
        }
    }
    let mut plain = vec![
        ("identifier", "Number", "dcterms:identifier", oxrdf::vocab::xsd::STRING.into_owned(), "oslc:Exactly-one"),
        ("modified", "Changed", "dcterms:modified", oxrdf::vocab::xsd::DATE_TIME.into_owned(), "oslc:Exactly-one"),
    ];
    if kind.id == "requirement" {
        plain.push(("versions", "Versions", "dcterms:hasVersion", resource.clone(), "oslc:Zero-or-many"));
        plain.push(("discussedBy", "Discussion", "oslc:discussedBy", resource.clone(), "oslc:Zero-or-one"));
    }
    for (id, label, iri, value_type, occurs) in plain {
        let p = described(&mut build, &s, id, label, term(iri));
        build.put(&p, "oslc:occurs", term(occurs));
        build.put(&p, "oslc:valueType", value_type);
        build.put(&p, "oslc:readOnly", oxrdf::Literal::from(true));
    }
    for (word, label) in LINKS.iter().filter(|_| kind.id == "requirement") {
        let id = word.rsplit(':').next().unwrap_or(word);
        let p = described(&mut build, &s, id, label, term(word));
        build.put(&p, "oslc:occurs", term("oslc:Zero-or-many"));
        build.put(&p, "oslc:valueType", resource.clone());
        if *word == "oslc_rm:decomposes" {
            build.put(&p, "oslc:range", type_of(kind));
        }
    }
    told(&headers, &graph)
}

fn described(
    build: &mut Build<'_>,
    shape: &NamedOrBlankNode,
    id: &str,
    label: &str,
    iri: NamedNode,
) -> NamedOrBlankNode {
    let p: NamedOrBlankNode = oxrdf::BlankNode::default().into();
    build.put(shape, "oslc:property", p.clone());
    build.is_a(&p, term("oslc:Property"));
    build.text(&p, "oslc:name", id);
    build.xml(&p, "dcterms:title", label);
    build.put(&p, "oslc:propertyDefinition", iri);
    p
}

async fn people(Extract(server): Extract<Server>, headers: HeaderMap) -> Response {
    let (base, mut graph) = (base(&headers), Graph::new());
    let mut build = Build { graph: &mut graph, base: &base };
    let s: NamedOrBlankNode = build.at("/rm/people").into();
    build.is_a(&s, term("oslc:AllowedValues"));
    for person in &server.kept.read().people {
        let node = build.at(&format!("/rm/people/{}", person.uid));
        build.put(&s, "oslc:allowedValue", node.clone());
        let node = node.into();
        build.is_a(&node, term("foaf:Person"));
        build.text(&node, "foaf:name", &person.name);
        build.text(&node, "foaf:nick", &person.nick);
        if let Some(mail) = &person.mail {
            build.put(&node, "foaf:mbox", NamedNode::new_unchecked(format!("mailto:{mail}")));
        }
    }
    told(&headers, &graph)
}

/// The mark in `dcterms:source{dcterms:identifier="…"}`, the one condition that is understood.
fn mark_in(condition: &str) -> Option<String> {
    let inner = condition.trim().strip_prefix("dcterms:source{dcterms:identifier=\"")?.strip_suffix("\"}")?;
    Some(inner.replace("\\\"", "\"").replace("\\\\", "\\"))
}

async fn query(
    Extract(server): Extract<Server>,
    Path(kind): Path<String>,
    Query(asked): Query<HashMap<String, String>>,
    headers: HeaderMap,
    uri: Uri,
) -> Response {
    let Some(kind) = kinds::find(&kind) else { return problem(StatusCode::NOT_FOUND, "there is no such query") };
    let wanted = match asked.get("oslc.where").map(|w| (w, mark_in(w))) {
        Some((condition, None)) => {
            return problem(StatusCode::BAD_REQUEST, &format!("this condition is not understood: {condition}"));
        }
        Some((_, mark)) => mark,
        None => None,
    };
    let state = server.kept.read();
    let source = |r: &Record| r.values.get("source").map(as_text).unwrap_or_default();
    let fits = |r: &&Record| wanted.as_ref().is_none_or(|w| source(r) == *w);
    let found: Vec<&Record> = state.records.get(kind.id).into_iter().flat_map(|r| r.values()).filter(fits).collect();
    let number = |name: &str| asked.get(name).and_then(|v| v.parse::<usize>().ok());
    let from = number("from").unwrap_or(0);
    let size = match asked.get("oslc.paging").map(String::as_str) {
        Some("true") => number("oslc.pageSize").unwrap_or(20).clamp(1, LONGEST_PAGE),
        _ => usize::MAX,
    };
    let (base, mut graph) = (base(&headers), Graph::new());
    let mut build = Build { graph: &mut graph, base: &base };
    let list: NamedOrBlankNode = build.at(&format!("/rm/query/{}", kind.id)).into();
    for r in found.iter().skip(from).take(size) {
        let member = build.at(&format!("/rm/r/{}", uid(r.number)));
        build.put(&list, "rdfs:member", member);
        build.record(r, kind);
    }
    let page: NamedOrBlankNode = build.at(&uri.to_string()).into();
    build.is_a(&page, term("oslc:ResponseInfo"));
    build.number(&page, "oslc:totalCount", found.len());
    let reached = from.saturating_add(size);
    if reached < found.len() {
        let path = format!("/rm/query/{}?oslc.paging=true&oslc.pageSize={size}&from={reached}", kind.id);
        let next = build.at(&path);
        build.put(&page, "oslc:nextPage", next);
    }
    told(&headers, &graph)
}

fn of_record(r: &Record, headers: &HeaderMap) -> Response {
    let Some(kind) = kinds::find(&r.kind) else { return problem(StatusCode::NOT_FOUND, "it is not here") };
    let (base, mut graph) = (base(headers), Graph::new());
    Build { graph: &mut graph, base: &base }.record(r, kind);
    let mut answer = told(headers, &graph);
    if let Ok(tag) = HeaderValue::from_str(&etag(r)) {
        answer.headers_mut().insert(header::ETAG, tag);
    }
    answer
}

fn etag(r: &Record) -> String {
    format!("\"{}-{}\"", r.number, r.revision)
}

async fn one(Extract(server): Extract<Server>, Path(uid): Path<String>, headers: HeaderMap) -> Response {
    match server.kept.read().resource(&uid) {
        Some(r) => of_record(r, &headers),
        None => problem(StatusCode::NOT_FOUND, "it is not here"),
    }
}

/// What was sent, put into a record of its kind.
fn put_into(
    state: &State,
    record: &Record,
    kind: &Kind,
    headers: &HeaderMap,
    at: &str,
    bytes: &[u8],
) -> Result<Record, Response> {
    let media_type = headers.get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let syntax = Syntax::of(media_type)
        .ok_or_else(|| problem(StatusCode::UNSUPPORTED_MEDIA_TYPE, "send Turtle, RDF/XML or JSON-LD"))?;
    let base = base(headers);
    let address = format!("{base}{at}");
    let graph = read(bytes, syntax, &address).map_err(|e| problem(StatusCode::BAD_REQUEST, &e))?;
    let subject = NamedNode::new_unchecked(address);
    let typed = graph.contains(oxrdf::TripleRef::new(&subject, rdf::TYPE, &type_of(kind)));
    if !typed {
        return Err(problem(StatusCode::BAD_REQUEST, &format!("{subject} is not said to be a {}", type_of(kind))));
    }
    let (values, links) = taken(&graph, subject.as_ref().into(), kind, &base).map_err(bad)?;
    let mut out = fill(record, values, kind, state).map_err(bad)?;
    check_links(&links, state).map_err(bad)?;
    out.links = links;
    out.changed = clock::now().trunc_subsecs(0);
    out.changed_by = WRITER.into();
    Ok(out)
}

async fn make(
    Extract(server): Extract<Server>,
    Path(kind): Path<String>,
    headers: HeaderMap,
    uri: Uri,
    bytes: Bytes,
) -> Response {
    let Some(kind) = kinds::find(&kind) else { return problem(StatusCode::NOT_FOUND, "nothing is made here") };
    let mut state = server.kept.write();
    let bare = seed::bare(kind.id, 0, WRITER);
    match put_into(&state, &bare, kind, &headers, uri.path(), &bytes) {
        Err(e) => e,
        Ok(mut made) => {
            made.number = state.numbers.take();
            let place = format!("{}/rm/r/{}", base(&headers), uid(made.number));
            let mut answer = of_record(&made, &headers);
            *answer.status_mut() = StatusCode::CREATED;
            if let Ok(place) = HeaderValue::from_str(&place) {
                answer.headers_mut().insert(header::LOCATION, place);
            }
            state.keep(made);
            answer
        }
    }
}

async fn change(
    Extract(server): Extract<Server>,
    Path(uid): Path<String>,
    headers: HeaderMap,
    uri: Uri,
    bytes: Bytes,
) -> Response {
    let mut state = server.kept.write();
    let Some(record) = state.resource(&uid).cloned() else {
        return problem(StatusCode::NOT_FOUND, "it is not here");
    };
    let Some(kind) = kinds::find(&record.kind) else { return problem(StatusCode::NOT_FOUND, "it is not here") };
    match headers.get(header::IF_MATCH).and_then(|v| v.to_str().ok()) {
        None => return problem(StatusCode::PRECONDITION_REQUIRED, "say by If-Match which revision you saw"),
        Some(seen) if seen != etag(&record) => {
            return problem(StatusCode::PRECONDITION_FAILED, "it was changed since");
        }
        Some(_) => {}
    }
    match put_into(&state, &record, kind, &headers, uri.path(), &bytes) {
        Err(e) => e,
        Ok(mut now) => {
            now.revision += 1;
            note_changes(&record, &mut now, kind);
            let answer = of_record(&now, &headers);
            state.keep(now);
            answer
        }
    }
}

/// Everything as a ReqIF file.
async fn file_out(Extract(server): Extract<Server>) -> Response {
    ([(header::CONTENT_TYPE, "application/xml")], reqif::export(&server.kept.read())).into_response()
}

/// A ReqIF file taken in, or everything that is wrong with it, a line each.
async fn file_in(Extract(server): Extract<Server>, file: String) -> Response {
    match reqif::import(&mut server.kept.write(), &file, WRITER) {
        Ok(done) => axum::Json(done).into_response(),
        Err(wrong) => problem(StatusCode::UNPROCESSABLE_ENTITY, &wrong.join("\n")),
    }
}

/// Links of a record for its page: the word, and what it leads to.
pub(super) fn shown_links(r: &Record) -> Vec<(String, String)> {
    let end = |id: &str, url: &str| if id.is_empty() { url.to_owned() } else { format!("/page/{id}") };
    r.links.iter().map(|l| (super::graph::shown_link(&l.word).to_owned(), end(&l.id, &l.url))).collect()
}

/// A value of a record as text.
pub(super) fn shown(r: &Record, field: &str) -> String {
    match r.values.get(field) {
        Some(Value::Array(list)) => list.iter().map(as_text).collect::<Vec<_>>().join(", "),
        Some(other) => as_text(other),
        None => String::new(),
    }
}
