//! Somebody else was here in between. Whatever a person does at the right, in whichever slot of an item, after the plan,
//! before a write, between a call whose answer was lost and the look that follows, or before a retry: nothing of theirs is
//! gone afterwards, nor after the next plan. Held against a small model: what each slot looked like before and after each
//! thing that they did. And what nobody touched arrives all the same.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use futures::StreamExt;
use hovrel_connect::{Connector, Write};
use hovrel_core::catalogue::KindSchema;
use hovrel_core::model::{
    ATTACHMENTS, Artefact, Attachment, COMMENTS, Comment, Document, Fields, Kind, LINKS, Link, LinkEnd, LinkType,
    PARENT, POSITION, Stamp, Step, Value, ValueType,
};
use hovrel_standins::Running;
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::hold::{Release, Then};
use hovrel_standins::world::Size;
use hovrel_testkit::{
    CAIRNBOOK, Client, FERNWAY, Known, OLDSTONE, Systems, TALLYBENCH, read_all, settled_route, within,
};
use rand::seq::{IndexedRandom, SliceRandom};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use reqwest::Method;
use serde_json::{Value as Json, json};

use crate::program::Program;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Moment {
    AfterThePlan,
    BeforeTheWrite,
    AfterACut,
    BeforeARetry,
}

const MOMENTS: [Moment; 4] = [Moment::AfterThePlan, Moment::BeforeTheWrite, Moment::AfterACut, Moment::BeforeARetry];

/// Items of which the left changes something in each round, and somebody may at the right.
const TOUCHED: usize = 5;

/// Items that only the left changes.
const QUIET: usize = 2;

/// What a slot shows: one thing, or pieces of which each stands for itself.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Shows {
    Whole(String),
    Pieces(BTreeSet<String>),
}

fn shows(item: &Artefact, slot: &str) -> Shows {
    let pieces = |list: Vec<String>| Shows::Pieces(list.into_iter().collect());
    match slot {
        PARENT => Shows::Whole(format!("{:?}", item.parent)),
        LINKS => pieces(item.links.iter().map(Link::display).collect()),
        ATTACHMENTS => pieces(item.attachments.iter().map(|f| format!("{} {:?}", f.name, f.digest)).collect()),
        COMMENTS => pieces(item.comments.iter().map(|c| c.body.plain()).collect()),
        field => match item.fields.get(field) {
            Some(Value::ChoiceList(list)) => pieces(list.clone()),
            Some(Value::References(list)) => pieces(list.iter().map(|r| r.id().to_owned()).collect()),
            value => Shows::Whole(value.map(Value::display).unwrap_or_default()),
        },
    }
}

fn nothing() -> Shows {
    Shows::Whole(String::new())
}

/// Both as lists, where one of them is a list and the other is nothing.
fn beside(before: Shows, after: Shows) -> (Shows, Shows) {
    let empty = || Shows::Pieces(BTreeSet::new());
    match (before, after) {
        (Shows::Pieces(before), after) if after == nothing() => (Shows::Pieces(before), empty()),
        (before, Shows::Pieces(after)) if before == nothing() => (empty(), Shows::Pieces(after)),
        both => both,
    }
}

/// What somebody did to a slot, as far as it must still be seen.
#[derive(Debug, Clone, Default)]
struct Theirs {
    whole: Option<String>,
    has: BTreeSet<String>,
    lacks: BTreeSet<String>,
}

impl Theirs {
    fn did(&mut self, before: Shows, after: Shows) {
        match beside(before, after) {
            (Shows::Pieces(before), Shows::Pieces(after)) => {
                for added in after.difference(&before) {
                    self.lacks.remove(added);
                    self.has.insert(added.clone());
                }
                for removed in before.difference(&after) {
                    self.has.remove(removed);
                    self.lacks.insert(removed.clone());
                }
            }
            (before, Shows::Whole(after)) => {
                if before != Shows::Whole(after.clone()) {
                    self.whole = Some(after);
                }
            }
            (Shows::Whole(before), Shows::Pieces(_)) => panic!("a list that was {before:?}"),
        }
    }

    /// What of it is gone.
    fn gone(&self, now: &Shows) -> Vec<String> {
        let mut gone = Vec::new();
        let is_list = !(self.has.is_empty() && self.lacks.is_empty());
        let list = Shows::Pieces(BTreeSet::new());
        match if is_list && *now == nothing() { &list } else { now } {
            Shows::Whole(now) => {
                let other = self.whole.as_ref().filter(|whole| *whole != now);
                gone.extend(other.map(|whole| format!("they wrote {whole:?}, and it is {now:?}")));
            }
            Shows::Pieces(now) => {
                gone.extend(self.has.difference(now).map(|piece| format!("they added {piece:?}, and it is not there")));
                gone.extend(self.lacks.intersection(now).map(|p| format!("they removed {p:?}, and it is there again")));
            }
        }
        gone
    }
}

/// Who does something, by chance, and what the slot held before that they don't put back.
struct Hand<'h> {
    held: BTreeSet<Shows>,
    random: &'h mut ChaCha8Rng,
}

/// One end, as a person works there.
struct End {
    c: Arc<dyn Connector>,
    container: &'static str,
    schema: KindSchema,
    slots: Vec<String>,
    folders: Vec<String>,
}

impl End {
    async fn of(systems: &Systems, known: &Known, kind: Kind) -> End {
        let c = systems.connect(known);
        let catalogue = c.catalogue(known.container).await.expect("a catalogue");
        let schema = catalogue.kind(kind).expect("the kind").clone();
        let folders = match catalogue.kind(Kind::Folder).filter(|_| schema.in_folders) {
            Some(_) => read_all(&*c, known.container, Kind::Folder).await.into_iter().map(|f| f.id).collect(),
            None => Vec::new(),
        };
        let changes = |t: ValueType| {
            matches!(
                t,
                ValueType::Text
                    | ValueType::RichText
                    | ValueType::Choice
                    | ValueType::ChoiceList
                    | ValueType::Steps
                    | ValueType::References
                    | ValueType::Integer
                    | ValueType::Boolean
            )
        };
        let own = |f: &&hovrel_core::catalogue::FieldSchema| {
            !f.read_only && !f.origin_mark && f.workflow.is_none() && !f.id.starts_with('@')
        };
        let fields = schema.fields.iter().filter(own).filter(|f| changes(f.value_type)).map(|f| f.id.clone());
        let mut slots: Vec<String> = fields.collect();
        let hangs = [LINKS, ATTACHMENTS, COMMENTS, POSITION].into_iter().filter(|s| schema.field(s).is_some());
        slots.extend(hangs.map(str::to_owned));
        if folders.len() > 1 {
            slots.push(PARENT.to_owned());
        }
        End { c, container: known.container, schema, slots, folders }
    }

    async fn one(&self, id: &str) -> Artefact {
        self.c.one(self.container, self.schema.kind, id).await.expect("it is there")
    }

    async fn all(&self) -> Vec<Artefact> {
        read_all(&*self.c, self.container, self.schema.kind).await
    }

    async fn put(&self, item: &Artefact, fields: Fields, parent: Option<Option<String>>) {
        let (id, version) = (Some(item.id.clone()), item.version.clone());
        let write = Write { kind: self.schema.kind, id, version, fields, parent, in_source: false };
        // What the system does not take is no work of anybody's.
        let _ = self.c.write(self.container, &write).await;
    }

    /// Somebody does something to a slot of an item, and puts nothing into it that it held before: what is as it was at
    /// the last transfer shows to nobody that it was something else in between.
    async fn act(&self, running: &Running, item: &Artefact, slot: &str, word: &str, by: &mut Hand<'_>) {
        let (held, random) = (&by.held, &mut *by.random);
        match slot {
            PARENT => {
                let to = self.folders.choose(random).cloned();
                if !held.contains(&Shows::Whole(format!("{to:?}"))) {
                    self.put(item, Fields::default(), Some(to)).await;
                }
            }
            ATTACHMENTS => self.file(item, word, random).await,
            COMMENTS => self.comment(running, item, word, random).await,
            _ => {
                let Some(value) = self.other(item, slot, word, random).await else { return };
                let mut then = item.clone();
                then.fields.set(slot, value.clone());
                if !held.contains(&shows(&then, slot)) {
                    self.put(item, [(slot, value)].into_iter().collect(), None).await;
                }
            }
        }
    }

    /// Another value for a slot.
    async fn other(&self, item: &Artefact, slot: &str, word: &str, random: &mut ChaCha8Rng) -> Option<Value> {
        if slot == POSITION {
            return Some(Value::Integer(random.random_range(0..4)));
        }
        if slot == LINKS {
            let mut links = item.links.clone();
            if !links.is_empty() && random.random() {
                links.remove(random.random_range(0..links.len()));
            } else {
                let all = self.all().await;
                let to = all.choose(random).filter(|other| other.id != item.id)?;
                let target = LinkEnd::Artefact { kind: self.schema.kind, id: to.id.clone() };
                links.push(Link::new(LinkType::RelatesTo, target));
            }
            return Some(Value::Links(links));
        }
        let field = self.schema.field(slot)?;
        Some(match (field.value_type, item.fields.get(slot)) {
            (ValueType::Text, _) => Value::text(word),
            (ValueType::RichText, _) => Value::RichText(Document::from_text(word)),
            (ValueType::Choice, _) => Value::choice(field.allowed.as_ref()?.choose(random)?),
            (ValueType::Integer, _) => Value::Integer(random.random_range(1..9)),
            (ValueType::Boolean, _) => Value::Boolean(random.random()),
            (ValueType::ChoiceList, now) => {
                let mut list = match now {
                    Some(Value::ChoiceList(list)) => list.clone(),
                    _ => Vec::new(),
                };
                if !list.is_empty() && random.random() {
                    list.remove(0);
                } else {
                    list.push(match &field.allowed {
                        Some(allowed) => allowed.iter().find(|a| !list.contains(a))?.clone(),
                        None => format!("w{}", random.random_range(0..1_000_000)),
                    });
                }
                Value::ChoiceList(list)
            }
            (ValueType::References, Some(Value::References(list))) if !list.is_empty() => {
                let mut list = list.clone();
                list.remove(random.random_range(0..list.len()));
                Value::References(list)
            }
            (ValueType::Steps, now) => {
                let mut steps = match now {
                    Some(Value::Steps(steps)) => steps.clone(),
                    _ => Vec::new(),
                };
                if steps.len() > 1 && random.random() {
                    steps.remove(0);
                } else {
                    steps.push(Step { action: Document::from_text(word), ..Step::default() });
                }
                Value::Steps(steps)
            }
            _ => return None,
        })
    }

    /// Adds a file, puts other bytes in the place of one, or takes one off.
    async fn file(&self, item: &Artefact, word: &str, random: &mut ChaCha8Rng) {
        let kind = self.schema.kind;
        let there = item.attachments.choose(random);
        if let Some(there) = there.filter(|_| random.random_range(0..3) == 0) {
            let _ = self.c.remove_attachment(kind, &item.id, &there.name).await;
            return;
        }
        let name = match there.filter(|_| random.random()) {
            Some(there) => there.name.clone(),
            None => format!("{}.txt", word.replace(' ', "-")),
        };
        let bytes = bytes::Bytes::from(word.to_owned());
        let (media_type, size) = ("text/plain".to_owned(), Some(bytes.len() as u64));
        let file = Attachment { name, media_type, bytes: size, digest: None };
        let _ = self.c.put_attachment(kind, &item.id, &file, futures::stream::iter([Ok(bytes)]).boxed()).await;
    }

    async fn say(&self, item: &Artefact, word: &str) {
        let body = Document::from_text(&format!("Said {word}"));
        let at = Some(chrono::Utc::now().fixed_offset());
        let comment = Comment { id: None, stamp: Stamp { at, by: None }, body };
        let _ = self.c.add_comment(self.container, self.schema.kind, &item.id, &comment).await;
    }

    /// Adds a comment; or mends or removes one, with the system's own tools.
    async fn comment(&self, running: &Running, item: &Artefact, word: &str, random: &mut ChaCha8Rng) {
        // Those with a word of their own: what is changed by its words is one comment and nothing else.
        let own: Vec<String> =
            item.comments.iter().map(|c| c.body.plain()).filter(|t| t.starts_with("Said ") && t.len() < 60).collect();
        match own.choose(random).filter(|_| random.random()) {
            Some(said) => {
                let mended = random.random::<bool>().then(|| format!("Said by them: {word}"));
                running.change(|state| reword(state, said, mended.as_deref())).expect("it is still a state");
            }
            None => self.say(item, word).await,
        }
    }
}

/// In every list: what says something is put in other words, or removed.
fn reword(state: &mut Json, said: &str, other: Option<&str>) {
    let says = |one: &Json| {
        let texts = one.as_object().into_iter().flat_map(|o| o.values()).filter_map(Json::as_str);
        texts.clone().any(|t| t.contains(said)) && one.as_object().is_some_and(|o| o.len() < 7)
    };
    match state {
        Json::Array(list) => {
            if other.is_none() {
                list.retain(|one| !says(one));
            }
            for one in list.iter_mut() {
                if let (true, Some(other), Some(entries)) = (says(one), other, one.as_object_mut()) {
                    for text in entries.values_mut() {
                        if let Json::String(text) = text {
                            *text = text.replace(said, other);
                        }
                    }
                }
                reword(one, said, other);
            }
        }
        Json::Object(entries) => entries.values_mut().for_each(|one| reword(one, said, other)),
        _ => {}
    }
}

struct World {
    systems: Systems,
    client: Client,
    route: String,
    left: End,
    right: End,
    left_at: &'static Known,
    right_at: &'static Known,
    random: ChaCha8Rng,
    /// What somebody did, by the right's id and slot.
    theirs: BTreeMap<(String, String), Theirs>,
    /// What each slot held before they did something, other than lists.
    held: BTreeMap<(String, String), BTreeSet<Shows>>,
    /// Everything that somebody did something to, forgotten or not.
    noted: BTreeSet<(String, String)>,
    /// What happened, to be told where something is gone.
    told: Vec<String>,
    words: u32,
    refused: i64,
    _program: Program,
}

/// An item at the left and the one at the right that was made of it.
#[derive(Debug, Clone)]
struct Pair {
    left: String,
    right: String,
}

impl World {
    async fn begin(left: &'static Known, right: &'static Known, kinds: (Kind, Kind), seed: u64) -> World {
        let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
        let client = Client::sign_in(&program.address).await;
        let with: &[Kind] = match kinds.0 {
            Kind::TestCase => &[Kind::Folder, Kind::TestCase],
            Kind::TestSuite => &[Kind::Folder, Kind::TestCase, Kind::TestSuite],
            _ => &[Kind::Requirement],
        };
        let (route, lanes) = settled_route(&client, &systems, left, right, with).await.expect("kinds in common");
        assert!(lanes.iter().any(|l| l["right_kind"] == kinds.1.id()), "{lanes:?}");
        let plan = client.dry_run(&route).await;
        client.decide_all(&plan).await;
        let job = client.finish(&client.transfer(&plan).await).await;
        assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
        World {
            left: End::of(&systems, left, kinds.0).await,
            right: End::of(&systems, right, kinds.1).await,
            left_at: left,
            right_at: right,
            random: ChaCha8Rng::seed_from_u64(seed),
            theirs: BTreeMap::new(),
            held: BTreeMap::new(),
            noted: BTreeSet::new(),
            told: Vec::new(),
            words: 0,
            refused: 0,
            systems,
            client,
            route,
            _program: program,
        }
    }

    fn word(&mut self, who: &str) -> String {
        self.words += 1;
        format!("{who} {} {}", self.words, self.random.random_range(100..999))
    }

    async fn pairs(&self) -> Vec<Pair> {
        let left = self.left.all().await;
        let there = self.right.all().await;
        let of = |a: &Artefact| {
            let key = a.origin.as_deref()?.strip_prefix(&format!("{}:", self.left_at.name))?;
            let left = left.iter().find(|l| l.key == key || l.id == key)?;
            Some(Pair { left: left.id.clone(), right: a.id.clone() })
        };
        there.iter().filter_map(of).collect()
    }

    async fn at_left(&mut self, pair: &Pair) {
        let slot = self.left.slots.choose(&mut self.random).expect("a slot").clone();
        let item = self.left.one(&pair.left).await;
        let word = self.word("Ours");
        let running = self.systems.running(self.left_at);
        // What is taken off at the left is told, and is another test's; here the left adds and changes.
        let before = shows(&item, &slot);
        if slot == COMMENTS {
            self.left.say(&item, &word).await;
        } else {
            let mut by = Hand { held: BTreeSet::new(), random: &mut self.random };
            self.left.act(running, &item, &slot, &word, &mut by).await;
        }
        let after = shows(&self.left.one(&pair.left).await, &slot);
        self.told.push(format!("left of {}: {slot} {word}: {before:?} → {after:?}", pair.right));
    }

    /// Somebody does something to an item at the right, and the model notes what.
    async fn at_right(&mut self, id: &str, but: &[&str]) {
        for _ in 0..self.random.random_range(1..=3) {
            let slot = self.right.slots.choose(&mut self.random).expect("a slot").clone();
            if but.contains(&slot.as_str()) {
                continue;
            }
            let before = self.right.one(id).await;
            let word = self.word("Theirs");
            let running = self.systems.running(self.right_at);
            let mut by = Hand { held: self.held_in(id, &slot), random: &mut self.random };
            self.right.act(running, &before, &slot, &word, &mut by).await;
            let after = self.right.one(id).await;
            self.told.push(format!(
                "right {id}: {slot} {word}: {:?} → {:?}",
                shows(&before, &slot),
                shows(&after, &slot)
            ));
            // Whatever else moved with it is theirs too.
            for slot in &self.right.slots {
                let (before, after) = (shows(&before, slot), shows(&after, slot));
                if before != after {
                    if let Shows::Whole(_) = before {
                        self.held.entry((id.to_owned(), slot.clone())).or_default().insert(before.clone());
                    }
                    self.noted.insert((id.to_owned(), slot.clone()));
                    self.theirs.entry((id.to_owned(), slot.clone())).or_default().did(before, after);
                }
            }
        }
    }

    fn held_in(&self, id: &str, slot: &str) -> BTreeSet<Shows> {
        self.held.get(&(id.to_owned(), slot.to_owned())).cloned().unwrap_or_default()
    }

    async fn nothing_is_gone(&self, when: &str) {
        let ids: BTreeSet<&String> = self.theirs.keys().map(|(id, _)| id).collect();
        for id in ids {
            let now = self.right.one(id).await;
            for ((_, slot), theirs) in self.theirs.iter().filter(|((of, _), _)| of == id) {
                let gone = theirs.gone(&shows(&now, slot));
                let of_it: Vec<&String> = self.told.iter().filter(|t| t.contains(id.as_str())).collect();
                assert!(gone.is_empty(), "{} {id} {slot}, {when}: {gone:?}; {of_it:#?}", self.right_at.name);
            }
        }
    }

    /// Carries out a plan while somebody does something at the moment; the job when it is over.
    async fn carried_out(&mut self, plan: &Json, moment: Moment, among: &[Pair]) -> Json {
        let last_wins = self.right_at.name == FERNWAY.name;
        let ids: Vec<String> = among.iter().map(|p| p.right.clone()).collect();
        if moment == Moment::AfterThePlan {
            for id in &ids {
                self.at_right(id, &[]).await;
            }
        }
        let faults = self.systems.running(self.right_at).faults.clone();
        if moment == Moment::BeforeARetry {
            faults.set(FaultPlan { full: 1000, ..FaultPlan::default() });
        }
        let of_these = {
            let ids = ids.clone();
            move |path: &str| ids.iter().any(|id| is_of(path, id))
        };
        // Where the last one to write wins, nothing but a look can tell that somebody was there: it is the look that
        // they come before.
        let (looks, writes) = (of_these.clone(), of_these.clone());
        let held = match moment {
            Moment::BeforeTheWrite if last_wins => Some(faults.hold(move |m, u| *m == Method::GET && looks(u.path()))),
            Moment::BeforeTheWrite | Moment::AfterACut => {
                Some(faults.hold(move |m, u| *m != Method::GET && writes(u.path())))
            }
            _ => None,
        };
        let job = self.client.transfer(plan).await;
        if let Some(held) = held {
            let over = self.client.finish(&job);
            let came: Option<(String, Release)> = tokio::select! {
                came = held.arrived() => came,
                _ = over => None,
            };
            if let Some((path, release)) = came {
                let (path, release) = if moment == Moment::AfterACut {
                    let next = faults.hold(move |m, u| (!last_wins || *m == Method::GET) && of_these(u.path()));
                    release.then(Then::CutAfter);
                    within("the look after a cut", next.arrived()).await.expect("it looks")
                } else {
                    (path, release)
                };
                let id = ids.iter().find(|id| is_of(&path, id)).expect("one of these").clone();
                // A file that is on its way, under a name, can't be told from theirs by any system here.
                let but: &[&str] = if path.contains("/files/") { &[ATTACHMENTS] } else { &[] };
                self.at_right(&id, but).await;
                release.then(Then::GoOn);
            }
        }
        faults.hold_nothing();
        let mut job = self.client.finish(&job).await;
        if moment == Moment::BeforeARetry {
            for id in &ids {
                self.at_right(id, &[]).await;
            }
            faults.set(FaultPlan::default());
        }
        assert_eq!(job["state"], "done", "{job}");
        if job["result"]["refused"].as_i64() > Some(0) {
            self.refused += job["result"]["refused"].as_i64().unwrap_or(0);
            self.nothing_is_gone("before a retry").await;
            let again = format!("/jobs/{}/retry", job["id"].as_str().expect("an id"));
            job = self.client.finish(&self.client.post(&again, json!({})).await).await;
        }
        job
    }

    /// Forgets what agrees with the left by now, as the proof finds: whatever somebody did there is done at both ends, and
    /// what the left does next goes on from it.
    async fn forget_what_agrees(&mut self) {
        let proof = self.client.prove(&self.route).await;
        let lanes = proof["lanes"].as_array().expect("lanes").iter();
        let mut differ = BTreeSet::new();
        let mut carried = BTreeSet::new();
        for lane in lanes.filter(|l| l["right_kind"] == self.right.schema.kind.id()) {
            let word = |of: &Json| of.as_str().expect("a word").to_owned();
            carried.extend(lane["fields"].as_array().expect("fields").iter().map(|f| word(&f["field"])));
            let differences = lane["differences"].as_array().expect("differences").iter();
            differ.extend(differences.map(|d| (word(&d["right_key"]), word(&d["field"]))));
        }
        let mut keys = BTreeMap::new();
        for (id, _) in self.theirs.keys() {
            keys.insert(id.clone(), self.right.one(id).await.key);
        }
        self.theirs
            .retain(|(id, slot), _| !carried.contains(slot) || differ.contains(&(keys[id].clone(), slot.clone())));
    }

    /// Notes what a plan says of the items that somebody touched.
    async fn tell_of(&mut self, plan: &Json) {
        for change in self.client.all_changes(plan).await {
            let Some(id) = change["right"]["id"].as_str().filter(|id| self.theirs.keys().any(|(of, _)| of == id))
            else {
                continue;
            };
            let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), change["seq"]);
            let detail = self.client.get(&path).await;
            let fields = detail["fields"].as_array().into_iter().flatten();
            let said: Vec<String> =
                fields.map(|f| format!("{} {} {}", f["field"], f["reason"], f["decision"])).collect();
            self.told.push(format!("next plan of {id}: {} {}: {said:?}", change["outcome"], change["included"]));
        }
    }

    async fn round(&mut self, moment: Moment) {
        let mut pairs = self.pairs().await;
        assert!(pairs.len() > 2, "enough was carried: {}", pairs.len());
        pairs.shuffle(&mut self.random);
        let touched: BTreeSet<String> = self.theirs.keys().map(|(id, _)| id.clone()).collect();
        let quiet: Vec<Pair> = pairs.iter().filter(|p| !touched.contains(&p.right)).take(QUIET).cloned().collect();
        let among: Vec<Pair> = pairs
            .iter()
            .filter(|p| !quiet.iter().any(|q| q.right == p.right))
            .take(TOUCHED.min(pairs.len() / 2))
            .cloned()
            .collect();
        for pair in among.iter().chain(&quiet) {
            self.at_left(pair).await;
            self.at_left(pair).await;
        }
        self.told.push(format!("{moment:?}"));
        let plan = self.client.dry_run(&self.route).await;
        self.carried_out(&plan, moment, &among).await;
        self.nothing_is_gone(&format!("{moment:?}")).await;
        // What the next plan takes in by itself writes over nothing either.
        let next = self.client.dry_run(&self.route).await;
        self.tell_of(&next).await;
        self.client.finish(&self.client.transfer(&next).await).await;
        self.nothing_is_gone(&format!("{moment:?}, and the next plan")).await;
        self.forget_what_agrees().await;
        // And what nobody touched is in step.
        let open = self.client.all_changes(&self.client.dry_run(&self.route).await).await;
        for pair in &quiet {
            // One that can't be transferred as it is now waits, and says so.
            let waits = |c: &&Json| c["outcome"] == "blocked";
            let of_it = open.iter().filter(|c| c["left"]["id"] == pair.left.as_str());
            let still: Vec<&Json> = of_it.filter(|c| !waits(c)).collect();
            assert!(still.is_empty(), "{moment:?}: {still:?}; {:#?}", self.told);
        }
    }
}

/// Whether a call is about an item.
fn is_of(path: &str, id: &str) -> bool {
    path == id || path.split('/').any(|part| part == id) || (id.starts_with('/') && path.starts_with(id))
}

/// Rounds at each moment, of each system.
const ROUNDS: u64 = 3;

async fn nothing_of_theirs_is_gone(left: &'static Known, right: &'static Known, kinds: (Kind, Kind)) {
    let seed = std::env::var("HOVREL_BETWEEN_SEED").ok().and_then(|s| s.parse().ok()).unwrap_or(1);
    let mut world = World::begin(left, right, kinds, seed).await;
    for _ in 0..ROUNDS {
        for moment in MOMENTS {
            world.round(moment).await;
        }
    }
    let (noted, open) = (world.noted.len(), world.theirs.len());
    assert!(noted > 2 && open > 0 && world.refused > 0, "{noted} slots, {open} open, {} refused", world.refused);
    println!("{}: {noted} slots of others, {open} open at the end, {} refused", right.name, world.refused);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn somebody_else_was_here_in_between_at_tallybench() {
    nothing_of_theirs_is_gone(&OLDSTONE, &TALLYBENCH, (Kind::TestCase, Kind::TestCase)).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn somebody_else_was_here_in_between_at_oldstone() {
    nothing_of_theirs_is_gone(&TALLYBENCH, &OLDSTONE, (Kind::TestCase, Kind::TestCase)).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn somebody_else_was_here_in_between_at_fernway() {
    nothing_of_theirs_is_gone(&OLDSTONE, &FERNWAY, (Kind::Requirement, Kind::Requirement)).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn somebody_else_was_here_in_between_at_cairnbook() {
    nothing_of_theirs_is_gone(&OLDSTONE, &CAIRNBOOK, (Kind::Requirement, Kind::Requirement)).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn somebody_else_was_here_in_between_in_suites() {
    nothing_of_theirs_is_gone(&OLDSTONE, &TALLYBENCH, (Kind::TestSuite, Kind::TestSuite)).await;
}
