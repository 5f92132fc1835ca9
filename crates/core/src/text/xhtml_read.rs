//! XHTML to documents: read as the XML it is, with any prefix, and then as the HTML it means.
//!
//! Decides nothing about content. An empty element of XML (`<td/>`) is an element without content, where
//! a reader of HTML would see it opened; text that is no XML is read as HTML.

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};

use super::{TextLoss, html_read};
use crate::model::Document;

pub fn read(text: &str) -> (Document, Vec<TextLoss>) {
    html_read::read(&as_html(text).unwrap_or_else(|| text.to_owned()))
}

/// None if it is no well-formed XML.
fn as_html(text: &str) -> Option<String> {
    let mut reader = Reader::from_str(text);
    let mut out = String::with_capacity(text.len());
    loop {
        match reader.read_event().ok()? {
            Event::Start(element) => out.push_str(&opened(&element)?),
            Event::End(element) => out.push_str(&format!("</{}>", element.local_name().as_ref())),
            Event::Empty(element) => {
                let name = element.local_name().as_ref().to_owned();
                out.push_str(&opened(&element)?);
                if !matches!(name.as_str(), "br" | "hr" | "img" | "col" | "param") {
                    out.push_str(&format!("</{name}>"));
                }
            }
            Event::Text(text) => out.push_str(&text),
            Event::GeneralRef(name) => out.push_str(&format!("&{};", &*name)),
            Event::CData(text) => {
                out.push_str(&text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;"));
            }
            Event::Eof => return Some(out),
            Event::Comment(_) | Event::Decl(_) | Event::PI(_) | Event::DocType(_) => {}
        }
    }
}

fn opened(element: &BytesStart<'_>) -> Option<String> {
    let mut out = format!("<{}", element.local_name().as_ref());
    for attribute in element.attributes() {
        let attribute = attribute.ok()?;
        if attribute.key.as_namespace_binding().is_some() {
            continue;
        }
        let name = attribute.key.local_name().into_inner().to_owned();
        let value = attribute.value.replace('"', "&quot;");
        out.push_str(&format!(" {name}=\"{value}\""));
    }
    out.push('>');
    Some(out)
}
