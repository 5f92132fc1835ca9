//! Which types of values go into which, and which rules can run backwards.

use crate::model::ValueType;
use crate::rules::{Conversion, Fill};

pub(super) fn after_conversions(source: ValueType, fill: &Fill) -> ValueType {
    fill.conversions.iter().fold(source, |t, c| match (c, t) {
        (Conversion::ValueMap(_), ValueType::ChoiceList) => ValueType::ChoiceList,
        (Conversion::ValueMap(_), _) => ValueType::Choice,
        (Conversion::RichText, ValueType::Text) => ValueType::RichText,
        (Conversion::IfEmpty { .. }, t) => t,
        (Conversion::Hours | Conversion::Number { .. }, _) => ValueType::Decimal,
        (_, t) => t,
    })
}

/// Whether a value of one type can be written as another without a conversion; the counterpart of
/// `fit` in [`crate::carry::convert()`].
pub(super) fn goes_into(from: ValueType, to: ValueType) -> bool {
    use ValueType::*;
    from == to
        || match to {
            Text => !matches!(from, Steps | Attachments | Table | Reference | References | Links | Comments | History),
            RichText => matches!(from, Text | Steps),
            Choice => matches!(from, Text),
            ChoiceList => matches!(from, Choice | Text),
            UserList => matches!(from, User),
            Integer => matches!(from, Text),
            Decimal => matches!(from, Integer | Text),
            Url => matches!(from, Text),
            _ => false,
        }
}

/// Whether what a rule does can be taken back on the way into the other end.
pub(super) fn invertible(fill: &Fill) -> bool {
    fill.source.goes_back_to().is_some()
        && fill.conversions.iter().all(|c| match c {
            Conversion::Users(_) | Conversion::Shorten { .. } | Conversion::IfEmpty { .. } | Conversion::RichText => {
                true
            }
            Conversion::Hours | Conversion::Number { .. } | Conversion::PathLevel { .. } => false,
            // Two types that become one can't be told apart on the way back.
            Conversion::LinkTypes(map) => map
                .rows
                .iter()
                .all(|row| row.right.is_some() && map.rows.iter().filter(|r| r.right == row.right).count() == 1),
            Conversion::ValueMap(map) => map.rows.iter().all(|row| {
                let same: Vec<_> = map.rows.iter().filter(|r| r.right == row.right).collect();
                same.len() == 1 || same.iter().filter(|r| r.returns).count() == 1
            }),
        })
}

/// Whether values of two types are carried both ways: those that have no parts and refer to nothing but people, and
/// formatted texts, steps, tables, files, links and comments as what they are. A text without format has no place for what a
/// formatted one holds.
pub(super) fn go_both_ways(one: ValueType, other: ValueType) -> bool {
    use ValueType::*;
    let in_parts = |t| matches!(t, RichText | Steps | Table | Attachments | Links | Comments);
    (is_plain(one) && is_plain(other)) || (in_parts(one) && one == other)
}

fn is_plain(value_type: ValueType) -> bool {
    use ValueType::*;
    match value_type {
        Text | Choice | ChoiceList | User | UserList | Integer | Decimal | Boolean | Date | Instant | Duration
        | Url => true,
        RichText | Steps | Table | Attachments | Links | Comments | History | Reference | References => false,
    }
}
