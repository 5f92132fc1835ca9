//! Differences inside a value, for a person to read: words of a text, lines of a rich text, steps.
//!
//! Decides what was taken out and what was put in. Myers' O(ND) algorithm (Myers 1986, through the
//! `similar` crate) over words; rich text is compared as lines and formatted words, so that a change of
//! formatting shows; steps are aligned first, then compared part by part.

mod ops;
mod rich;
mod said;
mod steps;
mod text;

use std::borrow::Cow;

use serde::{Deserialize, Serialize};
use similar::ChangeTag;

use crate::model::{Block, Document, Inline, Value};

pub(crate) use ops::changes;
pub use rich::{LineKind, Mark, RichLine, RichPiece, diff_documents};
pub use steps::StepDiff;
pub use text::{Piece, diff_text};

/// What became of a piece of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum PieceChange {
    /// It is the same in both.
    Same,
    /// Only the first has it.
    Removed,
    /// Only the second has it.
    Added,
}

impl From<ChangeTag> for PieceChange {
    fn from(tag: ChangeTag) -> PieceChange {
        match tag {
            ChangeTag::Equal => PieceChange::Same,
            ChangeTag::Delete => PieceChange::Removed,
            ChangeTag::Insert => PieceChange::Added,
        }
    }
}

/// The difference between two values of one field.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "shape", rename_all = "snake_case")]
pub enum ValueDiff {
    /// A text.
    Text {
        /// Its pieces, in their order.
        pieces: Vec<Piece>,
    },
    /// A formatted text.
    Rich {
        /// Its lines, in their order.
        lines: Vec<RichLine>,
    },
    /// A list of steps.
    Steps {
        /// The steps of both, in their order.
        steps: Vec<StepDiff>,
    },
}

/// Compares two values of one field.
pub fn diff(before: &Value, after: &Value) -> ValueDiff {
    match (before, after) {
        (Value::Steps(a), Value::Steps(b)) => ValueDiff::Steps { steps: steps::diff_steps(a, b) },
        (Value::Empty, Value::Steps(b)) => ValueDiff::Steps { steps: steps::diff_steps(&[], b) },
        (Value::Steps(a), Value::Empty) => ValueDiff::Steps { steps: steps::diff_steps(a, &[]) },
        (Value::Empty, Value::Empty) => ValueDiff::Text { pieces: Vec::new() },
        _ => match (as_document(before), as_document(after)) {
            (Some(a), Some(b)) => ValueDiff::Rich { lines: diff_documents(&a, &b) },
            _ => ValueDiff::Text { pieces: diff_text(&before.display(), &after.display()) },
        },
    }
}

/// The value as a document, if it is laid out as one; nothing at all is an empty one.
fn as_document(value: &Value) -> Option<Cow<'_, Document>> {
    match value {
        Value::RichText(document) => Some(Cow::Borrowed(document)),
        Value::Comments(list) => Some(Cow::Owned(said::comments(list))),
        Value::History(list) => Some(Cow::Owned(said::history(list))),
        Value::Table(rows) => Some(Cow::Owned(table(rows))),
        Value::Empty => Some(Cow::Owned(Document::default())),
        _ => None,
    }
}

/// A table of values as a document: its first row is the column names.
fn table(rows: &[Vec<String>]) -> Document {
    let cell = |text: &String| vec![Block::Paragraph { content: vec![Inline::Text { text: text.clone() }] }];
    let rows = rows.iter().map(|row| row.iter().map(cell).collect()).collect();
    Document { blocks: vec![Block::Table { header: true, rows }] }
}
