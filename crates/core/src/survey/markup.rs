//! Which markup is in use: what rich texts hold beside plain paragraphs.

use std::collections::BTreeSet;

use crate::model::{Block, Document, Inline, Value};

/// The sorts of markup in a value, in words; each once.
pub(super) fn markup_of(value: &Value) -> BTreeSet<&'static str> {
    let mut out = BTreeSet::new();
    match value {
        Value::RichText(document) => document_markup(document, &mut out),
        Value::Steps(steps) => {
            for step in steps {
                for part in [&step.action, &step.expected, &step.data] {
                    document_markup(part, &mut out);
                }
            }
        }
        _ => {}
    }
    out
}

fn document_markup(document: &Document, out: &mut BTreeSet<&'static str>) {
    blocks(&document.blocks, out);
}

fn blocks(list: &[Block], out: &mut BTreeSet<&'static str>) {
    for block in list {
        match block {
            Block::Paragraph { content } => inlines(content, out),
            Block::Heading { content, .. } => {
                out.insert("headings");
                inlines(content, out);
            }
            Block::List { items, .. } => {
                out.insert("lists");
                items.iter().for_each(|item| blocks(item, out));
            }
            Block::Table { rows, .. } => {
                out.insert("tables");
                rows.iter().flatten().for_each(|cell| blocks(cell, out));
            }
            Block::Code { .. } => _ = out.insert("code"),
            Block::Quote { blocks: inner } => {
                out.insert("quotes");
                blocks(inner, out);
            }
            Block::Rule => _ = out.insert("rules"),
        }
    }
}

fn inlines(list: &[Inline], out: &mut BTreeSet<&'static str>) {
    for inline in list {
        let (word, content) = match inline {
            Inline::Text { .. } | Inline::LineBreak => continue,
            Inline::Strong { content } => ("strong text", content.as_slice()),
            Inline::Emphasis { content } => ("emphasis", content.as_slice()),
            Inline::Strike { content } => ("struck text", content.as_slice()),
            Inline::Subscript { content } => ("subscript", content.as_slice()),
            Inline::Superscript { content } => ("superscript", content.as_slice()),
            Inline::Code { .. } => ("code", &[][..]),
            Inline::Link { content, .. } => ("links", content.as_slice()),
            Inline::Image { .. } => ("pictures", &[][..]),
            Inline::Mention { .. } => ("mentions", &[][..]),
            Inline::Parameter { .. } => ("parameters", &[][..]),
        };
        out.insert(word);
        inlines(content, out);
    }
}
