//! Everything that can happen, one step after the other: all of it for a few edits, or some of it at random.

use std::collections::HashSet;
use std::hash::{DefaultHasher, Hash, Hasher};

use hovrel_core::law::{Answer, Clash, Ways};
use hovrel_core::model::{End, Ends};

use super::hovrel::{At, Hovrel, Planted, Read};
use super::world::{Alphabet, PLACES, People, Quirk, Request, SLOTS, Setting, System};

/// How much may happen.
#[derive(Debug, Clone, Copy)]
pub struct Bounds {
    pub edits: u8,
    pub faults: u8,
    /// Runs during which anything may happen; afterwards people rest.
    pub runs: u8,
}

/// What a search found.
#[derive(Debug, Default)]
pub struct Found {
    /// Different states, or histories of a random search.
    pub looked_at: u64,
    /// States in which people rest and everything was checked.
    pub rests: u64,
    /// What went wrong, with what led there.
    pub wrong: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash)]
struct State {
    systems: Ends<System>,
    people: People,
    hovrel: Hovrel,
    /// Requests that were given up and may still be carried out.
    late: Vec<Request>,
    edits: u8,
    faults: u8,
    runs: u8,
    faulted: bool,
}

/// What happens next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Event {
    Start,
    Step,
    Reads,
    ReadsAnOldCopy,
    ReadsWithout(usize),
    Calls,
    CallIsNotTaken,
    AnswerIsLost,
    RequestIsLost,
    RequestComesLate,
    LateRequest(usize),
    Crash,
    Edit(End, (usize, usize), u8),
    ByItself(End, usize),
    Rest,
}

impl State {
    fn new(setting: Setting, alphabet: Alphabet, planted: Planted, bounds: Bounds) -> State {
        let systems = setting.versions.zip(setting.quirks).map(|(versions, quirk)| System::new(versions, quirk));
        State {
            hovrel: Hovrel::new(planted, &systems),
            systems,
            people: People::new(alphabet),
            late: Vec::new(),
            edits: bounds.edits,
            faults: bounds.faults,
            runs: bounds.runs,
            faulted: false,
        }
    }

    fn has_quirks(&self) -> bool {
        End::BOTH.into_iter().any(|end| self.systems[end].quirk != Quirk::None)
    }

    /// Whether a word may come to where it was removed. In a small alphabet it may if people at the other end typed it too, or
    /// if a fault hid what came between: whoever returned to what was there before can't be told then from one who did nothing.
    fn may_return(&self, end: End, word: u8) -> bool {
        let typed_there = self.people.typed_at[end.other() as usize][word as usize];
        self.people.alphabet == Alphabet::Small && (typed_there || self.faulted)
    }

    fn events(&self) -> Vec<Event> {
        let mut out = Vec::new();
        let may_fail = self.faults > 0;
        if self.hovrel.at == At::Idle {
            out.push(Event::Rest);
            if self.runs > 0 {
                out.push(Event::Start);
            }
        } else if let Some(end) = self.hovrel.reads() {
            out.push(Event::Reads);
            if may_fail {
                out.extend((0..2).map(Event::ReadsWithout));
                // What is looked at before a write where the last one wins is no copy: see what law 3 rests on.
                if self.systems[end].has_versions && self.systems[end].was.1 != self.systems[end].version {
                    out.push(Event::ReadsAnOldCopy);
                }
            }
        } else if let Some(request) = self.hovrel.sends() {
            out.push(Event::Calls);
            if may_fail {
                out.extend([Event::CallIsNotTaken, Event::AnswerIsLost, Event::RequestIsLost]);
                // Where the last write wins, Hovrel waits until a request that was given up is not carried out any more.
                if self.systems[request.end].has_versions {
                    out.push(Event::RequestComesLate);
                }
            }
        } else {
            out.push(Event::Step);
        }
        if may_fail && self.hovrel.at != At::Idle {
            out.push(Event::Crash);
        }
        out.extend((0..self.late.len()).map(Event::LateRequest));
        for end in End::BOTH {
            out.extend((0..2).filter(|n| self.systems[end].to_come[*n].is_some()).map(|n| Event::ByItself(end, n)));
            if self.edits > 0 {
                for place @ (slot, at) in PLACES {
                    let words = self.people.may_type(place, self.systems[end].held[slot].words[at]);
                    out.extend(words.into_iter().map(|word| Event::Edit(end, place, word)));
                }
            }
        }
        out
    }

    /// What follows; an error says what went wrong.
    fn after(&self, event: Event) -> Result<State, String> {
        let mut next = self.clone();
        let is_fault = matches!(
            event,
            Event::ReadsAnOldCopy
                | Event::ReadsWithout(_)
                | Event::CallIsNotTaken
                | Event::AnswerIsLost
                | Event::RequestIsLost
                | Event::RequestComesLate
                | Event::Crash
        );
        next.faults -= u8::from(is_fault);
        next.faulted |= is_fault;
        match event {
            Event::Start => {
                next.runs -= 1;
                next.hovrel.start();
            }
            Event::Step => next.hovrel.goes_on(&self.systems),
            Event::Reads => next.reads(|read, _| read)?,
            Event::ReadsAnOldCopy => {
                next.reads(|_, system| Read { held: system.was.0.map(Some), version: system.was.1 })?;
            }
            Event::ReadsWithout(n) => next.reads(|mut read, _| {
                read.held[n] = None;
                read
            })?,
            Event::Calls => next.calls(true, true)?,
            Event::AnswerIsLost => next.calls(true, false)?,
            Event::RequestIsLost => next.calls(false, false)?,
            Event::CallIsNotTaken => next.hovrel.is_answered(Answer::NotDone, None, &self.systems),
            Event::RequestComesLate => {
                next.late.extend(self.hovrel.sends());
                next.calls(false, false)?;
            }
            Event::LateRequest(n) => {
                let request = next.late.remove(n);
                next.carry_out(&request)?;
            }
            Event::Crash => next.hovrel.crash(),
            Event::Edit(end, place, word) => {
                next.edits -= 1;
                next.people.edit(end, &mut next.systems[end], place, word);
            }
            Event::ByItself(end, n) => next.by_itself(end, n),
            Event::Rest => next.rest()?,
        }
        Ok(next)
    }

    fn by_itself(&mut self, end: End, n: usize) {
        let system = &mut self.systems[end];
        if let Some(value) = system.to_come[n].take() {
            system.dropped[n] = (system.quirk == Quirk::GivesOldForm).then_some(system.held[n]);
            system.set(n, value);
        }
    }

    fn reads(&mut self, read: impl Fn(Read, &System) -> Read) -> Result<(), String> {
        let Some(end) = self.hovrel.reads() else { return Ok(()) };
        let planning = matches!(self.hovrel.at, At::ReadingRight(_));
        let system = &self.systems[end];
        self.hovrel.has_read(read(Read::of(system), system));
        let plan = self.hovrel.plan.as_ref().filter(|_| planning);
        // Who returns to what was there before is asked about that; in a small alphabet people do.
        let is_wrong = |why: &Clash<()>| self.people.alphabet == Alphabet::OfItsOwn || *why == Clash::Both;
        let clash = plan.is_some_and(|plan| plan.conflict.iter().flatten().any(is_wrong));
        if clash && self.people.kept_apart() && !self.faulted && !self.has_quirks() {
            return Err("edits in different places are in conflict".into());
        }
        Ok(())
    }

    fn calls(&mut self, arrives: bool, answer_arrives: bool) -> Result<(), String> {
        let Some(request) = self.hovrel.sends() else { return Ok(()) };
        let done = arrives && self.carry_out(&request)?;
        let answer = match (done, answer_arrives) {
            (_, false) => Answer::Unknown,
            (true, true) => Answer::Done,
            (false, true) => Answer::Changed,
        };
        let held = done.then_some(self.systems[request.end].held);
        self.hovrel.is_answered(answer, held, &self.systems);
        Ok(())
    }

    fn carry_out(&mut self, request: &Request) -> Result<bool, String> {
        let before = self.systems[request.end].held;
        if !self.systems[request.end].carry_out(request) {
            return Ok(false);
        }
        for (n, at) in PLACES {
            let (was, is) = (before[n].words[at], self.systems[request.end].held[n].words[at]);
            if is == 0 {
                return Err("a value has no author".into());
            }
            let removed = self.people.replaced[request.end as usize][is as usize];
            let excused = self.people.dropped[is as usize] || self.may_return(request.end, is);
            if was != is && removed && !excused {
                return Err(format!("word {is} was removed there, and comes back"));
            }
        }
        Ok(true)
    }

    /// One run with nothing in its way.
    fn run(&mut self) -> Result<bool, String> {
        if self.hovrel.at == At::Idle {
            self.hovrel.start();
        }
        let mut quiet = true;
        for _ in 0..200 {
            if self.hovrel.reads().is_some() {
                self.reads(|read, _| read)?;
            } else if self.hovrel.sends().is_some() {
                self.calls(true, true)?;
            } else {
                quiet &= self.hovrel.plan.as_ref().is_none_or(|plan| plan.writes_nothing());
                let systems = self.systems.clone();
                self.hovrel.goes_on(&systems);
            }
            if self.hovrel.at == At::Idle {
                return Ok(quiet);
            }
        }
        Err("a run does not end".into())
    }

    /// People rest, and so do the systems after each run.
    fn rest(&mut self) -> Result<(), String> {
        let settle = |state: &mut State| -> Result<(), String> {
            for request in std::mem::take(&mut state.late) {
                state.carry_out(&request)?;
            }
            for end in End::BOTH {
                (0..2).for_each(|n| state.by_itself(end, n));
            }
            Ok(())
        };
        for _ in 0..2 {
            settle(self)?;
            self.run()?;
        }
        settle(self)?;
        if !self.run()? {
            return Err("two runs after people rest, something is still written".into());
        }
        self.check()
    }

    fn check(&self) -> Result<(), String> {
        let mut open = [false; 2];
        for n in 0..2 {
            let now = Ends::of(|end| &self.systems[end].held[n]);
            let clash = matches!(
                hovrel_core::law::verdict(&SLOTS[n], now.map(Some), Some(&self.hovrel.base[n]), true, 1_000_000),
                hovrel_core::law::Verdict::Conflict(_)
            );
            open[n] = clash;
            // What a system dressed up may stay so at one end.
            let bare = now.map(|value| super::world::Val { dressed: false, ..*value });
            if !clash && !SLOTS[n].agree(bare.as_ref()) {
                return Err(format!("slot {n} differs, and nobody is told"));
            }
        }
        for &(word, (n, at)) in &self.people.standing {
            if self.people.dropped[word as usize] {
                continue;
            }
            let stands = Ends::of(|end| self.systems[end].held[n].words[at] == word);
            if !(stands.left && stands.right || (open[n] && (stands.left || stands.right))) {
                return Err(format!("word {word} is lost"));
            }
        }
        Ok(())
    }
}

/// What stands for a state among those that were looked at: 128 bits, so that millions of them find room. Two that share
/// theirs would be taken for one (Wolper and Leroy 1993, “Reliable hashing without collision detection”); of ten million,
/// any two do with a chance of less than one in 10²⁴.
fn digest(state: &State) -> (u64, u64) {
    let half = |salt: u8| {
        let mut hasher = DefaultHasher::new();
        (salt, state).hash(&mut hasher);
        hasher.finish()
    };
    (half(0), half(1))
}

/// Looks at everything that can happen within bounds.
pub fn every_history(setting: Setting, alphabet: Alphabet, planted: Planted, bounds: Bounds) -> Found {
    let first = State::new(setting, alphabet, planted, bounds);
    let mut found = Found::default();
    let mut known = HashSet::from([digest(&first)]);
    let mut from: Vec<(u32, Option<Event>)> = vec![(0, None)];
    let mut open = vec![(0, first)];
    let told = |from: &[(u32, Option<Event>)], mut at: u32| {
        let mut events = Vec::new();
        while let (before, Some(event)) = from[at as usize] {
            events.push(format!("{event:?}"));
            at = before;
        }
        events.reverse();
        events.join(", ")
    };
    while let Some((at, state)) = open.pop() {
        for event in state.events() {
            match state.after(event) {
                Err(wrong) => {
                    found.wrong = Some(format!("{wrong}\n{}, {event:?}\n{:#?}", told(&from, at), state));
                    found.looked_at = known.len() as u64;
                    return found;
                }
                Ok(_) if event == Event::Rest => found.rests += 1,
                Ok(next) => {
                    if known.insert(digest(&next)) {
                        open.push((from.len() as u32, next));
                        from.push((at, Some(event)));
                    }
                }
            }
        }
    }
    found.looked_at = known.len() as u64;
    found
}

/// Plays so many histories at random, each from the beginning until people rest.
pub fn random_histories(
    setting: Setting,
    alphabet: Alphabet,
    planted: Planted,
    bounds: Bounds,
    (seed, histories): (u64, u64),
) -> Found {
    let mut found = Found::default();
    // SplitMix64 (Steele, Lea and Flood 2014): a stream of numbers from a seed, the same everywhere.
    let mut at = seed;
    let mut below = |n: usize| {
        at = at.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = at;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) % n as u64) as usize
    };
    for _ in 0..histories {
        found.looked_at += 1;
        let mut state = State::new(setting, alphabet, planted, bounds);
        let mut events = Vec::new();
        loop {
            let mut able = state.events();
            // People rest when nothing else can happen, or now and then before.
            if able.len() > 1 && below(4) > 0 {
                able.retain(|event| *event != Event::Rest);
            }
            let event = able[below(able.len())];
            events.push(event);
            match state.after(event) {
                Err(wrong) => {
                    found.wrong = Some(format!("{wrong}\n{events:?}\n{state:#?}"));
                    return found;
                }
                Ok(_) if event == Event::Rest => {
                    found.rests += 1;
                    break;
                }
                Ok(next) => state = next,
            }
        }
    }
    found
}
