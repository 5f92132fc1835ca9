//! What Oldstone stores.

use std::collections::{BTreeMap, HashMap};

use chrono::{Local, NaiveDateTime, TimeZone, Utc};
use serde::{Deserialize, Serialize};

use crate::persist::Blobs;

/// The zone of the server's clock; times are written without it.
pub const ZONE: chrono_tz::Tz = chrono_tz::Europe::Oslo;

#[derive(Debug, Default, Serialize, Deserialize)]
pub struct State {
    pub folders: BTreeMap<u32, Folder>,
    pub cases: BTreeMap<u32, Case>,
    pub people: Vec<(String, String, String)>,
    pub sessions: HashMap<String, i64>,
    pub blobs: Blobs,
    pub next_number: u32,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Folder {
    pub number: u32,
    pub parent: Option<u32>,
    pub name: String,
    pub revision: u32,
    #[serde(default)]
    pub origin: String,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Case {
    pub number: u32,
    pub folder: Option<u32>,
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
    pub steps: Vec<[String; 3]>,
    pub files: Vec<File>,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct File {
    pub name: String,
    pub media_type: String,
    pub bytes: u64,
    pub digest: String,
}

impl State {
    /// The local time of the server, to the second, as it writes it.
    pub fn now() -> NaiveDateTime {
        let now = ZONE.from_utc_datetime(&Utc::now().naive_utc()).naive_local();
        now.format("%Y-%m-%dT%H:%M:%S").to_string().parse().unwrap_or_else(|_| Local::now().naive_local())
    }

    pub fn take_number(&mut self) -> u32 {
        self.next_number += 1;
        self.next_number
    }
}
