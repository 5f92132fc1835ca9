//! The rehearsal: a plan played to a copy of the target in memory that holds the rules of its catalogue.
//!
//! Decides which changes the target would refuse, and why: by what each writes (required fields, allowed values,
//! lengths, moves, files), and by what is there when its turn comes (folders and their depth, unique values, people,
//! items that are referred to, changes that it needs). Rules that no catalogue tells can't be rehearsed.

mod effort;
mod refusal;
mod values;

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

pub use effort::{Calls, Cost, Estimate, Pace};
pub use refusal::{Refusal, RefusalReason};
use values::Checked;

use crate::carry::says_nothing;
use crate::catalogue::{Catalogue, KindSchema};
use crate::model::{Artefact, Ends, Kind, Link, LinkEnd, PARENT, Reference, Slot, Value, levels, names_pending};
use crate::plan::{Change, Decision, FieldChange, Outcome, fields_to_write, leg_back, leg_merged, makes_new};
use crate::rules::FirstContact;
use crate::workflow::Hindrance;

/// A copy of the target: its rules, and of what it holds as much as they ask about. Many rehearsals may be held at one.
#[derive(Debug, Default)]
pub struct Target {
    kinds: Vec<KindSchema>,
    people: HashSet<String>,
    /// Everything there, with the depth of folders from 1.
    there: HashMap<(Kind, String), u32>,
    /// Values that nothing else may hold, with the key of what holds them.
    taken: HashMap<(Kind, Slot, String), String>,
}

/// A plan that is played to a target.
pub struct Rehearsal {
    target: Arc<Target>,
    /// What the plan has made so far, by kind and id at the other end: the depth of folders, and the place of the change.
    made: HashMap<(Kind, String), (u32, u32)>,
    /// Values that nothing else may hold and that the plan has written so far, with the key of what holds them.
    taken: HashMap<(Kind, Slot, String), String>,
    /// What is not carried out, by place: the key of its item, and whether it is left out.
    refused: HashMap<u32, (String, bool)>,
    /// One change alone is looked at: what its plan makes counts as made.
    alone: bool,
}

/// What playing a change came to.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Played {
    /// What the target would say; empty if it takes it.
    pub refusals: Vec<Refusal>,
    /// What carrying it out costs, whether it is taken in or not.
    pub cost: Cost,
}

/// What both ends would say to a change as it is decided, and the calls to each that it costs. `links_back` says that it
/// leaves a link to the counterpart.
pub fn play_at_both(
    stages: &mut Ends<Rehearsal>,
    paces: Ends<&Pace>,
    (change, decision, first_contact): (&Change, &Decision, FirstContact),
    links_back: bool,
) -> (Vec<Refusal>, Ends<f64>) {
    let end = change.written;
    let merged = leg_merged(change, decision, first_contact);
    let (of_end, decided) = merged.as_ref().map_or((change, decision), |(leg, decided)| (leg, decided));
    let Played { mut refusals, cost } = stages[end].play(of_end, decided, first_contact);
    let mut calls = cost.calls(end, paces[end], links_back);
    let in_source = change.goes_both_ways();
    if in_source {
        calls[end] += cost.calls_for_source();
    }
    if let Some((back, decided)) = leg_back(change, decision, first_contact) {
        let end = back.written;
        let Played { refusals: more, cost } = stages[end].play(&back, &decided, first_contact);
        refusals.extend(more);
        calls = calls.zip(cost.calls_back(end, paces[end])).map(|(calls, more)| calls + more);
        if in_source {
            calls[end] += cost.calls_for_source();
        }
    }
    (refusals, calls)
}

/// Changes that are about as near as this are carried out together.
const TOGETHER: u32 = 50;

impl Target {
    /// `there` is everything that it holds, folders included.
    pub fn new<'a>(catalogue: &Catalogue, there: impl Iterator<Item = &'a Artefact> + Clone) -> Target {
        let parents: HashMap<&str, Option<&str>> =
            there.clone().filter(|a| a.kind == Kind::Folder).map(|a| (a.id.as_str(), a.parent.as_deref())).collect();
        let depths = levels(&parents);
        let mut out = Target {
            kinds: catalogue.kinds.clone(),
            people: catalogue.users.iter().map(|u| u.id.clone()).collect(),
            ..Target::default()
        };
        for a in there {
            let levels = if a.kind == Kind::Folder { depths.get(a.id.as_str()).copied().unwrap_or(1) } else { 0 };
            out.there.insert((a.kind, a.id.clone()), levels);
            let Some(schema) = catalogue.kind(a.kind) else { continue };
            for field in schema.fields.iter().filter(|f| f.unique) {
                let held = match field.origin_mark {
                    true => a.origin.clone(),
                    false => a.fields.get(&field.id).filter(|v| !v.is_blank()).map(Value::display),
                };
                if let Some(value) = held {
                    out.taken.insert((a.kind, field.id.as_str().into(), value), a.key.clone());
                }
            }
        }
        out
    }
}

impl Rehearsal {
    /// Begins at an end as it is.
    pub fn at(target: Arc<Target>) -> Rehearsal {
        Rehearsal { target, made: HashMap::new(), taken: HashMap::new(), refused: HashMap::new(), alone: false }
    }

    /// For one change by itself, whose decision was changed: what comes before it in its plan counts as made.
    pub fn alone(self) -> Rehearsal {
        Rehearsal { alone: true, ..self }
    }

    /// What the target would say to a change as it is decided. Changes are played in plan order; those that are not
    /// taken in are looked at too, and leave no trace.
    pub fn play(&mut self, change: &Change, decision: &Decision, first_contact: FirstContact) -> Played {
        let new = makes_new(change, decision);
        let writes = matches!(change.outcome, Outcome::Update(_) | Outcome::Adopt | Outcome::Conflict);
        if !writes && !new {
            return Played::default();
        }
        let there = change.side(change.written).filter(|_| !new);
        let mut fields = fields_to_write(change, decision, first_contact);
        let told = |refusals: Vec<Refusal>, cost: Cost| Played { refusals, cost };
        if new {
            // What a new item leaves empty is not written.
            fields.retain(|f| f.write != Value::Empty);
        }
        let mut out: Vec<Refusal> = Vec::new();
        let from = change.side(change.written.other());
        let key = from.or(change.side(change.written)).map(|side| side.key.clone()).unwrap_or_default();
        let target = self.target.clone();
        let (written_kind, from_kind) = (change.kind_at(change.written), change.kind_at(change.written.other()));
        let kind = target.kinds.iter().find(|k| k.kind == written_kind);
        let Some(kind) = kind.filter(|k| k.writable || fields.is_empty()) else {
            self.refused.insert(change.seq, (key, !decision.included));
            return told(vec![Refusal::new("", RefusalReason::KindNotTaken)], Cost::default());
        };
        for field in &fields {
            for reason in self.field_refusals(kind, change, field) {
                out.push(Refusal::new(&field.field, reason));
            }
        }
        match there {
            None => out.extend(missing(kind, &fields)),
            Some(side) => {
                if !self.target.there.contains_key(&(written_kind, side.id.clone())) {
                    out.push(Refusal::new("", RefusalReason::ItemGone));
                }
                for field in fields.iter().filter(|f| !says_something(&f.write)) {
                    if kind.field(&field.field).is_some_and(|s| s.required) {
                        out.push(Refusal::new(&field.field, RefusalReason::Required));
                    }
                }
            }
        }
        out.extend(moves(kind, change, &fields, there.is_some()));
        for seq in &change.depends_on {
            let Some((key, left_out)) = self.refused.get(seq).cloned() else { continue };
            out.push(Refusal::new("", RefusalReason::Waits { change: *seq, key, left_out }));
        }
        let later = self.comes_later(change, &fields);
        let cost = Cost::of(kind, change, &fields, there.is_some(), later);
        if !out.is_empty() || !decision.included {
            self.refused.insert(change.seq, (key, !decision.included && out.is_empty()));
            return told(out, cost);
        }
        if let (None, Some(from)) = (there, from) {
            let depth = if written_kind == Kind::Folder { self.depth_in(parent_of(&fields)) + 1 } else { 0 };
            self.made.insert((from_kind, from.id.clone()), (depth, change.seq));
        }
        for field in fields.iter().filter(|f| !f.write.is_blank()) {
            if kind.field(&field.field).is_some_and(|s| s.unique) {
                let unique = (written_kind, field.field.clone(), field.write.display());
                self.taken.insert(unique, key.clone());
            }
        }
        told(out, cost)
    }

    fn depth_in(&self, parent: Option<&Reference>) -> u32 {
        match parent {
            None => 0,
            Some(Reference::Known(id)) => self.target.there.get(&(Kind::Folder, id.clone())).copied().unwrap_or(0),
            Some(Reference::Pending { kind, id }) => self.made.get(&(*kind, id.clone())).map_or(0, |(depth, _)| *depth),
        }
    }

    /// Whether a change names, or links to, what is not there when it is carried out. What is made together with it is
    /// not there yet.
    fn comes_later(&self, change: &Change, fields: &[&FieldChange]) -> bool {
        let there = |kind: Kind, id: &str| {
            let made = self.made.get(&(kind, id.to_owned()));
            made.is_some_and(|(_, seq)| kind != change.kind_at(change.written.other()) || seq + TOGETHER <= change.seq)
        };
        let waits = |link: &Link| matches!(&link.target, LinkEnd::Pending { kind, id } if !there(*kind, id));
        fields.iter().any(|f| match &f.write {
            Value::Links(links) => links.iter().any(waits),
            value => names_pending(value),
        })
    }

    /// Whether the item that a value refers to exists at this point of the plan.
    fn has(&self, kind: Option<Kind>, reference: &Reference) -> bool {
        match reference {
            Reference::Known(id) => {
                let of = |k: Kind| self.target.there.contains_key(&(k, id.clone()));
                kind.map_or_else(|| self.target.kinds.iter().any(|k| of(k.kind)), of)
            }
            Reference::Pending { kind, id } => self.alone || self.made.contains_key(&(*kind, id.clone())),
        }
    }

    fn field_refusals(&self, kind: &KindSchema, change: &Change, field: &FieldChange) -> Vec<RefusalReason> {
        if field.field == Slot::Folder {
            return self.folder_refusals(kind, change, &field.write);
        }
        let Some(schema) = kind.field(&field.field) else { return vec![RefusalReason::NoSuchField] };
        let mut out = Vec::new();
        if schema.read_only {
            out.push(RefusalReason::ReadOnly);
        }
        let known = Checked {
            has: &|kind, reference| self.has(kind, reference),
            is_person: &|id| self.target.people.contains(id),
        };
        out.extend(known.refusals(schema, &field.write));
        if schema.unique && !field.write.is_blank() {
            let value = field.write.display();
            let own = change.side(change.written).map(|side| side.key.as_str());
            let unique = (kind.kind, field.field.clone(), value.clone());
            let held = self.taken.get(&unique).or_else(|| self.target.taken.get(&unique));
            if let Some(by) = held.filter(|by| Some(by.as_str()) != own) {
                out.push(RefusalReason::Taken { value, by: by.clone() });
            }
        }
        out
    }

    fn folder_refusals(&self, kind: &KindSchema, change: &Change, parent: &Value) -> Vec<RefusalReason> {
        let reference = match parent {
            Value::Reference(reference) => reference,
            _ if parent.is_blank() && !kind.needs_folder => return Vec::new(),
            _ => return vec![RefusalReason::NeedsFolder],
        };
        if !kind.in_folders {
            return vec![RefusalReason::NotInFolders];
        }
        // A folder that its own plan was to make and did not is told as a change that is waited for.
        let waits = change.depends_on.iter().any(|seq| self.refused.contains_key(seq));
        if !self.has(Some(Kind::Folder), reference) && !waits {
            return vec![RefusalReason::NotThere { what: reference.id().to_owned() }];
        }
        let levels = self.depth_in(Some(reference)) + 1;
        match kind.max_depth {
            Some(limit) if kind.kind == Kind::Folder && levels > limit => {
                vec![RefusalReason::TooDeep { levels, limit }]
            }
            _ => Vec::new(),
        }
    }
}

fn parent_of<'a>(fields: &[&'a FieldChange]) -> Option<&'a Reference> {
    fields.iter().find(|f| f.field == Slot::Folder).and_then(|f| match &f.write {
        Value::Reference(reference) => Some(reference),
        _ => None,
    })
}

/// Spaces alone fill no field.
fn says_something(value: &Value) -> bool {
    !says_nothing(value)
}

/// What a new item lacks.
fn missing(kind: &KindSchema, fields: &[&FieldChange]) -> Vec<Refusal> {
    let held = |id: &str| fields.iter().any(|f| f.field == id && says_something(&f.write));
    let required = kind.fields.iter().filter(|f| f.required && !f.read_only && !held(&f.id));
    let mut out: Vec<Refusal> = required.map(|f| Refusal::new(&f.id, RefusalReason::Required)).collect();
    if kind.needs_folder && !fields.iter().any(|f| f.field == Slot::Folder) {
        out.push(Refusal::new(PARENT, RefusalReason::NeedsFolder));
    }
    out
}

/// Whether the item that is written holds something in a field that is not written.
fn holds_something(change: &Change, field: &str) -> bool {
    match change.held.get(field) {
        Some(held) => !held.is_empty(),
        // Plans of before that was kept write the right.
        None => change.right_side.get(field).is_some_and(|v| !v.is_blank()),
    }
}

/// States that no moves lead to, and fields that these ask for.
fn moves(kind: &KindSchema, change: &Change, fields: &[&FieldChange], existing: bool) -> Vec<Refusal> {
    let mut out = Vec::new();
    for field in fields {
        let workflow = kind.field(&field.field).and_then(|f| f.workflow.as_ref());
        let (Some(workflow), Value::Choice(to)) = (workflow, &field.write) else { continue };
        let now = field.held(change.written).filter(|v| existing && !v.is_blank());
        let from = now.map_or_else(|| workflow.first.clone(), Value::display);
        let held = |id: &str| match fields.iter().find(|f| f.field == id) {
            Some(f) => !f.write.is_blank(),
            None => existing && holds_something(change, id),
        };
        out.extend(workflow.hindrances(&from, to, held).into_iter().map(|hindrance| {
            let (from, to) = (from.clone(), to.clone());
            let reason = match hindrance {
                Hindrance::NoWay => RefusalReason::NoWay { from, to },
                Hindrance::Asks(field) => RefusalReason::MoveAsks { to, field },
            };
            Refusal::new(&field.field, reason)
        }));
    }
    out
}
