//! Links and files that people add and take away at both ends: every history of a few deeds. What somebody added is at both
//! ends, what somebody took away at neither, and two files of one name are put before a person.

use std::collections::{BTreeMap, BTreeSet};

use hovrel_core::base::Base;
use hovrel_core::carry::{PairLookup, Place};
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema};
use hovrel_core::compare::Comparer;
use hovrel_core::conflict::OfLane;
use hovrel_core::model::{
    ATTACHMENTS, Artefact, Attachment, End, Ends, Kind, LINKS, Link, LinkEnd, LinkType, Reference, Slot, Value,
    ValueType,
};
use hovrel_core::plan::{
    Change, Decision, FieldChange, FieldReason, Written, WrittenField, base_after, fields_to_write, leg_back,
    leg_merged,
};
use hovrel_core::rules::{
    Conversion, Direction, Fill, FirstContact, Lane, LinkTypeRow, LinkTypes, Rule, RuleId, Source,
};
use proptest::prelude::*;

use crate::two_way::{change_of, with_places};

const SEVERAL: usize = 3;

/// Items 0 to 2 are at both ends; others are at one, until the last are paired.
struct Here {
    from: End,
    all_paired: bool,
}

fn id(end: End, n: usize) -> String {
    format!("{}{n}", if end == End::Left { 'l' } else { 'r' })
}

fn url(end: End, id: &str) -> String {
    format!("https://{}.example/{id}", if end == End::Left { "old" } else { "new" })
}

impl PairLookup for Here {
    fn counterpart(&self, kind: Kind, id: &str) -> Option<Place> {
        let n: usize = id.strip_prefix(if self.from == End::Left { 'l' } else { 'r' })?.parse().ok()?;
        let paired = n < SEVERAL || self.all_paired;
        paired.then(|| Place { kind, reference: Reference::Known(self::id(self.from.other(), n)) })
    }

    fn address(&self, _: Kind, id: &str) -> Option<String> {
        Some(url(self.from, id))
    }
}

#[derive(Debug, Clone, Copy)]
enum Deed {
    Link(End, usize),
    Unlink(End, usize),
    /// A file of a name, with new bytes.
    Put(End, usize),
    Remove(End, usize),
    Run,
    /// The right takes nothing.
    RunHalf,
}

fn deeds() -> Vec<Deed> {
    let by_end = End::BOTH.into_iter().flat_map(|end| {
        let links = [0, SEVERAL].into_iter().flat_map(move |n| [Deed::Link(end, n), Deed::Unlink(end, n)]);
        let files = (0..2).flat_map(move |n| [Deed::Put(end, n), Deed::Remove(end, n)]);
        links.chain(files)
    });
    by_end.chain([Deed::Run, Deed::RunHalf]).collect()
}

fn lane() -> Lane {
    let both = |target: Slot, source, conversions| Rule {
        back: true,
        ..Rule::filling(End::Right, Fill { target, source, conversions })
    };
    let types = LinkTypes { rows: vec![LinkTypeRow { left: LinkType::RelatesTo, right: Some(LinkType::Implements) }] };
    let rules = vec![
        both(Slot::Links, Source::Links, vec![Conversion::LinkTypes(types)]),
        both(Slot::Files, Source::Attachments, vec![]),
    ];
    Lane { direction: Direction::Both, ..Lane::of_kind(Kind::TestCase, rules) }.with_ways_back()
}

fn link_type(end: End) -> LinkType {
    if end == End::Left { LinkType::RelatesTo } else { LinkType::Implements }
}

fn catalogue() -> Catalogue {
    let fields = vec![
        FieldSchema::new(LINKS, "Links", ValueType::Links),
        FieldSchema::new(ATTACHMENTS, "Files", ValueType::Attachments),
    ];
    Catalogue { kinds: vec![KindSchema::new(Kind::TestCase, "Case", fields)], users: vec![], findings: vec![] }
}

struct Two {
    items: Ends<Artefact>,
    base: Option<Base>,
    clock: i64,
    made: usize,
    all_paired: bool,
    /// Whether each item is to be linked to, and whether either end did when it was last carried.
    linked: BTreeMap<(End, usize), (bool, Ends<bool>)>,
    /// The last bytes that somebody put at either end.
    files: BTreeMap<usize, Ends<Option<String>>>,
}

impl Two {
    fn new() -> Two {
        let item = || Artefact::bare(Kind::TestCase, "1");
        let mut two = Two {
            items: Ends { left: item(), right: item() },
            base: None,
            clock: 1_000_000,
            made: 0,
            all_paired: false,
            linked: [(End::Left, 0), (End::Left, SEVERAL), (End::Right, SEVERAL)]
                .into_iter()
                .map(|item| (item, (false, Ends::default())))
                .collect(),
            files: BTreeMap::new(),
        };
        // A link and a file are at both ends when they are first compared.
        two.items = Ends::of(|end| {
            let mut item = item();
            item.links.push(Link::new(link_type(end), LinkEnd::Artefact { kind: Kind::TestCase, id: id(end, 1) }));
            item.attachments.push(file(9, "first"));
            item
        });
        two.run(true);
        two
    }

    fn does(&mut self, deed: Deed) {
        match deed {
            Deed::Link(end, n) => {
                let target = LinkEnd::Artefact { kind: Kind::TestCase, id: id(end, n) };
                let link = Link::new(link_type(end), target);
                if !self.items[end].links.contains(&link) {
                    self.items[end].links.push(link);
                }
            }
            Deed::Unlink(end, n) => {
                let target = LinkEnd::Artefact { kind: Kind::TestCase, id: id(end, n) };
                self.items[end].links.retain(|link| link.target != target);
            }
            Deed::Put(end, n) => {
                self.made += 1;
                let put = file(n, &format!("bytes {}", self.made));
                self.items[end].attachments.retain(|f| f.name != put.name);
                self.items[end].attachments.push(put.clone());
                self.files.entry(n).or_default()[end] = put.digest;
            }
            Deed::Remove(end, n) => {
                let name = file(n, "").name;
                self.items[end].attachments.retain(|f| f.name != name);
            }
            Deed::Run => drop(self.run(true)),
            Deed::RunHalf => drop(self.run(false)),
        }
    }

    /// What becomes of links: who changed one since it was last carried has it as it is there.
    fn note(&mut self, right_takes: bool) {
        let held: Vec<_> = self.linked.keys().map(|item| (*item, Ends::of(|end| self.has_link(end, *item)))).collect();
        for (item, now) in held {
            let Some((wanted, was)) = self.linked.get_mut(&item) else { continue };
            if let Some(end) = End::BOTH.into_iter().find(|end| now[*end] != was[*end]) {
                *wanted = now[end];
            }
            *was = Ends { left: *wanted, right: if right_takes { *wanted } else { now.right } };
        }
    }

    fn run(&mut self, right_takes: bool) -> Vec<FieldChange> {
        self.note(right_takes);
        self.clock += 7200;
        let (lane, ends) = (lane(), Ends { left: catalogue(), right: catalogue() });
        let places = Ends::of(|into: End| Here { from: into.other(), all_paired: self.all_paired });
        let places = Ends::of(|into| &places[into] as &(dyn PairLookup + Sync));
        let (clock, standing) = (self.clock, OfLane::default());
        with_places(&lane, &ends, places, (clock, &standing), |comparer| self.run_by(&lane, comparer, right_takes))
    }

    fn run_by(&mut self, lane: &Lane, comparer: &Comparer<'_>, right_takes: bool) -> Vec<FieldChange> {
        let found = comparer.compare(self.items.as_ref(), self.base.as_ref(), &[]);
        let change = change_of(lane, comparer, &self.items, found);
        let (digests, decision) = (comparer.digests(), Decision::default_for(&change));
        let whole = (&change, &decision);
        if let Some((leg, decided)) = leg_back(&change, &decision, FirstContact::Ask) {
            self.write((&leg, &decided), whole, lane, &digests);
        }
        let merged = leg_merged(&change, &decision, FirstContact::Ask);
        let (leg, decided) = merged.as_ref().map_or(whole, |(leg, decided)| (leg, decided));
        if right_takes {
            self.write((leg, decided), whole, lane, &digests);
        }
        change.fields
    }

    fn write(
        &mut self,
        (leg, decided): (&Change, &Decision),
        whole: (&Change, &Decision),
        lane: &Lane,
        digests: &BTreeMap<RuleId, String>,
    ) {
        let mut written = Written::nothing(leg.written, self.clock);
        for f in fields_to_write(leg, decided, FirstContact::Ask) {
            let item = &mut self.items[leg.written];
            match (&f.field, &f.write) {
                (Slot::Links, Value::Links(links)) => item.links.clone_from(links),
                (Slot::Links, _) => item.links.clear(),
                (_, Value::Attachments(files)) => item.attachments.clone_from(files),
                _ => item.attachments.clear(),
            }
            written.fields.insert(f.field.clone(), WrittenField { sent: f.write.clone(), held: f.write.clone() });
        }
        let old = self.base.clone().unwrap_or_default();
        self.base = Some(base_after(lane, whole.0, whole.1, &written, &old, digests));
    }

    /// The ends at which a link leads to an item: as an item, or to its address.
    fn has_link(&self, end: End, (of, n): (End, usize)) -> bool {
        let as_item = LinkEnd::Artefact { kind: Kind::TestCase, id: id(end, n) };
        let as_address = LinkEnd::Url(url(of, &id(of, n)));
        let own = n < SEVERAL || of == end || self.all_paired;
        self.items[end].links.iter().any(|l| (own && l.target == as_item) || (of != end && l.target == as_address))
    }

    fn digests(&self, end: End, n: usize) -> Option<String> {
        self.items[end].attachments.iter().find(|f| f.name == file(n, "").name).and_then(|f| f.digest.clone())
    }

    fn rest(mut self) -> Result<(), String> {
        self.run(true);
        self.run(true);
        let before = self.items.clone();
        let open = self.run(true);
        if self.items != before {
            return Err("something is still written".into());
        }
        if let Some(odd) = open.iter().find(|f| !f.reason.is_conflict()) {
            return Err(format!("{:?} is still to be done", odd.reason));
        }
        let asks = |slot: &Slot| open.iter().any(|f| f.field == *slot);
        for (item, (linked, _)) in &self.linked {
            let at = Ends::of(|end| self.has_link(end, *item));
            if !asks(&Slot::Links) && at != (Ends { left: *linked, right: *linked }) {
                return Err(format!("{item:?}, linked: {linked}, but {at:?}"));
            }
        }
        for (n, last) in &self.files {
            let at = Ends::of(|end| self.digests(end, *n));
            if !asks(&Slot::Files) && at.left != at.right {
                return Err(format!("file {n}: {at:?}"));
            }
            // The last bytes of one end stay, unless they were taken away or replaced.
            let known: BTreeSet<&String> = End::BOTH.iter().filter_map(|end| last[*end].as_ref()).collect();
            if !asks(&Slot::Files) && at.left.as_ref().is_some_and(|there| !known.contains(there)) {
                return Err(format!("file {n} is an old one: {at:?} of {last:?}"));
            }
        }
        // What is still an address leads to the item when that is at both ends.
        self.all_paired = true;
        self.run(true);
        let left_over = self.run(true);
        if left_over.iter().any(|f| f.reason == FieldReason::TargetMoved || f.reason == FieldReason::Back(End::Right)) {
            return Err(format!("{left_over:?}"));
        }
        let address = |end: End| self.items[end].links.iter().any(|link| matches!(link.target, LinkEnd::Url(_)));
        match open.is_empty() && (address(End::Left) || address(End::Right)) {
            true => Err(format!("an address is left: {:?}", self.items.map(|item| item.links.clone()))),
            false => Ok(()),
        }
    }
}

fn file(n: usize, bytes: &str) -> Attachment {
    Attachment {
        name: format!("{n}.txt"),
        media_type: "text/plain".into(),
        bytes: Some(bytes.len() as u64),
        digest: Some(bytes.to_owned()),
    }
}

fn play(history: &[Deed]) -> Result<(), String> {
    let mut two = Two::new();
    history.iter().for_each(|deed| two.does(*deed));
    two.rest()
}

#[test]
fn every_history_of_three_deeds_ends_with_the_same_at_both_ends() {
    let all = deeds();
    for n in 0..all.len().pow(3) {
        let history = [0, 1, 2].map(|place| all[n / all.len().pow(place) % all.len()]);
        if let Err(wrong) = play(&history) {
            panic!("{wrong}: {history:?}");
        }
    }
}

proptest! {
    #[test]
    fn links_and_files_of_both_ends_are_at_both(history in prop::collection::vec(prop::sample::select(deeds()), 0..12)) {
        let found = play(&history);
        prop_assert!(found.is_ok(), "{:?}", found);
    }
}
