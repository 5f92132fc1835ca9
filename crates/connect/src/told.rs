//! What is told of a field that is not read exactly, whatever the system speaks.

use hovrel_core::bounds::LONGEST_LOSS;
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::model::Document;
use hovrel_core::text::{self, TextFormat};

/// That something of a field can't be read, with what stands there.
pub(crate) fn not_readable(field: &str, what: &str, before: String) -> Loss {
    Loss {
        field: field.to_owned(),
        kind: LossKind::Dropped,
        cause: LossCause::NotReadable { what: what.to_owned() },
        before,
        after: String::new(),
    }
}

/// A rich text of a field, with what has no place in a document told among the losses.
pub(crate) fn rich(written: &str, format: TextFormat, field: &str, losses: &mut Vec<Loss>) -> Document {
    // A page shows nothing for NUL, and no database takes it; that it stood there is told.
    let plain = written.replace('\0', "\u{FFFD}");
    if plain != written {
        losses.push(Loss {
            field: field.to_owned(),
            kind: LossKind::Substituted,
            cause: LossCause::NotReadable { what: "NUL is a character that can't be kept".to_owned() },
            before: written.chars().take(LONGEST_LOSS).collect::<String>().replace('\0', "␀"),
            after: plain.chars().take(LONGEST_LOSS).collect(),
        });
    }
    let (document, lost) = text::read(&plain, format);
    losses.extend(lost.into_iter().map(|l| Loss {
        field: field.to_owned(),
        kind: l.kind,
        cause: l.cause,
        before: l.about,
        after: String::new(),
    }));
    document
}
