//! Rules that are proposed, as the API gives them.

use hovrel_core::rules::Rule;
use hovrel_core::suggest;
use serde::Serialize;
use utoipa::ToSchema;

/// A proposed rule.
#[derive(Serialize, ToSchema)]
pub struct Suggestion {
    /// The rule.
    pub rule: Rule,
    /// How sure, from 0 to 100.
    pub score: u8,
    /// Why, in short sentences.
    pub evidence: Vec<String>,
}

impl From<suggest::Suggestion> for Suggestion {
    fn from(found: suggest::Suggestion) -> Suggestion {
        let evidence = found.evidence.iter().map(hovrel_words::suggested_because).collect();
        Suggestion { rule: found.rule, score: found.score, evidence }
    }
}
