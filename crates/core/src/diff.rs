//! Differences inside a text or a list of steps, for a person to read.
//!
//! Decides which words were taken out and which were put in. Myers' O(ND) algorithm (Myers 1986,
//! through the `similar` crate) over words; steps are aligned first, then compared part by part.

use serde::{Deserialize, Serialize};
use similar::{Algorithm, ChangeTag, TextDiff, capture_diff_slices};

use crate::model::{Step, Value};
use crate::text::{TextFormat, write};

/// A run of text that is the same at both sides, only before, or only after.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Piece {
    pub change: PieceChange,
    pub text: String,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum PieceChange {
    Same,
    Removed,
    Added,
}

/// The difference between two values of one field.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "shape", rename_all = "snake_case")]
pub enum ValueDiff {
    Text { pieces: Vec<Piece> },
    Steps { steps: Vec<StepDiff> },
}

/// One step, aligned.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StepDiff {
    /// Number before and after, from 1; none where the step is not there.
    pub before: Option<u32>,
    pub after: Option<u32>,
    pub action: Vec<Piece>,
    pub expected: Vec<Piece>,
    pub data: Vec<Piece>,
}

impl StepDiff {
    pub fn changed(&self) -> bool {
        [&self.action, &self.expected, &self.data].into_iter().flatten().any(|p| p.change != PieceChange::Same)
    }
}

/// Compares two values of one field.
pub fn diff(before: &Value, after: &Value) -> ValueDiff {
    match (before, after) {
        (Value::Steps(a), Value::Steps(b)) => ValueDiff::Steps { steps: diff_steps(a, b) },
        (Value::Empty, Value::Steps(b)) => ValueDiff::Steps { steps: diff_steps(&[], b) },
        (Value::Steps(a), Value::Empty) => ValueDiff::Steps { steps: diff_steps(a, &[]) },
        _ => ValueDiff::Text { pieces: diff_text(&readable(before), &readable(after)) },
    }
}

/// A value as text that keeps its lines and its markup visible.
pub fn readable(value: &Value) -> String {
    match value {
        Value::RichText(d) => write(d, TextFormat::Markdown),
        other => other.display(),
    }
}

/// Word by word.
pub fn diff_text(before: &str, after: &str) -> Vec<Piece> {
    let diff = TextDiff::configure().algorithm(Algorithm::Myers).diff_unicode_words(before, after);
    let mut pieces: Vec<Piece> = Vec::new();
    for change in diff.iter_all_changes() {
        let kind = match change.tag() {
            ChangeTag::Equal => PieceChange::Same,
            ChangeTag::Delete => PieceChange::Removed,
            ChangeTag::Insert => PieceChange::Added,
        };
        match pieces.last_mut() {
            Some(last) if last.change == kind => last.text.push_str(change.value()),
            _ => pieces.push(Piece { change: kind, text: change.value().to_owned() }),
        }
    }
    pieces
}

fn diff_steps(before: &[Step], after: &[Step]) -> Vec<StepDiff> {
    let mut out = Vec::new();
    let text = |d: &crate::model::Document| write(d, TextFormat::Markdown);
    let one = |a: Option<(usize, &Step)>, b: Option<(usize, &Step)>| {
        let part = |f: fn(&Step) -> &crate::model::Document| {
            diff_text(&a.map_or(String::new(), |(_, s)| text(f(s))), &b.map_or(String::new(), |(_, s)| text(f(s))))
        };
        StepDiff {
            before: a.map(|(n, _)| n as u32 + 1),
            after: b.map(|(n, _)| n as u32 + 1),
            action: part(|s| &s.action),
            expected: part(|s| &s.expected),
            data: part(|s| &s.data),
        }
    };
    for op in capture_diff_slices(Algorithm::Myers, before, after) {
        let (olds, news) = (op.old_range(), op.new_range());
        // Steps replaced one for one are compared with each other, the surplus is added or removed.
        for n in 0..olds.len().max(news.len()) {
            let a = (n < olds.len()).then(|| (olds.start + n, &before[olds.start + n]));
            let b = (n < news.len()).then(|| (news.start + n, &after[news.start + n]));
            out.push(one(a, b));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Myers 1986, “An O(ND) Difference Algorithm and Its Variations”, §2: ABCABBA and CBABAC have a
    /// shortest edit script of five insertions and deletions.
    #[test]
    fn the_edit_script_is_the_shortest() {
        let (a, b): (Vec<char>, Vec<char>) = ("ABCABBA".chars().collect(), "CBABAC".chars().collect());
        let edits: usize = capture_diff_slices(Algorithm::Myers, &a, &b)
            .iter()
            .map(|op| match op.tag() {
                similar::DiffTag::Equal => 0,
                _ => op.old_range().len() + op.new_range().len(),
            })
            .sum();
        assert_eq!(edits, 5);
    }

    #[test]
    fn only_the_words_that_changed_are_marked() {
        let pieces = diff_text("Rope creep is below 35 mm", "Rope creep is below 20 mm");
        let marked: Vec<_> = pieces.iter().filter(|p| p.change != PieceChange::Same).map(|p| p.text.as_str()).collect();
        assert_eq!(marked, ["35", "20"]);
    }
}
