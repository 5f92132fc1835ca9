//! Scope: which artefacts match a condition (law 9: nothing outside a lane's scope is ever read into a plan).
//!
//! Decides whether one artefact matches a tree of conditions. Conditions are rows of field, operator and value in
//! all/any groups, or expressions in CEL; every tree can be written as one expression ([`write()`]) and read back
//! ([`read`]).

mod read;
mod row;
mod write;

pub use read::read;
pub use row::{Holds as PlaceHolds, Place, operators, places};
pub use write::write;

use serde::{Deserialize, Serialize};

use crate::catalogue::KindSchema;
use crate::expression::{self, Expression, ExpressionFault, Moment, Seen, names_now};
use crate::model::Artefact;
use row::Test;

/// A tree of conditions.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[cfg_attr(feature = "schema", schema(no_recursion))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Condition {
    /// All of them match.
    All(Vec<Condition>),
    /// At least one of them matches.
    Any(Vec<Condition>),
    /// A field compared with a value.
    Row(ConditionRow),
    /// An expression in CEL that no row says.
    Expression(String),
}

impl Default for Condition {
    fn default() -> Self {
        Condition::All(Vec::new())
    }
}

impl Condition {
    /// Whether it counts days from the moment it is asked.
    pub fn depends_on_now(&self) -> bool {
        match self {
            Condition::All(list) | Condition::Any(list) => list.iter().any(Condition::depends_on_now),
            Condition::Row(row) => matches!(row.op, Operator::WithinDays | Operator::OlderThanDays),
            Condition::Expression(text) => names_now(text),
        }
    }
}

/// One row: field, operator, value.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ConditionRow {
    /// A field of the kind, or a property that every artefact has: see [`places`].
    pub field: String,
    /// How it is compared.
    pub op: Operator,
    /// What it is compared with, as text: a number, a day or time (ISO 8601), `1:30` for a length of time.
    #[serde(default)]
    pub value: String,
    /// The values of [`Operator::OneOf`] and [`Operator::NoneOf`].
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub values: Vec<String>,
}

/// How a field is compared with a value.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Operator {
    /// The same, capitals included; of a list, one of its values is.
    #[default]
    Is,
    /// It is another value.
    IsNot,
    /// It is one of the values.
    OneOf,
    /// It is none of the values.
    NoneOf,
    /// Without regard to capitals.
    Contains,
    /// The text does not contain it.
    ContainsNot,
    /// The text begins with it.
    StartsWith,
    /// It holds nothing.
    IsEmpty,
    /// It holds something.
    IsNotEmpty,
    /// The number is this or more.
    AtLeast,
    /// The number is this or less.
    AtMost,
    /// The time is before it.
    Before,
    /// In the last so many days, or later.
    WithinDays,
    /// Longer ago than so many days.
    OlderThanDays,
    /// For the folder path: in this folder or below it.
    Under,
    /// The item stands in no folder under it.
    NotUnder,
}

/// What is wrong with a condition.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ConditionFault {
    /// The place of the row in the tree: its number in its group, from the outermost on.
    pub at: Vec<u32>,
    /// What is wrong, in words.
    pub message: String,
}

/// A condition that was checked against a kind and can be asked of artefacts.
pub struct Filter<'k> {
    kind: &'k KindSchema,
    now: Moment,
    root: Node,
    /// What is wrong with it; a row that is wrong matches nothing.
    pub faults: Vec<ConditionFault>,
}

enum Node {
    All(Vec<Node>),
    Any(Vec<Node>),
    Test(Test),
    Expression(Expression),
    Wrong,
}

impl<'k> Filter<'k> {
    /// `now` is what days ago are counted from.
    pub fn new(condition: &Condition, kind: &'k KindSchema, now: Moment) -> Filter<'k> {
        let mut faults = Vec::new();
        let root = node(condition, kind, &mut Vec::new(), &mut faults);
        Filter { kind, now, root, faults }
    }

    /// Whether an artefact matches. `path` holds the titles of the folders above it, outermost first.
    pub fn matches(&self, artefact: &Artefact, path: &[String]) -> bool {
        self.root.holds(&Seen { artefact, path, kind: self.kind, now: self.now })
    }
}

impl Node {
    fn holds(&self, seen: &Seen<'_>) -> bool {
        match self {
            Node::All(list) => list.iter().all(|c| c.holds(seen)),
            Node::Any(list) => list.iter().any(|c| c.holds(seen)),
            Node::Test(test) => test.holds(seen),
            Node::Expression(expression) => expression.holds(seen),
            Node::Wrong => false,
        }
    }
}

/// What is wrong with a condition over a kind.
pub fn condition_faults(condition: &Condition, kind: &KindSchema) -> Vec<ConditionFault> {
    let mut faults = Vec::new();
    node(condition, kind, &mut Vec::new(), &mut faults);
    faults
}

fn node(condition: &Condition, kind: &KindSchema, at: &mut Vec<u32>, faults: &mut Vec<ConditionFault>) -> Node {
    let mut each = |list: &[Condition], at: &mut Vec<u32>| -> Vec<Node> {
        let mut out = Vec::with_capacity(list.len());
        for (n, c) in list.iter().enumerate() {
            at.push(n as u32);
            out.push(node(c, kind, at, faults));
            at.pop();
        }
        out
    };
    match condition {
        Condition::All(list) => Node::All(each(list, at)),
        Condition::Any(list) => Node::Any(each(list, at)),
        Condition::Row(row) => match Test::of(row, kind) {
            Ok(test) => Node::Test(test),
            Err(message) => {
                faults.push(ConditionFault { at: at.clone(), message });
                Node::Wrong
            }
        },
        Condition::Expression(text) => match compiled(text, kind) {
            Ok(found) => Node::Expression(found),
            Err(wrong) => {
                faults.extend(wrong.into_iter().map(|f| ConditionFault { at: at.clone(), message: f.message }));
                Node::Wrong
            }
        },
    }
}

/// An expression that is a condition.
fn compiled(text: &str, kind: &KindSchema) -> Result<Expression, Vec<ExpressionFault>> {
    let found = expression::compile(text, kind)?;
    match found.is.fits(&expression::Type::Bool) {
        true => Ok(found),
        false => {
            let message = format!("a condition is yes or no, this is {}", found.is);
            Err(vec![ExpressionFault { from: 0, to: text.chars().count() as u32, message }])
        }
    }
}

impl Condition {
    /// The same condition without groups that say nothing: one in another of its sort, or with one member.
    pub fn plain(self) -> Condition {
        let (all, list) = match self {
            Condition::All(list) => (true, list),
            Condition::Any(list) => (false, list),
            other => return other,
        };
        let mut out = Vec::new();
        for member in list.into_iter().map(Condition::plain) {
            match member {
                Condition::All(inner) if all => out.extend(inner),
                Condition::Any(inner) if !all => out.extend(inner),
                other => out.push(other),
            }
        }
        match (out.len(), all) {
            (1, _) => out.remove(0),
            (_, true) => Condition::All(out),
            (_, false) => Condition::Any(out),
        }
    }

    /// Whether it says nothing: everything matches.
    pub fn is_open(&self) -> bool {
        matches!(self, Condition::All(list) if list.iter().all(Condition::is_open))
    }
}
