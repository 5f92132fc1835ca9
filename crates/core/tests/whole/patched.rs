//! Formatted texts that are changed in their source: what comes of it says what was wanted, and what was not touched is there
//! byte for byte, in every format.

use hovrel_core::model::{Block, Document, Inline};
use hovrel_core::text::{TextFormat, patched, read};
use proptest::prelude::*;

const WORDS: &[&str] = &["stop", "the", "cabin", "at", "wind", "äöü", "30", "m/s", "a & b"];

/// Blocks as people and editors write them: each with words of its own, and with what no document holds.
fn written(format: TextFormat, blocks: &[(Vec<&'static str>, u8)]) -> Vec<String> {
    let one = |(n, (words, how)): (usize, &(Vec<&'static str>, u8))| {
        let said = words.join(" ");
        let html = said.replace('&', "&amp;");
        match (format, how % 4) {
            (TextFormat::Html, 0) => format!("<p class=\"c{n}\">No {n}: {html}</p>\n"),
            (TextFormat::Html, 1) => {
                format!("<P style='color:red'>No&nbsp;{n}: <span lang=\"en\">{html}</span> so</P>")
            }
            (TextFormat::Html, 2) => format!("<h2 id=h{n}>No {n}: {html}</h2><!-- {n} -->\n\n"),
            (TextFormat::Html, _) => format!("<blockquote cite=\"x\"><p>No {n}: {html}</p></blockquote>\n"),
            (TextFormat::Markdown, 0) => format!("No {n}:   {said}\n\n\n"),
            (TextFormat::Markdown, 1) => format!("No {n}: __so__ *and* {said}\n\n"),
            (TextFormat::Markdown, 2) => format!("No {n}: {said}\n=====\n\n"),
            (TextFormat::Markdown, _) => format!("> No {n}: {said}\n\n"),
            (_, _) => format!("No {n}:  {said}\n\n\n"),
        }
    };
    blocks.iter().enumerate().map(one).collect()
}

/// The document with another word at the end of a block.
fn reworded(block: &Block) -> Block {
    let mut block = block.clone();
    let content = match &mut block {
        Block::Paragraph { content } | Block::Heading { content, .. } => content,
        Block::Quote { blocks } => match blocks.first_mut() {
            Some(Block::Paragraph { content }) => content,
            other => panic!("{other:?}"),
        },
        other => panic!("{other:?}"),
    };
    let Some(Inline::Text { text }) = content.first_mut() else { panic!("it begins with words") };
    *text = text.replacen("No", "Number", 1);
    block
}

proptest! {
    #[test]
    fn what_is_not_touched_stays_as_it_is_written(
        blocks in prop::collection::vec((prop::collection::vec(prop::sample::select(WORDS), 2..6), 0..4u8), 1..6),
        format in prop::sample::select(&[TextFormat::Html, TextFormat::Markdown, TextFormat::Plain][..]),
        (at, deed) in (0..6usize, 0..3u8),
    ) {
        let pieces = written(format, &blocks);
        let source = pieces.concat();
        let (held, _) = read(&source, format);
        prop_assert_eq!(patched(&source, format, &held), Some(source.clone()), "nothing is changed");
        prop_assert_eq!(held.blocks.len(), pieces.len(), "{}", source);
        let at = at % pieces.len();
        let mut wanted = held.clone();
        match deed {
            0 => drop(wanted.blocks.remove(at)),
            1 => wanted.blocks[at] = reworded(&held.blocks[at]),
            _ => wanted.blocks.insert(at, Document::from_text("Ask the machine room first").blocks.remove(0)),
        }
        let made = patched(&source, format, &wanted);
        let Some(made) = made else { return Err(TestCaseError::fail(format!("{source:?} as {wanted:?}"))) };
        prop_assert_eq!(&read(&made, format).0, &wanted, "{}", made);
        for (n, piece) in pieces.iter().enumerate().filter(|(n, _)| *n != at) {
            prop_assert!(made.contains(piece.trim_end()), "{}: {:?} is not in {:?}", n, piece, made);
        }
        if deed == 1 {
            prop_assert!(made.contains(&pieces[at].trim_end().replacen("No", "Number", 1)), "{:?}", made);
        }
    }
}
