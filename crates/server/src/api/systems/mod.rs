//! Systems: connected, checked, surveyed, looked at.

pub mod check;
pub mod connect;
pub mod items;
pub mod profiles;
pub mod surveys;

pub use check::{CheckStepAnswer, StepState};
pub use connect::SystemAnswer;
pub use profiles::Preset;
