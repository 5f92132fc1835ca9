//! Steps, aligned.

use serde::{Deserialize, Serialize};
use similar::{Algorithm, capture_diff_slices};

use super::rich::{RichLine, diff_documents};
use super::text::{Piece, diff_text};
use crate::model::{Call, Document, Step};

/// One step before and after.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StepDiff {
    /// Number before and after, from 1; none where the step is not there.
    pub before: Option<u32>,
    /// Its place in the second list, from 0; none if it is only in the first.
    pub after: Option<u32>,
    /// Which shared steps it calls, and with what; empty for none.
    pub call: Vec<Piece>,
    /// What is done.
    pub action: Vec<RichLine>,
    /// What is expected.
    pub expected: Vec<RichLine>,
    /// What it is done with.
    pub data: Vec<RichLine>,
    /// Names of the files that belong to it; empty for none.
    pub files: Vec<Piece>,
}

fn called(step: &Step) -> String {
    step.call.as_ref().map(Call::display).unwrap_or_default()
}

pub fn diff_steps(before: &[Step], after: &[Step]) -> Vec<StepDiff> {
    let mut out = Vec::new();
    let none = Step::default();
    let one = |a: Option<(usize, &Step)>, b: Option<(usize, &Step)>| {
        let (was, is) = (a.map_or(&none, |(_, s)| s), b.map_or(&none, |(_, s)| s));
        let part = |f: fn(&Step) -> &Document| diff_documents(f(was), f(is));
        StepDiff {
            before: a.map(|(n, _)| n as u32 + 1),
            after: b.map(|(n, _)| n as u32 + 1),
            call: diff_text(&called(was), &called(is)),
            action: part(|s| &s.action),
            expected: part(|s| &s.expected),
            data: part(|s| &s.data),
            files: diff_text(&was.attachments.join(", "), &is.attachments.join(", ")),
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
    use crate::diff::PieceChange;

    fn step(text: &str) -> Step {
        Step { action: Document::from_text(text), ..Step::default() }
    }

    #[test]
    fn a_step_put_between_two_others_moves_only_numbers() {
        let found = diff_steps(&[step("Start"), step("Stop")], &[step("Start"), step("Wait"), step("Stop")]);
        let numbers: Vec<_> = found.iter().map(|s| (s.before, s.after)).collect();
        assert_eq!(numbers, [(Some(1), Some(1)), (None, Some(2)), (Some(2), Some(3))]);
        let changed = |s: &StepDiff| s.action.iter().flat_map(|l| &l.pieces).any(|p| p.change != PieceChange::Same);
        assert_eq!(found.iter().map(changed).collect::<Vec<_>>(), [false, true, false]);
    }
}
