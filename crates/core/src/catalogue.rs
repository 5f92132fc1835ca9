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
    /// What artefacts of each kind can hold.
    pub kinds: Vec<KindSchema>,
    /// People that the system knows.
    pub users: Vec<User>,
    /// What the system has and Hovrel does not read.
    #[serde(default)]
    pub findings: Vec<CatalogueFinding>,
}

/// Something of a system that is not read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CatalogueFinding {
    /// The kind that it is about.
    pub kind: Kind,
    /// The field as people call it there; none for the kind as a whole.
    pub field: Option<String>,
    /// Why it could not be read.
    pub what: NotRead,
}

/// Why something of a catalogue could not be read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "what", rename_all = "snake_case")]
pub enum NotRead {
    /// The field is of a type that the connector does not know.
    UnknownType {
        /// The system's word for the type.
        word: String,
    },
    /// The system's description has no such kind.
    NoSuchKind {
        /// The system's word for the kind.
        word: String,
    },
    /// The description of the field says too little.
    SaysTooLittle {
        /// What is lacking, in words.
        why: String,
    },
}

/// What one kind of artefact looks like at a system.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct KindSchema {
    /// The kind.
    pub kind: Kind,
    /// The system's own word, e.g. “Chapter” for a folder.
    pub name: String,
    /// What an artefact of the kind can hold.
    pub fields: Vec<FieldSchema>,
    /// Levels of nesting, where the system limits them.
    pub max_depth: Option<u32>,
    /// Whether its items are kept in folders.
    #[serde(default = "yes")]
    pub in_folders: bool,
    /// Whether none of its items can be outside a folder.
    #[serde(default)]
    pub needs_folder: bool,
    /// Whether such artefacts can be made and changed.
    pub writable: bool,
    /// Types of fields that can be added to the kind there; none if none can.
    #[serde(default)]
    pub makes: Vec<ValueType>,
}

fn yes() -> bool {
    true
}

impl KindSchema {
    /// A kind whose items may be written and kept in folders of any depth.
    pub fn new(kind: Kind, name: &str, fields: Vec<FieldSchema>) -> KindSchema {
        KindSchema {
            kind,
            name: name.to_owned(),
            fields,
            max_depth: None,
            in_folders: true,
            needs_folder: false,
            writable: true,
            makes: Vec::new(),
        }
    }
}

/// One field of a kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FieldSchema {
    /// Its id in the system.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// What it holds.
    pub value_type: ValueType,
    /// Whether an artefact needs something in it.
    #[serde(default)]
    pub required: bool,
    /// Whether it can only be read.
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
    /// For steps: whether files of the item can belong to one of them.
    #[serde(default)]
    pub step_files: bool,
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
    /// Whether no two items of the kind may hold the same value.
    #[serde(default)]
    pub unique: bool,
    /// For a choice that is reached by moves: which moves there are.
    #[serde(default)]
    pub workflow: Option<Workflow>,
    /// For comments and history: whether they can be written with their original author and time.
    #[serde(default)]
    pub backdated: bool,
    /// Whether spaces at the ends are taken off when a text is saved.
    #[serde(default)]
    pub trims: bool,
    /// For tables: what they can be like.
    #[serde(default)]
    pub table: TableForm,
}

/// What tables of values can be like.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum TableForm {
    /// Rows of cells, as they are.
    #[default]
    Rows,
    /// Sets with a value for each named column: names differ, and there are none without a set.
    Sets,
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
            step_files: false,
            calls: Calls::None,
            refers_to: None,
            link_types: None,
            max_bytes: None,
            media_types: None,
            origin_mark: false,
            unique: false,
            workflow: None,
            backdated: false,
            trims: false,
            table: TableForm::Rows,
        }
    }

    /// The values that another field allows and this one does not take.
    fn lacks<'f>(&'f self, other: &'f FieldSchema) -> impl Iterator<Item = &'f String> {
        let taken = |value: &&String| self.allowed.as_ref().is_none_or(|allowed| allowed.contains(value));
        other.allowed.iter().flatten().filter(move |value| !taken(value))
    }
}

/// A field to be added to a kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NewField {
    /// What people are to call it.
    pub name: String,
    /// What it is to hold.
    pub value_type: ValueType,
    /// Of a choice; empty for everything else.
    #[serde(default)]
    pub allowed: Vec<String>,
    /// In characters.
    #[serde(default)]
    pub max_length: Option<u32>,
}

/// Whether steps can call shared steps.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Calls {
    /// Steps can't call shared steps.
    #[default]
    None,
    /// Steps can call shared steps, without arguments.
    Plain,
    /// Steps can call shared steps with a value for each parameter.
    WithArguments,
}

/// Somebody known to a system.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct User {
    /// Their id in the system.
    pub id: String,
    /// What they sign in with, where the system tells it.
    pub login: Option<String>,
    /// Their e-mail address, where the system tells it.
    pub email: Option<String>,
    /// What they are called.
    pub name: String,
    /// Whether they can still sign in.
    pub active: bool,
}

impl Catalogue {
    /// What artefacts of a kind can hold; none if there is no such kind.
    pub fn kind(&self, kind: Kind) -> Option<&KindSchema> {
        self.kinds.iter().find(|k| k.kind == kind)
    }

    /// Somebody by their id; none if there is nobody.
    pub fn user(&self, id: &str) -> Option<&User> {
        self.users.iter().find(|u| u.id == id)
    }
}

/// How what a kind can hold changed. Fields are named as people know them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SchemaChange {
    /// Items of the kind are not kept any more.
    KindGone,
    /// A field is no longer there.
    FieldGone(String),
    /// A field holds values of another type.
    OtherType(String),
    /// A field can't be written any more.
    ReadOnly(String),
    /// A field takes fewer characters: so many.
    Shorter(String, u32),
    /// A field no longer takes a value.
    ValueGone(String, String),
    /// A field that was not required, or not there, has to be filled in.
    Required(String),
    /// Items of the kind were not kept before.
    KindNew,
    /// A field was not there before.
    FieldNew(String),
    /// A field takes a value that it did not take before.
    ValueNew(String, String),
}

impl KindSchema {
    /// What stands in the way at `now` of values that fitted this schema; empty if nothing does.
    pub fn narrowed(&self, now: Option<&KindSchema>) -> Vec<SchemaChange> {
        let Some(now) = now else { return vec![SchemaChange::KindGone] };
        let mut out = Vec::new();
        for old in &self.fields {
            let name = || old.name.clone();
            let Some(new) = now.field(&old.id) else {
                out.push(SchemaChange::FieldGone(name()));
                continue;
            };
            if new.value_type != old.value_type {
                out.push(SchemaChange::OtherType(name()));
            }
            if new.read_only && !old.read_only {
                out.push(SchemaChange::ReadOnly(name()));
            }
            if let Some(limit) = new.max_length.filter(|limit| old.max_length.is_none_or(|was| *limit < was)) {
                out.push(SchemaChange::Shorter(name(), limit));
            }
            let lost = new.lacks(old).map(|value| SchemaChange::ValueGone(name(), value.clone()));
            out.extend(lost);
        }
        let asked = now.fields.iter().filter(|f| f.required && !self.field(&f.id).is_some_and(|o| o.required));
        out.extend(asked.map(|f| SchemaChange::Required(f.name.clone())));
        out
    }

    /// What there is at `now`, and was not in this schema.
    pub fn widened(&self, now: &KindSchema) -> Vec<SchemaChange> {
        let new = now.fields.iter().filter(|f| self.field(&f.id).is_none());
        let mut out: Vec<SchemaChange> = new.map(|f| SchemaChange::FieldNew(f.name.clone())).collect();
        for (was, is) in now.fields.iter().filter_map(|f| Some((self.field(&f.id)?, f))) {
            out.extend(was.lacks(is).map(|value| SchemaChange::ValueNew(is.name.clone(), value.clone())));
        }
        out
    }

    /// A field by its id; none if there is no such field.
    pub fn field(&self, id: &str) -> Option<&FieldSchema> {
        self.fields.iter().find(|f| f.id == id)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kind(fields: Vec<FieldSchema>) -> KindSchema {
        KindSchema::new(Kind::TestCase, "Case", fields)
    }

    #[test]
    fn a_schema_that_takes_less_says_what() {
        let choice = |values: &[&str]| FieldSchema {
            allowed: Some(values.iter().map(|v| (*v).to_owned()).collect()),
            ..FieldSchema::new("priority", "Priority", ValueType::Choice)
        };
        let title = |max| FieldSchema { max_length: max, ..FieldSchema::new("title", "Title", ValueType::Text) };
        let before = kind(vec![choice(&["High", "Low"]), title(Some(80))]);
        assert!(before.narrowed(Some(&before)).is_empty());
        let wider = kind(vec![choice(&["High", "Low", "None"]), title(None)]);
        assert!(before.narrowed(Some(&wider)).is_empty(), "what takes more is in nobody's way");
        let rig = FieldSchema { required: true, ..FieldSchema::new("rig", "Rig", ValueType::Text) };
        let after = kind(vec![choice(&["High"]), title(Some(40)), rig]);
        let name = |name: &str| name.to_owned();
        let changes = [
            SchemaChange::ValueGone(name("Priority"), name("Low")),
            SchemaChange::Shorter(name("Title"), 40),
            SchemaChange::Required(name("Rig")),
        ];
        assert_eq!(before.narrowed(Some(&after)), changes);
        assert_eq!(before.widened(&after), [SchemaChange::FieldNew(name("Rig"))]);
        assert_eq!(before.widened(&wider), [SchemaChange::ValueNew(name("Priority"), name("None"))]);
        let other = kind(vec![FieldSchema { value_type: ValueType::Choice, read_only: true, ..title(Some(80)) }]);
        let changes = [
            SchemaChange::FieldGone(name("Priority")),
            SchemaChange::OtherType(name("Title")),
            SchemaChange::ReadOnly(name("Title")),
        ];
        assert_eq!(before.narrowed(Some(&other)), changes);
        assert_eq!(before.narrowed(None), [SchemaChange::KindGone]);
    }
}
