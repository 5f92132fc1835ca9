//! Making a document simple enough for a format, one declared loss at a time.
//!
//! Each step removes one sort of thing that a format can't hold, in the order in which readers would
//! miss them least. [`super::carry`] decides how many steps a block needs.

use super::{TextFormat, TextLoss};
use crate::loss::{LossCause, LossKind};
use crate::model::{Block, Document, Inline, plain_inlines};

/// What a format has no element for. Markdown: CommonMark 0.31 has no sub- or superscript.
pub fn unsupported(blocks: &[Block], format: TextFormat, losses: &mut Vec<TextLoss>) -> Vec<Block> {
    match format {
        TextFormat::Html => blocks.to_vec(),
        TextFormat::Xhtml => blocks.iter().map(|b| xhtml_block(b, losses)).collect(),
        TextFormat::Markdown => blocks.iter().map(|b| markdown_block(b, losses)).collect(),
        TextFormat::Plain => plain_blocks(blocks, false, losses),
        TextFormat::PlainLinks => plain_blocks(blocks, true, losses),
    }
}

/// ReqIF takes no list that begins elsewhere than at 1, which is an attribute of HTML 4 only.
fn xhtml_block(b: &Block, losses: &mut Vec<TextLoss>) -> Block {
    let mut all = |list: &[Block]| -> Vec<Block> { list.iter().map(|b| xhtml_block(b, losses)).collect() };
    match b {
        Block::List { start, items } => {
            let items = items.iter().map(|i| all(i)).collect();
            if start.is_some_and(|n| n != 1) {
                let cause = LossCause::NoSuchMarkup { element: "number that a list begins with".into() };
                let about = Document { blocks: vec![b.clone()] }.plain();
                losses.push(TextLoss { kind: LossKind::Substituted, cause, about });
            }
            Block::List { start: start.map(|_| 1), items }
        }
        Block::Quote { blocks } => Block::Quote { blocks: all(blocks) },
        Block::Table { header, rows } => {
            Block::Table { header: *header, rows: rows.iter().map(|r| r.iter().map(|c| all(c)).collect()).collect() }
        }
        other => other.clone(),
    }
}

fn markdown_block(b: &Block, losses: &mut Vec<TextLoss>) -> Block {
    let mut inline = |content: &[Inline]| {
        strip(content, losses, &|i| match i {
            Inline::Subscript { .. } => Some("subscript"),
            Inline::Superscript { .. } => Some("superscript"),
            _ => None,
        })
    };
    match b {
        Block::Paragraph { content } => Block::Paragraph { content: inline(content) },
        Block::Heading { level, content } => {
            let content = inline(content);
            Block::Heading { level: *level, content: one_line(content, "heading", losses) }
        }
        Block::List { start, items } => Block::List {
            start: *start,
            items: items.iter().map(|i| i.iter().map(|b| markdown_block(b, losses)).collect()).collect(),
        },
        Block::Quote { blocks } => Block::Quote { blocks: blocks.iter().map(|b| markdown_block(b, losses)).collect() },
        Block::Table { header, rows } => {
            let mut header = *header;
            let mut rows = rows.clone();
            for c in rows.iter_mut().flatten() {
                *c = table_cell(c, losses);
            }
            // A header row that is empty says nothing, and an empty one is how Markdown writes "none".
            if header && rows.first().is_some_and(|r| r.iter().all(Vec::is_empty)) {
                header = false;
                rows.remove(0);
            }
            Block::Table { header, rows }
        }
        other => other.clone(),
    }
}

/// A GFM table cell holds inlines on one line (GFM §4.10).
fn table_cell(cell: &[Block], losses: &mut Vec<TextLoss>) -> Vec<Block> {
    let content = match cell {
        [] => return Vec::new(),
        [Block::Paragraph { content }] => content.clone(),
        several => {
            let mut content = Vec::new();
            for b in several {
                let element = match b {
                    Block::Table { .. } => "table",
                    Block::List { .. } => "list",
                    Block::Code { .. } => "code block",
                    Block::Heading { .. } => "heading",
                    Block::Quote { .. } => "quotation",
                    Block::Rule => "rule",
                    Block::Paragraph { .. } => "second paragraph",
                };
                let text = Document { blocks: vec![b.clone()] }.plain();
                if element != "second paragraph" || !content.is_empty() {
                    losses.push(TextLoss {
                        kind: LossKind::Flattened,
                        cause: LossCause::NotHere { element: element.into(), inside: "table cell".into() },
                        about: text.clone(),
                    });
                }
                if !content.is_empty() {
                    content.push(Inline::text(" "));
                }
                match b {
                    Block::Paragraph { content: c } => content.extend(c.iter().cloned()),
                    _ => content.push(Inline::text(text)),
                }
            }
            content
        }
    };
    let content = strip(&content, losses, &|i| match i {
        Inline::Subscript { .. } => Some("subscript"),
        Inline::Superscript { .. } => Some("superscript"),
        _ => None,
    });
    vec![Block::Paragraph { content: one_line(content, "table cell", losses) }]
}

fn one_line(content: Vec<Inline>, inside: &str, losses: &mut Vec<TextLoss>) -> Vec<Inline> {
    if !has_break(&content) {
        return content;
    }
    losses.push(TextLoss {
        kind: LossKind::Flattened,
        cause: LossCause::NotHere { element: "line break".into(), inside: inside.into() },
        about: plain_inlines(&content),
    });
    without_breaks(&content)
}

fn has_break(list: &[Inline]) -> bool {
    list.iter().any(|i| matches!(i, Inline::LineBreak) || i.content().is_some_and(has_break))
}

fn without_breaks(list: &[Inline]) -> Vec<Inline> {
    list.iter()
        .map(|i| match (i, i.content()) {
            (Inline::LineBreak, _) => Inline::text(" "),
            (_, Some(content)) => i.with_content(without_breaks(content)),
            _ => i.clone(),
        })
        .collect()
}

/// Replaces the wrappers that `lost` names by their content.
fn strip(list: &[Inline], losses: &mut Vec<TextLoss>, lost: &impl Fn(&Inline) -> Option<&'static str>) -> Vec<Inline> {
    let mut out = Vec::new();
    for i in list {
        let Some(content) = i.content() else {
            out.push(i.clone());
            continue;
        };
        let inner = strip(content, losses, lost);
        match lost(i) {
            Some(element) => {
                losses.push(TextLoss {
                    kind: LossKind::Flattened,
                    cause: LossCause::NoSuchMarkup { element: element.into() },
                    about: plain_inlines(content),
                });
                out.extend(inner);
            }
            None => out.push(i.with_content(inner)),
        }
    }
    out
}

/// The block without strong, emphasised and struck text: the marks of these can't stand between
/// letters and punctuation in every order (CommonMark §6.2).
pub fn without_emphasis(b: &Block, losses: &mut Vec<TextLoss>) -> Block {
    let element = |i: &Inline| match i {
        Inline::Strong { .. } => Some("strong text in this place"),
        Inline::Emphasis { .. } => Some("emphasis in this place"),
        Inline::Strike { .. } => Some("struck text in this place"),
        _ => None,
    };
    map_inlines(b, &mut |content| strip(content, losses, &element))
}

/// The block as paragraphs of text without any markup.
pub fn to_text(b: &Block, losses: &mut Vec<TextLoss>) -> Vec<Block> {
    let text = Document { blocks: vec![b.clone()] }.plain();
    losses.push(TextLoss {
        kind: LossKind::Flattened,
        cause: LossCause::NoSuchMarkup { element: format!("{} like this one", name(b)) },
        about: text.clone(),
    });
    Document::from_text(&text).blocks
}

fn name(b: &Block) -> &'static str {
    match b {
        Block::Paragraph { .. } => "paragraph",
        Block::Heading { .. } => "heading",
        Block::List { .. } => "list",
        Block::Table { .. } => "table",
        Block::Code { .. } => "code block",
        Block::Quote { .. } => "quotation",
        Block::Rule => "rule",
    }
}

fn map_inlines(b: &Block, change: &mut impl FnMut(&[Inline]) -> Vec<Inline>) -> Block {
    match b {
        Block::Paragraph { content } => Block::Paragraph { content: change(content) },
        Block::Heading { level, content } => Block::Heading { level: *level, content: change(content) },
        Block::List { start, items } => Block::List {
            start: *start,
            items: items.iter().map(|i| i.iter().map(|b| map_inlines(b, change)).collect()).collect(),
        },
        Block::Table { header, rows } => Block::Table {
            header: *header,
            rows: rows
                .iter()
                .map(|r| r.iter().map(|c| c.iter().map(|b| map_inlines(b, change)).collect()).collect())
                .collect(),
        },
        Block::Quote { blocks } => Block::Quote { blocks: blocks.iter().map(|b| map_inlines(b, change)).collect() },
        other => other.clone(),
    }
}

fn plain_blocks(blocks: &[Block], links: bool, losses: &mut Vec<TextLoss>) -> Vec<Block> {
    let mut out = Vec::new();
    for b in blocks {
        match b {
            Block::Paragraph { content } => {
                let content = plain_content(content, links, losses);
                out.push(Block::Paragraph { content });
            }
            other => {
                let mut lines = Vec::new();
                lines_of(other, "", &mut lines);
                losses.push(TextLoss {
                    kind: LossKind::Flattened,
                    cause: LossCause::NoSuchMarkup { element: name(other).into() },
                    about: Document { blocks: vec![other.clone()] }.plain(),
                });
                let mut content = Vec::new();
                for (n, line) in lines.into_iter().filter(|l| !l.trim().is_empty()).enumerate() {
                    if n > 0 {
                        content.push(Inline::LineBreak);
                    }
                    content.push(Inline::text(line));
                }
                out.push(Block::Paragraph { content });
            }
        }
    }
    out
}

fn plain_content(list: &[Inline], links: bool, losses: &mut Vec<TextLoss>) -> Vec<Inline> {
    let mut out = Vec::new();
    let text_of = |text: String| match links {
        true => super::plain::linked(&Inline::text(text)),
        false => vec![Inline::text(text)],
    };
    for i in list {
        let text = match i {
            Inline::LineBreak => {
                out.push(i.clone());
                continue;
            }
            Inline::Text { text } => {
                out.extend(text_of(text.clone()));
                continue;
            }
            Inline::Link { url, content } if links && plain_inlines(content) == *url => {
                out.push(i.clone());
                continue;
            }
            Inline::Link { url, content } if plain_inlines(content) != *url => {
                format!("{} {url}", plain_inlines(content))
            }
            other => plain_inlines(std::slice::from_ref(other)),
        };
        let markup = LossCause::NoSuchMarkup { element: "markup".into() };
        losses.push(TextLoss { kind: LossKind::Flattened, cause: markup, about: text.clone() });
        match i {
            // What is in a wrapper keeps its lines; its own loss stands for those inside it.
            Inline::Link { url, content } => {
                out.extend(plain_content(content, links, &mut Vec::new()));
                if plain_inlines(content) != *url {
                    out.extend(text_of(format!(" {url}")));
                }
            }
            wrapper if wrapper.content().is_some() => {
                out.extend(plain_content(wrapper.content().unwrap_or_default(), links, &mut Vec::new()));
            }
            _ => out.extend(text_of(text)),
        }
    }
    out
}

fn lines_of(b: &Block, indent: &str, lines: &mut Vec<String>) {
    match b {
        Block::List { start, items } => {
            for (n, item) in items.iter().enumerate() {
                let mut inner = Vec::new();
                item.iter().for_each(|b| lines_of(b, "", &mut inner));
                let marker = start.map_or("•".to_owned(), |s| format!("{}.", s + n as u32));
                for (k, line) in inner.into_iter().enumerate() {
                    lines.push(if k == 0 { format!("{indent}{marker} {line}") } else { format!("{indent}{line}") });
                }
            }
        }
        Block::Table { rows, .. } => {
            for row in rows {
                let cells: Vec<String> = row.iter().map(|c| Document { blocks: c.clone() }.plain()).collect();
                lines.push(format!("{indent}{}", cells.join(" | ")));
            }
        }
        Block::Code { text, .. } => lines.extend(text.lines().map(|l| format!("{indent}{l}"))),
        Block::Quote { blocks } => blocks.iter().for_each(|b| lines_of(b, indent, lines)),
        Block::Rule => lines.push(format!("{indent}—")),
        Block::Paragraph { content } | Block::Heading { content, .. } => {
            lines.push(format!("{indent}{}", plain_inlines(content)));
        }
    }
}
