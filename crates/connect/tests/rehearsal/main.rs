//! The rehearsal against the real targets: whatever a target refuses, the rehearsal told before, and what the
//! rehearsal lets pass is taken. More than twenty kinds of trouble are planted, each in an item that is else as one
//! that the target holds.

use std::collections::BTreeSet;
use std::sync::Arc;

use futures::StreamExt;
use hovrel_connect::{ConnectError, Connector, Write};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{
    ATTACHMENTS, Artefact, Attachment, COMMENTS, Call, Document, End, Fields, HISTORY, Kind, LINKS, Link, LinkEnd,
    LinkType, PARENT, Reference, Step, Value, ValueType,
};
use hovrel_core::plan::{Change, Decision, FieldChange, FieldReason, Outcome, Side};
use hovrel_core::rehearse;
use hovrel_core::rehearse::{RefusalReason, Rehearsal};
use hovrel_core::rules::FirstContact;
use hovrel_standins::world::Size;
use hovrel_testkit::{CAIRNBOOK, FERNWAY, Known, OLDSTONE, Systems, TALLYBENCH, put, read_all};

/// A target with everything it holds.
struct Target {
    connector: Arc<dyn Connector>,
    container: &'static str,
    catalogue: Catalogue,
    items: Vec<Artefact>,
}

impl Target {
    async fn of(systems: &Systems, known: &Known) -> Target {
        let connector = systems.connect(known);
        let catalogue = connector.catalogue(known.container).await.expect("a catalogue");
        let mut items = Vec::new();
        for kind in catalogue.kinds.iter().map(|k| k.kind) {
            items.extend(read_all(&*connector, known.container, kind).await);
        }
        Target { connector, container: known.container, catalogue, items }
    }

    fn first(&self, kind: Kind) -> &Artefact {
        self.items.iter().find(|a| a.kind == kind).unwrap_or_else(|| panic!("{kind:?} is there"))
    }

    /// What a plan would write to make an item like one that is there.
    fn like(&self, one: &Artefact) -> Vec<(String, Value)> {
        let schema = self.catalogue.kind(one.kind).expect("its kind");
        let own =
            schema.fields.iter().filter(|f| !f.read_only && !f.unique && !f.origin_mark && !f.id.starts_with('@'));
        let held = |id: &str| one.fields.get(id).filter(|v| !v.is_blank()).cloned();
        let mut out: Vec<(String, Value)> = own.filter_map(|f| Some((f.id.clone(), held(&f.id)?))).collect();
        if let Some(parent) = &one.parent {
            out.push((PARENT.to_owned(), Value::Reference(Reference::known(parent))));
        }
        out
    }

    /// What the rehearsal says of a change.
    fn rehearsed(&self, change: &Change) -> Vec<RefusalReason> {
        let mut stage = Rehearsal::at(Arc::new(rehearse::Target::new(&self.catalogue, self.items.iter())));
        let decision = Decision { included: true, ..Decision::default_for(change) };
        stage.play(change, &decision, FirstContact::Wins(End::Left)).refusals.into_iter().map(|r| r.reason).collect()
    }

    /// What the target itself says to it, written as the engine would.
    async fn real(&self, change: &Change) -> Result<(), ConnectError> {
        let (mut fields, mut parent, mut files) = (Fields::default(), None, Vec::new());
        for f in &change.fields {
            match (&f.write, f.field.id()) {
                (Value::Attachments(list), ATTACHMENTS) => files.clone_from(list),
                (Value::Reference(r), PARENT) => parent = Some(Some(r.id().to_owned())),
                (_, PARENT | COMMENTS | HISTORY) => {}
                (value, field) => fields.set(field, value.clone()),
            }
        }
        let id = change.right.as_ref().map(|r| r.id.clone());
        let version = change.right.as_ref().and_then(|r| r.version.clone());
        let write = Write { kind: change.right_kind, id, version, fields, parent, in_source: false };
        let made = put(&*self.connector, self.container, &write).await?;
        for file in files {
            let bytes = vec![b'a'; file.bytes.unwrap_or(0) as usize];
            let stream = futures::stream::iter([Ok(bytes.into())]).boxed();
            self.connector.put_attachment(change.right_kind, &made.id, &file, stream).await?;
        }
        Ok(())
    }
}

fn change(kind: Kind, fields: Vec<(String, Value)>) -> Change {
    let field = |(field, write): (String, Value)| FieldChange {
        left: None,
        write,
        right: None,
        reason: FieldReason::New,
        ..FieldChange::of(field.into())
    };
    Change {
        left: Some(Side::of(&Artefact::bare(kind, "left"), String::new())),
        fields: fields.into_iter().map(field).collect(),
        ..Change::new(0, "lane", (kind, kind), End::Right, Outcome::New(End::Right))
    }
}

/// An item like another, with one field otherwise.
fn with(mut fields: Vec<(String, Value)>, field: &str, value: Value) -> Vec<(String, Value)> {
    fields.retain(|(f, _)| f != field);
    fields.push((field.to_owned(), value));
    fields
}

fn without(mut fields: Vec<(String, Value)>, field: &str) -> Vec<(String, Value)> {
    fields.retain(|(f, _)| f != field);
    fields
}

fn file(name: &str, media_type: &str, bytes: u64) -> Attachment {
    Attachment { name: name.into(), media_type: media_type.into(), bytes: Some(bytes), digest: None }
}

fn calls(target: &str) -> Value {
    let call = Call { target: Reference::known(target), arguments: vec![] };
    Value::Steps(vec![Step { call: Some(call), ..Step::default() }])
}

fn link(link_type: LinkType, kind: Kind, id: &str) -> Value {
    Value::Links(vec![Link::new(link_type, LinkEnd::Artefact { kind, id: id.into() })])
}

/// Each text of each kind that may be so long and no longer, one longer than that; and each title that is only blanks.
fn beyond_the_schema(t: &Target) -> Vec<(String, Change)> {
    let mut out = Vec::new();
    for kind in t.catalogue.kinds.iter().filter(|k| k.writable) {
        let Some(one) = t.items.iter().find(|a| a.kind == kind.kind) else { continue };
        let base = t.like(one);
        for field in kind.fields.iter().filter(|f| !f.read_only && !f.origin_mark) {
            let words = |n: usize| match field.value_type {
                ValueType::RichText => Some(Value::RichText(Document::from_text(&"y".repeat(n)))),
                ValueType::Text => Some(Value::text("y".repeat(n))),
                _ => None,
            };
            let Some(limit) = field.max_length else { continue };
            let Some(long) = words(limit as usize + 1) else { continue };
            let about = format!("{:?}: “{}” longer than {limit}", kind.kind, field.name);
            out.push((about, change(kind.kind, with(base.clone(), &field.id, long))));
        }
        let title = kind.fields.iter().find(|f| ["title", "name"].contains(&f.id.as_str())).expect("a title");
        for blanks in [" ", "\u{a0}", "\t\n "] {
            let about = format!("{:?}: a title of {blanks:?}", kind.kind);
            out.push((about, change(kind.kind, with(base.clone(), &title.id, Value::text(blanks)))));
        }
    }
    out
}

/// What is planted at each target: what it is, and the change.
fn planted(name: &str, t: &Target) -> Vec<(&'static str, Change)> {
    let case = |fields| change(Kind::TestCase, fields);
    let long = Value::text("x".repeat(300));
    match name {
        "Tallybench" => {
            let base = t.like(t.first(Kind::TestCase));
            let mark = t
                .catalogue
                .kind(Kind::TestCase)
                .and_then(|k| k.fields.iter().find(|f| f.unique))
                .expect("a mark")
                .id
                .clone();
            let folder = |parent: &str, title: Value| {
                change(
                    Kind::Folder,
                    vec![("title".into(), title), (PARENT.into(), Value::Reference(Reference::known(parent)))],
                )
            };
            let execution = t.like(t.first(Kind::Execution));
            let result = t.like(t.first(Kind::Result));
            let mut gone = case(base.clone());
            gone.outcome = Outcome::Update(End::Right);
            gone.right = Some(Side::of(&Artefact::bare(Kind::TestCase, "999999"), String::new()));
            vec![
                ("no title", case(without(base.clone(), "title"))),
                ("an empty title", case(with(base.clone(), "title", Value::text("  ")))),
                ("a title too long", case(with(base.clone(), "title", long.clone()))),
                ("no priority", case(without(base.clone(), "priority"))),
                ("a priority off the list", case(with(base.clone(), "priority", Value::choice("Terrible")))),
                ("a status off the list", case(with(base.clone(), "status", Value::choice("Asleep")))),
                (
                    "a component too long",
                    case(with(base.clone(), "component", Value::text("a component that is far too long"))),
                ),
                ("a person who is not there", case(with(base.clone(), "assigned", Value::User("nobody".into())))),
                (
                    "a folder that is not there",
                    case(with(base.clone(), PARENT, Value::Reference(Reference::known("999999")))),
                ),
                ("a mark that another has", case(with(base.clone(), &mark, Value::text(TAKEN)))),
                (
                    "a type of link that is not taken",
                    case(with(
                        base.clone(),
                        LINKS,
                        link(LinkType::Implements, Kind::TestCase, &t.first(Kind::TestCase).id),
                    )),
                ),
                (
                    "a link to what is not there",
                    case(with(base.clone(), LINKS, link(LinkType::RelatesTo, Kind::TestCase, "999999"))),
                ),
                ("a call of steps that are not there", case(with(base.clone(), "steps", calls("999999")))),
                (
                    "a file of a type that is not taken",
                    case(with(
                        base.clone(),
                        ATTACHMENTS,
                        Value::Attachments(vec![file("a.exe", "application/x-msdownload", 10)]),
                    )),
                ),
                ("a kind that is not taken", change(Kind::Requirement, vec![("title".into(), Value::text("R"))])),
                ("an item that is gone", gone),
                ("a folder too deep", folder(&deepest(t).id, Value::text("One more"))),
                ("a folder's title too long", folder(&t.first(Kind::Folder).id, long.clone())),
                ("an execution in no run", change(Kind::Execution, without(execution.clone(), "run"))),
                (
                    "an execution in a run that is not there",
                    change(Kind::Execution, with(execution, "run", Value::Reference(Reference::known("999999")))),
                ),
                ("a result without an outcome", change(Kind::Result, without(result.clone(), "outcome"))),
                (
                    "a result with another outcome",
                    change(Kind::Result, with(result, "outcome", Value::choice("Splendid"))),
                ),
            ]
        }
        "Fernway" => {
            let base = t.like(t.first(Kind::Defect));
            let schema = t.catalogue.kind(Kind::Defect).expect("defects");
            let state = schema.fields.iter().find(|f| f.workflow.is_some()).expect("a workflow");
            let workflow = state.workflow.as_ref().expect("it has one");
            let asking = workflow.moves.iter().find(|m| !m.asks.is_empty()).expect("a move that asks");
            let mut far = with(base.clone(), &state.id, Value::choice(&asking.to));
            far.retain(|(f, _)| !asking.asks.contains(f));
            let required = schema.fields.iter().find(|f| f.required && f.workflow.is_none()).expect("a required field");
            let limited = schema.fields.iter().find(|f| f.max_length.is_some() && !f.read_only).expect("a limit");
            vec![
                ("a move that asks for a field", change(Kind::Defect, far)),
                (
                    "a state that is not there",
                    change(Kind::Defect, with(base.clone(), &state.id, Value::choice("Lost"))),
                ),
                ("a required field left out", change(Kind::Defect, without(base.clone(), &required.id))),
                (
                    "a text too long",
                    change(
                        Kind::Defect,
                        with(
                            base.clone(),
                            &limited.id,
                            Value::text("y".repeat(limited.max_length.unwrap_or(0) as usize + 1)),
                        ),
                    ),
                ),
                (
                    "a file too large",
                    change(
                        Kind::Defect,
                        with(
                            base,
                            ATTACHMENTS,
                            Value::Attachments(vec![file("a.log", "text/plain", 10 * 1024 * 1024 + 1)]),
                        ),
                    ),
                ),
            ]
        }
        _ => {
            let base = t.like(t.first(Kind::TestCase));
            vec![
                ("an importance off the list", case(with(base.clone(), "importance", Value::choice("9 – Absurd")))),
                (
                    "a file too large",
                    case(with(
                        base.clone(),
                        ATTACHMENTS,
                        Value::Attachments(vec![file("a.log", "text/plain", 5 * 1024 * 1024 + 1)]),
                    )),
                ),
                (
                    "a folder that is not there",
                    case(with(base, PARENT, Value::Reference(Reference::known("F-999999")))),
                ),
            ]
        }
    }
}

fn deepest(t: &Target) -> &Artefact {
    t.items.iter().filter(|a| a.kind == Kind::Folder).max_by_key(|f| depth(t, f)).expect("folders")
}

fn depth(t: &Target, folder: &Artefact) -> usize {
    let parent = folder.parent.as_ref().and_then(|p| t.items.iter().find(|a| a.kind == Kind::Folder && a.id == *p));
    1 + parent.map_or(0, |p| depth(t, p))
}

/// An origin mark that an item holds.
const TAKEN: &str = "Other:1";

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn every_refusal_of_a_target_is_told_before() {
    let systems = Systems::start(Size::SMALL).await;
    let mut kinds: BTreeSet<&str> = BTreeSet::new();
    for known in [&TALLYBENCH, &FERNWAY, &OLDSTONE] {
        let mut target = Target::of(&systems, known).await;
        let schema = target.catalogue.kind(Kind::TestCase);
        if let Some(mark) = schema.and_then(|k| k.fields.iter().find(|f| f.unique)) {
            let marked = with(target.like(target.first(Kind::TestCase)), &mark.id, Value::text(TAKEN));
            target.real(&change(Kind::TestCase, marked)).await.expect("nobody has the mark yet");
            // Folders as deep as they go.
            for level in 1..target.catalogue.kind(Kind::Folder).and_then(|k| k.max_depth).expect("a limit") {
                target = Target::of(&systems, known).await;
                let deepest = deepest(&target);
                if depth(&target, deepest) == level as usize {
                    let title = ("title".to_owned(), Value::text(format!("Level {}", level + 1)));
                    let parent = (PARENT.to_owned(), Value::Reference(Reference::known(&deepest.id)));
                    target.real(&change(Kind::Folder, vec![title, parent])).await.expect("there is room below");
                }
            }
            target = Target::of(&systems, known).await;
        }
        // As it is there, an item is taken, and the rehearsal lets it pass.
        for kind in [Kind::TestCase, Kind::Defect, Kind::Execution, Kind::Result, Kind::TestRun] {
            let Some(one) = target.items.iter().find(|a| a.kind == kind) else { continue };
            let fine = change(kind, target.like(one));
            assert_eq!(target.rehearsed(&fine), [], "{}: {kind:?} as it is there", known.name);
            target.real(&fine).await.unwrap_or_else(|e| panic!("{}: {kind:?} as it is there: {e}", known.name));
        }
        for (what, change) in planted(known.name, &target) {
            let told = target.rehearsed(&change);
            let real = target.real(&change).await;
            assert!(real.is_err(), "{}: {what} is taken there, so it is no trouble", known.name);
            assert!(!told.is_empty(), "{}: {what} was not told: {}", known.name, real.unwrap_err());
            kinds.insert(what);
        }
    }
    assert!(kinds.len() >= 20, "{} kinds", kinds.len());
}

/// Each limit that stands in a target's own description of itself, for every field of every kind.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_a_targets_own_schema_does_not_take_is_told_before() {
    let systems = Systems::start(Size::SMALL).await;
    for known in [&TALLYBENCH, &FERNWAY, &OLDSTONE, &CAIRNBOOK] {
        let target = Target::of(&systems, known).await;
        let beyond = beyond_the_schema(&target);
        assert!(beyond.len() > 3, "{}: {} of them", known.name, beyond.len());
        for (what, change) in beyond {
            let (told, real) = (target.rehearsed(&change), target.real(&change).await);
            match real {
                Err(e) => assert!(!told.is_empty(), "{}: {what} was not told: {e}", known.name),
                Ok(()) => assert!(told.is_empty(), "{}: {what} is taken there, and was told: {told:?}", known.name),
            }
        }
    }
}

#[test]
fn what_needs_a_refused_change_is_told_to_wait_and_what_is_made_counts() {
    let field = |id: &str| hovrel_core::catalogue::FieldSchema::new(id, id, hovrel_core::model::ValueType::Text);
    let required = hovrel_core::catalogue::FieldSchema { required: true, unique: true, ..field("title") };
    let kind = |k| hovrel_core::catalogue::KindSchema {
        max_depth: Some(2),
        ..hovrel_core::catalogue::KindSchema::new(k, "Kind", vec![required.clone()])
    };
    let catalogue = Catalogue { kinds: vec![kind(Kind::Folder), kind(Kind::TestCase)], ..Catalogue::default() };
    let pending = |id: &str| Value::Reference(Reference::Pending { kind: Kind::Folder, id: id.into() });
    let one = |seq: u32, kind, id: &str, title: &str, parent: Option<&str>, depends_on: &[u32]| {
        let mut fields = vec![("title".to_owned(), Value::text(title))];
        fields.extend(parent.map(|p| (PARENT.to_owned(), pending(p))));
        let left = Some(Side::of(&Artefact::bare(kind, id), String::new()));
        Change { seq, left, depends_on: depends_on.to_vec(), ..change(kind, fields) }
    };
    let plan = [
        one(0, Kind::Folder, "a", "A", None, &[]),
        one(1, Kind::Folder, "b", "B", Some("a"), &[0]),
        one(2, Kind::Folder, "c", "C", Some("b"), &[1]),
        one(3, Kind::TestCase, "1", "In C", Some("c"), &[2]),
        one(4, Kind::TestCase, "2", "In B", Some("b"), &[1]),
        one(5, Kind::TestCase, "3", "In B", Some("b"), &[1]),
    ];
    let mut stage = Rehearsal::at(Arc::new(rehearse::Target::new(&catalogue, [].iter())));
    let told: Vec<Vec<RefusalReason>> = plan
        .iter()
        .map(|c| {
            let played = stage.play(c, &Decision::default_for(c), FirstContact::Ask);
            played.refusals.into_iter().map(|r| r.reason).collect()
        })
        .collect();
    assert_eq!(told[2], [RefusalReason::TooDeep { levels: 3, limit: 2 }]);
    let key = plan[2].left.as_ref().expect("a side").key.clone();
    let says = format!("it needs {key}, which would be refused; fix {key} first");
    assert_eq!(told[3], [RefusalReason::Waits { change: 2, key, left_out: false }], "its folder is refused");
    assert_eq!(hovrel_words::refusal(&told[3][0]), says);
    assert_eq!((told[0].len(), told[1].len(), told[4].len()), (0, 0, 0));
    assert_eq!(told[5].len(), 1, "the plan itself made one of this name: {:?}", told[5]);
}
