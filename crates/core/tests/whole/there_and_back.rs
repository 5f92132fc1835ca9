//! Carrying an edit to the other end and back: the laws of Hofmann, Pierce and Wagner 2011 (“Symmetric lenses”), for every
//! conversion that has a way back, and for chains of them.

use std::collections::HashMap;

use hovrel_core::agree::same;
use hovrel_core::carry::{BothWays, Context, FaultReason, Place, Ready, UserMatcher};
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema, User};
use hovrel_core::law::{Remembered, Verdict, Ways, verdict};
use hovrel_core::model::{
    Artefact, Block, Call, Document, End, Ends, Expanded, Inline, Kind, Reference, Step, Value, ValueType,
};
use hovrel_core::rules::{Conversion, Direction, Fallback, Fill, Lane, Rule, Source, UserTable, ValueMap, ValueRow};
use hovrel_core::text::{TextFormat, carry, read};
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

/// What a rule does between two fields of one type.
#[derive(Clone)]
struct Chain {
    value_type: ValueType,
    conversions: Vec<Conversion>,
    /// How formatted texts are written at either end.
    formats: Ends<TextFormat>,
}

fn chain(value_type: ValueType, conversions: Vec<Conversion>) -> Chain {
    Chain { value_type, conversions, formats: Ends { left: TextFormat::Html, right: TextFormat::Markdown } }
}

/// Every chain.
fn chains() -> Vec<Chain> {
    use ValueType::*;
    let to_plain = Ends { left: TextFormat::Html, right: TextFormat::PlainLinks };
    vec![
        chain(Text, vec![]),
        chain(Integer, vec![]),
        chain(ChoiceList, vec![]),
        chain(Choice, vec![grades()]),
        chain(ChoiceList, vec![grades()]),
        chain(Choice, vec![with_blank()]),
        chain(User, vec![people()]),
        chain(UserList, vec![people()]),
        chain(Text, vec![shorten()]),
        chain(Text, vec![if_empty()]),
        chain(Text, vec![if_empty(), shorten()]),
        chain(RichText, vec![Conversion::RichText]),
        Chain { formats: to_plain, ..chain(RichText, vec![]) },
        chain(Steps, vec![Conversion::RichText]),
        chain(Table, vec![]),
    ]
}

/// What an end can hold in a field of a type.
fn held(end: End, chain: &Chain) -> BoxedStrategy<Value> {
    let one = |words: &'static [&'static str]| prop::sample::select(words).prop_map(str::to_owned);
    let grades: &[&str] = if end == End::Left { &["Blocker", "High", "Low"] } else { &["Critical", "Minor"] };
    let ids: &[&str] = if end == End::Left { &["ida", "tor"] } else { &["u1", "u9"] };
    let blank = Just(Value::Empty);
    let format = chain.formats[end];
    match chain.value_type {
        ValueType::RichText => document(format).prop_map(|d| Value::RichText(d).settled()).boxed(),
        ValueType::Steps => prop::collection::vec((document(format), document(format)), 0..4)
            .prop_map(|steps| {
                let step = |(action, expected)| Step { action, expected, ..Step::default() };
                Value::Steps(steps.into_iter().map(step).collect()).settled()
            })
            .boxed(),
        ValueType::Table => prop::collection::vec((one(&["day", "night"]), one(&["3", "5", "30"])), 0..4)
            .prop_map(|rows| {
                let columns = vec!["Shift".to_owned(), "Wind".to_owned()];
                let rows = rows.into_iter().map(|(a, b)| vec![a, b]);
                Value::Table(std::iter::once(columns).chain(rows).collect()).settled()
            })
            .boxed(),
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

/// A text as an end keeps it that writes it in a format.
fn document(format: TextFormat) -> impl Strategy<Value = Document> {
    let word = prop::sample::select(&["stop ", "the ", "cabin ", "at ", "H", "2", "O ", "wind, "][..]);
    let mark = |text: &'static str, mark: u8| match mark {
        0 => Inline::Strong { content: vec![Inline::text(text)] },
        1 => Inline::Subscript { content: vec![Inline::text(text)] },
        2 => Inline::Link { url: "https://skarnvik.example/".into(), content: vec![Inline::text(text)] },
        _ => Inline::text(text),
    };
    let line = prop::collection::vec((word, 0..9u8), 1..6);
    let line = line.prop_map(move |words| words.into_iter().map(|(text, m)| mark(text, m)).collect::<Vec<Inline>>());
    let block = (line, 0..6u8).prop_map(|(content, sort)| match sort {
        0 => Block::Heading { level: 2, content },
        1 => Block::List { start: None, items: vec![vec![Block::Paragraph { content }]] },
        _ => Block::Paragraph { content },
    });
    prop::collection::vec(block, 0..4).prop_map(move |blocks| carry(&Document { blocks }.normal(), format).held)
}

/// Looks at both ways of a rule with a chain.
fn with_ways<T>(value_type: ValueType, conversions: &[Conversion], look: impl FnOnce(&BothWays<'_>) -> T) -> T {
    with_chain(&chain(value_type, conversions.to_vec()), look)
}

fn with_chain<T>(chain: &Chain, look: impl FnOnce(&BothWays<'_>) -> T) -> T {
    let Chain { value_type, conversions, formats } = chain;
    let source = Source::Field("before".into());
    let fill = Fill { target: "behind".into(), source, conversions: conversions.to_vec() };
    let rule = Rule { back: true, ..Rule::filling(End::Right, fill) };
    let lane = Lane { direction: Direction::Both, ..Lane::of_kind(Kind::TestCase, vec![rule]) }.with_ways_back();
    let user = |id: &str, name: &str| User { id: id.into(), login: None, email: None, name: name.into(), active: true };
    let end = |field: &str, format: TextFormat, users: Vec<User>| {
        let field = FieldSchema { format: Some(format), ..FieldSchema::new(field, field, *value_type) };
        Catalogue { kinds: vec![KindSchema::new(Kind::TestCase, "Case", vec![field])], users, findings: vec![] }
    };
    let ends = Ends {
        left: end("before", formats.left, vec![user("ida", "Ida Brekke"), user("tor", "Tor Ruud")]),
        right: end("behind", formats.right, vec![user("u1", "Ida Brekke"), user("u9", "T. R.")]),
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
        let of = |end| held(end, &chains()[n]);
        (Just(n), Just(from), of(from), of(from), of(from.other()), of(End::Left))
    })
}

proptest! {
    /// *Null*: no edit, no change, whatever stands there.
    #[test]
    fn what_nobody_edited_stays_as_it_is((n, from, was, _, there, _) in a_case()) {
        let chain = &chains()[n];
        with_chain(chain, |ways| {
            prop_assert_eq!(ways.put(from.other(), &there, &was, &was), Ok(there));
            Ok(())
        })?;
    }

    /// *Agreement*: an edit of what was in step is at both ends afterwards, or it is told why not. Of a text that was cut,
    /// the other end goes on behind what this one holds.
    #[test]
    fn an_edit_is_at_both_ends_afterwards((n, from, was, is, _, first) in a_case()) {
        let chain = &chains()[n];
        with_chain(chain, |ways| {
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
                let begins = value.display().starts_with(&is.display()) && chain.conversions.contains(&shorten());
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
        let chain = &chains()[n];
        let list = |value: &Value| match value {
            Value::ChoiceList(list) | Value::UserList(list) => list.clone(),
            _ => Vec::new(),
        };
        with_chain(chain, |ways| {
            let Some(at) = in_step(ways, End::Left, &first) else { return Ok(()) };
            // At the right both ends of a map stand for several values of the left.
            let Ok(made) = ways.put(from.other(), &at[from.other()], &at[from], &is) else { return Ok(()) };
            for there in list(&at[from.other()]) {
                let Ok(here) = ways.get(from, &Value::ChoiceList(vec![there.clone()])) else { continue };
                let kept = list(&here).iter().all(|value| list(&at[from]).contains(value) && list(&is).contains(value));
                if chain.value_type == ValueType::ChoiceList && from == End::Right && kept {
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
            let of = |end| held(end, &chains()[n]);
            (Just(n), of(End::Left), of(End::Left), of(End::Right))
        })
    ) {
        let chain = &chains()[n];
        with_chain(chain, |ways| {
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
                prop_assert!(by_itself || !chain.conversions.is_empty(), "{:?} of {:?}", merged, is);
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

/// A text in HTML.
fn html(text: &str) -> Value {
    Value::RichText(read(text, TextFormat::Html).0).settled()
}

fn markdown(text: &str) -> Value {
    Value::RichText(read(text, TextFormat::Markdown).0).settled()
}

proptest! {
    /// *Local*, of formatted texts: a block that is inserted, rewritten or taken away where there is less format leaves the
    /// others as they are where there is more.
    #[test]
    fn blocks_that_nobody_touched_keep_their_format(whole in document(TextFormat::Html), at in 0..4usize, deed in 0..3u8) {
        let chain = chain(ValueType::RichText, vec![]);
        // A block that is there twice may be either of the two.
        let alone = |b: &Block| whole.blocks.iter().filter(|other| plain(other) == plain(b)).count() == 1;
        prop_assume!(whole.blocks.iter().all(alone) && !whole.blocks.is_empty());
        let at_left = Value::RichText(whole.clone());
        with_chain(&chain, |ways| {
            let at_right = ways.get(End::Right, &at_left).expect("it goes over");
            let Value::RichText(mut edited) = at_right.clone() else { return Ok(()) };
            prop_assume!(edited.blocks.len() == whole.blocks.len());
            let at = at % edited.blocks.len();
            let new = Block::Paragraph { content: vec![Inline::text("Ask the machine room first")] };
            match deed {
                0 => drop(edited.blocks.remove(at)),
                1 => edited.blocks[at] = new.clone(),
                _ => edited.blocks.insert(at, new.clone()),
            }
            // Lists that come to stand next to each other are one.
            prop_assume!(read_again(&edited, TextFormat::Markdown) == edited);
            let put = ways.put(End::Left, &at_left, &at_right, &Value::RichText(edited).settled());
            let mut wanted = whole.clone();
            match deed {
                0 => drop(wanted.blocks.remove(at)),
                1 => wanted.blocks[at] = new,
                _ => wanted.blocks.insert(at, new),
            }
            prop_assume!(read_again(&wanted, TextFormat::Html) == wanted);
            prop_assert_eq!(put, Ok(Value::RichText(wanted).settled()));
            Ok(())
        })?;
    }
}

fn plain(block: &Block) -> String {
    Document { blocks: vec![block.clone()] }.plain()
}

fn read_again(document: &Document, format: TextFormat) -> Document {
    carry(document, format).held
}

#[test]
fn an_edit_of_a_word_keeps_the_formats_that_the_other_end_can_not_hold() {
    with_ways(ValueType::RichText, &[], |ways| {
        let there = html("<p>Fill CO<sub>2</sub> up to the red line, then wait 5 min</p><p>Close the valve</p>");
        let was = ways.get(End::Right, &there).expect("it goes over");
        let put = |is: &str| ways.put(End::Left, &there, &was, &markdown(is));
        assert_eq!(
            put("Fill CO2 up to the red line, then wait 15 min\n\nClose the valve\n\nSign"),
            Ok(html(
                "<p>Fill CO<sub>2</sub> up to the red line, then wait 15 min</p><p>Close the valve</p><p>Sign</p>"
            ))
        );
        assert_eq!(
            put("Fill N2 up to the red line, then wait 5 min\n\nClose the valve"),
            Err(FaultReason::OnlyHeldHere),
            "the words that have a format there"
        );
    });
}

fn says(action: &str, expected: &str) -> Step {
    let html = |text: &str| read(text, TextFormat::Html).0;
    Step { action: html(action), expected: html(expected), ..Step::default() }
}

fn steps_of(value: Result<Value, FaultReason>) -> Vec<String> {
    match value {
        Ok(Value::Steps(steps)) => steps.iter().map(Step::plain).collect(),
        other => vec![format!("{other:?}")],
    }
}

#[test]
fn steps_are_put_there_one_by_one() {
    with_ways(ValueType::Steps, &[], |ways| {
        let there = Value::Steps(vec![
            says("<p>Open valve V<sub>1</sub> by hand</p>", "It opens"),
            says("Wait for the pump", "It runs"),
            says("Close the valve", "It closes"),
        ]);
        let was = ways.get(End::Right, &there).expect("it goes over");
        let Value::Steps(mut is) = was.clone() else { panic!("steps") };
        is[1].expected = Document::from_text("It runs smoothly");
        is.swap(1, 2);
        is.push(says("Sign", ""));
        let put = ways.put(End::Left, &there, &was, &Value::Steps(is));
        let Ok(Value::Steps(steps)) = &put else { panic!("{put:?}") };
        assert_eq!(steps[0], says("<p>Open valve V<sub>1</sub> by hand</p>", "It opens"), "its format is there");
        let told = steps_of(put);
        assert_eq!(told[1..], ["Close the valve → It closes", "Wait for the pump → It runs smoothly", "Sign"]);
    });
}

/// Another part of one step at each end, and another step at one of them.
#[test]
fn edits_of_different_parts_of_steps_are_merged() {
    with_ways(ValueType::Steps, &[], |ways| {
        let run = "Start the line at <b>service speed</b> and wait until it is steady";
        let at_left = |expected: &str| {
            let steps =
                [says(run, expected), says("Let the cabin enter", "It does"), says("Hold the door", "It opens")];
            Value::Steps(steps.to_vec())
        };
        let was = at_left("The desk shows <em>Running</em> and no alarm.");
        let Ok(Value::Steps(mut right)) = ways.get(End::Right, &was) else { panic!("steps") };
        let base = Remembered::of(ways, Ends { left: was, right: Value::Steps(right.clone()) });
        right[0].action = says(&format!("{run}. Mind the gate."), "").action;
        right[2].expected = Document::from_text("All is still");
        let now = Ends { left: at_left("It holds at once"), right: Value::Steps(right) };
        let told = verdict(ways, now.as_ref().map(Some), Some(&base), true, 0);
        let Verdict::Merged(both) = told else { panic!("{told:?}") };
        let wanted = "Start the line at service speed and wait until it is steady. Mind the gate. → It holds at once";
        assert_eq!(steps_of(Ok(both.left.clone()))[0], wanted);
        assert_eq!(steps_of(Ok(both.left))[2], "Hold the door → All is still");
        assert_eq!(steps_of(Ok(both.right))[0], wanted);
    });
}

#[test]
fn an_edit_beside_a_call_that_shared_steps_stand_in_for_goes_back() {
    with_ways(ValueType::Steps, &[], |ways| {
        let there = Value::Steps(vec![says("Unlock", ""), says("Run", "")]);
        let edited = Value::Steps(vec![says("Unlock", ""), says("Run fast", "")]);
        let beside = Value::Steps(vec![says("Unlock twice", ""), says("Run", "")]);
        let mut item = Artefact::bare(Kind::TestCase, "c1");
        let call = Step { call: Some(Call { target: Reference::known("7"), arguments: vec![] }), ..Step::default() };
        item.fields.set("before", there.clone());
        item.expanded.insert("before".into(), vec![Expanded { at: 1, call, steps: vec![says("Run", "")] }]);
        let ways = BothWays { items: Ends { left: &item, right: ways.items.right }, ..*ways };
        assert_eq!(ways.put(End::Left, &there, &there, &edited), Err(FaultReason::StepsInPlaceOfCalls));
        assert_eq!(ways.put(End::Left, &there, &there, &beside), Ok(beside.clone()));
        assert_eq!(ways.put(End::Right, &there, &there, &edited), Ok(edited.clone()), "into the other end all goes");
        assert!(ways.agree(Ends { left: &there, right: &there }));
    });
}
