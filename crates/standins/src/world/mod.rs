//! The invented Skarnvik Ropeway: a gondola line with three stations, and the people who test it.
//!
//! Decides what the demo holds. The same seed and size give the same world. It contains on purpose what
//! real data contains: duplicates, values off the list, people who left, a title of 400 characters, text
//! out of a word processor, tables inside steps, right-to-left text and emoji, folders too deep.

pub mod oddities;
mod picture;
mod words;

use chrono::{NaiveDate, NaiveDateTime, TimeDelta};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

pub use picture::sketch;
use words::{AREAS, LABELS, TOPICS};
pub use words::{PEOPLE, Person};

/// How much of the world to make.
#[derive(Debug, Clone, Copy)]
pub struct Size {
    /// Ordinary test cases; the odd ones come on top.
    pub cases: usize,
}

impl Size {
    pub const DEMO: Size = Size { cases: 400 };
    pub const SMALL: Size = Size { cases: 40 };
}

/// A test case, as the ageing system would hold it.
#[derive(Debug, Clone)]
pub struct WorldCase {
    pub number: u32,
    /// Index of the folder.
    pub folder: usize,
    pub title: String,
    /// HTML.
    pub description: String,
    pub importance: Option<String>,
    pub state: &'static str,
    pub brake_class: String,
    /// Hours and minutes.
    pub estimate: String,
    pub labels: Vec<&'static str>,
    /// Login, perhaps of somebody who left.
    pub owner: Option<String>,
    /// HTML: action, expected result, data.
    pub steps: Vec<[String; 3]>,
    pub files: Vec<WorldFile>,
    pub changed: NaiveDateTime,
    pub changed_by: &'static str,
}

#[derive(Debug, Clone)]
pub struct WorldFile {
    pub name: String,
    pub media_type: &'static str,
    pub bytes: Vec<u8>,
}

#[derive(Debug, Clone)]
pub struct WorldFolder {
    pub name: String,
    /// Index of the folder above.
    pub parent: Option<usize>,
}

pub struct World {
    pub folders: Vec<WorldFolder>,
    pub cases: Vec<WorldCase>,
}

/// The five levels of importance of the ageing system.
pub const IMPORTANCE: [&str; 5] = ["5 – Critical", "4 – Severe", "3 – Medium", "2 – Low", "1 – Minor"];
pub const STATES: [&str; 4] = ["Draft", "Ready", "In review", "Retired"];

/// Makes the world.
pub fn make(seed: u64, size: Size) -> World {
    let mut random = ChaCha8Rng::seed_from_u64(seed);
    let mut folders = Vec::new();
    let mut leaves = Vec::new();
    for (area, parts) in AREAS {
        let top = folders.len();
        folders.push(WorldFolder { name: area.to_string(), parent: None });
        for part in *parts {
            leaves.push((folders.len(), *area));
            folders.push(WorldFolder { name: part.to_string(), parent: Some(top) });
        }
    }
    let mut cases = Vec::new();
    for n in 0..size.cases {
        let (folder, area) = leaves[n % leaves.len()];
        cases.push(ordinary(&mut random, 2001 + n as u32, folder, area));
    }
    let mut world = World { folders, cases };
    oddities::add(&mut world);
    world
}

fn ordinary(random: &mut ChaCha8Rng, number: u32, folder: usize, area: &str) -> WorldCase {
    let topics: Vec<_> = TOPICS.iter().filter(|t| t.area == area).collect();
    let topic = topics.choose(random).expect("every area has topics");
    let place = *words::PLACES.choose(random).expect("a place");
    let condition = *words::CONDITIONS.choose(random).expect("a condition");
    let title = format!("{} {place}, {condition}", topic.title);
    let value = topic.value.0 + random.random_range(0..=(topic.value.1 - topic.value.0));
    let day = NaiveDate::from_ymd_opt(2019, 3, 1).expect("a date");
    let changed = day.and_hms_opt(8, 0, 0).expect("a time")
        + TimeDelta::minutes(random.random_range(0..60 * 24 * 365 * 7))
        + TimeDelta::seconds(random.random_range(0..60));
    let mut steps = vec![[
        format!("<p>Start the line at <b>service speed</b> and wait until it is steady {place}.</p>"),
        "<p>The desk shows <i>Running</i> and no alarm.</p>".to_owned(),
        String::new(),
    ]];
    for _ in 0..random.random_range(1..5) {
        let (action, expected) = topic.steps.choose(random).expect("steps");
        let data = match random.random_range(0..4) {
            0 => format!("<p>{}</p>", topic.unit.replace("{}", &value.to_string())),
            _ => String::new(),
        };
        steps.push([
            format!("<p>{}</p>", action.replace("{}", &value.to_string())),
            format!("<p>{}</p>", expected.replace("{}", &value.to_string())),
            data,
        ]);
    }
    let description = format!(
        "<p>{}</p><ul><li>Season: {}</li><li>Limit: <b>{}</b></li></ul>",
        topic.purpose,
        ["winter", "summer"][random.random_range(0..2)],
        topic.unit.replace("{}", &value.to_string()),
    );
    let mut files = Vec::new();
    let description = if number.is_multiple_of(17) {
        let name = format!("sketch-{number}.png");
        files.push(WorldFile { name: name.clone(), media_type: "image/png", bytes: sketch(number) });
        format!("{description}<p>See the sketch: <img src=\"{name}\" alt=\"where to stand\"></p>")
    } else {
        description
    };
    if number.is_multiple_of(29) {
        let rows: String =
            (0..40).map(|n| format!("{};{:.1}\r\n", n * 5, f64::from(value) + f64::from(n % 7) / 10.0)).collect();
        files.push(WorldFile {
            name: "measurement.csv".into(),
            media_type: "text/csv",
            bytes: format!("second;value\r\n{rows}").into_bytes(),
        });
    }
    let mut labels: Vec<&'static str> = LABELS.choose_multiple(random, 2).copied().collect();
    labels.sort_unstable();
    WorldCase {
        number,
        folder,
        title,
        description,
        importance: Some(IMPORTANCE[[0, 1, 1, 2, 2, 2, 3, 4][random.random_range(0..8)]].to_owned()),
        state: STATES[[0, 1, 1, 1, 1, 2, 3][random.random_range(0..7)]],
        brake_class: ["Service", "Emergency", "Track", ""][random.random_range(0..4)].to_owned(),
        estimate: format!("{:02}:{:02}", random.random_range(0..3), [0, 15, 30, 45][random.random_range(0..4)]),
        labels,
        owner: Some(PEOPLE.choose(random).expect("people").login.to_owned()),
        steps,
        files,
        changed,
        changed_by: PEOPLE.choose(random).expect("people").login,
    }
}

impl World {
    /// Names of the folders above and including `folder`, outermost first.
    pub fn path(&self, folder: usize) -> Vec<&str> {
        let mut path = vec![self.folders[folder].name.as_str()];
        let mut at = folder;
        while let Some(parent) = self.folders[at].parent {
            path.insert(0, &self.folders[parent].name);
            at = parent;
        }
        path
    }
}
