//! Two edits of a text.
//!
//! Decides what its parts are: lines, and in lines that both edits touch, words. A word goes with what stands behind it up to
//! the next one, so that edits of neighbouring words touch each other.

use similar::DiffableStr;

use super::diff3;

pub(super) fn merge(base: &str, one: &str, other: &str) -> Option<String> {
    let [base, one, other] = [base, one, other].map(|text| text.split_inclusive('\n').collect::<Vec<_>>());
    Some(diff3::merge(&base, &one, &other, in_words)?.concat())
}

fn in_words<'t>(base: &[&'t str], one: &[&'t str], other: &[&'t str]) -> Option<Vec<&'t str>> {
    let [base, one, other] = [base, one, other].map(|lines| lines.iter().flat_map(|line| words(line)).collect());
    let [base, one, other]: [Vec<&str>; 3] = [base, one, other];
    diff3::merge(&base, &one, &other, |_, _, _| None)
}

/// The words of a line, by the word boundaries of Unicode (UAX 29), each with the spaces and signs behind it.
fn words(line: &str) -> Vec<&str> {
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
        assert_eq!(words("“Stop”, then wait.\n"), ["“", "Stop”, ", "then ", "wait.\n"]);
        assert_eq!(words("äöü\u{301} 3.5 m"), ["äöü\u{301} ", "3.5 ", "m"]);
        assert_eq!(words("停车 now"), ["停", "车 ", "now"]);
        assert_eq!((words(""), words(" - ")), (vec![], vec![" - "]));
    }
}
