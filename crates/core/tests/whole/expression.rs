//! Expressions against the language's own conformance tests, and what a person is told of what is wrong.
//!
//! `data/cel-conformance.json` is from the conformance tests of the CEL specification (Apache License 2.0), as the
//! npm package `@bufbuild/cel-spec` 0.6.1 carries them: those of the core language and the strings extension whose
//! results are yes or no, numbers, texts or errors, and that need no variables, messages or containers. `type` is
//! what the reference checker infers.

use hovrel_core::catalogue::{FieldSchema, KindSchema};
use hovrel_core::expression::{Expression, Seen, Type, compile};
use hovrel_core::model::{Artefact, Kind, Span, Stamp, Value, ValueType};
use serde_json::Value as Json;

fn kind() -> KindSchema {
    let field = |id: &str, name: &str, is| FieldSchema::new(id, name, is);
    let fields = vec![
        field("prio", "Priority", ValueType::Choice),
        field("labels", "Labels", ValueType::ChoiceList),
        field("estimate", "Estimate", ValueType::Decimal),
        field("count", "Count", ValueType::Integer),
        field("due", "Due", ValueType::Date),
        field("last-run", "Last run", ValueType::Instant),
        field("größe", "Größe", ValueType::Text),
        field("effort", "Effort", ValueType::Duration),
        field("safe", "Safe", ValueType::Boolean),
    ];
    KindSchema::new(Kind::TestCase, "Case", fields)
}

fn value(expression: &Expression, item: &Artefact) -> Result<Value, String> {
    let kind = kind();
    let now = "2026-03-01T00:00:00Z".parse().expect("a time");
    let path = ["Drive".to_owned(), "Wind".to_owned()];
    expression.value(&Seen { artefact: item, path: &path, kind: &kind, now })
}

#[test]
fn the_languages_own_conformance_tests_pass() {
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/data/cel-conformance.json");
    let tests: Vec<Json> = serde_json::from_str(&std::fs::read_to_string(file).expect("the file")).expect("JSON");
    assert!(tests.len() > 1000, "{}", tests.len());
    let (kind, item) = (kind(), Artefact::bare(Kind::TestCase, "OS-1"));
    let mut wrong: Vec<String> = Vec::new();
    let mut unchecked = 0;
    for test in &tests {
        let (name, text) = (test["test"].as_str().expect("a name"), test["expr"].as_str().expect("an expression"));
        let compiled = compile(text, &kind);
        let found = match &compiled {
            Ok(expression) => value(expression, &item),
            Err(faults) => Err(format!("{faults:?}")),
        };
        // Without a type the test is one for evaluating what the reference checker refuses, too.
        if compiled.is_err() && test["type"].is_null() {
            unchecked += 1;
            continue;
        }
        let endless = test["value"]["doubleValue"].as_str().is_some_and(|v| v.ends_with("Infinity"));
        let right = match (&found, test["error"] == true || endless) {
            (found, true) => found.is_err(),
            (_, false) if test["value"].is_null() => true,
            (Ok(found), false) => is(found, &test["value"]),
            (Err(_), false) => false,
        };
        // What comes out of a map may be anything to this checker.
        let open = |name: &str| name.contains("dyn") || name.contains("map");
        let of_type = match (&compiled, test["type"].as_str()) {
            (Ok(expression), Some(wanted)) => {
                let found = type_name(&expression.is);
                found == wanted || open(&found) || open(wanted)
            }
            _ => true,
        };
        if !right || !of_type {
            let is = compiled.as_ref().map(|e| type_name(&e.is)).unwrap_or_default();
            wrong.push(format!("{name}: {text}: {found:?} ({is}), wanted {} ({})", test["value"], test["type"]));
        }
    }
    assert!(unchecked <= 74, "{unchecked} are refused here and not checked there");
    assert!(wrong.is_empty(), "{} of {}:\n{}", wrong.len(), tests.len(), wrong.join("\n"));
}

fn is(found: &Value, wanted: &Json) -> bool {
    let (sort, wanted) = wanted.as_object().and_then(|o| o.iter().next()).expect("a value");
    match (sort.as_str(), found) {
        ("boolValue", Value::Boolean(b)) => wanted == b,
        ("int64Value" | "uint64Value", Value::Integer(n)) => {
            wanted.as_str().map_or_else(|| wanted.to_string(), str::to_owned) == n.to_string()
        }
        ("doubleValue", Value::Decimal(d)) => {
            let number = |text: &str| text.parse::<f64>().ok();
            let wanted = wanted.as_f64().or_else(|| number(wanted.as_str()?));
            // The data are JSON that a program wrote: the last digit of some is off.
            number(d.as_str()).zip(wanted).is_some_and(|(a, b)| (a - b).abs() <= b.abs() * f64::EPSILON)
        }
        ("stringValue", Value::Text(t)) => wanted == t,
        ("stringValue", Value::Empty) => wanted == "",
        _ => false,
    }
}

/// As the specification calls it.
fn type_name(is: &Type) -> String {
    match is {
        Type::Any => "dyn".into(),
        Type::Null => "null".into(),
        Type::Bool => "bool".into(),
        Type::Int => "int".into(),
        Type::Uint => "uint".into(),
        Type::Double => "double".into(),
        Type::Text => "string".into(),
        Type::Bytes => "bytes".into(),
        Type::Time => "timestamp".into(),
        Type::Duration => "duration".into(),
        Type::List(of) => format!("list({})", type_name(of)),
        Type::Map => "map".into(),
        Type::Sort => "type".into(),
    }
}

#[test]
fn what_is_wrong_is_told_with_its_place() {
    let kind = kind();
    for (text, from, to, said) in [
        ("fields.prio == \"High\" &&", 24, 24, "something is still to come"),
        ("fields.pri == \"High\"", 7, 10, "did you mean fields.prio?"),
        ("fields.Priority == \"High\"", 7, 15, "did you mean fields.prio?"),
        ("prio == \"High\"", 0, 4, "the field is fields.prio"),
        ("titel == \"x\"", 0, 5, "did you mean title?"),
        ("fields.prio = \"High\"", 12, 13, "write =="),
        ("fields.prio == \"High", 15, 16, "no closing quote"),
        ("fields.count == \"three\"", 13, 15, "== does not go with a whole number and a text"),
        ("title.holds(\"x\")", 6, 11, "no function"),
        ("size(fields.count) > 2", 0, 4, "size takes"),
        ("fields.count + fields.estimate > 2.0", 13, 14, "+ does not go with"),
        ("fields[title] == \"x\"", 7, 12, "name the field itself"),
        ("title.startsWith(3)", 6, 16, "startsWith takes"),
        ("fold(\"größer\") == fields.pri", 25, 28, "did you mean fields.prio?"),
        ("title == \"größe\" fields.prio", 17, 18, "not expected here"),
        ("", 0, 0, "no expression yet"),
    ] {
        let faults = compile(text, &kind).expect_err(text);
        let found = faults.iter().find(|f| f.message.contains(said));
        let found = found.unwrap_or_else(|| panic!("{text}: {faults:?}"));
        assert_eq!((found.from, found.to), (from, to), "{text}: {found:?}");
    }
    let both = compile("nowhere == 1 || fields.gone == \"x\"", &kind).expect_err("two names");
    assert_eq!(both.len(), 2, "{both:?}");
}

/// Never followed for ever, and never more than the stack can hold.
#[test]
fn endless_expressions_are_refused() {
    let kind = kind();
    let deep =
        |n: usize, open: &str, inside: &str, close: &str| format!("{}{inside}{}", open.repeat(n), close.repeat(n));
    for text in [
        deep(1900, "(", "true", ")"),
        deep(1900, "[", "", "]"),
        deep(3900, "(", "", ""),
        deep(1300, "!(", "true", ")"),
        format!("1{}", "+1".repeat(1900)),
        format!("title{}", ".a".repeat(1900)),
        deep(600, "true?1:", "1", ""),
        deep(300, "[1].all(x,", "true", ")"),
        "x".repeat(5000),
    ] {
        let faults = compile(&text, &kind).expect_err("too much");
        assert_eq!(faults.len(), 1, "{faults:?}");
        assert!(faults[0].to as usize <= text.chars().count(), "{faults:?}");
    }
    assert!(compile(&deep(30, "(", "true", ")"), &kind).is_ok());
    assert!(compile(&format!("true{}", " && true".repeat(400)), &kind).is_ok());
}

/// The definition of the language, “Field Selection”: what is not set is the default of its type.
#[test]
fn fields_that_hold_nothing_are_their_default() {
    let mut item = Artefact::bare(Kind::TestCase, "OS-7");
    item.title = "Wind above limit".into();
    item.modified =
        Some(Stamp { at: Some("2026-02-20T10:00:00+01:00".parse().expect("a time")), by: Some("kari".into()) });
    for (text, wanted) in [
        ("fields.prio == \"\"", true),
        ("fields.labels == []", true),
        ("fields.count == null && fields.safe == null && fields.due == null", true),
        ("has(fields.prio) || has(fields.count) || has(fields.labels)", false),
        ("fields.count >= 1", false),
        ("fields.count >= 1 || title != \"\"", true),
        ("fields.`last-run` == null && fields[\"größe\"] == \"\"", true),
        ("under(folder, \"Drive\") && !under(folder, \"Dri\")", true),
        ("modified > now - duration(\"240h\") && modified_by == \"kari\"", true),
        ("fold(title).contains(\"wind\")", true),
        ("fields.labels.all(l, l.startsWith(\"x\"))", true),
        ("size([title, key].filter(x, x.contains(\"OS\"))) == 1", true),
    ] {
        let expression = compile(text, &kind()).unwrap_or_else(|e| panic!("{text}: {e:?}"));
        match value(&expression, &item) {
            Ok(found) => assert_eq!(found, Value::Boolean(wanted), "{text}"),
            Err(why) => assert!(!wanted, "{text}: {why}"),
        }
    }
    item.fields.set("labels", Value::ChoiceList(vec!["winter".into(), "safety".into()]));
    item.fields.set("prio", Value::choice("High"));
    for (text, wanted) in [
        ("fields.prio + \", \" + fields.labels.join(\" / \")", Value::text("High, winter / safety")),
        ("fields.labels.map(l, l.upperAscii())", Value::ChoiceList(vec!["WINTER".into(), "SAFETY".into()])),
        ("has(fields.prio) ? size(fields.labels) : 0", Value::Integer(2)),
        ("double(\"1.50\") * 2.0", Value::Decimal(hovrel_core::model::Decimal::parse("3").expect("three"))),
        ("\"\"", Value::Empty),
        ("duration(\"90m\")", Value::Duration(Span::of_seconds(5400).unwrap())),
    ] {
        let expression = compile(text, &kind()).unwrap_or_else(|e| panic!("{text}: {e:?}"));
        assert_eq!(value(&expression, &item), Ok(wanted), "{text}");
    }
    let expression = compile("int(title) > 2", &kind()).expect("it reads well");
    assert!(value(&expression, &item).is_err(), "a text that is no number has no size");
}
