//! Words of a plain text.

use serde::{Deserialize, Serialize};
use similar::DiffableStr;

use super::PieceChange;
use super::ops::changes;

/// A run of text that is the same at both sides, only before, or only after.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Piece {
    /// What became of it.
    pub change: PieceChange,
    /// What it says.
    pub text: String,
}

/// Word by word.
pub fn diff_text(before: &str, after: &str) -> Vec<Piece> {
    let (old, new) = (before.tokenize_unicode_words(), after.tokenize_unicode_words());
    let mut pieces: Vec<Piece> = Vec::new();
    for (tag, word) in changes(&old, &new) {
        let kind = PieceChange::from(tag);
        match pieces.last_mut() {
            Some(last) if last.change == kind => last.text.push_str(word),
            _ => pieces.push(Piece { change: kind, text: (*word).to_owned() }),
        }
    }
    pieces
}

#[cfg(test)]
mod tests {
    use super::*;
    use similar::{Algorithm, capture_diff_slices};

    /// Myers 1986, “An O(ND) Difference Algorithm and Its Variations”, §2: ABCABBA and CBABAC have a
    /// shortest edit script of five insertions and deletions.
    #[test]
    fn the_edit_script_is_the_shortest() {
        let (a, b): (Vec<char>, Vec<char>) = ("ABCABBA".chars().collect(), "CBABAC".chars().collect());
        let edits: usize = capture_diff_slices(Algorithm::Myers, &a, &b)
            .iter()
            .map(|op| match op.tag() {
                similar::DiffTag::Equal => 0,
                _ => op.old_range().len() + op.new_range().len(),
            })
            .sum();
        assert_eq!(edits, 5);
    }

    #[test]
    fn only_the_words_that_changed_are_marked() {
        let pieces = diff_text("Rope creep is below 35 mm", "Rope creep is below 20 mm");
        let marked: Vec<_> = pieces.iter().filter(|p| p.change != PieceChange::Same).map(|p| p.text.as_str()).collect();
        assert_eq!(marked, ["35", "20"]);
    }
}
