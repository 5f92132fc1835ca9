//! Two edits of a list of steps, or of the rows of a table of values.
//!
//! Decides that steps are merged by their parts: what is done, what is expected, the data, the call, the files. Rows are
//! merged cell by cell, under the same columns.

use super::documents;
use super::lists::{self, Parts, three};
use super::members;
use super::texts;
use super::words::Words;
use crate::model::Step;

pub(super) fn merge(base: &[Step], one: &[Step], other: &[Step]) -> Option<Vec<Step>> {
    lists::merge(base, one, other, &Parts { words: &words, merge: &step })
}

/// For each of the `new` steps, which of the `old` ones it is: as it was, wherever it stands now, or rewritten. None if
/// there are too many of them.
pub fn steps_kept(old: &[Step], new: &[Step]) -> Option<Vec<Option<usize>>> {
    lists::kept(old, new, &words)
}

/// By what steps are alike: by all that they say, and above all by what is done.
pub(super) fn words(step: &Step) -> Words {
    Words::of(0, &step.plain()).headed(step.action.plain())
}

pub(super) fn step(base: &Step, one: &Step, other: &Step) -> Option<Step> {
    Some(Step {
        action: documents::merge(&base.action, &one.action, &other.action)?,
        expected: documents::merge(&base.expected, &one.expected, &other.expected)?,
        data: documents::merge(&base.data, &one.data, &other.data)?,
        call: three(&base.call, &one.call, &other.call)?.clone(),
        attachments: members::merge(&base.attachments, &one.attachments, &other.attachments),
    })
}

/// Rows of cells, the first row being the names of the columns.
pub(super) fn rows(base: &[Vec<String>], one: &[Vec<String>], other: &[Vec<String>]) -> Option<Vec<Vec<String>>> {
    if let Some(whole) = three(base, one, other) {
        return Some(whole.to_vec());
    }
    let (Some(columns), Some(of_one), Some(of_other)) = (base.first(), one.first(), other.first()) else { return None };
    if columns != of_one || columns != of_other {
        return None;
    }
    let row = |b: &Vec<String>, o: &Vec<String>, t: &Vec<String>| {
        lists::place_by_place(b, o, t, |b, o, t| texts::merge(b, o, t))
    };
    let parts = Parts { words: &|row: &Vec<String>| Words::of(0, &row.join(" ")), merge: &row };
    let merged = lists::merge(&base[1..], &one[1..], &other[1..], &parts)?;
    Some([vec![columns.clone()], merged].concat())
}
