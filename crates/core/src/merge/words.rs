//! How alike two parts are by the words that they say.

use similar::DiffableStr;

use super::align::EQUAL;

/// The words of a part, with what sort of part it is: parts of different sorts are never alike.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Words {
    sort: u8,
    /// Sorted; a word that is there twice stands twice.
    words: Vec<String>,
    /// What it is above all, in words: parts that agree in this are alike, whatever else they say.
    head: String,
}

/// The likeness of parts that agree in what they are above all.
const SAME_HEAD: u32 = 900;

impl Words {
    pub fn of(sort: u8, text: &str) -> Words {
        let said = text.tokenize_unicode_words().into_iter().filter(|w| w.chars().any(char::is_alphanumeric));
        let mut words: Vec<String> = said.map(str::to_owned).collect();
        words.sort_unstable();
        Words { sort, words, head: String::new() }
    }

    /// The same of a part that is something above all.
    pub fn headed(self, head: String) -> Words {
        Words { head, ..self }
    }

    /// From 0 to less than [`EQUAL`], by the share of their words that both have (Dice 1945, “Measures of the Amount of
    /// Ecologic Association Between Species”).
    pub fn likeness(&self, other: &Words) -> u32 {
        let all = self.words.len() + other.words.len();
        if self.sort != other.sort || all == 0 {
            return 0;
        }
        let (mut common, mut a, mut b) = (0, 0, 0);
        while let (Some(one), Some(two)) = (self.words.get(a), other.words.get(b)) {
            match one.cmp(two) {
                std::cmp::Ordering::Less => a += 1,
                std::cmp::Ordering::Greater => b += 1,
                std::cmp::Ordering::Equal => {
                    (a, b) = (a + 1, b + 1);
                    common += 1;
                }
            }
        }
        let share = 2 * common * EQUAL as usize / all;
        let headed = if !self.head.is_empty() && self.head == other.head { SAME_HEAD } else { 0 };
        (share as u32).min(EQUAL - 1).max(headed)
    }
}

/// A word goes with the spaces and signs behind it up to the next one, by the word boundaries of Unicode (UAX 29).
pub(super) fn with_what_is_behind(line: &str) -> Vec<&str> {
    let mut starts = Vec::new();
    let mut at = 0;
    for piece in line.tokenize_unicode_words() {
        if at == 0 || piece.chars().any(char::is_alphanumeric) {
            starts.push(at);
        }
        at += piece.len();
    }
    let ends = starts.iter().skip(1).copied().chain([line.len()]);
    starts.iter().zip(ends).map(|(start, end)| &line[*start..end]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_word_goes_with_what_stands_behind_it() {
        let words = with_what_is_behind;
        assert_eq!(words("“Stop”, then wait.\n"), ["“", "Stop”, ", "then ", "wait.\n"]);
        assert_eq!(words("äöü\u{301} 3.5 m"), ["äöü\u{301} ", "3.5 ", "m"]);
        assert_eq!(words("停车 now"), ["停", "车 ", "now"]);
        assert_eq!((words(""), words(" - ")), (vec![], vec![" - "]));
    }

    #[test]
    fn parts_are_alike_by_the_words_that_both_have() {
        let like = |a: &str, b: &str| Words::of(0, a).likeness(&Words::of(0, b));
        // Two words of four and four: 2 · 2 / 8.
        assert_eq!(like("Open the left door", "Close the right door"), 500);
        assert_eq!(like("Stop. Stop.", "Stop"), 666);
        assert_eq!(like("Stop the rope!", "The rope: Stop"), 666);
        assert_eq!((like("", ""), like("Stop", "")), (0, 0));
        assert_eq!(like("Stop", "Stop."), EQUAL - 1);
        assert_eq!(Words::of(0, "Stop").likeness(&Words::of(1, "Stop")), 0);
        let step =
            |action: &str, expected: &str| Words::of(0, &format!("{action} {expected}")).headed(action.to_owned());
        assert_eq!(step("Run", "It goes on for a while").likeness(&step("Run", "All of it stands still")), SAME_HEAD);
    }
}
