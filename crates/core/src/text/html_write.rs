//! Documents to HTML: a small, clean subset that every reader of HTML understands.
//!
//! Mentions and parameters, which HTML has no element for, are `data` elements with a class, so they
//! come back as what they are.

use crate::model::{Block, Document, Inline};

pub fn write(document: &Document) -> String {
    let mut out = String::new();
    blocks(&document.blocks, &mut out);
    out
}

fn blocks(list: &[Block], out: &mut String) {
    for b in list {
        match b {
            Block::Paragraph { content } => wrap("p", out, |out| inlines(content, out)),
            Block::Heading { level, content } => wrap(&format!("h{level}"), out, |out| inlines(content, out)),
            Block::List { start, items } => {
                let tag = if start.is_some() { "ol" } else { "ul" };
                match start {
                    Some(n) if *n != 1 => out.push_str(&format!("<ol start=\"{n}\">")),
                    _ => out.push_str(&format!("<{tag}>")),
                }
                items.iter().for_each(|item| wrap("li", out, |out| blocks(item, out)));
                out.push_str(&format!("</{tag}>"));
            }
            Block::Table { header, rows } => wrap("table", out, |out| {
                for (n, row) in rows.iter().enumerate() {
                    let cell = if *header && n == 0 { "th" } else { "td" };
                    wrap("tr", out, |out| row.iter().for_each(|c| wrap(cell, out, |out| blocks(c, out))));
                }
            }),
            Block::Code { language, text } => {
                match language {
                    Some(l) => out.push_str(&format!("<pre><code class=\"language-{}\">", escape(l))),
                    None => out.push_str("<pre><code>"),
                }
                out.push_str(&escape(text));
                out.push_str("</code></pre>");
            }
            Block::Quote { blocks: inner } => wrap("blockquote", out, |out| blocks(inner, out)),
            Block::Rule => out.push_str("<hr>"),
        }
    }
}

fn inlines(list: &[Inline], out: &mut String) {
    for i in list {
        match i {
            Inline::Text { text } => out.push_str(&escape(text)),
            Inline::Strong { content } => wrap("strong", out, |out| inlines(content, out)),
            Inline::Emphasis { content } => wrap("em", out, |out| inlines(content, out)),
            Inline::Strike { content } => wrap("s", out, |out| inlines(content, out)),
            Inline::Subscript { content } => wrap("sub", out, |out| inlines(content, out)),
            Inline::Superscript { content } => wrap("sup", out, |out| inlines(content, out)),
            Inline::Code { text } => wrap("code", out, |out| out.push_str(&escape(text))),
            Inline::Link { url, content } => {
                out.push_str(&format!("<a href=\"{}\">", escape(url)));
                inlines(content, out);
                out.push_str("</a>");
            }
            Inline::Image { source, alt } => {
                out.push_str(&format!("<img src=\"{}\" alt=\"{}\">", escape(source), escape(alt)));
            }
            Inline::Mention { id, label } => {
                out.push_str(&format!("<data class=\"mention\" value=\"{}\">{}</data>", escape(id), escape(label)));
            }
            Inline::Parameter { name } => {
                out.push_str(&format!("<data class=\"parameter\" value=\"{0}\">{0}</data>", escape(name)));
            }
            Inline::LineBreak => out.push_str("<br>"),
        }
    }
}

fn wrap(tag: &str, out: &mut String, inside: impl FnOnce(&mut String)) {
    out.push('<');
    out.push_str(tag);
    out.push('>');
    inside(out);
    out.push_str("</");
    out.push_str(tag);
    out.push('>');
}

fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}
