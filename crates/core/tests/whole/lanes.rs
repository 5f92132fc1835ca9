//! Several lanes in one route: each item belongs to one lane of its kinds, each pair to the lane that covers its item,
//! and nothing at the right stands for two.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use hovrel_core::base::{Pair, Pairs};
use hovrel_core::catalogue::{Catalogue, KindSchema};
use hovrel_core::cover::{Chosen, Covered, choose, hand_over};
use hovrel_core::identity::{Asked, Between, Counterparts, InLane, Settled, counterparts};
use hovrel_core::model::{Artefact, End, Ends, Fingerprint, Kind};
use hovrel_core::rules::Lane;
use hovrel_core::scope::{Condition, ConditionRow, Filter, Operator};
use proptest::prelude::*;

/// A lane of items whose title has this letter.
fn lane(id: &str, (left_kind, right_kind): (Kind, Kind), letter: char) -> Lane {
    let row = ConditionRow { field: "@title".into(), op: Operator::Contains, value: letter.into(), values: vec![] };
    Lane { id: id.into(), right_kind, left_scope: Condition::Row(row), ..Lane::of_kind(left_kind, vec![]) }
}

const LETTERS: [char; 3] = ['a', 'b', 'c'];
const KINDS: [Kind; 2] = [Kind::TestCase, Kind::Requirement];

fn item(kind: Kind, id: String, title: String, position: u32) -> Artefact {
    Artefact { title, position, ..Artefact::bare(kind, &id) }
}

#[derive(Debug, Clone)]
struct World {
    lanes: Vec<Lane>,
    left: Vec<Artefact>,
    right: Vec<Artefact>,
    pairs: HashMap<String, Vec<Pair>>,
}

fn worlds() -> impl Strategy<Value = World> {
    let lanes = prop::collection::vec((0..2usize, 0..2usize, 0..3usize), 1..6);
    let titles = prop::collection::vec((0..2usize, prop::collection::btree_set(0..3usize, 0..4)), 0..8);
    let pairs = prop::collection::vec((any::<prop::sample::Index>(), any::<prop::sample::Index>()), 0..6);
    (lanes, titles, prop::collection::vec((0..2usize, 0..8usize), 0..8), pairs).prop_map(
        |(lanes, titles, rights, paired)| {
            let lanes: Vec<Lane> = lanes
                .into_iter()
                .enumerate()
                .map(|(n, (from, to, letter))| lane(&format!("lane {n}"), (KINDS[from], KINDS[to]), LETTERS[letter]))
                .collect();
            let title = |set: &BTreeSet<usize>| set.iter().map(|n| LETTERS[*n]).collect::<String>();
            let one =
                |(n, (kind, set)): (u32, &(usize, BTreeSet<usize>))| item(KINDS[*kind], format!("L{n}"), title(set), n);
            let mut left: Vec<Artefact> = (0u32..).zip(&titles).map(one).collect();
            left.sort_by_key(|l| l.kind != KINDS[0]);
            // Of one name with something at the left, or carrying its mark.
            let right: Vec<Artefact> = (0u32..)
                .zip(rights)
                .map(|(n, (kind, of))| {
                    let like = left.get(of % left.len().max(1)).map(|l| l.title.clone()).unwrap_or_default();
                    let mut made = item(KINDS[kind], format!("R{n}"), like, n);
                    made.origin = (of % 3 == 0).then(|| format!("Old:L{of}"));
                    made
                })
                .collect();
            let mut all: HashMap<String, Vec<Pair>> = HashMap::new();
            let (mut left_taken, mut right_taken) = (BTreeSet::new(), BTreeSet::new());
            for (lane_at, at) in paired {
                let of = lane_at.get(&lanes);
                let kind = of.right_kind;
                let mut of_kind = left.iter().filter(|l| l.kind == of.left_kind);
                let free = of_kind.find(|l| !left_taken.contains(&(kind, l.id.clone())));
                let there: Vec<&Artefact> = right.iter().filter(|r| r.kind == kind).collect();
                let (Some(l), false) = (free, there.is_empty()) else { continue };
                let r = at.get(&there);
                if right_taken.insert((kind, r.id.clone())) {
                    left_taken.insert((kind, l.id.clone()));
                    all.entry(of.id.clone()).or_default().push(pair(&l.id, &r.id));
                }
            }
            World { lanes, left, right, pairs: all }
        },
    )
}

fn pair(left: &str, right: &str) -> Pair {
    Pair {
        ids: Ends { left, right }.map(str::to_owned),
        keys: Ends { left, right }.map(str::to_owned),
        bases: Ends::of(|_| Fingerprint::from_bytes(&[])),
        agreed: None,
        let_go: false,
    }
}

fn now() -> hovrel_core::expression::Moment {
    "2026-03-01T00:00:00Z".parse().expect("a time")
}

impl World {
    /// The left items of a kind: those of the first stand first.
    fn left_of(&self, kind: Kind) -> &[Artefact] {
        let first = self.left.iter().take_while(|l| l.kind == KINDS[0]).count();
        if kind == KINDS[0] { &self.left[..first] } else { &self.left[first..] }
    }

    fn catalogue(&self) -> Catalogue {
        let kinds = KINDS.map(|kind| KindSchema::new(kind, "Kind", vec![])).to_vec();
        Catalogue { kinds, users: vec![], findings: vec![] }
    }

    fn has(&self, lane: &Lane, id: &str) -> bool {
        self.pairs.get(&lane.id).is_some_and(|of| of.iter().any(|p| p.ids.left == id))
    }

    fn covered<'a>(&'a self, catalogue: &'a Catalogue) -> Vec<Covered<'a>> {
        let items = |kind: Kind| self.left_of(kind);
        let carried = |lane: &Lane, id: &str| self.has(lane, id);
        let of = Chosen { end: End::Left, catalogue, items: &items, path: &|_| &[], now: now(), carried: &carried };
        choose(&self.lanes, &of)
    }

    /// What a lane's condition matches, whatever other lanes do.
    fn matches(&self, catalogue: &Catalogue, lane: &Lane) -> BTreeSet<String> {
        let kind = catalogue.kind(lane.left_kind).expect("it is there");
        let filter = Filter::new(&lane.left_scope, kind, now());
        self.left_of(lane.left_kind).iter().filter(|a| filter.matches(a, &[])).map(|a| a.id.clone()).collect()
    }

    fn counterparts<'a>(&'a self, covered: &[Covered<'a>]) -> Vec<Counterparts<'a>> {
        let (nothing, nobody) = (Settled::new(), Asked::new());
        let pairs: Vec<Pairs> =
            self.lanes.iter().map(|lane| self.pairs.get(&lane.id).cloned().unwrap_or_default().into()).collect();
        let right_of = |lane: &Lane| self.right.iter().filter(|r| r.kind == lane.right_kind).collect();
        let of_lanes: Vec<(Vec<&'a Artefact>, Vec<&'a Artefact>)> =
            self.lanes.iter().zip(covered).map(|(lane, covered)| (covered.all(), right_of(lane))).collect();
        let lanes: Vec<InLane<'_, 'a>> = self
            .lanes
            .iter()
            .zip(&of_lanes)
            .zip(&pairs)
            .map(|((lane, (left, right)), pairs)| InLane {
                lane,
                covered: Ends { left, right },
                pairs,
                settled: &nothing,
                asked: &nobody,
            })
            .collect();
        let path = |_: &Artefact| String::new();
        counterparts(
            Between { systems: Ends { left: "Old", right: "New" }, paths: Ends { left: &path, right: &path } },
            &lanes,
        )
    }
}

fn ids(covered: &Covered<'_>) -> BTreeSet<String> {
    covered.all().into_iter().map(|a| a.id.clone()).collect()
}

proptest! {
    /// Nothing that some lane covers is left out, nothing is carried twice to one kind, and who carried it goes on.
    #[test]
    fn each_item_belongs_to_one_lane_of_its_kinds(world in worlds()) {
        let catalogue = world.catalogue();
        let covered = world.covered(&catalogue);
        for kinds in KINDS.into_iter().flat_map(|left| KINDS.map(|right| (left, right))) {
            let of = |lane: &Lane| (lane.left_kind, lane.right_kind) == kinds;
            let group: Vec<usize> = (0..world.lanes.len()).filter(|n| of(&world.lanes[*n])).collect();
            let mut owners: BTreeMap<String, usize> = BTreeMap::new();
            let (mut wanted, mut times) = (BTreeSet::new(), 0);
            for &n in &group {
                let by_itself = world.matches(&catalogue, &world.lanes[n]);
                times += by_itself.len();
                for id in ids(&covered[n]) {
                    prop_assert!(by_itself.contains(&id), "{id} is not in the scope of {}", world.lanes[n].id);
                    prop_assert_eq!(owners.insert(id.clone(), n), None, "{} is carried twice", id);
                }
                for id in by_itself.iter().filter(|id| world.has(&world.lanes[n], id)) {
                    prop_assert!(ids(&covered[n]).contains(id), "{} had {id}", world.lanes[n].id);
                }
                wanted.extend(by_itself);
            }
            prop_assert_eq!(owners.keys().cloned().collect::<BTreeSet<_>>(), wanted.clone());
            let others: u64 = group.iter().map(|n| covered[*n].with_others).sum();
            prop_assert_eq!(others as usize, times - wanted.len(), "what is with others is counted");
        }
    }

    /// No pair is lost or changed, and each is with the lane that covers its item, if one of its kinds does.
    #[test]
    fn a_pair_goes_with_its_item(world in worlds()) {
        let catalogue = world.catalogue();
        let covered = world.covered(&catalogue);
        let mut pairs = world.pairs.clone();
        let moved = hand_over(&world.lanes, &covered, &mut pairs);
        let all = |of: &HashMap<String, Vec<Pair>>| -> BTreeSet<(String, String)> {
            of.values().flatten().map(|p| (p.ids.left.clone(), p.ids.right.clone())).collect()
        };
        prop_assert_eq!(all(&pairs), all(&world.pairs));
        let kinds_of = |id: &str| world.lanes.iter().find(|l| l.id == id).map(|l| (l.left_kind, l.right_kind));
        for one in &moved {
            prop_assert_eq!(kinds_of(&one.from), kinds_of(&one.to));
            let there = pairs[&one.to].iter().filter(|p| p.ids.left == one.left_id).count();
            prop_assert_eq!(there, 1);
        }
        for (n, lane) in world.lanes.iter().enumerate() {
            for pair in pairs.get(&lane.id).into_iter().flatten() {
                let same = |m: &usize| kinds_of(&world.lanes[*m].id) == kinds_of(&lane.id);
                let covers = (0..world.lanes.len()).filter(same).find(|m| ids(&covered[*m]).contains(&pair.ids.left));
                prop_assert!(covers.is_none_or(|m| m == n), "{} is covered by {covers:?}", pair.ids.left);
            }
        }
        // Once handed over there is nothing more to hand over.
        prop_assert!(hand_over(&world.lanes, &covered, &mut pairs.clone()).is_empty());
    }

    /// What is at the right is one lane's, and stands for one item.
    #[test]
    fn nothing_at_the_right_stands_for_two(world in worlds()) {
        let catalogue = world.catalogue();
        let mut world = world;
        let covered_before = world.clone();
        let covered = covered_before.covered(&catalogue);
        hand_over(&world.lanes, &covered, &mut world.pairs);
        let found = world.counterparts(&world.covered(&catalogue));
        for kind in KINDS {
            let group: Vec<usize> = (0..world.lanes.len()).filter(|n| world.lanes[*n].right_kind == kind).collect();
            let mut taken: BTreeSet<String> = BTreeSet::new();
            let mut own: BTreeSet<String> = BTreeSet::new();
            for &n in &group {
                let pairs = world.pairs.get(&world.lanes[n].id);
                for id in pairs.into_iter().flatten().map(|p| p.ids.right.clone()) {
                    prop_assert!(taken.insert(id));
                }
                for (other, _) in found[n].found.values() {
                    prop_assert!(taken.insert(other.id.clone()), "{} stands for two", other.id);
                    prop_assert!(found[n].own.iter().any(|o| o.id == other.id));
                }
                for other in &found[n].own {
                    prop_assert!(own.insert(other.id.clone()), "{} is with two lanes", other.id);
                }
            }
            let there: BTreeSet<String> =
                world.right.iter().filter(|r| r.kind == kind).map(|r| r.id.clone()).collect();
            if !group.is_empty() {
                prop_assert_eq!(own, there, "each is some lane's");
            }
        }
    }

    /// A lane that is cut in two finds what it found whole, wherever it is cut.
    #[test]
    fn two_lanes_find_what_one_finds(world in worlds(), at in prop::collection::vec(any::<bool>(), 8)) {
        let catalogue = world.catalogue();
        let kind = Kind::TestCase;
        let whole = World { lanes: vec![Lane::of_kind(kind, vec![])], pairs: HashMap::new(), ..world };
        let mut keys: Vec<String> =
            whole.left_of(kind).iter().zip(&at).filter(|(_, first)| **first).map(|(l, _)| l.key.clone()).collect();
        // A row needs a value.
        keys.push("nobody".into());
        let part = |id: &str, op| {
            let row = ConditionRow { field: "@key".into(), op, value: String::new(), values: keys.clone() };
            Lane { id: id.into(), left_scope: Condition::Row(row), ..whole.lanes[0].clone() }
        };
        let cut = World { lanes: vec![part("one", Operator::OneOf), part("other", Operator::NoneOf)], ..whole.clone() };
        let found = |world: &World| -> BTreeSet<(String, String)> {
            let covered = world.covered(&catalogue);
            let found = world.counterparts(&covered);
            found.iter().flat_map(|f| f.found.iter().map(|(l, (r, _))| ((*l).to_owned(), r.id.clone()))).collect()
        };
        prop_assert_eq!(found(&whole), found(&cut));
    }
}
