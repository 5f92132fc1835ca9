//! Applying one change. The heart of "exactly one": intend, call, look if unsure, note what is there.

use std::sync::atomic::Ordering::Relaxed;
use std::time::Duration;

use hovrel_connect::{ConnectError, Outcome as CallOutcome, Write};
use hovrel_core::compare::{Base, BaseSide, right_side, right_value, same};
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::mapping::{ATTACHMENTS, LINKS, Lane, PARENT};
use hovrel_core::model::{Artefact, Attachment, Fields, Kind, Link, LinkEnd, Reference, Value};
use hovrel_core::plan::{Change, Decision, FieldChange, FieldDecision, Outcome, base_after, fields_to_write};
use hovrel_store::{Applied, JournalRow};

use super::Transfer;
use crate::EngineError;

/// How often a call is made again after its outcome was looked up and found not to have happened.
const TRIES: u32 = 6;

/// A change that can't be applied, in words.
struct Refusal {
    why: String,
    advice: String,
}

enum Failure {
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
        Failure::Refused(Refusal { why: e.to_string(), advice: e.advice().to_owned() })
    }
}

fn refuse<T>(why: &str, advice: &str) -> Result<T, Failure> {
    Err(Failure::Refused(Refusal { why: why.to_owned(), advice: advice.to_owned() }))
}

/// Items are made and changed first, with the links whose other end is there already; the other links
/// follow when all items are there, so that they may lead anywhere, in circles too (law 6).
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
    let title = change.left.as_ref().map_or("", |s| &s.title);
    let key = change.left.as_ref().map_or("", |s| &s.key);
    if let Ok(mut in_hand) = t.in_hand.lock() {
        in_hand.insert(change.seq, format!("{key} {title}"));
    }
    let result = match phase {
        Phase::Items => attempt(t, change, decision, row).await,
        Phase::Links => attempt_links(t, change, decision).await,
    };
    if let Ok(mut in_hand) = t.in_hand.lock() {
        in_hand.remove(&change.seq);
    }
    match result {
        Ok(stage) => Ok(stage),
        Err(Failure::Refused(r)) => {
            t.hub.store.refuse(t.job, change.seq as i32, &r.why, &r.advice).await?;
            Ok(Stage::Settled)
        }
        Err(Failure::Engine(e)) => Err(e),
    }
}

async fn attempt(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    row: Option<&JournalRow>,
) -> Result<Stage, Failure> {
    let seq = change.seq as i32;
    // Invariant 1.
    let begun = row.is_some();
    let made = row.filter(|r| r.state == "made").and_then(|r| r.right_id.clone());
    if made.is_none() {
        t.hub.store.intend(t.job, seq).await?;
    }
    let Some(lane) = t.lanes.get(&change.lane) else { return refuse("its lane is gone", "Make a new dry run.") };
    let first_contact = lane.policies.first_contact;
    let writes = fields_to_write(change, decision, first_contact);
    let creates = change.outcome == Outcome::NewRight || decision.as_new;
    let files = writes.iter().find(|f| f.field == ATTACHMENTS).copied();
    let (write, partly) = build(t, change, lane, &writes, creates).await?;
    let links_to_come = partly.iter().any(|field| field == LINKS);
    // A list without some of its members keeps its old base, and shows again in the next dry run.
    let mut decided = decision.clone();
    decided.fields.extend(partly.into_iter().map(|field| (field, FieldDecision::Leave)));

    let target = match (made, creates) {
        (Some(id), _) => Some(read_one(t, lane.right_kind, &id).await?),
        (None, true) => Some(create(t, change, lane, &write, begun).await?),
        (None, false) if write.fields.is_empty() && write.parent.is_none() => None,
        (None, false) => Some(update(t, lane, &write, begun).await?),
    };
    let stored = match (target, files) {
        (target, None) => target,
        (target, Some(files)) => {
            let target = match target {
                Some(target) => target,
                None => read_one(t, lane.right_kind, &right_id(change)?).await?,
            };
            t.hub.store.made(t.job, seq, &target.id).await?;
            Some(carry_files(t, change, lane, &target, files).await?)
        }
    };
    let id = match &stored {
        Some(artefact) => artefact.id.clone(),
        None => right_id(change)?,
    };
    if links_to_come {
        t.hub.store.made(t.job, seq, &id).await?;
        t.keep_place(change, &id).await;
        return Ok(Stage::LinksToCome);
    }
    note(t, change, &decided, lane, &writes, stored).await?;
    t.keep_place(change, &id).await;
    Ok(Stage::Settled)
}

/// Writes the links of an item that is there. Those to items that are not there, because their change was
/// left out or refused, are left as they are, and show again in the next dry run.
async fn attempt_links(t: &Transfer, change: &Change, decision: &Decision) -> Result<Stage, Failure> {
    let Some(lane) = t.lanes.get(&change.lane) else { return refuse("its lane is gone", "Make a new dry run.") };
    let left_id = change.left.as_ref().map_or("", |s| s.id.as_str());
    let Some(id) = t.place(change.kind, left_id).await else {
        return refuse("the item is not at the other end", "Retry; if it goes on, make a new dry run.");
    };
    let mut resolved: Vec<FieldChange> = Vec::new();
    let mut decision = decision.clone();
    for f in fields_to_write(change, &decision.clone(), lane.policies.first_contact) {
        let mut f = f.clone();
        if let (LINKS, Value::Links(list)) = (f.field.as_str(), &f.write) {
            let (there, missing) = t.resolve_links(list).await;
            if missing {
                decision.fields.insert(LINKS.to_owned(), FieldDecision::Leave);
            }
            f.write = Value::Links(there).settled();
        }
        // The list was written with the item; what it lacks shows again in the next dry run.
        if let Value::References(list) = &f.write
            && t.resolve_list(list).await.1
        {
            decision.fields.insert(f.field.clone(), FieldDecision::Leave);
        }
        resolved.push(f);
    }
    let wanted: Fields =
        resolved.iter().filter(|f| f.field == LINKS).map(|f| (f.field.as_str(), f.write.clone())).collect();
    let mut now = read_one(t, lane.right_kind, &id).await?;
    let version = now.version.clone();
    let write = Write { kind: lane.right_kind, id: Some(id), version, fields: wanted, parent: None };
    if !holds(&now, &write) {
        now = update(t, lane, &write, false).await?;
    }
    let writes: Vec<&FieldChange> = resolved.iter().collect();
    note(t, change, &decision, lane, &writes, Some(now)).await?;
    Ok(Stage::Settled)
}

fn right_id(change: &Change) -> Result<String, Failure> {
    match &change.right {
        Some(side) => Ok(side.id.clone()),
        None => refuse("it has no counterpart", "Make a new dry run."),
    }
}

/// The write that the decided fields ask for, and the lists that not all is there for.
async fn build(
    t: &Transfer,
    change: &Change,
    lane: &Lane,
    writes: &[&FieldChange],
    creates: bool,
) -> Result<(Write, Vec<String>), Failure> {
    let mut partly = Vec::new();
    let mut write = Write { kind: lane.right_kind, id: None, version: None, fields: Fields::default(), parent: None };
    if !creates {
        write.id = Some(right_id(change)?);
        write.version = change.right.as_ref().and_then(|s| s.version.clone());
    }
    for f in writes {
        match (f.field.as_str(), &f.write) {
            (ATTACHMENTS, _) => {}
            (LINKS, Value::Links(list)) => {
                let (there, missing) = t.resolve_links(list).await;
                if missing {
                    partly.push(LINKS.to_owned());
                }
                write.fields.set(LINKS, Value::Links(there).settled());
            }
            (PARENT, Value::Reference(reference)) => write.parent = Some(Some(t.resolve(reference).await?)),
            (PARENT, _) => write.parent = Some(None),
            (field, Value::References(list)) => {
                let (there, missing) = t.resolve_list(list).await;
                if missing {
                    partly.push(field.to_owned());
                }
                write.fields.set(field, Value::References(there).settled());
            }
            (field, value) => write.fields.set(field, t.resolve_value(value).await?),
        }
    }
    Ok((write, partly))
}

/// Finding what a value refers to, once it is there.
impl Transfer {
    async fn place(&self, kind: Kind, left_id: &str) -> Option<String> {
        self.places.read().await.get(&(kind, left_id.to_owned())).cloned()
    }

    async fn keep_place(&self, change: &Change, right_id: &str) {
        if let Some(left) = &change.left {
            self.places.write().await.insert((change.kind, left.id.clone()), right_id.to_owned());
        }
    }

    async fn resolve(&self, reference: &Reference) -> Result<String, Failure> {
        match reference {
            Reference::Known(id) => Ok(id.clone()),
            Reference::Pending { kind, id } => match self.place(*kind, id).await {
                Some(found) => Ok(found),
                None => refuse(
                    &format!("its {kind} {id} is not at the other end"),
                    "Include that item's own change, or see why it was refused, and retry.",
                ),
            },
        }
    }

    async fn resolve_value(&self, value: &Value) -> Result<Value, Failure> {
        Ok(match value {
            Value::Reference(reference) => Value::Reference(Reference::Known(self.resolve(reference).await?)),
            Value::Steps(steps) => {
                let mut out = steps.clone();
                for call in out.iter_mut().filter_map(|s| s.call.as_mut()) {
                    call.target = Reference::Known(self.resolve(&call.target).await?);
                }
                Value::Steps(out)
            }
            other => other.clone(),
        })
    }

    /// The references to what is there, and whether any is missing.
    async fn resolve_list(&self, list: &[Reference]) -> (Vec<Reference>, bool) {
        let mut there = Vec::new();
        for reference in list {
            there.extend(self.resolve(reference).await.ok().map(Reference::Known));
        }
        let missing = there.len() < list.len();
        (there, missing)
    }

    /// The links whose other end is there, and whether any is not.
    async fn resolve_links(&self, links: &[Link]) -> (Vec<Link>, bool) {
        let (mut out, mut missing) = (Vec::new(), false);
        for link in links {
            let target = match &link.target {
                LinkEnd::Pending { kind, id } => match self.place(*kind, id).await {
                    Some(found) => LinkEnd::Artefact { kind: self.kind_at_right(*kind), id: found },
                    None => {
                        missing = true;
                        continue;
                    }
                },
                there => there.clone(),
            };
            out.push(Link { link_type: link.link_type.clone(), target });
        }
        out.sort();
        out.dedup();
        (out, missing)
    }

    fn kind_at_right(&self, kind: Kind) -> Kind {
        self.lanes.values().find(|l| l.left_kind == kind).map_or(kind, |l| l.right_kind)
    }
}

fn mark(t: &Transfer, change: &Change) -> String {
    let key = change.left.as_ref().map_or("", |s| &s.key);
    format!("{}:{key}", t.left_name)
}

/// Makes the item, exactly once: after any doubt it is looked for by its origin mark (invariant 2).
async fn create(t: &Transfer, change: &Change, lane: &Lane, write: &Write, begun: bool) -> Result<Artefact, Failure> {
    let mark = mark(t, change);
    let find = || t.right.find_by_origin(&t.right_container, lane.right_kind, &mark);
    let mut look = begun;
    for tries in 1.. {
        if look && let Some(found) = find().await? {
            return Ok(found);
        }
        match t.right.write(&t.right_container, write).await {
            Ok(made) => {
                t.written.fetch_add(1, Relaxed);
                return Ok(made);
            }
            // The mark is there: it was made by this transfer before it was cut.
            Err(ConnectError::Duplicate) => match find().await? {
                Some(found) => return Ok(found),
                None => return Err(ConnectError::Duplicate.into()),
            },
            Err(e) if e.outcome() == CallOutcome::Refused || tries >= TRIES => return Err(e.into()),
            Err(e) => {
                look = e.outcome() == CallOutcome::Unknown;
                pause(tries).await;
            }
        }
    }
    unreachable!("the loop ends by returning")
}

/// Changes the item under its version. After any doubt it is read: if it holds what was to be written,
/// it was done; if its version is still the one that was seen, it was not; else somebody changed it.
async fn update(t: &Transfer, lane: &Lane, write: &Write, begun: bool) -> Result<Artefact, Failure> {
    let id = write.id.clone().unwrap_or_default();
    let mut look = begun;
    for tries in 1.. {
        if look {
            let now = read_one(t, lane.right_kind, &id).await?;
            if holds(&now, write) {
                return Ok(now);
            }
            if now.version != write.version {
                return Err(ConnectError::Changed.into());
            }
        }
        match t.right.write(&t.right_container, write).await {
            Ok(changed) => {
                t.written.fetch_add(1, Relaxed);
                return Ok(changed);
            }
            Err(e) if e.outcome() == CallOutcome::Refused || tries >= TRIES => return Err(e.into()),
            Err(e) => {
                look = e.outcome() == CallOutcome::Unknown;
                pause(tries).await;
            }
        }
    }
    unreachable!("the loop ends by returning")
}

fn holds(artefact: &Artefact, write: &Write) -> bool {
    let parent = write.parent.as_ref().is_none_or(|p| *p == artefact.parent);
    parent && write.fields.iter().all(|(field, value)| same(value, &right_value(artefact, field)))
}

async fn read_one(t: &Transfer, kind: Kind, id: &str) -> Result<Artefact, Failure> {
    Ok(t.right.one(&t.right_container, kind, id).await?)
}

async fn pause(tries: u32) {
    tokio::time::sleep(Duration::from_millis(40 * 2u64.pow(tries.min(6)))).await;
}

/// Brings the files of the item to what the plan says: missing and different ones are sent, others
/// removed. Sending by name twice is sending once.
async fn carry_files(
    t: &Transfer,
    change: &Change,
    lane: &Lane,
    target: &Artefact,
    wanted: &FieldChange,
) -> Result<Artefact, Failure> {
    let left_id = change.left.as_ref().map_or("", |s| s.id.as_str());
    let wanted: &[Attachment] = match &wanted.write {
        Value::Attachments(files) => files,
        _ => &[],
    };
    let mut now = target.clone();
    for tries in 1.. {
        let there = |f: &&Attachment| now.attachments.iter().any(|a| a.name == f.name && a.digest == f.digest);
        let missing: Vec<&Attachment> = wanted.iter().filter(|f| !there(f)).collect();
        let surplus: Vec<&Attachment> =
            now.attachments.iter().filter(|a| !wanted.iter().any(|f| f.name == a.name)).collect();
        if missing.is_empty() && surplus.is_empty() {
            return Ok(now);
        }
        if tries > TRIES {
            let names: Vec<&str> = missing.iter().chain(&surplus).map(|f| f.name.as_str()).collect();
            return refuse(
                &format!("the files {} differ at the other end from what was sent", names.join(", ")),
                "Retry; if it goes on, compare the files by hand.",
            );
        }
        for file in missing {
            let bytes = t.left.fetch_attachment(change.kind, left_id, &file.name).await?;
            match t.right.put_attachment(lane.right_kind, &now.id, file, bytes).await {
                Ok(()) => {
                    t.files.fetch_add(1, Relaxed);
                }
                Err(e) if e.outcome() == CallOutcome::Refused => return Err(e.into()),
                Err(_) => pause(tries).await,
            }
        }
        for file in surplus {
            match t.right.remove_attachment(lane.right_kind, &now.id, &file.name).await {
                Err(e) if e.outcome() == CallOutcome::Refused => return Err(e.into()),
                Err(_) => pause(tries).await,
                Ok(()) => {}
            }
        }
        now = read_one(t, lane.right_kind, &now.id).await?;
    }
    unreachable!("the loop ends by returning")
}

/// Notes what is there now: pair, base, losses, journal, in one transaction (invariant 3).
async fn note(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    lane: &Lane,
    writes: &[&FieldChange],
    stored: Option<Artefact>,
) -> Result<(), Failure> {
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
        writes.iter().flat_map(|f| f.losses.iter().map(|l| (l.clone(), true))).collect();
    if let Some(artefact) = &stored {
        losses.extend(altered(artefact, writes).into_iter().map(|l| (l, false)));
    }
    let old = old_base(t, change, &left.id).await?;
    let base = base_after(change, decision, lane.policies.first_contact, &side, &old);
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
