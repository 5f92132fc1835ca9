//! HTML to documents, by the WHATWG parsing rules (html5ever), made for text out of word processors.
//!
//! Layout (fonts, sizes, margins, classes) is not content and is passed over. Underline and colour can
//! be content (“the red value”), so they are declared as lost. Scripts and styles are never text.

use ego_tree::NodeRef;
use scraper::{Html, Node};

use super::TextLoss;
use crate::loss::{LossCause, LossKind};
use crate::model::{Block, Document, Inline, plain_inlines};

/// Elements deeper than this are read as text: nesting like that comes from broken exports, and the
/// reader must not run out of stack.
const DEEPEST: usize = 60;

pub fn read(html: &str) -> (Document, Vec<TextLoss>) {
    let page = Html::parse_fragment(html);
    let mut reader = Reader { losses: Vec::new() };
    let mut flow = Flow::default();
    // The fragment's root is an `html` element that holds what was given.
    reader.flow(page.tree.root(), &mut flow, 0);
    let document = Document { blocks: flow.finish() }.normal();
    reader.losses.dedup();
    (document, reader.losses)
}

/// Blocks so far, and the inlines of the paragraph that is open.
#[derive(Default)]
struct Flow {
    blocks: Vec<Block>,
    open: Vec<Inline>,
}

impl Flow {
    fn close(&mut self) {
        if !self.open.is_empty() {
            let content = std::mem::take(&mut self.open);
            self.blocks.push(Block::Paragraph { content });
        }
    }

    fn finish(mut self) -> Vec<Block> {
        self.close();
        self.blocks
    }
}

struct Reader {
    losses: Vec<TextLoss>,
}

impl Reader {
    fn flow(&mut self, parent: NodeRef<'_, Node>, flow: &mut Flow, depth: usize) {
        for node in parent.children() {
            match node.value() {
                Node::Text(text) => flow.open.push(Inline::text(&**text)),
                Node::Element(element) if depth < DEEPEST => {
                    let name = element.name();
                    match name {
                        "script" | "style" | "head" | "title" | "meta" | "link" | "template" => {}
                        "p" | "div" | "section" | "article" | "header" | "footer" | "main" | "address" | "dl"
                        | "dt" | "dd" | "figure" | "figcaption" | "center" | "fieldset" | "form" => {
                            flow.close();
                            self.note_style(node);
                            self.flow(node, flow, depth + 1);
                            flow.close();
                        }
                        "h1" | "h2" | "h3" | "h4" | "h5" | "h6" => {
                            flow.close();
                            self.note_style(node);
                            let content = self.inlines(node, depth + 1);
                            let level = name.as_bytes()[1] - b'0';
                            flow.blocks.push(Block::Heading { level, content });
                        }
                        "ul" | "ol" | "menu" => {
                            flow.close();
                            let start =
                                (name == "ol").then(|| element.attr("start").and_then(|s| s.parse().ok()).unwrap_or(1));
                            let items = self.items(node, depth + 1);
                            flow.blocks.push(Block::List { start, items });
                        }
                        "table" => {
                            flow.close();
                            let table = self.table(node, depth + 1);
                            flow.blocks.push(table);
                        }
                        "pre" => {
                            flow.close();
                            let language = node.descendants().find_map(|d| {
                                d.value().as_element()?.attr("class")?.strip_prefix("language-").map(str::to_owned)
                            });
                            flow.blocks.push(Block::Code { language, text: raw_text(node) });
                        }
                        "blockquote" => {
                            flow.close();
                            let mut inner = Flow::default();
                            self.flow(node, &mut inner, depth + 1);
                            flow.blocks.push(Block::Quote { blocks: inner.finish() });
                        }
                        "hr" => {
                            flow.close();
                            flow.blocks.push(Block::Rule);
                        }
                        // Elements that hold flow content but are no blocks of their own.
                        "html" | "body" | "span" | "font" | "o:p" if holds_blocks(node) => {
                            self.flow(node, flow, depth + 1);
                        }
                        _ => {
                            let inline = self.inline(node, depth + 1);
                            flow.open.extend(inline);
                        }
                    }
                }
                Node::Element(_) => flow.open.push(Inline::text(raw_text(node))),
                Node::Fragment | Node::Document => self.flow(node, flow, depth + 1),
                _ => {}
            }
        }
    }

    fn items(&mut self, list: NodeRef<'_, Node>, depth: usize) -> Vec<Vec<Block>> {
        let mut items: Vec<Vec<Block>> = Vec::new();
        for child in list.children() {
            match child.value().as_element().map(|e| e.name()) {
                Some("li") => {
                    let mut inner = Flow::default();
                    self.flow(child, &mut inner, depth + 1);
                    items.push(inner.finish());
                }
                // Word processors put nested lists beside the item they belong to.
                Some("ul" | "ol") => {
                    let start = (child.value().as_element().is_some_and(|e| e.name() == "ol")).then_some(1);
                    let nested = Block::List { start, items: self.items(child, depth + 1) };
                    match items.last_mut() {
                        Some(last) => last.push(nested),
                        None => items.push(vec![nested]),
                    }
                }
                _ => {
                    let mut inner = Flow::default();
                    match child.value() {
                        Node::Text(text) => inner.open.push(Inline::text(&**text)),
                        Node::Element(_) => self.flow(child, &mut inner, depth + 1),
                        _ => {}
                    }
                    items.push(inner.finish());
                }
            }
        }
        items
    }

    fn table(&mut self, table: NodeRef<'_, Node>, depth: usize) -> Block {
        let mut rows = Vec::new();
        let mut header = false;
        self.rows(table, &mut rows, &mut header, depth);
        Block::Table { header, rows }
    }

    fn rows(&mut self, part: NodeRef<'_, Node>, rows: &mut Vec<Vec<Vec<Block>>>, header: &mut bool, depth: usize) {
        for child in part.children() {
            let Some(element) = child.value().as_element() else { continue };
            match element.name() {
                "thead" | "tbody" | "tfoot" if depth < DEEPEST => self.rows(child, rows, header, depth + 1),
                "tr" => {
                    let mut row = Vec::new();
                    let mut headings = true;
                    for cell in child.children() {
                        let Some(e) = cell.value().as_element() else { continue };
                        if !matches!(e.name(), "td" | "th") {
                            continue;
                        }
                        headings &= e.name() == "th";
                        let mut inner = Flow::default();
                        self.flow(cell, &mut inner, depth + 1);
                        row.push(inner.finish());
                        // A cell over several columns keeps the columns after it in line.
                        let span: usize = e.attr("colspan").and_then(|s| s.parse().ok()).unwrap_or(1);
                        row.extend((1..span.min(100)).map(|_| Vec::new()));
                    }
                    *header |= rows.is_empty() && headings && !row.is_empty();
                    rows.push(row);
                }
                _ => {}
            }
        }
    }

    fn inlines(&mut self, parent: NodeRef<'_, Node>, depth: usize) -> Vec<Inline> {
        let mut out = Vec::new();
        for node in parent.children() {
            match node.value() {
                Node::Text(text) => out.push(Inline::text(&**text)),
                Node::Element(_) if depth < DEEPEST => out.extend(self.inline(node, depth + 1)),
                Node::Element(_) => out.push(Inline::text(raw_text(node))),
                _ => {}
            }
        }
        out
    }

    fn inline(&mut self, node: NodeRef<'_, Node>, depth: usize) -> Vec<Inline> {
        let Some(element) = node.value().as_element() else { return Vec::new() };
        let attr = |name: &str| element.attr(name).unwrap_or_default().to_owned();
        let named = || if element.name() == "span" { attr("title") } else { attr("value") };
        match element.name() {
            "br" => return vec![Inline::LineBreak],
            "img" => return vec![Inline::Image { source: attr("src"), alt: attr("alt") }],
            "code" | "tt" | "kbd" | "samp" => return vec![Inline::Code { text: raw_text(node) }],
            "script" | "style" | "template" => return Vec::new(),
            "object" => return vec![Inline::Image { source: attr("data"), alt: raw_text(node) }],
            "data" | "span" if attr("class") == "mention" => {
                return vec![Inline::Mention { id: named(), label: raw_text(node), pending: None }];
            }
            "data" | "span" if attr("class") == "parameter" => return vec![Inline::Parameter { name: named() }],
            _ => {}
        }
        self.note_style(node);
        let content = self.inlines(node, depth);
        match element.name() {
            "b" | "strong" => vec![Inline::Strong { content }],
            "i" | "em" | "cite" | "var" | "dfn" => vec![Inline::Emphasis { content }],
            "s" | "strike" | "del" => vec![Inline::Strike { content }],
            "sub" => vec![Inline::Subscript { content }],
            "sup" => vec![Inline::Superscript { content }],
            "a" if element.attr("href").is_some() => vec![Inline::Link { url: attr("href"), content }],
            "u" | "ins" => {
                self.lose("underline", &content);
                content
            }
            _ => content,
        }
    }

    /// Colour set by style or by a font element.
    fn note_style(&mut self, node: NodeRef<'_, Node>) {
        let Some(element) = node.value().as_element() else { return };
        let style = element.attr("style").unwrap_or_default().to_ascii_lowercase();
        let properties = style.split(';').filter_map(|p| p.split_once(':'));
        let mut lost: Vec<&str> = Vec::new();
        for (name, value) in properties {
            let value = value.trim();
            match name.trim() {
                // Black on white is how a word processor says "no colour".
                "color" if !matches!(value, "black" | "windowtext" | "#000" | "#000000" | "inherit") => {
                    lost.push("colour")
                }
                "background" | "background-color"
                    if !matches!(value, "white" | "#fff" | "#ffffff" | "transparent" | "none") =>
                {
                    lost.push("colour");
                }
                "text-decoration" if value.contains("underline") => lost.push("underline"),
                _ => {}
            }
        }
        if element.name() == "font" && element.attr("color").is_some() {
            lost.push("colour");
        }
        if !lost.is_empty() {
            let about = vec![Inline::text(raw_text(node))];
            lost.dedup();
            lost.into_iter().for_each(|what| self.lose(what, &about));
        }
    }

    fn lose(&mut self, element: &str, about: &[Inline]) {
        let about = plain_inlines(about).split_whitespace().collect::<Vec<_>>().join(" ");
        if !about.is_empty() {
            let cause = LossCause::NoSuchMarkup { element: element.to_owned() };
            self.losses.push(TextLoss { kind: LossKind::Dropped, cause, about });
        }
    }
}

fn raw_text(node: NodeRef<'_, Node>) -> String {
    node.descendants().filter_map(|d| d.value().as_text().map(|t| t.to_string())).collect()
}

fn holds_blocks(node: NodeRef<'_, Node>) -> bool {
    node.value().as_element().is_some_and(|e| matches!(e.name(), "html" | "body"))
        || node.descendants().skip(1).any(|d| {
            d.value().as_element().is_some_and(|e| {
                matches!(
                    e.name(),
                    "p" | "div" | "ul" | "ol" | "table" | "pre" | "blockquote" | "hr" | "h1" | "h2" | "h3" | "h4"
                )
            })
        })
}
