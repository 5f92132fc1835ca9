//! Values read into a type, with every fault.
//!
//! Decides how to go on behind a fault: what can't be read is replaced by something that can.

use std::collections::{BTreeMap, HashMap, VecDeque};
use std::marker::PhantomData;

use serde::de::{DeserializeOwned, IntoDeserializer, MapAccess, Visitor};
use serde::{Deserialize, Deserializer};
use serde_json::Value;

use crate::Fault;
use crate::pointer::{escaped, put, take_away, unescaped};

/// More faults than this are not listed.
const MOST_FAULTS: usize = 20;

/// Reads a value; on a fault, notes it, puts something readable in its place and reads on, so that all are listed.
pub fn parse<T: DeserializeOwned>(mut value: Value) -> Result<T, Vec<Fault>> {
    let mut faults: Vec<Fault> = Vec::new();
    let mut stand_ins: HashMap<String, VecDeque<Value>> = HashMap::new();
    while faults.len() < MOST_FAULTS {
        let error = match serde_path_to_error::deserialize::<_, T>(value.clone()) {
            Ok(parsed) if faults.is_empty() => return Ok(parsed),
            Ok(_) => break,
            Err(e) => e,
        };
        let detail = error.inner().to_string();
        let mut pointer: String = error.path().iter().map(segment).collect();
        let mut unknown = quoted(&detail, "unknown field `");
        if let Some(name) = unknown.or_else(|| quoted(&detail, "missing field `"))
            && !pointer.ends_with(&format!("/{name}"))
        {
            pointer.push_str(&format!("/{name}"));
        }
        let mut pointer = real_pointer(&value, &pointer);
        // A map's key that is none of the words it may be; an object of one member may be a variant itself.
        if let Some(word) = quoted(&detail, "unknown variant `")
            && let Some(Value::Object(map)) = value.pointer(&pointer)
            && map.len() > 1
            && map.contains_key(word)
        {
            pointer.push_str(&format!("/{}", escaped(word)));
            unknown = Some(word);
        }
        // What stands in for a fault may be none of it, too; that is no other fault.
        let told =
            faults.iter().any(|f| pointer.strip_prefix(&f.pointer).is_some_and(|r| r.is_empty() || r.starts_with('/')));
        let left = stand_ins.entry(pointer.clone()).or_insert_with(|| stand_ins_for(&detail));
        let next = left.pop_front();
        let unknown = unknown.is_some();
        if !told {
            faults.push(Fault { pointer: pointer.clone(), detail });
        }
        let goes_on = match next {
            _ if unknown => take_away(&mut value, &pointer),
            Some(next) => put(&mut value, &pointer, next),
            None => false,
        };
        if !goes_on {
            break;
        }
    }
    Err(faults)
}

/// Reads a map whose keys are words of a kind, so that the place of what is wrong in it is known: for a field's
/// `deserialize_with`. Keys that are read straight into an enum leave no trace on the way to a fault.
pub fn by_word<'de, D, K, V>(deserializer: D) -> Result<BTreeMap<K, V>, D::Error>
where
    D: Deserializer<'de>,
    K: Deserialize<'de> + Ord,
    V: Deserialize<'de>,
{
    struct Words<K, V>(PhantomData<(K, V)>);
    impl<'de, K: Deserialize<'de> + Ord, V: Deserialize<'de>> Visitor<'de> for Words<K, V> {
        type Value = BTreeMap<K, V>;

        fn expecting(&self, to: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
            to.write_str("a map")
        }

        fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<BTreeMap<K, V>, A::Error> {
            let mut out = BTreeMap::new();
            while let Some(word) = map.next_key::<String>()? {
                out.insert(K::deserialize(word.into_deserializer())?, map.next_value()?);
            }
            Ok(out)
        }
    }
    deserializer.deserialize_map(Words(PhantomData))
}

/// Values that may be read where another could not, told from what was expected there.
fn stand_ins_for(detail: &str) -> VecDeque<Value> {
    let expected = detail.rsplit_once("expected ").map_or("", |(_, e)| e);
    if expected.contains('`') {
        // One of several words; which of them need something more with them is not told.
        return expected.split('`').skip(1).step_by(2).map(Value::from).collect();
    }
    let any = [Value::from("x"), 1.into(), true.into(), Value::Array(Vec::new()), serde_json::json!({})];
    match expected {
        e if e.starts_with("a sequence") => [Value::Array(Vec::new())].into(),
        e if e.starts_with("a map") || e.starts_with("struct") => [serde_json::json!({})].into(),
        _ => any.into(),
    }
}

/// The pointer to where a path leads that does not name the variants on its way.
fn real_pointer(value: &Value, pointer: &str) -> String {
    let (mut at, mut out) = (Some(value), String::new());
    for part in pointer.split('/').skip(1) {
        let name = unescaped(part);
        // A variant with something in it is a map with one member.
        if let Some(Value::Object(map)) = at
            && !map.contains_key(&name)
            && let Some((variant, inner @ (Value::Object(_) | Value::Array(_)))) = map.iter().next()
            && map.len() == 1
            && inner.pointer(&format!("/{part}")).is_some()
        {
            out.push_str(&format!("/{}", escaped(variant)));
            at = Some(inner);
        }
        out.push_str(&format!("/{part}"));
        at = at.and_then(|v| v.pointer(&format!("/{part}")));
    }
    out
}

fn segment(s: &serde_path_to_error::Segment) -> String {
    use serde_path_to_error::Segment;
    match s {
        Segment::Seq { index } => format!("/{index}"),
        Segment::Map { key } => format!("/{}", escaped(key)),
        // Variants and unknown places are no places in the JSON.
        Segment::Enum { .. } | Segment::Unknown => String::new(),
    }
}

fn quoted<'t>(text: &'t str, before: &str) -> Option<&'t str> {
    text.split_once(before)?.1.split_once('`').map(|(name, _)| name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(serde::Deserialize, Debug)]
    #[serde(deny_unknown_fields)]
    #[allow(dead_code)]
    struct Thing {
        name: String,
        size: u32,
    }

    #[test]
    fn every_field_at_fault_is_listed() {
        let body = serde_json::json!({"name": 5, "size": "big", "colour": "red", "weight": 1});
        let mut pointers: Vec<String> = parse::<Thing>(body).unwrap_err().into_iter().map(|f| f.pointer).collect();
        pointers.sort();
        assert_eq!(pointers, ["/colour", "/name", "/size", "/weight"]);
        assert!(parse::<Thing>(serde_json::json!({"name": "a", "size": 1})).is_ok());
        assert_eq!(parse::<Thing>(serde_json::json!({"size": 1})).unwrap_err()[0].pointer, "/name");
    }

    #[derive(serde::Deserialize, Debug)]
    #[serde(rename_all = "snake_case", deny_unknown_fields)]
    #[allow(dead_code)]
    enum Shape {
        Round { size: u32 },
        Flat(Vec<Thing>),
        Plain,
    }

    /// A key that is none of the words that it may be is at fault itself, and hides nothing beside it.
    #[test]
    fn keys_of_maps_are_told() {
        #[derive(serde::Deserialize, Debug, PartialEq, Eq, PartialOrd, Ord)]
        #[serde(rename_all = "snake_case")]
        enum Word {
            One,
            Two,
        }
        #[derive(serde::Deserialize, Debug)]
        #[allow(dead_code)]
        struct Words {
            #[serde(deserialize_with = "by_word")]
            sizes: BTreeMap<Word, u32>,
        }
        let body = serde_json::json!({"sizes": {"one": "x", "tow": 2, "two": "y"}});
        let mut pointers: Vec<String> = parse::<Words>(body).unwrap_err().into_iter().map(|f| f.pointer).collect();
        pointers.sort();
        assert_eq!(pointers, ["/sizes/one", "/sizes/tow", "/sizes/two"]);
        let good = parse::<Words>(serde_json::json!({"sizes": {"two": 2}})).expect("it is read");
        assert_eq!(good.sizes, BTreeMap::from([(Word::Two, 2)]));
    }

    /// A fault in something required, or in a variant, hides no other.
    #[test]
    fn faults_are_listed_wherever_they_are() {
        #[derive(serde::Deserialize, Debug)]
        #[serde(deny_unknown_fields)]
        #[allow(dead_code)]
        struct Whole {
            first: Shape,
            list: Vec<Shape>,
            last: bool,
        }
        let body = serde_json::json!({
            "first": "oval",
            "list": [
                {"round": {"size": "big", "colour": "red"}},
                {"flat": [{"name": "a", "size": 1}, {"name": 3}]},
                {"tall": 1},
            ],
        });
        let mut pointers: Vec<String> = parse::<Whole>(body).unwrap_err().into_iter().map(|f| f.pointer).collect();
        pointers.sort();
        let wanted = [
            "/first",
            "/last",
            "/list/0/round/colour",
            "/list/0/round/size",
            "/list/1/flat/1/name",
            "/list/1/flat/1/size",
            "/list/2",
        ];
        assert_eq!(pointers, wanted);
    }
}
