//! What can be connected: systems that a profile describes, and those that speak a standard.
//!
//! Decides what a person is asked for before a system is connected, and which connector then speaks to it.

use std::sync::Arc;

use hovrel_core::model::Kind;

use crate::profile::{Ask, Profile};
use crate::{ConnectError, Connector, Credentials, HttpConnector, OslcConnector, Outside, oslc, profile};

/// One sort of system.
#[derive(Debug, Clone)]
pub struct Offer {
    /// The id of its profile, or that of the standard.
    pub id: String,
    /// What it is called where it is chosen.
    pub title: String,
    /// A line about it.
    pub about: String,
    /// What to enter as the address.
    pub address: &'static str,
    /// What the connect form asks for.
    pub asks: Vec<Ask>,
    /// The kinds that it may have.
    pub kinds: Vec<Kind>,
    speaks: Speaks,
}

#[derive(Debug, Clone)]
enum Speaks {
    Profile(Box<Profile>),
    Oslc,
}

impl Offer {
    /// The sort of system that a profile describes.
    pub fn of(profile: Profile) -> Offer {
        Offer {
            id: profile.profile.clone(),
            title: profile.title.clone(),
            about: profile.about_it.clone(),
            address: "Where the system is, without a page's path, e.g. https://tests.skarnvik.example",
            asks: profile.asks.clone(),
            kinds: profile.kinds.keys().copied().collect(),
            speaks: Speaks::Profile(Box::new(profile)),
        }
    }

    fn oslc() -> Offer {
        Offer {
            id: oslc::ID.into(),
            title: "OSLC".into(),
            about:
                "Any provider of OSLC requirements, quality or change management: RDF, resource shapes, basic sign-in."
                    .into(),
            address: "Its service provider catalogue, e.g. https://requirements.skarnvik.example/catalog",
            asks: oslc::asks(),
            kinds: oslc::KINDS.to_vec(),
            speaks: Speaks::Oslc,
        }
    }

    /// What ships with Hovrel.
    pub fn shipped() -> Vec<Offer> {
        profile::shipped().into_iter().map(Offer::of).chain([Offer::oslc()]).collect()
    }

    /// A connector to a system of this sort, which calls nothing that `outside` does not permit.
    pub fn connect(
        &self,
        address: &str,
        credentials: Credentials,
        outside: &Arc<Outside>,
    ) -> Result<Arc<dyn Connector>, ConnectError> {
        Ok(match &self.speaks {
            Speaks::Profile(profile) => {
                Arc::new(HttpConnector::new((**profile).clone(), address, credentials, outside)?)
            }
            Speaks::Oslc => Arc::new(OslcConnector::new(address, credentials, outside)?),
        })
    }
}
