//! An item that is edited at both ends, through comparing, planning and applying as a transfer does it: what the law says of
//! one slot holds of real fields too.

use std::collections::HashMap;

use hovrel_core::base::Base;
use hovrel_core::carry::{Context, PairLookup, Place, UserMatcher};
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema};
use hovrel_core::compare::{Clocks, Comparer, FolderNames, Found, targets};
use hovrel_core::conflict::{OfLane, decision_with};
use hovrel_core::model::{Artefact, End, Ends, Kind, Reference, Value, ValueType};
use hovrel_core::plan::{
    Change, Decision, FieldChange, FieldReason, Outcome, Side, Written, WrittenField, base_after, fields_to_write,
    leg_back, leg_merged,
};
use hovrel_core::rules::{
    Conversion, Direction, Fallback, Fill, FirstContact, Lane, Rule, RuleId, Source, ValueMap, ValueRow,
};
use proptest::prelude::*;

const CUT: u32 = 20;

pub fn catalogue(names: [&str; 3]) -> Catalogue {
    let types = [ValueType::Text, ValueType::Text, ValueType::Choice];
    let fields = names.iter().zip(types).map(|(name, of)| FieldSchema::new(name, name, of)).collect();
    Catalogue { kinds: vec![KindSchema::new(Kind::TestCase, "Case", fields)], users: vec![], findings: vec![] }
}

pub fn lane(direction: Direction) -> Lane {
    let rule = |from: &str, target: &str, conversions| {
        let fill = Fill { target: target.into(), source: Source::Field(from.into()), conversions };
        Rule { back: direction == Direction::Both, ..Rule::filling(End::Right, fill) }
    };
    let row = |left: &str, right: &str, returns| ValueRow { left: left.into(), right: right.into(), returns };
    let rows = vec![row("Blocker", "Critical", false), row("High", "Critical", true), row("Low", "Minor", false)];
    let map = ValueMap { rows, otherwise: Fallback::Block };
    let rules = vec![
        rule("name", "title", vec![]),
        rule("note", "text", vec![Conversion::Shorten { to: CUT }]),
        rule("level", "grade", vec![Conversion::ValueMap(map)]),
    ];
    Lane { direction, ..Lane::of_kind(Kind::TestCase, rules) }.with_ways_back()
}

pub const FIELDS: Ends<[&str; 3]> = Ends { left: ["name", "note", "level"], right: ["title", "text", "grade"] };

/// Both items and what is remembered of them.
pub struct Two {
    pub items: Ends<Artefact>,
    pub base: Option<Base>,
    pub clock: i64,
    /// Whether the right takes nothing.
    pub right_fails: bool,
    /// The conflicts that are open.
    pub standing: OfLane,
}

impl Two {
    pub fn new(values: [&str; 3]) -> Two {
        let [name, note, level] = values;
        let grade = if level == "Low" { "Minor" } else { "Critical" };
        let cut: String = note.chars().take(CUT as usize).collect();
        let item = |end: End, values: [Value; 3]| {
            let mut item = Artefact::bare(Kind::TestCase, "1");
            FIELDS[end].iter().zip(values).for_each(|(field, value)| item.fields.set(*field, value));
            item
        };
        let left = item(End::Left, [Value::text(name), Value::text(note), Value::choice(level)]);
        let right = item(End::Right, [Value::text(name), Value::text(cut.trim_end()), Value::choice(grade)]);
        Two {
            items: Ends { left, right },
            base: None,
            clock: 1_000_000,
            right_fails: false,
            standing: OfLane::default(),
        }
    }

    pub fn held(&self, end: End, n: usize) -> String {
        self.items[end].fields.get(FIELDS[end][n]).map(Value::display).unwrap_or_default()
    }

    pub fn edit(&mut self, end: End, n: usize, value: Value) {
        self.items[end].fields.set(FIELDS[end][n], value);
    }

    /// A dry run and its transfer, with nobody deciding anything: what was found.
    pub fn run(&mut self, lane: &Lane) -> Vec<FieldChange> {
        self.clock += 7200;
        let ends = Ends { left: catalogue(FIELDS.left), right: catalogue(FIELDS.right) };
        let standing = self.standing.clone();
        with_conflicts(lane, &ends, (self.clock, &standing), |comparer| self.run_by(lane, comparer))
    }

    fn run_by(&mut self, lane: &Lane, comparer: &Comparer<'_>) -> Vec<FieldChange> {
        let found = comparer.compare(self.items.as_ref(), self.base.as_ref(), &[]);
        let change = change_of(lane, comparer, &self.items, found);
        let digests = comparer.digests();
        let decision = decision_with(&change, lane, &self.standing, |rule| digests[rule].clone());
        if let Some((leg, decided)) = leg_back(&change, &decision, FirstContact::Ask) {
            self.write(&leg, &decided, lane, (&change, &decision), &digests);
        }
        let merged = leg_merged(&change, &decision, FirstContact::Ask);
        let (leg, decided) = merged.as_ref().map_or((&change, &decision), |(leg, decided)| (leg, decided));
        if !self.right_fails {
            self.write(leg, decided, lane, (&change, &decision), &digests);
        }
        change.fields
    }

    fn write(
        &mut self,
        leg: &Change,
        decided: &Decision,
        lane: &Lane,
        whole: (&Change, &Decision),
        digests: &std::collections::BTreeMap<RuleId, String>,
    ) {
        let mut written = Written::nothing(leg.written, self.clock);
        for f in fields_to_write(leg, decided, FirstContact::Ask) {
            written.fields.insert(f.field.clone(), WrittenField { sent: f.write.clone(), held: f.write.clone() });
            self.items[leg.written].fields.set(f.field.id(), f.write.clone());
        }
        let old = self.base.clone().unwrap_or_default();
        self.base = Some(base_after(lane, whole.0, whole.1, &written, &old, digests));
    }
}

/// What was found of two items, as a plan has it.
pub fn change_of(lane: &Lane, comparer: &Comparer<'_>, items: &Ends<Artefact>, found: Found) -> Change {
    assert_eq!(found.faults, []);
    let written = lane.written();
    let outcome = match found.fields.iter().any(|f| f.reason.is_conflict()) {
        true => Outcome::Conflict,
        false => Outcome::Update(written),
    };
    let side_of = |end: End| match end == written {
        true => targets(lane, &items[end]),
        false => comparer.sources(&items[end]),
    };
    let side = |item: &Artefact| Some(Side::of(item, String::new()));
    Change {
        left: side(&items.left),
        right: side(&items.right),
        fields: found.fields,
        rebased: found.rebased,
        made: found.made,
        accepted: found.accepted,
        left_side: side_of(End::Left),
        right_side: side_of(End::Right),
        ..Change::new(0, &lane.id, (Kind::TestCase, Kind::TestCase), written, outcome)
    }
}

/// Looks at a lane between two ends of one kind.
pub fn with_comparer<T>(lane: &Lane, ends: &Ends<Catalogue>, clock: i64, look: impl FnOnce(&Comparer<'_>) -> T) -> T {
    with_conflicts(lane, ends, (clock, &OfLane::default()), look)
}

/// The same with conflicts that are open.
pub fn with_conflicts<T>(
    lane: &Lane,
    ends: &Ends<Catalogue>,
    (clock, standing): (i64, &OfLane),
    look: impl FnOnce(&Comparer<'_>) -> T,
) -> T {
    // One folder of the right is at the left, inside another.
    let folder = Place { kind: Kind::Folder, reference: Reference::known("f7") };
    let places: HashMap<(Kind, String), Place> = [((Kind::Folder, "r7".to_owned()), folder)].into();
    with_places(lane, ends, Ends::of(|_| &places as &(dyn PairLookup + Sync)), (clock, standing), look)
}

/// The same with where items are, by the end that values go into.
pub fn with_places<T>(
    lane: &Lane,
    ends: &Ends<Catalogue>,
    places: Ends<&(dyn PairLookup + Sync)>,
    (clock, standing): (i64, &OfLane),
    look: impl FnOnce(&Comparer<'_>) -> T,
) -> T {
    let users = UserMatcher::default();
    let folders: FolderNames = [("f7".to_owned(), vec!["Line".to_owned(), "North".to_owned()])].into();
    let systems = Ends { left: "Old", right: "New" };
    let cx = Ends::of(|into: End| Context {
        system: systems[into.other()],
        from: &ends[into.other()],
        from_kind: &ends[into.other()].kinds[0],
        to_kind: &ends[into].kinds[0],
        to_users: &users,
        places: places[into],
    });
    match lane.direction {
        Direction::Both => look(
            &Comparer::new(lane, &cx.right)
                .both_ways(
                    &cx.left,
                    Clocks { now: clock, ahead: Ends::of(|_| Some(0)) },
                    Ends { left: &folders, right: &folders },
                )
                .standing(standing),
        ),
        _ => look(&Comparer::new(lane, &cx[lane.written()]).standing(standing)),
    }
}

fn conflicts(found: &[FieldChange]) -> Vec<FieldReason> {
    found.iter().map(|f| f.reason).filter(|reason| reason.is_conflict()).collect()
}

#[derive(Debug, Clone)]
enum Deed {
    /// Another word in the place of one of the title's.
    Title(End, usize),
    Level(End, bool),
    Note(End),
    Run,
}

fn deeds() -> impl Strategy<Value = Vec<Deed>> {
    let end = || prop::sample::select(&End::BOTH[..]);
    let deed = prop_oneof![
        3 => (end(), 0..5usize).prop_map(|(end, word)| Deed::Title(end, word)),
        1 => (end(), any::<bool>()).prop_map(|(end, low)| Deed::Level(end, low)),
        1 => end().prop_map(Deed::Note),
        2 => Just(Deed::Run),
    ];
    prop::collection::vec(deed, 0..12)
}

const BEGINNING: [&str; 3] = ["Stop the cabin at Midway", "stop the cabin when the wind is above the limit", "Blocker"];

proptest! {
    /// Each word of a title that somebody typed and nobody typed over is at both ends, or in a conflict; what was typed over
    /// does not come back; two runs after people rest nothing is written; and a text that was cut keeps what stands behind the cut.
    #[test]
    fn no_edit_is_lost_between_real_fields(deeds in deeds()) {
        let lane = lane(Direction::Both);
        let mut two = Two::new(BEGINNING);
        two.run(&lane);
        let (mut typed, mut over) = (Vec::new(), Vec::new());
        for (n, deed) in deeds.iter().enumerate() {
            match deed {
                Deed::Title(end, place) => {
                    let held = two.held(*end, 0);
                    let mut words: Vec<&str> = held.split(' ').collect();
                    let word = format!("word{n}");
                    over.push(words[*place].to_owned());
                    words[*place] = &word;
                    two.edit(*end, 0, Value::text(words.join(" ")));
                    typed.push(word);
                }
                Deed::Level(end, low) => {
                    let words = if *end == End::Left { ["High", "Low"] } else { ["Critical", "Minor"] };
                    two.edit(*end, 2, Value::choice(words[usize::from(*low)]));
                }
                Deed::Note(end) => {
                    // The first word is another; the cut is not touched.
                    let held = two.held(*end, 1);
                    let rest = held.split_once(' ').map(|(_, rest)| rest.to_owned()).unwrap_or_default();
                    two.edit(*end, 1, Value::text(format!("w{n} {rest}")));
                }
                Deed::Run => {
                    two.run(&lane);
                }
            }
        }
        two.run(&lane);
        two.run(&lane);
        let before = two.items.clone();
        let open = two.run(&lane);
        prop_assert_eq!(&two.items, &before, "something is still written");
        prop_assert!(open.iter().all(|f| f.reason.is_conflict()), "{:?}", open);
        let in_conflict = |field: &str| open.iter().any(|f| f.field == *field);
        let has = |word: &String| Ends::of(|end| two.held(end, 0).split(' ').any(|held| held == *word));
        for word in typed.iter().filter(|word| !over.contains(word)) {
            let at = has(word);
            prop_assert!((at.left && at.right) || (in_conflict("title") && (at.left || at.right)), "{} is lost", word);
        }
        for word in over.iter().filter(|_| !in_conflict("title")) {
            prop_assert_eq!(has(word), Ends { left: false, right: false }, "{} is back", word);
        }
        if !in_conflict("text") {
            let (left, right) = (two.held(End::Left, 1), two.held(End::Right, 1));
            prop_assert!(left.starts_with(&right) || right == left, "{} / {}", left, right);
            prop_assert!(left.ends_with("above the limit"), "{}", left);
        }
        if !in_conflict("grade") {
            prop_assert_eq!(two.held(End::Left, 2) == "Low", two.held(End::Right, 2) == "Minor");
        }
    }
}

/// What was carried one way before says nothing of the way back: nobody is asked where both ends agree.
#[test]
fn a_lane_that_carried_one_way_goes_on_both_ways_without_a_question() {
    let mut two = Two::new(BEGINNING);
    let one_way = lane(Direction::ToRight);
    two.run(&one_way);
    two.edit(End::Left, 0, Value::text("Stop at once"));
    two.run(&one_way);
    two.edit(End::Right, 2, Value::choice("Minor"));
    assert_eq!(two.run(&one_way)[0].reason, FieldReason::Changed(End::Right), "it stays there");
    let both = lane(Direction::Both);
    let found = two.run(&both);
    assert_eq!(conflicts(&found), []);
    assert_eq!(found.iter().map(|f| f.reason).collect::<Vec<_>>(), [FieldReason::Back(End::Right)]);
    assert_eq!(two.held(End::Left, 2), "Low", "what was held back before comes over");
    assert_eq!(two.run(&both), []);
    // With another row the rule gives something else at the right, from which no row leads back, and nobody edited
    // anything: a person decides.
    let mut other = both.clone();
    let fill = other.rules[2].into.right.as_mut().expect("it fills the right");
    let Conversion::ValueMap(map) = &mut fill.conversions[0] else { panic!("a map") };
    map.rows[2].right = "Critical".into();
    assert_eq!(two.run(&other).iter().map(|f| f.reason).collect::<Vec<_>>(), [FieldReason::RuleChanged]);
}

/// A lane that is turned round remembers what both ends agreed on. Nobody is asked, what a rule cut short or put together is
/// not written over what it was made of, and edits come the other way from then on.
#[test]
fn a_lane_turned_round_goes_on_without_a_question() {
    let reasons = |found: &[FieldChange]| found.iter().map(|f| f.reason).collect::<Vec<_>>();
    let (to_right, both) = (lane(Direction::ToRight), lane(Direction::Both));
    let (to_left, lost) = to_right.turned(End::Left);
    assert_eq!(lost, []);
    for run_between in [false, true] {
        let mut two = Two::new(BEGINNING);
        two.run(&to_right);
        two.edit(End::Left, 0, Value::text("Stop the cabin at Northend"));
        assert_eq!(reasons(&two.run(&to_right)), [FieldReason::Changed(End::Left)]);
        let before = two.items.clone();
        if run_between {
            assert_eq!(two.run(&to_left), []);
            assert_eq!(two.items, before, "nothing is written");
        }
        two.edit(End::Right, 0, Value::text("Stop the cabin at once"));
        assert_eq!(reasons(&two.run(&to_left)), [FieldReason::Changed(End::Right)]);
        assert_eq!(two.held(End::Left, 0), "Stop the cabin at once");
        assert_eq!(
            Ends::of(|end| two.held(end, 1)),
            Ends::of(|end| before[end].fields.get(FIELDS[end][1]).unwrap().display())
        );
        assert_eq!(two.held(End::Left, 2), "Blocker", "two values of the left are one at the right");
        two.edit(End::Right, 2, Value::choice("Minor"));
        two.edit(End::Left, 1, Value::text("Both ropes"));
        let found = two.run(&to_left);
        assert_eq!(reasons(&found), [FieldReason::Changed(End::Left), FieldReason::Changed(End::Right)]);
        assert_eq!(two.held(End::Left, 2), "Low");
        assert_eq!(
            two.held(End::Left, 1),
            "Both ropes",
            "what the end that is written holds is not written over unasked"
        );
        // Turned back, and both ways, the edit that was held back is carried.
        let after = (two.items.clone(), two.base.clone());
        for lane in [&to_right, &both] {
            (two.items, two.base) = after.clone();
            assert_eq!(reasons(&two.run(lane)), [FieldReason::Changed(End::Left)]);
            assert_eq!(two.held(End::Right, 1), "Both ropes");
            assert_eq!(two.run(lane), []);
        }
    }
}

/// Edits of different words of a title are at both ends after one run; and if the write into the right does not come about,
/// after the next.
#[test]
fn edits_in_different_parts_are_merged_at_both_ends() {
    let both = lane(Direction::Both);
    for half in [false, true] {
        let mut two = Two::new(BEGINNING);
        two.run(&both);
        two.edit(End::Left, 0, Value::text("Halt the cabin at Midway"));
        two.edit(End::Right, 0, Value::text("Stop the cabin at Northend"));
        two.right_fails = half;
        assert_eq!(two.run(&both).iter().map(|f| f.reason).collect::<Vec<_>>(), [FieldReason::Merged]);
        let held = |two: &Two| Ends::of(|end| two.held(end, 0));
        let merged = "Halt the cabin at Northend".to_owned();
        if half {
            assert_eq!(held(&two), Ends { left: merged.clone(), right: "Stop the cabin at Northend".into() });
            two.right_fails = false;
            let found = two.run(&both);
            assert_eq!(found.iter().map(|f| f.reason).collect::<Vec<_>>(), [FieldReason::Changed(End::Left)]);
        }
        assert_eq!(held(&two), Ends { left: merged.clone(), right: merged });
        assert_eq!(two.run(&both), []);
    }
    // In neighbouring words, a person decides.
    let mut two = Two::new(BEGINNING);
    two.run(&both);
    two.edit(End::Left, 0, Value::text("Halt the cabin at Midway"));
    two.edit(End::Right, 0, Value::text("Stop every cabin at Midway"));
    assert_eq!(conflicts(&two.run(&both)), [FieldReason::BothChanged]);
}

/// What can't be taken back is a conflict, told with its reason; the other fields go on.
#[test]
fn an_edit_that_cannot_be_taken_back_waits_and_the_others_go_on() {
    let both = lane(Direction::Both);
    let mut two = Two::new(BEGINNING);
    two.run(&both);
    two.edit(End::Right, 1, Value::text("stop the lift"));
    two.edit(End::Right, 2, Value::choice("Odd"));
    two.edit(End::Right, 0, Value::text("Halt"));
    let found = two.run(&both);
    let told = |field: &str| found.iter().find(|f| f.field == *field).expect("it is told");
    for field in ["text", "grade"] {
        assert_eq!(told(field).reason, FieldReason::NotCarried(End::Right));
        assert_eq!(told(field).cannot.iter().map(|(end, _)| *end).collect::<Vec<_>>(), [End::Left]);
    }
    assert_eq!((two.held(End::Left, 0), two.held(End::Left, 1)), ("Halt".into(), BEGINNING[1].into()));
}
