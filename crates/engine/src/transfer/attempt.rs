//! One change from its first call to its last. The heart of "exactly one": intend, call, look if unsure, note what is
//! there.
//!
//! Decides the order of what one change writes: the item with what one call takes, then its states, then what has calls of
//! its own, then the link back. What it can't write yet, since it leads to what is still to come, it leaves for later.

use std::borrow::Cow;
use std::collections::BTreeMap;

use hovrel_connect::{ConnectError, Written};
use hovrel_core::agree::{changed_besides, holdings, in_their_words, same};
use hovrel_core::carry::{Lacking, Resolved};
use hovrel_core::model::{Artefact, End, ShortForm, Slot, Value, labelled, names_pending};
use hovrel_core::plan::{Change, Decision, FieldChange, leg_back, leg_merged};
use hovrel_store::Stage as Noted;

use super::as_taken::{as_it_stands, both_as_rules_take_it};
use super::back::link_back;
use super::course::{Course, There};
use super::failure::{Failure, refuse};
use super::hanging::carry;
use super::item::{Purpose, UPDATE, Update, create, stands_as_planned, update};
use super::moves::walk;
use super::sent::Sent;
use super::shared::{Stage, Transfer};
use crate::points::point;

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

/// What a change writes, by how it is written.
struct Parts<'c> {
    /// What one call writes.
    sent: Sent,
    /// Reached by moves.
    states: Vec<&'c FieldChange>,
    /// Carried by calls of their own, as far as they name nothing that is still to come.
    hanging: Vec<&'c FieldChange>,
    /// Links or names that can only be written when all items are there.
    to_come: bool,
}

/// Carries a change out. `back` says what was done before at the end that its lane does not write first.
pub(super) async fn attempt(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    begun: Begun,
    back: Begun,
) -> Result<Stage, Failure> {
    // Invariant 1.
    if !matches!(begun, Begun::Now(..)) {
        t.hub.store.intend(t.holder, &[change.seq as i32]).await?;
        point("intended");
    }
    let first_contact = t.lanes.get(&change.lane).map(|lane| lane.policies.first_contact).unwrap_or_default();
    let version = match leg_back(change, decision, first_contact) {
        Some((leg, decided)) => Some(write_back(t, (change, decision), (&leg, &decided), back).await),
        None => None,
    };
    let (version, refused) = match version {
        Some(Ok(version)) => (Some(version), None),
        // What goes into the other end does not wait for it.
        Some(Err(Failure::Refused(refused))) => (None, Some(refused)),
        Some(Err(failure)) => return Err(failure),
        None => (None, None),
    };
    let looks = matches!(begun, Begun::Perhaps | Begun::Made(_));
    // Where the other end did not take what both edits make of a field, this one does not get it either.
    let merged = leg_merged(change, decision, first_contact).filter(|_| refused.is_none());
    let (leg, decided) = merged.as_ref().map_or((change, decision), |(leg, decided)| (leg, decided));
    let mut c = Course::begin(t, leg, decided, looks).await?.of_whole((change, decision));
    if let Some(version) = version {
        c.other_written(version);
    }
    if change.outcome.is_absent() && !c.makes_new() {
        return let_go(&c).await;
    }
    if let Some(refused) = refused {
        if !c.writes().is_empty() {
            write(&mut c, begun, false).await?;
        }
        return Err(Failure::Refused(refused));
    }
    write(&mut c, begun, true).await
}

/// Writes what a change brings to the end that its lane does not write first; the version of the item there afterwards.
async fn write_back(
    t: &Transfer,
    whole: (&Change, &Decision),
    (leg, decided): (&Change, &Decision),
    begun: Begun,
) -> Result<Option<String>, Failure> {
    if let Some(halt) = t.halted(leg.written, &leg.lane).await {
        return Err(Failure::Refused(halt));
    }
    let looks = matches!(begun, Begun::Perhaps | Begun::Made(_));
    let mut c = Course::begin(t, leg, decided, looks).await?.of_whole(whole);
    let mut parts = parts(&c, false).await?;
    let sent = std::mem::take(&mut parts.sent);
    let item = write_item(&mut c, begun, sent, &mut parts.to_come).await?;
    if let Some(item) = &item {
        c.note(Noted::Made, There::of(item)).await?;
    }
    let item = write_states(&mut c, &parts.states, item).await?;
    let mut hanging: Vec<FieldChange> = parts.hanging.into_iter().cloned().collect();
    // What is still to come here is called as it is called at the end that it comes from.
    for f in c.writes().into_iter().filter(|f| f.field.has_its_own_calls() && names_pending(&f.write)) {
        hanging.push(FieldChange { write: c.desk().named(&f.write).await?, ..f.clone() });
    }
    let item = write_hanging(&mut c, &hanging.iter().collect::<Vec<_>>(), item).await?;
    if let (false, Some(item)) = (hanging.is_empty(), &item) {
        c.note(Noted::Made, There::of(item)).await?;
    }
    Ok(item.and_then(|item| item.version))
}

/// Writes what a change brings to the end that its lane writes, or writes first. `to_the_end` says that nothing else of the
/// change is open then.
async fn write(c: &mut Course<'_>, begun: Begun, to_the_end: bool) -> Result<Stage, Failure> {
    let mut parts = parts(c, matches!(begun, Begun::Made(_))).await?;
    let sent = std::mem::take(&mut parts.sent);
    let item = write_item(c, begun, sent, &mut parts.to_come).await?;
    if let Some(item) = &item
        && (parts.to_come || !parts.states.is_empty() || !parts.hanging.is_empty())
    {
        c.note(Noted::Made, There::of(item)).await?;
    }
    let item = write_states(c, &parts.states, item).await?;
    let item = write_hanging(c, &parts.hanging, item).await?;
    finish(c, item, parts.to_come || !to_the_end).await
}

/// `made_before` says that the item was made before: links may be lacking whose other end is there by now.
async fn parts<'c>(c: &Course<'c>, made_before: bool) -> Result<Parts<'c>, Failure> {
    let writes = c.writes();
    let is_state = |f: &&&FieldChange| c.desk().is_state(c.kind(), &f.field);
    let now = |f: &&&FieldChange| f.field.has_its_own_calls() && !names_pending(&f.write);
    let sent = build(c, &writes).await?;
    let links_to_come = match made_before {
        true => writes.iter().any(|f| f.field == Slot::Links),
        false => sent.lacking.contains_key(&Slot::Links),
    };
    Ok(Parts {
        states: writes.iter().filter(is_state).copied().collect(),
        hanging: writes.iter().filter(now).copied().collect(),
        to_come: links_to_come || writes.iter().any(|f| names_pending(&f.write)),
        sent,
    })
}

/// Makes or changes the item; none if there is nothing to write in one call.
async fn write_item(
    c: &mut Course<'_>,
    begun: Begun,
    sent: Sent,
    to_come: &mut bool,
) -> Result<Option<Artefact>, Failure> {
    let (made, (Written { artefact, own }, sent)) = match begun {
        Begun::Made(id) => return Ok(Some(c.desk().read(c.kind(), &id).await?)),
        Begun::Now(made, sent) => (true, (*made, sent)),
        _ if c.makes_new() => (true, create(c, sent).await?),
        _ if sent.is_empty() => return Ok(None),
        _ if c.is_back() => (false, update_back(c, sent).await?),
        _ => {
            let (id, version) = (c.item_id()?, planned_version(c).await?);
            let (step, purpose) = (UPDATE, Purpose::Change);
            let asked = Update { step, purpose, id, version, before: Cow::Borrowed(&c.change.held), was: None };
            (false, update(c, asked, sent).await?)
        }
    };
    *to_come |= sent.lacking.contains_key(&Slot::Links);
    if made {
        c.made(&artefact, own);
    }
    c.wrote(&sent, &artefact, own);
    Ok(Some(artefact))
}

/// Changes the item at the end that is not written first. Plans hold that item as rules take it and not as it is, so it is
/// read before: it is written if the slots to be written stand as planned, and not again if it holds what is to be written.
async fn update_back(c: &mut Course<'_>, mut sent: Sent) -> Result<(Written, Sent), Failure> {
    let (id, version) = (c.item_id()?, c.planned().and_then(|side| side.version.clone()));
    let mut asked =
        Update { step: UPDATE, purpose: Purpose::Change, id, version, before: Cow::Owned(BTreeMap::new()), was: None };
    // What was begun before is looked at anyway, and what was sent then is what is sent again.
    if let Some(before) = c.sent(c.at(UPDATE)) {
        sent = before;
    } else if c.step(c.at(UPDATE)).is_none() {
        let now = c.desk().read(c.kind(), id).await?;
        sent = as_it_stands(c, sent, &now)?;
        if sent.is_held_by(&now) {
            return Ok(both_as_rules_take_it(c, Written { artefact: now, own: false }, sent));
        }
        if !stands_as_planned(c, &asked, &sent, &now) {
            return Err(ConnectError::Changed.into());
        }
        let schema = c.desk().catalogue.kind(c.kind());
        asked.before = Cow::Owned(schema.map(|schema| holdings(&now, schema)).unwrap_or_default());
        asked.version = now.version;
    }
    let (written, sent) = update(c, asked, sent).await?;
    Ok(both_as_rules_take_it(c, written, sent))
}

async fn write_states(
    c: &mut Course<'_>,
    states: &[&FieldChange],
    mut item: Option<Artefact>,
) -> Result<Option<Artefact>, Failure> {
    for f in states {
        let at = match item.take() {
            Some(item) => item,
            None => as_planned(c).await?,
        };
        item = Some(walk(c, f, at).await?);
    }
    if let (false, Some(item)) = (states.is_empty(), &item) {
        c.note(Noted::Made, There::of(item)).await?;
    }
    Ok(item)
}

async fn write_hanging(
    c: &mut Course<'_>,
    hanging: &[&FieldChange],
    mut item: Option<Artefact>,
) -> Result<Option<Artefact>, Failure> {
    for f in hanging {
        let at = match item.take() {
            Some(item) => item,
            None => c.desk().read(c.kind(), c.item_id()?).await?,
        };
        item = Some(carry(c, f, at).await?);
    }
    Ok(item)
}

/// Notes the change as done, or that the rest of it is to come when all items are there.
async fn finish(c: &mut Course<'_>, item: Option<Artefact>, to_come: bool) -> Result<Stage, Failure> {
    let (id, key, version) = match (item, c.planned()) {
        (Some(item), _) => (item.id, item.key, item.version),
        (None, Some(side)) => (side.id.clone(), side.key.clone(), side.version.clone()),
        (None, None) => return refuse("it has no counterpart", "Make a new dry run."),
    };
    let there = There { id: &id, key: &key, version: version.as_deref() };
    if !to_come {
        link_back(c, &id).await?;
    }
    c.note(if to_come { Noted::Made } else { Noted::Done }, there).await?;
    c.t.keep_place(c.change, &id, &key).await;
    Ok(if to_come { Stage::LinksToCome } else { Stage::Settled })
}

/// A pair that a person lets go, since one of its two is not there any more.
async fn let_go(c: &Course<'_>) -> Result<Stage, Failure> {
    let pair = (c.t.route, c.change.lane.as_str(), c.id_at(End::Left));
    c.t.hub.store.let_go(c.t.holder, c.seq(), pair).await?;
    Ok(Stage::Settled)
}

/// The item as the plan saw it; refused if it is another by now.
async fn as_planned(c: &Course<'_>) -> Result<Artefact, Failure> {
    let now = c.desk().read(c.kind(), c.item_id()?).await?;
    let planned = c.planned().and_then(|s| s.version.as_ref());
    if !c.has_moved() && planned.is_some() && now.version.as_ref() != planned && !is_as_planned(c, &now) {
        return Err(ConnectError::Changed.into());
    }
    Ok(now)
}

/// The version that the change is based on.
async fn planned_version(c: &Course<'_>) -> Result<Option<String>, Failure> {
    let planned = c.planned().and_then(|s| s.version.clone());
    if planned.as_deref().and_then(ShortForm::of_text) != Some(ShortForm::Former) {
        return Ok(planned);
    }
    let now = c.desk().read(c.kind(), c.item_id()?).await?;
    Ok(if is_as_planned(c, &now) { now.version } else { planned })
}

/// Whether an item without a version of its own holds what the plan saw, where the plan is of a time when Hovrel made
/// versions of what items hold in another way.
fn is_as_planned(c: &Course<'_>, now: &Artefact) -> bool {
    let form = |version: Option<&String>| version.and_then(|v| ShortForm::of_text(v));
    let planned = c.planned().and_then(|s| s.version.as_ref());
    (form(planned), form(now.version.as_ref())) == (Some(ShortForm::Former), Some(ShortForm::Now))
        && !c.change.held.is_empty()
        && changed_besides(&c.change.held, now, &|_| false).is_empty()
}

/// What one call writes of the decided fields, and what its lists lack. A list that holds already what is there for it is
/// not written, and neither are states, which are reached by moves.
pub(super) async fn build(c: &Course<'_>, writes: &[&FieldChange]) -> Result<Sent, Failure> {
    let mut sent = Sent { values: Default::default(), lacking: Lacking::new() };
    let own = |f: &&&FieldChange| !f.field.has_its_own_calls() && !c.desk().is_state(c.kind(), &f.field);
    for f in writes.iter().filter(own) {
        let Resolved { value, lacking } = c.desk().resolved(&f.write).await?;
        if !lacking.is_empty() {
            sent.lacking.insert(f.field.clone(), lacking);
            if !c.makes_new() && f.held(c.change.written).is_some_and(|now| same(&value, now)) {
                continue;
            }
        }
        let value = match (value, f.held(c.change.written)) {
            (Value::Links(wanted), Some(Value::Links(held))) => Value::Links(in_their_words(&wanted, held)),
            (value, _) => labelled(&value).into_owned(),
        };
        sent.values.insert(f.field.clone(), value);
    }
    Ok(sent)
}
