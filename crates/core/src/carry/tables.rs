//! Tables of values in the form in which the target keeps them.
//!
//! Decides what becomes of what a form can't hold: rows of different lengths, columns of one name, names without a row.
//! No cell is dropped; what changes is told.

use std::collections::HashSet;

use crate::catalogue::{FieldSchema, TableForm};
use crate::loss::{Loss, LossCause, LossKind, TableFit};
use crate::rules::Fill;

pub(super) fn table(
    rows: Vec<Vec<String>>,
    field: &FieldSchema,
    fill: &Fill,
    losses: &mut Vec<Loss>,
) -> Vec<Vec<String>> {
    if field.table == TableForm::Rows {
        return rows;
    }
    let mut lose = |kind, how, before: String, after: String| {
        losses.push(Loss { field: fill.target.clone(), kind, cause: LossCause::TableFitted { how }, before, after });
    };
    let width = rows.iter().map(Vec::len).max().unwrap_or(0);
    let Some((names, sets)) = rows.split_first() else { return rows };
    if sets.is_empty() {
        lose(LossKind::Dropped, TableFit::NoRows, names.join(" | "), String::new());
        return Vec::new();
    }
    let mut taken: HashSet<String> = HashSet::new();
    let mut columns: Vec<String> = Vec::with_capacity(width);
    for at in 0..width {
        let (name, how) = match names.get(at) {
            Some(name) => (name.clone(), TableFit::ColumnNumbered),
            None => (format!("Column {}", at + 1), TableFit::ColumnNamed),
        };
        let free = |n: &String| !taken.contains(n) && !names[(at + 1).min(names.len())..].contains(n);
        let own = match taken.contains(&name) {
            false => name.clone(),
            true => (2..).map(|n| format!("{name} ({n})")).find(free).unwrap_or_default(),
        };
        if names.get(at) != Some(&own) {
            let before = names.get(at).cloned().unwrap_or_default();
            lose(LossKind::Substituted, how, before, own.clone());
        }
        taken.insert(own.clone());
        columns.push(own);
    }
    let filled =
        |row: &Vec<String>| -> Vec<String> { (0..width).map(|at| row.get(at).cloned().unwrap_or_default()).collect() };
    std::iter::once(columns).chain(sets.iter().map(filled)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::ValueType;
    use crate::rules::Source;

    fn fitted(rows: &[&[&str]], form: TableForm) -> (Vec<Vec<String>>, Vec<(TableFit, String)>) {
        let field = FieldSchema { table: form, ..FieldSchema::new("data", "Data", ValueType::Table) };
        let fill = Fill { target: "data".into(), source: Source::Field("data".into()), conversions: vec![] };
        let rows = rows.iter().map(|r| r.iter().map(|c| (*c).to_owned()).collect()).collect();
        let mut losses = Vec::new();
        let out = table(rows, &field, &fill, &mut losses);
        let told = losses.into_iter().filter_map(|l| match l.cause {
            LossCause::TableFitted { how } => Some((how, format!("{} → {}", l.before, l.after))),
            _ => None,
        });
        (out, told.collect())
    }

    #[test]
    fn no_cell_is_dropped_and_what_changes_is_told() {
        let sets = |rows: &[&[&str]]| fitted(rows, TableForm::Sets);
        let (out, told) = sets(&[&["load", "wind"], &["4", "12"], &["5"]]);
        assert_eq!((out[2].clone(), told), (vec!["5".to_owned(), String::new()], vec![]), "a short row is filled");
        let (out, told) = sets(&[&["load"], &["4", "12"]]);
        assert_eq!(out, [["load", "Column 2"], ["4", "12"]]);
        assert_eq!(told, [(TableFit::ColumnNamed, " → Column 2".into())]);
        let (out, told) = sets(&[&["load", "load", "load (2)"], &["4", "5", "6"]]);
        assert_eq!(out[0], ["load", "load (3)", "load (2)"]);
        assert_eq!(told, [(TableFit::ColumnNumbered, "load → load (3)".into())]);
        let (out, told) = sets(&[&["load", "wind"]]);
        assert_eq!((out.len(), told), (0, vec![(TableFit::NoRows, "load | wind → ".into())]));
        let (out, told) = sets(&[&["load"], &[""], &["4"]]);
        assert_eq!((out.len(), told.len()), (3, 0), "an empty cell is a cell");
        let odd: &[&[&str]] = &[&["a", "a"], &["1", "2", "3"], &[]];
        assert_eq!(fitted(odd, TableForm::Rows).0, odd, "rows are kept as they are");
    }
}
