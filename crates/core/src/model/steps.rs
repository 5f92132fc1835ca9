//! The steps of a test case.

use serde::{Deserialize, Serialize};

use super::Document;

/// One step. A step that calls shared steps has a [`Call`] and usually an empty action.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Step {
    pub action: Document,
    pub expected: Document,
    pub data: Document,
    pub call: Option<Call>,
    /// Names of files that belong to this step.
    pub attachments: Vec<String>,
}

/// A call of shared steps.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Call {
    /// Id of the shared steps (or test case) at the same system.
    pub target: String,
    pub arguments: Vec<Argument>,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Argument {
    pub name: String,
    pub value: String,
}

impl Step {
    /// The step as one line of plain text.
    pub fn plain(&self) -> String {
        let mut parts = vec![self.action.plain(), self.expected.plain(), self.data.plain()];
        if let Some(call) = &self.call {
            parts.push(call.target.clone());
        }
        parts.retain(|p| !p.is_empty());
        parts.join(" → ")
    }
}
