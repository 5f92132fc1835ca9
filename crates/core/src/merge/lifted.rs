//! An edit that was made where less can be held, in what holds more.
//!
//! Decides which part of what holds more each part of the edited value is: one that was not touched keeps what the other can't
//! hold, one whose words were edited keeps it in the words that were not, one that is gone takes it along.

use super::words::Words;
use super::{documents, lists, steps};
use crate::model::{Block, Document, Step, Value};

/// `wanted` with what `whole` holds beyond `plain`, which is what is left of `whole` where less can be held. None where the edit
/// touches just that, or it can't be told which part is which.
pub fn lifted(plain: &Value, whole: &Value, wanted: &Value) -> Option<Value> {
    // All of it is gone, or nothing is held here alone.
    if wanted.is_blank() || plain == whole {
        return Some(wanted.clone());
    }
    match (plain, whole, wanted) {
        (Value::RichText(p), Value::RichText(w), Value::RichText(to)) => {
            Some(Value::RichText(document(p, w, to)?).settled())
        }
        (Value::Steps(p), Value::Steps(w), Value::Steps(to)) => {
            Some(Value::Steps(list(p, w, to, &steps::words, &step)?).settled())
        }
        _ => super::merge(plain, whole, wanted),
    }
}

fn document(plain: &Document, whole: &Document, wanted: &Document) -> Option<Document> {
    Some(Document { blocks: blocks(&plain.blocks, &whole.blocks, &wanted.blocks)? }.normal())
}

fn blocks(plain: &[Block], whole: &[Block], wanted: &[Block]) -> Option<Vec<Block>> {
    match plain.len() == whole.len() {
        true => list(plain, whole, wanted, &documents::words, &block),
        false => documents::blocks(plain, whole, wanted),
    }
}

fn block(plain: &Block, whole: &Block, wanted: &Block) -> Option<Block> {
    match (plain, whole, wanted) {
        (Block::List { items: p, .. }, Block::List { items: w, .. }, Block::List { start, items }) => {
            let items = list(p, w, items, &documents::words_of_item, &|p, w, to| blocks(p, w, to))?;
            Some(Block::List { start: *start, items })
        }
        (Block::Quote { blocks: p }, Block::Quote { blocks: w }, Block::Quote { blocks: to }) => {
            Some(Block::Quote { blocks: blocks(p, w, to)? })
        }
        _ => documents::block(plain, whole, wanted),
    }
}

fn step(plain: &Step, whole: &Step, wanted: &Step) -> Option<Step> {
    Some(Step {
        action: document(&plain.action, &whole.action, &wanted.action)?,
        expected: document(&plain.expected, &whole.expected, &wanted.expected)?,
        data: document(&plain.data, &whole.data, &wanted.data)?,
        call: lists::three(&plain.call, &whole.call, &wanted.call)?.clone(),
        attachments: lists::three(&plain.attachments, &whole.attachments, &wanted.attachments)?.clone(),
    })
}

/// Part by part; `plain` and `whole` have the same ones.
fn list<T: Clone + PartialEq>(
    plain: &[T],
    whole: &[T],
    wanted: &[T],
    words: &dyn Fn(&T) -> Words,
    part: &dyn Fn(&T, &T, &T) -> Option<T>,
) -> Option<Vec<T>> {
    if plain.len() != whole.len() {
        return None;
    }
    let places = lists::aligned(plain, wanted, words)?;
    let one = |(at, to): (usize, &T)| {
        let found = places.iter().position(|place| *place == Some(at));
        if let Some(n) = found {
            return match (plain[n] == *to, plain[n] == whole[n]) {
                (true, _) => Some(whole[n].clone()),
                (false, true) => Some(to.clone()),
                (false, false) => part(&plain[n], &whole[n], to),
            };
        }
        // It was moved, or nobody knows which of several it is: then they must hold the same.
        let mut alike = plain.iter().zip(whole).filter(|(p, _)| *p == to).map(|(_, whole)| whole);
        match alike.next() {
            None => Some(to.clone()),
            Some(first) => alike.all(|other| other == first).then(|| first.clone()),
        }
    };
    wanted.iter().enumerate().map(one).collect()
}
