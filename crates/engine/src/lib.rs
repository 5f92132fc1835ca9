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

mod dry_run;
mod error;
mod hub;
mod jobs;
mod points;
mod proof;
mod reading;
mod route;
#[cfg(test)]
mod sample;
mod survey;
mod tidy;
mod transfer;
mod worker;

pub use dry_run::PlanSummary;
pub use error::EngineError;
pub use hub::Hub;
#[cfg(feature = "failpoints")]
pub use points::points_from_environment;
pub use proof::{LedgerLoss, ProofOptions, ReadFiles, RouteProof};
pub use reading::{folder_paths, path_of};
pub use route::{Places, RouteEnds, asked_by_lane, in_scope, lane_checks, prepare_items, settled_by_lane, turned};
pub use tidy::tidy;
pub use worker::{WorkerOptions, run_worker, said_by};
