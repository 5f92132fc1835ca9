//! Calls to a provider of OSLC: basic sign-in, content negotiation, errors as `oslc:Error`.

use std::sync::Arc;

use chrono::DateTime;
use hovrel_core::model::Fingerprint;
use oxrdf::{Graph, NamedNode};
use reqwest::{Method, RequestBuilder, header};

use super::rdf::{self, Node, Speech};
use super::vocab;
use crate::address::path_at;
use crate::aside::aside;
use crate::transport::{Reply, Told, Transport, basic, content_type};
use crate::{ConnectError, Credentials, Outside};

/// Until a provider says otherwise by refusing; few allow many, and none says how many.
const AT_ONCE: usize = 2;
const WANTED: &str = "RDF";

pub struct Client {
    pub transport: Transport,
    /// Scheme, host and port: the sign-in goes nowhere else.
    pub origin: String,
    authorization: String,
}

/// A resource as it was answered.
pub struct Answer {
    pub graph: Graph,
    pub speech: Speech,
    pub etag: Option<String>,
    /// The time of the answer by the system's clock.
    pub date: Option<String>,
}

impl Answer {
    /// Everything known of one resource.
    pub fn node<'g>(&'g self, subject: &'g NamedNode) -> Node<'g> {
        Node { graph: &self.graph, subject: subject.as_ref().into() }
    }
}

impl Client {
    pub fn new(address: &str, credentials: &Credentials, outside: &Arc<Outside>) -> Result<Client, ConnectError> {
        let transport = Transport::new(address, AT_ONCE, outside)?;
        let url = url::Url::parse(&transport.address)
            .map_err(|e| ConnectError::Unreachable { address: address.to_owned(), why: e.to_string() })?;
        let given = |id: &str| credentials.0.get(id).map_or("", String::as_str);
        Ok(Client {
            transport,
            origin: url.origin().ascii_serialization(),
            authorization: basic(given("login"), given("password")),
        })
    }

    /// The id of a resource: its path where it is of this system, so that it stays when the system moves.
    pub fn id(&self, iri: &str) -> String {
        match iri.strip_prefix(&self.origin) {
            Some(path) if path.starts_with('/') => path.to_owned(),
            _ => iri.to_owned(),
        }
    }

    /// The address of a resource, by its id.
    pub fn iri(&self, id: &str) -> String {
        if id.starts_with('/') { format!("{}{id}", self.origin) } else { id.to_owned() }
    }

    /// Whether a resource is one of this system: the sign-in goes to no other.
    pub fn is_here(&self, iri: &str) -> bool {
        url::Url::parse(iri).is_ok() && path_at(&self.origin, iri).is_ok()
    }

    /// Reads a resource, with retries.
    pub async fn get(&self, iri: &str) -> Result<Answer, ConnectError> {
        self.transport
            .retried(|| async {
                let response = self.send(Method::GET, iri, &|r| r).await?;
                self.parse(iri, response).await
            })
            .await
    }

    /// Creates a resource, once; its address, and its tag if the answer tells it.
    pub async fn post(
        &self,
        iri: &str,
        graph: &Graph,
        speech: Speech,
    ) -> Result<(String, Option<String>), ConnectError> {
        let body = written(graph, speech)?;
        let build = |r: RequestBuilder| r.header(header::CONTENT_TYPE, speech.media_type()).body(body.clone());
        let send = || async {
            let response = self.send(Method::POST, iri, &build).await?;
            let etag = response.headers().get(header::ETAG).and_then(|v| v.to_str().ok()).map(str::to_owned);
            let made = response.headers().get(header::LOCATION).and_then(|v| v.to_str().ok()).unwrap_or_default();
            let base = url::Url::parse(iri).map_err(|e| ConnectError::Unknown { why: e.to_string() })?;
            match base.join(made) {
                Ok(found) if !made.is_empty() => Ok((found.to_string(), etag)),
                _ => Err(ConnectError::Unknown {
                    why: "the answer does not give the address of what was created".into(),
                }),
            }
        };
        self.transport.once(send).await
    }

    /// Puts a resource in place of what it was when `etag` was read, once; the tag of what it is then, if the answer
    /// tells it.
    pub async fn put(
        &self,
        iri: &str,
        graph: &Graph,
        speech: Speech,
        etag: Option<&str>,
    ) -> Result<Option<String>, ConnectError> {
        let body = written(graph, speech)?;
        let build = |r: RequestBuilder| {
            let r = r.header(header::CONTENT_TYPE, speech.media_type()).body(body.clone());
            etag.into_iter().fold(r, |r, etag| r.header(header::IF_MATCH, etag))
        };
        let send = || async {
            let response = self.send(Method::PUT, iri, &build).await?;
            Ok(response.headers().get(header::ETAG).and_then(|v| v.to_str().ok()).map(str::to_owned))
        };
        self.transport.once(send).await
    }

    async fn send(
        &self,
        method: Method,
        iri: &str,
        build: &(dyn Fn(RequestBuilder) -> RequestBuilder + Sync),
    ) -> Result<Reply, ConnectError> {
        if !self.is_here(iri) {
            let address = self.transport.address.clone();
            return Err(ConnectError::Malformed { address, why: format!("it redirects to {iri}") });
        }
        let mut value = header::HeaderValue::from_str(&self.authorization)
            .map_err(|_| ConnectError::SignIn { text: "it holds characters that can't be sent".into() })?;
        value.set_sensitive(true);
        let request = build(self.transport.request(method.clone(), iri))
            .header(header::AUTHORIZATION, value)
            .header(header::ACCEPT, rdf::ACCEPT)
            .header("OSLC-Core-Version", "2.0");
        let response = self.transport.execute(&method, iri, request).await?;
        if response.status().is_success() {
            return Ok(response);
        }
        let speech = Speech::of(&content_type(&response));
        let told = |body: &str| {
            let Some(graph) = speech.and_then(|s| rdf::read(body, s, iri, &|| true).ok()) else {
                return Told::default();
            };
            let message = graph.triples_for_predicate(vocab::MESSAGE).next().map(|t| rdf::text_of(t.object));
            Told { understood: true, text: message.unwrap_or_default(), ..Told::default() }
        };
        Err(self.transport.failed(response, WANTED, told).await)
    }

    async fn parse(&self, iri: &str, response: Reply) -> Result<Answer, ConnectError> {
        let kind = content_type(&response);
        let of =
            |name: header::HeaderName| response.headers().get(name).and_then(|v| v.to_str().ok()).map(str::to_owned);
        let (etag, date) = (of(header::ETAG), of(header::DATE));
        if let Some(shows) = date.as_deref().and_then(|date| DateTime::parse_from_rfc2822(date).ok()) {
            self.transport.clock_seen(shows.to_utc());
        }
        let status = response.status().as_u16();
        let text = response.text(WANTED).await?;
        let Some(speech) = Speech::of(&kind) else {
            return Err(ConnectError::NotData { address: iri.into(), status, found: kind, wanted: WANTED });
        };
        let base = iri.to_owned();
        let read = aside(move |wanted| rdf::read(&text, speech, &base, &|| wanted.still())).await;
        let graph = read.map_err(|why| ConnectError::Malformed { address: iri.to_owned(), why })?;
        Ok(Answer { graph, speech, etag, date })
    }
}

/// An address as a node of a graph.
pub fn named(iri: &str) -> Result<NamedNode, ConnectError> {
    NamedNode::new(iri)
        .map_err(|e| ConnectError::Malformed { address: iri.to_owned(), why: format!("it is no address: {e}") })
}

fn written(graph: &Graph, speech: Speech) -> Result<String, ConnectError> {
    rdf::write(graph, speech).map_err(|text| ConnectError::Refused { field: String::new(), text })
}

/// The version of a resource: what is said of it. Lists of resources carry no ETags.
pub fn version(node: &Node<'_>) -> String {
    Fingerprint::of(node.description().as_str()).short()
}
