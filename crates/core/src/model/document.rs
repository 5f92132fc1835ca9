//! Rich text as one document tree, and its normal form.
//!
//! Equality is meant for documents in normal form ([`Document::normal`]): no empty nodes, adjacent
//! texts joined, white space collapsed as a page shows it. Readers return normal forms. Images are
//! inline nodes naming an attachment, as both HTML and CommonMark have them.

use serde::{Deserialize, Serialize};

use super::spaces::{collapse_spaces, is_space};
use super::{Argument, Kind};

/// A formatted text, as a tree.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Document {
    /// Its blocks, in their order.
    pub blocks: Vec<Block>,
}

/// A part of a formatted text that stands by itself.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "block", rename_all = "snake_case")]
pub enum Block {
    /// Text.
    Paragraph {
        /// What it says.
        content: Vec<Inline>,
    },
    /// A heading.
    Heading {
        /// 1 to 6.
        level: u8,
        /// What it says.
        content: Vec<Inline>,
    },
    /// A list.
    List {
        /// The first number of an ordered list; none for bullets.
        start: Option<u32>,
        /// What each item holds.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        items: Vec<Vec<Block>>,
    },
    /// A table.
    Table {
        /// Whether the first row holds the column names.
        header: bool,
        /// Its rows, each with its cells, each with what it holds.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        rows: Vec<Vec<Vec<Block>>>,
    },
    /// Lines that are shown as they are written.
    Code {
        /// The language, if it is said.
        language: Option<String>,
        /// What it says, line breaks included.
        text: String,
    },
    /// A quotation.
    Quote {
        /// What is quoted.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        blocks: Vec<Block>,
    },
    /// A line between paragraphs.
    Rule,
}

/// A part of a line of text.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "inline", rename_all = "snake_case")]
pub enum Inline {
    /// Text without formatting.
    Text {
        /// What it says.
        text: String,
    },
    /// Strong text.
    Strong {
        /// What it says.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        content: Vec<Inline>,
    },
    /// Emphasised text.
    Emphasis {
        /// What it says.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        content: Vec<Inline>,
    },
    /// Text that is struck through.
    Strike {
        /// What it says.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        content: Vec<Inline>,
    },
    /// Text below the line.
    Subscript {
        /// What it says.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        content: Vec<Inline>,
    },
    /// Text above the line.
    Superscript {
        /// What it says.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        content: Vec<Inline>,
    },
    /// Text that is shown as it is written.
    Code {
        /// What it says.
        text: String,
    },
    /// A link.
    Link {
        /// The address that it leads to.
        url: String,
        /// What it says.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        content: Vec<Inline>,
    },
    /// An attachment of the same artefact (by name), or an image elsewhere (by URL).
    Image {
        /// Where the picture is: an address, or the name of a file of the artefact.
        source: String,
        /// What stands for it where it can't be shown.
        alt: String,
    },
    /// An artefact or person named in running text, by its id at the same system; or, with a kind, an
    /// artefact by its id at the other end, whose counterpart comes to be in the same plan.
    Mention {
        /// Its id, at the end where the text stands.
        id: String,
        /// What people see in its place.
        label: String,
        /// Its kind, if the artefact is still to be made; the id is that of the end that it comes from.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        pending: Option<Kind>,
    },
    /// A parameter of the test case, by name.
    Parameter {
        /// What it is called.
        name: String,
    },
    /// A line break within a paragraph.
    LineBreak,
}

impl Inline {
    /// Text without formatting.
    pub fn text(s: impl Into<String>) -> Inline {
        Inline::Text { text: s.into() }
    }

    /// The inlines inside this one, if it is a wrapper.
    pub fn content(&self) -> Option<&[Inline]> {
        match self {
            Inline::Strong { content }
            | Inline::Emphasis { content }
            | Inline::Strike { content }
            | Inline::Subscript { content }
            | Inline::Superscript { content }
            | Inline::Link { content, .. } => Some(content),
            _ => None,
        }
    }

    /// The same wrapper around other content; leaves are returned as they are.
    pub fn with_content(&self, content: Vec<Inline>) -> Inline {
        match self {
            Inline::Strong { .. } => Inline::Strong { content },
            Inline::Emphasis { .. } => Inline::Emphasis { content },
            Inline::Strike { .. } => Inline::Strike { content },
            Inline::Subscript { .. } => Inline::Subscript { content },
            Inline::Superscript { .. } => Inline::Superscript { content },
            Inline::Link { url, .. } => Inline::Link { url: url.clone(), content },
            leaf => leaf.clone(),
        }
    }
}

impl Document {
    /// A document of one paragraph of plain text; none for blank text.
    pub fn from_text(text: &str) -> Document {
        Document { blocks: vec![Block::Paragraph { content: vec![Inline::text(text)] }] }.normal()
    }

    /// The text alone, on one line.
    pub fn plain(&self) -> String {
        let mut words = Vec::new();
        plain_blocks(&self.blocks, &mut words);
        words.join(" ")
    }

    /// The normal form: what a page would show, without nodes that show nothing.
    pub fn normal(&self) -> Document {
        Document { blocks: normal_blocks(&self.blocks) }
    }

    /// The document with values in place of the parameters that are named.
    pub fn with_parameters(&self, arguments: &[Argument]) -> Document {
        let value = |inline: &Inline| match inline {
            Inline::Parameter { name } => arguments.iter().find(|a| a.name == *name).map(|a| a.value.inlines()),
            _ => None,
        };
        self.with_inlines(&value)
    }

    /// The document with other inlines in place of those for which `change` gives some.
    pub fn with_inlines(&self, change: &dyn Fn(&Inline) -> Option<Vec<Inline>>) -> Document {
        Document { blocks: map_blocks(&self.blocks, change) }.normal()
    }

    /// Whether any inline is of a sort.
    pub fn any_inline(&self, is: &mut dyn FnMut(&Inline) -> bool) -> bool {
        let mut found = false;
        each_inline(&self.blocks, &mut |i| found = found || is(i));
        found
    }

    /// The inlines of a document of one paragraph; the text of any other.
    pub fn inlines(&self) -> Vec<Inline> {
        match self.blocks.as_slice() {
            [Block::Paragraph { content }] => content.clone(),
            _ => vec![Inline::text(self.plain())],
        }
    }

    /// Every image's source, in order of appearance.
    pub fn images(&self) -> Vec<String> {
        let mut out = Vec::new();
        each_inline(&self.blocks, &mut |i| {
            if let Inline::Image { source, .. } = i {
                out.push(source.clone());
            }
        });
        out
    }
}

/// What stands in place of an inline; none if it stays.
type Change<'c> = dyn Fn(&Inline) -> Option<Vec<Inline>> + 'c;

/// Blocks with inlines changed, at any depth.
fn map_blocks(list: &[Block], change: &Change<'_>) -> Vec<Block> {
    fn inlines(list: &[Inline], change: &Change<'_>) -> Vec<Inline> {
        list.iter()
            .flat_map(|i| match (change(i), i.content()) {
                (Some(others), _) => others,
                (None, Some(content)) => vec![i.with_content(inlines(content, change))],
                (None, None) => vec![i.clone()],
            })
            .collect()
    }
    list.iter()
        .map(|block| match block {
            Block::Paragraph { content } => Block::Paragraph { content: inlines(content, change) },
            Block::Heading { level, content } => Block::Heading { level: *level, content: inlines(content, change) },
            Block::List { start, items } => {
                Block::List { start: *start, items: items.iter().map(|i| map_blocks(i, change)).collect() }
            }
            Block::Table { header, rows } => Block::Table {
                header: *header,
                rows: rows.iter().map(|r| r.iter().map(|c| map_blocks(c, change)).collect()).collect(),
            },
            Block::Quote { blocks } => Block::Quote { blocks: map_blocks(blocks, change) },
            Block::Code { .. } | Block::Rule => block.clone(),
        })
        .collect()
}

/// Calls `see` on every inline node, parents before children.
fn each_inline(blocks: &[Block], see: &mut impl FnMut(&Inline)) {
    fn inlines(list: &[Inline], see: &mut impl FnMut(&Inline)) {
        for i in list {
            see(i);
            if let Some(content) = i.content() {
                inlines(content, see);
            }
        }
    }
    for b in blocks {
        match b {
            Block::Paragraph { content } | Block::Heading { content, .. } => inlines(content, see),
            Block::List { items, .. } => items.iter().for_each(|i| each_inline(i, see)),
            Block::Table { rows, .. } => rows.iter().flatten().for_each(|c| each_inline(c, see)),
            Block::Quote { blocks } => each_inline(blocks, see),
            Block::Code { .. } | Block::Rule => {}
        }
    }
}

/// A picture in words: what is said of it, or where it is. One that stands in the text itself has no place to name.
pub(crate) fn picture_at(source: &str, alt: &str) -> String {
    match (alt.trim(), source.get(..5)) {
        ("", Some(scheme)) if scheme.eq_ignore_ascii_case("data:") => "a picture in the text itself".to_owned(),
        ("", _) => source.to_owned(),
        (alt, _) => alt.to_owned(),
    }
}

/// Whether a picture's source is an address, and no file of the same item: it has a scheme (RFC 3986 §3.1), or begins
/// at the root of its system.
pub fn is_address(source: &str) -> bool {
    let scheme = |s: &str| {
        s.starts_with(|c: char| c.is_ascii_alphabetic())
            && s.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '+' | '-' | '.'))
            // A letter alone is a drive of a file's path.
            && s.len() > 1
    };
    source.starts_with(['/', '#']) || source.split_once(':').is_some_and(|(head, _)| scheme(head))
}

pub(crate) fn plain_inlines(list: &[Inline]) -> String {
    let mut out = String::new();
    for i in list {
        match i {
            Inline::Text { text } | Inline::Code { text } => out.push_str(text),
            Inline::Image { alt, source } => out.push_str(&picture_at(source, alt)),
            Inline::Mention { label, .. } => out.push_str(label),
            Inline::Parameter { name } => {
                out.push('{');
                out.push_str(name);
                out.push('}');
            }
            Inline::LineBreak => out.push(' '),
            wrapper => out.push_str(&plain_inlines(wrapper.content().unwrap_or_default())),
        }
    }
    out
}

fn plain_blocks(blocks: &[Block], words: &mut Vec<String>) {
    fn say(text: String, words: &mut Vec<String>) {
        if !text.is_empty() {
            words.push(text);
        }
    }
    for b in blocks {
        match b {
            Block::Paragraph { content } | Block::Heading { content, .. } => say(plain_inlines(content), words),
            Block::List { items, .. } => items.iter().for_each(|i| plain_blocks(i, words)),
            Block::Table { rows, .. } => rows.iter().flatten().for_each(|c| plain_blocks(c, words)),
            Block::Code { text, .. } => say(text.replace('\n', " "), words),
            Block::Quote { blocks } => plain_blocks(blocks, words),
            Block::Rule => {}
        }
    }
}

fn normal_blocks(blocks: &[Block]) -> Vec<Block> {
    let mut out = Vec::new();
    for b in blocks {
        match b {
            Block::Paragraph { content } => {
                let content = normal_inlines(content);
                if !content.is_empty() {
                    out.push(Block::Paragraph { content });
                }
            }
            Block::Heading { level, content } => {
                let content = normal_inlines(content);
                if !content.is_empty() {
                    out.push(Block::Heading { level: (*level).clamp(1, 6), content });
                }
            }
            Block::List { start, items } => {
                out.extend(normal_list(*start, items.iter().map(|i| normal_blocks(i))));
            }
            Block::Table { header, rows } => {
                let width = rows.iter().map(Vec::len).max().unwrap_or(0);
                let mut rows: Vec<Vec<Vec<Block>>> =
                    rows.iter().map(|r| r.iter().map(|c| normal_blocks(c)).collect()).collect();
                rows.iter_mut().for_each(|r| r.resize(width, Vec::new()));
                if width > 0 && rows.iter().flatten().any(|c| !c.is_empty()) {
                    out.push(Block::Table { header: *header, rows });
                }
            }
            Block::Code { language, text } => {
                let text = text.replace("\r\n", "\n").trim_end_matches('\n').to_owned();
                let language = language.as_ref().map(|l| l.trim().to_owned()).filter(|l| !l.is_empty());
                if !text.trim().is_empty() {
                    out.push(Block::Code { language, text });
                }
            }
            Block::Quote { blocks } => {
                let blocks = normal_blocks(blocks);
                if !blocks.is_empty() {
                    out.push(Block::Quote { blocks });
                }
            }
            Block::Rule => out.push(Block::Rule),
        }
    }
    out
}

/// Items that hold nothing are left out; those of an ordered list after one keep their numbers, in a list of their own.
fn normal_list(start: Option<u32>, items: impl Iterator<Item = Vec<Block>>) -> Vec<Block> {
    let mut out: Vec<Block> = Vec::new();
    let mut goes_on = false;
    for (n, item) in items.enumerate() {
        if item.is_empty() {
            goes_on &= start.is_none();
            continue;
        }
        match out.last_mut() {
            Some(Block::List { items, .. }) if goes_on => items.push(item),
            _ => out.push(Block::List { start: start.map(|first| first.saturating_add(n as u32)), items: vec![item] }),
        }
        goes_on = true;
    }
    out
}

/// White space collapses to single spaces, none at the ends or around line breaks; wrappers that hold
/// nothing vanish; a wrapper inside one of its own kind is absorbed; neighbours of one kind join.
fn normal_inlines(list: &[Inline]) -> Vec<Inline> {
    let mut out = normal_pass(list);
    // A space that one wrapper lets go of may come to stand at the end of the wrapper around it, so the
    // pass is repeated; nesting is shallow, and the bound only guards against a fault in the pass.
    for _ in 0..32 {
        let again = normal_pass(&out);
        if again == out {
            break;
        }
        out = again;
    }
    out
}

fn normal_pass(list: &[Inline]) -> Vec<Inline> {
    let mut out = join(hoist(join(absorb(list, &mut Vec::new()))));
    let mut space_before = true;
    collapse(&mut out, &mut space_before);
    trim_end(&mut out);
    let mut out = join(out);
    while matches!(out.last(), Some(Inline::LineBreak)) {
        out.pop();
        trim_end(&mut out);
    }
    while matches!(out.first(), Some(Inline::LineBreak)) {
        out.remove(0);
    }
    out
}

fn kind_of(i: &Inline) -> u8 {
    match i {
        Inline::Strong { .. } => 1,
        Inline::Emphasis { .. } => 2,
        Inline::Strike { .. } => 3,
        Inline::Subscript { .. } => 4,
        Inline::Superscript { .. } => 5,
        Inline::Link { .. } => 6,
        _ => 0,
    }
}

fn absorb(list: &[Inline], within: &mut Vec<u8>) -> Vec<Inline> {
    let mut out = Vec::new();
    for i in list {
        match i.content() {
            Some(content) => {
                let kind = kind_of(i);
                if within.contains(&kind) {
                    out.extend(absorb(content, within));
                } else {
                    within.push(kind);
                    let content = absorb(content, within);
                    within.pop();
                    out.push(i.with_content(content));
                }
            }
            None => out.push(i.clone()),
        }
    }
    out
}

/// Moves white space and line breaks at the inner ends of a wrapper outside it: “a<b> b</b>” and “a <b>b</b>” are one
/// text, and only the second can be written in CommonMark (§6.2, flanking delimiter runs).
fn hoist(list: Vec<Inline>) -> Vec<Inline> {
    let mut out = Vec::new();
    for i in list {
        let Some(content) = i.content() else {
            out.push(i);
            continue;
        };
        let mut content = hoist(content.to_vec());
        let before = outer(&mut content, |c| if c.is_empty() { None } else { Some(0) }, str::trim_start_matches);
        let mut after = outer(&mut content, |c| c.len().checked_sub(1), str::trim_end_matches);
        after.reverse();
        out.extend(before);
        if !content.is_empty() {
            out.push(i.with_content(content));
        }
        out.extend(after);
    }
    out
}

/// Takes what shows nothing by itself from one end of a list: spaces of its texts, and line breaks.
fn outer(
    content: &mut Vec<Inline>,
    end: impl Fn(&[Inline]) -> Option<usize>,
    trim: impl for<'t> Fn(&'t str, fn(char) -> bool) -> &'t str,
) -> Vec<Inline> {
    let mut taken = Vec::new();
    while let Some(at) = end(content) {
        match &mut content[at] {
            Inline::LineBreak => {
                content.remove(at);
                taken.push(Inline::LineBreak);
            }
            Inline::Text { text } => {
                let rest = trim(text, is_space).to_owned();
                if rest.len() == text.len() && !rest.is_empty() {
                    break;
                }
                if rest.len() < text.len() {
                    taken.push(Inline::text(" "));
                }
                if rest.is_empty() {
                    content.remove(at);
                } else {
                    *text = rest;
                    break;
                }
            }
            _ => break,
        }
    }
    taken
}

fn join(list: Vec<Inline>) -> Vec<Inline> {
    let mut out: Vec<Inline> = Vec::new();
    for i in list {
        let i = match i.content() {
            Some(content) => {
                let content = join(content.to_vec());
                if content.is_empty() {
                    continue;
                }
                i.with_content(content)
            }
            None => i,
        };
        match (out.last_mut(), &i) {
            (_, Inline::Text { text }) if text.is_empty() => {}
            (_, Inline::Code { text }) if text.trim().is_empty() => {}
            (Some(Inline::Text { text: a }), Inline::Text { text: b }) => a.push_str(b),
            (Some(Inline::Code { text: a }), Inline::Code { text: b }) => a.push_str(b),
            (Some(last), _) if kind_of(last) != 0 && kind_of(last) == kind_of(&i) && same_url(last, &i) => {
                let mut both = last.content().unwrap_or_default().to_vec();
                both.extend_from_slice(i.content().unwrap_or_default());
                *last = last.with_content(join(both));
            }
            _ => out.push(i),
        }
    }
    out
}

fn same_url(a: &Inline, b: &Inline) -> bool {
    match (a, b) {
        (Inline::Link { url: a, .. }, Inline::Link { url: b, .. }) => a == b,
        _ => true,
    }
}

fn collapse(list: &mut Vec<Inline>, space_before: &mut bool) {
    for at in 0..list.len() {
        if matches!(list[at], Inline::LineBreak) {
            trim_end(&mut list[..at]);
            *space_before = true;
            continue;
        }
        match &mut list[at] {
            Inline::Text { text } => collapse_spaces(text, space_before),
            Inline::Code { text } => {
                *text = text.split(is_space).filter(|w| !w.is_empty()).collect::<Vec<_>>().join(" ");
                *space_before = false;
            }
            Inline::Image { alt, .. } => {
                *alt = alt.split(is_space).filter(|w| !w.is_empty()).collect::<Vec<_>>().join(" ");
                *space_before = false;
            }
            i => match i.content() {
                Some(content) => {
                    let mut content = content.to_vec();
                    collapse(&mut content, space_before);
                    *i = i.with_content(content);
                }
                None => *space_before = false,
            },
        }
    }
    list.retain(|i| match i {
        Inline::Text { text } => !text.is_empty(),
        other => other.content().is_none_or(|c| !c.is_empty()),
    });
}

/// Takes the space from the end of the last text, however deep it stands.
fn trim_end(list: &mut [Inline]) {
    if let Some(last) = list.last_mut() {
        match last {
            Inline::Text { text } => {
                while text.ends_with(is_space) {
                    text.pop();
                }
            }
            i => {
                if let Some(content) = i.content() {
                    let mut content = content.to_vec();
                    trim_end(&mut content);
                    *i = i.with_content(content);
                }
            }
        }
    }
}
