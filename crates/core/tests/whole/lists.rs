//! Lists and links whose members come to the right at different times: what they wait for, what their base says,
//! what the proof calls them; links to what another route carried, and to where a refused file stays.

use std::collections::{BTreeMap, HashMap};

use hovrel_core::base::{Base, BaseSide, Pair, RuleSlot};
use hovrel_core::carry::*;
use hovrel_core::catalogue::{Catalogue, FieldSchema, KindSchema};
use hovrel_core::compare::{AtEnd, Comparer, targets};
use hovrel_core::identity::Counterparts;
use hovrel_core::loss::LossCause;
use hovrel_core::model::{
    ATTACHMENTS, Artefact, Attachment, End, Ends, Kind, LINKS, Link, LinkEnd, LinkType, Reference, Slot, Value,
    ValueType, slot_value,
};
use hovrel_core::plan::{
    Change, Decision, FieldChange, FieldDecision, FieldReason, Outcome, Side, Written, WrittenField, base_after,
    waits_only_for,
};
use hovrel_core::prepare::link_to_refused_files;
use hovrel_core::reconcile::{DifferenceCause, Proven, prove_lane};
use hovrel_core::rules::*;

use crate::small::{self, fill, rule};

/// Case 1 is at the right as 71; case 2 is to come; case 3 is in another system, and case 4 in another container
/// of this one; nothing else is carried.
struct Here;

impl PairLookup for Here {
    fn counterpart(&self, kind: Kind, id: &str) -> Option<Place> {
        small::counterpart(kind, id)
    }

    fn elsewhere(&self, kind: Kind, id: &str) -> Option<LinkEnd> {
        match id {
            "3" => Some(LinkEnd::Url("https://tracker.skarnvik.example/3".into())),
            "4" => Some(LinkEnd::Artefact { kind, id: "904".into() }),
            _ => None,
        }
    }

    fn address(&self, _: Kind, id: &str) -> Option<String> {
        Some(format!("https://old.skarnvik.example/{id}"))
    }
}

fn to(id: &str) -> Link {
    Link::new(LinkType::RelatesTo, LinkEnd::Artefact { kind: Kind::TestCase, id: id.into() })
}

fn to_url(url: &str) -> Link {
    Link::new(LinkType::RelatesTo, LinkEnd::Url(url.into()))
}

fn lane() -> Lane {
    Lane::of_kind(Kind::TestCase, vec![rule(LINKS, Source::Links), rule(ATTACHMENTS, Source::Attachments)])
}

fn kind(link_types: Option<Vec<LinkType>>) -> KindSchema {
    let links = FieldSchema { link_types, ..FieldSchema::new(LINKS, "Links", ValueType::Links) };
    let files = FieldSchema {
        max_bytes: Some(100),
        media_types: Some(vec!["image/png".into()]),
        ..FieldSchema::new(ATTACHMENTS, "Files", ValueType::Attachments)
    };
    KindSchema::new(Kind::TestCase, "Case", vec![links, files])
}

fn with<T>(then: impl FnOnce(&Context<'_>) -> T) -> T {
    let kind = kind(None);
    let left = Catalogue { kinds: vec![kind.clone()], users: vec![], findings: vec![] };
    then(&Context {
        system: "Old",
        from: &left,
        from_kind: &left.kinds[0],
        to_kind: &kind,
        to_users: &UserMatcher::default(),
        places: &Here,
    })
}

fn linked(links: Vec<Link>) -> Artefact {
    Artefact { links, ..Artefact::bare(Kind::TestCase, "9") }
}

/// The change that makes case 9 agree with its left, as a dry run finds it.
fn change(left: &Artefact, now: &Artefact, fields: Vec<FieldChange>) -> Change {
    let lane = lane();
    let kinds = (Kind::TestCase, Kind::TestCase);
    Change {
        left: Some(Side::of(left, String::new())),
        right: Some(Side::of(now, String::new())),
        fields,
        left_side: with(|cx| Comparer::new(&lane, cx).sources(left)),
        right_side: targets(&lane, now),
        ..Change::new(0, &lane.id, kinds, End::Right, Outcome::Update(End::Right))
    }
}

fn compared(left: &Artefact, now: &Artefact, base: &Base) -> Vec<FieldChange> {
    with(|cx| Comparer::new(&lane(), cx).compare(Ends { left, right: now }, Some(base), &[]).fields)
}

/// What is remembered of a pair that was last in step with these links.
fn agreed(left: &Artefact, right: &Artefact) -> Base {
    let side = |held: BTreeMap<Slot, Value>| BaseSide(held.iter().map(|(s, v)| (s.into(), v.clone())).collect());
    let left = with(|cx| Comparer::new(&lane(), cx).sources(left));
    Base { left: side(left), right: side(targets(&lane(), right)), ..Base::default() }
}

/// The base after the links of a change were written and the right holds what it does now.
fn after_writing(change: &Change, decision: &Decision, now: &Artefact, old: &Base, lacking: Lacking) -> Base {
    let held = slot_value(now, LINKS).into_owned();
    let fields = [(Slot::Links, WrittenField { sent: held.clone(), held })].into();
    let written = Written { fields, lacking, ..Written::nothing(End::Right, 0) };
    base_after(&lane(), change, decision, &written, old, &Default::default())
}

fn there(kind: Kind, id: &str) -> Option<(Kind, String)> {
    (id != "2").then(|| (kind, format!("7{id}")))
}

#[test]
fn a_list_is_written_with_what_is_there_and_tells_what_it_lacks() {
    let to_come = |id: &str| LinkEnd::Pending { kind: Kind::TestCase, id: id.into() };
    let pending = |id: &str| Link::new(LinkType::RelatesTo, to_come(id));
    let missing = NotThere { kind: Kind::TestCase, id: "2".into() };
    let found = resolved(&Value::Links(vec![pending("1"), pending("2"), to_url("https://x.example")]), &there);
    let found = found.expect("links are done without what is not there");
    assert_eq!(found.value, Value::Links(vec![to("71"), to_url("https://x.example")]));
    assert_eq!(found.lacking, std::slice::from_ref(&missing));

    let reference = |id: &str| Reference::Pending { kind: Kind::TestCase, id: id.into() };
    let found = resolved(&Value::References(vec![reference("2"), Reference::known("8")]), &there).unwrap();
    assert_eq!((found.value, found.lacking), (Value::References(vec![Reference::known("8")]), vec![missing.clone()]));

    // One reference is needed, and so is the target of a call.
    assert_eq!(resolved(&Value::Reference(reference("2")), &there), Err(missing));
    assert!(resolved(&Value::Reference(reference("1")), &there).is_ok());
}

#[test]
fn what_a_list_was_written_from_is_the_left_without_what_was_lacking() {
    let lacking = [NotThere { kind: Kind::TestCase, id: "2".into() }];
    let left = Value::Links(vec![to("1"), to("2")]);
    assert_eq!(written_from(&left, &lacking), Some(Value::Links(vec![to("1")])));
    let other_kind = [NotThere { kind: Kind::Requirement, id: "2".into() }];
    assert_eq!(written_from(&left, &other_kind), None, "another item of that id was meant");
    let members = Value::References(vec![Reference::known("2")]);
    assert_eq!(written_from(&members, &lacking), Some(Value::Empty), "an empty list is no value");
    assert_eq!(written_from(&Value::text("2"), &lacking), None);
}

/// The whole life of a list that waits: written in part, not counted as a change of anybody's, completed when its
/// member is there.
#[test]
fn a_list_in_part_waits_and_is_completed_unasked() {
    let (left, before) = (linked(vec![to("1"), to("2")]), linked(vec![]));
    let fields = compared(&left, &before, &agreed(&linked(vec![]), &before));
    let now = linked(vec![to("71")]);
    let lacking: Lacking = [(Slot::Links, vec![NotThere { kind: Kind::TestCase, id: "2".into() }])].into();
    let first = change(&left, &before, fields);
    assert!(waits_only_for(&first).is_empty(), "there is something to write");
    let decision = Decision::default_for(&first);
    let base = after_writing(&first, &decision, &now, &Base::default(), lacking);
    assert_eq!(base.left.0[LINKS], Value::Links(vec![to("1")]));
    assert_eq!(base.right.0[LINKS], Value::Links(vec![to("71")]));

    // Its member is still to come: nothing to do, and the proof says why it differs.
    let fields = compared(&left, &now, &base);
    assert_eq!(fields.iter().map(|f| f.reason).collect::<Vec<_>>(), [FieldReason::WaitsForOthers]);
    let waits = waits_only_for(&change(&left, &now, fields));
    assert_eq!(waits, [NotThere { kind: Kind::TestCase, id: "2".into() }]);
    let pair = with(|cx| {
        let lane = lane();
        let comparer = Comparer::new(&lane, cx);
        assert_ne!(base.left.fingerprint(), comparer.fingerprint(End::Left, &left), "it is looked at again");
        Pair {
            ids: Ends::of(|_| "9".into()),
            keys: Ends::default(),
            bases: Ends { left: base.left.fingerprint(), right: base.right.fingerprint() },
            agreed: None,
            let_go: false,
        }
    });
    let bases: HashMap<String, Base> = [("9".to_owned(), base.clone())].into();
    let (left_all, right_all) = ([("9", &left)].into_iter().collect(), [("9", &now)].into_iter().collect());
    let at = Ends {
        left: AtEnd { covered: &[&left], all: &left_all, absent: None },
        right: AtEnd { covered: &[&now], all: &right_all, absent: None },
    };
    let proof = with(|cx| {
        let lane = lane();
        let (comparer, pairs, nothing_found) = (Comparer::new(&lane, cx), vec![pair].into(), Counterparts::default());
        let from = Proven {
            covered: Ends::of(|_| 1),
            relations: &comparer.walk(at, &pairs, &nothing_found),
            bases: &bases,
            accepted: &HashMap::new(),
            fates: &HashMap::new(),
        };
        prove_lane(&comparer, &from)
    });
    let causes: Vec<_> = proof.differences.iter().map(|d| (d.field.as_str(), d.cause)).collect();
    assert_eq!(causes, [(LINKS, DifferenceCause::WaitsForOthers)]);

    // Somebody at the right added a link of their own in between: both ends changed, and a person decides.
    let edited = linked(vec![to("71"), to("5")]);
    let fields = compared(&left, &edited, &base);
    assert_eq!(fields[0].reason, FieldReason::BothChanged);

    // A member that was taken away at the left is taken away at the right, though another is still to come.
    let shorter = linked(vec![to("2")]);
    let fields = compared(&shorter, &now, &base);
    assert_eq!(fields[0].reason, FieldReason::Changed(End::Left));
    assert!(waits_only_for(&change(&shorter, &now, fields)).is_empty());
}

#[test]
fn a_list_that_nobody_can_tell_apart_keeps_its_old_base() {
    let (left, before) = (linked(vec![to("1")]), linked(vec![]));
    let fields = compared(&left, &before, &agreed(&linked(vec![]), &before));
    let first = change(&left, &before, fields);
    let lacking: Lacking = [(Slot::Links, vec![NotThere { kind: Kind::Requirement, id: "x".into() }])].into();
    let old = agreed(&linked(vec![]), &before);
    let decision = Decision::default_for(&first);
    let base = after_writing(&first, &decision, &before, &old, lacking);
    assert_eq!((&base.left.0[LINKS], &base.right.0[LINKS]), (&old.left.0[LINKS], &old.right.0[LINKS]));
}

#[test]
fn links_lead_to_where_other_routes_carried_what_they_lead_to() {
    let item = linked(vec![to("3"), to("4"), to("5")]);
    let found = with(|cx| convert(&fill(LINKS, Source::Links), &item, cx));
    let Some(Value::Links(links)) = found.value else { panic!("links") };
    assert!(links.contains(&to_url("https://tracker.skarnvik.example/3")), "in another system: {links:?}");
    assert!(links.contains(&to("904")), "in another container of this system: {links:?}");
    assert!(links.contains(&to_url("https://old.skarnvik.example/5")), "nowhere yet: {links:?}");
    assert_eq!(found.losses.iter().map(|l| &l.cause).collect::<Vec<_>>(), [&LossCause::LinkKeptAsAddress]);

    // What was linked back to the left gets the better place when there is one.
    assert!(leads_back(&item.links, &[to_url("https://old.skarnvik.example/4")], &Here));
    assert!(!leads_back(&item.links, &[to("904")], &Here));
    assert!(!leads_back(&item.links, &[to_url("https://old.skarnvik.example/5")], &Here));
}

#[test]
fn a_refused_file_leaves_a_link_to_where_it_stays() {
    let file = |name: &str, media_type: &str, bytes| Attachment {
        name: name.into(),
        media_type: media_type.into(),
        bytes: Some(bytes),
        digest: Some(name.into()),
    };
    let url = "https://old.skarnvik.example/9";
    let holding = |files: Vec<Attachment>| Artefact {
        attachments: files,
        url: Some(url.into()),
        ..Artefact::bare(Kind::TestCase, "9")
    };
    let after = |files, lane: &Lane, kind: &KindSchema| {
        let mut item = holding(files);
        // Asked twice, it is done once.
        link_to_refused_files(&mut item, lane, kind);
        link_to_refused_files(&mut item, lane, kind);
        item.links
    };
    let (small, big, odd) =
        (file("a.png", "image/png", 9), file("b.png", "image/png", 101), file("c.smr", "application/x-strain", 9));
    assert_eq!(after(vec![small.clone()], &lane(), &kind(None)), []);
    assert_eq!(after(vec![small.clone(), big.clone()], &lane(), &kind(None)), [to_url(url)]);
    assert_eq!(after(vec![odd.clone()], &lane(), &kind(None)), [to_url(url)]);

    // Where links of this type are not taken, or are not carried, or files are not, there is nothing to add.
    let verifying = kind(Some(vec![LinkType::Verifies]));
    assert_eq!(after(vec![odd.clone()], &lane(), &verifying), []);
    for left_out in [LINKS, ATTACHMENTS] {
        let mut narrow = lane();
        narrow.rules.retain(|r| r.id.as_str() != left_out);
        assert_eq!(after(vec![odd.clone()], &narrow, &kind(None)), []);
    }

    // The loss says the same.
    let found =
        with(|cx| convert(&fill(ATTACHMENTS, Source::Attachments), &holding(vec![small.clone(), big, odd]), cx));
    assert_eq!(found.value, Some(Value::Attachments(vec![small])));
    let told: Vec<_> = found.losses.iter().map(|l| (l.cause.clone(), l.after.as_str())).collect();
    assert_eq!(told, [(LossCause::FileTooBig { limit: 100 }, url), (LossCause::FileTypeRefused, url)]);
}

/// A link was sent, no answer came, and the list looks as it did before: the call came to nothing, or somebody took the
/// link off since. Nothing here can tell, so nobody's decision is made for them.
#[test]
fn what_was_sent_without_an_answer_is_asked_about() {
    let (left, now) = (linked(vec![to("1"), to("9")]), linked(vec![]));
    let was = linked(vec![]);
    let base = agreed(&linked(vec![]), &was);
    let reason = |base: &Base, now: &Artefact| {
        let fields = compared(&left, now, base);
        fields.iter().find(|f| f.field == LINKS).map(|f| f.reason)
    };
    assert_eq!(reason(&base, &now), Some(FieldReason::Changed(End::Left)), "nothing was sent");
    let expected = compared(&left, &now, &base)[0].write.clone();
    let mut sent = base.clone();
    let (links, files) = (RuleId::from(&Slot::Links), RuleId::from(&Slot::Files));
    let filling = |rule, slot| RuleSlot { rule, slot, filled: End::Right, other: None };
    let (links, files) = (filling(&links, &Slot::Links), filling(&files, &Slot::Files));
    sent.sent_without_answer(links, End::Right, expected.clone(), String::new());
    assert_eq!(reason(&sent, &now), Some(FieldReason::PerhapsThere));
    assert!(FieldReason::PerhapsThere.is_conflict(), "a person decides");
    assert!(!sent.is_in_doubt(files, End::Right, &slot_value(&now, ATTACHMENTS)), "it was not sent");
    // A later change of something else leaves it as doubtful as it was; a decision about it ends that.
    let fields = compared(&left, &now, &sent);
    let change = change(&left, &now, fields);
    let decided = |how: FieldDecision| {
        let fields = [(Slot::Links, how)].into();
        Decision { included: true, as_new: false, let_go: false, fields }
    };
    let nothing = Written::nothing(End::Right, 0);
    let after = |how| base_after(&lane(), &change, &decided(how), &nothing, &sent, &Default::default());
    let held = slot_value(&now, LINKS);
    assert!(after(FieldDecision::Leave).is_in_doubt(links, End::Right, &held));
    assert!(!after(FieldDecision::Keep(End::Right)).is_in_doubt(links, End::Right, &held));
    assert!(
        !after_writing(&change, &decided(FieldDecision::Write(End::Right)), &now, &sent, Lacking::new()).is_in_doubt(
            links,
            End::Right,
            &held
        )
    );
    // Where the right holds what was sent, it arrived.
    let Value::Links(links) = &expected else { panic!("links") };
    assert_eq!(reason(&sent, &linked(links.clone())), None);
}

/// Where the right says nothing of a file's bytes, a file that changed at the left is written again: its name alone does
/// not say that it is there.
#[test]
fn a_file_that_changed_is_not_there_by_its_name_alone() {
    let with_file = |digest: Option<&str>| {
        let file = Attachment {
            name: "log.png".into(),
            media_type: "image/png".into(),
            bytes: None,
            digest: digest.map(str::to_owned),
        };
        Artefact { attachments: vec![file], ..Artefact::bare(Kind::TestCase, "9") }
    };
    let (before, untold) = (with_file(Some("aa")), with_file(None));
    let base = agreed(&before, &untold);
    let reasons = |left: &Artefact, now: &Artefact| -> Vec<FieldReason> {
        compared(left, now, &base).iter().filter(|f| f.field == ATTACHMENTS).map(|f| f.reason).collect()
    };
    assert_eq!(reasons(&before, &untold), [], "nothing changed");
    assert_eq!(reasons(&with_file(Some("bb")), &untold), [FieldReason::Changed(End::Left)]);
    let told = agreed(&before, &with_file(Some("aa")));
    let there = compared(&with_file(Some("bb")), &with_file(Some("bb")), &told);
    assert!(there.is_empty(), "where the right says so, it is there already");
}
