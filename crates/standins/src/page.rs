//! What the stand-ins' own pages share: a plain page frame, escaping, and what forms give.

use std::collections::HashMap;

use axum::response::{Html, IntoResponse, Response};

pub fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// An address that a person can follow.
pub fn followed(url: &str) -> String {
    format!("<a href=\"{0}\">{0}</a>", escape(url))
}

/// How the pages of a system look.
#[derive(Debug, Clone, Copy)]
pub struct Look {
    pub system: &'static str,
    pub colour: &'static str,
}

impl Look {
    /// A page in the system's colour. `body` is HTML.
    pub fn page(self, title: &str, body: &str) -> Html<String> {
        let Look { system, colour } = self;
        Html(format!(
        "<!doctype html><html lang=en><meta charset=utf-8><title>{title} · {system}</title><style>
body{{font:14px/1.5 system-ui,sans-serif;margin:0;color:#222;background:#fff}}
header{{background:{colour};color:#fff;padding:10px 24px;font-weight:600}} header a{{color:#fff;text-decoration:none}}
main{{padding:16px 24px;max-width:1100px}} table{{border-collapse:collapse;width:100%}}
td,th{{border-bottom:1px solid #ddd;padding:5px 8px;text-align:left;vertical-align:top}}
input,textarea,select{{font:inherit;width:100%;box-sizing:border-box;padding:5px}} label{{display:block;margin:10px 0 3px;font-weight:600}}
button{{font:inherit;padding:6px 16px;margin-top:14px}} .dim{{color:#777}} h2{{margin-top:24px}}</style>
<header><a href=\"/\">{system}</a> <span style=\"font-weight:400;opacity:.8\">simulated system</span> <a href=\"/misbehave\" style=\"float:right;font-weight:400\">Misbehave</a></header><main><h1>{title}</h1>{body}</main></html>"
    ))
    }

    /// What is shown for an address that leads nowhere.
    pub fn not_here(self, what: &str) -> Response {
        self.page("Not here", &format!("<p>There is no such {what}.</p>")).into_response()
    }
}

/// The values of a list for a form, one of them chosen.
pub fn options(values: &[&str], chosen: &str) -> String {
    let one = |v: &&str| format!("<option{}>{}</option>", if *v == chosen { " selected" } else { "" }, escape(v));
    values.iter().map(one).collect()
}

/// What a form gives for a name. A browser sends line ends as CR LF: what was not edited must stay as it was.
pub fn given(form: &HashMap<String, String>, name: &str) -> Option<String> {
    form.get(name).map(|value| value.replace("\r\n", "\n"))
}
