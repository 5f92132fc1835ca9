//! What hangs on an item and is carried by calls of its own: files, comments and past changes.

use hovrel_core::model::Artefact;
use hovrel_core::plan::FieldChange;

use super::course::Course;
use super::failure::Failure;
use super::files::carry_files;
use super::pieces::carry_pieces;

/// Brings what hangs on the item to what the plan says.
pub(super) async fn carry(c: &mut Course<'_>, f: &FieldChange, item: Artefact) -> Result<Artefact, Failure> {
    if f.field.is_said() { carry_pieces(c, f, item).await } else { carry_files(c, f, item).await }
}
