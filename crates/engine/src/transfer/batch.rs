//! Several new items in one call, where the system takes that.
//!
//! Decides which changes go together: those that make an item of one kind and were never begun. A call that
//! came to nothing certain is never repeated as a whole: each of its items is looked for, and goes its own
//! way (invariant 2).

use std::collections::BTreeMap;

use futures::{FutureExt, StreamExt, TryStreamExt, stream};
use hovrel_connect::{Outcome as CallOutcome, Written};
use hovrel_core::model::{End, Ends, Kind};
use hovrel_core::plan::{Change, Decision, makes_new};
use hovrel_store::{Claim, StepAt};

use super::apply::settle;
use super::attempt::{Begun, attempt, build};
use super::course::Course;
use super::desk::Desk;
use super::failure::{Failure, TRIES, pause};
use super::item::sure;
use super::sent::Sent;
use super::shared::{Stage, Transfer};
use crate::EngineError;
use crate::points::point;

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
    batches: &Ends<BTreeMap<Kind, usize>>,
    begun: impl Fn(u32) -> bool,
) -> Vec<Result<Work, EngineError>> {
    let mut out = Vec::new();
    let mut groups: BTreeMap<(End, Kind), Vec<(Change, Decision)>> = BTreeMap::new();
    for found in part {
        match found {
            Ok((change, decision)) => {
                let (end, kind) = (change.written, change.kind_at(change.written));
                match makes_new(&change, &decision) && !begun(change.seq) && batches[end].contains_key(&kind) {
                    true => groups.entry((end, kind)).or_default().push((change, decision)),
                    false => out.push(Ok(Work::One(Box::new((change, decision))))),
                }
            }
            Err(e) => out.push(Err(e)),
        }
    }
    for ((end, kind), mut list) in groups {
        let size = batches[end][&kind].max(1);
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
    t.hub.store.intend(t.holder, &seqs).await?;
    let made = make(t, changes).await?;
    let each: Vec<_> = changes
        .iter()
        .zip(made)
        .map(|((change, decision), begun)| finish(t, change, decision, begun).boxed())
        .collect();
    let at_once = changes.first().map_or(1, |(change, _)| t.desk(change).connector.describe().calls_at_once.max(1));
    stream::iter(each).buffered(at_once).try_collect().await
}

async fn finish(
    t: &Transfer,
    change: &Change,
    decision: &Decision,
    begun: Result<Begun, Failure>,
) -> Result<Stage, EngineError> {
    let result = match begun {
        // A new item has nothing to bring back.
        Ok(begun) => attempt(t, change, decision, begun, Begun::Nothing).await,
        Err(failure) => Err(failure),
    };
    settle(t, change, result).await
}

/// What became of each item after the call that makes them. An item whose mark was claimed before, by this change or by
/// another, goes its own way: it is looked for.
async fn make(t: &Transfer, changes: &[(Change, Decision)]) -> Result<Vec<Result<Begun, Failure>>, EngineError> {
    // All of them are of one kind, at one end.
    let Some((first, _)) = changes.first() else { return Ok(Vec::new()) };
    let (desk, kind) = (t.desk(first), first.kind_at(first.written));
    let mut out: Vec<Option<Result<Begun, Failure>>> = Vec::new();
    let mut sent: Vec<(i32, Sent)> = Vec::new();
    for (change, decision) in changes {
        if let Some(halt) = t.halted(change.written, &change.lane).await {
            out.push(Some(Err(Failure::Refused(halt))));
            continue;
        }
        if changes.len() == 1 {
            out.push(Some(Ok(Begun::Nothing)));
            continue;
        }
        match built(t, change, decision).await {
            // Without a mark nothing can be looked for after a call that came to nothing certain.
            Ok(one) if desk.mark_of(kind, &one).is_none() => out.push(Some(Ok(Begun::Nothing))),
            Ok(one) => {
                sent.push((change.seq as i32, one));
                out.push(None);
            }
            Err(Failure::Engine(e)) => return Err(e),
            Err(failure) => out.push(Some(Err(failure))),
        }
    }
    let free = claimed(t, desk, kind, &sent).await?;
    let (mine, others): (Vec<_>, Vec<_>) = sent.into_iter().zip(free).partition(|(_, free)| *free);
    let mine: Vec<(i32, Sent)> = mine.into_iter().map(|(one, _)| one).collect();
    let others: Vec<i32> = others.into_iter().map(|((seq, _), _)| seq).collect();
    let mut answers = call(t, desk, kind, mine).await?.into_iter();
    let filled = out.into_iter().zip(changes).map(|(settled, (change, _))| match settled {
        Some(settled) => settled,
        None if others.contains(&(change.seq as i32)) => Ok(Begun::Perhaps),
        None => answers.next().unwrap_or(Ok(Begun::Perhaps)),
    });
    Ok(filled.collect())
}

async fn built(t: &Transfer, change: &Change, decision: &Decision) -> Result<Sent, Failure> {
    let c = Course::begin(t, change, decision, false).await?;
    build(&c, &c.writes()).await
}

/// Whether the marks of new items are claimed for them now and by nobody before.
async fn claimed(t: &Transfer, desk: &Desk, kind: Kind, sent: &[(i32, Sent)]) -> Result<Vec<bool>, EngineError> {
    let marks: Vec<(i32, String)> =
        sent.iter().map(|(seq, one)| (*seq, desk.mark_of(kind, one).unwrap_or_default())).collect();
    let wanted: Vec<(i32, &str)> = marks.iter().map(|(seq, mark)| (*seq, mark.as_str())).collect();
    if wanted.is_empty() {
        return Ok(Vec::new());
    }
    let claims = t.hub.store.claim_marks(t.holder, desk.mark_at(kind), &wanted).await?;
    Ok(claims.into_iter().map(|claim| claim == Claim::Ours).collect())
}

async fn call(
    t: &Transfer,
    desk: &Desk,
    kind: Kind,
    sent: Vec<(i32, Sent)>,
) -> Result<Vec<Result<Begun, Failure>>, EngineError> {
    if sent.is_empty() {
        return Ok(Vec::new());
    }
    let steps = sent.iter().map(|(seq, one)| Ok((*seq, serde_json::to_value(one)?)));
    let steps = steps.collect::<Result<Vec<_>, EngineError>>()?;
    t.hub.store.intend_steps(t.holder, StepAt { written_end: desk.end, step: "create" }, &steps).await?;
    point("batch intended");
    let writes: Vec<_> = sent.iter().map(|(_, one)| one.write(kind, None, None)).collect();
    for tries in 1..=TRIES {
        t.lease.check()?;
        let answer = desk.connector.create_many(&desk.container, kind, &writes).await;
        point("batch called");
        match answer {
            Ok(answers) => {
                let mut out = Vec::new();
                for (answer, (_, one)) in answers.into_iter().zip(sent) {
                    out.push(told(t, desk, kind, answer, one).await?);
                }
                return Ok(out);
            }
            // Nothing was done.
            Err(e) if e.outcome() == CallOutcome::NotDone => pause(tries).await,
            Err(_) => break,
        }
    }
    Ok(sent.iter().map(|_| Ok(Begun::Perhaps)).collect())
}

async fn told(
    t: &Transfer,
    desk: &Desk,
    kind: Kind,
    answer: hovrel_connect::Made,
    sent: Sent,
) -> Result<Result<Begun, Failure>, EngineError> {
    Ok(match answer {
        Ok(artefact) => {
            t.written.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
            match sure(desk, kind, Written { artefact, own: true }, &sent).await {
                Ok(made) => Ok(Begun::Now(Box::new(made), sent)),
                Err(Failure::Engine(e)) => return Err(e),
                // It is there; what it looks like is looked up again.
                Err(Failure::Refused(_)) => Ok(Begun::Perhaps),
            }
        }
        Err(refused) => Err(refused.into()),
    })
}

#[cfg(test)]
mod tests {
    use hovrel_core::plan::Outcome;

    use super::*;
    use crate::sample::change;

    fn decided(change: Change) -> Result<(Change, Decision), EngineError> {
        let decision = Decision::default_for(&change);
        Ok((change, decision))
    }

    fn at_right<const N: usize>(batches: [(Kind, usize); N]) -> Ends<BTreeMap<Kind, usize>> {
        Ends { left: BTreeMap::new(), right: BTreeMap::from(batches) }
    }

    /// The places of what is done at once.
    fn places(work: Vec<Result<Work, EngineError>>) -> Vec<Vec<u32>> {
        work.into_iter().map(|w| w.expect("no trouble").changes().map(|c| c.seq).collect()).collect()
    }

    #[test]
    fn new_items_of_a_kind_go_together_and_everything_goes_once() {
        let outcomes = [
            Outcome::New(End::Right),
            Outcome::Update(End::Right),
            Outcome::New(End::Right),
            Outcome::Adopt,
            Outcome::New(End::Right),
        ];
        let part = || (0..10).map(|n| decided(change(n, &n.to_string(), outcomes[n as usize % 5]))).collect();
        let batches = at_right([(Kind::TestCase, 4)]);
        let mut found = places(grouped(part(), &batches, |_| false));
        found.sort();
        assert_eq!(found, [vec![0, 2, 4, 5], vec![1], vec![3], vec![6], vec![7, 9], vec![8]]);

        // What was begun before a cut goes its own way: it is looked for first.
        let found = places(grouped(part(), &batches, |seq| seq == 2));
        assert!(found.contains(&vec![2]) && found.contains(&vec![0, 4, 5, 7]), "{found:?}");

        // Where a system takes one at a time, so it is.
        assert!(places(grouped(part(), &at_right([]), |_| false)).iter().all(|w| w.len() == 1));
    }

    #[test]
    fn trouble_is_passed_on_and_kinds_are_not_mixed() {
        let other = Change { right_kind: Kind::Defect, ..change(1, "1", Outcome::New(End::Right)) };
        let part = vec![
            decided(change(0, "0", Outcome::New(End::Right))),
            decided(other),
            Err(EngineError::Faults(vec!["cut off".into()])),
            decided(change(3, "3", Outcome::New(End::Right))),
        ];
        let batches = at_right([(Kind::TestCase, 50), (Kind::Defect, 50)]);
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
        let part =
            vec![decided(change(0, "0", Outcome::New(End::Right))), Ok((change(1, "1", Outcome::Adopt), as_new))];
        assert_eq!(places(grouped(part, &at_right([(Kind::TestCase, 50)]), |_| false)), [vec![0, 1]]);
    }
}
