//! Answers to artefacts, by the profile's places and the schema's types.
//!
//! Decides what becomes of what can't be read: it stands in the artefact as unreadable, or as a loss of its field. Nothing
//! that an answer holds at one of the places disappears without a word.

mod files;
mod hanging;
mod parts;
mod times;

use std::collections::{BTreeMap, BTreeSet};

use hovrel_core::agree::holdings;
use hovrel_core::catalogue::{FieldSchema, KindSchema};
use hovrel_core::keepable::keepable_artefact;
use hovrel_core::loss::Loss;
use hovrel_core::model::{
    Artefact, Decimal, Fields, Fingerprint, Kind, PARENT, POSITION, Reference, Slot, Span, Stamp, Value, ValueType,
    is_mark, read_day,
};
use hovrel_core::text::TextFormat;
use percent_encoding::percent_decode_str;
use serde_json::Value as Json;

pub use files::named_files;
pub use parts::{SET_NAMES, set_name};
pub use times::read_time;

use super::tree;
use super::words::{ORIGIN, Words, fill};
use crate::ConnectError;
use crate::profile::{Concurrency, KindProfile, Profile, TypeOf};
use crate::told::{not_readable, rich, with_short_id};

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

    pub fn artefact(&self, item: &Json) -> Result<Artefact, ConnectError> {
        let id = tree::text(item, &self.of.list.id).ok_or_else(|| ConnectError::Malformed {
            address: self.address.to_owned(),
            why: format!("a {} has no id at {}", self.of.name, self.of.list.id),
        })?;
        let mut fields = Fields::default();
        let mut read_losses = Vec::new();
        let mut left_out = self.left_out_besides(item);
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
            let place = self.place(&field.id);
            let Some(raw) = tree::at(item, &place) else {
                match self.leaves_out(item, &place, false) {
                    true => _ = left_out.insert(Slot::from(field.id.as_str())),
                    false => fields.set(field.id.as_str(), Value::Empty),
                }
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
            left_out,
            key: tree::text(item, &self.of.key).unwrap_or_else(|| id.clone()),
            url: Some(format!("{}{}", self.address, fill(&self.of.page, &[("id", &id)]))),
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
            expanded: BTreeMap::new(),
            id,
        };
        self.follow_files(&mut out);
        if matches!(self.of.concurrency, Concurrency::LastWins) {
            // What can be written stands for the version: how often it was looked at, say, does not.
            let held = holdings(&out, self.fields);
            out.version = Some(Fingerprint::of(&held).short());
        }
        with_short_id(&out, &self.of.name, self.address)?;
        Ok(if tree::holds_nul(item) { keepable_artefact(out) } else { out })
    }

    /// Whether the answer leaves a place out, so that it is not known what stands there.
    fn leaves_out(&self, item: &Json, place: &str, is_list: bool) -> bool {
        !self.profile.leaves_out_empty && tree::leaves_out(item, place, is_list, self.profile.speaks)
    }

    /// The slots, but for fields, of which the answer says nothing.
    fn left_out_besides(&self, item: &Json) -> BTreeSet<Slot> {
        let of = self.of;
        let places = [
            (Slot::Folder, of.parent.as_ref(), false),
            (Slot::Files, of.files.as_ref().map(|at| &at.items), true),
            (Slot::Links, of.links.as_ref().map(|at| &at.items), true),
            (Slot::Comments, of.comments.as_ref().map(|at| &at.items), true),
            (Slot::History, of.history.as_ref().map(|at| &at.items), true),
        ];
        let left_out = |place: Option<&String>, is_list| place.is_some_and(|at| self.leaves_out(item, at, is_list));
        places.into_iter().filter(|(_, place, is_list)| left_out(*place, *is_list)).map(|(slot, ..)| slot).collect()
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
            ValueType::Date => read_day(&plain).map_or_else(unreadable, Value::Date),
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
    let begins_with_digits = |rest: &str| rest.as_bytes().get(..2).is_some_and(|d| d.iter().all(u8::is_ascii_hexdigit));
    let encoded = text.split('%').skip(1).all(begins_with_digits);
    let decoded = percent_decode_str(text).decode_utf8().ok().filter(|_| encoded)?;
    Some(decoded.into_owned())
}
