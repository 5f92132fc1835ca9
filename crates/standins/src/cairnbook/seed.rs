//! Cairnbook's content: safety requirements in three documents, with what real ones hold.

use chrono::{TimeDelta, TimeZone, Utc};
use serde_json::{Value, json};

use super::state::{Person, State, uid};
use crate::clock;
use crate::records::{Link, Numbers, Past, Record, Remark, made};
use crate::world::{PEOPLE, Size};

const DOCUMENTS: [(&str, &[(&str, &str)]); 3] = [
    (
        "Emergency stop",
        &[
            (
                "The line stops within 12 s of an emergency stop",
                "<p>Measured from the <strong>stop button</strong> to standstill, at full load.</p>",
            ),
            (
                "The stop button latches until it is pulled",
                "<p>A pressed button stays pressed. See <a href=\"https://wiki.skarnvik.example/buttons\">the buttons</a>.</p>",
            ),
            ("A stop is shown at every station", "<ul><li>Harbour</li><li>Midway</li><li>Summit</li></ul>"),
            ("The drive releases only after an inspection", "<p>Who inspects is said in the log.</p>"),
        ],
    ),
    (
        "Wind",
        &[
            (
                "Wind above 18 m/s for 10 s slows the line",
                "<table><tr><th>wind</th><th>speed</th></tr><tr><td>≤ 14 m/s</td><td>6 m/s</td></tr><tr><td>≤ 18 m/s</td><td>4 m/s</td></tr></table>",
            ),
            (
                "Wind above 25 m/s stops boarding",
                "<p>Boarding ends; <em>cabins on the line go on</em> to the next station.</p>",
            ),
            ("A mast whose meter is silent counts as windy", "<p>Silent means no value for 30 s<sup>1</sup>.</p>"),
        ],
    ),
    (
        "Evacuation",
        &[
            (
                "Every cabin can be reached within 90 minutes",
                "<ol><li>Call the crew.</li><li>Lower the rope.</li></ol>",
            ),
            ("Guests are told what happens within 2 minutes", "<p>The words are in <del>two</del> four languages.</p>"),
            ("الإخلاء الليلي 🚠 night evacuation", "<p>ضوء في كل مقصورة. Light in every cabin.</p>"),
        ],
    ),
];

pub fn state(seed: u64, size: Size) -> State {
    let mut state = State { numbers: Numbers::after(400), ..State::default() };
    for (n, p) in PEOPLE.iter().enumerate().filter(|(n, _)| n % 5 != 3) {
        let mail = (n % 3 != 1).then(|| p.email.to_owned());
        let uid = format!("u{}", 70 + n);
        state.people.push(Person { uid, nick: p.login.to_owned(), mail, name: p.name.to_owned() });
    }
    let first = Utc.with_ymd_and_hms(2018, 9, 3, 6, 45, 10).single().expect("a time");
    let rounds = (size.cases / 40).max(1);
    for round in 0..rounds {
        for (d, (document, requirements)) in DOCUMENTS.iter().enumerate() {
            let edition = if round == 0 { String::new() } else { format!(", part {}", round + 1) };
            let at = first + TimeDelta::days((seed % 7) as i64 + 40 * round as i64 + d as i64);
            let number = state.numbers.take();
            let volume = uid(number);
            let by = state.people[d % state.people.len()].uid.clone();
            let standing = if round % 2 == 0 { "In force" } else { "Being written" };
            let values = [
                ("title", json!(format!("{document}{edition}"))),
                ("description", json!(xhtml("<p>Kept by the safety office.</p>"))),
                ("contributor", json!(by)),
                ("state", json!(standing)),
            ];
            state.keep(made("volume", number, at, &by, &values));
            let mut top = None;
            for (n, (title, text)) in requirements.iter().enumerate() {
                let number = state.numbers.take();
                let level = ["System", "Function", "Detail"][n.min(2)];
                let person = state.people[(number as usize) % state.people.len()].uid.clone();
                let values = [
                    ("title", json!(format!("{title}{edition}"))),
                    ("description", json!(xhtml(text))),
                    ("level", json!(level)),
                    ("contributor", json!(person)),
                    ("subject", json!(["safety", if d == 1 { "weather" } else { "yearly" }])),
                    ("volume", json!(volume)),
                ];
                let mut record = made("requirement", number, at + TimeDelta::minutes(n as i64), &person, &values);
                hang(&mut record, n, top);
                top = top.or(Some(number));
                state.keep(record);
            }
        }
    }
    close_a_circle(&mut state);
    state
}

fn xhtml(inner: &str) -> String {
    format!("<div xmlns=\"http://www.w3.org/1999/xhtml\">{inner}</div>")
}

/// What hangs on a requirement: the one it is part of, an address, words said, a change made.
fn hang(record: &mut Record, n: usize, top: Option<u32>) {
    if let Some(top) = top {
        let link =
            Link { word: "oslc_rm:decomposes".into(), kind: "requirement".into(), id: uid(top), ..Link::default() };
        record.links.push(link);
    }
    let (at, by) = (record.changed + TimeDelta::days(9), record.changed_by.clone());
    if n == 1 {
        let url = format!("https://tests.skarnvik.example/case/{}", record.number);
        record.links.push(Link { word: "oslc_rm:validatedBy".into(), url, ..Link::default() });
        let text = xhtml("<p>Is this <strong>still</strong> so?</p>");
        record.remarks.push(Remark { at, by: by.clone(), text });
    }
    if n == 2 {
        let (before, after) = ("Function".to_owned(), "Detail".to_owned());
        record.trail.push(Past { at, by, field: "level".into(), before, after });
    }
}

/// Two requirements that name each other.
fn close_a_circle(state: &mut State) {
    let Some(all) = state.records.get_mut("requirement") else { return };
    let ends: Vec<u32> = all.keys().copied().take(2).collect();
    let [a, b] = ends[..] else { return };
    for (from, to) in [(a, b), (b, a)] {
        if let Some(record) = all.get_mut(&from) {
            let link =
                Link { word: "dcterms:relation".into(), kind: "requirement".into(), id: uid(to), ..Link::default() };
            record.links.push(link);
        }
    }
}

/// A record without anything in it.
pub fn bare(kind: &str, number: u32, by: &str) -> Record {
    let none: [(&str, Value); 0] = [];
    made(kind, number, clock::now(), by, &none)
}
