//! Fields that somebody added to a kind, beside those that it comes with.
//!
//! Decides which may be added (a new name, a type that there is, values for a list) and whether a value is taken
//! by one: a list takes its values alone, a number is a number, a text has a length.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::{Map, Value, json};

use crate::records::{Refusal, as_text};

/// By the kind they were added to.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(transparent)]
pub struct OwnFields(BTreeMap<String, Vec<OwnField>>);

/// What is asked for a new field; written out again in the schema.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct OwnField {
    #[serde(default)]
    id: String,
    title: String,
    #[serde(rename = "type")]
    form: Form,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    values: Vec<String>,
    /// In characters.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    max: Option<usize>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Form {
    String,
    Markdown,
    Enum,
    Integer,
    Decimal,
}

const MOST_FIELDS: usize = 250;
const LONGEST_TITLE: usize = 80;

impl OwnFields {
    /// Adds a field to a kind that comes with `given` titles; answers with it as the schema describes it.
    pub fn add(&mut self, kind: &str, given: &[String], body: &Value) -> Result<Value, Refusal> {
        let bad = |field: &str, why: &str| Err((field.to_owned(), why.to_owned()));
        let mut field: OwnField = serde_json::from_value(body.clone()).map_err(|e| ("field".into(), e.to_string()))?;
        let fields = self.0.entry(kind.to_owned()).or_default();
        field.title = field.title.trim().to_owned();
        let same = |title: &String| title.to_lowercase() == field.title.to_lowercase();
        if field.title.is_empty() || field.title.chars().count() > LONGEST_TITLE {
            return bad("title", "a title of 1 to 80 characters is needed");
        }
        if given.iter().any(same) || fields.iter().any(|f| same(&f.title)) {
            return bad("title", "there is a field of this title");
        }
        if (field.form == Form::Enum) == field.values.is_empty() {
            return bad("values", "a list has values, and nothing else has any");
        }
        if fields.len() >= MOST_FIELDS {
            return bad("field", "there are as many fields as can be");
        }
        field.id = format!("own_{}", fields.len() + 1);
        let described = json!(field);
        fields.push(field);
        Ok(described)
    }

    /// As the schema describes them.
    pub fn described(&self, kind: &str) -> Vec<Value> {
        self.0.get(kind).into_iter().flatten().map(|f| json!(f)).collect()
    }

    /// Takes what is meant for added fields out of what is given, checked, and puts it into `held`.
    pub fn take(
        &self,
        kind: &str,
        given: &mut Map<String, Value>,
        held: &mut Map<String, Value>,
    ) -> Result<(), Refusal> {
        for field in self.0.get(kind).into_iter().flatten() {
            let Some(value) = given.remove(&field.id) else { continue };
            let text = as_text(&value);
            let bad = |why: String| Err((field.id.clone(), why));
            if text.is_empty() {
                held.remove(&field.id);
                continue;
            }
            match field.form {
                Form::Enum if !field.values.contains(&text) => return bad(format!("“{text}” is not in the list")),
                Form::Integer if text.parse::<i64>().is_err() => return bad(format!("“{text}” is no number")),
                Form::Decimal if text.parse::<f64>().is_err() => return bad(format!("“{text}” is no number")),
                _ => {}
            }
            if let Some(most) = field.max.filter(|m| text.chars().count() > *m) {
                return bad(format!("{most} characters at most"));
            }
            held.insert(field.id.clone(), value);
        }
        Ok(())
    }

    /// Puts what added fields hold beside the rest; null where they hold nothing.
    pub fn write(&self, kind: &str, held: &Map<String, Value>, out: &mut Value) {
        for field in self.0.get(kind).into_iter().flatten() {
            out[&field.id] = held.get(&field.id).cloned().unwrap_or(Value::Null);
        }
    }
}
