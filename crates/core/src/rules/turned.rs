//! A lane turned round: what it read it writes, and what it wrote it reads.
//!
//! Decides what becomes of each rule then: its conversions are taken back in the rule itself. A rule that can't be turned
//! (a constant, an expression, a number made of words) is lost, and whoever turns a lane is told which. What fills the other
//! end for other reasons, such as its mark of origin, is proposed elsewhere.

use std::collections::BTreeSet;

use super::conversion::{Conversion, Fallback, LinkTypeRow, LinkTypes, UserTable, ValueMap, ValueRow, row_back};
use super::direction::Direction;
use super::lane::Lane;
use super::rule::{Fill, Rule};
use crate::model::End;

impl Rule {
    /// The rule into an end alone: as it is there already, or with what it does into the other taken back. None if that can't
    /// be done.
    pub fn turned(&self, into: End) -> Option<Rule> {
        let fill = match self.fill(into) {
            Some(fill) => fill.clone(),
            None => {
                let there = self.fill(into.other())?;
                Fill { conversions: reversed(&there.conversions)?, ..self.way_back(into.other())? }
            }
        };
        Some(Rule { id: self.id.clone(), ..Rule::filling(into, fill) })
    }
}

impl Lane {
    /// The lane carrying into an end alone, and the rules that it loses by that.
    pub fn turned(&self, into: End) -> (Lane, Vec<Rule>) {
        let direction = match into {
            End::Left => Direction::ToLeft,
            End::Right => Direction::ToRight,
        };
        let (mut rules, mut lost) = (Vec::new(), Vec::new());
        for rule in &self.rules {
            match rule.turned(into) {
                Some(turned) => rules.push(turned),
                None => lost.push(rule.clone()),
            }
        }
        (Lane { direction, rules, ..self.clone() }, lost)
    }
}

/// What takes a chain of conversions back; none if one of them can't be.
fn reversed(conversions: &[Conversion]) -> Option<Vec<Conversion>> {
    let mut out = Vec::new();
    for conversion in conversions.iter().rev() {
        match conversion {
            Conversion::ValueMap(map) => {
                let otherwise = reversed_fallback(&map.otherwise);
                out.push(Conversion::ValueMap(ValueMap { rows: reversed_rows(&map.rows), otherwise }));
            }
            Conversion::Users(table) => {
                let otherwise = reversed_fallback(&table.otherwise);
                out.push(Conversion::Users(UserTable { rows: reversed_rows(&table.rows), otherwise }));
            }
            Conversion::LinkTypes(types) => out.push(Conversion::LinkTypes(reversed_types(types))),
            // What was done for the other end alone: texts were cut, formatted or put there in place of nothing.
            Conversion::Shorten { .. } | Conversion::RichText | Conversion::IfEmpty { .. } => {}
            Conversion::Hours | Conversion::Number { .. } | Conversion::PathLevel { .. } => return None,
        }
    }
    Some(out)
}

/// Of several rows that lead to one value, the one that is marked for the way back goes on; of those without such a mark,
/// none. What stands for nothing stays as it was: nothing becomes nothing.
fn reversed_rows(rows: &[ValueRow]) -> Vec<ValueRow> {
    let leads_back = |row: &&ValueRow| row_back(rows, &row.right).is_some_and(|back| std::ptr::eq(back, *row));
    let says_something = |row: &&ValueRow| !row.left.is_empty() && !row.right.is_empty();
    let back = |row: &ValueRow| ValueRow { left: row.right.clone(), right: row.left.clone(), returns: false };
    rows.iter().filter(says_something).filter(leads_back).map(back).collect()
}

/// A value that stands for all others is one of the end that is not written any more.
fn reversed_fallback(otherwise: &Fallback) -> Fallback {
    match otherwise {
        Fallback::Use(_) => Fallback::Block,
        stays => stays.clone(),
    }
}

fn reversed_types(types: &LinkTypes) -> LinkTypes {
    let mut taken = BTreeSet::new();
    let rows = types.rows.iter().filter_map(|row| {
        let right = row.right.clone()?;
        taken.insert(right.word().to_owned()).then(|| LinkTypeRow { left: right, right: Some(row.left.clone()) })
    });
    LinkTypes { rows: rows.collect() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Kind;
    use crate::rules::Source;

    fn row(left: &str, right: &str, returns: bool) -> ValueRow {
        ValueRow { left: left.into(), right: right.into(), returns }
    }

    fn filling(target: &str, source: Source, conversions: Vec<Conversion>) -> Rule {
        Rule::filling(End::Right, Fill { target: target.into(), source, conversions })
    }

    /// What one way makes of a value, the other way makes of it again; what two values became comes back as the one that is
    /// marked, and a rule that can't be turned is told.
    #[test]
    fn a_lane_is_turned_by_its_rules() {
        let rows = vec![row("Low", "3", false), row("High", "1", true), row("Urgent", "1", false), row("", "3", false)];
        let map = Conversion::ValueMap(ValueMap { rows, otherwise: Fallback::Use("3".into()) });
        let field = |name: &str| Source::Field(name.into());
        let lane = Lane::of_kind(
            Kind::Defect,
            vec![
                filling("title", field("name"), vec![Conversion::Shorten { to: 80 }]),
                filling("severity", field("level"), vec![map]),
                filling("hours", field("effort"), vec![Conversion::Hours]),
                filling("team", Source::Constant(crate::model::Value::text("Gate")), vec![]),
                filling("@links", Source::Links, vec![]),
            ],
        );
        let (turned, lost) = lane.turned(End::Left);
        assert_eq!(turned.direction, Direction::ToLeft);
        assert_eq!(lost.iter().map(|r| r.id.as_str()).collect::<Vec<_>>(), ["hours", "team"]);
        let fills: Vec<&Fill> = turned.rules.iter().filter_map(|r| r.fill(End::Left)).collect();
        assert_eq!(turned.fills().count(), 3, "each of the others fills the left, and nothing else");
        assert_eq!((&*fills[0].target, &fills[0].source, fills[0].conversions.len()), ("name", &field("title"), 0));
        let Conversion::ValueMap(back) = &fills[1].conversions[0] else { panic!("{:?}", fills[1]) };
        // “3” stands for two: neither is marked, so that it waits for a row.
        assert_eq!((&*back.rows, &back.otherwise), (&[row("1", "High", false)][..], &Fallback::Block));
        assert_eq!((&*fills[2].target, &fills[2].source), ("@links", &Source::Links));

        // Turned again it is as it was, but for what was only of one end.
        let (again, lost) = turned.turned(End::Right);
        assert!(lost.is_empty() && again.direction == Direction::ToRight);
        let ids = |lane: &Lane| lane.rules.iter().map(|r| r.id.to_string()).collect::<Vec<_>>();
        assert_eq!(ids(&again), ["title", "severity", "@links"]);
        assert_eq!(again.fills().map(|f| f.target.id().to_owned()).collect::<Vec<_>>(), ids(&again));
    }

    /// Where a rule is spelt out for both ends, it keeps the one that is asked for.
    #[test]
    fn a_rule_that_is_spelt_out_stays_as_it_is_there() {
        let fill = |target: &str, source: &str| Fill {
            target: target.into(),
            source: Source::Computed(source.into()),
            conversions: vec![],
        };
        let mut rule = Rule::filling(End::Right, fill("title", "name.upperAscii()"));
        rule.into.left = Some(fill("name", "title.lowerAscii()"));
        for end in End::BOTH {
            let turned = rule.turned(end).expect("it is there");
            assert_eq!((turned.fill(end), turned.fill(end.other())), (rule.fill(end), None));
        }
    }
}
