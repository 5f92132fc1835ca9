//! Fields in words: what a person calls what a rule fills.

pub fn field_name(field: &str, kind: Option<&hovrel_core::catalogue::KindSchema>) -> String {
    match field {
        hovrel_core::model::PARENT => "Folder".into(),
        hovrel_core::model::ATTACHMENTS => "Files".into(),
        hovrel_core::model::LINKS => "Links".into(),
        hovrel_core::model::COMMENTS => "Comments".into(),
        hovrel_core::model::HISTORY => "History".into(),
        other => kind.and_then(|k| k.field(other)).map_or_else(|| other.to_owned(), |f| f.name.clone()),
    }
}
