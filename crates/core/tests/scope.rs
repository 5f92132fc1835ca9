//! Conditions, operator by operator, and the matching of two ends at first contact.

use hovrel_core::identity::{Candidate, Evidence, match_first_contact};
use hovrel_core::model::{Artefact, Kind, Stamp, Value};
use hovrel_core::scope::{Condition, ConditionRow, Operator, Subject};

fn case(key: &str, title: &str) -> Artefact {
    Artefact { title: title.into(), ..Artefact::bare(Kind::TestCase, key) }
}

fn row(field: &str, op: Operator, value: &str) -> Condition {
    Condition::Row(ConditionRow { field: field.into(), op, value: value.into() })
}

#[test]
fn each_operator_matches_what_its_name_says() {
    let mut item = case("OS-7", "Wind above limit");
    item.fields.set("level", Value::choice("4 – Severe"));
    item.fields.set("labels", Value::ChoiceList(vec!["winter".into(), "safety".into()]));
    item.fields.set("count", Value::Integer(12));
    item.fields.set("note", Value::Empty);
    item.modified = Some(Stamp { at: "2026-03-01T10:00:00+01:00".parse().expect("a time"), by: None });
    let path = ["Drive & brakes".to_owned(), "Wind".to_owned()];
    let subject = Subject { artefact: &item, path: &path };
    use Operator::*;
    for (field, op, value, expected) in [
        ("@key", Is, "os-7", true),
        ("@title", Contains, "ABOVE", true),
        ("@title", StartsWith, "above", false),
        ("@folder", Under, "Drive & brakes", true),
        ("@folder", Under, "drive & brakes / wind", true),
        ("@folder", Under, "Drive", false),
        ("@modified", AtLeast, "2026-03-01", true),
        ("@modified", AtMost, "2026-02-28", false),
        ("level", Is, "4 – severe", true),
        ("level", IsNot, "4 – Severe", false),
        ("level", OneOf, "1 – Minor, 4 – Severe", true),
        ("labels", Is, "safety", true),
        ("labels", IsNot, "summer", true),
        ("labels", Contains, "wint", true),
        ("count", AtLeast, "9", true),
        ("count", AtMost, "9", false),
        ("count", AtLeast, "nine", false),
        ("note", IsEmpty, "", true),
        ("note", IsNotEmpty, "", false),
        ("nowhere", Is, "x", false),
        ("nowhere", IsNot, "x", true),
        ("nowhere", IsEmpty, "", true),
    ] {
        assert_eq!(row(field, op, value).matches(&subject), expected, "{field} {op:?} {value}");
    }
}

#[test]
fn groups_are_all_or_any_and_no_condition_is_everything() {
    let item = case("OS-7", "Wind above limit");
    let subject = Subject { artefact: &item, path: &[] };
    let (yes, no) = (row("@key", Operator::Is, "OS-7"), row("@key", Operator::Is, "OS-8"));
    assert!(Condition::default().matches(&subject));
    assert!(!Condition::Any(vec![]).matches(&subject), "any of nothing is nothing");
    assert!(Condition::Any(vec![no.clone(), yes.clone()]).matches(&subject));
    assert!(!Condition::All(vec![yes.clone(), no.clone()]).matches(&subject));
    assert!(Condition::All(vec![yes, Condition::Any(vec![no.clone(), Condition::All(vec![])])]).matches(&subject));
}

fn at<'a>(list: &'a [Artefact], path: &str) -> Vec<Candidate<'a>> {
    list.iter().map(|artefact| Candidate { artefact, path: path.into() }).collect()
}

#[test]
fn a_mark_goes_before_a_title_and_a_title_before_likeness() {
    let left =
        [case("L1", "Stop button is lit"), case("L2", "Wind slows the line"), case("L3", "Gate refuses a used pass")];
    let mut marked = case("R1", "Renamed since");
    marked.origin = Some("Old:L1".into());
    let right = [
        marked,
        case("R2", "wind slows  the line"),
        case("R3", "Gate refuses a used pass (checked)"),
        case("R4", "Stop button is lit"),
    ];
    let found = match_first_contact("Old", &at(&left, "A"), &at(&right, "A"), 90);
    let pairs: Vec<_> = found.iter().map(|(l, r, e)| (*l, *r, e.is_sure())).collect();
    assert_eq!(pairs, [(0, 0, true), (1, 1, true), (2, 2, false)]);
    assert!(matches!(&found[0].2, Evidence::Origin { mark } if mark == "Old:L1"));
    assert!(matches!(found[2].2, Evidence::Similar { score, same_folder: true } if score >= 90));
}

#[test]
fn what_can_not_be_told_apart_is_no_match() {
    let twins = [case("L1", "Stop button is lit"), case("L2", "Stop button is lit")];
    let one = [case("R1", "Stop button is lit")];
    let found = match_first_contact("Old", &at(&twins, "A"), &at(&one, "A"), 101);
    assert_eq!(found, [], "two of one name, one counterpart");
    // An item that carries another's mark was made from that, whatever it is called.
    let mut of_another = case("R1", "Stop button is lit");
    of_another.origin = Some("Other:9".into());
    assert_eq!(match_first_contact("Old", &at(&twins[..1], "A"), &at(&[of_another], "A"), 50), []);
    // The same title in another folder is only alike.
    let found = match_first_contact("Old", &at(&twins[..1], "A"), &at(&one, "B"), 90);
    assert!(matches!(found[0].2, Evidence::Similar { score: 100, same_folder: false }), "{found:?}");
}
