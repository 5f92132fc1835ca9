//! Oldstone's own page, where a person sees and edits what is in it.

use std::collections::HashMap;

use axum::Router;
use axum::extract::{Form, Path, Query, State as Extract};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::get;

use super::state::State;
use super::{Server, kinds};
use crate::page::{escape, page};
use crate::records::{by_id, kinds_bar, page_list, page_rows, said_on_page};
use crate::world::IMPORTANCE;

pub const COLOUR: &str = "#5b4636";

pub fn routes(server: Server) -> Router {
    Router::new()
        .route("/", get(list))
        .route("/view/{id}", get(view).post(save))
        .route("/records/{kind}", get(records))
        .route("/records/{kind}/{id}", get(record))
        .with_state(server)
}

fn path(state: &State, folder: Option<u32>) -> String {
    let mut names = Vec::new();
    let mut at = folder;
    while let Some(f) = at.and_then(|n| state.folders.get(&n)) {
        names.insert(0, f.name.clone());
        at = f.parent;
    }
    names.join(" / ")
}

async fn list(Extract(server): Extract<Server>, Query(query): Query<HashMap<String, String>>) -> Html<String> {
    let state = server.kept.read();
    let wanted = query.get("find").cloned().unwrap_or_default();
    let matching = |c: &&super::state::Case| {
        c.name.to_lowercase().contains(&wanted.to_lowercase()) || wanted == format!("OS-{}", c.number)
    };
    let rows: String = state
        .cases
        .values()
        .filter(matching)
        .map(|c| {
            format!(
                "<tr><td><a href=\"/view/OS-{0}\">OS-{0}</a></td><td>{1}</td><td>{2}</td><td>{3}</td></tr>",
                c.number,
                escape(&c.name),
                escape(&path(&state, c.folder)),
                escape(&c.importance)
            )
        })
        .collect();
    let body = format!(
        "<p>Lift control: <b id=count>{}</b> test cases in <b id=folders>{}</b> folders</p><form><label>Find <input name=find value=\"{}\"></label></form><p>{}</p>\
         <table><tr><th>Number</th><th>Name</th><th>Folder</th><th>Importance</th></tr>{rows}</table>",
        state.cases.len(),
        state.folders.len(),
        escape(&wanted),
        kinds_bar(&kinds::KINDS, &state.records)
    );
    page("Oldstone", COLOUR, "Test cases", &body)
}

async fn records(Extract(server): Extract<Server>, Path(kind): Path<String>) -> Html<String> {
    let state = server.kept.read();
    let Some(kind) = kinds::find(&kind) else {
        return page("Oldstone", COLOUR, "Not here", "<p>There is no such kind.</p>");
    };
    let body =
        format!("<p>{}</p>{}", kinds_bar(&kinds::KINDS, &state.records), page_list(kind, &state.records, &["name"]));
    page("Oldstone", COLOUR, kind.label, &body)
}

async fn record(Extract(server): Extract<Server>, Path((kind, id)): Path<(String, String)>) -> Html<String> {
    let state = server.kept.read();
    let Some((kind, record)) = kinds::find(&kind).zip(by_id(&state.records, &kind, &id)) else {
        return page("Oldstone", COLOUR, "Not here", "<p>There is no such record.</p>");
    };
    let body = format!("<table>{}</table>{}", page_rows(record, kind), said_on_page(&record.remarks, &record.trail));
    page("Oldstone", COLOUR, &id, &body)
}

async fn view(Extract(server): Extract<Server>, Path(id): Path<String>) -> Response {
    let state = server.kept.read();
    let found = id.strip_prefix("OS-").and_then(|n| n.parse().ok()).and_then(|n: u32| state.cases.get(&n));
    let Some(c) = found else {
        return page("Oldstone", COLOUR, "Not here", "<p>There is no such test case.</p>").into_response();
    };
    let options: String = IMPORTANCE
        .iter()
        .map(|v| format!("<option{}>{}</option>", if *v == c.importance { " selected" } else { "" }, escape(v)))
        .collect();
    let steps: String = c
        .steps
        .iter()
        .enumerate()
        .map(|(n, s)| {
            let mut call = if s.call.is_empty() { String::new() } else { format!(" calls {}", s.call) };
            if !s.files.is_empty() {
                call += &format!(" with {}", escape(&s.files.join(", ")));
            }
            format!(
                "<h2>Step {0}{4}</h2><label>Action {0}<textarea name=action{0} rows=2>{1}</textarea></label>\
                 <label>Expected {0}<textarea name=expected{0} rows=2>{2}</textarea></label>\
                 <label>Data {0}<textarea name=data{0} rows=1>{3}</textarea></label>",
                n + 1,
                escape(&s.action),
                escape(&s.expected),
                escape(&s.data),
                escape(&call)
            )
        })
        .collect();
    let files: String = c.files.iter().map(|f| format!("<li>{} ({} bytes)</li>", escape(&f.name), f.bytes)).collect();
    let body = format!(
        "<p class=dim>{} · revision {} · changed {} by {}</p><form method=post>\
         <label>Name<input name=name value=\"{}\"></label>\
         <label>Importance<select name=importance><option></option>{options}</select></label>\
         <label>Brake class<input name=brake_class value=\"{}\"></label>\
         <label>Description (HTML)<textarea name=description rows=4>{}</textarea></label>{steps}<button>Save</button></form><h2>Files</h2><ul>{files}</ul>{}",
        escape(&path(&state, c.folder)),
        c.revision,
        c.changed,
        escape(&c.changed_by),
        escape(&c.name),
        escape(&c.brake_class),
        escape(&c.description),
        said_on_page(&c.remarks, &c.trail),
    );
    page("Oldstone", COLOUR, &format!("OS-{}", c.number), &body).into_response()
}

async fn save(
    Extract(server): Extract<Server>,
    Path(id): Path<String>,
    Form(form): Form<HashMap<String, String>>,
) -> Redirect {
    let mut state = server.kept.write();
    let now = State::now();
    if let Some(c) = id.strip_prefix("OS-").and_then(|n| n.parse().ok()).and_then(|n: u32| state.cases.get_mut(&n)) {
        let before = c.clone();
        // A browser sends line ends as CR LF; what was not edited must stay as it was.
        let given = |name: &str| form.get(name).map(|v| v.replace("\r\n", "\n"));
        let put = |name: &str, into: &mut String| {
            if let Some(v) = given(name) {
                *into = v;
            }
        };
        put("name", &mut c.name);
        put("importance", &mut c.importance);
        put("brake_class", &mut c.brake_class);
        put("description", &mut c.description);
        for (n, s) in c.steps.iter_mut().enumerate() {
            put(&format!("action{}", n + 1), &mut s.action);
            put(&format!("expected{}", n + 1), &mut s.expected);
            put(&format!("data{}", n + 1), &mut s.data);
        }
        c.revision += 1;
        c.changed = now;
        c.changed_by = "ibrekke".into();
        super::api::note_changes(&before, c);
    }
    Redirect::to(&format!("/view/{id}"))
}
