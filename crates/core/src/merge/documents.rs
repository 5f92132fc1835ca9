//! Two edits of a formatted text.
//!
//! Decides what its parts are: blocks, items, rows and cells by their likeness, and within one the formatted words. A word
//! with another format is another word.

use std::collections::HashMap;

use super::lists::{self, Parts, three};
use super::words::{Words, with_what_is_behind};
use super::{diff3, texts};
use crate::model::{Block, Document, Inline};

pub(super) fn merge(base: &Document, one: &Document, other: &Document) -> Option<Document> {
    Some(Document { blocks: blocks(&base.blocks, &one.blocks, &other.blocks)? }.normal())
}

/// For each of the `new` blocks, which of the `old` ones it is: as it was, wherever it stands now, or rewritten. None if
/// there are too many of them.
pub(crate) fn blocks_kept(old: &[Block], new: &[Block]) -> Option<Vec<Option<usize>>> {
    lists::kept(old, new, &words)
}

pub(super) fn blocks(base: &[Block], one: &[Block], other: &[Block]) -> Option<Vec<Block>> {
    lists::merge(base, one, other, &Parts { words: &words, merge: &block })
}

/// By what blocks are alike.
pub(super) fn words(block: &Block) -> Words {
    Words::of(sort(block), &said(block))
}

/// By what items of lists are alike.
#[allow(clippy::ptr_arg)]
pub(super) fn words_of_item(item: &Vec<Block>) -> Words {
    Words::of(0, &all_said(item))
}

fn sort(block: &Block) -> u8 {
    match block {
        Block::Paragraph { .. } => 0,
        Block::Heading { .. } => 1,
        Block::List { .. } => 2,
        Block::Table { .. } => 3,
        Block::Code { .. } => 4,
        Block::Quote { .. } => 5,
        Block::Rule => 6,
    }
}

fn said(block: &Block) -> String {
    Document { blocks: vec![block.clone()] }.plain()
}

pub(super) fn block(base: &Block, one: &Block, other: &Block) -> Option<Block> {
    Some(match (base, one, other) {
        (Block::Paragraph { content: b }, Block::Paragraph { content: o }, Block::Paragraph { content: t }) => {
            Block::Paragraph { content: inlines(b, o, t)? }
        }
        (
            Block::Heading { level: b, content: base },
            Block::Heading { level: o, content: one },
            Block::Heading { level: t, content: other },
        ) => Block::Heading { level: *three(b, o, t)?, content: inlines(base, one, other)? },
        (
            Block::List { start: b, items: base },
            Block::List { start: o, items: one },
            Block::List { start: t, items: other },
        ) => {
            let parts = Parts { words: &words_of_item, merge: &|b, o, t| blocks(b, o, t) };
            Block::List { start: *three(b, o, t)?, items: lists::merge(base, one, other, &parts)? }
        }
        (
            Block::Table { header: b, rows: base },
            Block::Table { header: o, rows: one },
            Block::Table { header: t, rows: other },
        ) => {
            let words = |row: &Vec<Vec<Block>>| {
                let cells: Vec<String> = row.iter().map(|cell| all_said(cell)).collect();
                Words::of(0, &cells.join(" "))
            };
            let parts =
                Parts { words: &words, merge: &|b, o, t| lists::place_by_place(b, o, t, |b, o, t| blocks(b, o, t)) };
            Block::Table { header: *three(b, o, t)?, rows: lists::merge(base, one, other, &parts)? }
        }
        (
            Block::Code { language: b, text: base },
            Block::Code { language: o, text: one },
            Block::Code { language: t, text: other },
        ) => Block::Code { language: three(b, o, t)?.clone(), text: texts::merge(base, one, other)? },
        (Block::Quote { blocks: b }, Block::Quote { blocks: o }, Block::Quote { blocks: t }) => {
            Block::Quote { blocks: blocks(b, o, t)? }
        }
        _ => return None,
    })
}

fn all_said(blocks: &[Block]) -> String {
    blocks.iter().map(said).collect::<Vec<_>>().join(" ")
}

/// A word, or what stands in its place, with the formats that it stands in, the outermost first.
#[derive(Clone, PartialEq, Eq, Hash)]
struct Word {
    what: Inline,
    formats: Vec<Inline>,
}

fn inlines(base: &[Inline], one: &[Inline], other: &[Inline]) -> Option<Vec<Inline>> {
    let words = [base, one, other].map(|list| {
        let mut out = Vec::new();
        words_of(list, &mut Vec::new(), &mut out);
        out
    });
    // Words are told apart by numbers, since they have no order.
    let mut numbers: HashMap<&Word, usize> = HashMap::new();
    let mut known: Vec<&Word> = Vec::new();
    let mut number = |word| {
        *numbers.entry(word).or_insert_with(|| {
            known.push(word);
            known.len() - 1
        })
    };
    let [base, one, other] = [0, 1, 2].map(|list| words[list].iter().map(&mut number).collect::<Vec<usize>>());
    let merged = diff3::merge(&base, &one, &other, |_, _, _| None)?;
    let whole = |n: usize| {
        let wrap = |inner: Inline, format: &Inline| format.with_content(vec![inner]);
        known[n].formats.iter().rev().fold(known[n].what.clone(), wrap)
    };
    Some(merged.into_iter().map(whole).collect())
}

fn words_of(list: &[Inline], formats: &mut Vec<Inline>, out: &mut Vec<Word>) {
    for inline in list {
        match (inline, inline.content()) {
            (_, Some(content)) => {
                formats.push(inline.with_content(Vec::new()));
                words_of(content, formats, out);
                formats.pop();
            }
            (Inline::Text { text }, _) => {
                let word = |word: &str| Word { what: Inline::text(word), formats: formats.clone() };
                out.extend(with_what_is_behind(text).into_iter().map(word));
            }
            (leaf, None) => out.push(Word { what: leaf.clone(), formats: formats.clone() }),
        }
    }
}
