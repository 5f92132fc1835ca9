//! Lanes and rules as data.

use serde::{Deserialize, Serialize};

use crate::expression::names_now;
use crate::model::{Kind, LinkType};
// Under another name, since the API's description takes every `Value` for untyped JSON.
use crate::model::Value as FieldValue;
use crate::scope::{Along, Condition};

/// Within a route: one kind to one kind, with its direction, scope, rules and policies.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Lane {
    /// Name of the lane, unique in its route.
    pub id: String,
    pub left_kind: Kind,
    pub right_kind: Kind,
    #[serde(default)]
    pub direction: Direction,
    #[serde(default)]
    pub left_scope: Condition,
    #[serde(default)]
    pub right_scope: Condition,
    /// What is covered at the left beyond what the conditions match.
    #[serde(default)]
    pub along: Along,
    pub rules: Vec<Rule>,
    #[serde(default)]
    pub matching: Matching,
    #[serde(default)]
    pub policies: Policies,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    #[default]
    ToRight,
    ToLeft,
    Both,
}

/// How one field at the right is filled.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Rule {
    /// The field at the right, or [`super::PARENT`] or [`super::ATTACHMENTS`].
    pub target: String,
    pub source: Source,
    /// Applied in order; none means “as it is”.
    #[serde(default)]
    pub conversions: Vec<Conversion>,
    #[serde(default)]
    pub direction: Direction,
}

/// Where a rule's value comes from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Source {
    Field(String),
    Constant(FieldValue),
    /// An expression in CEL over the item: several fields joined, a value chosen by another.
    Computed(String),
    /// The folder that holds the artefact: mirrored at the right.
    Folder,
    /// The mark by which the artefact stays findable: system and id.
    Origin,
    /// The artefact's files.
    Attachments,
    /// The artefact's links.
    Links,
    /// What people said of the artefact.
    Comments,
    /// What people said, and what was changed, in the order of time.
    CommentsAndHistory,
    /// What was changed, by whom and when.
    History,
    /// Names of the folders that hold the artefact, outermost first: flattened into text or labels, or
    /// mapped onto a choice.
    FolderPath,
}

/// One step of a conversion chain.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Conversion {
    ValueMap(ValueMap),
    /// Rich text, or the rich text in steps, in the target's format.
    RichText,
    /// Cut to this many characters.
    Shorten {
        to: u32,
    },
    Users(UserTable),
    /// A text for items that hold nothing here.
    IfEmpty {
        text: String,
    },
    /// Hours as a number, from a duration or from text like `1:45`.
    Hours,
    /// A number from text, with a decimal comma or a point.
    Number {
        comma: bool,
    },
    /// Of the folder path, the name at this level, from 1.
    PathLevel {
        level: u32,
    },
    LinkTypes(LinkTypes),
}

/// What types of links become. A type that no row names stays, or becomes the nearest that the right keeps, as a
/// loss.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct LinkTypes {
    pub rows: Vec<LinkTypeRow>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct LinkTypeRow {
    pub left: LinkType,
    /// None leaves such links out, as a loss.
    #[serde(default)]
    pub right: Option<LinkType>,
}

/// One row per value at the left.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ValueMap {
    pub rows: Vec<ValueRow>,
    #[serde(default)]
    pub otherwise: Fallback,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ValueRow {
    /// The value at the left as text; the empty text stands for an empty field.
    pub left: String,
    pub right: String,
    /// Of several rows with one right value, the one that travels back.
    #[serde(default)]
    pub returns: bool,
}

/// What happens to a value that a map or table does not name.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Fallback {
    /// The item waits, and is listed.
    #[default]
    Block,
    Use(String),
    LeaveEmpty,
}

/// How people are recognised, beyond e-mail, login and name.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct UserTable {
    /// Ids at the left to ids at the right.
    #[serde(default)]
    pub rows: Vec<ValueRow>,
    #[serde(default)]
    pub otherwise: Fallback,
}

/// How counterparts are found where no pair exists yet.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Matching {
    /// Likeness in hundredths from which two items are shown for review; beyond 100 none are.
    pub similar_from: u8,
    /// Fields whose equal values make two items one.
    #[serde(default)]
    pub key: Option<KeyFields>,
}

/// A field at each end, or `@key`: what people call the item.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct KeyFields {
    pub left: String,
    pub right: String,
}

/// Nothing is more than equal.
const NEVER: u8 = 101;

impl Matching {
    /// Without those that a person would have to look at.
    pub fn sure_only(self) -> Matching {
        Matching { similar_from: NEVER, ..self }
    }
}

impl Default for Matching {
    fn default() -> Self {
        Matching { similar_from: 60, key: None }
    }
}

impl Lane {
    /// From a kind at the left to the same at the right, with everything in scope; named by the kind.
    pub fn of_kind(kind: Kind, rules: Vec<Rule>) -> Lane {
        Lane {
            id: kind.id().to_owned(),
            left_kind: kind,
            right_kind: kind,
            direction: Direction::ToRight,
            left_scope: Condition::default(),
            right_scope: Condition::default(),
            along: Along::default(),
            rules,
            matching: Matching::default(),
            policies: Policies::default(),
        }
    }

    /// Whether what it covers or computes changes as time goes by, with nothing else changed.
    pub fn depends_on_now(&self) -> bool {
        let computed = |r: &Rule| matches!(&r.source, Source::Computed(text) if names_now(text));
        self.left_scope.depends_on_now() || self.right_scope.depends_on_now() || self.rules.iter().any(computed)
    }

    /// How counterparts are found. Folders are alike only if they are the same: “similar” folders would swallow each
    /// other's items.
    pub fn finding(&self) -> Matching {
        match self.left_kind {
            Kind::Folder => Matching { similar_from: NEVER, ..self.matching.clone() },
            _ => self.matching.clone(),
        }
    }

    /// Whether history stays with Hovrel: no rule carries it, as it is or as comments.
    pub fn keeps_history(&self) -> bool {
        !self.rules.iter().any(|r| matches!(r.source, Source::History | Source::CommentsAndHistory))
    }
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Policies {
    #[serde(default)]
    pub first_contact: FirstContact,
    /// Whether each item that is carried gets a link to its counterpart, at the left.
    #[serde(default)]
    pub link_back: bool,
}

/// What happens to values that differ when two existing artefacts become a pair.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum FirstContact {
    #[default]
    Ask,
    LeftWins,
    RightWins,
}
