//! Fields that have parts: steps, and tables of values.
//!
//! Decides where the parts are, by the profile. A list that is not where it is looked for is not an empty one.

use hovrel_core::catalogue::FieldSchema;
use hovrel_core::loss::Loss;
use hovrel_core::model::{Argument, Call, Reference, Step, Value};
use hovrel_core::text::TextFormat;
use serde_json::Value as Json;

use super::super::tree;
use super::{Decoder, said};
use crate::profile::{StepsAt, TableAt};
use crate::told::{not_readable, rich};

/// The first column of a table whose rows have names, in systems where each row is a named set.
pub const SET_NAMES: &str = "Name of the set";

/// What a set is called that nobody gave a name, by its place from 0.
pub fn set_name(at: usize) -> String {
    format!("Set {}", at + 1)
}

impl Decoder<'_> {
    /// Where the parts of a field's steps are.
    pub fn steps_at(&self, field: &str) -> StepsAt {
        self.type_of(field).and_then(|t| t.steps.clone()).unwrap_or(StepsAt {
            items: String::new(),
            action: "/action".into(),
            expected: "/expected".into(),
            data: None,
            call: None,
            files: None,
        })
    }

    /// How the tables of values of a field are written.
    pub fn table_at(&self, field: &str) -> Option<&TableAt> {
        self.type_of(field)?.table.as_ref()
    }

    /// The members of a list in an item; one that stands alone is one. None if there is no list where the profile says.
    fn members<'v>(&self, raw: &'v Json, pointer: &str) -> Option<Vec<&'v Json>> {
        match raw {
            Json::Array(list) if pointer.is_empty() => Some(list.iter().collect()),
            Json::Object(_) if pointer.is_empty() => Some(vec![raw]),
            Json::String(text) if text.trim().is_empty() => Some(Vec::new()),
            _ => tree::list_at(raw, pointer, self.profile.speaks).ok(),
        }
    }

    /// A table of values; none if something in it is no text, or is not where the profile says.
    pub(super) fn table(&self, at: &TableAt, raw: &Json) -> Option<Vec<Vec<String>>> {
        // What is left out is an empty cell; what is no text can't be read.
        let cell = |v: Option<&Json>| v.filter(|v| !v.is_null()).map_or(Some(String::new()), tree::as_text);
        match at {
            TableAt::Rows { items, cells } => self
                .members(raw, items)?
                .into_iter()
                .map(|row| tree::cells(row, cells).into_iter().map(|c| cell(Some(c))).collect())
                .collect(),
            TableAt::Sets { name, values, column, value } => {
                // A name that stands twice in a set is two columns: the how-manieth it is belongs to it.
                let held = |set: &Json| -> Option<Vec<((String, usize), String)>> {
                    let mut out: Vec<((String, usize), String)> = Vec::new();
                    for found in self.members(set, values)? {
                        // A value of nothing is none.
                        let name = cell(Some(tree::at(found, column)?))?;
                        let n = out.iter().filter(|((other, _), _)| *other == name).count();
                        out.push(((name, n), cell(tree::at(found, value))?));
                    }
                    Some(out)
                };
                let found = self.members(raw, "")?;
                let named: Vec<String> = found.iter().map(|set| cell(tree::at(set, name))).collect::<Option<_>>()?;
                let sets: Vec<_> = found.into_iter().map(held).collect::<Option<_>>()?;
                let mut columns: Vec<(String, usize)> = Vec::new();
                for (name, _) in sets.iter().flatten() {
                    if !columns.contains(name) {
                        columns.push(name.clone());
                    }
                }
                let row = |set: &Vec<((String, usize), String)>| -> Vec<String> {
                    let cell = |c: &(String, usize)| set.iter().find(|(name, _)| name == c).map(|(_, v)| v.clone());
                    columns.iter().map(|c| cell(c).unwrap_or_default()).collect()
                };
                let rows: Vec<Vec<String>> = sets.iter().map(row).collect();
                let names = columns.iter().map(|(name, _)| name.clone()).collect();
                let mut table: Vec<Vec<String>> = match rows.is_empty() {
                    true => rows,
                    false => std::iter::once(names).chain(rows).collect(),
                };
                // Names that people gave their sets are a column of their own.
                let is_own = |(n, name): (usize, &String)| !name.is_empty() && *name != set_name(n);
                if named.iter().enumerate().any(is_own) {
                    let first = std::iter::once(SET_NAMES.to_owned()).chain(named);
                    table.iter_mut().zip(first).for_each(|(row, name)| row.insert(0, name));
                }
                Some(table)
            }
        }
    }

    /// Steps; none if there is no list of them where the profile says.
    pub(super) fn steps(
        &self,
        field: &FieldSchema,
        raw: &Json,
        format: TextFormat,
        losses: &mut Vec<Loss>,
    ) -> Option<Value> {
        let at = self.steps_at(&field.id);
        let mut out = Vec::new();
        for step in self.members(raw, &at.items)? {
            let places = [Some(&at.action), Some(&at.expected), at.data.as_ref(), at.call.as_ref().map(|c| &c.target)];
            let is_there = |place: &String| step.pointer(place).is_some();
            if !places.into_iter().flatten().any(is_there) && !says_nothing(step) {
                losses.push(not_readable(&field.id, "nothing of the step is where it is looked for", step.to_string()));
            }
            let mut part = |of: &Json, place: &str, what: &str| {
                let text = said(of, place, (&field.id, what), losses);
                rich(&text, format, &field.id, losses)
            };
            let action = part(step, &at.action, "the action of a step");
            let expected = part(step, &at.expected, "the expected result of a step");
            let data = at.data.as_ref().map(|place| part(step, place, "the data of a step")).unwrap_or_default();
            let mut call = None;
            if let Some(of) = &at.call {
                let target = said(step, &of.target, (&field.id, "the steps that a step calls"), losses);
                let mut arguments = Vec::new();
                if let Some(a) = &of.arguments {
                    for given in tree::items(step, &a.items) {
                        let name = said(given, &a.name, (&field.id, "the name of an argument"), losses);
                        let text = said(given, &a.value, (&field.id, "the value of an argument"), losses);
                        arguments.push(Argument { name, value: rich(&text, format, &field.id, losses) });
                    }
                }
                call = Some(Call { target: Reference::Known(target), arguments }).filter(|c| !c.target.id().is_empty());
            }
            let mut attachments = Vec::new();
            if let Some(files) = &at.files {
                for file in tree::items(step, &files.items) {
                    match tree::text(file, &files.name) {
                        Some(name) => attachments.push(name),
                        None => losses.push(not_readable(&field.id, "a file of a step has no name", file.to_string())),
                    }
                }
            }
            out.push(Step { action, expected, data, call, attachments });
        }
        Some(Value::Steps(out))
    }
}

/// Whether there is nothing but names and blanks in a value.
fn says_nothing(value: &Json) -> bool {
    match value {
        Json::Null => true,
        Json::String(text) => text.trim().is_empty(),
        Json::Array(list) => list.iter().all(says_nothing),
        Json::Object(map) => map.values().all(says_nothing),
        Json::Bool(_) | Json::Number(_) => false,
    }
}
