//! What is sent to a system, before anything is said of where it goes.

use serde_json::Value as Json;

/// A body with the headers that belong to it.
#[derive(Debug, Clone, Default)]
pub struct Request {
    pub body: Option<Json>,
    /// The root element, for XML.
    pub root: Option<String>,
    pub headers: Vec<(String, String)>,
}
