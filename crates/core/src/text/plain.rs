//! Plain text: paragraphs divided by empty lines, line breaks inside them, and, for systems that show
//! them so, addresses as links.

use linkify::{LinkFinder, LinkKind};

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

/// Plain text in which addresses are links.
pub fn read_links(text: &str) -> Document {
    let mut document = read(text);
    for block in &mut document.blocks {
        if let Block::Paragraph { content } = block {
            *content = content.iter().flat_map(linked).collect();
        }
    }
    document.normal()
}

/// A run of text divided at the addresses in it.
pub fn linked(inline: &Inline) -> Vec<Inline> {
    let Inline::Text { text } = inline else { return vec![inline.clone()] };
    let mut finder = LinkFinder::new();
    finder.kinds(&[LinkKind::Url]).url_must_have_scheme(true);
    let one = |span: linkify::Span<'_>| {
        let part = Inline::text(span.as_str());
        match span.kind() {
            Some(_) => Inline::Link { url: span.as_str().to_owned(), content: vec![part] },
            None => part,
        }
    };
    finder.spans(text).map(one).collect()
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
