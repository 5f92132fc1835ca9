//! What Fernway stores.

use serde::{Deserialize, Serialize};

use super::hooks::What;
use crate::meddle::{self, Items, Meddling};
use crate::persist::Blobs;
use crate::records::{Known, Numbers, Record, Records, as_text};

#[derive(Debug, Default, Serialize, Deserialize)]
pub struct State {
    /// Items by form and number; numbers are unique over all forms.
    pub records: Records,
    pub people: Vec<Person>,
    pub blobs: Blobs,
    #[serde(alias = "next_number")]
    pub numbers: Numbers,
    /// What happened since it was last told, by number of the item.
    #[serde(skip)]
    pub happened: Vec<(u32, What)>,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Person {
    pub uid: String,
    pub handle: String,
    pub mail: Option<String>,
    pub name: String,
}

impl Items for State {
    fn meddle(&mut self, path: &str, does: Meddling) {
        if let Some(number) = path.rsplit('/').next().and_then(number) {
            meddle::to_record(&mut self.records, None, number, "title", does);
            let what = if does == Meddling::Delete { What::Gone } else { What::Changed };
            self.happened.push((number, what));
        }
    }
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
    pub fn item(&self, uid: &str) -> Option<&Record> {
        let number = number(uid)?;
        self.records.values().find_map(|r| r.get(&number))
    }

    pub fn keep(&mut self, record: Record) {
        let there = self.item(&format!("i{}", record.number)).is_some();
        self.happened.push((record.number, if there { What::Changed } else { What::Made }));
        self.records.entry(record.kind.clone()).or_default().insert(record.number, record);
    }
}

/// The number in a uid like i104.
pub fn number(uid: &str) -> Option<u32> {
    uid.strip_prefix('i')?.parse().ok()
}

/// The projects that items are made in, by the code that their keys begin with, and their titles.
pub const PROJECTS: [(&str, &str); 2] = [("ROPE", "Ropeway engineering"), ("SITE", "Stations and sites")];

/// The desks that items can be handed to, by the code that their keys begin with.
pub const DESKS: [&str; 3] = ["ROPE", "GATE", "CIVIL"];

/// What people call an item: the code of the desk that has it and its number there. Both change when it is
/// handed to another desk; its uid does not.
pub fn key(record: &Record) -> String {
    let held = |name: &str| record.values.get(name).map(as_text).filter(|t| !t.is_empty());
    let number = held(AT_DESK).unwrap_or_else(|| record.number.to_string());
    format!("{}-{number}", held(DESK).unwrap_or_else(|| project(record)))
}

/// The project that an item was made in.
pub fn project(record: &Record) -> String {
    record.values.get(PROJECT).map_or_else(|| PROJECTS[0].0.into(), as_text)
}

pub const PROJECT: &str = "@project";

const DESK: &str = "@desk";
const AT_DESK: &str = "@number";

impl State {
    /// Hands an item to another desk.
    pub fn hand_over(&mut self, uid: &str, desk: &str) {
        let Some(mut record) = self.item(uid).cloned() else { return };
        record.values.insert(DESK.into(), desk.into());
        record.values.insert(AT_DESK.into(), self.numbers.take().to_string().into());
        self.keep(record);
    }
}
