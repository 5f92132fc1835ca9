//! Reading accounts for everything: whatever stands at a place that the profile names is in the artefact or told.
//!
//! Each place of an item is given another shape than the one that is expected there, with a word in it that is nowhere
//! else; the word is then looked for in what was read and in what was told.

use std::collections::HashMap;

use hovrel_core::catalogue::{FieldSchema, KindSchema};
use hovrel_core::model::{Artefact, Kind, Value, ValueType};
use hovrel_core::text::TextFormat;
use serde_json::{Value as Json, json};

use super::decode::Decoder;
use super::words::Words;
use crate::profile::{Profile, shipped};

fn profile() -> Profile {
    shipped().into_iter().find(|p| p.profile == "tallybench").expect("it ships")
}

/// The fields of a case there, with the words by which the system calls their types.
const FIELDS: [(&str, ValueType, &str); 10] = [
    ("title", ValueType::Text, "string"),
    ("preconditions", ValueType::RichText, "markdown"),
    ("priority", ValueType::Choice, "enum"),
    ("tags", ValueType::ChoiceList, "tags"),
    ("assigned", ValueType::User, "person"),
    ("steps", ValueType::Steps, "steps"),
    ("data_sets", ValueType::Table, "data_sets"),
    ("attempts", ValueType::Integer, "integer"),
    ("suite", ValueType::Reference, "suite_id"),
    ("cases", ValueType::References, "case_ids"),
];

fn read(profile: &Profile, item: &Json) -> Artefact {
    let field = |(id, value_type, _): &(&str, ValueType, &str)| FieldSchema {
        format: Some(TextFormat::Markdown),
        ..FieldSchema::new(id, id, *value_type)
    };
    let kind = KindSchema::new(Kind::TestCase, "Case", FIELDS.iter().map(field).collect());
    let words: Words =
        FIELDS.iter().map(|(id, _, word)| ((Kind::TestCase, (*id).to_owned()), (*word).to_owned())).collect();
    let decoder = Decoder {
        profile,
        kind: Kind::TestCase,
        of: &profile.kinds[&Kind::TestCase],
        fields: &kind,
        words: &words,
        zone: chrono_tz::UTC,
        address: "https://tally.skarnvik.example",
    };
    decoder.artefact(item).expect("it has an id")
}

fn item() -> Json {
    json!({
        "id": 7, "number": "TB-7", "etag": "v1", "chapter_id": 3, "place": 2, "title": "Doors stay locked",
        "preconditions": "All cabins are empty.", "priority": "High", "tags": ["doors", "night"], "assigned": "p4",
        "attempts": 3, "suite": 11, "cases": [12, 13],
        "steps": [
            {"action": "Close the doors", "expected": "They are locked", "shared": null},
            {"action": "", "expected": "", "shared": 20},
        ],
        "data_sets": [{"name": "Set 1", "values": [{"parameter": "tower", "value": "4"}]}],
        "links": [{"type": "relates", "kind": "case", "id": 8, "url": "https://tally.skarnvik.example/view/8"}],
        "comments": [{"at": "2026-05-01T08:00:00Z", "by": "p4", "text": "Seen."}],
        "history": [{"at": "2026-05-01T08:00:00Z", "by": "p4", "field": "title", "before": "Doors", "after": "Doors stay"}],
        "files": [{"name": "plan.png", "media_type": "image/png", "bytes": 9, "sha256": "00"}],
    })
}

/// Every place in a value, by its pointer.
fn places(value: &Json, at: &str, out: &mut Vec<String>) {
    match value {
        Json::Object(map) => map.iter().for_each(|(k, v)| places(v, &format!("{at}/{k}"), out)),
        Json::Array(list) => list.iter().enumerate().for_each(|(n, v)| places(v, &format!("{at}/{n}"), out)),
        _ => {}
    }
    out.push(at.to_owned());
}

const WORD: &str = "zanzibarquay";

fn shapes() -> HashMap<&'static str, Json> {
    HashMap::from([
        ("a text", json!(WORD)),
        ("an object", json!({"inside": WORD})),
        ("a list", json!([WORD])),
        ("a list of objects", json!([{"inside": WORD}])),
        ("a list of lists", json!([[WORD]])),
        ("a text and an object", json!(["other", {"inside": WORD}])),
    ])
}

/// Places that say nothing of what people wrote: how the system tells items apart, and what a file weighs; and of a link,
/// what says again where it leads, by which it is kept if the other can't be read.
const OWN: [&str; 10] = [
    "",
    "/id",
    "/number",
    "/etag",
    "/place",
    "/files/0/media_type",
    "/files/0/bytes",
    "/files/0/sha256",
    "/links/0/kind",
    "/links/0/url",
];

#[test]
fn whatever_stands_where_the_profile_looks_is_read_or_told() {
    let profile = profile();
    let mut found = Vec::new();
    places(&item(), "", &mut found);
    assert!(found.len() > 50, "{found:?}");
    for place in found.iter().filter(|p| !OWN.contains(&p.as_str())) {
        for (shape, value) in shapes() {
            let mut item = item();
            *item.pointer_mut(place).expect("it is there") = value;
            let read = read(&profile, &item);
            let told = format!("{read:?}");
            assert!(told.contains(WORD), "{shape} at {place} is nowhere: {told}");
        }
    }
}

#[test]
fn what_is_as_it_should_be_is_read_without_a_word() {
    let read = read(&profile(), &item());
    assert_eq!(read.read_losses, []);
    assert_eq!((read.links.len(), read.comments.len(), read.history.len(), read.attachments.len()), (1, 1, 1, 1));
}

/// Many systems leave out what is empty.
#[test]
fn what_is_left_out_is_empty_and_nothing_to_tell() {
    for item in
        [json!({"id": 7}), json!({"id": 7, "tags": [], "steps": [], "links": null, "comments": [], "data_sets": []})]
    {
        let read = read(&profile(), &item);
        assert_eq!(read.read_losses, []);
        assert!(read.fields.iter().all(|(_, v)| v.is_blank()), "{:?}", read.fields);
    }
}

#[test]
fn a_comment_without_a_time_is_kept_and_a_link_to_nothing_is_told() {
    let mut item = item();
    item["comments"] = json!([{"by": "p4", "text": "Seen."}, {"at": "last week", "by": "p4", "text": "Again."}]);
    item["links"] = json!([{"type": "relates", "kind": "case"}, {"type": "relates", "kind": "vehicle", "id": 4}]);
    item["files"] = json!([{"bytes": 9}, {"name": "plan.png"}]);
    let read = read(&profile(), &item);
    let said: Vec<String> = read.comments.iter().map(|c| c.body.plain()).collect();
    assert_eq!(
        (said, read.comments.iter().all(|c| c.stamp.at.is_none())),
        (vec!["Seen.".into(), "Again.".into()], true)
    );
    assert_eq!(read.links, []);
    let files: Vec<_> = read.attachments.iter().map(|f| (f.name.as_str(), f.bytes, f.digest.clone())).collect();
    assert_eq!(files, [("plan.png", None, None)]);
    let told: Vec<(&str, String)> =
        read.read_losses.iter().map(|l| (l.field.id(), hovrel_words::loss_cause(&l.cause))).collect();
    for (field, what) in [
        ("@comments", "it has no time"),
        ("@comments", "its time can't be read"),
        ("@links", "it points neither to an item nor to an address"),
        ("@links", "it points to a “vehicle”"),
        ("@attachments", "the file has no name"),
    ] {
        assert!(told.iter().any(|(f, why)| *f == field && why.contains(what)), "{field}: {what} in {told:?}");
    }
    assert_eq!(told.len(), 5, "{told:?}");
}

/// What people call their sets goes where the sets go, and is the same when it is read again.
#[test]
fn names_of_sets_are_a_column_and_go_back_as_names() {
    let profile = profile();
    let set = |name: Json, tower: &str| json!({"name": name, "values": [{"parameter": "tower", "value": tower}]});
    let table = |sets: Json| {
        let mut item = item();
        item["data_sets"] = sets;
        match read(&profile, &item).fields.get("data_sets") {
            Some(Value::Table(rows)) => rows.clone(),
            other => panic!("a table: {other:?}"),
        }
    };
    let at = profile.schema.types["data_sets"].table.as_ref().expect("it says how");
    for (sets, rows) in [
        (json!([set(json!("Set 1"), "4"), set(json!("Set 2"), "5")]), vec![vec!["tower"], vec!["4"], vec!["5"]]),
        (json!([set(json!(null), "4")]), vec![vec!["tower"], vec!["4"]]),
        (
            json!([set(json!("Full load"), "4"), set(json!("Set 2"), "5"), set(json!(""), "6")]),
            vec![vec!["Name of the set", "tower"], vec!["Full load", "4"], vec!["Set 2", "5"], vec!["", "6"]],
        ),
    ] {
        let found = table(sets);
        assert_eq!(found, rows);
        assert_eq!(table(super::encode::table(at, &found))[0], rows[0], "the names are names again");
    }
}

/// Where marks are kept among labels, a label of somebody's own that begins as a mark does is no mark.
#[test]
fn labels_of_people_are_no_marks() {
    let profile = shipped().into_iter().find(|p| p.profile == "fernway").expect("it ships");
    let of = &profile.kinds[&Kind::Defect];
    let at = of.origin_label.as_ref().expect("marks are labels there");
    let labels = FieldSchema::new(&at.field, "Labels", ValueType::ChoiceList);
    let origin = FieldSchema { origin_mark: true, ..FieldSchema::new(super::words::ORIGIN, "Origin", ValueType::Text) };
    let kind = KindSchema::new(Kind::Defect, "Fault", vec![labels, origin]);
    let decoder = Decoder {
        profile: &profile,
        kind: Kind::Defect,
        of,
        fields: &kind,
        words: &Words::new(),
        zone: chrono_tz::UTC,
        address: "https://fern.skarnvik.example",
    };
    for (there, own, mark) in [
        (json!(["from:supplier", "doors"]), vec!["from:supplier", "doors"], None),
        (json!(["from:supplier", "from:Oldstone:OS-7"]), vec!["from:supplier"], Some("Oldstone:OS-7")),
        (json!(["from:", "from:%zz:1"]), vec!["from:", "from:%zz:1"], None),
        (json!(["from:Old%20stone:OS-7"]), vec![], Some("Old stone:OS-7")),
    ] {
        let mut item = json!({});
        super::tree::put(&mut item, &of.list.id, json!("D-1"));
        super::tree::put(&mut item, &decoder.place(&at.field), there);
        let read = decoder.artefact(&item).expect("it has an id");
        let kept: Vec<String> = match read.fields.get(&at.field) {
            Some(Value::ChoiceList(list)) => list.clone(),
            _ => Vec::new(),
        };
        assert_eq!((kept.iter().map(String::as_str).collect::<Vec<_>>(), read.origin.as_deref()), (own, mark));
    }
}
