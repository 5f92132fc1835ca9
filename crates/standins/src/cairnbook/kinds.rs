//! What Cairnbook holds: requirements, and volumes that each are a document of them.

use crate::records::{Field, Form, Kind};

const TITLE: Field = Field::new("title", "Title", Form::Line).needed().longest(250);
const DESCRIPTION: Field = Field::new("description", "Text", Form::Rich).longest(40_000);
const CONTRIBUTOR: Field = Field::new("contributor", "Responsible", Form::Person);
const SOURCE: Field = Field::new("source", "Source", Form::Mark).longest(200);

pub const REQUIREMENT: Kind = Kind {
    id: "requirement",
    prefix: "R",
    label: "Requirement",
    fields: &[
        TITLE,
        DESCRIPTION,
        Field::new("level", "Level", Form::List).of(&["System", "Function", "Detail"]),
        CONTRIBUTOR,
        Field::new("subject", "Key words", Form::Tags),
        SOURCE,
        Field::new("volume", "Volume", Form::Ref("volume")).needed(),
    ],
};

pub const VOLUME: Kind = Kind {
    id: "volume",
    prefix: "M",
    label: "Volume",
    fields: &[
        TITLE,
        DESCRIPTION,
        CONTRIBUTOR,
        Field::new("state", "State", Form::List).of(&["Being written", "In force"]),
        SOURCE,
    ],
};

pub const KINDS: [Kind; 2] = [VOLUME, REQUIREMENT];

/// Links by the property that says them; the first leads to requirements only.
pub const LINKS: [(&str, &str); 4] = [
    ("oslc_rm:decomposes", "Part of"),
    ("oslc_rm:validatedBy", "Validated by"),
    ("oslc_rm:affectedBy", "Affected by"),
    ("dcterms:relation", "See also"),
];

pub fn find(id: &str) -> Option<&'static Kind> {
    KINDS.iter().find(|k| k.id == id)
}
