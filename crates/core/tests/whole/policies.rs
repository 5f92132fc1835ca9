//! What the policy of a lane decides where both ends edited the same, through comparing, planning and applying.

use hovrel_core::conflict::{Choice, Take};
use hovrel_core::model::{End, HistoryEntry, Stamp, Value};
use hovrel_core::plan::{FieldChange, FieldReason};
use hovrel_core::rules::{BothEdited, Direction, Lane, Policies};
use proptest::prelude::*;

use crate::conflicts::{in_conflict, settle, title};
use crate::two_way::{Two, lane};

fn with(both_edited: BothEdited) -> Lane {
    let lane = lane(Direction::Both);
    Lane { policies: Policies { both_edited, ..lane.policies }, ..lane }
}

fn held(two: &Two) -> [String; 2] {
    End::BOTH.map(|end| two.held(end, 0))
}

/// What a history tells of the title.
fn past(two: &mut Two, end: End, minute: Option<u32>, after: &str) {
    let field = if end == End::Left { "name" } else { "title" };
    let at = minute.map(|minute| format!("2026-05-04T08:{minute:02}:00Z").parse().expect("a time"));
    let (before, after) = ("Stop the cabin".to_owned(), after.to_owned());
    let entry = HistoryEntry { id: None, stamp: Stamp { at, by: None }, field: field.into(), before, after };
    two.items[end].history.push(entry);
}

#[test]
fn the_edit_of_the_end_that_wins_is_carried_and_what_loses_is_in_the_plan() {
    for end in End::BOTH {
        let lane = with(BothEdited::Wins(end));
        let mut two = in_conflict(Direction::Both);
        let edits = held(&two);
        let found = two.run(&lane);
        let FieldChange { reason, left, right, .. } = title(&found);
        assert_eq!(*reason, FieldReason::Prevails(end));
        let told = [left, right].map(|value| value.as_ref().expect("it was there").display());
        assert_eq!(told, edits, "the record takes from here what stood there");
        let wins = &edits[usize::from(end == End::Right)];
        assert_eq!(held(&two), [wins.as_str(), wins.as_str()]);
        assert_eq!(two.run(&lane), [], "nothing is left");
    }
}

#[test]
fn what_a_person_chose_before_goes_before_a_policy() {
    let lane = with(BothEdited::Wins(End::Left));
    let mut two = in_conflict(Direction::Both);
    let asked = two.run(&with(BothEdited::Ask));
    let edits = held(&two);
    settle(&mut two, Direction::Both, title(&asked), Choice { take: Take::Right, merged: None });
    two.run(&lane);
    assert_eq!(held(&two), [edits[1].as_str(), edits[1].as_str()]);
}

#[test]
fn the_newer_edit_is_carried_where_both_histories_tell_of_it() {
    let lane = with(BothEdited::Newest);
    // What each history tells last, by the minute; and what becomes of it.
    let (left, right) = (End::Left, End::Right);
    let cases = [
        (Some(10), Some(30), FieldReason::Prevails(right)),
        (Some(30), Some(10), FieldReason::Prevails(left)),
        (Some(30), Some(31), FieldReason::SameTime),
        (None, Some(30), FieldReason::NoTime(left)),
        (Some(30), None, FieldReason::NoTime(right)),
    ];
    for (at_left, at_right, reason) in cases {
        let mut two = in_conflict(Direction::Both);
        let edits = held(&two);
        for (end, minute) in [(left, at_left), (right, at_right)] {
            past(&mut two, end, Some(1), "Stop the cabin");
            past(&mut two, end, minute, &edits[usize::from(end == right)]);
        }
        let found = two.run(&lane);
        assert_eq!(title(&found).reason, reason);
        let wanted = match reason {
            FieldReason::Prevails(End::Left) => [edits[0].as_str(); 2],
            FieldReason::Prevails(End::Right) => [edits[1].as_str(); 2],
            _ => [edits[0].as_str(), edits[1].as_str()],
        };
        assert_eq!(held(&two), wanted, "{reason:?}");
    }
}

/// The entry of another edit tells nothing of this one: neither of another field, nor of what stood here before.
#[test]
fn a_history_that_tells_of_something_else_tells_no_time() {
    let lane = with(BothEdited::Newest);
    for told in [None, Some("Stop the cabin")] {
        let mut two = in_conflict(Direction::Both);
        let edits = held(&two);
        past(&mut two, End::Left, Some(10), &edits[0]);
        two.items.right.modified = Some(Stamp { at: "2026-05-04T09:00:00Z".parse().ok(), by: None });
        if let Some(told) = told {
            past(&mut two, End::Right, Some(30), told);
        }
        let found = two.run(&lane);
        assert_eq!(title(&found).reason, FieldReason::NoTime(End::Right), "{told:?}");
        assert_eq!(held(&two), edits);
    }
}

proptest! {
    /// Whatever both ends made of a title, with the policies of the lane the two agree afterwards and nothing is written two runs
    /// later; and where only one end was edited, or both in different words, no policy decides anything.
    #[test]
    fn a_policy_decides_only_where_both_edited_the_same(
        words in prop::collection::vec((0..4usize, 0..3u8), 1..6), wins in prop::sample::select(&End::BOTH[..])
    ) {
        let (asks, decides) = (with(BothEdited::Ask), with(BothEdited::Wins(wins)));
        let begin = || {
            let mut two = Two::new(["Stop the cabin now", "note", "Blocker"]);
            two.run(&asks);
            two
        };
        let edit = |two: &mut Two| {
            for (n, (place, who)) in words.iter().enumerate() {
                for end in End::BOTH.into_iter().filter(|end| *who == 2 || (*who == 0) == (*end == End::Left)) {
                    let text = two.held(end, 0);
                    let mut all: Vec<&str> = text.split(' ').collect();
                    let word = format!("{end:?}{n}");
                    all[*place] = &word;
                    two.edit(end, 0, Value::text(all.join(" ")));
                }
            }
        };
        let (mut asked, mut decided) = (begin(), begin());
        edit(&mut asked);
        edit(&mut decided);
        let edits = held(&decided);
        let was_asked = asked.run(&asks).iter().any(|f| f.reason.is_conflict());
        decided.run(&decides);
        prop_assert_eq!(decided.held(End::Left, 0), decided.held(End::Right, 0));
        match was_asked {
            true => prop_assert_eq!(decided.held(End::Left, 0), &*edits[usize::from(wins == End::Right)]),
            false => prop_assert_eq!(held(&asked), held(&decided)),
        }
        decided.run(&decides);
        prop_assert_eq!(decided.run(&decides), vec![]);
    }
}
