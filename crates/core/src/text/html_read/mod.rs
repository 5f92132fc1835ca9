//! HTML to documents, by the WHATWG parsing rules (html5ever), made for text out of word processors.
//!
//! Decides, for every element, attribute and style that says something, whether it is in the document or is declared
//! with the words concerned. Layout (fonts, sizes, margins, classes) is not content and is passed over; scripts and
//! styles are never text. A block inside an inline element divides the paragraph, and the marks go on behind it.

mod parse;
mod style;
mod tables;

use ego_tree::NodeRef;
use scraper::Node;
use scraper::node::Element;

use self::parse::parse;
use self::style::{Mark, Marks, styled};
use super::TextLoss;
use crate::bounds::{DEEPEST_MARKUP, LONGEST_LOSS, MOST_ADDED_CELLS, MOST_LOSSES, PAGES_IN_PAGES};
use crate::loss::{LossCause, LossKind};
use crate::model::{Block, Document, Inline, picture_at};

pub fn read(html: &str) -> (Document, Vec<TextLoss>) {
    read_page(html, 0)
}

/// Reads a page that stands in so many others.
fn read_page(html: &str, pages: usize) -> (Document, Vec<TextLoss>) {
    let mut reader = Reader { losses: Vec::new(), quotes: 0, pages, cells_left: MOST_ADDED_CELLS };
    let mut flow = Flow::default();
    reader.page(html, &mut flow, &Marks::default(), 0);
    let document = Document { blocks: flow.finish() }.normal();
    reader.losses.dedup();
    (document, reader.losses)
}

/// Blocks so far, and the inlines of the paragraph that is open.
#[derive(Default)]
struct Flow {
    blocks: Vec<Block>,
    open: Vec<Inline>,
}

impl Flow {
    fn close(&mut self) {
        if !self.open.is_empty() {
            let content = std::mem::take(&mut self.open);
            self.blocks.push(Block::Paragraph { content });
        }
    }

    fn finish(mut self) -> Vec<Block> {
        self.close();
        self.blocks
    }

    /// Adds an inline under the marks that are on.
    fn put(&mut self, inline: Inline, marks: &Marks) {
        let wrap = |inner: Inline, mark: &Mark| {
            let content = vec![inner];
            match mark {
                Mark::Strong => Inline::Strong { content },
                Mark::Emphasis => Inline::Emphasis { content },
                Mark::Strike => Inline::Strike { content },
                Mark::Subscript => Inline::Subscript { content },
                Mark::Superscript => Inline::Superscript { content },
                Mark::Link(url) => Inline::Link { url: url.clone(), content },
            }
        };
        self.open.push(marks.on.iter().rev().fold(inline, wrap));
    }

    fn text(&mut self, text: &str, marks: &Marks) {
        if !marks.keeps_lines {
            return self.put(Inline::text(text), marks);
        }
        for (n, line) in text.split('\n').enumerate() {
            if n > 0 {
                self.put(Inline::LineBreak, marks);
            }
            self.put(Inline::text(line), marks);
        }
    }
}

struct Reader {
    losses: Vec<TextLoss>,
    /// How many quotations are open, one in another.
    quotes: usize,
    /// How many pages this one stands in.
    pages: usize,
    /// How many cells may still be added to tables.
    cells_left: usize,
}

impl Reader {
    /// Everything in a text of HTML.
    fn page(&mut self, html: &str, flow: &mut Flow, marks: &Marks, depth: usize) {
        let parsed = parse(html);
        // The fragment's root is an `html` element that holds what was given.
        self.flow(parsed.page.tree.root(), flow, marks, depth);
        if !parsed.rest.is_empty() {
            flow.close();
            flow.text(&parsed.rest, &Marks::default());
            flow.close();
            self.lose_words("markup so deep", parsed.rest);
        }
    }

    /// The blocks inside an element of its own.
    fn inside(&mut self, node: NodeRef<'_, Node>, marks: &Marks, depth: usize) -> Vec<Block> {
        let mut inner = Flow::default();
        self.flow(node, &mut inner, marks, depth);
        inner.finish()
    }

    fn flow(&mut self, parent: NodeRef<'_, Node>, flow: &mut Flow, marks: &Marks, depth: usize) {
        for node in parent.children() {
            match node.value() {
                Node::Text(text) => flow.text(text, marks),
                Node::Element(_) if depth >= DEEPEST_MARKUP => {
                    self.lose_words("markup so deep", words(node));
                    flow.text(&words(node), marks);
                }
                Node::Element(element) => self.element(node, element, flow, marks, depth),
                Node::Fragment | Node::Document => self.flow(node, flow, marks, depth + 1),
                _ => {}
            }
        }
    }

    fn element(&mut self, node: NodeRef<'_, Node>, element: &Element, flow: &mut Flow, outer: &Marks, depth: usize) {
        let name = element.name();
        if matches!(name, "script" | "style" | "head" | "meta" | "link" | "base" | "param" | "source" | "track" | "wbr")
        {
            return;
        }
        let (mut marks, lost) = styled(node, outer);
        self.lose_each(lost, node);
        self.note_attributes(node, element);
        match name {
            "svg" | "math" | "canvas" if words(node).is_empty() => {
                self.lose_words(if name == "math" { "formula" } else { "drawing" }, "without words".to_owned());
            }
            "progress" | "meter" if words(node).is_empty() => {
                let of = |name: &str| element.attr(name).unwrap_or_default().trim().to_owned();
                let (value, most) = (of("value"), of("max"));
                let text = if most.is_empty() { value } else { format!("{value} of {most}") };
                self.lose_words("gauge", text.clone());
                flow.text(&text, &marks);
            }
            // The parser takes what is in it for text, as a browser that runs scripts does.
            "noscript" | "noembed" => {
                let inner = raw_text(node);
                if self.pages < PAGES_IN_PAGES {
                    self.pages += 1;
                    self.page(&inner, flow, &marks, depth + 1);
                    self.pages -= 1;
                } else {
                    flow.text(&inner, &marks);
                    self.lose_words("markup so deep", inner);
                }
            }
            "textarea" => {
                marks.keeps_lines = true;
                flow.close();
                self.flow(node, flow, &marks, depth + 1);
                flow.close();
            }
            "title" | "template" | "datalist" | "noframes" => self.lose("text that is not shown", node),
            "br" => flow.put(Inline::LineBreak, &marks),
            "hr" => {
                flow.close();
                flow.blocks.push(Block::Rule);
            }
            "h1" | "h2" | "h3" | "h4" | "h5" | "h6" => {
                flow.close();
                let level = name.as_bytes()[1] - b'0';
                for block in self.inside(node, &marks, depth + 1) {
                    flow.blocks.push(match block {
                        Block::Paragraph { content } => Block::Heading { level, content },
                        other => {
                            let about = Document { blocks: vec![other.clone()] }.plain();
                            self.lose_words("heading around something else than a line", about);
                            other
                        }
                    });
                }
            }
            "ul" | "ol" | "menu" | "dir" => {
                flow.close();
                let lists = self.lists(node, element, &marks, depth + 1);
                flow.blocks.extend(lists);
            }
            "table" => {
                flow.close();
                let table = tables::table(self, node, &marks, depth + 1);
                flow.blocks.extend(table);
            }
            "pre" | "listing" | "xmp" | "plaintext" => {
                flow.close();
                let language = node.descendants().find_map(|d| {
                    let classes = d.value().as_element()?.attr("class")?;
                    classes.split_ascii_whitespace().find_map(|c| c.strip_prefix("language-")).map(str::to_owned)
                });
                self.note_marks_in_code(node, name, &marks);
                marks.on.iter().for_each(|_| self.lose("mark around code", node));
                flow.blocks.push(Block::Code { language, text: lines(node) });
            }
            "blockquote" => {
                flow.close();
                let blocks = self.inside(node, &marks, depth + 1);
                flow.blocks.push(Block::Quote { blocks });
            }
            // What holds a picture or a line break and no words is no code.
            "code" | "tt" | "kbd" | "samp" if !raw_text(node).trim().is_empty() || node.children().all(is_text) => {
                self.note_marks_in_code(node, name, &marks);
                flow.put(Inline::Code { text: lines(node) }, &marks);
            }
            "data" | "span" if element.attr("class") == Some("mention") => {
                let id = element.attr(named_by(name)).unwrap_or_default().to_owned();
                flow.put(Inline::Mention { id, label: raw_text(node), pending: None }, &marks);
            }
            "data" | "span" if element.attr("class") == Some("parameter") => {
                let name = element.attr(named_by(name)).unwrap_or_default().to_owned();
                flow.put(Inline::Parameter { name }, &marks);
            }
            "q" => {
                let (open, close) = if self.quotes.is_multiple_of(2) { ("“", "”") } else { ("‘", "’") };
                flow.text(open, &marks);
                self.quotes += 1;
                self.flow(node, flow, &marks, depth + 1);
                self.quotes -= 1;
                flow.text(close, &marks);
            }
            "rt" => {
                // Where the reading stands in brackets already, they are its own.
                let bracketed = node.prev_siblings().chain(node.next_siblings()).any(|s| is(s, "rp"));
                flow.text(if bracketed { "" } else { "(" }, &marks);
                self.flow(node, flow, &marks, depth + 1);
                flow.text(if bracketed { "" } else { ")" }, &marks);
            }
            "input" => self.input(element, flow, &marks),
            "select" => self.select(node, flow, &marks),
            "img" | "image" => {
                let (source, alt) = (element.attr("src").unwrap_or_default(), element.attr("alt").unwrap_or_default());
                match source.trim() {
                    "" => flow.text(alt, &marks),
                    source => flow.put(Inline::Image { source: source.to_owned(), alt: alt.to_owned() }, &marks),
                }
            }
            "object" if element.attr("data").is_some_and(|d| !d.trim().is_empty()) => {
                self.object(node, element, flow, &marks);
            }
            "iframe" | "frame" | "embed" | "video" | "audio" | "area" => {
                if !self.elsewhere(node, element, flow, &marks) {
                    self.flow(node, flow, &marks, depth + 1);
                }
            }
            _ if is_block(name) => {
                flow.close();
                self.flow(node, flow, &marks, depth + 1);
                flow.close();
            }
            _ => self.flow(node, flow, &marks, depth + 1),
        }
    }

    /// The lists that an element is: more than one if its items do not go on one after the other. An item that holds
    /// nothing has a number all the same.
    fn lists(&mut self, list: NodeRef<'_, Node>, element: &Element, marks: &Marks, depth: usize) -> Vec<Block> {
        let ordered = element.name() == "ol";
        let number = |text: Option<&str>| text.and_then(|t| t.trim().parse::<i64>().ok());
        let mut next = number(element.attr("start")).unwrap_or(1);
        let mut items: Vec<(i64, Vec<Block>)> = Vec::new();
        for child in list.children() {
            let made = match child.value() {
                Node::Element(e) if e.name() == "li" => {
                    next = number(e.attr("value")).unwrap_or(next);
                    let (marks, lost) = styled(child, marks);
                    self.lose_each(lost, child);
                    self.note_attributes(child, e);
                    self.inside(child, &marks, depth + 1)
                }
                // Word processors put nested lists beside the item they belong to.
                Node::Element(e) if matches!(e.name(), "ul" | "ol" | "menu" | "dir") => {
                    let (marks, lost) = styled(child, marks);
                    self.lose_each(lost, child);
                    let nested = if depth < DEEPEST_MARKUP {
                        self.lists(child, e, &marks, depth + 1)
                    } else {
                        self.lose("markup so deep", child);
                        Document::from_text(&words(child)).blocks
                    };
                    match items.last_mut() {
                        Some((_, last)) => {
                            last.extend(nested);
                            continue;
                        }
                        None => nested,
                    }
                }
                Node::Element(e) => {
                    self.lose("text beside the items of a list", child);
                    let mut inner = Flow::default();
                    self.element(child, e, &mut inner, marks, depth + 1);
                    inner.finish()
                }
                Node::Text(text) if !text.trim().is_empty() => {
                    self.lose_words("text beside the items of a list", text.trim().to_owned());
                    let mut inner = Flow::default();
                    inner.text(text, marks);
                    inner.finish()
                }
                _ => continue,
            };
            items.push((next, made));
            next = next.saturating_add(1);
        }
        let mut out: Vec<Block> = Vec::new();
        let mut expected = None;
        for (at, made) in items {
            let made = Document { blocks: made }.normal().blocks;
            if made.is_empty() {
                continue;
            }
            let start = u32::try_from(at).ok().filter(|_| ordered);
            if ordered && start.is_none() {
                self.lose_words("number below nought", Document { blocks: made.clone() }.plain());
            }
            match out.last_mut() {
                Some(Block::List { items, .. }) if !ordered || expected == Some(at) => items.push(made),
                _ => out.push(Block::List { start: if ordered { start.or(Some(1)) } else { None }, items: vec![made] }),
            }
            expected = at.checked_add(1);
        }
        out
    }

    /// What somebody filled in or ticked.
    fn input(&mut self, element: &Element, flow: &mut Flow, marks: &Marks) {
        let ticked = element.attr("checked").is_some();
        match element.attr("type").unwrap_or("text").to_ascii_lowercase().as_str() {
            "checkbox" => flow.text(if ticked { "☑ " } else { "☐ " }, marks),
            "radio" => flow.text(if ticked { "◉ " } else { "○ " }, marks),
            "hidden" => {}
            "image" => {
                let (source, alt) = (element.attr("src").unwrap_or_default(), element.attr("alt").unwrap_or_default());
                flow.put(Inline::Image { source: source.to_owned(), alt: alt.to_owned() }, marks);
            }
            _ => {
                let value = element.attr("value").filter(|v| !v.trim().is_empty());
                if let Some(value) = value.or(element.attr("placeholder")) {
                    self.lose_words("input field", value.to_owned());
                    flow.text(&format!(" {value} "), marks);
                }
            }
        }
    }

    /// What is chosen of a list; what could be chosen is declared.
    fn select(&mut self, node: NodeRef<'_, Node>, flow: &mut Flow, marks: &Marks) {
        let options: Vec<_> = node.descendants().filter(|d| is(*d, "option")).collect();
        let chosen = |o: &&NodeRef<'_, Node>| o.value().as_element().is_some_and(|e| e.attr("selected").is_some());
        let several = node.value().as_element().is_some_and(|e| e.attr("multiple").is_some());
        let mut shown: Vec<_> = options.iter().filter(chosen).collect();
        if shown.is_empty() && !several {
            shown.extend(options.first());
        }
        let of = |list: Vec<String>| list.join(", ");
        let text = of(shown.iter().map(|o| words(**o)).collect());
        flow.text(&format!(" {text} "), marks);
        self.lose("list to choose from", node);
    }

    /// An object: a picture or a file, with words for those who can't see it, or another object.
    fn object(&mut self, node: NodeRef<'_, Node>, element: &Element, flow: &mut Flow, marks: &Marks) {
        let source = element.attr("data").unwrap_or_default().trim().to_owned();
        let inner = node.descendants().skip(1).filter_map(|d| d.value().as_element()).filter_map(|e| match e.name() {
            "object" => e.attr("data"),
            "img" | "embed" | "iframe" => e.attr("src"),
            _ => None,
        });
        for other in inner.filter(|o| !o.trim().is_empty() && *o != source) {
            self.lose_words("picture in place of an object", other.to_owned());
        }
        let alt = words(node);
        flow.put(Inline::Image { source, alt }, marks);
    }

    /// Something that a page shows from another address: a link leads there. False if no address is given.
    fn elsewhere(&mut self, node: NodeRef<'_, Node>, element: &Element, flow: &mut Flow, marks: &Marks) -> bool {
        let sources = node.descendants().filter_map(|d| {
            let e = d.value().as_element()?;
            match e.name() {
                "area" => e.attr("href"),
                "iframe" | "frame" | "embed" | "video" | "audio" | "source" | "track" => e.attr("src"),
                _ => None,
            }
        });
        let mut addresses: Vec<&str> = sources.map(str::trim).filter(|s| !s.is_empty()).collect();
        addresses.dedup();
        let what = match element.name() {
            "video" => "film",
            "audio" => "sound",
            "area" => "place in a picture that links",
            _ => "embedded page",
        };
        let label = [element.attr("title"), element.attr("alt")].into_iter().flatten().find(|t| !t.trim().is_empty());
        for address in &addresses {
            self.lose_words(what, (*address).to_owned());
            let text = label.unwrap_or(address);
            flow.put(Inline::Link { url: (*address).to_owned(), content: vec![Inline::text(text)] }, marks);
            flow.text(" ", marks);
        }
        if !addresses.is_empty() {
            // What a page shows only where it can't show the thing itself.
            self.lose("text that is not shown", node);
        }
        if let Some(page) = element.attr("srcdoc") {
            if self.pages < PAGES_IN_PAGES {
                let (inner, lost) = read_page(page, self.pages + 1);
                self.lose_words(what, inner.plain());
                self.losses.extend(lost);
            } else {
                self.lose_words(what, page.to_owned());
            }
        }
        !addresses.is_empty()
    }

    /// Attributes that a page shows, or that say where something comes from.
    fn note_attributes(&mut self, node: NodeRef<'_, Node>, element: &Element) {
        let says = |name: &str| element.attr(name).map(str::trim).filter(|v| !v.is_empty());
        let own = matches!(element.attr("class"), Some("mention" | "parameter"));
        let is_label = matches!(element.name(), "iframe" | "frame") && says("src").is_some();
        if let Some(title) = says("title").filter(|_| !own && !is_label) {
            let named = if element.name() == "abbr" { "long form of a short word" } else { "note beside the text" };
            self.lose_words(named, format!("{} ({title})", words(node)));
        }
        match element.name() {
            "q" | "blockquote" | "ins" | "del" => {
                if let Some(source) = says("cite") {
                    self.lose_words("source of words", format!("{} ({source})", words(node)));
                }
                if let Some(at) = says("datetime") {
                    self.lose_words("time of a change in the text", format!("{} ({at})", words(node)));
                }
            }
            "time" => {
                if let Some(at) = says("datetime").filter(|at| *at != words(node)) {
                    self.lose_words("time for machines", format!("{} ({at})", words(node)));
                }
            }
            "data" if !own => {
                if let Some(value) = says("value").filter(|v| *v != words(node)) {
                    self.lose_words("value for machines", format!("{} ({value})", words(node)));
                }
            }
            "a" => {
                if let Some(href) = says("href").filter(|h| h.starts_with('#')) {
                    self.lose_words("link to a place in the text", format!("{} ({href})", words(node)));
                }
            }
            _ => {}
        }
    }

    /// Code is letters: what is marked in it is declared.
    fn note_marks_in_code(&mut self, node: NodeRef<'_, Node>, outermost: &str, around: &Marks) {
        for inner in node.descendants().skip(1) {
            let Some(element) = inner.value().as_element() else { continue };
            let (marks, lost) = styled(inner, around);
            self.lose_each(lost, inner);
            self.note_attributes(inner, element);
            for mark in marks.on.iter().filter(|m| !around.on.contains(m)) {
                let (what, about) = match mark {
                    Mark::Link(url) => ("link inside code", format!("{} ({url})", words(inner))),
                    _ => ("mark inside code", words(inner)),
                };
                self.lose_words(what, about);
            }
            if around.on.iter().any(|m| !marks.on.contains(m)) {
                self.lose("end of a mark inside code", inner);
            }
            match element.name() {
                "img" | "image" => {
                    let source = element.attr("src").unwrap_or_default();
                    self.lose_words("picture inside code", picture_at(source, element.attr("alt").unwrap_or_default()));
                }
                "br" if is_inline_code(outermost) => self.lose("line break inside code", node),
                name if is_block(name) && is_inline_code(outermost) => self.lose("paragraph inside code", node),
                _ => {}
            }
        }
    }

    fn lose_each(&mut self, lost: Vec<&'static str>, node: NodeRef<'_, Node>) {
        lost.into_iter().for_each(|what| self.lose(what, node));
    }

    /// Declares that something about the words of a node is not kept; nothing is lost with an element without words.
    fn lose(&mut self, what: &str, node: NodeRef<'_, Node>) {
        // Of more than are told, only the number is; to collect their words would take the square of the text.
        let about =
            if self.losses.len() < MOST_LOSSES { first_words(node, LONGEST_LOSS + 1) } else { "…".to_owned() };
        self.lose_words(what, about);
    }

    fn lose_words(&mut self, what: &str, about: String) {
        if about.trim().is_empty() {
            return;
        }
        // Words that stay are not dropped with what was said of them.
        let kind = match what {
            "text that is not shown" | "note beside the text" | "picture inside code" | "list to choose from" => {
                LossKind::Dropped
            }
            _ => LossKind::Flattened,
        };
        self.losses.push(TextLoss { kind, cause: LossCause::NoSuchMarkup { element: what.to_owned() }, about });
    }
}

fn named_by(name: &str) -> &'static str {
    if name == "span" { "title" } else { "value" }
}

fn is(node: NodeRef<'_, Node>, name: &str) -> bool {
    node.value().as_element().is_some_and(|e| e.name() == name)
}

fn is_text(node: NodeRef<'_, Node>) -> bool {
    node.value().is_text()
}

fn is_inline_code(name: &str) -> bool {
    matches!(name, "code" | "tt" | "kbd" | "samp")
}

/// Elements that stand on lines of their own (the HTML standard, §15.3, “Flow content” in its style sheet).
fn is_block(name: &str) -> bool {
    matches!(
        name,
        "p" | "div"
            | "section"
            | "article"
            | "header"
            | "footer"
            | "main"
            | "aside"
            | "nav"
            | "search"
            | "hgroup"
            | "address"
            | "dl"
            | "dt"
            | "dd"
            | "figure"
            | "figcaption"
            | "center"
            | "fieldset"
            | "legend"
            | "form"
            | "details"
            | "summary"
            | "dialog"
            | "optgroup"
            | "option"
            | "html"
            | "body"
            | "frameset"
            | "li"
            | "tr"
            | "caption"
            | "textarea"
            | "marquee"
            | "noscript"
    ) || matches!(
        name,
        "h1" | "h2"
            | "h3"
            | "h4"
            | "h5"
            | "h6"
            | "ul"
            | "ol"
            | "menu"
            | "dir"
            | "table"
            | "pre"
            | "listing"
            | "xmp"
            | "plaintext"
            | "blockquote"
            | "hr"
    )
}

fn raw_text(node: NodeRef<'_, Node>) -> String {
    node.descendants().filter_map(|d| d.value().as_text().map(|t| t.to_string())).collect()
}

/// The text of code, with its lines.
fn lines(node: NodeRef<'_, Node>) -> String {
    let mut out = String::new();
    for inner in node.descendants().skip(1) {
        match inner.value() {
            Node::Text(text) => out.push_str(text),
            Node::Element(e) if e.name() == "br" => out.push('\n'),
            Node::Element(e) if is_block(e.name()) && !out.is_empty() && !out.ends_with('\n') => out.push('\n'),
            _ => {}
        }
    }
    out
}

/// The words of a node on one line, those of two blocks apart.
fn words(node: NodeRef<'_, Node>) -> String {
    first_words(node, usize::MAX)
}

/// As [`words`], and no more of them than are needed for so many characters.
fn first_words(node: NodeRef<'_, Node>, characters: usize) -> String {
    let mut out = String::new();
    // A character has four bytes at most. Elements without words are not gone through without end either.
    let (bytes, nodes) = (characters.saturating_mul(4), characters.saturating_mul(4));
    for inner in node.descendants().take(nodes) {
        if out.len() > bytes {
            break;
        }
        match inner.value() {
            Node::Text(text) if !is_code_of_page(inner) => out.push_str(text),
            Node::Element(e) if is_block(e.name()) || matches!(e.name(), "br" | "td" | "th") => out.push(' '),
            Node::Element(e) if e.name() == "img" => {
                out.push_str(e.attr("alt").unwrap_or_default());
            }
            _ => {}
        }
    }
    out.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Whether a text is a script or a style sheet.
fn is_code_of_page(text: NodeRef<'_, Node>) -> bool {
    text.parent().is_some_and(|p| is(p, "script") || is(p, "style"))
}
