//! What can go wrong with the store.

use diesel::result::{DatabaseErrorKind, Error};

#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    #[error("the database can't be reached: {0}")]
    Connect(String),
    #[error("{0} is not there")]
    Missing(&'static str),
    /// A name that must be unique, or a second transfer of one route.
    #[error("it exists already ({0})")]
    Exists(String),
    /// Still used by something else.
    #[error("it is still used ({0})")]
    InUse(String),
    /// Somebody saved another version since.
    #[error("somebody saved version {current} since")]
    Stale { current: i32 },
    #[error("the worker no longer holds the job")]
    LeaseLost,
    #[error("stored data can't be read: {0}")]
    Corrupt(String),
    #[error("the database refused: {0}")]
    Database(Error),
}

impl From<Error> for StoreError {
    fn from(e: Error) -> Self {
        match &e {
            Error::NotFound => StoreError::Missing("it"),
            Error::DatabaseError(DatabaseErrorKind::UniqueViolation, info) => {
                StoreError::Exists(info.constraint_name().unwrap_or_default().to_owned())
            }
            Error::DatabaseError(DatabaseErrorKind::ForeignKeyViolation, info) => {
                StoreError::InUse(info.constraint_name().unwrap_or_default().to_owned())
            }
            _ => StoreError::Database(e),
        }
    }
}

impl From<serde_json::Error> for StoreError {
    fn from(e: serde_json::Error) -> Self {
        StoreError::Corrupt(e.to_string())
    }
}
