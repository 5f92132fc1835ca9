//! A client of Hovrel's API, signed in, with the steps that every journey has.

use std::collections::BTreeMap;

use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

use crate::patience::PATIENCE;
use crate::{Known, OLDSTONE, Systems, TALLYBENCH, eventually};

#[derive(Clone)]
pub struct Client {
    http: reqwest::Client,
    pub address: String,
    cookie: String,
    csrf: String,
}

pub const LOGIN: &str = "admin";
pub const PASSWORD: &str = "a long enough password";

/// Whether a job ended, well or not.
pub fn is_over(job: &Value) -> bool {
    matches!(job["state"].as_str(), Some("done" | "failed" | "stopped"))
}

impl Client {
    /// Makes the first administrator if there is none, and signs in.
    pub async fn sign_in(address: &str) -> Client {
        let mut client = Client {
            http: reqwest::Client::builder().timeout(PATIENCE).build().expect("a client"),
            address: address.into(),
            cookie: String::new(),
            csrf: String::new(),
        };
        if client.get("/setup").await["needs_first_administrator"] == true {
            let first = json!({"login": LOGIN, "name": "First", "password": PASSWORD});
            assert_eq!(client.call(Method::POST, "/setup", Some(first), None).await.0, StatusCode::NO_CONTENT);
        }
        let body = json!({"login": LOGIN, "password": PASSWORD});
        let url = format!("{address}/api/v1/session");
        let answer = client.http.post(url).json(&body).send().await.expect("the server answers");
        let cookie = answer.headers()["set-cookie"].to_str().expect("a cookie is text").to_owned();
        client.cookie = cookie.split(';').next().unwrap_or_default().to_owned();
        let me: Value = answer.json().await.expect("JSON");
        client.csrf = me["csrf"].as_str().expect("a token").to_owned();
        client
    }

    /// One call: status and body.
    pub async fn call(
        &self,
        method: Method,
        path: &str,
        body: Option<Value>,
        version: Option<i64>,
    ) -> (StatusCode, Value) {
        let mut request = self.http.request(method, format!("{}/api/v1{path}", self.address));
        request = request.header("cookie", &self.cookie).header("x-hovrel-csrf", &self.csrf);
        if let Some(body) = body {
            request = request.json(&body);
        }
        if let Some(version) = version {
            request = request.header("if-match", format!("\"{version}\""));
        }
        let answer = request.send().await.expect("the server answers");
        let status = answer.status();
        let text = answer.text().await.expect("a body");
        (status, serde_json::from_str(&text).unwrap_or(Value::String(text)))
    }

    /// Reads something from a server that may be gone; none if it does not answer.
    pub async fn tried(&self, path: &str) -> Option<(StatusCode, Value)> {
        let request = self.http.get(format!("{}/api/v1{path}", self.address)).header("cookie", &self.cookie);
        let answer = request.send().await.ok()?;
        Some((answer.status(), answer.json().await.ok()?))
    }

    /// The same person at another server on the same database.
    pub fn at(&self, address: &str) -> Client {
        Client { address: address.to_owned(), ..self.clone() }
    }

    /// Sends a text that is no JSON: status and body.
    pub async fn send_text(&self, path: &str, media_type: &str, text: &str) -> (StatusCode, Value) {
        let request = self.http.post(format!("{}/api/v1{path}", self.address)).header("content-type", media_type);
        let request = request.header("cookie", &self.cookie).header("x-hovrel-csrf", &self.csrf);
        let answer = request.body(text.to_owned()).send().await.expect("the server answers");
        let status = answer.status();
        let text = answer.text().await.expect("a body");
        (status, serde_json::from_str(&text).unwrap_or(Value::String(text)))
    }

    pub async fn get(&self, path: &str) -> Value {
        let (status, body) = self.call(Method::GET, path, None, None).await;
        assert!(status.is_success(), "{path}: {status} {body}");
        body
    }

    /// A file.
    pub async fn bytes(&self, path: &str) -> Vec<u8> {
        let request = self.http.get(format!("{}/api/v1{path}", self.address)).header("cookie", &self.cookie);
        let answer = request.send().await.expect("the server answers");
        assert!(answer.status().is_success(), "{path}: {}", answer.status());
        answer.bytes().await.expect("a body").to_vec()
    }

    pub async fn post(&self, path: &str, body: Value) -> Value {
        let (status, body) = self.call(Method::POST, path, Some(body), None).await;
        assert!(status.is_success(), "{path}: {status} {body}");
        body
    }

    /// The server-sent events of a stream to its end, after the one with the given id: ids and data.
    pub async fn events(&self, path: &str, after: Option<i64>) -> Vec<(i64, String)> {
        let mut request = self.http.get(format!("{}/api/v1{path}", self.address)).header("cookie", &self.cookie);
        if let Some(id) = after {
            request = request.header("last-event-id", id.to_string());
        }
        let text = request.send().await.expect("the server answers").text().await.expect("the stream ends");
        let told = text.split("\n\n").filter(|event| event.contains("data:"));
        told.map(|event| {
            let line = |name: &str| event.lines().find_map(|l| l.strip_prefix(name)).map(str::trim);
            let id = line("id:").and_then(|i| i.parse().ok()).expect("an event has an id");
            (id, line("data:").unwrap_or_default().to_owned())
        })
        .collect()
    }

    /// Pauses, resumes or stops a job, and waits until it is in that state.
    pub async fn want(&self, job: &Value, wanted: &str, state: &str) {
        let path = format!("/jobs/{}", job["id"].as_str().expect("an id"));
        let said = self.call(Method::PUT, &format!("{path}/wanted"), Some(json!({"wanted": wanted})), None).await;
        assert!(said.0.is_success(), "{}", said.1);
        let there = async || (self.get(&path).await["state"] == state).then_some(());
        eventually(&format!("a job that was asked to {wanted}"), there).await;
    }

    /// Waits until a job is over; the job.
    pub async fn finish(&self, job: &Value) -> Value {
        let id = job["id"].as_str().expect("a job has an id");
        eventually("the end of a job", async || {
            let now = self.get(&format!("/jobs/{id}")).await;
            is_over(&now).then_some(now)
        })
        .await
    }

    /// Connects a system and surveys it; the end of a route.
    pub async fn connect(&self, systems: &Systems, known: &Known) -> Value {
        self.connect_at(known, known.name, &systems.address(known)).await
    }

    /// As [`Client::connect`], for a system of a known sort that has its own name and address.
    pub async fn connect_at(&self, known: &Known, name: &str, address: &str) -> Value {
        let sign_in: BTreeMap<&str, &str> = known.sign_in.iter().copied().collect();
        let body = json!({"name": name, "profile": known.profile, "address": address, "sign_in": sign_in});
        let system = self.post("/systems", body).await["id"].as_str().expect("an id").to_owned();
        self.surveyed(&system, known).await
    }

    /// Surveys a system that is connected; the end of a route.
    async fn surveyed(&self, system: &str, known: &Known) -> Value {
        let job = self.post(&format!("/systems/{system}/surveys"), json!({"container": known.container})).await;
        let job = self.finish(&job).await;
        assert_eq!(job["state"], "done", "{job}");
        json!({"system": system, "container": known.container})
    }

    /// As [`Client::connect`], or the end that it made before, surveyed anew.
    pub async fn connected(&self, systems: &Systems, known: &Known) -> Value {
        let there = self.get("/systems").await;
        let found = there.as_array().into_iter().flatten().find(|s| s["name"] == known.name);
        let Some(system) = found.and_then(|s| s["id"].as_str()) else { return self.connect(systems, known).await };
        self.surveyed(system, known).await
    }

    /// The lanes that are proposed between two ends, with every rule settled.
    pub async fn proposed_lanes(&self, left: &Value, right: &Value) -> Vec<Value> {
        let proposed = self.post("/routes/proposal", json!({"left": left, "right": right})).await;
        let accepted = |p: &Value| {
            let rules = p["suggestions"].as_array().expect("suggestions").iter().map(|s| s["rule"].clone());
            let mut lane = p["lane"].clone();
            lane["rules"] = rules.collect();
            lane
        };
        let mut lanes: Vec<Value> = proposed.as_array().expect("lanes").iter().map(accepted).collect();
        for rule in lanes.iter_mut().flat_map(|l| l["rules"].as_array_mut().expect("rules")) {
            let default = match rule["into"]["right"]["target"].as_str() {
                Some("priority") => "Normal",
                Some("importance") => "Useful",
                Some("outcome") => "error",
                Some("level") => "Detail",
                _ => "active",
            };
            for conversion in rule["into"]["right"]["conversions"].as_array_mut().expect("conversions") {
                if let Some(map) = conversion.get_mut("value_map") {
                    map["otherwise"] = json!({"use": default});
                }
            }
        }
        lanes
    }

    /// Keeps a route; its id.
    pub async fn keep_route(&self, name: &str, left: &Value, right: &Value, lanes: Vec<Value>) -> String {
        let body = json!({"name": name, "left": left, "right": right, "lanes": lanes});
        self.post("/routes", body).await["id"].as_str().expect("an id").to_owned()
    }

    /// Has the links of a route lead to the items of these other routes, and of no others.
    pub async fn follow(&self, route: &str, others: &[&str]) {
        self.save(route, json!({"follows": others})).await;
    }

    /// Saves a version of a route with these lanes.
    pub async fn save_lanes(&self, route: &str, lanes: &[Value]) {
        self.save(route, json!({"lanes": lanes})).await;
    }

    /// Saves a version of a route in which this is otherwise.
    pub async fn save(&self, route: &str, otherwise: Value) {
        let path = format!("/routes/{route}");
        let now = self.get(&path).await;
        let mut body = json!({"name": now["name"], "lanes": now["lanes"]});
        for (key, value) in otherwise.as_object().expect("an object") {
            body[key] = value.clone();
        }
        let (status, said) = self.call(Method::PUT, &path, Some(body), now["version"].as_i64()).await;
        assert!(status.is_success(), "{said}");
    }

    /// Connects and surveys both test management systems and makes a route with every rule settled; its id.
    pub async fn make_route(&self, systems: &Systems) -> String {
        let (left, right) = (self.connect(systems, &OLDSTONE).await, self.connect(systems, &TALLYBENCH).await);
        let lanes = self.proposed_lanes(&left, &right).await;
        self.keep_route("Lift control moves", &left, &right, lanes).await
    }

    /// Makes a dry run and waits for it; the plan in numbers.
    pub async fn dry_run(&self, route: &str) -> Value {
        let job = self.post(&format!("/routes/{route}/dry-runs"), json!({})).await;
        let job = self.finish(&job).await;
        assert_eq!(job["state"], "done", "{job}");
        self.get(&format!("/plans/{}", job["result"]["plan"].as_str().expect("a plan"))).await
    }

    pub async fn changes(&self, plan: &Value, query: &str) -> Vec<Value> {
        let id = plan["id"].as_str().expect("an id");
        let list = self.get(&format!("/plans/{id}/changes?limit=500&{query}")).await;
        list["items"].as_array().expect("items").clone()
    }

    /// Begins the transfer of a plan; the job.
    pub async fn transfer(&self, plan: &Value) -> Value {
        self.post(&format!("/plans/{}/transfer", plan["id"].as_str().expect("an id")), json!({})).await
    }

    /// Proves a route and waits for it; the proof.
    pub async fn prove(&self, route: &str) -> Value {
        let job = self.post(&format!("/routes/{route}/proofs"), json!({})).await;
        let job = self.finish(&job).await;
        assert_eq!(job["state"], "done", "{job}");
        self.get(&format!("/routes/{route}/proofs")).await["proof"].clone()
    }

    /// The whole ledger of a transfer, page by page.
    pub async fn ledger(&self, job: &Value) -> Vec<Value> {
        let path = format!("/jobs/{}/losses", job["id"].as_str().expect("an id"));
        let (mut out, mut after) = (Vec::new(), String::new());
        loop {
            let page = self.get(&format!("{path}?limit=100{after}")).await;
            out.extend(page["items"].as_array().expect("items").clone());
            match page["next"].as_str() {
                Some(next) => after = format!("&after={}", in_address(next)),
                None => {
                    assert_eq!(page["total"].as_i64(), Some(out.len() as i64), "the ledger is whole");
                    return out;
                }
            }
        }
    }

    /// Every change of a plan.
    pub async fn all_changes(&self, plan: &Value) -> Vec<Value> {
        let (mut out, mut after) = (Vec::new(), String::new());
        loop {
            let id = plan["id"].as_str().expect("an id");
            let page = self.get(&format!("/plans/{id}/changes?limit=500{after}")).await;
            out.extend(page["items"].as_array().expect("items").clone());
            match page["next"].as_i64() {
                Some(next) => after = format!("&after={next}"),
                None => return out,
            }
        }
    }

    /// Makes a plan and carries out all of it; returns the job when it ended.
    pub async fn transfer_all(&self, route: &str) -> Value {
        let plan = self.dry_run(route).await;
        self.decide_all(&plan).await;
        self.finish(&self.transfer(&plan).await).await
    }

    /// What a person would decide who wants everything moved: all in, and the end that is read wins.
    pub async fn decide_all(&self, plan: &Value) {
        let id = plan["id"].as_str().expect("an id");
        for change in self.all_changes(plan).await {
            if change["outcome"] == "blocked" || (change["included"] == true && change["conflicts_open"] == 0) {
                continue;
            }
            let path = format!("/plans/{id}/changes/{}", change["seq"]);
            let detail = self.get(&path).await;
            let write = format!("write_{}", change["written"].as_str().expect("an end"));
            let fields: BTreeMap<&str, &str> = detail["fields"]
                .as_array()
                .expect("fields")
                .iter()
                .map(|f| (f["field"].as_str().expect("a field"), write.as_str()))
                .collect();
            let body = json!({"included": true, "fields": fields});
            assert!(self.call(Method::PATCH, &path, Some(body), None).await.0.is_success());
        }
    }
}

/// A text as it stands in a query.
pub fn in_address(text: &str) -> String {
    percent_encoding::utf8_percent_encode(text, percent_encoding::NON_ALPHANUMERIC).to_string()
}
