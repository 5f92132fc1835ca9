//! Changing a formatted text in its source: what the edit does not touch stays as it was written, byte for byte.
//!
//! Decides which stretch of the source is which block, and what of it is written anew: of a block that was edited, words; of
//! one that can't be changed so, the whole block, if nothing is written in it that a document can't hold. What comes of it is
//! read again, and is the wanted document or is not given. Knows of no system, and of no other end.

mod pieces;
mod words;

use super::{TextFormat, read, write};
use crate::merge::blocks_kept;
use crate::model::{Block, Document};

/// The source with what makes it say `wanted`, and nothing else, changed. None if that can't be done without taking away what
/// is written there and has no place in a document: a colour, an attribute, a comment.
pub fn patched(source: &str, format: TextFormat, wanted: &Document) -> Option<String> {
    let held = read(source, format).0;
    if held == *wanted {
        return Some(source.to_owned());
    }
    let reads_as_wanted = |text: &String| read(text, format).0 == *wanted;
    let by_blocks = pieces::of(source, format, &held).and_then(|pieces| by_blocks(&pieces, format, &held, wanted));
    if let Some(text) = by_blocks.filter(reads_as_wanted) {
        return Some(text);
    }
    if let Some(text) = words::changed(source, format, &held, wanted).filter(reads_as_wanted) {
        return Some(text);
    }
    words::says_no_more(source, format).then(|| write(wanted, format))
}

/// The source block by block; none if a block can't be changed.
fn by_blocks(pieces: &pieces::Pieces<'_>, format: TextFormat, held: &Document, wanted: &Document) -> Option<String> {
    let kept = blocks_kept(&held.blocks, &wanted.blocks)?;
    let one = |block: &Block| Document { blocks: vec![block.clone()] };
    // A block that others stand in place of was rewritten; what it said beyond a document would be gone.
    let written_over = |n: usize| {
        let before = (0..n).rev().find_map(|n| kept.iter().position(|from| *from == Some(n)));
        kept.get(before.map_or(0, |at| at + 1)).is_some_and(Option::is_none)
    };
    let gone = (0..held.blocks.len()).filter(|n| !kept.contains(&Some(*n)));
    if gone.into_iter().any(|n| written_over(n) && !words::says_no_more(pieces.blocks[n], format)) {
        return None;
    }
    let mut out: Vec<String> = Vec::new();
    for (block, from) in wanted.blocks.iter().zip(&kept) {
        out.push(match from.map(|n| (pieces.blocks[n], &held.blocks[n])) {
            Some((piece, was)) if was == block => piece.to_owned(),
            Some((piece, was)) => match words::changed(piece, format, &one(was), &one(block)) {
                Some(changed) => changed,
                None if words::says_no_more(piece, format) => write(&one(block), format),
                None => return None,
            },
            None => write(&one(block), format),
        });
    }
    Some(pieces.joined(&out, format))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn html(text: &str) -> Document {
        read(text, TextFormat::Html).0
    }

    const WORD_PROCESSOR: &str = "<p class=\"MsoNormal\" style=\"color:#c00\">Check the <span style=\"color:blue\">brake \
        pads</span> first.</p>\n<!-- from the old sheet -->\n<p id=\"p2\">Then wait&nbsp;5 min.</p>\n<UL type=square>\
        <LI>Rope</LI><LI>Cabin</LI></UL>";

    #[test]
    fn a_word_is_changed_where_it_stands() {
        let wanted = html(
            "<p>Check the brake shoes first.</p><p>Then wait\u{a0}15 min.</p><ul><li>Rope</li><li>Cabin</li></ul>",
        );
        let made = patched(WORD_PROCESSOR, TextFormat::Html, &wanted).expect("only words change");
        let by_hand = WORD_PROCESSOR.replace("pads", "shoes").replace("&nbsp;5", "&nbsp;15");
        assert_eq!(made, by_hand);
    }

    #[test]
    fn blocks_that_nobody_touched_stay_as_they_were_written() {
        let rest = "<ul><li>Rope</li><li>Cabin</li></ul>";
        let rewritten = html(&format!("<p>Check the brake pads first.</p><p>Sign.</p>{rest}"));
        assert_eq!(patched(WORD_PROCESSOR, TextFormat::Html, &rewritten), None, "its attribute would be gone");
        let wanted = html(&format!("<p>Check the brake pads first.</p>{rest}<p>Sign.</p>"));
        let made = patched(WORD_PROCESSOR, TextFormat::Html, &wanted).expect("one block is gone, one is new");
        assert!(made.starts_with("<p class=\"MsoNormal\" style=\"color:#c00\">Check the <span"), "{made}");
        assert!(made.contains("<UL type=square><LI>Rope</LI>") && made.contains("<p>Sign.</p>"), "{made}");
        assert!(!made.contains("id=\"p2\""), "{made}");
    }

    #[test]
    fn what_has_no_place_in_a_document_is_not_written_over() {
        // The words between which a format begins are gone.
        let wanted =
            html("<p>Check <b>all</b> first.</p><p>Then wait\u{a0}5 min.</p><ul><li>Rope</li><li>Cabin</li></ul>");
        assert_eq!(patched(WORD_PROCESSOR, TextFormat::Html, &wanted), None);
        let plain = "<p>Check the <b>brake</b> first.</p>";
        assert_eq!(
            patched(plain, TextFormat::Html, &html("<p>Check <b>all</b> first.</p>")).as_deref(),
            Some("<p>Check <strong>all</strong> first.</p>"),
            "where nothing else is written, a block is written anew"
        );
    }

    #[test]
    fn markdown_keeps_its_own_way_of_writing() {
        let source =
            "Check the brake\n===============\n\n*  Rope\n*  Cabin\n\n\n```\na  b\n```\n\nWait __5__ min  \nand look\n";
        let mut wanted = read(source, TextFormat::Markdown).0;
        let last = wanted.blocks.len() - 1;
        wanted.blocks[last] = read("Wait **15** min  \nand look", TextFormat::Markdown).0.blocks[0].clone();
        let made = patched(source, TextFormat::Markdown, &wanted).expect("a word changes");
        assert_eq!(made, source.replace("__5__", "__15__"));
        wanted.blocks.remove(1);
        let made = patched(source, TextFormat::Markdown, &wanted).expect("a block goes");
        assert_eq!(made, source.replace("__5__", "__15__").replace("*  Rope\n*  Cabin\n\n\n", ""));
    }

    #[test]
    fn xhtml_stays_in_its_one_element() {
        let source = "<div xmlns=\"http://www.w3.org/1999/xhtml\">\n  <p style=\"margin:0\">Stop at <em>once</em></p>\n  <p>Wait</p>\n</div>";
        let wanted = read(&source.replace("Wait", "Wait here").replace("Stop", "Halt"), TextFormat::Xhtml).0;
        let made = patched(source, TextFormat::Xhtml, &wanted).expect("words change");
        assert!(made.contains("<p style=\"margin:0\">Halt at <em>once</em></p>"), "{made}");
        assert!(made.starts_with("<div xmlns") && made.ends_with("</div>"), "{made}");
    }
}
