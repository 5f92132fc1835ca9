//! What Tallybench stores.

use std::collections::{BTreeMap, BTreeSet};

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

use crate::meddle::{self, Items, Meddling};
use crate::own_fields::OwnFields;
use crate::persist::Blobs;
use crate::records::{self, Known, Link, Numbers, Past, Records, Remark};

pub const PRIORITIES: [&str; 4] = ["Urgent", "High", "Normal", "Low"];
pub const STATUSES: [&str; 2] = ["active", "archived"];
pub const DEEPEST: usize = 5;

#[derive(Debug, Default, Serialize, Deserialize)]
pub struct State {
    pub chapters: BTreeMap<u32, Chapter>,
    pub cases: BTreeMap<u32, Case>,
    /// Everything else, by kind and number.
    #[serde(default)]
    pub records: Records,
    pub people: Vec<Person>,
    /// Priorities that somebody took off the list: no case gets one any more.
    #[serde(default)]
    pub retired: BTreeSet<String>,
    /// Priorities that come off the list when so many more cases were made.
    #[serde(default)]
    pub retiring: Option<(u32, BTreeSet<String>)>,
    #[serde(default)]
    pub own_fields: OwnFields,
    pub blobs: Blobs,
    #[serde(alias = "next_number")]
    pub numbers: Numbers,
}

impl State {
    /// Notes that a case was made: the list may get shorter after it.
    pub fn made_one(&mut self) {
        self.retiring = match self.retiring.take() {
            Some((0 | 1, gone)) => {
                self.retired = gone;
                None
            }
            other => other.map(|(left, gone)| (left - 1, gone)),
        };
    }

    /// The priorities that a case can get.
    pub fn priorities(&self) -> Vec<&'static str> {
        PRIORITIES.into_iter().filter(|p| !self.retired.contains(*p)).collect()
    }
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Person {
    pub id: String,
    pub handle: String,
    pub email: Option<String>,
    pub display: String,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Chapter {
    pub id: u32,
    pub chapter_id: Option<u32>,
    /// Its place among those of the same chapter above.
    #[serde(default)]
    pub place: u32,
    pub title: String,
    pub external_ref: Option<String>,
    pub revision: u32,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Case {
    pub id: u32,
    pub chapter_id: Option<u32>,
    /// Its place in the chapter.
    #[serde(default)]
    pub place: u32,
    pub title: String,
    pub preconditions: String,
    pub priority: String,
    pub status: String,
    pub component: String,
    pub tags: Vec<String>,
    pub assigned: Option<String>,
    pub steps: Vec<Step>,
    #[serde(default)]
    pub data_sets: Vec<DataSet>,
    #[serde(default)]
    pub links: Vec<Link>,
    pub external_ref: Option<String>,
    pub files: Vec<File>,
    #[serde(default)]
    pub comments: Vec<Remark>,
    #[serde(default)]
    pub history: Vec<Past>,
    #[serde(default)]
    pub automation: Automation,
    /// What fields hold that somebody added.
    #[serde(default)]
    pub own: Map<String, Value>,
    pub revision: u32,
    pub updated_at: DateTime<Utc>,
    pub updated_by: String,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Step {
    /// Its own within the case, from 1; one that is sent without gets a new one.
    #[serde(skip_serializing_if = "is_none")]
    pub step_no: u32,
    pub action: String,
    pub expected: String,
    /// The shared steps that stand here; they take no arguments.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub shared: Option<u32>,
}

fn is_none(number: &u32) -> bool {
    *number == 0
}

/// Gives steps without a number of their own the next ones.
pub fn number_steps(steps: &mut [Step]) {
    let mut last = steps.iter().map(|s| s.step_no).max().unwrap_or(0);
    for step in steps.iter_mut().filter(|s| s.step_no == 0) {
        last += 1;
        step.step_no = last;
    }
}

/// One set of values for a case's parameters.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DataSet {
    pub name: String,
    pub values: Vec<DataValue>,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DataValue {
    pub parameter: String,
    pub value: String,
}

/// Where the code is that runs a case by itself.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Automation {
    pub framework: String,
    pub source_file: String,
    pub symbol: String,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct File {
    pub name: String,
    pub media_type: String,
    pub bytes: u64,
    pub sha256: String,
}

impl Items for State {
    fn meddle(&mut self, path: &str, does: Meddling) {
        let mut parts = path.rsplit('/');
        let (number, kind) = (parts.next().and_then(|n| n.parse().ok()), parts.next());
        match (number, kind) {
            (Some(number), Some("cases")) => meddle::to_one(&mut self.cases, number, does, |case| {
                case.title += meddle::CHANGED;
                case.revision += 1;
            }),
            (Some(number), Some(kind)) => meddle::to_record(&mut self.records, Some(kind), number, "title", does),
            _ => {}
        }
    }
}

impl Known for State {
    fn has(&self, kind: &str, id: &str) -> bool {
        let Ok(number) = id.parse::<u32>() else { return false };
        match kind {
            "case" => self.cases.contains_key(&number),
            other => self.records.get(other).is_some_and(|r| r.contains_key(&number)),
        }
    }

    fn has_person(&self, id: &str) -> bool {
        self.people.iter().any(|p| p.id == id)
    }
}

impl State {
    /// Titles of the chapters above and including `chapter`.
    pub fn path(&self, chapter: Option<u32>) -> Vec<&str> {
        records::path(chapter, |n| self.chapters.get(&n).map(|c| (c.title.as_str(), c.chapter_id)))
    }
}
