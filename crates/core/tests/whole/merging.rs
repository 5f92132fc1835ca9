//! Two edits of one value put together: the laws of merging, and the three-way difference beside that of GNU diff3.

use std::io::Write as _;
use std::process::Command;

use hovrel_core::agree::same;
use hovrel_core::merge::{Part, hunks, merge};
use hovrel_core::model::Value;
use proptest::prelude::*;

const WORDS: &[&str] = &["stop", "the", "cabin", "at", "wind", "above", "äöü", "30", "m/s"];

fn text() -> impl Strategy<Value = Value> {
    let line = prop::collection::vec(prop::sample::select(WORDS), 0..6).prop_map(|words| words.join(" "));
    prop::collection::vec(line, 0..4).prop_map(|lines| Value::Text(lines.join("\n")).settled())
}

fn list(of: fn(Vec<String>) -> Value) -> impl Strategy<Value = Value> {
    let members = prop::collection::btree_set(prop::sample::select(WORDS), 0..6).prop_shuffle_of();
    members.prop_map(move |list| of(list).settled())
}

trait Shuffled: Strategy<Value = std::collections::BTreeSet<&'static str>> + Sized {
    /// In any order.
    fn prop_shuffle_of(self) -> impl Strategy<Value = Vec<String>> {
        self.prop_map(|set| set.into_iter().map(str::to_owned).collect::<Vec<_>>()).prop_shuffle()
    }
}

impl<S: Strategy<Value = std::collections::BTreeSet<&'static str>>> Shuffled for S {}

/// Three values of one type.
fn three() -> impl Strategy<Value = (Value, Value, Value)> {
    let choices = || list(Value::ChoiceList);
    let people = || list(Value::UserList);
    let choice = || prop::sample::select(WORDS).prop_map(Value::choice);
    prop_oneof![
        6 => (text(), text(), text()),
        2 => (choices(), choices(), choices()),
        1 => (people(), people(), people()),
        1 => (choice(), choice(), choice()),
    ]
}

/// What a value is made of.
fn parts(value: &Value) -> Vec<String> {
    match value {
        Value::ChoiceList(list) | Value::UserList(list) => list.clone(),
        other => other.display().split_whitespace().map(str::to_owned).collect(),
    }
}

proptest! {
    /// An edit of one side alone is what that side made, and what both made alike is there once.
    #[test]
    fn what_one_side_did_alone_is_as_it_did_it((was, is, _) in three()) {
        let told = |value: Option<Value>| value.filter(|value| same(value, &is));
        if !matches!(was, Value::Choice(_)) {
            prop_assert!(told(merge(&was, &is, &was)).is_some());
            prop_assert!(told(merge(&was, &was, &is)).is_some());
            prop_assert!(told(merge(&was, &is, &is)).is_some());
        }
    }

    /// Which edit comes first makes no difference.
    #[test]
    fn both_edits_count_alike((was, one, other) in three()) {
        match (merge(&was, &one, &other), merge(&was, &other, &one)) {
            (Some(a), Some(b)) => prop_assert!(same(&a, &b), "{a:?} {b:?}"),
            (a, b) => prop_assert_eq!(a, b),
        }
    }

    /// Nothing is made up, what one edit added is there, and what one took away is gone unless the other side added it.
    #[test]
    fn everything_is_from_one_of_them((was, one, other) in three()) {
        let Some(both) = merge(&was, &one, &other) else { return Ok(()) };
        let count = |value: &Value, part: &String| parts(value).iter().filter(|p| *p == part).count() as i64;
        for part in parts(&both).into_iter().chain(parts(&was)).chain(parts(&one)).chain(parts(&other)) {
            let [was, one, other, both] = [&was, &one, &other, &both].map(|value| count(value, &part));
            let (by_one, by_other) = (one - was, other - was);
            // Of what each edit added or took, all is there, but for what both did alike.
            prop_assert!(both - was <= by_one.max(0) + by_other.max(0), "{}: {} of {} {} {}", part, both, was, one, other);
            prop_assert!(both - was >= by_one.min(0) + by_other.min(0), "{}: {} of {} {} {}", part, both, was, one, other);
        }
    }

    /// Every place of each list stands in one hunk, in order, and hunks say what is so.
    #[test]
    fn hunks_cover_all_three_lists(lists in prop::collection::vec(prop::collection::vec(0..4u8, 0..9), 3..=3)) {
        let [base, one, other] = [0, 1, 2].map(|n| &lists[n][..]);
        let mut at = [0, 0, 0];
        for h in hunks(base, one, other) {
            prop_assert_eq!(at, [h.base.start, h.one.start, h.other.start]);
            at = [h.base.end, h.one.end, h.other.end];
            let (b, o, t) = (&base[h.base.clone()], &one[h.one.clone()], &other[h.other.clone()]);
            let wanted = match h.part {
                Part::Same => b == o && b == t,
                Part::One => b == t && b != o,
                Part::Other => b == o && b != t,
                Part::Alike => o == t && b != o,
                Part::Clash => b != o && b != t && o != t,
            };
            prop_assert!(wanted && !(b.is_empty() && o.is_empty() && t.is_empty()), "{:?}", h);
        }
        prop_assert_eq!(at, [base.len(), one.len(), other.len()]);
    }
}

/// The example of Khanna, Kunal and Pierce 2007, “A Formal Investigation of Diff3”, figure 1 (from memory; the output of
/// GNU diff3 for it is the same).
#[test]
fn the_example_of_the_paper() {
    let told: Vec<_> = hunks(&[1, 2, 3, 4, 5, 6], &[1, 4, 5, 2, 3, 6], &[1, 2, 4, 5, 3, 6])
        .into_iter()
        .map(|h| (h.part, h.base, h.one, h.other))
        .collect();
    let wanted = [
        (Part::Same, 0..1, 0..1, 0..1),
        (Part::One, 1..1, 1..3, 1..1),
        (Part::Same, 1..2, 3..4, 1..2),
        (Part::Clash, 2..5, 4..5, 2..5),
        (Part::Same, 5..6, 5..6, 5..6),
    ];
    assert_eq!(told, wanted);
}

/// What GNU diff3 (diffutils, which every Debian has) makes of three files of lines: merged, or where it saw a clash none.
fn by_gnu_diff3(base: &[String], one: &[String], other: &[String]) -> (bool, String) {
    let folder = tempfile::tempdir().expect("a folder");
    let file = |name: &str, lines: &[String]| {
        let path = folder.path().join(name);
        let mut file = std::fs::File::create(&path).expect("a file");
        lines.iter().for_each(|line| writeln!(file, "{line}").expect("it is written"));
        path
    };
    let files = [file("one", one), file("base", base), file("other", other)];
    let ran = Command::new("diff3").args(["-m", "-E"]).args(files).output().expect("diff3 is there");
    assert!(ran.status.code().is_some_and(|code| code < 2), "{}", String::from_utf8_lossy(&ran.stderr));
    (ran.status.success(), String::from_utf8(ran.stdout).expect("text"))
}

/// An edit of a list of lines of which no two are alike: lines taken out, put in and rewritten, each new one of its own.
fn edited(base: &[String], by: &str, deeds: &[(usize, u8)]) -> Vec<String> {
    let mut out = base.to_vec();
    for (n, (at, deed)) in deeds.iter().enumerate() {
        let at = at % (out.len() + 1);
        match deed {
            0 if at < out.len() => drop(out.remove(at)),
            1 if at < out.len() => out[at] = format!("{by} {n}"),
            _ => out.insert(at, format!("{by} {n}")),
        }
    }
    out
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Where no two lines are alike, the matches are the same by every shortest edit script, and so is what comes of them.
    #[test]
    fn a_merge_by_lines_is_that_of_gnu_diff3(
        lines in 0..12usize,
        one in prop::collection::vec((0..20usize, 0..3u8), 0..5),
        other in prop::collection::vec((0..20usize, 0..3u8), 0..5),
    ) {
        let base: Vec<String> = (0..lines).map(|n| format!("line {n}")).collect();
        let (one, other) = (edited(&base, "one", &one), edited(&base, "other", &other));
        let mut clash = false;
        let mut merged = String::new();
        for h in hunks(&base, &one, &other) {
            clash |= h.part == Part::Clash;
            let from = if h.part == Part::Other { &other[h.other] } else { &one[h.one] };
            from.iter().for_each(|line| merged += &format!("{line}\n"));
        }
        let (whole, told) = by_gnu_diff3(&base, &one, &other);
        prop_assert_eq!(whole, !clash);
        if whole {
            prop_assert_eq!(told, merged);
        }
    }
}

fn merged(base: &str, one: &str, other: &str) -> Option<String> {
    merge(&Value::text(base), &Value::text(one), &Value::text(other)).map(|value| value.display())
}

#[test]
fn words_of_a_line_are_merged_where_a_word_stands_between_them() {
    let base = "Line stops in time at Midway, half load";
    let one = "Line halts in time at Midway, half load";
    assert_eq!(
        merged(base, one, "Line stops in time at Midway, full load").as_deref(),
        Some("Line halts in time at Midway, full load")
    );
    assert_eq!(merged(base, one, "Line waits in time at Midway, half load"), None, "the same word");
    assert_eq!(merged(base, one, "Line stops on time at Midway, half load"), None, "its neighbour");
    assert_eq!(merged(base, one, ""), None, "one took all of it away");
    assert_eq!(merged("Stop", "Stop now", "Stop later"), None, "two endings of one text");
    assert_eq!(merged("", "one", "other"), None);
}

#[test]
fn lines_are_merged_whatever_stands_beside_them() {
    let base = "First the brake.\nThen the rope.\nLast the cabin.\n";
    let one = "First the brake and its pads.\nThen the rope.\nLast the cabin.\n";
    let other = "First the brake.\nThen the hauling rope.\nLast the cabin.\nDone.\n";
    let both = "First the brake and its pads.\nThen the hauling rope.\nLast the cabin.\nDone.\n";
    assert_eq!(merged(base, one, other).as_deref(), Some(both));
}
