//! The real program as a whole: through its API, and through the browser.

mod browser;
mod journey;
mod pairs;
mod program;
mod routes;
