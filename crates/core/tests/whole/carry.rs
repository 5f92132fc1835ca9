//! Every way in which a rule can be wrong, and every way in which a value can lose something, met once:
//! what is said, and that what is carried is what the target will hold.

use std::collections::HashMap;

use hovrel_core::carry::*;
use hovrel_core::catalogue::{Calls, Catalogue, FieldSchema, KindSchema, User};
use hovrel_core::check::{Fault, beyond_limits, check, could_go_back};
use hovrel_core::loss::{LossCause, LossKind};
use hovrel_core::model::{
    ATTACHMENTS, Artefact, Attachment, Call, Document, End, Kind, LINKS, Link, LinkEnd, LinkType, PARENT, Reference,
    Step, Value, ValueType,
};
use hovrel_core::prepare::Computed;
use hovrel_core::rules::*;
use hovrel_core::rules::{Along, Fill};
use hovrel_core::scope::{Condition, ConditionRow, Operator};
use hovrel_core::suggest::values_reaching;
use hovrel_core::survey::Surveyor;
use hovrel_core::text::TextFormat;

fn field(id: &str, value_type: ValueType) -> FieldSchema {
    FieldSchema::new(id, id, value_type)
}

fn kind(fields: Vec<FieldSchema>) -> KindSchema {
    KindSchema { max_depth: Some(5), ..KindSchema::new(Kind::TestCase, "Case", fields) }
}

fn user(id: &str, name: &str) -> User {
    User { id: id.into(), login: None, email: None, name: name.into(), active: true }
}

/// Both ends, with everything that a rule may look at.
struct Ends {
    left: Catalogue,
    right: KindSchema,
    users: UserMatcher,
    places: HashMap<(Kind, String), Place>,
}

impl Ends {
    fn new() -> Ends {
        let mut left = vec![
            field("name", ValueType::Text),
            field("note", ValueType::RichText),
            field("level", ValueType::Choice),
            field("labels", ValueType::ChoiceList),
            field("owner", ValueType::User),
            field("steps", ValueType::Steps),
            field("count", ValueType::Integer),
            field("rows", ValueType::Table),
        ];
        left.push(FieldSchema { refers_to: Some(Kind::TestRun), ..field("run", ValueType::Reference) });
        left.push(FieldSchema { refers_to: Some(Kind::TestCase), ..field("cases", ValueType::References) });
        let right = vec![
            FieldSchema { required: true, max_length: Some(10), ..field("title", ValueType::Text) },
            FieldSchema { format: Some(TextFormat::Markdown), ..field("text", ValueType::RichText) },
            FieldSchema { allowed: Some(vec!["High".into(), "Low".into()]), ..field("priority", ValueType::Choice) },
            field("tags", ValueType::ChoiceList),
            field("assigned", ValueType::User),
            FieldSchema { format: Some(TextFormat::Markdown), calls: Calls::Plain, ..field("steps", ValueType::Steps) },
            field("number", ValueType::Integer),
            FieldSchema { read_only: true, ..field("made", ValueType::Text) },
            FieldSchema { origin_mark: true, ..field("mark", ValueType::Text) },
            FieldSchema {
                max_bytes: Some(100),
                media_types: Some(vec!["image/png".into()]),
                ..field(ATTACHMENTS, ValueType::Attachments)
            },
            FieldSchema {
                link_types: Some(vec![LinkType::Verifies, LinkType::RelatesTo]),
                ..field(LINKS, ValueType::Links)
            },
            FieldSchema { refers_to: Some(Kind::TestRun), ..field("run", ValueType::Reference) },
            FieldSchema { refers_to: Some(Kind::TestCase), ..field("cases", ValueType::References) },
        ];
        let known = |id: &str| Place { kind: Kind::TestCase, reference: Reference::known(id) };
        let pending =
            Place { kind: Kind::TestCase, reference: Reference::Pending { kind: Kind::TestCase, id: "c2".into() } };
        Ends {
            left: Catalogue {
                kinds: vec![kind(left)],
                users: vec![user("ida", "Ida Brekke"), user("tor", "Tor Ruud")],
                findings: vec![],
            },
            right: kind(right),
            users: UserMatcher::new(&[user("u1", "Ida Brekke")]),
            places: [
                ((Kind::TestCase, "c1".to_owned()), known("71")),
                ((Kind::TestCase, "c2".to_owned()), pending),
                ((Kind::SharedSteps, "s1".to_owned()), known("91")),
            ]
            .into(),
        }
    }

    fn context(&self) -> Context<'_> {
        Context {
            system: "Old",
            from: &self.left,
            from_kind: &self.left.kinds[0],
            to_kind: &self.right,
            to_users: &self.users,
            places: &self.places,
        }
    }

    fn convert(&self, target: &str, source: Source, conversions: Vec<Conversion>, item: &Artefact) -> Converted {
        convert(&fill(target, source, conversions), item, &self.context())
    }

    /// What a field becomes, with the causes of what is lost.
    fn carried(&self, target: &str, from: &str, conversions: Vec<Conversion>, value: Value) -> (Value, Vec<LossCause>) {
        let found = self.convert(target, Source::Field(from.into()), conversions, &item(from, value));
        assert_eq!(found.fault, None);
        (found.value.expect("a value"), found.losses.into_iter().map(|l| l.cause).collect())
    }

    fn fault(&self, target: &str, from: &str, conversions: Vec<Conversion>, value: Value) -> FaultReason {
        self.convert(target, Source::Field(from.into()), conversions, &item(from, value)).fault.expect("a fault")
    }
}

fn fill(target: &str, source: Source, conversions: Vec<Conversion>) -> Fill {
    Fill { target: target.into(), source, conversions }
}

fn rule(target: &str, source: Source, conversions: Vec<Conversion>) -> Rule {
    Rule::filling(End::Right, fill(target, source, conversions))
}

fn item(field: &str, value: Value) -> Artefact {
    let mut item = Artefact::bare(Kind::TestCase, "c9");
    item.fields.set(field, value);
    item
}

fn file(name: &str, media_type: &str, bytes: u64) -> Attachment {
    Attachment { name: name.into(), media_type: media_type.into(), bytes: Some(bytes), digest: Some(name.into()) }
}

fn map(rows: &[(&str, &str)], otherwise: Fallback) -> Conversion {
    let row = |(l, r): &(&str, &str)| ValueRow { left: (*l).into(), right: (*r).into(), returns: false };
    Conversion::ValueMap(ValueMap { rows: rows.iter().map(row).collect(), otherwise })
}

#[test]
fn values_that_fit_are_carried_without_a_loss() {
    let ends = Ends::new();
    let high = [("4 – Severe", "High")];
    for (target, from, conversions, value, expected) in [
        ("title", "name", vec![], Value::text("Stop"), Value::text("Stop")),
        ("title", "count", vec![], Value::Integer(7), Value::text("7")),
        ("number", "name", vec![], Value::text(" 7 "), Value::Integer(7)),
        ("priority", "level", vec![map(&high, Fallback::Block)], Value::choice("4 – Severe"), Value::choice("High")),
        ("tags", "level", vec![], Value::choice("winter"), Value::ChoiceList(vec!["winter".into()])),
        (
            "text",
            "name",
            vec![Conversion::RichText],
            Value::text("a * b"),
            Value::RichText(Document::from_text("a * b")),
        ),
        (
            "cases",
            "cases",
            vec![],
            Value::References(vec![Reference::known("c1")]),
            Value::References(vec![Reference::known("71")]),
        ),
        (
            "assigned",
            "owner",
            vec![Conversion::Users(UserTable::default())],
            Value::User("ida".into()),
            Value::User("u1".into()),
        ),
    ] {
        assert_eq!(ends.carried(target, from, conversions, value), (expected, vec![]), "{from} to {target}");
    }
    let origin = ends.convert("mark", Source::Origin, vec![], &Artefact::bare(Kind::TestCase, "OS-1"));
    assert_eq!(origin.value, Some(Value::text("Old:OS-1")));
}

#[test]
fn each_loss_has_its_cause() {
    let ends = Ends::new();
    let long = Value::text("Stop from the desk");
    assert_eq!(
        ends.carried("title", "name", vec![Conversion::Shorten { to: 5 }], long),
        (Value::text("Stop"), vec![LossCause::TooLong { limit: 5 }])
    );
    let other = Value::choice("odd");
    let used = vec![map(&[], Fallback::Use("Low".into()))];
    assert_eq!(
        ends.carried("priority", "level", used, other.clone()),
        (Value::choice("Low"), vec![LossCause::NotInMap])
    );
    assert_eq!(
        ends.carried("priority", "level", vec![map(&[], Fallback::LeaveEmpty)], other),
        (Value::Empty, vec![LossCause::NotInMap])
    );
    let table = |otherwise| vec![Conversion::Users(UserTable { rows: vec![], otherwise })];
    let tor = Value::User("tor".into());
    assert_eq!(
        ends.carried("assigned", "owner", table(Fallback::LeaveEmpty), tor.clone()),
        (Value::Empty, vec![LossCause::UnknownUser])
    );
    assert_eq!(
        ends.carried("assigned", "owner", table(Fallback::Use("u1".into())), tor),
        (Value::User("u1".into()), vec![LossCause::UnknownUser])
    );
    let both = Value::References(vec![Reference::known("c1"), Reference::known("gone")]);
    assert_eq!(
        ends.carried("cases", "cases", vec![], both),
        (Value::References(vec![Reference::known("71")]), vec![LossCause::NotCarried])
    );

    let with_file =
        Step { action: Document::from_text("Look"), attachments: vec!["plan.png".into()], ..Step::default() };
    let (held, causes) = ends.carried("steps", "steps", vec![], Value::Steps(vec![with_file]));
    assert_eq!(causes, [LossCause::NoStepFiles]);
    assert!(held.display().contains("Files: plan.png"), "{}", held.display());

    let data = Step { action: Document::from_text("Look"), data: Document::from_text("5 m/s"), ..Step::default() };
    let (held, causes) = ends.carried("steps", "steps", vec![Conversion::RichText], Value::Steps(vec![data]));
    assert_eq!(causes, [LossCause::NoStepData]);
    assert!(held.display().contains("Data: 5 m/s"), "{held:?}");
}

#[test]
fn calls_lead_to_the_counterpart_or_become_text() {
    let ends = Ends::new();
    let call =
        |id: &str| Step { call: Some(Call { target: Reference::known(id), arguments: vec![] }), ..Step::default() };
    let (held, causes) = ends.carried("steps", "steps", vec![], Value::Steps(vec![call("s1")]));
    let Value::Steps(steps) = held else { panic!("steps stay steps") };
    assert_eq!(steps[0].call.as_ref().map(|c| c.target.clone()), Some(Reference::known("91")));
    assert_eq!(causes, []);
    let (held, causes) = ends.carried("steps", "steps", vec![], Value::Steps(vec![call("gone")]));
    assert_eq!((held.display().as_str(), causes), ("gone", vec![LossCause::NoCalls]));
}

#[test]
fn files_that_the_target_refuses_are_lost_by_name() {
    let ends = Ends::new();
    let mut item = Artefact::bare(Kind::TestCase, "c9");
    item.url = Some("https://old.example/c9".into());
    item.attachments =
        vec![file("b.png", "image/png", 5), file("a.png", "image/png", 500), file("c.log", "text/plain", 5)];
    let found = ends.convert(ATTACHMENTS, Source::Attachments, vec![], &item);
    assert_eq!(found.value, Some(Value::Attachments(vec![file("b.png", "image/png", 5)])));
    let lost: Vec<_> = found.losses.iter().map(|l| (l.kind, l.cause.clone(), l.before.as_str())).collect();
    assert_eq!(
        lost,
        [
            (LossKind::Dropped, LossCause::FileTooBig { limit: 100 }, "a.png (500 bytes)"),
            (LossKind::Dropped, LossCause::FileTypeRefused, "c.log (5 bytes)"),
        ]
    );
    assert!(found.losses.iter().all(|l| l.after == "https://old.example/c9"), "each leads to where the file stays");
}

#[test]
fn links_lead_to_counterparts_there_or_to_come() {
    let ends = Ends::new();
    let link = |link_type, id: &str| Link::new(link_type, LinkEnd::Artefact { kind: Kind::TestCase, id: id.into() });
    let mut item = Artefact::bare(Kind::TestCase, "c9");
    item.links = vec![
        link(LinkType::Verifies, "c1"),
        link(LinkType::Duplicates, "c2"),
        link(LinkType::Verifies, "gone"),
        Link::new(LinkType::RelatesTo, LinkEnd::Url("https://skarnvik.example/x".into())),
    ];
    let found = ends.convert(LINKS, Source::Links, vec![], &item);
    let Some(Value::Links(made)) = found.value else { panic!("links stay links") };
    assert_eq!(
        made.iter().map(Link::display).collect::<Vec<_>>(),
        ["verifies 71", "relates to c2", "relates to https://skarnvik.example/x"]
    );
    assert!(matches!(made[1].target, LinkEnd::Pending { kind: Kind::TestCase, .. }));
    let lost: Vec<_> = found.losses.iter().map(|l| (l.before.as_str(), l.cause.clone())).collect();
    assert_eq!(lost, [("verifies gone", LossCause::NotCarried), ("duplicates c2", LossCause::NoSuchLinkType)]);
}

#[test]
fn types_of_links_become_what_the_map_says() {
    let ends = Ends::new();
    let link = |link_type| Link::new(link_type, LinkEnd::Url("https://skarnvik.example/x".into()));
    let mut item = Artefact::bare(Kind::TestCase, "c9");
    let holds_up = LinkType::Other("holds up".into());
    item.links = vec![link(holds_up.clone()), link(LinkType::Duplicates), link(LinkType::Implements)];
    let rows = vec![
        LinkTypeRow { left: holds_up, right: Some(LinkType::Verifies) },
        LinkTypeRow { left: LinkType::Duplicates, right: None },
    ];
    let types = Conversion::LinkTypes(LinkTypes { rows });
    let found = ends.convert(LINKS, Source::Links, vec![types.clone()], &item);
    let Some(Value::Links(made)) = found.value else { panic!("links stay links") };
    let made: Vec<_> = made.into_iter().map(|l| l.link_type).collect();
    assert_eq!(made, [LinkType::Verifies, LinkType::RelatesTo], "what no row names becomes the nearest");
    let lost: Vec<_> = found.losses.into_iter().map(|l| l.cause).collect();
    assert_eq!(lost, [LossCause::LinkTypeLeftOut, LossCause::NoSuchLinkType]);
    let wrong = LinkTypes { rows: vec![LinkTypeRow { left: LinkType::Verifies, right: Some(LinkType::Affects) }] };
    let reasons = |c: Conversion, back| {
        let lane = Lane::of_kind(Kind::TestCase, vec![Rule { back, ..rule(LINKS, Source::Links, vec![c]) }]);
        let found = check(&lane, &ends.context(), &[]).into_iter().filter(|f| f.field == LINKS);
        found.map(|f| f.reason).collect::<Vec<_>>()
    };
    let not_kept = FaultReason::MapTargetNotAllowed { value: "affects".into() };
    assert_eq!(reasons(Conversion::LinkTypes(wrong), false), [not_kept]);
    assert_eq!(reasons(types, true), [FaultReason::NotInvertible], "what is left out does not come back");
}

#[test]
fn each_fault_names_its_reason() {
    let ends = Ends::new();
    let text = Value::text;
    assert_eq!(
        ends.fault("title", "name", vec![], text("eleven signs")),
        FaultReason::TooLong { length: 12, limit: 10 }
    );
    assert_eq!(ends.fault("title", "name", vec![], Value::Empty), FaultReason::RequiredEmpty);
    assert_eq!(
        ends.fault("title", "name", vec![], Value::Unreadable("?".into())),
        FaultReason::Unreadable { raw: "?".into() }
    );
    assert_eq!(
        ends.fault("number", "name", vec![], text("seven")),
        FaultReason::WrongType { value: "seven".into(), wanted: ValueType::Integer }
    );
    assert_eq!(
        ends.fault("priority", "level", vec![], Value::choice("Odd")),
        FaultReason::NotAllowed { value: "Odd".into() }
    );
    assert_eq!(
        ends.fault("priority", "level", vec![map(&[], Fallback::Block)], Value::choice("Odd")),
        FaultReason::ValueNotInMap { value: "Odd".into() }
    );
    assert_eq!(
        ends.fault("run", "run", vec![], Value::Reference(Reference::known("r1"))),
        FaultReason::NotCarried { what: "r1".into() }
    );
    let blocked = vec![Conversion::Users(UserTable::default())];
    assert_eq!(
        ends.fault("assigned", "owner", blocked, Value::User("tor".into())),
        FaultReason::UnknownUser { name: "Tor Ruud".into() }
    );
    let mut in_folder = Artefact::bare(Kind::TestCase, "c9");
    in_folder.parent = Some("f1".into());
    let found = ends.convert(PARENT, Source::Folder, vec![], &in_folder);
    assert_eq!(found.fault, Some(FaultReason::FolderNotCarried { folder: "f1".into() }));
}

/// Law 10: every fault of a lane is listed, not the first alone.
#[test]
fn a_lane_is_checked_whole() {
    let ends = Ends::new();
    let row = |field: &str| {
        Condition::Row(ConditionRow { field: field.into(), op: Operator::Is, value: "x".into(), values: vec![] })
    };
    let named = |f: &str| Source::Field(f.into());
    let both = Rule { back: true, ..rule("tags", named("labels"), vec![Conversion::Hours]) };
    let away = Rule::filling(End::Left, fill("name", named("title"), vec![]));
    let lane = Lane {
        id: "cases".into(),
        name: String::new(),
        left_kind: Kind::TestCase,
        right_kind: Kind::TestCase,
        direction: Direction::ToRight,
        left_scope: Condition::All(vec![row("nowhere"), row("@title")]),
        right_scope: Condition::default(),
        along: Along::default(),
        rules: vec![
            rule("priority", named("level"), vec![map(&[("a", "Highest")], Fallback::Use("Lowest".into()))]),
            rule("priority", named("level"), vec![]),
            rule("gone", named("name"), vec![]),
            rule("text", named("gone"), vec![]),
            rule("made", named("name"), vec![]),
            rule("number", named("rows"), vec![]),
            both,
            away,
        ],
        matching: Matching::default(),
        policies: Policies::default(),
    };
    let found = check(&lane, &ends.context(), &[]);
    let reasons: Vec<FaultReason> = found.iter().map(|f| f.reason.clone()).collect();
    let of_scope =
        |r: &FaultReason| matches!(r, FaultReason::Scope { end: End::Left, why } if why.contains("“nowhere”"));
    assert!(reasons.iter().any(of_scope), "{reasons:?}");
    for wanted in [
        FaultReason::NotWrittenInto { end: End::Left },
        FaultReason::MapTargetNotAllowed { value: "Highest".into() },
        FaultReason::MapTargetNotAllowed { value: "Lowest".into() },
        FaultReason::FedTwice,
        FaultReason::NoSuchTarget { field: "gone".into() },
        FaultReason::NoSuchSource { field: "gone".into() },
        FaultReason::ReadOnly,
        FaultReason::TypesDiffer { from: ValueType::Table, to: ValueType::Integer },
        FaultReason::NotInvertible,
        FaultReason::RequiredUnfed,
        FaultReason::NoOriginRule,
    ] {
        assert!(reasons.contains(&wanted), "{wanted:?} is not in {reasons:?}");
    }
    assert!(found.iter().all(|f| f.blocks && f.lane == "cases"));
}

#[test]
fn items_at_fault_are_counted_and_named() {
    let ends = Ends::new();
    let items: Vec<Artefact> = (0..60)
        .map(|n| Artefact {
            id: format!("c{n}"),
            ..item("level", Value::choice(if n % 2 == 0 { "odd" } else { "4 – Severe" }))
        })
        .collect();
    let map = map(&[("4 – Severe", "High")], Fallback::Block);
    let lane = Lane::of_kind(Kind::TestCase, vec![rule("priority", Source::Field("level".into()), vec![map])]);
    let found = check(&lane, &ends.context(), &items.iter().collect::<Vec<_>>());
    let fault =
        found.iter().find(|f| f.reason == FaultReason::ValueNotInMap { value: "odd".into() }).expect("it is listed");
    assert_eq!((fault.item_count, fault.items.len()), (30, 30));
    assert_eq!(fault.items[1], "c2");
}

/// Thousands of values without a row are counted, and a hundred of them told one by one.
#[test]
fn what_is_at_fault_in_thousands_is_told_by_its_number() {
    let ends = Ends::new();
    let items: Vec<Artefact> = (0..2_000)
        .map(|n| Artefact { id: format!("c{n}"), ..item("level", Value::choice(format!("L{}", n / 2))) })
        .collect();
    let rules = vec![rule("priority", Source::Field("level".into()), vec![map(&[("L0", "High")], Fallback::Block)])];
    let found = check(&Lane::of_kind(Kind::TestCase, rules), &ends.context(), &items.iter().collect::<Vec<_>>());
    let of: Vec<&Fault> = found.iter().filter(|f| f.field == "priority").collect();
    assert_eq!(of.len(), 101);
    assert_eq!(of[0].reason, FaultReason::ValueNotInMap { value: "L1".into() });
    assert_eq!((&of[100].reason, of[100].item_count), (&FaultReason::AndMore { reasons: 899 }, 1_798));
    assert!(of.iter().all(|f| f.blocks));
    assert_eq!(of.iter().map(|f| f.item_count).sum::<u64>(), 1_998, "no item is forgotten");
}

/// A value computed from several fields, with every conversion behind it that a field could have.
#[test]
fn a_value_is_computed_from_the_item() {
    let ends = Ends::new();
    let from = |text: &str| Source::Computed(text.to_owned());
    let kind = &ends.left.kinds[0];
    let computed = |target: &str, text: &str, conversions: Vec<Conversion>| {
        let fill = fill(target, from(text), conversions);
        let lane = Lane::of_kind(Kind::TestCase, vec![Rule::filling(End::Right, fill.clone())]);
        let mut one = item("name", Value::text("Wind"));
        one.fields.set("labels", Value::ChoiceList(vec!["winter".into(), "lift".into()]));
        one.fields.set("count", Value::Integer(3));
        Computed::of(&lane, kind).beside(&mut one, kind, &["Drive".to_owned(), "Brakes".to_owned()]);
        convert(&fill, &one, &ends.context())
    };
    let value = |found: Converted| {
        assert_eq!(found.fault, None);
        found.value.expect("a value")
    };
    let joined = "fields.name + \" / \" + string(fields.count)";
    assert_eq!(value(computed("title", joined, vec![])), Value::text("Wind / 3"));
    assert_eq!(value(computed("number", "fields.count * 2", vec![])), Value::Integer(6));
    assert_eq!(
        value(computed("tags", "fields.labels.filter(l, l != \"lift\") + [folder]", vec![])),
        Value::ChoiceList(vec!["winter".into(), "Drive / Brakes".into()])
    );
    let map = ValueMap {
        rows: vec![ValueRow { left: "many".into(), right: "High".into(), returns: true }],
        otherwise: Fallback::Use("Low".into()),
    };
    let many = "fields.count > 2 ? \"many\" : \"few\"";
    assert_eq!(value(computed("priority", many, vec![Conversion::ValueMap(map)])), Value::choice("High"));
    let long = computed("title", "fields.name + fields.name + fields.name", vec![Conversion::Shorten { to: 10 }]);
    assert_eq!(long.losses.len(), 1, "cutting what was computed is a loss as well");
    let none = computed("number", "int(fields.name)", vec![]);
    assert!(matches!(none.fault, Some(FaultReason::NotComputed { .. })), "{none:?}");
}

/// What a table has to deal with is what reaches it: computed and converted, of the items it is asked about.
#[test]
fn a_table_meets_what_stands_before_it() {
    let ends = Ends::new();
    let table = || map(&[], Fallback::Block);
    let kind = &ends.left.kinds[0];
    let spread = |source: Source, conversions: Vec<Conversion>, items: &[(&str, Value)]| {
        let fill = fill("priority", source, conversions);
        let lane = Lane::of_kind(Kind::TestCase, vec![Rule::filling(End::Right, fill.clone())]);
        let computed = Computed::of(&lane, kind);
        let items: Vec<Artefact> = items
            .iter()
            .map(|(field, value)| {
                let mut one = item(field, value.clone());
                computed.beside(&mut one, kind, &[]);
                one
            })
            .collect();
        let of_people = fill.conversions.iter().any(|c| matches!(c, Conversion::Users(_)));
        let table = if of_people { RuleTable::People } else { RuleTable::Values };
        let found = values_reaching(&fill, table, &items.iter().collect::<Vec<_>>(), &ends.context());
        assert_eq!(found.field, "priority");
        let values: Vec<(String, u64)> = found.values.into_iter().map(|v| (v.value, v.count)).collect();
        (values, found.distinct, found.distinct_exact)
    };
    let counted = |values: &[(&str, u64)]| values.iter().map(|(v, n)| ((*v).to_owned(), *n)).collect::<Vec<_>>();

    let counts: Vec<(&str, Value)> = [3, 1, 7, 9].map(|n| ("count", Value::Integer(n))).into();
    let many = Source::Computed("fields.count > 2 ? \"many\" : \"few\"".into());
    let (values, ..) = spread(many.clone(), vec![table()], &counts);
    assert_eq!(values, counted(&[("many", 3), ("few", 1)]), "counted as computed, not as they stand in a field");
    let (values, ..) = spread(many, vec![Conversion::Shorten { to: 3 }, table()], &counts);
    assert_eq!(values, counted(&[("man", 3), ("few", 1)]), "what stands before the table is done, what follows not");

    let level = Source::Field("level".into());
    let mut levels: Vec<(&str, Value)> = ["A", "B", "A"].map(|v| ("level", Value::choice(v))).into();
    levels.push(("level", Value::Empty));
    levels.push(("name", Value::text("has no such field")));
    let (values, distinct, exact) = spread(level, vec![table()], &levels);
    assert_eq!(
        (values, distinct, exact),
        (counted(&[("A", 2), ("B", 1), ("", 2)]), 2, true),
        "none is a value too, and stands last"
    );
    let several = [("labels", Value::ChoiceList(vec!["a".into(), "b".into()])), ("labels", Value::choice("b"))];
    let (values, ..) = spread(Source::Field("labels".into()), vec![table()], &several);
    assert_eq!(values, counted(&[("b", 2), ("a", 1)]), "each of a list counts");
    let people = Conversion::Users(UserTable { rows: vec![], otherwise: Fallback::Block });
    let named = ["u1", "u2", "u1"].map(|id| ("owner", Value::User(id.into())));
    let (values, ..) = spread(Source::Field("owner".into()), vec![people], &named);
    assert_eq!(values, counted(&[("u1", 2), ("u2", 1)]), "people by what they are known as, before they are replaced");
    // Of two tables each is told what reaches it, and no more.
    let both = vec![
        map(&[("A", "B")], Fallback::Block),
        Conversion::Users(UserTable { rows: vec![], otherwise: Fallback::Block }),
    ];
    let both = fill("priority", Source::Field("level".into()), both);
    let one = item("level", Value::choice("A"));
    for (table, reaches) in [(RuleTable::Values, "A"), (RuleTable::People, "B")] {
        assert_eq!(values_reaching(&both, table, &[&one], &ends.context()).values[0].value, reaches, "{table:?}");
    }
    let odd = [("level", Value::Unreadable("?".into()))];
    assert_eq!(spread(Source::Field("level".into()), vec![table()], &odd).0, counted(&[("", 1)]));
    let texts: Vec<(&str, Value)> = (0..300).map(|n| ("name", Value::text(format!("T{n}")))).collect();
    let (values, distinct, exact) = spread(Source::Field("name".into()), vec![table()], &texts);
    assert_eq!((values.len(), distinct, exact), (300, 300, true), "texts that go through a table are all counted");
}

/// Texts and files that are longer or larger than the other end takes are told of the survey alone.
#[test]
fn limits_that_are_too_low_are_told() {
    let ends = Ends::new();
    let mut surveyor = Surveyor::default();
    for length in [4, 11, 30] {
        let mut one = item("name", Value::text("x".repeat(length)));
        one.fields.set("level", Value::choice("y".repeat(length)));
        one.attachments.push(file("a", "image/png", 10 * length as u64));
        surveyor.see(&one);
    }
    let survey = surveyor.finish();
    let told = |rules: Vec<Rule>| {
        let lane = Lane::of_kind(Kind::TestCase, rules);
        let found = beyond_limits(&lane, survey.kind(Kind::TestCase).expect("surveyed"), &ends.right);
        found.into_iter().map(|b| (b.field, b.target, b.met, b.limit, b.shortened)).collect::<Vec<_>>()
    };
    let from = |field: &str| Source::Field(field.to_owned());
    let title = |met, shortened| vec![("name".to_owned(), "title".to_owned(), met, 10, shortened)];
    assert_eq!(told(vec![rule("title", from("name"), vec![])]), title(30, false));
    assert_eq!(told(vec![rule("title", from("name"), vec![Conversion::Shorten { to: 10 }])]), title(30, true));
    let files = told(vec![rule(ATTACHMENTS, Source::Attachments, vec![])]);
    assert_eq!(files, [(ATTACHMENTS.to_owned(), ATTACHMENTS.to_owned(), 300, 100, false)]);
    // What becomes something else has another length, and what takes anything has no limit.
    assert_eq!(told(vec![rule("title", from("level"), vec![map(&[], Fallback::Block)])]), []);
    assert_eq!(told(vec![rule("text", from("name"), vec![Conversion::RichText])]), []);
    assert_eq!(told(vec![rule("title", from("note"), vec![]), rule("title", Source::Origin, vec![])]), []);
}

#[test]
fn a_wrong_expression_is_told_before_anything_runs() {
    let ends = Ends::new();
    let faults = |target: &str, text: &str| -> Vec<FaultReason> {
        let lane = Lane::of_kind(Kind::TestCase, vec![rule(target, Source::Computed(text.to_owned()), vec![])]);
        let of = |f: &Fault| f.field == target && f.reason != FaultReason::NoOriginRule;
        check(&lane, &ends.context(), &[]).into_iter().filter(of).map(|f| f.reason).collect()
    };
    assert_eq!(faults("title", "fields.name + key"), []);
    assert_eq!(faults("title", "string(fields.count)"), []);
    let named = faults("title", "fields.nam + fields.lvl");
    let places: Vec<_> = named
        .iter()
        .map(|f| match f {
            FaultReason::Expression { from, to, .. } => (*from, *to),
            other => panic!("{other:?}"),
        })
        .collect();
    assert_eq!(places, [(7, 10), (20, 23)]);
    let differs = |from, to| vec![FaultReason::TypesDiffer { from, to }];
    assert_eq!(faults("number", "fields.labels"), differs(ValueType::ChoiceList, ValueType::Integer));
    let moving = faults("title", "string(now)");
    assert!(
        matches!(&moving[..], [FaultReason::Expression { why, .. }] if why.contains("every dry run")),
        "{moving:?}"
    );
}

/// What could carry both ways is what a lane that does has no fault of, rule by rule.
#[test]
fn rules_that_could_go_back_have_no_fault_when_they_do() {
    let ends = Ends::new();
    let ruling = |field: &str, source: &str, conversions: Vec<Conversion>| {
        rule(field, Source::Field(source.into()), conversions)
    };
    let back_and_forth = map(&[("4 – Severe", "High"), ("1 – Cosmetic", "Low")], Fallback::Block);
    let astray = map(&[("4 – Severe", "High"), ("3 – Grave", "High")], Fallback::Block);
    let rules = [
        ruling("priority", "level", vec![back_and_forth]),
        ruling("priority", "level", vec![astray]),
        ruling("gone", "level", vec![]),
        ruling("priority", "gone", vec![]),
        rule("priority", Source::Constant(Value::choice("High")), vec![]),
        rule("origin", Source::Origin, vec![]),
    ];
    let mut could = 0;
    for one in rules {
        let lane = Lane::of_kind(Kind::TestCase, vec![one.clone()]);
        let found = could_go_back(&lane, &ends.context()) == [one.id.clone()];
        let lane =
            Lane { direction: Direction::Both, ..Lane::of_kind(Kind::TestCase, vec![Rule { back: true, ..one }]) };
        let field = lane.fills().next().expect("a rule").target.to_string();
        let clean = !check(&lane, &ends.context(), &[])
            .iter()
            .any(|f| f.field == field && f.reason != FaultReason::RequiredUnfed);
        assert_eq!(found, clean, "{lane:?}: {:?}", check(&lane, &ends.context(), &[]));
        could += usize::from(found);
    }
    assert_eq!(could, 1, "the value map that leads back");
}
