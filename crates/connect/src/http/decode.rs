//! Answers to artefacts, by the profile's places and the schema's types.
//!
//! Decides what becomes of what can't be read: it stands in the artefact as unreadable, or as a loss of its field. Nothing
//! that an answer holds at one of the places disappears without a word.

use std::cell::RefCell;
use std::collections::HashSet;

use chrono::{DateTime, FixedOffset, NaiveDateTime, TimeZone};
use hovrel_core::catalogue::{FieldSchema, KindSchema};
use hovrel_core::compare::holdings;
use hovrel_core::identity::is_mark;
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::mapping::{ATTACHMENTS, COMMENTS, HISTORY, LINKS, PARENT, POSITION};
use hovrel_core::model::{
    Argument, Artefact, Attachment, Call, Comment, Decimal, Document, Fields, Fingerprint, HistoryEntry, Inline, Kind,
    Link, LinkEnd, LinkType, Reference, Span, Stamp, Step, Value, ValueType,
};
use hovrel_core::text::TextFormat;
use serde_json::Value as Json;

use super::addresses::{file_at, inside};
use super::schema::{ORIGIN, Words};
use super::tree;
use crate::ConnectError;
use crate::profile::{Concurrency, Files, KindProfile, Profile, StepsAt, TableAt, TypeOf};
use crate::told::{not_readable, rich};

/// The first column of a table whose rows have names, in systems where each row is a named set.
pub const SET_NAMES: &str = "Name of the set";

/// What a set is called that nobody gave a name, by its place from 0.
pub fn set_name(at: usize) -> String {
    format!("Set {}", at + 1)
}

/// Everything needed to read items of one kind.
pub struct Decoder<'a> {
    pub profile: &'a Profile,
    pub kind: Kind,
    pub of: &'a KindProfile,
    pub fields: &'a KindSchema,
    pub words: &'a Words,
    pub zone: chrono_tz::Tz,
    pub address: &'a str,
}

impl Decoder<'_> {
    /// Where a field stands in an item.
    pub fn place(&self, field: &str) -> String {
        match (&self.of.position, field) {
            (Some(at), POSITION) => at.clone(),
            _ => self.of.fields_at.get(field).cloned().unwrap_or_else(|| format!("/{field}")),
        }
    }

    /// What the profile says of a field's type.
    pub fn type_of(&self, field: &str) -> Option<&TypeOf> {
        self.profile.schema.types.get(self.words.get(&(self.kind, field.to_owned()))?)
    }

    /// Where the parts of a field's steps are.
    pub fn steps_at(&self, field: &str) -> StepsAt {
        self.type_of(field).and_then(|t| t.steps.clone()).unwrap_or(StepsAt {
            items: String::new(),
            action: "/action".into(),
            expected: "/expected".into(),
            data: None,
            call: None,
            files: None,
        })
    }

    pub fn artefact(&self, item: &Json) -> Result<Artefact, ConnectError> {
        let id = tree::text(item, &self.of.list.id).ok_or_else(|| ConnectError::Malformed {
            address: self.address.to_owned(),
            why: format!("a {} has no id at {}", self.of.name, self.of.list.id),
        })?;
        let mut fields = Fields::default();
        let mut read_losses = Vec::new();
        let mut origin = None;
        let marked = self.origin_label(item);
        for field in &self.fields.fields {
            if field.value_type.hangs() {
                continue;
            }
            if field.id == ORIGIN {
                origin = marked.as_ref().map(|(_, mark)| mark.clone());
                fields.set(ORIGIN, origin.clone().map_or(Value::Empty, Value::Text));
                continue;
            }
            let Some(raw) = tree::at(item, &self.place(&field.id)) else {
                fields.set(field.id.as_str(), Value::Empty);
                continue;
            };
            let mut value = self.value(field, raw, &mut read_losses).settled();
            if let (Value::ChoiceList(list), Some(at), Some((label, _))) = (&mut value, &self.of.origin_label, &marked)
                && at.field == field.id
            {
                list.retain(|l| l != label);
                value = value.settled();
            }
            if field.origin_mark {
                origin = Some(value.display()).filter(|mark| is_mark(mark));
            }
            fields.set(field.id.as_str(), value);
        }
        let title = tree::text(item, &self.place(&self.of.title)).unwrap_or_default();
        let modified = self.of.modified_at.as_ref().and_then(|at| {
            let by = self.of.modified_by.as_ref().and_then(|p| tree::text(item, p));
            Some(Stamp { at: Some(read_time(&tree::text(item, at)?, self.zone)?), by })
        });
        let mut out = Artefact {
            kind: self.kind,
            key: tree::text(item, &self.of.key).unwrap_or_else(|| id.clone()),
            url: Some(format!("{}{}", self.address, super::fill(&self.of.page, &[("id", &id)]))),
            version: tree::text(item, &self.of.version),
            parent: self.folder(item, &mut read_losses),
            position: 0,
            title,
            created: None,
            modified,
            fields,
            attachments: self.files(item, &mut read_losses),
            links: self.links(item, &mut read_losses),
            comments: self.comments(item, &mut read_losses),
            history: self.history(item, &mut read_losses),
            origin,
            read_losses,
            id,
        };
        self.follow_files(&mut out);
        if matches!(self.of.concurrency, Concurrency::LastWins) {
            // What can be written stands for the version: how often it was looked at, say, does not.
            let held = holdings(&out, self.fields);
            out.version = Some(format!("{:?}", Fingerprint::of_all(held.iter())));
        }
        Ok(out)
    }

    /// Pictures and links in the texts of an item that lead to files of its system, in the system's own words for where
    /// they are: a picture of the item's own becomes its file, everything else leads back there in full and is told.
    fn follow_files(&self, item: &mut Artefact) {
        let names: HashSet<&str> = item.attachments.iter().map(|f| f.name.as_str()).collect();
        let losses = RefCell::new(Vec::new());
        let kind = self.kind;
        let id = item.id.as_str();
        let led = |field: &str, address: &str, picture: bool| -> Option<String> {
            let whole = inside(address, self.address)?;
            let file = file_at(self.profile, &whole, self.address)?;
            let own = file.kind == kind && file.id == id;
            if own && picture && names.contains(file.name.as_str()) {
                return Some(file.name);
            }
            losses.borrow_mut().push(Loss {
                field: field.to_owned(),
                kind: LossKind::Downgraded,
                cause: if own { LossCause::FileNotFollowed } else { LossCause::FileOfOtherItem },
                before: address.to_owned(),
                after: whole.clone(),
            });
            Some(whole)
        };
        let followed = |field: &str, document: &Document| -> Document {
            let pictures = document.with_inlines(&|inline| match inline {
                Inline::Image { source, alt } => {
                    Some(vec![Inline::Image { source: led(field, source, true)?, alt: alt.clone() }])
                }
                _ => None,
            });
            pictures.with_inlines(&|inline| match inline {
                Inline::Link { url, content } => {
                    Some(vec![Inline::Link { url: led(field, url, false)?, content: content.clone() }])
                }
                _ => None,
            })
        };
        let mut fields = Fields::default();
        for (field, value) in item.fields.iter() {
            fields.set(field.clone(), value.clone().map_documents(&|d| followed(field, d)));
        }
        let comments = Value::Comments(item.comments.clone()).map_documents(&|d| followed(COMMENTS, d));
        item.fields = fields;
        if let Value::Comments(list) = comments {
            item.comments = list;
        }
        item.read_losses.extend(losses.into_inner());
    }

    /// The files of an item. Of those that have one name, the later ones get a number, which is declared.
    fn files(&self, item: &Json, losses: &mut Vec<Loss>) -> Vec<Attachment> {
        let Some(at) = &self.of.files else { return Vec::new() };
        let mut out: Vec<Attachment> = Vec::new();
        for nameless in tree::items(item, &at.items).into_iter().filter(|f| tree::text(f, &at.name).is_none()) {
            losses.push(not_readable(ATTACHMENTS, "the file has no name", nameless.to_string()));
        }
        for (file, name) in named_files(item, at) {
            let told = |at: &Option<String>| at.as_ref().and_then(|at| tree::text(file, at)).filter(|t| !t.is_empty());
            let before = tree::text(file, &at.name).unwrap_or_default();
            if before != name {
                losses.push(Loss {
                    field: ATTACHMENTS.into(),
                    kind: LossKind::Substituted,
                    cause: LossCause::FileNameTaken,
                    before,
                    after: name.clone(),
                });
            }
            out.push(Attachment {
                name,
                media_type: tree::text(file, &at.media_type).unwrap_or_else(|| "application/octet-stream".into()),
                bytes: told(&at.bytes).and_then(|n| n.trim().parse().ok()),
                digest: told(&at.sha256).map(|d| d.to_lowercase()),
            });
        }
        out
    }

    /// The label that is the origin mark, where marks are kept as labels, and the mark in it. What people wrote is no mark,
    /// though it begins as one.
    fn origin_label(&self, item: &Json) -> Option<(String, String)> {
        let at = self.of.origin_label.as_ref()?;
        let labels = tree::items(item, &self.place(&at.field)).into_iter().filter_map(tree::as_text);
        labels.into_iter().find_map(|label| {
            let mark = read_label(label.strip_prefix(&at.prefix)?)?;
            is_mark(&mark).then_some((label, mark))
        })
    }

    /// Who and when. A time that can't be read is told; what hangs on it is kept without.
    fn stamp(&self, item: &Json, at: &str, by: &str, field: &str, losses: &mut Vec<Loss>) -> Stamp {
        let by = Some(said(item, by, (field, "who it was by"), losses)).filter(|t| !t.is_empty());
        let told = tree::text(item, at).filter(|t| !t.is_empty());
        let at = told.as_ref().and_then(|t| read_time(t, self.zone));
        if at.is_none() {
            let what = if told.is_some() { "its time can't be read" } else { "it has no time" };
            losses.push(not_readable(field, what, told.unwrap_or_else(|| item.to_string())));
        }
        Stamp { at, by }
    }

    fn comments(&self, item: &Json, losses: &mut Vec<Loss>) -> Vec<Comment> {
        let Some(at) = &self.of.comments else { return Vec::new() };
        let mut out = Vec::new();
        for found in tree::items(item, &at.items) {
            let stamp = self.stamp(found, &at.at, &at.by, COMMENTS, losses);
            if tree::at(found, &at.text).is_none() {
                losses.push(not_readable(COMMENTS, "it has no text", found.to_string()));
            }
            let text = said(found, &at.text, (COMMENTS, "its text"), losses);
            let body = rich(&text, at.format, COMMENTS, losses);
            out.push(Comment { id: piece_id(found, &at.id), stamp, body });
        }
        out
    }

    fn history(&self, item: &Json, losses: &mut Vec<Loss>) -> Vec<HistoryEntry> {
        let Some(at) = &self.of.history else { return Vec::new() };
        let one = |found: &Json| {
            // What was no text is kept as it was written.
            let text = |place: &str| match tree::at(found, place) {
                Some(held) => tree::as_text(held).unwrap_or_else(|| held.to_string()),
                None => String::new(),
            };
            HistoryEntry {
                id: piece_id(found, &at.id),
                stamp: self.stamp(found, &at.at, &at.by, HISTORY, losses),
                field: text(&at.field),
                before: text(&at.before),
                after: text(&at.after),
            }
        };
        tree::items(item, &at.items).into_iter().map(one).collect()
    }

    /// A link of a type or to a kind that the profile does not know is kept under the system's own words.
    fn links(&self, item: &Json, losses: &mut Vec<Loss>) -> Vec<Link> {
        let Some(at) = &self.of.links else { return Vec::new() };
        let mut link = |found: &Json| {
            let word = said(found, &at.link_type, (LINKS, "its type"), losses);
            let link_type = at.types.get(&word).cloned().unwrap_or_else(|| LinkType::Other(word.clone()));
            let kind_word = said(found, &at.kind, (LINKS, "the kind of what it leads to"), losses);
            let id = said(found, &at.id, (LINKS, "the id of what it leads to"), losses);
            let url = said(found, &at.url, (LINKS, "its address"), losses);
            let (id, url) = (Some(id).filter(|id| !id.is_empty()), Some(url).filter(|url| !url.is_empty()));
            let kind = self.profile.kinds.iter().find(|(_, k)| k.schema_id == kind_word).map(|(kind, _)| *kind);
            let target = match (kind, id) {
                (Some(kind), Some(id)) => LinkEnd::Artefact { kind, id },
                (_, id) => match url {
                    Some(url) => LinkEnd::Url(url),
                    None => {
                        let what = match id {
                            Some(_) => format!("it leads to a “{kind_word}”, which the profile does not know"),
                            None => "it leads neither to an item nor to an address".to_owned(),
                        };
                        let before = match id {
                            Some(id) => format!("{word} {id}"),
                            None => found.to_string(),
                        };
                        losses.push(not_readable(LINKS, &what, before));
                        return None;
                    }
                },
            };
            Some(Link { link_type, target, word: Some(word) })
        };
        tree::items(item, &at.items).into_iter().filter_map(&mut link).collect()
    }

    /// How the tables of values of a field are written.
    pub fn table_at(&self, field: &str) -> Option<&TableAt> {
        self.type_of(field)?.table.as_ref()
    }

    /// The members of a list in an item; one that stands alone is one. None if there is no list where the profile says.
    fn members<'v>(&self, raw: &'v Json, pointer: &str) -> Option<Vec<&'v Json>> {
        match raw {
            Json::Array(list) if pointer.is_empty() => Some(list.iter().collect()),
            Json::Object(_) if pointer.is_empty() => Some(vec![raw]),
            Json::String(text) if text.trim().is_empty() => Some(Vec::new()),
            _ => tree::list_at(raw, pointer, self.profile.speaks).ok(),
        }
    }

    /// A table of values; none if something in it is no text, or is not where the profile says.
    fn table(&self, at: &TableAt, raw: &Json) -> Option<Vec<Vec<String>>> {
        // What is left out is an empty cell; what is no text can't be read.
        let cell = |v: Option<&Json>| v.filter(|v| !v.is_null()).map_or(Some(String::new()), tree::as_text);
        match at {
            TableAt::Rows { items, cells } => self
                .members(raw, items)?
                .into_iter()
                .map(|row| tree::cells(row, cells).into_iter().map(|c| cell(Some(c))).collect())
                .collect(),
            TableAt::Sets { name, values, column, value } => {
                // A name that stands twice in a set is two columns: the how-manieth it is belongs to it.
                let held = |set: &Json| -> Option<Vec<((String, usize), String)>> {
                    let mut out: Vec<((String, usize), String)> = Vec::new();
                    for found in self.members(set, values)? {
                        // A value of nothing is none.
                        let name = cell(Some(tree::at(found, column)?))?;
                        let n = out.iter().filter(|((other, _), _)| *other == name).count();
                        out.push(((name, n), cell(tree::at(found, value))?));
                    }
                    Some(out)
                };
                let found = self.members(raw, "")?;
                let named: Vec<String> = found.iter().map(|set| cell(tree::at(set, name))).collect::<Option<_>>()?;
                let sets: Vec<_> = found.into_iter().map(held).collect::<Option<_>>()?;
                let mut columns: Vec<(String, usize)> = Vec::new();
                for (name, _) in sets.iter().flatten() {
                    if !columns.contains(name) {
                        columns.push(name.clone());
                    }
                }
                let row = |set: &Vec<((String, usize), String)>| -> Vec<String> {
                    let cell = |c: &(String, usize)| set.iter().find(|(name, _)| name == c).map(|(_, v)| v.clone());
                    columns.iter().map(|c| cell(c).unwrap_or_default()).collect()
                };
                let rows: Vec<Vec<String>> = sets.iter().map(row).collect();
                let names = columns.iter().map(|(name, _)| name.clone()).collect();
                let mut table: Vec<Vec<String>> = match rows.is_empty() {
                    true => rows,
                    false => std::iter::once(names).chain(rows).collect(),
                };
                // Names that people gave their sets are a column of their own.
                let is_own = |(n, name): (usize, &String)| !name.is_empty() && *name != set_name(n);
                if named.iter().enumerate().any(is_own) {
                    let first = std::iter::once(SET_NAMES.to_owned()).chain(named);
                    table.iter_mut().zip(first).for_each(|(row, name)| row.insert(0, name));
                }
                Some(table)
            }
        }
    }

    fn value(&self, field: &FieldSchema, raw: &Json, losses: &mut Vec<Loss>) -> Value {
        let format = field.format.unwrap_or(TextFormat::Plain);
        let unreadable = || Value::Unreadable(raw.to_string());
        // A list of which one member can't be read can't be written back without it.
        let list = || -> Option<Vec<String>> {
            let members = tree::items(raw, "").into_iter().filter(|v| !v.is_null());
            let texts = members.map(tree::as_text).collect::<Option<Vec<String>>>()?;
            Some(texts.into_iter().filter(|t| !t.is_empty()).collect())
        };
        let several = match field.value_type {
            ValueType::ChoiceList => Some(list().map(Value::ChoiceList)),
            ValueType::UserList => Some(list().map(Value::UserList)),
            ValueType::Steps => Some(self.steps(field, raw, format, losses)),
            ValueType::Table => Some(self.table_at(&field.id).and_then(|at| self.table(at, raw)).map(Value::Table)),
            ValueType::References => {
                Some(list().map(|ids| Value::References(ids.into_iter().map(Reference::Known).collect())))
            }
            _ => None,
        };
        if let Some(read) = several {
            return read.unwrap_or_else(unreadable);
        }
        let Some(plain) = tree::as_text(raw) else { return unreadable() };
        if plain.is_empty() {
            return Value::Empty;
        }
        match field.value_type {
            ValueType::Text => Value::Text(plain),
            ValueType::RichText => Value::RichText(rich(&plain, format, &field.id, losses)),
            ValueType::Integer => plain.trim().parse().map_or_else(|_| unreadable(), Value::Integer),
            ValueType::Decimal => Decimal::parse_number(plain.trim()).map_or_else(|_| unreadable(), Value::Decimal),
            ValueType::Boolean => match (self.type_of(&field.id).and_then(|t| t.words.as_ref()), plain.trim()) {
                (Some(words), said) if said == words.yes => Value::Boolean(true),
                (Some(words), said) if said == words.no => Value::Boolean(false),
                (Some(_), _) => unreadable(),
                (None, said) => match said.to_lowercase().as_str() {
                    "true" | "yes" | "1" => Value::Boolean(true),
                    "false" | "no" | "0" => Value::Boolean(false),
                    _ => unreadable(),
                },
            },
            ValueType::Date => plain.parse().map_or_else(|_| unreadable(), Value::Date),
            ValueType::Instant => read_time(&plain, self.zone).map_or_else(unreadable, Value::Instant),
            ValueType::Duration => Span::parse(plain.trim()).map_or_else(unreadable, Value::Duration),
            ValueType::Choice => Value::Choice(plain),
            ValueType::User => Value::User(plain),
            ValueType::Url => Value::Url(plain),
            ValueType::Reference => Value::Reference(Reference::Known(plain)),
            ValueType::Table
            | ValueType::References
            | ValueType::Links
            | ValueType::Comments
            | ValueType::History
            | ValueType::ChoiceList
            | ValueType::UserList
            | ValueType::Steps
            | ValueType::Attachments => unreadable(),
        }
    }

    /// Steps; none if there is no list of them where the profile says.
    fn steps(&self, field: &FieldSchema, raw: &Json, format: TextFormat, losses: &mut Vec<Loss>) -> Option<Value> {
        let at = self.steps_at(&field.id);
        let mut out = Vec::new();
        for step in self.members(raw, &at.items)? {
            let places = [Some(&at.action), Some(&at.expected), at.data.as_ref(), at.call.as_ref().map(|c| &c.target)];
            let is_there = |place: &String| step.pointer(place).is_some();
            if !places.into_iter().flatten().any(is_there) && !says_nothing(step) {
                losses.push(not_readable(&field.id, "nothing of the step is where it is looked for", step.to_string()));
            }
            let mut part = |of: &Json, place: &str, what: &str| {
                let text = said(of, place, (&field.id, what), losses);
                rich(&text, format, &field.id, losses)
            };
            let action = part(step, &at.action, "the action of a step");
            let expected = part(step, &at.expected, "the expected result of a step");
            let data = at.data.as_ref().map(|place| part(step, place, "the data of a step")).unwrap_or_default();
            let mut call = None;
            if let Some(of) = &at.call {
                let target = said(step, &of.target, (&field.id, "the steps that a step calls"), losses);
                let mut arguments = Vec::new();
                if let Some(a) = &of.arguments {
                    for given in tree::items(step, &a.items) {
                        let name = said(given, &a.name, (&field.id, "the name of an argument"), losses);
                        let text = said(given, &a.value, (&field.id, "the value of an argument"), losses);
                        arguments.push(Argument { name, value: rich(&text, format, &field.id, losses) });
                    }
                }
                call = Some(Call { target: Reference::Known(target), arguments }).filter(|c| !c.target.id().is_empty());
            }
            let mut attachments = Vec::new();
            if let Some(files) = &at.files {
                for file in tree::items(step, &files.items) {
                    match tree::text(file, &files.name) {
                        Some(name) => attachments.push(name),
                        None => losses.push(not_readable(&field.id, "a file of a step has no name", file.to_string())),
                    }
                }
            }
            out.push(Step { action, expected, data, call, attachments });
        }
        Some(Value::Steps(out))
    }

    /// The folder that an item stands in.
    fn folder(&self, item: &Json, losses: &mut Vec<Loss>) -> Option<String> {
        let at = self.of.parent.as_ref()?;
        Some(said(item, at, (PARENT, "its folder"), losses)).filter(|p| !p.is_empty())
    }
}

/// Text at a place, empty where there is none; what stands there and is no text is told.
fn said(item: &Json, place: &str, (field, what): (&str, &str), losses: &mut Vec<Loss>) -> String {
    let Some(found) = tree::at(item, place) else { return String::new() };
    tree::as_text(found).unwrap_or_else(|| {
        losses.push(not_readable(field, &format!("{what} is no text"), found.to_string()));
        String::new()
    })
}

/// Whether there is nothing but names and blanks in a value.
fn says_nothing(value: &Json) -> bool {
    match value {
        Json::Null => true,
        Json::String(text) => text.trim().is_empty(),
        Json::Array(list) => list.iter().all(says_nothing),
        Json::Object(map) => map.values().all(says_nothing),
        Json::Bool(_) | Json::Number(_) => false,
    }
}

/// The id of a comment or a past change, in systems that give them one.
fn piece_id(found: &Json, at: &Option<String>) -> Option<String> {
    tree::text(found, at.as_ref()?).filter(|id| !id.is_empty())
}

/// The files of an item, each with a name that no other of them has.
pub fn named_files<'i>(item: &'i Json, at: &Files) -> Vec<(&'i Json, String)> {
    let found = tree::items(item, &at.items).into_iter();
    let listed: Vec<(&Json, String)> = found.filter_map(|f| Some((f, tree::text(f, &at.name)?))).collect();
    let mut taken: HashSet<String> = HashSet::new();
    let all: HashSet<&String> = listed.iter().map(|(_, name)| name).collect();
    let mut out = Vec::new();
    for (file, name) in &listed {
        let numbered = |n: u32| match name.rsplit_once('.') {
            Some((stem, ending)) if !stem.is_empty() => format!("{stem} ({n}).{ending}"),
            _ => format!("{name} ({n})"),
        };
        let free = |name: &String| !taken.contains(name) && !all.contains(name);
        let own = match taken.contains(name) {
            false => name.clone(),
            true => (2..).map(numbered).find(free).unwrap_or_else(|| name.clone()),
        };
        taken.insert(own.clone());
        out.push((*file, own));
    }
    out
}

/// A mark as a label, which can't hold spaces: percent-encoded (RFC 3986 §2.1) where it must be.
pub fn label(prefix: &str, mark: &str) -> String {
    let one = |c: char| match c {
        '%' => "%25".to_owned(),
        c if c.is_whitespace() => c.to_string().bytes().map(|b| format!("%{b:02X}")).collect(),
        c => c.to_string(),
    };
    format!("{prefix}{}", mark.chars().map(one).collect::<String>())
}

/// The mark in a label without its prefix; none if somebody wrote something else there.
fn read_label(text: &str) -> Option<String> {
    let mut bytes = Vec::new();
    let mut rest = text.bytes();
    while let Some(b) = rest.next() {
        let hex = |b: Option<u8>| char::from(b?).to_digit(16);
        bytes.push(if b == b'%' { (hex(rest.next())? * 16 + hex(rest.next())?) as u8 } else { b });
    }
    String::from_utf8(bytes).ok()
}

/// RFC 3339 as it is; a time without an offset is local to the system's zone. In the hour that occurs
/// twice when the clock goes back, the first one is taken; in the one that does not occur, the offset
/// before the change.
pub fn read_time(text: &str, zone: chrono_tz::Tz) -> Option<DateTime<FixedOffset>> {
    match DateTime::parse_from_rfc3339(text) {
        Ok(time) => Some(time),
        Err(_) => local_time(text.parse().ok()?, zone),
    }
}

fn local_time(local: NaiveDateTime, zone: chrono_tz::Tz) -> Option<DateTime<FixedOffset>> {
    let found = zone.from_local_datetime(&local);
    let time = found.earliest().or_else(|| {
        let before = zone.from_local_datetime(&(local - chrono::TimeDelta::hours(2))).earliest()?;
        Some(before + chrono::TimeDelta::hours(2))
    })?;
    Some(time.fixed_offset())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_of_one_name_get_numbers_that_are_free() {
        let at: Files = serde_saphyr::from_str(
            "{ schema_field: f, items: /files, name: /name, media_type: /t, bytes: /b, sha256: /s, path: /p }",
        )
        .unwrap();
        let names = ["log.txt", "log.txt", "log (2).txt", "log.txt", ".env", ".env", "plan"];
        let item = serde_json::json!({"files": names.map(|name| serde_json::json!({"name": name}))});
        let found: Vec<String> = named_files(&item, &at).into_iter().map(|(_, name)| name).collect();
        let wanted = ["log.txt", "log (3).txt", "log (2).txt", "log (4).txt", ".env", ".env (2)", "plan"];
        assert_eq!(found, wanted);
    }

    /// RFC 3339 §5.8: its own examples, the leap second included.
    #[test]
    fn times_with_an_offset_are_read_as_the_standard_says() {
        let utc = |text: &str| read_time(text, chrono_tz::UTC).map(|t| t.to_utc().to_rfc3339());
        assert_eq!(utc("1985-04-12T23:20:50.52Z").as_deref(), Some("1985-04-12T23:20:50.520+00:00"));
        assert_eq!(utc("1996-12-19T16:39:57-08:00").as_deref(), Some("1996-12-20T00:39:57+00:00"));
        assert_eq!(utc("1990-12-31T23:59:60Z"), utc("1990-12-31T15:59:60-08:00"));
        assert!(utc("1990-12-31T23:59:60Z").is_some());
        assert_eq!(utc("1937-01-01T12:00:27.87+00:20").as_deref(), Some("1937-01-01T11:40:27.870+00:00"));
        assert_eq!(utc("1990-13-31T23:59:59Z"), None);
    }

    /// IANA time zone database: Europe/Oslo left summer time on 25 October 2026 at 03:00 and began it
    /// on 29 March 2026 at 02:00.
    #[test]
    fn local_times_get_the_offset_of_their_zone() {
        let at = |text: &str| local_time(text.parse().unwrap(), chrono_tz::Europe::Oslo).unwrap().to_rfc3339();
        assert_eq!(at("2026-07-01T12:00:00"), "2026-07-01T12:00:00+02:00");
        assert_eq!(at("2026-11-24T12:00:00"), "2026-11-24T12:00:00+01:00");
        assert_eq!(at("2026-10-25T02:30:00"), "2026-10-25T02:30:00+02:00", "the first of the two");
        assert_eq!(at("2026-03-29T02:30:00"), "2026-03-29T03:30:00+02:00", "an hour that does not occur");
    }
}
