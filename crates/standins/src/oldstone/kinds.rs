//! The kinds of record that Oldstone keeps besides folders and test cases.

use crate::records::{Field, Form, Kind};
use crate::world::holdings::{SEVERITIES, VERDICTS};

const NAME: Field = Field::new("name", "Name", Form::Line).needed().longest(500);
const ORIGIN: Field = Field::new("origin", "Origin", Form::Mark).longest(200);

pub const KINDS: [Kind; 7] = [
    Kind {
        id: "requirement",
        prefix: "RQ",
        label: "Requirement",
        fields: &[
            NAME,
            Field::new("text", "Text", Form::Rich),
            Field::new("level", "Level", Form::List).of(&["System", "Function", "Detail"]),
            Field::new("state", "State", Form::List).of(&["Proposed", "Approved", "Withdrawn"]),
            Field::new("reason", "Reason", Form::Line).longest(300),
            Field::new("owner", "Owner", Form::Person),
            ORIGIN,
        ],
    },
    Kind {
        id: "shared",
        prefix: "SS",
        label: "Shared steps",
        fields: &[NAME, Field::new("steps", "Steps", Form::Steps), ORIGIN],
    },
    Kind {
        id: "suite",
        prefix: "SU",
        label: "Suite",
        fields: &[NAME, Field::new("cases", "Cases", Form::Refs("case")), ORIGIN],
    },
    Kind {
        id: "run",
        prefix: "RN",
        label: "Run",
        fields: &[
            NAME,
            Field::new("suite", "Suite", Form::Ref("suite")),
            Field::new("configuration", "Configuration", Form::Line).longest(200),
            ORIGIN,
        ],
    },
    Kind {
        id: "execution",
        prefix: "EX",
        label: "Execution",
        fields: &[
            NAME,
            Field::new("run", "Run", Form::Ref("run")).needed(),
            Field::new("case", "Case", Form::Ref("case")).needed(),
            ORIGIN,
        ],
    },
    Kind {
        id: "result",
        prefix: "RS",
        label: "Result",
        fields: &[
            NAME,
            Field::new("execution", "Execution", Form::Ref("execution")).needed(),
            Field::new("attempt", "Attempt", Form::Number).needed(),
            Field::new("verdict", "Verdict", Form::List).needed().of(&VERDICTS),
            Field::new("at", "Executed at", Form::Time),
            Field::new("tester", "Executed by", Form::Person),
            Field::new("note", "Note", Form::Rich),
            ORIGIN,
        ],
    },
    Kind {
        id: "defect",
        prefix: "DF",
        label: "Defect",
        fields: &[
            NAME,
            Field::new("text", "Text", Form::Rich),
            Field::new("severity", "Severity", Form::List).of(&SEVERITIES),
            Field::new("state", "State", Form::List).of(&["Open", "Fixed", "Closed", "Rejected"]),
            Field::new("remedy", "Remedy", Form::Line).longest(300),
            Field::new("reason", "Reason", Form::Line).longest(300),
            Field::new("effort", "Effort", Form::Line).longest(20),
            ORIGIN,
        ],
    },
];

pub fn find(id: &str) -> Option<&'static Kind> {
    KINDS.iter().find(|k| k.id == id)
}
