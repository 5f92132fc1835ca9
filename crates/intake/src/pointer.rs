//! Places in JSON by pointer (RFC 6901).

use serde_json::Value;

/// A name as a part of a JSON Pointer (RFC 6901 §3).
pub fn escaped(name: &str) -> String {
    name.replace('~', "~0").replace('/', "~1")
}

/// A part of a JSON Pointer as the name that it stands for (RFC 6901 §4).
pub fn unescaped(part: &str) -> String {
    part.replace("~1", "/").replace("~0", "~")
}

/// Takes a member of an object away; whether there was one.
pub(crate) fn take_away(value: &mut Value, pointer: &str) -> bool {
    let Some((parent, last)) = pointer.rsplit_once('/') else { return false };
    match value.pointer_mut(parent) {
        Some(Value::Object(map)) => map.remove(&unescaped(last)).is_some(),
        _ => false,
    }
}

/// Puts something at a place, whether or not anything is there.
pub(crate) fn put(value: &mut Value, pointer: &str, new: Value) -> bool {
    if let Some(at) = value.pointer_mut(pointer) {
        *at = new;
        return true;
    }
    let Some((parent, last)) = pointer.rsplit_once('/') else { return false };
    match value.pointer_mut(parent) {
        Some(Value::Object(map)) => map.insert(unescaped(last), new).is_none(),
        _ => false,
    }
}
