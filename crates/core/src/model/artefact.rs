//! An artefact with its files, links, comments and history.

use std::collections::{BTreeMap, BTreeSet};

use chrono::{DateTime, FixedOffset};
use serde::{Deserialize, Serialize};

use super::{Document, Expanded, Fields, Kind};
use crate::loss::Loss;
use crate::slot::Slot;

/// Anything that can be moved, as one system holds it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Artefact {
    /// What it is.
    pub kind: Kind,
    /// Id at its system: stable, unique within the system and kind.
    pub id: String,
    /// What people call it, e.g. OS-2207.
    pub key: String,
    /// Where a person finds it, if its system tells.
    pub url: Option<String>,
    /// Version token for a conditional write: ETag, revision number or content hash.
    pub version: Option<String>,
    /// Id of the folder (or item) that holds it.
    pub parent: Option<String>,
    /// Place among its siblings, from 0.
    pub position: u32,
    /// Its title.
    pub title: String,
    /// When and by whom it was made, if its system tells.
    pub created: Option<Stamp>,
    /// When and by whom it was last changed, if its system tells.
    pub modified: Option<Stamp>,
    /// Fields under the names its system uses, the title and text included.
    #[cfg_attr(feature = "schema", schema(value_type = std::collections::HashMap<String, crate::model::ValueSchema>))]
    pub fields: Fields,
    /// Its files.
    #[serde(default)]
    pub attachments: Vec<Attachment>,
    /// Its links to other artefacts and addresses.
    #[serde(default)]
    pub links: Vec<Link>,
    /// What people wrote about it.
    #[serde(default)]
    pub comments: Vec<Comment>,
    /// What was changed of it in the past.
    #[serde(default)]
    pub history: Vec<HistoryEntry>,
    /// The mark of the artefact this one was made from, if it carries one.
    pub origin: Option<String>,
    /// What could not be read exactly.
    #[serde(default)]
    pub read_losses: Vec<Loss>,
    /// Slots that its system left out of the answer: what they hold is not known.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    #[cfg_attr(feature = "schema", schema(value_type = Vec<String>))]
    pub left_out: BTreeSet<Slot>,
    /// By slot, the calls in whose place shared steps stand, in the order of the list.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    #[cfg_attr(feature = "schema", schema(ignore))]
    pub expanded: BTreeMap<Slot, Vec<Expanded>>,
}

impl Artefact {
    /// An artefact of which nothing but kind and id is known.
    pub fn bare(kind: Kind, id: &str) -> Artefact {
        Artefact {
            kind,
            id: id.to_owned(),
            key: id.to_owned(),
            url: None,
            version: None,
            parent: None,
            position: 0,
            title: String::new(),
            created: None,
            modified: None,
            fields: Fields::default(),
            attachments: Vec::new(),
            links: Vec::new(),
            comments: Vec::new(),
            history: Vec::new(),
            origin: None,
            read_losses: Vec::new(),
            left_out: BTreeSet::new(),
            expanded: BTreeMap::new(),
        }
    }
}

impl Artefact {
    /// The same artefact without room to spare: what grew while it was read has room for more than it holds,
    /// and ends are kept in memory whole.
    pub fn compact(self) -> Artefact {
        // A copy is allocated in the sizes that it needs.
        self.clone()
    }

    /// Everything that the artefact says, as plain text: for searching.
    pub fn words(&self) -> String {
        let fields = self.fields.iter().map(|(_, value)| value.display());
        let files = self.attachments.iter().map(|a| a.name.clone());
        let comments = self.comments.iter().map(Comment::display);
        let said: Vec<String> =
            [self.key.clone(), self.title.clone()].into_iter().chain(fields).chain(files).chain(comments).collect();
        // PostgreSQL's text holds every character but this one.
        said.join("\n").replace('\0', " ")
    }
}

/// Who did something, and when, as far as the system says.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Stamp {
    /// When.
    #[serde(default)]
    pub at: Option<DateTime<FixedOffset>>,
    /// Who, by their id in the system.
    pub by: Option<String>,
}

impl Stamp {
    /// Time and author as one line of plain text.
    pub fn display(&self) -> String {
        match &self.by {
            Some(by) => format!("{by}, {}", self.time()),
            None => self.time(),
        }
    }

    /// The time in words.
    pub fn time(&self) -> String {
        self.at.map_or_else(|| "time not known".to_owned(), |at| at.format("%Y-%m-%d %H:%M %:z").to_string())
    }
}

/// A file of an artefact. The bytes are fetched as a stream when they are needed.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Attachment {
    /// Its name, with its extension.
    pub name: String,
    /// What it holds, as a media type (RFC 6838).
    pub media_type: String,
    /// How many there are, where the system says so.
    #[serde(default)]
    pub bytes: Option<u64>,
    /// SHA-256 of the bytes, in hex, where the system says so.
    #[serde(default)]
    pub digest: Option<String>,
}

impl Attachment {
    /// Whether two are one file, as far as their systems say: of one name, and of the same bytes by their digests, or
    /// of as many where one of the systems tells no digest. Systems guess media types, each in its own way.
    pub fn is_same(&self, other: &Attachment) -> bool {
        let bytes = match (&self.digest, &other.digest) {
            (Some(a), Some(b)) => a == b,
            _ => match (self.bytes, other.bytes) {
                (Some(a), Some(b)) => a == b,
                _ => true,
            },
        };
        self.name == other.name && bytes
    }

    /// Whether both systems say which bytes they are, so that [`Attachment::is_same`] is more than a guess.
    pub fn is_told_beside(&self, other: &Attachment) -> bool {
        self.digest.is_some() && other.digest.is_some()
    }

    /// How large it is, in words.
    pub fn size(&self) -> String {
        self.bytes.map_or_else(|| "size not known".to_owned(), |n| format!("{n} bytes"))
    }
}

/// A link from an artefact to another, or to an address. Lists of links are sorted, since no system
/// keeps them in an order that means something.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Link {
    /// What the link says.
    pub link_type: LinkType,
    /// What it leads to.
    pub target: LinkEnd,
    /// The system's own word for it, for a link that was read: several words may mean one type, and each goes back as
    /// it was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub word: Option<String>,
}

impl Link {
    /// A link that no system has a word for yet.
    pub fn new(link_type: LinkType, target: LinkEnd) -> Link {
        Link { link_type, target, word: None }
    }

    /// Whether two mean the same, whatever they are called.
    pub fn is_same(&self, other: &Link) -> bool {
        self.link_type == other.link_type && self.target == other.target
    }

    /// The link as one line of plain text.
    pub fn display(&self) -> String {
        let end = match &self.target {
            LinkEnd::Artefact { id, .. } | LinkEnd::Pending { id, .. } => id,
            LinkEnd::Url(url) => url,
        };
        format!("{} {end}", self.link_type.word())
    }
}

/// What a link leads to.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LinkEnd {
    /// An artefact of the same system.
    Artefact {
        /// Its kind.
        kind: Kind,
        /// Its id there.
        id: String,
    },
    /// An artefact by its kind and id at the other end, whose counterpart comes to be in the same plan.
    Pending {
        /// Its kind.
        kind: Kind,
        /// Its id at the end that it comes from.
        id: String,
    },
    /// An address.
    Url(String),
}

/// Standard link types, with their direction.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LinkType {
    /// The test case verifies the requirement.
    Verifies,
    /// The requirement is verified by the test case.
    VerifiedBy,
    /// The requirement is a part of the other one.
    Decomposes,
    /// The requirement has the other one as a part.
    DecomposedBy,
    /// The defect affects the other one.
    Affects,
    /// The other one is affected by the defect.
    AffectedBy,
    /// It implements the other one.
    Implements,
    /// It says the same as the other one.
    Duplicates,
    /// It has to do with the other one.
    RelatesTo,
    /// Another type, by the system's own word.
    Other(String),
}

impl LinkType {
    /// The word for a person.
    pub fn word(&self) -> &str {
        match self {
            LinkType::Verifies => "verifies",
            LinkType::VerifiedBy => "verified by",
            LinkType::Decomposes => "decomposes",
            LinkType::DecomposedBy => "decomposed by",
            LinkType::Affects => "affects",
            LinkType::AffectedBy => "affected by",
            LinkType::Implements => "implements",
            LinkType::Duplicates => "duplicates",
            LinkType::RelatesTo => "relates to",
            LinkType::Other(word) => word,
        }
    }
}

/// What somebody wrote about an artefact.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Comment {
    /// Its id at its system, where it has one; unique among the comments of its item.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<String>,
    /// When and by whom.
    pub stamp: Stamp,
    /// What it says.
    pub body: Document,
}

impl Comment {
    /// The comment as one line of plain text.
    pub fn display(&self) -> String {
        format!("{}: {}", self.stamp.display(), self.body.plain())
    }
}

/// One recorded change, with its original author and time.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct HistoryEntry {
    /// Its id at its system, where it has one; unique in the history of its item.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<String>,
    /// When and by whom.
    pub stamp: Stamp,
    /// What was changed, by the name that people see.
    pub field: String,
    /// Both values as text: what a system recorded need not fit its fields of today.
    pub before: String,
    /// What it held then.
    pub after: String,
}

impl HistoryEntry {
    /// The change as one line of plain text.
    pub fn display(&self) -> String {
        format!("{} {}: {} → {}", self.stamp.time(), self.field, self.before, self.after)
    }
}
