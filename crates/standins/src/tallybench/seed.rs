//! Tallybench's content: what somebody began to copy by hand, and a few cases of its own.

use chrono::{TimeZone, Utc};
use serde_json::json;

use super::state::{Case, Chapter, Person, State, Step, number_steps};
use crate::records::{Numbers, made};
use crate::world::{self, PEOPLE, Size, World};

/// Every this many cases of the old system was copied by hand.
const COPIED: usize = 12;

pub fn state(seed: u64, size: Size) -> State {
    let world = world::make(seed, size);
    let mut state = State { numbers: Numbers::after(800), ..State::default() };
    // Two of the old system's people have no account here.
    for (n, p) in PEOPLE.iter().enumerate().filter(|(n, _)| *n != 3 && *n != 9) {
        let email = (n % 3 != 1).then(|| p.email.to_owned());
        state.people.push(Person {
            id: format!("u{}", 100 + n),
            handle: p.login.to_owned(),
            email,
            display: p.name.to_owned(),
        });
    }
    let (folder_places, case_places) = (world.folder_places(), world.case_places());
    for (n, c) in world.cases.iter().take(size.cases).enumerate().filter(|(n, _)| n % COPIED == 0) {
        let chapter = chapter(&mut state, &world, &folder_places, c.folder);
        // Every third copy was given a title of its own.
        let title = if n % (COPIED * 3) == 0 { format!("{} (checked)", c.title) } else { c.title.clone() };
        let steps = c
            .steps
            .iter()
            .filter(|s| s.call.is_none())
            .take(2)
            .map(|s| Step { action: plain(&s.action), expected: plain(&s.expected), ..Step::default() })
            .collect();
        add(&mut state, (chapter, case_places[n]), title, "Copied by hand in spring.", steps, n);
    }
    let own = state.numbers.take();
    let title = "Only here".into();
    let made = Chapter { id: own, chapter_id: None, place: 1, title, external_ref: None, revision: 1 };
    state.chapters.insert(own, made);
    for (n, title) in
        ["Staff kitchen fire door", "Parking barrier in snow", "Guest network is separate"].into_iter().enumerate()
    {
        let step = Step { action: "Look.".into(), expected: "It is so.".into(), ..Step::default() };
        add(&mut state, (own, n as u32 + 1), title.into(), "Written in the new system.", vec![step], n);
    }
    run_in_spring(&mut state, own);
    state
}

/// A round that was run here: one case twice, one planned and not run.
fn run_in_spring(state: &mut State, chapter: u32) {
    let at = Utc.with_ymd_and_hms(2026, 4, 20, 8, 0, 0).single().expect("a time");
    let cases: Vec<u32> = state.cases.values().filter(|c| c.chapter_id == Some(chapter)).map(|c| c.id).collect();
    let mut keep = |kind: &str, values: &[(&str, serde_json::Value)]| {
        let number = state.numbers.take();
        let record = made(kind, number, at, "u100", values);
        state.records.entry(kind.to_owned()).or_default().insert(number, record);
        number.to_string()
    };
    let steps = json!([{"action": "Lock the door.", "expected": "It is locked.", "shared": null}]);
    keep("shared", &[("title", json!("Close the kitchen")), ("steps", steps)]);
    let listed: Vec<String> = cases.iter().map(u32::to_string).collect();
    let suite = keep("suite", &[("title", json!("Spring round")), ("cases", json!(listed))]);
    let run =
        keep("run", &[("title", json!("Spring 2026")), ("suite", json!(suite)), ("configuration", json!("Midway"))]);
    for (n, case) in listed.iter().take(2).enumerate() {
        let title = json!(format!("Spring 2026, case {case}"));
        let execution = keep("execution", &[("title", title), ("run", json!(run)), ("case", json!(case))]);
        for (attempt, outcome) in [(1, "fail"), (2, "pass")].into_iter().filter(|_| n == 0) {
            let when = at + chrono::TimeDelta::minutes(40 * attempt);
            let values = [
                ("title", json!(format!("Spring 2026, case {case}, attempt {attempt}"))),
                ("execution", json!(execution)),
                ("attempt", json!(attempt)),
                ("outcome", json!(outcome)),
                ("executed_at", json!(when.to_rfc3339())),
                ("executed_by", json!("u100")),
            ];
            keep("result", &values);
        }
    }
}

fn chapter(state: &mut State, world: &World, places: &[u32], folder: usize) -> u32 {
    let mut parent = None;
    for at in world.way(folder) {
        let title = world.folders[at].name.as_str();
        let found = state.chapters.values().find(|c| c.chapter_id == parent && c.title == title).map(|c| c.id);
        parent = Some(found.unwrap_or_else(|| {
            let id = state.numbers.take();
            let (title, place) = (title.to_owned(), places[at]);
            let made = Chapter { id, chapter_id: parent, place, title, external_ref: None, revision: 1 };
            state.chapters.insert(id, made);
            id
        }));
    }
    parent.expect("a path has at least one folder")
}

fn add(
    state: &mut State,
    (chapter, place): (u32, u32),
    title: String,
    preconditions: &str,
    mut steps: Vec<Step>,
    n: usize,
) {
    let id = state.numbers.take();
    number_steps(&mut steps);
    let case = Case {
        own: Default::default(),
        id,
        chapter_id: Some(chapter),
        place,
        title,
        preconditions: preconditions.to_owned(),
        priority: "Normal".into(),
        status: "active".into(),
        component: String::new(),
        tags: vec!["spring".into()],
        assigned: None,
        steps,
        data_sets: Vec::new(),
        links: Vec::new(),
        external_ref: None,
        files: Vec::new(),
        comments: Vec::new(),
        history: Vec::new(),
        automation: Default::default(),
        revision: 1,
        updated_at: Utc.with_ymd_and_hms(2026, 4, 10, 10, n as u32 % 60, 0).single().expect("a time"),
        updated_by: "u100".into(),
    };
    state.cases.insert(id, case);
}

/// The text of simple HTML, as a person would retype it.
fn plain(html: &str) -> String {
    let mut out = String::new();
    let mut inside = false;
    for c in html.chars() {
        match c {
            '<' => inside = true,
            '>' => inside = false,
            c if !inside => out.push(c),
            _ => {}
        }
    }
    out
}
