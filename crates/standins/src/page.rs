//! What the stand-ins' own pages share: a plain page frame and escaping.

use axum::response::Html;

pub fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// An address that a person can follow.
pub fn followed(url: &str) -> String {
    format!("<a href=\"{0}\">{0}</a>", escape(url))
}

/// A page in a system's own colours. `body` is HTML.
pub fn page(system: &str, colour: &str, title: &str, body: &str) -> Html<String> {
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
