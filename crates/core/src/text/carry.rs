//! Carrying a document into a format: what is written, what will be held, and what is lost.
//!
//! Decides nothing by belief: each block is written and read back, and simplified until it comes back
//! as it went. What was taken away on the way is declared. So law 7 (every loss is declared) and law 2
//! (a second run finds nothing) hold for rich text by construction.

use super::{TextFormat, TextLoss, read, simplify, write};
use crate::loss::{LossCause, LossKind};
use crate::model::{Block, Document};

/// The outcome of [`carry`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Carried {
    /// What to write.
    pub text: String,
    /// What reading it gives back.
    pub held: Document,
    /// What could not be carried exactly.
    pub losses: Vec<TextLoss>,
}

/// Writes `document` in `format`. `held` is equal to the normal form of `document` unless losses say
/// otherwise, and carrying `held` again loses nothing.
pub fn carry(document: &Document, format: TextFormat) -> Carried {
    let document = document.normal();
    let mut losses = Vec::new();
    let mut blocks = Vec::new();
    for b in &document.blocks {
        blocks.extend(fit(b, format, &mut losses));
    }
    let fitted = Document { blocks }.normal();
    let text = write(&fitted, format);
    let (held, _) = read(&text, format);
    if held == fitted {
        // What no step above named is a loss all the same (law 7).
        if held != document && losses.is_empty() {
            losses.push(unnamed(&document, "text exactly like this"));
        }
        return Carried { text, held, losses };
    }
    // Blocks that fit alone but not beside each other: the neighbours become text.
    losses.push(unnamed(&document, "sequence of blocks like this one"));
    let (text, held) = settle(&Document::from_text(&document.plain()), format);
    Carried { text, held, losses }
}

fn unnamed(document: &Document, element: &str) -> TextLoss {
    let cause = LossCause::NoSuchMarkup { element: element.into() };
    TextLoss { kind: LossKind::Flattened, cause, about: document.plain() }
}

/// The simplest change of a block that survives being written and read.
fn fit(b: &Block, format: TextFormat, losses: &mut Vec<TextLoss>) -> Vec<Block> {
    let mut found = Vec::new();
    let simple = normal(simplify::unsupported(std::slice::from_ref(b), format, &mut found));
    if survives(&simple, format) {
        losses.append(&mut found);
        return simple;
    }
    let mut more = found.clone();
    let plainer = normal(simple.iter().map(|b| simplify::without_emphasis(b, &mut more)).collect());
    if survives(&plainer, format) {
        losses.append(&mut more);
        return plainer;
    }
    let text = normal(simplify::to_text(b, losses));
    settle(&Document { blocks: text }, format).1.blocks
}

fn normal(blocks: Vec<Block>) -> Vec<Block> {
    Document { blocks }.normal().blocks
}

fn survives(blocks: &[Block], format: TextFormat) -> bool {
    let document = Document { blocks: blocks.to_vec() };
    read(&write(&document, format), format).0 == document
}

/// Writes and reads until nothing changes any more. Text that is only characters settles at once; the
/// bound keeps a fault in a reader from becoming an endless loop.
fn settle(document: &Document, format: TextFormat) -> (String, Document) {
    let mut held = document.clone();
    let mut text = write(&held, format);
    for _ in 0..4 {
        let (again, _) = read(&text, format);
        if again == held {
            break;
        }
        text = write(&again, format);
        held = again;
    }
    (text, held)
}
