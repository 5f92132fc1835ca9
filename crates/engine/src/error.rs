//! What ends a job.

use hovrel_connect::ConnectError;
use hovrel_store::StoreError;

#[derive(Debug, thiserror::Error)]
pub enum EngineError {
    #[error("{system}: {error}. {}", .error.advice())]
    System { system: String, error: ConnectError },
    #[error(transparent)]
    Store(StoreError),
    #[error("the credentials of {system} can't be opened: {why}. Enter them again.")]
    Sealed { system: String, why: String },
    #[error("no profile is called {0}")]
    NoProfile(String),
    #[error("the route can't run yet: {}", .0.join("; "))]
    Faults(Vec<String>),
    #[error("stored data can't be read: {0}")]
    Corrupt(String),
    #[error("a plan in the making can't be kept in a file: {0}. Look whether the disk for temporary files is full.")]
    File(#[from] std::io::Error),
    #[error("the worker lost its lease")]
    LeaseLost,
    #[error("Error in Hovrel during this job ({0}); its log has the place. Nothing else was touched.")]
    Panicked(String),
}

impl EngineError {
    /// Whether only the database is away, so that the job can go on when it is back.
    pub fn is_away(&self) -> bool {
        matches!(self, EngineError::Store(e) if e.is_away())
    }
}

impl From<StoreError> for EngineError {
    fn from(e: StoreError) -> Self {
        match e {
            StoreError::LeaseLost => EngineError::LeaseLost,
            other => EngineError::Store(other),
        }
    }
}

impl From<serde_json::Error> for EngineError {
    fn from(e: serde_json::Error) -> Self {
        EngineError::Corrupt(e.to_string())
    }
}
