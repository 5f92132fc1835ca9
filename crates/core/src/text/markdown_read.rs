//! Markdown to documents: CommonMark 0.31 with GitHub Flavored tables and strikethrough, by comrak.
//!
//! Raw HTML inside Markdown is kept as text, since a page that shows Markdown safely shows it so. An
//! attachment is an image or link whose address begins `attachment:`.

use comrak::nodes::{AstNode, ListType, NodeValue};
use comrak::{Arena, Options, parse_document};

use super::TextLoss;
use super::bounded::too_deep;
use crate::bounds::{DEEPEST_MARKUP, LONGEST_LOSS, MOST_LOSSES};
use crate::loss::{LossCause, LossKind};
use crate::model::{Block, Document, Inline, plain_inlines};

fn options() -> Options<'static> {
    let mut options = Options::default();
    options.extension.table = true;
    options.extension.strikethrough = true;
    options
}

/// The lines, from 0, at which the outermost blocks begin.
pub fn first_lines(text: &str) -> Vec<usize> {
    let arena = Arena::new();
    let root = parse_document(&arena, text, &options());
    root.children().map(|node| node.data.borrow().sourcepos.start.line.saturating_sub(1)).collect()
}

pub fn read(text: &str) -> (Document, Vec<TextLoss>) {
    let arena = Arena::new();
    let root = parse_document(&arena, text, &options());
    let mut losses = notes(root);
    (Document { blocks: blocks(root, 0, &mut losses) }.normal(), losses)
}

/// What stands beside links, pictures and code, and has no place in the document.
fn notes<'a>(root: &'a AstNode<'a>) -> Vec<TextLoss> {
    let mut out = Vec::new();
    for node in root.descendants() {
        // Of more than are told, only the number is.
        let label = || if out.len() < MOST_LOSSES { words(node, LONGEST_LOSS) } else { String::new() };
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

/// The words of a node and of what stands in it, in their order, and no more than so many bytes of them. Goes through
/// the nodes one after the other, however deep they stand.
fn words<'a>(node: &'a AstNode<'a>, bytes: usize) -> String {
    let mut out = String::new();
    for inner in node.descendants().take(bytes) {
        match &inner.data.borrow().value {
            NodeValue::Text(text) => out.push_str(text),
            NodeValue::Code(code) => out.push_str(&code.literal),
            NodeValue::CodeBlock(code) => out.push_str(&code.literal),
            NodeValue::HtmlInline(html) => out.push_str(html),
            NodeValue::HtmlBlock(html) => out.push_str(&html.literal),
            NodeValue::SoftBreak | NodeValue::LineBreak => out.push(' '),
            NodeValue::Paragraph | NodeValue::Heading(_) | NodeValue::TableCell | NodeValue::Item(_) => out.push(' '),
            _ => {}
        }
        if out.len() > bytes {
            break;
        }
    }
    out.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// What stands in a node; what stands too deep in others is text.
fn blocks<'a>(parent: &'a AstNode<'a>, depth: usize, losses: &mut Vec<TextLoss>) -> Vec<Block> {
    if depth >= DEEPEST_MARKUP {
        let text = words(parent, usize::MAX);
        losses.push(too_deep(&text));
        return Document::from_text(&text).blocks;
    }
    let depth = depth + 1;
    let mut out = Vec::new();
    for node in parent.children() {
        match &node.data.borrow().value {
            NodeValue::Paragraph => out.push(Block::Paragraph { content: inlines(node, depth, losses) }),
            NodeValue::Heading(h) => {
                out.push(Block::Heading { level: h.level, content: inlines(node, depth, losses) });
            }
            NodeValue::List(list) => {
                let start = (list.list_type == ListType::Ordered).then_some(list.start as u32);
                let items = node.children().map(|item| blocks(item, depth, losses)).collect();
                out.push(Block::List { start, items });
            }
            NodeValue::Table(_) => {
                let mut cell = |cell: &'a AstNode<'a>| vec![Block::Paragraph { content: inlines(cell, depth, losses) }];
                let mut rows: Vec<Vec<Vec<Block>>> =
                    node.children().map(|row| row.children().map(&mut cell).collect()).collect();
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
            NodeValue::BlockQuote => out.push(Block::Quote { blocks: blocks(node, depth, losses) }),
            NodeValue::ThematicBreak => out.push(Block::Rule),
            _ => out.extend(blocks(node, depth, losses)),
        }
    }
    out
}

fn inlines<'a>(parent: &'a AstNode<'a>, depth: usize, losses: &mut Vec<TextLoss>) -> Vec<Inline> {
    if depth >= DEEPEST_MARKUP {
        let text = words(parent, usize::MAX);
        losses.push(too_deep(&text));
        return vec![Inline::text(text)];
    }
    let depth = depth + 1;
    let mut out = Vec::new();
    for node in parent.children() {
        let inline = match &node.data.borrow().value {
            NodeValue::Text(text) => Inline::text(text.to_string()),
            NodeValue::Code(code) => Inline::Code { text: code.literal.clone() },
            NodeValue::HtmlInline(html) => Inline::text(html.clone()),
            NodeValue::SoftBreak => Inline::text(" "),
            NodeValue::LineBreak => Inline::LineBreak,
            NodeValue::Strong => Inline::Strong { content: inlines(node, depth, losses) },
            NodeValue::Emph => Inline::Emphasis { content: inlines(node, depth, losses) },
            NodeValue::Strikethrough => Inline::Strike { content: inlines(node, depth, losses) },
            NodeValue::Link(link) => match special(&link.url) {
                Some(own) => own,
                None => Inline::Link { url: link.url.clone(), content: inlines(node, depth, losses) },
            },
            NodeValue::Image(image) => {
                let source = image.url.strip_prefix("attachment:").map_or_else(|| image.url.clone(), decode);
                Inline::Image { source, alt: plain_inlines(&inlines(node, depth, losses)) }
            }
            _ => {
                out.extend(inlines(node, depth, losses));
                continue;
            }
        };
        let inline = match inline {
            Inline::Mention { id, pending, .. } => {
                let label = plain_inlines(&inlines(node, depth, losses));
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
