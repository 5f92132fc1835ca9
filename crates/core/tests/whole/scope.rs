//! Conditions, operator by operator; conditions as expressions and back; what is brought along; and the matching of
//! two ends at first contact.

use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema};
use hovrel_core::cover::{Chosen, choose};
use hovrel_core::expression::{Moment, Seen, compile};
use hovrel_core::model::{Artefact, Decimal, End, Kind, Link, LinkEnd, LinkType, Span, Stamp, Value, ValueType};
use hovrel_core::rules::{Along, Lane};
use hovrel_core::scope::{Condition, ConditionRow, Filter, Operator, condition_faults, operators, places, read, write};
use proptest::prelude::*;

fn case(key: &str, title: &str) -> Artefact {
    Artefact { title: title.into(), ..Artefact::bare(Kind::TestCase, key) }
}

fn row(field: &str, op: Operator, value: &str) -> Condition {
    Condition::Row(ConditionRow { field: field.into(), op, value: value.into(), values: vec![] })
}

fn one_of(field: &str, op: Operator, values: &[&str]) -> Condition {
    let values = values.iter().map(|v| (*v).to_owned()).collect();
    Condition::Row(ConditionRow { field: field.into(), op, value: String::new(), values })
}

fn kind() -> KindSchema {
    let fields = vec![
        FieldSchema::new("level", "Level", ValueType::Choice),
        FieldSchema::new("labels", "Labels", ValueType::ChoiceList),
        FieldSchema::new("count", "Count", ValueType::Integer),
        FieldSchema::new("share", "Share", ValueType::Decimal),
        FieldSchema::new("note", "Note", ValueType::RichText),
        FieldSchema::new("safe", "Safe", ValueType::Boolean),
        FieldSchema::new("due-day", "Due", ValueType::Date),
        FieldSchema::new("größe", "Größe", ValueType::Text),
        FieldSchema::new("effort", "Effort", ValueType::Duration),
        FieldSchema::new("@links", "Links", ValueType::Links),
    ];
    KindSchema::new(Kind::TestCase, "Case", fields)
}

fn now() -> Moment {
    "2026-03-10T00:00:00Z".parse().expect("a time")
}

fn item() -> Artefact {
    let mut item = case("OS-7", "Wind above limit");
    item.fields.set("level", Value::choice("4 – Severe"));
    item.fields.set("labels", Value::ChoiceList(vec!["winter".into(), "safety, tested".into()]));
    item.fields.set("count", Value::Integer(12));
    item.fields.set("share", Value::Decimal(Decimal::parse("0.5").expect("a half")));
    item.fields.set("note", Value::Empty);
    item.fields.set("due-day", Value::Date("2026-03-01".parse().expect("a day")));
    item.fields.set("effort", Value::Duration(Span::of_seconds(5400).unwrap()));
    item.modified =
        Some(Stamp { at: Some("2026-03-01T10:00:00+01:00".parse().expect("a time")), by: Some("kari".into()) });
    item
}

fn path() -> Vec<String> {
    vec!["Drive & brakes".into(), "Wind".into()]
}

fn matches(condition: &Condition, item: &Artefact) -> bool {
    Filter::new(condition, &kind(), now()).matches(item, &path())
}

#[test]
fn each_operator_matches_what_its_name_says() {
    use Operator::*;
    let item = item();
    for (condition, expected) in [
        (row("@key", Is, "OS-7"), true),
        (row("@key", Is, "os-7"), false),
        (row("@title", Contains, "ABOVE"), true),
        (row("@title", ContainsNot, "above"), false),
        (row("@title", StartsWith, "above"), false),
        (row("@folder", Under, "Drive & brakes"), true),
        (row("@folder", Under, "Drive & brakes / Wind"), true),
        (row("@folder", Under, "Drive"), false),
        (row("@folder", NotUnder, "Drive"), true),
        (row("@modified", AtLeast, "2026-03-01"), true),
        (row("@modified", Before, "2026-03-01"), false),
        (row("@modified", WithinDays, "9"), true),
        (row("@modified", WithinDays, "8"), false),
        (row("@modified", OlderThanDays, "8"), true),
        (row("@modified_by", Is, "kari"), true),
        (row("@created", IsEmpty, ""), true),
        (row("due-day", AtLeast, "2026-03-01T00:00:00+01:00"), true),
        (row("level", Is, "4 – Severe"), true),
        (row("level", IsNot, "4 – Severe"), false),
        (one_of("level", OneOf, &["1 – Minor", "4 – Severe"]), true),
        (one_of("level", NoneOf, &["1 – Minor"]), true),
        (row("labels", Is, "safety, tested"), true),
        (row("labels", IsNot, "summer"), true),
        (row("labels", Contains, "WINT"), true),
        (one_of("labels", OneOf, &["summer", "winter"]), true),
        (row("count", AtLeast, "9"), true),
        (row("count", AtMost, "9"), false),
        (row("count", Is, "12.0"), true),
        (row("share", AtMost, "0.50"), true),
        (row("effort", AtMost, "1:30"), true),
        (row("effort", AtLeast, "91m"), false),
        (row("safe", Is, "yes"), false),
        (row("safe", IsNot, "yes"), true),
        (row("note", IsEmpty, ""), true),
        (row("note", IsNotEmpty, ""), false),
        (row("größe", IsEmpty, ""), true),
        (Condition::Expression("size(fields.labels) == 2".into()), true),
    ] {
        assert_eq!(matches(&condition, &item), expected, "{condition:?}");
        assert_eq!(condition_faults(&condition, &kind()), [], "{condition:?}");
    }
}

#[test]
fn a_row_that_says_nothing_is_told_and_matches_nothing() {
    use Operator::*;
    for (condition, said) in [
        (row("nowhere", IsNot, "x"), "no field “nowhere”"),
        (row("count", AtLeast, "nine"), "not a number"),
        (row("count", Contains, "9"), "does not go with"),
        (row("due-day", Before, "soon"), "not a day"),
        (row("@modified", WithinDays, "-1"), "number of days"),
        (row("effort", AtMost, "long"), "length of time"),
        (row("safe", Is, "maybe"), "neither yes nor no"),
        (row("@title", Contains, ""), "Enter a value"),
        (one_of("level", OneOf, &[]), "at least one"),
        (Condition::Expression("fields.count + 1".into()), "yes or no"),
        (Condition::Expression("fields.gone == 1".into()), "no field"),
    ] {
        let around = Condition::All(vec![Condition::default(), Condition::Any(vec![condition.clone()])]);
        let faults = condition_faults(&around, &kind());
        assert_eq!(faults.len(), 1, "{condition:?}: {faults:?}");
        assert!(faults[0].message.contains(said) && faults[0].at == [1, 0], "{condition:?}: {faults:?}");
        assert!(!matches(&condition, &item()), "{condition:?}");
    }
}

#[test]
fn groups_are_all_or_any_and_no_condition_is_everything() {
    let item = item();
    let (yes, no) = (row("@key", Operator::Is, "OS-7"), row("@key", Operator::Is, "OS-8"));
    assert!(matches(&Condition::default(), &item));
    assert!(!matches(&Condition::Any(vec![]), &item), "any of nothing is nothing");
    assert!(matches(&Condition::Any(vec![no.clone(), yes.clone()]), &item));
    assert!(!matches(&Condition::All(vec![yes.clone(), no.clone()]), &item));
    assert!(matches(&Condition::All(vec![yes, Condition::Any(vec![no.clone(), Condition::All(vec![])])]), &item));
}

#[test]
fn what_a_person_types_becomes_rows_where_rows_can_say_it() {
    use Operator::*;
    for (text, wanted) in [
        ("", Condition::default()),
        ("fields.level == \"High\"", Condition::All(vec![row("level", Is, "High")])),
        (
            "under(folder, \"Drive\") && (fields.count >= 3 || !has(fields.level))",
            Condition::All(vec![
                row("@folder", Under, "Drive"),
                Condition::Any(vec![row("count", AtLeast, "3"), row("level", IsEmpty, "")]),
            ]),
        ),
        (
            "((title == 'a && b')) || key == \"(\"",
            Condition::Any(vec![row("@title", Is, "a && b"), row("@key", Is, "(")]),
        ),
        (
            "\"winter\" in fields.labels && size(title) > 20",
            Condition::All(vec![row("labels", Is, "winter"), Condition::Expression("size(title) > 20".into())]),
        ),
        (
            "modified >= now - duration(\"720h\") && fields.`due-day` < timestamp(\"2026-05-01T00:00:00Z\")",
            Condition::All(vec![row("@modified", WithinDays, "30"), row("due-day", Before, "2026-05-01")]),
        ),
        (
            "title == r\"\\\" && key == \"x\" // a comment with \"quotes && so on",
            Condition::All(vec![row("@title", Is, "\\"), row("@key", Is, "x")]),
        ),
        (
            "fields.safe == true ? title == \"a\" : title == \"b\" || key == \"c\"",
            Condition::All(vec![Condition::Expression(
                "fields.safe == true ? title == \"a\" : title == \"b\" || key == \"c\"".into(),
            )]),
        ),
    ] {
        assert_eq!(read(text, &kind()), Ok(wanted), "{text}");
    }
    let faults = read("fields.level = \"High\"", &kind()).expect_err("one sign");
    assert_eq!((faults[0].from, faults[0].to), (13, 14), "{faults:?}");
    assert!(read("fields.count + 1", &kind()).is_err(), "no condition");
}

fn any_row() -> impl Strategy<Value = Condition> {
    let place = proptest::sample::select(places(&kind()));
    let op = place.prop_flat_map(|p| {
        let ops = proptest::sample::select(p.operators.clone());
        (Just(p), ops, "[a-zA-Z\"\\\\ é&|()/-]{1,6}", 0u32..40, prop::collection::vec("[a-z,\"' ]{0,4}", 1..3))
    });
    op.prop_map(|(place, op, text, n, several)| {
        use hovrel_core::scope::PlaceHolds as Holds;
        // “-0” is written as 0, so it is none of them.
        let numbers = || vec![n.to_string(), format!("-{}", n + 1), format!("{n}.5")];
        let value = match (op, place.holds) {
            (Operator::OneOf | Operator::NoneOf | Operator::IsEmpty | Operator::IsNotEmpty, _) => String::new(),
            (Operator::WithinDays | Operator::OlderThanDays, _) => n.to_string(),
            (_, Holds::Number) => numbers()[n as usize % 3].clone(),
            (_, Holds::YesNo) => if n % 2 == 0 { "yes" } else { "no" }.to_owned(),
            (_, Holds::Time) if n % 2 == 0 => format!("2026-03-{:02}", 1 + n % 28),
            (_, Holds::Time) => format!("2026-03-{:02}T10:00:00+01:00", 1 + n % 28),
            (_, Holds::Duration) => format!("{}:{:02}:00", n / 10, n),
            (_, Holds::Path) if n % 2 == 0 => "Drive & brakes".to_owned(),
            _ if n % 3 == 0 => "winter".to_owned(),
            _ => text,
        };
        let values = match (op, place.holds) {
            (Operator::OneOf | Operator::NoneOf, Holds::Number) => numbers(),
            (Operator::OneOf | Operator::NoneOf, _) => several,
            _ => vec![],
        };
        Condition::Row(ConditionRow { field: place.field, op, value, values })
    })
}

fn any_condition() -> impl Strategy<Value = Condition> {
    let leaf = prop_oneof![
        6 => any_row(),
        1 => Just(Condition::Expression("size(title) > 5 || size(fields.labels) == 1".to_owned())),
        1 => Just(Condition::Expression("size(title) > // the title\n 5 // and no more".to_owned())),
        1 => Just(Condition::Expression("title.endsWith(\"limit\") ? true : key == \"a || b\"".to_owned())),
    ];
    leaf.prop_recursive(3, 16, 4, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..4).prop_map(Condition::All),
            prop::collection::vec(inner, 0..4).prop_map(Condition::Any),
        ]
    })
}

fn any_item() -> impl Strategy<Value = Artefact> {
    let kept = prop::collection::vec(any::<bool>(), 10);
    (kept, 0i64..40, "[a-zA-Z\"\\\\ é&|()/-]{0,6}").prop_map(|(kept, n, text)| {
        let mut item = item();
        let fields: Vec<String> = item.fields.iter().map(|(k, _)| k.to_string()).collect();
        for (field, _) in fields.iter().zip(&kept).filter(|(_, kept)| !**kept) {
            item.fields.remove(field);
        }
        if kept[7] {
            item.fields.set("count", Value::Integer(n));
            item.fields.set("größe", Value::text(text.clone()));
            item.fields.set("safe", Value::Boolean(n % 2 == 0));
        }
        if kept[8] {
            item.fields.set("level", Value::choice(text.clone()));
            item.fields.set("count", Value::Unreadable("twelve".into()));
        }
        if kept[9] {
            item.modified = None;
            item.title = text;
        }
        item
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    /// What does not ask for the time says the same at any time; as text it asks whenever its rows do.
    #[test]
    fn what_does_not_ask_for_the_time_is_the_same_at_any(
        condition in any_condition(), items in prop::collection::vec(any_item(), 1..5), days in 0..40_000i64
    ) {
        let kind = kind();
        let later = now() + chrono::TimeDelta::days(days);
        let [early, late] = [now(), later].map(|at| Filter::new(&condition, &kind, at));
        if !condition.depends_on_now() {
            for item in &items {
                prop_assert_eq!(early.matches(item, &path()), late.matches(item, &path()));
            }
        } else {
            let text = write(&condition, &kind).expect("every row says something");
            prop_assert!(Condition::Expression(text).depends_on_now());
        }
    }

    /// Rows and text say the same of every item, and one becomes the other and back.
    #[test]
    fn rows_and_text_agree(condition in any_condition(), items in prop::collection::vec(any_item(), 1..5)) {
        let kind = kind();
        let text = write(&condition, &kind).expect("every row says something");
        let expression = compile(&text, &kind).unwrap_or_else(|e| panic!("{text}: {e:?}"));
        for item in &items {
            let seen = Seen { artefact: item, path: &path(), kind: &kind, now: now() };
            prop_assert_eq!(expression.holds(&seen), matches(&condition, item), "{} of {:?}", &text, item.fields);
        }
        let group = |c: Condition| match c.plain() {
            Condition::All(list) => Condition::All(list),
            Condition::Any(list) => Condition::Any(list),
            other => Condition::All(vec![other]),
        };
        // Expressions inside become rows too, where rows can say them.
        let back = read(&text, &kind).unwrap_or_else(|e| panic!("{text}: {e:?}"));
        let again = write(&back, &kind).expect("it says something");
        prop_assert_eq!(read(&again, &kind), Ok(back.clone()), "{} and {}", &text, again);
        if !format!("{condition:?}").contains("Expression") {
            prop_assert_eq!(back, group(condition), "{}", text);
        }
    }
}

#[test]
fn every_operator_has_a_place_that_takes_it() {
    for place in places(&kind()) {
        assert_eq!(place.operators, operators(place.holds), "{}", place.field);
        assert!(place.operators.contains(&Operator::IsEmpty), "{}", place.field);
    }
}

/// Case 1 is in scope and leads to case 2, that to case 3, and that back to case 1; case 4 leads to case 5.
#[test]
fn what_is_linked_comes_along_on_request() {
    let catalogue = Catalogue { kinds: vec![kind()], users: vec![], findings: vec![] };
    let mut items: Vec<Artefact> = (1..=5).map(|n| case(&format!("C{n}"), "x")).collect();
    for (n, to) in [(0, "C2"), (1, "C3"), (2, "C1"), (3, "C5")] {
        let target = LinkEnd::Artefact { kind: Kind::TestCase, id: to.into() };
        items[n].links = vec![Link::new(LinkType::RelatesTo, target)];
    }
    for (n, item) in items.iter_mut().enumerate() {
        item.position = n as u32;
    }
    for (along, wanted) in
        [(Along::Nothing, vec!["C1"]), (Along::Linked, vec!["C1", "C2"]), (Along::Reached, vec!["C1", "C2", "C3"])]
    {
        let mut lane = Lane::of_kind(Kind::TestCase, vec![]);
        lane.left_scope = row("@key", Operator::Is, "C1");
        lane.along = along;
        let items = &items;
        let of = Chosen {
            end: End::Left,
            catalogue: &catalogue,
            items: &|_| items,
            path: &|_| &[],
            now: now(),
            carried: &|_, _| false,
        };
        let covered = choose(&[lane], &of);
        let keys: Vec<&str> = covered[0].all().iter().map(|a| a.key.as_str()).collect();
        assert_eq!(keys, wanted, "{along:?}");
        assert_eq!(covered[0].matched.len(), 1);
    }
}

/// Three folders in one another and one beside them; a case in the second.
#[test]
fn folders_follow_what_they_hold() {
    let folder = |id: &str, parent: Option<&str>| Artefact {
        parent: parent.map(str::to_owned),
        ..Artefact::bare(Kind::Folder, id)
    };
    let folders = [folder("A", None), folder("B", Some("A")), folder("C", Some("B")), folder("D", None)];
    let cases = [Artefact { parent: Some("B".into()), ..case("C1", "x") }, case("C2", "x")];
    let schema = KindSchema::new(Kind::Folder, "Folder", vec![]);
    let catalogue = Catalogue { kinds: vec![schema, kind()], users: vec![], findings: vec![] };
    for (scope, wanted) in [
        (Condition::default(), vec!["A", "B", "C", "D"]),
        (row("@key", Operator::Is, "C1"), vec!["A", "B"]),
        (row("@key", Operator::Is, "C2"), vec![]),
    ] {
        let mut lane = Lane::of_kind(Kind::TestCase, vec![]);
        lane.left_scope = scope;
        let items = |k: Kind| if k == Kind::Folder { &folders[..] } else { &cases[..] };
        let of = Chosen {
            end: End::Left,
            catalogue: &catalogue,
            items: &items,
            path: &|_| &[],
            now: now(),
            carried: &|_, _| false,
        };
        let covered = choose(&[Lane::of_kind(Kind::Folder, vec![]), lane], &of);
        assert_eq!(covered[0].matched.iter().map(|f| f.id.as_str()).collect::<Vec<_>>(), wanted);
    }
}

/// A row that was just added asks for its value in plain words, whatever it is about and however it compares.
#[test]
fn a_row_without_a_value_asks_for_one() {
    let kind = kind();
    for place in places(&kind) {
        for op in operators(place.holds) {
            let told = |c: &Condition| condition_faults(c, &kind).first().map(|f| f.message.clone());
            let blank = told(&row(&place.field, *op, ""));
            let asks = match op {
                Operator::IsEmpty | Operator::IsNotEmpty => None,
                Operator::OneOf | Operator::NoneOf => Some("Choose at least one value."),
                // The empty text is a value that a text can have.
                Operator::Is | Operator::IsNot if told(&row(&place.field, *op, "x")).is_none() => None,
                _ if blank.as_deref().is_some_and(|b| b.ends_with("is neither yes nor no")) => continue,
                _ => Some("Enter a value."),
            };
            assert_eq!(blank.as_deref(), asks, "{} {op:?}", place.field);
        }
    }
}
