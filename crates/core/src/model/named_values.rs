//! Values by name as the bytes that are hashed.
//!
//! Decides how what an item holds becomes one fingerprint: comparing makes two of them for every pair, so texts are
//! hashed as they are, behind their length, and only values of more than a text are written as JSON first. The form has
//! a number of its own, which stands in front of the fingerprint.

use std::borrow::Cow;

use super::Value;
use super::fingerprint::{Fingerprint, canonical};

/// The form in which values by name are hashed. Before it they were hashed as canonical JSON, in the form [`super::FORM`].
pub const NAMED_VALUES_FORM: u8 = 2;

/// Bytes that a length takes at most.
const LONGEST_LENGTH: usize = 10;

/// Names of values, ready to be hashed with the values of many items.
///
/// What is hashed is the BLAKE3 digest of the names that have a value, each with its length before it, then these values in
/// the order of the names' bytes: a byte for the type, and the value as a text with its length before it. Lengths are
/// in bytes, as unsigned LEB128 (DWARF 5, §7.6). A value that is more than a text stands there as its canonical JSON. So
/// nothing is the beginning of something else, and other values have other bytes.
#[derive(Debug)]
pub struct Names {
    /// In the order of their bytes, each with its place among those that were given.
    names: Vec<(String, usize)>,
    /// The digest of all of them.
    all: blake3::Hash,
}

impl Names {
    /// Of names that are each given once.
    pub fn new<'n>(names: impl IntoIterator<Item = &'n str>) -> Names {
        let mut names: Vec<(String, usize)> =
            names.into_iter().enumerate().map(|(place, name)| (name.to_owned(), place)).collect();
        names.sort_unstable();
        let all = digest(names.iter().map(|(name, _)| name.as_str()));
        Names { names, all }
    }

    /// The fingerprint of what an item holds by these names. `value` gives what stands at the name of a place; a name
    /// without a value is left out.
    pub fn fingerprint<'v>(&self, value: impl Fn(usize) -> Option<Cow<'v, Value>>) -> Fingerprint {
        Fingerprint::of_bytes(NAMED_VALUES_FORM, |out| {
            out.extend_from_slice(self.all.as_bytes());
            let mut missing: Vec<&str> = Vec::new();
            for (name, place) in &self.names {
                match value(*place) {
                    Some(value) => write(out, &value),
                    None => missing.push(name),
                }
            }
            if !missing.is_empty() {
                let mut missing = missing.into_iter().peekable();
                let names = self.names.iter().map(|(name, _)| name.as_str());
                let there = names.filter(|name| missing.next_if(|gone| gone == name).is_none());
                out[..blake3::OUT_LEN].copy_from_slice(digest(there).as_bytes());
            }
        })
    }
}

fn digest<'n>(names: impl Iterator<Item = &'n str>) -> blake3::Hash {
    let mut out = Vec::new();
    names.for_each(|name| write_text(&mut out, name.as_bytes()));
    blake3::hash(&out)
}

fn write(out: &mut Vec<u8>, value: &Value) {
    let (of_type, text) = match value {
        Value::Empty => (b'0', ""),
        Value::Text(text) => (b't', text.as_str()),
        Value::Choice(text) => (b'c', text.as_str()),
        Value::User(text) => (b'u', text.as_str()),
        Value::Url(text) => (b'a', text.as_str()),
        other => {
            out.push(b'{');
            return write_text(out, &canonical(other));
        }
    };
    out.push(of_type);
    write_text(out, text.as_bytes());
}

fn write_text(out: &mut Vec<u8>, text: &[u8]) {
    out.reserve(LONGEST_LENGTH + text.len());
    let mut rest = text.len();
    while rest >= 0x80 {
        out.push((rest & 0x7f) as u8 | 0x80);
        rest >>= 7;
    }
    out.push(rest as u8);
    out.extend_from_slice(text);
}
