//! Origin marks: the text in an artefact that names what it was made from.
//!
//! Decides how a mark is written, and which texts are written like one.

use super::artefact::Artefact;

/// The mark that an artefact made by a transfer carries, naming what it was made from.
pub fn origin_mark(left_system: &str, artefact: &Artefact) -> String {
    format!("{left_system}:{}", artefact.key)
}

/// Whether a mark names something of a system.
pub fn marks_system(mark: &str, system: &str) -> bool {
    mark.strip_prefix(system).is_some_and(|rest| rest.starts_with(':'))
}

/// Whether a text is made as a mark is.
pub fn is_mark(text: &str) -> bool {
    text.split_once(':').is_some_and(|(system, key)| !system.trim().is_empty() && !key.trim().is_empty())
}
