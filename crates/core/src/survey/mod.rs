//! The survey: what is really in a container, from its artefacts.
//!
//! Decides how counts, fill rates and value spreads are computed. Streaming: feed artefacts one by one
//! to a [`Surveyor`]; memory grows with the number of different values, which is capped per field.

mod doubles;
mod markup;
mod spread;
mod standing;

pub use doubles::{DoubleGroup, DoubleItem, doubles_of};
pub(crate) use spread::Spread;
pub use standing::{Dangling, Depths};

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};

use crate::catalogue::{Catalogue, KindSchema, SchemaChange};
use crate::coverage::{Coverage, Covering};
use crate::model::{ATTACHMENTS, Artefact, COMMENTS, HISTORY, Kind, LINKS};
use markup::markup_of;
use standing::Standing;

/// What is really in a container.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Survey {
    /// What was found of each kind.
    pub kinds: Vec<KindSurvey>,
    /// Of the requirements, how many are verified; none where there are no requirements.
    #[serde(default)]
    pub coverage: Option<Coverage>,
    /// Links and calls that lead to what is not there, and the first of them.
    #[serde(default)]
    pub dangling_count: u64,
    /// Links that lead to nothing.
    #[serde(default)]
    pub dangling: Vec<Dangling>,
    /// How the catalogue changed since the survey before, in words.
    #[serde(default)]
    pub drift: Vec<String>,
}

/// What was found of one kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct KindSurvey {
    /// The kind.
    pub kind: Kind,
    /// How many items there are.
    pub count: u64,
    /// What was found in each field.
    pub fields: Vec<FieldSurvey>,
    /// How many files there are.
    pub attachments: u64,
    /// How large they are together, in bytes.
    pub attachment_bytes: u64,
    /// The size of the largest, in bytes.
    pub largest_attachment: u64,
    /// Items whose text could not be read exactly.
    pub with_read_losses: u64,
    /// What the system left out of its answers, with how many items: what they hold there is not known.
    #[serde(default)]
    pub left_out: Vec<ValueCount>,
    /// How items stand in folders.
    #[serde(default)]
    pub depths: Depths,
    /// Sorts of markup in texts, with how many items use each.
    #[serde(default)]
    pub markup: Vec<ValueCount>,
    /// How many groups of items seem to be one thing, and the surest of them.
    #[serde(default)]
    pub doubles_count: u64,
    /// Items that may be there twice.
    #[serde(default)]
    pub doubles: Vec<DoubleGroup>,
}

/// What was found in one field.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FieldSurvey {
    /// The field, by its id.
    pub field: String,
    /// Items that hold something in it.
    pub filled: u64,
    /// Length of the longest text, in characters.
    pub longest: u32,
    /// The most frequent values; only for fields with few different ones.
    pub values: Vec<ValueCount>,
    /// How many different values there are, or how many were counted before counting stopped.
    pub distinct: u64,
    /// False if there are more different values than were counted.
    pub distinct_exact: bool,
}

/// A value, with how often it was found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ValueCount {
    /// The value as text; empty for items that hold nothing.
    pub value: String,
    /// How often it was found.
    pub count: u64,
}

impl Survey {
    /// What was found of a kind; none if nothing was.
    pub fn kind(&self, kind: Kind) -> Option<&KindSurvey> {
        self.kinds.iter().find(|k| k.kind == kind)
    }
}

impl KindSurvey {
    /// What was found in a field; none if nothing was.
    pub fn field(&self, field: &str) -> Option<&FieldSurvey> {
        self.fields.iter().find(|f| f.field == field)
    }
}

/// Gathers a survey from a stream of artefacts.
#[derive(Default)]
pub struct Surveyor {
    kinds: BTreeMap<Kind, Gathered>,
    covering: Covering,
    standing: Standing,
}

#[derive(Default)]
struct Gathered {
    count: u64,
    attachments: u64,
    attachment_bytes: u64,
    largest_attachment: u64,
    with_read_losses: u64,
    left_out: BTreeMap<String, u64>,
    markup: BTreeMap<&'static str, u64>,
    fields: BTreeMap<String, Spread>,
}

impl Surveyor {
    /// Takes another item into account.
    pub fn see(&mut self, artefact: &Artefact) {
        self.covering.see(artefact);
        self.standing.see(artefact);
        let kind = self.kinds.entry(artefact.kind).or_default();
        kind.count += 1;
        for a in &artefact.attachments {
            kind.attachments += 1;
            let bytes = a.bytes.unwrap_or(0);
            kind.attachment_bytes += bytes;
            kind.largest_attachment = kind.largest_attachment.max(bytes);
        }
        kind.with_read_losses += u64::from(!artefact.read_losses.is_empty());
        for slot in &artefact.left_out {
            *kind.left_out.entry(slot.to_string()).or_default() += 1;
        }
        let hanging = [
            (ATTACHMENTS, artefact.attachments.is_empty()),
            (COMMENTS, artefact.comments.is_empty()),
            (HISTORY, artefact.history.is_empty()),
        ];
        for (name, _) in hanging.into_iter().filter(|(_, empty)| !empty) {
            kind.fields.entry(name.to_owned()).or_default().see_uncounted();
        }
        if !artefact.links.is_empty() {
            kind.fields.entry(LINKS.to_owned()).or_default().see_links(&artefact.links);
        }
        let used: BTreeSet<&str> = artefact.fields.iter().flat_map(|(_, v)| markup_of(v)).collect();
        for word in used {
            *kind.markup.entry(word).or_default() += 1;
        }
        for (name, value) in artefact.fields.iter() {
            kind.fields.entry(name.to_string()).or_default().see(value);
        }
    }

    /// The survey of all that was seen.
    pub fn finish(self) -> Survey {
        let (dangling_count, dangling, mut depths) = self.standing.finish();
        let kinds = self
            .kinds
            .into_iter()
            .map(|(kind, g)| KindSurvey {
                kind,
                count: g.count,
                attachments: g.attachments,
                attachment_bytes: g.attachment_bytes,
                largest_attachment: g.largest_attachment,
                with_read_losses: g.with_read_losses,
                left_out: by_count(g.left_out.iter().map(|(slot, n)| (slot.as_str(), *n)).collect()),
                depths: depths.remove(&kind).unwrap_or_default(),
                markup: by_count(g.markup),
                doubles_count: 0,
                doubles: Vec::new(),
                fields: g.fields.into_iter().map(|(name, f)| f.finish(name, g.count)).collect(),
            })
            .collect();
        let drift = Vec::new();
        Survey { kinds, coverage: self.covering.finish(), dangling_count, dangling, drift }
    }
}

/// The most frequent first.
fn by_count(counts: BTreeMap<&str, u64>) -> Vec<ValueCount> {
    let mut out: Vec<ValueCount> =
        counts.into_iter().map(|(value, count)| ValueCount { value: value.to_owned(), count }).collect();
    out.sort_by(|a, b| b.count.cmp(&a.count).then_with(|| a.value.cmp(&b.value)));
    out
}

/// How a catalogue changed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum CatalogueChange {
    /// What a kind can hold changed; the kind by its name.
    OfKind(String, SchemaChange),
    /// Somebody is not known any more.
    UserGone(String),
}

/// How the catalogue changed; the most restrictive changes first, since these may break rules.
pub fn drift(before: &Catalogue, now: &Catalogue) -> Vec<CatalogueChange> {
    let of = |kind: &KindSchema| {
        let name = kind.name.clone();
        move |change| CatalogueChange::OfKind(name.clone(), change)
    };
    let mut out = Vec::new();
    for old in &before.kinds {
        out.extend(old.narrowed(now.kind(old.kind)).into_iter().map(of(old)));
    }
    for new in &now.kinds {
        let more = before.kind(new.kind).map_or_else(|| vec![SchemaChange::KindNew], |old| old.widened(new));
        out.extend(more.into_iter().map(of(new)));
    }
    let gone = before.users.iter().filter(|u| now.user(&u.id).is_none());
    out.extend(gone.map(|u| CatalogueChange::UserGone(u.name.clone())));
    out
}
