//! Comments and history as documents, so that they are compared and shown as rich text is.

use crate::model::{Block, Comment, Document, HistoryEntry, Inline};

/// Per comment a line that says who and when, and then its body.
pub fn comments(list: &[Comment]) -> Document {
    let blocks = list.iter().flat_map(|comment| {
        std::iter::once(Block::Heading { level: 6, content: vec![Inline::text(comment.stamp.display())] })
            .chain(comment.body.blocks.iter().cloned())
    });
    Document { blocks: blocks.collect() }
}

/// Per entry one line: when, who, which field, from what to what.
pub fn history(list: &[HistoryEntry]) -> Document {
    let blocks = list.iter().map(|entry| {
        let what = format!(" {}: {} → {}", entry.field, entry.before, entry.after);
        Block::Paragraph {
            content: vec![Inline::Strong { content: vec![Inline::text(entry.stamp.display())] }, Inline::text(what)],
        }
    });
    Document { blocks: blocks.collect() }
}
