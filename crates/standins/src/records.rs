//! Records: what both stand-ins hold besides folders and test cases, described by tables of fields.
//!
//! Decides whether a record is taken: needed fields, lengths, lists, references that lead somewhere. Each
//! system has its own kinds, ids and way of writing them; what is common is only that they are records.

use std::collections::BTreeMap;

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

/// How a field is written, in no system's words.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    Line,
    Rich,
    Number,
    Time,
    /// One of the values.
    List,
    Person,
    /// The mark of where it came from.
    Mark,
    /// The id of a record of this kind.
    Ref(&'static str),
    Refs(&'static str),
    Steps,
    /// Words that anybody may invent.
    Tags,
    /// Where it stands; set by the system's own moves alone.
    Status,
    /// A number with a fraction.
    Decimal,
}

#[derive(Debug, Clone, Copy)]
pub struct Field {
    pub id: &'static str,
    pub label: &'static str,
    pub form: Form,
    pub needed: bool,
    /// In characters; 0 for no limit.
    pub longest: usize,
    pub values: &'static [&'static str],
}

impl Field {
    pub const fn new(id: &'static str, label: &'static str, form: Form) -> Field {
        Field { id, label, form, needed: false, longest: 0, values: &[] }
    }

    pub const fn needed(mut self) -> Field {
        self.needed = true;
        self
    }

    pub const fn longest(mut self, characters: usize) -> Field {
        self.longest = characters;
        self
    }

    pub const fn of(mut self, values: &'static [&'static str]) -> Field {
        self.values = values;
        self
    }
}

#[derive(Debug, Clone, Copy)]
pub struct Kind {
    pub id: &'static str,
    pub prefix: &'static str,
    pub label: &'static str,
    pub fields: &'static [Field],
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Record {
    pub number: u32,
    pub kind: String,
    pub revision: u32,
    pub changed: DateTime<Utc>,
    pub changed_by: String,
    pub values: Map<String, Value>,
    pub links: Vec<Link>,
    #[serde(default)]
    pub files: Vec<File>,
    #[serde(default)]
    pub remarks: Vec<Remark>,
    #[serde(default)]
    pub trail: Vec<Past>,
}

/// A file of a record; its bytes are kept by their digest.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct File {
    /// Unique within the item, where names need not be; 0 in systems that have none.
    #[serde(default)]
    pub file: u32,
    pub name: String,
    pub media_type: String,
    pub bytes: u64,
    pub sha256: String,
}

/// What somebody said of an item.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Remark {
    pub at: DateTime<Utc>,
    pub by: String,
    pub text: String,
}

/// One change that was made to an item.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Past {
    pub at: DateTime<Utc>,
    pub by: String,
    pub field: String,
    pub before: String,
    pub after: String,
}

#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Link {
    pub word: String,
    /// Kind and id of what is linked to; empty for an address.
    pub kind: String,
    pub id: String,
    pub url: String,
}

/// Why a record is not taken: field and reason.
pub type Refusal = (String, String);

/// What a system knows, for looking up what a record refers to.
pub trait Known {
    fn has(&self, kind: &str, id: &str) -> bool;
    fn has_person(&self, id: &str) -> bool;
}

/// Puts the given values into a record; those not given stay. Nothing is changed if one is wrong.
pub fn fill(record: &Record, given: Map<String, Value>, kind: &Kind, known: &dyn Known) -> Result<Record, Refusal> {
    let mut out = record.clone();
    for (id, value) in given {
        if !kind.fields.iter().any(|f| f.id == id) {
            return Err((id, "there is no such field".into()));
        }
        out.values.insert(id, value);
    }
    for field in kind.fields {
        let bad = |why: String| Err((field.id.to_owned(), why));
        let value = out.values.get(field.id).cloned().unwrap_or(Value::Null);
        let text = as_text(&value);
        if field.needed && text.trim().is_empty() && !value.is_array() {
            return bad("it is needed".into());
        }
        if text.is_empty() && !value.is_array() {
            continue;
        }
        if field.longest > 0 && text.chars().count() > field.longest {
            return bad(format!("{} characters at most", field.longest));
        }
        if !field.values.is_empty() && !field.values.contains(&text.as_str()) {
            return bad(format!("“{text}” is not one of {}", field.values.join(", ")));
        }
        match field.form {
            Form::Number if text.parse::<i64>().is_err() => return bad(format!("“{text}” is no number")),
            Form::Decimal if text.parse::<f64>().is_err() => return bad(format!("“{text}” is no number")),
            Form::Status if record.values.get(field.id).map(as_text).as_deref() != Some(text.as_str()) => {
                return bad("it is set by a move, not by writing it".into());
            }
            Form::Person if !known.has_person(&text) => return bad(format!("nobody is called {text}")),
            Form::Ref(to) if !known.has(to, &text) => return bad(format!("there is no {to} {text}")),
            Form::Refs(to) => {
                let ids = value.as_array().into_iter().flatten().map(as_text);
                if let Some(gone) = ids.into_iter().find(|id| !known.has(to, id)) {
                    return bad(format!("there is no {to} {gone}"));
                }
            }
            Form::Steps => {
                let steps = value.as_array().into_iter().flatten();
                let calls = steps.map(|s| as_text(&s["call"]) + &as_text(&s["shared"]));
                if let Some(gone) = calls.filter(|c| !c.is_empty()).find(|c| !known.has("shared", c)) {
                    return bad(format!("there are no shared steps {gone}"));
                }
            }
            _ => {}
        }
    }
    Ok(out)
}

/// Checks that links lead somewhere.
pub fn check_links(links: &[Link], known: &dyn Known) -> Result<(), Refusal> {
    match links.iter().find(|l| !l.id.is_empty() && !known.has(&l.kind, &l.id)) {
        Some(gone) => Err(("links".into(), format!("there is no {} {}", gone.kind, gone.id))),
        None => Ok(()),
    }
}

/// Text of a value; numbers as they are written.
pub fn as_text(value: &Value) -> String {
    match value {
        Value::String(s) => s.clone(),
        Value::Number(n) => n.to_string(),
        Value::Bool(b) => b.to_string(),
        _ => String::new(),
    }
}

/// A record as it is made in a seeded world.
pub fn made(kind: &str, number: u32, changed: DateTime<Utc>, by: &str, values: &[(&str, Value)]) -> Record {
    Record {
        number,
        kind: kind.to_owned(),
        revision: 1,
        changed,
        changed_by: by.to_owned(),
        values: values.iter().map(|(id, v)| ((*id).to_owned(), v.clone())).collect(),
        links: Vec::new(),
        files: Vec::new(),
        remarks: Vec::new(),
        trail: Vec::new(),
    }
}

/// Writes down which fields of a record differ from how it was.
pub fn note_changes(before: &Record, after: &mut Record, kind: &Kind) {
    let shown = |r: &Record, f: &Field| match r.values.get(f.id) {
        Some(Value::Array(list)) => list.iter().map(as_text).collect::<Vec<_>>().join(", "),
        Some(other) => as_text(other),
        None => String::new(),
    };
    for field in kind.fields.iter().filter(|f| f.form != Form::Steps) {
        let (old, new) = (shown(before, field), shown(after, field));
        if old != new {
            let (at, by) = (after.changed, after.changed_by.clone());
            after.trail.push(Past { at, by, field: field.id.into(), before: old, after: new });
        }
    }
}

/// Records by kind and number.
pub type Records = BTreeMap<String, BTreeMap<u32, Record>>;

/// Gives each thing that is made a number of its own.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Numbers(u32);

impl Numbers {
    pub fn after(last: u32) -> Numbers {
        Numbers(last)
    }

    pub fn take(&mut self) -> u32 {
        self.0 += 1;
        self.0
    }
}

/// The titles above and including what stands at a number, outermost first. `above` gives its title, and what it stands in.
pub fn path<'t>(from: Option<u32>, above: impl Fn(u32) -> Option<(&'t str, Option<u32>)>) -> Vec<&'t str> {
    let mut titles: Vec<&str> = std::iter::successors(from.and_then(&above), |(_, next)| next.and_then(&above))
        .map(|(title, _)| title)
        // What stands in itself has no end.
        .take(64)
        .collect();
    titles.reverse();
    titles
}
