//! Making and changing one item, exactly once.
//!
//! Decides what a call that came to nothing certain means: after any doubt the item is looked at, and what it holds says
//! whether the write was done (invariant 2). A mark of origin is claimed before an item with it is made: whoever else
//! makes one with the same mark, in whatever route, finds it claimed. After every change of an item, what was not sent
//! is compared with what it was.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::atomic::Ordering::Relaxed;

use hovrel_connect::{ConnectError, Outcome as CallOutcome, Write, Written};
use hovrel_core::agree::{changed_besides, holdings, same};
use hovrel_core::law::{Answer, Carrying, Ending, Next, Seen};
use hovrel_core::model::{Artefact, End, Kind, PARENT, Slot, slot_value};
use hovrel_core::rules::Direction;
use hovrel_store::{Claim, StepAt};

use super::as_taken::as_rules_take_it;
use super::course::{Course, There};
use super::desk::Desk;
use super::failure::{Failure, Refusal, TRIES, pause, refuse};
use super::sent::Sent;
use crate::points::point;

const MADE_BY_ANOTHER: &str = "another transfer has created an item with this origin mark since the dry run";
const MADE_BY_ANOTHER_ADVICE: &str = "Make a new dry run; the item will be offered as a counterpart.";

/// Whether the item may have been made already by this change. Refused if another made it, or is about to.
async fn claimed(c: &mut Course<'_>, mark: &str, own_id: Option<&str>) -> Result<bool, Failure> {
    let (t, desk, kind) = (c.t, c.desk(), c.kind());
    let claims = t.hub.store.claim_marks(t.holder, desk.mark_at(kind), &[(c.seq(), mark)]).await?;
    let over = match claims.first() {
        Some(Claim::Ours) => return Ok(false),
        Some(Claim::OursBefore) | None => return Ok(true),
        Some(Claim::MadeBy { item_id, .. }) if own_id == Some(item_id) => return Ok(false),
        Some(Claim::MadeBy { .. }) => true,
        Some(Claim::ToBeMadeBy { over, .. }) => *over,
    };
    if !over {
        return refuse(
            "another transfer is about to create an item with this origin mark",
            "Retry when that transfer is over, or make a new dry run then.",
        );
    }
    match desk.connector.find_by_origin(&desk.container, kind, mark).await? {
        Some(found) if own_id != Some(&found.id) => refuse(MADE_BY_ANOTHER, MADE_BY_ANOTHER_ADVICE),
        _ => {
            // Not found any more, or never came to be.
            t.hub.store.take_over_mark(t.holder, desk.mark_at(kind), c.seq(), mark).await?;
            Ok(false)
        }
    }
}

/// Makes the item; what was sent, for one that was made before and whose answer was lost, is what was sent then.
pub(super) async fn create(c: &mut Course<'_>, sent: Sent) -> Result<(Written, Sent), Failure> {
    let (t, desk, kind) = (c.t, c.desk(), c.kind());
    let mark = desk.mark_of(kind, &sent);
    let begun = c.step(c.at("create")).is_some();
    let mut look = match &mark {
        Some(mark) => claimed(c, mark, None).await? || begun,
        None => begun,
    };
    for tries in 1.. {
        if look {
            let Some(mark) = &mark else {
                return refuse(
                    "it is unknown whether it was created, since nothing at the other end shows where it came from",
                    "Look there. If it is there, make a new dry run, which offers it as a counterpart.",
                );
            };
            if let Some(found) = desk.connector.find_by_origin(&desk.container, kind, mark).await? {
                let sent = c.sent(c.at("create")).unwrap_or(sent);
                return Ok((Written { artefact: found, own: false }, sent));
            }
        }
        c.about_to(c.at("create"), &sent).await?;
        let answer = desk.connector.write(&desk.container, &sent.write(kind, None, None)).await;
        point("create called");
        match answer {
            Ok(made) => {
                t.written.fetch_add(1, Relaxed);
                return Ok((sure(desk, kind, made, &sent).await?, sent));
            }
            // Its mark is there, and this change has tried before: it is its own.
            Err(ConnectError::Duplicate) if look => match &mark {
                Some(mark) => match desk.connector.find_by_origin(&desk.container, kind, mark).await? {
                    Some(found) => return Ok((Written { artefact: found, own: false }, sent)),
                    None => return Err(ConnectError::Duplicate.into()),
                },
                None => return Err(ConnectError::Duplicate.into()),
            },
            Err(ConnectError::Duplicate) => return refuse(MADE_BY_ANOTHER, MADE_BY_ANOTHER_ADVICE),
            Err(e) if e.outcome() == CallOutcome::Refused || tries >= TRIES => return Err(e.into()),
            Err(e) => {
                look |= e.outcome() == CallOutcome::Unknown;
                pause(tries).await;
            }
        }
    }
    unreachable!("the loop ends by returning")
}

/// An answer that does not show what was sent may show only a part of the item: it is read then. That is the write's
/// own word only under the version that the answer told.
pub(super) async fn sure(desk: &Desk, kind: Kind, written: Written, sent: &Sent) -> Result<Written, Failure> {
    if sent.is_held_by(&written.artefact) {
        return Ok(written);
    }
    let now = desk.read(kind, &written.artefact.id).await?;
    let told = written.artefact.version.as_ref();
    Ok(match told.is_none() || told == now.version.as_ref() {
        true => Written { own: written.own && told.is_some(), artefact: now },
        false => written,
    })
}

/// What the journal calls the call that writes what a change is about, in an item that is there.
pub(super) const UPDATE: &str = "update";

/// What an item is changed for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Purpose {
    /// What the change is about.
    Change,
    /// The item that the change was made from is to lead to its counterpart.
    LinkBack,
}

/// A change of an item.
pub(super) struct Update<'u> {
    pub step: &'static str,
    pub purpose: Purpose,
    pub id: &'u str,
    /// What the change is based on.
    pub version: Option<String>,
    /// What the item held then, as fingerprints.
    pub before: Cow<'u, BTreeMap<String, String>>,
    /// The item as it was then, if it was read.
    pub was: Option<&'u Artefact>,
}

impl Update<'_> {
    /// The end at which the item is.
    fn end(&self, c: &Course<'_>) -> End {
        match self.purpose {
            Purpose::Change => c.change.written,
            Purpose::LinkBack => c.change.written.other(),
        }
    }
}

/// Changes the item under its version, as the machine of one write says ([`Carrying`]). Where somebody changed other slots
/// meanwhile, it is written under the version that was seen then. What was sent, for a change that was begun before, is what
/// was sent then.
pub(super) async fn update(c: &mut Course<'_>, asked: Update<'_>, sent: Sent) -> Result<(Written, Sent), Failure> {
    let end = asked.end(c);
    let (t, desk, kind) = (c.t, &c.t.desks[end], c.change.kind_at(end));
    let step = StepAt { written_end: end, step: asked.step };
    if let Some(mark) = desk.mark_of(kind, &sent) {
        claimed(c, &mark, Some(asked.id)).await?;
        c.marked();
    }
    let through = t.gates.enter(end, &c.change.lane).await;
    if let Some(halt) = t.halted(end, &c.change.lane).await {
        return Err(Failure::Refused(halt));
    }
    let mut asked = asked;
    let mut was = None;
    if through.is_first() && asked.was.is_none() {
        // The one that goes alone is read whole before, so that what it held can be told.
        was = Some(desk.read(kind, asked.id).await?);
    }
    let was = asked.was.or(was.as_ref());
    let began = c.step(step).is_some();
    let begun = c.sent(step).filter(|_| began);
    let (mut machine, mut next) = Carrying::begin(began);
    let mut failed: Option<ConnectError> = None;
    let done = loop {
        next = match next {
            Next::Send => {
                c.about_to(step, &sent).await?;
                let in_source = c.goes_both_ways();
                let write = Write { in_source, ..sent.write(kind, Some(asked.id), asked.version.clone()) };
                let answer = desk.connector.write(&desk.container, &write).await;
                point(&format!("{} called", asked.step));
                match answer {
                    Ok(changed) => {
                        if asked.purpose == Purpose::Change {
                            t.written.fetch_add(1, Relaxed);
                        }
                        break (sure(desk, kind, changed, &sent).await?, sent);
                    }
                    Err(e) => {
                        let answer = answer_of(&e);
                        failed = Some(e);
                        let next = machine.answered(answer);
                        if answer == Answer::NotDone || answer == Answer::Unknown {
                            pause(u32::from(machine.tries())).await;
                        }
                        next
                    }
                }
            }
            Next::Look => {
                let now = desk.read(kind, asked.id).await?;
                let held = [Some(&sent), begun.as_ref()].into_iter().flatten().find(|s| s.is_held_by(&now));
                if let Some(sent) = held.cloned() {
                    break (Written { artefact: now, own: false }, sent);
                }
                let seen = match now.version == asked.version {
                    true => Seen::AsPlanned,
                    false if stands_as_planned(c, &asked, &sent, &now) => Seen::SlotsAsPlanned,
                    false => Seen::Otherwise,
                };
                if seen == Seen::SlotsAsPlanned {
                    asked.before = Cow::Owned(desk.catalogue.kind(kind).map(|s| holdings(&now, s)).unwrap_or_default());
                    asked.version = now.version;
                }
                machine.seen(seen)
            }
            Next::Done { .. } => unreachable!("whoever is done has left"),
            Next::End(ending) => {
                let first = begun.as_ref().unwrap_or(&sent);
                return ended(c, (&asked, step), (ending, failed), first).await;
            }
        };
    };
    let (written, sent) = done;
    beside(c, &asked, was, &written, &sent).await?;
    through.went_well();
    Ok((written, sent))
}

fn answer_of(error: &ConnectError) -> Answer {
    match (error, error.outcome()) {
        (ConnectError::Changed, _) => Answer::Changed,
        (_, CallOutcome::NotDone) => Answer::NotDone,
        (_, CallOutcome::Unknown) => Answer::Unknown,
        (_, CallOutcome::Refused) => Answer::Refused,
    }
}

/// Whether the slots that are to be written hold what they held when the change was planned. What else a change writes goes
/// by what it read just before; and in a lane that carries one way, whoever edits an item is asked first.
pub(super) fn stands_as_planned(c: &Course<'_>, asked: &Update<'_>, sent: &Sent, now: &Artefact) -> bool {
    let seen = as_rules_take_it(c, now);
    let as_planned = |slot: &Slot| {
        let field = c.change.fields.iter().find(|f| f.field == *slot);
        let planned = field.and_then(|f| f.held(c.change.written));
        !now.left_out.contains(slot) && planned.is_some_and(|planned| same(planned, &slot.of(&seen)))
    };
    c.lane.direction == Direction::Both && asked.step == UPDATE && sent.values.keys().all(as_planned)
}

/// What is noted and told of a write that is not known to be done.
async fn ended(
    c: &Course<'_>,
    (asked, step): (&Update<'_>, StepAt<'_>),
    (ending, failed): (Ending, Option<ConnectError>),
    sent: &Sent,
) -> Result<(Written, Sent), Failure> {
    let said_no = failed.filter(|e| !matches!(e, ConnectError::Changed) && ending != Ending::Changed);
    match (ending, said_no) {
        (Ending::InDoubt, None) => in_doubt(c, asked, sent).await,
        (Ending::InDoubt, Some(e)) => {
            if asked.purpose == Purpose::Change {
                c.in_doubt(sent).await?;
            }
            Err(e.into())
        }
        (_, said_no) => {
            c.did_not(step).await?;
            Err(said_no.unwrap_or(ConnectError::Changed).into())
        }
    }
}

/// Something was sent without an answer, and the item is another since: it may have been done before somebody changed it.
/// Nothing is tried again, since it might undo what they did. A link back is no such thing: it is there, or it is added.
async fn in_doubt(c: &Course<'_>, asked: &Update<'_>, sent: &Sent) -> Result<(Written, Sent), Failure> {
    if asked.purpose == Purpose::LinkBack {
        return Err(ConnectError::Changed.into());
    }
    c.in_doubt(sent).await?;
    refuse(
        "something was sent without an answer, and the item was changed there since; it is unknown which came first",
        "Nothing was overwritten. Make a new dry run, and decide there.",
    )
}

/// Compares what was not sent with what it was. A difference stops the lane: what the system did to one item it would do
/// to the next.
async fn beside(
    c: &mut Course<'_>,
    asked: &Update<'_>,
    was: Option<&Artefact>,
    written: &Written,
    sent: &Sent,
) -> Result<(), Failure> {
    let end = asked.end(c);
    let (t, desk, kind) = (c.t, &c.t.desks[end], c.change.kind_at(end));
    let is_sent = |field: &str| sent.values.contains_key(field);
    let odd = changed_besides(&asked.before, &written.artefact, &is_sent);
    if odd.is_empty() {
        return Ok(());
    }
    // An answer may show only a part of the item.
    let now = desk.read(kind, asked.id).await?;
    let still = changed_besides(&asked.before, &now, &is_sent);
    // Where no answer came, what holds something else may be somebody's edit; what is empty is nobody's.
    let counts = |field: &&String| written.own || slot_value(&now, field).is_blank();
    let changed: Vec<String> = odd.into_iter().filter(|f| still.contains(f)).collect();
    let changed: Vec<&String> = changed.iter().filter(counts).collect();
    if changed.is_empty() {
        return Ok(());
    }
    let halt = match asked.purpose {
        Purpose::Change => changed_besides_words(desk, &changed, was, &now),
        Purpose::LinkBack => linked_back_words(desk, &changed, &now),
    };
    t.halt(end, &c.change.lane, &halt.why).await;
    if asked.purpose == Purpose::Change {
        // What was written is written: the next dry run starts from there.
        c.wrote(sent, &written.artefact, written.own);
        c.note(hovrel_store::Stage::Made, There::of(&now)).await?;
    }
    Err(Failure::Refused(halt))
}

/// What a system changed of an item besides what was sent, with what it was before.
fn changed_besides_words(desk: &Desk, changed: &[&String], was: Option<&Artefact>, now: &Artefact) -> Refusal {
    let schema = desk.catalogue.kind(now.kind);
    let name = |field: &str| match field {
        PARENT => "the folder".to_owned(),
        field => schema.and_then(|k| k.field(field)).map_or_else(|| field.to_owned(), |f| format!("“{}”", f.name)),
    };
    let told = |field: &&String| {
        let after = slot_value(now, field).display();
        let after =
            if after.is_empty() { "is empty now".to_owned() } else { format!("is “{}” now", short(&after)) };
        match was.map(|w| slot_value(w, field).display()) {
            Some(before) => format!("{} was “{}” and {after}", name(field), short(&before)),
            None => format!("{} {after}", name(field)),
        }
    };
    let what: Vec<String> = changed.iter().map(told).collect();
    Refusal::new(
        format!(
            "{} changed in {} when other fields were written, though it was not sent: {}",
            now.key,
            desk.name,
            what.join("; ")
        ),
        "Put it back there. If the system empties what is not sent, set `updates: whole` in its profile; if it \
         keeps such a field itself, have its schema call it read-only. Then make a new dry run. Nothing else of \
         this lane was changed.",
    )
}

/// The same, of an item to which only a link was added.
fn linked_back_words(desk: &Desk, changed: &[&String], now: &Artefact) -> Refusal {
    let schema = desk.catalogue.kind(now.kind);
    let names: Vec<&str> =
        changed.iter().map(|f| schema.and_then(|k| k.field(f)).map_or(f.as_str(), |f| &f.name)).collect();
    Refusal::new(
        format!(
            "it was transferred, but when the link to it was written in {}, {} of {} changed, though it was not sent",
            desk.name,
            names.join(", "),
            now.key
        ),
        "Put it back there. If the system empties what is not sent, set `updates: whole` in its profile; or have \
         the lane link nothing back. Then retry. No other item was changed there.",
    )
}

/// The beginning of a text, for a sentence.
fn short(text: &str) -> String {
    const SHOWN: usize = 80;
    match text.chars().count() > SHOWN {
        true => format!("{}…", text.chars().take(SHOWN).collect::<String>()),
        false => text.to_owned(),
    }
}
