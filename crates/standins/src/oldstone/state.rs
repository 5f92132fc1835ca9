//! What Oldstone stores.

use std::collections::{BTreeMap, HashMap};

use chrono::{NaiveDateTime, TimeZone};
use serde::{Deserialize, Serialize};

use crate::clock;
use crate::meddle::{self, Items, Meddling};
use crate::persist::Blobs;
use crate::records::{Known, Link, Numbers, Past, Records, Remark};

use super::kinds;

/// The zone of the server's clock; times are written without it.
pub const ZONE: chrono_tz::Tz = chrono_tz::Europe::Oslo;

#[derive(Debug, Default, Serialize, Deserialize)]
pub struct State {
    pub folders: BTreeMap<u32, Folder>,
    pub cases: BTreeMap<u32, Case>,
    /// Everything else, by kind and number.
    #[serde(default)]
    pub records: Records,
    pub people: Vec<(String, String, String)>,
    pub sessions: HashMap<String, i64>,
    pub blobs: Blobs,
    #[serde(alias = "next_number")]
    pub numbers: Numbers,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Folder {
    pub number: u32,
    pub parent: Option<u32>,
    pub name: String,
    pub revision: u32,
    #[serde(default)]
    pub origin: String,
    /// Its place among those of the same folder above.
    #[serde(default)]
    pub rank: u32,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Case {
    pub number: u32,
    pub folder: Option<u32>,
    /// Its place in the folder.
    #[serde(default)]
    pub rank: u32,
    pub revision: u32,
    pub changed: NaiveDateTime,
    pub changed_by: String,
    pub name: String,
    pub description: String,
    pub importance: String,
    pub state: String,
    pub brake_class: String,
    pub estimate: String,
    pub labels: Vec<String>,
    pub owner: String,
    pub origin: String,
    pub steps: Vec<Step>,
    /// Values of the parameters, the first row being their names.
    #[serde(default)]
    pub parameters: Vec<Vec<String>>,
    #[serde(default)]
    pub links: Vec<Link>,
    pub files: Vec<File>,
    #[serde(default)]
    pub remarks: Vec<Remark>,
    #[serde(default)]
    pub trail: Vec<Past>,
    /// The tool that runs it by itself, where its code is, and what it is called there.
    #[serde(default)]
    pub script: Script,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Script {
    pub tool: String,
    pub file: String,
    pub name: String,
}

/// A step; texts are HTML.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Step {
    pub action: String,
    pub expected: String,
    pub data: String,
    /// Id of the shared steps that it calls; empty for none.
    #[serde(default)]
    pub call: String,
    #[serde(default)]
    pub arguments: Vec<(String, String)>,
    /// Names of files of the case that belong to the step.
    #[serde(default)]
    pub files: Vec<String>,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct File {
    pub name: String,
    pub media_type: String,
    pub bytes: u64,
    pub digest: String,
}

impl Items for State {
    fn meddle(&mut self, path: &str, does: Meddling) {
        let mut parts = path.rsplit('/');
        let (number, kind) = (parts.next().and_then(super::numbers::number), parts.next());
        match (number, kind) {
            (Some(number), Some("cases")) => meddle::to_one(&mut self.cases, number, does, |case| {
                case.name += meddle::CHANGED;
                case.revision += 1;
            }),
            (Some(number), Some(kind)) => meddle::to_record(&mut self.records, Some(kind), number, "name", does),
            _ => {}
        }
    }
}

impl Known for State {
    fn has(&self, kind: &str, id: &str) -> bool {
        let Some((prefix, number)) = id.rsplit_once('-').and_then(|(p, n)| Some((p, n.parse::<u32>().ok()?))) else {
            return false;
        };
        match kind {
            "case" => prefix == "OS" && self.cases.contains_key(&number),
            other => {
                kinds::find(other).is_some_and(|k| k.prefix == prefix)
                    && self.records.get(other).is_some_and(|r| r.contains_key(&number))
            }
        }
    }

    fn has_person(&self, id: &str) -> bool {
        self.people.iter().any(|(login, ..)| login == id)
    }
}

impl State {
    /// The local time of the server, to the second, as it writes it.
    pub fn now() -> NaiveDateTime {
        let now = ZONE.from_utc_datetime(&clock::now().naive_utc()).naive_local();
        now.format("%Y-%m-%dT%H:%M:%S").to_string().parse().unwrap_or(now)
    }
}
