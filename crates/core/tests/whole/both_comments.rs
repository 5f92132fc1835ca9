//! Comments that people write at both ends: every history of a few deeds, with answers that get lost. Whatever somebody wrote
//! is at both ends once, or waits for a person; what somebody took off is not back where it was taken off.
//!
//! That what is remembered of each comment is needed is shown by a copy of the harness that remembers nothing and goes by
//! wording: it makes doubles, and brings back what was removed.

use std::collections::{BTreeMap, BTreeSet};

use chrono::{FixedOffset, TimeZone};
use hovrel_core::agree::{Accepted, comments_of, first_said, said, said_in};
use hovrel_core::base::Base;
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema};
use hovrel_core::compare::Comparer;
use hovrel_core::model::{
    Artefact, COMMENTS, Comment, Document, End, Ends, Kind, Slot, Stamp, Value, ValueType, piece_ids,
};
use hovrel_core::plan::{
    Change, Decision, FieldChange, FieldReason, Written, WrittenField, base_after, fields_to_write, leg_back,
    leg_merged,
};
use hovrel_core::rules::{Direction, Fill, FirstContact, Lane, Rule, RuleId, Source};
use proptest::prelude::*;

use crate::two_way::{change_of, with_comparer};

/// What somebody does, or Hovrel.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Deed {
    Say(End),
    /// Another word in the newest comment.
    Mend(End),
    /// Another word in the oldest comment.
    MendOldest(End),
    /// The newest comment is taken off.
    TakeOff(End),
    Run(Trouble),
}

/// What goes wrong in a run, at the first comment that is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Trouble {
    Nothing,
    /// It arrives, and no answer comes; nothing is tried again.
    NoAnswer(End),
    /// It does not arrive, and nobody knows.
    NoRequest(End),
    /// The program ends when this end is written.
    EndsAfter(End),
}

fn deeds() -> Vec<Deed> {
    let by_end = End::BOTH.into_iter().flat_map(|end| {
        [Deed::Say(end), Deed::Mend(end), Deed::MendOldest(end), Deed::TakeOff(end)]
            .into_iter()
            .chain([Trouble::NoAnswer(end), Trouble::NoRequest(end)].map(Deed::Run))
    });
    by_end.chain([Trouble::Nothing, Trouble::EndsAfter(End::Left)].map(Deed::Run)).collect()
}

fn lane() -> Lane {
    let fill = Fill { target: Slot::Comments, source: Source::Comments, conversions: vec![] };
    let rule = Rule { back: true, ..Rule::filling(End::Right, fill) };
    Lane { direction: Direction::Both, ..Lane::of_kind(Kind::TestCase, vec![rule]) }.with_ways_back()
}

fn catalogue() -> Catalogue {
    let fields = vec![FieldSchema::new(COMMENTS, "Comments", ValueType::Comments)];
    Catalogue { kinds: vec![KindSchema::new(Kind::TestCase, "Case", fields)], users: vec![], findings: vec![] }
}

/// Both items, what people wrote, and what Hovrel remembers.
struct Two {
    items: Ends<Artefact>,
    base: Option<Base>,
    accepted: Vec<Accepted>,
    /// Whether comments have ids of their own, and whether Hovrel remembers which became which.
    with_ids: bool,
    remembers: bool,
    made: u32,
    words: u32,
    /// Words that stand, and those that somebody took off, with the end.
    stands: BTreeSet<String>,
    gone: Vec<(End, String)>,
}

impl Two {
    fn new(with_ids: bool, remembers: bool) -> Two {
        let item = || Artefact::bare(Kind::TestCase, "1");
        Two {
            items: Ends { left: item(), right: item() },
            base: None,
            accepted: Vec::new(),
            with_ids,
            remembers,
            made: 0,
            words: 0,
            stands: BTreeSet::new(),
            gone: Vec::new(),
        }
    }

    fn word(&mut self) -> String {
        self.words += 1;
        let word = format!("word{}", self.words);
        self.stands.insert(word.clone());
        word
    }

    /// Adds a comment; what tells it apart.
    fn add(&mut self, end: End, by: &str, body: Document) -> String {
        self.made += 1;
        let at =
            FixedOffset::east_opt(0).and_then(|utc| utc.timestamp_opt(1_000_000 + i64::from(self.made), 0).single());
        let id = self.with_ids.then(|| format!("{}{}", if end == End::Left { 'l' } else { 'r' }, self.made));
        self.items[end].comments.push(Comment { id, stamp: Stamp { at, by: Some(by.to_owned()) }, body });
        piece_ids(&self.items[end].comments).pop().expect("it was added")
    }

    fn does(&mut self, deed: Deed) {
        match deed {
            Deed::Say(end) => {
                let word = self.word();
                self.add(end, "ada", Document::from_text(&word));
            }
            Deed::Mend(end) | Deed::MendOldest(end) => {
                let count = self.items[end].comments.len();
                if count == 0 {
                    return;
                }
                let word = self.word();
                let place = if matches!(deed, Deed::Mend(_)) { count - 1 } else { 0 };
                let old = text(&self.items[end].comments[place]);
                // What stood there stands at the other end only, if it came there.
                let over: Vec<String> = self.stands.iter().filter(|w| has(&old, w)).cloned().collect();
                self.stands.retain(|word| !over.contains(word));
                self.items[end].comments[place].body = Document::from_text(&word);
            }
            Deed::TakeOff(end) => {
                // What came without an answer nobody knows to be there: it would be sent again.
                let unknown = |piece: &Accepted| piece.before.is_some() && piece.from != end;
                if self.accepted.iter().any(unknown) {
                    return;
                }
                let Some(gone) = self.items[end].comments.pop() else { return };
                let over: Vec<String> = self.stands.iter().filter(|w| has(&text(&gone), w)).cloned().collect();
                for word in over {
                    self.stands.remove(&word);
                    self.gone.push((end, word));
                }
            }
            Deed::Run(trouble) => drop(self.run(trouble)),
        }
    }

    /// A dry run and its transfer, with nobody deciding anything: what was found.
    fn run(&mut self, trouble: Trouble) -> Vec<FieldChange> {
        let lane = lane();
        let ends = Ends { left: catalogue(), right: catalogue() };
        with_comparer(&lane, &ends, 1_000_000, |comparer| self.run_by(&lane, comparer, trouble))
    }

    fn run_by(&mut self, lane: &Lane, comparer: &Comparer<'_>, trouble: Trouble) -> Vec<FieldChange> {
        let accepted = if self.remembers { &self.accepted[..] } else { &[] };
        let found = comparer.compare(self.items.as_ref(), self.base.as_ref().filter(|_| self.remembers), accepted);
        let change = change_of(lane, comparer, &self.items, found);
        let (digests, decision) = (comparer.digests(), Decision::default_for(&change));
        let whole = (&change, &decision);
        if let Some((leg, decided)) = leg_back(&change, &decision, FirstContact::Ask)
            && !self.write((&leg, &decided), whole, lane, &digests, trouble)
        {
            return change.fields;
        }
        if trouble == Trouble::EndsAfter(End::Left) {
            return change.fields;
        }
        let merged = leg_merged(&change, &decision, FirstContact::Ask);
        let (leg, decided) = merged.as_ref().map_or(whole, |(leg, decided)| (leg, decided));
        if self.write((leg, decided), whole, lane, &digests, trouble) {
            // What was found at both ends is noted with the change.
            for found in &change.accepted {
                self.accepted.retain(|a| (a.from, &a.piece) != (found.from, &found.piece));
                self.accepted.push(found.clone());
            }
        }
        change.fields
    }

    /// Whether it went well.
    fn write(
        &mut self,
        (leg, decided): (&Change, &Decision),
        whole: (&Change, &Decision),
        lane: &Lane,
        digests: &BTreeMap<RuleId, String>,
        trouble: Trouble,
    ) -> bool {
        let end = leg.written;
        let mut written = Written::nothing(end, 1);
        for f in fields_to_write(leg, decided, FirstContact::Ask) {
            let mut known: BTreeSet<String> = f.held(end).into_iter().flat_map(said_in).map(|(id, _)| id).collect();
            let words: BTreeMap<String, String> = f.held(end.other()).into_iter().flat_map(said_in).collect();
            for piece in comments_of(&f.write) {
                let id = piece.id.clone().expect("a piece has an id");
                let mut noted = Accepted {
                    slot: Slot::Comments,
                    from: end.other(),
                    said: words.get(first_said(&id)).cloned().unwrap_or_default(),
                    piece: id.clone(),
                    became: None,
                    became_said: None,
                    before: Some(piece_ids(&self.items[end].comments)),
                    let_be: false,
                };
                self.accepted.retain(|a| (a.from, &a.piece) != (end.other(), &id));
                if trouble == Trouble::NoRequest(end) {
                    self.accepted.push(noted);
                    return false;
                }
                let became = self.add(end, "hovrel", piece.body.clone());
                if trouble == Trouble::NoAnswer(end) {
                    self.accepted.push(noted);
                    return false;
                }
                known.insert(became.clone());
                noted.became_said = self.items[end].comments.last().map(|c| said(&c.body));
                (noted.before, noted.became) = (None, Some(became));
                self.accepted.push(noted);
            }
            let held = Slot::Comments.of(&self.items[end]).into_owned();
            let own = comments_of(&held).iter().filter(|c| c.id.as_ref().is_some_and(|id| known.contains(id)));
            let held = Value::Comments(own.cloned().collect()).settled();
            written.fields.insert(f.field.clone(), WrittenField { sent: held.clone(), held });
        }
        let old = self.base.clone().unwrap_or_default();
        self.base = Some(base_after(lane, whole.0, whole.1, &written, &old, digests));
        true
    }

    /// So many comments of an end say a word.
    fn count(&self, end: End, word: &str) -> usize {
        self.items[end].comments.iter().filter(|c| has(&text(c), word)).count()
    }

    /// People rest: what is wrong then.
    fn rest(mut self) -> Result<(), String> {
        self.run(Trouble::Nothing);
        self.run(Trouble::Nothing);
        let before = self.items.clone();
        let open = self.run(Trouble::Nothing);
        if self.items != before {
            return Err("something is still written".into());
        }
        if let Some(odd) =
            open.iter().find(|f| !f.reason.is_conflict() && !matches!(f.reason, FieldReason::TakenOff(_)))
        {
            return Err(format!("{:?} is still to be done", odd.reason));
        }
        // What was taken off at one end and mended at the other is told with what was taken off.
        let told = |word: &str| {
            open.iter().any(|f| {
                let stays = f.back.as_ref().map(|back| &back.write).into_iter().chain([&f.write]);
                f.reason.is_conflict() || stays.flat_map(comments_of).any(|c| has(&text(c), word))
            })
        };
        for word in &self.stands {
            let at = Ends::of(|end| self.count(end, word));
            if at.left > 1 || at.right > 1 {
                return Err(format!("{word} is there twice: {at:?}"));
            }
            if at.left + at.right < 2 && !(told(word) && at.left + at.right == 1) {
                return Err(format!("{word} is lost: {at:?}"));
            }
        }
        match self.gone.iter().find(|(end, word)| self.count(*end, word) > 0 || self.count(end.other(), word) > 1) {
            Some((end, word)) => Err(format!("{word} was taken off at {end:?} and is back, or doubled")),
            None => Ok(()),
        }
    }
}

fn text(comment: &Comment) -> String {
    comment.body.plain()
}

fn has(text: &str, word: &str) -> bool {
    text.split_whitespace().any(|w| w == word)
}

fn play(deeds: &[Deed], with_ids: bool, remembers: bool) -> Result<(), String> {
    let mut two = Two::new(with_ids, remembers);
    two.does(Deed::Say(End::Left));
    two.run(Trouble::Nothing);
    deeds.iter().for_each(|deed| two.does(*deed));
    two.rest()
}

/// Every history of so many deeds.
fn every(deeds: usize) -> impl Iterator<Item = Vec<Deed>> {
    let all = self::deeds();
    let count = all.len().pow(deeds as u32);
    (0..count).map(move |n| (0..deeds as u32).map(|place| all[n / all.len().pow(place) % all.len()]).collect())
}

#[test]
fn each_comment_is_at_both_ends_once_after_every_history_of_three_deeds() {
    for with_ids in [true, false] {
        for history in every(3) {
            if let Err(wrong) = play(&history, with_ids, true) {
                panic!("{wrong}: {history:?}, ids: {with_ids}");
            }
        }
    }
}

/// A planted fault: a union of comments by what they say, with nothing remembered, brings back what was removed.
#[test]
fn a_union_of_comments_is_found() {
    let wrong: Vec<String> = every(2).filter_map(|history| play(&history, true, false).err()).collect();
    assert!(wrong.iter().any(|wrong| wrong.contains("is back")), "{wrong:?}");
}

/// What was taken off is told each time, also if something was added meanwhile, until a person lets it be.
#[test]
fn what_was_taken_off_is_told_until_it_is_let_be() {
    for end in End::BOTH {
        let mut two = Two::new(true, true);
        two.does(Deed::Say(End::Left));
        two.run(Trouble::Nothing);
        two.does(Deed::TakeOff(end));
        two.does(Deed::Say(end.other()));
        two.run(Trouble::Nothing);
        for _ in 0..2 {
            let told = two.run(Trouble::Nothing);
            assert_eq!(told.iter().map(|f| f.reason).collect::<Vec<_>>(), [FieldReason::TakenOff(end)]);
            let stays = told[0].written_into(end.other(), End::Right).map(|(_, stays, _)| comments_of(stays).len());
            assert_eq!(stays, Some(1), "it stands where it was not taken off");
        }
        two.accepted.iter_mut().for_each(|known| known.let_be = true);
        assert_eq!(two.run(Trouble::Nothing), []);
        let (before, open) = (two.items.clone(), two.run(Trouble::Nothing));
        assert_eq!((two.items, open), (before, vec![]), "nothing is added again");
    }
}

proptest! {
    #[test]
    fn each_comment_is_at_both_ends_once(
        history in prop::collection::vec(prop::sample::select(deeds()), 0..14),
        with_ids in any::<bool>(),
    ) {
        let found = play(&history, with_ids, true);
        prop_assert!(found.is_ok(), "{:?}", found);
    }
}
