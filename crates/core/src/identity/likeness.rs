//! How alike two artefacts are, and who is likest to whom.
//!
//! Decides a likeness from titles and texts. Titles are compared by SoftTFIDF (Cohen, Ravikumar and Fienberg
//! 2003, “A Comparison of String Distance Metrics for Name-Matching Tasks”): weighed words, of which two are one
//! if their Jaro–Winkler similarity (Winkler 1990) is 0.9 or more. A word with a digit is only like itself: “Cabin
//! 12” is not “Cabin 13”. Texts are compared by the cosine of their weighed words.

use std::collections::{HashMap, HashSet};

use serde::{Deserialize, Serialize};

use super::Candidate;
use super::words::{Corpus, Said, Vocabulary, Weighed, cosine};
use crate::model::FastMap;

/// How alike two artefacts are; shares in hundredths.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Likeness {
    /// In all.
    pub score: u8,
    /// Whether both stand in folders of the same titles.
    pub same_folder: bool,
    /// Of the titles.
    #[serde(default)]
    pub title: u8,
    /// Of the texts; none if one of the two says nothing beside its title.
    #[serde(default)]
    pub text: Option<u8>,
    /// The score of the next likest artefact at the right; none if there is no other.
    #[serde(default)]
    pub next: Option<u8>,
}

impl Likeness {
    /// How much there is to doubt, from 0: what is missing to equality, and how near the next likest comes.
    pub fn doubt(&self) -> u8 {
        let near = self.next.map_or(0, |next| CLOSE.saturating_sub(self.score.saturating_sub(next)));
        (100 - self.score.min(100)) + near
    }
}

/// Of two that are no further apart than this, a person can't tell at a glance.
const CLOSE: u8 = 20;

/// The share that the titles have in the likeness; found by measuring (docs/matching.md).
const TITLES: f64 = 0.6;

/// Texts of fewer words say nothing.
const SHORT: usize = 4;

/// From how alike two words are one.
const ONE_WORD: f64 = 0.9;

struct Scored {
    /// In ten thousandths, for the order.
    exact: u32,
    likeness: Likeness,
}

/// How alike two are; none if that is surely less than `from`, in hundredths. Texts are looked at first: comparing
/// them costs less.
fn compare(titles: &Vocabulary, a: &Said, b: &Said, from: u8) -> Option<Scored> {
    let mut text = None;
    if a.text_words.len() >= SHORT && b.text_words.len() >= SHORT {
        // From here on texts are enough if the titles are the same.
        let enough = (f64::from(from) / 100.0 - TITLES) / (1.0 - TITLES);
        text = Some(cosine(&a.text_words, &b.text_words, enough)?.min(1.0));
    }
    let most = text.map_or(1.0, |text| TITLES + (1.0 - TITLES) * text);
    if hundredths(most) < from {
        return None;
    }
    let title = match a.title == b.title {
        true => 1.0,
        false => soft(titles, &a.title_words, &b.title_words),
    };
    let score = text.map_or(title, |text| TITLES * title + (1.0 - TITLES) * text);
    let likeness = Likeness {
        score: hundredths(score),
        same_folder: a.path == b.path,
        title: hundredths(title),
        text: text.map(hundredths),
        next: None,
    };
    (likeness.score >= from).then_some(Scored { exact: (score * 10_000.0) as u32, likeness })
}

fn hundredths(share: f64) -> u8 {
    (share * 100.0 + 1e-9) as u8
}

/// SoftTFIDF of two lists of words, from 0 to 1.
fn soft(words: &Vocabulary, a: &[Weighed], b: &[Weighed]) -> f64 {
    let closest = |word: u32| {
        if let Some(same) = b.iter().find(|other| other.word == word) {
            return Some((1.0, same.weight));
        }
        let alike = b.iter().map(|other| (words.alike(word, other.word), other.weight));
        alike.filter(|(alike, _)| *alike >= ONE_WORD).max_by(|x, y| x.0.total_cmp(&y.0))
    };
    let shared = a.iter().filter_map(|of| {
        let (alike, other) = closest(of.word)?;
        Some(alike * f64::from(of.weight) * f64::from(other))
    });
    shared.sum::<f64>().min(1.0)
}

/// Lists of this many artefacts or more share a word that says nothing.
const COMMON: usize = 400;

/// As [`COMMON`], among items that are nearly the same: these share their rarest words too.
const COMMON_WITHIN: usize = 60;

/// For each wanted of the first `left` artefacts of a corpus, those offered of the others that share one of its
/// rarest words.
fn blocks(
    corpus: &Corpus,
    left: usize,
    wanted: &dyn Fn(usize) -> bool,
    offered: &dyn Fn(usize) -> bool,
    common: usize,
    mut each: impl FnMut(usize, &[usize]),
) {
    let (mut by_title, mut by_text): (FastMap<u32, Vec<usize>>, FastMap<u32, Vec<usize>>) = Default::default();
    for (n, said) in corpus.said.iter().enumerate().skip(left).filter(|(n, _)| offered(*n)) {
        said.title_words.iter().for_each(|w| by_title.entry(w.word).or_default().push(n));
        said.text_words.iter().for_each(|w| by_text.entry(w.word).or_default().push(n));
    }
    let mut near: Vec<usize> = Vec::new();
    for (n, said) in corpus.said.iter().enumerate().take(left).filter(|(n, _)| wanted(*n)) {
        near.clear();
        for (words, index) in [(&said.title_words, &by_title), (&said.text_words, &by_text)] {
            let mut lists: Vec<&Vec<usize>> = words.iter().filter_map(|w| index.get(&w.word)).collect();
            lists.sort_by_key(|list| list.len());
            // The rarest is looked at however common it is; a word in all titles is better than none.
            let rare = lists.iter().enumerate().take(4).filter(|(n, list)| *n == 0 || list.len() < common);
            near.extend(rare.flat_map(|(_, list)| list.iter().copied()));
        }
        near.sort_unstable();
        near.dedup();
        each(n, &near);
    }
}

/// Pairs of free artefacts that are alike, from a score on in hundredths, each artefact in one at most: the likest
/// first, the same folder before another. Those that were asked about come before all others, however alike they are by now.
/// What words weigh is told by all of both lists, free or not, so that a likeness is the same wherever it is shown.
pub(super) fn alike(
    (left, left_free): (&[Candidate<'_>], &HashSet<usize>),
    (right, right_free): (&[Candidate<'_>], &HashSet<usize>),
    asked: &[(usize, usize)],
    from: u8,
) -> Vec<(usize, usize, Likeness)> {
    if left_free.is_empty() || right_free.is_empty() {
        return Vec::new();
    }
    let corpus = Corpus::of(left.iter().chain(right).map(|c| (c.artefact, c.path.as_str())));
    let of =
        |l: usize, r: usize, from: u8| compare(&corpus.titles, &corpus.said[l], &corpus.said[left.len() + r], from);
    let asked = asked.iter().filter_map(|(l, r)| Some((of(*l, *r, 0)?, *l, *r)));
    let asked: Vec<(Scored, usize, usize)> = asked.collect();
    let mut scored: Vec<(Scored, usize, usize)> = Vec::new();
    let is_free = |r: usize| right_free.contains(&(r - left.len()));
    blocks(&corpus, left.len(), &|l| left_free.contains(&l), &is_free, COMMON, |l, near| {
        for r in near.iter().map(|r| r - left.len()) {
            if let Some(found) = of(l, r, from) {
                scored.push((found, l, r));
            }
        }
    });
    // By place at last, so that the outcome never varies.
    scored.sort_by(|(a, la, ra), (b, lb, rb)| {
        let order = |s: &Scored| (s.exact + if s.likeness.same_folder { FOLDER } else { 0 }, s.exact);
        order(b).cmp(&order(a)).then((la, ra).cmp(&(lb, rb)))
    });
    let mut best: HashMap<usize, Vec<(usize, u8)>> = HashMap::new();
    for (found, l, r) in &scored {
        best.entry(*l).or_default().push((*r, found.likeness.score));
    }
    let (mut ls, mut rs) = (HashSet::new(), HashSet::new());
    let mut out = Vec::new();
    for (found, l, r) in asked.into_iter().chain(scored) {
        if !ls.contains(&l) && !rs.contains(&r) {
            ls.insert(l);
            rs.insert(r);
            let others = best.get(&l).into_iter().flatten().filter(|(other, _)| *other != r);
            let next = others.map(|(_, score)| *score).max();
            out.push((l, r, Likeness { next, ..found.likeness }));
        }
    }
    out
}

/// What the same folder is worth between two that are about equally alike, in ten thousandths.
const FOLDER: u32 = 500;

/// The likest of `right` to one artefact of `left`, at most `most` of those offered, likest first.
pub fn likest(
    left: &[Candidate<'_>],
    one: usize,
    right: &[Candidate<'_>],
    offered: &dyn Fn(&Candidate<'_>) -> bool,
    most: usize,
) -> Vec<(usize, Likeness)> {
    let corpus = Corpus::of(left.iter().chain(right).map(|c| (c.artefact, c.path.as_str())));
    let mut found: Vec<(u32, usize, Likeness)> = Vec::new();
    for n in (0..right.len()).filter(|n| offered(&right[*n])) {
        let compared = compare(&corpus.titles, &corpus.said[one], &corpus.said[left.len() + n], 1);
        found.extend(compared.map(|Scored { exact, likeness }| (exact, n, likeness)));
    }
    found.sort_by(|a, b| b.0.cmp(&a.0).then(a.1.cmp(&b.1)));
    found.into_iter().take(most).map(|(_, n, likeness)| (n, likeness)).collect()
}

/// Pairs within one list that are alike, from a score on.
pub(super) fn alike_within(list: &[Candidate<'_>], from: u8) -> Vec<(usize, usize, Likeness)> {
    let twice = list.iter().chain(list);
    let corpus = Corpus::of(twice.map(|c| (c.artefact, c.path.as_str())));
    let mut out = Vec::new();
    blocks(&corpus, list.len(), &|_| true, &|_| true, COMMON_WITHIN, |a, near| {
        for b in near.iter().map(|b| b - list.len()).filter(|b| a < *b) {
            if let Some(found) = compare(&corpus.titles, &corpus.said[a], &corpus.said[b], from) {
                out.push((a, b, found.likeness));
            }
        }
    });
    out.sort_by_key(|(a, b, _)| (*a, *b));
    out
}
