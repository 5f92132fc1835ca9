//! Doubles: artefacts of one end that seem to be one thing twice.
//!
//! Decides groups: whatever is alike from a score on hangs together. They are pointed out, never merged.

use super::Candidate;
use super::likeness::alike_within;

/// Artefacts that seem to be one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Doubles {
    /// Places in the list, ascending; two at least.
    pub members: Vec<usize>,
    /// The least likeness that holds the group together, in hundredths.
    pub score: u8,
}

/// Groups of doubles in a list, from a likeness on in hundredths; the surest first.
pub fn doubles(list: &[Candidate<'_>], from: u8) -> Vec<Doubles> {
    let links = alike_within(list, from);
    let mut group: Vec<usize> = (0..list.len()).collect();
    fn root(group: &mut [usize], mut n: usize) -> usize {
        while group[n] != n {
            group[n] = group[group[n]];
            n = group[n];
        }
        n
    }
    for (a, b, _) in &links {
        let (a, b) = (root(&mut group, *a), root(&mut group, *b));
        group[a.max(b)] = a.min(b);
    }
    let mut out: std::collections::BTreeMap<usize, Doubles> = std::collections::BTreeMap::new();
    for (a, b, how) in &links {
        let at = root(&mut group, *a);
        let found = out.entry(at).or_insert(Doubles { members: Vec::new(), score: 100 });
        found.members.extend([*a, *b]);
        found.score = found.score.min(how.score);
    }
    let mut out: Vec<Doubles> = out.into_values().collect();
    for found in &mut out {
        found.members.sort_unstable();
        found.members.dedup();
    }
    out.sort_by(|a, b| b.score.cmp(&a.score).then(a.members.cmp(&b.members)));
    out
}
