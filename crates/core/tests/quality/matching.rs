//! Two ends that hold the same test cases, one written over by people for years.

use std::collections::{HashMap, HashSet};

use hovrel_core::identity::{Asked, Candidate, Evidence, Looking, Settled, likest, match_first_contact};
use hovrel_core::model::{Artefact, Document, End, Kind, Value};
use hovrel_core::rules::Matching;
use rand::seq::{IndexedRandom, SliceRandom};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use strsim::jaro_winkler;

use crate::Quality;

const THINGS: [&str; 16] = [
    "Gate",
    "Cabin",
    "Reader",
    "Desk",
    "Brake",
    "Drive",
    "Wind gauge",
    "Door",
    "Display",
    "Loudspeaker",
    "Ticket shelf",
    "Lift",
    "Cable",
    "Radio",
    "Stop button",
    "Winch",
];
const DOES: [&str; 14] = [
    "opens",
    "closes",
    "refuses a used pass",
    "lets a guest through",
    "stops the line",
    "slows the line",
    "shows the wait",
    "is lit",
    "raises an alarm",
    "counts the guests",
    "restarts after a power cut",
    "is heard in every cabin",
    "holds the load",
    "is checked by the operator",
];
const WHEN: [&str; 12] = [
    "in strong wind",
    "at night",
    "after an emergency stop",
    "with a full cabin",
    "during evacuation",
    "at service speed",
    "in winter mode",
    "when the network is down",
    "with a day pass",
    "with a season pass",
    "at the Midway station",
    "before the first guest",
];
const SAY: [&str; 20] = [
    "operator", "presses", "the", "green", "button", "and", "waits", "until", "lamp", "turns", "red", "station",
    "guest", "walks", "through", "line", "runs", "speed", "screen", "message",
];
const FOLDERS: [&str; 5] = ["Harbour", "Midway", "Summit", "Lift control", "Evacuation"];
const CASES: usize = 300;

struct Ends {
    left: Vec<(Artefact, String)>,
    right: Vec<(Artefact, String)>,
    /// Left id to right id.
    truth: HashMap<String, String>,
}

fn case(id: String, title: String, text: &[String]) -> Artefact {
    let mut a = Artefact { title: title.clone(), ..Artefact::bare(Kind::TestCase, &id) };
    a.fields.set("title", Value::Text(title));
    a.fields.set("body", Value::RichText(Document::from_text(&text.join(" "))));
    a
}

fn typo(word: &str, random: &mut ChaCha8Rng) -> String {
    let mut letters: Vec<char> = word.chars().collect();
    if letters.len() > 3 {
        let at = random.random_range(1..letters.len() - 1);
        if random.random_bool(0.5) { letters.swap(at, at - 1) } else { _ = letters.remove(at) }
    }
    letters.into_iter().collect()
}

/// What people do to a title in years.
fn edited(title: &str, random: &mut ChaCha8Rng) -> String {
    let mut words: Vec<String> = title.split(' ').map(str::to_owned).collect();
    for _ in 0..random.random_range(1..=3) {
        let at = random.random_range(0..words.len());
        match random.random_range(0..6) {
            0 => words[at] = typo(&words[at], random),
            1 => words.swap(at, random.random_range(0..title.split(' ').count()).min(at)),
            2 if words.len() > 4 => _ = words.remove(at),
            3 => words.push((*["(checked)", "– new", "v2", "(Harbour)"].choose(random).unwrap()).to_owned()),
            4 => words.insert(0, format!("{}:", ["Check", "Test", "TC"].choose(random).unwrap())),
            _ => words[at] = words[at].to_uppercase(),
        }
    }
    words.join(" ")
}

fn ends(seed: u64) -> Ends {
    let mut random = ChaCha8Rng::seed_from_u64(seed);
    let mut taken = HashSet::new();
    let mut fresh = |random: &mut ChaCha8Rng| loop {
        let number = if random.random_bool(0.4) { format!(" {}", random.random_range(1..9)) } else { String::new() };
        let thing = THINGS.choose(random).unwrap();
        let does = DOES.choose(random).unwrap();
        let title = match random.random_bool(0.8) {
            true => format!("{thing}{number} {does} {}", WHEN.choose(random).unwrap()),
            false => format!("{thing}{number} {does}"),
        };
        if taken.insert(title.clone()) {
            return title;
        }
    };
    let say = |title: &str, random: &mut ChaCha8Rng| -> Vec<String> {
        let own = title.split(' ').map(str::to_lowercase).collect::<Vec<_>>();
        let mut text: Vec<String> = Vec::new();
        for _ in 0..random.random_range(0..30) {
            let word = if random.random_bool(0.3) {
                own.choose(random).unwrap().clone()
            } else {
                (*SAY.choose(random).unwrap()).to_owned()
            };
            text.push(word);
        }
        text
    };
    let mut out = Ends { left: Vec::new(), right: Vec::new(), truth: HashMap::new() };
    for n in 0..CASES {
        let title = fresh(&mut random);
        let text = say(&title, &mut random);
        let folder = FOLDERS.choose(&mut random).unwrap().to_string();
        let id = format!("L{n}");
        out.left.push((case(id.clone(), title.clone(), &text), folder.clone()));
        let share: f64 = random.random();
        if share > 0.75 {
            continue;
        }
        let there = format!("R{n}");
        let (title, folder) = match share {
            s if s < 0.3 => (title, folder),
            _ => {
                let moved =
                    if random.random_bool(0.3) { FOLDERS.choose(&mut random).unwrap().to_string() } else { folder };
                (edited(&title, &mut random), moved)
            }
        };
        let kept = random.random_range(0.6..1.0);
        let text: Vec<String> = text
            .into_iter()
            .map(|w| if random.random_bool(kept) { w } else { (*SAY.choose(&mut random).unwrap()).to_owned() })
            .collect();
        out.right.push((case(there.clone(), title, &text), folder));
        out.truth.insert(id, there);
    }
    for n in 0..CASES / 4 {
        let title = fresh(&mut random);
        let text = say(&title, &mut random);
        out.right.push((case(format!("N{n}"), title, &text), FOLDERS.choose(&mut random).unwrap().to_string()));
    }
    out.right.shuffle(&mut random);
    out
}

fn candidates(list: &[(Artefact, String)]) -> Vec<Candidate<'_>> {
    list.iter().map(|(artefact, path)| Candidate { artefact, path: path.clone() }).collect()
}

/// Sure matches, and those to be reviewed from a likeness on.
fn found(ends: &Ends, from: u8) -> [Quality; 2] {
    let (left, right) = (candidates(&ends.left), candidates(&ends.right));
    let matching = Matching { similar_from: from, key: None };
    let systems = hovrel_core::model::Ends { left: "Old", right: "New" };
    let looking =
        Looking { systems, read: End::Left, matching: &matching, settled: &Settled::new(), asked: &Asked::new() };
    let [mut sure, mut reviewed] = [Quality::default(); 2];
    for (l, r, evidence) in match_first_contact(looking, &left, &right) {
        let is_right = ends.truth.get(&left[l].artefact.id) == Some(&right[r].artefact.id);
        let of = if matches!(evidence, Evidence::Similar(_)) { &mut reviewed } else { &mut sure };
        of.found += 1;
        of.right += usize::from(is_right);
    }
    sure.there = ends.truth.len();
    reviewed.there = ends.truth.len() - sure.right;
    [sure, reviewed]
}

/// Titles alone, by Jaro–Winkler similarity, each left item with its likest: what is common practice.
fn by_titles(ends: &Ends, from: f64) -> Quality {
    let sure: HashSet<(String, String)> =
        ends.left.iter().map(|(a, path)| (a.title.to_lowercase(), path.clone())).collect();
    let open = |(a, path): &&(Artefact, String)| !sure.contains(&(a.title.to_lowercase(), path.clone()));
    let right: Vec<&(Artefact, String)> = ends.right.iter().filter(open).collect();
    let there: HashSet<(String, String)> =
        ends.right.iter().map(|(a, path)| (a.title.to_lowercase(), path.clone())).collect();
    let mut out = Quality::default();
    for (l, path) in &ends.left {
        if there.contains(&(l.title.to_lowercase(), path.clone())) {
            continue;
        }
        out.there += usize::from(ends.truth.contains_key(&l.id));
        let scored = right.iter().map(|(r, _)| (jaro_winkler(&l.title.to_lowercase(), &r.title.to_lowercase()), r));
        if let Some((_, r)) = scored.max_by(|a, b| a.0.total_cmp(&b.0)).filter(|(s, _)| *s >= from) {
            out.found += 1;
            out.right += usize::from(ends.truth.get(&l.id) == Some(&r.id));
        }
    }
    out
}

/// Whether the right one is among the first that are offered when another is to be chosen.
fn among_first(ends: &Ends, most: usize) -> Quality {
    let (left, right) = (candidates(&ends.left), candidates(&ends.right));
    let mut out = Quality::default();
    for n in (0..left.len()).step_by(6) {
        let Some(truth) = ends.truth.get(&left[n].artefact.id) else { continue };
        out.there += 1;
        let first = likest(&left, n, &right, &|_| true, most);
        out.right += usize::from(first.iter().any(|(n, _)| right[*n].artefact.id == *truth));
    }
    Quality { found: out.there, ..out }
}

pub fn measured() -> String {
    let worlds: Vec<Ends> = (1..=4).map(ends).collect();
    let over = |of: &dyn Fn(&Ends) -> Quality| {
        let mut all = Quality::default();
        worlds.iter().for_each(|w| all.add(of(w)));
        all
    };
    let sure = over(&|w| found(w, 101)[0]);
    let mut out = format!(
        "## Matching\n\nFour worlds of {CASES} test cases. Of each, 30 % are at the other end as they are; 45 % were edited \
         there since (letters swapped, words moved, dropped or added, text written over, moved to another folder); 25 % are \
         not there; and as many again are only there. Many titles differ in one word or number.\n\n\
         | how | precision | recall |\n|---|---|---|\n| same title in the same folder, taken as sure | {} |\n",
        sure.cells()
    );
    for from in [40, 50, 60, 70, 80] {
        let cells = over(&|w| found(w, from)[1]).cells();
        let default = if from == Matching::default().similar_from { " (as it is set)" } else { "" };
        out += &format!("| of the others, likeness from {from} %{default} | {cells} |\n");
    }
    for from in [0.75, 0.85, 0.93] {
        let cells = over(&|w| by_titles(w, from)).cells();
        out += &format!("| of the others, titles alone by Jaro–Winkler from {:.0} % | {cells} |\n", from * 100.0);
    }
    out += &format!(
        "\nThe right one is the likest in {:.1} % of the cases, and among the nine that are offered in {:.1} %.\n",
        over(&|w| among_first(w, 1)).recall(),
        over(&|w| among_first(w, 9)).recall()
    );
    out
}
