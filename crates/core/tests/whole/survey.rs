//! The survey: how items stand, what dangles, which markup is in use, and what drifted.

use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema, User};
use hovrel_core::model::{Artefact, Kind, Link, LinkEnd, LinkType, Value, ValueType};
use hovrel_core::survey::{Surveyor, drift};
use hovrel_core::text::{TextFormat, read};

fn item(kind: Kind, id: &str, parent: Option<&str>) -> Artefact {
    Artefact { parent: parent.map(Into::into), ..Artefact::bare(kind, id) }
}

#[test]
fn what_hangs_together_is_counted_and_what_leads_to_nothing_named() {
    let mut surveyor = Surveyor::default();
    let leads = |to: &str| Link::new(LinkType::RelatesTo, LinkEnd::Artefact { kind: Kind::TestCase, id: to.into() });
    let mut first = item(Kind::TestCase, "1", Some("b"));
    first.links = vec![leads("2"), leads("9")];
    let html = "<h1>A</h1><ul><li><b>x</b></li></ul><table><tr><td>1</td></tr></table>";
    first.fields.set("text", Value::RichText(read(html, TextFormat::Html).0));
    // The folders c and d hold one another.
    let all = [
        item(Kind::Folder, "a", None),
        item(Kind::Folder, "b", Some("a")),
        item(Kind::Folder, "c", Some("d")),
        item(Kind::Folder, "d", Some("c")),
        item(Kind::Folder, "e", None),
        first,
        item(Kind::TestCase, "2", None),
    ];
    all.iter().for_each(|a| surveyor.see(a));
    let survey = surveyor.finish();
    assert_eq!(survey.dangling_count, 1);
    assert_eq!((survey.dangling[0].id.as_str(), survey.dangling[0].to.as_str()), ("1", "9"));
    let cases = survey.kind(Kind::TestCase).expect("cases");
    assert_eq!(cases.depths.items, [1, 0, 1]);
    let used: Vec<&str> = cases.markup.iter().map(|m| m.value.as_str()).collect();
    assert_eq!(used, ["headings", "lists", "strong text", "tables"]);
    let folders = survey.kind(Kind::Folder).expect("folders");
    assert_eq!((folders.depths.empty, folders.depths.items.iter().sum::<u64>()), (1, 5));
}

/// What somebody chose from a list is counted to the last value; what anybody may type is not.
#[test]
fn values_of_long_lists_and_types_of_links_are_all_counted() {
    let mut surveyor = Surveyor::default();
    let link = |link_type| Link::new(link_type, LinkEnd::Url("https://skarnvik.example/x".into()));
    for n in 0..5_000 {
        let mut case = item(Kind::TestCase, &n.to_string(), None);
        case.fields.set("part", Value::choice(format!("Part {n}")));
        case.fields.set("note", Value::text(format!("Note {n}")));
        if n < 3 {
            case.links = vec![link(LinkType::Verifies), link(LinkType::Verifies), link(LinkType::Affects)];
        }
        surveyor.see(&case);
    }
    let survey = surveyor.finish();
    let field = |f: &str| survey.kind(Kind::TestCase).and_then(|k| k.field(f)).expect("a field").clone();
    let (part, note, links) = (field("part"), field("note"), field("@links"));
    assert_eq!((part.values.len(), part.distinct, part.distinct_exact), (5_000, 5_000, true));
    assert_eq!((note.values.len(), note.distinct_exact), (0, false));
    let counts: Vec<_> = links.values.iter().map(|v| (v.value.as_str(), v.count)).collect();
    assert_eq!(counts, [("affects", 3), ("verifies", 3), ("", 4_997)], "items, not links");
}

#[test]
fn drift_says_what_takes_less_what_takes_more_and_who_left() {
    let choice = |values: &[&str]| FieldSchema {
        allowed: Some(values.iter().map(|v| (*v).to_owned()).collect()),
        ..FieldSchema::new("state", "State", ValueType::Choice)
    };
    let catalogue = |fields: Vec<FieldSchema>, people: &[&str]| Catalogue {
        kinds: vec![KindSchema::new(Kind::TestCase, "Case", fields)],
        users: people
            .iter()
            .map(|p| User { id: (*p).into(), login: None, email: None, name: (*p).into(), active: true })
            .collect(),
        findings: vec![],
    };
    let before = catalogue(vec![choice(&["Draft", "Ready"])], &["Ida", "Per"]);
    assert!(drift(&before, &before).is_empty());
    let rig = FieldSchema::new("rig", "Rig", ValueType::Text);
    let now = catalogue(vec![choice(&["Ready", "Retired"]), rig], &["Ida"]);
    assert_eq!(
        drift(&before, &now).iter().map(hovrel_words::catalogue_change).collect::<Vec<_>>(),
        [
            "Case: “State” no longer takes “Draft”",
            "Case: the field “Rig” is new",
            "Case: “State” now allows “Retired”",
            "Per is not known there any more"
        ]
    );
}
