//! Plain text: paragraphs divided by empty lines, line breaks inside them.

use crate::model::{Block, Document, Inline, plain_inlines};

pub fn read(text: &str) -> Document {
    let text = text.replace("\r\n", "\n").replace('\r', "\n");
    let mut blocks = Vec::new();
    let mut lines: Vec<&str> = Vec::new();
    for line in text.split('\n').chain([""]) {
        if !line.trim().is_empty() {
            lines.push(line);
        } else if !lines.is_empty() {
            let mut content = Vec::new();
            for (n, line) in lines.drain(..).enumerate() {
                if n > 0 {
                    content.push(Inline::LineBreak);
                }
                content.push(Inline::text(line));
            }
            blocks.push(Block::Paragraph { content });
        }
    }
    Document { blocks }.normal()
}

/// Paragraphs only; [`super::simplify`] has made everything else into paragraphs before.
pub fn write(document: &Document) -> String {
    let paragraphs: Vec<String> = document
        .blocks
        .iter()
        .map(|b| match b {
            Block::Paragraph { content } => line(content),
            other => Document { blocks: vec![other.clone()] }.plain(),
        })
        .collect();
    paragraphs.join("\n\n")
}

fn line(content: &[Inline]) -> String {
    content
        .iter()
        .map(|i| match i {
            Inline::LineBreak => "\n".to_owned(),
            other => plain_inlines(std::slice::from_ref(other)),
        })
        .collect()
}
