//! Two edits of one value put together: the laws of merging, and the three-way difference beside that of GNU diff3.

use std::io::Write as _;
use std::process::Command;

use hovrel_core::agree::same;
use hovrel_core::merge::{Part, hunks, merge};
use hovrel_core::model::{Block, Document, Inline, Step, Value};
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
pub fn three() -> impl Strategy<Value = (Value, Value, Value)> {
    let choices = || list(Value::ChoiceList);
    let people = || list(Value::UserList);
    let choice = || prop::sample::select(WORDS).prop_map(Value::choice);
    prop_oneof![
        6 => (text(), text(), text()),
        2 => (choices(), choices(), choices()),
        1 => (people(), people(), people()),
        1 => (choice(), choice(), choice()),
        3 => edited(document(), |d| Value::RichText(d).settled()),
        3 => edited(steps(), |s| Value::Steps(s).settled()),
        2 => edited(rows(), |r| Value::Table(r).settled()),
    ]
}

/// A value of many parts, with two edits of it: few words, so that parts are often alike.
fn edited<T: Parts + 'static>(
    of: impl Strategy<Value = T> + 'static,
    whole: fn(T) -> Value,
) -> impl Strategy<Value = (Value, Value, Value)> {
    let deeds = || prop::collection::vec((0..6usize, 0..4u8, prop::sample::select(WORDS)), 0..3);
    (of, deeds(), deeds()).prop_map(move |(base, one, other)| {
        let edit = |deeds: &[(usize, u8, &str)]| {
            let mut out = base.clone();
            deeds.iter().for_each(|(at, deed, word)| out.edit(*at, *deed, word));
            whole(out)
        };
        (whole(base.clone()), edit(&one), edit(&other))
    })
}

/// What has parts that can be taken out, put in, moved and rewritten.
trait Parts: Clone + std::fmt::Debug {
    fn edit(&mut self, at: usize, deed: u8, word: &str);
}

fn edit_list<P: Clone>(list: &mut Vec<P>, at: usize, deed: u8, new: P, rewrite: impl Fn(&mut P)) {
    let len = list.len();
    match deed {
        0 if len > 0 => drop(list.remove(at % len)),
        1 if len > 1 => {
            let part = list.remove(at % len);
            list.insert((at + 2) % len, part);
        }
        2 if len > 0 => rewrite(&mut list[at % len]),
        _ => list.insert(at % (len + 1), new),
    }
}

impl Parts for Document {
    fn edit(&mut self, at: usize, deed: u8, word: &str) {
        let new = Block::Paragraph { content: vec![Inline::text(word)] };
        edit_list(&mut self.blocks, at, deed, new, |block| {
            if let Block::Paragraph { content } = block {
                content.push(Inline::Strong { content: vec![Inline::text(format!(" {word}"))] });
            }
        });
        *self = self.normal();
    }
}

impl Parts for Vec<Step> {
    fn edit(&mut self, at: usize, deed: u8, word: &str) {
        let new = Step { action: Document::from_text(word), ..Step::default() };
        edit_list(self, at, deed, new, |step| step.expected.edit(at, 2 + at as u8 % 2, word));
    }
}

impl Parts for Vec<Vec<String>> {
    fn edit(&mut self, at: usize, deed: u8, word: &str) {
        let columns = self.remove(0);
        edit_list(self, at, deed, vec![word.to_owned(), String::new()], |row| row[1] = word.to_owned());
        self.insert(0, columns);
    }
}

fn document() -> impl Strategy<Value = Document> {
    let line = prop::collection::vec(prop::sample::select(WORDS), 1..5).prop_map(|words| words.join(" "));
    let paragraph = line.prop_map(|line| Block::Paragraph { content: vec![Inline::text(line)] });
    prop::collection::vec(paragraph, 0..4).prop_map(|blocks| Document { blocks }.normal())
}

fn steps() -> impl Strategy<Value = Vec<Step>> {
    let step = (document(), document());
    let step = step.prop_map(|(action, expected)| Step { action, expected, ..Step::default() });
    prop::collection::vec(step, 0..5)
}

fn rows() -> impl Strategy<Value = Vec<Vec<String>>> {
    let cell = || prop::sample::select(WORDS).prop_map(str::to_owned);
    let rows = prop::collection::vec((cell(), cell()), 0..5);
    rows.prop_map(|rows| {
        let columns = vec!["Where".to_owned(), "What".to_owned()];
        std::iter::once(columns).chain(rows.into_iter().map(|(a, b)| vec![a, b])).collect()
    })
}

/// What a value is made of.
fn parts(value: &Value) -> Vec<String> {
    match value {
        Value::ChoiceList(list) | Value::UserList(list) => list.clone(),
        other => {
            let shown = other.display();
            // Cells and steps are shown with signs between them.
            let words = shown.split(|c: char| c.is_whitespace() || ",;|→·".contains(c));
            words.filter(|word| !word.is_empty()).map(str::to_owned).collect()
        }
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
        // How often each edit took a part out of its place, and put it in at another.
        let lists = [&was, &one, &other].map(parts);
        let touched = [1, 2].map(|edit| {
            let found = hunks(&lists[0], &lists[edit], &lists[edit]).into_iter().filter(|h| h.part != Part::Same);
            let (out, put): (Vec<_>, Vec<_>) = found.map(|h| (&lists[0][h.base], &lists[edit][h.one])).unzip();
            [out.concat(), put.concat()]
        });
        for part in parts(&both).into_iter().chain(parts(&was)).chain(parts(&one)).chain(parts(&other)) {
            let [was, one, other, both] = [&was, &one, &other, &both].map(|value| count(value, &part));
            let (by_one, by_other) = (one - was, other - was);
            // Of what each edit added or took, all is there, but for what both did alike: once taken out by both, a part may
            // be where either of them put it; once put in by both, it may be gone from where either of them took it.
            let alike = |n: usize| touched.iter().map(|of| of[n].iter().filter(|p| **p == part).count()).min().unwrap_or(0);
            let (out, put) = (alike(0) as i64, alike(1) as i64);
            let most = by_one.max(0) + by_other.max(0) + out;
            let least = by_one.min(0) + by_other.min(0) - put;
            prop_assert!((least..=most).contains(&(both - was)), "{}: {} of {} {} {}", part, both, was, one, other);
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
fn with_lines(base: &[String], by: &str, deeds: &[(usize, u8)]) -> Vec<String> {
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
        let (one, other) = (with_lines(&base, "one", &one), with_lines(&base, "other", &other));
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

fn step(action: &str, expected: &str) -> Step {
    Step { action: Document::from_text(action), expected: Document::from_text(expected), ..Step::default() }
}

/// Three lists of steps, each given by what is done and what is expected; what comes of them, a line each.
fn merged_steps(base: &[(&str, &str)], one: &[(&str, &str)], other: &[(&str, &str)]) -> Option<Vec<String>> {
    let [base, one, other] =
        [base, one, other].map(|list| Value::Steps(list.iter().map(|(a, e)| step(a, e)).collect()));
    match merge(&base, &one, &other)? {
        Value::Steps(steps) => Some(steps.iter().map(Step::plain).collect()),
        other => panic!("{other:?}"),
    }
}

const LOCK: (&str, &str) = ("Lock the cabin door", "It is locked");
const RUN: (&str, &str) = ("Run the line at five metres per second", "It runs");
const STOP: (&str, &str) = ("Press the red button", "The line stops");

#[test]
fn steps_are_merged_by_what_they_are_made_of() {
    let base = [LOCK, RUN, STOP];
    let one = [LOCK, ("Run the line at six metres per second", "It runs"), STOP];
    let other = [LOCK, (RUN.0, "It runs smoothly"), STOP, ("Sign the sheet", "")];
    let both = ["Lock the cabin door → It is locked", "Run the line at six metres per second → It runs smoothly"];
    let both = [&both[..], &["Press the red button → The line stops", "Sign the sheet"]].concat();
    assert_eq!(merged_steps(&base, &one, &other), Some(both.into_iter().map(str::to_owned).collect()));
}

#[test]
fn a_step_that_one_moved_is_rewritten_where_it_went() {
    let rewritten = (STOP.0, "The line stops at once");
    let both = merged_steps(&[LOCK, RUN, STOP], &[STOP, LOCK, RUN], &[LOCK, RUN, rewritten]).expect("they are apart");
    assert_eq!(both[0], "Press the red button → The line stops at once");
    assert_eq!(both.len(), 3);
}

#[test]
fn edits_of_steps_that_touch_each_other_are_a_persons_to_settle() {
    let base = [LOCK, RUN, STOP];
    let clash = |what: &str, one: &[(&str, &str)], other: &[(&str, &str)]| {
        assert_eq!(merged_steps(&base, one, other), None, "{what}");
        assert_eq!(merged_steps(&base, other, one), None, "{what}, the other way round");
    };
    clash("an edit against a removal", &[LOCK, STOP], &[LOCK, (RUN.0, "It runs smoothly"), STOP]);
    clash("a move against a removal", &[RUN, LOCK, STOP], &[LOCK, STOP]);
    clash("two moves of one step", &[RUN, STOP, LOCK], &[RUN, LOCK, STOP]);
    clash(
        "two moves of one that both rewrote",
        &[(STOP.0, "It brakes"), LOCK, RUN],
        &[LOCK, (STOP.0, "All stops"), RUN],
    );
    clash("two insertions at one place", &[LOCK, ("Ring", ""), RUN, STOP], &[LOCK, ("Call", ""), RUN, STOP]);
    clash("one part of one step", &[LOCK, RUN, (STOP.0, "All stops")], &[LOCK, RUN, (STOP.0, "It brakes")]);
    // Of two equal steps nobody knows which one is gone.
    assert_eq!(merged_steps(&[LOCK, LOCK], &[LOCK], &[(LOCK.0, "It holds"), LOCK]), None);
}

#[test]
fn rows_of_a_table_are_merged_under_the_same_columns() {
    let table = |rows: &[[&str; 2]]| Value::Table(rows.iter().map(|row| row.map(str::to_owned).to_vec()).collect());
    let base = table(&[["Shift", "Wind"], ["early day", "10"], ["late night", "20"]]);
    let one = table(&[["Shift", "Wind"], ["early day", "12"], ["late night", "20"]]);
    let other = table(&[["Shift", "Wind"], ["early day", "10"], ["late night", "25"], ["noon", "5"]]);
    let both = table(&[["Shift", "Wind"], ["early day", "12"], ["late night", "25"], ["noon", "5"]]);
    assert_eq!(merge(&base, &one, &other), Some(both));
    let renamed = table(&[["Shift", "Gust"], ["early day", "10"], ["late night", "20"]]);
    assert_eq!(merge(&base, &one, &renamed), None, "other columns");
}
