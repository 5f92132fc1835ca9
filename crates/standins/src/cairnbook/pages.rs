//! Cairnbook's own page, where a person sees and edits what is in it.

use std::collections::HashMap;

use axum::Router;
use axum::extract::{Form, Path, State as Extract};
use axum::http::header;
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::get;
use chrono::SubsecRound;
use serde_json::json;

use super::api::{shown, shown_links};
use super::state::uid;
use super::{Server, kinds, reqif};
use crate::clock;
use crate::page::{Look, escape};
use crate::record_pages::said_on_page;
use crate::records::note_changes;

pub const LOOK: Look = Look { system: "Cairnbook", colour: "#3d5a3a" };

pub fn routes(server: Server) -> Router {
    Router::new()
        .route("/file.reqif", get(file))
        .route("/", get(list))
        .route("/page/{uid}", get(view).post(save))
        .with_state(server)
}

async fn list(Extract(server): Extract<Server>) -> Html<String> {
    let state = server.kept.read();
    let all = |kind: &str| state.records.get(kind).into_iter().flat_map(|r| r.values()).collect::<Vec<_>>();
    let requirements = all("requirement");
    let volumes = all("volume");
    let mut body = format!(
        "<p>Safety requirements, <b id=count-volume>{}</b> × Volume, <b id=count-requirement>{}</b> × Requirement · <a href=/file.reqif>as a ReqIF file</a></p>",
        volumes.len(),
        requirements.len()
    );
    for volume in volumes {
        let here = uid(volume.number);
        body += &format!(
            "<h2><a href=\"/page/{here}\">{}</a> <span class=dim>{}</span></h2><table>",
            escape(&shown(volume, "title")),
            escape(&shown(volume, "state"))
        );
        for r in requirements.iter().filter(|r| shown(r, "volume") == here) {
            body += &format!(
                "<tr><td><a href=\"/page/{}\">{}</a></td><td>{}</td><td>{}</td><td class=dim>{}</td></tr>",
                uid(r.number),
                r.number,
                escape(&shown(r, "title")),
                escape(&shown(r, "level")),
                escape(&shown(r, "source"))
            );
        }
        body += "</table>";
    }
    LOOK.page("Volumes", &body)
}

/// Everything as a file, for a person to keep.
async fn file(Extract(server): Extract<Server>) -> Response {
    let head = [
        (header::CONTENT_TYPE, "application/xml"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"safety-requirements.reqif\""),
    ];
    (head, reqif::export(&server.kept.read())).into_response()
}

async fn view(Extract(server): Extract<Server>, Path(uid): Path<String>) -> Response {
    let state = server.kept.read();
    let Some((record, kind)) = state.resource(&uid).and_then(|r| Some((r, kinds::find(&r.kind)?))) else {
        return LOOK.not_here("resource");
    };
    let person = |id: String| state.people.iter().find(|p| p.uid == id).map_or(id, |p| p.name.clone());
    let rows: String = kind
        .fields
        .iter()
        .filter(|f| f.id != "description")
        .map(|f| {
            let value = shown(record, f.id);
            let value = match f.id {
                "contributor" => escape(&person(value)),
                "volume" => format!("<a href=\"/page/{0}\">{0}</a>", escape(&value)),
                _ => escape(&value),
            };
            format!("<tr><th>{}</th><td>{value}</td></tr>", f.label)
        })
        .collect();
    let links: String = shown_links(record)
        .iter()
        .map(|(word, end)| format!("<tr><th>{}</th><td><a href=\"{1}\">{1}</a></td></tr>", escape(word), escape(end)))
        .collect();
    let body = format!(
        "<form method=post><label>Title<input name=title value=\"{}\"></label><button>Save</button></form>\
         <h2>Text</h2>{}<h2>Values</h2><table>{rows}</table><h2>Links</h2><table>{links}</table>\
         <p class=dim>Revision {}</p>{}",
        escape(&shown(record, "title")),
        shown(record, "description"),
        record.revision,
        said_on_page(&record.remarks, &record.trail),
    );
    LOOK.page(&format!("{} {}", kind.label, record.number), &body).into_response()
}

async fn save(
    Extract(server): Extract<Server>,
    Path(uid): Path<String>,
    Form(form): Form<HashMap<String, String>>,
) -> Redirect {
    let mut state = server.kept.write();
    let found = state.resource(&uid).cloned().and_then(|r| Some((kinds::find(&r.kind)?, r)));
    if let (Some((kind, before)), Some(title)) = (found, form.get("title").filter(|t| !t.trim().is_empty())) {
        let mut now = before.clone();
        now.values.insert("title".into(), json!(title));
        now.revision += 1;
        now.changed = clock::now().trunc_subsecs(0);
        now.changed_by = state.people.first().map(|p| p.uid.clone()).unwrap_or_default();
        note_changes(&before, &mut now, kind);
        state.keep(now);
    }
    Redirect::to(&format!("/page/{uid}"))
}
