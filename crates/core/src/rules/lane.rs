//! A lane as data: which kinds, what it covers, and the rules between them.

use serde::{Deserialize, Serialize};

use super::direction::Direction;
use super::policies::{Matching, NEVER, Policies};
use super::rule::{Fill, Rule, RuleId, Source};
use crate::expression::names_now;
use crate::model::{End, Kind, Slot};
use crate::scope::Condition;

/// Within a route: one kind to one kind, with its direction, scope, rules and policies.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Lane {
    /// Stable, and unique in its route: pairs and what is remembered of them hang on it.
    pub id: String,
    /// What people call it; empty if they call it by its kinds.
    #[serde(default)]
    pub name: String,
    /// The kind that it covers at the left.
    pub left_kind: Kind,
    /// The kind that it covers at the right.
    pub right_kind: Kind,
    /// Which end it writes.
    #[serde(default)]
    pub direction: Direction,
    /// Which left items it covers; where it reads the right alone, those among which it looks for counterparts.
    #[serde(default)]
    pub left_scope: Condition,
    /// Which right items it looks for counterparts among; where it reads the right alone, those that it covers.
    #[serde(default)]
    pub right_scope: Condition,
    /// What is covered at the end that is read beyond what the conditions match.
    #[serde(default)]
    pub along: Along,
    /// What fills each slot.
    #[serde(deserialize_with = "super::rule::of_one_lane")]
    pub rules: Vec<Rule>,
    /// How counterparts are found.
    #[serde(default)]
    pub matching: Matching,
    /// What is done where nobody decides.
    #[serde(default)]
    pub policies: Policies,
}

impl Lane {
    /// The kind of the items that it writes at an end, if it writes there: what it transfers, or links to what was made of them.
    pub fn writes(&self, end: End) -> Option<Kind> {
        let links_back = end == self.read() && self.policies.link_back;
        (self.direction.writes(end) || links_back).then_some(self.kind_at(end))
    }

    /// The end that it writes, or writes first.
    pub fn written(&self) -> End {
        self.direction.written()
    }

    /// The end that it reads, or reads first.
    pub fn read(&self) -> End {
        self.direction.read()
    }

    /// From a kind at the left to the same at the right, with everything in scope.
    pub fn of_kind(kind: Kind, rules: Vec<Rule>) -> Lane {
        Lane {
            id: kind.id().to_owned(),
            name: String::new(),
            left_kind: kind,
            right_kind: kind,
            direction: Direction::ToRight,
            left_scope: Condition::default(),
            right_scope: Condition::default(),
            along: Along::default(),
            rules,
            matching: Matching::default(),
            policies: Policies::default(),
        }
    }

    /// How its rules fill the end that it writes, in their order, with the id of each.
    pub fn filling(&self) -> impl Iterator<Item = (&RuleId, &Fill)> {
        let written = self.written();
        self.rules.iter().filter_map(move |rule| Some((&rule.id, rule.fill(written)?)))
    }

    /// How its rules fill the end that it writes, in their order.
    pub fn fills(&self) -> impl Iterator<Item = &Fill> {
        self.filling().map(|(_, fill)| fill)
    }

    /// The rule that fills a slot of an end.
    pub fn rule_filling(&self, end: End, slot: &Slot) -> Option<&Rule> {
        self.rules.iter().find(|rule| rule.fill(end).is_some_and(|fill| fill.target == *slot))
    }

    /// Whether what it covers or computes changes as time goes by, with nothing else changed.
    pub fn depends_on_now(&self) -> bool {
        let computed = |f: &Fill| matches!(&f.source, Source::Computed(text) if names_now(text));
        self.left_scope.depends_on_now() || self.right_scope.depends_on_now() || self.fills().any(computed)
    }

    /// The kind that it covers at an end.
    pub fn kind_at(&self, end: End) -> Kind {
        match end {
            End::Left => self.left_kind,
            End::Right => self.right_kind,
        }
    }

    /// What it covers at an end.
    pub fn scope_at(&self, end: End) -> &Condition {
        match end {
            End::Left => &self.left_scope,
            End::Right => &self.right_scope,
        }
    }

    /// The same, to be changed.
    pub fn scope_at_mut(&mut self, end: End) -> &mut Condition {
        match end {
            End::Left => &mut self.left_scope,
            End::Right => &mut self.right_scope,
        }
    }

    /// How counterparts are found. Folders are alike only if they are the same: “similar” folders would swallow each
    /// other's items.
    pub fn finding(&self) -> Matching {
        match self.left_kind {
            Kind::Folder => Matching { similar_from: NEVER, ..self.matching.clone() },
            _ => self.matching.clone(),
        }
    }

    /// Whether history stays with Hovrel: no rule carries it, as it is or as comments.
    pub fn keeps_history(&self) -> bool {
        !self.fills().any(|f| matches!(f.source, Source::History | Source::CommentsAndHistory))
    }
}

/// Which items a lane brings along, beyond those that its conditions match.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Along {
    /// None.
    #[default]
    Nothing,
    /// Those that an item matched by the conditions of any lane leads to.
    Linked,
    /// Those too that what was brought along leads to, and so on.
    Reached,
}
