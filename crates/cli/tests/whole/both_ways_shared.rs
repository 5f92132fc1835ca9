//! Shared steps that are edited at both ends, and cases that call them: an edit arrives at the other end, edits of different
//! steps are merged, edits of one wait for a person, and calls stay calls.

use std::collections::BTreeMap;

use hovrel_core::model::{Artefact, Document, Kind, Step, Value as Held};
use hovrel_testkit::{Known, OLDSTONE, TALLYBENCH};

use crate::both_ways::{CUTS, edited, paired};
use crate::both_ways_texts::{Ground, steps};

type Pairs = BTreeMap<String, (Artefact, Artefact)>;

/// Pairs of one kind by what the left calls them.
async fn pairs(ground: &Ground, kind: Kind) -> Pairs {
    let found = paired(&ground.systems, &TALLYBENCH, kind).await;
    found.into_iter().map(|both| (both.0.key.clone(), both)).collect()
}

/// Somebody edits the steps of an item in its own system.
async fn rewrite(ground: &Ground, known: &Known, item: &Artefact, edit: impl Fn(&mut Vec<Step>)) {
    edited((&ground.systems, known), item, true, |now| {
        let mut list = steps(now).to_vec();
        edit(&mut list);
        [("steps", Held::Steps(list))].into_iter().collect()
    })
    .await;
}

/// Exchanges words of the action, or of what is expected, of the step that has them.
fn exchange(old: &str, new: &str) -> impl Fn(&mut Vec<Step>) + use<> {
    let (old, new) = (old.to_owned(), new.to_owned());
    move |list| {
        let mend = |text: &Document| {
            let at = serde_json::to_string(text).expect("a document").replace(&old, &new);
            serde_json::from_str(&at).expect("a document")
        };
        let step = list.iter_mut().find(|step| step.plain().contains(&old)).expect("a step has these words");
        (step.action, step.expected) = (mend(&step.action), mend(&step.expected));
    }
}

fn told(item: &Artefact) -> String {
    steps(item).iter().map(Step::plain).collect::<Vec<_>>().join("; ")
}

fn calls(item: &Artefact) -> usize {
    steps(item).iter().filter(|step| step.call.is_some()).count()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn shared_steps_are_edited_at_both_ends() {
    let mut ground = Ground::begin_with(&[Kind::SharedSteps, Kind::TestCase], false).await;
    ground.settle().await;
    let before = pairs(&ground, Kind::SharedSteps).await;
    let called = |title: &str| before.values().find(|(left, _)| left.title == title).expect("it is carried").clone();
    let (start, pass) = (called("Start the line at service speed"), called("Put a pass on the reader"));
    let guest = called("Let a guest through the gate");
    let cases = pairs(&ground, Kind::TestCase).await;
    let (calling, written_out): (Vec<_>, Vec<_>) =
        cases.values().filter(|(left, _)| calls(left) == 1).partition(|(_, right)| calls(right) == 1);
    let (calling, written_out) = (calling[0].clone(), written_out[0].clone());

    // Each end edits another step of one; the left's step has a parameter, which stays.
    rewrite(&ground, &OLDSTONE, &start.0, exchange("and no alarm", "and no alarm at all")).await;
    rewrite(&ground, &TALLYBENCH, &start.1, exchange("lights up", "lights up green")).await;
    rewrite(&ground, &TALLYBENCH, &pass.1, exchange("on the reader", "flat on the reader")).await;
    // Beside what stands at the right in place of a call.
    rewrite(&ground, &TALLYBENCH, &guest.1, exchange("Walk through.", "Walk through slowly.")).await;
    rewrite(&ground, &OLDSTONE, &guest.0, exchange("closes behind", "closes at once")).await;
    // Beside a call that stays one.
    let beside = steps(&calling.1).iter().position(|step| step.call.is_none()).expect("a step beside the call");
    let action = |words: &'static str| move |list: &mut Vec<Step>| list[beside].action = Document::from_text(words);
    rewrite(&ground, &TALLYBENCH, &calling.1, action("Wait at the gate")).await;
    // What comes of the shared steps themselves reaches those who call them with the next run.
    ground.run(None).await;
    ground.carry(None).await;
    let now = pairs(&ground, Kind::SharedSteps).await;
    let both = |of: &(Artefact, Artefact)| now[&of.0.key].clone();
    let (left, right) = both(&start);
    for item in [&left, &right] {
        assert!(told(item).contains("lights up green") && told(item).contains("and no alarm at all"), "{}", told(item));
        let held = serde_json::to_string(steps(item)).expect("steps");
        assert_eq!(held.matches("\"name\":\"speed\"").count(), 2, "{held}");
    }
    let (left, right) = both(&pass);
    assert!(told(&left).contains("flat on the reader") && told(&right).contains("flat on the reader"));
    let (left, right) = both(&guest);
    for item in [&left, &right] {
        assert!(told(item).contains("Walk through slowly.") && told(item).contains("closes at once"), "{}", told(item));
    }
    assert_eq!((calls(&left), calls(&right)), (1, 0), "a call stays one");
    assert!(
        told(&right).contains("flat on the reader"),
        "what is called is written out as it is now: {}",
        told(&right)
    );
    let cases = pairs(&ground, Kind::TestCase).await;
    let (left, right) = &cases[&calling.0.key];
    assert_eq!((calls(left), calls(right)), (1, 1));
    assert!(told(left).contains("Wait at the gate"), "{}", told(left));
    let (left, right) = &cases[&written_out.0.key];
    assert_eq!((calls(left), calls(right)), (1, 0));

    // An edit of what stands in place of a call waits for a person; nothing is written over.
    let step = steps(right).iter().position(|step| !told(left).contains(&step.plain())).expect("a step of the call");
    rewrite(&ground, &TALLYBENCH, right, |list| list[step].action = Document::from_text("Only here")).await;
    let (_, found) = ground.plan().await;
    assert_eq!(found[&written_out.0.key]["outcome"], "conflict");
    ground.carry(None).await;
    let cases = pairs(&ground, Kind::TestCase).await;
    assert!(told(&cases[&written_out.0.key].1).contains("Only here"));
    assert_eq!(cases[&written_out.0.key].0, *left);

    // Both ends of one step: a person's.
    rewrite(&ground, &OLDSTONE, &pass.0, exchange("beeps once", "beeps twice")).await;
    rewrite(&ground, &TALLYBENCH, &pass.1, exchange("beeps once", "beeps long")).await;
    let (_, found) = ground.plan().await;
    assert_eq!(found[&pass.0.key]["outcome"], "conflict");

    // Cut off at each place, between the ends and before and after each of them.
    let said = |end: &str, round: usize| match (round, end) {
        (0, "left") => "shift key".to_owned(),
        (0, _) => "lights up green".to_owned(),
        _ => format!("{end} {round}"),
    };
    for (round, cut) in CUTS.iter().enumerate() {
        let [one, other] = ["left", "right"].map(|end| (said(end, round), said(end, round + 1)));
        rewrite(&ground, &OLDSTONE, &start.0, exchange(&one.0, &one.1)).await;
        rewrite(&ground, &TALLYBENCH, &start.1, exchange(&other.0, &other.1)).await;
        ground.run(Some(cut)).await;
        ground.carry(None).await;
        let now = pairs(&ground, Kind::SharedSteps).await;
        for item in [&now[&start.0.key].0, &now[&start.0.key].1] {
            assert!(told(item).contains(&one.1) && told(item).contains(&other.1), "{cut}: {}", told(item));
        }
    }
    assert_eq!(ground.client.prove(&ground.route).await["headline"]["unexplained_items"], 0);
}
