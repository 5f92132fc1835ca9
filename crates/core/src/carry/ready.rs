//! A rule made ready for many artefacts.
//!
//! Decides what a rule's digest covers: the rule, and everything that it reads besides the item.

use std::collections::{HashMap, HashSet};
use std::sync::OnceLock;

use serde::Serialize;

use super::context::Context;
use super::fault::FaultReason;
use crate::catalogue::{FieldSchema, KindSchema};
use crate::expression::{Expression, Moment, Seen, compile, names_field};
use crate::model::{ATTACHMENTS, Artefact, COMMENTS, HISTORY, LINKS, PARENT, ShortForm, Value, ValueType};
use crate::rules::{Conversion, Direction, Fill, Source, ValueRow};

/// The rows of a table by the value at the left.
pub(super) type Rows<'r> = HashMap<&'r str, &'r ValueRow>;

/// A rule made ready for many artefacts: what it looks up in long lists it finds in one step.
pub struct Ready<'r> {
    /// How the rule fills the end that is written.
    pub fill: &'r Fill,
    /// For each conversion, the rows of its table by the value at the left; of several the first.
    pub(super) rows: Vec<Rows<'r>>,
    /// The target; none if there is no such field.
    pub(super) field: Option<&'r FieldSchema>,
    /// Values that the target allows; none if it takes any.
    pub(super) allowed: Option<HashSet<&'r str>>,
    /// What it computes from one field alone, by values of that field; none if it does not.
    computes: OnceLock<Option<OfOneField>>,
    from_kind: &'r KindSchema,
    digest: String,
    /// The digest as they were made before; see [`ShortForm::Former`].
    former: OnceLock<String>,
}

/// An expression that asks for one field alone.
struct OfOneField {
    expression: Expression,
    field: String,
}

impl OfOneField {
    fn value(&self, of: &Value, kind: &KindSchema) -> Result<Value, FaultReason> {
        let mut item = Artefact::bare(kind.kind, "");
        item.fields.set(self.field.as_str(), of.clone());
        let seen = Seen { artefact: &item, path: &[], kind, now: Moment::default() };
        self.expression.value(&seen).map_err(|why| FaultReason::NotComputed { why })
    }
}

impl<'r> Ready<'r> {
    /// What the rule starts from where the field that it joins holds a value: that value, or what it computes of it.
    pub(super) fn starts_from(&self, value: &Value) -> Result<Value, FaultReason> {
        let Source::Computed(text) = &self.fill.source else { return Ok(value.clone()) };
        let of_one = || {
            let expression = compile(text, self.from_kind).ok()?;
            let field = expression.only_field()?.to_owned();
            Some(OfOneField { expression, field })
        };
        match self.computes.get_or_init(of_one) {
            Some(computes) => computes.value(value, self.from_kind),
            None => Err(FaultReason::NotInvertible),
        }
    }

    /// Makes a rule ready for all items of its lane.
    pub fn new(fill: &'r Fill, cx: &Context<'r>) -> Ready<'r> {
        let rows = |c: &'r Conversion| {
            let rows = match c {
                Conversion::ValueMap(map) => &map.rows,
                Conversion::Users(table) => &table.rows,
                _ => return Rows::new(),
            };
            rows.iter().rev().map(|r| (r.left.as_str(), r)).collect()
        };
        let field = cx.to_kind.field(&fill.target);
        let allowed = field.and_then(|f| f.allowed.as_ref());
        Ready {
            fill,
            field,
            rows: fill.conversions.iter().map(rows).collect(),
            allowed: allowed.map(|a| a.iter().map(String::as_str).collect()),
            computes: OnceLock::new(),
            from_kind: cx.from_kind,
            digest: digest(fill, field, cx, ShortForm::Now),
            former: OnceLock::new(),
        }
    }

    /// Whether the target is of a type whose values hold texts in which items are named.
    pub(crate) fn holds_documents(&self) -> bool {
        self.field.is_some_and(|f| matches!(f.value_type, ValueType::RichText | ValueType::Steps))
    }

    /// Of the rule and everything that it reads besides the item: an edited rule, or an end that takes something else,
    /// has another.
    pub fn digest(&self) -> &str {
        &self.digest
    }

    /// Whether a stored digest belongs to this rule; older forms of digests are recognised too.
    pub fn is_known_as(&self, kept: &str, cx: &Context<'_>) -> bool {
        match ShortForm::of_kept(kept) {
            ShortForm::Now => self.digest == kept,
            form => self.former.get_or_init(|| digest(self.fill, self.field, cx, form)) == kept,
        }
    }

    /// Whether it is not known what the rule starts from, since the item's system left something of it out.
    pub(crate) fn is_left_out_of(&self, item: &Artefact) -> bool {
        item.left_out.iter().any(|slot| self.reads(slot.id()))
    }

    /// Whether the rule takes something from a field of the left.
    pub(super) fn reads(&self, field: &str) -> bool {
        match &self.fill.source {
            Source::Field(source) => source == field,
            Source::Computed(text) => names_field(text, field),
            Source::Attachments => field == ATTACHMENTS,
            Source::Links => field == LINKS,
            Source::Comments => field == COMMENTS,
            Source::CommentsAndHistory => matches!(field, COMMENTS | HISTORY),
            Source::History => field == HISTORY,
            Source::Folder | Source::FolderPath => field == PARENT,
            Source::Constant(_) | Source::Origin => false,
        }
    }
}

fn digest(fill: &Fill, field: Option<&FieldSchema>, cx: &Context<'_>, form: ShortForm) -> String {
    let names_people = fill.conversions.iter().any(|c| matches!(c, Conversion::Users(_)))
        || matches!(fill.source, Source::Comments | Source::CommentsAndHistory | Source::History);
    let people = names_people.then(|| (&cx.from.users, cx.to_users.digest(form)));
    let rule = Digested { fill, direction: Direction::ToRight };
    form.of_json(&(rule, field, cx.system, people))
}

/// What a digest says of a rule. It has the form in which rules were written down when the first digests were kept:
/// another form would make every remembered rule look edited.
#[derive(Serialize)]
struct Digested<'r> {
    #[serde(flatten)]
    fill: &'r Fill,
    direction: Direction,
}
