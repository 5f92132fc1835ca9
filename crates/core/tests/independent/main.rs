//! Rich text against parsers that Hovrel does not use (`check.py`: html5lib and markdown-it-py): every word of a text
//! is at the other end with its marks, or a loss names it (law 7). Texts are generated, odd ones too; and every
//! element of the HTML standard is gone through one by one.
//!
//! `HOVREL_TEXTS` says how many texts of each format are made; 10,000 take some minutes.

mod align;
mod texts;

use std::io::Write;
use std::process::{Command, Stdio};

use hovrel_core::text::{TextFormat, carry, read};
use serde_json::{Value, json};

const RIGHT: [TextFormat; 4] = [TextFormat::Html, TextFormat::Xhtml, TextFormat::Markdown, TextFormat::Plain];

fn id(format: TextFormat) -> &'static str {
    match format {
        TextFormat::Html => "html",
        TextFormat::Xhtml => "xhtml",
        TextFormat::Markdown => "markdown",
        TextFormat::Plain | TextFormat::PlainLinks => "plain",
    }
}

/// What becomes of a text in each format, with what was declared on the way.
fn carried(left: &str, from: TextFormat) -> Vec<Value> {
    let (document, read_losses) = read(left, from);
    let one = |to: TextFormat| {
        let made = carry(&document, to);
        let losses: Vec<&str> = read_losses.iter().chain(&made.losses).map(|l| l.about.as_str()).collect();
        json!({"left": left, "left_format": id(from), "right": made.text, "right_format": id(to), "losses": losses})
    };
    RIGHT.into_iter().map(one).collect()
}

/// What a script of this folder tells of cases, each a line of JSON.
fn told_by(script: &str, cases: impl Iterator<Item = Value>) -> String {
    let python = std::env::var("HOVREL_TEST_PYTHON")
        .expect("HOVREL_TEST_PYTHON is a Python with html5lib and Biopython; ./test makes one");
    let script = format!("{}/tests/independent/{script}", env!("CARGO_MANIFEST_DIR"));
    let mut child =
        Command::new(python).arg(script).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().expect("Python runs");
    let mut to = child.stdin.take().expect("a pipe");
    let lines: Vec<String> = cases.map(|case| case.to_string()).collect();
    let writing = std::thread::spawn(move || lines.iter().try_for_each(|line| writeln!(to, "{line}")));
    let output = child.wait_with_output().expect("it ends");
    writing.join().expect("it is written").expect("it is read");
    let told = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(output.status.success(), "{told}");
    told
}

fn check(cases: &[Value]) {
    let told = told_by("check.py", cases.iter().cloned());
    assert!(told.contains(&format!("{} texts, 0 not as they were", cases.len())), "{told}");
}

fn how_many() -> u64 {
    std::env::var("HOVREL_TEXTS").ok().and_then(|n| n.parse().ok()).unwrap_or(400)
}

#[test]
fn generated_html_is_carried_word_for_word_or_declared() {
    let cases: Vec<Value> = (0..how_many()).flat_map(|seed| carried(&texts::html(seed), TextFormat::Html)).collect();
    check(&cases);
}

#[test]
fn generated_markdown_is_carried_word_for_word_or_declared() {
    let cases: Vec<Value> =
        (0..how_many()).flat_map(|seed| carried(&texts::markdown(seed), TextFormat::Markdown)).collect();
    check(&cases);
}

/// XHTML is what HTML of good form is, with a prefix.
#[test]
fn generated_xhtml_is_carried_word_for_word_or_declared() {
    let cases: Vec<Value> = (0..how_many()).flat_map(|seed| carried(&texts::xhtml(seed), TextFormat::Xhtml)).collect();
    check(&cases);
}

/// The index of elements of the HTML standard (and its obsolete ones, §16.2): words in each of them.
#[test]
fn every_element_of_html_keeps_its_words_or_says_so() {
    let mut cases = Vec::new();
    for element in texts::ELEMENTS {
        for text in [
            format!("<p>w1</p><{element}>w2</{element}><p>w3</p>"),
            format!("<p>w1 <{element} title='w4'>w2</{element}> w3</p>"),
            format!("<{element}><p>w1</p><p>w2</p></{element}>"),
            format!("<table><tr><td><{element}>w1</{element}></td><td>w2</td></tr></table>"),
            format!("<ul><li><{element}>w1</{element}> w2</li></ul>"),
            format!("<b><{element}>w1</{element}> w2</b>"),
        ] {
            cases.extend(carried(&text, TextFormat::Html));
        }
    }
    check(&cases);
}
