//! What can go wrong with the store.

use diesel::result::{DatabaseErrorKind, Error};

/// What can go wrong with the store. The texts are for people.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// Nobody answers, or the connection ended while something was asked.
    #[error("the database can't be reached: {0}")]
    Away(String),
    /// What is there can't be used: the schema can't be brought up to date.
    #[error("the database can't be used: {0}")]
    Schema(String),
    /// A later Hovrel was at it.
    #[error(
        "the database is of a later Hovrel: {0}. Start that one, or restore the backup from before it was brought in"
    )]
    Later(String),
    /// There is no such row.
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
    Stale {
        /// The version that is there now.
        current: i32,
    },
    /// Another worker took the job over, since this one was silent for too long.
    #[error("the worker no longer holds the job")]
    LeaseLost,
    /// What was kept is not what this program keeps.
    #[error("stored data can't be read: {0}")]
    Corrupt(String),
    /// The database refused, for a reason that is not one of the others.
    #[error("the database refused: {0}")]
    Database(Error),
}

impl StoreError {
    /// Whether it is the database that is away, and not what was asked of it: the same may be asked again later.
    pub fn is_away(&self) -> bool {
        matches!(self, StoreError::Away(_))
    }
}

/// Whether a row that others still point at was to be removed, and not one kept that points at nothing, in the words of the
/// server's untranslated messages: both have one code (PostgreSQL, appendix A, 23503).
fn is_still_used(message: &str) -> bool {
    message.starts_with("update or delete on table")
}

/// What a server says that ends, has just ended or has just begun (PostgreSQL, appendix A, class 57), in the words of its
/// untranslated messages: the code itself does not come through Diesel.
fn says_goodbye(message: &str) -> bool {
    message.starts_with("terminating connection") || message.starts_with("the database system is")
}

impl From<Error> for StoreError {
    fn from(e: Error) -> Self {
        use DatabaseErrorKind::{ClosedConnection, UnableToSendCommand};
        match &e {
            Error::NotFound => StoreError::Missing("it"),
            Error::BrokenTransactionManager => StoreError::Away(e.to_string()),
            Error::DatabaseError(ClosedConnection | UnableToSendCommand, _) => StoreError::Away(e.to_string()),
            Error::DatabaseError(DatabaseErrorKind::Unknown, info) if says_goodbye(info.message()) => {
                StoreError::Away(e.to_string())
            }
            Error::RollbackErrorOnCommit { rollback_error, .. }
                if matches!(**rollback_error, Error::DatabaseError(ClosedConnection | UnableToSendCommand, _)) =>
            {
                StoreError::Away(e.to_string())
            }
            Error::DatabaseError(DatabaseErrorKind::UniqueViolation, info) => {
                StoreError::Exists(info.constraint_name().unwrap_or_default().to_owned())
            }
            Error::DatabaseError(DatabaseErrorKind::ForeignKeyViolation, info) if is_still_used(info.message()) => {
                StoreError::InUse(info.constraint_name().unwrap_or_default().to_owned())
            }
            Error::DatabaseError(DatabaseErrorKind::ForeignKeyViolation, _) => {
                StoreError::Missing("what it belongs to")
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
