//! The system's own description of its fields, as a catalogue.

use hovrel_core::catalogue::{Calls, Catalogue, FieldSchema, KindSchema, User};
use hovrel_core::mapping::{ATTACHMENTS, COMMENTS, HISTORY, LINKS};
use hovrel_core::model::{LinkType, ValueType};
use hovrel_core::workflow::{Move, Workflow};

use super::client::Client;
use super::{fill, tree};
use crate::ConnectError;
use crate::profile::{MovesAt, NewFieldsAt};

/// The field for an origin mark that is one of an item's labels.
pub const ORIGIN: &str = "@origin";

fn workflow(described: &serde_json::Value, at: &MovesAt) -> Workflow {
    let text = |item: &serde_json::Value, place: &str| tree::text(item, place).unwrap_or_default();
    let one = |item: &serde_json::Value| Move {
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

pub async fn read(client: &Client, container: &str) -> Result<Catalogue, ConnectError> {
    client.about().await?;
    let p = &client.profile;
    let path = fill(&p.schema.path, &[("container", container)]);
    let answer = client.read(&path).await?;
    let described = tree::items(&answer, &p.schema.kinds);
    let mut kinds = Vec::new();
    for (kind, of) in &p.kinds {
        let found = described.iter().find(|k| tree::text(k, &p.schema.kind_id).as_deref() == Some(&of.schema_id));
        let Some(described) = found else { continue };
        let mut fields = Vec::new();
        for item in tree::items(described, &p.schema.fields) {
            let id = tree::text(item, &p.schema.id).unwrap_or_default();
            let word = tree::text(item, &p.schema.type_word).unwrap_or_default();
            let Some(type_of) = p.schema.types.get(&word) else {
                let why = format!("the field {id} has the type “{word}”, which the profile does not know");
                return Err(ConnectError::Malformed { address: path.clone(), why });
            };
            let is_files = type_of.value_type == ValueType::Attachments;
            let optional = |pointer: &Option<String>| pointer.as_ref().and_then(|p| tree::number(item, p));
            let list = |pointer: &Option<String>| {
                let found: Vec<String> =
                    tree::items(item, pointer.as_ref()?).into_iter().filter_map(tree::as_text).collect();
                (!found.is_empty()).then_some(found)
            };
            fields.push(FieldSchema {
                name: tree::text(item, &p.schema.name).unwrap_or_else(|| id.clone()),
                value_type: type_of.value_type,
                required: is_yes(tree::text(item, &p.schema.required)),
                read_only: false,
                allowed: list(&p.schema.allowed),
                max_length: optional(&p.schema.max_length).map(|n| n as u32),
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
                max_bytes: optional(&p.schema.max_bytes),
                media_types: list(&p.schema.media_types),
                origin_mark: type_of.origin_mark,
                unique: type_of.unique,
                workflow: p.schema.moves.as_ref().filter(|_| type_of.moves).map(|at| workflow(described, at)),
                backdated: false,
                id: if is_files { ATTACHMENTS.to_owned() } else { id },
            });
        }
        if let Some(links) = &of.links {
            let mut types: Vec<LinkType> = links.types.values().cloned().collect();
            types.sort();
            types.dedup();
            let field = FieldSchema::new(LINKS, "Links", ValueType::Links);
            fields.push(FieldSchema { link_types: Some(types), ..field });
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
        let max_depth = p.schema.depth.as_ref().and_then(|d| tree::number(described, d)).map(|n| n as u32);
        let takes = |at: &&NewFieldsAt| is_yes(tree::text(described, &at.kinds));
        let makes = p.schema.new_fields.as_ref().filter(takes).map(|at| at.types.keys().copied().collect());
        kinds.push(KindSchema {
            makes: makes.unwrap_or_default(),
            max_depth,
            in_folders: of.parent.is_some(),
            ..KindSchema::new(*kind, &of.name, fields)
        });
    }
    let people = client.read(&fill(&p.people.path, &[("container", container)])).await?;
    let users = tree::items(&people, &p.people.items)
        .into_iter()
        .map(|item| {
            let optional =
                |pointer: &Option<String>| pointer.as_ref().and_then(|p| tree::text(item, p)).filter(|t| !t.is_empty());
            User {
                id: tree::text(item, &p.people.id).unwrap_or_default(),
                login: optional(&p.people.login),
                email: optional(&p.people.email),
                name: tree::text(item, &p.people.name).unwrap_or_default(),
                active: true,
            }
        })
        .collect();
    Ok(Catalogue { kinds, users })
}
