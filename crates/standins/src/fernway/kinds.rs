//! The forms of item that Fernway tracks, and how an item moves from one state to the next.

use chrono::SubsecRound;
use serde_json::json;

use crate::clock;
use crate::records::{self, Field, Form, Kind, Record};

const TITLE: Field = Field::new("title", "Title", Form::Line).needed().longest(200);
const BODY: Field = Field::new("body", "Body", Form::Rich).longest(20_000);
const IMPORTANCE: Field = Field::new("importance", "Importance", Form::List).of(&["Vital", "Useful", "Small"]);
const PART: Field = Field::new("part", "Part", Form::List).of(&PARTS);
const OWNER: Field = Field::new("owner", "Owner", Form::Person);
const LABELS: Field = Field::new("labels", "Labels", Form::Tags);
const REASON: Field = Field::new("reason", "Reason", Form::Line).longest(200);
const EFFORT: Field = Field::new("effort", "Effort in hours", Form::Decimal);

/// The parts of the ropeway that items are sorted by.
pub const PARTS: [&str; 5] = ["Drive", "Line", "Gates", "Information", "Rescue"];

pub const KINDS: [Kind; 3] = [
    Kind {
        id: "need",
        prefix: "N",
        label: "Need",
        fields: &[
            TITLE,
            BODY,
            Field::new("level", "Level", Form::List).of(&["System", "Function", "Detail"]),
            IMPORTANCE,
            PART,
            OWNER,
            Field::new("state", "State", Form::Status).of(&["Noted", "Agreed", "Built", "Dropped"]),
            REASON,
            EFFORT,
            LABELS,
        ],
    },
    Kind {
        id: "trouble",
        prefix: "T",
        label: "Trouble",
        fields: &[
            TITLE,
            BODY,
            IMPORTANCE,
            PART,
            OWNER,
            Field::new("state", "State", Form::Status).of(&["Reported", "Taken up", "Mended", "Closed", "Turned down"]),
            Field::new("cure", "Cure", Form::Line).longest(200),
            REASON,
            EFFORT,
            LABELS,
        ],
    },
    Kind {
        id: "check",
        prefix: "C",
        label: "Check",
        fields: &[
            TITLE,
            BODY,
            Field::new("list", "Checklist", Form::Rich).longest(20_000),
            IMPORTANCE,
            PART,
            OWNER,
            EFFORT,
            LABELS,
        ],
    },
];

/// A move from one state to another, with the fields it asks for.
pub struct Move {
    pub form: &'static str,
    pub from: &'static str,
    pub to: &'static str,
    pub asks: &'static [&'static str],
}

const fn step(form: &'static str, from: &'static str, to: &'static str, asks: &'static [&'static str]) -> Move {
    Move { form, from, to, asks }
}

pub const MOVES: [Move; 11] = [
    step("need", "Noted", "Agreed", &[]),
    step("need", "Agreed", "Built", &[]),
    step("need", "Noted", "Dropped", &["reason"]),
    step("need", "Agreed", "Dropped", &["reason"]),
    step("need", "Dropped", "Noted", &[]),
    step("trouble", "Reported", "Taken up", &[]),
    step("trouble", "Taken up", "Mended", &["cure"]),
    step("trouble", "Mended", "Closed", &[]),
    step("trouble", "Mended", "Taken up", &[]),
    step("trouble", "Reported", "Turned down", &["reason"]),
    step("trouble", "Closed", "Reported", &[]),
];

pub fn find(id: &str) -> Option<&'static Kind> {
    KINDS.iter().find(|k| k.id == id)
}

/// An item of a form as it begins, in the state in which it does.
pub fn begun(kind: &Kind, number: u32, by: &str) -> Record {
    let first = first_state(kind.id).map(|state| ("state", json!(state)));
    records::made(kind.id, number, clock::now().trunc_subsecs(0), by, first.as_slice())
}

/// The state in which an item of a form begins.
pub fn first_state(form: &str) -> Option<&'static str> {
    MOVES.iter().find(|m| m.form == form).map(|m| m.from)
}
