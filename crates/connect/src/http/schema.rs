//! The system's own description of its fields, as a catalogue.
//!
//! Decides what of it is not read, and tells that: a type that no profile names, and a kind that is not there, take
//! nothing else with them.

use hovrel_core::catalogue::{Calls, Catalogue, CatalogueFinding, FieldSchema, KindSchema, NotRead, TableForm, User};
use hovrel_core::model::{ATTACHMENTS, COMMENTS, HISTORY, LINKS, LinkType, POSITION, ValueType};
use hovrel_core::workflow::{Move, Workflow};
use serde_json::Value as Json;

use super::client::Client;
use super::words::{ORIGIN, Words, fill};
use super::{pages, tree};
use crate::ConnectError;
use crate::profile::{self, KindProfile, MovesAt, NewFieldsAt, TableAt};

fn workflow(described: &Json, at: &MovesAt) -> Workflow {
    let text = |item: &Json, place: &str| tree::text(item, place).unwrap_or_default();
    let one = |item: &Json| Move {
        from: text(item, &at.from),
        to: text(item, &at.to),
        asks: tree::items(item, &at.asks).into_iter().filter_map(tree::as_text).collect(),
    };
    Workflow {
        first: text(described, &at.first),
        moves: tree::items(described, &at.items).into_iter().map(one).collect(),
    }
}

fn is_yes(text: Option<String>) -> bool {
    text.is_some_and(|t| matches!(t.as_str(), "true" | "yes"))
}

/// How a container's fields are described.
pub struct Schema {
    pub catalogue: Catalogue,
    /// The system's word for the type of each field.
    pub words: Words,
}

pub async fn read(client: &Client, container: &str) -> Result<Schema, ConnectError> {
    client.about().await?;
    let p = &client.profile;
    let path = fill(&p.schema.path, &[("container", container)]);
    let malformed = |why: String| ConnectError::Malformed { address: format!("{}{path}", client.address()), why };
    let mut answer = client.read(&path).await?;
    let described = tree::take_list(&mut answer, &p.schema.kinds, p.speaks).map_err(malformed)?;
    let (mut kinds, mut findings, mut words) = (Vec::new(), Vec::new(), Words::new());
    for (kind, of) in &p.kinds {
        let found = described.iter().find(|k| tree::text(k, &p.schema.kind_id).as_deref() == Some(&of.schema_id));
        let Some(described) = found else {
            let what = NotRead::NoSuchKind { word: of.schema_id.clone() };
            findings.push(CatalogueFinding { kind: *kind, field: None, what });
            continue;
        };
        let mut fields = Vec::new();
        let mut listed = described.clone();
        for item in tree::take_list(&mut listed, &p.schema.fields, p.speaks).map_err(malformed)? {
            match described_field(&item, described, &p.schema, of) {
                Ok(Described { id, word, field }) => {
                    words.insert((*kind, id), word);
                    fields.push(field);
                }
                Err((name, what)) => findings.push(CatalogueFinding { kind: *kind, field: Some(name), what }),
            }
        }
        fields.extend(undescribed_fields(of));
        kinds.push(described_kind(described, &p.schema, KindSchema::new(*kind, &of.name, fields), of));
    }
    if kinds.is_empty() {
        let known: Vec<&str> = p.kinds.values().map(|k| k.schema_id.as_str()).collect();
        return Err(malformed(format!("it describes none of {}", known.join(", "))));
    }
    Ok(Schema { catalogue: Catalogue { kinds, users: people(client, container).await?, findings }, words })
}

/// A field as the system describes it.
struct Described {
    /// The system's own id for it.
    id: String,
    /// The system's word for its type.
    word: String,
    field: FieldSchema,
}

/// Reads a field of a kind that is `described`; its name and the reason if it can't be read.
fn described_field(
    item: &Json,
    described: &Json,
    at: &profile::Schema,
    of: &KindProfile,
) -> Result<Described, (String, NotRead)> {
    let id = tree::text(item, &at.id).unwrap_or_default();
    let word = tree::text(item, &at.type_word).unwrap_or_default();
    let name = tree::text(item, &at.name).filter(|n| !n.is_empty()).unwrap_or_else(|| id.clone());
    if id.is_empty() {
        return Err((name, NotRead::SaysTooLittle { why: format!("it has no id at {}", at.id) }));
    }
    let Some(type_of) = at.types.get(&word) else { return Err((name, NotRead::UnknownType { word })) };
    let is_files = type_of.value_type == ValueType::Attachments;
    let optional = |pointer: &Option<String>| pointer.as_ref().and_then(|p| tree::number(item, p));
    let list = |pointer: &Option<String>| {
        let found: Vec<String> = tree::items(item, pointer.as_ref()?).into_iter().filter_map(tree::as_text).collect();
        (!found.is_empty()).then_some(found)
    };
    let field = FieldSchema {
        name,
        value_type: type_of.value_type,
        required: is_yes(tree::text(item, &at.required)),
        read_only: at.read_only.as_ref().is_some_and(|at| is_yes(tree::text(item, at))),
        allowed: list(&at.allowed),
        max_length: optional(&at.max_length).map(|n| u32::try_from(n).unwrap_or(u32::MAX)),
        format: type_of.format,
        step_data: type_of.steps.as_ref().is_some_and(|s| s.data.is_some()),
        step_files: type_of.steps.as_ref().is_some_and(|s| s.files.is_some() && of.files.is_some()),
        calls: match type_of.steps.as_ref().and_then(|s| s.call.as_ref()) {
            None => Calls::None,
            Some(call) if call.arguments.is_none() => Calls::Plain,
            Some(_) => Calls::WithArguments,
        },
        refers_to: type_of.refers_to,
        link_types: None,
        max_bytes: optional(&at.max_bytes),
        media_types: list(&at.media_types),
        origin_mark: type_of.origin_mark,
        unique: type_of.unique,
        workflow: at.moves.as_ref().filter(|_| type_of.moves).map(|at| workflow(described, at)),
        backdated: false,
        trims: of.trims.contains(&id),
        table: match &type_of.table {
            Some(TableAt::Sets { .. }) => TableForm::Sets,
            Some(TableAt::Rows { .. }) | None => TableForm::Rows,
        },
        id: if is_files { ATTACHMENTS.to_owned() } else { id.clone() },
    };
    Ok(Described { id, word, field })
}

/// The fields that only the profile knows of: the system does not describe them as such.
fn undescribed_fields(of: &KindProfile) -> Vec<FieldSchema> {
    let mut fields = Vec::new();
    if let Some(links) = &of.links {
        let mut types: Vec<LinkType> = links.types.values().cloned().collect();
        types.sort();
        types.dedup();
        let field = FieldSchema::new(LINKS, "Links", ValueType::Links);
        fields.push(FieldSchema { link_types: Some(types), ..field });
    }
    if of.position.is_some() {
        fields.push(FieldSchema::new(POSITION, "Position", ValueType::Integer));
    }
    if of.origin_label.is_some() {
        let field = FieldSchema::new(ORIGIN, "Origin", ValueType::Text);
        fields.push(FieldSchema { origin_mark: true, ..field });
    }
    if let Some(at) = &of.comments {
        fields.push(FieldSchema {
            format: Some(at.format),
            read_only: at.add.is_none(),
            backdated: at.backdated,
            ..FieldSchema::new(COMMENTS, "Comments", ValueType::Comments)
        });
    }
    if let Some(at) = &of.history {
        fields.push(FieldSchema {
            read_only: at.add.is_none(),
            backdated: at.add.is_some(),
            ..FieldSchema::new(HISTORY, "History", ValueType::History)
        });
    }
    fields
}

/// The kind with what the system says of it as a whole: how deep it stands, and which fields can be made in it.
fn described_kind(described: &Json, at: &profile::Schema, kind: KindSchema, of: &KindProfile) -> KindSchema {
    let max_depth = at.depth.as_ref().and_then(|depth| tree::number(described, depth));
    let takes = |at: &&NewFieldsAt| is_yes(tree::text(described, &at.kinds));
    let makes = at.new_fields.as_ref().filter(takes).map(|at| at.types.keys().copied().collect());
    KindSchema {
        makes: makes.unwrap_or_default(),
        max_depth: max_depth.map(|n| u32::try_from(n).unwrap_or(u32::MAX)),
        in_folders: of.parent.is_some(),
        ..kind
    }
}

async fn people(client: &Client, container: &str) -> Result<Vec<User>, ConnectError> {
    let at = &client.profile.people;
    let path = fill(&at.path, &[("container", container)]);
    let found = pages::all(client, &path, &at.listing()).await?;
    let one = |item: &Json| {
        let optional =
            |pointer: &Option<String>| pointer.as_ref().and_then(|p| tree::text(item, p)).filter(|t| !t.is_empty());
        let id = optional(&Some(at.id.clone())).ok_or_else(|| ConnectError::Malformed {
            address: format!("{}{path}", client.address()),
            why: format!("a person has no id at {}", at.id),
        })?;
        Ok(User {
            login: optional(&at.login),
            email: optional(&at.email),
            name: optional(&Some(at.name.clone())).unwrap_or_else(|| id.clone()),
            active: true,
            id,
        })
    };
    found.iter().map(one).collect()
}
