//! Which values mean one thing, by their words alone.

use strsim::jaro_winkler;

use super::observed::GoTogether;
use crate::mapping::lane::{Fallback, ValueMap, ValueRow};

/// From 0 to 1.
pub(super) fn value_affinity(left: &str, right: &str) -> f64 {
    // “4 – Severe” is compared by its word.
    let word = |s: &str| s.trim_start_matches(|c: char| !c.is_alphabetic()).to_lowercase();
    let (a, b) = (word(left), word(right));
    let related = VALUES_ALIKE.iter().any(|g| g.contains(&a.as_str()) && g.contains(&b.as_str()));
    if related { 0.9 } else { jaro_winkler(&a, &b) }
}

/// Words of scales that stand for one another; common practice, no source.
const VALUES_ALIKE: [&[&str]; 18] = [
    &["proposed", "noted"],
    &["approved", "agreed"],
    &["withdrawn", "dropped"],
    &["open", "reported"],
    &["fixed", "mended"],
    &["rejected", "turned down"],
    &["critical", "severe", "stops the line", "vital"],
    &["low", "minor", "cosmetic", "small"],
    &["critical", "urgent", "highest", "blocker"],
    &["severe", "high", "major"],
    &["medium", "normal", "moderate"],
    &["low", "minor"],
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
    let mut rows: Vec<ValueRow> = Vec::new();
    for value in met.iter().filter(|v| !v.is_empty()) {
        let best = allowed.iter().map(|a| (value_affinity(value, a), a)).max_by(|a, b| a.0.total_cmp(&b.0));
        let by_words = best.filter(|(score, _)| *score >= 0.8).map(|(_, right)| right);
        if let Some(right) = together.of(value).filter(|r| allowed.contains(r)).or(by_words) {
            let returns = !rows.iter().any(|r| r.right == *right);
            rows.push(ValueRow { left: value.clone(), right: right.clone(), returns });
        }
    }
    ValueMap { rows, otherwise: Fallback::Block }
}
