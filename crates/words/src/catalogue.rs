//! How what a system can hold changed.

use hovrel_core::catalogue::SchemaChange;
use hovrel_core::survey::CatalogueChange;

/// A change of a kind that is called `kind`, as part of a sentence.
pub fn schema_change(kind: &str, change: &SchemaChange) -> String {
    match change {
        SchemaChange::KindGone => format!("{kind} is not kept there any more"),
        SchemaChange::FieldGone(field) => format!("the field “{field}” is gone"),
        SchemaChange::OtherType(field) => format!("“{field}” is of another type"),
        SchemaChange::ReadOnly(field) => format!("“{field}” can't be written any more"),
        SchemaChange::Shorter(field, limit) => format!("“{field}” takes {limit} characters now"),
        SchemaChange::ValueGone(field, value) => format!("“{field}” no longer takes “{value}”"),
        SchemaChange::Required(field) => format!("“{field}” is asked for now"),
        SchemaChange::KindNew => format!("{kind} is kept there now"),
        SchemaChange::FieldNew(field) => format!("the field “{field}” is new"),
        SchemaChange::ValueNew(field, value) => format!("“{field}” now allows “{value}”"),
    }
}

/// A line of its own.
pub fn catalogue_change(change: &CatalogueChange) -> String {
    match change {
        CatalogueChange::OfKind(kind, change @ (SchemaChange::KindGone | SchemaChange::KindNew)) => {
            schema_change(kind, change)
        }
        CatalogueChange::OfKind(kind, change) => format!("{kind}: {}", schema_change(kind, change)),
        CatalogueChange::UserGone(name) => format!("{name} is not known there any more"),
    }
}
