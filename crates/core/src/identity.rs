//! Identity: which artefact at the right is the counterpart of one at the left.
//!
//! Decides by pair first, then by origin mark, then by title and path, then by similarity of titles
//! (Jaro–Winkler, Winkler 1990), which is only ever offered for review. Each artefact is matched at most
//! once; an ambiguous match is no match.

use std::collections::{HashMap, HashSet};

use serde::{Deserialize, Serialize};
use strsim::jaro_winkler;

use crate::model::{Artefact, Fingerprint};

/// The mark that an artefact made by a transfer carries, naming what it was made from.
pub fn origin_mark(left_system: &str, artefact: &Artefact) -> String {
    format!("{left_system}:{}", artefact.key)
}

/// The remembered identity of two artefacts, with the fingerprints of the base.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pair {
    pub left_id: String,
    pub right_id: String,
    /// Of the values at the left under the lane's rules when last in step.
    pub left_base: Fingerprint,
    pub right_base: Fingerprint,
}

/// How a counterpart was found.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "how", rename_all = "snake_case")]
pub enum Evidence {
    /// The right artefact carries the mark of the left one.
    Origin { mark: String },
    /// Same title in the same folder.
    TitleAndPath { path: String },
    /// Titles that are alike; to be reviewed.
    Similar {
        /// Similarity in hundredths.
        score: u8,
        same_folder: bool,
    },
}

impl Evidence {
    /// Whether the match is good enough to be taken unless a person says no.
    pub fn is_sure(&self) -> bool {
        !matches!(self, Evidence::Similar { .. })
    }
}

/// An artefact as matching sees it.
pub struct Candidate<'a> {
    pub artefact: &'a Artefact,
    /// Titles of the folders above, in canonical form for both ends.
    pub path: String,
}

/// Finds counterparts among artefacts that have no pair. `similar_from` is in hundredths.
/// Cost: linear, and for similarity proportional to the titles that share one of their rarest words.
pub fn match_first_contact(
    left_system: &str,
    left: &[Candidate<'_>],
    right: &[Candidate<'_>],
    similar_from: u8,
) -> Vec<(usize, usize, Evidence)> {
    let mut out = Vec::new();
    let mut left_free: HashSet<usize> = (0..left.len()).collect();
    let mut right_free: HashSet<usize> = (0..right.len()).collect();

    let marks: HashMap<&str, usize> =
        right.iter().enumerate().filter_map(|(n, c)| Some((c.artefact.origin.as_deref()?, n))).collect();
    for (n, c) in left.iter().enumerate() {
        let mark = origin_mark(left_system, c.artefact);
        if let Some(&m) = marks.get(mark.as_str())
            && right_free.remove(&m)
        {
            left_free.remove(&n);
            out.push((n, m, Evidence::Origin { mark }));
        }
    }

    let folded = |list: &[Candidate<'_>]| -> Vec<Folded> { list.iter().map(Folded::of).collect() };
    let (left_folded, right_folded) = (folded(left), folded(right));
    let right_places = by_place(&right_folded, &right_free);
    let mut found: Vec<(usize, usize)> = Vec::new();
    for (place, ls) in by_place(&left_folded, &left_free) {
        // Two of one name in one folder can't be told apart: no match, the rest of the rules decide.
        if let ([l], Some([r])) = (ls.as_slice(), right_places.get(place).map(Vec::as_slice)) {
            // An item that carries the mark of something else was made from that.
            if right[*r].artefact.origin.is_none() {
                found.push((*l, *r));
            }
        }
    }
    for (l, r) in found {
        left_free.remove(&l);
        right_free.remove(&r);
        out.push((l, r, Evidence::TitleAndPath { path: left[l].path.clone() }));
    }

    // Nothing is more than equal: beyond 100 there is nothing to look for.
    if similar_from <= 100 {
        right_free.retain(|n| right[*n].artefact.origin.is_none());
        out.extend(similar(&left_folded, &right_folded, &left_free, &right_free, similar_from));
    }
    out.sort_by_key(|(l, _, _)| *l);
    out
}

/// A candidate as matching compares it: without regard to case and spaces.
#[derive(PartialEq, Eq, Hash)]
struct Folded {
    path: String,
    title: String,
}

impl Folded {
    fn of(candidate: &Candidate<'_>) -> Folded {
        Folded { path: fold(&candidate.path), title: fold(&candidate.artefact.title) }
    }

    fn words(&self) -> impl Iterator<Item = &str> {
        self.title.split(|c: char| !c.is_alphanumeric()).filter(|w| w.chars().count() > 2)
    }
}

fn by_place<'f>(list: &'f [Folded], free: &HashSet<usize>) -> HashMap<&'f Folded, Vec<usize>> {
    let mut map: HashMap<&Folded, Vec<usize>> = HashMap::new();
    for (n, candidate) in list.iter().enumerate().filter(|(n, _)| free.contains(n)) {
        map.entry(candidate).or_default().push(n);
    }
    map
}

fn similar(
    left: &[Folded],
    right: &[Folded],
    left_free: &HashSet<usize>,
    right_free: &HashSet<usize>,
    from: u8,
) -> Vec<(usize, usize, Evidence)> {
    let mut index: HashMap<&str, Vec<usize>> = HashMap::new();
    for &n in right_free {
        for w in right[n].words() {
            index.entry(w).or_default().push(n);
        }
    }
    let mut scored: Vec<(u32, bool, usize, usize)> = Vec::new();
    for &l in left_free {
        let mut mine: Vec<&str> = left[l].words().collect();
        mine.sort_unstable();
        mine.dedup();
        mine.sort_by_key(|w| index.get(w).map_or(0, Vec::len));
        let rare = mine.iter().filter_map(|w| index.get(w)).take(3);
        let candidates: HashSet<usize> = rare.flatten().copied().collect();
        for r in candidates {
            let score = (jaro_winkler(&left[l].title, &right[r].title) * 10_000.0) as u32;
            if score >= u32::from(from) * 100 {
                scored.push((score, left[l].path == right[r].path, l, r));
            }
        }
    }
    // Best first; the same folder before another; then by place, so that the outcome never varies.
    scored.sort_by(|a, b| (b.1, b.0).cmp(&(a.1, a.0)).then((a.2, a.3).cmp(&(b.2, b.3))));
    let (mut ls, mut rs) = (HashSet::new(), HashSet::new());
    let mut out = Vec::new();
    for (score, same_folder, l, r) in scored {
        if !ls.contains(&l) && !rs.contains(&r) {
            ls.insert(l);
            rs.insert(r);
            out.push((l, r, Evidence::Similar { score: (score / 100) as u8, same_folder }));
        }
    }
    out
}

fn fold(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase()
}

#[cfg(test)]
mod tests {
    use strsim::{jaro, jaro_winkler};

    /// Winkler 1990, “String Comparator Metrics and Enhanced Decision Rules in the Fellegi–Sunter Model
    /// of Record Linkage”, table of examples (values from memory).
    #[test]
    fn similarity_is_winklers() {
        for (a, b, expected) in [("MARTHA", "MARHTA", 0.961), ("DIXON", "DICKSONX", 0.813), ("DWAYNE", "DUANE", 0.840)]
        {
            assert!((jaro_winkler(a, b) - expected).abs() < 0.0006, "{a} {b}: {}", jaro_winkler(a, b));
        }
        assert!((jaro("MARTHA", "MARHTA") - 0.944).abs() < 0.0006);
    }
}
