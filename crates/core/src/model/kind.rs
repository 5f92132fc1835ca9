//! The kinds of artefact (terms of the ISTQB glossary where it has them).

use serde::{Deserialize, Serialize};

/// What sort of thing an artefact is. The order is the order of transfer: what holds or is linked to
/// by others comes first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// A place that other artefacts stand in.
    Folder,
    /// What a product is to do.
    Requirement,
    /// Steps that test cases call.
    SharedSteps,
    /// How something is tested.
    TestCase,
    /// A choice of test cases.
    TestSuite,
    /// Test cases that are carried out together.
    TestRun,
    /// One test case carried out once.
    Execution,
    /// What came of an execution.
    Result,
    /// Something that is wrong with a product.
    Defect,
}

impl Kind {
    /// All of them, in the order in which a transfer makes them.
    pub const ALL: [Kind; 9] = [
        Kind::Folder,
        Kind::Requirement,
        Kind::SharedSteps,
        Kind::TestCase,
        Kind::TestSuite,
        Kind::TestRun,
        Kind::Execution,
        Kind::Result,
        Kind::Defect,
    ];

    /// The name used in stored data and in the API.
    pub fn id(self) -> &'static str {
        match self {
            Kind::Folder => "folder",
            Kind::Requirement => "requirement",
            Kind::SharedSteps => "shared_steps",
            Kind::TestCase => "test_case",
            Kind::TestSuite => "test_suite",
            Kind::TestRun => "test_run",
            Kind::Execution => "execution",
            Kind::Result => "result",
            Kind::Defect => "defect",
        }
    }

    /// The reverse of [`Kind::id`].
    pub fn from_id(id: &str) -> Option<Kind> {
        Kind::ALL.into_iter().find(|k| k.id() == id)
    }

    /// The word for a person.
    pub fn word(self) -> &'static str {
        match self {
            Kind::Folder => "folder",
            Kind::Requirement => "requirement",
            Kind::SharedSteps => "shared steps",
            Kind::TestCase => "test case",
            Kind::TestSuite => "test suite",
            Kind::TestRun => "test run",
            Kind::Execution => "execution",
            Kind::Result => "result",
            Kind::Defect => "defect",
        }
    }
}

impl std::fmt::Display for Kind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.word())
    }
}
