//! What tests share: a database per test, both simulated systems, and a client of the API.
//!
//! The tests that need PostgreSQL find it by `HOVREL_TEST_DATABASE_URL`, which `./test` sets.

mod client;
mod database;
mod systems;

pub use client::Client;
pub use database::Database;
pub use systems::{Both, connectors};
