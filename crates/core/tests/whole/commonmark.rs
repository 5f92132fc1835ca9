//! Both readers of rich text against every example of the CommonMark 0.31.2 specification: the Markdown
//! of an example and the HTML that the specification gives for it are one document. The specification
//! comes with the npm package `commonmark-spec`, which the web client's lock file names.

use hovrel_core::model::Document;
use hovrel_core::text::{TextFormat, TextLoss, carry, read};
use serde_json::Value;

struct Example {
    number: usize,
    section: String,
    markdown: String,
    html: String,
}

fn examples() -> Vec<Example> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/node_modules/commonmark-spec/spec.txt");
    let text = std::fs::read_to_string(path).expect("npm ci has installed the specification; ./test does it");
    let fence = "`".repeat(32);
    let (mut out, mut section, mut lines) = (Vec::new(), String::new(), text.lines());
    while let Some(line) = lines.next() {
        if let Some(heading) = line.strip_prefix("## ") {
            section = heading.to_owned();
        }
        if line != format!("{fence} example") {
            continue;
        }
        let mut part = |end: &str| -> String {
            let taken: Vec<String> = lines.by_ref().take_while(|l| *l != end).map(|l| l.replace('→', "\t")).collect();
            taken.join("\n")
        };
        let (markdown, html) = (part("."), part(&fence));
        out.push(Example { number: out.len() + 1, section: section.clone(), markdown, html });
    }
    out
}

/// Examples outside the sections on HTML that hold raw HTML all the same. It is kept as text by the
/// Markdown reader, since a page that shows Markdown safely shows it so; the specification passes it on.
const RAW_HTML: [usize; 15] = [21, 31, 201, 308, 309, 344, 475, 476, 477, 491, 494, 524, 536, 642, 643];

fn holds_raw_html(e: &Example) -> bool {
    matches!(e.section.as_str(), "HTML blocks" | "Raw HTML") || RAW_HTML.contains(&e.number)
}

#[test]
fn every_example_is_the_document_that_its_html_is() {
    let examples = examples();
    assert_eq!(examples.len(), 652, "the whole specification was read");
    for e in examples.iter().filter(|e| !holds_raw_html(e)) {
        let (from_markdown, found) = read(&e.markdown, TextFormat::Markdown);
        let (from_html, losses) = read(&e.html, TextFormat::Html);
        assert_eq!(encoded(&from_markdown), encoded(&from_html), "example {}: {:?}", e.number, e.markdown);
        // Of titles, which a document has no place for, each reader tells as many as the other; the HTML of a code
        // block has no more than its language (§4.5).
        let titles = |list: &[TextLoss]| {
            list.iter().filter(|l| !hovrel_words::loss_cause(&l.cause).contains("beside code")).count()
        };
        assert_eq!(titles(&found), losses.len(), "example {}: {found:?} {losses:?}", e.number);
    }
    // Raw HTML is not lost: its text is there to be read.
    for e in examples.iter().filter(|e| RAW_HTML.contains(&e.number)) {
        assert!(read(&e.markdown, TextFormat::Markdown).0.plain().contains('<'), "example {}", e.number);
    }
}

/// What an example means goes through each format that can hold it and back without a loss.
#[test]
fn every_example_is_carried_whole() {
    for e in examples().iter().filter(|e| !holds_raw_html(e)) {
        let document = read(&e.markdown, TextFormat::Markdown).0;
        for format in [TextFormat::Html, TextFormat::Markdown] {
            let carried = carry(&document, format);
            assert_eq!(
                (&carried.held, carried.losses.as_slice()),
                (&document, [].as_slice()),
                "example {}, {format:?}: {:?}",
                e.number,
                e.markdown
            );
        }
    }
}

/// A document as JSON with every address percent-encoded, as the specification's HTML has them and
/// Markdown has not.
fn encoded(document: &Document) -> Value {
    fn walk(value: &mut Value) {
        match value {
            Value::Object(members) => {
                for (name, member) in members.iter_mut() {
                    match member {
                        Value::String(text) if name == "url" => *text = text.chars().map(encode).collect(),
                        other => walk(other),
                    }
                }
            }
            Value::Array(items) => items.iter_mut().for_each(walk),
            _ => {}
        }
    }
    let mut value = serde_json::to_value(document).expect("a document is JSON");
    walk(&mut value);
    value
}

fn encode(c: char) -> String {
    match c {
        '"' | '[' | '\\' | ']' | '`' | ' ' => format!("%{:02X}", c as u32),
        c if c.is_ascii() => c.to_string(),
        c => c.to_string().bytes().map(|b| format!("%{b:02X}")).collect(),
    }
}
