//! The OSLC connector: a general consumer of OSLC Core 3.0 (OASIS), for any provider of requirements (RM
//! 2.1), quality (QM 2.1) or change management (CM 3.0) that conforms.
//!
//! Nothing is known of a provider but what it says: services in its catalogue, types and limits in its
//! resource shapes, people in the values that a shape allows.

mod client;
mod discovery;
mod rdf;
mod resource;
mod shape;
mod vocab;

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use async_trait::async_trait;
use chrono::DateTime;
use hovrel_core::bounds::MOST_PAGES;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::keepable::{keepable, keepable_catalogue};
use hovrel_core::model::{Artefact, Attachment, Comment, HistoryEntry, Kind};
use oxrdf::{Graph, NamedNode};
use tokio::sync::RwLock;

use crate::aside::aside;
use crate::check::{Said, check};
use crate::profile::Ask;
use crate::transport::escape_segment;
use crate::{
    Added, ByteStream, Capabilities, CheckStep, ConnectError, Connector, Container, Credentials, Made, MeterReading,
    Outside, Page, Write, Written,
};
use client::{Client, named};
use discovery::{Offered, Provider};
use rdf::Node;

/// What a system that speaks OSLC keeps as its profile.
pub const ID: &str = "oslc";
const PAGE: usize = 50;

/// Every kind that a provider may offer.
pub const KINDS: [Kind; 7] =
    [Kind::Folder, Kind::Requirement, Kind::TestCase, Kind::TestSuite, Kind::Execution, Kind::Result, Kind::Defect];

/// What the connect form asks for.
pub fn asks() -> Vec<Ask> {
    let ask = |id: &str, label: &str, secret| Ask { id: id.into(), label: label.into(), secret };
    vec![ask("login", "Login", false), ask("password", "Password", true)]
}

/// A system that speaks OSLC.
pub struct OslcConnector {
    client: Arc<Client>,
    providers: RwLock<HashMap<String, Arc<Provider>>>,
    /// Whether lists hold whole resources, by container and kind, as found out once.
    whole: RwLock<HashMap<(String, Kind), bool>>,
}

impl OslcConnector {
    /// `address` is that of a service provider catalogue, or of a service provider.
    pub fn new(address: &str, credentials: Credentials, outside: &Arc<Outside>) -> Result<OslcConnector, ConnectError> {
        let client = Arc::new(Client::new(address, &credentials, outside)?);
        Ok(OslcConnector { client, providers: RwLock::default(), whole: RwLock::default() })
    }

    /// What is offered decides how resources are read; found out once per container.
    async fn provider(&self, container: &str) -> Result<Arc<Provider>, ConnectError> {
        if let Some(found) = self.providers.read().await.get(container) {
            return Ok(found.clone());
        }
        let read = Arc::new(discovery::provider(&self.client, container).await?);
        self.providers.write().await.insert(container.to_owned(), read.clone());
        Ok(read)
    }

    async fn resource(&self, kind: Kind, offered: &Offered, iri: &str) -> Result<Artefact, ConnectError> {
        Ok(self.tagged(kind, offered, iri).await?.0)
    }

    /// A resource, and the tag under which it was answered.
    async fn tagged(
        &self,
        kind: Kind,
        offered: &Offered,
        iri: &str,
    ) -> Result<(Artefact, Option<String>), ConnectError> {
        let missing = || ConnectError::Missing { what: iri.to_owned() };
        if !self.client.is_here(iri) {
            return Err(missing());
        }
        let subject = named(iri)?;
        let answer = self.client.get(iri).await?;
        let node = answer.node(&subject);
        if node.is_empty() {
            return Err(missing());
        }
        let artefact = resource::artefact(&self.client, kind, offered, &node)?;
        Ok((artefact, answer.etag))
    }

    /// One page of a query. Members that the page does not hold whole are read one by one.
    async fn page(
        &self,
        container: &str,
        kind: Kind,
        provider: &Arc<Provider>,
        url: &str,
    ) -> Result<Page, ConnectError> {
        let answer = self.client.get(url).await?;
        let graph = &answer.graph;
        let mut members: Vec<&str> = graph
            .triples_for_predicate(vocab::MEMBER)
            .filter_map(|t| match t.object {
                oxrdf::TermRef::NamedNode(n) => Some(n.as_str()),
                _ => None,
            })
            .collect();
        members.sort_unstable();
        members.dedup();
        let nodes: Vec<(String, NamedNode)> =
            members.iter().map(|iri| Ok(((*iri).to_owned(), named(iri)?))).collect::<Result<_, ConnectError>>()?;
        let info = Node::of_type(graph, vocab::RESPONSE_INFO).into_iter().next();
        let next = info.and_then(|i| i.iri(vocab::NEXT_PAGE));
        let total = info.and_then(|i| i.text(vocab::TOTAL_COUNT)?.parse().ok());
        let whole = self.holds_whole(container, kind, graph, &nodes).await?;
        let artefacts = if whole {
            let (client, provider) = (self.client.clone(), provider.clone());
            // Texts take a while.
            let read = aside(move |wanted| {
                let offered = offered(&provider, kind)?;
                let one = |(_, subject): &(String, NamedNode)| {
                    let node = Node { graph: &answer.graph, subject: subject.as_ref().into() };
                    resource::artefact(&client, kind, offered, &node)
                };
                nodes.iter().take_while(|_| wanted.still()).map(one).collect::<Result<Vec<_>, _>>()
            });
            read.await?
        } else {
            let mut found = Vec::with_capacity(nodes.len());
            for (iri, _) in &nodes {
                match self.resource(kind, offered(provider, kind)?, iri).await {
                    Ok(one) => found.push(one),
                    // It went between the list and the look.
                    Err(ConnectError::Missing { .. }) => {}
                    Err(e) => return Err(e),
                }
            }
            found
        };
        Ok(Page { artefacts, next, total })
    }

    /// Whether a list tells as much of a resource as the resource itself.
    async fn holds_whole(
        &self,
        container: &str,
        kind: Kind,
        graph: &Graph,
        nodes: &[(String, NamedNode)],
    ) -> Result<bool, ConnectError> {
        let key = (container.to_owned(), kind);
        if let Some(known) = self.whole.read().await.get(&key) {
            return Ok(*known);
        }
        let Some((iri, subject)) = nodes.first() else { return Ok(true) };
        let listed = Node { graph, subject: subject.as_ref().into() };
        let answer = self.client.get(iri).await?;
        let whole = client::version(&listed) == client::version(&answer.node(subject));
        self.whole.write().await.insert(key, whole);
        Ok(whole)
    }
}

fn offered(provider: &Provider, kind: Kind) -> Result<&Offered, ConnectError> {
    provider.kinds.get(&kind).ok_or(ConnectError::NoSuchKind(kind))
}

/// The first page of a query for whole resources, with more parameters (OSLC Query 3.0); a query base may hold
/// some already.
fn query(base: &str, more: &[(&str, &str)]) -> String {
    let size = PAGE.to_string();
    let paged = [("oslc.paging", "true"), ("oslc.pageSize", &size), ("oslc.select", "*")];
    let all: Vec<String> =
        paged.iter().chain(more).map(|(name, value)| format!("{name}={}", escape_segment(value))).collect();
    format!("{base}{}{}", if base.contains('?') { '&' } else { '?' }, all.join("&"))
}

#[async_trait]
impl Connector for OslcConnector {
    fn describe(&self) -> Capabilities {
        let (calls_at_once, calls_per_minute) = self.client.transport.limits();
        let known = self.providers.try_read().ok().filter(|p| !p.is_empty());
        let kinds = match known {
            Some(providers) => {
                let offered = |k: &Kind| providers.values().any(|p| p.kinds.contains_key(k));
                KINDS.into_iter().filter(offered).collect()
            }
            None => KINDS.to_vec(),
        };
        Capabilities { kinds, calls_at_once, calls_per_minute, batches: Default::default() }
    }

    /// The resource itself, which a provider shows to a browser as a page.
    fn address(&self, kind: Kind, id: &str) -> Option<String> {
        KINDS.contains(&kind).then(|| self.client.iri(id))
    }

    async fn check(&self) -> Vec<CheckStep> {
        let found = discovery::containers(&self.client).await;
        let (containers, said) = match found {
            Ok((containers, date)) => {
                let text = date.unwrap_or_default();
                let clock = DateTime::parse_from_rfc2822(&text).map(|t| t.to_utc()).map_err(|_| text);
                let said = async {
                    let mut access = None;
                    if let Some(first) = containers.first() {
                        let provider = self.provider(&first.id).await?;
                        let makes = provider.kinds.values().any(|o| o.creation.is_some());
                        access = Some(if makes { "write" } else { "read" }.to_owned());
                    }
                    Ok(Said { version: String::new(), clock, ours: self.client.transport.now(), access })
                };
                (Ok(containers.len()), said.await)
            }
            Err(e) => (Err(e.clone()), Err(e)),
        };
        check(&self.client.transport.address, said, async { containers }).await
    }

    async fn containers(&self) -> Result<Vec<Container>, ConnectError> {
        Ok(keepable(discovery::containers(&self.client).await?.0))
    }

    async fn catalogue(&self, container: &str) -> Result<Catalogue, ConnectError> {
        let read = Arc::new(discovery::provider(&self.client, container).await?);
        self.providers.write().await.insert(container.to_owned(), read.clone());
        Ok(keepable_catalogue(read.catalogue()))
    }

    async fn read(&self, container: &str, kind: Kind, cursor: Option<&str>) -> Result<Page, ConnectError> {
        let provider = self.provider(container).await?;
        let offered = offered(&provider, kind)?;
        let url = cursor.map_or_else(|| query(&offered.query_base, &[]), str::to_owned);
        self.page(container, kind, &provider, &url).await
    }

    async fn one(&self, container: &str, kind: Kind, id: &str) -> Result<Artefact, ConnectError> {
        let provider = self.provider(container).await?;
        self.resource(kind, offered(&provider, kind)?, &self.client.iri(id)).await
    }

    async fn write(&self, container: &str, write: &Write) -> Result<Written, ConnectError> {
        let provider = self.provider(container).await?;
        let offered = offered(&provider, write.kind)?;
        let (iri, told) = match &write.id {
            None => {
                let Some(creation) = &offered.creation else {
                    let text = format!("{} can only be read here", write.kind);
                    return Err(ConnectError::Forbidden { text });
                };
                // The address that a resource without one is relative to (OSLC Core 3.0, part 1).
                let subject = named(creation)?;
                let graph = resource::graph(&self.client, offered, &subject, Graph::new(), write)?;
                self.client.post(creation, &graph, offered.speech).await?
            }
            Some(id) => {
                let iri = self.client.iri(id);
                let subject = named(&iri)?;
                let answer = self.client.get(&iri).await?;
                let node = answer.node(&subject);
                if write.version.as_ref().is_some_and(|v| *v != client::version(&node)) {
                    return Err(ConnectError::Changed);
                }
                let now = node.closure();
                let (client, provider, write) = (self.client.clone(), provider.clone(), write.clone());
                // Texts that are changed in their source take a while.
                let put = aside(move |_| {
                    resource::graph(&client, self::offered(&provider, write.kind)?, &subject, now, &write)
                });
                let graph = put.await?;
                let told = self.client.put(&iri, &graph, answer.speech, answer.etag.as_deref()).await?;
                (iri, told)
            }
        };
        // It was written; only what it looks like now is not known.
        let unknown = |e: ConnectError| ConnectError::Unknown { why: format!("it can't be read again: {e}") };
        let (artefact, tag) = self.tagged(write.kind, offered, &iri).await.map_err(unknown)?;
        // It is the write's own word only under the tag that the answer to the write told.
        Ok(Written { artefact, own: told.is_some() && told == tag })
    }

    /// OSLC Core 3.0 has no creation of several resources at once.
    async fn create_many(&self, _: &str, kind: Kind, _: &[Write]) -> Result<Vec<Made>, ConnectError> {
        Err(ConnectError::NoSuchKind(kind))
    }

    async fn find_by_origin(&self, container: &str, kind: Kind, mark: &str) -> Result<Option<Artefact>, ConnectError> {
        let provider = self.provider(container).await?;
        let offered = offered(&provider, kind)?;
        let sought = mark.replace('\\', "\\\\").replace('"', "\\\"");
        let condition = format!("dcterms:source{{dcterms:identifier=\"{sought}\"}}");
        let prefix = format!("dcterms=<{}>", vocab::DCTERMS);
        let mut url = query(&offered.query_base, &[("oslc.prefix", &prefix), ("oslc.where", &condition)]);
        // A provider without such a filter answers everything: only an exact mark counts.
        let mut seen = HashSet::new();
        while seen.len() < MOST_PAGES && seen.insert(url.clone()) {
            let page = self.page(container, kind, &provider, &url).await?;
            if let Some(found) = page.artefacts.into_iter().find(|a| a.origin.as_deref() == Some(mark)) {
                return Ok(Some(found));
            }
            match page.next {
                Some(next) => url = next,
                None => return Ok(None),
            }
        }
        Err(ConnectError::Malformed { address: url, why: "its pages refer to one another in a circle".into() })
    }

    async fn fetch_attachment(&self, kind: Kind, _: &str, _: &str) -> Result<ByteStream, ConnectError> {
        Err(ConnectError::NoSuchKind(kind))
    }

    async fn put_attachment(&self, kind: Kind, _: &str, _: &Attachment, _: ByteStream) -> Result<(), ConnectError> {
        Err(ConnectError::NoSuchKind(kind))
    }

    async fn remove_attachment(&self, kind: Kind, _: &str, _: &str) -> Result<(), ConnectError> {
        Err(ConnectError::NoSuchKind(kind))
    }

    async fn add_comment(&self, _: &str, kind: Kind, _: &str, _: &Comment) -> Result<Added, ConnectError> {
        Err(ConnectError::NoSuchKind(kind))
    }

    async fn add_history(&self, _: &str, kind: Kind, _: &str, _: &HistoryEntry) -> Result<Added, ConnectError> {
        Err(ConnectError::NoSuchKind(kind))
    }

    fn meter(&self) -> MeterReading {
        self.client.transport.meter.read()
    }
}
