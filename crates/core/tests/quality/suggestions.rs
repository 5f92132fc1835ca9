//! Two schemas of one trade, by two firms who name things in their own ways.

use hovrel_core::catalogue::{FieldSchema, KindSchema};
use hovrel_core::model::{Artefact, End, Kind, Value, ValueType};
use hovrel_core::rules::{Conversion, Source};
use hovrel_core::suggest::suggest;
use hovrel_core::survey::{KindSurvey, Surveyor};
use rand::seq::{IndexedRandom, SliceRandom};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

use crate::Quality;

/// A thing that fields are about: what people call it, its type, and its values in two vocabularies.
struct Concept {
    names: &'static [&'static str],
    is: ValueType,
    values: [&'static [&'static str]; 2],
}

const NONE: [&[&str]; 2] = [&[], &[]];

/// Half of the names are such as trades use for one another; the other half can be told by values alone.
const CONCEPTS: [Concept; 22] = [
    Concept { names: &["Title", "Name", "Summary", "Heading", "Short text"], is: ValueType::Text, values: NONE },
    Concept {
        names: &["Description", "Body", "Statement", "What it is about", "Long text"],
        is: ValueType::RichText,
        values: NONE,
    },
    Concept {
        names: &["Importance", "Priority", "Urgency", "Rank"],
        is: ValueType::Choice,
        values: [&["High", "Medium", "Low"], &["P1", "P2", "P3"]],
    },
    Concept {
        names: &["Status", "State", "Stage", "Where it stands"],
        is: ValueType::Choice,
        values: [&["Draft", "Ready", "Retired"], &["In preparation", "Active", "Archived"]],
    },
    Concept {
        names: &["Risk", "Hazard class", "Exposure"],
        is: ValueType::Choice,
        values: [&["R1", "R2", "R3", "R4"], &["negligible", "marginal", "critical", "catastrophic"]],
    },
    Concept {
        names: &["Station", "Site", "Place"],
        is: ValueType::Choice,
        values: [&["Harbour", "Midway", "Summit"], &["Harbour", "Midway", "Summit"]],
    },
    Concept { names: &["Season", "Period"], is: ValueType::Choice, values: [&["winter", "summer"], &["W", "S"]] },
    Concept {
        names: &["Owner", "Responsible", "In charge"],
        is: ValueType::User,
        values: [&["u1", "u2", "u3", "u4"], &["ann", "bo", "cy", "dag"]],
    },
    Concept {
        names: &["Reviewer", "Second pair of eyes"],
        is: ValueType::User,
        values: [&["u1", "u2", "u3", "u4"], &["ann", "bo", "cy", "dag"]],
    },
    Concept { names: &["Labels", "Tags", "Keywords"], is: ValueType::Text, values: NONE },
    Concept { names: &["Estimate", "Effort", "Duration", "Hours needed"], is: ValueType::Decimal, values: NONE },
    Concept { names: &["Drawing number", "Sheet"], is: ValueType::Text, values: NONE },
    Concept { names: &["Valid from", "Start date", "Comes into force"], is: ValueType::Date, values: NONE },
    Concept { names: &["Due", "Deadline", "To be done by"], is: ValueType::Date, values: NONE },
    Concept {
        names: &["Automation", "Run by", "Executed how"],
        is: ValueType::Choice,
        values: [&["by hand", "planned", "automatic"], &["manual", "to automate", "automated"]],
    },
    Concept { names: &["Firmware", "Software version", "Build"], is: ValueType::Text, values: NONE },
    Concept { names: &["Preconditions", "Before you start", "Set-up"], is: ValueType::RichText, values: NONE },
    Concept { names: &["Objective", "Purpose", "Why"], is: ValueType::RichText, values: NONE },
    Concept {
        names: &["Authority", "Approved by which body", "Regulator"],
        is: ValueType::Choice,
        values: [&["national", "regional", "none"], &["N", "R", "–"]],
    },
    Concept { names: &["Link to drawing", "Drawing address"], is: ValueType::Url, values: NONE },
    Concept {
        names: &["Component", "Part", "Module"],
        is: ValueType::Choice,
        values: [&["gates", "drive", "tickets", "radio"], &["GT", "DR", "TK", "RD"]],
    },
    Concept { names: &["Cost centre", "Account"], is: ValueType::Text, values: NONE },
];

const WORDS: [&str; 16] = [
    "rope", "line", "gate", "cabin", "wind", "speed", "brake", "desk", "pass", "guest", "lamp", "stop", "load", "door",
    "radio", "snow",
];

struct World {
    left: KindSchema,
    right: KindSchema,
    survey: KindSurvey,
    pairs: Vec<(Artefact, Artefact)>,
    /// Right field to left field.
    truth: Vec<(String, String)>,
    /// Which of the concepts the right fields are about.
    about: Vec<(String, usize)>,
}

/// How a firm writes its names.
fn styled(name: &str, style: u8) -> String {
    match style {
        0 => name.to_owned(),
        1 => name.to_lowercase().replace(' ', "_"),
        2 => name.to_uppercase(),
        _ => format!("{name} (own)"),
    }
}

fn value(concept: &Concept, pick: usize, words: &str, right: bool) -> Value {
    let text = |list: &[&str]| list[pick % list.len()].to_owned();
    let list = concept.values[usize::from(right)];
    match concept.is {
        ValueType::Choice => Value::Choice(text(list)),
        ValueType::User => Value::User(text(list)),
        ValueType::RichText => Value::RichText(hovrel_core::model::Document::from_text(words)),
        ValueType::Decimal => {
            Value::Decimal(hovrel_core::model::Decimal::parse(&format!("{}.5", pick % 40)).expect("a number"))
        }
        ValueType::Date => Value::Date(
            chrono::NaiveDate::from_ymd_opt(2024, 1 + (pick % 12) as u32, 1 + (pick % 28) as u32).expect("a day"),
        ),
        ValueType::Url => Value::Url(format!("https://drawings.example/{pick}")),
        _ => Value::Text(words.to_owned()),
    }
}

fn world(seed: u64) -> World {
    let mut random = ChaCha8Rng::seed_from_u64(seed);
    let mut concepts: Vec<usize> = (0..CONCEPTS.len()).collect();
    concepts.shuffle(&mut random);
    // Ten that both have, four that only one has.
    let (both, rest) = concepts.split_at(10);
    let side = |own: &[usize], right: bool, random: &mut ChaCha8Rng| -> Vec<(FieldSchema, usize)> {
        let style = random.random_range(0..4);
        let mut all: Vec<usize> = both.iter().chain(own).copied().collect();
        all.shuffle(random);
        let field = |(n, c): (usize, &usize)| {
            let concept = &CONCEPTS[*c];
            let name = styled(concept.names.choose(random).expect("a name"), style);
            let mut field = FieldSchema::new(&format!("f{n}"), &name, concept.is);
            if concept.is == ValueType::Choice {
                field.allowed = Some(concept.values[usize::from(right)].iter().map(|v| (*v).to_owned()).collect());
            }
            (field, *c)
        };
        all.iter().enumerate().map(field).collect()
    };
    let (left, right) = (side(&rest[..4], false, &mut random), side(&rest[4..8], true, &mut random));
    let pairs: Vec<(Artefact, Artefact)> = (0..40)
        .map(|n| {
            let mut a = Artefact::bare(Kind::TestCase, &format!("L{n}"));
            let mut b = Artefact::bare(Kind::TestCase, &format!("R{n}"));
            for (c, concept) in CONCEPTS.iter().enumerate() {
                let words = |random: &mut ChaCha8Rng| {
                    (0..5).map(|_| *WORDS.choose(random).expect("a word")).collect::<Vec<_>>().join(" ")
                };
                let (pick, said) = (random.random_range(0..200), words(&mut random));
                // One in ten was changed at one end since, and some are empty.
                let (pick_b, said_b) = match random.random_bool(0.1) {
                    true => (random.random_range(0..200), words(&mut random)),
                    false => (pick, said.clone()),
                };
                let held = random.random_bool(0.9);
                if let Some((field, _)) = left.iter().find(|(_, of)| *of == c).filter(|_| held) {
                    a.fields.set(field.id.as_str(), value(concept, pick, &said, false));
                }
                if let Some((field, _)) = right.iter().find(|(_, of)| *of == c).filter(|_| held) {
                    b.fields.set(field.id.as_str(), value(concept, pick_b, &said_b, true));
                }
            }
            (a, b)
        })
        .collect();
    let mut surveyor = Surveyor::default();
    pairs.iter().for_each(|(a, _)| surveyor.see(a));
    let truth = right.iter().filter_map(|(r, c)| {
        let (l, _) = left.iter().find(|(_, of)| of == c)?;
        Some((r.id.clone(), l.id.clone()))
    });
    World {
        truth: truth.collect(),
        about: right.iter().map(|(r, c)| (r.id.clone(), *c)).collect(),
        survey: surveyor.finish().kind(Kind::TestCase).cloned().expect("cases"),
        left: KindSchema {
            in_folders: false,
            ..KindSchema::new(Kind::TestCase, "Case", left.into_iter().map(|(f, _)| f).collect())
        },
        right: KindSchema {
            in_folders: false,
            ..KindSchema::new(Kind::TestCase, "Check", right.into_iter().map(|(f, _)| f).collect())
        },
        pairs,
    }
}

/// Sources of fields, and rows of value maps, suggested from a level on with some of the pairs known.
fn quality(world: &World, pairs: usize, level: u8) -> [Quality; 2] {
    let known: Vec<_> = world.pairs.iter().take(pairs).map(|(a, b)| (a, b)).collect();
    let [mut sources, mut rows] = [Quality::default(); 2];
    sources.there = world.truth.len();
    for found in suggest(&world.left, Some(&world.survey), (&world.right, End::Right), &known) {
        let fill = found.rule.fill(End::Right).expect("suggestions fill the right end");
        let Source::Field(source) = &fill.source else { continue };
        if found.score < level {
            continue;
        }
        let is_right = world.truth.contains(&(fill.target.to_string(), source.clone()));
        sources.found += 1;
        sources.right += usize::from(is_right);
        let concept = world.about.iter().find(|(r, _)| fill.target == *r).map(|(_, c)| &CONCEPTS[*c]);
        let Some(concept) = concept.filter(|c| is_right && c.is == ValueType::Choice) else { continue };
        let [left, right] = concept.values;
        if left == right {
            continue;
        }
        rows.there += left.len();
        for conversion in &fill.conversions {
            let Conversion::ValueMap(map) = conversion else { continue };
            rows.found += map.rows.len();
            let at = |list: &[&str], value: &str| list.iter().position(|v| *v == value);
            rows.right += map.rows.iter().filter(|row| at(left, &row.left) == at(right, &row.right)).count();
        }
    }
    [sources, rows]
}

pub fn measured() -> String {
    let worlds: Vec<World> = (1..=60).map(world).collect();
    let mut out = "## Suggestions\n\nSixty pairs of schemas with 14 fields each, ten of which are about the same. Either end \
                   takes its names from what the trade calls a thing, and writes them in its own style; choices have other \
                   words at either end. In the pairs one value in ten was changed at one end since, and one in ten is \
                   empty.\n\n| pairs known | accepted from | sources: precision | recall | rows of value maps: precision | recall |\n\
                   |---|---|---|---|---|---|\n"
        .to_owned();
    for pairs in [0, 5, 12, 40] {
        for level in [0, 70, 85] {
            let [mut sources, mut rows] = [Quality::default(); 2];
            for world in &worlds {
                let [s, r] = quality(world, pairs, level);
                sources.add(s);
                rows.add(r);
            }
            let from = if level == 0 { "any".to_owned() } else { format!("{level} %") };
            out += &format!("| {pairs} | {from} | {} | {} |\n", sources.cells(), rows.cells());
        }
    }
    out
}
