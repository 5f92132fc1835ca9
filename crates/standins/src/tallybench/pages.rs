//! Tallybench's own page, where a person sees and edits what is in it.

use std::collections::HashMap;

use axum::Router;
use axum::extract::{Form, Path, Query, State as Extract};
use axum::http::header;
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::get;

use super::state::{PRIORITIES, State};
use super::{Server, kinds};
use crate::clock;
use crate::page::{Look, escape, followed, given, options};
use crate::record_pages::{self, Shelf, kinds_bar, said_on_page};

pub const LOOK: Look = Look { system: "Tallybench", colour: "#2d5d4b" };

pub fn routes(server: Server) -> Router {
    let records = record_pages::routes(Shelf {
        look: LOOK,
        kinds: &kinds::KINDS,
        kept: server.kept.clone(),
        records: |state: &State| &state.records,
        records_mut: |state: &mut State| &mut state.records,
        editor: "u100",
    });
    Router::new()
        .route("/", get(list))
        .route("/view/{id}", get(view).post(save))
        .route("/view/{id}/file/{name}", get(file))
        .route("/setup", get(setup).post(set_up))
        .with_state(server)
        .merge(records)
}

async fn list(Extract(server): Extract<Server>, Query(query): Query<HashMap<String, String>>) -> Html<String> {
    let state = server.kept.read();
    let wanted = query.get("find").cloned().unwrap_or_default().to_lowercase();
    let matching = |c: &&super::state::Case| {
        c.title.to_lowercase().contains(&wanted)
            || c.external_ref.as_ref().is_some_and(|r| r.to_lowercase().contains(&wanted))
    };
    let rows: String = state
        .cases
        .values()
        .filter(matching)
        .map(|c| {
            format!(
                "<tr><td><a href=\"/view/{0}\">TB-{0}</a></td><td>{1}</td><td>{2}</td><td>{3}</td><td class=dim>{4}</td></tr>",
                c.id,
                escape(&c.title),
                escape(&state.path(c.chapter_id).join(" / ")),
                escape(&c.priority),
                escape(c.external_ref.as_deref().unwrap_or_default()),
            )
        })
        .collect();
    let body = format!(
        "<p>Ropeway acceptance: <b id=count>{}</b> cases in <b id=chapters>{}</b> chapters · <a href=/setup>Setup</a></p><form><label>Find <input name=find value=\"{}\"></label></form><p>{}</p>\
         <table><tr><th>Number</th><th>Title</th><th>Chapter</th><th>Priority</th><th>External reference</th></tr>{rows}</table>",
        state.cases.len(),
        state.chapters.len(),
        escape(&wanted),
        kinds_bar(&kinds::KINDS, &state.records)
    );
    LOOK.page("Cases", &body)
}

async fn view(Extract(server): Extract<Server>, Path(id): Path<u32>) -> Response {
    let state = server.kept.read();
    let Some(c) = state.cases.get(&id) else {
        return LOOK.not_here("case");
    };
    let shown = |markdown: &str| {
        let text = markdown.replace("attachment:", &format!("/view/{id}/file/"));
        let mut options = comrak::Options::default();
        options.extension.table = true;
        options.extension.strikethrough = true;
        comrak::markdown_to_html(&text, &options)
    };
    let steps: String = c
        .steps
        .iter()
        .enumerate()
        .map(|(n, s)| {
            format!(
                "<tr id=step-{6}><td>{0}{5}</td><td>{1}<textarea name=action{0} aria-label=\"Action {0}\" rows=2>{2}</textarea></td>\
                 <td>{3}<textarea name=expected{0} aria-label=\"Expected {0}\" rows=2>{4}</textarea></td></tr>",
                n + 1,
                shown(&s.action),
                escape(&s.action),
                shown(&s.expected),
                escape(&s.expected),
                s.shared.map(|n| format!(" <a href=/records/shared/SH-{n}>SH-{n}</a>")).unwrap_or_default(),
                s.step_no
            )
        })
        .collect();
    let files: String = c
        .files
        .iter()
        .map(|f| {
            let address = f.name.replace(' ', "%20");
            format!("<li><a href=\"/view/{id}/file/{address}\">{}</a> ({} bytes)</li>", escape(&f.name), f.bytes)
        })
        .collect();
    let options = options(&PRIORITIES, &c.priority);
    let body = format!(
        "<p class=dim>{} · version {} · changed {} by {} · from {}</p><form method=post><label>Title<input name=title value=\"{}\"></label>\
         <label>Priority<select name=priority>{options}</select></label><label>Component<input name=component value=\"{}\"></label>\
         <h2>Preconditions</h2>{}<label>Preconditions (Markdown)<textarea name=preconditions rows=4>{}</textarea></label>\
         <h2>Steps</h2><table><tr><th></th><th>Action</th><th>Expected</th></tr>{steps}</table><button>Save</button></form><h2>Files</h2><ul>{files}</ul>\
         <h2>Data sets</h2><ul>{}</ul><h2>Links</h2><ul>{}</ul>\
         <p>Status {} · tags {} · assigned {}</p>{}",
        escape(&state.path(c.chapter_id).join(" / ")),
        c.revision,
        c.updated_at,
        escape(&c.updated_by),
        escape(c.external_ref.as_deref().unwrap_or("nowhere")),
        escape(&c.title),
        escape(&c.component),
        shown(&c.preconditions),
        escape(&c.preconditions),
        c.data_sets
            .iter()
            .map(|d| {
                let values: Vec<String> = d.values.iter().map(|v| format!("{} = {}", v.parameter, v.value)).collect();
                format!("<li>{}: {}</li>", escape(&d.name), escape(&values.join(", ")))
            })
            .collect::<String>(),
        c.links
            .iter()
            .map(|l| format!("<li>{} {} {} {}</li>", escape(&l.word), escape(&l.kind), escape(&l.id), followed(&l.url)))
            .collect::<String>(),
        escape(&c.status),
        escape(&c.tags.join(", ")),
        escape(c.assigned.as_deref().unwrap_or("nobody")),
        said_on_page(&c.comments, &c.history),
    );
    LOOK.page(&format!("TB-{id}"), &body).into_response()
}

async fn save(
    Extract(server): Extract<Server>,
    Path(id): Path<u32>,
    Form(form): Form<HashMap<String, String>>,
) -> Redirect {
    let mut state = server.kept.write();
    if let Some(c) = state.cases.get_mut(&id) {
        let before = c.clone();
        let put = |name: &str, into: &mut String| {
            if let Some(v) = given(&form, name) {
                *into = v;
            }
        };
        put("title", &mut c.title);
        put("priority", &mut c.priority);
        put("component", &mut c.component);
        put("preconditions", &mut c.preconditions);
        for (n, step) in c.steps.iter_mut().enumerate() {
            put(&format!("action{}", n + 1), &mut step.action);
            put(&format!("expected{}", n + 1), &mut step.expected);
        }
        c.revision += 1;
        c.updated_at = clock::now();
        c.updated_by = "u100".into();
        super::api::note_changes(&before, c);
    }
    Redirect::to(&format!("/view/{id}"))
}

/// Where the system's own administrator says which priorities there are.
async fn setup(Extract(server): Extract<Server>) -> Html<String> {
    let now = server.kept.read().priorities();
    let boxes: String = PRIORITIES
        .iter()
        .map(|p| {
            let checked = if now.contains(p) { " checked" } else { "" };
            format!("<label><input type=checkbox style=\"width:auto\" name={p}{checked}> {p}</label>")
        })
        .collect();
    let body = format!(
        "<p>Priorities that a case can get</p><form method=post>{boxes}<label>From when so many more cases were made (empty: at once) <input name=after type=number min=1></label><button>Save</button></form>"
    );
    LOOK.page("Setup", &body)
}

async fn set_up(Extract(server): Extract<Server>, Form(form): Form<HashMap<String, String>>) -> Redirect {
    let retired = PRIORITIES.iter().filter(|p| !form.contains_key(**p)).map(|p| (*p).to_owned()).collect();
    let mut state = server.kept.write();
    match form.get("after").and_then(|n| n.parse().ok()) {
        Some(after) => state.retiring = Some((after, retired)),
        None => state.retired = retired,
    }
    Redirect::to("/setup")
}

async fn file(Extract(server): Extract<Server>, Path((id, name)): Path<(u32, String)>) -> Response {
    let state = server.kept.read();
    let found = state.cases.get(&id).and_then(|c| c.files.iter().find(|f| f.name == name));
    match found.and_then(|f| Some((f.media_type.clone(), state.blobs.get(&f.sha256)?))) {
        Some((media, bytes)) => ([(header::CONTENT_TYPE, media)], bytes).into_response(),
        None => LOOK.not_here("file"),
    }
}
