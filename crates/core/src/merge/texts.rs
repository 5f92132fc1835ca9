//! Two edits of a text.
//!
//! Decides what its parts are: lines, and in lines that both edits touch, words. A word goes with what stands behind it up to
//! the next one, so that edits of neighbouring words touch each other.

use super::diff3;
use super::words::with_what_is_behind;

pub(super) fn merge(base: &str, one: &str, other: &str) -> Option<String> {
    let [base, one, other] = [base, one, other].map(|text| text.split_inclusive('\n').collect::<Vec<_>>());
    Some(diff3::merge(&base, &one, &other, in_words)?.concat())
}

fn in_words<'t>(base: &[&'t str], one: &[&'t str], other: &[&'t str]) -> Option<Vec<&'t str>> {
    let [base, one, other] =
        [base, one, other].map(|lines| lines.iter().flat_map(|line| with_what_is_behind(line)).collect());
    let [base, one, other]: [Vec<&str>; 3] = [base, one, other];
    diff3::merge(&base, &one, &other, |_, _, _| None)
}
