//! Typed values, and when two of them are the same.
//!
//! Absent (not in [`super::Fields`]), [`Value::Empty`] and [`Value::Unreadable`] are three things: an
//! absent field was never offered by the system, an empty one was cleared, and an unreadable one holds
//! something that must not be overwritten blindly.

use chrono::{DateTime, Datelike, FixedOffset, NaiveDate};
use serde::{Deserialize, Serialize};

use super::{Attachment, Comment, Document, HistoryEntry, Kind, Link, Span, Step};
use crate::bounds::YEARS;

/// A value of a field.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", content = "value", rename_all = "snake_case")]
pub enum Value {
    /// The field is there and holds nothing.
    Empty,
    /// The field holds something that is not of its declared type.
    Unreadable(String),
    /// Text on one or more lines.
    Text(String),
    /// Formatted text.
    RichText(Document),
    /// A whole number.
    Integer(i64),
    /// A number with a fraction, to the last digit.
    Decimal(Decimal),
    /// Yes or no.
    Boolean(bool),
    /// A day.
    Date(NaiveDate),
    /// A point in time with its offset (RFC 3339).
    Instant(DateTime<FixedOffset>),
    /// A number of seconds.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    Duration(Span),
    /// One of the values that the field allows.
    Choice(String),
    /// Some of the values that the field allows, each once.
    ChoiceList(Vec<String>),
    /// A user's id at their system.
    User(String),
    /// People, by their ids.
    UserList(Vec<String>),
    /// An address.
    Url(String),
    /// Another artefact.
    Reference(Reference),
    /// Several references, in their order.
    References(Vec<Reference>),
    /// Links, in a fixed order: see [`Link`].
    Links(Vec<Link>),
    /// Rows of cells, the first row being the column names.
    Table(Vec<Vec<String>>),
    /// Steps, in their order.
    Steps(Vec<Step>),
    /// Files, in order of name. Bytes are never part of a value; the digest stands for them.
    Attachments(Vec<Attachment>),
    /// Comments, the oldest first.
    Comments(Vec<Comment>),
    /// Recorded changes, the oldest first.
    History(Vec<HistoryEntry>),
}

/// [`Value`] under another name, for the API's description: utoipa takes every type that is called
/// `Value` for untyped JSON.
#[cfg(feature = "schema")]
pub type ValueSchema = Value;

/// A pointer to an artefact.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Reference {
    /// An artefact by its id at the system that holds the value.
    Known(String),
    /// An artefact by its kind and id at the other end: its counterpart comes to be in the same plan.
    Pending {
        /// Its kind.
        kind: Kind,
        /// Its id at the end that it comes from.
        id: String,
    },
}

impl Reference {
    /// A reference to an artefact by its id.
    pub fn known(id: impl Into<String>) -> Reference {
        Reference::Known(id.into())
    }

    /// The id at whichever end it is known.
    pub fn id(&self) -> &str {
        match self {
            Reference::Known(id) | Reference::Pending { id, .. } => id,
        }
    }
}

/// What a value waits for: see [`Value::pending`].
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Pending<'a> {
    /// Those without which nothing can be written, by kind and id.
    pub needed: Vec<(Kind, &'a str)>,
    /// Those that can be added later, by kind and id.
    pub wished: Vec<(Kind, &'a str)>,
}

/// The type of a field, as its catalogue declares it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ValueType {
    /// Text on one or more lines.
    Text,
    /// Formatted text.
    RichText,
    /// A whole number.
    Integer,
    /// A number with a fraction.
    Decimal,
    /// Yes or no.
    Boolean,
    /// A day.
    Date,
    /// A point in time.
    Instant,
    /// A length of time.
    Duration,
    /// One of the values that the field allows.
    Choice,
    /// Some of the values that the field allows.
    ChoiceList,
    /// Somebody.
    User,
    /// Several people.
    UserList,
    /// An address.
    Url,
    /// Another artefact.
    Reference,
    /// Several artefacts.
    References,
    /// Links to artefacts and addresses.
    Links,
    /// Rows with the same columns.
    Table,
    /// Steps of a test.
    Steps,
    /// Files.
    Attachments,
    /// What people wrote.
    Comments,
    /// What was changed in the past.
    History,
}

impl ValueType {
    /// What a field of this type holds, in words.
    pub fn word(self) -> &'static str {
        match self {
            ValueType::Text => "text",
            ValueType::RichText => "rich text",
            ValueType::Integer => "a whole number",
            ValueType::Decimal => "a number",
            ValueType::Boolean => "yes or no",
            ValueType::Date => "a date",
            ValueType::Instant => "a time",
            ValueType::Duration => "a duration",
            ValueType::Choice => "a choice",
            ValueType::ChoiceList => "a list of choices",
            ValueType::User => "a person",
            ValueType::UserList => "a list of people",
            ValueType::Url => "an address",
            ValueType::Reference => "a reference",
            ValueType::Table => "a table",
            ValueType::Steps => "steps",
            ValueType::Attachments => "files",
            ValueType::References => "references",
            ValueType::Links => "links",
            ValueType::Comments => "comments",
            ValueType::History => "history",
        }
    }
}

impl ValueType {
    /// Whether values of it hang on the artefact and are none of its fields' own.
    pub fn hangs(self) -> bool {
        matches!(self, ValueType::Attachments | ValueType::Links | ValueType::Comments | ValueType::History)
    }
}

/// Why something is no value.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum ValueError {
    /// A text that is no decimal number; the text.
    #[error("“{0}” is not a decimal number")]
    NotADecimal(String),
}

/// A decimal number as normalised digits, so that 1.50 and 1.5 are one value and none is rounded.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(try_from = "String", into = "String")]
pub struct Decimal(String);

impl Decimal {
    /// Reads `-12.50`, with a point. Leading zeros, trailing zeros of the fraction and a negative zero
    /// are normalised away.
    pub fn parse(text: &str) -> Result<Decimal, ValueError> {
        let fail = || ValueError::NotADecimal(text.to_owned());
        let (negative, digits) = match text.strip_prefix('-') {
            Some(rest) => (true, rest),
            None => (false, text.strip_prefix('+').unwrap_or(text)),
        };
        let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
        let all_digits = |s: &str| s.bytes().all(|b| b.is_ascii_digit());
        if (whole.is_empty() && fraction.is_empty()) || !all_digits(whole) || !all_digits(fraction) {
            return Err(fail());
        }
        let whole = whole.trim_start_matches('0');
        let fraction = fraction.trim_end_matches('0');
        let whole = if whole.is_empty() { "0" } else { whole };
        let mut out = String::new();
        if negative && !(whole == "0" && fraction.is_empty()) {
            out.push('-');
        }
        out.push_str(whole);
        if !fraction.is_empty() {
            out.push('.');
            out.push_str(fraction);
        }
        Ok(Decimal(out))
    }

    /// Reads a number as JSON and XML Schema write one: with an exponent, too. The exponent is bounded, since each of
    /// its units is a digit.
    pub fn parse_number(text: &str) -> Result<Decimal, ValueError> {
        const LARGEST_EXPONENT: u64 = 400;
        let fail = || ValueError::NotADecimal(text.to_owned());
        let Some((digits, exponent)) = text.split_once(['e', 'E']) else { return Decimal::parse(text) };
        let exponent: i64 = exponent.parse().map_err(|_| fail())?;
        if exponent.unsigned_abs() > LARGEST_EXPONENT {
            return Err(fail());
        }
        let Decimal(plain) = Decimal::parse(digits).map_err(|_| fail())?;
        let (sign, plain) = plain.strip_prefix('-').map_or(("", plain.as_str()), |p| ("-", p));
        let (whole, fraction) = plain.split_once('.').unwrap_or((plain, ""));
        let room = LARGEST_EXPONENT as usize;
        let all = format!("{:0>room$}{whole}{fraction}{:0<room$}", "", "");
        let point = (room + whole.len()) as i64 + exponent;
        let (whole, fraction) = all.split_at(point as usize);
        Decimal::parse(&format!("{sign}{whole}.{fraction}")).map_err(|_| fail())
    }

    /// The number as text, in its one form.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

/// Reads a day as ISO 8601 §5.2.2.1 writes one, of the [`YEARS`] that are taken.
pub fn read_day(text: &str) -> Option<NaiveDate> {
    text.parse::<NaiveDate>().ok().filter(|day| YEARS.contains(&day.year()))
}

impl Ord for Decimal {
    /// By size, however many digits there are.
    fn cmp(&self, other: &Decimal) -> std::cmp::Ordering {
        let parts = |d: &Decimal| {
            let (negative, digits) = d.0.strip_prefix('-').map_or((false, d.0.as_str()), |rest| (true, rest));
            let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
            (negative, whole.to_owned(), fraction.to_owned())
        };
        let (a, b) = (parts(self), parts(other));
        let size = a.1.len().cmp(&b.1.len()).then_with(|| a.1.cmp(&b.1)).then_with(|| a.2.cmp(&b.2));
        match (a.0, b.0) {
            (false, false) => size,
            (true, true) => size.reverse(),
            (negative, _) => {
                if negative {
                    std::cmp::Ordering::Less
                } else {
                    std::cmp::Ordering::Greater
                }
            }
        }
    }
}

impl PartialOrd for Decimal {
    fn partial_cmp(&self, other: &Decimal) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl TryFrom<String> for Decimal {
    type Error = ValueError;
    fn try_from(text: String) -> Result<Self, Self::Error> {
        Decimal::parse(&text)
    }
}

impl From<Decimal> for String {
    fn from(d: Decimal) -> String {
        d.0
    }
}

impl Value {
    /// A text.
    pub fn text(s: impl Into<String>) -> Value {
        Value::Text(s.into())
    }

    /// One of the values that a field allows, by its word.
    pub fn choice(s: impl Into<String>) -> Value {
        Value::Choice(s.into())
    }

    /// True for a value that says nothing: empty, or made of nothing.
    pub fn is_blank(&self) -> bool {
        match self {
            Value::Empty => true,
            Value::Text(s) | Value::Choice(s) | Value::User(s) | Value::Url(s) => s.is_empty(),
            Value::RichText(d) => d.blocks.is_empty(),
            Value::ChoiceList(l) | Value::UserList(l) => l.is_empty(),
            Value::Table(rows) => rows.is_empty(),
            Value::Steps(s) => s.is_empty(),
            Value::References(list) => list.is_empty(),
            Value::Links(list) => list.is_empty(),
            Value::Attachments(a) => a.is_empty(),
            Value::Comments(list) => list.is_empty(),
            Value::History(list) => list.is_empty(),
            _ => false,
        }
    }

    /// The same value with every way of saying nothing made [`Value::Empty`].
    pub fn settled(self) -> Value {
        if self.is_blank() { Value::Empty } else { self }
    }

    /// The value as one line of plain text, for lists, searches, value maps and conditions.
    pub fn display(&self) -> String {
        match self {
            Value::Empty => String::new(),
            Value::Unreadable(s) | Value::Text(s) | Value::Choice(s) | Value::User(s) | Value::Url(s) => s.clone(),
            Value::RichText(d) => d.plain(),
            Value::Integer(i) => i.to_string(),
            Value::Decimal(d) => d.as_str().to_owned(),
            Value::Boolean(b) => if *b { "yes" } else { "no" }.to_owned(),
            Value::Date(d) => d.to_string(),
            Value::Instant(t) => t.to_rfc3339(),
            Value::Duration(span) => span.display(),
            Value::ChoiceList(l) | Value::UserList(l) => l.join(", "),
            Value::Reference(reference) => reference.id().to_owned(),
            Value::References(list) => list.iter().map(Reference::id).collect::<Vec<_>>().join(", "),
            Value::Links(list) => list.iter().map(Link::display).collect::<Vec<_>>().join(", "),
            Value::Table(rows) => {
                let rows: Vec<String> = rows.iter().map(|r| r.join(" | ")).collect();
                rows.join("; ")
            }
            Value::Steps(steps) => {
                let lines: Vec<String> = steps.iter().map(Step::plain).collect();
                lines.join(" ")
            }
            Value::Attachments(files) => {
                let names: Vec<&str> = files.iter().map(|f| f.name.as_str()).collect();
                names.join(", ")
            }
            Value::Comments(list) => list.iter().map(Comment::display).collect::<Vec<_>>().join(" · "),
            Value::History(list) => list.iter().map(HistoryEntry::display).collect::<Vec<_>>().join(" · "),
        }
    }

    /// What must come to be before this value can be written, or what it would rather wait for (the members
    /// of a list, which is written without those that never come): kind and id at the other end.
    pub fn pending(&self) -> Pending<'_> {
        let one = |reference: &'_ Reference| match reference {
            Reference::Pending { kind, .. } => Some(*kind),
            Reference::Known(_) => None,
        };
        let of = |reference| one(reference).map(|kind| (kind, reference.id()));
        let mut out = Pending::default();
        match self {
            Value::Reference(reference) => out.needed.extend(of(reference)),
            Value::Steps(steps) => out.needed.extend(steps.iter().filter_map(|s| of(&s.call.as_ref()?.target))),
            Value::References(list) => out.wished.extend(list.iter().filter_map(of)),
            _ => {}
        }
        out
    }

    /// The members of files, links, comments or past changes, each as a list of its own; of other values none.
    pub fn members(&self) -> Vec<Value> {
        match self {
            Value::Attachments(list) => list.iter().map(|file| Value::Attachments(vec![file.clone()])).collect(),
            Value::Links(list) => list.iter().map(|link| Value::Links(vec![link.clone()])).collect(),
            Value::Comments(list) => list.iter().map(|comment| Value::Comments(vec![comment.clone()])).collect(),
            Value::History(list) => list.iter().map(|entry| Value::History(vec![entry.clone()])).collect(),
            _ => Vec::new(),
        }
    }

    /// The value with each of its rich texts changed.
    pub fn map_documents(self, change: &dyn Fn(&Document) -> Document) -> Value {
        match self {
            Value::RichText(d) => Value::RichText(change(&d)),
            Value::Steps(mut steps) => {
                for step in &mut steps {
                    for part in [&mut step.action, &mut step.expected, &mut step.data] {
                        *part = change(part);
                    }
                    for argument in step.call.iter_mut().flat_map(|c| &mut c.arguments) {
                        argument.value = change(&argument.value);
                    }
                }
                Value::Steps(steps)
            }
            Value::Comments(mut list) => {
                for comment in &mut list {
                    comment.body = change(&comment.body);
                }
                Value::Comments(list)
            }
            other => other,
        }
    }

    /// Whether any of its rich texts is of a sort.
    pub fn any_document(&self, is: &mut dyn FnMut(&Document) -> bool) -> bool {
        match self {
            Value::RichText(d) => is(d),
            Value::Steps(steps) => steps.iter().any(|s| {
                is(&s.action)
                    || is(&s.expected)
                    || is(&s.data)
                    || s.call.iter().flat_map(|c| &c.arguments).any(|a| is(&a.value))
            }),
            Value::Comments(list) => list.iter().any(|c| is(&c.body)),
            _ => false,
        }
    }

    /// Length in characters, where the value is text; what a field's length limit is measured against.
    pub fn char_length(&self) -> Option<usize> {
        match self {
            Value::Text(s) | Value::Choice(s) | Value::Url(s) => Some(s.chars().count()),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn decimals_are_one_value_however_they_are_written() {
        for (text, normal) in [("1.50", "1.5"), ("-0.0", "0"), ("007", "7"), (".5", "0.5"), ("+3", "3")] {
            assert_eq!(Decimal::parse(text).unwrap().as_str(), normal);
        }
        for text in ["", ".", "1,5", "1e3", "--1", "1.2.3"] {
            assert!(Decimal::parse(text).is_err(), "{text}");
        }
    }

    /// RFC 8259 §6: its grammar of numbers; XML Schema 1.1 part 2, 3.3.5: the lexical form of a double.
    #[test]
    fn a_number_with_an_exponent_is_exact() {
        for (text, normal) in [
            ("1e3", "1000"),
            ("1.5E-3", "0.0015"),
            ("-12.50e+1", "-125"),
            ("0.1", "0.1"),
            ("12345678901234567890.000000000000000001", "12345678901234567890.000000000000000001"),
            ("0e99", "0"),
        ] {
            assert_eq!(Decimal::parse_number(text).unwrap().as_str(), normal, "{text}");
        }
        for text in ["1e", "e5", "1e999", "1e-999", "1e1.5", "INF"] {
            assert!(Decimal::parse_number(text).is_err(), "{text}");
        }
    }

    #[test]
    fn decimals_stand_in_the_order_of_their_size() {
        let mut texts = ["10", "-3.5", "9.99", "0", "-3", "9007199254740993", "9007199254740992.5", "0.1"];
        texts.sort_by_key(|t| Decimal::parse(t).unwrap());
        assert_eq!(texts, ["-3.5", "-3", "0", "0.1", "9.99", "10", "9007199254740992.5", "9007199254740993"]);
    }
}
