//! Artefacts to bodies: a write's fields at the places where they are read.

use hovrel_core::catalogue::FieldSchema;
use hovrel_core::model::Value;
use hovrel_core::text::{self, TextFormat};
use serde_json::{Map, Value as Json, json};

use super::decode::Decoder;
use super::tree;
use crate::Write;
use crate::profile::{Concurrency, Speaks, StepsAt};

/// What to send.
#[derive(Debug, Clone, Default)]
pub struct Request {
    pub body: Option<Json>,
    /// The root element, for XML.
    pub root: Option<String>,
    pub headers: Vec<(String, String)>,
}

pub fn encode(decoder: &Decoder<'_>, write: &Write) -> Request {
    let mut request = Request { body: None, root: decoder.of.root.clone(), headers: Vec::new() };
    let mut body = Json::Object(Map::new());
    for (id, value) in write.fields.iter() {
        // Fields are checked against the catalogue before they come here.
        if let Some(field) = decoder.fields.field(id) {
            tree::put(&mut body, &decoder.place(id), field_value(decoder, field, value));
        }
    }
    if let Some(parent) = &write.parent {
        let id = match parent {
            None => Json::Null,
            Some(id) if decoder.of.numeric_ids => id.parse::<u64>().map_or_else(|_| json!(id), |n| json!(n)),
            Some(id) => json!(id),
        };
        tree::put(&mut body, &decoder.of.parent, id);
    }
    if let Some(version) = &write.version {
        match &decoder.of.concurrency {
            Concurrency::Header(name) => request.headers.push((name.clone(), version.clone())),
            Concurrency::Body(place) => tree::put(&mut body, place, json!(version)),
        }
    }
    request.body = Some(body);
    request
}

fn field_value(decoder: &Decoder<'_>, field: &FieldSchema, value: &Value) -> Json {
    let format = field.format.unwrap_or(TextFormat::Plain);
    match value {
        Value::Empty => match field.value_type {
            hovrel_core::model::ValueType::Text
            | hovrel_core::model::ValueType::RichText
            | hovrel_core::model::ValueType::Choice => json!(""),
            hovrel_core::model::ValueType::ChoiceList
            | hovrel_core::model::ValueType::UserList
            | hovrel_core::model::ValueType::Steps => json!([]),
            _ => Json::Null,
        },
        Value::RichText(document) => json!(text::write(document, format)),
        Value::Integer(n) => json!(n),
        Value::Boolean(b) => json!(b),
        Value::ChoiceList(list) | Value::UserList(list) => json!(list),
        Value::Steps(steps) => {
            let at = decoder.steps_at();
            let list: Vec<Json> = steps.iter().map(|s| step(s, &at, format)).collect();
            if at.items.is_empty() {
                return Json::Array(list);
            }
            let mut out = Json::Object(Map::new());
            tree::put(&mut out, &at.items, Json::Array(list));
            // An element without steps is written empty.
            if steps.is_empty() && decoder.profile.speaks == Speaks::Xml { json!("") } else { out }
        }
        other => json!(other.display()),
    }
}

fn step(step: &hovrel_core::model::Step, at: &StepsAt, format: TextFormat) -> Json {
    let mut out = Json::Object(Map::new());
    tree::put(&mut out, &at.action, json!(text::write(&step.action, format)));
    tree::put(&mut out, &at.expected, json!(text::write(&step.expected, format)));
    if let Some(data) = &at.data {
        tree::put(&mut out, data, json!(text::write(&step.data, format)));
    }
    out
}
