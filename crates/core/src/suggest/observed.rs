//! What pairs that exist already say about fields and values.
//!
//! Decides how far a field at the left tells what a field at the right holds. For fields of few values this is
//! Goodman and Kruskal's lambda (1954, “Measures of Association for Cross Classifications”): by how much the errors
//! of a guess grow fewer if the left value is known; for others the share of pairs in which both hold the same.

use std::collections::{BTreeMap, HashMap};

use crate::model::{Artefact, Value};

/// Fewer pairs than this say nothing.
const FEW: usize = 3;

/// More different values than this, and a field is free text.
const CHOICES: usize = 24;

/// Two artefacts that are one thing.
pub type Twins<'a> = (&'a Artefact, &'a Artefact);

/// What the pairs say of two fields.
pub(super) struct Observed {
    /// Pairs in which both fields hold something.
    pub seen: usize,
    /// Of these, those whose values go together.
    pub agree: usize,
    /// From 0, where the left tells nothing, to 1.
    pub strength: f64,
    /// Which values go together; empty for free text.
    pub together: GoTogether,
}

/// For a left value the right value that most often stands beside it, and in how many pairs of how many.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct GoTogether(pub BTreeMap<String, (String, usize, usize)>);

impl GoTogether {
    /// What a left value surely becomes: seen twice at least, and in most of its pairs.
    pub(super) fn of(&self, left: &str) -> Option<&String> {
        let (right, seen, of) = self.0.get(left)?;
        (*seen >= 2 && seen * 10 >= of * 6).then_some(right)
    }
}

/// The value of a field as text; none if it is empty, or nothing that texts tell apart.
fn held(artefact: &Artefact, field: &str) -> Option<String> {
    let value = artefact.fields.get(field).filter(|v| !v.is_blank())?;
    match value {
        Value::Steps(_) | Value::Table(_) | Value::Reference(_) | Value::References(_) => None,
        other => Some(other.display().split_whitespace().collect::<Vec<_>>().join(" ")),
    }
}

/// The same words but for case and marks: two systems seldom write a text in the same way.
fn folded(text: &str) -> String {
    text.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).collect::<Vec<_>>().join(" ").to_lowercase()
}

/// From this many characters on, a text that goes on is taken to be cut off at the other end.
const CUT: usize = 20;

fn says_the_same(a: &str, b: &str) -> bool {
    let (a, b) = (folded(a), folded(b));
    let (short, long) = if a.len() <= b.len() { (&a, &b) } else { (&b, &a) };
    short == long || (short.chars().count() >= CUT && long.starts_with(short.as_str()))
}

/// What pairs say of a field at the left and one at the right; none if too few hold both.
pub(super) fn observe(pairs: &[Twins<'_>], left: &str, right: &str) -> Option<Observed> {
    let both: Vec<(String, String)> =
        pairs.iter().filter_map(|(l, r)| Some((held(l, left)?, held(r, right)?))).collect();
    let seen = both.len();
    if seen < FEW {
        return None;
    }
    let same = both.iter().filter(|(l, r)| says_the_same(l, r)).count();
    let mut table: BTreeMap<&str, BTreeMap<&str, usize>> = BTreeMap::new();
    let mut rights: HashMap<&str, usize> = HashMap::new();
    for (l, r) in &both {
        *table.entry(l).or_default().entry(r).or_default() += 1;
        *rights.entry(r).or_default() += 1;
    }
    let few = table.len() <= CHOICES && rights.len() <= CHOICES && table.len() * 2 <= seen.max(6);
    if !few {
        return Some(Observed {
            seen,
            agree: same,
            strength: same as f64 / seen as f64,
            together: GoTogether::default(),
        });
    }
    // Where the right holds one value only there is nothing to tell, unless the left holds it too.
    if rights.len() == 1 && same < seen {
        return None;
    }
    // The smaller text wins a draw, so that the outcome never varies.
    let together: BTreeMap<String, (String, usize, usize)> = table
        .iter()
        .filter_map(|(l, beside)| {
            let of = beside.values().sum();
            let (r, n) = beside.iter().max_by(|a, b| a.1.cmp(b.1).then(b.0.cmp(a.0)))?;
            Some(((*l).to_owned(), ((*r).to_owned(), *n, of)))
        })
        .collect();
    let told: usize = together.values().map(|(_, n, _)| n).sum();
    let guessed = rights.values().copied().max().unwrap_or(0);
    let lambda = match seen - guessed {
        0 => 0.0,
        open => told.saturating_sub(guessed) as f64 / open as f64,
    };
    let strength = if same == seen { 1.0 } else { lambda };
    Some(Observed { seen, agree: told.max(same), strength, together: GoTogether(together) })
}
