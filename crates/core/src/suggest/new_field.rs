//! A field for the right end that can take what a field of the left holds.
//!
//! Decides of which type it is made, of those that the right can make: the same, or the nearest that loses nothing.
//! A choice takes the left's own list in its order, then what is met beside it.

use crate::catalogue::{FieldSchema, KindSchema, NewField};
use crate::model::ValueType;
use crate::survey::FieldSurvey;

/// The field to be made at `right` for what `source` holds; none if `right` makes no fields that could hold it.
pub fn field_like(source: &FieldSchema, met: Option<&FieldSurvey>, right: &KindSchema) -> Option<NewField> {
    let value_type = taking(source.value_type).iter().find(|t| right.makes.contains(t))?;
    let list = matches!(value_type, ValueType::Choice);
    let mut allowed = source.allowed.clone().filter(|_| list).unwrap_or_default();
    let known: std::collections::HashSet<String> = allowed.iter().cloned().collect();
    let beside = met.filter(|_| list).into_iter().flat_map(|f| &f.values).map(|v| &v.value);
    allowed.extend(beside.filter(|v| !v.is_empty() && !known.contains(*v)).cloned());
    // A list of nothing can't be made.
    (!list || !allowed.is_empty()).then(|| NewField {
        name: source.name.clone(),
        value_type: *value_type,
        allowed,
        max_length: source.max_length.filter(|_| *value_type == ValueType::Text),
    })
}

/// Types that can hold a type's values whole, the best first.
fn taking(source: ValueType) -> &'static [ValueType] {
    use ValueType::*;
    match source {
        Text => &[Text, RichText],
        RichText => &[RichText],
        Choice => &[Choice, Text],
        Integer => &[Integer, Decimal, Text],
        Decimal => &[Decimal, Text],
        Boolean => &[Boolean, Text],
        Date => &[Date, Text],
        Instant => &[Instant, Text],
        Duration => &[Duration, Text],
        Url => &[Url, Text],
        ChoiceList => &[ChoiceList],
        _ => &[],
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Kind;
    use crate::survey::ValueCount;

    fn right(makes: &[ValueType]) -> KindSchema {
        KindSchema { makes: makes.to_vec(), ..KindSchema::new(Kind::TestCase, "Case", vec![]) }
    }

    #[test]
    fn a_list_is_made_of_what_is_allowed_and_of_what_is_met() {
        let source = FieldSchema {
            allowed: Some(vec!["Steel".into(), "Brass".into()]),
            ..FieldSchema::new("metal", "Metal", ValueType::Choice)
        };
        let value = |v: &str| ValueCount { value: v.into(), count: 1 };
        let met = FieldSurvey {
            field: "metal".into(),
            filled: 2,
            longest: 5,
            values: vec![value("Brass"), value("Tin"), value("")],
            distinct: 2,
            distinct_exact: true,
        };
        let made = field_like(&source, Some(&met), &right(&[ValueType::Text, ValueType::Choice])).expect("a field");
        assert_eq!((made.value_type, made.name.as_str()), (ValueType::Choice, "Metal"));
        assert_eq!(made.allowed, ["Steel", "Brass", "Tin"]);
        let text = field_like(&source, Some(&met), &right(&[ValueType::Text])).expect("a field");
        assert_eq!((text.value_type, text.allowed.len()), (ValueType::Text, 0));
        let open = FieldSchema { allowed: None, ..source };
        assert_eq!(field_like(&open, None, &right(&[ValueType::Choice])), None, "a list of nothing");
    }

    #[test]
    fn what_can_not_be_held_whole_is_not_made() {
        let steps = FieldSchema::new("steps", "Steps", ValueType::Steps);
        let all = [ValueType::Text, ValueType::RichText, ValueType::Choice, ValueType::Integer];
        assert_eq!(field_like(&steps, None, &right(&all)), None);
        assert_eq!(field_like(&FieldSchema::new("n", "N", ValueType::Integer), None, &right(&[])), None);
        let long = FieldSchema { max_length: Some(9), ..FieldSchema::new("t", "T", ValueType::Text) };
        assert_eq!(field_like(&long, None, &right(&all)).and_then(|f| f.max_length), Some(9));
    }
}
