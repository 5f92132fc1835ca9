//! The invented Skarnvik Ropeway: a gondola line with three stations, and the people who test it.
//!
//! Decides what the demo holds. The same seed and size give the same world. It contains on purpose what
//! real data contains: duplicates, values off the list, people who left, a title of 400 characters, text
//! out of a word processor, tables inside steps, right-to-left text and emoji, folders too deep.

pub mod holdings;
pub mod oddities;
mod picture;
pub mod said;
mod words;

use std::collections::HashMap;

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
    /// About 20,000 artefacts.
    pub const MEDIUM: Size = Size { cases: 19_500 };
    /// About 100,000 artefacts.
    pub const LARGE: Size = Size { cases: 99_000 };
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
    pub steps: Vec<WorldStep>,
    /// Values of the parameters, the first row being their names.
    pub parameters: Vec<Vec<String>>,
    /// The number of the requirement that it verifies.
    pub verifies: Option<u32>,
    /// Numbers of the cases that it relates to.
    pub relates: Vec<u32>,
    /// Index of the area.
    pub area: usize,
    pub files: Vec<WorldFile>,
    pub changed: NaiveDateTime,
    pub changed_by: &'static str,
}

/// A step; texts are HTML.
#[derive(Debug, Clone, Default)]
pub struct WorldStep {
    pub action: String,
    pub expected: String,
    pub data: String,
    /// The number of the shared steps that it calls, with arguments.
    pub call: Option<u32>,
    pub arguments: Vec<(String, String)>,
    /// Names of files of the case that belong to the step.
    pub files: Vec<String>,
}

impl WorldStep {
    pub fn says(action: &str, expected: &str) -> WorldStep {
        WorldStep { action: action.to_owned(), expected: expected.to_owned(), ..WorldStep::default() }
    }

    pub fn calls(shared: u32, arguments: &[(&str, &str)]) -> WorldStep {
        let arguments = arguments.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect();
        WorldStep { call: Some(shared), arguments, ..WorldStep::default() }
    }
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
    pub holdings: holdings::Holdings,
}

/// The five levels of importance of the ageing system.
pub const IMPORTANCE: [&str; 5] = ["Stops the line", "Grave", "Middling", "Slight", "Trifling"];
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
        let mut case = ordinary(&mut random, 2001 + n as u32, folder, area);
        case.area = AREAS.iter().position(|(name, _)| *name == area).unwrap_or(0);
        share(&mut case);
        cases.push(case);
    }
    let mut world = World { folders, cases, holdings: Default::default() };
    oddities::add(&mut world);
    let known: Vec<(u32, usize, String)> = world.cases.iter().map(|c| (c.number, c.area, c.title.clone())).collect();
    world.holdings = holdings::make(seed, size, &known);
    link(&mut world);
    world
}

impl World {
    /// The place of each folder among those of the same folder above, from 1.
    pub fn folder_places(&self) -> Vec<u32> {
        places(&self.folders.iter().map(|f| f.parent).collect::<Vec<_>>())
    }

    /// The place of each case in its folder, from 1.
    pub fn case_places(&self) -> Vec<u32> {
        places(&self.cases.iter().map(|c| Some(c.folder)).collect::<Vec<_>>())
    }
}

/// People have moved things about: of each two neighbours the second stands first, so that the order is not the one in
/// which they were made.
fn places(folders: &[Option<usize>]) -> Vec<u32> {
    let mut met: HashMap<Option<usize>, u32> = HashMap::new();
    let mut place = |folder: &Option<usize>| {
        let n = met.entry(*folder).or_default();
        *n += 1;
        if n.is_multiple_of(2) { *n - 1 } else { *n + 1 }
    };
    folders.iter().map(&mut place).collect()
}

/// What each case verifies, and a circle of cases that relate to one another.
fn link(world: &mut World) {
    // Nothing verifies the last requirement.
    let verifiable = world.holdings.requirements.split_last().map_or(&[][..], |(_, rest)| rest);
    for case in &mut world.cases {
        let of_area: Vec<u32> =
            verifiable.iter().filter(|r| r.area == case.area && r.level != "System").map(|r| r.number).collect();
        case.verifies = of_area.get(case.number as usize % of_area.len().max(1)).copied();
    }
    let circle: Vec<u32> = world.cases.iter().take(3).map(|c| c.number).collect();
    for (n, number) in circle.iter().enumerate() {
        if let Some(case) = world.cases.iter_mut().find(|c| c.number == *number) {
            case.relates.push(circle[(n + 1) % circle.len()]);
        }
    }
}

/// Some cases call shared steps, with arguments or without; some have a table of values.
fn share(case: &mut WorldCase) {
    if case.number.is_multiple_of(7) {
        case.steps[0] = WorldStep::calls(holdings::START, &[("speed", "5 m/s")]);
    }
    if case.number.is_multiple_of(11) {
        case.steps.push(WorldStep::calls(holdings::GUEST, &[]));
    }
    if case.number.is_multiple_of(13) {
        let parameter = |name: &str| format!("<data class=\"parameter\" value=\"{name}\">{name}</data>");
        let action = format!("<p>Let the wind be {} and look at the speed.</p>", parameter("wind"));
        case.steps.push(WorldStep::says(&action, &format!("<p>The line runs at {}.</p>", parameter("speed"))));
        let rows = [["wind", "speed"], ["8 m/s", "6 m/s"], ["14 m/s", "4 m/s"], ["19 m/s", "0 m/s"]];
        case.parameters = rows.iter().map(|r| r.iter().map(|c| (*c).to_owned()).collect()).collect();
    }
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
    let mut steps = vec![WorldStep::says(
        &format!("<p>Start the line at <b>service speed</b> and wait until it is steady {place}.</p>"),
        "<p>The desk shows <i>Running</i> and no alarm.</p>",
    )];
    for _ in 0..random.random_range(1..5) {
        let (action, expected) = topic.steps.choose(random).expect("steps");
        let data = match random.random_range(0..4) {
            0 => format!("<p>{}</p>", topic.unit.replace("{}", &value.to_string())),
            _ => String::new(),
        };
        let filled = |text: &str| format!("<p>{}</p>", text.replace("{}", &value.to_string()));
        steps.push(WorldStep { data, ..WorldStep::says(&filled(action), &filled(expected)) });
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
        if let Some(first) = steps.first_mut() {
            first.files.push("measurement.csv".into());
        }
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
        parameters: Vec::new(),
        verifies: None,
        relates: Vec::new(),
        area: 0,
        files,
        changed,
        changed_by: PEOPLE.choose(random).expect("people").login,
    }
}

impl World {
    /// Names of the folders above and including `folder`, outermost first.
    pub fn path(&self, folder: usize) -> Vec<&str> {
        self.way(folder).into_iter().map(|at| self.folders[at].name.as_str()).collect()
    }

    /// The folders down to a folder, outermost first, and it.
    pub fn way(&self, folder: usize) -> Vec<usize> {
        let mut way = vec![folder];
        while let Some(parent) = self.folders[way[0]].parent {
            way.insert(0, parent);
        }
        way
    }
}
