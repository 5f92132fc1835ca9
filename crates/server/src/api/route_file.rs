//! A route as one YAML file: to be kept beside code, read by people, and made again elsewhere.
//!
//! Decides what is in it: ends by the names of their systems, lanes with their rules; never an address, a sign-in or
//! an id of this installation. A file is read whole or refused whole, every fault with its line.

use axum::Extension;
use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use hovrel_core::rules::Lane;
use hovrel_intake::{Fault, FileFault, lines_of, read_yaml};
use hovrel_store::{NewRoute, Session};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::etags::etag;
use super::routes::{lane_faults, name_faults};
use super::standing::{RouteAnswer, answer};
use crate::App;
use crate::path::Path;
use crate::problem::{FieldProblem, Problem};

/// What the file begins with; a file of another form has another number.
const FORM: u32 = 2;
/// In form 1 a rule is flat, with its direction and without an id; it is still read.
const FORMER: u32 = 1;

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct RouteFile {
    hovrel_route: u32,
    name: String,
    left: EndFile,
    right: EndFile,
    /// Names of other routes from the same left end to whose items links lead. Left out of a new route, all that there are.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    links_lead_to: Option<Vec<String>>,
    lanes: Vec<Lane>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct EndFile {
    /// The name of the system.
    system: String,
    container: String,
}

/// A route as a file. Secrets are never in it.
#[utoipa::path(get, path = "/routes/{id}/file", operation_id = "getRouteFile", params(("id" = Uuid, Path)),
    responses((status = 200, body = serde_json::Value, content_type = "application/yaml")))]
pub async fn export(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let route = app.hub.store.route(id).await?;
    let end = async |system: Uuid, container: &str| -> Result<EndFile, Problem> {
        Ok(EndFile { system: app.hub.store.system(system).await?.name, container: container.to_owned() })
    };
    let file = RouteFile {
        hovrel_route: FORM,
        left: end(route.left_system, &route.left_container).await?,
        right: end(route.right_system, &route.right_container).await?,
        links_lead_to: Some(followed_names(&app, &route.follows).await?),
        lanes: serde_json::from_value(route.lanes)?,
        name: route.name,
    };
    let text = serde_saphyr::to_string(&file).map_err(Problem::internal)?;
    // The media type of RFC 9512.
    let headers = [
        (header::CONTENT_TYPE, "application/yaml".to_owned()),
        (header::CONTENT_DISPOSITION, format!("attachment; filename=\"{}.yaml\"", plain(&file.name))),
    ];
    Ok((headers, text).into_response())
}

/// The names of routes that are followed; those that were removed are left out.
async fn followed_names(app: &App, follows: &[Option<Uuid>]) -> Result<Vec<String>, Problem> {
    let routes = app.hub.store.routes().await?;
    let name = |id: &Uuid| routes.iter().find(|r| r.id == *id).map(|r| r.name.clone());
    Ok(follows.iter().flatten().filter_map(name).collect())
}

/// A name of a file that every system takes.
fn plain(name: &str) -> String {
    let kept = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    let text: String = name.chars().map(kept).collect();
    let words: Vec<&str> = text.split('-').filter(|w| !w.is_empty()).collect();
    if words.is_empty() { "route".to_owned() } else { words.join("-") }
}

/// Makes a route from a file, or saves it as a new version of the route of that name between the same ends. Lanes
/// whose rules do not fit the ends are kept, as when they are saved by hand, and listed by the checks.
#[utoipa::path(post, path = "/routes/file", operation_id = "importRoute",
    request_body(content = String, content_type = "application/yaml"),
    responses((status = 200, body = RouteAnswer), (status = 201, body = RouteAnswer)))]
pub async fn import(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    text: String,
) -> Result<Response, Problem> {
    let file = read(&text).map_err(Problem::fields)?;
    let mut faults: Vec<Fault> = Vec::new();
    let fault = |pointer: &str, detail: String| Fault { pointer: pointer.to_owned(), detail };
    if ![FORMER, FORM].contains(&file.hovrel_route) {
        faults.push(fault("/hovrel_route", format!("this version reads form {FORM}, not {}", file.hovrel_route)));
    }
    let named = [name_faults(&file.name), lane_faults(&file.lanes)].concat();
    faults.extend(named.into_iter().map(|f| fault(&f.pointer, f.detail)));
    let systems = app.hub.store.systems().await?;
    let mut found = Vec::new();
    for (pointer, end) in [("/left/system", &file.left), ("/right/system", &file.right)] {
        match systems.iter().find(|s| s.name == end.system) {
            Some(system) => found.push(system.id),
            None => faults.push(fault(pointer, format!("no system is called “{}”; connect it first", end.system))),
        }
    }
    for (n, lane) in file.lanes.iter().enumerate() {
        if file.lanes[..n].iter().any(|l| l.id == lane.id) {
            faults.push(fault(&format!("/lanes/{n}/id"), format!("two lanes have the id “{}”", lane.id)));
        }
    }
    let name = file.name.trim();
    let routes = app.hub.store.routes().await?;
    let mut named = Vec::new();
    for (n, other) in file.links_lead_to.iter().flatten().enumerate() {
        match routes.iter().find(|r| r.name == *other && r.name != name) {
            Some(route) => named.push(route.id),
            None => {
                let why = format!("there is no other route called “{other}”; create it first, or leave it out");
                faults.push(fault(&format!("/links_lead_to/{n}"), why));
            }
        }
    }
    let named = file.links_lead_to.is_some().then_some(named);
    let existing = routes.into_iter().find(|r| r.name == name);
    if let ([left, right], Some(route)) = (found.as_slice(), &existing) {
        let ends = (route.left_system, &route.left_container, route.right_system, &route.right_container);
        if ends != (*left, &file.left.container, *right, &file.right.container) {
            let why = format!("there is a route called “{name}” between other ends; give this one another name");
            faults.push(fault("/name", why));
        }
    }
    if found.len() == 2 && found[0] == found[1] && file.left.container == file.right.container {
        faults.push(fault("/right", "both ends are the same".into()));
    }
    let ([left, right], true) = (found.as_slice(), faults.is_empty()) else {
        return Err(Problem::fields(told(lines_of(&text, faults))));
    };
    let lanes = serde_json::to_value(&file.lanes)?;
    let from = (*left, file.left.container.as_str());
    let follows = super::routes::followed(&app, existing.as_ref().map(|r| r.id), from, named).await?;
    let (id, status) = match existing {
        Some(route) => {
            let saved = (&lanes, follows);
            app.hub.store.save_route(route.id, route.version, name, saved, session.person.id).await?;
            (route.id, StatusCode::OK)
        }
        None => {
            let id = Uuid::now_v7();
            let new = NewRoute {
                id,
                name,
                left_system: *left,
                left_container: &file.left.container,
                right_system: *right,
                right_container: &file.right.container,
                lanes,
                follows: follows.unwrap_or_default(),
            };
            app.hub.store.make_route(&new, session.person.id).await?;
            (id, StatusCode::CREATED)
        }
    };
    let made = answer(&app, id).await?;
    Ok((status, etag(made.version), Json(made)).into_response())
}

/// Reads a file; every fault of form with its line.
fn read(text: &str) -> Result<RouteFile, Vec<FieldProblem>> {
    read_yaml(text).map_err(told)
}

/// The faults of a file, each with its line in what is told.
fn told(faults: Vec<FileFault>) -> Vec<FieldProblem> {
    let told = |FileFault { line, fault: Fault { pointer, detail } }| FieldProblem {
        pointer,
        detail: format!("line {line}: {detail}"),
    };
    faults.into_iter().map(told).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A file of this form, with the rules of its lane.
    fn file(form: u32, rules: &str) -> String {
        format!(
            "hovrel_route: {form}
name: Lift control moves
left: {{system: Oldstone, container: lift-control}}
right:
  system: Tallybench
  container: ropeway
lanes:
- id: test_case
  left_kind: test_case
  right_kind: test_case
  rules:
{rules}"
        )
    }

    fn good() -> String {
        let rules = "  - id: title
    into:
      right:
        target: title
        source: {field: name}
        conversions:
        - shorten: {to: 250}
";
        file(FORM, rules)
    }

    /// As versions wrote it in which rules had no ids.
    fn former() -> String {
        let rules = "  - target: title
    source:
      field: name
    conversions:
    - shorten: {to: 250}
";
        file(FORMER, rules)
    }

    #[test]
    fn a_file_of_before_says_the_same() {
        let lanes = |text: String| read(&text).unwrap_or_else(|f| panic!("{f:?}")).lanes;
        assert_eq!(lanes(former()), lanes(good()));
    }

    #[test]
    fn a_file_is_read_and_written_the_same() {
        let file = read(&good()).unwrap_or_else(|f| panic!("{f:?}"));
        let text = serde_saphyr::to_string(&file).expect("it is written");
        let again = read(&text).unwrap_or_else(|f| panic!("{text}\n{f:?}"));
        assert_eq!(again.lanes, file.lanes);
        assert_eq!(serde_saphyr::to_string(&again).expect("it is written"), text);
        let order: Vec<usize> = ["hovrel_route", "name:", "left:", "right:", "lanes:"]
            .iter()
            .map(|k| text.find(k).unwrap_or_else(|| panic!("{k} in {text}")))
            .collect();
        assert!(order.is_sorted(), "{text}");
    }

    #[test]
    fn every_fault_is_told_with_its_line() {
        let bad = good()
            .replace("name: Lift control moves", "nome: Lift control moves")
            .replace("  container: ropeway", "  container: ropeway\n  colour: red")
            .replace("shorten: {to: 250}", "shorten: {to: long}")
            .replace("left_kind: test_case", "left_kind: cabin");
        let faults = read(&bad).err().expect("faults");
        let lines: Vec<&str> = faults.iter().filter_map(|f| f.detail.split(':').next()).collect();
        assert_eq!(lines, ["line 1", "line 2", "line 7", "line 10", "line 19"], "{faults:#?}");
        let cut = read("name: [1, 2").err().expect("it is no YAML");
        assert!(cut.len() == 1 && cut[0].detail.starts_with("line "), "{cut:?}");
    }

    #[test]
    fn names_become_names_of_files() {
        assert_eq!(
            (plain("Lift control → moves!"), plain("Ålesund / 2"), plain("→")),
            ("lift-control-moves".into(), "lesund-2".into(), "route".into())
        );
    }
}
