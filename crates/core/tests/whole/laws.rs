//! Laws 1, 2, 4, 5, 7 and 9 over generated worlds: an end that is read, one that is written and is a plain model of a target,
//! and any interleaving of edits and transfers. Either of the two is the left.

use std::collections::{BTreeMap, HashMap};

use hovrel_core::base::{Base, Pair};
use hovrel_core::carry::*;
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema};
use hovrel_core::compare::{AtEnd, Comparer, Known, compare_lane, targets};
use hovrel_core::identity::{Between, InLane, Settled, counterparts};
use hovrel_core::model::{Artefact, ById, End, Ends, Fields, Kind, Value, ValueType, origin_mark};
use hovrel_core::plan::{
    Change, Decision, FieldDecision, Outcome, Written, WrittenField, base_after, fields_to_write, waves,
};
use hovrel_core::rules::*;
use hovrel_core::scope::{Condition, ConditionRow, Filter, Operator};
use proptest::prelude::*;

const FIELDS: [&str; 3] = ["name", "note", "level"];

fn schema(limit: Option<u32>) -> KindSchema {
    let mut fields: Vec<FieldSchema> = FIELDS.iter().map(|f| FieldSchema::new(f, f, ValueType::Text)).collect();
    fields[1].max_length = limit;
    fields[2].value_type = ValueType::Choice;
    fields.push(FieldSchema { origin_mark: true, ..FieldSchema::new("mark", "mark", ValueType::Text) });
    KindSchema::new(Kind::TestCase, "Case", fields)
}

/// A lane that reads an end and writes the other.
fn lane(read: End) -> Lane {
    let rule = |target: &str, source, conversions| {
        Rule::filling(read.other(), Fill { target: target.into(), source, conversions })
    };
    let field = |f: &str| Source::Field(f.into());
    let row = |l: &str, r: &str| ValueRow { left: l.into(), right: r.into(), returns: true };
    let map =
        ValueMap { rows: vec![row("a", "A"), row("b", "A"), row("c", "C")], otherwise: Fallback::Use("Other".into()) };
    let rules = vec![
        rule("name", field("name"), vec![]),
        rule("note", field("note"), vec![Conversion::Shorten { to: 5 }]),
        rule("level", field("level"), vec![Conversion::ValueMap(map)]),
        rule("mark", Source::Origin, vec![]),
    ];
    let direction = if read == End::Left { Direction::ToRight } else { Direction::ToLeft };
    Lane { direction, ..Lane::of_kind(Kind::TestCase, rules) }
}

fn artefact(id: &str, values: &[&str; 3]) -> Artefact {
    let held =
        |f: &str, v: &str| (f.to_owned(), if f == "level" { Value::choice(v) } else { Value::text(v) }.settled());
    Artefact {
        version: Some("1".into()),
        title: values[0].into(),
        fields: FIELDS.iter().zip(values).map(|(f, v)| held(f, v)).collect::<Fields>(),
        ..Artefact::bare(Kind::TestCase, id)
    }
}

/// Both ends and what is remembered.
#[derive(Clone, Debug)]
struct World {
    /// The end that is read.
    read: End,
    from: Vec<Artefact>,
    there: Vec<Artefact>,
    pairs: Vec<Pair>,
    bases: HashMap<String, Base>,
    made: u32,
}

impl World {
    fn of(read: End, from: Vec<Artefact>, there: Vec<Artefact>) -> World {
        World { read, from, there, pairs: Vec::new(), bases: HashMap::new(), made: 0 }
    }

    fn lane(&self) -> Lane {
        lane(self.read)
    }

    fn dry_run(&self, lane: &Lane) -> Vec<Change> {
        let catalogue = Catalogue { kinds: vec![schema(None)], users: vec![], findings: vec![] };
        let there_kind = schema(Some(5));
        let (users, places) = (UserMatcher::default(), HashMap::<(Kind, String), Place>::new());
        let cx = Context {
            system: "Old",
            from: &catalogue,
            from_kind: &catalogue.kinds[0],
            to_kind: &there_kind,
            to_users: &users,
            places: &places,
        };
        let matching = |list: &'_ [Artefact], c: &Condition| -> Vec<Artefact> {
            let filter = Filter::new(c, &there_kind, "2026-03-01T00:00:00Z".parse().expect("a time"));
            list.iter().filter(|a| filter.matches(a, &[])).cloned().collect()
        };
        let at = Ends::at(self.read, &self.from, &self.there);
        let covered = Ends::of(|end| matching(at[end], lane.scope_at(end)));
        let covered = covered.as_ref().map(|list| list.iter().collect::<Vec<&Artefact>>());
        let by_id = |list: &'_ [Artefact]| -> HashMap<String, Artefact> {
            list.iter().map(|a| (a.id.clone(), a.clone())).collect()
        };
        let everything = at.map(|list| by_id(list));
        fn refs(all: &HashMap<String, Artefact>) -> ById<'_> {
            all.iter().map(|(id, a)| (id.as_str(), a)).collect()
        }
        let path = |_: &Artefact| String::new();
        let nothing = Settled::new();
        let pairs = self.pairs.clone().into();
        let of_lane = covered.as_ref().map(Vec::as_slice);
        let of = InLane { lane, covered: of_lane, pairs: &pairs, settled: &nothing, asked: &Default::default() };
        let systems = Ends::at(self.read, "Old", "New");
        let found = counterparts(Between { systems, paths: Ends { left: &path, right: &path } }, &[of]);
        let known = Known {
            bases: &self.bases,
            accepted: &HashMap::new(),
            paths: Ends { left: &path, right: &path },
            first_seq: 0,
            planned: &Ends::default(),
        };
        let mut changes = Vec::new();
        let all = everything.as_ref().map(|all| refs(all));
        let at = Ends::of(|end| AtEnd { covered: &covered[end], all: &all[end], absent: None });
        let comparer = Comparer::new(lane, &cx);
        let relations = comparer.walk(at, &pairs, &found[0]);
        compare_lane(&comparer, &relations, &known, &mut |change| changes.push(change));
        changes
    }

    /// Applies what is included. `decide` may change decisions.
    fn transfer(&mut self, lane: &Lane, found: &[Change], decide: impl Fn(&mut Decision)) {
        for change in found {
            let mut decision = Decision::default_for(change);
            decide(&mut decision);
            if !decision.included || (change.outcome == Outcome::Blocked || change.outcome.is_absent()) {
                continue;
            }
            let (read, written) = (self.read, self.read.other());
            let from = change.side(read).expect("it comes from there");
            let there_id = match change.side(written).filter(|_| !decision.as_new) {
                Some(side) => side.id.clone(),
                None => {
                    self.made += 1;
                    let id = format!("r{}", self.made);
                    self.there.push(artefact(&id, &["", "", ""]));
                    id
                }
            };
            let there = self.there.iter_mut().find(|a| a.id == there_id).expect("it is there");
            let ids = Ends::at(read, from.id.clone(), there_id);
            let creates = change.outcome == Outcome::New(written) || decision.as_new;
            let mut written = Written::nothing(written, 0);
            for f in fields_to_write(change, &decision, lane.policies.first_contact) {
                let field = WrittenField { sent: f.write.clone(), held: f.write.clone() };
                written.fields.insert(f.field.clone(), field);
                there.fields.set(f.field.id(), f.write.clone());
                match f.field.id() {
                    "name" => there.title = f.write.display(),
                    "mark" => there.origin = Some(f.write.display()),
                    _ => {}
                }
            }
            written.made = creates.then(|| targets(lane, there));
            let old = self.bases.get(&ids.left).cloned().unwrap_or_default();
            let digests = lane.rules.iter().map(|r| (r.id.clone(), String::new())).collect();
            let base = base_after(lane, change, &decision, &written, &old, &digests);
            let pair = Pair {
                ids,
                keys: Ends::at(read, from.key.clone(), String::new()),
                bases: Ends { left: base.left.fingerprint(), right: base.right.fingerprint() },
                agreed: None,
                let_go: false,
            };
            self.pairs.retain(|p| p.ids[read] != pair.ids[read]);
            self.bases.insert(pair.ids.left.clone(), base);
            self.pairs.push(pair);
        }
    }
}

fn values() -> impl Strategy<Value = [&'static str; 3]> {
    (
        prop::sample::select(vec!["Stop", "Stop now", "Wind", "Gate"]),
        prop::sample::select(vec!["", "short", "longer than five"]),
        prop::sample::select(vec!["", "a", "b", "c", "zzz"]),
    )
        .prop_map(|(a, b, c)| [a, b, c])
}

fn world() -> impl Strategy<Value = World> {
    let lists = (prop::collection::vec(values(), 0..6), prop::collection::vec(values(), 0..4));
    (any::<bool>(), lists).prop_map(|(reads_left, (from, there))| {
        let of = |name: &str, list: &[[&'static str; 3]]| {
            list.iter().enumerate().map(|(n, v)| artefact(&format!("{name}{n}"), v)).collect()
        };
        World::of(if reads_left { End::Left } else { End::Right }, of("L", &from), of("x", &there))
    })
}

/// Somebody edits a field of an item at one end.
#[derive(Debug, Clone)]
enum Deed {
    EditFrom(usize, usize, &'static str),
    EditThere(usize, usize, &'static str),
    Transfer,
}

fn deeds() -> impl Strategy<Value = Vec<Deed>> {
    let word = prop::sample::select(vec!["a", "b", "new", "five5"]);
    prop::collection::vec(
        prop_oneof![
            (0..6usize, 0..2usize, word.clone()).prop_map(|(n, f, w)| Deed::EditFrom(n, f, w)),
            (0..8usize, 0..2usize, word).prop_map(|(n, f, w)| Deed::EditThere(n, f, w)),
            Just(Deed::Transfer),
        ],
        0..10,
    )
}

fn edit(list: &mut [Artefact], n: usize, field: usize, word: &str) {
    if let Some(a) = list.get_mut(n) {
        a.fields.set(FIELDS[field], Value::text(word));
        if field == 0 {
            a.title = word.into();
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Law 1: the same inputs give the same plan, byte for byte.
    #[test]
    fn a_plan_is_the_same_every_time(w in world()) {
        let bytes = |f: Vec<Change>| serde_json::to_vec(&f).unwrap();
        prop_assert_eq!(bytes(w.dry_run(&w.lane())), bytes(w.dry_run(&w.lane())));
    }

    /// Laws 2 and 5: everything taken in and decided, a second dry run is empty; Hovrel's own writes are
    /// nobody's change.
    #[test]
    fn a_second_dry_run_is_empty(mut w in world(), deeds in deeds()) {
        let lane = w.lane();
        for deed in deeds {
            match deed {
                Deed::EditFrom(n, f, word) => edit(&mut w.from, n, f, word),
                Deed::EditThere(n, f, word) => edit(&mut w.there, n, f, word),
                Deed::Transfer => { let found = w.dry_run(&lane); w.transfer(&lane, &found, |_| {}); }
            }
        }
        let (found, into) = (w.dry_run(&lane), w.read.other());
        w.transfer(&lane, &found, |d| {
            d.included = true;
            d.fields = FIELDS.iter().chain(&["mark"]).map(|f| ((*f).into(), FieldDecision::Write(into))).collect();
        });
        let again = w.dry_run(&lane);
        prop_assert!(again.iter().all(|c| c.outcome == Outcome::Blocked), "{:?}", again);
    }

    /// Law 4: however often it is transferred, each item of the end that is read is at the other once.
    #[test]
    fn nothing_is_made_twice(mut w in world(), times in 1..4) {
        let lane = w.lane();
        for _ in 0..times {
            let found = w.dry_run(&lane);
            w.transfer(&lane, &found, |_| {});
            // Hovrel forgets everything: the marks alone must keep items from being made again.
            w.pairs.clear();
            w.bases.clear();
        }
        let mut marks: BTreeMap<&str, usize> = BTreeMap::new();
        for a in &w.there {
            if let Some(mark) = &a.origin {
                *marks.entry(mark).or_default() += 1;
            }
        }
        prop_assert!(marks.values().all(|n| *n == 1), "{:?}", marks);
        let known: Vec<String> = w.from.iter().map(|a| origin_mark("Old", a)).collect();
        prop_assert!(marks.keys().all(|m| known.iter().any(|k| k == m)));
    }

    /// A value typed at the end that is written is never overwritten unless somebody decides so.
    #[test]
    fn an_edit_where_it_is_written_is_kept(mut w in world(), n in 0..6usize, word in "[d-z]{1,5}") {
        let lane = w.lane();
        let found = w.dry_run(&lane);
        w.transfer(&lane, &found, |_| {});
        edit(&mut w.there, n, 1, &word);
        edit(&mut w.from, n, 1, "other");
        let found = w.dry_run(&lane);
        w.transfer(&lane, &found, |_| {});
        if let Some(a) = w.there.get(n) {
            prop_assert_eq!(a.fields.get("note"), Some(&Value::text(word)));
        }
    }

    /// Law 7: what is at the written end after a transfer equals the other's value, or the plan said what is lost.
    #[test]
    fn every_loss_is_in_the_plan(mut w in world()) {
        let lane = w.lane();
        w.there.clear();
        let found = w.dry_run(&lane);
        w.transfer(&lane, &found, |_| {});
        for change in found {
            let from = w.from.iter().find(|a| a.id == change.side(w.read).unwrap().id).unwrap();
            let there = w.there.iter().find(|a| a.origin.as_deref() == Some(&origin_mark("Old", from))).unwrap();
            let exact = |f: &str| from.fields.get(f) == there.fields.get(f);
            let declared = |f: &str| change.losses.iter().any(|l| l.field == f);
            prop_assert!(exact("name") || declared("name"));
            prop_assert!(exact("note") || declared("note"), "{:?}", change);
            let level = from.fields.get("level").map(Value::display).unwrap_or_default();
            prop_assert!(level != "zzz" || declared("level"));
        }
    }

    /// Law 9: nothing outside the scope is in a plan or is written.
    #[test]
    fn scope_is_a_wall(mut w in world(), name in prop::sample::select(vec!["Stop", "Wind", "nobody"])) {
        let mut lane = w.lane();
        let only = || Condition::All(vec![Condition::Row(ConditionRow { field: "name".into(), op: Operator::Is, value: name.into(), values: vec![] })]);
        lane.left_scope = only();
        lane.right_scope = only();
        let outside: Vec<Artefact> = w.there.iter().filter(|a| a.title != name).cloned().collect();
        let found = w.dry_run(&lane);
        prop_assert!(found.iter().all(|c| c.side(w.read).is_some_and(|s| s.title == name)));
        w.transfer(&lane, &found, |d| d.included = true);
        for a in outside {
            prop_assert!(w.there.contains(&a), "{:?} was written", a);
        }
    }

    /// Waves respect every dependency and hold every change once.
    #[test]
    fn waves_respect_dependencies(links in prop::collection::vec(prop::collection::vec(0..20u32, 0..3), 1..20)) {
        let changes: Vec<(u32, Vec<u32>)> =
            links.into_iter().enumerate().map(|(n, l)| (n as u32, l.into_iter().filter(|d| *d < n as u32).collect())).collect();
        let waves = waves(&changes);
        let at = |seq: u32| waves.iter().position(|w| w.contains(&seq)).unwrap();
        prop_assert_eq!(waves.iter().map(Vec::len).sum::<usize>(), changes.len());
        for (seq, depends_on) in &changes {
            prop_assert!(depends_on.iter().all(|d| at(*d) < at(*seq)));
        }
    }
}

/// The reconciliation rules of Pierce and Vouillon 2004 (“What's in Unison?”), as the table of cases that
/// the direction of a lane allows: (changed where it is read, where it is written) and the outcome.
#[test]
fn reconciliation_follows_the_table() {
    for read in End::BOTH {
        let (lane, written) = (lane(read), read.other());
        for (from, there, expected) in [
            (None, None, None),
            (Some("new"), None, Some(Outcome::Update(written))),
            (None, Some("new"), Some(Outcome::Held(written))),
            (Some("new"), Some("new"), Some(Outcome::InStep)),
            (Some("new"), Some("other"), Some(Outcome::Conflict)),
        ] {
            let mut w = World::of(read, vec![artefact("L0", &["Stop", "short", "a"])], vec![]);
            let found = w.dry_run(&lane);
            w.transfer(&lane, &found, |_| {});
            if let Some(word) = from {
                edit(&mut w.from, 0, 1, word);
            }
            if let Some(word) = there {
                edit(&mut w.there, 0, 1, word);
            }
            let found: Vec<Outcome> = w.dry_run(&lane).iter().map(|c| c.outcome).collect();
            assert_eq!(found, expected.into_iter().collect::<Vec<_>>(), "{read:?} {from:?}, other end {there:?}");
        }
    }
}
