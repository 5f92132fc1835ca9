//! Rich text as lines of formatted words.
//!
//! Decides how a document tree is laid out as a sequence that can be compared and shown: each block, item
//! and table row begins a line; words carry their formatting, and a word with other formatting is another
//! word. Cells of a row are divided by a mark of their own.

use serde::{Deserialize, Serialize};
use similar::ChangeTag;

use super::PieceChange;
use super::ops::changes;
use crate::model::{Block, Document, Inline};

/// A line: what it is part of, how deep it is indented, and its text.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RichLine {
    /// Whether the line as such is new or gone; its words say so for themselves.
    pub change: PieceChange,
    /// What sort of line it is.
    pub kind: LineKind,
    /// How deep it stands in lists and quotes; 0 is outermost.
    pub depth: u8,
    /// Its pieces, in their order.
    pub pieces: Vec<RichPiece>,
}

/// What sort of line of a formatted text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LineKind {
    /// Text.
    Paragraph,
    /// A heading.
    Heading,
    /// An item of a list; its number if the list is ordered.
    Item(Option<u32>),
    /// A line of code.
    Code,
    /// A line of a quotation.
    Quote,
    /// A row of a table.
    Row,
    /// The row of a table that names its columns.
    HeaderRow,
    /// A line between paragraphs.
    Rule,
}

/// A piece of a line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RichPiece {
    /// What became of it.
    pub change: PieceChange,
    /// What it says.
    pub text: String,
    /// How it is formatted.
    pub marks: Vec<Mark>,
}

/// How a word is formatted, or what it stands for.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Mark {
    /// Strong.
    Strong,
    /// Emphasised.
    Emphasis,
    /// Struck through.
    Strike,
    /// Below the line.
    Subscript,
    /// Above the line.
    Superscript,
    /// Code.
    Code,
    /// To this address.
    Link(String),
    /// Of this source.
    Image(String),
    /// A reference to an artefact or a person.
    Mention,
    /// A parameter of the steps.
    Parameter,
    /// Stands between two cells of a table.
    Cell,
    /// A line break within a paragraph.
    LineBreak,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
enum Token {
    Line(LineKind, u8),
    Word(String, Vec<Mark>),
}

/// Compares two documents, word by word, formatting included.
pub fn diff_documents(before: &Document, after: &Document) -> Vec<RichLine> {
    let (old, new) = (tokens(before), tokens(after));
    let mut lines: Vec<RichLine> = Vec::new();
    for (tag, token) in changes(&old, &new) {
        put(&mut lines, token.clone(), tag);
    }
    lines
}

fn put(lines: &mut Vec<RichLine>, token: Token, tag: ChangeTag) {
    let change = PieceChange::from(tag);
    match token {
        Token::Line(kind, depth) => lines.push(RichLine { change, kind, depth, pieces: Vec::new() }),
        Token::Word(text, marks) => {
            // Every document begins with a line, so there is one to put the word on.
            let Some(line) = lines.last_mut() else { return };
            match line.pieces.last_mut() {
                Some(last) if last.change == change && last.marks == marks => last.text.push_str(&text),
                _ => line.pieces.push(RichPiece { change, text, marks }),
            }
        }
    }
}

fn tokens(document: &Document) -> Vec<Token> {
    let mut out = Vec::new();
    blocks(&document.blocks, LineKind::Paragraph, 0, &mut out);
    out
}

/// `first` is what the first line of the blocks is, which an item or a quotation decides.
fn blocks(list: &[Block], first: LineKind, depth: u8, out: &mut Vec<Token>) {
    for (n, block) in list.iter().enumerate() {
        let kind = if n == 0 { first } else { LineKind::Paragraph };
        match block {
            Block::Paragraph { content } => {
                out.push(Token::Line(kind, depth));
                inlines(content, &[], out);
            }
            Block::Heading { content, .. } => {
                out.push(Token::Line(LineKind::Heading, depth));
                inlines(content, &[], out);
            }
            Block::List { start, items } => {
                for (k, item) in items.iter().enumerate() {
                    let number = start.map(|s| s.saturating_add(k as u32));
                    blocks(item, LineKind::Item(number), depth.saturating_add(1), out);
                }
            }
            Block::Table { header, rows } => {
                for (k, row) in rows.iter().enumerate() {
                    let kind = if *header && k == 0 { LineKind::HeaderRow } else { LineKind::Row };
                    out.push(Token::Line(kind, depth));
                    for (c, cell) in row.iter().enumerate() {
                        if c > 0 {
                            out.push(Token::Word(" ".into(), vec![Mark::Cell]));
                        }
                        cell_words(cell, out);
                    }
                }
            }
            Block::Code { text, .. } => {
                for line in text.split('\n') {
                    out.push(Token::Line(LineKind::Code, depth));
                    words(line, &[], out);
                }
            }
            Block::Quote { blocks: inner } => blocks(inner, LineKind::Quote, depth.saturating_add(1), out),
            Block::Rule => out.push(Token::Line(LineKind::Rule, depth)),
        }
    }
}

/// A cell is one run of words: what it holds as blocks is told by the losses of formats that can't.
fn cell_words(cell: &[Block], out: &mut Vec<Token>) {
    for (n, block) in cell.iter().enumerate() {
        if n > 0 {
            words(" ", &[], out);
        }
        match block {
            Block::Paragraph { content } => inlines(content, &[], out),
            other => words(&Document { blocks: vec![other.clone()] }.plain(), &[], out),
        }
    }
}

fn inlines(list: &[Inline], marks: &[Mark], out: &mut Vec<Token>) {
    let with = |mark: Mark| [marks, &[mark]].concat();
    for inline in list {
        match inline {
            Inline::Text { text } => words(text, marks, out),
            Inline::Strong { content } => inlines(content, &with(Mark::Strong), out),
            Inline::Emphasis { content } => inlines(content, &with(Mark::Emphasis), out),
            Inline::Strike { content } => inlines(content, &with(Mark::Strike), out),
            Inline::Subscript { content } => inlines(content, &with(Mark::Subscript), out),
            Inline::Superscript { content } => inlines(content, &with(Mark::Superscript), out),
            Inline::Link { url, content } => inlines(content, &with(Mark::Link(url.clone())), out),
            Inline::Code { text } => words(text, &with(Mark::Code), out),
            Inline::Image { source, alt } => {
                let shown = if alt.is_empty() { source } else { alt };
                out.push(Token::Word(shown.clone(), with(Mark::Image(source.clone()))));
            }
            Inline::Mention { label, .. } => out.push(Token::Word(label.clone(), with(Mark::Mention))),
            Inline::Parameter { name } => out.push(Token::Word(name.clone(), with(Mark::Parameter))),
            Inline::LineBreak => out.push(Token::Word("\n".into(), with(Mark::LineBreak))),
        }
    }
}

/// Words and what stands between them, each a token.
fn words(text: &str, marks: &[Mark], out: &mut Vec<Token>) {
    let mut word = String::new();
    let flush = |word: &mut String, out: &mut Vec<Token>| {
        if !word.is_empty() {
            out.push(Token::Word(std::mem::take(word), marks.to_vec()));
        }
    };
    for c in text.chars() {
        if c.is_alphanumeric() {
            word.push(c);
        } else {
            flush(&mut word, out);
            out.push(Token::Word(c.to_string(), marks.to_vec()));
        }
    }
    flush(&mut word, out);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::{TextFormat, read};

    fn html(text: &str) -> Document {
        read(text, TextFormat::Html).0
    }

    /// What a side shows, with what changed in brackets.
    fn shown(lines: &[RichLine]) -> Vec<String> {
        let piece = |p: &RichPiece| match p.change {
            PieceChange::Same => p.text.clone(),
            PieceChange::Removed => format!("[-{}]", p.text),
            PieceChange::Added => format!("[+{}]", p.text),
        };
        lines.iter().map(|l| l.pieces.iter().map(piece).collect()).collect()
    }

    #[test]
    fn a_changed_number_in_a_list_is_one_word() {
        let lines = diff_documents(
            &html("<p>Limits:</p><ul><li>35 mm</li><li>15 min</li></ul>"),
            &html("<p>Limits:</p><ul><li>20 mm</li><li>15 min</li></ul>"),
        );
        assert_eq!(shown(&lines), ["Limits:", "[-35][+20] mm", "15 min"]);
        assert_eq!(lines[1].kind, LineKind::Item(None));
    }

    #[test]
    fn a_change_of_formatting_is_a_change() {
        let lines = diff_documents(&html("<p>Never use it</p>"), &html("<p><b>Never</b> use it</p>"));
        assert_eq!(shown(&lines), ["[-Never][+Never] use it"]);
        assert_eq!(lines[0].pieces[1].marks, [Mark::Strong]);
    }

    #[test]
    fn a_new_row_of_a_table_is_a_new_line() {
        let before = "<table><tr><th>Wind</th><th>Speed</th></tr><tr><td>10</td><td>6</td></tr></table>";
        let after = before.replace("</table>", "<tr><td>16</td><td>2</td></tr></table>");
        let lines = diff_documents(&html(before), &html(&after));
        assert_eq!(
            lines.iter().map(|l| l.change).collect::<Vec<_>>(),
            [PieceChange::Same, PieceChange::Same, PieceChange::Added]
        );
        assert_eq!(lines[0].kind, LineKind::HeaderRow);
    }
}
