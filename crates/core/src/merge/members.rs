//! Two edits of a list of members, each of which is there once: labels, people.
//!
//! Decides by member: what either edit took away is gone, what either added is there. Two edits of a set never clash.

use std::collections::HashSet;

pub(super) fn merge(base: &[String], one: &[String], other: &[String]) -> Vec<String> {
    let set = |list: &[String]| list.iter().cloned().collect::<HashSet<String>>();
    let (was, in_one, in_other) = (set(base), set(one), set(other));
    let stays = |member: &&String| in_other.contains(*member) || !was.contains(*member);
    let kept = one.iter().filter(stays);
    let added = other.iter().filter(|member| !in_one.contains(*member) && !was.contains(*member));
    kept.chain(added).cloned().collect()
}
