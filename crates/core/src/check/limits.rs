//! What was met at one end, against what the other end takes.
//!
//! Decides which texts and files of a survey are beyond a limit of the fields that rules fill from them. What a rule
//! shortens is told too: that is a loss somebody should know of before the dry run.

use serde::{Deserialize, Serialize};

use crate::catalogue::KindSchema;
use crate::model::ATTACHMENTS;
use crate::rules::{Conversion, Lane, Source};
use crate::survey::KindSurvey;

/// A field whose longest text, or largest file, is beyond what the field takes that a rule fills from it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Beyond {
    /// The field that the rule starts from.
    pub field: String,
    /// What the target is called.
    pub target: String,
    /// The most that was met: characters, or bytes of a file.
    pub met: u64,
    /// The most that the target takes.
    pub limit: u64,
    /// Whether the rule shortens it.
    pub shortened: bool,
}

/// What in a survey is beyond the limits of the fields that the rules of a lane fill.
pub fn beyond_limits(lane: &Lane, from: &KindSurvey, there: &KindSchema) -> Vec<Beyond> {
    let found = lane.fills().filter_map(|fill| {
        let target = there.field(&fill.target)?;
        let (field, met, limit) = match &fill.source {
            Source::Attachments => (ATTACHMENTS, from.largest_attachment, target.max_bytes?),
            Source::Field(field) => {
                // What becomes another value has another length.
                let same = |c: &Conversion| matches!(c, Conversion::RichText | Conversion::Shorten { .. });
                if !fill.conversions.iter().all(same) {
                    return None;
                }
                (field.as_str(), u64::from(from.field(field)?.longest), u64::from(target.max_length?))
            }
            _ => return None,
        };
        let shortened = fill.conversions.iter().any(|c| matches!(c, Conversion::Shorten { .. }));
        let (field, target) = (field.to_owned(), target.name.clone());
        (met > limit).then_some(Beyond { field, target, met, limit, shortened })
    });
    found.collect()
}
