//! Cairnbook's files: volumes and their requirements as ReqIF 1.2 (OMG formal/16-07-01), out and in.
//!
//! Attributes have the names that the ReqIF implementation guide gives them (ReqIF.Name, ReqIF.Text,
//! ReqIF.ForeignID), so that other tools know them. What comes in is known by its identifier: what is here is
//! changed, what is not is made. A file that is wrong anywhere is refused whole.

use std::collections::HashMap;

use chrono::SecondsFormat;
use serde_json::{Map, Value, json};

use super::kinds::{LINKS, REQUIREMENT, VOLUME};
use super::state::{State, uid};
use crate::clock;
use crate::element::{Element, parse_with};
use crate::page::escape;
use crate::records::{self, Kind, Link, Record, as_text, fill, note_changes};

const NAMESPACE: &str = "http://www.omg.org/spec/ReqIF/20110401/reqif.xsd";
const XHTML: &str = "http://www.w3.org/1999/xhtml";
const LEVELS: [&str; 3] = ["System", "Function", "Detail"];

/// Every volume with its requirements and the links between them.
pub fn export(state: &State) -> String {
    let now = clock::now().to_rfc3339_opts(SecondsFormat::Secs, true);
    let all = |kind: &Kind| state.records.get(kind.id).into_iter().flat_map(|r| r.values()).collect::<Vec<&Record>>();
    let (volumes, requirements) = (all(&VOLUME), all(&REQUIREMENT));
    let named = |tag: &str, id: &str, more: &str| format!("<{tag} IDENTIFIER=\"{id}\" LAST-CHANGE=\"{now}\" {more}");
    let levels: String = LEVELS
        .iter()
        .enumerate()
        .map(|(n, level)| {
            named("ENUM-VALUE", &format!("level-{n}"), &format!("LONG-NAME=\"{level}\">"))
                + &format!("<PROPERTIES><EMBEDDED-VALUE KEY=\"{n}\" OTHER-CONTENT=\"\"/></PROPERTIES></ENUM-VALUE>")
        })
        .collect();
    let datatypes = [
        named("DATATYPE-DEFINITION-STRING", "line", "MAX-LENGTH=\"250\" LONG-NAME=\"Line\"/>"),
        named("DATATYPE-DEFINITION-XHTML", "text", "LONG-NAME=\"Text\"/>"),
        named("DATATYPE-DEFINITION-ENUMERATION", "levels", "LONG-NAME=\"Level\">")
            + &format!("<SPECIFIED-VALUES>{levels}</SPECIFIED-VALUES></DATATYPE-DEFINITION-ENUMERATION>"),
    ]
    .concat();
    let definition = |sort: &str, id: &str, name: &str, of: &str| {
        named(&format!("ATTRIBUTE-DEFINITION-{sort}"), id, &format!("LONG-NAME=\"{name}\">"))
            + &format!(
                "<TYPE><DATATYPE-DEFINITION-{sort}-REF>{of}</DATATYPE-DEFINITION-{sort}-REF></TYPE></ATTRIBUTE-DEFINITION-{sort}>"
            )
    };
    let attributes = [
        definition("STRING", "name", "ReqIF.Name", "line"),
        definition("STRING", "number", "ReqIF.ForeignID", "line"),
        definition("XHTML", "body", "ReqIF.Text", "text"),
        definition("ENUMERATION", "level", "Level", "levels"),
    ]
    .concat();
    let relations: String = LINKS
        .iter()
        .map(|(word, label)| named("SPEC-RELATION-TYPE", word, &format!("LONG-NAME=\"{}\"/>", escape(label))))
        .collect();
    let types = named("SPEC-OBJECT-TYPE", "requirement", "LONG-NAME=\"Requirement\">")
        + &format!("<SPEC-ATTRIBUTES>{attributes}</SPEC-ATTRIBUTES></SPEC-OBJECT-TYPE>")
        + &named("SPECIFICATION-TYPE", "volume", "LONG-NAME=\"Volume\"/>")
        + &relations;
    let objects: String = requirements.iter().map(|r| object(r)).collect();
    let links: String = requirements.iter().flat_map(|r| r.links.iter().map(move |l| relation(r, l))).collect();
    let specifications: String = volumes.iter().map(|m| specification(m, &requirements)).collect();
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<REQ-IF xmlns=\"{NAMESPACE}\"><THE-HEADER>\
         <REQ-IF-HEADER IDENTIFIER=\"cairnbook\"><CREATION-TIME>{now}</CREATION-TIME><REQ-IF-TOOL-ID>Cairnbook</REQ-IF-TOOL-ID>\
         <REQ-IF-VERSION>1.0</REQ-IF-VERSION><SOURCE-TOOL-ID>Cairnbook</SOURCE-TOOL-ID><TITLE>Safety requirements</TITLE></REQ-IF-HEADER>\
         </THE-HEADER><CORE-CONTENT><REQ-IF-CONTENT><DATATYPES>{datatypes}</DATATYPES><SPEC-TYPES>{types}</SPEC-TYPES>\
         <SPEC-OBJECTS>{objects}</SPEC-OBJECTS><SPEC-RELATIONS>{links}</SPEC-RELATIONS>\
         <SPECIFICATIONS>{specifications}</SPECIFICATIONS></REQ-IF-CONTENT></CORE-CONTENT></REQ-IF>"
    )
}

fn changed(r: &Record) -> String {
    r.changed.to_rfc3339_opts(SecondsFormat::Secs, true)
}

fn text(r: &Record, field: &str) -> String {
    r.values.get(field).map(as_text).unwrap_or_default()
}

fn object(r: &Record) -> String {
    let string = |id: &str, value: &str| {
        format!(
            "<ATTRIBUTE-VALUE-STRING THE-VALUE=\"{}\"><DEFINITION><ATTRIBUTE-DEFINITION-STRING-REF>{id}</ATTRIBUTE-DEFINITION-STRING-REF></DEFINITION></ATTRIBUTE-VALUE-STRING>",
            escape(value)
        )
    };
    let mut values = string("name", &text(r, "title")) + &string("number", &r.number.to_string());
    let body = text(r, "description");
    if !body.is_empty() {
        values += &format!(
            "<ATTRIBUTE-VALUE-XHTML><DEFINITION><ATTRIBUTE-DEFINITION-XHTML-REF>body</ATTRIBUTE-DEFINITION-XHTML-REF></DEFINITION><THE-VALUE>{body}</THE-VALUE></ATTRIBUTE-VALUE-XHTML>"
        );
    }
    if let Some(n) = LEVELS.iter().position(|l| *l == text(r, "level")) {
        values += &format!(
            "<ATTRIBUTE-VALUE-ENUMERATION><DEFINITION><ATTRIBUTE-DEFINITION-ENUMERATION-REF>level</ATTRIBUTE-DEFINITION-ENUMERATION-REF></DEFINITION><VALUES><ENUM-VALUE-REF>level-{n}</ENUM-VALUE-REF></VALUES></ATTRIBUTE-VALUE-ENUMERATION>"
        );
    }
    format!(
        "<SPEC-OBJECT IDENTIFIER=\"{}\" LAST-CHANGE=\"{}\"><TYPE><SPEC-OBJECT-TYPE-REF>requirement</SPEC-OBJECT-TYPE-REF></TYPE><VALUES>{values}</VALUES></SPEC-OBJECT>",
        uid(r.number),
        changed(r)
    )
}

/// Links to addresses are no relations: ReqIF relates objects of the file alone.
fn relation(r: &Record, link: &Link) -> String {
    if link.id.is_empty() {
        return String::new();
    }
    let from = uid(r.number);
    format!(
        "<SPEC-RELATION IDENTIFIER=\"{from}-{}-{}\" LAST-CHANGE=\"{}\"><TYPE><SPEC-RELATION-TYPE-REF>{}</SPEC-RELATION-TYPE-REF></TYPE>\
         <SOURCE><SPEC-OBJECT-REF>{from}</SPEC-OBJECT-REF></SOURCE><TARGET><SPEC-OBJECT-REF>{}</SPEC-OBJECT-REF></TARGET></SPEC-RELATION>",
        link.word.replace(':', "."),
        link.id,
        changed(r),
        link.word,
        link.id
    )
}

fn specification(volume: &Record, requirements: &[&Record]) -> String {
    let here = uid(volume.number);
    let children: String = requirements
        .iter()
        .filter(|r| text(r, "volume") == here)
        .map(|r| {
            format!(
                "<SPEC-HIERARCHY IDENTIFIER=\"in-{0}\" LAST-CHANGE=\"{1}\"><OBJECT><SPEC-OBJECT-REF>{0}</SPEC-OBJECT-REF></OBJECT></SPEC-HIERARCHY>",
                uid(r.number),
                changed(r)
            )
        })
        .collect();
    format!(
        "<SPECIFICATION IDENTIFIER=\"{here}\" LAST-CHANGE=\"{}\" LONG-NAME=\"{}\"><TYPE><SPECIFICATION-TYPE-REF>volume</SPECIFICATION-TYPE-REF></TYPE><CHILDREN>{children}</CHILDREN></SPECIFICATION>",
        changed(volume),
        escape(&text(volume, "title"))
    )
}

/// How many were made and changed.
#[derive(Debug, Default, PartialEq, Eq, serde::Serialize)]
pub struct Imported {
    pub made: usize,
    pub changed: usize,
}

/// Takes a file in, or says everything that is wrong with it and takes nothing.
pub fn import(state: &mut State, file: &str, by: &str) -> Result<Imported, Vec<String>> {
    let root = parse_with(file, "THE-VALUE").map_err(|e| vec![e])?;
    if root.name != "REQ-IF" {
        return Err(vec![format!("its root is {} where REQ-IF is expected", root.name)]);
    }
    let definitions = named_definitions(&root);
    let mut wrong = Vec::new();
    let mut next = state.numbers;
    let mut ids: HashMap<String, (u32, bool)> = HashMap::new();
    for item in root.all("SPECIFICATION").into_iter().chain(root.all("SPEC-OBJECT")) {
        let id = item.attribute("IDENTIFIER").unwrap_or_default().to_owned();
        let known = state.resource(&id).map(|r| (r.number, false));
        let fresh = || (next.take(), true);
        if id.is_empty() {
            wrong.push(format!("a {} has no IDENTIFIER", item.name));
        } else if ids.insert(id.clone(), known.unwrap_or_else(fresh)).is_some() {
            wrong.push(format!("{id} is there twice"));
        }
    }
    let mut taking = Taking { ids: &ids, by, kept: Vec::new(), wrong };
    for item in root.all("SPECIFICATION") {
        let title = json!(item.attribute("LONG-NAME").unwrap_or_default());
        taking.take(state, item, &VOLUME, [("title".to_owned(), title)].into_iter().collect());
    }
    // Volumes first, so that requirements find them.
    for volume in &taking.kept {
        state.records.entry(VOLUME.id.into()).or_default().entry(volume.number).or_insert_with(|| volume.clone());
    }
    let volumes = holders(&root, &ids);
    for item in root.all("SPEC-OBJECT") {
        let mut values = values_of(item, &definitions);
        if let Some(volume) = item.attribute("IDENTIFIER").and_then(|id| volumes.get(id)) {
            values.insert("volume".into(), json!(volume));
        }
        taking.take(state, item, &REQUIREMENT, values);
    }
    taking.relate(&root);
    let Taking { kept, wrong, .. } = taking;
    let new = |number: u32| ids.values().any(|known| *known == (number, true));
    if !wrong.is_empty() {
        state.records.entry(VOLUME.id.into()).or_default().retain(|number, _| !new(*number));
        return Err(wrong);
    }
    state.numbers = next;
    let made = kept.iter().filter(|r| new(r.number)).count();
    let done = Imported { made, changed: kept.len() - made };
    kept.into_iter().for_each(|r| state.keep(r));
    Ok(done)
}

/// What each attribute definition is here: by the guide's names, else by its own.
fn named_definitions(root: &Element) -> HashMap<String, &'static str> {
    let of = |name: &str| match name {
        "ReqIF.Name" => Some("title"),
        "ReqIF.Text" => Some("description"),
        "Level" => Some("level"),
        _ => None,
    };
    let sorts = ["STRING", "XHTML", "ENUMERATION"].map(|sort| format!("ATTRIBUTE-DEFINITION-{sort}"));
    let found = sorts.iter().flat_map(|sort| root.all(sort));
    found.filter_map(|d| Some((d.attribute("IDENTIFIER")?.to_owned(), of(d.attribute("LONG-NAME")?)?))).collect()
}

fn values_of(item: &Element, definitions: &HashMap<String, &'static str>) -> Map<String, Value> {
    let mut out = Map::new();
    let defined = |value: &Element| {
        let reference = value.child("DEFINITION")?.children.first()?;
        definitions.get(reference.text.trim()).copied()
    };
    for value in item.child("VALUES").iter().flat_map(|v| &v.children) {
        let Some(field) = defined(value) else { continue };
        let held = match value.name.as_str() {
            "ATTRIBUTE-VALUE-XHTML" => value.text_of("THE-VALUE").map(|inner| own_namespace(&inner)),
            "ATTRIBUTE-VALUE-ENUMERATION" => {
                let reference = value.child("VALUES").and_then(|v| v.text_of("ENUM-VALUE-REF"));
                let level = reference.and_then(|r| r.trim().strip_prefix("level-")?.parse::<usize>().ok());
                level.and_then(|n| LEVELS.get(n)).map(|l| (*l).to_owned())
            }
            _ => value.attribute("THE-VALUE").map(str::to_owned),
        };
        if let Some(held) = held {
            out.insert(field.into(), json!(held));
        }
    }
    out
}

/// XHTML whose prefix is bound outside of it, bound in itself.
fn own_namespace(inner: &str) -> String {
    let plain = inner.trim().replace("<xhtml:", "<").replace("</xhtml:", "</");
    match plain.contains("xmlns=") {
        true => plain,
        false => format!("<div xmlns=\"{XHTML}\">{plain}</div>"),
    }
}

/// The volume of each object, by its identifier; children of children are of the same volume.
fn holders(root: &Element, ids: &HashMap<String, (u32, bool)>) -> HashMap<String, String> {
    let mut out = HashMap::new();
    for specification in root.all("SPECIFICATION") {
        let volume = specification.attribute("IDENTIFIER").and_then(|id| ids.get(id)).map(|(n, _)| uid(*n));
        let Some(volume) = volume else { continue };
        for held in specification.all("SPEC-OBJECT-REF") {
            out.insert(held.text.trim().to_owned(), volume.clone());
        }
    }
    out
}

/// A file on its way in.
struct Taking<'a> {
    /// The number of each object and volume of the file, and whether it is new here.
    ids: &'a HashMap<String, (u32, bool)>,
    by: &'a str,
    kept: Vec<Record>,
    wrong: Vec<String>,
}

impl Taking<'_> {
    fn take(&mut self, state: &State, item: &Element, kind: &Kind, values: Map<String, Value>) {
        let id = item.attribute("IDENTIFIER").unwrap_or_default();
        let Some((number, new)) = self.ids.get(id) else { return };
        let now = clock::now();
        let before = match state.resource(id).filter(|_| !new) {
            Some(record) if record.kind != kind.id => {
                self.wrong.push(format!("{id} is a {} here", record.kind));
                return;
            }
            Some(record) => record.clone(),
            None => records::made(kind.id, *number, now, self.by, &[]),
        };
        match fill(&before, values, kind, state) {
            Err((field, why)) => self.wrong.push(format!("{id}, {field}: {why}")),
            Ok(mut record) => {
                record.changed = now;
                record.changed_by = self.by.to_owned();
                if !new {
                    record.revision += 1;
                    note_changes(&before, &mut record, kind);
                }
                self.kept.push(record);
            }
        }
    }

    /// Puts the relations of the file in place of the links between its objects; links to others stay.
    fn relate(&mut self, root: &Element) {
        let inside: Vec<String> = self.ids.values().map(|(n, _)| uid(*n)).collect();
        for record in &mut self.kept {
            record.links.retain(|l| l.id.is_empty() || !inside.contains(&l.id));
        }
        for relation in root.all("SPEC-RELATION") {
            let end = |name: &str| {
                let id = relation.child(name)?.text_of("SPEC-OBJECT-REF")?;
                self.ids.get(id.trim()).map(|(n, _)| *n)
            };
            let word = relation.child("TYPE").and_then(|t| t.text_of("SPEC-RELATION-TYPE-REF")).unwrap_or_default();
            let known = LINKS.iter().any(|(w, _)| *w == word.trim());
            let word = if known { word.trim().to_owned() } else { "dcterms:relation".into() };
            let (Some(from), Some(to)) = (end("SOURCE"), end("TARGET")) else {
                let id = relation.attribute("IDENTIFIER").unwrap_or("without IDENTIFIER");
                self.wrong.push(format!("the relation {id} leads to what is not in the file"));
                continue;
            };
            let link = Link { word, kind: REQUIREMENT.id.into(), id: uid(to), ..Link::default() };
            if let Some(record) = self.kept.iter_mut().find(|r| r.number == from) {
                record.links.push(link);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cairnbook::seed;
    use crate::world::Size;

    fn told(state: &State) -> Vec<(String, String, String, Vec<String>)> {
        let title = |id: &str| state.resource(id).map(|r| text(r, "title")).unwrap_or_default();
        let one = |r: &Record| {
            let mut links: Vec<String> =
                r.links.iter().filter(|l| !l.id.is_empty()).map(|l| format!("{} {}", l.word, title(&l.id))).collect();
            links.sort();
            (text(r, "title"), text(r, "description"), text(r, "level") + &title(&text(r, "volume")), links)
        };
        let mut out: Vec<_> = state.records["requirement"].values().map(one).collect();
        out.sort();
        out
    }

    #[test]
    fn what_goes_out_comes_in_again_as_it_was() {
        let from = seed::state(7, Size::SMALL);
        let file = export(&from);
        let mut into = State::default();
        let count = from.records["requirement"].len() + from.records["volume"].len();
        assert_eq!(import(&mut into, &file, "u1"), Ok(Imported { made: count, changed: 0 }));
        assert_eq!(told(&into), told(&from));

        // Known by its identifier: what is here is changed, and what is not in the file stays.
        let mut here = seed::state(7, Size::SMALL);
        let edited = file.replacen("THE-VALUE=\"", "THE-VALUE=\"Edited: ", 1);
        assert_eq!(import(&mut here, &edited, "u1"), Ok(Imported { made: 0, changed: count }));
        let differs = told(&here).iter().zip(told(&from)).filter(|(a, b)| **a != *b).count();
        assert!(differs > 0 && here.records["requirement"].len() == from.records["requirement"].len());
    }

    #[test]
    fn a_file_that_is_wrong_anywhere_is_refused_whole() {
        let from = seed::state(7, Size::SMALL);
        let file = export(&from);
        let mut here = State::default();
        let broken = file.replacen("<SPEC-OBJECT-REF>_", "<SPEC-OBJECT-REF>x_", 1).replacen("THE-VALUE=\"", "X=\"", 1);
        let wrong = import(&mut here, &broken, "u1").expect_err("it is wrong");
        assert!(wrong.iter().any(|w| w.contains("title: it is needed")), "{wrong:?}");
        assert!(wrong.iter().any(|w| w.contains("not in the file")), "{wrong:?}");
        assert!(here.records.values().all(|r| r.is_empty()) && here.numbers == Default::default(), "nothing was taken");
        assert!(import(&mut here, "<REQ-IF><a></REQ-IF>", "u1").is_err());
        assert!(import(&mut here, "<OTHER/>", "u1").is_err());
    }

    /// A prefix bound at the root, as the standard's own examples have it (from memory).
    #[test]
    fn a_text_brings_its_namespace_with_it() {
        let inner = "<xhtml:div>Stops within <xhtml:b>12 s</xhtml:b></xhtml:div>";
        assert_eq!(own_namespace(inner), format!("<div xmlns=\"{XHTML}\"><div>Stops within <b>12 s</b></div></div>"));
    }
}
