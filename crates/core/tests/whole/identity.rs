//! Finding counterparts among items that have no pair: what goes before what, and what can't be told apart.

use hovrel_core::identity::{Asked, Candidate, Evidence, Looking, Settled, match_first_contact};
use hovrel_core::model::{Artefact, End, Ends, Kind, Value, origin_mark};
use hovrel_core::rules::{KeyFields, Matching};

const SYSTEMS: Ends<&str> = Ends { left: "Old", right: "New" };

fn case(key: &str, title: &str) -> Artefact {
    Artefact { title: title.into(), ..Artefact::bare(Kind::TestCase, key) }
}

fn at<'a>(list: &'a [Artefact], path: &str) -> Vec<Candidate<'a>> {
    list.iter().map(|artefact| Candidate { artefact, path: path.into() }).collect()
}

/// Matches from a likeness on, with nothing settled.
fn matches(left: &[Candidate<'_>], right: &[Candidate<'_>], similar_from: u8) -> Vec<(usize, usize, Evidence)> {
    let matching = Matching { similar_from, key: None };
    match_first_contact(
        Looking {
            systems: SYSTEMS,
            read: End::Left,
            matching: &matching,
            settled: &Settled::new(),
            asked: &Asked::new(),
        },
        left,
        right,
    )
}

#[test]
fn a_mark_goes_before_a_title_and_a_title_before_likeness() {
    let left =
        [case("L1", "Stop button is lit"), case("L2", "Wind slows the line"), case("L3", "Gate refuses a used pass")];
    let mut marked = case("R1", "Renamed since");
    marked.origin = Some("Old:L1".into());
    let right = [
        marked,
        case("R2", "wind slows  the line"),
        case("R3", "Gate refuses a used pass (checked)"),
        case("R4", "Stop button is lit"),
    ];
    let found = matches(&at(&left, "A"), &at(&right, "A"), 70);
    let pairs: Vec<_> = found.iter().map(|(l, r, e)| (*l, *r, e.is_sure())).collect();
    assert_eq!(pairs, [(0, 0, true), (1, 1, true), (2, 2, false)]);
    assert!(matches!(&found[0].2, Evidence::Origin { mark } if mark == "Old:L1"));
    assert!(matches!(&found[2].2, Evidence::Similar(how) if how.score >= 70 && how.same_folder));
}

#[test]
fn what_can_not_be_told_apart_is_no_match() {
    let twins = [case("L1", "Stop button is lit"), case("L2", "Stop button is lit")];
    let one = [case("R1", "Stop button is lit")];
    let found = matches(&at(&twins, "A"), &at(&one, "A"), 101);
    assert_eq!(found, [], "two of one name, one counterpart");
    // An item that carries another's mark was made from that, whatever it is called.
    let mut of_another = case("R1", "Stop button is lit");
    of_another.origin = Some("Other:9".into());
    assert_eq!(matches(&at(&twins[..1], "A"), &at(&[of_another], "A"), 50), []);
    // The same title in another folder is only alike.
    let found = matches(&at(&twins[..1], "A"), &at(&one, "B"), 90);
    assert!(matches!(&found[0].2, Evidence::Similar(how) if how.score == 100 && !how.same_folder), "{found:?}");
}

/// What is alike is told by the words of all the others too: an edit of another item must not make of two that somebody was
/// asked about two new ones.
#[test]
fn whoever_was_asked_about_two_is_asked_until_somebody_decides() {
    let left = [case("L1", "Gate refuses a used pass"), case("L2", "Wind slows the line")];
    let right = [case("R1", "Turnstile shows a used ticket"), case("R2", "Wind slows the line now")];
    let matching = |similar_from: u8| Matching { similar_from, key: None };
    let found = |from: u8, settled: &Settled, asked: &Asked| -> Vec<(usize, usize, Option<u8>)> {
        let matching = matching(from);
        let looking = Looking { systems: SYSTEMS, read: End::Left, matching: &matching, settled, asked };
        let found = match_first_contact(looking, &at(&left, "A"), &at(&right, "A"));
        let score = |e: &Evidence| if let Evidence::Similar(how) = e { Some(how.score) } else { None };
        found.into_iter().map(|(l, r, e)| (l, r, score(&e))).collect()
    };
    let (nothing, nobody) = (Settled::new(), Asked::new());
    let alone = found(60, &nothing, &nobody);
    assert_eq!(alone.iter().map(|(l, r, _)| (*l, *r)).collect::<Vec<_>>(), [(1, 1)]);
    let asked = Asked::from([("L1".into(), ("R1".into(), 60))]);
    let both = found(60, &nothing, &asked);
    assert!(matches!(both[..], [(0, 0, Some(score)), (1, 1, _)] if score < 60), "{both:?}");
    // Not if it is less than what is asked about now, if somebody decided, or if the other is there no more.
    assert_eq!(found(61, &nothing, &asked), found(61, &nothing, &nobody));
    assert_eq!(found(60, &Settled::from([("L1".into(), None)]), &asked), alone);
    assert_eq!(found(60, &nothing, &Asked::from([("L1".into(), ("R9".into(), 60))])), alone);
    // What is sure goes before.
    let sure = found(60, &Settled::from([("L2".into(), Some("R1".into()))]), &asked);
    assert_eq!(sure, [(1, 0, None)]);
    // It keeps its counterpart from another that is more like it.
    let other = Asked::from([("L1".into(), ("R2".into(), 60))]);
    assert_eq!(found(60, &nothing, &other).iter().map(|(l, r, _)| (*l, *r)).collect::<Vec<_>>(), [(0, 1)]);
}

#[test]
fn a_person_goes_before_everything_and_a_key_before_a_title() {
    let numbered = |id: &str, title: &str, number: &str| {
        let mut a = case(id, title);
        a.fields.set("number", Value::text(number));
        a
    };
    let left = [
        numbered("L1", "Stop button is lit", "7"),
        numbered("L2", "Wind slows the line", "8"),
        numbered("L3", "Gate", "9"),
    ];
    let right = [
        numbered("R1", "Stop button is lit", "8"),
        numbered("R2", "Something else", " 7 "),
        numbered("R3", "Gate", ""),
    ];
    let key = Some(KeyFields { left: "number".into(), right: "number".into() });
    let matching = Matching { similar_from: 101, key };
    let found = |settled: &Settled| {
        let looking = Looking { systems: SYSTEMS, read: End::Left, matching: &matching, settled, asked: &Asked::new() };
        let found = match_first_contact(looking, &at(&left, "A"), &at(&right, "A"));
        found.into_iter().map(|(l, r, e)| (l, r, matches!(e, Evidence::Key { .. }))).collect::<Vec<_>>()
    };
    assert_eq!(found(&Settled::new()), [(0, 1, true), (1, 0, true), (2, 2, false)]);
    // The first has no counterpart, the second another; what is left over is found as before.
    let said = Settled::from([("L1".into(), None), ("L2".into(), Some("R3".into()))]);
    assert_eq!(found(&said), [(1, 2, false)]);
    // What a person said of something that is gone counts no more.
    assert_eq!(found(&Settled::from([("L2".into(), Some("R9".into()))])).len(), 3);
}

#[test]
fn doubles_hang_together_and_numbers_keep_apart() {
    let list = [
        case("A", "Gate 3 refuses a used day pass"),
        case("B", "Gate 4 refuses a used day pass"),
        case("C", "gate 3 refuses a used  day pass"),
        case("D", "Gate 3 refuse a used day pass"),
        case("E", "The radio is heard in every cabin"),
    ];
    let found = hovrel_core::identity::doubles(&at(&list, "A"), 75);
    assert_eq!(found.iter().map(|d| d.members.clone()).collect::<Vec<_>>(), [vec![0, 2, 3]]);
    assert!(hovrel_core::identity::doubles(&[], 90).is_empty());
}

/// What bears the mark of the other is the same, whichever of the two bears it and whichever end is read; and whatever they are
/// called by now.
#[test]
fn a_mark_counts_at_either_end() {
    for read in End::BOTH {
        for marked in End::BOTH {
            let mut items = Ends { left: case("L-1", "Stop the cabin"), right: case("R-9", "Wind alarm") };
            let mark = origin_mark(SYSTEMS[marked.other()], &items[marked.other()]);
            items[marked].origin = Some(mark.clone());
            let matching = Matching::default();
            let (settled, asked) = (Settled::new(), Asked::new());
            let looking = Looking { systems: SYSTEMS, read, matching: &matching, settled: &settled, asked: &asked };
            let at = |end: End| at(std::slice::from_ref(&items[end]), "");
            let found = match_first_contact(looking, &at(read), &at(read.other()));
            assert_eq!(found, [(0, 0, Evidence::Origin { mark })], "{read:?} is read, {marked:?} is marked");
        }
    }
}
