//! Texts by seed: HTML and Markdown with everything in them that people and programs write, odd nesting included.
//! Every word is `w` and a number of its own, so that none can be taken for another.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// The index of elements of the HTML standard, and those that it calls obsolete (§16.2).
pub const ELEMENTS: [&str; 140] = [
    "a",
    "abbr",
    "address",
    "area",
    "article",
    "aside",
    "audio",
    "b",
    "base",
    "bdi",
    "bdo",
    "blockquote",
    "body",
    "br",
    "button",
    "canvas",
    "caption",
    "cite",
    "code",
    "col",
    "colgroup",
    "data",
    "datalist",
    "dd",
    "del",
    "details",
    "dfn",
    "dialog",
    "div",
    "dl",
    "dt",
    "em",
    "embed",
    "fieldset",
    "figcaption",
    "figure",
    "footer",
    "form",
    "h1",
    "h2",
    "h3",
    "h4",
    "h5",
    "h6",
    "head",
    "header",
    "hgroup",
    "hr",
    "html",
    "i",
    "iframe",
    "img",
    "input",
    "ins",
    "kbd",
    "label",
    "legend",
    "li",
    "link",
    "main",
    "map",
    "mark",
    "math",
    "menu",
    "meta",
    "meter",
    "nav",
    "noscript",
    "object",
    "ol",
    "optgroup",
    "option",
    "output",
    "p",
    "picture",
    "pre",
    "progress",
    "q",
    "rp",
    "rt",
    "ruby",
    "s",
    "samp",
    "search",
    "section",
    "select",
    "slot",
    "small",
    "source",
    "span",
    "strong",
    "sub",
    "summary",
    "sup",
    "svg",
    "table",
    "tbody",
    "td",
    "textarea",
    "tfoot",
    "th",
    "thead",
    "time",
    "tr",
    "track",
    "u",
    "ul",
    "var",
    "video",
    "wbr",
    // Obsolete ones.
    "acronym",
    "applet",
    "basefont",
    "bgsound",
    "big",
    "blink",
    "center",
    "dir",
    "font",
    "frame",
    "frameset",
    "isindex",
    "keygen",
    "listing",
    "marquee",
    "menuitem",
    "multicol",
    "nextid",
    "nobr",
    "noembed",
    "noframes",
    "param",
    "rb",
    "rtc",
    "spacer",
    "strike",
    "tt",
    "image",
    "o:p",
    "custom-tag",
];

struct Maker {
    random: ChaCha8Rng,
    words: u32,
    out: String,
}

impl Maker {
    fn new(seed: u64) -> Maker {
        Maker { random: ChaCha8Rng::seed_from_u64(seed), words: 0, out: String::new() }
    }

    fn one<T: Copy>(&mut self, of: &[T]) -> T {
        of[self.random.random_range(0..of.len())]
    }

    fn chance(&mut self, share: u32) -> bool {
        self.random.random_range(0..100) < share
    }

    fn word(&mut self) -> String {
        self.words += 1;
        format!("w{}", self.words)
    }

    fn say(&mut self) {
        for _ in 0..self.random.random_range(1..4) {
            let word = self.word();
            let beside = self.one(&[" ", " ", " ", ", ", ". ", " &amp; ", "\n", " «x» ", "&nbsp;", " – "]);
            self.out.push_str(&word);
            self.out.push_str(beside);
        }
    }
}

const STYLES: [&str; 20] = [
    "font-weight:bold",
    "font-weight: 700",
    "font-weight:normal",
    "font-style:italic",
    "font-style: normal",
    "text-decoration:line-through",
    "text-decoration: underline",
    "text-decoration: underline line-through",
    "vertical-align:super",
    "vertical-align:sub",
    "color:red",
    "color:#c00000;font-weight:bold",
    "background-color:yellow",
    "font-size:11pt;font-family:Calibri",
    "margin:0cm;text-align:left",
    "text-transform:uppercase",
    "FONT-WEIGHT: BOLD; COLOR: BLACK",
    "display:none",
    "font-size:9pt;vertical-align:super",
    "",
];

impl Maker {
    fn inline(&mut self, depth: u32) {
        if depth == 0 || self.chance(35) {
            return self.say();
        }
        let tags = [
            "b", "strong", "i", "em", "u", "s", "del", "ins", "sub", "sup", "code", "kbd", "a", "span", "span", "span",
            "mark", "small", "q", "abbr", "cite", "font", "br", "img", "input", "label", "time", "big", "tt", "strike",
        ];
        let tag = self.one(&tags);
        let attributes = match tag {
            "a" => " href=\"https://skarnvik.example/a?b=1&amp;c\"".to_owned(),
            "span" => format!(" style=\"{}\"", self.one(&STYLES)),
            "abbr" => " title='long'".to_owned(),
            "font" => self.one(&[" color=red", " face=Arial", " size=2"]).to_owned(),
            _ if self.chance(6) => format!(" style='{}'", self.one(&STYLES)),
            _ => String::new(),
        };
        match tag {
            "br" => self.out.push_str("<br>"),
            "img" => self.out.push_str("<img src=\"mast.png\" alt=\"the mast\">"),
            "input" => self.out.push_str("<input type=checkbox checked>"),
            _ => {
                self.out.push_str(&format!("<{tag}{attributes}>"));
                let inner = self.random.random_range(1..3);
                for _ in 0..inner {
                    // Word processors put blocks where none belong.
                    if self.chance(8) && tag != "code" && tag != "kbd" && tag != "tt" {
                        self.block(depth - 1);
                    } else {
                        self.inline(depth - 1);
                    }
                }
                // Some forget to close what they opened.
                if !self.chance(3) || matches!(tag, "code" | "kbd" | "tt") {
                    self.out.push_str(&format!("</{tag}>"));
                }
            }
        }
        self.out.push(' ');
    }

    fn inlines(&mut self, depth: u32) {
        for _ in 0..self.random.random_range(1..4) {
            self.inline(depth);
        }
    }

    fn block(&mut self, depth: u32) {
        let tags = [
            "p",
            "p",
            "p",
            "div",
            "div",
            "h1",
            "h3",
            "h6",
            "ul",
            "ol",
            "ol",
            "table",
            "pre",
            "blockquote",
            "hr",
            "dl",
            "figure",
            "details",
            "section",
            "center",
        ];
        let tag = if depth == 0 { "p" } else { self.one(&tags) };
        match tag {
            "hr" => self.out.push_str("<hr>"),
            "ul" | "ol" => self.list(tag, depth),
            "table" => self.table(depth),
            "pre" => {
                let (a, b) = (self.word(), self.word());
                self.out.push_str(&format!("<pre>{a} =\n  {b}</pre>"));
            }
            "dl" => {
                let (a, b) = (self.word(), self.word());
                self.out.push_str(&format!("<dl><dt>{a}<dd>{b}</dl>"));
            }
            "figure" => {
                let a = self.word();
                self.out.push_str(&format!("<figure><img src=a.png><figcaption>{a}</figcaption></figure>"));
            }
            "blockquote" | "div" | "section" | "center" | "details" => {
                self.out.push_str(&format!("<{tag}>"));
                for _ in 0..self.random.random_range(1..3) {
                    if self.chance(40) { self.inlines(depth - 1) } else { self.block(depth - 1) }
                }
                self.out.push_str(&format!("</{tag}>"));
            }
            _ => {
                let style = if self.chance(15) { format!(" style=\"{}\"", self.one(&STYLES)) } else { String::new() };
                self.out.push_str(&format!("<{tag}{style}>"));
                self.inlines(depth.min(3));
                if !self.chance(10) || tag != "p" {
                    self.out.push_str(&format!("</{tag}>"));
                }
            }
        }
    }

    fn list(&mut self, tag: &str, depth: u32) {
        let start = if tag == "ol" { self.one(&["", "", " start=5", " start='0'", " type=a"]) } else { "" };
        self.out.push_str(&format!("<{tag}{start}>"));
        for _ in 0..self.random.random_range(1..4) {
            if self.chance(8) {
                let nested = self.one(&["ul", "ol"]);
                self.list(nested, depth.saturating_sub(1).max(1));
                continue;
            }
            let value = if tag == "ol" && self.chance(12) { " value=9" } else { "" };
            self.out.push_str(&format!("<li{value}>"));
            if self.chance(70) {
                self.inlines(depth.saturating_sub(1))
            } else {
                self.block(depth - 1)
            }
            if self.chance(25) && depth > 1 {
                let nested = self.one(&["ul", "ol"]);
                self.list(nested, depth - 1);
            }
            if self.chance(80) {
                self.out.push_str("</li>");
            }
        }
        self.out.push_str(&format!("</{tag}>"));
    }

    fn table(&mut self, depth: u32) {
        self.out.push_str("<table>");
        if self.chance(20) {
            let word = self.word();
            self.out.push_str(&format!("<caption>{word}</caption>"));
        }
        let head = self.chance(40);
        for row in 0..self.random.random_range(1..4) {
            let (open, close, cell) = match (head, row) {
                (true, 0) => ("<thead><tr>", "</tr></thead>", "th"),
                _ => ("<tr>", "</tr>", "td"),
            };
            self.out.push_str(open);
            for _ in 0..self.random.random_range(1..4) {
                let span = self.one(&["", "", "", "", " colspan=2", " rowspan=2"]);
                self.out.push_str(&format!("<{cell}{span}>"));
                match self.random.random_range(0..10) {
                    0 => {}
                    1 if depth > 1 => self.block(depth - 1),
                    _ => self.inlines(depth.saturating_sub(1)),
                }
                if self.chance(80) {
                    self.out.push_str(&format!("</{cell}>"));
                }
            }
            self.out.push_str(close);
        }
        self.out.push_str("</table>");
    }
}

pub fn html(seed: u64) -> String {
    let mut maker = Maker::new(seed);
    for _ in 0..maker.random.random_range(1..5) {
        if maker.chance(20) { maker.inlines(4) } else { maker.block(4) }
    }
    maker.out
}

/// Well-formed, with the prefix that ReqIF's own writers use.
pub fn xhtml(seed: u64) -> String {
    let mut maker = Maker::new(seed);
    maker.xhtml_blocks(3);
    format!("<reqif-xhtml:div xmlns:reqif-xhtml=\"http://www.w3.org/1999/xhtml\">{}</reqif-xhtml:div>", maker.out)
        .replace("<x:", "<reqif-xhtml:")
        .replace("</x:", "</reqif-xhtml:")
}

impl Maker {
    fn xhtml_blocks(&mut self, depth: u32) {
        for _ in 0..self.random.random_range(1..4) {
            match self.random.random_range(0..7) {
                0 if depth > 0 => {
                    let tag = self.one(&["ul", "ol"]);
                    self.out.push_str(&format!("<x:{tag}>"));
                    for _ in 0..self.random.random_range(1..4) {
                        self.out.push_str("<x:li>");
                        if self.chance(60) {
                            self.xhtml_inlines(depth)
                        } else {
                            self.xhtml_blocks(depth - 1)
                        }
                        self.out.push_str("</x:li>");
                    }
                    self.out.push_str(&format!("</x:{tag}>"));
                }
                1 if depth > 0 => {
                    self.out.push_str("<x:table>");
                    for _ in 0..self.random.random_range(1..3) {
                        self.out.push_str("<x:tr><x:td>");
                        self.xhtml_inlines(depth);
                        self.out.push_str("</x:td><x:td/><x:td>");
                        self.say_xml();
                        self.out.push_str("</x:td></x:tr>");
                    }
                    self.out.push_str("</x:table>");
                }
                2 => {
                    let tag = self.one(&["h1", "h2", "blockquote", "div"]);
                    self.out.push_str(&format!("<x:{tag}><x:span>"));
                    self.say_xml();
                    self.out.push_str(&format!("</x:span></x:{tag}>"));
                }
                _ => {
                    self.out.push_str("<x:p>");
                    self.xhtml_inlines(depth);
                    self.out.push_str("</x:p>");
                }
            }
        }
    }

    fn xhtml_inlines(&mut self, depth: u32) {
        for _ in 0..self.random.random_range(1..4) {
            let tag = self.one(&["strong", "em", "del", "sub", "sup", "code", "span", "b", "i", "ins", "br"]);
            if tag == "br" {
                self.out.push_str("<x:br/>");
                continue;
            }
            let style = if tag == "span" { format!(" style=\"{}\"", self.one(&STYLES)) } else { String::new() };
            self.out.push_str(&format!("<x:{tag}{style}>"));
            if depth > 1 && tag != "code" && self.chance(30) {
                self.xhtml_inlines(depth - 1)
            } else {
                self.say_xml()
            }
            self.out.push_str(&format!("</x:{tag}> "));
        }
    }

    fn say_xml(&mut self) {
        let word = self.word();
        let beside = self.one(&[" ", ", ", " &amp; ", " &lt; ", " &#8211; "]);
        self.out.push_str(&word);
        self.out.push_str(beside);
    }
}

pub fn markdown(seed: u64) -> String {
    let mut maker = Maker::new(seed);
    let count = maker.random.random_range(1..6);
    let blocks: Vec<String> = (0..count).map(|_| maker.markdown_block(2)).collect();
    blocks.join("\n\n")
}

impl Maker {
    fn markdown_line(&mut self) -> String {
        let mut parts = Vec::new();
        for _ in 0..self.random.random_range(1..5) {
            let (a, b) = (self.word(), self.word());
            parts.push(match self.random.random_range(0..16) {
                0 => format!("**{a} {b}**"),
                1 => format!("*{a}* {b}"),
                2 => format!("***{a}** {b}*"),
                3 => format!("~~{a}~~ {b}"),
                4 => format!("`{a} {b}`"),
                5 => format!("[{a} *{b}*](https://skarnvik.example/x_y)"),
                6 => format!("[{a}](<https://skarnvik.example/a b> \"{b}\")"),
                7 => format!("![{a}](mast.png) {b}"),
                8 => format!("{a}\\\n{b}"),
                9 => format!("{a}  \n{b}"),
                10 => format!("{a} <b>{b}</b>"),
                11 => format!("_{a} __{b}___"),
                12 => format!("{a}*{b}"),
                13 => format!("\\*{a}\\* &amp; {b}"),
                14 => format!("<https://skarnvik.example/{a}> {b}"),
                _ => format!("{a}\n{b}"),
            });
        }
        parts.join(" ")
    }

    fn markdown_block(&mut self, depth: u32) -> String {
        let indented = |text: String, by: &str| text.lines().map(|l| format!("{by}{l}")).collect::<Vec<_>>().join("\n");
        match self.random.random_range(0..10) {
            0 => format!("## {}", self.markdown_line().replace(['\n', '\\'], " ")),
            1 => format!("{}\n===", self.markdown_line().replace(['\n', '\\'], " ")),
            2 | 3 if depth > 0 => {
                let marker = self.one(&["- ", "* ", "1. ", "7) "]);
                let mut items = Vec::new();
                for _ in 0..self.random.random_range(1..4) {
                    let mut item = self.markdown_line().replace(['\n', '\\'], " ");
                    if self.chance(30) {
                        item = format!("{item}\n\n{}", self.markdown_block(depth - 1));
                    }
                    let by = " ".repeat(marker.len());
                    items.push(format!("{marker}{}", indented(item, &by).trim_start()));
                }
                items.join("\n")
            }
            4 if depth > 0 => indented(self.markdown_block(depth - 1), "> "),
            5 => {
                let (a, b) = (self.word(), self.word());
                format!("```js more\n{a} = {b}\n```")
            }
            6 => {
                let mut cell = || self.markdown_line().replace(['\n', '\\', '|'], " ");
                format!("| {} | {} |\n| --- | :-: |\n| {} |  |", cell(), cell(), cell())
            }
            7 => "---".to_owned(),
            _ => self.markdown_line(),
        }
    }
}
