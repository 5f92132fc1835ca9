//! The steps of a test case.

use serde::{Deserialize, Serialize};

use super::{Document, Reference};

/// One step. A step that calls shared steps has a [`Call`] and usually an empty action.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Step {
    /// What is done.
    pub action: Document,
    /// What is expected.
    pub expected: Document,
    /// What it is done with.
    pub data: Document,
    /// The shared steps that stand in place of it; none if it is a step of its own.
    pub call: Option<Call>,
    /// Names of files that belong to this step.
    pub attachments: Vec<String>,
}

/// A call of shared steps.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Call {
    /// The shared steps.
    pub target: Reference,
    /// A value for each parameter that is given one.
    pub arguments: Vec<Argument>,
}

/// A step that calls shared steps, where these stand in its place in a list.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Expanded {
    /// Where they begin in the list.
    pub at: usize,
    /// The step that stands there at its own system.
    pub call: Step,
    /// What stands in its place.
    pub steps: Vec<Step>,
}

/// A value for a parameter.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Argument {
    /// The name of the parameter.
    pub name: String,
    /// Usually a line of text; a parameter of the caller stands in it as a node.
    pub value: Document,
}

impl Call {
    /// The call as one line of plain text.
    pub fn display(&self) -> String {
        let arguments: Vec<String> =
            self.arguments.iter().map(|a| format!("{}: {}", a.name, a.value.plain())).collect();
        let target = self.target.id();
        if arguments.is_empty() { target.to_owned() } else { format!("{target}, {}", arguments.join(", ")) }
    }
}

impl Step {
    /// Whether there is anything in it besides a call.
    pub fn says_something(&self) -> bool {
        let parts = [&self.action, &self.expected, &self.data];
        parts.iter().any(|p| !p.blocks.is_empty()) || !self.attachments.is_empty()
    }

    /// The step as one line of plain text.
    pub fn plain(&self) -> String {
        let mut parts = vec![self.action.plain(), self.expected.plain(), self.data.plain()];
        if let Some(call) = &self.call {
            parts.push(call.target.id().to_owned());
        }
        parts.retain(|p| !p.is_empty());
        parts.join(" → ")
    }
}
