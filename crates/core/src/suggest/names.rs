//! Which names mean one thing.
//!
//! Decides how alike the names of two fields are, however they are written: by Jaro–Winkler similarity (Winkler 1990)
//! and by words that trades use for one another. A name that the other only adds to is nearly the same.

use strsim::jaro_winkler;

/// Words that trades use for one thing; common practice, no source.
const ALIKE: [&[&str]; 15] = [
    &["script tool", "framework"],
    &["script file", "source file"],
    &["script name", "symbol"],
    &["name", "title", "summary", "heading"],
    &["text", "body", "description", "statement"],
    &["remedy", "cure", "fix"],
    &["steps", "checklist"],
    &["importance", "priority", "urgency", "severity"],
    &["description", "preconditions", "objective", "purpose", "details"],
    &["owner", "assigned", "assignee", "responsible"],
    &["status", "state", "stage"],
    &["labels", "tags", "keywords", "key words"],
    &["estimate", "effort", "effort in hours", "duration"],
    &["verdict", "outcome", "result"],
    &["parameters", "data sets", "examples"],
];

/// From 0 to 1.
pub(super) fn name_affinity(a: &str, b: &str) -> f64 {
    let (a, b) = (plain(a), plain(b));
    let related = ALIKE.iter().any(|group| group.contains(&a.as_str()) && group.contains(&b.as_str()));
    let within = |short: &str, long: &str| {
        let words: Vec<&str> = long.split(' ').collect();
        words.len() > 1 && short.split(' ').all(|w| words.contains(&w))
    };
    let adds = within(&a, &b) || within(&b, &a);
    let known = if related { 0.95 } else { 0.0 };
    jaro_winkler(&a, &b).max(known).max(if adds { 0.85 } else { 0.0 })
}

/// The words of a name, however they were joined: “Expected effort”, `expected_effort`, `ExpectedEffort`.
fn plain(name: &str) -> String {
    let mut out = String::new();
    let mut before = ' ';
    for c in name.chars() {
        if !c.is_alphanumeric() || (c.is_uppercase() && before.is_lowercase()) {
            out.push(' ');
        }
        if c.is_alphanumeric() {
            out.extend(c.to_lowercase());
        }
        before = c;
    }
    out.split_whitespace().collect::<Vec<_>>().join(" ")
}
