//! Applying a rule to an artefact: the value the target will hold, and what is lost on the way.
//!
//! The result is always what reading the target afterwards gives back (rich text is carried through the
//! target's format and back), so that comparing it with the target needs no tolerance.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};
use std::sync::OnceLock;

use super::amounts::{hours, number, shortened};
use super::comments::{gathered, past};
use super::computed::computed_field;
use super::fit::fit;
use super::lane::{Conversion, Fallback, Rule, Source, UserTable, ValueMap, ValueRow};
use super::links::retyped;
use super::mentions::lead_on;
use super::met::RuleTable;
use super::users::{UserMatcher, recognise};
use super::{ATTACHMENTS, COMMENTS, HISTORY, LINKS, PARENT, PATH};
use crate::catalogue::{Catalogue, FieldSchema, KindSchema};
use crate::expression::names_field;
use crate::loss::{Loss, LossCause, LossKind};
use crate::mapping::FaultReason;
use crate::model::{Artefact, Document, Kind, Link, LinkEnd, Reference, ShortForm, Value};

/// Where an artefact of the left is, or will be, at the right.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// Its kind at the right.
    pub kind: Kind,
    pub reference: Reference,
}

/// Finds the counterpart of an artefact at the right.
pub trait PairLookup {
    /// Where the artefact is, or will be, at the right. None if it is neither paired nor planned.
    fn counterpart(&self, kind: Kind, left_id: &str) -> Option<Place>;
    /// Where an artefact is that another route carried: to another system, or to another container of this one.
    fn elsewhere(&self, _kind: Kind, _left_id: &str) -> Option<LinkEnd> {
        None
    }
    /// Where a person finds an artefact at the left.
    fn at_left(&self, _kind: Kind, _left_id: &str) -> Option<String> {
        None
    }
    /// The artefact of the left that people there call by a key.
    fn called(&self, _key: &str) -> Option<(Kind, String)> {
        None
    }
    /// What people call an artefact of the right.
    fn name_at_right(&self, _kind: Kind, _right_id: &str) -> Option<String> {
        None
    }
}

impl PairLookup for HashMap<(Kind, String), Place> {
    fn counterpart(&self, kind: Kind, left_id: &str) -> Option<Place> {
        self.get(&(kind, left_id.to_owned())).cloned()
    }
}

/// Everything a conversion may look at.
pub struct Context<'a> {
    /// Name of the left system, as it stands in origin marks.
    pub left_system: &'a str,
    pub left: &'a Catalogue,
    pub left_kind: &'a KindSchema,
    pub right_kind: &'a KindSchema,
    pub right_users: &'a UserMatcher,
    pub places: &'a (dyn PairLookup + Sync),
}

/// The outcome of a rule on one artefact.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Converted {
    /// What the target will hold; none if the rule does not apply (the source field is absent).
    pub value: Option<Value>,
    pub losses: Vec<Loss>,
    /// Why the value can't be transferred at all; the item waits.
    pub fault: Option<FaultReason>,
}

/// The value at the left that a rule starts from; none if the field is absent.
pub fn source_value<'a>(rule: &'a Rule, artefact: &'a Artefact, left_system: &str) -> Option<Cow<'a, Value>> {
    match &rule.source {
        Source::Field(field) => artefact.fields.get(field).map(Cow::Borrowed),
        Source::Constant(value) => Some(Cow::Borrowed(value)),
        Source::Computed(_) => artefact.fields.get(&computed_field(&rule.target)).map(Cow::Borrowed),
        Source::Folder => Some(Cow::Owned(match &artefact.parent {
            Some(id) => Value::Reference(Reference::Known(id.clone())),
            None => Value::Empty,
        })),
        Source::Origin => Some(Cow::Owned(Value::Text(crate::identity::origin_mark(left_system, artefact)))),
        Source::Attachments => Some(Cow::Owned(Value::Attachments(artefact.attachments.clone()).settled())),
        Source::Links => Some(Cow::Owned(Value::Links(sorted(&artefact.links)).settled())),
        Source::Comments => Some(Cow::Owned(Value::Comments(gathered(artefact, false)).settled())),
        Source::CommentsAndHistory => Some(Cow::Owned(Value::Comments(gathered(artefact, true)).settled())),
        Source::History => Some(Cow::Owned(Value::History(past(artefact)).settled())),
        Source::FolderPath => artefact.fields.get(PATH).map(Cow::Borrowed),
    }
}

pub(crate) fn sorted(links: &[Link]) -> Vec<Link> {
    let mut links = links.to_vec();
    links.sort();
    links.dedup();
    links
}

/// A rule made ready for many artefacts: what it looks up in long lists it finds in one step.
pub struct Ready<'r> {
    pub rule: &'r Rule,
    /// For each conversion, the rows of its table by the value at the left; of several the first.
    rows: Vec<Rows<'r>>,
    /// The target; none if there is no such field.
    pub(super) field: Option<&'r FieldSchema>,
    /// Values that the target allows; none if it takes any.
    pub(super) allowed: Option<HashSet<&'r str>>,
    digest: String,
    /// The digest as they were made before; see [`ShortForm::Former`].
    former: OnceLock<String>,
}

type Rows<'r> = HashMap<&'r str, &'r ValueRow>;

impl<'r> Ready<'r> {
    pub fn new(rule: &'r Rule, cx: &Context<'r>) -> Ready<'r> {
        let rows = |c: &'r Conversion| {
            let rows = match c {
                Conversion::ValueMap(map) => &map.rows,
                Conversion::Users(table) => &table.rows,
                _ => return Rows::new(),
            };
            rows.iter().rev().map(|r| (r.left.as_str(), r)).collect()
        };
        let field = cx.right_kind.field(&rule.target);
        let allowed = field.and_then(|f| f.allowed.as_ref());
        Ready {
            rule,
            field,
            rows: rule.conversions.iter().map(rows).collect(),
            allowed: allowed.map(|a| a.iter().map(String::as_str).collect()),
            digest: digest(rule, field, cx, ShortForm::Now),
            former: OnceLock::new(),
        }
    }

    /// Of the rule and everything that it reads besides the item: an edited rule, or an end that takes something else,
    /// has another.
    pub fn digest(&self) -> &str {
        &self.digest
    }

    /// Whether a digest that was kept is of this rule, in whichever form it was made.
    pub fn is_known_as(&self, kept: &str, cx: &Context<'_>) -> bool {
        match ShortForm::of_kept(kept) {
            ShortForm::Now => self.digest == kept,
            form => self.former.get_or_init(|| digest(self.rule, self.field, cx, form)) == kept,
        }
    }

    /// Whether the rule takes something from a field of the left.
    fn reads(&self, field: &str) -> bool {
        match &self.rule.source {
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

    /// What reaches a table of the rule: after the conversions before it, or after all of them where there is no such
    /// table. None if the source is absent, or nothing gets that far.
    pub(super) fn before_table(&self, table: RuleTable, artefact: &Artefact, cx: &Context<'_>) -> Option<Value> {
        let value = source_value(self.rule, artefact, cx.left_system)?.into_owned();
        if matches!(value, Value::Unreadable(_)) {
            return None;
        }
        let before = self.rule.conversions.iter().take_while(|c| !table.is(c)).count();
        self.through(before, value, cx, &mut Vec::new()).ok()
    }

    /// What the first so many conversions make of a value.
    fn through(
        &self,
        conversions: usize,
        value: Value,
        cx: &Context<'_>,
        losses: &mut Vec<Loss>,
    ) -> Result<Value, FaultReason> {
        let mut steps = self.rule.conversions.iter().zip(&self.rows).take(conversions);
        steps.try_fold(value, |value, (c, rows)| step(c, rows, value, self.rule, cx, losses))
    }

    /// Applies the rule to an artefact.
    pub fn convert(&self, artefact: &Artefact, cx: &Context<'_>) -> Converted {
        let rule = self.rule;
        let mut out = Converted { value: None, losses: Vec::new(), fault: None };
        let Some(source) = source_value(rule, artefact, cx.left_system) else { return out };
        let value = source.into_owned();
        let about = artefact.read_losses.iter().filter(|l| self.reads(&l.field));
        out.losses.extend(about.map(|l| Loss { field: rule.target.clone(), ..l.clone() }));
        if let Value::Unreadable(raw) = &value {
            out.fault = Some(match rule.source {
                Source::Computed(_) => FaultReason::NotComputed { why: raw.clone() },
                _ => FaultReason::Unreadable { raw: raw.clone() },
            });
            return out;
        }
        let converted = self.through(rule.conversions.len(), value, cx, &mut out.losses);
        match converted.and_then(|value| fit(value, self, artefact, cx, &mut out.losses)) {
            Ok(value) => out.value = Some(lead_on(value.settled(), rule, cx, &mut out.losses)),
            Err(fault) => out.fault = Some(fault),
        }
        out
    }
}

fn digest(rule: &Rule, field: Option<&FieldSchema>, cx: &Context<'_>, form: ShortForm) -> String {
    let names_people = rule.conversions.iter().any(|c| matches!(c, Conversion::Users(_)))
        || matches!(rule.source, Source::Comments | Source::CommentsAndHistory | Source::History);
    let people = names_people.then(|| (&cx.left.users, cx.right_users.digest(form)));
    form.of_json(&(rule, field, cx.left_system, people))
}

/// Applies `rule` to one artefact.
pub fn convert(rule: &Rule, artefact: &Artefact, cx: &Context<'_>) -> Converted {
    Ready::new(rule, cx).convert(artefact, cx)
}

fn step(
    conversion: &Conversion,
    rows: &Rows<'_>,
    value: Value,
    rule: &Rule,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Result<Value, FaultReason> {
    match conversion {
        Conversion::ValueMap(map) => mapped(map, rows, value, rule, losses),
        Conversion::RichText => Ok(match value {
            Value::Text(text) => Value::RichText(Document::from_text(&text)),
            other => other,
        }),
        Conversion::Shorten { to } => Ok(shortened(value, *to, rule, losses)),
        Conversion::Users(table) => person(table, rows, value, rule, cx, losses),
        Conversion::IfEmpty { text } if value.is_blank() => {
            losses.push(filled(rule, text));
            Ok(Value::text(text))
        }
        Conversion::IfEmpty { .. } => Ok(value),
        Conversion::Hours => hours(value, rule, losses),
        Conversion::Number { comma } => number(value, *comma),
        Conversion::LinkTypes(map) => Ok(retyped(map, value, rule, losses)),
        Conversion::PathLevel { level } => Ok(match value {
            Value::ChoiceList(path) => {
                (*level as usize).checked_sub(1).and_then(|n| path.get(n)).map_or(Value::Empty, Value::choice)
            }
            other => other,
        }),
    }
}

/// That an item says something that nobody said.
fn filled(rule: &Rule, with: &str) -> Loss {
    Loss {
        field: rule.target.clone(),
        kind: LossKind::Substituted,
        cause: LossCause::FilledIn,
        before: String::new(),
        after: with.to_owned(),
    }
}

fn mapped(
    map: &ValueMap,
    rows: &Rows<'_>,
    value: Value,
    rule: &Rule,
    losses: &mut Vec<Loss>,
) -> Result<Value, FaultReason> {
    if let Value::ChoiceList(list) = value {
        let mut out = Vec::new();
        for item in list {
            if let Value::Choice(v) = mapped(map, rows, Value::Choice(item), rule, losses)?
                && !out.contains(&v)
            {
                out.push(v);
            }
        }
        return Ok(Value::ChoiceList(out));
    }
    let shown = value.display();
    if let Some(row) = rows.get(shown.as_str()) {
        return Ok(if row.right.is_empty() { Value::Empty } else { Value::Choice(row.right.clone()) });
    }
    if value.is_blank() {
        // An empty field without a row of its own stays empty; a required target says so in the checks.
        if let Fallback::Use(v) = &map.otherwise {
            losses.push(filled(rule, v));
            return Ok(Value::Choice(v.clone()));
        }
        return Ok(Value::Empty);
    }
    let mut lose = |kind, after: &str| {
        losses.push(Loss {
            field: rule.target.clone(),
            kind,
            cause: LossCause::NotInMap,
            before: shown.clone(),
            after: after.to_owned(),
        });
    };
    match &map.otherwise {
        Fallback::Block => Err(FaultReason::ValueNotInMap { value: shown }),
        Fallback::Use(v) => {
            lose(LossKind::Substituted, v);
            Ok(Value::Choice(v.clone()))
        }
        Fallback::LeaveEmpty => {
            lose(LossKind::Dropped, "");
            Ok(Value::Empty)
        }
    }
}

fn person(
    table: &UserTable,
    rows: &Rows<'_>,
    value: Value,
    rule: &Rule,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Result<Value, FaultReason> {
    match value {
        Value::User(id) => Ok(match one_person(table, rows, &id, rule, cx, losses)? {
            Some(id) => Value::User(id),
            None => Value::Empty,
        }),
        Value::UserList(ids) => {
            let mut out = Vec::new();
            for id in ids {
                out.extend(one_person(table, rows, &id, rule, cx, losses)?);
            }
            Ok(Value::UserList(out))
        }
        other => Ok(other),
    }
}

fn one_person(
    table: &UserTable,
    rows: &Rows<'_>,
    id: &str,
    rule: &Rule,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Result<Option<String>, FaultReason> {
    if let Some(row) = rows.get(id) {
        return Ok((!row.right.is_empty()).then(|| row.right.clone()));
    }
    let (name, found) = recognise(id, cx.left, cx.right_users);
    if let Some((found, _)) = found {
        return Ok(Some(found));
    }
    let mut lose = |kind, after: &str| {
        losses.push(Loss {
            field: rule.target.clone(),
            kind,
            cause: LossCause::UnknownUser,
            before: name.clone(),
            after: after.to_owned(),
        });
    };
    match &table.otherwise {
        Fallback::Block => Err(FaultReason::UnknownUser { name }),
        Fallback::Use(other) => {
            lose(LossKind::Substituted, other);
            Ok(Some(other.clone()))
        }
        Fallback::LeaveEmpty => {
            lose(LossKind::Dropped, "");
            Ok(None)
        }
    }
}
