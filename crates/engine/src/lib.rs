//! The engine: surveys, dry runs, transfers and proofs as jobs that survive their worker.
//!
//! Decides when a call is made and what a failed one means; never what is to be written (the core
//! does). Invariants, numbered for the code that keeps them:
//!
//! 1. No call that writes is made before the journal says that it is intended.
//! 2. A call that may have been done is never repeated before looking.
//! 3. Pair, base, ledger and journal move in one transaction. A base moves only for what was written, to what the
//!    write's own answer says.
//! 4. A worker whose lease is lost stops at the next await, and makes no call that writes. Whatever it writes to the
//!    journal the database takes only while the lease is its own.
//! 5. A dry run makes no call that writes, and moves no base.

mod absent;
mod both;
mod drafted;
mod dry_run;
mod ends;
mod error;
mod files_read;
mod hub;
mod kept;
mod lease;
mod points;
mod proof;
mod rehearsed;
#[cfg(test)]
mod sample;
mod survey;
mod tidy;
mod transfer;
mod worker;

pub use dry_run::{PlanSummary, settled_by_lane};
pub use ends::{Mapped, RouteEnds, in_scope, lane_checks, prepare_items};
pub use error::EngineError;
pub use files_read::ReadFiles;
pub use hub::Hub;
#[cfg(feature = "failpoints")]
pub use points::points_from_environment;
pub use proof::{LedgerLoss, ProofOptions, RouteProof};
pub use survey::{folder_paths, path_of};
pub use tidy::tidy;
pub use worker::{WorkerOptions, run_worker, said_by};
