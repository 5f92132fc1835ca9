//! What the attributes of an element say of its words: by style, by an attribute of old, by one that a page shows.
//!
//! Decides which of it is a mark of the document (bold, italic, struck, raised, lowered, kept line breaks), which is
//! declared as not kept, and which is layout. Sources: CSS 2.2 (§10.8.1 vertical-align, §15 fonts, §16 text) and the
//! list of attributes of the HTML standard.

use ego_tree::NodeRef;
use scraper::Node;
use scraper::node::Element;

/// A mark that words stand under.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Mark {
    Strong,
    Emphasis,
    Strike,
    Subscript,
    Superscript,
    Link(String),
}

/// What is in force for the words below an element.
#[derive(Debug, Clone, Default)]
pub struct Marks {
    /// The outermost first.
    pub on: Vec<Mark>,
    /// Whether line ends in the text are line ends of the page (CSS 2.2 §16.6).
    pub keeps_lines: bool,
}

impl Marks {
    fn set(&mut self, mark: Mark) {
        // A link inside a link is the one that is followed.
        if matches!(mark, Mark::Link(_)) {
            self.on.retain(|m| !matches!(m, Mark::Link(_)));
        }
        if !self.on.contains(&mark) {
            self.on.push(mark);
        }
    }

    fn without(&mut self, mark: &Mark) {
        self.on.retain(|m| m != mark);
    }
}

/// What an element's style and attributes say: the marks for what is in it, and what the document has no place for.
pub fn styled(node: NodeRef<'_, Node>, marks: &Marks) -> (Marks, Vec<&'static str>) {
    let Some(element) = node.value().as_element() else { return (marks.clone(), Vec::new()) };
    let (mut out, mut lost) = (marks.clone(), Vec::new());
    if let Some(mark) = own_mark(element) {
        match &mark {
            Mark::Superscript if marks.on.contains(&mark) => lost.push("raised text in raised text"),
            Mark::Subscript if marks.on.contains(&mark) => lost.push("lowered text in lowered text"),
            _ => {}
        }
        out.set(mark);
    }
    let is_text =
        !matches!(element.name(), "img" | "image" | "object" | "td" | "th" | "tr" | "table" | "input" | "video");
    let underlines = matches!(element.name(), "u" | "ins");
    let mut underlined = underlines;
    let style = element.attr("style").unwrap_or_default().to_ascii_lowercase();
    for (name, value) in style.split(';').filter_map(|p| p.split_once(':')) {
        let value = value.trim().trim_end_matches("!important").trim();
        match name.trim() {
            "font-weight" => match value.parse::<u32>() {
                Ok(600..) => out.set(Mark::Strong),
                Ok(_) => out.without(&Mark::Strong),
                Err(_) if matches!(value, "bold" | "bolder") => out.set(Mark::Strong),
                Err(_) if matches!(value, "normal" | "lighter") => out.without(&Mark::Strong),
                Err(_) => {}
            },
            "font-style" if value.starts_with("italic") || value.starts_with("oblique") => out.set(Mark::Emphasis),
            "font-style" if value == "normal" => out.without(&Mark::Emphasis),
            "font" => {
                let words: Vec<&str> = value.split_ascii_whitespace().collect();
                if words.iter().any(|w| matches!(*w, "bold" | "bolder" | "600" | "700" | "800" | "900")) {
                    out.set(Mark::Strong);
                }
                if words.iter().any(|w| matches!(*w, "italic" | "oblique")) {
                    out.set(Mark::Emphasis);
                }
            }
            "text-decoration" | "text-decoration-line" => {
                if value.contains("line-through") {
                    out.set(Mark::Strike);
                }
                if value == "none" {
                    underlined = false;
                    if matches!(element.name(), "s" | "strike" | "del") && !marks.on.contains(&Mark::Strike) {
                        out.without(&Mark::Strike);
                    }
                }
                underlined |= value.contains("underline");
                if value.contains("overline") {
                    lost.push("line above the text");
                }
            }
            "vertical-align" if is_text => match value {
                "super" | "text-top" => out.set(Mark::Superscript),
                "sub" | "text-bottom" => out.set(Mark::Subscript),
                "baseline" => {
                    out.without(&Mark::Superscript);
                    out.without(&Mark::Subscript);
                }
                // A length above or below the line.
                _ => match shift(value) {
                    Some(true) => out.set(Mark::Superscript),
                    Some(false) => out.set(Mark::Subscript),
                    None => {}
                },
            },
            // Black on white is how a word processor says “no colour”.
            "color" if !matches!(value, "black" | "windowtext" | "#000" | "#000000" | "inherit" | "") => {
                lost.push("colour");
            }
            "background" | "background-color" | "mso-highlight" | "mso-shading"
                if !matches!(
                    value,
                    "white" | "#fff" | "#ffffff" | "transparent" | "none" | "inherit" | "windowtext"
                ) =>
            {
                lost.push("colour");
            }
            "text-transform" if matches!(value, "uppercase" | "lowercase" | "capitalize") => {
                lost.push("change of case")
            }
            "display" if value == "none" => lost.push("hidden text"),
            "visibility" if matches!(value, "hidden" | "collapse") => lost.push("hidden text"),
            "mso-hide" if value == "all" => lost.push("hidden text"),
            "white-space" => out.keeps_lines = matches!(value, "pre" | "pre-wrap" | "pre-line" | "break-spaces"),
            "list-style-type" | "list-style" if other_numbers(value) => lost.push("letters or signs as numbers"),
            "direction" if value == "rtl" => lost.push("direction of writing"),
            "unicode-bidi" if value.ends_with("override") => lost.push("direction of writing"),
            _ => {}
        }
    }
    if underlined {
        lost.push("underline");
    }
    lost.extend(by_attribute(element));
    (out, lost)
}

/// The mark that an element is.
fn own_mark(element: &Element) -> Option<Mark> {
    Some(match element.name() {
        "b" | "strong" => Mark::Strong,
        "i" | "em" | "cite" | "var" | "dfn" => Mark::Emphasis,
        "s" | "strike" | "del" => Mark::Strike,
        "sub" => Mark::Subscript,
        "sup" => Mark::Superscript,
        "a" => Mark::Link(element.attr("href")?.trim().to_owned()),
        _ => return None,
    })
}

/// What an element or an attribute says that the document has no place for, of the words in it.
fn by_attribute(element: &Element) -> Vec<&'static str> {
    let mut lost = Vec::new();
    match element.name() {
        "font" if element.attr("color").is_some() => lost.push("colour"),
        "mark" => lost.push("highlighting"),
        "small" => lost.push("small print"),
        "dl" => lost.push("list of terms"),
        "details" => lost.push("folded text"),
        "bdo" => lost.push("direction of writing"),
        "ruby" => lost.push("reading aid above the text"),
        "svg" => lost.push("drawing"),
        "math" => lost.push("formula"),
        "figcaption" | "legend" => lost.push("caption"),
        "progress" | "meter" => lost.push("gauge"),
        "canvas" => lost.push("drawing"),
        "ol" if element.attr("type").is_some_and(|t| !matches!(t.trim(), "" | "1")) => {
            lost.push("letters or signs as numbers");
        }
        _ => {}
    }
    if element.name() == "ol" && element.attr("reversed").is_some() {
        lost.push("numbers that count down");
    }
    if element.attr("hidden").is_some() {
        lost.push("hidden text");
    }
    if element.attr("bgcolor").is_some_and(|c| !matches!(c.to_ascii_lowercase().as_str(), "white" | "#ffffff" | "#fff"))
    {
        lost.push("colour");
    }
    if element.attr("dir").is_some_and(|d| d.eq_ignore_ascii_case("rtl")) && element.name() != "bdo" {
        lost.push("direction of writing");
    }
    lost
}

/// Whether a length or a share lifts (true) or lowers (false) its text.
fn shift(value: &str) -> Option<bool> {
    let digits = value.trim_end_matches(|c: char| c.is_ascii_alphabetic() || c == '%');
    let by: f64 = digits.parse().ok()?;
    (by != 0.0).then_some(by > 0.0)
}

fn other_numbers(value: &str) -> bool {
    let shown =
        |w: &str| matches!(w, "disc" | "circle" | "square" | "decimal" | "inherit" | "initial" | "outside" | "inside");
    !value.split_ascii_whitespace().all(shown)
}
