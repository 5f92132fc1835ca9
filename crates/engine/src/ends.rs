//! The two ends of a route as the rules see them: catalogues, people, folders, scopes.

use std::collections::HashMap;
use std::sync::Arc;

use hovrel_connect::Connector;

use hovrel_core::catalogue::{Calls, Catalogue, KindSchema};
use hovrel_core::expression::Moment;
use hovrel_core::mapping::{
    Computed, Context, Fault, FaultReason, Lane, PATH, PairLookup, Place, Source, UserMatcher, check, expand_calls,
    link_to_refused_files,
};
use hovrel_core::model::{Artefact, Kind, LinkEnd, Reference, Value, ValueType};
use hovrel_core::scope::{Condition, Filter};

use crate::survey::path_of;

/// What both ends can hold.
pub struct RouteEnds {
    pub left_system: String,
    pub left: Catalogue,
    pub right: Catalogue,
    pub right_users: UserMatcher,
}

impl RouteEnds {
    pub fn new(left_system: String, left: Catalogue, right: Catalogue) -> RouteEnds {
        let right_users = UserMatcher::new(&right.users);
        RouteEnds { left_system, left, right, right_users }
    }

    /// What the rules of a lane look at; none if one of the ends lacks the kind.
    pub fn context<'a>(&'a self, lane: &Lane, places: &'a Mapped) -> Option<Context<'a>> {
        Some(Context {
            left_system: &self.left_system,
            left: &self.left,
            left_kind: self.left.kind(lane.left_kind)?,
            right_kind: self.right.kind(lane.right_kind)?,
            right_users: &self.right_users,
            places,
        })
    }
}

/// Where the artefacts of the left are, or will be, at the right.
#[derive(Default)]
pub struct Mapped {
    places: HashMap<(Kind, String), Place>,
    /// Where what another route carried from the left is.
    elsewhere: HashMap<(Kind, String), LinkEnd>,
    /// Items of the left by what people call them.
    called: HashMap<String, (Kind, String)>,
    /// What people call the items of the right.
    names: HashMap<(Kind, String), String>,
    /// Knows where a person finds an item of the left.
    left: Option<Arc<dyn Connector>>,
    /// While rules are tried out, everything counts as carried.
    assume: bool,
}

impl Mapped {
    /// For previews and checks, where nothing is paired yet.
    pub fn assumed() -> Mapped {
        Mapped { assume: true, ..Mapped::default() }
    }

    /// `kind` is the one at the left, `place` tells the one at the right. Of several lanes of one kind, the first in the
    /// route that carries an item says where it is.
    pub fn set(&mut self, kind: Kind, left_id: &str, place: Place) {
        self.places.entry((kind, left_id.to_owned())).or_insert(place);
    }

    /// Of several routes that carry an item, the one that is named first says where it is.
    pub fn set_elsewhere(&mut self, kind: Kind, left_id: &str, there: &LinkEnd) {
        self.elsewhere.entry((kind, left_id.to_owned())).or_insert_with(|| there.clone());
    }

    /// Notes the keys of both ends, so that texts can be led on from one to the other.
    pub fn set_keys<'a>(
        &mut self,
        left: impl Iterator<Item = &'a Artefact>,
        right: impl Iterator<Item = &'a Artefact>,
    ) {
        // Nobody calls a folder by its key, and what looks like one is something else.
        let spoken_of = left.filter(|a| a.kind != Kind::Folder);
        self.called = spoken_of.map(|a| (a.key.clone(), (a.kind, a.id.clone()))).collect();
        self.names = right.map(|a| ((a.kind, a.id.clone()), a.key.clone())).collect();
    }

    pub fn set_left(&mut self, left: Arc<dyn Connector>) {
        self.left = Some(left);
    }
}

impl PairLookup for Mapped {
    fn counterpart(&self, kind: Kind, left_id: &str) -> Option<Place> {
        let key = (kind, left_id.to_owned());
        let assumed = || Place { kind, reference: Reference::Pending { kind, id: left_id.to_owned() } };
        self.places.get(&key).cloned().or_else(|| self.assume.then(assumed))
    }

    fn elsewhere(&self, kind: Kind, left_id: &str) -> Option<LinkEnd> {
        self.elsewhere.get(&(kind, left_id.to_owned())).cloned()
    }

    fn at_left(&self, kind: Kind, left_id: &str) -> Option<String> {
        self.left.as_ref()?.address(kind, left_id)
    }

    fn called(&self, key: &str) -> Option<(Kind, String)> {
        self.called.get(key).cloned()
    }

    fn name_at_right(&self, kind: Kind, right_id: &str) -> Option<String> {
        self.names.get(&(kind, right_id.to_owned())).cloned()
    }
}

/// Brings the items of a lane's left kind into the form in which its rules take them: calls that can't be
/// kept are expanded (they can be kept only by a route that carries the shared steps too), the names of folders
/// and computed values stand beside the item where a rule asks for them, and a link leads to where a file stays that
/// is not taken.
pub fn prepare_items(
    items: &mut [Artefact],
    lane: &Lane,
    lanes: &[Lane],
    left: &Catalogue,
    right: &Catalogue,
    shared: &[Artefact],
    paths: &HashMap<String, Vec<String>>,
) {
    if lane.rules.iter().any(|r| r.source == Source::FolderPath) {
        for item in items.iter_mut() {
            let path = Value::ChoiceList(path_of(item, paths).to_vec());
            item.fields.set(PATH, path.settled());
        }
    }
    if let Some(kind) = left.kind(lane.left_kind) {
        let computed = Computed::of(lane, kind);
        for item in items.iter_mut().filter(|_| !computed.is_empty()) {
            computed.beside(item, kind, path_of(item, paths));
        }
    }
    let carried = lanes.iter().any(|l| l.left_kind == Kind::SharedSteps);
    let kind = right.kind(lane.right_kind);
    let mut fields = lane.rules.iter().filter_map(|r| kind?.field(&r.target));
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

/// The artefacts of an end that match a condition over their kind. `now` is what days ago are counted from.
pub fn in_scope<'a>(
    artefacts: &'a [Artefact],
    condition: &Condition,
    kind: &KindSchema,
    paths: &HashMap<String, Vec<String>>,
    now: Moment,
) -> Vec<&'a Artefact> {
    let filter = Filter::new(condition, kind, now);
    artefacts.iter().filter(|a| filter.matches(a, path_of(a, paths))).collect()
}

/// Every fault of a route's lanes. `items` gives the artefacts in scope of a lane.
pub fn lane_checks<'a>(lanes: &[Lane], ends: &RouteEnds, items: &dyn Fn(&Lane) -> Vec<&'a Artefact>) -> Vec<Fault> {
    let mut faults = Vec::new();
    let folders = Mapped::assumed();
    for (n, lane) in lanes.iter().enumerate() {
        let simple = |reason: FaultReason| Fault {
            lane: lane.id.clone(),
            field: String::new(),
            message: reason.describe(),
            reason,
            items: Vec::new(),
            item_count: 0,
            blocks: true,
        };
        if lanes[..n].iter().any(|l| l.id == lane.id) {
            faults.push(simple(FaultReason::FedTwice));
        }
        match ends.context(lane, &folders) {
            None => faults.push(simple(FaultReason::NoSuchKind)),
            Some(cx) => faults.extend(check(lane, &cx, &items(lane))),
        }
    }
    // Test cases in folders need the folders to be carried.
    let mirrors = |l: &Lane| l.left_kind != Kind::Folder && l.rules.iter().any(|r| r.source == Source::Folder);
    if let Some(lane) = lanes.iter().find(|l| mirrors(l)).filter(|_| !lanes.iter().any(|l| l.left_kind == Kind::Folder))
    {
        let reason = FaultReason::FolderNotCarried { folder: "every folder".into() };
        faults.push(Fault {
            lane: lane.id.clone(),
            field: hovrel_core::mapping::PARENT.into(),
            message: "the route has no lane for folders, so there is nothing to mirror into; add a folder lane or remove the rule".into(),
            reason,
            items: Vec::new(),
            item_count: 0,
            blocks: true,
        });
    }
    faults
}
