//! Values by name as the bytes that are hashed.
//!
//! Decides nothing of its own: the bytes are those that [`canonical`] makes of such a map, and the tests hold it to that.
//! Comparing writes every value of every pair, and nearly all of them are texts and choices: these are written here
//! without a serialiser in between, which takes a third of the time.

use std::borrow::Cow;

use super::Value;
use super::fingerprint::{Fingerprint, USUAL, canonical};

impl Fingerprint {
    /// The fingerprint of a map of values, as [`Fingerprint::of`] has it. The entries are in the order of their names.
    pub fn of_values<'v>(entries: impl Iterator<Item = (&'v str, Cow<'v, Value>)> + Clone) -> Fingerprint {
        match bytes_of(entries.clone()) {
            Some(bytes) => Fingerprint::of_bytes(&bytes),
            None => Fingerprint::of_map(entries),
        }
    }
}

/// None if a name is out of order, or is written with escapes, by which the order may be another.
fn bytes_of<'v>(entries: impl Iterator<Item = (&'v str, Cow<'v, Value>)>) -> Option<Vec<u8>> {
    let mut out = Vec::with_capacity(USUAL);
    let mut before: Option<&str> = None;
    out.push(b'{');
    for (name, value) in entries {
        if !is_plain(name) || before.is_some_and(|before| before >= name) {
            return None;
        }
        if before.is_some() {
            out.push(b',');
        }
        before = Some(name);
        out.push(b'"');
        out.extend_from_slice(name.as_bytes());
        out.extend_from_slice(b"\":");
        write(&mut out, &value);
    }
    out.push(b'}');
    Some(out)
}

fn write(out: &mut Vec<u8>, value: &Value) {
    let (begin, text): (&[u8], &str) = match value {
        Value::Text(text) => (b"{\"type\":\"text\",\"value\":\"", text),
        Value::Choice(text) => (b"{\"type\":\"choice\",\"value\":\"", text),
        Value::User(text) => (b"{\"type\":\"user\",\"value\":\"", text),
        Value::Url(text) => (b"{\"type\":\"url\",\"value\":\"", text),
        Value::Empty => return out.extend_from_slice(b"{\"type\":\"empty\"}"),
        other => return out.extend(canonical(other)),
    };
    if is_plain(text) {
        out.extend_from_slice(begin);
        out.extend_from_slice(text.as_bytes());
        out.extend_from_slice(b"\"}");
    } else {
        out.extend(canonical(value));
    }
}

/// Whether JSON writes a text without escapes (RFC 8785 §3.2.2.2).
fn is_plain(text: &str) -> bool {
    // Without a way out early, so that many bytes are looked at in one step.
    !text.bytes().fold(false, |odd, b| odd | (b < 0x20) | (b == b'"') | (b == b'\\'))
}
