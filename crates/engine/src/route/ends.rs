//! The two ends of a route as the rules see them: catalogues, people, and items as rules take them.

use std::collections::HashMap;

use hovrel_core::carry::{Context, UserMatcher};
use hovrel_core::catalogue::{Calls, Catalogue};
use hovrel_core::model::{Artefact, End, Ends, FieldKey, Kind, PATH, Value, ValueType};
use hovrel_core::prepare::{Computed, expand_calls, link_to_refused_files};
use hovrel_core::rules::{Lane, Source};

use super::places::Places;
use crate::reading::path_of;

/// What both ends can hold.
pub struct RouteEnds {
    /// Names of the systems.
    pub systems: Ends<String>,
    pub catalogues: Ends<Catalogue>,
    users: Ends<UserMatcher>,
}

impl RouteEnds {
    pub fn new(systems: Ends<String>, catalogues: Ends<Catalogue>) -> RouteEnds {
        let users = catalogues.as_ref().map(|catalogue| UserMatcher::new(&catalogue.users));
        RouteEnds { systems, catalogues, users }
    }

    /// What the rules of a lane look at on their way into the end that it writes, or writes first; none if one of the ends
    /// lacks the kind.
    pub fn context<'a>(&'a self, lane: &Lane, places: &'a Places) -> Option<Context<'a>> {
        self.context_into(lane.written(), lane, places)
    }

    /// What the rules of a lane look at on their way into an end; none if one of the ends lacks the kind.
    pub fn context_into<'a>(&'a self, to: End, lane: &Lane, places: &'a Places) -> Option<Context<'a>> {
        let from = to.other();
        Some(Context {
            system: &self.systems[from],
            from: &self.catalogues[from],
            from_kind: self.catalogues[from].kind(lane.kind_at(from))?,
            to_kind: self.catalogues[to].kind(lane.kind_at(to))?,
            to_users: &self.users[to],
            places,
        })
    }
}

/// Brings the items that a lane reads into the form in which its rules take them: calls that can't be
/// kept are expanded (they can be kept only by a route that carries the shared steps too, the same way), the names of folders
/// and computed values stand beside the item where a rule asks for them, and a link leads to where a file stays that
/// is not taken.
pub fn prepare_items(
    items: &mut [Artefact],
    lane: &Lane,
    lanes: &[Lane],
    catalogues: &Ends<Catalogue>,
    shared: &[Artefact],
    paths: &HashMap<String, Vec<String>>,
) {
    if lane.fills().any(|f| f.source == Source::FolderPath) {
        let key = FieldKey::from(PATH);
        for item in items.iter_mut() {
            let path = Value::ChoiceList(path_of(item, paths).to_vec());
            item.fields.set(key.clone(), path.settled());
        }
    }
    let (read, written) = (lane.read(), lane.written());
    if let Some(kind) = catalogues[read].kind(lane.kind_at(read)) {
        let computed = Computed::of(lane, kind);
        for item in items.iter_mut().filter(|_| !computed.is_empty()) {
            computed.beside(item, kind, path_of(item, paths));
        }
    }
    let carried = lanes.iter().any(|l| l.kind_at(read) == Kind::SharedSteps && l.direction.writes(written));
    let kind = catalogues[written].kind(lane.kind_at(written));
    let mut fields = lane.fills().filter_map(|f| kind?.field(&f.target));
    let keep = match fields.find(|f| f.value_type == ValueType::Steps).filter(|_| carried) {
        Some(field) => field.calls,
        None => Calls::None,
    };
    let by_id: HashMap<&str, &Artefact> = shared.iter().map(|a| (a.id.as_str(), a)).collect();
    for item in items {
        if let Some(kind) = kind {
            link_to_refused_files(item, lane, kind);
        }
        if let Some(expanded) = expand_calls(item, &by_id, keep) {
            *item = expanded;
        }
    }
}
