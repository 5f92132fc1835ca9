//! Comparing 100,000 × 100,000 pairs of 20 fields with 1 % changed: `cargo bench -p hovrel-core`.
//!
//! Prints core time on one core, peak memory of the whole process (both ends held at once), and the
//! ratio to a reference in the same run: a bare BLAKE3 over the bytes of all values.

use std::collections::{BTreeMap, HashMap};
use std::time::Instant;

use hovrel_core::base::{Base, BaseSide, Pair, Pairs};
use hovrel_core::carry::*;
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema};
use hovrel_core::compare::{AtEnd, Clocks, Comparer, FolderNames, Known, compare_lane, targets};
use hovrel_core::identity::{Asked, Between, InLane, Settled, counterparts};
use hovrel_core::model::{Artefact, ById, End, Ends, FieldKey, Kind, Slot, Value, ValueType};
use hovrel_core::plan::Outcome;
use hovrel_core::rules::*;

const PAIRS: usize = 100_000;
const FIELDS: usize = 20;
const CHANGED_EVERY: usize = 100;

fn artefact(id: String, keys: &[FieldKey], n: usize) -> Artefact {
    Artefact {
        version: Some("1".into()),
        position: n as u32,
        title: format!("Line stops in time, case {n}"),
        fields: keys
            .iter()
            .enumerate()
            .map(|(k, f)| (f.clone(), Value::text(format!("value {k} of case {n}, long enough"))))
            .collect(),
        ..Artefact::bare(Kind::TestCase, &id)
    }
}

fn main() {
    let keys: Vec<FieldKey> = (0..FIELDS).map(|n| format!("field-{n:02}").into()).collect();
    let fields = keys.iter().map(|k| FieldSchema::new(k, k, ValueType::Text)).collect();
    let kind = KindSchema::new(Kind::TestCase, "Case", fields);
    let catalogue = Catalogue { kinds: vec![kind], users: vec![], findings: vec![] };
    let rule = |k: &FieldKey| {
        let source = Source::Field(k.to_string());
        Rule::filling(End::Right, Fill { target: (&**k).into(), source, conversions: vec![] })
    };
    let lane = Lane::of_kind(Kind::TestCase, keys.iter().map(rule).collect());
    let (users, places) = (UserMatcher::default(), HashMap::<(Kind, String), Place>::new());
    let cx = Context {
        system: "Old",
        from: &catalogue,
        from_kind: &catalogue.kinds[0],
        to_kind: &catalogue.kinds[0],
        to_users: &users,
        places: &places,
    };
    let mut left: Vec<Artefact> = (0..PAIRS).map(|n| artefact(format!("L{n}"), &keys, n)).collect();
    let right: Vec<Artefact> = (0..PAIRS).map(|n| artefact(format!("R{n}"), &keys, n)).collect();
    let comparer = Comparer::new(&lane, &cx);
    let side = |held: BTreeMap<Slot, Value>| BaseSide(held.iter().map(|(s, v)| (s.into(), v.clone())).collect());
    let mut bases: HashMap<String, Base> = HashMap::new();
    let mut pairs = Vec::with_capacity(PAIRS);
    for (n, (l, r)) in left.iter().zip(&right).enumerate() {
        pairs.push(Pair {
            ids: Ends { left: l, right: r }.map(|item| item.id.clone()),
            keys: Ends::default(),
            bases: Ends { left: comparer.fingerprint(End::Left, l), right: comparer.fingerprint(End::Right, r) },
            agreed: None,
            let_go: false,
        });
        if n % CHANGED_EVERY == 0 {
            let left = side(comparer.sources(l));
            bases.insert(l.id.clone(), Base { left, right: side(targets(&lane, r)), ..Base::default() });
        }
    }
    for a in left.iter_mut().step_by(CHANGED_EVERY) {
        a.fields.set(keys[7].clone(), Value::text("changed since"));
    }
    let (lefts, rights): (Vec<&Artefact>, Vec<&Artefact>) = (left.iter().collect(), right.iter().collect());
    let left_all: ById<'_> = left.iter().map(|a| (a.id.as_str(), a)).collect();
    let right_all: ById<'_> = right.iter().map(|a| (a.id.as_str(), a)).collect();
    let path = |_: &Artefact| String::new();

    let nothing = Settled::new();
    // The same rules, taken back on the way into the left.
    let mut both_ways = lane.clone();
    both_ways.direction = Direction::Both;
    both_ways.rules.iter_mut().for_each(|rule| rule.back = true);
    let both_ways = both_ways.with_ways_back();
    let compared = |lane: &Lane, comparer: &Comparer<'_>| {
        let given = pairs.clone();
        let started = Instant::now();
        let pairs = Pairs::from(given);
        let covered = Ends { left: &lefts[..], right: &rights[..] };
        let of = InLane { lane, covered, pairs: &pairs, settled: &nothing, asked: &Asked::new() };
        let between =
            Between { systems: Ends { left: "Old", right: "New" }, paths: Ends { left: &path, right: &path } };
        let found = counterparts(between, &[of]);
        let known = Known {
            bases: &bases,
            accepted: &HashMap::new(),
            paths: Ends { left: &path, right: &path },
            first_seq: 0,
            planned: &Ends::default(),
        };
        let mut updates = 0;
        let at = Ends {
            left: AtEnd { covered: &lefts, all: &left_all, absent: None },
            right: AtEnd { covered: &rights, all: &right_all, absent: None },
        };
        let relations = comparer.walk(at, &pairs, &found[0]);
        let found = compare_lane(comparer, &relations, &known, &mut |change| {
            updates += usize::from(change.outcome == Outcome::Update(End::Right));
        });
        let took = started.elapsed().as_secs_f64();
        assert_eq!(updates, PAIRS / CHANGED_EVERY);
        assert_eq!(found.in_step as usize, PAIRS - PAIRS / CHANGED_EVERY);
        took
    };
    let (mut best, mut best_both, mut best_reference) = (f64::MAX, f64::MAX, f64::MAX);
    for _ in 0..5 {
        best = best.min(compared(&lane, &Comparer::new(&lane, &cx)));
        let folders = FolderNames::new();
        best_both = best_both.min(compared(
            &both_ways,
            &Comparer::new(&both_ways, &cx).both_ways(&cx, Clocks::default(), Ends { left: &folders, right: &folders }),
        ));

        let started = Instant::now();
        for a in left.iter().chain(&right) {
            let mut hasher = blake3::Hasher::new();
            for (_, v) in a.fields.iter() {
                if let Value::Text(t) = v {
                    hasher.update(t.as_bytes());
                }
            }
            std::hint::black_box(hasher.finalize());
        }
        best_reference = best_reference.min(started.elapsed().as_secs_f64());
    }
    println!("pairs {PAIRS}, fields {FIELDS}, changed {}", PAIRS / CHANGED_EVERY);
    println!("compare: {best:.3} s, best of 5, one core");
    println!("both ways: {best_both:.3} s; {:.2} of one way", best_both / best);
    println!("reference, BLAKE3 over the same values: {best_reference:.3} s; ratio {:.2}", best / best_reference);
    println!("peak memory of the process: {} MiB", peak_mib().map_or("unknown".into(), |m| m.to_string()));
}

/// The high-water mark of resident memory (proc(5), VmHWM).
fn peak_mib() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|l| l.starts_with("VmHWM:"))?;
    Some(line.split_whitespace().nth(1)?.parse::<u64>().ok()? / 1024)
}
