//! What can go wrong with an outside system, and what it means for a write.

use std::time::Duration;

use hovrel_core::model::Kind;

/// What went wrong with a call to an outside system. The texts are for people.
#[derive(Debug, Clone, thiserror::Error)]
#[allow(missing_docs, reason = "the fields of a variant are the words that stand in its text")]
pub enum ConnectError {
    /// No connection came about, so nothing was done.
    #[error("{address} can't be reached: {why}")]
    Unreachable { address: String, why: String },
    /// The answer is of another media type: a page for people, say.
    #[error("{address} answered {status} with {found} where {wanted} was expected")]
    NotData { address: String, status: u16, found: String, wanted: &'static str },
    /// The answer leads to another address; it is not followed.
    #[error("{address} redirects to {to}")]
    Redirected { address: String, to: String },
    /// Name, password, key or token are not taken.
    #[error("the sign-in was refused: {text}")]
    SignIn { text: String },
    /// The sign-in is taken, and may not do this.
    #[error("permission is missing: {text}")]
    Forbidden { text: String },
    /// The system says that there is no such thing.
    #[error("{what} is not there")]
    Missing { what: String },
    /// The system takes the call and refuses what it says; `field` is empty where it names none.
    #[error("the system refused the field {field}: {text}")]
    Refused { field: String, text: String },
    /// There is no more room for files.
    #[error("the system's quota is full: {text}")]
    Full { text: String },
    /// The write was based on a version that is not the item's any more.
    #[error("it was changed there since it was read")]
    Changed,
    /// What was to be made is there.
    #[error("the system already has an item with this origin mark")]
    Duplicate,
    /// The system takes no calls for a while, as long as it says so.
    #[error("the system asks to wait")]
    Busy { after: Option<Duration> },
    /// The call left, and no answer came.
    #[error("the answer was lost, so it may have been done: {why}")]
    Unknown { why: String },
    /// An error of the system itself.
    #[error("{address} answered {status}: {text}")]
    Failed { address: String, status: u16, text: String },
    /// What came is not what the profile, or the standard, says.
    #[error("the answer of {address} can't be read: {why}")]
    Malformed { address: String, why: String },
    /// The answer is beyond one of the [bounds](hovrel_core::bounds).
    #[error("the answer of {address} is more than Hovrel accepts: {why}")]
    TooMuch { address: String, why: String },
    /// The address is one that must not be called.
    #[error("{address} is closed: {why}")]
    Closed { address: String, why: String },
    /// The system keeps no artefacts of this kind.
    #[error("the system has no {0}")]
    NoSuchKind(Kind),
}

/// What a failed write means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// It was not done; trying again later is safe.
    NotDone,
    /// It may have been done: look first.
    Unknown,
    /// It will not be done; a person must act.
    Refused,
}

impl ConnectError {
    /// What it means for a write that failed with it.
    pub fn outcome(&self) -> Outcome {
        match self {
            // A name that can't be resolved or a port nobody listens on: the request never left.
            ConnectError::Unreachable { .. } | ConnectError::Busy { .. } => Outcome::NotDone,
            ConnectError::Unknown { .. }
            | ConnectError::Failed { .. }
            | ConnectError::Malformed { .. }
            | ConnectError::TooMuch { .. } => Outcome::Unknown,
            ConnectError::NotData { .. }
            | ConnectError::Redirected { .. }
            | ConnectError::SignIn { .. }
            | ConnectError::Forbidden { .. }
            | ConnectError::Missing { .. }
            | ConnectError::Refused { .. }
            | ConnectError::Full { .. }
            | ConnectError::Changed
            | ConnectError::Duplicate
            | ConnectError::Closed { .. }
            | ConnectError::NoSuchKind(_) => Outcome::Refused,
        }
    }

    /// What to do about it, for a person.
    pub fn advice(&self) -> &'static str {
        match self {
            ConnectError::Unreachable { .. } => {
                "Check the address and port, and whether the system is running and reachable from here."
            }
            ConnectError::NotData { .. } => {
                "The address probably belongs to a web page or another program. Use the address of the system itself, without a page's path."
            }
            ConnectError::Redirected { .. } => "Use the address it sends to, if you trust it.",
            ConnectError::SignIn { .. } => "Enter the sign-in again; ask the system's administrator if it has expired.",
            ConnectError::Forbidden { .. } => {
                "Ask the system's administrator for the permission, or use another account."
            }
            ConnectError::Missing { .. } => "It may have been deleted. Make a new dry run.",
            ConnectError::Refused { .. } => "Change the rule for this field, or the item, and make a new dry run.",
            ConnectError::Full { .. } => "Free up space there, then retry. What was done stays done.",
            ConnectError::Changed => "Nothing was overwritten. Make a new dry run to see both values.",
            ConnectError::Duplicate => "Make a new dry run; the item will be offered as a counterpart.",
            ConnectError::Busy { .. } => "Wait, then retry.",
            ConnectError::Unknown { .. } => "Retry; Hovrel looks first whether it was done.",
            ConnectError::Failed { .. } => "Retry; if it keeps failing, check the system's own log.",
            ConnectError::Malformed { .. } => "Check that the profile fits this version of the system.",
            ConnectError::TooMuch { .. } => {
                "Look at what the system holds there; a profile can ask for smaller pages. docs/security.md has the bounds."
            }
            ConnectError::Closed { .. } => {
                "Use an address that may be called, or have it opened: see --outside in docs/operations.md."
            }
            ConnectError::NoSuchKind(_) => "Choose another kind for this lane.",
        }
    }
}
