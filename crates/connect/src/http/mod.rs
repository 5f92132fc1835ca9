//! The HTTP connector: speaks to any system that a profile describes, in JSON or XML.
//!
//! Layers of a call, outside in: retry (reads only), a slot and a permit of the rate, time-out, HTTP. A
//! wait for a permit does not eat the time-out. Answers are bounded in size, redirects are not followed.

mod check;
mod client;
mod decode;
mod encode;
mod schema;
mod tree;

use async_trait::async_trait;
use futures::StreamExt;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{Artefact, Attachment, Kind};
use reqwest::Method;

use crate::profile::{KindProfile, Paging, Profile};
use crate::{
    ByteStream, Capabilities, CheckStep, ConnectError, Connector, Container, Credentials, MeterReading, Page, Write,
};
use client::Client;

/// A system described by a profile.
pub struct HttpConnector {
    client: Client,
    catalogues: tokio::sync::RwLock<std::collections::HashMap<String, std::sync::Arc<Catalogue>>>,
}

impl HttpConnector {
    /// `address` is where the system is, without a path of its interface.
    pub fn new(profile: Profile, address: &str, credentials: Credentials) -> Result<HttpConnector, ConnectError> {
        Ok(HttpConnector { client: Client::new(profile, address, credentials)?, catalogues: Default::default() })
    }

    fn kind(&self, kind: Kind) -> Result<&KindProfile, ConnectError> {
        self.client.profile.kinds.get(&kind).ok_or(ConnectError::NoSuchKind(kind))
    }

    /// The schema decides how fields are read, so reading needs it; read once per connector.
    async fn schema(&self, container: &str) -> Result<std::sync::Arc<Catalogue>, ConnectError> {
        if let Some(found) = self.catalogues.read().await.get(container) {
            return Ok(found.clone());
        }
        let read = std::sync::Arc::new(schema::read(&self.client, container).await?);
        self.catalogues.write().await.insert(container.to_owned(), read.clone());
        Ok(read)
    }

    async fn decoder<'a>(&'a self, kind: Kind, schema: &'a Catalogue) -> Result<decode::Decoder<'a>, ConnectError> {
        let profile = self.kind(kind)?;
        let fields = schema.kind(kind).ok_or(ConnectError::NoSuchKind(kind))?;
        let zone = self.client.about().await?.zone;
        Ok(decode::Decoder {
            profile: &self.client.profile,
            kind,
            of: profile,
            fields,
            zone,
            address: &self.client.address,
        })
    }
}

fn fill(path: &str, parts: &[(&str, &str)]) -> String {
    parts.iter().fold(path.to_owned(), |path, (name, value)| {
        path.replace(&format!("{{{name}}}"), &client::escape_segment(value))
    })
}

#[async_trait]
impl Connector for HttpConnector {
    fn describe(&self) -> Capabilities {
        let (calls_at_once, calls_per_minute) = self.client.limits();
        Capabilities { kinds: self.client.profile.kinds.keys().copied().collect(), calls_at_once, calls_per_minute }
    }

    fn address(&self, kind: Kind, id: &str) -> Option<String> {
        let page = &self.client.profile.kinds.get(&kind)?.page;
        Some(format!("{}{}", self.client.address, fill(page, &[("id", id)])))
    }

    async fn check(&self) -> Vec<CheckStep> {
        check::check(&self.client).await
    }

    async fn containers(&self) -> Result<Vec<Container>, ConnectError> {
        let profile = &self.client.profile;
        let answer = self.client.read(&profile.containers.path).await?;
        Ok(tree::items(&answer, &profile.containers.items)
            .into_iter()
            .map(|item| Container {
                id: tree::text(item, &profile.containers.id).unwrap_or_default(),
                name: tree::text(item, &profile.container_name).unwrap_or_default(),
            })
            .collect())
    }

    async fn catalogue(&self, container: &str) -> Result<Catalogue, ConnectError> {
        let read = schema::read(&self.client, container).await?;
        self.catalogues.write().await.insert(container.to_owned(), std::sync::Arc::new(read.clone()));
        Ok(read)
    }

    async fn read(&self, container: &str, kind: Kind, cursor: Option<&str>) -> Result<Page, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(kind, &schema).await?;
        let listing = &decoder.of.list;
        let path = fill(&listing.path, &[("container", container)]);
        let ask = |path: &str, pairs: &[(&str, &str)]| {
            let query: Vec<String> = pairs.iter().map(|(k, v)| format!("{k}={}", client::escape_segment(v))).collect();
            format!("{path}?{}", query.join("&"))
        };
        let path = match (&listing.paging, cursor) {
            (Paging::All, _) => path,
            (Paging::Offset { from, count, size, .. }, at) => {
                ask(&path, &[(from, at.unwrap_or("0")), (count, &size.to_string())])
            }
            (Paging::Cursor { limit, size, .. }, None) => ask(&path, &[(limit, &size.to_string())]),
            (Paging::Cursor { after, limit, size, .. }, Some(at)) => {
                ask(&path, &[(limit, &size.to_string()), (after, at)])
            }
        };
        let answer = self.client.read(&path).await?;
        let items = tree::items(&answer, &listing.items);
        let artefacts = items.iter().map(|i| decoder.artefact(i)).collect::<Result<Vec<_>, _>>()?;
        let (next, total) = match &listing.paging {
            Paging::All => (None, Some(artefacts.len() as u64)),
            Paging::Offset { total, .. } => {
                let total = tree::number(&answer, total);
                let reached = cursor.and_then(|c| c.parse().ok()).unwrap_or(0) + artefacts.len() as u64;
                // An empty page ends the reading even if the total says otherwise: items may have gone.
                let more = !artefacts.is_empty() && total.is_none_or(|t| reached < t);
                (more.then(|| reached.to_string()), total)
            }
            Paging::Cursor { next, total, .. } => {
                let next = tree::text(&answer, next).filter(|n| !n.is_empty());
                if next.is_some() && next.as_deref() == cursor {
                    let why = "a page points to itself as the next one".to_owned();
                    return Err(ConnectError::Malformed { address: path, why });
                }
                (next, total.as_ref().and_then(|t| tree::number(&answer, t)))
            }
        };
        Ok(Page { artefacts, next, total })
    }

    async fn one(&self, container: &str, kind: Kind, id: &str) -> Result<Artefact, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(kind, &schema).await?;
        let answer = self.client.read(&fill(&decoder.of.one, &[("id", id)])).await?;
        decoder.artefact(&answer)
    }

    async fn write(&self, container: &str, write: &Write) -> Result<Artefact, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(write.kind, &schema).await?;
        let (method, path) = match &write.id {
            Some(id) => (Method::PUT, fill(&decoder.of.one, &[("id", id)])),
            None => (Method::POST, fill(&decoder.of.create, &[("container", container)])),
        };
        let request = encode::encode(&decoder, write);
        let answer = self.client.write(method, &path, request).await?;
        decoder.artefact(&answer)
    }

    async fn find_by_origin(&self, container: &str, kind: Kind, mark: &str) -> Result<Option<Artefact>, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(kind, &schema).await?;
        let path = fill(&decoder.of.find_by_origin, &[("container", container), ("mark", mark)]);
        let answer = self.client.read(&path).await?;
        let items = tree::items(&answer, &decoder.of.list.items);
        let found: Vec<Artefact> = items.iter().map(|i| decoder.artefact(i)).collect::<Result<_, _>>()?;
        // A system without the filter answers everything: only an exact mark counts.
        Ok(found.into_iter().find(|a| a.origin.as_deref() == Some(mark)))
    }

    async fn fetch_attachment(&self, kind: Kind, id: &str, name: &str) -> Result<ByteStream, ConnectError> {
        let files = self.kind(kind)?.files.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let response = self.client.stream(&fill(&files.path, &[("id", id), ("name", name)])).await?;
        Ok(response.bytes_stream().map(|part| part.map_err(std::io::Error::other)).boxed())
    }

    async fn put_attachment(
        &self,
        kind: Kind,
        id: &str,
        file: &Attachment,
        bytes: ByteStream,
    ) -> Result<(), ConnectError> {
        let files = self.kind(kind)?.files.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        self.client.upload(&fill(&files.path, &[("id", id), ("name", &file.name)]), file, bytes).await
    }

    async fn remove_attachment(&self, kind: Kind, id: &str, name: &str) -> Result<(), ConnectError> {
        let files = self.kind(kind)?.files.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let path = fill(&files.path, &[("id", id), ("name", name)]);
        match self.client.write(Method::DELETE, &path, encode::Request::default()).await {
            Err(ConnectError::Missing { .. }) => Ok(()),
            other => other.map(|_| ()),
        }
    }

    fn meter(&self) -> MeterReading {
        self.client.meter.read()
    }
}
