//! Conflicts that are settled: what each choice writes, that a choice is for one generation, and what a person puts together
//! of two edits.

use std::collections::{BTreeSet, HashSet};

use hovrel_core::conflict::{Choice, Pick, Proposal, Standing, Take, generation, offered};
use hovrel_core::merge::merge;
use hovrel_core::model::{End, Value};
use hovrel_core::plan::{FieldChange, FieldReason};
use hovrel_core::rules::Direction;
use proptest::prelude::*;

use crate::merging::three;
use crate::two_way::{FIELDS, Two, catalogue, lane, with_comparer};

const BEGINNING: [&str; 3] = ["Stop the cabin", "when the wind is up", "High"];

/// Both ends in step, then another title at each.
pub fn in_conflict(direction: Direction) -> Two {
    let mut two = Two::new(BEGINNING);
    two.run(&lane(direction));
    two.edit(End::Left, 0, Value::text("Halt the cabin"));
    two.edit(End::Right, 0, Value::text("Park the cabin"));
    two
}

pub fn title(found: &[FieldChange]) -> &FieldChange {
    found.iter().find(|f| f.field == *"title").expect("the title differs")
}

/// What is kept of the conflict of a field.
pub fn settle(two: &mut Two, direction: Direction, field: &FieldChange, choice: Choice) {
    let lane = lane(direction);
    let ends = hovrel_core::model::Ends { left: catalogue(FIELDS.left), right: catalogue(FIELDS.right) };
    let digests = with_comparer(&lane, &ends, 0, |comparer| comparer.digests());
    let rule = lane.rule_filling(End::Right, &field.field).expect("a rule fills it").id.clone();
    let digest = generation(field, &digests[&rule]).as_bytes().to_vec();
    let standing = Standing { digest, reason: field.reason, choice: Some(choice) };
    two.standing = [("1".to_owned(), [(rule, standing)].into())].into();
}

fn take(take: Take) -> Choice {
    Choice { take, merged: None }
}

/// Each choice, in a lane that carries both ways and in one that does not: what both ends hold, and that nothing is left.
#[test]
fn what_is_chosen_is_written_and_nothing_is_found_after() {
    let merged = || Choice { take: Take::Merge, merged: Some(Value::text("Halt and park the cabin")) };
    let both = Direction::Both;
    let right = Direction::ToRight;
    let cases = [
        (both, take(Take::Left), ["Halt the cabin", "Halt the cabin"]),
        (both, take(Take::Right), ["Park the cabin", "Park the cabin"]),
        (both, take(Take::Different), ["Halt the cabin", "Park the cabin"]),
        (both, merged(), ["Halt and park the cabin", "Halt and park the cabin"]),
        (right, take(Take::Left), ["Halt the cabin", "Halt the cabin"]),
        (right, take(Take::Right), ["Halt the cabin", "Park the cabin"]),
    ];
    for (direction, choice, wanted) in cases {
        let mut two = in_conflict(direction);
        let found = two.run(&lane(direction));
        assert_eq!(title(&found).reason, FieldReason::BothChanged);
        assert_eq!([two.held(End::Left, 0), two.held(End::Right, 0)], ["Halt the cabin", "Park the cabin"], "asked");
        settle(&mut two, direction, title(&found), choice.clone());
        two.run(&lane(direction));
        assert_eq!([two.held(End::Left, 0), two.held(End::Right, 0)], wanted, "{direction:?} {choice:?}");
        two.standing.clear();
        assert_eq!(two.run(&lane(direction)), [], "{direction:?} {choice:?}: nothing is left");
    }
}

/// The planted fault “settling without a generation”: what was chosen is for the values that were shown.
#[test]
fn a_choice_for_values_that_changed_since_is_not_taken() {
    for end in End::BOTH {
        let mut two = in_conflict(Direction::Both);
        let found = two.run(&lane(Direction::Both));
        settle(&mut two, Direction::Both, title(&found), take(Take::Left));
        two.edit(end, 0, Value::text("Evacuate the cabin"));
        let before = [two.held(End::Left, 0), two.held(End::Right, 0)];
        let found = two.run(&lane(Direction::Both));
        assert_eq!(title(&found).reason, FieldReason::BothChanged, "it is asked about again");
        assert_eq!([two.held(End::Left, 0), two.held(End::Right, 0)], before, "and nothing is written");
    }
}

/// After the left was written, an edit at either end meets a merge that was settled: nothing typed is lost.
#[test]
fn a_merge_that_the_right_does_not_take_shows_again() {
    let mut two = in_conflict(Direction::Both);
    let lane = lane(Direction::Both);
    let found = two.run(&lane);
    let merged = Some(Value::text("Halt and park the cabin"));
    settle(&mut two, Direction::Both, title(&found), Choice { take: Take::Merge, merged });
    two.right_fails = true;
    two.run(&lane);
    assert_eq!([two.held(End::Left, 0), two.held(End::Right, 0)], ["Halt and park the cabin", "Park the cabin"]);
    two.right_fails = false;
    two.run(&lane);
    assert_eq!(two.held(End::Right, 0), "Halt and park the cabin", "the left's part goes over like any edit");
    two.standing.clear();
    assert_eq!(two.run(&lane), []);
}

/// What a person put together, and an end can't hold: nothing is written, and it is told.
#[test]
fn a_merge_that_an_end_does_not_take_is_not_carried() {
    let lane = lane(Direction::Both);
    let ends = hovrel_core::model::Ends { left: catalogue(FIELDS.left), right: catalogue(FIELDS.right) };
    let digests = with_comparer(&lane, &ends, 0, |comparer| comparer.digests());
    let mut two = Two::new(BEGINNING);
    two.run(&lane);
    two.edit(End::Left, 2, Value::choice("Low"));
    two.edit(End::Right, 2, Value::choice("Trivial"));
    let grade = |found: &[FieldChange]| found.iter().find(|f| f.field == *"grade").expect("it differs").clone();
    let found = two.run(&lane);
    // No row of the map leads back from the one.
    for (merged, taken) in [("Critical", true), ("Trivial", false)] {
        let choice = Choice { take: Take::Merge, merged: Some(Value::choice(merged)) };
        settle(&mut two, Direction::Both, &grade(&found), choice);
        let standing = two.standing["1"].values().next().expect("one").clone();
        let mut asked = Two { items: two.items.clone(), base: two.base.clone(), ..Two::new(BEGINNING) };
        (asked.standing, asked.clock) = (two.standing.clone(), two.clock);
        let again = asked.run(&lane);
        let digest = &digests[&lane.rule_filling(End::Right, &"grade".into()).expect("a rule").id];
        assert_eq!(standing.choice_cannot_be_done(&grade(&again), digest, End::Right), !taken, "{merged}");
        assert_eq!(asked.held(End::Right, 2), if taken { "Critical" } else { "Trivial" });
        assert_eq!(asked.held(End::Left, 2), if taken { "High" } else { "Low" });
    }
}

/// An old form that a system gave back is asked about until a value changes: that ten minutes are over decides nothing.
#[test]
fn a_conflict_over_an_old_form_does_not_end_by_itself() {
    let lane = lane(Direction::Both);
    let mut two = Two::new(BEGINNING);
    two.run(&lane);
    two.edit(End::Left, 0, Value::text("Halt the cabin"));
    two.run(&lane);
    // Soon after that.
    two.edit(End::Right, 0, Value::text(BEGINNING[0]));
    two.clock -= 7200 - 60;
    let found = two.run(&lane);
    assert_eq!(title(&found).reason, FieldReason::OldForm(End::Right));
    let mut by_itself = Two { items: two.items.clone(), base: two.base.clone(), ..Two::new(BEGINNING) };
    by_itself.clock = two.clock;
    assert_eq!(title(&by_itself.run(&lane)).reason, FieldReason::Back(End::Right), "nobody remembers it");
    settle(&mut two, Direction::Both, title(&found), take(Take::Left));
    two.standing.values_mut().flat_map(|of| of.values_mut()).for_each(|s| s.choice = None);
    assert_eq!(title(&two.run(&lane)).reason, FieldReason::OldForm(End::Right), "it is still asked about");
    two.edit(End::Right, 0, Value::text("Park the cabin"));
    assert_eq!(title(&two.run(&lane)).reason, FieldReason::Back(End::Right), "a person typed another title");
}

#[test]
fn what_may_be_chosen_follows_from_the_lane() {
    for (direction, wanted) in [
        (Direction::Both, vec![Take::Left, Take::Right, Take::Different]),
        (Direction::ToRight, vec![Take::Left, Take::Right]),
    ] {
        let found = in_conflict(direction).run(&lane(direction));
        assert_eq!(offered(title(&found), End::Right), wanted);
    }
    // A level that no row of the map leads back to can't go to the left.
    let mut two = Two::new(BEGINNING);
    let lane = lane(Direction::Both);
    two.run(&lane);
    two.edit(End::Right, 2, Value::choice("Trivial"));
    let found = two.run(&lane);
    let grade = found.iter().find(|f| f.field == *"grade").expect("it differs");
    assert_eq!(offered(grade, End::Right), [Take::Left, Take::Different], "{:?}", grade.cannot);
}

fn words(value: &Value) -> HashSet<String> {
    value.display().split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).map(str::to_owned).collect()
}

proptest! {
    /// Every edit that a person can choose of is in the proposal, nothing is made up, one edit alone is taken as it is, and
    /// which end is called left makes no difference.
    #[test]
    fn a_proposal_holds_both_edits_and_nothing_else((base, left, right) in three()) {
        let Some(proposal) = Proposal::of(&base, &left, &right) else { return Ok(()) };
        let all = |pick| proposal.with(&vec![pick; proposal.clashes()]).expect("one for each");
        let both = words(&all(Pick::Both));
        let said: BTreeSet<String> = words(&base).into_iter().chain(words(&left)).chain(words(&right)).collect();
        let made_up: Vec<_> = both.iter().filter(|w| !said.contains(*w)).collect();
        prop_assert!(made_up.is_empty(), "{made_up:?}");
        let typed: Vec<_> = words(&left).union(&words(&right)).filter(|w| !words(&base).contains(*w)).cloned().collect();
        let lost: Vec<_> = typed.iter().filter(|w| !both.contains(*w)).collect();
        prop_assert!(lost.is_empty(), "{lost:?} of {left:?} and {right:?} is not in {proposal:?}");
        if let (Value::Text(_), true) = (&left, proposal.clashes() == 0) {
            prop_assert_eq!(merge(&base, &left, &right), Some(all(Pick::Left)));
        }
        // Nothing at all has no parts.
        let is_something = |values: [&Value; 3]| values.iter().any(|value| !value.is_blank());
        for (left, right, wanted) in [(&left, &base, &left), (&base, &right, &right), (&left, &left, &left)] {
            if !is_something([&base, left, right]) {
                continue;
            }
            let alone = Proposal::of(&base, left, right).and_then(|p| p.with(&[]));
            prop_assert_eq!(alone.as_ref(), Some(wanted));
        }
        let mirrored = Proposal::of(&base, &right, &left).expect("it has parts either way");
        prop_assert_eq!(mirrored.clashes(), proposal.clashes());
        for (pick, other) in [(Pick::Left, Pick::Right), (Pick::Right, Pick::Left), (Pick::Base, Pick::Base)] {
            prop_assert_eq!(mirrored.with(&vec![other; mirrored.clashes()]), Some(all(pick)));
        }
        prop_assert_eq!(proposal.with(&vec![Pick::Left; proposal.clashes() + 1]), None);
    }
}

#[test]
fn a_part_that_both_edited_is_chosen_by_itself() {
    let [base, left, right] = [
        "Stop the cabin at the pier, then wait.",
        "Halt the cabin at the pier, then look.",
        "Park the cabin at the pier, then wait.",
    ]
    .map(Value::text);
    let proposal = Proposal::of(&base, &left, &right).expect("texts have words");
    assert_eq!(proposal.clashes(), 1);
    assert_eq!(proposal.with(&[Pick::Right]), Some(Value::text("Park the cabin at the pier, then look.")));
    assert_eq!(proposal.with(&[Pick::Both]), Some(Value::text("Halt Park the cabin at the pier, then look.")));
    assert_eq!(Proposal::of(&Value::choice("High"), &Value::choice("Low"), &Value::choice("Middle")), None);
}
