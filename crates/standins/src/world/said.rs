//! What people said of the ropeway's items and how these came to be as they are.
//!
//! Made from the number of an item alone, so that the rest of the world stays as it is. Contains on
//! purpose: ids and people mentioned in running text, a word about somebody who left, the same words twice.

use chrono::{DateTime, TimeDelta, TimeZone, Utc};

use super::words::PEOPLE;

#[derive(Debug, Clone)]
pub struct WorldRemark {
    pub at: DateTime<Utc>,
    pub by: &'static str,
    /// HTML.
    pub text: String,
}

#[derive(Debug, Clone)]
pub struct WorldPast {
    pub at: DateTime<Utc>,
    pub by: &'static str,
    pub field: &'static str,
    pub before: &'static str,
    pub after: &'static str,
}

fn day(number: u32, days: i64) -> DateTime<Utc> {
    let first = Utc.with_ymd_and_hms(2019, 4, 2, 9, 12, 30).single().unwrap_or_default();
    first + TimeDelta::days(i64::from(number % 700) + days) + TimeDelta::seconds(i64::from(number % 3000))
}

fn person(number: u32) -> &'static str {
    PEOPLE[number as usize % PEOPLE.len()].login
}

/// What was said of a test case.
pub fn of_case(number: u32) -> Vec<WorldRemark> {
    let said = |days: i64, who: u32, text: &str| WorldRemark {
        at: day(number, days),
        by: if who == 99 { "tormod" } else { person(number + who) },
        text: text.to_owned(),
    };
    match number % 12 {
        1 => vec![said(40, 0, "<p>The limit is <b>not</b> the one in the safety note.</p>")],
        5 => vec![
            said(12, 2, &format!("<p>Same as OS-{}, only at night.</p>", number - 1)),
            said(
                13,
                3,
                "<p>No: the lamps differ, ask @lholm or @tormod.</p><ul><li>Harbour: two</li><li>Summit: one</li></ul>",
            ),
            said(90, 99, "<p>I leave this to the next one at the desk.</p>"),
        ],
        9 => vec![said(5, 1, "<p>Done.</p>"), said(6, 1, "<p>Done.</p>")],
        _ => Vec::new(),
    }
}

/// How a test case came to its state.
pub fn past_of_case(number: u32, state: &'static str) -> Vec<WorldPast> {
    let step = |days: i64, who: u32, before: &'static str, after: &'static str| WorldPast {
        at: day(number, days),
        by: person(number + who),
        field: "state",
        before,
        after,
    };
    match (number % 4, state) {
        (0, "Ready") => vec![step(1, 0, "Draft", "In review"), step(9, 4, "In review", "Ready")],
        (0, "Retired") => vec![step(2, 5, "Ready", "Retired")],
        _ => Vec::new(),
    }
}

/// What was said of a requirement or a defect.
pub fn of_other(number: u32) -> Vec<WorldRemark> {
    match number % 3 {
        1 => vec![WorldRemark {
            at: day(number, 3),
            by: person(number),
            text: "<p>Agreed at the safety round, see <a href=\"https://wiki.skarnvik.example/rounds\">the minutes</a>.</p>".into(),
        }],
        _ => Vec::new(),
    }
}

/// How a requirement or a defect came to its state.
pub fn past_of_other(number: u32, first: &'static str, state: &'static str) -> Vec<WorldPast> {
    if state == first || number.is_multiple_of(2) {
        return Vec::new();
    }
    vec![WorldPast { at: day(number, 21), by: person(number + 1), field: "state", before: first, after: state }]
}
