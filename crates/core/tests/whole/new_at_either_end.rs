//! Items that are new at the end that a lane does not write first, from comparing to what is remembered of them.

use std::collections::{BTreeMap, HashMap};

use hovrel_core::base::{Base, Pair};
use hovrel_core::carry::FaultReason;
use hovrel_core::catalogue::{FieldSchema, KindSchema};
use hovrel_core::compare::{Comparer, Known, LaneFindings, Relation, as_made_there, compare_lane};
use hovrel_core::model::{Artefact, End, Ends, Fingerprint, Kind, Slot, Value, ValueType};
use hovrel_core::plan::{Change, Decision, Outcome, Written, WrittenField, base_after, fields_to_write, leg_back};
use hovrel_core::rules::{Direction, Fill, FirstContact, Lane, Rule, Source};
use hovrel_core::scope::{Condition, ConditionRow, Operator};
use proptest::prelude::*;

use super::two_way::{FIELDS, catalogue, lane, with_comparer};

const CLOCK: i64 = 1_000_000;

/// The lane both ways, with a rule that goes to the right alone, and a mark of where an item came from at the right.
fn both() -> Lane {
    let mut lane = lane(Direction::Both);
    let to_right =
        |target: &str, source| Rule::filling(End::Right, Fill { target: target.into(), source, conversions: vec![] });
    lane.rules.push(to_right("remark", Source::Field("aside".into())));
    lane.rules.push(to_right("from", Source::Origin));
    lane
}

fn ends(mark_at_left: bool) -> Ends<hovrel_core::catalogue::Catalogue> {
    let mut ends = Ends { left: catalogue(FIELDS.left), right: catalogue(FIELDS.right) };
    let add = |kind: &mut KindSchema, name: &str, mark| {
        kind.fields.push(FieldSchema { origin_mark: mark, ..FieldSchema::new(name, name, ValueType::Text) });
    };
    add(&mut ends.left.kinds[0], "aside", false);
    add(&mut ends.right.kinds[0], "remark", false);
    add(&mut ends.right.kinds[0], "from", true);
    if mark_at_left {
        add(&mut ends.left.kinds[0], "came from", true);
    }
    ends
}

fn at_right(values: [Value; 3], remark: Value) -> Artefact {
    let mut item = Artefact { key: "N-1".into(), title: values[0].display(), ..Artefact::bare(Kind::TestCase, "n1") };
    FIELDS.right.iter().zip(values).for_each(|(field, value)| item.fields.set(*field, value));
    item.fields.set("remark", remark);
    item
}

fn usual() -> Artefact {
    at_right([Value::text("Halt"), Value::text("stop the cabin"), Value::choice("Critical")], Value::Empty)
}

fn found(comparer: &Comparer<'_>, item: &Artefact) -> (Vec<Change>, LaneFindings) {
    found_of(comparer, &[Relation::Only(End::Right, item)])
}

fn found_of(comparer: &Comparer<'_>, relations: &[Relation<'_>]) -> (Vec<Change>, LaneFindings) {
    let path = |_: &Artefact| String::new();
    let (bases, accepted, planned) = (HashMap::<String, Base>::new(), HashMap::new(), Ends::default());
    let paths = Ends { left: &path as &dyn Fn(&Artefact) -> String, right: &path };
    let known = Known { bases: &bases, accepted: &accepted, paths, first_seq: 0, planned: &planned };
    let mut changes = Vec::new();
    let findings = compare_lane(comparer, relations, &known, &mut |c| changes.push(c));
    (changes, findings)
}

proptest! {
    /// What is new at the right is made at the left, with what the rules take back; afterwards nothing is left to do, also
    /// where a rule does not go there.
    #[test]
    fn what_is_new_at_the_right_is_made_at_the_left_once(
        title in "[a-z]{1,6}", note in "[a-z ]{0,30}", grade in prop::sample::select(&["Critical", "Minor", "Odd"][..]),
        remark in "[a-z]{0,4}", own_default in "[a-z]{0,3}", marked in any::<bool>(),
    ) {
        let text = |words: &str| Value::text(words).settled();
        let item = at_right([text(&title), text(&note), Value::choice(grade)], text(&remark));
        let (lane, ends) = (both(), ends(marked));
        with_comparer(&lane, &ends, CLOCK, |comparer| {
            let (changes, findings) = found(comparer, &item);
            prop_assert_eq!((changes.len(), findings.only_written), (1, 0));
            let change = &changes[0];
            prop_assert_eq!(change.written, End::Left);
            if grade == "Odd" {
                let why = FaultReason::NoWayBack { value: "Odd".into() };
                prop_assert_eq!(&change.faults, &[(Slot::from(FIELDS.left[2]), why)]);
                prop_assert_eq!(change.outcome, Outcome::Blocked);
                return Ok(());
            }
            prop_assert_eq!((change.outcome, &change.faults), (Outcome::New(End::Left), &vec![]));
            let decision = Decision::default_for(change);
            prop_assert!(decision.included && leg_back(change, &decision, FirstContact::Ask).is_none());
            // It is made, with a default of its own in a field that nothing was sent for.
            let mut made = Artefact { key: "O-9".into(), ..Artefact::bare(Kind::TestCase, "o9") };
            FIELDS.left.iter().for_each(|field| made.fields.set(*field, Value::Empty));
            made.fields.set("aside", text(&own_default));
            let mut written = Written::nothing(End::Left, CLOCK);
            for f in fields_to_write(change, &decision, FirstContact::Ask) {
                made.fields.set(f.field.id(), f.write.clone());
                written.fields.insert(f.field.clone(), WrittenField { sent: f.write.clone(), held: f.write.clone() });
            }
            let mark = made.fields.get("came from").map(Value::display);
            prop_assert_eq!(mark, marked.then(|| "New:N-1".to_owned()));
            written.made = Some(as_made_there(&lane, &made, "Old", true));
            let base = base_after(&lane, change, &decision, &written, &Base::default(), &comparer.digests());
            let now = comparer.compare(Ends { left: &made, right: &item }, Some(&base), &[]);
            prop_assert!(now.moves_nothing(), "{now:?}");
            // An edit goes over from then on, either way.
            let mut edited = made.clone();
            edited.fields.set(FIELDS.left[0], text("another"));
            let now = comparer.compare(Ends { left: &edited, right: &item }, Some(&base), &[]);
            let reasons: BTreeMap<_, _> = now.fields.iter().map(|f| (f.field.clone(), f.reason)).collect();
            prop_assert_eq!(reasons.len(), 1);
            prop_assert!(now.faults.is_empty() && reasons.contains_key(FIELDS.right[0]));
            Ok(())
        })?;
    }
}

/// An item that came from the left, by its mark, is not new there, though nothing at the left stands for it any more; and a
/// lane that carries one way makes nothing at the left.
#[test]
fn what_came_from_the_left_is_not_made_there_again() {
    let told = |lane: &Lane, item: &Artefact| with_comparer(lane, &ends(false), CLOCK, |c| found(c, item));
    let mut item = usual();
    assert_eq!(told(&lane(Direction::ToRight), &item).1.only_written, 1);
    assert_eq!(told(&both(), &item).1.only_written, 0);
    item.origin = Some("Elsewhere:7".into());
    assert_eq!(told(&both(), &item).1.only_written, 0, "it is new here all the same");
    item.origin = Some("Old:O-1".into());
    let (changes, findings) = told(&both(), &item);
    assert_eq!((changes.len(), findings.only_written), (0, 1));

    // What bears the mark of an item whose counterpart is there is a copy that somebody made of that one: it is new.
    let original = Artefact { id: "n0".into(), ..item.clone() };
    let left = Artefact { key: "O-1".into(), ..Artefact::bare(Kind::TestCase, "o1") };
    let pair = Pair {
        ids: Ends { left: "o1".into(), right: "n0".into() },
        keys: Ends::default(),
        bases: Ends::of(|_| Fingerprint::of(&0)),
        agreed: None,
        let_go: false,
    };
    let items = Ends { left: &left, right: &original };
    let relations = [Relation::Pair { pair: &pair, items, untouched: true }, Relation::Only(End::Right, &item)];
    let lane = both();
    with_comparer(&lane, &ends(false), CLOCK, |comparer| {
        let (changes, findings) = found_of(comparer, &relations);
        assert_eq!((changes.len(), findings.only_written), (1, 0));
        assert_eq!(changes[0].outcome, Outcome::New(End::Left));
    });
}

/// A new item that the lane would not cover where it is made waits, and so does one that must stand in a folder there.
#[test]
fn what_the_other_end_would_not_cover_is_not_made() {
    let mut lane = both();
    let row = ConditionRow { field: FIELDS.left[2].into(), op: Operator::Is, value: "Low".into(), values: vec![] };
    lane.left_scope = Condition::Row(row);
    let (changes, _) = with_comparer(&lane, &ends(false), CLOCK, |c| found(c, &usual()));
    assert_eq!(changes[0].outcome, Outcome::Blocked);
    assert_eq!(changes[0].faults, [("".into(), FaultReason::OutsideScope { end: End::Left })]);
    let mut minor = usual();
    minor.fields.set(FIELDS.right[2], Value::choice("Minor"));
    let (changes, _) = with_comparer(&lane, &ends(false), CLOCK, |c| found(c, &minor));
    assert_eq!(changes[0].outcome, Outcome::New(End::Left), "{:?}", changes[0].faults);

    let mut asks = ends(false);
    asks.left.kinds[0].needs_folder = true;
    let (changes, _) = with_comparer(&both(), &asks, CLOCK, |c| found(c, &usual()));
    assert_eq!(changes[0].faults, [(Slot::Folder, FaultReason::RequiredUnfed)]);
}

/// Where folders go both ways, what is new stands in the folder that its own is at the left, and what the lane covers there
/// goes by that; where its folder is not at the left, it waits.
#[test]
fn what_is_new_is_made_in_the_folder_that_its_own_stands_for() {
    let mut lane = both();
    let mirrored = Fill { target: Slot::Folder, source: Source::Folder, conversions: vec![] };
    lane.rules.push(Rule { back: true, ..Rule::filling(End::Right, mirrored) });
    let lane = lane.with_ways_back();
    let under = |folder: &str| {
        let row = ConditionRow { field: "@folder".into(), op: Operator::Under, value: folder.into(), values: vec![] };
        Lane { left_scope: Condition::Row(row), ..lane.clone() }
    };
    let mut asks = ends(false);
    asks.left.kinds[0].needs_folder = true;
    let told = |lane: &Lane, folder: &str| {
        let item = Artefact { parent: Some(folder.to_owned()), ..usual() };
        with_comparer(lane, &asks, CLOCK, |c| found(c, &item)).0.remove(0)
    };
    let change = told(&under("Line"), "r7");
    assert_eq!((change.outcome, &change.faults), (Outcome::New(End::Left), &vec![]));
    let folder = change.fields.iter().find(|f| f.field == Slot::Folder).map(|f| f.write.display());
    assert_eq!(folder.as_deref(), Some("f7"));
    assert_eq!(told(&under("Cabins"), "r7").faults, [("".into(), FaultReason::OutsideScope { end: End::Left })]);
    let folder = "r8".to_owned();
    assert_eq!(told(&lane, "r8").faults, [(Slot::Folder, FaultReason::FolderNotCarried { folder })]);
}

/// What the other end asks for and no rule takes there is told before, and nothing is made.
#[test]
fn what_the_other_end_asks_for_and_nothing_fills_is_told() {
    let mut asks = ends(false);
    asks.left.kinds[0].fields.iter_mut().filter(|f| f.id == "aside").for_each(|f| f.required = true);
    let (changes, _) = with_comparer(&both(), &asks, CLOCK, |c| found(c, &usual()));
    assert_eq!(changes[0].outcome, Outcome::Blocked);
    assert_eq!(changes[0].faults, [("aside".into(), FaultReason::RequiredUnfed)]);
}
