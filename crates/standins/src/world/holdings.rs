//! What hangs together: requirements, shared steps, suites, runs, executions, results, defects, and the
//! links between them. Contains on purpose: a requirement that nothing verifies, shared steps that call
//! themselves in a circle, links in a circle, cases never planned, executions never run, reruns.

use chrono::{NaiveDate, NaiveDateTime, TimeDelta};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

use super::words::{AREAS, PEOPLE};
use super::{Size, WorldStep};

#[derive(Debug, Clone)]
pub struct WorldRequirement {
    pub number: u32,
    pub title: String,
    pub level: &'static str,
    /// The number of the one that it is a part of.
    pub part_of: Option<u32>,
    pub area: usize,
}

#[derive(Debug, Clone)]
pub struct WorldShared {
    pub number: u32,
    pub title: &'static str,
    pub steps: Vec<WorldStep>,
}

#[derive(Debug, Clone)]
pub struct WorldSuite {
    pub number: u32,
    pub title: String,
    pub cases: Vec<u32>,
}

#[derive(Debug, Clone)]
pub struct WorldRun {
    pub number: u32,
    pub title: String,
    pub suite: u32,
    pub configuration: &'static str,
}

#[derive(Debug, Clone)]
pub struct WorldExecution {
    pub number: u32,
    pub run: u32,
    pub case: u32,
    pub title: String,
}

#[derive(Debug, Clone)]
pub struct WorldResult {
    pub number: u32,
    pub execution: u32,
    pub case: u32,
    pub attempt: u32,
    pub verdict: &'static str,
    pub at: NaiveDateTime,
    pub by: &'static str,
    pub note: String,
}

#[derive(Debug, Clone)]
pub struct WorldDefect {
    pub number: u32,
    pub title: String,
    pub case: u32,
    pub result: u32,
    pub severity: &'static str,
}

/// The verdicts of the ageing system.
pub const VERDICTS: [&str; 5] = ["Passed", "Failed", "Not sure", "Broken rig", "Blocked"];
pub const SEVERITIES: [&str; 3] = ["Stops the line", "Annoys", "Cosmetic"];

#[derive(Debug, Clone, Default)]
pub struct Holdings {
    pub requirements: Vec<WorldRequirement>,
    pub shared: Vec<WorldShared>,
    pub suites: Vec<WorldSuite>,
    pub runs: Vec<WorldRun>,
    pub executions: Vec<WorldExecution>,
    pub results: Vec<WorldResult>,
    pub defects: Vec<WorldDefect>,
}

/// Numbers of the shared steps.
pub const START: u32 = 1;
pub const PASS: u32 = 2;
pub const GUEST: u32 = 3;
const CABIN: u32 = 4;
const RADIO: u32 = 5;

fn shared() -> Vec<WorldShared> {
    let speed = "<data class=\"parameter\" value=\"speed\">speed</data>";
    let pass = "<data class=\"parameter\" value=\"pass\">pass</data>";
    vec![
        WorldShared {
            number: START,
            title: "Start the line at service speed",
            steps: vec![
                WorldStep::says("<p>Unlock the desk with the <b>shift key</b>.</p>", "<p>The desk lights up.</p>"),
                WorldStep::says(
                    &format!("<p>Run the line up to {speed}.</p>"),
                    &format!("<p>The desk shows {speed} and no alarm.</p>"),
                ),
            ],
        },
        WorldShared {
            number: PASS,
            title: "Put a pass on the reader",
            steps: vec![WorldStep::says(
                &format!("<p>Lay a {pass} on the reader.</p>"),
                "<p>The reader beeps once.</p>",
            )],
        },
        WorldShared {
            number: GUEST,
            title: "Let a guest through the gate",
            steps: vec![
                WorldStep::calls(PASS, &[("pass", "day pass")]),
                WorldStep::says("<p>Walk through.</p>", "<p>The gate closes behind.</p>"),
            ],
        },
        WorldShared {
            number: CABIN,
            title: "Speak to a cabin",
            steps: vec![
                WorldStep::says("<p>Open the channel.</p>", "<p>A tone is heard.</p>"),
                WorldStep::calls(RADIO, &[]),
            ],
        },
        WorldShared { number: RADIO, title: "Check the radio", steps: vec![WorldStep::calls(CABIN, &[])] },
    ]
}

/// Makes everything that hangs on the cases; `cases` are numbers with the index of their area and their title.
pub fn make(seed: u64, size: Size, cases: &[(u32, usize, String)]) -> Holdings {
    let mut random = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(31).wrapping_add(5));
    let mut out = Holdings { shared: shared(), ..Holdings::default() };
    for (area, (name, parts)) in AREAS.iter().enumerate() {
        let top = next(&out.requirements, |r| r.number);
        out.requirements.push(WorldRequirement {
            number: top,
            title: format!("{name} keep guests safe at every station"),
            level: "System",
            part_of: None,
            area,
        });
        for part in *parts {
            let function = next(&out.requirements, |r| r.number);
            let title = format!("{part}: a fault stops the line within 12 s");
            out.requirements.push(WorldRequirement {
                number: function,
                title,
                level: "Function",
                part_of: Some(top),
                area,
            });
            let title = format!("{part}: every stop is recorded with its time");
            out.requirements.push(WorldRequirement {
                number: function + 1,
                title,
                level: "Detail",
                part_of: Some(function),
                area,
            });
        }
    }
    let planned_per_suite = (size.cases / 20).clamp(3, 12);
    for (area, (name, _)) in AREAS.iter().enumerate().take(3) {
        // Two of three are planned; the rest is in no suite at all.
        let of_area = cases.iter().filter(|(n, a, _)| *a == area && n % 3 != 2);
        let numbers: Vec<u32> = of_area.map(|(n, ..)| *n).take(planned_per_suite).collect();
        let suite = next(&out.suites, |s| s.number);
        out.suites.push(WorldSuite { number: suite, title: format!("{name}, yearly"), cases: numbers.clone() });
        for (season, configuration) in [("winter 2025", "Harbour, gates 4.2"), ("summer 2026", "Summit, gates 5.0")] {
            let run = next(&out.runs, |r| r.number);
            out.runs.push(WorldRun { number: run, title: format!("{name}, {season}"), suite, configuration });
            for case in &numbers {
                execute(&mut out, &mut random, run, *case, cases);
            }
        }
    }
    out
}

fn next<T>(list: &[T], number: impl Fn(&T) -> u32) -> u32 {
    list.last().map_or(1, |l| number(l) + 1)
}

fn execute(out: &mut Holdings, random: &mut ChaCha8Rng, run: u32, case: u32, cases: &[(u32, usize, String)]) {
    let title = cases.iter().find(|(n, ..)| *n == case).map_or(String::new(), |(.., t)| t.clone());
    let execution = next(&out.executions, |e| e.number);
    out.executions.push(WorldExecution { number: execution, run, case, title: format!("OS-{case} in run {run}") });
    let day = NaiveDate::from_ymd_opt(2025, 11, 3).and_then(|d| d.and_hms_opt(7, 30, 0)).expect("a date");
    let first = day + TimeDelta::minutes(i64::from(run) * 43_200 + i64::from(execution) * 37);
    // One in six was planned and never run; one in four was run again.
    let verdicts: &[&'static str] = match random.random_range(0..12) {
        0 | 1 => &[],
        2 | 3 => &["Failed", "Passed"],
        4 => &["Broken rig", "Failed", "Passed"],
        5 => &["Failed"],
        6 => &["Not sure"],
        7 => &["Blocked"],
        _ => &["Passed"],
    };
    for (n, verdict) in verdicts.iter().enumerate() {
        let number = next(&out.results, |r| r.number);
        let by = PEOPLE[(number as usize) % PEOPLE.len()].login;
        let note = match *verdict {
            "Passed" => String::new(),
            other => format!("<p>{other}: the desk showed <code>E{:03}</code> at {}.</p>", number % 400, title),
        };
        let at = first + TimeDelta::minutes(50 * n as i64);
        out.results.push(WorldResult { number, execution, case, attempt: n as u32 + 1, verdict, at, by, note });
        if *verdict == "Failed" && n + 1 == verdicts.len() {
            let defect = next(&out.defects, |d| d.number);
            let severity = SEVERITIES[defect as usize % SEVERITIES.len()];
            let title = format!("{title}: fails");
            out.defects.push(WorldDefect { number: defect, title, case, result: number, severity });
        }
    }
}
