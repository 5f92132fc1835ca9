//! Hovrel's part: a run reads both ends, plans, writes one end and then the other, and notes; a step at a time.

use hovrel_core::law::{
    Answer, Carrying, Clash, Ending, Next, Remembered, Seen, Verdict, Ways, Wrote, made_of, verdict,
};
use hovrel_core::model::{End, Ends};

use super::world::{Request, SLOTS, Slot, System, Val};

/// A fault that is planted in Hovrel's part, for the tests that see whether the model finds it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Planted {
    Nothing,
    /// What is read after a write is taken for what the write left.
    LaterReadAsBase,
    /// Slots that were not written move too.
    UnwrittenMoved,
    /// A merge of which only one end is written counts as agreed.
    HalfMergeAgreed,
    /// What stands at the other end is written over as a whole.
    PutIsGet,
    /// What an answer leaves out is taken for empty.
    AbsentIsEmpty,
    /// After a call without an answer it is called again, under whatever version the item has by then.
    RetryWithoutLook,
}

impl Planted {
    /// Every fault.
    pub const FAULTS: [Planted; 6] = [
        Planted::LaterReadAsBase,
        Planted::UnwrittenMoved,
        Planted::HalfMergeAgreed,
        Planted::PutIsGet,
        Planted::AbsentIsEmpty,
        Planted::RetryWithoutLook,
    ];
}

/// Seconds at which everything happens.
const NOW: i64 = 1_000_000;

/// The ways of a slot as Hovrel's part knows them.
#[derive(Clone, Copy)]
struct Known(Slot, Planted);

impl Ways for Known {
    type Value = Val;
    type Why = ();

    fn goes_into(&self, end: End) -> bool {
        self.0.goes_into(end)
    }

    fn same(&self, a: &Val, b: &Val) -> bool {
        self.0.same(a, b)
    }

    fn get(&self, into: End, value: &Val) -> Result<Val, ()> {
        self.0.get(into, value)
    }

    fn put(&self, into: End, there: &Val, was: &Val, is: &Val) -> Result<Val, ()> {
        if self.1 == Planted::PutIsGet { self.0.get(into, is) } else { self.0.put(into, there, was, is) }
    }

    fn are_apart(&self, was: Ends<&Val>, now: Ends<&Val>) -> bool {
        self.0.are_apart(was, now)
    }
}

/// What was read of an end.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Read {
    pub held: [Option<Val>; 2],
    pub version: u8,
}

impl Read {
    pub fn of(system: &System) -> Read {
        Read { held: system.held.map(Some), version: system.version }
    }
}

/// A plan with what the journal says of it. It is kept: whoever goes on after a cut finds it.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Plan {
    pub now: Ends<Read>,
    pub values: Ends<[Option<Val>; 2]>,
    merged: [bool; 2],
    rebase: [bool; 2],
    pub conflict: [Option<Clash<()>>; 2],
    intended: Ends<bool>,
    noted: Ends<bool>,
    /// What did not come about.
    failed: Ends<bool>,
}

/// Where a run stands. It is gone when Hovrel is cut off.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum At {
    Idle,
    Reading,
    ReadingRight(Read),
    /// About to begin, or to go on, with an end.
    Writing(End),
    /// The machine of one write, with the version and the values that it goes by.
    Under(End, Carrying, Next, (u8, [Val; 2]), Option<[Val; 2]>),
    Finishing,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Hovrel {
    pub planted: Planted,
    pub base: [Remembered<Val>; 2],
    pub plan: Option<Plan>,
    pub at: At,
}

impl Hovrel {
    pub fn new(planted: Planted, systems: &Ends<System>) -> Hovrel {
        let base = [0, 1].map(|n| Remembered::of(&SLOTS[n], systems.as_ref().map(|system| system.held[n])));
        Hovrel { planted, base, plan: None, at: At::Idle }
    }

    fn ways(&self, n: usize) -> Known {
        Known(SLOTS[n], self.planted)
    }

    /// Begins a run.
    pub fn start(&mut self) {
        self.at = At::Reading;
    }

    /// Is cut off, and begins again with what was kept.
    pub fn crash(&mut self) {
        self.at = match &self.plan {
            None => At::Idle,
            Some(plan) if !plan.is_over(End::Left) => At::Writing(End::Left),
            Some(plan) if !plan.is_over(End::Right) => At::Writing(End::Right),
            Some(_) => At::Finishing,
        };
    }

    /// The end that is read next; none if another step is next.
    pub fn reads(&self) -> Option<End> {
        match &self.at {
            At::Reading => Some(End::Left),
            At::ReadingRight(_) => Some(End::Right),
            At::Under(end, _, Next::Look, ..) => Some(*end),
            _ => None,
        }
    }

    /// Takes what was read.
    pub fn has_read(&mut self, read: Read) {
        match std::mem::replace(&mut self.at, At::Idle) {
            At::Reading => self.at = At::ReadingRight(read),
            At::ReadingRight(left) => self.make_plan(Ends { left, right: read }),
            At::Under(end, mut machine, Next::Look, by, _) => {
                let plan = self.plan.as_ref().expect("there is a plan");
                let held = [0, 1].map(|n| read.held[n].unwrap_or(by.1[n]));
                let written = |is: &dyn Fn(usize, Val) -> bool| {
                    (0..2).all(|n| plan.values[end][n].is_none_or(|value| is(n, value)))
                };
                let unknown = (0..2).any(|n| plan.values[end][n].is_some() && read.held[n].is_none());
                let seen = match () {
                    () if unknown => Seen::Otherwise,
                    () if written(&|n, value| held[n] == value) => Seen::Sent,
                    () if read.version == by.0 && held == by.1 => Seen::AsPlanned,
                    () if written(&|n, _| Some(held[n]) == plan.now[end].held[n]) => Seen::SlotsAsPlanned,
                    () => Seen::Otherwise,
                };
                let next = machine.seen(seen);
                self.at = At::Under(end, machine, next, (read.version, held), Some(held));
            }
            at => self.at = at,
        }
    }

    fn make_plan(&mut self, now: Ends<Read>) {
        let (mut values, mut merged) = (Ends::of(|_| [None; 2]), [false; 2]);
        let (mut rebase, mut conflict) = ([false; 2], [None; 2]);
        for n in 0..2 {
            let empty = Val { words: [0, 0], dressed: false };
            let told = now.as_ref().map(|read| match self.planted {
                Planted::AbsentIsEmpty => Some(read.held[n].unwrap_or(empty)),
                _ => read.held[n],
            });
            let told = told.as_ref().map(Option::as_ref);
            match verdict(&self.ways(n), told, Some(&self.base[n]), true, NOW) {
                Verdict::Held(_) | Verdict::InStep | Verdict::RuleChanged(_) => {}
                Verdict::Rebase => rebase[n] = true,
                Verdict::Write(end, value) => values[end][n] = Some(value),
                Verdict::Merged(both) => {
                    merged[n] = true;
                    End::BOTH.into_iter().for_each(|end| values[end][n] = Some(both[end]));
                }
                Verdict::Conflict(why) => conflict[n] = Some(why),
                Verdict::FirstContact => unreachable!("there is a base"),
            }
        }
        let over = Ends::of(|end| values[end] == [None; 2]);
        let failed = Ends { left: false, right: false };
        let intended = failed;
        self.plan = Some(Plan { now, values, merged, rebase, conflict, intended, noted: over, failed });
        self.at = At::Writing(End::Left);
    }

    /// What is sent next; none if another step is next.
    pub fn sends(&self) -> Option<Request> {
        let At::Under(end, _, Next::Send, (version, seen), _) = &self.at else { return None };
        let plan = self.plan.as_ref()?;
        Some(Request { end: *end, values: plan.values[*end], version: *version, seen: *seen })
    }

    /// Takes what came of a call, with what the answer says that the item holds.
    pub fn is_answered(&mut self, answer: Answer, held: Option<[Val; 2]>, systems: &Ends<System>) {
        let At::Under(end, mut machine, _, mut by, _) = self.at.clone() else { return };
        let mut next = machine.answered(answer);
        if self.planted == Planted::RetryWithoutLook && next == Next::Look {
            (next, by) = (Next::Send, (systems[end].version, systems[end].held));
        }
        self.at = At::Under(end, machine, next, by, held);
    }

    /// A step that neither reads nor calls. `systems` is looked at by planted faults only.
    pub fn goes_on(&mut self, systems: &Ends<System>) {
        match self.at.clone() {
            At::Writing(end) => {
                let plan = self.plan.as_mut().expect("there is a plan");
                let after = if end == End::Left { At::Writing(End::Right) } else { At::Finishing };
                if plan.failed[End::Left] {
                    // The right is to get what the left does not have.
                    for n in 0..2 {
                        if plan.merged[n] {
                            plan.values[End::Right][n] = None;
                        }
                    }
                    plan.noted[End::Right] |= plan.values[End::Right] == [None; 2];
                }
                if plan.is_over(end) {
                    self.at = after;
                    return;
                }
                let (machine, next) = Carrying::begin(plan.intended[end]);
                plan.intended[end] = true;
                let held = [0, 1].map(|n| plan.now[end].held[n].unwrap_or(systems[end].held[n]));
                self.at = At::Under(end, machine, next, (plan.now[end].version, held), None);
            }
            At::Under(end, _, Next::Done { own }, _, held) => {
                let held = held.expect("whoever is done has seen it");
                self.note(end, own, held, systems);
                self.at = At::Writing(end);
            }
            At::Under(end, _, Next::End(ending), ..) => {
                assert_ne!(ending, Ending::Refused, "nothing is refused here");
                let plan = self.plan.as_mut().expect("there is a plan");
                plan.failed[end] = true;
                for n in (0..2).filter(|n| ending == Ending::InDoubt && plan.values[end][*n].is_some()) {
                    let planned = plan.now[end].held[n].expect("it was read");
                    self.base[n] = self.base[n].clone().perhaps_wrote(end, &planned, NOW, Val::eq);
                }
                self.at = At::Writing(end);
            }
            At::Finishing => {
                let plan = self.plan.take().expect("there is a plan");
                for n in 0..2 {
                    let now = Ends::of(|end| plan.now[end].held[n]);
                    if let (true, Some(left), Some(right)) = (plan.rebase[n], now.left, now.right) {
                        self.base[n] = self.base[n].clone().rebase(&self.ways(n), Ends { left, right });
                    }
                }
                self.at = At::Idle;
            }
            _ => {}
        }
    }

    /// Notes a write: base and journal move together.
    fn note(&mut self, end: End, own: bool, held: [Val; 2], systems: &Ends<System>) {
        let plan = self.plan.as_mut().expect("there is a plan");
        plan.noted[end] = true;
        for n in 0..2 {
            let ways = Known(SLOTS[n], self.planted);
            let Some(sent) = plan.values[end][n] else {
                if self.planted == Planted::UnwrittenMoved {
                    let now = systems.as_ref().map(|system| system.held[n]);
                    self.base[n] = self.base[n].clone().rebase(&ways, now);
                }
                continue;
            };
            // What a look found may be somebody's since, where it is not what was sent.
            let mut answer = if own { held[n] } else { sent };
            if self.planted == Planted::LaterReadAsBase {
                answer = systems[end].held[n];
            }
            let now = Ends::of(|end| plan.now[end].held[n].expect("it was read"));
            let half = plan.merged[n] && end == End::Left;
            self.base[n] = match half {
                true if self.planted == Planted::HalfMergeAgreed => {
                    let both = Ends::of(|end| plan.values[end][n].expect("both are written"));
                    self.base[n].clone().rebase(&ways, both)
                }
                true => {
                    let half = self.base[n].without_left(&ways, &now.right);
                    self.base[n].clone().half_merged((&now.left, &answer), half, NOW, Val::eq)
                }
                false => {
                    let left = if plan.merged[n] { plan.values.left[n].expect("it was written") } else { now.left };
                    let planned = Ends { left, right: now.right };
                    let mut held = planned;
                    held[end] = answer;
                    let write = Wrote { into: end, planned, answer, at: NOW };
                    Remembered::wrote(Some(&self.base[n]), write, made_of(&ways, &held), Val::eq)
                }
            };
        }
    }
}

impl Plan {
    fn is_over(&self, end: End) -> bool {
        self.noted[end] || self.failed[end]
    }

    /// Whether it writes nothing.
    pub fn writes_nothing(&self) -> bool {
        End::BOTH.into_iter().all(|end| self.values[end] == [None; 2])
    }
}
