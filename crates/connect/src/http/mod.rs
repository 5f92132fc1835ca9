//! The HTTP connector: speaks to any system that a profile describes, in JSON or XML.

mod client;
mod decode;
mod encode;
mod moves;
mod pages;
mod schema;
mod tree;

use async_trait::async_trait;
use futures::StreamExt;
use hovrel_core::catalogue::{Catalogue, NewField};
use hovrel_core::model::{Artefact, Attachment, Comment, HistoryEntry, Kind};
use reqwest::Method;

use crate::check::{Said, check};
use crate::contract::no_new_fields;
use crate::profile::{Concurrency, KindProfile, Paging, Profile};
use crate::transport::escape_segment;
use crate::{
    ByteStream, Capabilities, CheckStep, ConnectError, Connector, Container, Credentials, Made, MeterReading, Page,
    Write,
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

    /// Where the next page is, as a path of this system; an address of another is not followed, since the
    /// sign-in would go there too.
    fn next_page(&self, path: &str, headers: &reqwest::header::HeaderMap) -> Result<Option<String>, ConnectError> {
        let malformed = |why: String| ConnectError::Malformed { address: path.to_owned(), why };
        let Some(value) = headers.get(reqwest::header::LINK) else { return Ok(None) };
        let text = value.to_str().map_err(|e| malformed(format!("its Link header is no text: {e}")))?;
        let here = format!("{}{path}", self.client.address());
        let Some(next) = pages::next(text, &here).map_err(malformed)? else { return Ok(None) };
        match next.strip_prefix(self.client.address()) {
            Some(next) => Ok(Some(next.to_owned())),
            None => Err(malformed(format!("its next page is elsewhere, at {next}"))),
        }
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
            address: self.client.address(),
        })
    }
}

impl HttpConnector {
    /// Where a file is. Where names may repeat, its id is looked up by the name that it was read with.
    async fn file_path(&self, kind: Kind, id: &str, name: &str) -> Result<String, ConnectError> {
        let of = self.kind(kind)?;
        let files = of.files.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let path = |name: &str| fill(&files.path, &[("id", id), ("name", name)]);
        let Some(at) = &files.id else { return Ok(path(name)) };
        let item = self.client.read(&fill(&of.one, &[("id", id)])).await?;
        let found = decode::named_files(&item, files).into_iter().find(|(_, own)| own == name);
        let missing = || ConnectError::Missing { what: format!("the file {name}") };
        found.and_then(|(file, _)| tree::text(file, at)).map(|file| path(&file)).ok_or_else(missing)
    }
}

fn fill(path: &str, parts: &[(&str, &str)]) -> String {
    parts
        .iter()
        .fold(path.to_owned(), |path, (name, value)| path.replace(&format!("{{{name}}}"), &escape_segment(value)))
}

#[async_trait]
impl Connector for HttpConnector {
    fn describe(&self) -> Capabilities {
        let (calls_at_once, calls_per_minute) = self.client.transport.limits();
        let kinds = &self.client.profile.kinds;
        let batches = kinds.iter().filter_map(|(kind, of)| Some((*kind, of.batch.as_ref()?.size))).collect();
        Capabilities { kinds: kinds.keys().copied().collect(), calls_at_once, calls_per_minute, batches }
    }

    fn address(&self, kind: Kind, id: &str) -> Option<String> {
        let page = &self.client.profile.kinds.get(&kind)?.page;
        Some(format!("{}{}", self.client.address(), fill(page, &[("id", id)])))
    }

    async fn check(&self) -> Vec<CheckStep> {
        let signed_in = self.client.token_header(true).await;
        let about = match signed_in {
            Ok(_) => self.client.read_about().await,
            Err(e) => Err(e),
        };
        let said = about.map(|about| Said {
            clock: decode::read_time(&about.clock, about.zone).map(|t| t.to_utc()).ok_or(about.clock),
            version: about.version,
            access: about.access,
        });
        let containers = async { self.containers().await.map(|found| found.len()) };
        check(self.client.address(), said, containers).await
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

    async fn make_field(&self, container: &str, kind: Kind, field: &NewField) -> Result<String, ConnectError> {
        let of = self.kind(kind)?;
        let at = self.client.profile.schema.new_fields.as_ref().ok_or_else(|| no_new_fields(field))?;
        let path = fill(&at.path, &[("container", container), ("kind", &of.schema_id)]);
        let answer = self.client.write(Method::POST, &path, encode::new_field(at, field)).await?;
        self.catalogues.write().await.remove(container);
        tree::text(&answer, &at.id).ok_or_else(|| {
            let why = format!("the answer does not say which id the field got (at {})", at.id);
            ConnectError::Malformed { address: path, why }
        })
    }

    async fn read(&self, container: &str, kind: Kind, cursor: Option<&str>) -> Result<Page, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(kind, &schema).await?;
        let listing = &decoder.of.list;
        let path = fill(&listing.path, &[("container", container)]);
        let ask = |path: &str, pairs: &[(&str, &str)]| {
            let query: Vec<String> = pairs.iter().map(|(k, v)| format!("{k}={}", escape_segment(v))).collect();
            format!("{path}{}{}", if path.contains('?') { '&' } else { '?' }, query.join("&"))
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
            (Paging::Linked { limit, size, .. }, None) => ask(&path, &[(limit, &size.to_string())]),
            // The system's own address of the next page.
            (Paging::Linked { .. }, Some(at)) => at.to_owned(),
        };
        let (answer, headers) = self.client.read_page(&path).await?;
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
            Paging::Linked { total, .. } => {
                let total = total.as_ref().and_then(|name| headers.get(name)?.to_str().ok()?.parse().ok());
                (self.next_page(&path, &headers)?, total)
            }
            Paging::Cursor { next, total, .. } => {
                let next = tree::text(&answer, next).filter(|n| !n.is_empty());
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
        let reads_first = matches!(decoder.of.concurrency, Concurrency::LastWins);
        let now = match write.id.as_ref().filter(|_| reads_first) {
            Some(id) => Some(self.one(container, write.kind, id).await?),
            None => None,
        };
        if let Some(now) = &now
            && now.version != write.version
        {
            return Err(ConnectError::Changed);
        }
        let (write, state) = moves::split(write, decoder.fields);
        let written = if write.fields.is_empty()
            && write.parent.is_none()
            && let Some(now) = now
        {
            now
        } else {
            let request = encode::encode(&decoder, &write, now.as_ref());
            decoder.artefact(&self.client.write(method, &path, request).await?)?
        };
        match state {
            Some(state) => moves::walk(&self.client, &decoder, written, &state).await,
            None => Ok(written),
        }
    }

    async fn create_many(&self, container: &str, kind: Kind, writes: &[Write]) -> Result<Vec<Made>, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(kind, &schema).await?;
        let at = decoder.of.batch.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let path = fill(&at.path, &[("container", container)]);
        let bodies = writes.iter().filter_map(|w| encode::encode(&decoder, w, None).body).collect();
        let mut body = serde_json::Value::Object(Default::default());
        tree::put(&mut body, &at.items, serde_json::Value::Array(bodies));
        let request = encode::Request { body: Some(body), root: decoder.of.root.clone(), headers: Vec::new() };
        let answer = self.client.write(Method::POST, &path, request).await?;
        let answers = tree::items(&answer, &at.answers);
        if answers.len() != writes.len() {
            let why = format!("{} answers to {} items", answers.len(), writes.len());
            return Err(ConnectError::Malformed { address: path, why });
        }
        let one = |answer: &serde_json::Value| match tree::at(answer, &at.made) {
            Some(item) => decoder.artefact(item),
            None => Err(self.client.refused(answer)),
        };
        Ok(answers.into_iter().map(one).collect())
    }

    async fn complete(&self, container: &str, write: &Write, found: Artefact) -> Result<Artefact, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(write.kind, &schema).await?;
        match moves::split(write, decoder.fields).1 {
            Some(state) => moves::walk(&self.client, &decoder, found, &state).await,
            None => Ok(found),
        }
    }

    async fn find_by_origin(&self, container: &str, kind: Kind, mark: &str) -> Result<Option<Artefact>, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(kind, &schema).await?;
        let written = decoder.of.origin_label.as_ref().map(|at| decode::label(&at.prefix, mark));
        let sought = written.as_deref().unwrap_or(mark);
        let path = fill(&decoder.of.find_by_origin, &[("container", container), ("mark", sought)]);
        let answer = self.client.read(&path).await?;
        let items = tree::items(&answer, &decoder.of.list.items);
        let found: Vec<Artefact> = items.iter().map(|i| decoder.artefact(i)).collect::<Result<_, _>>()?;
        // A system without the filter answers everything: only an exact mark counts.
        Ok(found.into_iter().find(|a| a.origin.as_deref() == Some(mark)))
    }

    async fn fetch_attachment(&self, kind: Kind, id: &str, name: &str) -> Result<ByteStream, ConnectError> {
        let path = self.file_path(kind, id, name).await?;
        let response = self.client.stream(&path).await?;
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
        let path = match self.file_path(kind, id, name).await {
            Err(ConnectError::Missing { .. }) => return Ok(()),
            path => path?,
        };
        match self.client.write(Method::DELETE, &path, encode::Request::default()).await {
            Err(ConnectError::Missing { .. }) => Ok(()),
            other => other.map(|_| ()),
        }
    }

    async fn add_comment(&self, kind: Kind, id: &str, comment: &Comment) -> Result<(), ConnectError> {
        let at = self.kind(kind)?.comments.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let path = at.add.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        self.client.write(Method::POST, &fill(path, &[("id", id)]), encode::comment(at, comment)).await.map(|_| ())
    }

    async fn add_history(&self, kind: Kind, id: &str, entry: &HistoryEntry) -> Result<(), ConnectError> {
        let at = self.kind(kind)?.history.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let path = at.add.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        self.client.write(Method::POST, &fill(path, &[("id", id)]), encode::history(at, entry)).await.map(|_| ())
    }

    fn meter(&self) -> MeterReading {
        self.client.transport.meter.read()
    }
}
