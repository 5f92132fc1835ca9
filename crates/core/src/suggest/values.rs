//! Which values mean one thing, by their words alone.

use std::collections::{HashMap, HashSet};

use strsim::jaro_winkler;

use super::observed::GoTogether;
use crate::rules::{Fallback, ValueMap, ValueRow};

/// From this score on two values mean one thing.
const ONE_THING: f64 = 0.8;

/// Longer lists are looked up word by word; which of thousands are alike says nothing.
const COMPARED: usize = 500;

/// Values of one end, for finding which of them a value of the other end means.
pub(super) struct Allowed<'a> {
    all: &'a [String],
    by_word: HashMap<String, &'a String>,
}

impl<'a> Allowed<'a> {
    pub(super) fn new(all: &'a [String]) -> Allowed<'a> {
        // Of values of one word the first.
        Allowed { all, by_word: all.iter().rev().map(|v| (word(v), v)).collect() }
    }

    /// The value that means the same by its words; none if none does.
    pub(super) fn meant(&self, value: &str) -> Option<&'a String> {
        if let Some(same) = self.by_word.get(&word(value)) {
            return Some(same);
        }
        let compared = if self.all.len() > COMPARED { &[] } else { self.all };
        let best = compared.iter().map(|a| (value_affinity(value, a), a)).max_by(|a, b| a.0.total_cmp(&b.0));
        best.filter(|(score, _)| *score >= ONE_THING).map(|(_, a)| a)
    }
}

/// “4 – Severe” is compared by its word.
fn word(value: &str) -> String {
    let from_letter = value.trim_start_matches(|c: char| !c.is_alphabetic());
    // What has no letters is its own word.
    if from_letter.is_empty() { value.trim().to_lowercase() } else { from_letter.to_lowercase() }
}

/// From 0 to 1. “Rig 4” and “Rig 5” are alike and two things: numbers must be the same.
fn value_affinity(left: &str, right: &str) -> f64 {
    let (a, b) = (word(left), word(right));
    let digits = |s: &str| s.chars().filter(char::is_ascii_digit).collect::<String>();
    let related = VALUES_ALIKE.iter().any(|g| g.contains(&a.as_str()) && g.contains(&b.as_str()));
    match related {
        true => 0.9,
        false if digits(&a) != digits(&b) => 0.0,
        false => jaro_winkler(&a, &b),
    }
}

/// Words of scales that stand for one another; common practice, no source.
const VALUES_ALIKE: [&[&str]; 17] = [
    &["proposed", "noted"],
    &["approved", "agreed"],
    &["withdrawn", "dropped"],
    &["open", "reported"],
    &["fixed", "mended"],
    &["rejected", "turned down"],
    &["critical", "severe", "stops the line", "vital"],
    &["low", "minor", "slight", "trifling", "cosmetic", "small"],
    &["critical", "urgent", "highest", "blocker", "stops the line"],
    &["severe", "grave", "high", "major"],
    &["medium", "middling", "normal", "moderate"],
    &["ready", "active", "approved", "in use"],
    &["retired", "archived", "obsolete", "withdrawn"],
    &["passed", "pass", "ok"],
    &["failed", "fail", "not ok"],
    &["not sure", "unclear", "inconclusive"],
    &["error", "broken"],
];

/// A value map with the rows that can be told from what stands together in pairs, or from the words alone; the rest
/// is left to a person.
pub fn suggest_value_map(met: &[String], allowed: &[String], together: &GoTogether) -> ValueMap {
    let there: HashSet<&String> = allowed.iter().collect();
    let by_words = Allowed::new(allowed);
    let mut rows: Vec<ValueRow> = Vec::new();
    // Where each right value's row that travels back stands: of several the most alike, or the first.
    let mut back: HashMap<&str, (usize, f64)> = HashMap::new();
    for value in met.iter().filter(|v| !v.is_empty()) {
        let paired = together.of(value).and_then(|r| there.get(r).copied());
        let Some(right) = paired.or_else(|| by_words.meant(value)) else { continue };
        let alike = value_affinity(value, right);
        let led = back.entry(right).or_insert((rows.len(), alike));
        if alike > led.1 {
            *led = (rows.len(), alike);
        }
        rows.push(ValueRow { left: value.clone(), right: right.clone(), returns: false });
    }
    back.values().for_each(|(n, _)| rows[*n].returns = true);
    ValueMap { rows, otherwise: Fallback::Block }
}
