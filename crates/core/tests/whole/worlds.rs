//! Laws 2, 4, 6 and 7 over worlds of several kinds that hang together: shared steps that call each other
//! (in circles too, and what is not there), test cases of one name in odd text with links in circles, suites,
//! executions; a right end with items of its own; transfers that are cut at any call.

use std::collections::{BTreeMap, HashMap};

use hovrel_core::agree::same;
use hovrel_core::base::{Base, Pair, Pairs};
use hovrel_core::carry::*;
use hovrel_core::catalogue::{Calls, Catalogue, FieldSchema, KindSchema};
use hovrel_core::compare::{AtEnd, Comparer, Known, compare_lane, targets};
use hovrel_core::identity::{Between, Candidate, InLane, Looking, Settled, counterparts, match_first_contact};
use hovrel_core::model::{
    Argument, Artefact, Block, ById, Call, Document, End, Ends, Inline, Kind, LINKS, Link, LinkEnd, LinkType,
    Reference, Step, Value, ValueType, labelled, named, names_pending, origin_mark, slot_value,
};
use hovrel_core::plan::{
    Change, Decision, FieldDecision, Outcome, Written, WrittenField, base_after, fields_to_write, waves,
};
use hovrel_core::prepare::*;
use hovrel_core::rules::*;
use hovrel_core::text::TextFormat;
use proptest::prelude::*;

const ORDER: [Kind; 4] = [Kind::SharedSteps, Kind::TestCase, Kind::TestSuite, Kind::Execution];
const MARK: &str = "mark";

/// What both ends can hold; the right has shorter texts, fewer link types and calls without arguments.
fn catalogue(right: bool) -> Catalogue {
    let field = |id: &str, value_type| FieldSchema::new(id, id, value_type);
    let title = FieldSchema { required: true, max_length: right.then_some(200), ..field("title", ValueType::Text) };
    let format = Some(if right { TextFormat::Markdown } else { TextFormat::Html });
    let calls = if right { Calls::Plain } else { Calls::WithArguments };
    let steps = FieldSchema { format, calls, ..field("steps", ValueType::Steps) };
    let to_case = |id, value_type| FieldSchema { refers_to: Some(Kind::TestCase), ..field(id, value_type) };
    let types = right.then(|| vec![LinkType::RelatesTo, LinkType::Verifies]);
    let of = |kind| match kind {
        Kind::SharedSteps => vec![steps.clone()],
        Kind::TestCase => vec![
            steps.clone(),
            FieldSchema { format, ..field("text", ValueType::RichText) },
            FieldSchema { link_types: types.clone(), ..field(LINKS, ValueType::Links) },
        ],
        Kind::TestSuite => vec![to_case("members", ValueType::References)],
        _ => vec![FieldSchema { required: true, ..to_case("case", ValueType::Reference) }],
    };
    let kinds = ORDER.map(|kind| {
        let mark = FieldSchema { origin_mark: true, ..field(MARK, ValueType::Text) };
        let fields = [vec![title.clone(), mark], of(kind)].concat();
        KindSchema { in_folders: false, ..KindSchema::new(kind, kind.word(), fields) }
    });
    Catalogue { kinds: kinds.into(), users: vec![], findings: vec![] }
}

/// Every field of the right from the one of its name.
fn lanes() -> Vec<Lane> {
    let rule = |field: &FieldSchema| {
        let source = match field.id.as_str() {
            MARK => Source::Origin,
            LINKS => Source::Links,
            id => Source::Field(id.into()),
        };
        Rule::filling(End::Right, Fill { target: field.id.as_str().into(), source, conversions: vec![] })
    };
    let lane = |kind: &KindSchema| Lane::of_kind(kind.kind, kind.fields.iter().map(rule).collect());
    catalogue(true).kinds.iter().map(lane).collect()
}

/// Where everything is, and what it is called.
struct Places {
    of: HashMap<(Kind, String), Place>,
    called: HashMap<String, (Kind, String)>,
    there: HashMap<(Kind, String), String>,
}

impl PairLookup for Places {
    fn counterpart(&self, kind: Kind, id: &str) -> Option<Place> {
        self.of.counterpart(kind, id)
    }

    fn called(&self, key: &str) -> Option<(Kind, String)> {
        self.called.get(key).cloned()
    }

    fn name_there(&self, kind: Kind, id: &str) -> Option<String> {
        self.there.get(&(kind, id.to_owned())).cloned()
    }
}

/// One end as its system holds it, and what Hovrel remembers.
#[derive(Debug, Clone, Default)]
struct World {
    left: Vec<Artefact>,
    right: Vec<Artefact>,
    pairs: Vec<(Kind, Pair)>,
    bases: HashMap<Kind, HashMap<String, Base>>,
    made: u32,
}

/// What comes in the way of a transfer.
#[derive(Default)]
struct Trouble {
    /// The write of this number is done and nothing is noted of it, and it is the last.
    cut: Option<usize>,
    /// The item of this id is never taken.
    refused: Option<String>,
}

const SYSTEMS: Ends<&str> = Ends { left: "Old", right: "New" };

impl World {
    fn of(list: &[Artefact], kind: Kind) -> Vec<&Artefact> {
        list.iter().filter(|a| a.kind == kind).collect()
    }

    /// The left as its rules take it: calls that the right can't hold are expanded.
    fn prepared(&self) -> Vec<Artefact> {
        let shared: HashMap<&str, &Artefact> =
            World::of(&self.left, Kind::SharedSteps).into_iter().map(|a| (a.id.as_str(), a)).collect();
        self.left.iter().map(|a| expand_calls(a, &shared, Calls::Plain).unwrap_or_else(|| a.clone())).collect()
    }

    fn pairs_of(&self, kind: Kind) -> Pairs {
        self.pairs.iter().filter(|(k, _)| *k == kind).map(|(_, p)| p.clone()).collect::<Vec<_>>().into()
    }

    /// Where everything of the left is or will be.
    fn places(&self, left: &[Artefact]) -> Places {
        let mut out = HashMap::new();
        for kind in ORDER {
            let pairs = self.pairs_of(kind);
            let candidates = |list: &'_ [Artefact], taken: Vec<&str>| -> Vec<Artefact> {
                World::of(list, kind).into_iter().filter(|a| !taken.contains(&a.id.as_str())).cloned().collect()
            };
            let free_left = candidates(left, pairs.iter().map(|p| p.ids.left.as_str()).collect());
            let free_right = candidates(&self.right, pairs.iter().map(|p| p.ids.right.as_str()).collect());
            fn seen(list: &[Artefact]) -> Vec<Candidate<'_>> {
                list.iter().map(|a| Candidate { artefact: a, path: String::new() }).collect()
            }
            let found = {
                let sure = Matching { similar_from: 101, key: None };
                let looking = Looking {
                    systems: SYSTEMS,
                    read: End::Left,
                    matching: &sure,
                    settled: &Default::default(),
                    asked: &Default::default(),
                };
                match_first_contact(looking, &seen(&free_left), &seen(&free_right))
            };
            let mut set = |id: &str, reference| out.insert((kind, id.to_owned()), Place { kind, reference });
            for a in &free_left {
                set(&a.id, Reference::Pending { kind, id: a.id.clone() });
            }
            for (l, r, _) in found {
                set(&free_left[l].id, Reference::known(&free_right[r].id));
            }
            for p in pairs.iter() {
                set(&p.ids.left, Reference::known(&p.ids.right));
            }
        }
        Places {
            of: out,
            called: left.iter().map(|a| (a.key.clone(), (a.kind, a.id.clone()))).collect(),
            there: self.right.iter().map(|a| ((a.kind, a.id.clone()), a.key.clone())).collect(),
        }
    }

    fn dry_run(&self) -> Vec<Change> {
        let (here, there, users) = (catalogue(false), catalogue(true), UserMatcher::default());
        let left = self.prepared();
        let places = self.places(&left);
        let mut changes: Vec<Change> = Vec::new();
        let mut planned = Ends::<HashMap<(Kind, String), u32>>::default();
        for lane in lanes() {
            let kind = lane.left_kind;
            let cx = Context {
                system: "Old",
                from: &here,
                from_kind: here.kind(kind).unwrap(),
                to_kind: there.kind(kind).unwrap(),
                to_users: &users,
                places: &places,
            };
            let (mut ls, rs) = (World::of(&left, kind), World::of(&self.right, kind));
            if kind == Kind::SharedSteps {
                let order = call_order(&ls);
                ls.sort_by_key(|a| order.iter().position(|id| *id == a.id));
            }
            let all = |list: &[&'_ Artefact]| -> HashMap<String, Artefact> {
                list.iter().map(|a| (a.id.clone(), (*a).clone())).collect()
            };
            fn refs(all: &HashMap<String, Artefact>) -> ById<'_> {
                all.iter().map(|(id, a)| (id.as_str(), a)).collect()
            }
            let (left_all, right_all) = (all(&ls), all(&rs));
            let path = |_: &Artefact| String::new();
            let none = HashMap::new();
            let pairs = self.pairs_of(kind);
            let nothing = Settled::new();
            let of = InLane {
                lane: &lane,
                covered: Ends { left: &ls[..], right: &rs[..] },
                pairs: &pairs,
                settled: &nothing,
                asked: &Default::default(),
            };
            let found = counterparts(Between { systems: SYSTEMS, paths: Ends { left: &path, right: &path } }, &[of]);
            let known = Known {
                bases: self.bases.get(&kind).unwrap_or(&none),
                accepted: &HashMap::new(),
                paths: Ends { left: &path, right: &path },
                first_seq: changes.len() as u32,
                planned: &planned,
            };
            let all = Ends { left: refs(&left_all), right: refs(&right_all) };
            let at = Ends {
                left: AtEnd { covered: &ls, all: &all.left, absent: None },
                right: AtEnd { covered: &rs, all: &all.right, absent: None },
            };
            let comparer = Comparer::new(&lane, &cx);
            let relations = comparer.walk(at, &pairs, &found[0]);
            let mut found: Vec<Change> = Vec::new();
            compare_lane(&comparer, &relations, &known, &mut |change| found.push(change));
            let made = found.iter().filter(|c| matches!(c.outcome, Outcome::New(End::Right) | Outcome::Adopt));
            planned.right.extend(made.map(|c| ((kind, c.left.as_ref().unwrap().id.clone()), c.seq)));
            changes.extend(found);
        }
        changes
    }

    /// Applies a plan as the engine does: items by waves, in any order within a wave, with those of their
    /// links that lead somewhere by then; the rest of the links at the end.
    fn transfer(&mut self, changes: &[Change], seed: u64, trouble: &Trouble, decide: impl Fn(&mut Decision)) {
        let lanes = lanes();
        let decided: BTreeMap<u32, Decision> = changes
            .iter()
            .map(|c| {
                let mut decision = Decision::default_for(c);
                decide(&mut decision);
                decision.included &= c.outcome != Outcome::Blocked && !c.outcome.is_absent();
                (c.seq, decision)
            })
            .collect();
        let order: Vec<(u32, Vec<u32>)> = changes
            .iter()
            .filter(|c| decided[&c.seq].included)
            .map(|c| (c.seq, [c.depends_on.as_slice(), c.after.as_slice()].concat()))
            .collect();
        let mut places: HashMap<(Kind, String), String> =
            self.pairs.iter().map(|(k, p)| ((*k, p.ids.left.clone()), p.ids.right.clone())).collect();
        let mut writes = 0;
        let mut later: Vec<(u32, String)> = Vec::new();
        for mut wave in waves(&order) {
            wave.sort_by_key(|seq| (u64::from(*seq) + 1).wrapping_mul(seed | 1).wrapping_mul(0x9e37_79b9_7f4a_7c15));
            for seq in wave {
                let change = &changes[seq as usize];
                let decision = &decided[&seq];
                let lane = lanes.iter().find(|l| l.left_kind == change.kind).unwrap();
                let left = change.left.as_ref().unwrap();
                if trouble.refused.as_ref() == Some(&left.id) {
                    continue;
                }
                let mut fields = Vec::new();
                let mut lacking = Lacking::new();
                let mut names_to_come = false;
                for f in fields_to_write(change, decision, lane.policies.first_contact) {
                    let Ok(found) = resolved(&f.write, &|kind, id| there(&places, kind, id)) else {
                        fields.clear();
                        break;
                    };
                    let value = found.value;
                    lacking.extend((!found.lacking.is_empty()).then(|| (f.field.clone(), found.lacking)));
                    names_to_come |= names_pending(&value);
                    fields.push((f.field.to_string(), labelled(&value).into_owned()));
                }
                if fields.is_empty() && change.outcome == Outcome::New(End::Right) {
                    // Refused: what it can't do without is not there.
                    continue;
                }
                let right_id = match change.right.as_ref().filter(|_| !decision.as_new) {
                    Some(side) => side.id.clone(),
                    None => self.make(change.kind),
                };
                let made = change.outcome == Outcome::New(End::Right) || decision.as_new;
                self.write(&right_id, fields.clone());
                writes += 1;
                if trouble.cut == Some(writes) {
                    return;
                }
                places.insert((change.kind, left.id.clone()), right_id.clone());
                match names_to_come || lacking.contains_key(LINKS) {
                    false => self.note(lane, change, decision, right_id, fields, made, lacking),
                    true => later.push((seq, right_id)),
                }
            }
        }
        for (seq, right_id) in later {
            let (change, decision) = (&changes[seq as usize], &decided[&seq]);
            let lane = lanes.iter().find(|l| l.left_kind == change.kind).unwrap();
            let mut fields = Vec::new();
            let mut lacking = Lacking::new();
            for f in fields_to_write(change, decision, lane.policies.first_contact) {
                let Ok(found) = resolved(&f.write, &|kind, id| there(&places, kind, id)) else { continue };
                lacking.extend((!found.lacking.is_empty()).then(|| (f.field.clone(), found.lacking)));
                let called = |kind, id: &str| Some(there(&places, kind, id)?.1);
                fields.push((f.field.to_string(), named(&found.value, &called).into_owned()));
            }
            let made = change.outcome == Outcome::New(End::Right) || decision.as_new;
            self.write(&right_id, fields.clone());
            writes += 1;
            if trouble.cut == Some(writes) {
                return;
            }
            self.note(lane, change, decision, right_id, fields, made, lacking);
        }
    }

    fn make(&mut self, kind: Kind) -> String {
        self.made += 1;
        let id = format!("r{}", self.made);
        self.right.push(Artefact::bare(kind, &id));
        id
    }

    fn write(&mut self, id: &str, fields: Vec<(String, Value)>) {
        let there = self.right.iter_mut().find(|a| a.id == id).expect("it is there");
        for (field, value) in fields {
            match (field.as_str(), &value) {
                (LINKS, Value::Links(list)) => there.links = list.clone(),
                (LINKS, _) => there.links.clear(),
                _ => {
                    match field.as_str() {
                        "title" => there.title = value.display(),
                        MARK => there.origin = Some(value.display()),
                        _ => {}
                    }
                    there.fields.set(field, value);
                }
            }
        }
    }

    /// Notes what was written, as the right holds it, and what it held besides if it was made.
    #[allow(clippy::too_many_arguments)]
    fn note(
        &mut self,
        lane: &Lane,
        change: &Change,
        decision: &Decision,
        right_id: String,
        fields: Vec<(String, Value)>,
        made: bool,
        lacking: Lacking,
    ) {
        let left = change.left.as_ref().unwrap().id.clone();
        let there = self.right.iter().find(|a| a.id == right_id).unwrap();
        let bases = self.bases.entry(change.kind).or_default();
        let old = bases.get(&left).cloned().unwrap_or_default();
        let held = |field: &str| slot_value(there, field).into_owned();
        let fields =
            fields.into_iter().map(|(f, sent)| (f.as_str().into(), WrittenField { sent, held: held(&f) })).collect();
        let made = made.then(|| targets(lane, there));
        let written = Written { fields, lacking, made, ..Written::nothing(End::Right, 0) };
        let digests = lane.rules.iter().map(|r| (r.id.clone(), String::new())).collect();
        let base = base_after(lane, change, decision, &written, &old, &digests);
        let bases_now = Ends { left: base.left.fingerprint(), right: base.right.fingerprint() };
        bases.insert(left.clone(), base);
        self.pairs.retain(|(k, p)| (*k, &p.ids.left) != (change.kind, &left));
        let ids = Ends { left, right: right_id };
        let pair = Pair { keys: ids.clone(), ids, bases: bases_now, agreed: None, let_go: false };
        self.pairs.push((change.kind, pair));
    }
}

/// Kind and id at the right of what is there by now. Everything is called by its id.
fn there(places: &HashMap<(Kind, String), String>, kind: Kind, id: &str) -> Option<(Kind, String)> {
    Some((kind, places.get(&(kind, id.to_owned()))?.clone()))
}

/// Text as people leave it in ten years.
fn odd_text() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        Just("Stop".to_owned()),
        Just(" brake".to_owned()),
        Just("e\u{301} é".to_owned()),
        Just("العربية 🚡".to_owned()),
        Just("a\u{200b}b\u{a0}".to_owned()),
        Just("\u{7}".to_owned()),
        Just("<b> &amp; *_`|".to_owned()),
        "[a-z]{1,4}",
        // Items of this world by their keys, perhaps of none.
        "[ (]c[0-6][ ,.]",
    ];
    prop::collection::vec(piece, 1..4).prop_map(|p| p.concat())
}

fn document() -> impl Strategy<Value = Document> {
    let inline = prop_oneof![
        3 => odd_text().prop_map(Inline::text),
        1 => odd_text().prop_map(|t| Inline::Strong { content: vec![Inline::text(t)] }),
        1 => "[a-z]{1,5}".prop_map(|name| Inline::Parameter { name }),
    ];
    let content = || prop::collection::vec(inline.clone(), 1..3);
    let cell = content().prop_map(|content| vec![Block::Paragraph { content }]);
    let block = prop_oneof![
        3 => content().prop_map(|content| Block::Paragraph { content }),
        1 => prop::collection::vec(prop::collection::vec(cell, 2..3), 1..3)
            .prop_map(|rows| Block::Table { header: true, rows }),
    ];
    prop::collection::vec(block, 0..3).prop_map(|blocks| Document { blocks }.normal())
}

/// A step that says something, or calls shared steps (perhaps what is not there), perhaps with an argument.
fn steps() -> impl Strategy<Value = Vec<Step>> {
    let says = (document(), document()).prop_map(|(action, expected)| Step { action, expected, ..Step::default() });
    let calls = (0..5u8, any::<bool>()).prop_map(|(to, with)| {
        let value = Document::from_text("5 m/s");
        let arguments = if with { vec![Argument { name: "speed".into(), value }] } else { vec![] };
        Step { call: Some(Call { target: Reference::known(format!("s{to}")), arguments }), ..Step::default() }
    });
    prop::collection::vec(prop_oneof![says, calls], 0..3)
}

fn title() -> impl Strategy<Value = String> {
    prop_oneof![2 => prop::sample::select(vec!["Stop", "Stop now", "Wind"]).prop_map(str::to_owned), 1 => odd_text()]
}

fn links() -> impl Strategy<Value = Vec<Link>> {
    let link_type = prop::sample::select(vec![LinkType::RelatesTo, LinkType::Verifies, LinkType::Duplicates]);
    let target = prop_oneof![
        4 => (0..7u8).prop_map(|n| LinkEnd::Artefact { kind: Kind::TestCase, id: format!("c{n}") }),
        1 => Just(LinkEnd::Artefact { kind: Kind::Requirement, id: "q1".into() }),
        1 => Just(LinkEnd::Url("https://skarnvik.example/plan".into())),
    ];
    let link = (link_type, target).prop_map(|(link_type, target)| Link::new(link_type, target));
    prop::collection::vec(link, 0..4)
}

fn item(kind: Kind, id: String, title: &str, fields: Vec<(&str, Value)>) -> Artefact {
    let mut a = Artefact { title: title.into(), ..Artefact::bare(kind, &id) };
    a.fields.set("title", Value::text(title));
    for (field, value) in fields {
        a.fields.set(field, value.settled());
    }
    a
}

fn world() -> impl Strategy<Value = World> {
    let shared = prop::collection::vec((title(), steps()), 0..4);
    let cases = prop::collection::vec((title(), document(), steps(), links()), 1..6);
    let suites = prop::collection::vec(prop::collection::vec(0..6u8, 0..4), 0..3);
    let executions = prop::collection::vec(0..6u8, 0..3);
    let there = prop::collection::vec(title(), 0..4);
    (shared, cases, suites, executions, there).prop_map(|(shared, cases, suites, executions, there)| {
        let mut left = Vec::new();
        for (n, (title, steps)) in shared.into_iter().enumerate() {
            left.push(item(Kind::SharedSteps, format!("s{n}"), &title, vec![("steps", Value::Steps(steps))]));
        }
        let count = cases.len() as u8;
        for (n, (title, text, steps, links)) in cases.into_iter().enumerate() {
            let fields = vec![("text", Value::RichText(text)), ("steps", Value::Steps(steps))];
            left.push(Artefact { links, ..item(Kind::TestCase, format!("c{n}"), &title, fields) });
        }
        for (n, members) in suites.into_iter().enumerate() {
            let members = members.into_iter().map(|m| Reference::known(format!("c{}", m % count))).collect();
            left.push(item(Kind::TestSuite, format!("u{n}"), "All", vec![("members", Value::References(members))]));
        }
        for (n, case) in executions.into_iter().enumerate() {
            let case = Value::Reference(Reference::known(format!("c{}", case % count)));
            left.push(item(Kind::Execution, format!("e{n}"), "Run", vec![("case", case)]));
        }
        let own = |(n, title): (usize, String)| item(Kind::TestCase, format!("x{n}"), &title, vec![]);
        World { left, right: there.into_iter().enumerate().map(own).collect(), ..World::default() }
    })
}

/// Everything taken in, and the left's values written.
fn all_in(d: &mut Decision) {
    d.included = true;
    let fields = ["title", "text", "steps", "members", "case", MARK, LINKS];
    d.fields = fields.map(|f| (f.into(), FieldDecision::Write(End::Right))).into();
}

fn waiting(changes: &[Change]) -> Vec<&Change> {
    changes.iter().filter(|c| c.outcome != Outcome::Blocked).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(250))]

    /// However often it was cut, in whatever order, and whatever was edited: decided and done once more, the
    /// second dry run is empty, every item is there once, and nothing that was not declared is lost.
    #[test]
    fn cut_anywhere_it_settles_and_nothing_is_there_twice(
        mut w in world(),
        cuts in prop::collection::vec((1..12usize, any::<u64>(), title()), 0..4),
        seed in any::<u64>(),
    ) {
        let own = w.right.len();
        for (cut, seed, title) in cuts {
            let plan = w.dry_run();
            w.transfer(&plan, seed, &Trouble { cut: Some(cut), ..Trouble::default() }, |_| {});
            let n = cut % w.left.len();
            w.left[n].fields.set("title", Value::text(title.clone()));
            w.left[n].title = title;
        }
        // What waits because something else waits gets in step with it, a kind after the other.
        let mut plan = w.dry_run();
        for _ in 0..ORDER.len() {
            w.transfer(&plan, seed, &Trouble::default(), all_in);
            plan = w.dry_run();
        }
        prop_assert!(waiting(&plan).is_empty(), "not settled: {:#?}", waiting(&plan));

        let mut marks: BTreeMap<(Kind, &str), usize> = BTreeMap::new();
        for a in &w.right {
            if let Some(mark) = &a.origin {
                *marks.entry((a.kind, mark)).or_default() += 1;
            }
        }
        prop_assert!(marks.values().all(|n| *n == 1), "{:?}", marks);
        let blocked: Vec<&str> = plan.iter().map(|c| c.left.as_ref().unwrap().id.as_str()).collect();
        let carried = w.left.iter().filter(|a| !blocked.contains(&a.id.as_str()));
        for a in carried {
            let mark = origin_mark("Old", a);
            prop_assert_eq!(marks.get(&(a.kind, mark.as_str())), Some(&1), "{} is there once", a.id);
        }
        prop_assert!(w.right.len() <= own + w.left.len());

        // What is named in texts is named as it is called there: keys of the left that stand by themselves are left
        // over only of what is not there.
        let carried: Vec<&str> = w.pairs.iter().map(|(_, p)| p.ids.left.as_str()).collect();
        let texts = w.right.iter().filter(|a| a.origin.is_some()).filter_map(|a| a.fields.get("text"));
        for text in texts.map(Value::display) {
            let mut words = text.split_whitespace();
            let old = words.find(|word| carried.contains(word));
            prop_assert!(old.is_none() || !blocked.is_empty(), "{:?} stands in {:?}", old, text);
        }
    }

    /// Order: nothing is written before what it can't do without, whatever the order within a wave; so with
    /// nothing blocked, one transfer is enough.
    #[test]
    fn one_transfer_is_enough(mut w in world(), seed in any::<u64>()) {
        let plan = w.dry_run();
        w.transfer(&plan, seed, &Trouble::default(), all_in);
        let again = w.dry_run();
        prop_assume!(plan.iter().all(|c| c.outcome != Outcome::Blocked));
        prop_assert!(again.is_empty(), "{:#?}", again);
    }

    /// An item that was refused once comes with the next transfer, and so does everything that refers to it,
    /// without anything left for a person to decide; texts that name it follow with the one after that.
    #[test]
    fn what_a_refused_item_kept_back_comes_with_it(mut w in world(), seed in any::<u64>(), which in any::<usize>()) {
        w.right.clear();
        let refused = Some(w.left[which % w.left.len()].id.clone());
        let mut plan = w.dry_run();
        prop_assume!(plan.iter().all(|c| c.outcome != Outcome::Blocked));
        for trouble in [Trouble { refused, ..Trouble::default() }, Trouble::default(), Trouble::default()] {
            w.transfer(&plan, seed, &trouble, |_| {});
            plan = w.dry_run();
            let waits = |c: &&Change| !matches!(c.outcome, Outcome::New(End::Right) | Outcome::Update(End::Right));
            prop_assert!(!plan.iter().any(|c| waits(&c)), "{:#?}", plan.iter().filter(waits).collect::<Vec<_>>());
        }
        prop_assert!(plan.is_empty(), "{:#?}", plan);
    }

    /// Loss: what is at the right afterwards says what the left says, or the plan declared what it does not.
    #[test]
    fn what_differs_was_declared(mut w in world(), seed in any::<u64>()) {
        w.right.clear();
        let plan = w.dry_run();
        w.transfer(&plan, seed, &Trouble::default(), all_in);
        let places: HashMap<(Kind, String), String> =
            w.pairs.iter().map(|(k, p)| ((*k, p.ids.left.clone()), p.ids.right.clone())).collect();
        let called = |kind, id: &str| Some(there(&places, kind, id)?.1);
        for change in plan.iter().filter(|c| c.outcome == Outcome::New(End::Right)) {
            let id = &change.left.as_ref().unwrap().id;
            let left = w.left.iter().find(|a| a.kind == change.kind && a.id == *id).unwrap();
            let mark = origin_mark("Old", left);
            let Some(right) = w.right.iter().find(|a| a.kind == change.kind && a.origin.as_deref() == Some(&mark)) else {
                // It needs what is blocked.
                prop_assert!(!change.depends_on.is_empty() || plan.iter().any(|c| c.outcome == Outcome::Blocked));
                continue;
            };
            let declared = |field: &str| change.losses.iter().any(|l| l.field == field);
            for f in &change.fields {
                let now = slot_value(right, &f.field);
                // Whatever leads to other items is looked at below; all else is as the plan said.
                if f.write.pending().needed.is_empty() && !matches!(f.write, Value::Links(_) | Value::References(_)) {
                    let write = named(&f.write, &called);
                    prop_assert!(same(&write, &now), "{}: {:?} became {:?}", f.field, write, now);
                }
            }
            for (field, value) in left.fields.iter() {
                let (was, now) = (value.display(), slot_value(right, field).display());
                let names = change.fields.iter().any(|f| *f.field == **field && names_pending(&f.write));
                let refers = names || matches!(value, Value::Reference(_) | Value::References(_) | Value::Steps(_));
                prop_assert!(refers || was == now || declared(field), "{field}: {was:?} became {now:?}");
            }
            let blocked = plan.iter().any(|c| c.outcome == Outcome::Blocked);
            let mut wanted: Vec<&Link> = left.links.iter().collect();
            wanted.sort();
            wanted.dedup();
            prop_assert!(
                blocked || declared(LINKS) || wanted.len() == right.links.len(),
                "{:?} became {:?}", wanted, right.links
            );
        }
    }
}
