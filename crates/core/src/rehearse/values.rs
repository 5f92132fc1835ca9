//! Whether a field takes a value.

use super::refusal::RefusalReason;
use crate::carry::length_in;
use crate::catalogue::{Calls, FieldSchema};
use crate::model::{Kind, LinkEnd, Reference, Value, ValueType};

/// What there is to refer to.
pub(super) struct Checked<'a> {
    pub has: &'a dyn Fn(Option<Kind>, &Reference) -> bool,
    pub is_person: &'a dyn Fn(&str) -> bool,
}

impl Checked<'_> {
    /// Why a field does not take a value.
    pub(super) fn refusals(&self, field: &FieldSchema, value: &Value) -> Vec<RefusalReason> {
        if value.is_blank() {
            return Vec::new();
        }
        if !takes(field.value_type, value) {
            return vec![RefusalReason::WrongType { wanted: field.value_type }];
        }
        let mut out = Vec::new();
        let length = length_in(value, field.format).unwrap_or(0) as u32;
        if let Some(limit) = field.max_length.filter(|limit| length > *limit) {
            out.push(RefusalReason::TooLong { length, limit });
        }
        let choices: &[String] = match value {
            Value::Choice(one) => std::slice::from_ref(one),
            Value::ChoiceList(list) => list,
            _ => &[],
        };
        if let Some(allowed) = &field.allowed {
            let wrong = choices.iter().filter(|c| !allowed.contains(c));
            out.extend(wrong.map(|c| RefusalReason::NotAllowed { value: c.clone() }));
        }
        let people: &[String] = match value {
            Value::User(one) => std::slice::from_ref(one),
            Value::UserList(list) => list,
            _ => &[],
        };
        let unknown = people.iter().filter(|p| !(self.is_person)(p));
        out.extend(unknown.map(|p| RefusalReason::NobodyThere { person: p.clone() }));
        match value {
            Value::Reference(reference) => out.extend(self.gone(field.refers_to, reference)),
            // Members of a list that are still to come are written later.
            Value::References(list) => {
                let known = list.iter().filter(|r| matches!(r, Reference::Known(_)));
                out.extend(known.filter_map(|r| self.gone(field.refers_to, r)));
            }
            Value::Links(links) => {
                for link in links {
                    if field.link_types.as_ref().is_some_and(|types| !types.contains(&link.link_type)) {
                        out.push(RefusalReason::LinkType { link: link.link_type.word().to_owned() });
                    }
                    if let LinkEnd::Artefact { kind, id } = &link.target {
                        out.extend(self.gone(Some(*kind), &Reference::Known(id.clone())));
                    }
                }
            }
            Value::Attachments(files) => {
                for (n, file) in files.iter().enumerate() {
                    let name = file.name.clone();
                    let bytes = file.bytes.unwrap_or(0);
                    if let Some(limit) = field.max_bytes.filter(|limit| bytes > *limit) {
                        out.push(RefusalReason::FileTooLarge { name: name.clone(), bytes, limit });
                    }
                    if field.media_types.as_ref().is_some_and(|types| !types.contains(&file.media_type)) {
                        let media_type = file.media_type.clone();
                        out.push(RefusalReason::FileType { name: name.clone(), media_type });
                    }
                    if files[..n].iter().any(|f| f.name == name) {
                        out.push(RefusalReason::FileTwice { name });
                    }
                }
            }
            Value::Steps(steps) => {
                let calls = || steps.iter().filter_map(|s| s.call.as_ref());
                if field.calls == Calls::None && calls().next().is_some() {
                    out.push(RefusalReason::CallsNotTaken);
                }
                if field.calls == Calls::Plain && calls().any(|c| !c.arguments.is_empty()) {
                    out.push(RefusalReason::ArgumentsNotTaken);
                }
                if !field.step_data && steps.iter().any(|s| !s.data.plain().trim().is_empty()) {
                    out.push(RefusalReason::StepDataNotTaken);
                }
                out.extend(calls().filter_map(|c| self.gone(Some(Kind::SharedSteps), &c.target)));
            }
            _ => {}
        }
        out
    }

    fn gone(&self, kind: Option<Kind>, reference: &Reference) -> Option<RefusalReason> {
        // What the plan makes and could not is told as a change that is waited for.
        let known = matches!(reference, Reference::Known(_));
        (known && !(self.has)(kind, reference)).then(|| RefusalReason::NotThere { what: reference.id().to_owned() })
    }
}

/// Whether a value is of a field's type.
fn takes(wanted: ValueType, value: &Value) -> bool {
    match value {
        Value::Empty => true,
        Value::Text(_) => wanted == ValueType::Text,
        Value::RichText(_) => wanted == ValueType::RichText,
        Value::Integer(_) => matches!(wanted, ValueType::Integer | ValueType::Decimal),
        Value::Decimal(_) => wanted == ValueType::Decimal,
        Value::Boolean(_) => wanted == ValueType::Boolean,
        Value::Date(_) => wanted == ValueType::Date,
        Value::Instant(_) => wanted == ValueType::Instant,
        Value::Duration(_) => wanted == ValueType::Duration,
        Value::Choice(_) => wanted == ValueType::Choice,
        Value::ChoiceList(_) => wanted == ValueType::ChoiceList,
        Value::User(_) => wanted == ValueType::User,
        Value::UserList(_) => wanted == ValueType::UserList,
        Value::Url(_) => wanted == ValueType::Url,
        Value::Reference(_) => wanted == ValueType::Reference,
        Value::References(_) => wanted == ValueType::References,
        Value::Links(_) => wanted == ValueType::Links,
        Value::Table(_) => wanted == ValueType::Table,
        Value::Steps(_) => wanted == ValueType::Steps,
        Value::Attachments(_) => wanted == ValueType::Attachments,
        Value::Comments(_) => wanted == ValueType::Comments,
        Value::History(_) => wanted == ValueType::History,
        Value::Unreadable(_) => false,
    }
}
