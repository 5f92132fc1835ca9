//! Words of titles and texts, weighted by how rare they are.
//!
//! Decides what a word is and how much it says of an artefact: term frequency times inverse document frequency
//! (Salton and Buckley 1988), each list of words a vector of length one.

use std::cell::RefCell;

use strsim::jaro_winkler;

use crate::model::{Artefact, FastMap, Value};

/// Without regard to case and spaces.
pub(super) fn fold(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase()
}

fn words_of(text: &str) -> impl Iterator<Item = String> {
    text.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).map(str::to_lowercase)
}

/// What an artefact says in running text, beside its title.
fn text_of(artefact: &Artefact) -> String {
    let title = fold(&artefact.title);
    let said = artefact.fields.iter().filter_map(|(_, value)| match value {
        Value::Text(_) | Value::RichText(_) | Value::Steps(_) => {
            Some(value.display()).filter(|text| fold(text) != title)
        }
        _ => None,
    });
    said.collect::<Vec<_>>().join(" ")
}

/// Words by number, and in how many lists each is.
#[derive(Default)]
pub(super) struct Vocabulary {
    numbers: FastMap<String, u32>,
    words: Vec<String>,
    lists: Vec<u32>,
    /// Whether a word is only like itself: one with a digit.
    alone: Vec<bool>,
    total: u32,
    /// How alike two words are, once it was asked: titles of one project say the same words again and again.
    alike: RefCell<FastMap<(u32, u32), f64>>,
}

/// A word of a list, with its weight.
#[derive(Clone, Copy)]
pub(super) struct Weighed {
    pub word: u32,
    pub weight: f32,
    /// The length of the vector from this word on.
    rest: f32,
}

impl Vocabulary {
    fn add(&mut self, text: &str) -> Vec<u32> {
        let mut list: Vec<u32> = words_of(text)
            .map(|word| {
                *self.numbers.entry(word).or_insert_with_key(|word| {
                    self.words.push(word.clone());
                    self.lists.push(0);
                    self.alone.push(word.contains(|c: char| c.is_numeric()));
                    self.words.len() as u32 - 1
                })
            })
            .collect();
        list.sort_unstable();
        self.total += 1;
        for (n, word) in list.iter().enumerate() {
            if n == 0 || list[n - 1] != *word {
                self.lists[*word as usize] += 1;
            }
        }
        list
    }

    /// The words of a list with their weights, as a vector of length one, in the order of their numbers.
    fn weighed(&self, list: &[u32]) -> Vec<Weighed> {
        let mut out: Vec<Weighed> = Vec::new();
        for same in list.chunk_by(|a, b| a == b) {
            let rare = (f64::from(self.total + 1) / f64::from(self.lists[same[0] as usize])).ln();
            let weight = ((1.0 + (same.len() as f64).ln()) * rare) as f32;
            out.push(Weighed { word: same[0], weight, rest: 0.0 });
        }
        let length = out.iter().map(|w| w.weight * w.weight).sum::<f32>().sqrt();
        let mut rest = 0.0;
        for w in out.iter_mut().rev() {
            w.weight /= length;
            rest += w.weight * w.weight;
            w.rest = rest.sqrt();
        }
        out
    }

    /// Numbers words by how rare they are, the rarest first: those weigh most, so that two lists that share little are
    /// told apart by their first words. The lists are numbered anew with them.
    fn rarest_first(&mut self, lists: &mut [Vec<u32>]) {
        let mut order: Vec<u32> = (0..self.words.len() as u32).collect();
        order.sort_by_key(|word| self.lists[*word as usize]);
        let mut number = vec![0; order.len()];
        for (n, word) in order.iter().enumerate() {
            number[*word as usize] = n as u32;
        }
        for list in lists {
            list.iter_mut().for_each(|word| *word = number[*word as usize]);
            list.sort_unstable();
        }
        self.words = order.iter().map(|word| std::mem::take(&mut self.words[*word as usize])).collect();
        self.lists = order.iter().map(|word| self.lists[*word as usize]).collect();
        self.alone = order.iter().map(|word| self.alone[*word as usize]).collect();
        // Nothing is added any more.
        self.numbers = FastMap::default();
    }

    /// How alike two different words are, from 0 to 1 (Winkler 1990); 0 for those that are only like themselves.
    pub(super) fn alike(&self, a: u32, b: u32) -> f64 {
        if self.alone[a as usize] || self.alone[b as usize] {
            return 0.0;
        }
        let measured = || jaro_winkler(&self.words[a as usize], &self.words[b as usize]);
        *self.alike.borrow_mut().entry((a.min(b), a.max(b))).or_insert_with(measured)
    }
}

/// What an artefact says, weighed.
pub(super) struct Said {
    pub path: String,
    pub title: String,
    pub title_words: Vec<Weighed>,
    pub text_words: Vec<Weighed>,
}

/// Everything that is compared with one another.
pub(super) struct Corpus {
    pub titles: Vocabulary,
    pub said: Vec<Said>,
}

impl Corpus {
    pub(super) fn of<'a>(all: impl Iterator<Item = (&'a Artefact, &'a str)>) -> Corpus {
        let (mut titles, mut texts) = (Vocabulary::default(), Vocabulary::default());
        let (mut names, mut title_lists, mut text_lists) = (Vec::new(), Vec::new(), Vec::new());
        for (artefact, path) in all {
            names.push((fold(path), fold(&artefact.title)));
            title_lists.push(titles.add(&artefact.title));
            text_lists.push(texts.add(&text_of(artefact)));
        }
        titles.rarest_first(&mut title_lists);
        texts.rarest_first(&mut text_lists);
        let lists = title_lists.iter().zip(&text_lists);
        let said = names.into_iter().zip(lists).map(|((path, title), (title_list, text_list))| Said {
            path,
            title,
            title_words: titles.weighed(title_list),
            text_words: texts.weighed(text_list),
        });
        let said = said.collect();
        Corpus { titles, said }
    }
}

/// The cosine of two vectors of length one; none if it is surely less than `from`: what is still to come is at most the
/// product of both remaining lengths (Cauchy and Schwarz).
pub(super) fn cosine(a: &[Weighed], b: &[Weighed], from: f64) -> Option<f64> {
    let (mut n, mut m, mut sum) = (0, 0, 0.0);
    // What single precision loses is never taken for less.
    let from = from - 1e-4;
    while let (Some(x), Some(y)) = (a.get(n), b.get(m)) {
        if sum + f64::from(x.rest * y.rest) < from {
            return None;
        }
        match x.word.cmp(&y.word) {
            std::cmp::Ordering::Less => n += 1,
            std::cmp::Ordering::Greater => m += 1,
            std::cmp::Ordering::Equal => {
                sum += f64::from(x.weight * y.weight);
                n += 1;
                m += 1;
            }
        }
    }
    Some(sum)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::model::Kind;

    fn saying(text: &str) -> Artefact {
        let mut artefact = Artefact { title: text.into(), ..Artefact::bare(Kind::TestCase, "1") };
        artefact.fields.set("text", Value::text(format!("{text} as it stands")));
        artefact
    }

    proptest! {
        /// Giving up early leaves out nothing that is as alike as was asked for, and changes no figure.
        #[test]
        fn a_cosine_that_is_enough_is_told(
            texts in prop::collection::vec("([a-h] ){1,9}", 2..6),
            from in 0.0..1.0f64,
        ) {
            let artefacts: Vec<Artefact> = texts.iter().map(|text| saying(text)).collect();
            let corpus = Corpus::of(artefacts.iter().map(|a| (a, "")));
            for (a, b) in corpus.said.iter().zip(&corpus.said[1..]) {
                let (a, b) = (&a.text_words, &b.text_words);
                let weight = |list: &[Weighed], word: u32| list.iter().find(|w| w.word == word).map_or(0.0, |w| w.weight);
                let whole: f64 = a.iter().map(|w| f64::from(w.weight * weight(b, w.word))).sum();
                match cosine(a, b, from) {
                    Some(found) => prop_assert!((found - whole).abs() < 1e-9, "{found} {whole}"),
                    None => prop_assert!(whole < from, "{whole} {from}"),
                }
            }
        }
    }
}
