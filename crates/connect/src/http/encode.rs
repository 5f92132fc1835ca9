//! Artefacts to bodies: a write's fields at the places where they are read.

use hovrel_core::catalogue::{FieldSchema, NewField};
use hovrel_core::model::{Artefact, Comment, HistoryEntry, LINKS, Link, LinkEnd, Value, ValueType};
use hovrel_core::text;
use hovrel_core::text::TextFormat;
use serde_json::{Map, Value as Json, json};

use super::decode::{Decoder, SET_NAMES, label, set_name};
use super::request::Request;
use super::tree;
use super::words::ORIGIN;
use crate::Write;
use crate::profile::{CommentsAt, Concurrency, HistoryAt, LinksAt, NewFieldsAt, OriginLabel, Speaks, StepsAt, TableAt};

/// A field to be added.
pub fn new_field(at: &NewFieldsAt, field: &NewField) -> Request {
    let mut body = Json::Object(Map::new());
    tree::put(&mut body, &at.name, json!(field.name));
    tree::put(&mut body, &at.type_word, json!(at.types.get(&field.value_type)));
    if !field.allowed.is_empty() {
        tree::put(&mut body, &at.allowed, json!(field.allowed));
    }
    if let Some(most) = field.max_length {
        tree::put(&mut body, &at.max_length, json!(most));
    }
    Request { body: Some(body), ..Request::default() }
}

/// `now` is the item as it is, for systems where the last write wins.
pub fn encode(decoder: &Decoder<'_>, write: &Write, now: Option<&Artefact>) -> Request {
    let mut request = Request { body: None, root: decoder.of.root.clone(), headers: Vec::new() };
    let mut body = Json::Object(Map::new());
    if write.id.is_none() {
        decoder
            .of
            .created_with
            .iter()
            .for_each(|(name, value)| tree::put(&mut body, &format!("/{name}"), json!(value)));
    }
    if let Some(at) = &decoder.of.origin_label {
        put_labels(&mut body, decoder, at, write, now);
    }
    for (id, value) in write.fields.iter() {
        let is_label = |at: &OriginLabel| &**id == ORIGIN || **id == at.field;
        if decoder.of.origin_label.as_ref().is_some_and(is_label) {
            continue;
        }
        if let (LINKS, Value::Links(list), Some(at)) = (&**id, value, &decoder.of.links) {
            let list = list.iter().map(|l| link(decoder, at, l)).collect();
            put_list(&mut body, &at.items, list, decoder.profile.speaks);
            continue;
        }
        if let (LINKS, Value::Empty, Some(at)) = (&**id, value, &decoder.of.links) {
            put_list(&mut body, &at.items, Vec::new(), decoder.profile.speaks);
            continue;
        }
        // Fields are checked against the catalogue before they come here.
        if let Some(field) = decoder.fields.field(id) {
            tree::put(&mut body, &decoder.place(id), field_value(decoder, field, value));
        }
    }
    if let (Some(parent), Some(at)) = (&write.parent, &decoder.of.parent) {
        tree::put(&mut body, at, parent.as_ref().map_or(Json::Null, |id| id_json(decoder, id)));
    }
    if let Some(version) = &write.version {
        match &decoder.of.concurrency {
            Concurrency::Header(name) => request.headers.push((name.clone(), version.clone())),
            Concurrency::Body(place) => tree::put(&mut body, place, json!(version)),
            // Compared before writing.
            Concurrency::LastWins => {}
        }
    }
    request.body = Some(body);
    request
}

/// What was sent, in the whole item as it was read: what the system keeps itself goes back as it came.
pub fn over(item: Json, sent: Json) -> Json {
    match (item, sent) {
        (Json::Object(mut item), Json::Object(sent)) => {
            for (key, new) in sent {
                let old = item.remove(&key).unwrap_or(Json::Null);
                item.insert(key, if new.is_object() { over(old, new) } else { new });
            }
            Json::Object(item)
        }
        (_, sent) => sent,
    }
}

/// Whether a write touches the list that labels and origin mark are kept in together.
pub fn writes_labels(decoder: &Decoder<'_>, write: &Write) -> bool {
    let touches = |at: &OriginLabel| write.fields.get(&at.field).is_some() || write.fields.get(ORIGIN).is_some();
    decoder.of.origin_label.as_ref().is_some_and(touches)
}

/// Writes labels and origin mark as the one list they are, if either is to be written.
fn put_labels(body: &mut Json, decoder: &Decoder<'_>, at: &OriginLabel, write: &Write, now: Option<&Artefact>) {
    if !writes_labels(decoder, write) {
        return;
    }
    let (labels, mark) = (write.fields.get(&at.field), write.fields.get(ORIGIN));
    let held = |field: &str| now.and_then(|a| a.fields.get(field)).cloned().unwrap_or(Value::Empty);
    let labels = labels.cloned().unwrap_or_else(|| held(&at.field));
    let mark = mark.cloned().unwrap_or_else(|| held(ORIGIN)).display();
    let mut list = match labels {
        Value::ChoiceList(list) => list,
        _ => Vec::new(),
    };
    if !mark.is_empty() {
        list.push(label(&at.prefix, &mark));
    }
    tree::put(body, &decoder.place(&at.field), json!(list));
}

/// A comment to be added; with author and time where these can be set.
pub fn comment(at: &CommentsAt, comment: &Comment) -> Request {
    let mut body = Json::Object(Map::new());
    tree::put(&mut body, &at.text, json!(text::write(&comment.body, at.format)));
    if at.backdated
        && let Some(by) = &comment.stamp.by
    {
        tree::put(&mut body, &at.at, json!(comment.stamp.at.map(|at| at.to_rfc3339())));
        tree::put(&mut body, &at.by, json!(by));
    }
    Request { body: Some(body), root: at.root.clone(), headers: Vec::new() }
}

/// A past change to be added.
pub fn history(at: &HistoryAt, entry: &HistoryEntry) -> Request {
    let mut body = Json::Object(Map::new());
    tree::put(&mut body, &at.at, json!(entry.stamp.at.map(|at| at.to_rfc3339())));
    tree::put(&mut body, &at.by, json!(entry.stamp.by));
    tree::put(&mut body, &at.field, json!(entry.field));
    tree::put(&mut body, &at.before, json!(entry.before));
    tree::put(&mut body, &at.after, json!(entry.after));
    Request { body: Some(body), root: None, headers: Vec::new() }
}

fn id_json(decoder: &Decoder<'_>, id: &str) -> Json {
    match id.parse::<u64>() {
        Ok(number) if decoder.of.numeric_ids => json!(number),
        _ => json!(id),
    }
}

/// Puts a list at a place. In XML an empty list is an empty element around nothing.
fn put_list(body: &mut Json, place: &str, list: Vec<Json>, speaks: Speaks) {
    match place.rsplit_once('/') {
        Some((around, _)) if list.is_empty() && speaks == Speaks::Xml => tree::put(body, around, json!("")),
        _ => tree::put(body, place, Json::Array(list)),
    }
}

fn link(decoder: &Decoder<'_>, at: &LinksAt, link: &Link) -> Json {
    let mut out = Json::Object(Map::new());
    tree::put(&mut out, &at.link_type, json!(at.word(link)));
    match &link.target {
        LinkEnd::Artefact { kind, id } | LinkEnd::Pending { kind, id } => {
            let kind_word = decoder.profile.kinds.get(kind).map_or("", |k| &k.schema_id);
            tree::put(&mut out, &at.kind, json!(kind_word));
            tree::put(&mut out, &at.id, id_json(decoder, id));
        }
        LinkEnd::Url(url) => tree::put(&mut out, &at.url, json!(url)),
    }
    out
}

pub fn table(at: &TableAt, rows: &[Vec<String>]) -> Json {
    match at {
        TableAt::Rows { items, cells } => {
            let row = |cell_texts: &Vec<String>| {
                let mut out = Json::Object(Map::new());
                tree::put(&mut out, cells, json!(cell_texts));
                out
            };
            let mut out = Json::Object(Map::new());
            tree::put(&mut out, items, Json::Array(rows.iter().map(row).collect()));
            out
        }
        TableAt::Sets { name, values, column, value } => {
            let Some((columns, rows)) = rows.split_first() else { return json!([]) };
            let named = columns.first().is_some_and(|first| first == SET_NAMES);
            let set = |(n, row): (usize, &Vec<String>)| {
                let held: Vec<Json> = columns
                    .iter()
                    .zip(row)
                    .skip(usize::from(named))
                    .map(|(c, cell)| {
                        let mut out = Json::Object(Map::new());
                        tree::put(&mut out, column, json!(c));
                        tree::put(&mut out, value, json!(cell));
                        out
                    })
                    .collect();
                let mut out = Json::Object(Map::new());
                let own = row.first().filter(|own| named && !own.is_empty());
                tree::put(&mut out, name, json!(own.cloned().unwrap_or_else(|| set_name(n))));
                tree::put(&mut out, values, Json::Array(held));
                out
            };
            Json::Array(rows.iter().enumerate().map(set).collect())
        }
    }
}

fn field_value(decoder: &Decoder<'_>, field: &FieldSchema, value: &Value) -> Json {
    let format = field.format.unwrap_or(TextFormat::Plain);
    match value {
        Value::Empty => match field.value_type {
            ValueType::Text | ValueType::RichText | ValueType::Choice => json!(""),
            ValueType::ChoiceList
            | ValueType::UserList
            | ValueType::References
            | ValueType::Table
            | ValueType::Steps => json!([]),
            _ => Json::Null,
        },
        Value::RichText(document) => json!(text::write(document, format)),
        Value::Integer(n) => json!(n),
        Value::Boolean(b) => match decoder.type_of(&field.id).and_then(|t| t.words.as_ref()) {
            Some(words) => json!(if *b { &words.yes } else { &words.no }),
            None => json!(b),
        },
        Value::Duration(span) => span.whole_seconds().map_or_else(|| json!(span.seconds()), |seconds| json!(seconds)),
        Value::ChoiceList(list) | Value::UserList(list) => json!(list),
        Value::Reference(reference) => id_json(decoder, reference.id()),
        Value::References(list) => Json::Array(list.iter().map(|r| id_json(decoder, r.id())).collect()),
        Value::Table(rows) => decoder.table_at(&field.id).map_or(Json::Null, |at| table(at, rows)),
        Value::Steps(steps) => {
            let at = decoder.steps_at(&field.id);
            let list: Vec<Json> = steps.iter().map(|s| step(decoder, s, &at, format)).collect();
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

fn step(decoder: &Decoder<'_>, step: &hovrel_core::model::Step, at: &StepsAt, format: TextFormat) -> Json {
    let mut out = Json::Object(Map::new());
    tree::put(&mut out, &at.action, json!(text::write(&step.action, format)));
    tree::put(&mut out, &at.expected, json!(text::write(&step.expected, format)));
    if let Some(data) = &at.data {
        tree::put(&mut out, data, json!(text::write(&step.data, format)));
    }
    if let Some(files) = &at.files {
        let file = |name: &String| {
            let mut given = Json::Object(Map::new());
            tree::put(&mut given, &files.name, json!(name));
            given
        };
        tree::put(&mut out, &files.items, Json::Array(step.attachments.iter().map(file).collect()));
    }
    if let (Some(at), Some(call)) = (&at.call, &step.call) {
        tree::put(&mut out, &at.target, id_json(decoder, call.target.id()));
        if let Some(places) = &at.arguments {
            let argument = |a: &hovrel_core::model::Argument| {
                let mut given = Json::Object(Map::new());
                tree::put(&mut given, &places.name, json!(a.name));
                tree::put(&mut given, &places.value, json!(text::write(&a.value, format)));
                given
            };
            tree::put(&mut out, &places.items, Json::Array(call.arguments.iter().map(argument).collect()));
        }
    }
    out
}
