//! The kinds of record that Tallybench keeps besides chapters and cases.

use crate::records::{Field, Form, Kind};

const TITLE: Field = Field::new("title", "Title", Form::Line).needed().longest(250);
const MARK: Field = Field::new("external_ref", "External reference", Form::Mark).longest(200);

/// How an execution ended.
const OUTCOMES: &[&str] = &["pass", "fail", "unclear", "error", "blocked"];

pub const KINDS: [Kind; 5] = [
    Kind {
        id: "shared",
        prefix: "SH",
        label: "Shared steps",
        fields: &[TITLE, Field::new("steps", "Steps", Form::Steps), MARK],
    },
    Kind {
        id: "suite",
        prefix: "ST",
        label: "Suite",
        fields: &[TITLE, Field::new("cases", "Cases", Form::Refs("case")), MARK],
    },
    Kind {
        id: "run",
        prefix: "RU",
        label: "Run",
        fields: &[
            TITLE,
            Field::new("suite", "Suite", Form::Ref("suite")),
            Field::new("configuration", "Configuration", Form::Line).longest(80),
            MARK,
        ],
    },
    Kind {
        id: "execution",
        prefix: "XE",
        label: "Execution",
        fields: &[
            TITLE,
            Field::new("run", "Run", Form::Ref("run")).needed(),
            Field::new("case", "Case", Form::Ref("case")).needed(),
            MARK,
        ],
    },
    Kind {
        id: "result",
        prefix: "RE",
        label: "Result",
        fields: &[
            TITLE,
            Field::new("execution", "Execution", Form::Ref("execution")).needed(),
            Field::new("attempt", "Attempt", Form::Number).needed(),
            Field::new("outcome", "Outcome", Form::List).needed().of(OUTCOMES),
            Field::new("executed_at", "Executed at", Form::Time),
            Field::new("executed_by", "Executed by", Form::Person),
            Field::new("note", "Note", Form::Rich),
            MARK,
        ],
    },
];

pub fn find(id: &str) -> Option<&'static Kind> {
    KINDS.iter().find(|k| k.id == id)
}
