//! Rules whose way back is an expression: an edit at either end arrives at the other, as both expressions say.

use std::collections::HashMap;

use hovrel_core::carry::{Context, FaultReason, NotTried, Place, Returned, UserMatcher, try_return};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::check::check;
use hovrel_core::model::{End, Ends, Kind, Value, ValueType};
use hovrel_core::plan::FieldReason;
use hovrel_core::rules::{Direction, Fill, Lane, Rule, Source};
use proptest::prelude::*;

use crate::two_way::{FIELDS, Two, catalogue, lane};

fn computed(target: &str, text: &str) -> Fill {
    Fill { target: target.into(), source: Source::Computed(text.into()), conversions: vec![] }
}

fn rule(right: Fill, left: Fill) -> Rule {
    let mut rule = Rule::filling(End::Right, right);
    rule.into[End::Left] = Some(left);
    rule
}

const THERE: &str = r#""N: " + fields.name"#;
const BACK: &str = r#"fields.title.startsWith("N: ") ? fields.title.substring(3) : fields.title"#;

/// A title with a word in front that the left does not have, and a grade that is chosen by another field's value there.
fn computing() -> Lane {
    let grade = Fill { target: "grade".into(), source: Source::Computed(GRADE.into()), conversions: vec![] };
    let rules = vec![
        rule(computed("title", THERE), computed("name", BACK)),
        rule(grade, computed("level", r#"fields.grade == "Critical" ? "High" : "Low""#)),
    ];
    Lane { rules, ..lane(Direction::Both) }
}

const GRADE: &str = r#"fields.level in ["Blocker", "High"] ? "Critical" : "Minor""#;

fn begun(title: &str) -> Two {
    let mut two = Two::new([title, "note", "Blocker"]);
    two.edit(End::Right, 0, Value::text(format!("N: {title}")));
    assert_eq!(two.run(&computing()), [], "both say the same, each in its own way");
    two
}

/// What an edit at the right makes of an item of the left, by the rule that fills a slot.
fn tried(lane: &Lane, slot: &str, typed: Option<&str>) -> Result<Returned, NotTried> {
    let (left, right) = (catalogue(FIELDS.left), catalogue(FIELDS.right));
    let (users, places) = (UserMatcher::default(), HashMap::<(Kind, String), Place>::new());
    let cx = |system, from, to| between((system, from, to), &users, &places);
    let (into_left, into_right) = (cx("New", &right, &left), cx("Old", &left, &right));
    let lane = lane.clone().with_ways_back();
    let id = lane.rule_filling(End::Right, &slot.into()).expect("a rule").id.clone();
    let item = Two::new(["Stop the cabin", "when the wind is above the limit", "Blocker"]).items.left;
    try_return((&lane, &id), &item, Ends { left: &into_left, right: &into_right }, typed)
}

fn between<'c>(
    (system, from, to): (&'c str, &'c Catalogue, &'c Catalogue),
    users: &'c UserMatcher,
    places: &'c HashMap<(Kind, String), Place>,
) -> Context<'c> {
    Context { system, from, from_kind: &from.kinds[0], to_kind: &to.kinds[0], to_users: users, places }
}

/// Each rule shows what it makes of an edit, without writing or remembering anything: the same that a transfer would write.
#[test]
fn an_edit_is_tried_as_it_would_be_carried() {
    let plain = lane(Direction::Both);
    let back = |of: Result<Returned, NotTried>| {
        of.map(|tried| (tried.held.display(), tried.edited.display(), told(tried.back)))
    };
    fn told(back: hovrel_core::carry::Converted) -> Result<String, FaultReason> {
        back.fault.map_or(Ok(back.value.unwrap_or(Value::Empty).display()), Err)
    }
    let text = |of: &str| of.to_owned();
    const CUT_OFF: &str = "when the wind is abo";
    type Back = Result<&'static str, FaultReason>;
    let cases: [(&str, Option<&str>, &str, &str, Back); 7] = [
        ("title", None, "Stop the cabin", "Stop the cabin edited", Ok("Stop the cabin edited")),
        ("title", Some(" Park it "), "Stop the cabin", "Park it", Ok("Park it")),
        // What was cut off stays behind an edit of the rest, and nothing goes over that touches the cut.
        ("text", Some("When the wind is abo"), CUT_OFF, "When the wind is abo", Ok("When the wind is above the limit")),
        ("text", None, CUT_OFF, "when the wind is abo edited", Err(FaultReason::CutThere)),
        // The value that stood there leads to what was typed; else the row that is marked for the way back does.
        ("grade", Some("Critical"), "Critical", "Critical", Ok("Blocker")),
        ("grade", Some("Minor"), "Critical", "Minor", Ok("Low")),
        ("grade", Some("Trivial"), "Critical", "Trivial", Err(FaultReason::NoWayBack { value: "Trivial".into() })),
    ];
    for (slot, typed, held, edited, comes_back) in cases {
        let wanted = Ok((text(held), text(edited), comes_back.map(text)));
        assert_eq!(back(tried(&plain, slot, typed)), wanted, "{slot} {typed:?}");
    }
    assert_eq!(back(tried(&computing(), "title", Some("N: Park it"))).expect("tried").2, Ok(text("Park it")));
    let one_way = lane(Direction::ToRight);
    assert_eq!(tried(&one_way, "title", None), Err(NotTried::NothingGoesBack));
    // No value but the one there is known of this choice.
    assert_eq!(tried(&plain, "grade", None), Err(NotTried::NoEdit(ValueType::Choice)));
}

fn faults(rule: Rule) -> Vec<FaultReason> {
    let catalogues = Ends { left: catalogue(FIELDS.left), right: catalogue(FIELDS.right) };
    let (users, places) = (UserMatcher::default(), HashMap::<(Kind, String), Place>::new());
    let cx = between(("Old", &catalogues.left, &catalogues.right), &users, &places);
    let slot = rule.fill(End::Right).expect("it fills the right").target.clone();
    let lane = Lane { rules: vec![rule], ..lane(Direction::Both) };
    let of_rule = |f: &hovrel_core::check::Fault| slot == f.field.as_str();
    check(&lane, &cx, &[]).into_iter().filter(of_rule).map(|f| f.reason).collect()
}

#[test]
fn each_way_names_only_the_field_that_the_other_fills() {
    assert_eq!(faults(rule(computed("title", THERE), computed("name", BACK))), []);
    let field = Fill { target: "title".into(), source: Source::Field("name".into()), conversions: vec![] };
    assert_eq!(faults(rule(field, computed("name", BACK))), [], "one of them may be the field itself");
    let reads_more = [
        (r#"fields.name + fields.note"#, BACK, "name"),
        (r#"fields.name + key"#, BACK, "name"),
        (THERE, r#"fields.title + fields.text"#, "name"),
        (THERE, BACK, "note"),
        (r#""always the same""#, BACK, "name"),
    ];
    for (there, back, target) in reads_more {
        assert_eq!(
            faults(rule(computed("title", there), computed(target, back))),
            [FaultReason::ReadsMore],
            "{there}, {back}"
        );
    }
    let wrong = faults(rule(computed("title", THERE), computed("name", "fields.titel")));
    assert!(matches!(&wrong[..], [FaultReason::BackExpression { .. }]), "{wrong:?}");
    // With the words of the check: what can't be taken back says that an expression would help.
    let hours = Fill { target: "title".into(), source: Source::Field("name".into()), conversions: vec![] };
    let constant = Fill { source: Source::Constant(Value::text("x")), ..hours };
    let back = Rule { back: true, ..Rule::filling(End::Right, constant) };
    assert_eq!(faults(back), [FaultReason::NotInvertible]);
}

#[test]
fn a_value_that_nothing_is_computed_of_waits_for_a_person() {
    let back = r#"fields.title.substring(3)"#;
    let lane = Lane { rules: vec![rule(computed("title", THERE), computed("name", back))], ..lane(Direction::Both) };
    let mut two = begun("Stop the cabin");
    two.edit(End::Right, 0, Value::text("N"));
    two.standing.clear();
    let found = two.run(&lane);
    assert_eq!(found.iter().map(|f| f.reason).collect::<Vec<_>>(), [FieldReason::NotCarried(End::Right)]);
    assert_eq!(two.held(End::Left, 0), "Stop the cabin");
}

proptest! {
    /// What was typed at one end is at the other, in its own way; what both typed at once waits, or is the same; and nothing
    /// is found once nobody edits.
    #[test]
    fn an_edit_at_either_end_arrives_at_the_other(
        edits in prop::collection::vec((prop::sample::select(&End::BOTH[..]), "[A-Za-z]{1,6}( [a-z]{1,4})?", any::<bool>()), 1..8)
    ) {
        let lane = computing();
        let mut two = begun("Stop the cabin");
        for (end, words, grades) in edits {
            let text = if end == End::Left { words.clone() } else { format!("N: {words}") };
            two.edit(end, 0, Value::text(text));
            if grades {
                two.edit(end, 2, Value::choice(if end == End::Left { "Low" } else { "Minor" }));
            }
            two.run(&lane);
            prop_assert_eq!(two.held(End::Left, 0), words.as_str());
            prop_assert_eq!(two.held(End::Right, 0), format!("N: {words}"));
            if grades {
                prop_assert_eq!([two.held(End::Left, 2), two.held(End::Right, 2)], ["Low", "Minor"]);
            }
            prop_assert_eq!(two.run(&lane), vec![]);
        }
        // Whatever the left calls grave is critical at the right: another word for it is no edit of the right.
        two.edit(End::Left, 2, Value::choice("Blocker"));
        two.run(&lane);
        two.edit(End::Left, 2, Value::choice("High"));
        two.run(&lane);
        prop_assert_eq!([two.held(End::Left, 2), two.held(End::Right, 2)], ["High", "Critical"]);
        prop_assert_eq!(two.run(&lane), vec![]);
    }
}
