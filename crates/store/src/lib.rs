//! What Hovrel remembers, in PostgreSQL. The only crate that knows SQL.
//!
//! Never converts, never decides. Each function says what it does in one transaction; what belongs
//! together is written together. Futures here may be dropped at any point: a transaction that was not
//! committed is rolled back by the server.

#![warn(missing_docs)]

mod artefacts;
mod conflicts;
mod decisions;
mod end;
mod error;
mod forms;
mod jobs;
mod journal;
mod kept;
mod keys;
mod losses;
mod marks;
mod matches;
mod newest;
mod pairs;
mod people;
mod pieces;
mod plans;
mod proofs;
mod receipts;
mod record;
mod retention;
mod routes;
mod schema;
mod seal;
mod steps;
mod systems;
mod total;
mod traces;
mod word;

use std::time::Duration;

use diesel::{ConnectionError, ConnectionResult};
use diesel_async::pooled_connection::bb8::{Pool, PooledConnection};
use diesel_async::pooled_connection::{AsyncDieselConnectionManager, ManagerConfig};
use diesel_async::{AsyncConnection, AsyncMigrationHarness, AsyncPgConnection, SimpleAsyncConnection};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};

pub use artefacts::{ArtefactFilter, ArtefactRow, Neighbour, NewArtefact, SurveyHead, SurveyRow};
pub use conflicts::{
    ConflictFilter, ConflictGroup, ConflictPlace, ConflictRow, FoundConflict, GenerationRow, Seen, SeenConflict,
    SettledConflict, StandingConflict,
};
pub use decisions::Decided;
pub use error::StoreError;
pub use jobs::{Holder, Job, JobEvent, JobKind, JobState, NewJob, Wanted};
pub use journal::{Applied, JournalItem, JournalRow, PairKey, Stage, TransferCounts};
pub use kept::{KeptHistory, NewHistory};
pub use keys::{Key, NewKey};
pub use losses::{LossFilter, LossGroup, LossPlace, LossRow, NewLoss};
pub use marks::{Claim, MarkAt};
pub use matches::{AskedMatch, NewMatch, SettledMatch};
pub use pairs::{Joined, LaneKinds, ListedPair, PairFilter, PairMove, PairRow, Quiet};
pub use people::{Person, Session};
pub use pieces::{Both, LetBe, NewPiece, PieceRow};
pub use plans::{BriefRow, ChangeCount, ChangeFilter, ChangeRow, Included, Lacking, NewChange, Plan};
pub use proofs::{Proof, ProofHead};
pub use receipts::{IncludedConflict, Undertaken};
pub use record::{NewLine, RecordFilter, RecordLine};
pub use retention::Cleared;
pub use routes::{NewRoute, Route, RouteVersion};
pub use seal::{SealError, Sealer};
pub use steps::{StepAt, StepRow};
pub use systems::{NewSystem, System};
pub use total::Total;
pub use traces::{Open, OpenChange, PairOf, Touch};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// Connections kept for heartbeats.
const VITAL: u32 = 2;

/// How long the first connection may take, and how long whoever needs one waits for it.
const FIRST_WAIT: Duration = Duration::from_secs(5);
const LONGEST_WAIT: Duration = Duration::from_secs(10);

/// A transaction in which nothing is asked for so long belongs to a program that sleeps: the server ends it, so that its
/// locks hold nobody up, the worker least of all that takes over its job.
const NOTHING_ASKED: &str = "set idle_in_transaction_session_timeout = '15s'";

/// A plan for any text is a bad one where a word that nothing holds and a word that everything holds are looked for by the
/// same statement: each is planned by what it asks for.
const PLANNED_EACH: &str = "set plan_cache_mode = force_custom_plan";

/// Connections to one database; cheap to clone.
#[derive(Clone)]
pub struct Store {
    pool: Pool<AsyncPgConnection>,
    /// For what keeps leases alive: nothing else may make it wait.
    vital: Pool<AsyncPgConnection>,
}

/// Rows that are made as they are written, so that not all of them are in memory at once.
pub type Rows<'a, R> = Box<dyn Iterator<Item = Result<R, serde_json::Error>> + Send + 'a>;

pub(crate) type Connection<'a> = PooledConnection<'a, AsyncPgConnection>;

async fn established(url: &str) -> ConnectionResult<AsyncPgConnection> {
    let mut connection = AsyncPgConnection::establish(url).await?;
    let set = connection.batch_execute(&format!("{NOTHING_ASKED}; {PLANNED_EACH}")).await;
    set.map(|()| connection).map_err(|e| ConnectionError::BadConnection(e.to_string()))
}

impl Store {
    /// Connects and brings the schema up to date. A database that is not there is told at once.
    pub async fn open(url: &str, connections: u32) -> Result<Store, StoreError> {
        let first = tokio::time::timeout(FIRST_WAIT, AsyncPgConnection::establish(url)).await;
        let first = first.map_err(|_| StoreError::Away(format!("no answer within {} s", FIRST_WAIT.as_secs())))?;
        first.map_err(|e| StoreError::Away(e.to_string()))?;
        let pool = async |most: u32| {
            let mut config = ManagerConfig::default();
            config.custom_setup = Box::new(|url| Box::pin(established(url)));
            let manager = AsyncDieselConnectionManager::<AsyncPgConnection>::new_with_config(url, config);
            let built = Pool::builder().max_size(most).connection_timeout(LONGEST_WAIT).build(manager).await;
            built.map_err(|e| StoreError::Away(e.to_string()))
        };
        let store = Store { pool: pool(connections).await?, vital: pool(VITAL).await? };
        store.migrate().await?;
        store.bring_up().await?;
        Ok(store)
    }

    async fn migrate(&self) -> Result<(), StoreError> {
        let connection = self.pool.get_owned().await.map_err(|e| StoreError::Away(e.to_string()))?;
        // The harness blocks; it runs beside the runtime's own threads.
        tokio::task::spawn_blocking(move || {
            let mut harness = AsyncMigrationHarness::new(connection);
            forms::refuse_later_schema(&mut harness)?;
            harness.run_pending_migrations(MIGRATIONS).map(|_| ()).map_err(|e| StoreError::Schema(e.to_string()))
        })
        .await
        .map_err(|e| StoreError::Schema(e.to_string()))?
    }

    pub(crate) async fn vital_connection(&self) -> Result<Connection<'_>, StoreError> {
        self.vital.get().await.map_err(|e| StoreError::Away(e.to_string()))
    }

    pub(crate) async fn connection(&self) -> Result<Connection<'_>, StoreError> {
        self.pool.get().await.map_err(|e| StoreError::Away(e.to_string()))
    }
}
