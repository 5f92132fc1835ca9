//! One tree for JSON and XML, and places in it.
//!
//! XML is read as the JSON it resembles: an element with text alone is a string, attributes become
//! `@name`, text beside attributes or children `#text`, repeated elements a list. Places are JSON
//! Pointers (RFC 6901). Entities other than the predefined ones are refused, so nothing expands. Numbers that a binary
//! number can't hold exactly stay the text that they are written in.

use std::borrow::Cow;

use hovrel_core::bounds::{DEEPEST_ANSWER, MOST_ATTRIBUTES, MOST_VALUES};
use hovrel_intake::unescaped;
use quick_xml::events::{BytesStart, Event};
use serde_json::value::RawValue;
use serde_json::{Map, Value};

use crate::profile::Speaks;

/// The value at a pointer; none for null or absent.
pub fn at<'v>(value: &'v Value, pointer: &str) -> Option<&'v Value> {
    value.pointer(pointer).filter(|v| !v.is_null())
}

/// Whether an answer leaves a place out, and does not say that nothing is there: on the way to it a name is missing, and
/// not something that is null. XML has no list without members, so of a list only what is around it can be missing.
pub fn leaves_out(value: &Value, pointer: &str, is_list: bool, speaks: Speaks) -> bool {
    let around = if is_list && speaks == Speaks::Xml { around(pointer).0 } else { pointer };
    let mut here = value;
    for name in around.split('/').skip(1) {
        let found = match here {
            Value::Object(map) => map.get(&unescaped(name)),
            Value::Array(list) => name.parse().ok().and_then(|at: usize| list.get(at)),
            // Null, or an element without anything in it.
            _ => return false,
        };
        match found {
            Some(found) => here = found,
            None => return true,
        }
    }
    false
}

/// Text at a place, numbers and booleans as they are written.
pub fn text(value: &Value, pointer: &str) -> Option<String> {
    as_text(at(value, pointer)?)
}

pub fn as_text(value: &Value) -> Option<String> {
    match value {
        Value::String(s) => Some(s.clone()),
        Value::Number(n) => Some(n.to_string()),
        Value::Bool(b) => Some(b.to_string()),
        // An element with attributes: its text.
        Value::Object(map) => map
            .get("#text")
            .and_then(as_text)
            .or(Some(String::new()))
            .filter(|_| map.keys().all(|k| k.starts_with(['@', '#']))),
        _ => None,
    }
}

pub fn number(value: &Value, pointer: &str) -> Option<u64> {
    text(value, pointer)?.trim().parse().ok()
}

/// The items at a place: a list, one item that stands alone, or nothing.
pub fn items<'v>(value: &'v Value, pointer: &str) -> Vec<&'v Value> {
    match at(value, pointer) {
        Some(Value::Array(list)) => list.iter().collect(),
        Some(Value::String(s)) if s.is_empty() => Vec::new(),
        Some(one) => vec![one],
        None => Vec::new(),
    }
}

/// The list at a place that must have one: a list that is not found is not an empty one. Null is an empty list; in XML
/// an element without members is, if nothing else stands in it.
pub fn list_at<'v>(value: &'v Value, pointer: &str, speaks: Speaks) -> Result<Vec<&'v Value>, String> {
    match speaks {
        Speaks::Json => match value.pointer(pointer) {
            Some(Value::Array(list)) => Ok(list.iter().collect()),
            Some(Value::Null) => Ok(Vec::new()),
            Some(_) => Err(format!("what stands at “{pointer}” is no list")),
            None => Err(format!("there is no list at “{pointer}”")),
        },
        Speaks::Xml => {
            let (around, name) = around(pointer);
            match value.pointer(around).ok_or_else(|| format!("there is no element at “{around}”"))? {
                Value::Object(map) => match map.get(&name) {
                    Some(Value::Array(list)) => Ok(list.iter().collect()),
                    Some(one) => Ok(vec![one]),
                    None => match map.keys().find(|k| !k.starts_with(['@', '#'])) {
                        Some(other) => Err(format!("there is no <{name}> at “{around}”, but <{other}>")),
                        None if map.contains_key("#text") => Err(no_members(around, &name)),
                        None => Ok(Vec::new()),
                    },
                },
                Value::String(text) if text.trim().is_empty() => Ok(Vec::new()),
                _ => Err(no_members(around, &name)),
            }
        }
    }
}

/// As [`list_at`], taken out of the answer.
pub fn take_list(answer: &mut Value, pointer: &str, speaks: Speaks) -> Result<Vec<Value>, String> {
    list_at(answer, pointer, speaks)?;
    let found = match speaks {
        Speaks::Json => answer.pointer_mut(pointer).map(Value::take),
        Speaks::Xml => {
            let (around, name) = around(pointer);
            answer.pointer_mut(around).and_then(|holder| holder.get_mut(&name)).map(Value::take)
        }
    };
    Ok(match found {
        Some(Value::Array(list)) => list,
        Some(Value::Null) | None => Vec::new(),
        Some(one) => vec![one],
    })
}

/// The place around the last name of a pointer, and that name.
fn around(pointer: &str) -> (&str, String) {
    let (around, name) = pointer.rsplit_once('/').unwrap_or(("", pointer));
    (around, unescaped(name))
}

fn no_members(around: &str, name: &str) -> String {
    format!("what stands at “{around}” is text, and no list of <{name}>")
}

/// The members at a place one by one: one that stands alone is one, though it is empty.
pub fn cells<'v>(value: &'v Value, pointer: &str) -> Vec<&'v Value> {
    match value.pointer(pointer) {
        Some(Value::Array(list)) => list.iter().collect(),
        Some(Value::Null) | None => Vec::new(),
        Some(one) => vec![one],
    }
}

/// Reads JSON. An escape that stands for no character (half of a pair, RFC 8259 §8.2) becomes NUL, which whoever keeps the
/// text replaces and declares.
pub fn from_json(text: &str) -> Result<Value, String> {
    let text = with_whole_characters(text);
    let raw: &RawValue = serde_json::from_str(&text).map_err(|e| e.to_string())?;
    exact(raw.get(), 0, &mut Room(MOST_VALUES))
}

/// How many more values an answer may hold.
struct Room(usize);

impl Room {
    fn take(&mut self) -> Result<(), String> {
        self.0 = self.0.checked_sub(1).ok_or_else(|| format!("it holds more than {MOST_VALUES} values"))?;
        Ok(())
    }
}

fn exact(text: &str, depth: usize, room: &mut Room) -> Result<Value, String> {
    if depth > DEEPEST_ANSWER {
        return Err(format!("values are nested more than {DEEPEST_ANSWER} deep"));
    }
    room.take()?;
    let told = |e: serde_json::Error| e.to_string();
    Ok(match text.as_bytes().first() {
        Some(b'{') => {
            let map: std::collections::BTreeMap<String, &RawValue> = serde_json::from_str(text).map_err(told)?;
            let inner = map.into_iter().map(|(k, v)| Ok((k, exact(v.get(), depth + 1, room)?)));
            Value::Object(inner.collect::<Result<Map<_, _>, String>>()?)
        }
        Some(b'[') => {
            let list: Vec<&RawValue> = serde_json::from_str(text).map_err(told)?;
            if list.len() > room.0 {
                return Err(format!("it holds more than {MOST_VALUES} values"));
            }
            let inner = list.into_iter().map(|v| exact(v.get(), depth + 1, room));
            Value::Array(inner.collect::<Result<_, _>>()?)
        }
        Some(b'-' | b'0'..=b'9') => {
            let read: Value = serde_json::from_str(text).unwrap_or(Value::Null);
            // A number that is not written again as it was read has been rounded, or is too large.
            let again = read.to_string();
            if read.is_number() && again == text { read } else { Value::String(text.to_owned()) }
        }
        _ => serde_json::from_str(text).map_err(told)?,
    })
}

/// JSON in which every `\u` escape is a character or half of a pair whose other half stands beside it.
fn with_whole_characters(text: &str) -> Cow<'_, str> {
    let bytes = text.as_bytes();
    let unit = |at: usize| -> Option<u32> {
        let digits = bytes.get(at..at + 6)?.strip_prefix(b"\\u")?;
        u32::from_str_radix(std::str::from_utf8(digits).ok()?, 16).ok()
    };
    let (mut out, mut from, mut at) = (String::new(), 0, 0);
    while at < bytes.len() {
        if bytes[at] != b'\\' {
            at += 1;
            continue;
        }
        let pair = |n: u32| (0xD800..0xDC00).contains(&n);
        let second = |n: u32| (0xDC00..0xE000).contains(&n);
        match unit(at) {
            Some(n) if pair(n) && unit(at + 6).is_some_and(second) => at += 12,
            Some(n) if pair(n) || second(n) => {
                out.push_str(&text[from..at]);
                out.push_str("\\u0000");
                at += 6;
                from = at;
            }
            Some(_) => at += 6,
            None => at += 2,
        }
    }
    if from == 0 {
        return Cow::Borrowed(text);
    }
    out.push_str(&text[from..]);
    Cow::Owned(out)
}

/// Whether a text or a name anywhere in a value holds NUL.
pub fn holds_nul(value: &Value) -> bool {
    match value {
        Value::String(text) => text.contains('\0'),
        Value::Array(list) => list.iter().any(holds_nul),
        Value::Object(map) => map.iter().any(|(name, inner)| name.contains('\0') || holds_nul(inner)),
        _ => false,
    }
}

/// Puts a value at a place, making the objects on the way.
pub fn put(value: &mut Value, pointer: &str, new: Value) {
    let mut here = value;
    for token in pointer.split('/').skip(1) {
        let token = unescaped(token);
        if !here.is_object() {
            *here = Value::Object(Map::new());
        }
        let Value::Object(map) = here else { return };
        here = map.entry(token).or_insert(Value::Null);
    }
    *here = new;
}

/// Reads XML; the tree is the content of the root element.
pub fn from_xml(text: &str) -> Result<Value, String> {
    let mut reader = quick_xml::Reader::from_str(text);
    let mut stack: Vec<(String, Map<String, Value>, String)> = Vec::new();
    let mut root = None;
    let mut room = Room(MOST_VALUES);
    loop {
        let event = reader.read_event().map_err(|e| format!("{e} at byte {}", reader.buffer_position()))?;
        match event {
            Event::Start(e) => {
                if stack.len() >= DEEPEST_ANSWER {
                    return Err(format!("elements are nested more than {DEEPEST_ANSWER} deep"));
                }
                stack.push(open(&e, &mut room)?);
            }
            Event::Empty(e) => {
                let element = open(&e, &mut room)?;
                close(element, &mut stack, &mut root);
            }
            Event::End(_) => {
                let element = stack.pop().ok_or("an element ends that was not begun")?;
                close(element, &mut stack, &mut root);
            }
            Event::Text(t) => {
                if let Some((_, _, text)) = stack.last_mut() {
                    text.push_str(&t);
                }
            }
            Event::CData(t) => {
                if let Some((_, _, text)) = stack.last_mut() {
                    text.push_str(&t);
                }
            }
            Event::GeneralRef(r) => {
                let plain = resolved(&format!("&{};", &*r))?;
                if let Some((_, _, text)) = stack.last_mut() {
                    text.push_str(&plain);
                }
            }
            Event::DocType(_) => return Err("a document type declaration is not accepted".into()),
            Event::Eof => break,
            _ => {}
        }
    }
    if !stack.is_empty() {
        return Err("the document ends before its elements do".into());
    }
    root.ok_or_else(|| "there is no element".to_owned())
}

/// Text with its references resolved. One that stands for no character of XML (XML 1.0 §4.1) becomes NUL, which whoever
/// keeps the text replaces and declares.
fn resolved(text: &str) -> Result<String, String> {
    use quick_xml::escape::unescape;
    if let Ok(plain) = unescape(text) {
        return Ok(plain.into_owned());
    }
    let mut out = String::with_capacity(text.len());
    for (n, part) in text.split('&').enumerate() {
        let reference = part.split_once(';').filter(|_| n > 0);
        match reference {
            Some((name, rest)) => {
                match unescape(&format!("&{name};")) {
                    Ok(plain) => out.push_str(&plain),
                    Err(_) if name.starts_with('#') => out.push('\0'),
                    Err(e) => return Err(e.to_string()),
                }
                out.push_str(rest);
            }
            None if n > 0 => return Err("it holds “&” without a name behind it".into()),
            None => out.push_str(part),
        }
    }
    Ok(out)
}

fn open(e: &BytesStart<'_>, room: &mut Room) -> Result<(String, Map<String, Value>, String), String> {
    room.take()?;
    let mut map = Map::new();
    for attribute in e.attributes() {
        room.take()?;
        if map.len() == MOST_ATTRIBUTES {
            return Err(format!("an element has more than {MOST_ATTRIBUTES} attributes"));
        }
        let attribute = attribute.map_err(|e| e.to_string())?;
        let value = resolved(&attribute.value)?;
        map.insert(format!("@{}", attribute.key.as_ref()), Value::String(value));
    }
    Ok((e.name().as_ref().to_owned(), map, String::new()))
}

fn close(
    (name, mut map, text): (String, Map<String, Value>, String),
    stack: &mut [(String, Map<String, Value>, String)],
    root: &mut Option<Value>,
) {
    let value = if map.is_empty() {
        Value::String(text)
    } else {
        if !text.trim().is_empty() {
            map.insert("#text".into(), Value::String(text));
        }
        Value::Object(map)
    };
    match stack.last_mut() {
        None => *root = Some(value),
        Some((_, parent, _)) => match parent.get_mut(&name) {
            None => {
                parent.insert(name, value);
            }
            Some(Value::Array(list)) => list.push(value),
            Some(first) => {
                let one = first.take();
                *first = Value::Array(vec![one, value]);
            }
        },
    }
}

/// Writes a tree as XML under `root`.
pub fn to_xml(root: &str, value: &Value) -> String {
    let mut out = String::from("<?xml version=\"1.0\" encoding=\"UTF-8\"?>");
    write_element(root, value, &mut out);
    out
}

fn write_element(name: &str, value: &Value, out: &mut String) {
    use quick_xml::escape::escape;
    match value {
        Value::Array(list) => list.iter().for_each(|v| write_element(name, v, out)),
        Value::Object(map) => {
            out.push_str(&format!("<{name}"));
            for (key, v) in map.iter().filter(|(k, _)| k.starts_with('@')) {
                out.push_str(&format!(" {}=\"{}\"", &key[1..], escape(as_text(v).unwrap_or_default().as_str())));
            }
            out.push('>');
            for (key, v) in map.iter().filter(|(k, _)| !k.starts_with('@')) {
                if key == "#text" {
                    out.push_str(&escape(as_text(v).unwrap_or_default().as_str()));
                } else {
                    write_element(key, v, out);
                }
            }
            out.push_str(&format!("</{name}>"));
        }
        leaf => {
            let text = as_text(leaf).unwrap_or_default();
            // Characters that XML 1.0 §2.2 does not have can't be written at all.
            let clean: String = text.chars().filter(|c| !c.is_control() || matches!(c, '\n' | '\t' | '\r')).collect();
            out.push_str(&format!("<{name}>{}</{name}>", escape(clean.as_str())));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    /// RFC 6901 §5: the document and pointers of the specification's own examples.
    #[test]
    fn places_are_json_pointers() {
        let doc = json!({"foo": ["bar", "baz"], "": 0, "a/b": 1, "c%d": 2, "e^f": 3, "g|h": 4, "i\\j": 5, "k\"l": 6, " ": 7, "m~n": 8});
        for (pointer, expected) in [
            ("", doc.clone()),
            ("/foo", json!(["bar", "baz"])),
            ("/foo/0", json!("bar")),
            ("/", json!(0)),
            ("/a~1b", json!(1)),
            ("/c%d", json!(2)),
            ("/e^f", json!(3)),
            ("/g|h", json!(4)),
            ("/i\\j", json!(5)),
            ("/k\"l", json!(6)),
            ("/ ", json!(7)),
            ("/m~0n", json!(8)),
        ] {
            assert_eq!(at(&doc, pointer), Some(&expected), "{pointer}");
        }
        let mut made = Value::Null;
        put(&mut made, "/a~1b/m~0n", json!(1));
        assert_eq!(made, json!({"a/b": {"m~n": 1}}));
    }

    #[test]
    fn xml_is_read_and_written_as_the_json_it_resembles() {
        let tree = from_xml("<case id='OS-1'><name>A &amp; B&#x21;</name><labels><label>x</label><label>y</label></labels><steps/></case>").unwrap();
        assert_eq!(tree, json!({"@id": "OS-1", "name": "A & B!", "labels": {"label": ["x", "y"]}, "steps": ""}));
        assert_eq!(from_xml(&to_xml("case", &tree)).unwrap(), tree);
    }

    /// RFC 8259 §6: a number may have any size and precision; what software does with it is its own affair.
    #[test]
    fn no_number_is_rounded() {
        let read = from_json("{\"a\": [1, -2.5, 0.1, 12345678901234567890.25, 1.50, 1e400], \"b\": {\"c\": null}}");
        let wanted = json!({"a": [1, -2.5, 0.1, "12345678901234567890.25", "1.50", "1e400"], "b": {"c": null}});
        assert_eq!(read, Ok(wanted));
        assert!(from_json("[1,]").is_err() && from_json("").is_err() && from_json("{\"a\":1} x").is_err());
        let deep = format!("{}{}", "[".repeat(5000), "]".repeat(5000));
        assert!(from_json(&deep).unwrap_err().contains("nested"));
    }

    #[test]
    fn a_list_that_is_not_found_is_not_an_empty_one() {
        let json = |text: &str, at: &str| take_list(&mut from_json(text).unwrap(), at, Speaks::Json);
        assert_eq!(json("{\"items\": [1]}", "/items"), Ok(vec![json!(1)]));
        assert_eq!(json("{\"items\": []}", "/items"), Ok(vec![]));
        assert_eq!(json("{\"items\": null}", "/items"), Ok(vec![]));
        assert_eq!(json("[]", ""), Ok(vec![]));
        assert!(json("{\"values\": [1]}", "/items").unwrap_err().contains("/items"));
        assert!(json("{\"items\": {\"1\": 2}}", "/items").unwrap_err().contains("no list"));
        assert!(json("{}", "").is_err());
        let xml = |text: &str, at: &str| take_list(&mut from_xml(text).unwrap(), at, Speaks::Xml);
        assert_eq!(xml("<all><case>1</case></all>", "/case"), Ok(vec![json!("1")]));
        assert_eq!(xml("<all><case>1</case><case/></all>", "/case"), Ok(vec![json!("1"), json!("")]));
        assert_eq!(xml("<all total='0'/>", "/case"), Ok(vec![]));
        assert_eq!(xml("<all/>", "/case"), Ok(vec![]));
        assert_eq!(xml("<all><cases/></all>", "/cases/case"), Ok(vec![]));
        assert!(xml("<all><test>1</test></all>", "/case").unwrap_err().contains("<test>"));
        assert!(xml("<all><tests/></all>", "/cases/case").unwrap_err().contains("/cases"));
        assert!(xml("<all>closed for repairs</all>", "/case").is_err());
    }

    #[test]
    fn what_is_left_out_is_told_from_what_is_empty() {
        let json = |text: &str, at: &str| leaves_out(&from_json(text).unwrap(), at, false, Speaks::Json);
        assert!(!json("{\"owner\": null}", "/owner") && !json("{\"owner\": \"\"}", "/owner"));
        assert!(!json("{\"owner\": null}", "/owner/id"), "nobody has no id");
        assert!(json("{}", "/owner") && json("{}", "/owner/id") && json("{\"owner\": {}}", "/owner/id"));
        assert!(json("{\"items\": []}", "/items/0") && !json("{\"items\": [1]}", "/items/0"));
        let list = |text: &str, at: &str| leaves_out(&from_json(text).unwrap(), at, true, Speaks::Json);
        assert!(list("{}", "/links") && !list("{\"links\": []}", "/links") && !list("{\"links\": null}", "/links"));
        let xml = |text: &str, at: &str, is_list| leaves_out(&from_xml(text).unwrap(), at, is_list, Speaks::Xml);
        assert!(!xml("<case><owner/></case>", "/owner", false) && !xml("<case><owner/></case>", "/owner/@id", false));
        assert!(xml("<case><title>a</title></case>", "/owner", false));
        assert!(!xml("<case><title>a</title><links/></case>", "/links/link", true), "a list without members");
        assert!(xml("<case><title>a</title></case>", "/links/link", true));
    }

    #[test]
    fn broken_or_dangerous_xml_is_refused() {
        for bad in ["", "<a>", "<a></b>", "<a>&undefined;</a>", "<!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>", "plain"] {
            assert!(from_xml(bad).is_err(), "{bad}");
        }
        let deep = format!("{}{}", "<a>".repeat(500), "</a>".repeat(500));
        assert!(from_xml(&deep).unwrap_err().contains("nested"));
    }
}
