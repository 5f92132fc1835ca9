//! One change on its way: what was done of it before, what was done of it now, and how both are noted.
//!
//! Decides what goes into the journal with a change, in one transaction (invariant 3): pair, base, losses and what is
//! remembered of comments and past changes. The base moves only for what was written, to what the answers said.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use hovrel_core::agree::{Accepted, said_in};
use hovrel_core::base::{Agreed, Agreement, Base, BaseSide, RuleSlot};
use hovrel_core::carry::Lacking;
use hovrel_core::compare::{as_made_there, targets};
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::model::{Artefact, End, Ends, Fingerprint, Kind, Slot, Value, names_pending};
use hovrel_core::plan::{
    Change, Decision, FieldChange, FieldDecision, FieldReason, Outcome, Rebase, Side, Written, WrittenField,
    base_after, decided_fields, fields_to_write, losses_of_equal, losses_of_written, makes_new,
};
use hovrel_core::rules::{Lane, RuleId};
use hovrel_store::{Applied, Both, LetBe, NewLoss, NewPiece, Stage as Noted, StepAt, StepRow};
use serde_json::Value as Json;

use super::desk::Desk;
use super::failure::{Failure, refuse};
use super::recorded::{lines, settled};
use super::sent::Sent;
use super::shared::Transfer;
use crate::EngineError;
use crate::points::point;

pub(super) struct Course<'a> {
    pub t: &'a Transfer,
    pub change: &'a Change,
    pub decision: &'a Decision,
    /// The change of which this is a leg, with its decision; itself if it is all of it.
    whole: (&'a Change, &'a Decision),
    pub lane: &'a Lane,
    /// The calls that were begun before, by end and step.
    known: HashMap<(End, String), StepRow>,
    /// What is to be noted.
    fresh: Fresh,
}

#[derive(Default)]
struct Fresh {
    written: BTreeMap<Slot, WrittenField>,
    lacking: Lacking,
    /// For an item that was made: what it held in the fields that were not sent.
    made: Option<BTreeMap<Slot, Value>>,
    /// Losses that no plan had foreseen.
    met: Vec<Loss>,
    found: Vec<NewPiece>,
    made_mark: Option<End>,
    /// The version of the item at the other end, where that was written too.
    other_written: Option<Option<String>>,
}

/// The item at the written end, as far as it must be known to note something of it.
#[derive(Clone, Copy)]
pub(super) struct There<'a> {
    pub id: &'a str,
    pub key: &'a str,
    pub version: Option<&'a str>,
}

impl<'a> There<'a> {
    pub fn of(item: &'a Artefact) -> There<'a> {
        There { id: &item.id, key: &item.key, version: item.version.as_deref() }
    }
}

impl<'a> Course<'a> {
    /// `looks` says that something of the change was begun before.
    pub async fn begin(
        t: &'a Transfer,
        change: &'a Change,
        decision: &'a Decision,
        looks: bool,
    ) -> Result<Course<'a>, Failure> {
        let Some(lane) = t.lanes.get(&change.lane) else { return refuse("its lane is gone", "Make a new dry run.") };
        let rows = if looks { t.hub.store.steps(t.holder.job, &[change.seq as i32]).await? } else { Vec::new() };
        let known = rows.into_iter().map(|row| ((row.written_end, row.step.clone()), row)).collect();
        Ok(Course { t, change, decision, whole: (change, decision), lane, known, fresh: Fresh::default() })
    }

    /// As a leg of a change.
    pub fn of_whole(self, whole: (&'a Change, &'a Decision)) -> Course<'a> {
        Course { whole, ..self }
    }

    pub fn seq(&self) -> i32 {
        self.change.seq as i32
    }

    /// Whether the change is of what people edit at both ends.
    pub fn goes_both_ways(&self) -> bool {
        self.whole.0.goes_both_ways()
    }

    pub fn makes_new(&self) -> bool {
        makes_new(self.change, self.decision)
    }

    /// The fields that are to be written.
    pub fn writes(&self) -> Vec<&'a FieldChange> {
        fields_to_write(self.change, self.decision, self.lane.policies.first_contact)
    }

    /// The desk at which the change is written.
    pub fn desk(&self) -> &'a Desk {
        self.t.desk(self.change)
    }

    /// The desk of the end that the change was made from.
    pub fn other_desk(&self) -> &'a Desk {
        &self.t.desks[self.change.written.other()]
    }

    /// The kind of the item that is written.
    pub fn kind(&self) -> Kind {
        self.change.kind_at(self.change.written)
    }

    /// The item that is written, as the plan saw it.
    pub fn planned(&self) -> Option<&'a Side> {
        self.change.side(self.change.written)
    }

    /// The id of the item that is written.
    pub fn item_id(&self) -> Result<&'a str, Failure> {
        match self.planned() {
            Some(side) => Ok(&side.id),
            None => refuse("it has no counterpart", "Make a new dry run."),
        }
    }

    /// The calls to the end that is written that were begun before.
    pub fn begun(&self) -> impl Iterator<Item = &str> {
        self.known.keys().filter(|(end, _)| *end == self.change.written).map(|(_, step)| step.as_str())
    }

    /// A call that was begun before.
    pub fn step(&self, at: StepAt<'_>) -> Option<&StepRow> {
        self.known.get(&(at.written_end, at.step.to_owned()))
    }

    /// What a call that was begun before sent.
    pub fn sent(&self, at: StepAt<'_>) -> Option<Sent> {
        serde_json::from_value(self.step(at)?.sent.clone()?).ok()
    }

    /// A call to the end that is written.
    pub fn at<'s>(&self, step: &'s str) -> StepAt<'s> {
        StepAt { written_end: self.change.written, step }
    }

    /// Before a call that writes: the journal says what is about to be done (invariant 1), and the lease is still this
    /// worker's (invariant 4).
    pub async fn about_to(&self, at: StepAt<'_>, sent: &impl serde::Serialize) -> Result<(), EngineError> {
        let sent = serde_json::to_value(sent)?;
        self.t.hub.store.intend_steps(self.t.holder, at, &[(self.seq(), sent)]).await?;
        point(&format!("{} intended", sort_of(at.step)));
        self.t.lease.check()
    }

    /// After a call that the system refused, and no other try of which may have been done.
    pub async fn did_not(&self, at: StepAt<'_>) -> Result<(), EngineError> {
        Ok(self.t.hub.store.step_not_done(self.t.holder, self.seq(), at).await?)
    }

    /// After a call that wrote: what a later look must know.
    pub async fn did(&self, at: StepAt<'_>, held: Option<&Json>) -> Result<(), EngineError> {
        point(&format!("{} called", sort_of(at.step)));
        Ok(self.t.hub.store.step_done(self.t.holder, self.seq(), at, held).await?)
    }

    /// Takes what was written into what is to be noted, with what the system made of it.
    pub fn wrote(&mut self, sent: &Sent, item: &Artefact, own: bool) {
        for (field, written) in sent.written(item, own) {
            self.fresh.met.extend(altered(&field, &written));
            self.fresh.written.insert(field, written);
        }
        self.fresh.lacking.extend(sent.lacking.clone());
    }

    /// Takes one field that was written by calls of its own.
    pub fn wrote_field(&mut self, field: &Slot, sent: Value, held: Value) {
        self.fresh.written.insert(field.clone(), WrittenField { sent, held });
    }

    /// Takes what lists were written without.
    pub fn lacks(&mut self, lacking: Lacking) {
        self.fresh.lacking.extend(lacking);
    }

    /// That the item was made, and what it holds besides what was sent, if its own answer says so.
    pub fn made(&mut self, item: &Artefact, own: bool) {
        self.fresh.made = Some(match (self.is_back(), own) {
            (true, _) => as_made_there(self.lane, item, &self.desk().name, own),
            (false, true) => targets(self.lane, item),
            (false, false) => BTreeMap::new(),
        });
        self.marked();
    }

    /// That a mark of origin was made.
    pub fn marked(&mut self) {
        self.fresh.made_mark = Some(self.change.written);
    }

    /// That the item at the other end was written too, and is under this version now.
    pub fn other_written(&mut self, version: Option<String>) {
        self.fresh.other_written = Some(version);
    }

    /// A comment that is at both ends, with what stands where it was written.
    pub fn found(&mut self, piece: NewPiece) {
        self.fresh.found.push(piece);
    }

    /// A loss that no plan had foreseen.
    pub fn met(&mut self, loss: Loss) {
        self.fresh.met.push(loss);
    }

    /// The two items, for what is remembered of their comments; the one that is written has this id.
    pub fn both<'s>(&'s self, item_id: &'s str) -> Both<'s> {
        let mut ids = Ends::of(|end| self.id_at(end));
        ids[self.change.written] = item_id;
        Both {
            left_system: self.t.desks.left.system,
            left_kind: self.change.kind.id(),
            left_id: ids.left,
            right_system: self.t.desks.right.system,
            right_kind: self.change.right_kind.id(),
            right_id: ids.right,
        }
    }

    /// The id of the item at an end, as the plan saw it; empty if there is none.
    pub fn id_at(&self, end: End) -> &'a str {
        self.change.side(end).map_or("", |side| side.id.as_str())
    }

    /// The id of the left item, where the one that is written has this id.
    pub fn left_id<'s>(&'s self, item_id: &'s str) -> &'s str {
        if self.change.written == End::Left { item_id } else { self.id_at(End::Left) }
    }

    /// The rule that fills a slot of the end that is written, with the slot of the end that its lane writes first.
    pub fn filled(&self, slot: &Slot) -> Option<RuleSlot<'a>> {
        let rule = self.lane.rule_filling(self.change.written, slot)?;
        RuleSlot::of(rule, self.lane.written())
    }

    /// Whether it writes the end that its lane does not write first.
    pub fn is_back(&self) -> bool {
        self.change.written != self.lane.written()
    }

    fn seconds(&self) -> i64 {
        self.t.hub.now().timestamp()
    }

    /// The base of the pair as it is now; the item that is written has this id.
    pub async fn base(&self, item_id: &str) -> Result<Base, Failure> {
        let store = &self.t.hub.store;
        let pair = store.pair(self.t.route, &self.change.lane, self.left_id(item_id)).await?;
        let Some(pair) = pair else { return Ok(Base::default()) };
        let hashes: Vec<Vec<u8>> = [Some(pair.left_base.clone()), Some(pair.right_base.clone()), pair.agreed.clone()]
            .into_iter()
            .flatten()
            .collect();
        let found = store.snapshots(&hashes).await?;
        let body = |hash: &[u8]| found.iter().find(|(h, _)| h == hash).map(|(_, body)| body.clone());
        let side = |hash: &[u8]| -> Result<BaseSide, EngineError> {
            body(hash).map_or(Ok(BaseSide::default()), |body| Ok(serde_json::from_value(body)?))
        };
        let agreed = match pair.agreed.as_deref().and_then(body) {
            Some(body) => serde_json::from_value(body).map_err(EngineError::from)?,
            None => BTreeMap::new(),
        };
        Ok(Base { left: side(&pair.left_base)?, right: side(&pair.right_base)?, agreed })
    }

    /// Notes that nobody knows whether something that was sent was done, so that a person is asked what becomes of it.
    pub async fn in_doubt(&self, sent: &Sent) -> Result<(), Failure> {
        let item_id = self.id_at(self.change.written);
        let mut base = self.base(item_id).await?;
        let rules = self.t.digests.get(&self.change.lane);
        for (field, value) in &sent.values {
            if let Some(of) = self.filled(field).filter(|of| base.told(*of).is_some()) {
                let digest = rules.and_then(|r| r.get(of.rule)).cloned().unwrap_or_default();
                base.sent_without_answer(of, self.change.written, value.clone(), digest);
                let planned = self.change.fields.iter().find(|f| f.field == *field);
                if let Some(held) = planned.and_then(|f| f.held(self.change.written)) {
                    base.perhaps_wrote(of, self.change.written, held, self.seconds());
                }
            }
        }
        let agreed = as_kept(base.agreed)?;
        let pair = (self.t.route, self.change.lane.as_str(), self.left_id(item_id));
        Ok(self.t.hub.store.agreed(self.t.holder, pair, &agreed).await?)
    }

    /// Notes how far it came.
    pub async fn note(&mut self, stage: Noted, there: There<'_>) -> Result<(), Failure> {
        let fresh = std::mem::take(&mut self.fresh);
        let change = self.change;
        let (whole, decision) = self.whole;
        let decided = decided(whole, decision, self.lane, stage);
        let nothing = BTreeMap::new();
        let digests = self.t.digests.get(&change.lane).unwrap_or(&nothing);
        // A pair that is made anew, or another item than before, begins with no base.
        let before = self.base(there.id).await?;
        let old = if fresh.made.is_some() { Base::default() } else { before };
        let written = Written {
            fields: fresh.written,
            lacking: fresh.lacking,
            made: fresh.made,
            ..Written::nothing(change.written, self.seconds())
        };
        let base = base_after(self.lane, whole, decision, &written, &old, digests);
        let half = |side: &BaseSide| Ok::<_, EngineError>((side.fingerprint(), serde_json::to_value(side)?));
        let agreed = as_kept(base.agreed.clone())?;
        let mut told: BTreeSet<&str> = written.fields.keys().map(Slot::id).collect();
        if written.made.is_some() {
            told.extend(change.values(self.lane.read()).keys().map(Slot::id));
        }
        if stage == Noted::Done {
            told.extend(change.rebased.iter().filter(|(_, r)| **r == Rebase::Equal).map(|(f, _)| f.id()));
            told.extend(decided.kept.iter().map(Slot::id));
        }
        let foreseen = decided.losses.iter().filter(|l| !decided.kept.contains(&l.field)).map(|l| (*l, true));
        let losses = foreseen.chain(fresh.met.iter().map(|l| (l, false)));
        let losses = losses.filter(|(l, _)| told.contains(l.field.id())).map(|(loss, foreseen)| {
            Ok(NewLoss { field: loss.field.to_string(), foreseen, body: serde_json::to_value(loss)? })
        });
        let losses = losses.collect::<Result<Vec<_>, EngineError>>()?;
        let (found, let_be) = match stage {
            Noted::Made => (fresh.found, Vec::new()),
            Noted::Done => {
                let at_both = change.accepted.iter().map(piece);
                let kept = decided.perhaps_there.iter().map(piece);
                (fresh.found.into_iter().chain(at_both).chain(kept).collect(), decided.let_be)
            }
        };
        point(if stage == Noted::Done { "before done" } else { "before made" });
        let mut versions = Ends::of(|end| self.change.side(end).and_then(|side| side.version.as_deref()));
        versions[change.written] = there.version;
        let mut wrote = Vec::new();
        if !written.fields.is_empty() || written.made.is_some() {
            wrote.push(change.written);
        }
        if let Some(version) = &fresh.other_written {
            versions[change.written.other()] = version.as_deref();
            wrote.push(change.written.other());
        }
        let mut keys = Ends::of(|end| self.change.side(end).map_or("", |side| side.key.as_str()));
        keys[change.written] = there.key;
        let applied = Applied {
            versions,
            wrote: &wrote,
            route: self.t.route,
            seq: self.seq(),
            stage,
            lane: &change.lane,
            of: self.both(there.id),
            left_key: keys.left,
            right_key: keys.right,
            left_base: half(&base.left)?,
            right_base: half(&base.right)?,
            agreed,
            fields: told.into_iter().map(str::to_owned).collect(),
            losses,
            found,
            let_be,
            made_mark: fresh.made_mark,
            lines: lines(change, (whole, decision), self.lane, &written, &base)?,
            settled: match stage {
                Noted::Made => Vec::new(),
                Noted::Done => settled(whole, decision, self.lane)?,
            },
        };
        self.t.hub.store.applied(self.t.holder, &applied).await?;
        point(if stage == Noted::Done { "done" } else { "made" });
        Ok(())
    }
}

/// Which sort of call a step is: its first word.
fn sort_of(step: &str) -> &str {
    step.split(' ').next().unwrap_or(step)
}

/// How fields came to be in step, as it is kept.
fn as_kept(agreed: BTreeMap<RuleId, Agreed>) -> Result<(Fingerprint, Json), EngineError> {
    let agreement = Agreement::from(agreed);
    Ok((agreement.fingerprint(), serde_json::to_value(&agreement)?))
}

/// What was decided of a change besides what is written.
#[derive(Default)]
struct Decided<'c> {
    /// Fields in which a person keeps what the written end holds.
    kept: BTreeSet<Slot>,
    losses: Vec<&'c Loss>,
    /// Comments that may have been sent before, and that a person takes to be there.
    perhaps_there: Vec<Accepted>,
    /// Comments that were taken off, and that a person lets be at the other end.
    let_be: Vec<LetBe>,
}

fn decided<'c>(change: &'c Change, decision: &Decision, lane: &Lane, stage: Noted) -> Decided<'c> {
    let first_contact = lane.policies.first_contact;
    let mut out = Decided { losses: losses_of_written(change, decision, first_contact), ..Decided::default() };
    for f in decided_fields(change, decision) {
        if matches!(decision.field(f, first_contact, change.written), FieldDecision::Keep(_)) {
            out.kept.insert(f.field.clone());
            if f.reason == FieldReason::PerhapsThere && stage == Noted::Done {
                out.perhaps_there.extend(End::BOTH.into_iter().flat_map(|end| perhaps_accepted(f, end, lane)));
            }
        }
        if let (FieldReason::TakenOff(_), Outcome::TakenOff(_)) = (f.reason, change.outcome) {
            for end in End::BOTH {
                let stays = f.written_into(end, lane.written()).map(|(_, stays, _)| said_in(stays));
                let slot = f.field.to_string();
                out.let_be.extend(stays.into_iter().flatten().map(|(id, _)| LetBe { slot: slot.clone(), end, id }));
            }
        }
    }
    if stage == Noted::Done {
        out.losses.extend(losses_of_equal(change));
    }
    out
}

/// What was to be added at an end, taken to be there.
fn perhaps_accepted(f: &FieldChange, end: End, lane: &Lane) -> impl Iterator<Item = Accepted> {
    let to_add = f.written_into(end, lane.written()).map(|(_, to_add, _)| said_in(to_add));
    // What a piece says is told by what stands where it comes from, before any conversion.
    let source: HashMap<String, String> = f.held(end.other()).into_iter().flat_map(said_in).collect();
    let one = move |(piece, words): (String, String)| Accepted {
        slot: f.field.clone(),
        from: end.other(),
        said: source.get(&piece).cloned().unwrap_or(words),
        piece,
        became: None,
        became_said: None,
        before: None,
        let_be: false,
    };
    to_add.into_iter().flatten().map(one)
}

fn piece(a: &Accepted) -> NewPiece {
    NewPiece {
        slot: a.slot.to_string(),
        written_end: a.from.other(),
        piece: a.piece.clone(),
        became: a.became.clone(),
        said: a.said.clone(),
        became_said: a.became_said.clone(),
    }
}

/// What a system stored differently from what it was sent.
fn altered(field: &Slot, written: &WrittenField) -> Option<Loss> {
    let WrittenField { sent, held } = written;
    // What refers to something still to be made is compared by the proof.
    let refers = matches!(sent, Value::Reference(_) | Value::References(_) | Value::Links(_));
    if refers || !sent.pending().needed.is_empty() || names_pending(sent) || hovrel_core::agree::same(sent, held) {
        return None;
    }
    let trimmed = matches!((sent, held), (Value::Text(a), Value::Text(b)) if a.trim() == b.as_str())
        || matches!((sent, held), (Value::Text(a), Value::Empty) if a.trim().is_empty());
    Some(Loss {
        field: field.clone(),
        kind: if trimmed { LossKind::Downgraded } else { LossKind::Substituted },
        cause: if trimmed { LossCause::Trimmed } else { LossCause::AlteredByTarget },
        before: sent.display(),
        after: held.display(),
    })
}
