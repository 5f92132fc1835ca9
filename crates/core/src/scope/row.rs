//! One row of a condition: what it asks, whether an artefact answers, and how it is written as an expression.
//!
//! Decides which operators go with a field of a type, and what a row's value has to be. Texts are compared as the
//! language compares them, capitals included; containing and beginning are without regard to capitals.

use std::borrow::Cow;

use chrono::{DateTime, NaiveTime, TimeDelta};
use serde::Serialize;

use super::{ConditionRow, Operator};
use crate::catalogue::KindSchema;
use crate::expression::{
    Moment, OWN, Seen, Type, field_value, is_held, is_under, number, own_value, quoted, reach, texts, time, type_of,
};
use crate::model::{Decimal, Value, read_day};

/// Something that a row can ask of: a field, or a property that every artefact has.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Place {
    /// The field, by its id.
    pub field: String,
    /// As people call it.
    pub name: String,
    /// The comparisons that go with it.
    pub operators: Vec<Operator>,
    /// What its values are.
    pub holds: Holds,
}

/// What a place holds, as rows see it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", schema(as = PlaceHolds))]
pub enum Holds {
    /// A text.
    Text,
    /// The titles of folders.
    Path,
    /// Several values.
    List,
    /// A number.
    Number,
    /// Yes or no.
    YesNo,
    /// A point in time.
    Time,
    /// A length of time.
    Duration,
}

/// Everything that rows over a kind can ask of.
pub fn places(kind: &KindSchema) -> Vec<Place> {
    let place = |field: &str, name: &str, holds| Place {
        field: field.to_owned(),
        name: name.to_owned(),
        operators: operators(holds).to_vec(),
        holds,
    };
    let own = OWN.iter().map(|(id, name, is)| place(&format!("@{id}"), name, own_holds(id, is)));
    let fields = kind.fields.iter().map(|f| place(&f.id, &f.name, holds_of(&type_of(f.value_type))));
    own.chain(fields).collect()
}

/// What a property that every artefact has holds.
fn own_holds(id: &str, is: &Type) -> Holds {
    if id == "folder" { Holds::Path } else { holds_of(is) }
}

fn holds_of(is: &Type) -> Holds {
    match is {
        Type::List(_) => Holds::List,
        Type::Int | Type::Double => Holds::Number,
        Type::Bool => Holds::YesNo,
        Type::Time => Holds::Time,
        Type::Duration => Holds::Duration,
        _ => Holds::Text,
    }
}

/// The operators that go with what a place holds.
pub fn operators(holds: Holds) -> &'static [Operator] {
    use Operator::*;
    match holds {
        Holds::Text | Holds::List => {
            &[Is, IsNot, OneOf, NoneOf, Contains, ContainsNot, StartsWith, IsEmpty, IsNotEmpty]
        }
        Holds::Path => &[Under, NotUnder, Is, IsNot, Contains, ContainsNot, StartsWith, IsEmpty, IsNotEmpty],
        Holds::Number => &[Is, IsNot, OneOf, NoneOf, AtLeast, AtMost, IsEmpty, IsNotEmpty],
        Holds::YesNo => &[Is, IsNot, IsEmpty, IsNotEmpty],
        Holds::Time => &[AtLeast, Before, WithinDays, OlderThanDays, IsEmpty, IsNotEmpty],
        Holds::Duration => &[AtLeast, AtMost, IsEmpty, IsNotEmpty],
    }
}

/// A row that was checked.
pub(super) struct Test {
    place: At,
    is: Type,
    holds: Holds,
    op: Operator,
    wanted: Wanted,
}

enum At {
    /// A property that every artefact has, by its name in expressions.
    Own(&'static str),
    /// A field, by its id.
    Field(String),
}

enum Wanted {
    Nothing,
    Texts(Vec<String>),
    Numbers(Vec<Decimal>),
    YesNo(bool),
    Time(Moment, String),
    Days(u32),
    /// Seconds.
    Duration(i64),
}

impl Test {
    /// # Errors
    /// Why the row can't be asked of this kind.
    pub fn of(row: &ConditionRow, kind: &KindSchema) -> Result<Test, String> {
        let own = row.field.strip_prefix('@').and_then(|id| OWN.iter().find(|(n, _, _)| *n == id));
        let (place, is, holds) = match own {
            Some((id, _, is)) => (At::Own(id), is.clone(), own_holds(id, is)),
            None => {
                let field = kind.field(&row.field).ok_or_else(|| {
                    format!("{} has no field “{}”; choose another, or remove the condition", kind.name, row.field)
                })?;
                let is = type_of(field.value_type);
                let holds = holds_of(&is);
                (At::Field(field.id.clone()), is, holds)
            }
        };
        if !operators(holds).contains(&row.op) {
            return Err("this comparison does not go with the field; choose another".to_owned());
        }
        Ok(Test { place, is, holds, op: row.op, wanted: wanted(row, holds)? })
    }

    pub fn holds(&self, seen: &Seen<'_>) -> bool {
        use Operator::*;
        let value = match &self.place {
            At::Own(name) => Some(Cow::Owned(own_value(seen, name))),
            At::Field(id) => field_value(seen.artefact, id),
        };
        let value = value.as_deref();
        let texts_held: Vec<String> = match self.holds {
            Holds::Text | Holds::Path => vec![value.map(Value::display).unwrap_or_default()],
            Holds::List => value.and_then(texts).unwrap_or_default(),
            _ => Vec::new(),
        };
        let time_held = || value.and_then(time);
        match (&self.wanted, self.op) {
            (_, IsEmpty) => !is_held(value, &self.is),
            (_, IsNotEmpty) => is_held(value, &self.is),
            (Wanted::Texts(w), Is | OneOf) => texts_held.iter().any(|t| w.contains(t)),
            (Wanted::Texts(w), IsNot | NoneOf) => !texts_held.iter().any(|t| w.contains(t)),
            (Wanted::Texts(w), Contains | ContainsNot) => {
                let w = w[0].to_lowercase();
                texts_held.iter().any(|t| t.to_lowercase().contains(&w)) == (self.op == Contains)
            }
            (Wanted::Texts(w), StartsWith) => {
                let w = w[0].to_lowercase();
                texts_held.iter().any(|t| t.to_lowercase().starts_with(&w))
            }
            (Wanted::Texts(w), Under | NotUnder) => texts_held.iter().any(|t| is_under(t, &w[0])) == (self.op == Under),
            (Wanted::Numbers(w), op) => {
                let held = value.and_then(number);
                let same = || held.is_some_and(|n| w.iter().any(|w| size(w) == n));
                match op {
                    Is | OneOf => same(),
                    IsNot | NoneOf => !same(),
                    AtLeast => held.is_some_and(|n| n >= size(&w[0])),
                    _ => held.is_some_and(|n| n <= size(&w[0])),
                }
            }
            (Wanted::YesNo(w), op) => (value == Some(&Value::Boolean(*w))) == (op == Is),
            (Wanted::Time(w, _), op) => time_held().is_some_and(|t| if op == AtLeast { t >= *w } else { t < *w }),
            (Wanted::Days(days), op) => {
                // So many days ago that no calendar knows the day is before everything.
                let since = seen.now.checked_sub_signed(TimeDelta::days(i64::from(*days)));
                let is_within = |t: Moment| since.is_none_or(|since| t >= since);
                time_held().is_some_and(|t| is_within(t) == (op == WithinDays))
            }
            (Wanted::Duration(w), op) => match value {
                Some(Value::Duration(span)) => {
                    let (held, wanted) = (i128::from(span.nanoseconds()), i128::from(*w) * 1_000_000_000);
                    (op == AtLeast && held >= wanted) || (op != AtLeast && held <= wanted)
                }
                _ => false,
            },
            (Wanted::Nothing | Wanted::Texts(_), _) => false,
        }
    }

    /// The row as an expression.
    pub fn write(&self) -> String {
        use Operator::*;
        let at = match &self.place {
            At::Own(name) => (*name).to_owned(),
            At::Field(id) => reach(id),
        };
        let list = |texts: &[String]| format!("[{}]", texts.iter().map(|t| quoted(t)).collect::<Vec<_>>().join(", "));
        let in_list = self.holds == Holds::List;
        match (&self.wanted, self.op) {
            (_, op @ (IsEmpty | IsNotEmpty)) => self.presence(&at, op == IsNotEmpty),
            (Wanted::Texts(w), Is) if in_list => format!("{} in {at}", quoted(&w[0])),
            (Wanted::Texts(w), IsNot) if in_list => format!("!({} in {at})", quoted(&w[0])),
            (Wanted::Texts(w), Is) => format!("{at} == {}", quoted(&w[0])),
            (Wanted::Texts(w), IsNot) => format!("{at} != {}", quoted(&w[0])),
            (Wanted::Texts(w), OneOf) if in_list => format!("{at}.exists(v, v in {})", list(w)),
            (Wanted::Texts(w), NoneOf) if in_list => format!("!{at}.exists(v, v in {})", list(w)),
            (Wanted::Texts(w), OneOf) => format!("{at} in {}", list(w)),
            (Wanted::Texts(w), NoneOf) => format!("!({at} in {})", list(w)),
            (Wanted::Texts(w), op @ (Contains | ContainsNot | StartsWith)) => {
                let function = if op == StartsWith { "startsWith" } else { "contains" };
                let ask = |of: &str| format!("fold({of}).{function}(fold({}))", quoted(&w[0]));
                let asked = if in_list { format!("{at}.exists(v, {})", ask("v")) } else { ask(&at) };
                if op == ContainsNot { format!("!{asked}") } else { asked }
            }
            (Wanted::Texts(w), op) => {
                format!("{}under({at}, {})", if op == NotUnder { "!" } else { "" }, quoted(&w[0]))
            }
            (Wanted::Numbers(w), op) => {
                let list = || w.iter().map(Decimal::as_str).collect::<Vec<_>>().join(", ");
                match op {
                    Is => format!("{at} == {}", w[0].as_str()),
                    IsNot => format!("{at} != {}", w[0].as_str()),
                    OneOf => format!("{at} in [{}]", list()),
                    NoneOf => format!("!({at} in [{}])", list()),
                    AtLeast => format!("{at} >= {}", w[0].as_str()),
                    _ => format!("{at} <= {}", w[0].as_str()),
                }
            }
            (Wanted::YesNo(w), op) => format!("{at} {} {w}", if op == Is { "==" } else { "!=" }),
            (Wanted::Time(_, text), op) => {
                format!("{at} {} timestamp({})", if op == AtLeast { ">=" } else { "<" }, quoted(text))
            }
            (Wanted::Days(days), op) => {
                let sign = if op == WithinDays { ">=" } else { "<" };
                format!("{at} {sign} now - duration(\"{}h\")", u64::from(*days) * 24)
            }
            (Wanted::Duration(s), op) => {
                format!("{at} {} duration(\"{s}s\")", if op == AtLeast { ">=" } else { "<=" })
            }
            (Wanted::Nothing, _) => "false".to_owned(),
        }
    }

    fn presence(&self, at: &str, held: bool) -> String {
        match (&self.place, self.holds) {
            (At::Field(_), _) if !at.ends_with(']') => format!("{}has({at})", if held { "" } else { "!" }),
            (_, Holds::List) => format!("size({at}) {} 0", if held { "!=" } else { "==" }),
            (_, Holds::Text | Holds::Path) => format!("{at} {} \"\"", if held { "!=" } else { "==" }),
            _ => format!("{at} {} null", if held { "!=" } else { "==" }),
        }
    }
}

fn size(number: &Decimal) -> f64 {
    number.as_str().parse().unwrap_or(f64::NAN)
}

fn wanted(row: &ConditionRow, holds: Holds) -> Result<Wanted, String> {
    use Operator::*;
    let value = row.value.trim();
    let several = || match row.values.is_empty() {
        true => Err("Choose at least one value.".to_owned()),
        false => Ok(row.values.clone()),
    };
    let number = |text: &str| Decimal::parse(text.trim()).map_err(|_| format!("“{text}” is not a number"));
    Ok(match (row.op, holds) {
        (IsEmpty | IsNotEmpty, _) => Wanted::Nothing,
        (OneOf | NoneOf, Holds::Number) => {
            Wanted::Numbers(several()?.iter().map(|v| number(v)).collect::<Result<_, _>>()?)
        }
        (OneOf | NoneOf, _) => Wanted::Texts(several()?),
        // An empty text is something to be; of the others nothing can be told without a value.
        (_, Holds::Number | Holds::Time | Holds::Duration) | (WithinDays | OlderThanDays, _) if value.is_empty() => {
            return Err("Enter a value.".to_owned());
        }
        (WithinDays | OlderThanDays, _) => match value.parse::<u32>() {
            Ok(days) if days <= 100_000 => Wanted::Days(days),
            _ => return Err(format!("“{value}” is not a number of days")),
        },
        (_, Holds::Number) => Wanted::Numbers(vec![number(value)?]),
        (_, Holds::YesNo) => match value {
            "yes" | "true" => Wanted::YesNo(true),
            "no" | "false" => Wanted::YesNo(false),
            other => return Err(format!("“{other}” is neither yes nor no")),
        },
        (_, Holds::Time) => {
            let (at, text) = moment(value).ok_or_else(|| format!("“{value}” is not a day, as in 2026-03-01"))?;
            Wanted::Time(at, text)
        }
        (_, Holds::Duration) => Wanted::Duration(
            seconds(value).ok_or_else(|| format!("“{value}” is not a length of time, as in 1:30 or 90m"))?,
        ),
        (Is | IsNot, _) => Wanted::Texts(vec![row.value.clone()]),
        (_, Holds::Text | Holds::Path | Holds::List) if row.value.is_empty() => {
            return Err("Enter a value.".to_owned());
        }
        (_, Holds::Text | Holds::Path | Holds::List) => Wanted::Texts(vec![row.value.clone()]),
    })
}

/// A day (from its beginning in Greenwich) or a point in time (RFC 3339), and how an expression writes it.
fn moment(text: &str) -> Option<(Moment, String)> {
    if let Some(day) = read_day(text) {
        let at = day.and_time(NaiveTime::MIN).and_utc();
        return Some((at.fixed_offset(), format!("{day}T00:00:00Z")));
    }
    let at = DateTime::parse_from_rfc3339(text).ok()?;
    Some((at, text.to_owned()))
}

/// A point in time of an expression as a row says it: a day, where it is the beginning of one.
pub(super) fn day_or_time(text: &str) -> &str {
    text.strip_suffix("T00:00:00Z").unwrap_or(text)
}

/// `1:30`, `1:30:00`, `90m`, `1h30m`, `45s` in seconds.
fn seconds(text: &str) -> Option<i64> {
    if text.contains(':') {
        let parts: Vec<i64> = text.split(':').map(|p| p.parse().ok().filter(|n| *n >= 0)).collect::<Option<_>>()?;
        return match parts.as_slice() {
            [h, m] => h.checked_mul(3600)?.checked_add(m.checked_mul(60)?),
            [h, m, s] => h.checked_mul(3600)?.checked_add(m.checked_mul(60)?)?.checked_add(*s),
            _ => None,
        };
    }
    let (mut total, mut digits) = (0i64, String::new());
    for c in text.chars() {
        match c {
            c if c.is_ascii_digit() => digits.push(c),
            'h' | 'm' | 's' => {
                let n: i64 = std::mem::take(&mut digits).parse().ok()?;
                let unit = match c {
                    'h' => 3600,
                    'm' => 60,
                    _ => 1,
                };
                total = total.checked_add(n.checked_mul(unit)?)?;
            }
            _ => return None,
        }
    }
    (digits.is_empty() && !text.is_empty()).then_some(total)
}

/// Seconds as a row says them.
pub(super) fn clock(seconds: i64) -> String {
    format!("{}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60)
}
