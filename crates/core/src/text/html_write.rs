//! Documents to HTML: a small, clean subset that every reader of HTML understands.
//!
//! Mentions and parameters, which HTML has no element for, are `data` elements with a class, in XHTML
//! `span` elements with a title, so they come back as what they are.

use crate::model::{Block, Document, Inline};

/// Which HTML is written.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Dialect {
    Html,
    /// The modules of XHTML 1.1 that ReqIF 1.2 §10.8.20 takes (text, hypertext, list, edit, presentation,
    /// table, object): no `img`, no `s`, no `data`; well-formed XML in one `div`.
    Xhtml,
}

pub fn write(document: &Document, dialect: Dialect) -> String {
    let mut writer = Writer { dialect, out: String::new() };
    match dialect {
        Dialect::Html => writer.blocks(&document.blocks),
        Dialect::Xhtml if document.blocks.is_empty() => {}
        Dialect::Xhtml => {
            writer.out.push_str("<div xmlns=\"http://www.w3.org/1999/xhtml\">");
            writer.blocks(&document.blocks);
            writer.out.push_str("</div>");
        }
    }
    writer.out
}

struct Writer {
    dialect: Dialect,
    out: String,
}

impl Writer {
    fn blocks(&mut self, list: &[Block]) {
        for b in list {
            match b {
                Block::Paragraph { content } => self.wrap("p", |w| w.inlines(content)),
                Block::Heading { level, content } => self.wrap(&format!("h{level}"), |w| w.inlines(content)),
                Block::List { start, items } => {
                    let tag = if start.is_some() { "ol" } else { "ul" };
                    match start {
                        Some(n) if *n != 1 => self.out.push_str(&format!("<ol start=\"{n}\">")),
                        _ => self.out.push_str(&format!("<{tag}>")),
                    }
                    items.iter().for_each(|item| self.wrap("li", |w| w.blocks(item)));
                    self.out.push_str(&format!("</{tag}>"));
                }
                Block::Table { header, rows } => self.wrap("table", |w| {
                    for (n, row) in rows.iter().enumerate() {
                        let cell = if *header && n == 0 { "th" } else { "td" };
                        w.wrap("tr", |w| row.iter().for_each(|c| w.wrap(cell, |w| w.blocks(c))));
                    }
                }),
                Block::Code { language, text } => {
                    match language {
                        Some(l) => {
                            let class = self.escape(l);
                            self.out.push_str(&format!("<pre><code class=\"language-{class}\">"));
                        }
                        None => self.out.push_str("<pre><code>"),
                    }
                    self.text(text);
                    self.out.push_str("</code></pre>");
                }
                Block::Quote { blocks } => self.wrap("blockquote", |w| w.blocks(blocks)),
                Block::Rule => self.void("hr"),
            }
        }
    }

    fn inlines(&mut self, list: &[Inline]) {
        for i in list {
            match i {
                Inline::Text { text } => self.text(text),
                Inline::Strong { content } => self.wrap("strong", |w| w.inlines(content)),
                Inline::Emphasis { content } => self.wrap("em", |w| w.inlines(content)),
                Inline::Strike { content } => {
                    let tag = if self.dialect == Dialect::Xhtml { "del" } else { "s" };
                    self.wrap(tag, |w| w.inlines(content));
                }
                Inline::Subscript { content } => self.wrap("sub", |w| w.inlines(content)),
                Inline::Superscript { content } => self.wrap("sup", |w| w.inlines(content)),
                Inline::Code { text } => self.wrap("code", |w| w.text(text)),
                Inline::Link { url, content } => {
                    let url = self.escape(url);
                    self.out.push_str(&format!("<a href=\"{url}\">"));
                    self.inlines(content);
                    self.out.push_str("</a>");
                }
                Inline::Image { source, alt } => {
                    let (source, alt) = (self.escape(source), self.escape(alt));
                    self.out.push_str(&match self.dialect {
                        Dialect::Html => format!("<img src=\"{source}\" alt=\"{alt}\">"),
                        Dialect::Xhtml => format!("<object data=\"{source}\">{alt}</object>"),
                    });
                }
                Inline::Mention { id, label, .. } => self.named("mention", id, label),
                Inline::Parameter { name } => self.named("parameter", name, name),
                Inline::LineBreak => self.void("br"),
            }
        }
    }

    /// What HTML has no element for: an element with a class, the name of what it stands for, and its text.
    fn named(&mut self, class: &str, value: &str, label: &str) {
        let (value, label) = (self.escape(value), self.escape(label));
        self.out.push_str(&match self.dialect {
            Dialect::Html => format!("<data class=\"{class}\" value=\"{value}\">{label}</data>"),
            Dialect::Xhtml => format!("<span class=\"{class}\" title=\"{value}\">{label}</span>"),
        });
    }

    fn void(&mut self, tag: &str) {
        let end = if self.dialect == Dialect::Xhtml { "/>" } else { ">" };
        self.out.push_str(&format!("<{tag}{end}"));
    }

    fn wrap(&mut self, tag: &str, inside: impl FnOnce(&mut Self)) {
        self.out.push_str(&format!("<{tag}>"));
        inside(self);
        self.out.push_str(&format!("</{tag}>"));
    }

    fn text(&mut self, text: &str) {
        let text = self.escape(text);
        self.out.push_str(&text);
    }

    fn escape(&self, text: &str) -> String {
        let text = text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;");
        match self.dialect {
            Dialect::Html => text,
            // What XML 1.0 §2.2 has no way of writing.
            Dialect::Xhtml => text.replace(
                |c: char| matches!(c, '\0'..='\u{8}' | '\u{b}' | '\u{c}' | '\u{e}'..='\u{1f}' | '\u{fffe}' | '\u{ffff}'),
                "",
            ),
        }
    }
}
