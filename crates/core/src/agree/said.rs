//! Which comment or past change of one end became which of the other.
//!
//! Decides what is still to be added, from what is remembered of what was accepted, and not from how it is worded: a
//! comment that somebody mended or removed there is not added again, and two of one wording are two. Where
//! nothing is remembered (an item that was at both ends before), one that says the same is taken for it.

use std::collections::HashSet;
use std::hash::Hash;

use serde::{Deserialize, Serialize};

use crate::model::{Block, Comment, Document, HistoryEntry, Inline, Piece, ShortForm, Slot, piece_ids};

/// A piece of the left that the other end accepted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Accepted {
    /// Comments or history.
    pub slot: Slot,
    /// What tells it apart at the left.
    pub left: String,
    /// What tells it apart at the other end; none if that did not say.
    pub right: Option<String>,
    /// What it said when it was carried, as a short fingerprint: see [`said`].
    pub said: String,
    /// For a piece that was sent and of which no answer came: what was there before, so that it may be there or not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<Vec<String>>,
}

/// What becomes of the pieces of one item.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sorted<P> {
    /// What is to be added, with its id at the left.
    pub to_add: Vec<P>,
    /// What was found there, and is remembered from now on.
    pub found: Vec<Accepted>,
    /// What was sent without an answer, and may be what has come there since in other words.
    pub doubtful: Vec<P>,
    /// Carried pieces of which the left has none any more, as they stand there.
    pub taken_off: Vec<P>,
    /// Pieces of the left that were carried and that somebody took off there.
    pub removed_there: Vec<P>,
    /// Pieces there that came from nothing at the left.
    pub own: u64,
}

impl<P> Sorted<P> {
    /// Whether there is nothing to do and nothing to tell.
    pub fn is_settled(&self) -> bool {
        self.to_add.is_empty() && self.doubtful.is_empty() && self.taken_off.is_empty()
    }
}

/// What a piece says, as it is remembered.
pub fn said<T: Serialize + Hash>(body: &T) -> String {
    ShortForm::Now.of(body)
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

/// The comments of one item at both ends.
#[derive(Clone, Copy)]
pub struct SaidOfOne<'a> {
    /// The slot that holds them: comments or history.
    pub slot: &'a Slot,
    /// Name of the system that they come from, as it stands in the notes that name it.
    pub left_system: &'a str,
    /// What the left says.
    pub source: &'a [Comment],
    /// What the other end is to hold of it, one for one.
    pub wanted: &'a [Comment],
    /// The same in the words in which it is written while items that it names are still to come.
    pub written: &'a [Comment],
    /// What the other end holds.
    pub now: &'a [Comment],
    /// The same with left keys replaced by those of counterparts that have been created since.
    pub renamed: Option<&'a [Comment]>,
}

/// Sorts the comments of an item, by what is remembered of both ends.
pub fn sort_comments(said_of_one: SaidOfOne<'_>, accepted: &[Accepted]) -> Sorted<Comment> {
    let SaidOfOne { slot, left_system, source, wanted, written, now, renamed } = said_of_one;
    let same = |n: usize, at: usize| {
        let is = |held: &Comment| [&wanted[n], &written[n]].into_iter().any(|w| says_the_same(w, held));
        is(&now[at]) || renamed.is_some_and(|told| is(&told[at]))
    };
    let mended = |c: &Comment| {
        let head = format!("Edited in {left_system} since the transfer:");
        let mut body: Document = c.body.clone();
        body.blocks.insert(0, Block::Paragraph { content: vec![Inline::text(head)] });
        Comment { body, ..c.clone() }
    };
    let bodies: Vec<Words> = source.iter().map(|c| Words::of(&c.body)).collect();
    sort(slot, (&piece_ids(source), &bodies), wanted, now, accepted, (&same, &mended))
}

/// Sorts the past changes of an item, as [`sort_comments`] sorts what was said.
pub fn sort_history(
    slot: &Slot,
    (source, wanted): (&[HistoryEntry], &[HistoryEntry]),
    now: &[HistoryEntry],
    accepted: &[Accepted],
) -> Sorted<HistoryEntry> {
    let same = |n: usize, at: usize| is_same_entry(&wanted[n], &now[at]);
    let bodies: Vec<Words> = source.iter().map(|e| Words::of(&(&e.field, &e.before, &e.after))).collect();
    sort(slot, (&piece_ids(source), &bodies), wanted, now, accepted, (&same, &HistoryEntry::clone))
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

/// How a wanted piece and one that is there are told to be one, by their places, and how one is written that was mended
/// since.
type Ways<'w, P> = (&'w dyn Fn(usize, usize) -> bool, &'w dyn Fn(&P) -> P);

fn sort<P: Piece>(
    slot: &Slot,
    (left_ids, bodies): (&[String], &[Words]),
    wanted: &[P],
    now: &[P],
    accepted: &[Accepted],
    (same, mended): Ways<'_, P>,
) -> Sorted<P> {
    let mut out =
        Sorted { to_add: vec![], found: vec![], doubtful: vec![], taken_off: vec![], removed_there: vec![], own: 0 };
    let accepted: Vec<&Accepted> = accepted.iter().filter(|a| a.slot == *slot).collect();
    let right_ids = piece_ids(now);
    let mut claimed: HashSet<&str> = accepted.iter().filter_map(|a| a.right.as_deref()).collect();
    let mut met: HashSet<usize> = HashSet::new();
    // What was remembered of each piece of the left. Those without an id of their own share who and when with others:
    // the one that says the same goes first.
    let base = |id: &str| id.split(", ").next().unwrap_or_default().to_owned();
    let find = |n: usize, exact: bool, met: &HashSet<usize>| {
        accepted.iter().enumerate().find(|(at, a)| {
            let is_its = if exact { a.left == left_ids[n] } else { base(&a.left) == base(&left_ids[n]) };
            is_its && !met.contains(at) && (exact || bodies[n].are(&a.said))
        })
    };
    let mut remembered: Vec<Option<&Accepted>> = vec![None; left_ids.len()];
    for by_words in [true, false] {
        for (n, known) in remembered.iter_mut().enumerate().filter(|(_, known)| known.is_none()) {
            if let Some((at, a)) = find(n, !by_words, &met) {
                met.insert(at);
                *known = Some(a);
            }
        }
    }
    for (n, piece) in wanted.iter().enumerate() {
        let id = left_ids[n].clone();
        let free = |at: &usize, claimed: &HashSet<&str>| !claimed.contains(right_ids[*at].as_str());
        let accept = |at: usize| Accepted {
            slot: slot.clone(),
            left: id.clone(),
            right: Some(right_ids[at].clone()),
            said: bodies[n].now.clone(),
            before: None,
        };
        match remembered[n] {
            Some(Accepted { before: Some(before), .. }) => {
                let since = |at: &usize| free(at, &claimed) && !before.contains(&right_ids[*at]);
                let came: Vec<usize> = (0..now.len()).filter(since).collect();
                match came.iter().find(|at| same(n, **at)) {
                    Some(at) => {
                        claimed.insert(&right_ids[*at]);
                        out.found.push(accept(*at));
                    }
                    None if came.is_empty() => out.to_add.push(piece.with_id(id)),
                    None => out.doubtful.push(piece.with_id(id)),
                }
            }
            Some(a) => {
                let there = a.right.as_ref().is_none_or(|id| right_ids.contains(id));
                if !there {
                    out.removed_there.push(piece.clone());
                }
                // Somebody mended it at the left: what is there can't be changed, so the new words follow.
                let is_again = |a: &&Accepted| {
                    a.left.strip_prefix(&id).and_then(|l| l.strip_prefix('~')).is_some_and(|said| bodies[n].are(said))
                };
                let followed = accepted.iter().position(is_again);
                met.extend(followed);
                if !bodies[n].are(&a.said) && there && followed.is_none() {
                    out.to_add.push(mended(piece).with_id(format!("{id}~{}", bodies[n].now)));
                }
            }
            None => {
                let found = (0..now.len()).filter(|at| free(at, &claimed)).find(|at| same(n, *at));
                match found {
                    Some(at) => {
                        claimed.insert(&right_ids[at]);
                        out.found.push(accept(at));
                    }
                    None => out.to_add.push(piece.with_id(id)),
                }
            }
        }
    }
    let is_left = |a: &Accepted| left_ids.iter().any(|id| a.left.starts_with(&format!("{id}~")));
    let gone = accepted.iter().enumerate().filter(|(at, a)| !met.contains(at) && !is_left(a));
    for (_, a) in gone {
        let held = a.right.as_ref().and_then(|id| right_ids.iter().position(|r| r == id));
        out.taken_off.extend(held.map(|at| now[at].clone()));
    }
    out.own = right_ids.iter().filter(|id| !claimed.contains(id.as_str())).count() as u64;
    out
}
