//! Pages of records, for a person to look at and to edit.
//!
//! Decides how a list of records and one of them are shown, and what of one can be edited there; what a system shows besides
//! stands with its own pages.

use std::collections::{BTreeMap, HashMap};

use axum::Router;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use axum::routing::get;
use chrono::SubsecRound;
use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::{Value, json};

use crate::clock;
use crate::page::{Look, escape, followed, given};
use crate::persist::Kept;
use crate::records::{Field, Form, Kind, Past, Record, Records, Remark, as_text, note_changes};

/// A system that shows its records apart from its test cases.
pub struct Shelf<S> {
    pub look: Look,
    pub kinds: &'static [Kind],
    pub kept: Kept<S>,
    pub records: fn(&S) -> &Records,
    pub records_mut: fn(&mut S) -> &mut Records,
    /// Who edits on these pages.
    pub editor: &'static str,
}

impl<S> Clone for Shelf<S> {
    fn clone(&self) -> Self {
        Shelf { kept: self.kept.clone(), ..*self }
    }
}

/// `/records` for one system.
pub fn routes<S: Serialize + DeserializeOwned + Send + 'static>(shelf: Shelf<S>) -> Router {
    Router::new()
        .route("/records/{kind}", get(list::<S>))
        .route("/records/{kind}/{id}", get(view::<S>).post(save::<S>))
        .with_state(shelf)
}

async fn list<S: Serialize + DeserializeOwned + Send + 'static>(
    State(shelf): State<Shelf<S>>,
    Path(kind): Path<String>,
) -> Response {
    let state = shelf.kept.read();
    let Some(kind) = shelf.kinds.iter().find(|k| k.id == kind) else {
        return shelf.look.not_here("kind");
    };
    let records = (shelf.records)(&state);
    let body = format!("<p>{}</p>{}", kinds_bar(shelf.kinds, records), page_list(kind, records));
    shelf.look.page(kind.label, &body).into_response()
}

async fn view<S: Serialize + DeserializeOwned + Send + 'static>(
    State(shelf): State<Shelf<S>>,
    Path((kind, id)): Path<(String, String)>,
) -> Response {
    let state = shelf.kept.read();
    let found = shelf.kinds.iter().find(|k| k.id == kind).zip(by_id((shelf.records)(&state), &kind, &id));
    let Some((kind, record)) = found else { return shelf.look.not_here("record") };
    let body = format!(
        "<form method=post>{}<button>Save</button></form><table>{}</table>{}",
        inputs(record, kind),
        page_rows(record, kind),
        said_on_page(&record.remarks, &record.trail)
    );
    shelf.look.page(&id, &body).into_response()
}

async fn save<S: Serialize + DeserializeOwned + Send + 'static>(
    State(shelf): State<Shelf<S>>,
    Path((kind, id)): Path<(String, String)>,
    axum::Form(form): axum::Form<HashMap<String, String>>,
) -> Response {
    let mut state = shelf.kept.write();
    let number = id.rsplit('-').next().and_then(|n| n.parse::<u32>().ok());
    let records = (shelf.records_mut)(&mut state);
    let record = number.and_then(|number| records.get_mut(&kind)?.get_mut(&number));
    let Some((kind, record)) = shelf.kinds.iter().find(|k| k.id == kind).zip(record) else {
        return shelf.look.not_here("record");
    };
    let before = record.clone();
    take(record, kind, &form);
    record.revision += 1;
    record.changed = clock::now().trunc_subsecs(0);
    record.changed_by = shelf.editor.to_owned();
    note_changes(&before, record, kind);
    Redirect::to(&format!("/records/{}/{id}", kind.id)).into_response()
}

/// What can be edited on a page: lines, texts, and values of a list.
fn editable(kind: &Kind) -> impl Iterator<Item = &Field> {
    kind.fields.iter().filter(|f| matches!(f.form, Form::Line | Form::Rich | Form::List))
}

/// The fields of a record that can be edited on its page.
pub fn inputs(record: &Record, kind: &Kind) -> String {
    let input = |f: &Field| {
        let (held, name) = (record.values.get(f.id).map(as_text).unwrap_or_default(), f.id);
        let control = match f.form {
            Form::List => {
                let option =
                    |v: &&str| format!("<option{}>{}</option>", if *v == held { " selected" } else { "" }, escape(v));
                let none = if held.is_empty() { Some("") } else { None };
                let options: String = none.iter().chain(f.values).map(option).collect();
                format!("<select name={name}>{options}</select>")
            }
            Form::Rich => format!("<textarea name={name} rows=6>{}</textarea>", escape(&held)),
            _ => format!("<input name={name} value=\"{}\">", escape(&held)),
        };
        format!("<label>{}{control}</label>", escape(f.label))
    };
    editable(kind).map(input).collect()
}

/// Takes what a person edited on a page; fields that the form does not have stay.
pub fn take(record: &mut Record, kind: &Kind, form: &HashMap<String, String>) {
    for field in editable(kind) {
        let held = record.values.contains_key(field.id);
        if let Some(value) = given(form, field.id).filter(|value| held || !value.is_empty()) {
            record.values.insert(field.id.into(), json!(value));
        }
    }
}

/// Links on a page to the lists of all kinds, with how many there are.
pub fn kinds_bar(kinds: &[Kind], records: &Records) -> String {
    let one = |k: &Kind| {
        let count = records.get(k.id).map_or(0, BTreeMap::len);
        format!("<a href=\"/records/{}\">{}: <b>{count}</b></a> ", k.id, k.label)
    };
    kinds.iter().map(one).collect()
}

/// A table on a page of all records of a kind, with what they hold besides long texts.
fn page_list(kind: &Kind, records: &Records) -> String {
    let short = || kind.fields.iter().filter(|f| !matches!(f.form, Form::Rich | Form::Steps));
    let row = |r: &Record| {
        let id = format!("{}-{}", kind.prefix, r.number);
        let text = |f: &Field| escape(&r.values.get(f.id).map(as_text).unwrap_or_default());
        let cells: String = short().map(|f| format!("<td>{}</td>", text(f))).collect();
        format!("<tr><td><a href=\"/records/{}/{id}\">{id}</a></td>{cells}</tr>", kind.id)
    };
    let heads: String = short().map(|f| format!("<th>{}</th>", escape(f.label))).collect();
    let rows: String = records.get(kind.id).into_iter().flat_map(|r| r.values()).map(row).collect();
    format!("<table><tr><th>Number</th>{heads}</tr>{rows}</table>")
}

/// The record behind an id like RN-4, or its number alone, as a page's address has it.
fn by_id<'r>(records: &'r Records, kind: &str, id: &str) -> Option<&'r Record> {
    let number = id.rsplit('-').next()?.parse::<u32>().ok()?;
    records.get(kind)?.get(&number)
}

/// A table on a page of everything a record holds.
pub fn page_rows(record: &Record, kind: &Kind) -> String {
    let shown = |v: &Value| match v {
        Value::Array(list) if list.iter().all(|i| !i.is_object() && !i.is_array()) => {
            list.iter().map(as_text).collect::<Vec<_>>().join(", ")
        }
        Value::Array(_) | Value::Object(_) => json!(v).to_string(),
        other => as_text(other),
    };
    let fields = kind.fields.iter().map(|f| {
        let value = record.values.get(f.id).map(shown).unwrap_or_default();
        format!("<tr><th>{}</th><td>{}</td></tr>", escape(f.label), escape(&value))
    });
    let links = record.links.iter().map(|l| {
        let end = if l.url.is_empty() { escape(&format!("{} {}", l.kind, l.id)) } else { followed(&l.url) };
        format!("<tr><th>{}</th><td>{end}</td></tr>", escape(&l.word))
    });
    fields.chain(links).collect()
}

/// What was said and changed, for a page; remarks as their system writes them.
pub fn said_on_page(remarks: &[Remark], trail: &[Past]) -> String {
    let said = remarks.iter().map(|r| {
        format!("<li><span class=dim>{} {}</span><br>{}</li>", r.at.format("%F %T"), escape(&r.by), escape(&r.text))
    });
    let past = trail.iter().map(|p| {
        format!(
            "<li class=dim>{} {} {}: {} → {}</li>",
            p.at.format("%F %T"),
            escape(&p.by),
            escape(&p.field),
            escape(&p.before),
            escape(&p.after)
        )
    });
    format!("<h2>Remarks</h2><ul>{}</ul><h2>Trail</h2><ul>{}</ul>", said.collect::<String>(), past.collect::<String>())
}
