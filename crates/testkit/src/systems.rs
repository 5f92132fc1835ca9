//! Both simulated systems, small and fast, and connectors to them.

use std::collections::BTreeMap;
use std::time::Duration;

use hovrel_connect::{Credentials, HttpConnector, profile};
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::world::Size;
use hovrel_standins::{Running, oldstone, tallybench};

pub struct Both {
    pub oldstone: Running,
    pub tallybench: Running,
}

impl Both {
    pub async fn start(size: Size) -> Both {
        let old = oldstone::Options { size, delay: Duration::ZERO, calls_at_once: 16, ..Default::default() };
        let tally = tallybench::Options { size, calls_per_minute: 600_000, ..Default::default() };
        Both {
            oldstone: oldstone::start(old).await.expect("Oldstone starts"),
            tallybench: tallybench::start(tally).await.expect("Tallybench starts"),
        }
    }

    pub fn misbehave(&self, plan: FaultPlan) {
        self.oldstone.faults.set(FaultPlan { seed: plan.seed.wrapping_add(1), ..plan.clone() });
        self.tallybench.faults.set(plan);
    }
}

/// Connectors to both, signed in with their own credentials.
pub fn connectors(both: &Both) -> (HttpConnector, HttpConnector) {
    let profiles = profile::shipped();
    let make = |name: &str, url: String, asked: &[(&str, &str)]| {
        let found = profiles.iter().find(|p| p.profile == name).expect("the profile ships").clone();
        let asked: BTreeMap<String, String> = asked.iter().map(|(k, v)| ((*k).into(), (*v).into())).collect();
        HttpConnector::new(found, &url, Credentials(asked)).expect("the address is one")
    };
    (
        make("oldstone", both.oldstone.url(), &[("login", oldstone::LOGIN), ("password", oldstone::PASSWORD)]),
        make("tallybench", both.tallybench.url(), &[("key", tallybench::KEY)]),
    )
}
