//! Rich text: law 7 (every loss is declared) and settling as properties over generated documents, and
//! both readers against examples of the CommonMark and GFM specifications.

use hovrel_core::model::{Block, Document, Inline};
use hovrel_core::text::{TextFormat, carry, read};
use proptest::prelude::*;

/// Text with everything that could be taken for markup.
fn words() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        "[a-zA-Z]{1,6}",
        Just(" ".to_owned()),
        Just("  ".to_owned()),
        "[*_`~<>&|#!+=.()\\[\\]\\\\-]{1,3}",
        Just("1. ".to_owned()),
        Just("https://skarnvik.example/a_b".to_owned()),
        Just("العربية 🚡 é".to_owned()),
        Just("\u{a0}".to_owned()),
    ];
    prop::collection::vec(piece, 1..6).prop_map(|p| p.concat())
}

fn inline() -> impl Strategy<Value = Inline> {
    let leaf = prop_oneof![
        4 => words().prop_map(Inline::text),
        1 => words().prop_map(|text| Inline::Code { text }),
        1 => Just(Inline::LineBreak),
        1 => "[a-z ()]{1,9}\\.png".prop_map(|source| Inline::Image { source, alt: "seen".into() }),
        1 => "[a-z]{1,5}".prop_map(|name| Inline::Parameter { name }),
        1 => "[A-Z]{2}-[0-9]{1,4}".prop_map(|id| Inline::Mention { label: id.clone(), id, pending: None }),
    ];
    leaf.prop_recursive(3, 12, 3, |inner| {
        let content = prop::collection::vec(inner, 1..3);
        prop_oneof![
            content.clone().prop_map(|content| Inline::Strong { content }),
            content.clone().prop_map(|content| Inline::Emphasis { content }),
            content.clone().prop_map(|content| Inline::Strike { content }),
            content.clone().prop_map(|content| Inline::Subscript { content }),
            content.prop_map(|content| Inline::Link { url: "https://skarnvik.example/x".into(), content }),
        ]
    })
}

fn block() -> impl Strategy<Value = Block> {
    let content = || prop::collection::vec(inline(), 1..4);
    let leaf = prop_oneof![
        4 => content().prop_map(|content| Block::Paragraph { content }),
        1 => (1u8..=6, content()).prop_map(|(level, content)| Block::Heading { level, content }),
        1 => words().prop_map(|text| Block::Code { language: None, text }),
        1 => Just(Block::Rule),
    ];
    leaf.prop_recursive(2, 10, 3, |inner| {
        let blocks = prop::collection::vec(inner, 0..3);
        prop_oneof![
            (prop::option::of(1u32..30), prop::collection::vec(blocks.clone(), 1..3))
                .prop_map(|(start, items)| Block::List { start, items }),
            (any::<bool>(), prop::collection::vec(prop::collection::vec(blocks.clone(), 1..3), 1..3))
                .prop_map(|(header, rows)| Block::Table { header, rows }),
            blocks.prop_map(|blocks| Block::Quote { blocks }),
        ]
    })
}

fn document() -> impl Strategy<Value = Document> {
    prop::collection::vec(block(), 0..4).prop_map(|blocks| Document { blocks }.normal())
}

const FORMATS: [TextFormat; 5] =
    [TextFormat::Html, TextFormat::Xhtml, TextFormat::Markdown, TextFormat::Plain, TextFormat::PlainLinks];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// A normal form is its own normal form.
    #[test]
    fn normal_forms_are_fixed(d in prop::collection::vec(block(), 0..4).prop_map(|blocks| Document { blocks })) {
        let once = d.normal();
        prop_assert_eq!(once.normal(), once);
    }

    /// Law 7: what comes back equals what was sent, or a loss says so.
    #[test]
    fn no_loss_is_undeclared(d in document()) {
        for format in FORMATS {
            let carried = carry(&d, format);
            let (back, _) = read(&carried.text, format);
            prop_assert_eq!(&back, &carried.held, "{:?}: what is held is not what was said: {:?}", format, carried.text);
            prop_assert!(back == d || !carried.losses.is_empty(), "{:?} lost something silently: {:?}", format, carried.text);
        }
    }

    /// Law 2 for texts: what a target holds is carried again without any change or loss.
    #[test]
    fn what_is_held_settles(d in document()) {
        for format in FORMATS {
            let held = carry(&d, format).held;
            let again = carry(&held, format);
            prop_assert_eq!(&again.held, &held, "{:?}", format);
            prop_assert!(again.losses.is_empty(), "{:?} loses again: {:?}", format, again.losses);
        }
    }

    /// Readers take anything.
    #[test]
    fn readers_never_fail(text in any::<String>(), html in "(<[a-z]{1,5}( style=\"color:red\")?>|</[a-z]{1,5}>|[a-z& ]){0,30}") {
        for format in FORMATS {
            read(&text, format);
            read(&html, format);
        }
    }
}

/// CommonMark 0.31 and GFM: the Markdown of an example and the HTML that the specification gives for it
/// are one document. Section numbers and examples from memory.
#[test]
fn markdown_and_the_specified_html_are_one_document() {
    for (section, markdown, html) in [
        ("2.4 backslash escapes", "\\*not emphasized\\*", "<p>*not emphasized*</p>"),
        ("2.5 entities", "&copy; &#35;", "<p>© #</p>"),
        ("4.1 thematic breaks", "Foo\n***\nbar", "<p>Foo</p>\n<hr />\n<p>bar</p>"),
        ("4.2 ATX headings", "## foo *bar*", "<h2>foo <em>bar</em></h2>"),
        ("4.3 setext headings", "Foo *bar*\n=========", "<h1>Foo <em>bar</em></h1>"),
        (
            "4.4 indented code",
            "    a simple\n      indented code",
            "<pre><code>a simple\n  indented code\n</code></pre>",
        ),
        ("4.5 fenced code", "```ruby\ndef foo(x)\n```", "<pre><code class=\"language-ruby\">def foo(x)\n</code></pre>"),
        ("4.8 paragraphs", "aaa\n\nbbb", "<p>aaa</p>\n<p>bbb</p>"),
        ("5.1 block quotes", "> # Foo\n> bar", "<blockquote>\n<h1>Foo</h1>\n<p>bar</p>\n</blockquote>"),
        (
            "5.2 list items",
            "1.  A paragraph\n\n    > A quote.",
            "<ol>\n<li>\n<p>A paragraph</p>\n<blockquote>\n<p>A quote.</p>\n</blockquote>\n</li>\n</ol>",
        ),
        ("5.3 lists", "- foo\n- bar\n+ baz", "<ul>\n<li>foo</li>\n<li>bar</li>\n</ul>\n<ul>\n<li>baz</li>\n</ul>"),
        ("5.3 start number", "10) foo", "<ol start=\"10\">\n<li>foo</li>\n</ol>"),
        ("6.1 code spans", "`` foo ` bar ``", "<p><code>foo ` bar</code></p>"),
        ("6.2 emphasis", "*foo **bar** baz*", "<p><em>foo <strong>bar</strong> baz</em></p>"),
        ("6.2 intraword", "foo*bar*baz", "<p>foo<em>bar</em>baz</p>"),
        ("6.3 links", "[link](<foo(and(bar)>)", "<p><a href=\"foo(and(bar)\">link</a></p>"),
        ("6.4 images", "![foo](train.jpg)", "<p><img src=\"train.jpg\" alt=\"foo\" /></p>"),
        ("6.7 hard line breaks", "foo\\\nbar", "<p>foo<br />\nbar</p>"),
        ("6.8 soft line breaks", "foo\nbaz", "<p>foo\nbaz</p>"),
        (
            "GFM 4.10 tables",
            "| foo | bar |\n| --- | --- |\n| baz | bim |",
            "<table><thead><tr><th>foo</th><th>bar</th></tr></thead><tbody><tr><td>baz</td><td>bim</td></tr></tbody></table>",
        ),
        ("GFM 6.5 strikethrough", "~~Hi~~ there", "<p><del>Hi</del> there</p>"),
    ] {
        let (expected, losses) = read(html, TextFormat::Html);
        assert_eq!(read(markdown, TextFormat::Markdown).0, expected, "{section}");
        assert!(losses.is_empty(), "{section}");
        // And each is carried into Markdown without loss.
        let carried = carry(&expected, TextFormat::Markdown);
        assert_eq!((carried.held, carried.losses), (expected, vec![]), "{section}: {}", carried.text);
    }
}

#[test]
fn text_from_a_word_processor_keeps_its_content_and_declares_the_rest() {
    let html = "<p class=MsoNormal><span style='font-size:11pt'>Lay it in the <u>freezer</u>&nbsp;now.<o:p></o:p></span></p>\
                <p style='color:red'>Never <b>  use </b>it.</p><script>alert(1)</script><!-- note -->";
    let (document, losses) = read(html, TextFormat::Html);
    assert_eq!(document.plain(), "Lay it in the freezer\u{a0}now. Never use it.");
    let lost: Vec<String> =
        losses.iter().map(|l| format!("{} ({})", hovrel_words::loss_cause(&l.cause), l.about)).collect();
    assert_eq!(lost, ["the text format has no underline (freezer)", "the text format has no colour (Never use it.)"]);
}

/// OMG ReqIF 1.2 §10.8.20: XHTML with a prefix, objects instead of images, `del` instead of `s`.
#[test]
fn xhtml_as_reqif_takes_it_is_read_and_written() {
    let text = "<reqif-xhtml:div xmlns:reqif-xhtml=\"http://www.w3.org/1999/xhtml\">\
        <reqif-xhtml:p>Wind &gt; 18 m/s <reqif-xhtml:del>slows</reqif-xhtml:del><reqif-xhtml:br/>stops it.</reqif-xhtml:p>\
        <reqif-xhtml:table><reqif-xhtml:tr><reqif-xhtml:td/><reqif-xhtml:td>2</reqif-xhtml:td></reqif-xhtml:tr></reqif-xhtml:table>\
        <reqif-xhtml:p><reqif-xhtml:object data=\"sketch.png\" type=\"image/png\">the mast</reqif-xhtml:object></reqif-xhtml:p>\
        </reqif-xhtml:div>";
    let (document, losses) = read(text, TextFormat::Xhtml);
    assert!(losses.is_empty());
    let html = "<p>Wind &gt; 18 m/s <s>slows</s><br>stops it.</p><table><tr><td></td><td>2</td></tr></table>\
                <p><img src=\"sketch.png\" alt=\"the mast\"></p>";
    assert_eq!(document, read(html, TextFormat::Html).0);
    let carried = carry(&document, TextFormat::Xhtml);
    assert_eq!((&carried.held, carried.losses.as_slice()), (&document, [].as_slice()));
    assert_eq!(
        carried.text,
        "<div xmlns=\"http://www.w3.org/1999/xhtml\"><p>Wind &gt; 18 m/s <del>slows</del><br/>stops it.</p>\
         <table><tr><td></td><td><p>2</p></td></tr></table><p><object data=\"sketch.png\">the mast</object></p></div>"
    );
    // A list that begins at 5 begins at 1 there, and that is said.
    let list = read("<ol start=5><li>a</li></ol>", TextFormat::Html).0;
    assert_eq!(carry(&list, TextFormat::Xhtml).losses.len(), 1);
}

/// What a document can hold is in it, wherever it is written: as an element, as a style, around blocks.
#[test]
fn marks_stay_on_the_words_that_they_are_on() {
    for (html, same_as) in [
        ("<b><p>First.</p><p>Second.</p></b>", "<p><b>First.</b></p><p><b>Second.</b></p>"),
        ("<strong><ul><li>one</li></ul></strong>", "<ul><li><strong>one</strong></li></ul>"),
        ("<span style='text-decoration: line-through'>not</span>", "<s>not</s>"),
        ("10<span style='vertical-align:super'>-3</span>", "10<sup>-3</sup>"),
        ("<span style='font-weight:700; font-style:italic'>now</span>", "<b><i>now</i></b>"),
        ("<b style='font-weight:normal'>layout</b>", "layout"),
        ("<a href='#1'><div>a</div><div>b</div></a>", "<div><a href='#1'>a</a></div><div><a href='#1'>b</a></div>"),
        ("<h5>five</h5><span><h6>six</h6></span>", "<h5>five</h5><h6>six</h6>"),
        ("<aside>a</aside>b<nav>c</nav>", "<p>a</p><p>b</p><p>c</p>"),
        ("<q>He said <q>stop</q></q>", "“He said ‘stop’”"),
        ("<input type=checkbox checked>done<br><input type=checkbox>open", "☑ done<br>☐ open"),
        ("<ol><li>a<li value=7>b</ol>", "<ol><li>a</ol><ol start=7><li>b</ol>"),
        ("<ol><li>a<li><li>c</ol>", "<ol><li>a</ol><ol start=3><li>c</ol>"),
        ("<pre>a<br>b</pre>", "<pre>a\nb</pre>"),
        ("<div style='white-space:pre-wrap'>a\nb</div>", "<p>a<br>b</p>"),
        ("<table><tr><td rowspan=2>a<td>b<tr><td>c</table>", "<table><tr><td>a<td>b<tr><td><td>c</table>"),
        ("<table><tfoot><tr><td>end</tfoot><tr><td>a</table>", "<table><tr><td>a<tr><td>end</table>"),
        ("<table><caption>Loads</caption><tr><td>a</table>", "<p>Loads</p><table><tr><td>a</table>"),
    ] {
        assert_eq!(read(html, TextFormat::Html).0, read(same_as, TextFormat::Html).0, "{html}");
    }
}

/// What a document can't hold is declared, with the words concerned.
#[test]
fn what_has_no_place_is_declared_with_its_words() {
    for (html, what, about) in [
        ("<mark>red line</mark>", "highlighting", "red line"),
        ("<abbr title='Control unit'>CU</abbr>", "long form of a short word", "CU (Control unit)"),
        ("<span title='a note'>word</span>", "note beside the text", "word (a note)"),
        ("<table><tr><td colspan=2>wide</table>", "cell over several columns", "wide"),
        ("<table><tr><td rowspan=2>tall<tr></table>", "cell over several rows", "tall"),
        ("<ol type=a><li>x</ol>", "letters or signs as numbers", "x"),
        ("<ol reversed><li>x</ol>", "numbers that count down", "x"),
        ("<iframe src='https://skarnvik.example/map'></iframe>", "embedded page", "https://skarnvik.example/map"),
        ("<video><source src='/film.mp4'></video>", "film", "/film.mp4"),
        ("<p style='display:none'>secret</p>", "hidden text", "secret"),
        ("<svg><text>mast 9</text></svg>", "drawing", "mast 9"),
        ("<svg><path d='M0 0'/></svg>", "drawing", "without words"),
        ("<code>a<b>b</b></code>", "mark inside code", "b"),
        ("<x><sup>2<sup>3</sup></sup></x>", "raised text in raised text", "3"),
        ("<template>kept back</template>", "text that is not shown", "kept back"),
    ] {
        let (_, losses) = read(html, TextFormat::Html);
        let found: Vec<(String, &str)> =
            losses.iter().map(|l| (hovrel_words::loss_cause(&l.cause), l.about.as_str())).collect();
        let wanted = (format!("the text format has no {what}"), about);
        assert!(found.contains(&wanted), "{html}: {found:?}");
    }
    let (_, losses) = read("[a](https://skarnvik.example \"a note\")", TextFormat::Markdown);
    assert_eq!((losses.len(), losses[0].about.as_str()), (1, "a (a note)"));
    // A picture that stands in the text itself stays where it is, and leads to no file that is not there.
    let (document, _) = read("<img src='data:image/png;base64,AAAA' alt='mast'>", TextFormat::Html);
    let carried = carry(&document, TextFormat::Markdown);
    assert_eq!((carried.text.as_str(), &carried.held), ("![mast](<data:image/png;base64,AAAA>)", &document));
}
