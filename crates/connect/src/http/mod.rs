//! The HTTP connector: speaks to any system that a profile describes, in JSON or XML.

#[cfg(test)]
mod accounts;
mod addresses;
mod client;
mod decode;
mod encode;
mod pages;
mod request;
mod schema;
mod source;
mod tree;
mod words;

use std::collections::HashMap;
use std::sync::Arc;

use async_trait::async_trait;
use hovrel_core::catalogue::{Catalogue, NewField};
use hovrel_core::keepable::{keepable, keepable_catalogue};
use hovrel_core::model::{Artefact, Attachment, Comment, HistoryEntry, Kind};
use reqwest::Method;
use serde_json::{Value, json};

use crate::aside::aside;
use crate::check::{Said, check};
use crate::contract::no_new_fields;
use crate::profile::{AddedAt, Concurrency, KindProfile, Profile, Updates};
use crate::{
    Added, ByteStream, Capabilities, CheckStep, ConnectError, Connector, Container, Credentials, Made, MeterReading,
    Outside, Page, Write, Written,
};
use client::{Answered, Client};
use request::Request;
use schema::Schema;
use words::fill;

/// A system described by a profile.
pub struct HttpConnector {
    client: Arc<Client>,
    schemas: tokio::sync::RwLock<HashMap<String, Arc<Schema>>>,
}

impl HttpConnector {
    /// `address` is where the system is, without a path of its interface.
    pub fn new(
        profile: Profile,
        address: &str,
        credentials: Credentials,
        outside: &Arc<Outside>,
    ) -> Result<HttpConnector, ConnectError> {
        let client = Arc::new(Client::new(profile, address, credentials, outside)?);
        Ok(HttpConnector { client, schemas: Default::default() })
    }

    fn kind(&self, kind: Kind) -> Result<&KindProfile, ConnectError> {
        self.client.profile.kinds.get(&kind).ok_or(ConnectError::NoSuchKind(kind))
    }

    /// The schema decides how fields are read, so reading needs it; read once per connector.
    async fn schema(&self, container: &str) -> Result<Arc<Schema>, ConnectError> {
        if let Some(found) = self.schemas.read().await.get(container) {
            return Ok(found.clone());
        }
        let read = Arc::new(schema::read(&self.client, container).await?);
        self.schemas.write().await.insert(container.to_owned(), read.clone());
        Ok(read)
    }

    async fn decoder<'a>(&'a self, kind: Kind, schema: &'a Schema) -> Result<decode::Decoder<'a>, ConnectError> {
        decoder(&self.client, kind, schema, self.client.about().await?.zone)
    }

    /// Items to artefacts, beside the runtime's threads: texts take a while.
    async fn decoded(&self, kind: Kind, schema: Arc<Schema>, items: Vec<Value>) -> Result<Vec<Artefact>, ConnectError> {
        let (client, zone) = (self.client.clone(), self.client.about().await?.zone);
        aside(move |wanted| {
            let decoder = decoder(&client, kind, &schema, zone)?;
            items.iter().take_while(|_| wanted.still()).map(|item| decoder.artefact(item)).collect()
        })
        .await
    }

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

    /// The item in the answer to a write; of an answer that says nothing, the item as it is read after it. That is the
    /// write's own word only under the version that the answer told.
    async fn written(
        &self,
        decoder: &decode::Decoder<'_>,
        id: Option<&str>,
        answered: Answered,
    ) -> Result<Written, ConnectError> {
        match (answered.body, id) {
            (Some(body), _) => Ok(Written { artefact: decoder.artefact(&body)?, own: true }),
            (None, None) => Err(ConnectError::Unknown { why: "the answer does not name what was created".into() }),
            (None, Some(id)) => {
                // It was written; only what it looks like now is not known.
                let unknown = |e: ConnectError| ConnectError::Unknown { why: format!("it can't be read again: {e}") };
                let now = self.client.read(&fill(&decoder.of.one, &[("id", id)])).await.map_err(unknown)?;
                let artefact = decoder.artefact(&now)?;
                let own = answered.etag.is_some() && answered.etag == artefact.version;
                Ok(Written { artefact, own })
            }
        }
    }

    /// The change of an item, over what it is: the version is compared before, where the system does not, and the
    /// whole of it is sent, where what is not sent would be emptied.
    async fn change(
        &self,
        decoder: &decode::Decoder<'_>,
        schema: &Arc<Schema>,
        write: &Write,
        id: &str,
    ) -> Result<Request, ConnectError> {
        let last_wins = matches!(decoder.of.concurrency, Concurrency::LastWins);
        let whole = decoder.of.updates == Updates::Whole;
        // Labels and the mark among them are one list there.
        let relabels = encode::writes_labels(decoder, write);
        let in_source = write.in_source && source::has_texts(write);
        if !last_wins && !whole && !relabels && !in_source {
            return Ok(encode::encode(decoder, write, None));
        }
        let raw = self.client.read(&fill(&decoder.of.one, &[("id", id)])).await?;
        let now = decoder.artefact(&raw)?;
        if write.version.is_some() && now.version != write.version {
            return Err(ConnectError::Changed);
        }
        let mut request = encode::encode(decoder, write, Some(&now));
        let Some(mut body) = request.body.take() else { return Ok(request) };
        let mut raw = raw;
        if in_source {
            // Beside the runtime's threads: texts take a while.
            let (client, schema, zone) = (self.client.clone(), schema.clone(), decoder.zone);
            let write = write.clone();
            (raw, body) = aside(move |_| {
                let decoder = self::decoder(&client, write.kind, &schema, zone)?;
                source::put(&decoder, &write, (&raw, &now), &mut body)?;
                Ok::<_, ConnectError>((raw, body))
            })
            .await?;
        }
        request.body = Some(if whole { encode::over(raw, body) } else { body });
        Ok(request)
    }

    /// What the answer to something added shows.
    async fn added(
        &self,
        container: &str,
        kind: Kind,
        at: Option<&AddedAt>,
        answered: Answered,
    ) -> Result<Added, ConnectError> {
        let (Some(at), Some(body)) = (at, answered.body) else { return Ok(Added::Unsaid) };
        Ok(match at {
            AddedAt::Id(place) => tree::text(&body, place).map_or(Added::Unsaid, Added::Under),
            AddedAt::Item => {
                let schema = self.schema(container).await?;
                let decoder = self.decoder(kind, &schema).await?;
                // It was added, whatever the answer looks like.
                decoder.artefact(&body).map_or(Added::Unsaid, |item| Added::Item(Box::new(item)))
            }
        })
    }
}

fn decoder<'a>(
    client: &'a Client,
    kind: Kind,
    schema: &'a Schema,
    zone: chrono_tz::Tz,
) -> Result<decode::Decoder<'a>, ConnectError> {
    let of = client.profile.kinds.get(&kind).ok_or(ConnectError::NoSuchKind(kind))?;
    let fields = schema.catalogue.kind(kind).ok_or(ConnectError::NoSuchKind(kind))?;
    let (profile, address) = (&client.profile, client.address());
    Ok(decode::Decoder { profile, kind, of, fields, words: &schema.words, zone, address })
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
            clock: about.clock,
            ours: self.client.transport.now(),
            version: about.version,
            access: about.access,
        });
        let containers = async { self.containers().await.map(|found| found.len()) };
        check(self.client.address(), said, containers).await
    }

    async fn containers(&self) -> Result<Vec<Container>, ConnectError> {
        let profile = &self.client.profile;
        let at = &profile.containers;
        let found = pages::all(&self.client, &at.path, at).await?;
        let one = |item: &Value| {
            let id = tree::text(item, &at.id).filter(|id| !id.is_empty()).ok_or_else(|| ConnectError::Malformed {
                address: format!("{}{}", self.client.address(), at.path),
                why: format!("a project has no id at {}", at.id),
            })?;
            let name = tree::text(item, &profile.container_name).filter(|n| !n.is_empty());
            Ok(Container { name: name.unwrap_or_else(|| id.clone()), id })
        };
        found.iter().map(one).collect::<Result<Vec<_>, _>>().map(keepable)
    }

    async fn catalogue(&self, container: &str) -> Result<Catalogue, ConnectError> {
        let read = Arc::new(schema::read(&self.client, container).await?);
        self.schemas.write().await.insert(container.to_owned(), read.clone());
        Ok(keepable_catalogue(read.catalogue.clone()))
    }

    async fn make_field(&self, container: &str, kind: Kind, field: &NewField) -> Result<String, ConnectError> {
        let of = self.kind(kind)?;
        let at = self.client.profile.schema.new_fields.as_ref().ok_or_else(|| no_new_fields(field))?;
        let path = fill(&at.path, &[("container", container), ("kind", &of.schema_id)]);
        let answer = self.client.write(Method::POST, &path, encode::new_field(at, field)).await?;
        self.schemas.write().await.remove(container);
        answer.body.and_then(|body| tree::text(&body, &at.id)).ok_or_else(|| {
            let why = format!("the answer does not give the id of the new field (at {})", at.id);
            ConnectError::Malformed { address: path, why }
        })
    }

    async fn read(&self, container: &str, kind: Kind, cursor: Option<&str>) -> Result<Page, ConnectError> {
        let schema = self.schema(container).await?;
        let list = &self.kind(kind)?.list;
        let path = fill(&list.path, &[("container", container)]);
        let listed = pages::page(&self.client, &path, list, cursor).await?;
        let artefacts = self.decoded(kind, schema, listed.items).await?;
        Ok(Page { artefacts, next: listed.next, total: listed.total })
    }

    async fn one(&self, container: &str, kind: Kind, id: &str) -> Result<Artefact, ConnectError> {
        let schema = self.schema(container).await?;
        let answer = self.client.read(&fill(&self.kind(kind)?.one, &[("id", id)])).await?;
        let found = self.decoded(kind, schema, vec![answer]).await?;
        found.into_iter().next().ok_or_else(|| ConnectError::Missing { what: id.to_owned() })
    }

    async fn write(&self, container: &str, write: &Write) -> Result<Written, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(write.kind, &schema).await?;
        let (method, path, request) = match &write.id {
            Some(id) => {
                let request = self.change(&decoder, &schema, write, id).await?;
                (Method::PUT, fill(&decoder.of.one, &[("id", id)]), request)
            }
            None => {
                let path = fill(&decoder.of.create, &[("container", container)]);
                (Method::POST, path, encode::encode(&decoder, write, None))
            }
        };
        let answered = self.client.write(method, &path, request).await?;
        self.written(&decoder, write.id.as_deref(), answered).await
    }

    async fn move_to(&self, container: &str, kind: Kind, id: &str, to: &str) -> Result<Written, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(kind, &schema).await?;
        let path = decoder.of.move_at.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let request = Request { body: Some(json!({"to": to})), ..Request::default() };
        let answered = self.client.write(Method::POST, &fill(path, &[("id", id)]), request).await?;
        self.written(&decoder, Some(id), answered).await
    }

    async fn create_many(&self, container: &str, kind: Kind, writes: &[Write]) -> Result<Vec<Made>, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(kind, &schema).await?;
        let at = decoder.of.batch.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let path = fill(&at.path, &[("container", container)]);
        let bodies = writes.iter().filter_map(|w| encode::encode(&decoder, w, None).body).collect();
        let mut body = Value::Object(Default::default());
        tree::put(&mut body, &at.items, Value::Array(bodies));
        let request = Request { body: Some(body), root: decoder.of.root.clone(), headers: Vec::new() };
        let mut answer = self.client.write(Method::POST, &path, request).await?.body.unwrap_or_default();
        let unknown = |why: String| ConnectError::Unknown { why };
        let answers = tree::take_list(&mut answer, &at.answers, self.client.profile.speaks).map_err(unknown)?;
        if answers.len() != writes.len() {
            return Err(unknown(format!("{} answers to {} items", answers.len(), writes.len())));
        }
        let one = |answer: &Value| match tree::at(answer, &at.made) {
            Some(item) => decoder.artefact(item),
            None => Err(self.client.refused(answer)),
        };
        Ok(answers.iter().map(one).collect())
    }

    async fn find_by_origin(&self, container: &str, kind: Kind, mark: &str) -> Result<Option<Artefact>, ConnectError> {
        let schema = self.schema(container).await?;
        let decoder = self.decoder(kind, &schema).await?;
        let written = decoder.of.origin_label.as_ref().map(|at| decode::label(&at.prefix, mark));
        let sought = written.as_deref().unwrap_or(mark);
        let path = fill(&decoder.of.find_by_origin, &[("container", container), ("mark", sought)]);
        // A system without the filter answers everything, page by page: only an exact mark counts, on whatever page.
        let marked = |item: &Value| {
            let found = decoder.artefact(item)?;
            Ok((found.origin.as_deref() == Some(mark)).then_some(found))
        };
        pages::find(&self.client, &path, &decoder.of.list, &marked).await
    }

    async fn fetch_attachment(&self, kind: Kind, id: &str, name: &str) -> Result<ByteStream, ConnectError> {
        let path = self.file_path(kind, id, name).await?;
        self.client.stream(&path).await
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
        match self.client.write(Method::DELETE, &path, Request::default()).await {
            Err(ConnectError::Missing { .. }) => Ok(()),
            other => other.map(|_| ()),
        }
    }

    async fn add_comment(
        &self,
        container: &str,
        kind: Kind,
        id: &str,
        comment: &Comment,
    ) -> Result<Added, ConnectError> {
        let at = self.kind(kind)?.comments.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let path = at.add.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let request = encode::comment(at, comment);
        let answered = self.client.write(Method::POST, &fill(path, &[("id", id)]), request).await?;
        self.added(container, kind, at.added.as_ref(), answered).await
    }

    async fn add_history(
        &self,
        container: &str,
        kind: Kind,
        id: &str,
        entry: &HistoryEntry,
    ) -> Result<Added, ConnectError> {
        let at = self.kind(kind)?.history.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let path = at.add.as_ref().ok_or(ConnectError::NoSuchKind(kind))?;
        let request = encode::history(at, entry);
        let answered = self.client.write(Method::POST, &fill(path, &[("id", id)]), request).await?;
        self.added(container, kind, at.added.as_ref(), answered).await
    }

    fn meter(&self) -> MeterReading {
        self.client.transport.meter.read()
    }
}
