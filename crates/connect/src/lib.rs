//! Connectors: the contract every outside system is spoken to by, and the HTTP connector that speaks
//! to systems described by a profile, and the OSLC connector that speaks to any provider of it.
//!
//! Knows systems; never decides what to do with what it reads. Every connector passes the conformance
//! suite in `tests/`. A new HTTP system needs a profile (a YAML file, see [`profile`]), not code.

#![warn(missing_docs)]

pub mod address;
mod aside;
mod check;
mod contract;
mod error;
pub mod http;
mod offer;
pub mod oslc;
mod outside;
pub mod profile;
mod reading;
mod sending;
mod told;
mod transport;

pub use contract::{
    Added, ByteStream, Capabilities, CheckState, CheckStep, Connector, Container, Credentials, Made, Meter,
    MeterReading, Page, Write, Written,
};
pub use error::{ConnectError, Outcome};
pub use http::HttpConnector;
pub use offer::Offer;
pub use oslc::OslcConnector;
pub use outside::Outside;
pub use reading::{Progress, Reading};
