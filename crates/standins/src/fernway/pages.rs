//! Fernway's own page, where a person sees and edits what is in it.

use std::collections::HashMap;

use axum::Router;
use axum::extract::{Form, Path, Query, State as Extract};
use axum::http::header;
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::{get, post};
use chrono::SubsecRound;
use serde_json::json;

use super::state::{DESKS, PROJECT, PROJECTS, key};
use super::{Server, api, kinds};
use crate::clock;
use crate::page::{Look, escape};
use crate::record_pages::{self, page_rows, said_on_page};
use crate::records::{Remark, as_text, note_changes};

/// Whoever edits on the pages.
const PERSON: &str = "p20";

pub const LOOK: Look = Look { system: "Fernway", colour: "#5a3f6e" };

pub fn routes(server: Server) -> Router {
    Router::new()
        .route("/", get(list).post(new))
        .route("/item/{uid}", get(view).post(save))
        .route("/item/{uid}/desk", post(hand_over))
        .route("/item/{uid}/file/{name}", get(file))
        .with_state(server)
}

async fn list(Extract(server): Extract<Server>, Query(query): Query<HashMap<String, String>>) -> Html<String> {
    let state = server.kept.read();
    let wanted = query.get("find").cloned().unwrap_or_default().to_lowercase();
    let mut body = String::from("<p>Ropeway engineering");
    for kind in &kinds::KINDS {
        let count = state.records.get(kind.id).map_or(0, |r| r.len());
        body += &format!(", <b id=count-{}>{count}</b> × {}", kind.id, kind.label);
    }
    body += &format!("</p><form><label>Find <input name=find value=\"{}\"></label></form>", escape(&wanted));
    for kind in &kinds::KINDS {
        body +=
            &format!("<h2>{}</h2><table><tr><th>Key</th><th>Title</th><th>State</th><th>Labels</th></tr>", kind.label);
        for r in state.records.get(kind.id).into_iter().flat_map(|r| r.values()) {
            let text = |slot: &str| match r.values.get(slot) {
                Some(serde_json::Value::Array(list)) => list.iter().map(as_text).collect::<Vec<_>>().join(" "),
                Some(other) => as_text(other),
                None => String::new(),
            };
            let (title, labels) = (text("title"), text("labels"));
            if format!("{} {labels}", title.to_lowercase()).to_lowercase().contains(&wanted) {
                body += &format!(
                    "<tr><td><a href=\"/item/i{}\">{}</a></td><td>{}</td><td>{}</td><td class=dim>{}</td></tr>",
                    r.number,
                    key(r),
                    escape(&title),
                    escape(&text("state")),
                    escape(&labels)
                );
            }
        }
        body += &format!(
            "</table><form method=post><input type=hidden name=form value={}><label>Title<input name=title required></label>\
             <button>New {}</button></form>",
            kind.id,
            kind.label.to_lowercase()
        );
    }
    LOOK.page("Items", &body)
}

async fn view(Extract(server): Extract<Server>, Path(uid): Path<String>) -> Response {
    let state = server.kept.read();
    let Some((record, kind)) = state.item(&uid).and_then(|r| Some((r, kinds::find(&r.kind)?))) else {
        return LOOK.not_here("item");
    };
    let text = |slot: &str| record.values.get(slot).map(as_text).unwrap_or_default();
    let files: String = record
        .files
        .iter()
        .map(|f| {
            format!("<li><a href=\"/item/{uid}/file/{}\">{}</a> ({} bytes)</li>", f.file, escape(&f.name), f.bytes)
        })
        .collect();
    let desks: String = DESKS.iter().map(|d| format!("<option>{d}</option>")).collect();
    let body = format!(
        "<form method=post>{}<label>Remark<input name=remark></label><button>Save</button></form>\
         <form method=post action=\"/item/{uid}/desk\"><label>Hand to desk<select name=desk>{desks}</select></label><button>Hand over</button></form>\
         <h2>Body</h2><p>{}</p><h2>Slots</h2><table>{}</table><h2>Files</h2><ul>{files}</ul>{}",
        record_pages::inputs(record, kind),
        shown(&text("body")),
        page_rows(record, kind),
        said_on_page(&record.remarks, &record.trail),
    );
    LOOK.page(&format!("{} {}", kind.label, key(record)), &body).into_response()
}

/// A new item that has a title and nothing else; what it holds besides is edited on its page.
async fn new(Extract(server): Extract<Server>, Form(form): Form<HashMap<String, String>>) -> Redirect {
    let given = |name: &str| form.get(name).map(|text| text.trim()).filter(|text| !text.is_empty());
    let (Some(kind), Some(title)) = (given("form").and_then(kinds::find), given("title")) else {
        return Redirect::to("/");
    };
    let mut state = server.kept.write();
    let number = state.numbers.take();
    let mut record = kinds::begun(kind, number, PERSON);
    record.values.extend([("title".into(), json!(title)), (PROJECT.into(), json!(PROJECTS[0].0))]);
    state.keep(record);
    Redirect::to(&format!("/item/i{number}"))
}

/// Fernway's text: line breaks count, and what looks like an address is one.
fn shown(text: &str) -> String {
    let word = |w: &str| match w.starts_with("http://") || w.starts_with("https://") {
        true => format!("<a href=\"{0}\">{0}</a>", escape(w)),
        false => escape(w),
    };
    let line = |l: &str| l.split(' ').map(word).collect::<Vec<_>>().join(" ");
    text.lines().map(line).collect::<Vec<_>>().join("<br>")
}

async fn save(
    Extract(server): Extract<Server>,
    Path(uid): Path<String>,
    Form(form): Form<HashMap<String, String>>,
) -> Redirect {
    let mut state = server.kept.write();
    let found = state.item(&uid).cloned().and_then(|r| Some((kinds::find(&r.kind)?, r)));
    if let Some((kind, before)) = found {
        let mut now = before.clone();
        record_pages::take(&mut now, kind, &form);
        now.changed = clock::now().trunc_subsecs(0);
        now.changed_by = PERSON.into();
        if let Some(text) = form.get("remark").filter(|text| !text.trim().is_empty()) {
            now.remarks.push(Remark { at: now.changed, by: PERSON.into(), text: text.clone() });
        }
        note_changes(&before, &mut now, kind);
        state.keep(now);
    }
    Redirect::to(&format!("/item/{uid}"))
}

/// The item gets another key; its uid stays.
async fn hand_over(
    Extract(server): Extract<Server>,
    Path(uid): Path<String>,
    Form(form): Form<HashMap<String, String>>,
) -> Redirect {
    if let Some(desk) = form.get("desk").filter(|d| DESKS.contains(&d.as_str())) {
        server.kept.write().hand_over(&uid, desk);
    }
    Redirect::to(&format!("/item/{uid}"))
}

async fn file(Extract(server): Extract<Server>, Path((uid, name)): Path<(String, String)>) -> Response {
    let state = server.kept.read();
    match state.item(&uid).and_then(|r| api::file(&state, r, &name)) {
        Some((media_type, bytes)) => ([(header::CONTENT_TYPE, media_type)], bytes).into_response(),
        None => LOOK.not_here("file"),
    }
}
