//! Calls to the server's API with a key, and what its answers mean for a command.

use std::io::IsTerminal;

use reqwest::{Method, StatusCode};
use serde_json::Value;

use super::{Remote, Trouble};

pub struct Connection {
    http: reqwest::Client,
    server: String,
    key: String,
    /// Whether somebody watches.
    pub watched: bool,
}

impl Connection {
    pub fn new(remote: &Remote) -> Result<Connection, Trouble> {
        let key = match &remote.key_from {
            Some(path) => std::fs::read_to_string(path)
                .map_err(|e| Trouble::Usage(format!("the key file {} can't be read: {e}", path.display())))?,
            None => std::env::var("HOVREL_KEY").unwrap_or_default(),
        };
        let Some(server) = &remote.server else {
            return Err(Trouble::Usage("the server's address is needed: set HOVREL_SERVER, or give --server".into()));
        };
        if key.trim().is_empty() {
            let why = "a key is needed: set HOVREL_KEY, or name a file with --key-from; create one under Access keys";
            return Err(Trouble::Key(why.into()));
        }
        Ok(Connection {
            http: reqwest::Client::new(),
            server: server.trim_end_matches('/').to_owned(),
            key: key.trim().to_owned(),
            watched: !remote.quiet && !remote.json && std::io::stderr().is_terminal(),
        })
    }

    async fn call(&self, method: Method, path: &str, body: Body<'_>) -> Result<Vec<u8>, Trouble> {
        let mut request = self.http.request(method, format!("{}/api/v1{path}", self.server)).bearer_auth(&self.key);
        request = match body {
            Body::None => request,
            Body::Json(value) => request.json(value),
            Body::Yaml(text) => request.header("content-type", "application/yaml").body(text.to_owned()),
        };
        let unreachable = |e: reqwest::Error| Trouble::Failed(format!("{} can't be reached: {e}", self.server));
        let answer = request.send().await.map_err(unreachable)?;
        let status = answer.status();
        let bytes = answer.bytes().await.map_err(unreachable)?.to_vec();
        if status.is_success() { Ok(bytes) } else { Err(trouble(status, &bytes)) }
    }

    fn read(bytes: &[u8]) -> Result<Value, Trouble> {
        serde_json::from_slice(bytes).map_err(|e| Trouble::Failed(format!("the server's answer is not JSON: {e}")))
    }

    pub async fn get(&self, path: &str) -> Result<Value, Trouble> {
        Connection::read(&self.call(Method::GET, path, Body::None).await?)
    }

    pub async fn file(&self, path: &str) -> Result<Vec<u8>, Trouble> {
        self.call(Method::GET, path, Body::None).await
    }

    pub async fn post(&self, path: &str, body: Option<&Value>) -> Result<Value, Trouble> {
        Connection::read(&self.call(Method::POST, path, body.map_or(Body::None, Body::Json)).await?)
    }

    pub async fn post_yaml(&self, path: &str, text: &str) -> Result<Value, Trouble> {
        Connection::read(&self.call(Method::POST, path, Body::Yaml(text)).await?)
    }

    /// One of the things in a list, by name or id.
    pub async fn named(&self, list: &str, what: &str, name: &str) -> Result<Value, Trouble> {
        let all = self.get(list).await?;
        let all = all.as_array().cloned().unwrap_or_default();
        if let Some(found) = all.iter().find(|one| one["name"] == name || one["id"] == name) {
            return Ok(found.clone());
        }
        let names: Vec<&str> = all.iter().filter_map(|one| one["name"].as_str()).collect();
        let there =
            if names.is_empty() { "there is none".to_owned() } else { format!("there are: {}", names.join(", ")) };
        Err(Trouble::Usage(format!("no {what} is called “{name}”; {there}")))
    }

    pub async fn route(&self, name: &str) -> Result<Value, Trouble> {
        self.named("/routes", "route", name).await
    }
}

enum Body<'a> {
    None,
    Json(&'a Value),
    Yaml(&'a str),
}

/// What a refusal means, from its problem details (RFC 9457).
fn trouble(status: StatusCode, body: &[u8]) -> Trouble {
    let problem: Value = serde_json::from_slice(body).unwrap_or_default();
    let text = |key: &str| problem[key].as_str().unwrap_or_default().to_owned();
    let mut said = match problem["title"].as_str() {
        Some(title) => format!("{title}: {}", text("detail")),
        None => format!("the server answered {status}"),
    };
    if let Some(fields) = problem["fields"].as_array().filter(|f| !f.is_empty()) {
        said = text("title");
        for field in fields {
            said += &format!("\n  {}", field["detail"].as_str().unwrap_or_default());
        }
    }
    let advice = text("advice");
    if !advice.is_empty() {
        said += &format!("\n{advice}");
    }
    match status {
        StatusCode::UNAUTHORIZED | StatusCode::FORBIDDEN => Trouble::Key(said),
        StatusCode::CONFLICT => Trouble::Held(said),
        StatusCode::UNPROCESSABLE_ENTITY | StatusCode::BAD_REQUEST => Trouble::Usage(said),
        _ => Trouble::Failed(said),
    }
}
