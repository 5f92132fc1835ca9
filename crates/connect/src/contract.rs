//! The contract of a connector.
//!
//! Reads may be repeated and are, inside the connector, with back-off that honours Retry-After. Writes
//! are never repeated here: [`ConnectError::outcome`] tells the engine whether a failed write may have
//! happened, and the engine looks before it tries again.

use std::collections::BTreeMap;
use std::pin::Pin;
use std::sync::atomic::{AtomicI64, AtomicU64, Ordering::Relaxed};
use std::time::Duration;

use async_trait::async_trait;
use bytes::Bytes;
use chrono::{DateTime, Utc};
use futures::Stream;
use hovrel_core::catalogue::{Catalogue, NewField};
use hovrel_core::model::{Artefact, Attachment, Comment, Fields, HistoryEntry, Kind};
use serde::{Deserialize, Serialize};

use crate::ConnectError;

/// Secrets and names that a profile asks for, by id. Never printed.
#[derive(Clone, Default, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Credentials(pub BTreeMap<String, String>);

impl std::fmt::Debug for Credentials {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Credentials(sealed)")
    }
}

/// A project, or whatever a system calls what a route connects.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Container {
    /// Its id at the system.
    pub id: String,
    /// What people call it.
    pub name: String,
}

/// What a connector can do, so that a plan can be checked before the run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Capabilities {
    /// The kinds of artefacts that it reads and writes.
    pub kinds: Vec<Kind>,
    /// Calls at once that are worth making.
    pub calls_at_once: usize,
    /// Calls a minute that the system allows, where it says so.
    pub calls_per_minute: Option<u32>,
    /// Kinds of which several items can be created in one call, and how many.
    pub batches: BTreeMap<Kind, usize>,
}

/// One step of a check.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct CheckStep {
    /// What was tried, in a few words.
    pub step: String,
    /// How it went.
    pub state: CheckState,
    /// What came back.
    pub found: String,
    /// What to do; empty if nothing.
    pub advice: String,
}

/// How a step of a check went.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum CheckState {
    /// As it should be.
    Ok,
    /// It works, and something about it should be looked at.
    Warning,
    /// It does not work.
    Failed,
    /// Not tried, since a step before it failed.
    Skipped,
    /// The system does not tell.
    Unknown,
}

/// A page of artefacts.
#[derive(Debug, Clone, Default)]
pub struct Page {
    /// The artefacts, in the order of the system.
    pub artefacts: Vec<Artefact>,
    /// Where to go on; none at the end.
    pub next: Option<String>,
    /// How many there are in all, where the system says so.
    pub total: Option<u64>,
}

/// A write of one artefact.
#[derive(Debug, Clone)]
pub struct Write {
    /// The kind of the artefact.
    pub kind: Kind,
    /// None to create.
    pub id: Option<String>,
    /// The version the write is based on; the system refuses it if somebody changed the item since.
    pub version: Option<String>,
    /// The fields that are set; the others stay as they are.
    pub fields: Fields,
    /// The folder, if it is to be set.
    pub parent: Option<Option<String>>,
    /// Whether formatted texts and steps of an item that is there are changed in what is written there, which is read
    /// before: what is not touched stays, and what has no place in a document is refused and not written over.
    pub in_source: bool,
}

/// What a write came to.
#[derive(Debug, Clone)]
pub struct Written {
    /// The item as the system holds it now.
    pub artefact: Artefact,
    /// Whether the answer to the write itself says so. If not, the item was read after it, and what somebody else did
    /// in between is in it too.
    pub own: bool,
}

/// What the answer to something added showed.
#[derive(Debug, Clone)]
pub enum Added {
    /// Its id.
    Under(String),
    /// The whole item, with what was added in it.
    Item(Box<Artefact>),
    /// Nothing.
    Unsaid,
}

/// What became of one of several writes.
pub type Made = Result<Artefact, ConnectError>;

/// The bytes of a file, in parts and never whole in memory.
pub type ByteStream = Pin<Box<dyn Stream<Item = Result<Bytes, std::io::Error>> + Send>>;

/// How Hovrel speaks to an outside system. One implementation speaks to one system with one sign-in.
#[async_trait]
pub trait Connector: Send + Sync {
    /// What it can do.
    fn describe(&self) -> Capabilities;

    /// Where a person sees an item; none if the system has no such kind. Nothing is asked of the system.
    fn address(&self, kind: Kind, id: &str) -> Option<String>;

    /// Reach, sign in, permissions, clock, containers; each with its outcome and advice. Never fails.
    async fn check(&self) -> Vec<CheckStep>;

    /// The projects that the sign-in may see.
    async fn containers(&self) -> Result<Vec<Container>, ConnectError>;

    /// The kinds and fields of a project, with what each takes.
    async fn catalogue(&self, container: &str) -> Result<Catalogue, ConnectError>;

    /// Adds a field to a kind and returns its id; the catalogue has it from then on. Tried once. Only of the types
    /// that [`KindSchema::makes`](hovrel_core::catalogue::KindSchema) names.
    async fn make_field(&self, _container: &str, _kind: Kind, field: &NewField) -> Result<String, ConnectError> {
        Err(no_new_fields(field))
    }

    /// One page of one kind. Missing items are simply not in it; an item the system lists twice is
    /// returned twice, and the reader keeps the last.
    async fn read(&self, container: &str, kind: Kind, cursor: Option<&str>) -> Result<Page, ConnectError>;

    /// One artefact; [`ConnectError::Missing`] if it is not there.
    async fn one(&self, container: &str, kind: Kind, id: &str) -> Result<Artefact, ConnectError>;

    /// Creates or changes one artefact, in one call, and returns it as the system holds it now. Tried once. States that
    /// are reached by moves are not written: see [`Connector::move_to`].
    async fn write(&self, container: &str, write: &Write) -> Result<Written, ConnectError>;

    /// Moves an artefact to another state, by one move. Tried once.
    async fn move_to(&self, _container: &str, kind: Kind, _id: &str, _to: &str) -> Result<Written, ConnectError> {
        Err(ConnectError::NoSuchKind(kind))
    }

    /// Creates several artefacts of one kind in one call, each by itself; answers stand in the order of the
    /// writes. Tried once: an error of the whole call says nothing of any of them. Only for kinds that
    /// [`Capabilities::batches`] names.
    async fn create_many(&self, container: &str, kind: Kind, writes: &[Write]) -> Result<Vec<Made>, ConnectError>;

    /// The artefact that carries an origin mark: looked up before a creation is repeated. Everything that the system
    /// answers is looked through, to the last page.
    async fn find_by_origin(&self, container: &str, kind: Kind, mark: &str) -> Result<Option<Artefact>, ConnectError>;

    /// The bytes of a file; [`ConnectError::Missing`] if there is no such file.
    async fn fetch_attachment(&self, kind: Kind, id: &str, name: &str) -> Result<ByteStream, ConnectError>;

    /// Stores a file under its name, in place of one of that name. Doing it twice is doing it once.
    async fn put_attachment(
        &self,
        kind: Kind,
        id: &str,
        file: &Attachment,
        bytes: ByteStream,
    ) -> Result<(), ConnectError>;

    /// Removes a file; a file that is not there is removed.
    async fn remove_attachment(&self, kind: Kind, id: &str, name: &str) -> Result<(), ConnectError>;

    /// Adds a comment, with its author and time where the system lets these be set. Tried once: adding it
    /// again adds another.
    async fn add_comment(
        &self,
        container: &str,
        kind: Kind,
        id: &str,
        comment: &Comment,
    ) -> Result<Added, ConnectError>;

    /// Adds a past change to the history of an item. Tried once.
    async fn add_history(
        &self,
        container: &str,
        kind: Kind,
        id: &str,
        entry: &HistoryEntry,
    ) -> Result<Added, ConnectError>;

    /// What it did since it was made.
    fn meter(&self) -> MeterReading;
}

/// That a system adds no fields.
pub(crate) fn no_new_fields(field: &NewField) -> ConnectError {
    ConnectError::Refused { field: field.name.clone(), text: "no fields can be added there".into() }
}

/// Counts of what a connector did, for progress and for the share of a limit that was used.
#[derive(Default)]
pub struct Meter {
    /// Calls that were sent.
    pub calls: AtomicU64,
    /// Calls that were sent again.
    pub retries: AtomicU64,
    /// Answers that said “too many calls”.
    pub refused_for_rate: AtomicU64,
    /// Milliseconds spent waiting for the system's limits, over all calls.
    pub waited_ms: AtomicU64,
    /// Milliseconds from sending to the first of the answer, over all calls that were answered.
    pub took_ms: AtomicU64,
    /// Bytes of answers, without those of files.
    pub bytes: AtomicU64,
    /// Until when a call waits for a limit, in milliseconds since 1970; the latest of all.
    pub waiting_until_ms: AtomicI64,
    /// What is known of the system's clock.
    pub clock_ahead: ClockAhead,
}

/// By how many seconds a system's clock is ahead of Hovrel's, as it was seen last.
#[derive(Debug)]
pub struct ClockAhead(AtomicI64);

/// Of a clock that was not seen so far.
const UNSEEN: i64 = i64::MIN;

impl Default for ClockAhead {
    fn default() -> Self {
        ClockAhead(AtomicI64::new(UNSEEN))
    }
}

impl ClockAhead {
    /// Notes what was seen.
    pub fn seen(&self, seconds: i64) {
        self.0.store(seconds, Relaxed);
    }

    fn read(&self) -> Option<i64> {
        Some(self.0.load(Relaxed)).filter(|seconds| *seconds != UNSEEN)
    }
}

/// What a [`Meter`] counted so far.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct MeterReading {
    /// Calls that were sent.
    pub calls: u64,
    /// Calls that were sent again.
    pub retries: u64,
    /// Answers that said "too many calls".
    pub refused_for_rate: u64,
    /// Time spent waiting for the system's limits, over all calls.
    pub waited_ms: u64,
    /// Time from sending to the first of the answer, over all calls that were answered.
    #[serde(default)]
    pub took_ms: u64,
    /// Bytes of answers, without those of files.
    #[serde(default)]
    pub bytes: u64,
    /// Until when a call waits now: for the system's limits, or because the system asked for patience.
    #[serde(default)]
    pub waiting_until: Option<DateTime<Utc>>,
    /// By how many seconds the system's clock is ahead of Hovrel's; none if its answers don't say.
    #[serde(default)]
    pub clock_ahead: Option<i64>,
}

impl Meter {
    /// That a call waits for so long from now.
    pub fn waits(&self, time: Duration) {
        let until = Utc::now() + chrono::TimeDelta::from_std(time).unwrap_or_default();
        self.waiting_until_ms.fetch_max(until.timestamp_millis(), Relaxed);
    }

    fn waiting_until(&self) -> Option<DateTime<Utc>> {
        let until = DateTime::from_timestamp_millis(self.waiting_until_ms.load(Relaxed))?;
        (until > Utc::now()).then_some(until)
    }

    /// What was counted so far.
    pub fn read(&self) -> MeterReading {
        MeterReading {
            calls: self.calls.load(Relaxed),
            retries: self.retries.load(Relaxed),
            refused_for_rate: self.refused_for_rate.load(Relaxed),
            waited_ms: self.waited_ms.load(Relaxed),
            took_ms: self.took_ms.load(Relaxed),
            bytes: self.bytes.load(Relaxed),
            waiting_until: self.waiting_until(),
            clock_ahead: self.clock_ahead.read(),
        }
    }
}
