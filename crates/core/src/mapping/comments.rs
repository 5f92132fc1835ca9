//! Carrying what people said and what was changed, with who and when.
//!
//! Decides what a comment looks like where the original author and time can't be kept: they stand at
//! its head. History that can't be backdated becomes dated comments, if the rule says so.

use super::convert::{Context, PairLookup};
use super::lane::Rule;
use super::mentions::renamed;
use super::users::match_user;
use crate::catalogue::FieldSchema;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Artefact, Block, Comment, Document, HistoryEntry, Inline, Stamp, Value, with_piece_ids};
use crate::text::{TextFormat, carry};

/// What people said of an artefact, and what was changed if asked for, in the order of time. Each has an id that no
/// other of them has.
pub fn gathered(artefact: &Artefact, with_history: bool) -> Vec<Comment> {
    let mut out = with_piece_ids(&artefact.comments);
    if with_history {
        out.extend(past(artefact).iter().map(as_comment));
    }
    // A stable sort: what was said in one second stays in its order, and so does what has no time.
    out.sort_by_key(|c| c.stamp.at);
    out
}

/// What was changed of an artefact, each entry with an id that no other of them has.
pub fn past(artefact: &Artefact) -> Vec<HistoryEntry> {
    with_piece_ids(&artefact.history)
}

fn as_comment(entry: &HistoryEntry) -> Comment {
    let text = match (entry.before.is_empty(), entry.after.is_empty()) {
        (true, _) => format!("{} was set to {}", entry.field, entry.after),
        (_, true) => format!("{} was cleared; it was {}", entry.field, entry.before),
        _ => format!("{} was changed from {} to {}", entry.field, entry.before, entry.after),
    };
    let id = entry.id.as_ref().map(|id| format!("past {id}"));
    Comment { id, stamp: entry.stamp.clone(), body: Document::from_text(&text) }
}

/// The comments as the target will hold them.
pub fn comments(value: Value, field: &FieldSchema, rule: &Rule, cx: &Context<'_>, losses: &mut Vec<Loss>) -> Value {
    let Value::Comments(list) = value else { return value };
    let format = field.format.unwrap_or(TextFormat::Plain);
    let mut in_text = 0;
    let mut out = Vec::new();
    for comment in list {
        // What is not known can't be set; a head that says so keeps what is.
        let by = person(&comment.stamp, cx).filter(|_| field.backdated && comment.stamp.at.is_some());
        let mut body = comment.body;
        if by.is_none() {
            in_text += 1;
            let head = Inline::text(format!("{}:", named(&comment.stamp, cx)));
            body.blocks.insert(0, Block::Paragraph { content: vec![head] });
        }
        let carried = carry(&body, format);
        losses.extend(carried.losses.iter().map(|l| Loss {
            field: rule.target.clone(),
            kind: l.kind,
            cause: l.cause.clone(),
            before: l.about.clone(),
            after: if l.kind == LossKind::Dropped { String::new() } else { l.about.clone() },
        }));
        out.push(Comment { id: comment.id, stamp: Stamp { at: comment.stamp.at, by }, body: carried.held });
    }
    if in_text > 0 {
        losses.push(Loss {
            field: rule.target.clone(),
            kind: LossKind::Downgraded,
            cause: LossCause::AuthorInText,
            before: counted(in_text, "author"),
            after: counted(in_text, "line of text"),
        });
    }
    Value::Comments(out)
}

/// Recorded changes as the target will hold them; authors it does not know are named in full.
pub fn history(value: Value, cx: &Context<'_>) -> Value {
    let Value::History(list) = value else { return value };
    let one = |entry: HistoryEntry| {
        let by = person(&entry.stamp, cx).or_else(|| entry.stamp.by.as_ref().map(|_| name(&entry.stamp, cx)));
        HistoryEntry { stamp: Stamp { at: entry.stamp.at, by }, ..entry }
    };
    Value::History(list.into_iter().map(one).collect())
}

fn counted(n: usize, what: &str) -> String {
    if n == 1 { format!("1 {what}") } else { format!("{n} × {what}") }
}

/// The author at the right, if somebody there is recognised.
fn person(stamp: &Stamp, cx: &Context<'_>) -> Option<String> {
    let known = cx.left.user(stamp.by.as_ref()?)?;
    match_user(known, cx.right_users).map(|(id, _)| id)
}

fn name(stamp: &Stamp, cx: &Context<'_>) -> String {
    let Some(by) = &stamp.by else { return "somebody".into() };
    cx.left.user(by).map_or_else(|| by.clone(), |u| u.name.clone())
}

fn named(stamp: &Stamp, cx: &Context<'_>) -> String {
    format!("{}, {} in {}", name(stamp, cx), stamp.time(), cx.left_system)
}

/// The comments of the target with the items that are there by now called by their names of there: what was said stays
/// as it was written, though an item that it names may be called otherwise there since. None if nothing is renamed.
pub(crate) fn renamed_comments(held: &[Comment], places: &(dyn PairLookup + Sync)) -> Option<Vec<Comment>> {
    match renamed(&Value::Comments(held.to_vec()), places)? {
        Value::Comments(told) => Some(told),
        _ => None,
    }
}
