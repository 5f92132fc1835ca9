//! Applying one change. The heart of "exactly one": intend, call, look if unsure, note what is there.

use std::collections::BTreeSet;
use std::time::Duration;

use hovrel_connect::{ConnectError, Write};
use hovrel_core::compare::{Base, BaseSide, right_side, right_value, same};
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::mapping::{
    LINKS, Lacking, Lane, NotThere, PARENT, Resolved, labelled, named, names_pending, pending_names, resolved,
};
use hovrel_core::model::{Artefact, Fields, Kind, Value};
use hovrel_core::plan::{Change, Decision, FieldChange, Outcome, base_after, fields_to_write};
use hovrel_store::{Applied, JournalRow};

use super::Transfer;
use super::back::link_back;
use super::hanging::{carry, hangs_on};
use super::write::{create, finish_lists, holds, update};
use crate::EngineError;

/// How often a call is made again after its outcome was looked up and found not to have happened.
pub(super) const TRIES: u32 = 6;

/// What to do about a lane that stopped.
pub(super) const HALTED: &str =
    "Survey the system again, settle the rules, and make a new dry run. What was done stays done.";

/// A change that can't be applied, in words.
pub(super) struct Refusal {
    why: String,
    advice: String,
    /// The other system did not take a value.
    of_value: bool,
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
        Failure::Refused(Refusal { why: e.to_string(), advice: e.advice().to_owned(), of_value })
    }
}

pub(super) fn refuse<T>(why: &str, advice: &str) -> Result<T, Failure> {
    Err(Failure::Refused(Refusal { why: why.to_owned(), advice: advice.to_owned(), of_value: false }))
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
        (Some(why), _) => refuse(&why, HALTED),
        (None, Phase::Items) => attempt(t, change, decision, Begun::of(row)).await,
        (None, Phase::Links) => attempt_links(t, change, decision).await,
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
                known => known,
            };
            let (why, advice) = halted.as_deref().map_or((&*r.why, &*r.advice), |why| (why, HALTED));
            t.hub.store.refuse(t.job, change.seq as i32, why, advice).await?;
            Ok(Stage::Settled)
        }
        Err(Failure::Engine(e)) => Err(e),
    }
}

/// What was done of a change before.
pub(super) enum Begun {
    Nothing,
    /// It was intended: the call may have been made.
    Perhaps,
    /// The item is there, under this id.
    Made(String),
    /// The item was made just now, with others.
    Now(Box<Artefact>),
}

impl Begun {
    fn of(row: Option<&JournalRow>) -> Begun {
        match row {
            None => Begun::Nothing,
            Some(row) => match row.right_id.clone().filter(|_| row.state == "made") {
                Some(id) => Begun::Made(id),
                None => Begun::Perhaps,
            },
        }
    }
}

pub(super) async fn attempt(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    begun: Begun,
) -> Result<Stage, Failure> {
    let seq = change.seq as i32;
    // Invariant 1.
    if matches!(begun, Begun::Nothing | Begun::Perhaps) {
        t.hub.store.intend(t.job, &[seq]).await?;
    }
    let looks = matches!(begun, Begun::Perhaps);
    let Some(lane) = t.lanes.get(&change.lane) else { return refuse("its lane is gone", "Make a new dry run.") };
    let first_contact = lane.policies.first_contact;
    let writes = fields_to_write(change, decision, first_contact);
    let creates = change.outcome == Outcome::NewRight || decision.as_new;
    let names_to_come = writes.iter().any(|f| names_pending(&f.write));
    let now = |f: &&FieldChange| hangs_on(&f.field) && !names_pending(&f.write);
    let hanging: Vec<&FieldChange> = writes.iter().copied().filter(now).collect();
    let (write, lacking) = build(t, change, lane, &writes, creates).await?;
    let to_come = names_to_come || lacking.contains_key(LINKS);

    let target = match begun {
        Begun::Made(id) => {
            let made = read_one(t, lane.right_kind, &id).await?;
            Some(finish_lists(t, lane, &awaited(&write, &writes), made).await?)
        }
        Begun::Now(made) => Some(finish_lists(t, lane, &awaited(&write, &writes), *made).await?),
        _ if creates => Some(create(t, change, lane, &write, looks).await?),
        _ if write.fields.is_empty() && write.parent.is_none() => None,
        _ => Some(update(t, lane, &write, looks).await?),
    };
    let stored = if hanging.is_empty() {
        target
    } else {
        let mut target = match target {
            Some(target) => target,
            None => read_one(t, lane.right_kind, &right_id(change)?).await?,
        };
        t.hub.store.made(t.job, seq, &target.id).await?;
        for f in hanging {
            target = carry(t, change, lane, &target, f).await?;
        }
        Some(target)
    };
    let id = match &stored {
        Some(artefact) => artefact.id.clone(),
        None => right_id(change)?,
    };
    let key = stored.as_ref().map(|a| a.key.clone()).or_else(|| Some(change.right.as_ref()?.key.clone()));
    if to_come {
        t.hub.store.made(t.job, seq, &id).await?;
        t.keep_place(change, &id, key.as_deref()).await;
        return Ok(Stage::LinksToCome);
    }
    link_back(t, change, lane, &id).await?;
    note(t, change, decision, lane, Written { fields: &writes, lacking, stored }).await?;
    t.keep_place(change, &id, key.as_deref()).await;
    Ok(Stage::Settled)
}

/// Writes the links of an item that is there, and the texts that name others. Those to items that are not
/// there, because their change was left out or refused, are left out, and show again in the next dry run. A text
/// that somebody edited since it was written is theirs.
async fn attempt_links(t: &Transfer, change: &Change, decision: &Decision) -> Result<Stage, Failure> {
    let Some(lane) = t.lanes.get(&change.lane) else { return refuse("its lane is gone", "Make a new dry run.") };
    let left_id = change.left.as_ref().map_or("", |s| s.id.as_str());
    let Some(id) = t.place(change.kind, left_id).await else {
        return refuse("the item is not at the other end", "Retry; if it goes on, make a new dry run.");
    };
    let mut all: Vec<FieldChange> = Vec::new();
    let mut lacking = Lacking::new();
    let mut later: BTreeSet<String> = BTreeSet::new();
    let mut written: Fields = Fields::default();
    for f in fields_to_write(change, decision, lane.policies.first_contact) {
        let mut f = f.clone();
        let Resolved { value, lacking: members } = t.resolved(&f.write).await?;
        if !members.is_empty() {
            lacking.insert(f.field.clone(), members);
        }
        if names_pending(&value) {
            if !hangs_on(&f.field) {
                written.set(f.field.as_str(), labelled(&value).into_owned());
            }
            f.write = t.named(&value).await?;
            later.insert(f.field.clone());
        } else if f.field == LINKS {
            f.write = value;
            later.insert(f.field.clone());
        }
        all.push(f);
    }
    let (hanging, fields): (Vec<&FieldChange>, Vec<&FieldChange>) =
        all.iter().filter(|f| later.contains(&f.field)).partition(|f| hangs_on(&f.field));
    let wanted: Fields = fields.iter().map(|f| (f.field.as_str(), f.write.clone())).collect();
    let mut now = read_one(t, lane.right_kind, &id).await?;
    let is = |field: &str, value: &Value| same(value, &right_value(&now, field));
    let is_ours = |f: &&&FieldChange| match written.get(&f.field) {
        Some(before) => is(&f.field, before) || is(&f.field, &f.write),
        None => true,
    };
    if !fields.iter().all(|f| is_ours(&f)) {
        return Err(ConnectError::Changed.into());
    }
    let version = now.version.clone();
    let write = Write { kind: lane.right_kind, id: Some(id), version, fields: wanted, parent: None };
    if !holds(&now, &write) {
        now = update(t, lane, &write, false).await?;
    }
    for f in hanging {
        now = carry(t, change, lane, &now, f).await?;
    }
    link_back(t, change, lane, &now.id).await?;
    let fields: Vec<&FieldChange> = all.iter().collect();
    note(t, change, decision, lane, Written { fields: &fields, lacking, stored: Some(now) }).await?;
    Ok(Stage::Settled)
}

fn right_id(change: &Change) -> Result<String, Failure> {
    match &change.right {
        Some(side) => Ok(side.id.clone()),
        None => refuse("it has no counterpart", "Make a new dry run."),
    }
}

/// Of a write, the lists that had to wait for some of their members. What else the item holds by now is the people's.
fn awaited(write: &Write, fields: &[&FieldChange]) -> Write {
    let waited = |f: &&&FieldChange| resolved(&f.write, &|_, _| None).is_ok_and(|found| !found.lacking.is_empty());
    let late: BTreeSet<&str> = fields.iter().filter(waited).map(|f| f.field.as_str()).collect();
    let lists = write.fields.iter().filter(|(field, _)| late.contains(&***field));
    Write { fields: lists.map(|(field, value)| (field.clone(), value.clone())).collect(), ..write.clone() }
}

/// The write that the decided fields ask for, and what its lists lack. A list that holds already what is there for
/// it is not written.
pub(super) async fn build(
    t: &Transfer,
    change: &Change,
    lane: &Lane,
    writes: &[&FieldChange],
    creates: bool,
) -> Result<(Write, Lacking), Failure> {
    let mut lacking = Lacking::new();
    let mut write = Write { kind: lane.right_kind, id: None, version: None, fields: Fields::default(), parent: None };
    if !creates {
        write.id = Some(right_id(change)?);
        write.version = change.right.as_ref().and_then(|s| s.version.clone());
    }
    for f in writes.iter().filter(|f| !hangs_on(&f.field)) {
        let Resolved { value, lacking: members } = t.resolved(&f.write).await?;
        if !members.is_empty() {
            lacking.insert(f.field.clone(), members);
            if !creates && f.right.as_ref().is_some_and(|now| same(&value, now)) {
                continue;
            }
        }
        match (f.field.as_str(), value) {
            (PARENT, Value::Reference(reference)) => write.parent = Some(Some(reference.id().to_owned())),
            (PARENT, _) => write.parent = Some(None),
            (field, value) => write.fields.set(field, labelled(&value).into_owned()),
        }
    }
    Ok((write, lacking))
}

/// Finding what a value refers to, once it is there.
impl Transfer {
    async fn place(&self, kind: Kind, left_id: &str) -> Option<String> {
        self.places.read().await.get(&(kind, left_id.to_owned())).cloned()
    }

    /// Notes where an item is, and what people call it there.
    async fn keep_place(&self, change: &Change, right_id: &str, key: Option<&str>) {
        let Some(left) = &change.left else { return };
        let at = (change.kind, left.id.clone());
        if let Some(key) = key {
            self.names.write().await.insert(at.clone(), key.to_owned());
        }
        self.places.write().await.insert(at, right_id.to_owned());
    }

    /// A value with everything found that it refers to. What can't do without is refused; of a list, what is there
    /// is kept.
    async fn resolved(&self, value: &Value) -> Result<Resolved, Failure> {
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
    async fn named(&self, value: &Value) -> Result<Value, Failure> {
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
        self.lanes.values().find(|l| l.left_kind == kind).map_or(kind, |l| l.right_kind)
    }
}

impl Transfer {
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

/// What was written of a change.
struct Written<'w> {
    fields: &'w [&'w FieldChange],
    lacking: Lacking,
    /// The item as it is there now; none if nothing was to be written to it.
    stored: Option<Artefact>,
}

/// Notes what is there now: pair, base, losses, journal, in one transaction (invariant 3).
async fn note(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    lane: &Lane,
    written: Written<'_>,
) -> Result<(), Failure> {
    let Written { fields, lacking, stored } = written;
    let Some(left) = &change.left else { return refuse("it has no left half", "Make a new dry run.") };
    let (right, key, side) = match &stored {
        Some(a) => (a.id.clone(), a.key.clone(), right_side(lane, a)),
        None => (
            right_id(change)?,
            change.right.as_ref().map(|s| s.key.clone()).unwrap_or_default(),
            change.right_side.clone(),
        ),
    };
    let mut losses: Vec<(Loss, bool)> =
        fields.iter().flat_map(|f| f.losses.iter().map(|l| (l.clone(), true))).collect();
    if let Some(artefact) = &stored {
        losses.extend(altered(artefact, fields).into_iter().map(|l| (l, false)));
    }
    let old = old_base(t, change, &left.id).await?;
    let base = base_after(change, decision, lane.policies.first_contact, &side, &old, &lacking);
    let half = |side: &BaseSide| Ok::<_, EngineError>((side.fingerprint().0, serde_json::to_value(side)?));
    let losses = losses.iter().map(|(l, f)| Ok((serde_json::to_value(l)?, *f))).collect::<Result<_, EngineError>>()?;
    t.hub
        .store
        .done(&Applied {
            route: t.route,
            job: t.job,
            seq: change.seq as i32,
            lane: &change.lane,
            left_id: &left.id,
            right_id: &right,
            left_key: &left.key,
            right_key: &key,
            left_base: half(&base.left)?,
            right_base: half(&base.right)?,
            losses,
        })
        .await?;
    Ok(())
}

/// What the target stored differently from what it was sent.
fn altered(artefact: &Artefact, writes: &[&FieldChange]) -> Vec<Loss> {
    writes
        .iter()
        // What refers to something still to be made is compared by the proof.
        .filter(|f| {
            let refers = matches!(f.write, Value::Reference(_) | Value::References(_) | Value::Links(_));
            !refers && f.write.pending().needed.is_empty()
        })
        .filter_map(|f| {
            let now = right_value(artefact, &f.field);
            (!same(&f.write, &now)).then(|| Loss {
                field: f.field.clone(),
                kind: LossKind::Substituted,
                cause: LossCause::AlteredByTarget,
                before: f.write.display(),
                after: now.display(),
            })
        })
        .collect()
}

async fn old_base(t: &Transfer, change: &Change, left_id: &str) -> Result<Base, Failure> {
    let Some(pair) = t.hub.store.pair(t.route, &change.lane, left_id).await? else { return Ok(Base::default()) };
    let found = t.hub.store.snapshots(&[pair.left_base.clone(), pair.right_base.clone()]).await?;
    let side = |hash: &[u8]| -> Result<BaseSide, EngineError> {
        match found.iter().find(|(h, _)| h == hash) {
            Some((_, body)) => Ok(serde_json::from_value(body.clone())?),
            None => Ok(BaseSide::default()),
        }
    };
    Ok(Base { left: side(&pair.left_base)?, right: side(&pair.right_base)? })
}
