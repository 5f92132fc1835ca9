//! The verdict on one slot, over all small inputs, and against the table of Pierce and Vouillon 2004 (“What's in Unison?
//! A Formal Specification and Reference Implementation of a File Synchronizer”).

use hovrel_core::law::{Clash, Held, Remembered, Replaced, Swing, Verdict, Ways, made_of, verdict};
use hovrel_core::model::{End, Ends};

/// Ways between values 0, 1 and 2.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Carries {
    /// As they are.
    Same,
    /// 0 and 1 of the left are 0 at the right; 0 goes back to what stood there, or to 0.
    TwoAsOne,
    /// 2 can't be carried.
    NotTwo,
}

#[derive(Debug, Clone, Copy)]
struct Small {
    carries: Carries,
    into: Ends<bool>,
}

impl Ways for Small {
    type Value = u8;
    type Why = ();

    fn goes_into(&self, end: End) -> bool {
        self.into[end]
    }

    fn same(&self, a: &u8, b: &u8) -> bool {
        a == b
    }

    fn get(&self, into: End, value: &u8) -> Result<u8, ()> {
        match (self.carries, into, value) {
            (Carries::TwoAsOne, End::Right, 1) => Ok(0),
            (Carries::NotTwo, _, 2) => Err(()),
            _ => Ok(*value),
        }
    }

    fn put(&self, into: End, there: &u8, was: &u8, is: &u8) -> Result<u8, ()> {
        let says_so = self.into[into.other()] && self.get(into.other(), there) == Ok(*is);
        match was == is || says_so {
            true => Ok(*there),
            false => self.get(into, is),
        }
    }

    fn are_apart(&self, _: Ends<&u8>, _: Ends<&u8>) -> bool {
        false
    }
}

const CLOCK: i64 = 1_000_000;

fn nothing_replaced() -> Ends<Vec<Replaced<u8>>> {
    Ends { left: vec![], right: vec![] }
}

/// What may have been replaced: nothing, or a value just now, long ago, or long ago and back once since.
fn all_replaced() -> Vec<Ends<Vec<Replaced<u8>>>> {
    let mut out = vec![nothing_replaced()];
    for end in End::BOTH {
        for value in 0..3 {
            for (ago, came_back) in [(60, false), (6000, false), (6000, true)] {
                let mut replaced = nothing_replaced();
                replaced[end].push(Replaced { value, at: CLOCK - ago, came_back });
                out.push(replaced);
            }
        }
    }
    out
}

/// Edits to and fro: none, four, five within the hour, and five of which the first is longer ago.
fn all_swings() -> Vec<Vec<Swing>> {
    let to_and_fro = |count: i64, first: End, apart: i64| {
        let into = |n: i64| if n % 2 == 0 { first } else { first.other() };
        (0..count).map(|n| Swing { into: into(n), at: CLOCK - apart * (count - n) }).collect::<Vec<_>>()
    };
    let of = |first| [to_and_fro(4, first, 60), to_and_fro(5, first, 60), to_and_fro(5, first, 1000)];
    std::iter::once(vec![]).chain(End::BOTH.into_iter().flat_map(of)).collect()
}

fn all_ways() -> Vec<Small> {
    let into = [(true, true), (false, true), (true, false)].map(|(left, right)| Ends { left, right });
    let kinds = [Carries::Same, Carries::TwoAsOne, Carries::NotTwo];
    kinds.into_iter().flat_map(|carries| into.map(|into| Small { carries, into })).collect()
}

/// Every small input, each with its verdict.
fn every(mut look: impl FnMut(Small, Ends<Option<u8>>, Option<&Remembered<u8>>, bool, Verdict<u8, ()>)) -> u64 {
    let mut count = 0;
    let held = [None, Some(0), Some(1), Some(2)];
    for ways in all_ways() {
        for (left, right) in held.iter().flat_map(|left| held.iter().map(move |right| (*left, *right))) {
            let now = Ends { left, right };
            let seen = Ends { left: left.as_ref(), right: right.as_ref() };
            look(ways, now, None, true, verdict(&ways, seen, None, true, CLOCK));
            count += 1;
            for at in (0..9).map(|n: u8| Ends { left: n / 3, right: n % 3 }) {
                let other_made = Ends { left: Some(2), right: Some(1) };
                for made in [made_of(&ways, &at), other_made] {
                    for (replaced, swings) in
                        all_replaced().iter().flat_map(|r| all_swings().into_iter().map(move |s| (r.clone(), s)))
                    {
                        let base = Remembered { at, made, replaced, swings };
                        for same_rule in [true, false] {
                            let found = verdict(&ways, seen, Some(&base), same_rule, CLOCK);
                            look(ways, now, Some(&base), same_rule, found);
                            count += 1;
                        }
                    }
                }
            }
        }
    }
    count
}

#[test]
fn no_verdict_writes_over_an_edit_or_takes_what_is_unknown_for_known() {
    let count = every(|ways, now, base, same_rule, found| {
        let told = format!("{ways:?}, {now:?}, {base:?}, same rule {same_rule}: {found:?}");
        let Ends { left: Some(left), right: Some(right) } = now else {
            let end = if now.left.is_none() { End::Left } else { End::Right };
            assert_eq!(found, Verdict::Held(Held::Unknown(end)), "{told}");
            return;
        };
        let now = Ends { left, right };
        let agree = ways.agree(now.as_ref());
        let Some(base) = base else {
            assert_eq!(found, if agree { Verdict::Rebase } else { Verdict::FirstContact }, "{told}");
            return;
        };
        let changed = Ends::of(|end| now[end] != base.at[end]);
        let any = changed.left || changed.right;
        assert_eq!(found == Verdict::Rebase, any && agree, "{told}");
        match &found {
            Verdict::Write(end, value) => {
                assert!(ways.into[*end] && !changed[*end] && changed[end.other()], "{told}");
                let mut then = now;
                then[*end] = *value;
                assert!(ways.agree(then.as_ref()), "both say the same afterwards: {told}");
                let old = |r: &Replaced<u8>| r.value == now[end.other()] && (r.at > CLOCK - 600 || r.came_back);
                assert!(!base.replaced[end.other()].iter().any(old), "an old form is carried: {told}");
            }
            Verdict::InStep => assert!(!any, "{told}"),
            Verdict::RuleChanged(end) => assert!(!any && !same_rule && ways.into[*end], "{told}"),
            Verdict::Held(held) => {
                let Held::OneWay(end) = held else { panic!("{told}") };
                assert!(changed[*end] && !ways.into[end.other()], "{told}");
            }
            Verdict::Conflict(Clash::Both) => assert!(changed.left && changed.right && !agree, "{told}"),
            Verdict::Conflict(_) => assert!(any && !agree, "{told}"),
            Verdict::Rebase => {}
            Verdict::Merged(_) => panic!("nothing here has parts: {told}"),
            Verdict::FirstContact => panic!("there is a base: {told}"),
        }
    });
    println!("{count} inputs");
    assert!(count > 100_000);
}

/// The rows of the table for two files that can be read, of which what both held when last in step is known: which replicas
/// are dirty, and whether they are the same. Swapping the ends swaps the verdict.
#[test]
fn the_table_of_a_file_synchroniser_holds_row_by_row() {
    let ways = Small { carries: Carries::Same, into: Ends { left: true, right: true } };
    let base = Remembered::of(&ways, Ends { left: 0, right: 0 });
    let of =
        |left: u8, right: u8| verdict(&ways, Ends { left: Some(&left), right: Some(&right) }, Some(&base), true, CLOCK);
    assert_eq!(of(0, 0), Verdict::InStep, "neither is dirty");
    assert_eq!(of(1, 0), Verdict::Write(End::Right, 1), "the first is dirty");
    assert_eq!(of(0, 1), Verdict::Write(End::Left, 1), "the second is dirty");
    assert_eq!(of(1, 1), Verdict::Rebase, "both are dirty, and the same");
    assert_eq!(of(1, 2), Verdict::Conflict(Clash::Both), "both are dirty, and differ");
}

#[test]
fn edits_to_and_fro_stop_at_five_within_an_hour() {
    let ways = Small { carries: Carries::Same, into: Ends { left: true, right: true } };
    let mut base = Remembered::of(&ways, Ends { left: 0, right: 0 });
    let mut at = CLOCK;
    for n in 0..12 {
        // Neither end goes back to what it held before: 0, 1, 2, 0, … with a new word each time.
        let (edited, word) = (if n % 2 == 0 { End::Left } else { End::Right }, n + 3);
        let mut now = base.at;
        now[edited] = word;
        let found = verdict(&ways, now.as_ref().map(Some), Some(&base), true, at);
        if n == 5 {
            assert_eq!(found, Verdict::Conflict(Clash::Exchange), "the sixth");
            // Later than an hour after the first of them, people may go on.
            at += 3600;
            assert!(matches!(verdict(&ways, now.as_ref().map(Some), Some(&base), true, at), Verdict::Write(..)));
            return;
        }
        assert_eq!(found, Verdict::Write(edited.other(), word), "{n}");
        let mut held = now;
        held[edited.other()] = word;
        let write = hovrel_core::law::Wrote { into: edited.other(), planned: now, answer: word, at };
        base = Remembered::wrote(Some(&base), write, made_of(&ways, &held), u8::eq);
        at += 60;
    }
}

#[test]
fn an_old_form_is_an_edit_later_and_a_conflict_the_second_time_running() {
    let ways = Small { carries: Carries::Same, into: Ends { left: true, right: true } };
    let base = Remembered::of(&ways, Ends { left: 0, right: 0 });
    let wrote = |base: &Remembered<u8>, into: End, planned: Ends<u8>, answer: u8, at: i64| {
        let mut held = planned;
        held[into] = answer;
        let write = hovrel_core::law::Wrote { into, planned, answer, at };
        Remembered::wrote(Some(base), write, made_of(&ways, &held), u8::eq)
    };
    let of = |base: &Remembered<u8>, left: u8, right: u8, at: i64| {
        verdict(&ways, Ends { left: Some(&left), right: Some(&right) }, Some(base), true, at)
    };
    let first = wrote(&base, End::Right, Ends { left: 1, right: 0 }, 1, CLOCK);
    assert_eq!(of(&first, 1, 0, CLOCK + 60), Verdict::Conflict(Clash::OldForm(End::Right)));
    assert_eq!(of(&first, 1, 0, CLOCK + 900), Verdict::Write(End::Left, 0), "somebody took it back");
    let back = wrote(&first, End::Left, Ends { left: 1, right: 0 }, 0, CLOCK + 900);
    // The left says so once more, long after: the right gives the old form back again.
    assert_eq!(of(&back, 1, 0, CLOCK + 9000), Verdict::Write(End::Right, 1));
    let second = wrote(&back, End::Right, Ends { left: 1, right: 0 }, 1, CLOCK + 9000);
    assert_eq!(of(&second, 1, 0, CLOCK + 99_000), Verdict::Conflict(Clash::OldForm(End::Right)));
}
