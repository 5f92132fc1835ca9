//! What tests share: a database per test, the simulated systems, and a client of the API.
//!
//! The tests that need PostgreSQL find it by `HOVREL_TEST_DATABASE_URL`, which `./test` sets.

mod client;
mod database;
mod pages;
mod patience;
pub mod saltmere;
mod settled;
mod systems;
mod writing;

pub use client::{Client, LOGIN, PASSWORD, in_address, is_over};
pub use database::Database;
pub use pages::{page_source, save_page};
pub use patience::{eventually, within};
pub use settled::{mirrored, rule_into_right, settled, settled_route};
pub use systems::{CAIRNBOOK, FERNWAY, KNOWN, Known, OLDSTONE, Systems, TALLYBENCH, connectors, read_all};
pub use writing::{put, walk};
