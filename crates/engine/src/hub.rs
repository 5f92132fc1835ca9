//! The hub: the store, the key that opens credentials, and what can be connected.

use std::collections::HashMap;
use std::sync::Arc;

use chrono::{DateTime, Utc};
use hovrel_connect::{Connector, Credentials, Offer, Outside};
use hovrel_store::{Sealer, Store, System};
use tokio::sync::Notify;
use uuid::Uuid;

use crate::EngineError;

#[derive(Clone)]
pub struct Hub {
    pub store: Store,
    pub sealer: Sealer,
    /// What can be connected, by the id that a system keeps as its profile.
    pub offers: Arc<HashMap<String, Offer>>,
    /// Where calls may go, and the clock that all time of day is told by.
    pub outside: Arc<Outside>,
    /// Wakes the workers of this process when a job is queued.
    pub wake: Arc<Notify>,
}

impl Hub {
    pub fn new(store: Store, sealer: Sealer, offers: Vec<Offer>, outside: Outside) -> Hub {
        let offers = offers.into_iter().map(|o| (o.id.clone(), o)).collect();
        Hub { store, sealer, offers: Arc::new(offers), outside: Arc::new(outside), wake: Arc::new(Notify::new()) }
    }

    /// What Hovrel's clock shows.
    pub fn now(&self) -> DateTime<Utc> {
        self.outside.clock().now()
    }

    pub fn seal(&self, system: Uuid, credentials: &Credentials) -> Result<Vec<u8>, EngineError> {
        let text = serde_json::to_vec(credentials)?;
        let failed =
            |e: hovrel_store::SealError| EngineError::Sealed { system: system.to_string(), why: e.to_string() };
        self.sealer.seal(&text, system.as_bytes()).map_err(failed)
    }

    pub fn unseal(&self, system: &System) -> Result<Credentials, EngineError> {
        let opened = self.sealer.open(&system.credentials, system.id.as_bytes());
        let bytes = opened.map_err(|e| EngineError::Sealed { system: system.name.clone(), why: e.to_string() })?;
        Ok(serde_json::from_slice(&bytes)?)
    }

    /// The secret key that signs proofs; made when it is first asked for.
    pub async fn signing_key(&self) -> Result<[u8; 32], EngineError> {
        const OWNER: &[u8] = b"signing key";
        let failed = |why: String| EngineError::Sealed { system: "the key that signs proofs".into(), why };
        loop {
            if let Some(sealed) = self.store.signing_key().await? {
                let opened = self.sealer.open(&sealed, OWNER).map_err(|e| failed(e.to_string()))?;
                return opened.try_into().map_err(|_| failed("it has another length".into()));
            }
            let secret: [u8; 32] = rand::random();
            let sealed = self.sealer.seal(&secret, OWNER).map_err(|e| failed(e.to_string()))?;
            self.store.keep_signing_key(&sealed).await?;
        }
    }

    /// A connector that speaks to a system with its credentials.
    pub fn connect(&self, system: &System) -> Result<Arc<dyn Connector>, EngineError> {
        self.connect_with(&system.name, &system.profile, &system.address, self.unseal(system)?)
    }

    pub fn connect_with(
        &self,
        name: &str,
        profile: &str,
        address: &str,
        credentials: Credentials,
    ) -> Result<Arc<dyn Connector>, EngineError> {
        let offer = self.offers.get(profile).ok_or_else(|| EngineError::NoProfile(profile.to_owned()))?;
        let connected = offer.connect(address, credentials, &self.outside);
        connected.map_err(|error| EngineError::System { system: name.to_owned(), error })
    }
}
