//! Where the artefacts of one end are, or will be, at the other.
//!
//! Decides which of several lanes and routes says where an item is: the first that carries it.

use std::collections::HashMap;
use std::sync::Arc;

use hovrel_connect::Connector;
use hovrel_core::carry::{PairLookup, Place};
use hovrel_core::model::{Artefact, Kind, LinkEnd, Reference};

/// Where the artefacts of the end that values come from are, or will be, at the end that values go into.
#[derive(Default)]
pub struct Places {
    places: HashMap<(Kind, String), Place>,
    /// Where what another route carried from there is.
    elsewhere: HashMap<(Kind, String), LinkEnd>,
    /// Items of the end that values come from, by what people call them.
    called: HashMap<String, (Kind, String)>,
    /// What people call the items of the other.
    names: HashMap<(Kind, String), String>,
    /// Knows where a person finds an item of the end that values come from.
    from: Option<Arc<dyn Connector>>,
    /// While rules are tried out, everything counts as carried.
    assume: bool,
}

impl Places {
    /// For previews and checks, where nothing is paired yet.
    pub fn assumed() -> Places {
        Places { assume: true, ..Places::default() }
    }

    /// `kind` is the one of the item that values come from, `place` tells the other. Of several lanes of one kind, the first
    /// in the route that carries an item says where it is.
    pub fn set(&mut self, kind: Kind, id: &str, place: Place) {
        self.places.entry((kind, id.to_owned())).or_insert(place);
    }

    /// Of several routes that carry an item, the one that is named first says where it is.
    pub fn set_elsewhere(&mut self, kind: Kind, id: &str, there: &LinkEnd) {
        self.elsewhere.entry((kind, id.to_owned())).or_insert_with(|| there.clone());
    }

    /// Notes the keys of both ends, so that texts can be led on from one to the other.
    pub fn set_keys<'a>(&mut self, from: impl Iterator<Item = &'a Artefact>, to: impl Iterator<Item = &'a Artefact>) {
        // Nobody calls a folder by its key, and what looks like one is something else.
        let spoken_of = from.filter(|a| a.kind != Kind::Folder);
        self.called = spoken_of.map(|a| (a.key.clone(), (a.kind, a.id.clone()))).collect();
        self.names = to.map(|a| ((a.kind, a.id.clone()), a.key.clone())).collect();
    }

    pub fn set_from(&mut self, from: Arc<dyn Connector>) {
        self.from = Some(from);
    }
}

impl PairLookup for Places {
    fn counterpart(&self, kind: Kind, id: &str) -> Option<Place> {
        let key = (kind, id.to_owned());
        let assumed = || Place { kind, reference: Reference::Pending { kind, id: id.to_owned() } };
        self.places.get(&key).cloned().or_else(|| self.assume.then(assumed))
    }

    fn elsewhere(&self, kind: Kind, id: &str) -> Option<LinkEnd> {
        self.elsewhere.get(&(kind, id.to_owned())).cloned()
    }

    fn address(&self, kind: Kind, id: &str) -> Option<String> {
        self.from.as_ref()?.address(kind, id)
    }

    fn called(&self, key: &str) -> Option<(Kind, String)> {
        self.called.get(key).cloned()
    }

    fn name_there(&self, kind: Kind, id: &str) -> Option<String> {
        self.names.get(&(kind, id.to_owned())).cloned()
    }
}
