//! Documents to Markdown, written so that CommonMark reads back the same document.
//!
//! Every character that could be markup is escaped with a backslash (CommonMark §2.4), whether or not
//! it would be markup in its place: predictable text beats pretty text, and [`super::carry`] checks it.

use crate::model::{Block, Document, Inline, is_address};

pub fn write(document: &Document) -> String {
    blocks(&document.blocks).join("\n")
}

/// The lines of a sequence of blocks, an empty line between two.
fn blocks(list: &[Block]) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    // Two lists of one sort in a row would be read as one: every other list changes its marker
    // (CommonMark §5.3).
    let mut other_marker = false;
    for (n, b) in list.iter().enumerate() {
        if n > 0 {
            lines.push(String::new());
        }
        let follows = n > 0 && same_sort(&list[n - 1], b);
        other_marker = follows && !other_marker;
        lines.extend(block(b, other_marker));
    }
    lines
}

fn same_sort(a: &Block, b: &Block) -> bool {
    match (a, b) {
        (Block::List { start: a, .. }, Block::List { start: b, .. }) => a.is_some() == b.is_some(),
        _ => false,
    }
}

fn block(b: &Block, other_marker: bool) -> Vec<String> {
    match b {
        Block::Paragraph { content } => paragraph(content),
        Block::Heading { level, content } => {
            let text = inlines(content).replace('\n', " ");
            vec![format!("{} {}", "#".repeat(usize::from(*level)), text)]
        }
        Block::List { start, items } => {
            let mut lines = Vec::new();
            for (n, item) in items.iter().enumerate() {
                let marker = match (start, other_marker) {
                    (None, false) => "- ".to_owned(),
                    (None, true) => "* ".to_owned(),
                    (Some(first), other) => format!("{}{} ", first + n as u32, if other { ")" } else { "." }),
                };
                let loose = item.len() > 1;
                if n > 0 && loose {
                    lines.push(String::new());
                }
                for (k, line) in blocks(item).into_iter().enumerate() {
                    let indent = " ".repeat(marker.len());
                    lines.push(match (k, line.is_empty()) {
                        (0, _) => format!("{marker}{line}"),
                        (_, true) => String::new(),
                        (_, false) => format!("{indent}{line}"),
                    });
                }
            }
            lines
        }
        Block::Table { header, rows } => {
            let width = rows.iter().map(Vec::len).max().unwrap_or(0);
            let row = |cells: &[Vec<Block>]| {
                let cells: Vec<String> = cells.iter().map(|c| cell(c)).collect();
                format!("| {} |", cells.join(" | "))
            };
            let mut lines = Vec::new();
            let (head, body) = match (header, rows.split_first()) {
                (true, Some((first, rest))) => (row(first), rest),
                _ => (row(&vec![Vec::new(); width]), rows.as_slice()),
            };
            lines.push(head);
            lines.push(format!("|{}", " --- |".repeat(width)));
            lines.extend(body.iter().map(|r| row(r)));
            lines
        }
        Block::Code { language, text } => {
            let longest = text.split(|c| c != '`').map(str::len).max().unwrap_or(0);
            let fence = "`".repeat(longest.max(2) + 1);
            let mut lines = vec![format!("{fence}{}", language.as_deref().unwrap_or_default())];
            lines.extend(text.split('\n').map(str::to_owned));
            lines.push(fence);
            lines
        }
        Block::Quote { blocks: inner } => {
            blocks(inner).into_iter().map(|l| if l.is_empty() { ">".to_owned() } else { format!("> {l}") }).collect()
        }
        // Of the three signs (CommonMark §4.1) the one that never begins a list, where it may stand first.
        Block::Rule => vec!["___".to_owned()],
    }
}

fn paragraph(content: &[Inline]) -> Vec<String> {
    inlines(content).split('\n').map(guard_line_start).collect()
}

/// `1.` and `1)` at the start of a line begin a list; the digits can't be escaped, the mark can.
fn guard_line_start(line: &str) -> String {
    let digits = line.bytes().take_while(u8::is_ascii_digit).count();
    match line.as_bytes().get(digits) {
        Some(b'.' | b')') if digits > 0 => format!("{}\\{}", &line[..digits], &line[digits..]),
        _ => line.to_owned(),
    }
}

fn cell(blocks: &[Block]) -> String {
    let parts: Vec<String> = blocks
        .iter()
        .map(|b| match b {
            Block::Paragraph { content } => inlines(content),
            other => escape(&Document { blocks: vec![other.clone()] }.plain()),
        })
        .collect();
    // A bar divides cells even inside code (GFM §4.10), so an escaped bar is not escaped twice.
    let text = parts.join(" ").replace("\\\n", " ");
    let mut out = String::new();
    let mut before = ' ';
    for c in text.chars() {
        if c == '|' && before != '\\' {
            out.push('\\');
        }
        out.push(c);
        before = c;
    }
    out
}

fn inlines(list: &[Inline]) -> String {
    let mut out = String::new();
    for i in list {
        match i {
            Inline::Text { text } => out.push_str(&escape(text)),
            Inline::Strong { content } => wrap("**", content, &mut out),
            Inline::Emphasis { content } => wrap("*", content, &mut out),
            Inline::Strike { content } => wrap("~~", content, &mut out),
            Inline::Subscript { content } | Inline::Superscript { content } => out.push_str(&inlines(content)),
            Inline::Code { text } => {
                let longest = text.split(|c| c != '`').map(str::len).max().unwrap_or(0);
                let ticks = "`".repeat(longest + 1);
                let pad = if text.starts_with('`') || text.ends_with('`') { " " } else { "" };
                out.push_str(&format!("{ticks}{pad}{text}{pad}{ticks}"));
            }
            Inline::Link { url, content } => link("", &inlines(content), url, &mut out),
            Inline::Image { source, alt } => {
                let url = match is_address(source) {
                    true => source.clone(),
                    false => format!("attachment:{}", encode(source)),
                };
                link("!", &escape(alt), &url, &mut out);
            }
            Inline::Mention { id, label, .. } => link("", &escape(label), &format!("item:{}", encode(id)), &mut out),
            Inline::Parameter { name } => link("", &escape(name), &format!("parameter:{}", encode(name)), &mut out),
            Inline::LineBreak => out.push_str("\\\n"),
        }
    }
    out
}

fn wrap(mark: &str, content: &[Inline], out: &mut String) {
    out.push_str(mark);
    out.push_str(&inlines(content));
    out.push_str(mark);
}

fn link(before: &str, label: &str, url: &str, out: &mut String) {
    let url = url.replace('\\', "\\\\").replace('<', "\\<").replace('>', "\\>").replace(['\n', '\r'], "");
    out.push_str(&format!("{before}[{label}](<{url}>)"));
}

fn escape(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 8);
    let last = text.chars().count().saturating_sub(1);
    for (n, c) in text.chars().enumerate() {
        let markup = matches!(c, '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '&' | '|' | '~' | '!')
            || (n == 0 && matches!(c, '#' | '+' | '-' | '=' | ':'))
            || (n == last && matches!(c, '#'));
        if markup {
            out.push('\\');
        }
        out.push(c);
    }
    out
}

/// Percent-encodes what would end an address or change its meaning (RFC 3986 §2.1).
fn encode(text: &str) -> String {
    text.bytes()
        .map(|b| match b {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'.' | b'_' | b'-' | b'/' => char::from(b).to_string(),
            other => format!("%{other:02X}"),
        })
        .collect()
}
