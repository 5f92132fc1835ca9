//! Both edits of a text or a list of steps, part by part, for a person who puts them together.
//!
//! Decides which parts are settled by themselves and which a person chooses of: the same rules as those of a merge
//! ([`crate::merge`]), but nothing is refused. What is chosen for every part makes the whole.

use crate::merge::{Stretch, each, steps_of, stretches, text_of, words_of};
use crate::model::{Block, Document, Value, codes};

/// Both edits of a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proposal {
    /// What it is made of, in order.
    pub parts: Vec<Part>,
}

/// A part of a proposal.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// What both edits make of it together.
    Made(Value),
    /// Both edited it, and differently.
    Clash {
        /// What it was.
        base: Value,
        /// What the left makes of it.
        left: Value,
        /// What the right makes of it.
        right: Value,
    },
}

/// What a person takes for a part that both edited.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Pick {
    /// What the left makes of it.
    Left,
    /// What the right makes of it.
    Right,
    /// The left's, and behind it the right's.
    Both,
    /// What it was before either edit.
    Base,
}

codes!(Pick, "What is taken for a part that both ends edited.": {
    Left = "left",
    Right = "right",
    Both = "both",
    Base = "base",
});

impl Proposal {
    /// Of a value, after the edit of either end, in the words of one end. None if the value has no parts, or too many.
    pub fn of(base: &Value, left: &Value, right: &Value) -> Option<Proposal> {
        let all = [base, left, right];
        if all.iter().all(|value| **value == Value::Empty) {
            return None;
        }
        let parts = if let Some(texts) = each(all, text_of) {
            let [base, left, right] = texts.map(words_of);
            parts(stretches([&base, &left, &right])?, |words| Value::Text(words.concat()))
        } else if let Some(blocks) = each(all, blocks_of) {
            parts(stretches(blocks)?, |blocks| Value::RichText(Document { blocks }))
        } else {
            parts(stretches(each(all, steps_of)?)?, Value::Steps)
        };
        Some(Proposal { parts })
    }

    /// How many parts a person chooses of.
    pub fn clashes(&self) -> usize {
        self.parts.iter().filter(|part| matches!(part, Part::Clash { .. })).count()
    }

    /// The whole, with what is taken for each part that both edited, in order. None if that is not one for each.
    pub fn with(&self, picks: &[Pick]) -> Option<Value> {
        if picks.len() != self.clashes() {
            return None;
        }
        let mut picks = picks.iter();
        let mut out = Value::Empty;
        for part in &self.parts {
            match part {
                Part::Made(value) => out = joined(out, value),
                Part::Clash { base, left, right } => match picks.next()? {
                    Pick::Left => out = joined(out, left),
                    Pick::Right => out = joined(out, right),
                    Pick::Base => out = joined(out, base),
                    Pick::Both => out = joined(joined(out, &apart(left, right)), right),
                },
            }
        }
        Some(
            match out {
                Value::RichText(document) => Value::RichText(document.normal()),
                other => other,
            }
            .settled(),
        )
    }
}

fn parts<T: Clone>(stretches: Vec<Stretch<T>>, whole: impl Fn(Vec<T>) -> Value) -> Vec<Part> {
    let part = |stretch| match stretch {
        Stretch::Made(list) => Part::Made(whole(list)),
        Stretch::Clash([base, left, right]) => {
            Part::Clash { base: whole(base), left: whole(left), right: whole(right) }
        }
    };
    stretches.into_iter().map(part).collect()
}

fn blocks_of(value: &Value) -> Option<&[Block]> {
    match value {
        Value::Empty => Some(&[]),
        Value::RichText(document) => Some(&document.blocks),
        _ => None,
    }
}

/// A part as it stands before another: its last word does not run into the first of the other.
fn apart(part: &Value, other: &Value) -> Value {
    match (part, other) {
        (Value::Text(text), Value::Text(next))
            if text.ends_with(|c: char| !c.is_whitespace()) && next.starts_with(|c: char| !c.is_whitespace()) =>
        {
            Value::Text(format!("{text} "))
        }
        _ => part.clone(),
    }
}

/// One part behind another.
fn joined(before: Value, part: &Value) -> Value {
    match (before, part) {
        (Value::Empty, part) => part.clone(),
        (Value::Text(text), Value::Text(more)) => Value::Text(text + more),
        (Value::RichText(mut document), Value::RichText(more)) => {
            document.blocks.extend(more.blocks.iter().cloned());
            Value::RichText(document)
        }
        (Value::Steps(mut steps), Value::Steps(more)) => {
            steps.extend(more.iter().cloned());
            Value::Steps(steps)
        }
        (before, _) => before,
    }
}
