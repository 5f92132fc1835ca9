//! Oldstone's content: the whole world.

use chrono::{TimeZone, Utc};
use serde_json::json;

use super::state::{Case, File, Folder, State, Step};
use crate::records::{Link, Numbers, Past, Record, Remark, made};
use crate::world::holdings::Holdings;
use crate::world::said::{self, WorldPast, WorldRemark};
use crate::world::{self, PEOPLE, Size, WorldStep};

pub fn state(seed: u64, size: Size) -> State {
    let world = world::make(seed, size);
    let mut state = State { numbers: Numbers::after(5000), ..State::default() };
    state.people = PEOPLE.iter().map(|p| (p.login.to_owned(), p.name.to_owned(), p.email.to_owned())).collect();
    let (folder_places, case_places) = (world.folder_places(), world.case_places());
    for (n, folder) in world.folders.iter().enumerate() {
        let number = n as u32 + 1;
        let parent = folder.parent.map(|p| p as u32 + 1);
        let (name, origin, rank) = (folder.name.clone(), String::new(), folder_places[n]);
        let made = Folder { number, parent, name, revision: 1, origin, rank };
        state.folders.insert(number, made);
    }
    for (c, rank) in world.cases.into_iter().zip(case_places) {
        let files = c
            .files
            .iter()
            .map(|f| File {
                name: f.name.clone(),
                media_type: f.media_type.to_owned(),
                bytes: f.bytes.len() as u64,
                digest: state.blobs.put(&f.bytes),
            })
            .collect();
        let mut links: Vec<Link> =
            c.verifies.map(|r| to("verifies", "requirement", format!("RQ-{r}"))).into_iter().collect();
        links.extend(c.relates.iter().map(|n| to("relates to", "case", format!("OS-{n}"))));
        state.cases.insert(
            c.number,
            Case {
                number: c.number,
                folder: Some(c.folder as u32 + 1),
                rank,
                revision: 1 + c.number % 9,
                changed: c.changed,
                changed_by: c.changed_by.to_owned(),
                name: c.title,
                description: c.description,
                importance: c.importance.unwrap_or_default(),
                state: c.state.to_owned(),
                brake_class: c.brake_class,
                estimate: c.estimate,
                labels: c.labels.iter().map(|l| (*l).to_owned()).collect(),
                owner: c.owner.unwrap_or_default(),
                origin: String::new(),
                steps: c.steps.into_iter().map(step).collect(),
                parameters: c.parameters,
                links,
                files,
                remarks: remarks(said::of_case(c.number)),
                trail: trail(said::past_of_case(c.number, c.state)),
                script: script(c.number, c.area),
            },
        );
    }
    hold(&mut state, world.holdings);
    state
}

fn remarks(said: Vec<WorldRemark>) -> Vec<Remark> {
    said.into_iter().map(|r| Remark { at: r.at, by: r.by.into(), text: r.text }).collect()
}

fn trail(past: Vec<WorldPast>) -> Vec<Past> {
    let one = |p: WorldPast| Past {
        at: p.at,
        by: p.by.into(),
        field: p.field.into(),
        before: p.before.into(),
        after: p.after.into(),
    };
    past.into_iter().map(one).collect()
}

/// Every third case of the gates runs by itself.
fn script(number: u32, area: usize) -> super::state::Script {
    if area != 2 || !number.is_multiple_of(3) {
        return Default::default();
    }
    super::state::Script {
        tool: "gatecheck".into(),
        file: format!("checks/gates/readers_{}.py", number % 5),
        name: format!("test_reader_{number}"),
    }
}

fn to(word: &str, kind: &str, id: String) -> Link {
    Link { word: word.into(), kind: kind.into(), id, url: String::new() }
}

fn step(s: WorldStep) -> Step {
    let call = s.call.map(|n| format!("SS-{n}")).unwrap_or_default();
    Step { action: s.action, expected: s.expected, data: s.data, call, arguments: s.arguments, files: s.files }
}

fn hold(state: &mut State, held: Holdings) {
    let at = Utc.with_ymd_and_hms(2026, 9, 1, 6, 0, 0).single().unwrap_or_default();
    let mut keep = |record: Record| {
        state.records.entry(record.kind.clone()).or_default().insert(record.number, record);
    };
    for r in held.requirements {
        let text = format!("<p>{}.</p>", r.title);
        let mut record = made(
            "requirement",
            r.number,
            at,
            "mtveit",
            &[("name", json!(r.title)), ("text", json!(text)), ("level", json!(r.level))],
        );
        let state = ["Proposed", "Approved", "Approved", "Withdrawn"][r.number as usize % 4];
        record.values.insert("state".into(), json!(state));
        if state == "Withdrawn" {
            record.values.insert("reason".into(), json!("The part was taken out of service."));
        }
        record.values.insert("owner".into(), json!(PEOPLE[r.number as usize % PEOPLE.len()].login));
        record.remarks = remarks(said::of_other(r.number));
        record.trail = trail(said::past_of_other(r.number, "Proposed", state));
        record.links = r.part_of.map(|n| to("part of", "requirement", format!("RQ-{n}"))).into_iter().collect();
        keep(record);
    }
    for s in held.shared {
        let steps: Vec<Step> = s.steps.into_iter().map(step).collect();
        keep(made("shared", s.number, at, "ibrekke", &[("name", json!(s.title)), ("steps", json!(steps))]));
    }
    for s in held.suites {
        let cases: Vec<String> = s.cases.iter().map(|n| format!("OS-{n}")).collect();
        keep(made("suite", s.number, at, "ibrekke", &[("name", json!(s.title)), ("cases", json!(cases))]));
    }
    for r in held.runs {
        let values = [
            ("name", json!(r.title)),
            ("suite", json!(format!("SU-{}", r.suite))),
            ("configuration", json!(r.configuration)),
        ];
        keep(made("run", r.number, at, "ibrekke", &values));
    }
    for e in held.executions {
        let values = [
            ("name", json!(e.title)),
            ("run", json!(format!("RN-{}", e.run))),
            ("case", json!(format!("OS-{}", e.case))),
        ];
        keep(made("execution", e.number, at, "ibrekke", &values));
    }
    for r in held.results {
        let values = [
            ("name", json!(format!("Attempt {} at OS-{}", r.attempt, r.case))),
            ("execution", json!(format!("EX-{}", r.execution))),
            ("attempt", json!(r.attempt)),
            ("verdict", json!(r.verdict)),
            ("at", json!(r.at.format("%Y-%m-%dT%H:%M:%S").to_string())),
            ("tester", json!(r.by)),
            ("note", json!(r.note)),
        ];
        keep(made("result", r.number, at, r.by, &values));
    }
    for d in held.defects {
        let text = format!("<p>Seen at OS-{}.</p>", d.case);
        let values = [("name", json!(d.title)), ("text", json!(text)), ("severity", json!(d.severity))];
        let mut record = made("defect", d.number, at, "knordal", &values);
        let state = ["Open", "Fixed", "Closed", "Rejected"][d.number as usize % 4];
        record.values.insert("state".into(), json!(state));
        // One of the closed ones says nothing of what was done.
        if matches!(state, "Fixed" | "Closed") && d.number != 2 {
            record.values.insert("remedy".into(), json!("The sensor was moved by 4 cm."));
        }
        if state == "Rejected" {
            record.values.insert("reason".into(), json!("It is as it should be."));
        }
        record.values.insert("effort".into(), json!(format!("{},5", d.number % 7)));
        record.remarks = remarks(said::of_other(d.number));
        record.trail = trail(said::past_of_other(d.number, "Open", state));
        record.links =
            vec![to("affects", "case", format!("OS-{}", d.case)), to("found by", "result", format!("RS-{}", d.result))];
        keep(record);
    }
}
