//! Carrying an edit to the other end and back: the laws of Hofmann, Pierce and Wagner 2011 (“Symmetric lenses”), for every
//! conversion that has a way back, and for chains of them.

use std::collections::HashMap;

use hovrel_core::agree::same;
use hovrel_core::carry::{BothWays, Context, FaultReason, Place, Ready, UserMatcher};
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema, User};
use hovrel_core::law::{Remembered, Verdict, Ways, verdict};
use hovrel_core::model::{Artefact, End, Ends, Kind, Value, ValueType};
use hovrel_core::rules::{Conversion, Direction, Fallback, Fill, Lane, Rule, Source, UserTable, ValueMap, ValueRow};
use proptest::prelude::*;

fn row(left: &str, right: &str, returns: bool) -> ValueRow {
    ValueRow { left: left.into(), right: right.into(), returns }
}

/// Two of three left values become one; the second of them travels back.
fn grades() -> Conversion {
    let rows = vec![row("Blocker", "Critical", false), row("High", "Critical", true), row("Low", "Minor", false)];
    Conversion::ValueMap(ValueMap { rows, otherwise: Fallback::Block })
}

fn with_blank() -> Conversion {
    let rows = vec![row("", "Unset", false), row("Low", "Minor", false)];
    Conversion::ValueMap(ValueMap { rows, otherwise: Fallback::Block })
}

fn people() -> Conversion {
    Conversion::Users(UserTable { rows: vec![row("tor", "u9", false)], otherwise: Fallback::LeaveEmpty })
}

const CUT: u32 = 14;

fn shorten() -> Conversion {
    Conversion::Shorten { to: CUT }
}

fn if_empty() -> Conversion {
    Conversion::IfEmpty { text: "not stated".into() }
}

/// Every chain, with the type of both its fields.
fn chains() -> Vec<(ValueType, Vec<Conversion>)> {
    use ValueType::*;
    vec![
        (Text, vec![]),
        (Integer, vec![]),
        (ChoiceList, vec![]),
        (Choice, vec![grades()]),
        (ChoiceList, vec![grades()]),
        (Choice, vec![with_blank()]),
        (User, vec![people()]),
        (UserList, vec![people()]),
        (Text, vec![shorten()]),
        (Text, vec![if_empty()]),
        (Text, vec![if_empty(), shorten()]),
    ]
}

/// What an end can hold in a field of a type.
fn held(end: End, value_type: ValueType) -> BoxedStrategy<Value> {
    let one = |words: &'static [&'static str]| prop::sample::select(words).prop_map(str::to_owned);
    let grades: &[&str] = if end == End::Left { &["Blocker", "High", "Low"] } else { &["Critical", "Minor"] };
    let ids: &[&str] = if end == End::Left { &["ida", "tor"] } else { &["u1", "u9"] };
    let blank = Just(Value::Empty);
    match value_type {
        ValueType::Text => {
            let words = prop::collection::vec(one(&["stop", "the", "cabin", "at", "wind", "äöü"]), 1..7);
            prop_oneof![1 => blank, 6 => words.prop_map(|w| Value::Text(w.join(" ")))].boxed()
        }
        ValueType::Integer => prop_oneof![blank, (0..4i64).prop_map(Value::Integer)].boxed(),
        ValueType::Choice => prop_oneof![blank, one(grades).prop_map(Value::Choice)].boxed(),
        ValueType::ChoiceList => prop::collection::btree_set(one(grades), 0..3)
            .prop_map(|set| Value::ChoiceList(set.into_iter().collect()).settled())
            .boxed(),
        ValueType::User => prop_oneof![blank, one(ids).prop_map(Value::User)].boxed(),
        ValueType::UserList => prop::collection::btree_set(one(ids), 0..3)
            .prop_map(|set| Value::UserList(set.into_iter().collect()).settled())
            .boxed(),
        other => unreachable!("{other:?} has no way back"),
    }
}

/// Looks at both ways of a rule with a chain.
fn with_ways<T>(value_type: ValueType, conversions: &[Conversion], look: impl FnOnce(&BothWays<'_>) -> T) -> T {
    let source = Source::Field("before".into());
    let fill = Fill { target: "behind".into(), source, conversions: conversions.to_vec() };
    let rule = Rule { back: true, ..Rule::filling(End::Right, fill) };
    let lane = Lane { direction: Direction::Both, ..Lane::of_kind(Kind::TestCase, vec![rule]) }.with_ways_back();
    let user = |id: &str, name: &str| User { id: id.into(), login: None, email: None, name: name.into(), active: true };
    let end = |field: &str, users: Vec<User>| Catalogue {
        kinds: vec![KindSchema::new(Kind::TestCase, "Case", vec![FieldSchema::new(field, field, value_type)])],
        users,
        findings: vec![],
    };
    let ends = Ends {
        left: end("before", vec![user("ida", "Ida Brekke"), user("tor", "Tor Ruud")]),
        right: end("behind", vec![user("u1", "Ida Brekke"), user("u9", "T. R.")]),
    };
    let users = ends.as_ref().map(|end| UserMatcher::new(&end.users));
    let places: HashMap<(Kind, String), Place> = HashMap::new();
    let cx = Ends::of(|into: End| Context {
        system: "Old",
        from: &ends[into.other()],
        from_kind: &ends[into.other()].kinds[0],
        to_kind: &ends[into].kinds[0],
        to_users: &users[into],
        places: &places,
    });
    let rule = &lane.rules[0];
    let ready = Ends::of(|into| Ready::new(rule.fill(into).expect("both ways"), &cx[into]));
    let item = Artefact::bare(Kind::TestCase, "c1");
    look(&BothWays {
        ready: ready.as_ref(),
        cx: cx.as_ref(),
        items: Ends { left: &item, right: &item },
        taken_back: rule.taken_back(),
    })
}

/// What stands at both ends after something was carried over once, from either end.
fn in_step(ways: &BothWays<'_>, from: End, value: &Value) -> Option<Ends<Value>> {
    let made = ways.get(from.other(), value).ok()?;
    let mut at = Ends { left: value.clone(), right: value.clone() };
    at[from.other()] = made;
    Some(at)
}

fn a_case() -> impl Strategy<Value = (usize, End, Value, Value, Value, Value)> {
    let chain = (0..chains().len(), prop::sample::select(&End::BOTH[..]));
    chain.prop_flat_map(|(n, from)| {
        let value_type = chains()[n].0;
        let of = |end| held(end, value_type);
        (Just(n), Just(from), of(from), of(from), of(from.other()), of(End::Left))
    })
}

proptest! {
    /// *Null*: no edit, no change, whatever stands there.
    #[test]
    fn what_nobody_edited_stays_as_it_is((n, from, was, _, there, _) in a_case()) {
        let (value_type, chain) = &chains()[n];
        with_ways(*value_type, chain, |ways| {
            prop_assert_eq!(ways.put(from.other(), &there, &was, &was), Ok(there));
            Ok(())
        })?;
    }

    /// *Agreement*: an edit of what was in step is at both ends afterwards, or it is told why not. Of a text that was cut,
    /// the other end goes on behind what this one holds.
    #[test]
    fn an_edit_is_at_both_ends_afterwards((n, from, was, is, _, first) in a_case()) {
        let (value_type, chain) = &chains()[n];
        with_ways(*value_type, chain, |ways| {
            // In step by what the left held first, or by what the edited end did.
            for at in [in_step(ways, End::Left, &first), in_step(ways, from, &was)].into_iter().flatten() {
                let into = from.other();
                let carried = ways.carried(into, &at[into], &at[from], &is);
                let Some(value) = &carried.value else {
                    prop_assert!(carried.fault.is_some(), "it is told why not");
                    continue;
                };
                let mut now = Ends { left: is.clone(), right: is.clone() };
                now[into] = value.clone();
                let begins = value.display().starts_with(&is.display()) && chain.contains(&shorten());
                prop_assert!(ways.agree(now.as_ref()) || begins || !carried.losses.is_empty(), "{:?}", now);
                // *Stable*: what is there is carried on as it is.
                prop_assert_eq!(ways.put(into, value, &is, &is), Ok(value.clone()));
            }
            Ok(())
        })?;
    }

    /// *Local*: of a list, what both the old and the new one hold stays what it was at the other end.
    #[test]
    fn of_a_list_only_what_was_edited_changes((n, from, was, is, _, first) in a_case()) {
        let (value_type, chain) = &chains()[n];
        let list = |value: &Value| match value {
            Value::ChoiceList(list) | Value::UserList(list) => list.clone(),
            _ => Vec::new(),
        };
        with_ways(*value_type, chain, |ways| {
            let Some(at) = in_step(ways, End::Left, &first) else { return Ok(()) };
            // At the right both ends of a map stand for several values of the left.
            let Ok(made) = ways.put(from.other(), &at[from.other()], &at[from], &is) else { return Ok(()) };
            for there in list(&at[from.other()]) {
                let Ok(here) = ways.get(from, &Value::ChoiceList(vec![there.clone()])) else { continue };
                let kept = list(&here).iter().all(|value| list(&at[from]).contains(value) && list(&is).contains(value));
                if *value_type == ValueType::ChoiceList && from == End::Right && kept {
                    prop_assert!(list(&made).contains(&there), "{} is gone from {:?}", there, made);
                }
            }
            let _ = &was;
            Ok(())
        })?;
    }
}

proptest! {
    /// Two edits that are merged through a rule's conversions: both ends say the same afterwards, nothing is to be done again,
    /// and what either side put into a list or took out of it is done at its own end.
    #[test]
    fn what_is_merged_says_the_same_at_both_ends(
        (n, at_left, left, right) in (0..chains().len()).prop_flat_map(|n| {
            let of = |end| held(end, chains()[n].0);
            (Just(n), of(End::Left), of(End::Left), of(End::Right))
        })
    ) {
        let (value_type, chain) = &chains()[n];
        with_ways(*value_type, chain, |ways| {
            let Some(at) = in_step(ways, End::Left, &at_left) else { return Ok(()) };
            let base = Remembered::of(ways, at.clone());
            let now = Ends { left: left.clone(), right: right.clone() };
            let told = now.as_ref().map(Some);
            let Verdict::Merged(both) = verdict(ways, told, Some(&base), true, 0) else { return Ok(()) };
            prop_assert!(ways.agree(both.as_ref()), "{:?}", both);
            let again = Remembered::of(ways, both.clone());
            prop_assert_eq!(verdict(ways, both.as_ref().map(Some), Some(&again), true, 0), Verdict::InStep);
            let list = |value: &Value| match value {
                Value::ChoiceList(list) | Value::UserList(list) => list.clone(),
                _ => Vec::new(),
            };
            for end in End::BOTH {
                let (was, is, merged) = (list(&at[end]), list(&now[end]), list(&both[end]));
                prop_assert!(is.iter().all(|m| was.contains(m) || merged.contains(m)), "{:?} of {:?}", merged, is);
                let taken = |m: &&String| !is.contains(m) && !list(&both[end]).is_empty();
                // Another value of the left may stand for the same at the right.
                let by_itself = was.iter().filter(taken).all(|m| !merged.contains(m));
                prop_assert!(by_itself || !chain.is_empty(), "{:?} of {:?}", merged, is);
            }
            Ok(())
        })?;
    }
}

fn text(value: &str) -> Value {
    Value::text(value)
}

/// The worked example of the design: undoing by a second edit is not promised.
#[test]
fn a_value_map_goes_back_to_what_stood_there_while_that_leads_to_the_edit() {
    let choice = |word: &str| Value::choice(word);
    with_ways(ValueType::Choice, &[grades()], |ways| {
        let back = |there: &str, was: &str, is: &str| ways.put(End::Left, &choice(there), &choice(was), &choice(is));
        assert_eq!(back("Blocker", "Critical", "Minor"), Ok(choice("Low")));
        assert_eq!(back("Low", "Minor", "Critical"), Ok(choice("High")), "the row that is marked, not the first");
        assert_eq!(back("Blocker", "Minor", "Critical"), Ok(choice("Blocker")), "what leads there already stays");
        assert_eq!(
            back("Low", "Minor", "Odd"),
            Err(FaultReason::NoWayBack { value: "Odd".into() }),
            "no row leads back"
        );
    });
}

#[test]
fn an_edit_of_a_text_that_was_cut_goes_to_the_whole_text() {
    with_ways(ValueType::Text, &[shorten()], |ways| {
        let whole = text("stop the cabin at wind");
        let cut = ways.get(End::Right, &whole).expect("it is cut");
        assert_eq!(cut, text("stop the cabin"));
        let back = |is: &str| ways.put(End::Left, &whole, &cut, &text(is));
        assert_eq!(back("halt the cabin"), Ok(text("halt the cabin at wind")));
        assert_eq!(back("halt every cabin"), Ok(text("halt every cabin at wind")));
        assert_eq!(back("stop the lift"), Err(FaultReason::CutThere), "the last word before the cut");
        assert_eq!(back(""), Err(FaultReason::CutThere));
        // A text that was not cut is written as it is.
        assert_eq!(ways.put(End::Left, &text("stop"), &text("stop"), &text("go")), Ok(text("go")));
    });
}

#[test]
fn a_text_for_nothing_is_nothing_again() {
    with_ways(ValueType::Text, &[if_empty()], |ways| {
        let filled = ways.get(End::Right, &Value::Empty).expect("it is filled in");
        assert_eq!(filled, text("not stated"));
        assert!(same(&ways.put(End::Left, &Value::Empty, &text("x"), &filled).expect("a value"), &Value::Empty));
        assert_eq!(ways.put(End::Left, &Value::Empty, &filled, &text("stated")), Ok(text("stated")));
    });
}

#[test]
fn people_go_back_by_their_row_or_as_they_are_recognised() {
    with_ways(ValueType::User, &[people()], |ways| {
        let person = |id: &str| Value::User(id.into());
        let back = |is: &str| ways.put(End::Left, &Value::Empty, &Value::Empty, &person(is));
        assert_eq!((back("u9"), back("u1")), (Ok(person("tor")), Ok(person("ida"))));
        assert!(matches!(back("u7"), Err(FaultReason::UnknownUser { .. })), "nobody is made up");
    });
}
