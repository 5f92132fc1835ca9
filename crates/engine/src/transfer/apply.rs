//! Applying one change. The heart of "exactly one": intend, call, look if unsure, note what is there.

use std::time::Duration;

use hovrel_connect::{ConnectError, Written};
use hovrel_core::agree::{changed_besides, in_their_words, same};
use hovrel_core::carry::{Lacking, NotThere, Resolved, resolved};
use hovrel_core::model::{Artefact, Kind, LINKS, ShortForm, Value, labelled, named, names_pending, pending_names};
use hovrel_core::plan::{Change, Decision, FieldChange};
use hovrel_store::{JournalRow, Stage as Noted};

use super::back::link_back;
use super::course::{Course, There};
use super::files::carry_files;
use super::item::{Update, create, update};
use super::later::carry_later;
use super::moves::walk;
use super::pieces::carry_pieces;
use super::sent::Sent;
use super::{Transfer, has_its_own_calls};
use crate::EngineError;
use crate::points::point;

/// How often a call is made again after its outcome was looked up and found not to have happened.
pub(super) const TRIES: u32 = 6;

/// A change that can't be applied, in words.
#[derive(Debug, Clone)]
pub(super) struct Refusal {
    pub why: String,
    pub advice: String,
    /// The other system did not take a value.
    pub of_value: bool,
    /// Somebody changed the item meanwhile.
    pub changed: bool,
}

pub(super) enum Failure {
    Refused(Refusal),
    Engine(EngineError),
}

impl From<EngineError> for Failure {
    fn from(e: EngineError) -> Self {
        Failure::Engine(e)
    }
}

impl From<hovrel_store::StoreError> for Failure {
    fn from(e: hovrel_store::StoreError) -> Self {
        Failure::Engine(e.into())
    }
}

impl From<ConnectError> for Failure {
    fn from(e: ConnectError) -> Self {
        let of_value = matches!(e, ConnectError::Refused { .. } | ConnectError::NoSuchKind(_));
        let changed = matches!(e, ConnectError::Changed);
        Failure::Refused(Refusal { why: e.to_string(), advice: e.advice().to_owned(), of_value, changed })
    }
}

pub(super) fn refuse<T>(why: &str, advice: &str) -> Result<T, Failure> {
    let (why, advice) = (why.to_owned(), advice.to_owned());
    Err(Failure::Refused(Refusal { why, advice, of_value: false, changed: false }))
}

/// Items are made and changed first, with the links whose other end is there already; the other links, and
/// what texts call items that were still to be made, follow when all items are there, so that they may lead
/// anywhere, in circles too (law 6).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Phase {
    Items,
    Links,
}

/// How far a change came.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Stage {
    /// Done or refused, and noted.
    Settled,
    /// The item is there; its links are to come.
    LinksToCome,
}

/// Applies a change and notes how it went. An error is trouble of Hovrel's own; a refusal by the other
/// system is noted in the journal, and the others go on.
pub async fn apply(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    row: Option<&JournalRow>,
    phase: Phase,
) -> Result<Stage, EngineError> {
    t.take_in_hand(change);
    let result = match (t.halted(&change.lane).await, phase) {
        (Some(halt), _) => Err(Failure::Refused(halt)),
        (None, Phase::Items) => attempt(t, change, decision, Begun::of(row)).await,
        (None, Phase::Links) => carry_later(t, change, decision).await,
    };
    settle(t, change, result).await
}

/// Notes a refusal.
pub(super) async fn settle(
    t: &Transfer,
    change: &Change,
    result: Result<Stage, Failure>,
) -> Result<Stage, EngineError> {
    if let Ok(mut in_hand) = t.in_hand.lock() {
        in_hand.remove(&change.seq);
    }
    match result {
        Ok(stage) => Ok(stage),
        Err(Failure::Refused(r)) => {
            let halted = match t.halted(&change.lane).await {
                None if r.of_value => t.look_again(&change.lane, change.right_kind).await,
                // What made it stop tells of itself.
                _ => None,
            };
            let told = halted.as_ref().unwrap_or(&r);
            t.hub.store.refuse(t.holder, change.seq as i32, &told.why, &told.advice).await?;
            Ok(Stage::Settled)
        }
        Err(Failure::Engine(e)) => Err(e),
    }
}

/// What was done of a change before.
pub(super) enum Begun {
    Nothing,
    /// It was intended: calls may have been made.
    Perhaps,
    /// The item is there, under this id, with everything that one call writes.
    Made(String),
    /// The item was made just now, with others.
    Now(Box<Written>, Sent),
}

impl Begun {
    fn of(row: Option<&JournalRow>) -> Begun {
        match row {
            None => Begun::Nothing,
            Some(row) => row.right_id.clone().map_or(Begun::Perhaps, Begun::Made),
        }
    }
}

pub(super) async fn attempt(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    begun: Begun,
) -> Result<Stage, Failure> {
    // Invariant 1.
    if !matches!(begun, Begun::Now(..)) {
        t.hub.store.intend(t.holder, &[change.seq as i32]).await?;
        point("intended");
    }
    let looks = matches!(begun, Begun::Perhaps | Begun::Made(_));
    let mut c = Course::begin(t, change, decision, looks).await?;
    if change.outcome.is_absent() && !c.makes_new() {
        return let_go(&c).await;
    }
    let writes = c.writes();
    let states: Vec<&FieldChange> =
        writes.iter().copied().filter(|f| t.is_state(change.right_kind, &f.field)).collect();
    let now = |f: &&FieldChange| has_its_own_calls(&f.field) && !names_pending(&f.write);
    let hanging: Vec<&FieldChange> = writes.iter().copied().filter(now).collect();
    let sent = build(&c, &writes).await?;
    let names_to_come = writes.iter().any(|f| names_pending(&f.write));
    // Of an item that was made before, links may be lacking whose other end is there by now.
    let links_to_come = match &begun {
        Begun::Made(_) => writes.iter().any(|f| f.field == LINKS),
        _ => sent.lacking.contains_key(LINKS),
    };
    let mut to_come = names_to_come || links_to_come;

    let mut item = match begun {
        Begun::Made(id) => Some(read_one(t, change.right_kind, &id).await?),
        Begun::Now(made, sent) => {
            let Written { artefact, own } = *made;
            to_come |= sent.lacking.contains_key(LINKS);
            c.made(&artefact, own);
            c.wrote(&sent, &artefact, own);
            Some(artefact)
        }
        _ if c.makes_new() => {
            let (Written { artefact, own }, sent) = create(&mut c, sent).await?;
            to_come |= sent.lacking.contains_key(LINKS);
            c.made(&artefact, own);
            c.wrote(&sent, &artefact, own);
            Some(artefact)
        }
        _ if sent.is_empty() => None,
        _ => {
            let id = right_id(change)?;
            let version = planned_version(&c).await?;
            let asked = Update { step: "update", id: &id, version, before: &change.right_holds, was: None };
            let (Written { artefact, own }, sent) = update(&mut c, asked, sent).await?;
            to_come |= sent.lacking.contains_key(LINKS);
            c.wrote(&sent, &artefact, own);
            Some(artefact)
        }
    };
    let more = to_come || !states.is_empty() || !hanging.is_empty();
    if more && let Some(item) = &item {
        c.note(Noted::Made, There::of(item)).await?;
    }
    for f in &states {
        let at = match item.take() {
            Some(item) => item,
            None => as_planned(&c).await?,
        };
        item = Some(walk(&mut c, f, at).await?);
    }
    if let (false, Some(item)) = (states.is_empty(), &item) {
        c.note(Noted::Made, There::of(item)).await?;
    }
    for f in hanging {
        let at = match item.take() {
            Some(item) => item,
            None => read_one(t, change.right_kind, &right_id(change)?).await?,
        };
        item = Some(carry(&mut c, f, at).await?);
    }
    let (id, key) = match (&item, &change.right) {
        (Some(item), _) => (item.id.clone(), item.key.clone()),
        (None, Some(side)) => (side.id.clone(), side.key.clone()),
        (None, None) => return refuse("it has no counterpart", "Make a new dry run."),
    };
    let there = There { id: &id, key: &key };
    if to_come {
        c.note(Noted::Made, there).await?;
        t.keep_place(change, &id, Some(&key)).await;
        return Ok(Stage::LinksToCome);
    }
    link_back(&c, &id).await?;
    c.note(Noted::Done, there).await?;
    t.keep_place(change, &id, Some(&key)).await;
    Ok(Stage::Settled)
}

/// Brings what hangs on the item to what the plan says.
pub(super) async fn carry(c: &mut Course<'_>, f: &FieldChange, item: Artefact) -> Result<Artefact, Failure> {
    if super::course::is_said(&f.field) { carry_pieces(c, f, item).await } else { carry_files(c, f, item).await }
}

/// A pair that a person lets go, since one of its two is not there any more.
async fn let_go(c: &Course<'_>) -> Result<Stage, Failure> {
    let pair = (c.t.route, c.change.lane.as_str(), c.left_id());
    c.t.hub.store.let_go(c.t.holder, c.seq(), pair).await?;
    Ok(Stage::Settled)
}

/// The item as the plan saw it; refused if it is another by now.
async fn as_planned(c: &Course<'_>) -> Result<Artefact, Failure> {
    let now = read_one(c.t, c.change.right_kind, &right_id(c.change)?).await?;
    let planned = c.change.right.as_ref().and_then(|s| s.version.as_ref());
    if !c.has_moved() && planned.is_some() && now.version.as_ref() != planned && !is_as_planned(c.change, &now) {
        return Err(ConnectError::Changed.into());
    }
    Ok(now)
}

/// The version that the change is based on.
async fn planned_version(c: &Course<'_>) -> Result<Option<String>, Failure> {
    let planned = c.change.right.as_ref().and_then(|s| s.version.clone());
    if planned.as_deref().and_then(ShortForm::of_text) != Some(ShortForm::Former) {
        return Ok(planned);
    }
    let now = read_one(c.t, c.change.right_kind, &right_id(c.change)?).await?;
    Ok(if is_as_planned(c.change, &now) { now.version } else { planned })
}

/// Whether an item without a version of its own holds what the plan saw, where the plan is of a time when Hovrel made
/// versions of what items hold in another way.
fn is_as_planned(change: &Change, now: &Artefact) -> bool {
    let form = |version: Option<&String>| version.and_then(|v| ShortForm::of_text(v));
    let planned = change.right.as_ref().and_then(|s| s.version.as_ref());
    (form(planned), form(now.version.as_ref())) == (Some(ShortForm::Former), Some(ShortForm::Now))
        && !change.right_holds.is_empty()
        && changed_besides(&change.right_holds, now, &|_| false).is_empty()
}

pub(super) fn right_id(change: &Change) -> Result<String, Failure> {
    match &change.right {
        Some(side) => Ok(side.id.clone()),
        None => refuse("it has no counterpart", "Make a new dry run."),
    }
}

/// What one call writes of the decided fields, and what its lists lack. A list that holds already what is there for it is
/// not written, and neither are states, which are reached by moves.
pub(super) async fn build(c: &Course<'_>, writes: &[&FieldChange]) -> Result<Sent, Failure> {
    let mut sent = Sent { values: Default::default(), lacking: Lacking::new() };
    let own = |f: &&&FieldChange| !has_its_own_calls(&f.field) && !c.t.is_state(c.change.right_kind, &f.field);
    for f in writes.iter().filter(own) {
        let Resolved { value, lacking } = c.t.resolved(&f.write).await?;
        if !lacking.is_empty() {
            sent.lacking.insert(f.field.clone(), lacking);
            if !c.makes_new() && f.right.as_ref().is_some_and(|now| same(&value, now)) {
                continue;
            }
        }
        let value = match (value, &f.right) {
            (Value::Links(wanted), Some(Value::Links(held))) => Value::Links(in_their_words(&wanted, held)),
            (value, _) => labelled(&value).into_owned(),
        };
        sent.values.insert(f.field.clone(), value);
    }
    Ok(sent)
}

/// Finding what a value refers to, once it is there.
impl Transfer {
    pub(super) async fn place(&self, kind: Kind, left_id: &str) -> Option<String> {
        self.places.read().await.get(&(kind, left_id.to_owned())).cloned()
    }

    /// Notes where an item is, and what people call it there.
    pub(super) async fn keep_place(&self, change: &Change, right_id: &str, key: Option<&str>) {
        let Some(left) = &change.left else { return };
        let at = (change.kind, left.id.clone());
        if self.owners.get(&at).is_some_and(|lane| *lane != change.lane) {
            return;
        }
        if let Some(key) = key {
            self.names.write().await.insert(at.clone(), key.to_owned());
        }
        self.places.write().await.insert(at, right_id.to_owned());
    }

    /// A value with everything found that it refers to. What can't do without is refused; of a list, what is there
    /// is kept.
    pub(super) async fn resolved(&self, value: &Value) -> Result<Resolved, Failure> {
        let places = self.places.read().await;
        let place = |kind, id: &str| Some((self.kind_at_right(kind), places.get(&(kind, id.to_owned()))?.clone()));
        resolved(value, &place).or_else(|NotThere { kind, id }| {
            refuse(
                &format!("its {kind} {id} is not at the other end"),
                "Include that item's own change, or see why it was refused, and retry.",
            )
        })
    }

    /// A value with the items that its texts name called as they are called there. Items that are not there
    /// keep their keys of the left.
    pub(super) async fn named(&self, value: &Value) -> Result<Value, Failure> {
        for (kind, id) in pending_names(value) {
            let there = self.place(kind, &id).await;
            if let Some(there) = there
                && !self.names.read().await.contains_key(&(kind, id.clone()))
            {
                // Made before the transfer was cut: only its id was noted.
                let found = read_one(self, self.kind_at_right(kind), &there).await?;
                self.names.write().await.insert((kind, id), found.key);
            }
        }
        let names = self.names.read().await;
        Ok(named(value, &|kind, id| names.get(&(kind, id.to_owned())).cloned()).into_owned())
    }

    fn kind_at_right(&self, kind: Kind) -> Kind {
        self.kinds.iter().find(|(left, _)| *left == kind).map_or(kind, |(_, right)| *right)
    }

    /// Whether a field of the right is a state that is reached by moves.
    pub(super) fn is_state(&self, kind: Kind, field: &str) -> bool {
        self.there.kind(kind).and_then(|k| k.field(field)).is_some_and(|f| f.workflow.is_some())
    }

    /// Tells which change is in hand.
    pub(super) fn take_in_hand(&self, change: &Change) {
        let (key, title) = change.left.as_ref().map_or(("", ""), |s| (&s.key, &s.title));
        if let Ok(mut in_hand) = self.in_hand.lock() {
            in_hand.insert(change.seq, format!("{key} {title}"));
        }
    }
}

pub(super) async fn read_one(t: &Transfer, kind: Kind, id: &str) -> Result<Artefact, Failure> {
    Ok(t.right.one(&t.right_container, kind, id).await?)
}

pub(super) async fn pause(tries: u32) {
    tokio::time::sleep(Duration::from_millis(40 * 2u64.pow(tries.min(6)))).await;
}
