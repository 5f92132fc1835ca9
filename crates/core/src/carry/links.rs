//! Carrying links: to the counterpart where there is one, to an address where there is none.
//!
//! Decides what a link of the left becomes. A link to something that another route carried to another system, or
//! to another container of this one, leads there; a link to what is not carried leads back to the left, and that
//! is declared.

use super::context::PairLookup;
use crate::catalogue::FieldSchema;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Link, LinkEnd, LinkType, Reference, Value, sorted};
use crate::rules::{Fill, LinkTypes};

/// Links with their types replaced as the map says.
pub(super) fn retyped(map: &LinkTypes, value: Value, fill: &Fill, losses: &mut Vec<Loss>) -> Value {
    let Value::Links(list) = value else { return value };
    let mut out = Vec::new();
    for link in list {
        let link_type = match map.rows.iter().find(|r| r.left == link.link_type) {
            None => link.link_type.clone(),
            Some(row) => match &row.right {
                Some(other) => other.clone(),
                None => {
                    losses.push(Loss {
                        field: fill.target.clone(),
                        kind: LossKind::Dropped,
                        cause: LossCause::LinkTypeLeftOut,
                        before: link.display(),
                        after: String::new(),
                    });
                    continue;
                }
            },
        };
        out.push(Link::new(link_type, link.target));
    }
    Value::Links(sorted(&out))
}

pub fn links(
    value: Value,
    field: &FieldSchema,
    fill: &Fill,
    places: &(dyn PairLookup + Sync),
    losses: &mut Vec<Loss>,
) -> Value {
    let Value::Links(list) = value else { return value };
    let mut lose = |kind, cause, link: &Link, after: Option<&Link>| {
        losses.push(Loss {
            field: fill.target.clone(),
            kind,
            cause,
            before: link.display(),
            after: after.map(Link::display).unwrap_or_default(),
        });
    };
    let mut out = Vec::new();
    for link in list {
        let (target, carried) = match &link.target {
            LinkEnd::Artefact { kind, id } => match places.counterpart(*kind, id) {
                Some(place) => match place.reference {
                    Reference::Known(id) => (LinkEnd::Artefact { kind: place.kind, id }, true),
                    Reference::Pending { kind, id } => (LinkEnd::Pending { kind, id }, true),
                },
                None => match (places.elsewhere(*kind, id), places.address(*kind, id)) {
                    (Some(there), _) => (there, true),
                    (None, Some(url)) => (LinkEnd::Url(url), false),
                    (None, None) => {
                        lose(LossKind::Dropped, LossCause::NotCarried, &link, None);
                        continue;
                    }
                },
            },
            other => (other.clone(), true),
        };
        let known = |t: &LinkType| field.link_types.as_ref().is_none_or(|types| types.contains(t));
        let link_type = if known(&link.link_type) { link.link_type.clone() } else { LinkType::RelatesTo };
        if !known(&link_type) {
            lose(LossKind::Dropped, LossCause::NoSuchLinkType, &link, None);
            continue;
        }
        // What the left calls it is the left's own.
        let made = Link::new(link_type, target);
        if made.link_type != link.link_type {
            lose(LossKind::Downgraded, LossCause::NoSuchLinkType, &link, Some(&made));
        }
        if !carried {
            lose(LossKind::Downgraded, LossCause::LinkKeptAsAddress, &link, Some(&made));
        }
        out.push(made);
    }
    Value::Links(sorted(&out))
}

/// Whether a counterpart still has a link to an address at the left although the linked item has been carried
/// since, by this route or another, so that the link could lead to its counterpart.
pub fn leads_back(links: &[Link], held: &[Link], places: &(dyn PairLookup + Sync)) -> bool {
    links.iter().any(|link| {
        let LinkEnd::Artefact { kind, id } = &link.target else { return false };
        let Some(old) = places.address(*kind, id) else { return false };
        held.iter().any(|h| matches!(&h.target, LinkEnd::Url(url) if *url == old))
            && (places.elsewhere(*kind, id).is_some() || places.counterpart(*kind, id).is_some())
    })
}
