//! Files and links that people add and take away at both ends, each by itself.
//!
//! Decides what an edit at one end makes of those at the other: what was added is added, what was taken away is taken away,
//! and everything else stays. What one end does not take, or has no place for, is no difference between them.

use super::convert::Converted;
use super::fault::FaultReason;
use super::links::leads_back;
use super::ways::BothWays;
use crate::agree::same;
use crate::loss::Loss;
use crate::model::{Artefact, End, Ends, LinkEnd, Slot, Value, sorted};

/// What stands for a member of one end at the other.
struct Made {
    /// None if the other end does not get it.
    value: Option<Value>,
    losses: Vec<Loss>,
}

/// A member that an end holds, and what is made of it for the other.
struct Held {
    value: Value,
    back: Option<Value>,
}

impl Held {
    /// Whether it stands for a member of the other end, of which `made` is made.
    fn stands_for(&self, member: &Value, made: &Value) -> bool {
        same(made, &self.value) || self.back.as_ref().is_some_and(|back| same(back, member))
    }
}

impl BothWays<'_> {
    /// Whether what the rule joins is a set of members that are added and taken away one by one.
    pub fn goes_by_member(&self) -> bool {
        matches!(self.ready.right.fill.target, Slot::Files | Slot::Links)
    }

    /// Puts what was added and taken away at one end onto what stands at the other. None where a file there has the name of
    /// another that was added or taken away; if it is `forced`, that one goes.
    pub(super) fn put_members(
        &self,
        into: End,
        (there, was, is): (&Value, &Value, &Value),
        forced: bool,
    ) -> Option<Converted> {
        match self.put_each(into, (there, was, is), forced) {
            Ok(put) => put,
            Err(fault) => Some(Converted { value: None, losses: Vec::new(), fault: Some(fault) }),
        }
    }

    fn put_each(
        &self,
        into: End,
        (there, was, is): (&Value, &Value, &Value),
        forced: bool,
    ) -> Result<Option<Converted>, FaultReason> {
        let (was, is) = (was.members(), is.members());
        let made = is.iter().map(|member| self.member(into, member)).collect::<Result<Vec<Made>, _>>()?;
        let losses = made.iter().flat_map(|made| made.losses.clone()).collect();
        let mut out: Vec<Held> = there.members().into_iter().map(|value| self.held(into, value)).collect();
        for gone in was.iter().filter(|was| !is_among(was, &is)) {
            let Some(old) = self.member(into, gone)?.value else { continue };
            // Several members of one end may be one at the other.
            if made.iter().any(|made| made.value.as_ref().is_some_and(|made| same(made, &old))) {
                continue;
            }
            out.retain(|held| !held.stands_for(gone, &old));
            match out.iter().position(|held| has_name_of(&held.value, &old)) {
                Some(at) if forced => drop(out.remove(at)),
                Some(_) => return Ok(None),
                None => {}
            }
        }
        for (added, made) in is.iter().zip(made).filter(|(is, _)| !is_among(is, &was)) {
            let Some(new) = made.value else { continue };
            if out.iter().any(|held| held.stands_for(added, &new)) {
                continue;
            }
            match out.iter().position(|held| has_name_of(&held.value, &new)) {
                Some(at) if forced => drop(out.remove(at)),
                Some(_) => return Ok(None),
                None => {}
            }
            out.push(self.held(into, new));
        }
        let value = Some(joined(out.iter().map(|held| &held.value)));
        Ok(Some(Converted { value, losses, fault: None }))
    }

    /// Whether two ends say the same by their members: each of them stands at the other end too, or has no place there.
    pub(super) fn members_agree(&self, now: Ends<&Value>) -> bool {
        let all_stand_for = |into: End| {
            let there: Vec<Held> = now[into].members().into_iter().map(|value| self.held(into, value)).collect();
            now[into.other()].members().iter().all(|member| match self.member(into, member) {
                Ok(Made { value: Some(made), .. }) => there.iter().any(|held| held.stands_for(member, &made)),
                Ok(Made { value: None, .. }) => true,
                Err(_) => false,
            })
        };
        End::BOTH.into_iter().all(all_stand_for)
    }

    /// The links of an end with those that led to an address of the other, of items that have been carried since, leading to
    /// their counterparts; none if there are none of these.
    pub fn led_on(&self, into: End, items: Ends<&Artefact>) -> Option<Value> {
        let (cx, here, there) = (self.cx[into], items[into.other()], items[into]);
        if !leads_back(&here.links, &there.links, cx.places) {
            return None;
        }
        let mut held = Slot::Links.of(there).members();
        for link in &here.links {
            let LinkEnd::Artefact { kind, id } = &link.target else { continue };
            let Some(old) = cx.places.address(*kind, id) else { continue };
            let Ok(Made { value: Some(made), .. }) = self.member(into, &Value::Links(vec![link.clone()])) else {
                continue;
            };
            let old = LinkEnd::Url(old);
            let is_old = |held: &Value| matches!(held, Value::Links(list) if list.iter().any(|l| l.target == old));
            if held.iter().any(is_old) {
                held.retain(|held| !is_old(held));
                held.push(made);
            }
        }
        let led_on = joined(held.iter());
        (!same(&led_on, &Slot::Links.of(there))).then_some(led_on)
    }

    /// A member that an end holds.
    fn held(&self, end: End, value: Value) -> Held {
        let back = self.member(end.other(), &value).ok().and_then(|back| back.value);
        Held { value, back }
    }

    fn member(&self, into: End, member: &Value) -> Result<Made, FaultReason> {
        let Converted { value, losses, fault } = self.made(into, &Value::Empty, member);
        match fault {
            Some(fault) => Err(fault),
            None => Ok(Made { value: value.filter(|made| !made.is_blank()), losses }),
        }
    }
}

/// Files or links of such members, in the order in which they are kept.
fn joined<'m>(members: impl Iterator<Item = &'m Value>) -> Value {
    let (mut files, mut links) = (Vec::new(), Vec::new());
    for member in members {
        match member {
            Value::Attachments(list) => files.extend(list.iter().cloned()),
            Value::Links(list) => links.extend(list.iter().cloned()),
            _ => {}
        }
    }
    files.sort_by(|a, b| a.name.cmp(&b.name));
    if links.is_empty() { Value::Attachments(files) } else { Value::Links(sorted(&links)) }.settled()
}

fn is_among(member: &Value, of: &[Value]) -> bool {
    of.iter().any(|other| same(member, other))
}

/// Whether two members are files of one name.
fn has_name_of(one: &Value, other: &Value) -> bool {
    match (one, other) {
        (Value::Attachments(one), Value::Attachments(other)) => {
            one.iter().zip(other).any(|(one, other)| one.name == other.name)
        }
        _ => false,
    }
}
