//! The proof: both ends, read again, compared pair by pair and field by field.
//!
//! Decides what agrees, what differs, and why, from what the ends hold now and what was agreed on. A
//! proof never trusts the transfer's own record of what it wrote.

mod causes;
mod lane;
mod order;
mod proof;
mod said;

pub use causes::{DifferenceCause, Fate, Progress, Weight};
pub use lane::{Proven, prove_lane};
pub use proof::{
    AbsentItem, Difference, FieldProof, FileCompared, FileNotRead, FilesRead, Headline, LaneProof, OrderProof,
    PieceProof, ProofItem, ProofLoss, WaitsFor,
};
