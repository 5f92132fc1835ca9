//! What is remembered of a slot: what both ends told when last in step, and how that came to be.
//!
//! Decides how it moves. There are no other moves than these: to what both ends hold now, and by a write. A later read is
//! never taken for what a write left, and a slot that was not written does not move with one that was.

use serde::{Deserialize, Serialize};

use super::ways::Ways;
use crate::model::{End, Ends};

/// What is remembered of one slot of a pair.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Remembered<V> {
    /// What each end told when both were last in step.
    pub at: Ends<V>,
    /// What the rule made for either end of what the other told; none where that is what the end holds, or the rule does
    /// not go there.
    pub made: Ends<Option<V>>,
    /// What Hovrel's last writes into either end replaced there, the latest last.
    pub replaced: Ends<Vec<Replaced<V>>>,
    /// The last edits that were carried, each in the other direction than the one before, the latest last.
    pub swings: Vec<Swing>,
}

/// A write that was carried out.
#[derive(Debug, Clone)]
pub struct Wrote<V> {
    /// The end that was written.
    pub into: End,
    /// What each end held when it was planned.
    pub planned: Ends<V>,
    /// What the end that was written holds, by the write's own answer.
    pub answer: V,
    /// When (seconds since 1970-01-01).
    pub at: i64,
}

/// What a write replaced.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Replaced<V> {
    /// What the end held before.
    pub value: V,
    /// When it was replaced (seconds since 1970-01-01).
    pub at: i64,
    /// Whether it stood there again afterwards, and was carried to the other end.
    pub came_back: bool,
}

/// An edit that was carried into an end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Swing {
    /// The end that was written.
    pub into: End,
    /// When (seconds since 1970-01-01).
    pub at: i64,
}

/// What both ends would hold had the left not been edited, while a merge is half written.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Half<V> {
    /// What each end would hold.
    pub at: Ends<V>,
    /// What the rule makes of these for either end, where that is something else.
    pub made: Ends<Option<V>>,
}

/// So many replaced values are known: a system may give back what stood before the last write but one.
const REPLACED: usize = 4;

/// Edits that go to and fro so often are not carried on by themselves.
pub(super) const SWINGS: usize = 5;

impl<V: Clone> Remembered<V> {
    /// Both ends hold what counts as the same, whoever put it there.
    pub fn of<W: Ways<Value = V>>(ways: &W, at: Ends<V>) -> Remembered<V> {
        let made = made_of(ways, &at);
        Remembered { at, made, replaced: Ends::default(), swings: Vec::new() }
    }

    /// Moves to what both ends hold now. What was written before stays known.
    pub fn rebase<W: Ways<Value = V>>(self, ways: &W, at: Ends<V>) -> Remembered<V> {
        Remembered { replaced: self.replaced, swings: self.swings, ..Remembered::of(ways, at) }
    }

    /// Moves by a write into an end: the other end to what was planned from, this one to what the write's own answer says
    /// it holds, and `made` to what the rule makes of these. `old` is what was remembered before; none of what was never in
    /// step. `same` says whether two values of one end are the same.
    pub fn wrote(
        old: Option<&Remembered<V>>,
        write: Wrote<V>,
        made: Ends<Option<V>>,
        same: impl Fn(&V, &V) -> bool,
    ) -> Remembered<V> {
        let Wrote { into, planned, answer, at } = write;
        let from = into.other();
        let mut replaced = old.map(|old| old.replaced.clone()).unwrap_or_default();
        // The edit that is carried may be what the other end held before Hovrel wrote there.
        for before in &mut replaced[from] {
            before.came_back |= same(&before.value, &planned[from]);
        }
        note_replaced(&mut replaced[into], &planned[into], at, &same);
        forget_written(&mut replaced[into], &answer, &same);
        let mut swings = old.map_or(Vec::new(), |old| old.swings.clone());
        if swings.last().is_some_and(|last| last.into == into) {
            swings.clear();
        }
        swings.push(Swing { into, at });
        swings.drain(..swings.len().saturating_sub(SWINGS));
        let mut held = planned;
        held[into] = answer;
        Remembered { at: held, made, replaced, swings }
    }

    /// Notes that something was written into an end, or perhaps not: no answer came. What both ends told does not move; what
    /// stood there when it was planned may come back all the same.
    pub fn perhaps_wrote(mut self, into: End, planned: &V, at: i64, same: impl Fn(&V, &V) -> bool) -> Remembered<V> {
        note_replaced(&mut self.replaced[into], planned, at, &same);
        self
    }

    /// What both ends would hold had the right alone been edited, to what it holds now; none if that edit can't be put onto
    /// what the left held then.
    pub fn without_left<W: Ways<Value = V>>(&self, ways: &W, right: &V) -> Option<Half<V>> {
        let left = ways.put(End::Left, &self.at.left, &self.at.right, right).ok()?;
        let at = Ends { left, right: right.clone() };
        Some(Half { made: made_of(ways, &at), at })
    }

    /// Moves when the left got the right's edit and the right is still to get the left's: to what both would hold had
    /// only the right been edited. The left's own edit stands out from that, and is written like any other. `written` is
    /// what the left held when it was planned and what it holds by the write's answer; without `half` nothing moves but what
    /// is known of the write.
    pub fn half_merged(
        self,
        written: (&V, &V),
        half: Option<Half<V>>,
        at: i64,
        same: impl Fn(&V, &V) -> bool,
    ) -> Remembered<V> {
        let (planned, answer) = written;
        let mut moved = self.perhaps_wrote(End::Left, planned, at, &same);
        forget_written(&mut moved.replaced.left, answer, &same);
        if let Some(half) = half {
            (moved.at, moved.made) = (half.at, half.made);
        }
        moved
    }

    /// What the rule made for an end when both were last in step.
    pub(super) fn made_for(&self, end: End) -> &V {
        self.made[end].as_ref().unwrap_or(&self.at[end])
    }
}

fn note_replaced<V: Clone>(known: &mut Vec<Replaced<V>>, value: &V, at: i64, same: &dyn Fn(&V, &V) -> bool) {
    let came_back = known.iter().any(|was| was.came_back && same(&was.value, value));
    known.retain(|was| !same(&was.value, value));
    known.push(Replaced { value: value.clone(), at, came_back });
    known.drain(..known.len().saturating_sub(REPLACED));
}

/// What Hovrel wrote itself is no old form any more, although an end held it before.
fn forget_written<V>(known: &mut Vec<Replaced<V>>, answer: &V, same: &dyn Fn(&V, &V) -> bool) {
    known.retain(|was| !same(&was.value, answer));
}

/// What a rule makes for either end of what the other holds, where that is something else than the end holds.
pub fn made_of<W: Ways>(ways: &W, at: &Ends<W::Value>) -> Ends<Option<W::Value>> {
    Ends::of(|end| {
        let made = ways.goes_into(end).then(|| ways.get(end, &at[end.other()]).ok()).flatten();
        made.filter(|made| !ways.same(made, &at[end]))
    })
}
