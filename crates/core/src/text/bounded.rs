//! Documents that are no deeper than can be kept.
//!
//! Decides what becomes of quotations, lists, tables and marks that stand too deep in one another: their words stay,
//! without them. Counts as JSON nests, since that is how documents are kept and sent.

use super::TextLoss;
use crate::bounds::DEEPEST_DOCUMENT;
use crate::loss::{LossCause, LossKind};
use crate::model::{Block, Document, Inline, plain_inlines};

/// The document, cut to the depth that can be kept; what was cut is told.
pub fn bounded(document: Document, losses: &mut Vec<TextLoss>) -> Document {
    // The document is an object with a list.
    let room = DEEPEST_DOCUMENT - 2;
    if blocks_depth(&document.blocks) <= room {
        return document;
    }
    Document { blocks: cut_blocks(document.blocks, room, losses) }.normal()
}

fn blocks_depth(list: &[Block]) -> usize {
    list.iter().map(block_depth).max().unwrap_or(0)
}

/// Objects and lists that a block puts around what stands in it.
fn around(block: &Block) -> usize {
    match block {
        Block::Paragraph { .. } | Block::Heading { .. } | Block::Quote { .. } => 2,
        Block::List { .. } => 3,
        Block::Table { .. } => 4,
        Block::Code { .. } | Block::Rule => 1,
    }
}

/// Objects and lists in one another, of one block.
fn block_depth(block: &Block) -> usize {
    let inside = match block {
        Block::Paragraph { content } | Block::Heading { content, .. } => inlines_depth(content),
        Block::List { items, .. } => items.iter().map(|i| blocks_depth(i)).max().unwrap_or(0),
        Block::Table { rows, .. } => rows.iter().flatten().map(|c| blocks_depth(c)).max().unwrap_or(0),
        Block::Quote { blocks } => blocks_depth(blocks),
        Block::Code { .. } | Block::Rule => 0,
    };
    around(block) + inside
}

fn inlines_depth(list: &[Inline]) -> usize {
    list.iter().map(|i| i.content().map_or(1, |content| 2 + inlines_depth(content))).max().unwrap_or(0)
}

/// What a line of text takes: a paragraph with a word in it, or a mark around one.
const A_LINE: usize = 3;

fn cut_blocks(list: Vec<Block>, room: usize, losses: &mut Vec<TextLoss>) -> Vec<Block> {
    list.into_iter()
        .map(|block| {
            if block_depth(&block) <= room {
                return block;
            }
            let least = match block {
                Block::Paragraph { .. } | Block::Heading { .. } => A_LINE,
                _ => around(&block) + A_LINE,
            };
            if least > room {
                let text = Document { blocks: vec![block] }.plain();
                losses.push(too_deep(&text));
                return Block::Paragraph { content: vec![Inline::text(text)] };
            }
            let left = room - around(&block);
            match block {
                Block::Paragraph { content } => Block::Paragraph { content: cut_inlines(content, left, losses) },
                Block::Heading { level, content } => {
                    Block::Heading { level, content: cut_inlines(content, left, losses) }
                }
                Block::List { start, items } => {
                    Block::List { start, items: items.into_iter().map(|i| cut_blocks(i, left, losses)).collect() }
                }
                Block::Table { header, rows } => {
                    let mut cells =
                        |row: Vec<Vec<Block>>| row.into_iter().map(|c| cut_blocks(c, left, losses)).collect();
                    Block::Table { header, rows: rows.into_iter().map(&mut cells).collect() }
                }
                Block::Quote { blocks } => Block::Quote { blocks: cut_blocks(blocks, left, losses) },
                leaf @ (Block::Code { .. } | Block::Rule) => leaf,
            }
        })
        .collect()
}

fn cut_inlines(list: Vec<Inline>, room: usize, losses: &mut Vec<TextLoss>) -> Vec<Inline> {
    list.into_iter()
        .map(|inline| {
            let Some(content) = inline.content() else { return inline };
            if 2 + inlines_depth(content) <= room {
                return inline;
            }
            if room < A_LINE {
                let text = plain_inlines(std::slice::from_ref(&inline));
                losses.push(too_deep(&text));
                return Inline::text(text);
            }
            inline.with_content(cut_inlines(content.to_vec(), room - 2, losses))
        })
        .collect()
}

/// That words stay without the markup around them.
pub fn too_deep(about: &str) -> TextLoss {
    let cause = LossCause::NoSuchMarkup { element: "markup so deep".to_owned() };
    TextLoss { kind: LossKind::Flattened, cause, about: about.to_owned() }
}
