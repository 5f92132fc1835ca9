//! A rule as data: the slots that it joins, and what it does on its way into either end.

use std::borrow::Borrow;
use std::collections::HashSet;
use std::fmt;

use serde::de::Error as _;
use serde::{Deserialize, Deserializer, Serialize};

use super::conversion::Conversion;
use super::direction::Direction;
use crate::model::{ATTACHMENTS, COMMENTS, End, Ends, HISTORY, LINKS, PARENT, Slot, Value as FieldValue};

/// The stable id of a rule, unique in its lane: what is remembered of a pair hangs on it, and not on the names of fields.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct RuleId(String);

impl RuleId {
    /// Its spelling.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl From<&str> for RuleId {
    fn from(id: &str) -> RuleId {
        RuleId(id.to_owned())
    }
}

/// Rules of before had no ids: what was remembered of them goes by what they fill.
impl From<&Slot> for RuleId {
    fn from(filled: &Slot) -> RuleId {
        RuleId(filled.id().to_owned())
    }
}

// Maps by rule are looked up by spelling too.
impl Borrow<str> for RuleId {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for RuleId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// Joins a slot of each end. How it fills the slot of an end stands under that end.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(from = "Read")]
pub struct Rule {
    /// Unique in its lane. A rule that is given without one gets that of the slot that it fills.
    pub id: RuleId,
    /// How it fills a slot of either end; none where it does not.
    pub into: Ends<Option<Fill>>,
    /// Whether what it does into one end is taken back on the way into the other.
    #[serde(default)]
    pub back: bool,
}

/// How one slot of an end is filled from what the other end holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Fill {
    /// The slot that is filled.
    pub target: Slot,
    /// What of the other end it is filled from.
    pub source: Source,
    /// Applied in order; none means “as it is”.
    #[serde(default)]
    pub conversions: Vec<Conversion>,
}

/// Where a rule's value comes from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Source {
    /// A field, by its id.
    Field(String),
    /// The same value for all items.
    Constant(FieldValue),
    /// An expression in CEL over the item: several fields joined, a value chosen by another.
    Computed(String),
    /// The folder that holds the artefact: mirrored at the other end.
    Folder,
    /// The mark by which the artefact stays findable: system and id.
    Origin,
    /// The artefact's files.
    Attachments,
    /// The artefact's links.
    Links,
    /// What people said of the artefact.
    Comments,
    /// What people said, and what was changed, in the order of time.
    CommentsAndHistory,
    /// What was changed, by whom and when.
    History,
    /// Names of the folders that hold the artefact, outermost first: flattened into text or labels, or
    /// mapped onto a choice.
    FolderPath,
}

impl Source {
    /// The slot that an edit at the other end can go back to; none of what nobody can edit there, or what stays as it was.
    pub fn goes_back_to(&self) -> Option<Slot> {
        match self {
            Source::Field(field) => Some(Slot::from(field.as_str())),
            Source::Folder => Some(Slot::Folder),
            Source::Attachments => Some(Slot::Files),
            Source::Links => Some(Slot::Links),
            Source::Comments => Some(Slot::Comments),
            Source::Constant(_)
            | Source::Computed(_)
            | Source::Origin
            | Source::CommentsAndHistory
            | Source::History
            | Source::FolderPath => None,
        }
    }

    /// The id of the slot that it takes whole; none of what is made of several, or of none.
    fn slot_id(&self) -> Option<&str> {
        match self {
            Source::Field(field) => Some(field),
            Source::Folder => Some(PARENT),
            Source::Attachments => Some(ATTACHMENTS),
            Source::Links => Some(LINKS),
            Source::Comments => Some(COMMENTS),
            Source::History => Some(HISTORY),
            Source::Constant(_)
            | Source::Computed(_)
            | Source::Origin
            | Source::CommentsAndHistory
            | Source::FolderPath => None,
        }
    }

    /// The id of the field, if it is one.
    pub fn field(&self) -> Option<&str> {
        match self {
            Source::Field(field) => Some(field),
            _ => None,
        }
    }
}

impl Rule {
    /// Fills a slot of one end, with the id of that slot.
    pub fn filling(end: End, fill: Fill) -> Rule {
        let mut rule = Rule { id: RuleId::from(&fill.target), into: Ends::default(), back: false };
        rule.into[end] = Some(fill);
        rule
    }

    /// How it fills a slot of an end; none if it does not.
    pub fn fill(&self, end: End) -> Option<&Fill> {
        self.into[end].as_ref()
    }

    /// The id of the slot that it joins at an end: the one that it fills there, or takes for the other.
    pub fn slot_at(&self, end: End) -> Option<&str> {
        let filled = self.fill(end).map(|fill| fill.target.id());
        filled.or_else(|| self.fill(end.other())?.source.slot_id())
    }

    /// What it fills, the right end first.
    fn fills(&self) -> impl Iterator<Item = &Fill> {
        [End::Right, End::Left].into_iter().filter_map(|end| self.fill(end))
    }
}

/// A rule as it stands in a file, a table or a request: by end, or as versions without ids wrote it, flat and with a
/// direction.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    #[serde(default)]
    id: Option<RuleId>,
    #[serde(default)]
    into: Option<Ends<Option<Fill>>>,
    #[serde(default)]
    back: bool,
    #[serde(default)]
    target: Option<Slot>,
    #[serde(default)]
    source: Option<Source>,
    #[serde(default)]
    conversions: Vec<Conversion>,
    #[serde(default)]
    direction: Direction,
}

/// A rule as it was read, and whether it came with an id.
#[derive(Deserialize)]
#[serde(try_from = "Written")]
struct Read {
    rule: Rule,
    with_id: bool,
}

impl TryFrom<Written> for Read {
    type Error = &'static str;

    fn try_from(written: Written) -> Result<Read, &'static str> {
        let mut rule = match (written.into, written.target, written.source) {
            (Some(into), None, None) => Rule { id: RuleId::default(), into, back: written.back },
            (Some(_), ..) => return Err("target and source belong under `into`, at the end that is filled"),
            (None, Some(target), Some(source)) => {
                let fill = Fill { target, source, conversions: written.conversions };
                let back = written.direction == Direction::Both;
                Rule { back, ..Rule::filling(written.direction.written(), fill) }
            }
            (None, ..) => return Err("`into` is missing: how the rule fills a field at the left or at the right"),
        };
        let Some(filled) = rule.fills().next() else {
            return Err("a rule has to fill a field at the left or at the right");
        };
        let given = written.id.filter(|id| !id.0.is_empty());
        let with_id = given.is_some();
        rule.id = given.unwrap_or_else(|| RuleId::from(&filled.target));
        Ok(Read { rule, with_id })
    }
}

impl From<Read> for Rule {
    fn from(read: Read) -> Rule {
        read.rule
    }
}

/// Reads the rules of a lane. Those without an id get that of the slot that they fill, with a number if it is taken.
pub(super) fn of_one_lane<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<Rule>, D::Error> {
    let mut read = Vec::<Read>::deserialize(from)?;
    let mut taken: HashSet<RuleId> = HashSet::new();
    for Read { rule, .. } in read.iter().filter(|r| r.with_id) {
        if !taken.insert(rule.id.clone()) {
            return Err(D::Error::custom(format!("two rules of a lane have the id “{}”", rule.id)));
        }
    }
    for Read { rule, .. } in read.iter_mut().filter(|r| !r.with_id) {
        let slot = rule.id.clone();
        let numbered = (2..).map(|n| RuleId(format!("{slot} {n}")));
        let free = std::iter::once(slot.clone()).chain(numbered).find(|id| !taken.contains(id));
        rule.id = free.unwrap_or_default();
        taken.insert(rule.id.clone());
    }
    Ok(read.into_iter().map(Rule::from).collect())
}

/// The name under which the value that a rule computes stands beside the item.
pub(crate) fn computed_field(target: &str) -> String {
    format!("@computed {target}")
}

#[cfg(test)]
mod tests {
    use serde_json::{Value, json};

    use super::*;
    use crate::model::Kind;
    use crate::rules::Lane;

    fn lane(rules: Value) -> Result<Vec<Rule>, String> {
        let mut lane = serde_json::to_value(Lane::of_kind(Kind::TestCase, vec![])).expect("a lane");
        lane["rules"] = rules;
        serde_json::from_value::<Lane>(lane).map(|l| l.rules).map_err(|e| e.to_string())
    }

    fn fill(target: &str) -> Value {
        json!({"target": target, "source": {"field": "name"}, "conversions": [{"shorten": {"to": 3}}]})
    }

    #[test]
    fn a_rule_is_read_as_it_is_written() {
        let by_end = json!([{"id": "a", "into": {"left": fill("name"), "right": fill("title")}, "back": false}]);
        let read = lane(by_end.clone()).expect("a rule");
        assert_eq!(serde_json::to_value(&read).expect("JSON"), by_end);
        assert!(End::BOTH.into_iter().all(|end| read[0].fill(end).is_some()));
    }

    #[test]
    fn a_rule_of_before_is_read_with_its_direction_and_has_the_id_of_its_slot() {
        let flat = |direction: &str| {
            let mut rule = fill("title");
            rule["direction"] = direction.into();
            lane(json!([rule])).expect("a rule").remove(0)
        };
        for (direction, end, back) in
            [("to_right", End::Right, false), ("both", End::Right, true), ("to_left", End::Left, false)]
        {
            let read = flat(direction);
            let filled = read.fill(end).map(|f| serde_json::to_value(f).expect("JSON"));
            assert_eq!((read.id.as_str(), filled, read.back), ("title", Some(fill("title")), back), "{direction}");
            assert_eq!(read.fill(end.other()), None, "{direction}");
        }
    }

    #[test]
    fn no_two_rules_of_a_lane_have_one_id() {
        let into = |target: &str| json!({"into": {"right": fill(target)}});
        let with_id = |id: &str, target: &str| json!({"id": id, "into": {"right": fill(target)}});
        let read = lane(json!([into("title"), with_id("title", "text"), into("title"), into("note")])).expect("rules");
        let ids: Vec<&str> = read.iter().map(|r| r.id.as_str()).collect();
        assert_eq!(ids, ["title 2", "title", "title 3", "note"]);
        let twice = lane(json!([with_id("a", "title"), with_id("a", "text")])).expect_err("it is refused");
        assert!(twice.contains("two rules of a lane have the id “a”"), "{twice}");
    }

    #[test]
    fn what_is_no_rule_is_refused() {
        let both = json!({"into": {"right": fill("title")}, "target": "title", "source": "links"});
        for wrong in [json!({}), json!({"id": "a"}), json!({"into": {}}), json!({"into": {"rihgt": fill("x")}}), both] {
            assert!(lane(json!([wrong.clone()])).is_err(), "{wrong}");
        }
    }
}
