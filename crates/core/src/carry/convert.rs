//! Applying a rule to an artefact: the value the target will hold, and what is lost on the way.
//!
//! The result is always what reading the target afterwards gives back (rich text is carried through the
//! target's format and back), so that comparing it with the target needs no tolerance.

use super::amounts::{hours, number, shortened};
use super::context::Context;
use super::fault::FaultReason;
use super::fit::fit;
use super::links::retyped;
use super::mapped::{filled, mapped, person};
use super::mentions::lead_on;
use super::ready::{Ready, Rows};
use super::source::source_value;
use crate::loss::Loss;
use crate::model::{Artefact, Document, Value};
use crate::rules::{Conversion, Fill, RuleTable, Source};

/// The outcome of a rule on one artefact.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Converted {
    /// What the target will hold; none if the rule does not apply (the source field is absent).
    pub value: Option<Value>,
    /// What of the value could not be carried exactly.
    pub losses: Vec<Loss>,
    /// Why the value can't be transferred at all; the item waits.
    pub fault: Option<FaultReason>,
}

impl Ready<'_> {
    /// What reaches a table of the rule: after the conversions before it, or after all of them where there is no such
    /// table. None if the source is absent, or nothing gets that far.
    pub(crate) fn before_table(&self, table: RuleTable, artefact: &Artefact, cx: &Context<'_>) -> Option<Value> {
        let value = source_value(self.fill, artefact, cx.system)?.into_owned();
        if matches!(value, Value::Unreadable(_)) {
            return None;
        }
        let before = self.fill.conversions.iter().take_while(|c| !table.is(c)).count();
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
        let mut steps = self.fill.conversions.iter().zip(&self.rows).take(conversions);
        steps.try_fold(value, |value, (c, rows)| step(c, rows, value, self.fill, cx, losses))
    }

    /// Applies the rule to an artefact.
    pub fn convert(&self, artefact: &Artefact, cx: &Context<'_>) -> Converted {
        let fill = self.fill;
        let mut out = Converted { value: None, losses: Vec::new(), fault: None };
        let Some(source) = source_value(fill, artefact, cx.system) else { return out };
        let value = source.into_owned();
        let about = artefact.read_losses.iter().filter(|l| self.reads(&l.field));
        out.losses.extend(about.map(|l| Loss { field: fill.target.clone(), ..l.clone() }));
        if let Value::Unreadable(raw) = &value {
            out.fault = Some(match fill.source {
                Source::Computed(_) => FaultReason::NotComputed { why: raw.clone() },
                _ => FaultReason::Unreadable { raw: raw.clone() },
            });
            return out;
        }
        let Converted { value, losses, fault } = self.carry(value, artefact, cx);
        out.losses.extend(losses);
        Converted { value, losses: out.losses, fault }
    }

    /// Applies the rule to a value that an artefact holds, or held.
    pub(super) fn carry(&self, value: Value, artefact: &Artefact, cx: &Context<'_>) -> Converted {
        let fill = self.fill;
        let mut out = Converted { value: None, losses: Vec::new(), fault: None };
        let converted = self.through(fill.conversions.len(), value, cx, &mut out.losses);
        match converted.and_then(|value| fit(value, self, artefact, cx, &mut out.losses)) {
            Ok(value) => out.value = Some(lead_on(value.settled(), fill, cx, &mut out.losses)),
            Err(fault) => out.fault = Some(fault),
        }
        out
    }
}

/// Applies `rule` to one artefact.
pub fn convert(fill: &Fill, artefact: &Artefact, cx: &Context<'_>) -> Converted {
    Ready::new(fill, cx).convert(artefact, cx)
}

pub(super) fn step(
    conversion: &Conversion,
    rows: &Rows<'_>,
    value: Value,
    fill: &Fill,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Result<Value, FaultReason> {
    match conversion {
        Conversion::ValueMap(map) => mapped(map, rows, value, fill, losses),
        Conversion::RichText => Ok(match value {
            Value::Text(text) => Value::RichText(Document::from_text(&text)),
            other => other,
        }),
        Conversion::Shorten { to } => Ok(shortened(value, *to, fill, losses)),
        Conversion::Users(table) => person(table, rows, value, fill, cx, losses),
        Conversion::IfEmpty { text } if value.is_blank() => {
            losses.push(filled(fill, text));
            Ok(Value::text(text))
        }
        Conversion::IfEmpty { .. } => Ok(value),
        Conversion::Hours => hours(value, fill, losses),
        Conversion::Number { comma } => number(value, *comma),
        Conversion::LinkTypes(map) => Ok(retyped(map, value, fill, losses)),
        Conversion::PathLevel { level } => Ok(match value {
            Value::ChoiceList(path) => {
                (*level as usize).checked_sub(1).and_then(|n| path.get(n)).map_or(Value::Empty, Value::choice)
            }
            other => other,
        }),
    }
}
