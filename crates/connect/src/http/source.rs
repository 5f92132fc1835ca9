//! Formatted texts and steps, changed in what is written at the system.
//!
//! Decides which step there is which of those that are to be written, so that its id and whatever else Hovrel does not read
//! stays with it. What is not touched goes back as it came.

use hovrel_core::merge::steps_kept;
use hovrel_core::model::{Artefact, Document, Step, Value};
use hovrel_core::text::TextFormat;
use serde_json::{Value as Json, json};

use super::decode::Decoder;
use super::tree;
use crate::profile::StepsAt;
use crate::told::patched;
use crate::{ConnectError, Write};

/// Whether a write holds what can be changed in its source.
pub fn has_texts(write: &Write) -> bool {
    write.fields.iter().any(|(_, value)| matches!(value, Value::RichText(_) | Value::Steps(_)))
}

/// Puts texts and steps into the body of a write as they are in the item, changed; `raw` is the item as it came, `now` as it
/// was read.
pub fn put(
    decoder: &Decoder<'_>,
    write: &Write,
    (raw, now): (&Json, &Artefact),
    body: &mut Json,
) -> Result<(), ConnectError> {
    for (id, value) in write.fields.iter() {
        let Some(field) = decoder.fields.field(id) else { continue };
        let format = field.format.unwrap_or(TextFormat::Plain);
        let place = decoder.place(id);
        match (value, now.fields.get(id)) {
            (Value::RichText(wanted), Some(Value::RichText(_))) => {
                if let Some(there) = tree::text(raw, &place) {
                    tree::put(body, &place, json!(patched(&there, format, wanted, id)?));
                }
            }
            (Value::Steps(wanted), Some(Value::Steps(held))) => {
                let at = decoder.steps_at(id);
                let list = format!("{place}{}", at.items);
                let there: Vec<Json> = tree::items(raw, &list).into_iter().cloned().collect();
                let Some(Json::Array(sent)) = body.pointer_mut(&list) else { continue };
                let same = there.len() == held.len() && sent.len() == wanted.len();
                let kept = same.then(|| steps_kept(held, wanted)).flatten().ok_or_else(|| ConnectError::Refused {
                    field: (**id).to_owned(),
                    text: "it is not clear which of the steps there was changed; make the change there".to_owned(),
                })?;
                for (n, from) in kept.into_iter().enumerate() {
                    let Some(from) = from else { continue };
                    let parts = Parts { at: &at, format, field: id };
                    sent[n] = parts.step(&there[from], (&held[from], &wanted[n]), sent[n].take())?;
                }
            }
            _ => {}
        }
    }
    Ok(())
}

struct Parts<'a> {
    at: &'a StepsAt,
    format: TextFormat,
    field: &'a str,
}

impl Parts<'_> {
    /// A step as it is there, with what is written of it otherwise.
    fn step(&self, there: &Json, (held, wanted): (&Step, &Step), sent: Json) -> Result<Json, ConnectError> {
        // XML tells an element without attributes and children as its text.
        if !there.is_object() {
            return Ok(sent);
        }
        let mut out = there.clone();
        let texts: [(Option<&String>, &Document, &Document); 3] = [
            (Some(&self.at.action), &held.action, &wanted.action),
            (Some(&self.at.expected), &held.expected, &wanted.expected),
            (self.at.data.as_ref(), &held.data, &wanted.data),
        ];
        for (place, was, is) in texts {
            let Some(place) = place.filter(|_| was != is) else { continue };
            let text = tree::text(there, place).unwrap_or_default();
            let text = json!(patched(&text, self.format, is, self.field)?);
            // In XML, attributes stand beside the text.
            match there.pointer(place).is_some_and(Json::is_object) {
                true => tree::put(&mut out, &format!("{place}/#text"), text),
                false => tree::put(&mut out, place, text),
            }
        }
        let mut take = |place: &str| {
            let Some(top) = place.split('/').nth(1) else { return };
            if let Json::Object(map) = &mut out {
                match sent.get(top) {
                    Some(new) => map.insert(top.to_owned(), new.clone()),
                    None => map.remove(top),
                };
            }
        };
        if let Some(files) = self.at.files.as_ref().filter(|_| held.attachments != wanted.attachments) {
            take(&files.items);
        }
        if let Some(call) = self.at.call.as_ref().filter(|_| held.call != wanted.call) {
            take(&call.target);
            call.arguments.iter().for_each(|arguments| take(&arguments.items));
        }
        Ok(out)
    }
}
