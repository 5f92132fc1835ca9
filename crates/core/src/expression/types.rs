//! Types of expressions, as the language has them, and how the types of fields become them.

use std::fmt;

use crate::model::ValueType;

/// What an expression is. Numbers, times and yes/no may be `null` where they come from a field.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Type {
    /// Known only when it is evaluated.
    Any,
    /// Nothing.
    Null,
    /// True or false.
    Bool,
    /// A whole number.
    Int,
    /// A whole number that is not below zero.
    Uint,
    /// A number with a fraction.
    Double,
    /// A text.
    Text,
    /// Bytes.
    Bytes,
    /// A point in time.
    Time,
    /// A length of time.
    Duration,
    /// A list of values of one type.
    List(Box<Type>),
    /// A map by text.
    Map,
    /// The type of something, as `type()` gives it.
    Sort,
}

impl Type {
    /// A list of values of a type.
    pub fn list(of: Type) -> Type {
        Type::List(Box::new(of))
    }

    /// Whether it can be counted with.
    pub fn is_number(&self) -> bool {
        matches!(self, Type::Int | Type::Uint | Type::Double)
    }

    /// Whether a value of one can be where the other is wanted.
    pub fn fits(&self, wanted: &Type) -> bool {
        match (self, wanted) {
            (Type::Any, _) | (_, Type::Any) => true,
            (Type::List(a), Type::List(b)) => a.fits(b),
            (a, b) => a == b,
        }
    }

    /// Whether values of both can be compared for being the same; numbers of every sort can.
    pub fn comparable(&self, other: &Type) -> bool {
        match (self, other) {
            (Type::Null, _) | (_, Type::Null) => true,
            (Type::List(a), Type::List(b)) => a.comparable(b),
            (a, b) => a.fits(b) || (a.is_number() && b.is_number()),
        }
    }

    /// The type of either of two.
    pub fn or(self, other: Type) -> Type {
        match (self, other) {
            (Type::Null, t) | (t, Type::Null) => t,
            (a, b) if a == b => a,
            // An empty list says nothing of its items.
            (Type::List(a), Type::List(b)) if *a == Type::Any => Type::List(b),
            (Type::List(a), Type::List(b)) if *b == Type::Any => Type::List(a),
            (Type::List(a), Type::List(b)) => Type::list(a.or(*b)),
            _ => Type::Any,
        }
    }

    /// The type of value that an expression of this type gives; none if only its value tells.
    pub fn value_type(&self) -> Option<ValueType> {
        Some(match self {
            Type::Bool => ValueType::Boolean,
            Type::Int | Type::Uint => ValueType::Integer,
            Type::Double => ValueType::Decimal,
            Type::Text => ValueType::Text,
            Type::Time => ValueType::Instant,
            Type::Duration => ValueType::Duration,
            Type::List(_) => ValueType::ChoiceList,
            Type::Any | Type::Null | Type::Bytes | Type::Map | Type::Sort => return None,
        })
    }
}

impl fmt::Display for Type {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Type::Any => "something",
            Type::Null => "nothing",
            Type::Bool => "yes or no",
            Type::Int | Type::Uint => "a whole number",
            Type::Double => "a number with decimals",
            Type::Text => "a text",
            Type::Bytes => "bytes",
            Type::Time => "a time",
            Type::Duration => "a length of time",
            Type::List(_) => "a list",
            Type::Map => "a map",
            Type::Sort => "a type",
        })
    }
}

/// What a field of this type is in an expression. What has no type of its own in the language is text: people by
/// their ids, references by the ids they lead to, steps and tables by what they say.
pub(crate) fn type_of(value: ValueType) -> Type {
    match value {
        ValueType::Integer => Type::Int,
        ValueType::Decimal => Type::Double,
        ValueType::Boolean => Type::Bool,
        ValueType::Date | ValueType::Instant => Type::Time,
        ValueType::Duration => Type::Duration,
        ValueType::ChoiceList
        | ValueType::UserList
        | ValueType::References
        | ValueType::Links
        | ValueType::Attachments
        | ValueType::Comments
        | ValueType::History => Type::list(Type::Text),
        ValueType::Text
        | ValueType::RichText
        | ValueType::Choice
        | ValueType::User
        | ValueType::Url
        | ValueType::Reference
        | ValueType::Table
        | ValueType::Steps => Type::Text,
    }
}
