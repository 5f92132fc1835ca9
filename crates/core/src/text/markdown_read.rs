//! Markdown to documents: CommonMark 0.31 with GitHub Flavored tables and strikethrough, by comrak.
//!
//! Raw HTML inside Markdown is kept as text, since a page that shows Markdown safely shows it so. An
//! attachment is an image or link whose address begins `attachment:`.

use comrak::nodes::{AstNode, ListType, NodeValue};
use comrak::{Arena, Options, parse_document};

use super::TextLoss;
use crate::loss::{LossCause, LossKind};
use crate::model::{Block, Document, Inline};

pub fn read(text: &str) -> (Document, Vec<TextLoss>) {
    let arena = Arena::new();
    let mut options = Options::default();
    options.extension.table = true;
    options.extension.strikethrough = true;
    let root = parse_document(&arena, text, &options);
    (Document { blocks: blocks(root) }.normal(), notes(root))
}

/// What stands beside links, pictures and code, and has no place in the document.
fn notes<'a>(root: &'a AstNode<'a>) -> Vec<TextLoss> {
    let mut out = Vec::new();
    for node in root.descendants() {
        let label = || crate::model::plain_inlines(&inlines(node));
        let (element, about) = match &node.data.borrow().value {
            NodeValue::Link(link) | NodeValue::Image(link) if !link.title.trim().is_empty() => {
                ("note beside the text", format!("{} ({})", label(), link.title))
            }
            NodeValue::Link(link) if link.url.starts_with('#') => {
                ("link to a place in the text", format!("{} ({})", label(), link.url))
            }
            NodeValue::CodeBlock(code) if code.info.split_whitespace().nth(1).is_some() => {
                ("note beside code", code.info.trim().to_owned())
            }
            _ => continue,
        };
        let cause = LossCause::NoSuchMarkup { element: element.to_owned() };
        let stays = element == "link to a place in the text";
        let kind = if stays { LossKind::Flattened } else { LossKind::Dropped };
        out.push(TextLoss { kind, cause, about });
    }
    out.dedup();
    out
}

fn blocks<'a>(parent: &'a AstNode<'a>) -> Vec<Block> {
    let mut out = Vec::new();
    for node in parent.children() {
        match &node.data.borrow().value {
            NodeValue::Paragraph => out.push(Block::Paragraph { content: inlines(node) }),
            NodeValue::Heading(h) => out.push(Block::Heading { level: h.level, content: inlines(node) }),
            NodeValue::List(list) => {
                let start = (list.list_type == ListType::Ordered).then_some(list.start as u32);
                out.push(Block::List { start, items: node.children().map(blocks).collect() });
            }
            NodeValue::Table(_) => {
                let mut rows: Vec<Vec<Vec<Block>>> = node
                    .children()
                    .map(|row| row.children().map(|cell| vec![Block::Paragraph { content: inlines(cell) }]).collect())
                    .collect();
                // Tables must have a header row (GFM §4.10); an empty one stands for none.
                let blank = |cell: &Vec<Block>| Document { blocks: cell.clone() }.normal().blocks.is_empty();
                let header = rows.first().is_some_and(|r| !r.iter().all(blank));
                if !header && !rows.is_empty() {
                    rows.remove(0);
                }
                out.push(Block::Table { header, rows });
            }
            NodeValue::CodeBlock(code) => {
                let language = code.info.split_whitespace().next().map(str::to_owned);
                out.push(Block::Code { language, text: code.literal.clone() });
            }
            NodeValue::HtmlBlock(html) => {
                out.push(Block::Paragraph { content: vec![Inline::text(html.literal.clone())] });
            }
            NodeValue::BlockQuote => out.push(Block::Quote { blocks: blocks(node) }),
            NodeValue::ThematicBreak => out.push(Block::Rule),
            _ => out.extend(blocks(node)),
        }
    }
    out
}

fn inlines<'a>(parent: &'a AstNode<'a>) -> Vec<Inline> {
    let mut out = Vec::new();
    for node in parent.children() {
        let inline = match &node.data.borrow().value {
            NodeValue::Text(text) => Inline::text(text.to_string()),
            NodeValue::Code(code) => Inline::Code { text: code.literal.clone() },
            NodeValue::HtmlInline(html) => Inline::text(html.clone()),
            NodeValue::SoftBreak => Inline::text(" "),
            NodeValue::LineBreak => Inline::LineBreak,
            NodeValue::Strong => Inline::Strong { content: inlines(node) },
            NodeValue::Emph => Inline::Emphasis { content: inlines(node) },
            NodeValue::Strikethrough => Inline::Strike { content: inlines(node) },
            NodeValue::Link(link) => {
                special(&link.url).unwrap_or_else(|| Inline::Link { url: link.url.clone(), content: inlines(node) })
            }
            NodeValue::Image(image) => {
                let source = image.url.strip_prefix("attachment:").map_or_else(|| image.url.clone(), decode);
                Inline::Image { source, alt: crate::model::plain_inlines(&inlines(node)) }
            }
            _ => {
                out.extend(inlines(node));
                continue;
            }
        };
        let inline = match inline {
            Inline::Mention { id, pending, .. } => {
                let label = crate::model::plain_inlines(&inlines(node));
                Inline::Mention { id, label, pending }
            }
            other => other,
        };
        out.push(inline);
    }
    out
}

/// Mentions and parameters travel as links with addresses of their own.
fn special(url: &str) -> Option<Inline> {
    if let Some(id) = url.strip_prefix("item:") {
        return Some(Inline::Mention { id: decode(id), label: String::new(), pending: None });
    }
    url.strip_prefix("parameter:").map(|name| Inline::Parameter { name: decode(name) })
}

/// Undoes the percent encoding that the writer uses for names in addresses (RFC 3986 §2.1).
fn decode(text: &str) -> String {
    let bytes = text.as_bytes();
    let mut out = Vec::with_capacity(bytes.len());
    let mut at = 0;
    while at < bytes.len() {
        let hex = |b: u8| char::from(b).to_digit(16);
        match (bytes[at], bytes.get(at + 1).copied().and_then(hex), bytes.get(at + 2).copied().and_then(hex)) {
            (b'%', Some(high), Some(low)) => {
                out.push((high * 16 + low) as u8);
                at += 3;
            }
            (other, _, _) => {
                out.push(other);
                at += 1;
            }
        }
    }
    String::from_utf8(out).unwrap_or_else(|_| text.to_owned())
}
