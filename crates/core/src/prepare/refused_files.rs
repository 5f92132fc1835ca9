//! A link to where the files stay that the other end refuses.
//!
//! Decides that an item with such a file gets a link to itself, so that whoever misses the file there finds it without
//! asking the plan.

use crate::carry::refusal;
use crate::catalogue::KindSchema;
use crate::model::{ATTACHMENTS, Artefact, LINKS, Link, LinkEnd, LinkType};
use crate::rules::{Lane, Source};

/// Gives an item that is read a link to itself if the other end refuses one of its files, for a lane that carries both files
/// and links. `there` is what its counterparts can hold.
pub fn link_to_refused_files(item: &mut Artefact, lane: &Lane, there: &KindSchema) {
    let fed = |target, source| lane.fills().any(|f| f.target == target && f.source == source);
    let (Some(field), Some(links), Some(url)) = (there.field(ATTACHMENTS), there.field(LINKS), &item.url) else {
        return;
    };
    let takes = links.link_types.as_ref().is_none_or(|types| types.contains(&LinkType::RelatesTo));
    let carried = fed(ATTACHMENTS, Source::Attachments) && fed(LINKS, Source::Links);
    if takes && carried && item.attachments.iter().any(|file| refusal(file, field).is_some()) {
        let link = Link::new(LinkType::RelatesTo, LinkEnd::Url(url.clone()));
        if !item.links.iter().any(|l| l.is_same(&link)) {
            item.links.push(link);
        }
    }
}
