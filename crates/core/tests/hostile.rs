//! Texts made to bring a reader down: memory and allocations grow with their length and with nothing else, the stack does
//! not grow at all, and what can't be kept of them is declared.
//!
//! The Markdown ones follow the kinds in `pathological_tests.py` of the CommonMark reference implementation (names and
//! forms from memory); those of HTML follow the rules of the HTML standard that take the square of a text.

use std::alloc::{GlobalAlloc, Layout, System};
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};

use hovrel_core::model::{Artefact, Kind, Value};
use hovrel_core::text::{TextFormat, read};

/// Counts what is asked for, and what is held at most.
struct Counted;

static HELD: AtomicUsize = AtomicUsize::new(0);
static MOST_HELD: AtomicUsize = AtomicUsize::new(0);
static ASKED: AtomicUsize = AtomicUsize::new(0);

// SAFETY: every call goes on to the system's allocator as it came.
unsafe impl GlobalAlloc for Counted {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        ASKED.fetch_add(layout.size(), Relaxed);
        let held = HELD.fetch_add(layout.size(), Relaxed) + layout.size();
        MOST_HELD.fetch_max(held, Relaxed);
        unsafe { System.alloc(layout) }
    }

    unsafe fn dealloc(&self, at: *mut u8, layout: Layout) {
        HELD.fetch_sub(layout.size(), Relaxed);
        unsafe { System.dealloc(at, layout) }
    }
}

#[global_allocator]
static ALLOCATOR: Counted = Counted;

fn markdown(n: usize) -> Vec<(&'static str, String)> {
    vec![
        ("nested quotations", format!("{}so", "> ".repeat(n))),
        ("nested quotations without spaces", format!("{}so", ">".repeat(n))),
        ("nested lists", (0..n.min(2_000)).map(|d| format!("{}* so\n", "  ".repeat(d))).collect()),
        ("lists on a line", format!("{}so", "- ".repeat(n))),
        ("numbered lists on a line", format!("{}so", "1. ".repeat(n))),
        ("nested strong emphasis", format!("{}so{}", "*a **a ".repeat(n), "b** b*".repeat(n))),
        ("many closers without openers", "a_ ".repeat(n)),
        ("many openers without closers", "_a ".repeat(n)),
        ("many link closers", "a]".repeat(n)),
        ("many link openers", "[a".repeat(n)),
        ("nested brackets", format!("{}so{}", "[".repeat(n), "]".repeat(n))),
        ("nested pictures", format!("{}so{}", "![".repeat(n), "](x \"so\")".repeat(n))),
        ("mismatched openers and closers", "*a_ ".repeat(n)),
        ("openers and closers multiple of 3", format!("a**b{}", "c* ".repeat(n))),
        ("link openers and emphasis closers", "[ a_".repeat(n)),
        ("hard link and emphasis", "**x [a*b**c*](d)".repeat(n)),
        ("struck out", "~~a ".repeat(n)),
        ("backticks", (0..n.min(2_000)).map(|d| format!("e{}", "`".repeat(d))).collect()),
        ("unclosed links", "[a](<b".repeat(n)),
        ("unclosed links without brackets", "[a](b".repeat(n)),
        ("unclosed comments", format!("</{}", "<!--".repeat(n))),
        ("empty lines in quotations", "> \n".repeat(n)),
        ("references that are not there", "[a][b]\n".repeat(n)),
        ("references that expand", format!("[x]: {}\n\n{}", "a".repeat(n), "[x]\n".repeat(n))),
        ("a wide table", format!("{}|\n{}|\n{}", "|a".repeat(n), "|-".repeat(n), "|\n".repeat(n))),
        ("tables in quotations", "> |a|\n> |-|\n".repeat(n)),
        ("many notes", "[a](b \"so\") ".repeat(n)),
    ]
}

fn html(n: usize) -> Vec<(&'static str, String)> {
    let marks: String = (0..n).map(|n| format!("<b a{n}>")).collect();
    let attributes: String = (0..n).map(|n| format!(" a{n}")).collect();
    let mut page = "so".to_owned();
    for _ in 0..60 {
        page = format!("<iframe srcdoc=\"{}\">", page.replace('&', "&amp;").replace('"', "&quot;"));
    }
    vec![
        ("nested blocks", format!("{}so", "<div>".repeat(n))),
        ("nested quotations", format!("{}so", "<blockquote>".repeat(n))),
        ("nested lists", format!("{}so", "<ul><li>".repeat(n))),
        ("nested lists without items", format!("{}so", "<ul>".repeat(n))),
        ("nested tables", format!("{}so", "<table><tr><td>".repeat(n))),
        ("nested code", format!("<pre>{}so", "<b style='color:red'>so".repeat(n))),
        ("nested objects", format!("{}so", "<object data=x>".repeat(n))),
        ("nested titles", format!("{}so", "<span title=so>so".repeat(n))),
        ("marks that go on", format!("{marks}{}", "<p>so".repeat(n))),
        ("elements that stay open", "<div><table><tr><td></div></td></tr></table>".repeat(n)),
        ("attributes", format!("<p{attributes}>so")),
        ("attributes of many elements", format!("<p{attributes}>so").repeat(3)),
        ("wide cells", "<table><tr><td colspan=1000 rowspan=65534>so</table>".repeat(n / 10)),
        ("a wide table with many rows", {
            let wide = "<td colspan=1000 rowspan=65534>so".repeat(100);
            format!("<table><tr>{wide}{}</table>", "<tr><td>so".repeat(n))
        }),
        ("a last number", format!("<ol start={}><li>so<li>so</ol>", i64::MAX)),
        ("pages in pages", page),
        ("scripts that are not run", "<noscript><noembed>".repeat(n)),
        ("choices", format!("<select>{}", "<option title=x>so".repeat(n))),
        ("many notes", "<i title=\"so so\">so</i> ".repeat(n)),
        ("notes around one another", format!("{}{}", "<i title=\"so so\">".repeat(50), "so ".repeat(n))),
    ]
}

fn every() -> Vec<(TextFormat, &'static str, String)> {
    let n = 20_000;
    let of = |format: TextFormat, list: Vec<(&'static str, String)>| {
        list.into_iter().map(move |(name, text)| (format, name, text)).collect::<Vec<_>>()
    };
    let mut all = of(TextFormat::Markdown, markdown(n));
    all.extend(of(TextFormat::Html, html(n)));
    all.extend(of(TextFormat::Xhtml, html(n)));
    all.push((TextFormat::PlainLinks, "addresses", "http://a".repeat(n)));
    all.push((TextFormat::Html, "a very long text", "<i>so</i> ".repeat(600_000)));
    all
}

/// Memory for a byte of a text, beside a floor that a text of nothing may take. Elements take some hundred bytes each, and
/// marks are written around every run of text that they go on over.
const PER_BYTE: usize = 500;
const FLOOR: usize = 16 * 1024 * 1024;

#[test]
fn no_text_takes_more_than_its_length_allows() {
    for (format, name, text) in every() {
        let before = HELD.load(Relaxed);
        MOST_HELD.store(before, Relaxed);
        ASKED.store(0, Relaxed);
        let (length, words) = (text.len(), text.matches("so").count());
        // Less of a stack than the workers have.
        let reading = std::thread::Builder::new().stack_size(1024 * 1024).spawn(move || {
            let (document, losses) = read(&text, format);
            let shown = document.plain().matches("so").count();
            (document, losses, shown)
        });
        let (document, losses, shown) = reading.unwrap().join().unwrap();
        let (held, asked) = (MOST_HELD.load(Relaxed) - before, ASKED.load(Relaxed));
        let most = PER_BYTE * length + FLOOR;
        assert!(held <= most, "{format:?}, {name}: {held} bytes were held for {length}");
        assert!(asked <= 8 * most, "{format:?}, {name}: {asked} bytes were asked for, for {length}");
        assert!(losses.len() <= 1_001, "{format:?}, {name}: {} losses", losses.len());
        // Words that are not in the document stand in what is declared.
        let declared = losses.iter().any(|l| !l.about.is_empty());
        assert!(shown >= words.min(1) || declared, "{format:?}, {name}: neither kept nor declared");
        // What was read is kept as JSON in an artefact, and that in a plan.
        let mut artefact = Artefact::bare(Kind::TestCase, "1");
        artefact.fields.set("text", Value::RichText(document));
        let kept = serde_json::json!({"change": {"before": {"left": {"item": artefact}}}}).to_string();
        let again: Result<serde_json::Value, _> = serde_json::from_str(&kept);
        assert!(again.is_ok(), "{format:?}, {name}: {:?}", again.err());
    }
}
