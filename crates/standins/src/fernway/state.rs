//! What Fernway stores.

use serde::{Deserialize, Serialize};

use crate::persist::Blobs;
use crate::records::{Known, Record, Records};

#[derive(Debug, Default, Serialize, Deserialize)]
pub struct State {
    /// Items by form and number; numbers are unique over all forms.
    pub records: Records,
    pub people: Vec<Person>,
    pub blobs: Blobs,
    pub next_number: u32,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Person {
    pub uid: String,
    pub handle: String,
    pub mail: Option<String>,
    pub name: String,
}

impl Known for State {
    fn has(&self, kind: &str, id: &str) -> bool {
        number(id).is_some_and(|n| self.records.get(kind).is_some_and(|r| r.contains_key(&n)))
    }

    fn has_person(&self, id: &str) -> bool {
        self.people.iter().any(|p| p.uid == id)
    }
}

impl State {
    pub fn take_number(&mut self) -> u32 {
        self.next_number += 1;
        self.next_number
    }

    pub fn item(&self, uid: &str) -> Option<&Record> {
        let number = number(uid)?;
        self.records.values().find_map(|r| r.get(&number))
    }

    pub fn keep(&mut self, record: Record) {
        self.records.entry(record.kind.clone()).or_default().insert(record.number, record);
    }
}

/// The number in a uid like i104.
pub fn number(uid: &str) -> Option<u32> {
    uid.strip_prefix('i')?.parse().ok()
}

/// The project's key of an item: its number there changes when it is moved, its uid does not.
pub fn key(record: &Record) -> String {
    let project = record.values.get("project").and_then(|p| p.as_str()).unwrap_or("ROPE");
    format!("{project}-{}", record.number)
}
