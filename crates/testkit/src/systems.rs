//! The simulated systems, small and fast, and connectors to them.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use hovrel_clock::Clock;
use hovrel_connect::{Connector, Credentials, Offer, Outside, Reading};
use hovrel_core::model::{Artefact, Kind};
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::world::Size;
use hovrel_standins::{Running, cairnbook, fernway, oldstone, tallybench};

/// All of them, by one clock.
pub struct Systems {
    pub clock: Clock,
    pub oldstone: Running,
    pub tallybench: Running,
    pub fernway: Running,
    pub cairnbook: Running,
}

/// How a simulated system is reached: profile, container and what its sign-in asks for.
pub struct Known {
    pub profile: &'static str,
    pub name: &'static str,
    /// What stands after the host in the address that a person enters.
    pub path: &'static str,
    pub container: &'static str,
    pub sign_in: &'static [(&'static str, &'static str)],
}

pub const OLDSTONE: Known = Known {
    profile: "oldstone",
    name: "Oldstone",
    path: "",
    container: "lift-control",
    sign_in: &[("login", oldstone::LOGIN), ("password", oldstone::PASSWORD)],
};
pub const TALLYBENCH: Known = Known {
    profile: "tallybench",
    name: "Tallybench",
    path: "",
    container: "ropeway",
    sign_in: &[("key", tallybench::KEY)],
};
pub const FERNWAY: Known = Known {
    profile: "fernway",
    name: "Fernway",
    path: "",
    container: "ROPE",
    sign_in: &[("client", fernway::CLIENT), ("secret", fernway::SECRET)],
};

pub const CAIRNBOOK: Known = Known {
    profile: "oslc",
    name: "Cairnbook",
    path: "/rm/catalog",
    container: "/rm/providers/safety",
    sign_in: &[("login", cairnbook::LOGIN), ("password", cairnbook::PASSWORD)],
};

pub const KNOWN: [&Known; 4] = [&OLDSTONE, &TALLYBENCH, &FERNWAY, &CAIRNBOOK];

impl Systems {
    pub async fn start(size: Size) -> Systems {
        Systems::start_in(size, None).await
    }

    /// With what they hold kept in a folder, and begun with what is there.
    pub async fn start_in(size: Size, data: Option<PathBuf>) -> Systems {
        let to = || data.clone();
        let old =
            oldstone::Options { size, data: to(), delay: Duration::ZERO, calls_at_once: 16, ..Default::default() };
        let tally = tallybench::Options { size, data: to(), calls_per_minute: 600_000, ..Default::default() };
        let fern =
            fernway::Options { size, data: to(), calls_per_second: 10_000, longest_page: 7, ..Default::default() };
        let moor = cairnbook::Options { size, data: to(), calls_at_once: 16, ..Default::default() };
        Systems::beside(
            oldstone::start(old).await.expect("Oldstone starts"),
            tallybench::start(tally).await.expect("Tallybench starts"),
            fernway::start(fern).await.expect("Fernway starts"),
            cairnbook::start(moor).await.expect("Cairnbook starts"),
        )
    }

    /// Systems that were started, by one clock from now on.
    pub fn beside(oldstone: Running, tallybench: Running, fernway: Running, cairnbook: Running) -> Systems {
        let systems = Systems { clock: Clock::default(), oldstone, tallybench, fernway, cairnbook };
        KNOWN.iter().for_each(|known| systems.running(known).faults.go_by(&systems.clock));
        systems
    }

    pub fn running(&self, known: &Known) -> &Running {
        match known.name {
            "Oldstone" => &self.oldstone,
            "Tallybench" => &self.tallybench,
            "Fernway" => &self.fernway,
            _ => &self.cairnbook,
        }
    }

    /// The address that a person enters.
    pub fn address(&self, known: &Known) -> String {
        format!("{}{}", self.running(known).url(), known.path)
    }

    /// What the demo offers to connect, as the program reads it.
    pub fn presets(&self) -> serde_json::Value {
        let one = |k: &Known| {
            let sign_in: BTreeMap<&str, &str> = k.sign_in.iter().copied().collect();
            serde_json::json!({"name": k.name, "profile": k.profile, "address": self.address(k), "sign_in": sign_in})
        };
        KNOWN.into_iter().map(one).collect()
    }

    pub fn misbehave(&self, plan: FaultPlan) {
        for (n, known) in KNOWN.into_iter().enumerate() {
            let seed = plan.seed.wrapping_add(n as u64);
            self.running(known).faults.set(FaultPlan { seed, ..plan.clone() });
        }
    }

    /// A connector to one of them, signed in with its own credentials.
    pub fn connect(&self, known: &Known) -> Arc<dyn Connector> {
        known.connector_by(&self.address(known), &self.clock)
    }
}

impl Known {
    /// A connector to such a system at an address, signed in with its own credentials.
    pub fn connector(&self, address: &str) -> Arc<dyn Connector> {
        self.connector_by(address, &Clock::default())
    }

    fn connector_by(&self, address: &str, clock: &Clock) -> Arc<dyn Connector> {
        let offer = Offer::shipped().into_iter().find(|o| o.id == self.profile).expect("it ships");
        let asked: BTreeMap<String, String> = self.sign_in.iter().map(|(k, v)| ((*k).into(), (*v).into())).collect();
        offer
            .connect(address, Credentials(asked), &Arc::new(Outside::anywhere().by(clock)))
            .expect("the address is one")
    }
}

/// Connectors to the two test management systems.
pub fn connectors(systems: &Systems) -> (Arc<dyn Connector>, Arc<dyn Connector>) {
    (systems.connect(&OLDSTONE), systems.connect(&TALLYBENCH))
}

/// Every item of a kind; the total, where the system tells it, is that of the items read.
pub async fn read_all(c: &dyn Connector, container: &str, kind: Kind) -> Vec<Artefact> {
    let (mut reading, mut total) = (Reading::of(kind), None);
    while let Some(at) = reading.page(c, container).await.expect("a page") {
        total = at.total.or(total);
    }
    let items = reading.items();
    assert!(total.is_none_or(|t| t == items.len() as u64), "every item is read once");
    items
}
