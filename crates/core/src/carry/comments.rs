//! Carrying what people said and what was changed, with who and when.
//!
//! Decides what a comment looks like where the original author and time can't be kept: they stand at
//! its head. History that can't be backdated becomes dated comments, if the rule says so.

use super::context::{Context, PairLookup};
use super::mentions::renamed;
use super::texts::declare;
use super::users::match_user;
use crate::catalogue::FieldSchema;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Block, Comment, HistoryEntry, Inline, Stamp, Value};
use crate::rules::Fill;
use crate::text::{TextFormat, carry};

/// The comments as the target will hold them.
pub fn comments(value: Value, field: &FieldSchema, fill: &Fill, cx: &Context<'_>, losses: &mut Vec<Loss>) -> Value {
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
        declare(&carried.losses, &fill.target, losses);
        out.push(Comment { id: comment.id, stamp: Stamp { at: comment.stamp.at, by }, body: carried.held });
    }
    if in_text > 0 {
        losses.push(Loss {
            field: fill.target.clone(),
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

/// The author at the other end, if somebody there is recognised.
fn person(stamp: &Stamp, cx: &Context<'_>) -> Option<String> {
    let known = cx.from.user(stamp.by.as_ref()?)?;
    match_user(known, cx.to_users).map(|(id, _)| id)
}

fn name(stamp: &Stamp, cx: &Context<'_>) -> String {
    let Some(by) = &stamp.by else { return "somebody".into() };
    cx.from.user(by).map_or_else(|| by.clone(), |u| u.name.clone())
}

fn named(stamp: &Stamp, cx: &Context<'_>) -> String {
    format!("{}, {} in {}", name(stamp, cx), stamp.time(), cx.system)
}

/// The comments with left keys replaced by those of the counterparts that have been created since, for comparing: what
/// was written is not changed. None if no comment names such an item.
pub(crate) fn renamed_comments(held: &[Comment], places: &(dyn PairLookup + Sync)) -> Option<Vec<Comment>> {
    match renamed(&Value::Comments(held.to_vec()), places)? {
        Value::Comments(told) => Some(told),
        _ => None,
    }
}
