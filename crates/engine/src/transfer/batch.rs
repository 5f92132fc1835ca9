//! Several new items in one call, where the system takes that.
//!
//! Decides which changes go together: those that make an item of one kind and were never begun. A call that
//! came to nothing certain is never repeated as a whole: each of its items is looked for, and goes its own
//! way (invariant 2).

use std::collections::BTreeMap;

use futures::{FutureExt, StreamExt, TryStreamExt, stream};
use hovrel_connect::{ConnectError, Outcome as CallOutcome};
use hovrel_core::model::Kind;
use hovrel_core::plan::{Change, Decision, Outcome, fields_to_write};

use super::Transfer;
use super::apply::{Begun, Failure, HALTED, Stage, TRIES, attempt, build, pause, refuse, settle};
use crate::EngineError;

/// Changes that are looked at together, for those of them that can be made together.
pub const PART: usize = 100;

/// What is done at once.
pub enum Work {
    One(Box<(Change, Decision)>),
    Many(Vec<(Change, Decision)>),
}

impl Work {
    pub fn changes(&self) -> impl Iterator<Item = &Change> {
        let list = match self {
            Work::One(one) => std::slice::from_ref(&**one),
            Work::Many(list) => list,
        };
        list.iter().map(|(change, _)| change)
    }
}

/// Puts together what can be made together.
pub fn grouped(
    part: Vec<Result<(Change, Decision), EngineError>>,
    batches: &BTreeMap<Kind, usize>,
    begun: impl Fn(u32) -> bool,
) -> Vec<Result<Work, EngineError>> {
    let mut out = Vec::new();
    let mut groups: BTreeMap<Kind, Vec<(Change, Decision)>> = BTreeMap::new();
    for found in part {
        match found {
            Ok((change, decision)) => {
                let makes = change.outcome == Outcome::NewRight || decision.as_new;
                match makes && !begun(change.seq) && batches.contains_key(&change.right_kind) {
                    true => groups.entry(change.right_kind).or_default().push((change, decision)),
                    false => out.push(Ok(Work::One(Box::new((change, decision))))),
                }
            }
            Err(e) => out.push(Err(e)),
        }
    }
    for (kind, mut list) in groups {
        let size = batches[&kind].max(1);
        while !list.is_empty() {
            let rest = list.split_off(list.len().min(size));
            out.push(Ok(Work::Many(std::mem::replace(&mut list, rest))));
        }
    }
    out
}

/// Makes several items and carries what hangs on each; how far each change came, in their order.
pub async fn apply(t: &Transfer, changes: &[(Change, Decision)]) -> Result<Vec<Stage>, EngineError> {
    changes.iter().for_each(|(change, _)| t.take_in_hand(change));
    let seqs: Vec<i32> = changes.iter().map(|(change, _)| change.seq as i32).collect();
    // Invariant 1.
    t.hub.store.intend(t.job, &seqs).await?;
    let made = make(t, changes).await?;
    let each: Vec<_> = changes
        .iter()
        .zip(made)
        .map(|((change, decision), begun)| finish(t, change, decision, begun).boxed())
        .collect();
    stream::iter(each).buffered(t.right.describe().calls_at_once.max(1)).try_collect().await
}

async fn finish(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    begun: Result<Begun, Failure>,
) -> Result<Stage, EngineError> {
    let result = match begun {
        Ok(begun) => attempt(t, change, decision, begun).await,
        Err(failure) => Err(failure),
    };
    settle(t, change, result).await
}

/// What became of each item after the call that makes them.
async fn make(t: &Transfer, changes: &[(Change, Decision)]) -> Result<Vec<Result<Begun, Failure>>, EngineError> {
    let mut out: Vec<Option<Result<Begun, Failure>>> = Vec::new();
    let mut writes = Vec::new();
    for (change, decision) in changes {
        if let Some(why) = t.halted(&change.lane).await {
            out.push(Some(refuse(&why, HALTED)));
            continue;
        }
        let Some(lane) = t.lanes.get(&change.lane).filter(|_| changes.len() > 1) else {
            out.push(Some(Ok(Begun::Nothing)));
            continue;
        };
        let fields = fields_to_write(change, decision, lane.policies.first_contact);
        match build(t, change, lane, &fields, true).await {
            Ok((write, _)) => {
                writes.push(write);
                out.push(None);
            }
            Err(failure) => out.push(Some(Err(failure))),
        }
    }
    let mut answers = call(t, changes[0].0.right_kind, &writes).await.into_iter();
    let filled = out.into_iter().map(|settled| settled.unwrap_or_else(|| answers.next().unwrap_or(Ok(Begun::Perhaps))));
    Ok(filled.collect())
}

async fn call(t: &Transfer, kind: Kind, writes: &[hovrel_connect::Write]) -> Vec<Result<Begun, Failure>> {
    if writes.is_empty() {
        return Vec::new();
    }
    for tries in 1..=TRIES {
        match t.right.create_many(&t.right_container, kind, writes).await {
            Ok(answers) => return answers.into_iter().map(|answer| told(t, answer)).collect(),
            // Nothing was done.
            Err(e) if e.outcome() == CallOutcome::NotDone => pause(tries).await,
            Err(_) => break,
        }
    }
    writes.iter().map(|_| Ok(Begun::Perhaps)).collect()
}

fn told(t: &Transfer, answer: hovrel_connect::Made) -> Result<Begun, Failure> {
    match answer {
        Ok(made) => {
            t.written.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
            Ok(Begun::Now(Box::new(made)))
        }
        // It is there by its mark, or something else is: its own way finds out.
        Err(ConnectError::Duplicate) => Ok(Begun::Perhaps),
        Err(refused) => Err(refused.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sample::change;

    fn decided(change: Change) -> Result<(Change, Decision), EngineError> {
        let decision = Decision::default_for(&change);
        Ok((change, decision))
    }

    /// The places of what is done at once.
    fn places(work: Vec<Result<Work, EngineError>>) -> Vec<Vec<u32>> {
        work.into_iter().map(|w| w.expect("no trouble").changes().map(|c| c.seq).collect()).collect()
    }

    #[test]
    fn new_items_of_a_kind_go_together_and_everything_goes_once() {
        let outcomes = [Outcome::NewRight, Outcome::UpdateRight, Outcome::NewRight, Outcome::Adopt, Outcome::NewRight];
        let part = || (0..10).map(|n| decided(change(n, &n.to_string(), outcomes[n as usize % 5]))).collect();
        let batches = BTreeMap::from([(Kind::TestCase, 4)]);
        let mut found = places(grouped(part(), &batches, |_| false));
        found.sort();
        assert_eq!(found, [vec![0, 2, 4, 5], vec![1], vec![3], vec![6], vec![7, 9], vec![8]]);

        // What was begun before a cut goes its own way: it is looked for first.
        let found = places(grouped(part(), &batches, |seq| seq == 2));
        assert!(found.contains(&vec![2]) && found.contains(&vec![0, 4, 5, 7]), "{found:?}");

        // Where a system takes one at a time, so it is.
        assert!(places(grouped(part(), &BTreeMap::new(), |_| false)).iter().all(|w| w.len() == 1));
    }

    #[test]
    fn trouble_is_passed_on_and_kinds_are_not_mixed() {
        let other = Change { right_kind: Kind::Defect, ..change(1, "1", Outcome::NewRight) };
        let part = vec![
            decided(change(0, "0", Outcome::NewRight)),
            decided(other),
            Err(EngineError::Faults(vec!["cut off".into()])),
            decided(change(3, "3", Outcome::NewRight)),
        ];
        let batches = BTreeMap::from([(Kind::TestCase, 50), (Kind::Defect, 50)]);
        let (good, bad): (Vec<_>, Vec<_>) = grouped(part, &batches, |_| false).into_iter().partition(Result::is_ok);
        assert_eq!(bad.len(), 1);
        let mut found = places(good);
        found.sort();
        assert_eq!(found, [vec![0, 3], vec![1]]);
    }

    /// Made anew instead of adopted, an item is a new one like others.
    #[test]
    fn what_is_made_instead_of_adopted_goes_with_the_new() {
        let as_new =
            Decision { included: true, as_new: true, ..Decision::default_for(&change(1, "1", Outcome::Adopt)) };
        let part = vec![decided(change(0, "0", Outcome::NewRight)), Ok((change(1, "1", Outcome::Adopt), as_new))];
        assert_eq!(places(grouped(part, &BTreeMap::from([(Kind::TestCase, 50)]), |_| false)), [vec![0, 1]]);
    }
}
