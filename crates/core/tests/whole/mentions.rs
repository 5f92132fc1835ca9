//! Items and people named in running text: led on when what they name is there, and at no other time.

use std::collections::{BTreeMap, HashMap};

use chrono::DateTime;
use hovrel_core::base::{Base, BaseSide};
use hovrel_core::carry::*;
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema, User};
use hovrel_core::compare::{Comparer, targets};
use hovrel_core::loss::LossCause;
use hovrel_core::model::{
    Artefact, Block, COMMENTS, Comment, Document, Ends, Inline, Kind, Slot, Stamp, Value, ValueType, labelled, named,
    names_pending, pending_names,
};
use hovrel_core::plan::FieldReason;
use hovrel_core::rules::*;
use hovrel_core::text::TextFormat;

use crate::small::{self, fill, rule};

const TEXT: &str = "text";

/// Where OS-1 to OS-3 of the left are: one is there, one comes to be, one is not carried.
struct Here;

impl PairLookup for Here {
    fn counterpart(&self, kind: Kind, id: &str) -> Option<Place> {
        small::counterpart(kind, id)
    }

    fn called(&self, key: &str) -> Option<(Kind, String)> {
        let id = key.strip_prefix("OS-")?;
        ["1", "2", "3"].contains(&id).then(|| (Kind::TestCase, id.to_owned()))
    }

    fn name_there(&self, _: Kind, id: &str) -> Option<String> {
        Some(format!("TB-{id}"))
    }
}

/// Before anything was carried.
struct Before;

impl PairLookup for Before {
    fn counterpart(&self, _: Kind, _: &str) -> Option<Place> {
        None
    }

    fn called(&self, key: &str) -> Option<(Kind, String)> {
        Here.called(key)
    }
}

fn user(id: &str, login: &str, name: &str) -> User {
    User { id: id.into(), login: Some(login.into()), email: None, name: name.into(), active: true }
}

fn lane() -> Lane {
    Lane::of_kind(Kind::TestCase, vec![rule(TEXT, Source::Field(TEXT.into())), rule(COMMENTS, Source::Comments)])
}

/// Both ends as a lane of test cases sees them.
fn with<T>(places: &(dyn PairLookup + Sync), then: impl FnOnce(&Context<'_>) -> T) -> T {
    let format = Some(TextFormat::Markdown);
    let text = FieldSchema { format, ..FieldSchema::new(TEXT, TEXT, ValueType::RichText) };
    let comments = FieldSchema { format, ..FieldSchema::new(COMMENTS, "Comments", ValueType::Comments) };
    let kind = KindSchema::new(Kind::TestCase, "Case", vec![text, comments]);
    let people = vec![user("ida", "ida", "Ida Brekke"), user("tor", "tormod", "Tormod Vik")];
    let left = Catalogue { kinds: vec![kind.clone()], users: people, findings: vec![] };
    then(&Context {
        system: "Old",
        from: &left,
        from_kind: &left.kinds[0],
        to_kind: &kind,
        to_users: &UserMatcher::new(&[user("u1", "ida.b", "Ida Brekke")]),
        places,
    })
}

fn says(text: &str) -> Artefact {
    let mut a = Artefact::bare(Kind::TestCase, "9");
    a.fields.set(TEXT, Value::RichText(Document::from_text(text)).settled());
    a
}

fn said(text: &str) -> Comment {
    let at = DateTime::parse_from_rfc3339("2024-03-01T10:00:00Z").unwrap();
    Comment { id: None, stamp: Stamp { at: Some(at), by: None }, body: Document::from_text(text) }
}

fn carried(text: &str) -> (Value, Vec<LossCause>) {
    with(&Here, |cx| {
        let found = convert(&fill(TEXT, Source::Field(TEXT.into())), &says(text), cx);
        (found.value.unwrap(), found.losses.into_iter().map(|l| l.cause).collect())
    })
}

#[test]
fn items_are_named_as_they_are_called_there() {
    let (value, losses) = carried("As OS-1, not OS-3 (see OS-1.)");
    assert_eq!(value.display(), "As TB-71, not OS-3 (see TB-71.)");
    assert!(losses.is_empty() && !names_pending(&value));

    let (value, _) = carried("After OS-2");
    assert_eq!(pending_names(&value), [(Kind::TestCase, "2".to_owned())]);
    assert_eq!(labelled(&value).display(), "After OS-2", "it keeps its key until it is there");
    assert_eq!(named(&value, &|_, _| Some("TB-72".into())).display(), "After TB-72");
}

#[test]
fn code_and_addresses_are_left_as_they_are() {
    let content = vec![
        Inline::Code { text: "OS-1".into() },
        Inline::text(" and "),
        Inline::Link { url: "https://old.example/OS-1".into(), content: vec![Inline::text("OS-1")] },
    ];
    let mut item = says("");
    let document = Document { blocks: vec![Block::Paragraph { content }] };
    item.fields.set(TEXT, Value::RichText(document));
    let found = with(&Here, |cx| convert(&fill(TEXT, Source::Field(TEXT.into())), &item, cx));
    let Some(Value::RichText(document)) = found.value else { panic!("a text") };
    assert_eq!(document.plain(), "OS-1 and TB-71");
    let addresses = format!("{document:?}");
    assert!(addresses.contains("https://old.example/OS-1"), "{addresses}");
}

#[test]
fn people_are_named_by_their_login_there_or_in_full() {
    let (value, losses) = carried("Ask @ida, or @tormod. Not @nobody, nor ida@ropeway.example.");
    assert_eq!(value.display(), "Ask @ida.b, or Tormod Vik. Not @nobody, nor ida@ropeway.example.");
    assert_eq!(losses, [LossCause::UnknownUser]);
}

/// What was carried before the items it names is changed when these are there, and only their names are.
#[test]
fn a_text_follows_what_it_names() {
    let (left, lane) = (says("As OS-1"), lane());
    let side = |held: BTreeMap<Slot, Value>| BaseSide(held.iter().map(|(s, v)| (s.into(), v.clone())).collect());
    let compared = |right: &Artefact, agreed: &Artefact| {
        let base = with(&Before, |cx| Base {
            left: side(Comparer::new(&lane, cx).sources(&left)),
            right: side(targets(&lane, agreed)),
            ..Base::default()
        });
        with(&Here, |cx| Comparer::new(&lane, cx).compare(Ends { left: &left, right }, Some(&base), &[]))
    };
    let old = says("As OS-1");
    let fields = compared(&old, &old).fields;
    assert_eq!((fields[0].reason, fields[0].write.display()), (FieldReason::TargetMoved, "As TB-71".into()));

    let new = says("As TB-71");
    assert!(compared(&new, &new).is_in_step());
    let kept = says("A word of somebody there on OS-1");
    assert!(compared(&kept, &kept).is_in_step(), "what a person kept is not written over");
}

/// Comments can't be changed, so one that names OS-1 is the one that would name TB-71 today.
#[test]
fn what_was_said_is_not_said_twice() {
    let left = Artefact { comments: vec![said("Same as OS-1"), said("Or OS-2")], ..says("") };
    let head = "somebody, 2024-03-01 10:00 +00:00 in Old:";
    let there = |text: &str| Comment {
        body: Document { blocks: [head, text].map(|t| Block::Paragraph { content: vec![Inline::text(t)] }).into() },
        ..said("")
    };
    let compared = |comments: Vec<Comment>| {
        let right = Artefact { comments, ..says("") };
        with(&Here, |cx| Comparer::new(&lane(), cx).compare(Ends { left: &left, right: &right }, None, &[]))
    };
    assert!(compared(vec![there("Same as OS-1"), there("Or OS-2")]).is_in_step());
    assert!(compared(vec![there("Same as TB-71"), there("Or OS-2")]).is_in_step());
    let found = compared(vec![there("Same as OS-1")]);
    let Value::Comments(wanted) = &found.fields[0].write else { panic!("comments") };
    assert_eq!(wanted.len(), 1, "only the one that is missing: {wanted:?}");
    assert_eq!(found.accepted.len(), 1, "the other is remembered");
    let none: HashMap<(Kind, String), Place> = HashMap::new();
    assert_eq!(renamed(&Value::Comments(wanted.clone()), &none), None);
}
