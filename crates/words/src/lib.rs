//! What the core's codes are called, for people: the one place for the API, the command line and the exports.
//!
//! Decides the words of losses, faults, refusals, causes, proofs, suggestions and changed catalogues. What happens, and to what, is decided in the core, which
//! says it in codes with their values; the web client words the codes of its own lists in `web/src/lib/words.ts`.

#![warn(missing_docs)]

mod catalogue;
mod faults;
mod losses;
mod proof;
mod refusals;
mod suggested;

pub use catalogue::{catalogue_change, schema_change};
pub use faults::fault;
pub use losses::{loss_cause, loss_kind};
pub use proof::{absence, absent_item, difference_cause, files_read, headline, order};
pub use refusals::{MERGE_NOT_TAKEN, refusal};
pub use suggested::suggested_because;

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use hovrel_core::loss::LossKind;
    use hovrel_core::model::End;
    use hovrel_core::plan::Absence;
    use hovrel_core::reconcile::DifferenceCause;

    use super::*;

    /// A list that groups by words would put two things together that share theirs.
    #[test]
    fn no_two_codes_of_a_list_have_the_same_words() {
        let distinct = |words: &[&str]| words.iter().collect::<HashSet<_>>().len() == words.len();
        let causes: Vec<&str> = DifferenceCause::ALL.iter().map(|c| difference_cause(*c)).collect();
        assert!(distinct(&causes), "{causes:?}");
        let kinds =
            [LossKind::Truncated, LossKind::Flattened, LossKind::Substituted, LossKind::Dropped, LossKind::Downgraded];
        assert!(distinct(&kinds.map(loss_kind)));
        let absences = [Absence::Gone, Absence::OutOfScope, Absence::Elsewhere, Absence::Unreadable];
        let of_end = |end: End| absences.map(|a| absence(a, end)).to_vec();
        let words = [of_end(End::Left), of_end(End::Right)].concat();
        assert!(distinct(&words), "{words:?}");
    }
}
