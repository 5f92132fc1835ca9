//! Calls of shared steps over generated worlds of calls, circles and calls of nothing included: expanding
//! ends, loses nothing silently (law 7), and settles (law 2).

use std::collections::HashMap;

use hovrel_core::carry::{with_calls, without_calls};
use hovrel_core::catalogue::Calls;
use hovrel_core::loss::LossCause;
use hovrel_core::model::{Argument, Artefact, Call, Document, Fields, Kind, Reference, Step, Value};
use hovrel_core::prepare::{call_order, expand_calls};
use proptest::prelude::*;

/// Shared steps by their numbers: each a list of steps that say something or call another, perhaps one
/// that is not there, perhaps with an argument.
fn world() -> impl Strategy<Value = Vec<Vec<Option<(u8, bool)>>>> {
    let step = prop_oneof![2 => Just(None), 3 => (0..8u8, any::<bool>()).prop_map(Some)];
    prop::collection::vec(prop::collection::vec(step, 0..4), 1..7)
}

fn artefact(n: usize, steps: &[Option<(u8, bool)>]) -> Artefact {
    let step = |(k, s): (usize, &Option<(u8, bool)>)| match s {
        None => Step { action: Document::from_text(&format!("do {n}.{k}")), ..Step::default() },
        Some((to, with)) => {
            let value = Document::from_text("5 m/s");
            let arguments = if *with { vec![Argument { name: "speed".into(), value }] } else { vec![] };
            Step { call: Some(Call { target: Reference::known(format!("s{to}")), arguments }), ..Step::default() }
        }
    };
    let mut fields = Fields::default();
    fields.set("steps", Value::Steps(steps.iter().enumerate().map(step).collect()));
    Artefact { fields, title: format!("Shared {n}"), ..Artefact::bare(Kind::SharedSteps, &format!("s{n}")) }
}

fn steps(a: &Artefact) -> &[Step] {
    match a.fields.get("steps") {
        Some(Value::Steps(steps)) => steps,
        _ => &[],
    }
}

fn calls(a: &Artefact) -> impl Iterator<Item = &Call> {
    steps(a).iter().filter_map(|s| s.call.as_ref())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn expanding_ends_declares_and_settles(w in world()) {
        let all: Vec<Artefact> = w.iter().enumerate().map(|(n, s)| artefact(n, s)).collect();
        let shared: HashMap<&str, &Artefact> = all.iter().map(|a| (a.id.as_str(), a)).collect();
        for keep in [Calls::None, Calls::Plain, Calls::WithArguments] {
            let expanded: Vec<Artefact> =
                all.iter().map(|a| expand_calls(a, &shared, keep).unwrap_or_else(|| a.clone())).collect();
            for (before, after) in all.iter().zip(&expanded) {
                for call in calls(after) {
                    prop_assert!(keep != Calls::None, "no call is left");
                    prop_assert!(keep != Calls::Plain || call.arguments.is_empty(), "none with arguments");
                    prop_assert!(shared.contains_key(call.target.id()), "none of nothing");
                }
                prop_assert!(before == after || !after.read_losses.is_empty(), "what changed is declared");
                let causes = after.read_losses.iter().map(|l| &l.cause);
                prop_assert!(causes.into_iter().all(|c| matches!(
                    c, LossCause::CallExpanded | LossCause::CallCycle | LossCause::CallOfNothing
                )));
            }
            // What is left calls in no circle, so it can be made in an order, and nothing is left to expand.
            let kept: HashMap<&str, &Artefact> = expanded.iter().map(|a| (a.id.as_str(), a)).collect();
            let order = call_order(&expanded.iter().collect::<Vec<_>>());
            let at = |id: &str| order.iter().position(|o| o == id).expect("everything is in the order");
            for a in &expanded {
                prop_assert!(calls(a).all(|c| at(c.target.id()) < at(&a.id)), "{:?} after {:?}", a.id, order);
                prop_assert!(expand_calls(a, &kept, keep).is_none(), "expanding again changes nothing");
            }
        }
    }

    /// What is edited beside the steps that stand in place of calls goes back, and every call stays; what is edited within them
    /// does not, and a call goes with all of its steps.
    #[test]
    fn calls_are_calls_again_where_nobody_touched_them(
        w in world(), own in prop::collection::vec(0..4u8, 12), at in any::<prop::sample::Index>()
    ) {
        let all: Vec<Artefact> = w.iter().enumerate().map(|(n, s)| artefact(n, s)).collect();
        let shared: HashMap<&str, &Artefact> = all.iter().map(|a| (a.id.as_str(), a)).collect();
        for before in &all {
            let Some(after) = expand_calls(before, &shared, Calls::None) else { continue };
            let (original, there) = (steps(before), steps(&after));
            let expanded = &after.expanded["steps"];
            prop_assert_eq!(with_calls(there, expanded, there), Some(original.to_vec()));
            prop_assert_eq!(without_calls(original, expanded), there);

            let in_stretch = |n: usize| expanded.iter().any(|e| (e.at..e.at + e.steps.len()).contains(&n));
            let said = |words: &str| Step { action: Document::from_text(words), ..Step::default() };
            let mut edited = Vec::new();
            for (n, step) in there.iter().enumerate() {
                match own[n % own.len()] {
                    _ if in_stretch(n) => edited.push(step.clone()),
                    0 => edited.push(said(&format!("{} and wait", step.action.plain()))),
                    1 => edited.extend([step.clone(), said(&format!("new behind {n}"))]),
                    2 => {}
                    _ => edited.push(step.clone()),
                }
            }
            let is_seen = |e: &&hovrel_core::model::Expanded| !e.steps.is_empty();
            match with_calls(there, expanded, &edited) {
                Some(back) => {
                    prop_assert_eq!(without_calls(&back, expanded), edited);
                    prop_assert_eq!(back.iter().filter(|s| s.call.is_some()).count(), expanded.len());
                }
                // A call that is not to be seen, between steps that are both gone.
                None => prop_assert!(expanded.iter().any(|e| e.steps.is_empty())),
            }

            let seen: Vec<_> = expanded.iter().filter(is_seen).collect();
            if !seen.is_empty() {
                let e = seen[at.index(seen.len())];
                let mut touched = there.to_vec();
                touched[e.at].expected = Document::from_text("something else");
                prop_assert_eq!(with_calls(there, expanded, &touched), None);
                let mut without = there.to_vec();
                let gone: Vec<Step> = without.drain(e.at..e.at + e.steps.len()).collect();
                // Of steps that stand there twice nobody knows which are gone.
                let is_twice = gone.iter().any(|step| without.contains(step));
                if !is_twice && expanded.iter().all(|e| !e.steps.is_empty()) {
                    let back = with_calls(there, expanded, &without).expect("the call goes");
                    prop_assert_eq!(back.len(), original.len() - 1);
                }
            }
        }
    }
}
