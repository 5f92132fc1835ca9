//! Carrying what people said and what was changed, with who and when.
//!
//! Decides what a comment looks like where the original author and time can't be kept: they stand at
//! its head. History that can't be backdated becomes dated comments, if the rule says so.

use super::convert::{Context, PairLookup};
use super::lane::Rule;
use super::mentions::{labelled, renamed};
use super::users::match_user;
use crate::catalogue::FieldSchema;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Artefact, Block, Comment, Document, HistoryEntry, Inline, Stamp, Value};
use crate::text::{TextFormat, carry};

/// What people said of an artefact, and what was changed if asked for, in the order of time.
pub fn gathered(artefact: &Artefact, with_history: bool) -> Vec<Comment> {
    let mut out = artefact.comments.clone();
    if with_history {
        out.extend(artefact.history.iter().map(as_comment));
    }
    // A stable sort: what was said in one second stays in its order.
    out.sort_by_key(|c| c.stamp.at);
    let mut seen = std::collections::HashSet::new();
    out.retain(|c| seen.insert(c.clone()));
    out
}

fn as_comment(entry: &HistoryEntry) -> Comment {
    let text = match (entry.before.is_empty(), entry.after.is_empty()) {
        (true, _) => format!("{} was set to {}", entry.field, entry.after),
        (_, true) => format!("{} was cleared; it was {}", entry.field, entry.before),
        _ => format!("{} was changed from {} to {}", entry.field, entry.before, entry.after),
    };
    Comment { stamp: entry.stamp.clone(), body: Document::from_text(&text) }
}

/// The comments as the target will hold them.
pub fn comments(value: Value, field: &FieldSchema, rule: &Rule, cx: &Context<'_>, losses: &mut Vec<Loss>) -> Value {
    let Value::Comments(list) = value else { return value };
    let format = field.format.unwrap_or(TextFormat::Plain);
    let mut in_text = 0;
    let mut out = Vec::new();
    for comment in list {
        let by = person(&comment.stamp, cx).filter(|_| field.backdated);
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
        out.push(Comment { stamp: Stamp { at: comment.stamp.at, by }, body: carried.held });
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
    format!("{}, {} in {}", name(stamp, cx), stamp.at.format("%Y-%m-%d %H:%M %:z"), cx.left_system)
}

/// Whether everything that is wanted is there. What else was said or changed there is its people's own.
/// Where author and time can't be kept, the text alone tells.
pub fn all_there(wanted: &Value, now: &Value) -> bool {
    match wanted {
        Value::Comments(_) => comments_of(&labelled(wanted)).iter().all(|c| is_there(c, comments_of(now))),
        Value::History(list) => list.iter().all(|e| history_of(now).iter().any(|h| h == e)),
        _ => false,
    }
}

/// Whether a comment is among those at the target.
pub fn is_there(wanted: &Comment, now: &[Comment]) -> bool {
    let kept =
        |c: &Comment| wanted.stamp.by.is_none() || (c.stamp.at == wanted.stamp.at && c.stamp.by == wanted.stamp.by);
    now.iter().any(|c| c.body == wanted.body && kept(c))
}

/// The wanted comments in the words in which they are at the target already: what was said stays as it was
/// written, though an item that it names may be called otherwise there since.
pub(crate) fn as_they_are(wanted: Value, now: &Value, places: &(dyn PairLookup + Sync)) -> Value {
    let Value::Comments(mut list) = wanted else { return wanted };
    let Some(Value::Comments(told)) = renamed(now, places) else { return Value::Comments(list) };
    let held = comments_of(now);
    for comment in list.iter_mut().filter(|c| !is_there(c, held)) {
        let found = held.iter().zip(&told).find(|(_, t)| is_there(comment, std::slice::from_ref(t)));
        if let Some((as_it_is, _)) = found {
            comment.body = as_it_is.body.clone();
        }
    }
    Value::Comments(list)
}

fn comments_of(value: &Value) -> &[Comment] {
    match value {
        Value::Comments(list) => list,
        _ => &[],
    }
}

fn history_of(value: &Value) -> &[HistoryEntry] {
    match value {
        Value::History(list) => list,
        _ => &[],
    }
}
