//! HTML to a tree, in steps that grow with the length of the text and with nothing else.
//!
//! Decides how much is given to the parser. Its rules compare every tag with the elements that are open and with the marks
//! that go on, and every attribute with those of its element, so that a text made for it takes the square of its length.
//! It is fed piece by piece and stopped where elements stand too deep; what is left over is read without its tags.

use std::cell::{Cell, RefCell};

use html5ever::driver::{self, ParseOpts};
use html5ever::tendril::{StrTendril, TendrilSink};
use html5ever::tokenizer::states::RawKind;
use html5ever::tokenizer::{BufferQueue, TagKind, Token, TokenSink, TokenSinkResult, Tokenizer};
use html5ever::{QualName, local_name, ns};
use scraper::{Html, HtmlTreeSink};

use crate::bounds::{MOST_ATTRIBUTES, MOST_OPEN_ELEMENTS};

/// Bytes that the parser is given before it is looked at again.
const PIECE: usize = 256;

pub struct Parsed {
    pub page: Html,
    /// What was not parsed, without its tags; empty if everything was.
    pub rest: String,
    /// How often the parser may have compared a tag with an open element.
    #[cfg(test)]
    pub steps: usize,
}

pub fn parse(html: &str) -> Parsed {
    let mut parser = driver::parse_fragment(
        HtmlTreeSink::new(Html::new_fragment()),
        ParseOpts::default(),
        QualName::new(None, ns!(html), local_name!("body")),
        Vec::new(),
        false,
    );
    // An element with endless attributes can't be parsed in part.
    let parsed = if too_many_attributes(html) { "" } else { html };
    let (mut at, mut made, mut steps) = (0, 0, 0);
    while at < parsed.len() {
        let end = parsed.ceil_char_boundary(at + PIECE);
        parser.process(StrTendril::from(&parsed[at..end]));
        at = end;
        let page = parser.tokenizer.sink.sink.0.borrow();
        let nodes = page.tree.nodes();
        let new = nodes.len() - made;
        made += new;
        let depth = |n: ego_tree::NodeRef<'_, _>| n.ancestors().take(MOST_OPEN_ELEMENTS + 1).count();
        let deepest = nodes.rev().take(new).map(depth).inspect(|depth| steps += depth).max();
        if deepest.is_some_and(|d| d > MOST_OPEN_ELEMENTS) {
            break;
        }
    }
    let rest = if at < html.len() { without_tags(&html[at..]) } else { String::new() };
    #[cfg(not(test))]
    let _ = steps;
    Parsed {
        page: parser.finish(),
        rest,
        #[cfg(test)]
        steps,
    }
}

/// Whether any element may have more attributes than the parser is to compare. Reads the text once, with every place at
/// which the tokenizer (the HTML standard, §13.2.5) can be: a tag that stands in a script or a comment counts too.
fn too_many_attributes(html: &str) -> bool {
    #[derive(Clone, Copy)]
    enum At {
        TagName,
        BeforeName,
        Name,
        BeforeValue,
        Bare,
        InDouble,
        InSingle,
    }
    use At::*;
    const PLACES: [At; 7] = [TagName, BeforeName, Name, BeforeValue, Bare, InDouble, InSingle];
    // At each place, the most attributes that a tag can have which has come so far.
    let mut most: [Option<usize>; PLACES.len()] = [None; PLACES.len()];
    let mut after_bracket = false;
    for byte in html.bytes() {
        let opens = std::mem::replace(&mut after_bracket, byte == b'<') && byte.is_ascii_alphabetic();
        if !opens && most.iter().all(Option::is_none) {
            continue;
        }
        let mut next: [Option<usize>; PLACES.len()] = [None; PLACES.len()];
        let mut go = |to: At, count: usize| next[to as usize] = next[to as usize].max(Some(count));
        let space = byte.is_ascii_whitespace() || byte == b'/';
        for at in PLACES {
            let Some(count) = most[at as usize] else { continue };
            match (at, byte) {
                (InDouble, b'"') | (InSingle, b'\'') => go(BeforeName, count),
                (InDouble | InSingle, _) => go(at, count),
                (_, b'>') => {}
                (TagName, _) if space => go(BeforeName, count),
                (BeforeName, _) if space => go(BeforeName, count),
                (BeforeName, b'=') => {
                    go(BeforeValue, count);
                    go(Name, count + 1);
                }
                (BeforeName, _) => go(Name, count + 1),
                (Name, b'=') => go(BeforeValue, count),
                (Name, _) if space => go(BeforeName, count),
                (BeforeValue, b'"') => go(InDouble, count),
                (BeforeValue, b'\'') => go(InSingle, count),
                (BeforeValue, _) if byte.is_ascii_whitespace() => go(BeforeValue, count),
                (BeforeValue, _) => go(Bare, count),
                (Bare, _) if byte.is_ascii_whitespace() => go(BeforeName, count),
                (TagName | Name | Bare, _) => go(at, count),
            }
        }
        if opens {
            go(TagName, 0);
        }
        if next.iter().flatten().any(|count| *count > MOST_ATTRIBUTES) {
            return true;
        }
        most = next;
    }
    false
}

/// The text between tags, with its character references resolved; scripts and style sheets are no text. Where an element
/// has endless attributes, the text as it is written.
fn without_tags(html: &str) -> String {
    if too_many_attributes(html) {
        return html.to_owned();
    }
    #[derive(Default)]
    struct Words {
        text: RefCell<String>,
        hidden: Cell<bool>,
    }
    impl TokenSink for Words {
        type Handle = ();
        fn process_token(&self, token: Token, _line: u64) -> TokenSinkResult<()> {
            match token {
                Token::CharacterTokens(text) if !self.hidden.get() => self.text.borrow_mut().push_str(&text),
                Token::TagToken(tag) => {
                    self.text.borrow_mut().push(' ');
                    let hides = tag.kind == TagKind::StartTag && matches!(&*tag.name, "script" | "style");
                    self.hidden.set(hides);
                    if hides {
                        return TokenSinkResult::RawData(RawKind::Rawtext);
                    }
                }
                _ => {}
            }
            TokenSinkResult::Continue
        }
    }
    let tokenizer = Tokenizer::new(Words::default(), Default::default());
    let queue = BufferQueue::default();
    queue.push_back(StrTendril::from(html));
    let _ = tokenizer.feed(&queue);
    tokenizer.end();
    let text = tokenizer.sink.text.into_inner();
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Texts that take a parser by the HTML standard the square of their length: the elements that are open, those that
    /// only `scope` keeps open, the marks that go on in every paragraph (§13.2.4.3 and §13.2.6.4.7).
    fn hostile(n: usize) -> Vec<String> {
        let marks: String = (0..n).map(|n| format!("<b a{n}>")).collect();
        vec![
            "<div>".repeat(n),
            "<div><table><tr><td></div></td></tr></table>".repeat(n),
            format!("{marks}{}", "<p>".repeat(n)),
            (0..n).map(|n| format!("<p><font a{n}></p>")).collect(),
            "<table><div>".repeat(n),
            "<svg><foreignObject>".repeat(n),
            "<a><p>".repeat(n),
            "<button><p>".repeat(n),
            "<template>".repeat(n),
            "<select><option>".repeat(n),
            "<ruby><rt>".repeat(n),
            "</p>".repeat(n),
            "<b></div>".repeat(n),
        ]
    }

    #[test]
    fn steps_grow_with_the_length_of_the_text() {
        for n in [2_000, 20_000] {
            for html in hostile(n) {
                let parsed = parse(&html);
                let nodes = parsed.page.tree.nodes().len();
                let shown: String = html.chars().take(60).collect();
                assert!(parsed.steps <= (MOST_OPEN_ELEMENTS + 1) * html.len(), "{shown}: {} steps", parsed.steps);
                assert!(nodes <= 4 * html.len(), "{shown}: {nodes} nodes of {} bytes", html.len());
            }
        }
    }

    #[test]
    fn attributes_are_counted_before_they_are_parsed() {
        let many: String = (0..MOST_ATTRIBUTES + 2).map(|n| format!(" a{n}")).collect();
        for tag in ["", "<p class=\"x\">so</p>", "<script>'<a \"", "<!-- <b c='"] {
            assert!(too_many_attributes(&format!("{tag}<i{many}>far")), "{tag}");
            let valued = many.replace(' ', " \"=\"'/");
            assert!(too_many_attributes(&format!("{tag}<i{valued}>far")), "{tag}");
        }
        let picture = format!("<img src=\"data:image/png;base64,{}\">", "AAAA BBBB\n".repeat(20_000));
        assert!(!too_many_attributes(&picture));
        let prose = "<p>Is 3 < 4, and a <b class='w'>“word”</b> = \"so\"?</p> ".repeat(5_000);
        assert!(!too_many_attributes(&prose));
    }

    #[test]
    fn what_is_not_parsed_is_read_without_its_tags() {
        let html = format!("{}<p>Open &amp; shut</p><script>no()</script><i>so</i>", "<div>".repeat(2_000));
        let parsed = parse(&html);
        assert!(parsed.rest.ends_with("Open & shut so"), "{}", parsed.rest);
        let parsed = parse("<p>Open &amp; <i>shut</i>");
        assert_eq!(parsed.rest, "");
    }
}
