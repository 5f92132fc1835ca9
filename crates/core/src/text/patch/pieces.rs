//! The stretches of a source that hold one block each.
//!
//! Decides by where elements, paragraphs and lines begin; each stretch is then read by itself, and counts only if all of them
//! together give the document.

use super::super::{TextFormat, read};
use super::words::{Tag, tags};
use crate::model::Document;

/// A source, divided.
pub struct Pieces<'s> {
    /// What stands around all blocks: an element of its own in XHTML.
    around: (&'s str, &'s str),
    /// One for each block, with what stands behind it before the next one begins.
    pub blocks: Vec<&'s str>,
}

impl Pieces<'_> {
    /// Blocks one behind the other, as the format divides them.
    pub fn joined(&self, blocks: &[String], format: TextFormat) -> String {
        let mut out = String::new();
        let by_lines = !matches!(format, TextFormat::Html | TextFormat::Xhtml);
        for block in blocks {
            if by_lines && !out.is_empty() {
                while !out.ends_with("\n\n") {
                    out.push('\n');
                }
            }
            out.push_str(block);
        }
        format!("{}{out}{}", self.around.0, self.around.1)
    }
}

/// The stretches of a source; none if they can't be told.
pub fn of<'s>(source: &'s str, format: TextFormat, held: &Document) -> Option<Pieces<'s>> {
    let (around, starts) = match format {
        TextFormat::Html | TextFormat::Xhtml => by_elements(source, format),
        TextFormat::Markdown => (("", ""), line_starts(source, super::super::markdown_read::first_lines(source))),
        TextFormat::Plain | TextFormat::PlainLinks => (("", ""), line_starts(source, paragraphs(source))),
    };
    let inside = &source[around.0.len()..source.len() - around.1.len()];
    let ends = starts.iter().skip(1).copied().chain([inside.len()]);
    let stretches = starts.iter().copied().zip(ends).map(|(start, end)| &inside[start..end]);
    let mut blocks: Vec<&str> = Vec::new();
    let mut at = 0;
    let begin = inside.as_ptr() as usize;
    let start_of = |piece: &str| piece.as_ptr() as usize - begin;
    for stretch in stretches {
        match (read(stretch, format).0.blocks.as_slice(), blocks.last_mut()) {
            // What shows nothing goes with what stands before it; at the beginning, with what comes.
            ([], Some(last)) => *last = &inside[start_of(last)..start_of(stretch) + stretch.len()],
            ([], None) => {}
            ([one], last) if held.blocks.get(at) == Some(one) => {
                let start = if last.is_some() { start_of(stretch) } else { 0 };
                blocks.push(&inside[start..start_of(stretch) + stretch.len()]);
                at += 1;
            }
            _ => return None,
        }
    }
    (at == held.blocks.len()).then_some(Pieces { around, blocks })
}

/// Where blocks begin that are elements of HTML, and what stands around all of them.
fn by_elements(source: &str, format: TextFormat) -> ((&str, &str), Vec<usize>) {
    let all = tags(source);
    let around = match (format, all.first(), all.last()) {
        (TextFormat::Xhtml, Some(first), Some(last)) if !first.closes && last.closes && last.name == first.name => {
            (&source[..first.at.end], &source[last.at.start..])
        }
        _ => ("", ""),
    };
    let (from, to) = (around.0.len(), source.len() - around.1.len());
    let mut starts = vec![0];
    let mut depth = 0usize;
    for tag in all.iter().filter(|tag| tag.at.start >= from && tag.at.end <= to) {
        let outermost = depth == 0 && !tag.closes;
        if outermost && tag.is_block() && source[from..tag.at.start].trim() != "" {
            starts.push(tag.at.start - from);
        }
        match tag {
            Tag { closes: true, .. } => depth = depth.saturating_sub(1),
            Tag { stands_alone: true, .. } => {}
            _ => depth += 1,
        }
    }
    (around, starts)
}

/// The places in bytes at which lines begin, given by their numbers from 0. What stands before the first goes with it.
fn line_starts(source: &str, lines: Vec<usize>) -> Vec<usize> {
    let all: Vec<usize> = std::iter::once(0).chain(source.match_indices('\n').map(|(at, _)| at + 1)).collect();
    let mut starts: Vec<usize> = lines.iter().filter_map(|line| all.get(*line)).copied().collect();
    if let Some(first) = starts.first_mut() {
        *first = 0;
    }
    starts
}

/// The lines at which paragraphs of plain text begin.
fn paragraphs(source: &str) -> Vec<usize> {
    let lines: Vec<&str> = source.split('\n').collect();
    let blank = |n: usize| lines[n].trim().is_empty();
    (0..lines.len()).filter(|n| !blank(*n) && (*n == 0 || blank(n - 1))).collect()
}
