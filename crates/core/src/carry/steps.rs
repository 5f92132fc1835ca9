//! Carrying steps: as steps of the other end, or as a numbered list where it has none.
//!
//! Decides what becomes of the parts of a step that the other end has no place for: data, files and calls are
//! joined to the action, each declared.

use super::context::Context;
use super::texts::{declare, rich};
use crate::catalogue::{Calls, FieldSchema};
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Block, Call, Document, Inline, Kind, Step, Value};
use crate::rules::Fill;
use crate::text::{TextFormat, carry};

pub(super) fn steps(
    list: Vec<Step>,
    field: &FieldSchema,
    fill: &Fill,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Vec<Step> {
    let format = field.format.unwrap_or(TextFormat::Plain);
    list.into_iter()
        .map(|mut s| {
            // Calls that can't be kept were expanded before: see `expand`. One that is left is kept, or
            // leads to something that is not carried.
            let mut call = s.call.take();
            if let Some(made) = &mut call {
                let place = cx.places.counterpart(Kind::SharedSteps, made.target.id());
                let can_be_kept = match field.calls {
                    Calls::None => false,
                    Calls::Plain => made.arguments.is_empty(),
                    Calls::WithArguments => true,
                };
                match place.filter(|_| can_be_kept) {
                    Some(place) => made.target = place.reference,
                    None => {
                        let text = call_text(made, None);
                        losses.push(flattened(fill, LossCause::NoCalls, &text));
                        s.action.blocks.insert(0, Block::Paragraph { content: vec![Inline::text(text)] });
                        call = None;
                    }
                }
            }
            if !field.step_data && !s.data.blocks.is_empty() {
                losses.push(flattened(fill, LossCause::NoStepData, &s.data.plain()));
                let data = std::mem::take(&mut s.data);
                s.action.blocks.extend(labelled("Data:", data));
            }
            if !field.step_files && !s.attachments.is_empty() {
                let names = s.attachments.join(", ");
                losses.push(flattened(fill, LossCause::NoStepFiles, &names));
                s.action.blocks.extend(labelled("Files:", Document::from_text(&names)));
                s.attachments.clear();
            }
            let mut part = |d: &Document| {
                let carried = carry(d, format);
                declare(&carried.losses, &fill.target, losses);
                carried.held
            };
            Step {
                action: part(&s.action),
                expected: part(&s.expected),
                data: part(&s.data),
                call,
                attachments: s.attachments,
            }
        })
        .collect()
}

/// Steps as a numbered list: the action, with what is expected and the data below it.
pub(super) fn checklist(
    list: &[Step],
    field: &FieldSchema,
    fill: &Fill,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Value {
    let text = list.iter().map(Step::plain).collect::<Vec<_>>().join(" · ");
    losses.push(flattened(fill, LossCause::StepsAsText, &text));
    let item = |s: &Step| {
        let mut blocks = Vec::new();
        if let Some(call) = &s.call {
            let place = cx.places.counterpart(Kind::SharedSteps, call.target.id());
            let text = call_text(call, place.as_ref().map(|p| p.reference.id()));
            blocks.push(Block::Paragraph { content: vec![Inline::text(text)] });
        }
        blocks.extend(s.action.blocks.iter().cloned());
        let files = Document::from_text(&s.attachments.join(", "));
        for (label, part) in [("Expected:", &s.expected), ("Data:", &s.data), ("Files:", &files)] {
            if !part.blocks.is_empty() {
                blocks.extend(labelled(label, part.clone()));
            }
        }
        blocks
    };
    let document = Document { blocks: vec![Block::List { start: Some(1), items: list.iter().map(item).collect() }] };
    rich(&document, field, fill, losses)
}

/// Blocks with a bold label before the first paragraph, or above what is no paragraph.
fn labelled(label: &str, document: Document) -> Vec<Block> {
    let mut blocks = document.blocks;
    let strong = Inline::Strong { content: vec![Inline::text(label)] };
    match blocks.first_mut() {
        Some(Block::Paragraph { content }) => {
            content.insert(0, strong);
            content.insert(1, Inline::text(" "));
        }
        _ => blocks.insert(0, Block::Paragraph { content: vec![strong] }),
    }
    blocks
}

fn flattened(fill: &Fill, cause: LossCause, text: &str) -> Loss {
    Loss {
        field: fill.target.clone(),
        kind: LossKind::Flattened,
        cause,
        before: text.to_owned(),
        after: text.to_owned(),
    }
}

/// A call in words, for where it can't be kept.
pub(crate) fn call_text(call: &Call, title: Option<&str>) -> String {
    match title {
        Some(title) => format!("{title} ({})", call.display()),
        None => call.display(),
    }
}
