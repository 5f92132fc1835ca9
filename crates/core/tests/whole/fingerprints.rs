//! The bytes that fingerprints are made of.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

use hovrel_core::agree::said;
use hovrel_core::base::BaseSide;
use hovrel_core::model::{
    Decimal, Document, FieldKey, FieldKeys, Fields, Fingerprint, Names, Picker, ShortForm, Value, canonical,
};
use hovrel_core::rules::RuleId;
use proptest::prelude::*;
use serde::Serialize;
use serde_json::{Value as Json, json};

/// JSON whose numbers a double holds, and whose names are in the same order by bytes and by UTF-16.
fn any_json() -> impl Strategy<Value = Json> {
    let leaf = prop_oneof![
        Just(Json::Null),
        any::<bool>().prop_map(Json::from),
        (-(1i64 << 53)..=1 << 53).prop_map(Json::from),
        any::<String>().prop_map(Json::from),
    ];
    leaf.prop_recursive(4, 40, 6, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..6).prop_map(Json::from),
            prop::collection::btree_map("[ !#-\\[\\]-~]{0,6}", inner, 0..6)
                .prop_map(|m| Json::Object(m.into_iter().collect())),
        ]
    })
}

proptest! {
    /// Against a reference: the library serde_json_canonicalizer, which writes RFC 8785.
    #[test]
    fn canonical_json_is_that_of_the_standard(thing in any_json()) {
        let wanted = serde_json_canonicalizer::to_vec(&thing).expect("it can be written");
        prop_assert_eq!(String::from_utf8(canonical(&thing)), String::from_utf8(wanted));
    }

    #[test]
    fn equal_values_have_equal_fingerprints_and_others_do_not(a in any_json(), b in any_json()) {
        prop_assert_eq!(Fingerprint::of(&a) == Fingerprint::of(&b), a == b);
    }
}

/// RFC 8785 §3.2.3: members are in order in each object, and no others change places.
#[test]
fn members_are_in_order_whoever_wrote_them() {
    #[derive(Serialize)]
    struct Backwards {
        z: u8,
        m: BTreeMap<&'static str, Vec<Inner>>,
        a: (),
    }
    #[derive(Serialize)]
    struct Inner {
        y: bool,
        x: &'static str,
    }
    let inner = || Inner { y: true, x: "\u{1}\"é" };
    let thing = Backwards { z: 1, m: [("k", vec![inner(), inner()])].into(), a: () };
    let wanted = r#"{"a":null,"m":{"k":[{"x":"\u0001\"é","y":true},{"x":"\u0001\"é","y":true}]},"z":1}"#;
    assert_eq!(String::from_utf8(canonical(&thing)).expect("text"), wanted);
}

/// A double would take 9,007,199,254,740,993 for its neighbour (IEEE 754: 53 bits).
#[test]
fn whole_numbers_are_whole() {
    assert_eq!(canonical(&i64::MAX), i64::MAX.to_string().into_bytes());
    assert_ne!(Fingerprint::of(&((1i64 << 53) + 1)), Fingerprint::of(&(1i64 << 53)));
}

#[test]
fn a_map_that_is_not_collected_has_the_fingerprint_of_the_map() {
    let side = BaseSide([("b".into(), Value::Integer(2)), ("a".into(), Value::text("x"))].into());
    assert_eq!(Fingerprint::of_map(side.0.iter().rev()), Fingerprint::of(&side));
    assert_eq!(
        Fingerprint::of(&json!({"b": {"type": "integer", "value": 2}, "a": {"type": "text", "value": "x"}})),
        Fingerprint::of(&side)
    );
    assert_ne!(Fingerprint::of(&Value::Empty), Fingerprint::of(&Value::text("")));
}

fn any_value() -> impl Strategy<Value = Value> {
    let text = || prop_oneof![any::<String>(), "[ -~]{0,40}", "[\"\\\\\u{0}-\u{1f}aé]{0,6}"];
    prop_oneof![
        text().prop_map(Value::Text),
        text().prop_map(Value::Choice),
        text().prop_map(Value::User),
        text().prop_map(Value::Url),
        text().prop_map(Value::Unreadable),
        text().prop_map(|t| Value::RichText(Document::from_text(&t))),
        prop::collection::vec(text(), 0..4).prop_map(Value::ChoiceList),
        any::<i64>().prop_map(Value::Integer),
        any::<bool>().prop_map(Value::Boolean),
        Just(Value::Empty),
    ]
}

proptest! {
    /// Whatever names and values hold and in whatever order the names come: the same values have the same fingerprint,
    /// and others, under other names or missing, have another.
    #[test]
    fn items_that_hold_the_same_have_the_same_fingerprint_and_others_have_not(
        mut names in prop::collection::hash_set(prop_oneof!["[a-z]{0,3}", any::<String>()], 0..6),
        values in prop::collection::vec((prop::option::of(any_value()), prop::option::of(any_value())), 6),
    ) {
        let names: Vec<String> = names.drain().collect();
        let ready = Names::new(names.iter().map(String::as_str));
        let held = |second: bool| -> BTreeMap<RuleId, Value> {
            let of = |(name, (a, b)): (&String, &(Option<Value>, Option<Value>))| {
                Some((RuleId::from(name.as_str()), if second { b } else { a }.clone()?))
            };
            names.iter().zip(&values).filter_map(of).collect()
        };
        let hashed = |second: bool| {
            let of = |(a, b): &(Option<Value>, Option<Value>)| if second { b } else { a }.clone();
            ready.fingerprint(|place| of(&values[place]).map(Cow::Owned))
        };
        // By the same names for both: what one item held is not seen in the next.
        let (first, second) = (hashed(false), hashed(true));
        prop_assert_eq!(first, BaseSide(held(false)).fingerprint());
        prop_assert_eq!(second, BaseSide(held(true)).fingerprint());
        prop_assert_eq!(first == second, held(false) == held(true));
    }

    /// Fields in one row are what a map of them is: set, taken out, given twice, or read again.
    #[test]
    fn fields_are_a_map(
        given in prop::collection::vec(("[a-d]{1,2}", any_value()), 0..8),
        moves in prop::collection::vec(("[a-d]{1,2}", prop::option::of(any_value())), 0..8),
    ) {
        let mut map: BTreeMap<String, Value> = given.iter().cloned().collect();
        let mut fields: Fields = given.into_iter().collect();
        for (name, value) in moves {
            match value {
                Some(value) => {
                    map.insert(name.clone(), value.clone());
                    fields.set(name.as_str(), value);
                }
                None => prop_assert_eq!(fields.remove(&name), map.remove(&name)),
            }
            prop_assert_eq!(fields.get(&name), map.get(&name));
        }
        let held: Vec<(&str, &Value)> = fields.iter().map(|(name, value)| (&**name, value)).collect();
        prop_assert_eq!(held, map.iter().map(|(name, value)| (name.as_str(), value)).collect::<Vec<_>>());
        prop_assert_eq!((fields.len(), fields.is_empty()), (map.len(), map.is_empty()));
        let json = serde_json::to_value(&fields).expect("it can be written");
        prop_assert_eq!(&json, &serde_json::to_value(&map).expect("it can be written"));
        prop_assert_eq!(serde_json::from_value::<Fields>(json).expect("it can be read"), fields);
    }

    /// Items whose keys are shared hold what they held, and have each key once in memory.
    #[test]
    fn items_share_the_keys_of_their_fields(
        items in prop::collection::vec(prop::collection::btree_map("[a-d]{1,2}", any_value(), 0..8), 1..6),
    ) {
        let (mut keys, mut known) = (FieldKeys::default(), BTreeMap::<String, FieldKey>::new());
        for held in items {
            let mut fields: Fields = held.into_iter().map(|(k, v)| (k.as_str().to_owned(), v)).collect();
            let before = fields.clone();
            keys.share(&mut fields);
            prop_assert_eq!(&fields, &before);
            for (key, _) in fields.iter() {
                prop_assert!(Arc::ptr_eq(key, known.entry(key.to_string()).or_insert_with(|| key.clone())));
            }
        }
    }

    /// Fields that are picked out of one item after the other are those that are looked up one by one, whether the items
    /// share their keys or not.
    #[test]
    fn picked_fields_are_those_that_are_looked_up(
        kinds in prop::collection::vec(prop::collection::btree_set("[a-d]{1,2}", 0..8), 1..3),
        items in prop::collection::vec((any::<prop::sample::Index>(), any::<bool>(), any_value()), 1..8),
        wanted in prop::collection::vec(prop::option::of("[a-d]{1,2}"), 0..8),
    ) {
        let shared: Vec<Vec<FieldKey>> = kinds.iter().map(|k| k.iter().map(|name| name.as_str().into()).collect()).collect();
        let wanted: Vec<Option<&str>> = wanted.iter().map(Option::as_deref).collect();
        let mut picker = Picker::new(&wanted);
        for (kind, own_keys, value) in items {
            let keys = kind.get(&shared).iter().map(|key| if own_keys { FieldKey::from(&**key) } else { key.clone() });
            let fields: Fields = keys.map(|key| (key, value.clone())).collect();
            let picked = picker.pick(&fields);
            for (place, name) in wanted.iter().enumerate() {
                prop_assert_eq!(picked(place), name.and_then(|name| fields.get(name)));
            }
        }
    }
}

/// They stand in databases: what changes these values is another form, with a number of its own and a step that brings the
/// older ones up to it.
#[test]
fn fingerprints_stay_what_they_are() {
    let text = Document::from_text("Wind above limit\n\nStop the line.");
    let values = [Value::text("Wind"), Value::Decimal(Decimal::parse("1.50").expect("a number")), Value::Empty];
    // As Python makes them too: blake3.blake3(json.dumps(value, sort_keys=True, separators=(",", ":")).encode()).
    let short: Vec<String> = values.iter().map(|v| Fingerprint::of(v).short()).collect();
    assert_eq!(short, GOLDEN_VALUES);
    assert_eq!(said(&text), GOLDEN_SAID);
    let held = BaseSide([("r2".into(), values[1].clone()), ("r1".into(), values[0].clone())].into());
    assert_eq!(held.fingerprint().short(), GOLDEN_NAMED);
    // From before there were forms.
    assert_eq!(ShortForm::Former.of(&text), GOLDEN_FORMER);
    assert_eq!(ShortForm::of_kept(GOLDEN_FORMER), ShortForm::Former);
    assert_eq!(ShortForm::of_kept(GOLDEN_SAID), ShortForm::Now);
}

const GOLDEN_VALUES: [&str; 3] =
    ["1:6864e3ec7af1eac47a639585", "1:41a558cce6c0788b227cd20b", "1:01644cde0307cff2bb19c088"];
// As Python makes it too, where told(b) = bytes([len(b)]) + b and json is as above:
// blake3(blake3(told(b"r1") + told(b"r2")).digest() + b"t" + told(b"Wind") + b"{" + told(json)).
const GOLDEN_NAMED: &str = "2:a9676cf5ce7888dcc0ea23bb";
const GOLDEN_SAID: &str = "1:f4df92e6966334121b6baa3b";
const GOLDEN_FORMER: &str = "d9724e5e0c64";

#[test]
fn what_is_no_fingerprint_is_taken_for_none() {
    for text in
        ["", "7", "2026-11-28T08:00:00Z", "1:abc", "W/\"d9724e5e0c64\"", "d9724e5e0c6", "2:f4df92e6966334121b6baa3b"]
    {
        assert_eq!(ShortForm::of_text(text), None, "{text}");
    }
    assert_eq!(ShortForm::of_text(GOLDEN_SAID), Some(ShortForm::Now));
    assert_eq!(ShortForm::of_text(GOLDEN_FORMER), Some(ShortForm::Former));
}
