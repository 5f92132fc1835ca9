//! What an answer leaves out is not empty: it moves nothing, in whatever slot and at whatever end, and what is remembered
//! of it stays. Somebody who may not see a field any more must not clear it at the other end.

use std::collections::{BTreeMap, HashMap};

use hovrel_core::base::{Base, BaseSide, Pair};
use hovrel_core::carry::*;
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema};
use hovrel_core::compare::{AtEnd, Comparer, Found, Known, compare_lane, targets};
use hovrel_core::identity::Counterparts;
use hovrel_core::model::{
    ATTACHMENTS, Artefact, Attachment, End, Ends, Kind, LINKS, Link, LinkEnd, LinkType, Slot, Value, ValueType,
};
use hovrel_core::plan::{
    Change, Decision, FieldReason, Outcome, Side, Written, WrittenField, base_after, fields_to_write,
};
use hovrel_core::prepare::Computed;
use hovrel_core::rules::{Fill, FirstContact, Lane, Rule, Source};

fn kind() -> KindSchema {
    let text = |id: &str| FieldSchema::new(id, id, ValueType::Text);
    let fields = vec![
        text("title"),
        text("both"),
        FieldSchema::new("level", "level", ValueType::Choice),
        FieldSchema::new(LINKS, "Links", ValueType::Links),
        FieldSchema::new(ATTACHMENTS, "Files", ValueType::Attachments),
    ];
    KindSchema { in_folders: true, ..KindSchema::new(Kind::TestCase, "Case", fields) }
}

fn lane() -> Lane {
    let rule =
        |target: &str, source| Rule::filling(End::Right, Fill { target: target.into(), source, conversions: vec![] });
    let rules = vec![
        rule("title", Source::Field("title".into())),
        rule("level", Source::Field("level".into())),
        rule("both", Source::Computed("fields.title + \", \" + fields.level".into())),
        rule(LINKS, Source::Links),
        rule(ATTACHMENTS, Source::Attachments),
        rule("@parent", Source::Folder),
    ];
    Lane::of_kind(Kind::TestCase, rules)
}

fn with<T>(then: impl FnOnce(&Context<'_>) -> T) -> T {
    let kinds = || Catalogue { kinds: vec![kind()], users: vec![], findings: vec![] };
    let (left, right) = (kinds(), kinds());
    let place = |kind, id: &str| (kind, Place { kind, reference: hovrel_core::model::Reference::known(id) });
    let places: HashMap<(Kind, String), Place> =
        [place(Kind::Folder, "f")].into_iter().map(|(kind, place)| ((kind, "f".to_owned()), place)).collect();
    then(&Context {
        system: "Old",
        from: &left,
        from_kind: &left.kinds[0],
        to_kind: &right.kinds[0],
        to_users: &UserMatcher::default(),
        places: &places,
    })
}

/// An item that holds something in every slot; at the left also what is computed from it.
fn item(end: End) -> Artefact {
    let mut item = Artefact::bare(Kind::TestCase, "c1");
    item.fields.set("title", Value::text("Wind"));
    item.fields.set("level", Value::choice("High"));
    item.parent = Some("f".into());
    item.links = vec![Link::new(LinkType::RelatesTo, LinkEnd::Url("https://skarnvik.example/x".into()))];
    let file = Attachment { name: "a.png".into(), media_type: "image/png".into(), bytes: Some(3), digest: None };
    item.attachments = vec![file];
    match end {
        End::Left => Computed::of(&lane(), &kind()).beside(&mut item, &kind(), &[]),
        End::Right => item.fields.set("both", Value::text("Wind, High")),
    }
    item
}

/// The item as its system answers if it leaves out a slot.
fn without(end: End, slot: &Slot) -> Artefact {
    let mut item = item(end);
    item.left_out.insert(slot.clone());
    match slot {
        Slot::Folder => item.parent = None,
        Slot::Links => item.links.clear(),
        Slot::Files => item.attachments.clear(),
        Slot::Position | Slot::Comments | Slot::History => unreachable!("no rule has it"),
        Slot::Field(id) => {
            item.fields.remove(id);
            if end == End::Left {
                Computed::of(&lane(), &kind()).beside(&mut item, &kind(), &[]);
            }
        }
    }
    item
}

/// Of rules that have the ids of their slots.
fn side(held: BTreeMap<Slot, Value>) -> BaseSide {
    BaseSide(held.iter().map(|(slot, value)| (slot.into(), value.clone())).collect())
}

fn base() -> Base {
    let left = with(|cx| Comparer::new(&lane(), cx).sources(&item(End::Left)));
    Base { left: side(left), right: side(targets(&lane(), &item(End::Right))), ..Base::default() }
}

fn compared(left: &Artefact, right: &Artefact, base: &Base) -> Found {
    with(|cx| Comparer::new(&lane(), cx).compare(Ends { left, right }, Some(base), &[]))
}

/// The base after a transfer that carries out whatever such a comparison found.
fn transferred(left: &Artefact, right: &Artefact, found: Found) -> Base {
    let lane = lane();
    let change = Change {
        left: Some(Side::of(left, String::new())),
        right: Some(Side::of(right, String::new())),
        left_side: with(|cx| Comparer::new(&lane, cx).sources(left)),
        right_side: targets(&lane, right),
        fields: found.fields,
        rebased: found.rebased,
        ..Change::new(0, &lane.id, (Kind::TestCase, Kind::TestCase), End::Right, Outcome::Update(End::Right))
    };
    let decision = Decision { included: true, ..Decision::default_for(&change) };
    assert!(fields_to_write(&change, &decision, FirstContact::Wins(End::Left)).is_empty(), "nothing is written");
    base_after(&lane, &change, &decision, &Written::nothing(End::Right, 0), &base(), &BTreeMap::new())
}

/// The slots that an answer may leave out, each with the slots of the rules that start from it.
fn slots() -> Vec<(Slot, Vec<&'static str>)> {
    vec![
        ("title".into(), vec!["title", "both"]),
        ("level".into(), vec!["level", "both"]),
        (Slot::Links, vec![LINKS]),
        (Slot::Files, vec![ATTACHMENTS]),
        (Slot::Folder, vec!["@parent"]),
    ]
}

#[test]
fn what_the_source_leaves_out_clears_nothing_and_is_told() {
    for (slot, of) in slots() {
        let (left, right) = (without(End::Left, &slot), item(End::Right));
        let found = compared(&left, &right, &base());
        let told: Vec<(&str, FieldReason)> = found.fields.iter().map(|f| (f.field.id(), f.reason)).collect();
        let wanted: Vec<_> = of.iter().map(|field| (*field, FieldReason::Unreadable(End::Left))).collect();
        assert_eq!((told, found.faults.len()), (wanted, 0), "{slot}");
        let after = transferred(&left, &right, found);
        assert_eq!((&after.left, &after.right), (&base().left, &base().right), "{slot}: it is remembered as it was");
        assert!(compared(&item(End::Left), &right, &after).is_in_step(), "{slot}: and in step when it is told again");
    }
}

#[test]
fn what_the_written_end_leaves_out_is_not_written_over() {
    for slot in slots().into_iter().map(|(slot, _)| slot).chain(["both".into()]) {
        let mut left = item(End::Left);
        left.fields.set("title", Value::text("Gusts"));
        Computed::of(&lane(), &kind()).beside(&mut left, &kind(), &[]);
        let right = without(End::Right, &slot);
        let found = compared(&left, &right, &base());
        let of_slot: Vec<_> = found.fields.iter().filter(|f| f.field == slot).collect();
        assert_eq!(of_slot.len(), 1, "{slot}");
        assert_eq!(of_slot[0].reason, FieldReason::Unreadable(End::Right), "{slot}");
        assert!(!of_slot[0].reason.may_be_written(End::Right) && !of_slot[0].reason.can_be_decided(End::Right));
        let others = found.fields.iter().filter(|f| f.field != slot);
        assert!(others.clone().all(|f| f.reason == FieldReason::Changed(End::Left)), "{slot}: the rest goes on");
    }
}

/// The changes that a dry run finds of the pair of both items.
fn changes(left: &Artefact, right: &Artefact, base: &Base) -> (Vec<Change>, u64) {
    let pair = Pair {
        ids: Ends { left, right }.map(|item| item.id.clone()),
        keys: Ends::default(),
        bases: Ends { left: base.left.fingerprint(), right: base.right.fingerprint() },
        agreed: None,
        let_go: false,
    };
    let (pairs, bases) = (vec![pair].into(), HashMap::from([(left.id.clone(), base.clone())]));
    let all = Ends { left, right }.map(|item| [(item.id.as_str(), item)].into_iter().collect());
    let (lefts, rights) = ([left], [right]);
    let path = |_: &Artefact| String::new();
    let nothing_found = Counterparts::default();
    let known = Known {
        bases: &bases,
        accepted: &HashMap::new(),
        paths: Ends { left: &path, right: &path },
        first_seq: 0,
        planned: &Ends::default(),
    };
    let at = Ends {
        left: AtEnd { covered: &lefts, all: &all.left, absent: None },
        right: AtEnd { covered: &rights, all: &all.right, absent: None },
    };
    let mut out = Vec::new();
    let found = with(|cx| {
        let lane = lane();
        let comparer = Comparer::new(&lane, cx);
        let relations = comparer.walk(at, &pairs, &nothing_found);
        compare_lane(&comparer, &relations, &known, &mut |change| out.push(change))
    });
    (out, found.in_step)
}

/// A system that leaves out what is empty, and whose profile does not say so: each dry run finds the same, which is
/// nothing, whether the base is from when that was taken for empty or not.
#[test]
fn what_is_always_left_out_is_in_step_each_time() {
    let right = item(End::Right);
    let mut was = item(End::Left);
    for slot in ["level", "title"] {
        was.fields.set(slot, Value::Empty);
    }
    let of = |left: &Artefact| Base {
        left: side(with(|cx| Comparer::new(&lane(), cx).sources(left))),
        right: side(targets(&lane(), &right)),
        ..Base::default()
    };
    let mut left = was.clone();
    for slot in ["level", "title"] {
        left.fields.remove(slot);
        left.left_out.insert(slot.into());
    }
    // What is computed from them was never told either.
    left.fields.remove("@computed both");
    was.fields.remove("@computed both");
    for base in [of(&was), of(&left)] {
        let (changes, in_step) = changes(&left, &right, &base);
        assert_eq!((changes.len(), in_step), (0, 1), "{changes:?}");
    }
}

/// A new item is made without what was left out; when that is told, it is an edit like any other.
#[test]
fn what_is_told_after_the_item_was_made_is_carried() {
    let (left, lane) = (without(End::Left, &"level".into()), lane());
    let mut right = Artefact::bare(Kind::TestCase, "r1");
    let (fields, faults) = with(|cx| Comparer::new(&lane, cx).make(&left));
    assert!(faults.is_empty(), "{faults:?}");
    let mut written = Written::nothing(End::Right, 0);
    for f in fields.iter().filter(|f| matches!(f.field, Slot::Field(_))) {
        right.fields.set(f.field.id(), f.write.clone());
        let done = WrittenField { sent: f.write.clone(), held: f.write.clone() };
        written.fields.insert(f.field.clone(), done);
    }
    written.made = Some(targets(&lane, &right));
    let change = Change {
        left: Some(Side::of(&left, String::new())),
        left_side: with(|cx| Comparer::new(&lane, cx).sources(&left)),
        fields,
        ..Change::new(0, &lane.id, (Kind::TestCase, Kind::TestCase), End::Right, Outcome::New(End::Right))
    };
    let decision = Decision::default_for(&change);
    let base = base_after(&lane, &change, &decision, &written, &Base::default(), &BTreeMap::new());
    let found = compared(&item(End::Left), &right, &base);
    let level = found.fields.iter().find(|f| f.field == "level").expect("it is told now");
    assert_eq!((level.reason, &level.write), (FieldReason::Changed(End::Left), &Value::choice("High")));
}

#[test]
fn what_was_never_there_is_not_told() {
    let mut left = item(End::Left);
    left.fields.set("level", Value::Empty);
    let right = without(End::Right, &"level".into());
    let empty = with(|cx| Comparer::new(&lane(), cx).compare(Ends { left: &left, right: &right }, None, &[]));
    assert!(empty.fields.iter().all(|f| f.field != "level"), "nothing over nothing is no difference");
    let left = without(End::Left, &"level".into());
    let new = with(|cx| Comparer::new(&lane(), cx).make(&left));
    assert!(new.0.iter().all(|f| f.field != "level") && new.1.is_empty(), "a new item is made without it");
}
