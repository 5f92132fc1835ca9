//! The two systems and their people, and what is known of every word.

use hovrel_core::law::Ways;
use hovrel_core::model::{End, Ends};

/// What a slot holds: two words, and whether the system has dressed them up.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Val {
    pub words: [u8; 2],
    pub dressed: bool,
}

/// The two slots of the item.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Slot {
    /// A text of two words, the same at both ends; edits of different words can be merged.
    Text,
    /// A choice: the left has a shade beside the word, which the right can't hold.
    Choice,
}

pub const SLOTS: [Slot; 2] = [Slot::Text, Slot::Choice];

impl Ways for Slot {
    type Value = Val;
    type Why = ();

    fn goes_into(&self, _: End) -> bool {
        true
    }

    fn same(&self, a: &Val, b: &Val) -> bool {
        a == b
    }

    fn get(&self, _: End, value: &Val) -> Result<Val, ()> {
        Ok(match self {
            Slot::Text => *value,
            Slot::Choice => Val { words: [value.words[0], 0], ..*value },
        })
    }

    fn put(&self, into: End, there: &Val, was: &Val, is: &Val) -> Result<Val, ()> {
        match self {
            Slot::Text => {
                let word = |n: usize| if was.words[n] == is.words[n] { there.words[n] } else { is.words[n] };
                let dressed = if was.dressed == is.dressed { there.dressed } else { is.dressed };
                Ok(Val { words: [word(0), word(1)], dressed })
            }
            Slot::Choice if was == is => Ok(*there),
            // The shade stays while it is a shade of the same word.
            Slot::Choice if self.get(into.other(), there)? == *is => Ok(*there),
            Slot::Choice => self.get(into, is),
        }
    }

    fn are_apart(&self, was: Ends<&Val>, now: Ends<&Val>) -> bool {
        let touched = |end: End, n: usize| was[end].words[n] != now[end].words[n];
        let dressed = |end: End| was[end].dressed != now[end].dressed;
        let both = |touched: &dyn Fn(End) -> bool| touched(End::Left) && touched(End::Right);
        // Who types the same word at both ends types it once.
        let clash = |n: usize| both(&|end| touched(end, n)) && now.left.words[n] != now.right.words[n];
        *self == Slot::Text && !(0..2).any(clash) && !both(&dressed)
    }
}

/// What a system does besides what it is asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Quirk {
    None,
    /// Values that are written are changed on saving, and the answer shows it.
    DressesAtOnce,
    /// The same, some time after the answer.
    DressesLater,
    /// Some time after saving, the item holds again what it held before.
    GivesOldForm,
}

/// A system with the item.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct System {
    pub held: [Val; 2],
    /// As it was before the last change, for whoever reads an old copy.
    pub was: ([Val; 2], u8),
    pub version: u8,
    /// Whether it refuses a write under another version; else the last write wins, and Hovrel looks at what is held.
    pub has_versions: bool,
    pub quirk: Quirk,
    /// What is still to happen to each slot by itself.
    pub to_come: [Option<Val>; 2],
    /// What it dropped when it gave an old form back.
    pub dropped: [Option<Val>; 2],
}

impl System {
    pub fn new(has_versions: bool, quirk: Quirk) -> System {
        let held = [Val { words: [1, 2], dressed: false }, Val { words: [3, 0], dressed: false }];
        System { held, was: (held, 0), version: 0, has_versions, quirk, to_come: [None, None], dropped: [None, None] }
    }

    fn moves_on(&mut self) {
        self.was = (self.held, self.version);
        self.version += 1;
    }

    pub fn set(&mut self, slot: usize, value: Val) {
        self.moves_on();
        self.held[slot] = value;
    }

    /// Carries out a request, unless what it goes by is no longer so.
    pub fn carry_out(&mut self, request: &Request) -> bool {
        let as_seen = match self.has_versions {
            true => request.version == self.version,
            false => request.seen == self.held,
        };
        if !as_seen {
            return false;
        }
        self.moves_on();
        for (n, value) in request.values.iter().enumerate() {
            let Some(value) = value else { continue };
            let before = self.held[n];
            let dressed = Val { dressed: true, ..*value };
            self.held[n] = if self.quirk == Quirk::DressesAtOnce { dressed } else { *value };
            self.to_come[n] = match self.quirk {
                Quirk::DressesLater if *value != dressed => Some(dressed),
                Quirk::GivesOldForm if before != *value => Some(before),
                _ => None,
            };
        }
        true
    }
}

/// A write on its way to a system.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Request {
    pub end: End,
    pub values: [Option<Val>; 2],
    pub version: u8,
    /// What the item held when it was last read.
    pub seen: [Val; 2],
}

/// What the two systems are like.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Setting {
    pub versions: Ends<bool>,
    pub quirks: Ends<Quirk>,
}

/// Systems with versions, one where the last write wins (of these three none does anything of its own), and what systems do
/// of their own.
pub fn settings() -> Vec<Setting> {
    let setting = |left, right, quirks| Setting { versions: Ends { left, right }, quirks };
    let quiet = Ends { left: Quirk::None, right: Quirk::None };
    let one = |right| Ends { left: Quirk::None, right };
    vec![
        setting(true, true, quiet),
        setting(false, true, quiet),
        setting(true, false, quiet),
        setting(false, true, one(Quirk::DressesAtOnce)),
        setting(true, true, one(Quirk::DressesLater)),
        setting(true, true, Ends { left: Quirk::DressesLater, right: Quirk::None }),
        setting(true, true, one(Quirk::GivesOldForm)),
        setting(false, true, Ends { left: Quirk::GivesOldForm, right: Quirk::None }),
    ]
}

/// Which words people type.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Alphabet {
    /// Every edit types a word of its own, so that what becomes of each can be told.
    OfItsOwn,
    /// At each place the word from the beginning and two others, so that both ends come to the same and return to what was.
    Small,
}

/// What people did, word by word.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct People {
    pub alphabet: Alphabet,
    /// Words that were typed where neither end had held them before and that nobody typed over since, and the place of each.
    pub standing: Vec<(u8, (usize, usize))>,
    edits: u8,
    /// By word, whether somebody at either end typed over it.
    pub replaced: [[bool; 16]; 2],
    /// By word, whether somebody at either end typed it.
    pub typed_at: [[bool; 16]; 2],
    /// Words that a system dropped when it gave an old form back, which somebody edited then without having seen them: nobody
    /// can tell that from an edit of what was there, so they may be lost, and may come back.
    pub dropped: [bool; 16],
    /// Which words of which slots were edited at each end.
    pub touched: [[[bool; 2]; 2]; 2],
}

/// The first word that nobody has typed at the beginning.
const FIRST: u8 = 4;

/// Places where words are typed: slot and word.
pub const PLACES: [(usize, usize); 3] = [(0, 0), (0, 1), (1, 0)];

impl People {
    pub fn new(alphabet: Alphabet) -> People {
        let (by_end, dropped, touched) = ([[false; 16]; 2], [false; 16], [[[false; 2]; 2]; 2]);
        People { alphabet, standing: Vec::new(), edits: 0, replaced: by_end, typed_at: by_end, dropped, touched }
    }

    /// The words that somebody may type at a place instead of what it holds.
    pub fn may_type(&self, (slot, at): (usize, usize), held: u8) -> Vec<u8> {
        let place = (2 * slot + at) as u8;
        match self.alphabet {
            Alphabet::OfItsOwn => vec![FIRST + self.edits],
            Alphabet::Small => {
                let words = [1 + place, FIRST + 2 * place, FIRST + 2 * place + 1];
                words.into_iter().filter(|word| *word != held).collect()
            }
        }
    }

    /// Somebody types a word at an end.
    pub fn edit(&mut self, end: End, system: &mut System, (slot, at): (usize, usize), word: u8) {
        self.edits += 1;
        let mut value = system.held[slot];
        // What is typed anew, at either end, was not removed.
        self.replaced.iter_mut().for_each(|replaced| replaced[word as usize] = false);
        self.standing.retain(|(standing, _)| *standing != value.words[at]);
        // Who returns to what was there before is not known from one who did nothing.
        if word >= FIRST && !self.typed_at.iter().any(|typed| typed[word as usize]) {
            self.standing.push((word, (slot, at)));
            self.standing.sort_unstable();
        }
        self.typed_at[end as usize][word as usize] = true;
        self.replaced[end as usize][value.words[at] as usize] = true;
        if let Some(dropped) = system.dropped[slot].take() {
            for word in dropped.words.into_iter().chain(value.words) {
                self.dropped[word as usize] = true;
            }
        }
        value.words[at] = word;
        value.dressed = false;
        if slot == 1 {
            value.words[1] = if end == End::Left { word } else { 0 };
        }
        system.to_come[slot] = None;
        system.set(slot, value);
        self.touched[slot][at][end as usize] = true;
    }

    /// Whether no word was edited at both ends.
    pub fn kept_apart(&self) -> bool {
        self.touched.iter().flatten().all(|ends| !(ends[0] && ends[1]))
    }
}
