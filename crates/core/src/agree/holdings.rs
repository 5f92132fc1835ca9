//! What an artefact holds in everything that can be written, as fingerprints.
//!
//! Decides which fields a write must leave as they were, and which of them changed all the same.

use std::collections::BTreeMap;

use crate::catalogue::KindSchema;
use crate::model::{Artefact, COMMENTS, HISTORY, PARENT, POSITION, ShortForm, Value, slot_value};

/// What an artefact holds in everything that can be written to it, as short fingerprints by field: so that what a write
/// did not send can be compared with what it was. Fields that the system itself keeps are left out, and so are comments
/// and history, which grow, and the place in the folder, which moves when others come and go.
pub fn holdings(artefact: &Artefact, kind: &KindSchema) -> BTreeMap<String, String> {
    let own = kind.fields.iter().filter(|f| !f.read_only && !matches!(f.id.as_str(), COMMENTS | HISTORY | POSITION));
    let fields = own.map(|f| f.id.as_str()).chain(kind.in_folders.then_some(PARENT));
    // What the answer leaves out is not known.
    let answered = fields.filter(|field| !artefact.left_out.contains(*field));
    answered.map(|field| (field.to_owned(), holding(artefact, field, ShortForm::Now))).collect()
}

fn holding(artefact: &Artefact, field: &str, form: ShortForm) -> String {
    let value = slot_value(artefact, field);
    match value.as_ref() {
        blank if blank.is_blank() => String::new(),
        // A set has no order.
        Value::ChoiceList(list) | Value::UserList(list) => {
            let mut list = list.clone();
            list.sort();
            form.of(&list)
        }
        value => form.of(value),
    }
}

/// The fields of which an artefact holds something else than it did, apart from those that were written.
pub fn changed_besides(
    before: &BTreeMap<String, String>,
    after: &Artefact,
    written: &dyn Fn(&str) -> bool,
) -> Vec<String> {
    let differs = |(field, was): &(&String, &String)| {
        !written(field)
            && !after.left_out.contains(field.as_str())
            && holding(after, field, ShortForm::of_kept(was)) != **was
    };
    before.iter().filter(differs).map(|(field, _)| field.clone()).collect()
}
