//! Oldstone's own page, where a person sees and edits what is in it.

use std::collections::HashMap;

use axum::Router;
use axum::extract::{Form, Path, Query, State as Extract};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::get;

use super::state::State;
use super::{Server, kinds};
use crate::page::{Look, escape, given, options};
use crate::record_pages::{self, Shelf, kinds_bar, said_on_page};
use crate::records;
use crate::world::IMPORTANCE;

pub const LOOK: Look = Look { system: "Oldstone", colour: "#5b4636" };

pub fn routes(server: Server) -> Router {
    let records = record_pages::routes(Shelf {
        look: LOOK,
        kinds: &kinds::KINDS,
        kept: server.kept.clone(),
        records: |state: &State| &state.records,
        records_mut: |state: &mut State| &mut state.records,
        editor: "ibrekke",
    });
    Router::new().route("/", get(list)).route("/view/{id}", get(view).post(save)).with_state(server).merge(records)
}

fn path(state: &State, folder: Option<u32>) -> String {
    records::path(folder, |n| state.folders.get(&n).map(|f| (f.name.as_str(), f.parent))).join(" / ")
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
    LOOK.page("Test cases", &body)
}

async fn view(Extract(server): Extract<Server>, Path(id): Path<String>) -> Response {
    let state = server.kept.read();
    let found = id.strip_prefix("OS-").and_then(|n| n.parse().ok()).and_then(|n: u32| state.cases.get(&n));
    let Some(c) = found else {
        return LOOK.not_here("test case");
    };
    let options = options(&IMPORTANCE, &c.importance);
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
    LOOK.page(&format!("OS-{}", c.number), &body).into_response()
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
        let put = |name: &str, into: &mut String| {
            if let Some(v) = given(&form, name) {
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
