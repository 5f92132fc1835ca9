//! The catalogue: what a system can hold, as read from it.
//!
//! Decides nothing; it is what rules are checked against. A snapshot of one container's schema: kinds,
//! fields with their types and limits, people. Connectors fill it from what the system says of itself.

use serde::{Deserialize, Serialize};

use crate::model::{Kind, LinkType, ValueType};
use crate::text::TextFormat;
use crate::workflow::Workflow;

/// The schema of one container of a system.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Catalogue {
    pub kinds: Vec<KindSchema>,
    pub users: Vec<User>,
}

/// What one kind of artefact looks like at a system.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct KindSchema {
    pub kind: Kind,
    /// The system's own word, e.g. “Chapter” for a folder.
    pub name: String,
    pub fields: Vec<FieldSchema>,
    /// Levels of nesting, where the system limits them.
    pub max_depth: Option<u32>,
    /// Whether its items are kept in folders.
    #[serde(default = "yes")]
    pub in_folders: bool,
    /// Whether none of its items can be outside a folder.
    #[serde(default)]
    pub needs_folder: bool,
    pub writable: bool,
}

fn yes() -> bool {
    true
}

/// One field of a kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FieldSchema {
    pub id: String,
    pub name: String,
    pub value_type: ValueType,
    #[serde(default)]
    pub required: bool,
    #[serde(default)]
    pub read_only: bool,
    /// Allowed values of a choice; none if any value goes.
    #[serde(default)]
    pub allowed: Option<Vec<String>>,
    /// In characters.
    #[serde(default)]
    pub max_length: Option<u32>,
    /// How rich text and steps are written.
    #[serde(default)]
    pub format: Option<TextFormat>,
    /// For steps: whether they have data of their own.
    #[serde(default)]
    pub step_data: bool,
    /// For steps: whether they can call shared steps.
    #[serde(default)]
    pub calls: Calls,
    /// For references: the kind they lead to.
    #[serde(default)]
    pub refers_to: Option<Kind>,
    /// For links: the types that can be kept; none if any.
    #[serde(default)]
    pub link_types: Option<Vec<LinkType>>,
    /// For attachments: the largest file in bytes.
    #[serde(default)]
    pub max_bytes: Option<u64>,
    /// For attachments: the media types taken; none if any.
    #[serde(default)]
    pub media_types: Option<Vec<String>>,
    /// The field that carries the origin mark.
    #[serde(default)]
    pub origin_mark: bool,
    /// For a choice that is reached by moves: which moves there are.
    #[serde(default)]
    pub workflow: Option<Workflow>,
    /// For comments and history: whether they can be written with their original author and time.
    #[serde(default)]
    pub backdated: bool,
}

impl FieldSchema {
    /// A plain optional field, to be refined.
    pub fn new(id: &str, name: &str, value_type: ValueType) -> FieldSchema {
        FieldSchema {
            id: id.into(),
            name: name.into(),
            value_type,
            required: false,
            read_only: false,
            allowed: None,
            max_length: None,
            format: None,
            step_data: false,
            calls: Calls::None,
            refers_to: None,
            link_types: None,
            max_bytes: None,
            media_types: None,
            origin_mark: false,
            workflow: None,
            backdated: false,
        }
    }
}

/// Whether steps can call shared steps.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Calls {
    #[default]
    None,
    Plain,
    WithArguments,
}

/// Somebody known to a system.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct User {
    pub id: String,
    pub login: Option<String>,
    pub email: Option<String>,
    pub name: String,
    pub active: bool,
}

impl Catalogue {
    pub fn kind(&self, kind: Kind) -> Option<&KindSchema> {
        self.kinds.iter().find(|k| k.kind == kind)
    }

    pub fn user(&self, id: &str) -> Option<&User> {
        self.users.iter().find(|u| u.id == id)
    }
}

impl KindSchema {
    pub fn field(&self, id: &str) -> Option<&FieldSchema> {
        self.fields.iter().find(|f| f.id == id)
    }
}
