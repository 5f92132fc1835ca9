//! Which comment or past change of one end became which of the other.
//!
//! Decides what is still to be added, from what is remembered of what was accepted, and not from how it is worded: a
//! comment that somebody mended or removed there is not added again, and two of one wording are two. Where
//! nothing is remembered (an item that was at both ends before), one that says the same is taken for it.

use std::collections::HashSet;
use std::hash::Hash;

use serde::{Deserialize, Serialize};

use crate::model::{Block, Comment, Document, End, HistoryEntry, Inline, Piece, ShortForm, Slot, piece_ids};

/// A piece of one end that the other accepted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Accepted {
    /// Comments or history.
    pub slot: Slot,
    /// The end that it comes from.
    #[serde(default = "from_the_left", skip_serializing_if = "is_left")]
    pub from: End,
    /// What tells it apart at that end.
    #[serde(alias = "left")]
    pub piece: String,
    /// What tells it apart at the other end; none if that did not say.
    #[serde(alias = "right")]
    pub became: Option<String>,
    /// What it said when it was carried, as a short fingerprint: see [`said`].
    pub said: String,
    /// What stood at the other end then; none if nobody looked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub became_said: Option<String>,
    /// For a piece that was sent and of which no answer came: what was there before, so that it may be there or not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<Vec<String>>,
    /// Whether a person lets it be that one end has it no more.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub let_be: bool,
}

/// Before lanes carried both ways, everything came from the left.
fn from_the_left() -> End {
    End::Left
}

fn is_left(end: &End) -> bool {
    *end == End::Left
}

/// A piece that both ends have, as seen from the one that pieces are carried from.
#[derive(Clone, Copy)]
struct Known<'a> {
    piece: &'a str,
    became: Option<&'a str>,
    /// What `piece` said when both were last in step; none if nobody looked.
    said: Option<&'a str>,
    before: Option<&'a [String]>,
    of: &'a Accepted,
}

impl<'a> Known<'a> {
    /// None of a copy that can't be told apart at the end that pieces are carried from.
    fn from(end: End, of: &'a Accepted) -> Option<Known<'a>> {
        if of.from == end {
            let said = Some(of.said.as_str());
            let became = of.became.as_deref();
            return Some(Known { piece: &of.piece, became, said, before: of.before.as_deref(), of });
        }
        let piece = of.became.as_deref()?;
        Some(Known { piece, became: Some(&of.piece), said: of.became_said.as_deref(), before: None, of })
    }
}

/// What becomes of the pieces of one item.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sorted<P> {
    /// What is to be added, with its id at the end that it comes from.
    pub to_add: Vec<P>,
    /// What was found there, and is remembered from now on.
    pub found: Vec<Accepted>,
    /// What was sent without an answer, and may be what has come there since in other words.
    pub doubtful: Vec<P>,
    /// Carried pieces that are gone at the end that is read, as they stand at the other.
    pub taken_off: Vec<P>,
    /// Pieces that were carried and that somebody took off there.
    pub removed_there: Vec<P>,
    /// Pieces there that came from nothing at the end that is read.
    pub own: u64,
}

/// What a piece says, as it is remembered.
pub fn said<T: Serialize + Hash>(body: &T) -> String {
    ShortForm::Now.of(body)
}

/// The id of the piece that one follows with its new words; of any other its own.
pub fn first_said(id: &str) -> &str {
    id.split(FOLLOWS).next().unwrap_or_default()
}

/// What a piece says, in each form in which it may be remembered.
struct Words {
    now: String,
    former: String,
}

impl Words {
    fn of<T: Serialize + Hash>(body: &T) -> Words {
        Words { now: said(body), former: ShortForm::Former.of(body) }
    }

    fn are(&self, remembered: &str) -> bool {
        match ShortForm::of_kept(remembered) {
            ShortForm::Now => self.now == remembered,
            ShortForm::Former => self.former == remembered,
        }
    }
}

/// The comments of one item at both ends, as they go from one of them into the other.
#[derive(Clone, Copy)]
pub struct SaidOfOne<'a> {
    /// The slot that holds them: comments or history.
    pub slot: &'a Slot,
    /// The end that they come from.
    pub from: End,
    /// Whether those of the other end go into this one too.
    pub both_ways: bool,
    /// Name of the system that they come from, as it stands in the notes that name it.
    pub system: &'a str,
    /// What the end says that they come from.
    pub source: &'a [Comment],
    /// What the other end is to hold of it, one for one.
    pub wanted: &'a [Comment],
    /// The same in the words in which it is written while items that it names are still to come.
    pub written: &'a [Comment],
    /// What the other end holds.
    pub now: &'a [Comment],
    /// The same with keys of the end that they come from replaced by those of counterparts that have been created since.
    pub renamed: Option<&'a [Comment]>,
}

/// Sorts the comments of an item, by what is remembered of both ends.
pub fn sort_comments(said_of_one: SaidOfOne<'_>, accepted: &[Accepted]) -> Sorted<Comment> {
    let SaidOfOne { slot, from, both_ways, system, source, wanted, written, now, renamed } = said_of_one;
    let mended = |c: &Comment| {
        let head = format!("Edited in {system} since the transfer:");
        let mut body: Document = c.body.clone();
        body.blocks.insert(0, Block::Paragraph { content: vec![Inline::text(head)] });
        Comment { body, ..c.clone() }
    };
    let same = |n: usize, at: usize, is_mended: bool| {
        let said_as = |w: &Comment| if is_mended { mended(w) } else { w.clone() };
        let is = |held: &Comment| [&wanted[n], &written[n]].into_iter().any(|w| says_the_same(&said_as(w), held));
        is(&now[at]) || renamed.is_some_and(|told| is(&told[at]))
    };
    let bodies: Vec<Words> = source.iter().map(|c| Words::of(&c.body)).collect();
    let there = |at: usize| Some(said(&now[at].body));
    let ways = Ways { same: &same, mended: &mended, there: &there };
    sort((slot, from, both_ways), (&piece_ids(source), &bodies), wanted, now, accepted, ways)
}

/// Sorts the past changes of an item, as [`sort_comments`] sorts what was said. They come from the left.
pub fn sort_history(
    slot: &Slot,
    (source, wanted): (&[HistoryEntry], &[HistoryEntry]),
    now: &[HistoryEntry],
    accepted: &[Accepted],
) -> Sorted<HistoryEntry> {
    let same = |n: usize, at: usize, _| is_same_entry(&wanted[n], &now[at]);
    let bodies: Vec<Words> = source.iter().map(|e| Words::of(&(&e.field, &e.before, &e.after))).collect();
    let ways = Ways { same: &same, mended: &HistoryEntry::clone, there: &|_| None };
    sort((slot, End::Left, false), (&piece_ids(source), &bodies), wanted, now, accepted, ways)
}

/// Whether a comment is among others, by what it says.
pub fn comment_is_there(wanted: &Comment, now: &[Comment]) -> bool {
    now.iter().any(|c| says_the_same(wanted, c))
}

/// Whether a comment that is there says what is wanted. Where author and time can't be kept, the text alone tells.
fn says_the_same(wanted: &Comment, held: &Comment) -> bool {
    let kept = wanted.stamp.by.is_none() || wanted.stamp == held.stamp;
    held.body == wanted.body && kept
}

/// Whether two entries record the same change.
pub fn is_same_entry(a: &HistoryEntry, b: &HistoryEntry) -> bool {
    (&a.stamp, &a.field, &a.before, &a.after) == (&b.stamp, &b.field, &b.before, &b.after)
}

/// How pieces are compared and written.
struct Ways<'w, P> {
    /// Whether a wanted piece and one that is there are one, by their places, and whether the wanted one is written as one
    /// that was mended since.
    same: &'w dyn Fn(usize, usize, bool) -> bool,
    /// How one is written that was mended since.
    mended: &'w dyn Fn(&P) -> P,
    /// What one that is there says, as it is remembered.
    there: &'w dyn Fn(usize) -> Option<String>,
}

/// What stands behind the id of a piece that follows it with its new words.
const FOLLOWS: char = '~';

/// Whether an id is that of a piece that followed another.
fn follows(id: &str, other: &str) -> bool {
    id.strip_prefix(other).is_some_and(|behind| behind.starts_with(FOLLOWS))
}

fn sort<P: Piece>(
    (slot, from, both_ways): (&Slot, End, bool),
    (ids, bodies): (&[String], &[Words]),
    wanted: &[P],
    now: &[P],
    accepted: &[Accepted],
    ways: Ways<'_, P>,
) -> Sorted<P> {
    let mut out =
        Sorted { to_add: vec![], found: vec![], doubtful: vec![], taken_off: vec![], removed_there: vec![], own: 0 };
    let of_slot = || accepted.iter().filter(|a| a.slot == *slot);
    let known: Vec<Known<'_>> = of_slot().filter_map(|a| Known::from(from, a)).collect();
    // Copies that were sent here and can't be told apart: none of them goes back.
    let copies = of_slot().filter(|a| a.from != from && a.became.is_none());
    let copies: Vec<Option<&Vec<String>>> = copies.map(|a| a.before.as_ref()).collect();
    let perhaps_copy = |id: &String| copies.iter().any(|before| before.is_none_or(|before| !before.contains(id)));
    let there_ids = piece_ids(now);
    let mut claimed: HashSet<&str> = known.iter().filter_map(|a| a.became).collect();
    let mut met: HashSet<usize> = HashSet::new();
    // What was remembered of each piece. Those without an id of their own share who and when with others: the one that
    // says the same goes first.
    let base = |id: &str| id.split(", ").next().unwrap_or_default().to_owned();
    let find = |n: usize, exact: bool, met: &HashSet<usize>| {
        known.iter().enumerate().find(|(at, a)| {
            let is_its = if exact { a.piece == ids[n] } else { base(a.piece) == base(&ids[n]) };
            is_its && !met.contains(at) && (exact || a.said.is_some_and(|said| bodies[n].are(said)))
        })
    };
    let mut remembered: Vec<Option<&Known<'_>>> = vec![None; ids.len()];
    for by_words in [true, false] {
        for (n, found) in remembered.iter_mut().enumerate().filter(|(_, found)| found.is_none()) {
            if let Some((at, a)) = find(n, !by_words, &met) {
                met.insert(at);
                *found = Some(a);
            }
        }
    }
    for (n, piece) in wanted.iter().enumerate() {
        let id = ids[n].clone();
        let free = |at: &usize, claimed: &HashSet<&str>| !claimed.contains(there_ids[*at].as_str());
        let accept = |piece: &str, at: usize| Accepted {
            slot: slot.clone(),
            from,
            piece: piece.to_owned(),
            became: Some(there_ids[at].clone()),
            said: bodies[n].now.clone(),
            became_said: (ways.there)(at),
            before: None,
            let_be: false,
        };
        let of_it = |claimed: &HashSet<&str>| {
            (0..now.len()).filter(|at| free(at, claimed)).find(|at| (ways.same)(n, *at, false))
        };
        let unanswered = match remembered[n] {
            Some(Known { before: Some(before), .. }) => Some((piece.clone(), id.as_str(), *before, false)),
            Some(a) => {
                let at = a.became.and_then(|id| there_ids.iter().position(|there| there == id));
                let there = match a.became {
                    Some(became) => at.is_some() || there_ids.iter().any(|id| follows(became, id)),
                    None => true,
                };
                if !there {
                    out.removed_there.push(piece.clone());
                }
                // What the other end makes of it later is told by what stood there.
                if both_ways && a.of.from == from && a.of.became_said.is_none() && !a.of.let_be {
                    let at = if a.became.is_none() { of_it(&claimed) } else { at };
                    if let Some(at) = at {
                        claimed.insert(&there_ids[at]);
                        out.found.push(Accepted { said: a.of.said.clone(), ..accept(&id, at) });
                    }
                }
                // Somebody mended it: what is there can't be changed, so the new words follow.
                let is_again =
                    |a: &Known<'_>| follows(a.piece, &id) && bodies[n].are(&a.piece[id.len() + FOLLOWS.len_utf8()..]);
                let followed = known.iter().position(is_again);
                met.extend(followed);
                let is_mended = a.said.is_some_and(|said| !bodies[n].are(said));
                if is_mended && there && followed.is_none() {
                    out.to_add.push((ways.mended)(piece).with_id(format!("{id}{FOLLOWS}{}", bodies[n].now)));
                }
                let before = followed.and_then(|at| Some((known[at].piece, known[at].before?)));
                before.map(|(id, before)| ((ways.mended)(piece), id, before, true))
            }
            None => {
                match of_it(&claimed) {
                    Some(at) => {
                        claimed.insert(&there_ids[at]);
                        out.found.push(accept(&id, at));
                    }
                    None if perhaps_copy(&id) => out.doubtful.push(piece.with_id(id.clone())),
                    None => out.to_add.push(piece.with_id(id.clone())),
                }
                None
            }
        };
        // What became of one that was sent without an answer.
        if let Some((piece, id, before, is_mended)) = unanswered {
            let since = |at: &usize| free(at, &claimed) && !before.contains(&there_ids[*at]);
            let came: Vec<usize> = (0..now.len()).filter(since).collect();
            match came.iter().find(|at| (ways.same)(n, **at, is_mended)) {
                Some(at) => {
                    claimed.insert(&there_ids[*at]);
                    out.found.push(accept(id, *at));
                }
                None if came.is_empty() => out.to_add.push(piece.with_id(id.to_owned())),
                None => out.doubtful.push(piece.with_id(id.to_owned())),
            }
        }
    }
    let is_followed = |a: &Known<'_>| ids.iter().any(|id| follows(a.piece, id));
    let gone = known.iter().enumerate().filter(|(at, a)| !met.contains(at) && !is_followed(a) && !a.of.let_be);
    for (_, a) in gone {
        let held = a.became.and_then(|id| there_ids.iter().position(|there| there == id));
        out.taken_off.extend(held.map(|at| now[at].with_id(there_ids[at].clone())));
    }
    out.own = there_ids.iter().filter(|id| !claimed.contains(id.as_str())).count() as u64;
    out
}
