//! The verdict on one slot.
//!
//! Decides what becomes of a slot from what both ends hold now and what is remembered: pure and total, the first case that
//! fits. Where an echo of Hovrel's own write and an edit of a person can't be told apart, it is an edit: no edit is lost.

use super::remembered::{Remembered, SWINGS};
use super::ways::Ways;
use crate::model::{End, Ends};

/// A value that stands again so soon after it was replaced (seconds) may be an old form that a system gave back.
const SOON: i64 = 600;
/// Edits that went to and fro within this time (seconds) are systems that rewrite each other, or people who disagree.
const HOUR: i64 = 3600;

/// What becomes of a slot.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Verdict<V, C> {
    /// Nothing moves, and nothing is written.
    Held(Held),
    /// Nothing changed since both were last in step.
    InStep,
    /// Both say the same by themselves: that is the base from now on.
    Rebase,
    /// They differ and were never in step: the policy of first contact decides.
    FirstContact,
    /// Nobody edited anything, and the rule gives something else for this end than when both were last in step.
    RuleChanged(End),
    /// The other end's edit is written into this one, which holds this afterwards.
    Write(End, V),
    /// Both were edited in different parts: the left is written first, then the right.
    Merged(Ends<V>),
    /// A person decides.
    Conflict(Clash<C>),
}

/// Why nothing moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Held {
    /// What this end holds is not known.
    Unknown(End),
    /// This end was edited, and the rule does not carry into the other.
    OneWay(End),
}

/// Why a person decides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Clash<C> {
    /// Both ends were edited, in the same place.
    Both,
    /// This end was edited, and that can't be carried to the other.
    Cannot(End, C),
    /// This end holds again what Hovrel's write replaced: its system gave the old form back, or somebody undid the write.
    OldForm(End),
    /// The edits went to and fro too often.
    Exchange,
}

/// The verdict on one slot. `now` is what each end holds, none where that is not known; `same_rule` says that the rule, and
/// all that it reads besides the item, is as it was when `base` was made; `clock` is the time in seconds since 1970-01-01.
pub fn verdict<W: Ways>(
    ways: &W,
    now: Ends<Option<&W::Value>>,
    base: Option<&Remembered<W::Value>>,
    same_rule: bool,
    clock: i64,
) -> Verdict<W::Value, W::Why> {
    let now = match now {
        Ends { left: Some(left), right: Some(right) } => Ends { left, right },
        Ends { left: None, .. } => return Verdict::Held(Held::Unknown(End::Left)),
        Ends { right: None, .. } => return Verdict::Held(Held::Unknown(End::Right)),
    };
    let Some(base) = base else {
        return if ways.agree(now) { Verdict::Rebase } else { Verdict::FirstContact };
    };
    let changed = Ends::of(|end| !ways.same(now[end], &base.at[end]));
    if !changed.left && !changed.right {
        return unless_the_rule_changed(ways, base, same_rule);
    }
    if ways.agree(now) {
        return Verdict::Rebase;
    }
    // Also where the other end was edited: a merge would carry the old form over.
    let is_old = |end: &End| changed[*end] && is_old_form(ways, *end, now[*end], base, clock);
    if let Some(end) = End::BOTH.into_iter().find(is_old).filter(|end| ways.goes_into(end.other())) {
        return Verdict::Conflict(Clash::OldForm(end));
    }
    match changed {
        Ends { left: true, right: true } => both_changed(ways, now, base),
        Ends { left: true, .. } => one_changed(ways, End::Left, now, base, clock),
        Ends { .. } => one_changed(ways, End::Right, now, base, clock),
    }
}

fn unless_the_rule_changed<W: Ways>(
    ways: &W,
    base: &Remembered<W::Value>,
    same_rule: bool,
) -> Verdict<W::Value, W::Why> {
    // What can't be carried at all gives nothing else: what was agreed on stays.
    let gives_another = |end: End| {
        let made = ways.get(end, &base.at[end.other()]);
        made.is_ok_and(|made| !ways.same(&made, base.made_for(end)))
    };
    let differs = |end: &End| ways.goes_into(*end) && gives_another(*end);
    match End::BOTH.into_iter().find(differs) {
        Some(end) if !same_rule => Verdict::RuleChanged(end),
        _ => Verdict::InStep,
    }
}

/// Whether an end holds again what a write of Hovrel replaced there, soon after that or not for the first time.
fn is_old_form<W: Ways>(ways: &W, end: End, now: &W::Value, base: &Remembered<W::Value>, clock: i64) -> bool {
    let mut was = base.replaced[end].iter().filter(|was| ways.same(&was.value, now));
    was.any(|was| clock - was.at <= SOON || was.came_back)
}

fn one_changed<W: Ways>(
    ways: &W,
    edited: End,
    now: Ends<&W::Value>,
    base: &Remembered<W::Value>,
    clock: i64,
) -> Verdict<W::Value, W::Why> {
    let into = edited.other();
    if !ways.goes_into(into) {
        return Verdict::Held(Held::OneWay(edited));
    }
    let to_and_fro = base.swings.len() == SWINGS && base.swings.last().is_some_and(|last| last.into == edited);
    if to_and_fro && base.swings.first().is_some_and(|first| clock - first.at <= HOUR) {
        return Verdict::Conflict(Clash::Exchange);
    }
    match ways.put(into, now[into], &base.at[edited], now[edited]) {
        Ok(value) => Verdict::Write(into, value),
        Err(why) => Verdict::Conflict(Clash::Cannot(edited, why)),
    }
}

fn both_changed<W: Ways>(ways: &W, now: Ends<&W::Value>, base: &Remembered<W::Value>) -> Verdict<W::Value, W::Why> {
    if ways.goes_into(End::Left) && ways.goes_into(End::Right) && ways.are_apart(base.at.as_ref(), now) {
        let put = |into: End| ways.put(into, now[into], &base.at[into.other()], now[into.other()]);
        if let (Ok(left), Ok(right)) = (put(End::Left), put(End::Right))
            && ways.agree(Ends { left: &left, right: &right })
        {
            return Verdict::Merged(Ends { left, right });
        }
    }
    Verdict::Conflict(Clash::Both)
}
