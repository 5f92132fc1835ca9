//! Suggesting rules and value maps, with the evidence (a person accepts them; nothing applies silently).
//!
//! Decides which source field most likely feeds a target field: by name, by type, by how many of the values met
//! at one end are allowed at the other, and, where pairs exist already, by what these agree on. Precision and
//! recall are measured on worlds whose answer is known (docs/matching.md).

mod names;
mod new_field;
mod observed;
mod reaching;
mod values;

pub use new_field::field_like;
pub use observed::{GoTogether, Twins};
pub use reaching::values_reaching;
pub use values::suggest_value_map;

use std::collections::HashSet;

use crate::catalogue::{FieldSchema, KindSchema};
use crate::model::{ATTACHMENTS, COMMENTS, End, Ends, HISTORY, LINKS, POSITION, Slot, ValueType};
use crate::rules::{Conversion, Fallback, Fill, Rule, Source, UserTable};
use crate::survey::KindSurvey;
use names::name_affinity;
use observed::{Observed, observe};
use values::Allowed;

/// A proposed rule.
#[derive(Debug, Clone, PartialEq)]
pub struct Suggestion {
    /// The rule.
    pub rule: Rule,
    /// How sure, from 0 to 100.
    pub score: u8,
    /// Why.
    pub evidence: Vec<Reason>,
}

/// Why a rule is proposed, or what speaks against it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Reason {
    /// Both ends keep items in folders.
    BothHaveFolders,
    /// Both ends link items to one another.
    BothHaveLinks,
    /// Both ends number the items of a folder.
    BothHavePositions,
    /// Both ends keep comments.
    BothHaveComments,
    /// Both ends keep files with their items.
    BothHaveFiles,
    /// The end that is filled accepts past changes with their author and time.
    TakesHistory,
    /// The field is where the mark of an item's origin goes.
    HoldsOrigin,
    /// The fields have similar names.
    AlikeNames(Ends<String>),
    /// The fields have the same type.
    SameType,
    /// So many of the values that the source holds are allowed in the target, of so many.
    ValuesAllowed(usize, usize),
    /// In so many pairs, of so many, both fields hold the same.
    PairsHoldTheSame(usize, usize),
    /// In so many pairs, of so many, the values of the fields go together.
    PairsGoTogether(usize, usize),
    /// None of so many known pairs supports it.
    PairsDoNotSupport(usize),
}

/// The least score at which a field is worth proposing.
const WORTH: f64 = 0.45;

/// Proposes a rule for every field of an end (`to`, the end `into`) that something at the other seems to feed, best first for each
/// target, each source used once. `pairs` are artefacts that are known to be one, that of the other end first; none is fine.
pub fn suggest(
    from: &KindSchema,
    survey: Option<&KindSurvey>,
    (to, into): (&KindSchema, End),
    pairs: &[Twins<'_>],
) -> Vec<Suggestion> {
    let mut scored: Vec<(f64, &FieldSchema, &FieldSchema, Likely)> = Vec::new();
    let own = |f: &&FieldSchema| !f.origin_mark && !f.id.starts_with('@');
    for target in to.fields.iter().filter(own).filter(|f| !f.read_only) {
        for source in from.fields.iter().filter(own) {
            if let Some(likely) = affinity(source, (target, into), survey, pairs) {
                scored.push((likely.score, source, target, likely));
            }
        }
    }
    scored.sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| a.2.id.cmp(&b.2.id)).then_with(|| a.1.id.cmp(&b.1.id)));
    let mut out: Vec<Suggestion> = Vec::new();
    let mut used: Vec<&str> = Vec::new();
    for (score, source, target, likely) in scored {
        if score < WORTH || used.contains(&source.id.as_str()) || out.iter().any(|s| fills(s, into, &target.id)) {
            continue;
        }
        used.push(&source.id);
        out.push(Suggestion {
            rule: Rule::filling(into, fill_for(source, target, survey, &likely.together)),
            score: (score.min(1.0) * 100.0).round() as u8,
            evidence: likely.evidence,
        });
    }
    out.extend(standing(from, to, into));
    out.sort_by_key(|s| to.fields.iter().position(|f| fills(s, into, &f.id)).unwrap_or(usize::MAX));
    out
}

/// Rules that do not depend on names: folder, origin, files.
fn standing(from: &KindSchema, to: &KindSchema, into: End) -> Vec<Suggestion> {
    let rule = |target: Slot, source| Rule::filling(into, Fill { target, source, conversions: Vec::new() });
    let mut out = Vec::new();
    if from.in_folders && to.in_folders {
        out.push(Suggestion {
            rule: rule(Slot::Folder, Source::Folder),
            score: 100,
            evidence: vec![Reason::BothHaveFolders],
        });
    }
    if from.field(LINKS).is_some() && to.field(LINKS).is_some() {
        out.push(Suggestion {
            rule: rule(Slot::Links, Source::Links),
            score: 100,
            evidence: vec![Reason::BothHaveLinks],
        });
    }
    let writable = |field: &str| to.field(field).is_some_and(|f| !f.read_only);
    if from.field(POSITION).is_some() && writable(POSITION) {
        out.push(Suggestion {
            rule: rule(Slot::Position, Source::Field(POSITION.into())),
            score: 100,
            evidence: vec![Reason::BothHavePositions],
        });
    }
    if from.field(COMMENTS).is_some() && writable(COMMENTS) {
        out.push(Suggestion {
            rule: rule(Slot::Comments, Source::Comments),
            score: 100,
            evidence: vec![Reason::BothHaveComments],
        });
    }
    if from.field(HISTORY).is_some() && writable(HISTORY) {
        out.push(Suggestion {
            rule: rule(Slot::History, Source::History),
            score: 100,
            evidence: vec![Reason::TakesHistory],
        });
    }
    if let Some(rule) = origin_rule(to, into) {
        out.push(Suggestion { rule, score: 100, evidence: vec![Reason::HoldsOrigin] });
    }
    if from.field(ATTACHMENTS).is_some() && to.field(ATTACHMENTS).is_some() {
        out.push(Suggestion {
            rule: rule(Slot::Files, Source::Attachments),
            score: 100,
            evidence: vec![Reason::BothHaveFiles],
        });
    }
    out
}

/// That one field feeds another, and why.
struct Likely {
    score: f64,
    evidence: Vec<Reason>,
    together: GoTogether,
}

/// From this many pairs on, what they say counts in full.
const MANY: f64 = 8.0;

fn affinity(
    source: &FieldSchema,
    (target, into): (&FieldSchema, End),
    survey: Option<&KindSurvey>,
    pairs: &[Twins<'_>],
) -> Option<Likely> {
    let types = type_affinity(source.value_type, target.value_type)?;
    if source.refers_to != target.refers_to {
        return None;
    }
    let name = name_affinity(&source.name, &target.name);
    let mut evidence = Vec::new();
    if name >= 0.9 {
        evidence.push(Reason::AlikeNames(Ends::at(into, target.name.clone(), source.name.clone())));
    }
    if source.value_type == target.value_type {
        evidence.push(Reason::SameType);
    }
    let mut overlap = 0.0;
    if let (Some(allowed), Some(field)) = (&target.allowed, survey.and_then(|s| s.field(&source.id))) {
        let met: Vec<&str> = field.values.iter().map(|v| v.value.as_str()).filter(|v| !v.is_empty()).collect();
        let there = Allowed::new(allowed);
        let close = met.iter().filter(|v| there.meant(v).is_some()).count();
        if !met.is_empty() {
            overlap = close as f64 / met.len() as f64;
            if close > 0 {
                evidence.push(Reason::ValuesAllowed(close, met.len()));
            }
        }
    }
    // A type that only one field of each end has (steps, say) says more than a name.
    let rare = matches!(
        source.value_type,
        ValueType::Steps | ValueType::User | ValueType::Table | ValueType::Reference | ValueType::References
    ) && source.value_type == target.value_type;
    let alone = 0.5 * name + 0.25 * types + 0.25 * overlap + if rare { 0.3 } else { 0.0 };
    let Some(Observed { seen, agree, strength, together }) = observe(pairs, &source.id, &target.id) else {
        let likely = Likely { score: alone, evidence, together: GoTogether::default() };
        return (name >= 0.7 || overlap >= 0.5 || rare).then_some(likely);
    };
    if strength >= 0.3 {
        let how = if together.0.is_empty() { Reason::PairsHoldTheSame } else { Reason::PairsGoTogether };
        evidence.push(how(agree, seen));
    } else {
        evidence.push(Reason::PairsDoNotSupport(seen));
    }
    let weight = (seen as f64 / MANY).min(1.0);
    let borne_out = 0.3 * name + 0.1 * types + 0.6 * strength;
    // What is called the same is worth a look, even if what is at both ends does not bear it out.
    let least = if name >= 0.9 && alone >= WORTH { WORTH } else { 0.0 };
    let score = ((1.0 - weight) * alone + weight * borne_out).max(least);
    (name >= 0.7 || overlap >= 0.5 || rare || strength >= 0.5).then_some(Likely { score, evidence, together })
}

fn type_affinity(from: ValueType, to: ValueType) -> Option<f64> {
    use ValueType::*;
    if from == to {
        return Some(1.0);
    }
    match (from, to) {
        (Text, RichText) | (RichText, Text) | (Integer, Decimal) | (Choice, ChoiceList) | (User, UserList) => Some(0.7),
        (Steps, RichText) => Some(0.6),
        (Text, Choice) | (Choice, Text) | (Text, Integer) | (Text, Decimal) | (Duration, Decimal) => Some(0.4),
        (Integer | Decimal | Boolean | Date | Instant | Url | User, Text) => Some(0.3),
        _ => None,
    }
}

fn fill_for(source: &FieldSchema, target: &FieldSchema, survey: Option<&KindSurvey>, together: &GoTogether) -> Fill {
    let mut conversions = Vec::new();
    let field = survey.and_then(|s| s.field(&source.id));
    match (source.value_type, target.value_type) {
        (ValueType::Duration, ValueType::Decimal) => conversions.push(Conversion::Hours),
        (ValueType::Text, ValueType::Decimal) => {
            let clock = |v: &crate::survey::ValueCount| v.value.contains(':');
            let comma = |v: &crate::survey::ValueCount| v.value.contains(',');
            let any = |found: fn(&crate::survey::ValueCount) -> bool| field.is_some_and(|f| f.values.iter().any(found));
            conversions.push(if any(clock) { Conversion::Hours } else { Conversion::Number { comma: any(comma) } });
        }
        (ValueType::RichText | ValueType::Steps, ValueType::RichText | ValueType::Steps)
        | (ValueType::Text, ValueType::RichText) => {
            conversions.push(Conversion::RichText);
        }
        (ValueType::User | ValueType::UserList, ValueType::User | ValueType::UserList) => {
            conversions.push(Conversion::Users(UserTable { rows: Vec::new(), otherwise: Fallback::LeaveEmpty }));
        }
        (_, ValueType::Choice | ValueType::ChoiceList) => {
            if let Some(allowed) = &target.allowed {
                let met: Vec<String> =
                    field.map(|f| f.values.iter().map(|v| v.value.clone()).collect()).unwrap_or_default();
                let met = if met.is_empty() { source.allowed.clone().unwrap_or_default() } else { met };
                let there: HashSet<&String> = allowed.iter().collect();
                let stays = |v: &String| there.contains(v) && together.of(v).is_none_or(|r| r == v);
                if !met.iter().all(stays) {
                    conversions.push(Conversion::ValueMap(suggest_value_map(&met, allowed, together)));
                }
            }
        }
        (ValueType::Text, ValueType::Text) => {
            let longest = field.map_or(0, |f| f.longest);
            if let Some(limit) = target.max_length.filter(|l| longest > *l) {
                conversions.push(Conversion::Shorten { to: limit });
            }
        }
        _ => {}
    }
    Fill { target: target.id.clone().into(), source: Source::Field(source.id.clone()), conversions }
}

fn fills(suggestion: &Suggestion, into: End, field: &str) -> bool {
    suggestion.rule.fill(into).is_some_and(|fill| fill.target == *field)
}

/// The rule that writes the mark of an item's origin into an end; none if the kind has no place for it there.
pub fn origin_rule(to: &KindSchema, into: End) -> Option<Rule> {
    let field = to.fields.iter().find(|f| f.origin_mark)?;
    let fill = Fill { target: field.id.as_str().into(), source: Source::Origin, conversions: Vec::new() };
    Some(Rule::filling(into, fill))
}
