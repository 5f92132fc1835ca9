//! Connectors: the contract every outside system is spoken to by, and the HTTP connector that speaks
//! to systems described by a profile.
//!
//! Knows systems; never decides what to do with what it reads. Every connector passes the conformance
//! suite in `tests/`. A new HTTP system needs a profile (a YAML file, see [`profile`]), not code.

mod contract;
mod error;
pub mod http;
pub mod profile;

pub use contract::{
    ByteStream, Capabilities, CheckState, CheckStep, Connector, Container, Credentials, Meter, MeterReading, Page,
    Write,
};
pub use error::{ConnectError, Outcome};
pub use http::HttpConnector;
