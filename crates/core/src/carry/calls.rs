//! Shared steps that stand in place of the steps that call them, and the calls again.
//!
//! Decides which steps of an edited list are still what stands there for a call, so that the call is written back in their
//! place. A stretch that somebody touched is no call any more, and nobody but a person can say what it should be; one that
//! is gone takes its call along. Knows nothing of what is called.

use crate::merge::steps_kept;
use crate::model::{Expanded, Step};

/// `edited`, which an edit made of `there`, with the calls that stood in it (`expanded`) in place of their stretches. None if
/// the edit touched a stretch, or nobody can tell where a call stands now of which nothing is to be seen.
pub fn with_calls(there: &[Step], expanded: &[Expanded], edited: &[Step]) -> Option<Vec<Step>> {
    let is = steps_kept(there, edited)?;
    // What stands before each step, and last at the end; and the steps that calls take the place of.
    let mut calls: Vec<Vec<&Step>> = vec![Vec::new(); edited.len() + 1];
    let mut is_in_place = vec![false; edited.len()];
    for e in expanded {
        let stretch = e.at..e.at + e.steps.len();
        if stretch.is_empty() {
            let is_at = |old: usize| is.iter().position(|kept| *kept == Some(old));
            let behind = || e.at.checked_sub(1).map_or(Some(0), |before| Some(is_at(before)? + 1));
            let before = || if e.at == there.len() { Some(edited.len()) } else { is_at(e.at) };
            calls[behind().or_else(before)?].push(&e.call);
            continue;
        }
        let is_whole = |at: &usize| {
            let now = *at..*at + e.steps.len();
            edited.get(now.clone()) == Some(&e.steps[..]) && now.zip(stretch.clone()).all(|(n, old)| is[n] == Some(old))
        };
        match (0..edited.len()).find(is_whole) {
            Some(at) => {
                calls[at].push(&e.call);
                is_in_place[at..at + e.steps.len()].fill(true);
            }
            None if is.iter().flatten().any(|old| stretch.contains(old)) => return None,
            None => {}
        }
    }
    let own = edited.iter().zip(is_in_place).map(|(step, gone)| (!gone).then_some(step)).chain([None]);
    Some(calls.into_iter().zip(own).flat_map(|(calls, own)| calls.into_iter().chain(own)).cloned().collect())
}

/// `list` with the same stretches in place of the calls that stood there.
pub fn without_calls(list: &[Step], expanded: &[Expanded]) -> Vec<Step> {
    let mut open: Vec<&Expanded> = expanded.iter().collect();
    let one = |step: &Step| match open.iter().position(|e| e.call == *step) {
        Some(at) => open.remove(at).steps.clone(),
        None => vec![step.clone()],
    };
    list.iter().flat_map(one).collect()
}
