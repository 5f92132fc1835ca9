"""Reads rich text with parsers that Hovrel does not use, and holds what Hovrel made of it against that.

Each line of the input is a JSON object: `left` in `left_format`, `right` in `right_format`, and `losses`, the texts of
what was declared. A word of the left must be at the right, in its order and its block, with its marks, in its item and
its cell, or a loss must name it. HTML is read by html5lib, Markdown by markdown-it-py (CommonMark with GFM tables and
strikethrough).
"""

import json
import re
import sys

import html5lib
from markdown_it import MarkdownIt

# Raw HTML is text, as in a page that shows Markdown of people it does not know.
MARKDOWN = MarkdownIt("commonmark", {"html": False}).enable(["table", "strikethrough"])
BLOCKS = set(
    "p div section article header footer main aside nav search hgroup address dl dt dd figure figcaption center "
    "fieldset legend form details summary dialog h1 h2 h3 h4 h5 h6 ul ol menu dir table pre blockquote hr li tr td th "
    "caption textarea listing xmp plaintext body html".split()
)
BY_TAG = {
    "b": "strong", "strong": "strong",
    "i": "em", "em": "em", "cite": "em", "var": "em", "dfn": "em",
    "s": "strike", "strike": "strike", "del": "strike",
    "sub": "sub", "sup": "sup",
    "code": "code", "tt": "code", "kbd": "code", "samp": "code",
    "pre": "code", "listing": "code", "xmp": "code", "plaintext": "code",
}
# What a document has no place for: its words must be among the losses.
DECLARED = {"u": "underline", "ins": "underline", "mark": "highlight", "small": "small", "bdo": "bdo", "dl": "terms",
            "details": "folded", "figcaption": "caption", "caption": "caption", "legend": "caption", "ruby": "ruby"}
WORD = re.compile(r"w\d+")


class Word:
    def __init__(self, marks, declared, place, block):
        self.marks, self.declared, self.place, self.block = marks, declared, place, block


def style_of(element):
    out = {}
    for part in (element.get("style") or "").lower().split(";"):
        name, colon, value = part.partition(":")
        if colon:
            out[name.strip()] = value.strip()
    return out


def by_style(element, marks, declared):
    style = style_of(element)
    weight = style.get("font-weight")
    if weight in ("bold", "bolder") or (weight or "").isdigit() and int(weight) >= 600:
        marks = marks | {"strong"}
    elif weight in ("normal", "lighter") or (weight or "").isdigit():
        marks = marks - {"strong"}
    slant = style.get("font-style", "")
    if slant.startswith(("italic", "oblique")):
        marks = marks | {"em"}
    elif slant == "normal":
        marks = marks - {"em"}
    lines = style.get("text-decoration", "") + " " + style.get("text-decoration-line", "")
    if "line-through" in lines:
        marks = marks | {"strike"}
    if "underline" in lines:
        declared = declared | {"underline"}
    align = style.get("vertical-align")
    if align == "super":
        marks = marks | {"sup"}
    elif align == "sub":
        marks = marks | {"sub"}
    if style.get("color", "black") not in ("black", "inherit", "windowtext", "#000000"):
        declared = declared | {"colour"}
    if style.get("background-color", "white") not in ("white", "transparent", "#ffffff"):
        declared = declared | {"colour"}
    if style.get("text-transform", "none") != "none":
        declared = declared | {"case"}
    if style.get("display") == "none":
        declared = declared | {"hidden"}
    return marks, declared


def number(text):
    try:
        return int(text.strip())
    except (AttributeError, ValueError):
        return None


def grid(table):
    """The cells of a table with their rows and columns: HTML standard, §4.9.12."""
    rows = []
    for part in ("thead", None, "tfoot"):
        for child in table:
            if part is None and child.tag == "tr":
                rows.append(child)
            elif part is None and child.tag == "tbody" or part == child.tag:
                rows.extend(r for r in child if r.tag == "tr")
    taken, out, shown = set(), [], 0
    for n, row in enumerate(rows):
        column = 0
        for cell in row:
            if cell.tag not in ("td", "th"):
                continue
            while (n, column) in taken:
                column += 1
            wide = max(number(cell.get("colspan")) or 1, 1)
            tall = number(cell.get("rowspan"))
            tall = len(rows) - n if tall == 0 else min(tall or 1, len(rows) - n)
            for r in range(tall):
                for c in range(wide):
                    taken.add((n + r, column + c))
            out.append((cell, (shown, column), wide > 1 or tall > 1))
            column += wide
        # Rows without words are not counted: in GFM an empty heading row stands for none (§4.10).
        shown += 1 if WORD.search("".join(row.itertext())) else 0
    return out


class Html:
    def __init__(self, text):
        self.words, self.block, self.in_lines = {}, 0, 0
        root = html5lib.parseFragment(text, treebuilder="etree", namespaceHTMLElements=False)
        self.children(root, frozenset(), frozenset(), (), {})

    def say(self, text, marks, declared, place):
        for n, line in enumerate((text or "").split("\n")):
            self.block += 1 if n > 0 and self.in_lines else 0
            for word in WORD.findall(line):
                self.words[word] = Word(marks, declared, place, self.block)

    def children(self, element, marks, declared, place, cells):
        self.say(element.text, marks, declared, place)
        start = number(element.get("start")) if element.tag == "ol" else None
        count = 1 if start is None else start
        last = None
        for child in element:
            inner = place
            if element.tag in ("ul", "ol", "menu", "dir") and isinstance(child.tag, str):
                kind = "ol" if element.tag == "ol" else "ul"
                if child.tag == "li":
                    if kind == "ol" and number(child.get("value")) is not None:
                        count = number(child.get("value"))
                    last = count
                    count += 1
                elif last is None:
                    last = count
                    count += 1
                inner = place + ((kind, last if kind == "ol" else None),)
            if isinstance(child.tag, str):
                self.element(child, marks, declared, inner, cells)
            self.say(child.tail, marks, declared, place)

    def element(self, element, marks, declared, place, cells):
        tag = element.tag
        if tag in ("script", "style", "template", "title", "head", "meta", "link"):
            return
        if tag in BY_TAG:
            marks = marks | {BY_TAG[tag]}
        if tag in DECLARED:
            declared = declared | {DECLARED[tag]}
        if tag == "a" and element.get("href") is not None:
            marks = frozenset(m for m in marks if not m.startswith("link ")) | {"link " + element.get("href").strip()}
        if tag in ("h1", "h2", "h3", "h4", "h5", "h6"):
            place = place + ((tag, None),)
        if tag == "blockquote":
            place = place + (("quote", None),)
        if element.get("title"):
            declared = declared | {"title"}
        if tag == "font" and element.get("color"):
            declared = declared | {"colour"}
        if tag == "ol" and (element.get("type") or "1") != "1":
            declared = declared | {"numbers"}
        marks, declared = by_style(element, marks, declared)
        if tag == "table":
            cells = dict(cells)
            for cell, at, spans in grid(element):
                cells[cell] = (at, spans)
        if tag in ("td", "th") and element in cells:
            at, spans = cells[element]
            place = place + (("cell", at),)
            if spans:
                declared = declared | {"span"}
        block = tag in BLOCKS
        if block or tag == "br":
            self.block += 1
        lines = tag in ("pre", "listing", "xmp", "plaintext")
        self.in_lines += lines
        self.children(element, marks, declared, place, cells)
        self.in_lines -= lines
        if block:
            self.block += 1


def read(text, text_format):
    if text_format == "markdown":
        text = MARKDOWN.render(text)
    if text_format == "plain":
        page = Html("")
        for block in re.split(r"\n", text):
            page.block += 1
            page.say(block, frozenset(), frozenset(), ())
        return page
    if text_format == "xhtml":
        text = re.sub(r"(</?)[\w-]+:", r"\1", text)
        text = re.sub(r"<([a-z]+)([^<>]*)/>", lambda m: f"<{m[1]}{m[2]}>" if m[1] in ("br", "hr", "img") else f"<{m[1]}{m[2]}></{m[1]}>", text)
    return Html(text)


def faults(case):
    left, right = read(case["left"], case["left_format"]), read(case["right"], case["right_format"])
    named = set()
    for loss in case["losses"]:
        named.update(WORD.findall(loss))
    order = [w for w in right.words if w in left.words]
    if order != [w for w in left.words if w in right.words] and case["right_format"] != "plain":
        yield "the order of words: " + " ".join(order)
    for word, was in left.words.items():
        now = right.words.get(word)
        if now is None:
            if word not in named:
                yield f"{word} is gone"
            continue
        if word in named:
            continue
        if was.declared:
            yield f"{word} is {sorted(was.declared)}, and nothing says so"
        if was.marks != now.marks:
            yield f"{word} was {sorted(was.marks)} and is {sorted(now.marks)}"
        if was.place != now.place:
            yield f"{word} was at {was.place} and is at {now.place}"
    # Two words that stood in two blocks stand in two blocks.
    words = list(left.words)
    for a, b in zip(words, words[1:]):
        if a in named or b in named or a not in right.words or b not in right.words:
            continue
        if left.words[a].block != left.words[b].block and right.words[a].block == right.words[b].block:
            yield f"{a} and {b} have come together"


bad = 0
total = 0
for line in sys.stdin:
    case = json.loads(line)
    total += 1
    found = list(faults(case))
    if found:
        bad += 1
        if bad <= 8:
            print(json.dumps({**case, "faults": found[:5]}, ensure_ascii=False, indent=1))
print(f"{total} texts, {bad} not as they were")
sys.exit(1 if bad else 0)
