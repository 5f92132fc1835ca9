//! What changed between two versions of a route.
//!
//! Decides what counts as one change: a rule and a lane by their ids, everything else of a lane by its part. Nothing that is the same in both is told.

use serde::{Deserialize, Serialize};

use super::lane::Lane;
use super::rule::{Rule, RuleId};
use crate::model::Kind;

/// What became of a lane.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LaneChange {
    /// The id of the lane.
    pub lane: String,
    /// What people call it; empty if they call it by its kinds.
    pub name: String,
    /// Its kind at the left.
    pub left_kind: Kind,
    /// Its kind at the right.
    pub right_kind: Kind,
    /// What became of it.
    pub became: Became,
    /// Empty for a lane that was added or removed whole.
    pub rules: Vec<RuleChange>,
    /// Which parts of it are other than before.
    pub parts: Vec<LanePart>,
}

/// What became of a lane between two versions.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Became {
    /// It is new.
    Added,
    /// It is gone.
    Removed,
    /// It is other than before.
    Changed,
}

/// What became of a rule; one of the two is there.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RuleChange {
    /// The rule.
    pub rule: RuleId,
    /// As it was; none if it is new.
    pub before: Option<Rule>,
    /// As it is; none if it is gone.
    pub after: Option<Rule>,
}

/// A part of a lane that is no rule.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LanePart {
    /// What people call it.
    Name,
    /// Its kinds.
    Kinds,
    /// Its direction.
    Direction,
    /// What it covers at the left.
    LeftScope,
    /// What it covers at the right.
    RightScope,
    /// Which items it brings along.
    Along,
    /// How counterparts are found.
    Matching,
    /// What is done where nobody decides.
    Policies,
}

/// What changed from one version's lanes to another's, in the order of the later ones, removed lanes last.
pub fn changes_between(before: &[Lane], after: &[Lane]) -> Vec<LaneChange> {
    let old = |id: &str| before.iter().find(|l| l.id == id);
    let whole = |lane: &Lane, became| LaneChange {
        lane: lane.id.clone(),
        name: lane.name.clone(),
        left_kind: lane.left_kind,
        right_kind: lane.right_kind,
        became,
        rules: vec![],
        parts: vec![],
    };
    let mut out: Vec<LaneChange> = Vec::new();
    for lane in after {
        match old(&lane.id) {
            None => out.push(whole(lane, Became::Added)),
            Some(was) if was == lane => {}
            Some(was) => out.push(LaneChange {
                rules: rule_changes(&was.rules, &lane.rules),
                parts: parts(was, lane),
                ..whole(lane, Became::Changed)
            }),
        }
    }
    let gone = before.iter().filter(|was| !after.iter().any(|l| l.id == was.id));
    out.extend(gone.map(|was| whole(was, Became::Removed)));
    out
}

fn rule_changes(before: &[Rule], after: &[Rule]) -> Vec<RuleChange> {
    let change = |before: Option<&Rule>, after: Option<&Rule>| RuleChange {
        rule: before.or(after).map(|r| r.id.clone()).unwrap_or_default(),
        before: before.cloned(),
        after: after.cloned(),
    };
    let old = |id: &RuleId| before.iter().find(|r| r.id == *id);
    let mut out: Vec<RuleChange> = after
        .iter()
        .filter(|rule| old(&rule.id) != Some(*rule))
        .map(|rule| change(old(&rule.id), Some(rule)))
        .collect();
    let gone = before.iter().filter(|was| !after.iter().any(|r| r.id == was.id));
    out.extend(gone.map(|was| change(Some(was), None)));
    out
}

fn parts(was: &Lane, is: &Lane) -> Vec<LanePart> {
    let differs = [
        (LanePart::Name, was.name != is.name),
        (LanePart::Kinds, (was.left_kind, was.right_kind) != (is.left_kind, is.right_kind)),
        (LanePart::Direction, was.direction != is.direction),
        (LanePart::LeftScope, was.left_scope != is.left_scope),
        (LanePart::RightScope, was.right_scope != is.right_scope),
        (LanePart::Along, was.along != is.along),
        (LanePart::Matching, was.matching != is.matching),
        (LanePart::Policies, was.policies != is.policies),
    ];
    differs.into_iter().filter(|(_, differs)| *differs).map(|(part, _)| part).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::End;
    use crate::rules::{Along, Fill, Source};
    use crate::scope::Condition;

    fn rule(target: &str, from: &str) -> Rule {
        let source = Source::Field(from.to_owned());
        Rule::filling(End::Right, Fill { target: target.into(), source, conversions: vec![] })
    }

    #[test]
    fn only_what_differs_is_told() {
        let before = vec![
            Lane::of_kind(Kind::TestCase, vec![rule("title", "name"), rule("text", "body"), rule("gone", "x")]),
            Lane::of_kind(Kind::Defect, vec![]),
            Lane::of_kind(Kind::TestRun, vec![]),
        ];
        assert_eq!(changes_between(&before, &before), []);
        let mut case =
            Lane::of_kind(Kind::TestCase, vec![rule("text", "note"), rule("title", "name"), rule("new", "y")]);
        case.left_scope = Condition::Expression("true".into());
        case.along = Along::Linked;
        let after = vec![case, Lane::of_kind(Kind::TestRun, vec![]), Lane::of_kind(Kind::Requirement, vec![])];
        let found = changes_between(&before, &after);
        let told: Vec<(&str, Became)> = found.iter().map(|c| (c.lane.as_str(), c.became)).collect();
        let wanted = [
            (Kind::TestCase.id(), Became::Changed),
            (Kind::Requirement.id(), Became::Added),
            (Kind::Defect.id(), Became::Removed),
        ];
        assert_eq!(told, wanted);
        let rules: Vec<(&str, bool, bool)> =
            found[0].rules.iter().map(|r| (r.rule.as_str(), r.before.is_some(), r.after.is_some())).collect();
        assert_eq!(
            rules,
            [("text", true, true), ("new", false, true), ("gone", true, false)],
            "the order says nothing"
        );
        assert_eq!(found[0].parts, [LanePart::LeftScope, LanePart::Along]);
    }
}
