//! Writing and reading Oldstone's XML.

use super::state::{Case, Folder, Step, ZONE};
pub use crate::element::{Element, parse};
use crate::page::escape;
use crate::records::{Link, Past, Remark};

/// An element with escaped text.
pub fn element(name: &str, text: &str) -> String {
    let clean: String = text.chars().filter(|c| !c.is_control() || matches!(c, '\n' | '\t' | '\r')).collect();
    format!("<{name}>{}</{name}>", escape(&clean))
}

pub fn case(c: &Case) -> String {
    let mut out = format!(
        "<case id=\"OS-{}\" rev=\"{}\" changed=\"{}\" by=\"{}\">",
        c.number,
        c.revision,
        c.changed.format("%Y-%m-%dT%H:%M:%S"),
        escape(&c.changed_by)
    );
    if let Some(folder) = c.folder {
        out += &element("folder", &format!("F-{folder}"));
    }
    out += &element("rank", &c.rank.to_string());
    for (name, text) in [
        ("name", &c.name),
        ("description", &c.description),
        ("importance", &c.importance),
        ("state", &c.state),
        ("brake-class", &c.brake_class),
        ("estimate", &c.estimate),
        ("owner", &c.owner),
        ("origin", &c.origin),
        ("script-tool", &c.script.tool),
        ("script-file", &c.script.file),
        ("script-name", &c.script.name),
    ] {
        out += &element(name, text);
    }
    out += "<labels>";
    c.labels.iter().for_each(|l| out += &element("label", l));
    out += "</labels><steps>";
    c.steps.iter().for_each(|s| out += &step(s));
    out += "</steps><parameters>";
    out += &rows(&c.parameters);
    out += "</parameters><links>";
    c.links.iter().for_each(|l| out += &link(l));
    out += "</links><files>";
    for f in &c.files {
        out += &format!(
            "<file name=\"{}\" type=\"{}\" bytes=\"{}\" sha256=\"{}\"/>",
            escape(&f.name),
            escape(&f.media_type),
            f.bytes,
            f.digest
        );
    }
    out + "</files>" + &said(&c.remarks, &c.trail) + "</case>"
}

fn local(at: chrono::DateTime<chrono::Utc>) -> String {
    at.with_timezone(&ZONE).format("%Y-%m-%dT%H:%M:%S").to_string()
}

/// What was said and changed, in the server's own time.
pub fn said(remarks: &[Remark], trail: &[Past]) -> String {
    let mut out = String::from("<remarks>");
    for r in remarks {
        out += &format!("<remark at=\"{}\" by=\"{}\">{}</remark>", local(r.at), escape(&r.by), escape(&r.text));
    }
    out += "</remarks><trail>";
    for p in trail {
        out += &format!(
            "<past at=\"{}\" by=\"{}\" field=\"{}\" before=\"{}\" after=\"{}\"/>",
            local(p.at),
            escape(&p.by),
            escape(&p.field),
            escape(&p.before),
            escape(&p.after)
        );
    }
    out + "</trail>"
}

pub fn step(s: &Step) -> String {
    let call = if s.call.is_empty() { String::new() } else { format!(" call=\"{}\"", escape(&s.call)) };
    let arguments: String = s
        .arguments
        .iter()
        .map(|(name, value)| format!("<argument name=\"{}\">{}</argument>", escape(name), escape(value)))
        .collect();
    let files: String = s.files.iter().map(|name| format!("<file name=\"{}\"/>", escape(name))).collect();
    format!(
        "<step{call}>{}{}{}{arguments}{files}</step>",
        element("action", &s.action),
        element("expected", &s.expected),
        element("data", &s.data)
    )
}

pub fn read_steps(steps: &Element) -> Vec<Step> {
    let part = |s: &Element, name: &str| s.text_of(name).unwrap_or_default();
    let arguments = |s: &Element| {
        let given = s.children.iter().filter(|c| c.name == "argument");
        given.map(|a| (a.attribute("name").unwrap_or_default().to_owned(), a.text.clone())).collect()
    };
    let files = |s: &Element| {
        let given = s.children.iter().filter(|c| c.name == "file");
        given.filter_map(|f| f.attribute("name").map(str::to_owned)).collect()
    };
    steps
        .children
        .iter()
        .map(|s| Step {
            action: part(s, "action"),
            expected: part(s, "expected"),
            data: part(s, "data"),
            call: s.attribute("call").unwrap_or_default().to_owned(),
            arguments: arguments(s),
            files: files(s),
        })
        .collect()
}

pub fn rows(table: &[Vec<String>]) -> String {
    let row = |r: &Vec<String>| format!("<row>{}</row>", r.iter().map(|c| element("v", c)).collect::<String>());
    table.iter().map(row).collect()
}

pub fn read_rows(table: &Element) -> Vec<Vec<String>> {
    table.children.iter().map(|r| r.children.iter().map(|c| c.text.clone()).collect()).collect()
}

pub fn link(l: &Link) -> String {
    format!(
        "<link word=\"{}\" kind=\"{}\" to=\"{}\" address=\"{}\"/>",
        escape(&l.word),
        escape(&l.kind),
        escape(&l.id),
        escape(&l.url)
    )
}

pub fn read_links(links: &Element) -> Vec<Link> {
    let one = |l: &Element| {
        let part = |name: &str| l.attribute(name).unwrap_or_default().to_owned();
        Link { word: part("word"), kind: part("kind"), id: part("to"), url: part("address") }
    };
    links.children.iter().map(one).collect()
}

pub fn folder(f: &Folder) -> String {
    let mut out = format!("<folder id=\"F-{}\" rev=\"{}\">", f.number, f.revision);
    // At the top the element is there, and empty.
    out += &element("parent", &f.parent.map(|parent| format!("F-{parent}")).unwrap_or_default());
    out += &element("rank", &f.rank.to_string());
    out += &element("name", &f.name);
    out += &element("origin", &f.origin);
    out + "</folder>"
}
