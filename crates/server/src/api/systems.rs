//! Systems: connect, check, survey, look.

use axum::extract::State;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Json};
use chrono::{DateTime, Utc};
use hovrel_connect::{CheckState, CheckStep, Credentials};
use hovrel_core::bounds::LONGEST_ID;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{Artefact, Kind};
use hovrel_core::survey::Survey;
use hovrel_store::{ArtefactFilter, NewJob, NewSystem, System};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::jobs::JobAnswer;
use crate::App;
use crate::access::Reach;
use crate::body::Body;
use crate::path::Path;
use crate::problem::{FieldProblem, Problem};
use crate::query::Query;

/// A system that the demo offers to connect.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Preset {
    pub name: String,
    pub profile: String,
    pub address: String,
    /// Sign-in of a simulated system; nothing real is ever a preset.
    pub sign_in: std::collections::BTreeMap<String, String>,
}

#[derive(Serialize, ToSchema)]
pub struct ProfileAnswer {
    profile: String,
    title: String,
    about: String,
    /// What to enter as the address.
    address: &'static str,
    asks: Vec<Asked>,
    kinds: Vec<Kind>,
}

#[derive(Serialize, ToSchema)]
struct Asked {
    id: String,
    label: String,
    secret: bool,
}

#[derive(Serialize, ToSchema)]
pub struct Profiles {
    profiles: Vec<ProfileAnswer>,
    presets: Vec<Preset>,
}

/// The kinds of system that can be connected.
#[utoipa::path(get, path = "/profiles", operation_id = "listProfiles", responses((status = 200, body = Profiles)))]
pub async fn profiles(State(app): State<App>) -> Json<Profiles> {
    let mut profiles: Vec<ProfileAnswer> = app
        .hub
        .offers
        .values()
        .map(|o| ProfileAnswer {
            profile: o.id.clone(),
            title: o.title.clone(),
            about: o.about.clone(),
            address: o.address,
            asks: o.asks.iter().map(|a| Asked { id: a.id.clone(), label: a.label.clone(), secret: a.secret }).collect(),
            kinds: o.kinds.clone(),
        })
        .collect();
    profiles.sort_by(|a, b| a.title.cmp(&b.title));
    Json(Profiles { profiles, presets: app.presets.to_vec() })
}

/// One step of a check.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct CheckStepAnswer {
    pub step: String,
    pub state: StepState,
    pub found: String,
    pub advice: String,
}

#[derive(Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum StepState {
    Ok,
    Warning,
    Failed,
    Skipped,
    /// The system does not tell.
    Unknown,
}

impl From<CheckStep> for CheckStepAnswer {
    fn from(s: CheckStep) -> CheckStepAnswer {
        let state = match s.state {
            CheckState::Ok => StepState::Ok,
            CheckState::Warning => StepState::Warning,
            CheckState::Failed => StepState::Failed,
            CheckState::Skipped => StepState::Skipped,
            CheckState::Unknown => StepState::Unknown,
        };
        CheckStepAnswer { step: s.step, state, found: s.found, advice: s.advice }
    }
}

#[derive(Serialize, ToSchema)]
pub struct SystemAnswer {
    pub id: Uuid,
    pub name: String,
    pub profile: String,
    pub profile_title: String,
    pub address: String,
    pub version: i32,
    /// The last check; none if it was never checked.
    pub check: Option<Vec<CheckStepAnswer>>,
    pub checked_at: Option<DateTime<Utc>>,
}

impl SystemAnswer {
    pub fn of(app: &App, s: System) -> Result<SystemAnswer, Problem> {
        Ok(SystemAnswer {
            profile_title: app.hub.offers.get(&s.profile).map_or_else(|| s.profile.clone(), |o| o.title.clone()),
            id: s.id,
            name: s.name,
            profile: s.profile,
            address: s.address,
            version: s.version,
            check: s.check_steps.map(serde_json::from_value).transpose()?,
            checked_at: s.checked_at,
        })
    }
}

/// Every system.
#[utoipa::path(get, path = "/systems", operation_id = "listSystems", responses((status = 200, body = Vec<SystemAnswer>)))]
pub async fn list(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
) -> Result<Json<Vec<SystemAnswer>>, Problem> {
    let mut systems = app.hub.store.systems().await?;
    systems.retain(|s| reach.system(s.id));
    Ok(Json(systems.into_iter().map(|s| SystemAnswer::of(&app, s)).collect::<Result<_, _>>()?))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SystemBody {
    name: String,
    profile: String,
    address: String,
    /// What the profile asks for, by id. Left out on a change: the sign-in stays.
    #[serde(default)]
    #[schema(value_type = Option<std::collections::HashMap<String, String>>)]
    sign_in: Option<Credentials>,
}

/// Bytes of a system's address.
const LONGEST_ADDRESS: usize = 2_000;

impl SystemBody {
    fn faults(&self, app: &App) -> Vec<FieldProblem> {
        let mut faults = Vec::new();
        let mut fault =
            |pointer: &str, detail: &str| faults.push(FieldProblem { pointer: pointer.into(), detail: detail.into() });
        if self.name.trim().is_empty() {
            fault("/name", "a name is needed");
        } else if self.name.contains(':') {
            fault("/name", "a colon can't stand in a name: it divides name and key in origin marks");
        }
        if self.name.chars().count() > 120 {
            fault("/name", "120 characters at most");
        }
        match self.address.trim() {
            "" => fault("/address", "an address is needed"),
            text if text.len() > LONGEST_ADDRESS => fault("/address", "it is too long for an address"),
            text => {
                if let Err(why) = hovrel_connect::address::read(text) {
                    fault("/address", &why);
                }
            }
        }
        match app.hub.offers.get(&self.profile) {
            None => fault("/profile", "there is no such profile"),
            Some(offer) => {
                if let Some(given) = &self.sign_in {
                    for ask in offer.asks.iter().filter(|a| given.0.get(&a.id).is_none_or(|v| v.is_empty())) {
                        fault(&format!("/sign_in/{}", ask.id), &format!("{} is needed", ask.label.to_lowercase()));
                    }
                    for id in given.0.keys().filter(|id| !offer.asks.iter().any(|a| a.id == **id)) {
                        fault(&format!("/sign_in/{id}"), "this system does not ask for it");
                    }
                }
            }
        }
        faults
    }
}

/// Connects a system. It is saved whether or not it answers; check it first.
#[utoipa::path(post, path = "/systems", operation_id = "makeSystem", request_body = SystemBody,
    responses((status = 201, body = SystemAnswer)))]
pub async fn make(State(app): State<App>, Body(new): Body<SystemBody>) -> Result<Response, Problem> {
    let mut faults = new.faults(&app);
    if new.sign_in.is_none() {
        faults.push(FieldProblem { pointer: "/sign_in".into(), detail: "a sign-in is needed".into() });
    }
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let id = Uuid::now_v7();
    let sealed = app.hub.seal(id, &new.sign_in.unwrap_or_default())?;
    let row = NewSystem {
        id,
        name: new.name.trim(),
        profile: &new.profile,
        address: new.address.trim(),
        credentials: &sealed,
    };
    app.hub.store.make_system(&row).await?;
    let made = SystemAnswer::of(&app, app.hub.store.system(id).await?)?;
    Ok((StatusCode::CREATED, etag(made.version), Json(made)).into_response())
}

/// Checks a system that is not saved.
#[utoipa::path(post, path = "/systems/check", operation_id = "tryOutSystem", request_body = SystemBody,
    responses((status = 200, body = Vec<CheckStepAnswer>)))]
pub async fn try_out(
    State(app): State<App>,
    Body(body): Body<SystemBody>,
) -> Result<Json<Vec<CheckStepAnswer>>, Problem> {
    let faults = body.faults(&app);
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let sign_in = body.sign_in.unwrap_or_default();
    let steps = match app.hub.connect_with(&body.name, &body.profile, &body.address, sign_in) {
        Ok(connector) => connector.check().await,
        Err(hovrel_engine::EngineError::System { error, .. }) => {
            let advice = error.advice().to_owned();
            vec![CheckStep {
                step: "Reach the address".into(),
                state: CheckState::Failed,
                found: error.to_string(),
                advice,
            }]
        }
        Err(e) => return Err(e.into()),
    };
    Ok(Json(steps.into_iter().map(CheckStepAnswer::from).collect()))
}

pub fn etag(version: i32) -> [(header::HeaderName, String); 1] {
    [(header::ETAG, format!("\"{version}\""))]
}

/// The version in If-Match (RFC 9110 §13.1.1); a change without it is refused.
pub fn if_match(headers: &HeaderMap) -> Result<i32, Problem> {
    let given = headers.get(header::IF_MATCH).and_then(|v| v.to_str().ok());
    given.and_then(|v| v.trim_matches('"').parse().ok()).ok_or_else(|| {
        Problem::new(
            StatusCode::PRECONDITION_REQUIRED,
            "no-version",
            "The version you saw is missing",
            "A change needs If-Match with the ETag of what it is based on.",
            "Load it, and send its ETag.",
        )
    })
}

/// One system.
#[utoipa::path(get, path = "/systems/{id}", operation_id = "getSystem", params(("id" = Uuid, Path)),
    responses((status = 200, body = SystemAnswer)))]
pub async fn one(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let system = SystemAnswer::of(&app, app.hub.store.system(id).await?)?;
    Ok((etag(system.version), Json(system)).into_response())
}

/// Changes address or sign-in. The name stays, since origin marks hold it.
#[utoipa::path(put, path = "/systems/{id}", operation_id = "changeSystem", params(("id" = Uuid, Path)), request_body = SystemBody,
    responses((status = 200, body = SystemAnswer)))]
pub async fn change(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    headers: HeaderMap,
    Body(body): Body<SystemBody>,
) -> Result<Response, Problem> {
    let seen = if_match(&headers)?;
    let system = app.hub.store.system(id).await?;
    let mut faults = body.faults(&app);
    if body.name.trim() != system.name || body.profile != system.profile {
        faults.push(FieldProblem { pointer: "/name".into(), detail: "name and profile stay as they are".into() });
    }
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let sealed = match &body.sign_in {
        Some(sign_in) => app.hub.seal(id, sign_in)?,
        // A sign-in must not be sent to an address it was not entered for.
        None if body.address.trim() != system.address => {
            return Err(Problem::field("/sign_in", "enter the sign-in again when the address changes"));
        }
        None => system.credentials,
    };
    app.hub.store.change_system(id, seen, body.address.trim(), &sealed).await?;
    one(State(app), Path(id)).await
}

/// Removes a system that no route uses.
#[utoipa::path(delete, path = "/systems/{id}", operation_id = "removeSystem", params(("id" = Uuid, Path)),
    responses((status = 204)))]
pub async fn remove(State(app): State<App>, Path(id): Path<Uuid>) -> Result<StatusCode, Problem> {
    let using = app.hub.store.routes().await?.into_iter().filter(|r| r.left_system == id || r.right_system == id);
    let names: Vec<String> = using.map(|r| format!("“{}”", r.name)).collect();
    match names.as_slice() {
        [] => app.hub.store.remove_system(id).await?,
        [one] => return Err(Problem::not_now(format!("The route {one} uses it."), "Remove the route first.")),
        more => {
            let detail = format!("The routes {} use it.", more.join(", "));
            return Err(Problem::not_now(detail, "Remove these routes first."));
        }
    }
    Ok(StatusCode::NO_CONTENT)
}

/// Checks a system step by step, and keeps the outcome.
#[utoipa::path(post, path = "/systems/{id}/check", operation_id = "checkSystem", params(("id" = Uuid, Path)),
    responses((status = 200, body = Vec<CheckStepAnswer>)))]
pub async fn check(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<Vec<CheckStepAnswer>>, Problem> {
    let system = app.hub.store.system(id).await?;
    let steps: Vec<CheckStepAnswer> =
        app.hub.connect(&system)?.check().await.into_iter().map(CheckStepAnswer::from).collect();
    app.hub.store.keep_check(id, &serde_json::to_value(&steps)?).await?;
    Ok(Json(steps))
}

#[derive(Serialize, ToSchema)]
pub struct ContainerAnswer {
    id: String,
    name: String,
}

/// The projects of a system, asked from it now.
#[utoipa::path(get, path = "/systems/{id}/containers", operation_id = "listContainers", params(("id" = Uuid, Path)),
    responses((status = 200, body = Vec<ContainerAnswer>)))]
pub async fn containers(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<ContainerAnswer>>, Problem> {
    let system = app.hub.store.system(id).await?;
    let found = app.hub.connect(&system)?.containers().await;
    let found = found.map_err(|error| hovrel_engine::EngineError::System { system: system.name, error })?;
    let found = found.into_iter().filter(|c| reach.container(id, &c.id));
    Ok(Json(found.map(|c| ContainerAnswer { id: c.id, name: c.name }).collect()))
}

#[derive(Serialize, ToSchema)]
pub struct SurveyAnswer {
    container: String,
    container_name: String,
    catalogue: Catalogue,
    survey: Survey,
    at: DateTime<Utc>,
}

#[derive(Serialize, ToSchema)]
pub struct Surveys {
    surveys: Vec<SurveyAnswer>,
    /// Surveys that run now.
    running: Vec<JobAnswer>,
}

/// What was last found in a system's projects.
#[utoipa::path(get, path = "/systems/{id}/surveys", operation_id = "listSurveys", params(("id" = Uuid, Path)),
    responses((status = 200, body = Surveys)))]
pub async fn surveys(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Path(id): Path<Uuid>,
) -> Result<Json<Surveys>, Problem> {
    let mut rows = app.hub.store.surveys(id).await?;
    rows.retain(|r| reach.container(id, &r.container));
    let read = |r: hovrel_store::SurveyRow| {
        Ok::<_, Problem>(SurveyAnswer {
            container: r.container,
            container_name: r.container_name,
            catalogue: serde_json::from_value(r.catalogue)?,
            survey: serde_json::from_value(r.survey)?,
            at: r.at,
        })
    };
    let mut running = app.hub.store.open_jobs_of_system(id).await?;
    running.retain(|j| reach.job(j));
    Ok(Json(Surveys {
        surveys: rows.into_iter().map(read).collect::<Result<_, _>>()?,
        running: running.into_iter().map(JobAnswer::of).collect(),
    }))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SurveyBody {
    container: String,
}

/// Begins a survey of a project.
#[utoipa::path(post, path = "/systems/{id}/surveys", operation_id = "surveySystem", params(("id" = Uuid, Path)), request_body = SurveyBody,
    responses((status = 202, body = JobAnswer)))]
pub async fn survey(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Path(id): Path<Uuid>,
    Body(body): Body<SurveyBody>,
) -> Result<Response, Problem> {
    if !(1..=LONGEST_ID).contains(&body.container.len()) {
        return Err(Problem::field("/container", format!("the id of a project has 1 to {LONGEST_ID} bytes")));
    }
    if !reach.container(id, &body.container) {
        return Err(Problem::field("/container", "none of the routes that this key is for connects it"));
    }
    app.hub.store.system(id).await?;
    let job = NewJob {
        id: Uuid::now_v7(),
        kind: "survey".into(),
        system_id: Some(id),
        container: Some(body.container),
        ..NewJob::default()
    };
    super::jobs::queue(&app, job).await
}

#[derive(Serialize, ToSchema)]
pub struct FolderNode {
    id: String,
    title: String,
    /// Titles of the folders above and this one.
    path: Vec<String>,
    /// Artefacts directly in it.
    items: u64,
}

/// The folders of a project with how much is in each, in order of their paths.
#[utoipa::path(get, path = "/systems/{id}/containers/{container}/folders", operation_id = "listFolders",
    params(("id" = Uuid, Path), ("container" = String, Path)),
    responses((status = 200, body = Vec<FolderNode>)))]
pub async fn folder_tree(
    State(app): State<App>,
    Path((id, container)): Path<(Uuid, String)>,
) -> Result<Json<Vec<FolderNode>>, Problem> {
    let store = &app.hub.store;
    let folders = app.cache.get(store, id, &container, Kind::Folder).await?;
    let cases = app.cache.get(store, id, &container, Kind::TestCase).await?;
    let mut counts: std::collections::HashMap<&str, u64> = std::collections::HashMap::new();
    for parent in cases.artefacts.iter().filter_map(|a| a.parent.as_deref()) {
        *counts.entry(parent).or_default() += 1;
    }
    let mut nodes: Vec<FolderNode> = folders
        .artefacts
        .iter()
        .map(|f| FolderNode {
            id: f.id.clone(),
            title: f.title.clone(),
            path: folders.paths.get(&f.id).cloned().unwrap_or_default(),
            items: counts.get(f.id.as_str()).copied().unwrap_or(0),
        })
        .collect();
    nodes.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(Json(nodes))
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ArtefactQuery {
    kind: Kind,
    /// Words in title, key or folder path.
    find: Option<String>,
    /// With `value`: only items whose field holds it.
    field: Option<String>,
    value: Option<String>,
    /// Only items with files, or only those whose text could not be read exactly.
    holds: Option<Holds>,
    /// Cursor of the page before.
    after: Option<i32>,
    limit: Option<i64>,
}

#[derive(Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Holds {
    Files,
    ReadLosses,
}

#[derive(Serialize, ToSchema)]
pub struct ArtefactList {
    items: Vec<ListedArtefact>,
    /// How many match; of a filter's matches 500 are counted.
    total: i64,
    /// More match than `total`, which were counted.
    more: bool,
    /// Cursor of the next page; none at the end.
    next: Option<i32>,
}

#[derive(Serialize, ToSchema)]
pub struct ListedArtefact {
    path: String,
    artefact: Artefact,
}

const PAGE: i64 = 100;

/// Artefacts of a project, as surveyed.
#[utoipa::path(get, path = "/systems/{id}/containers/{container}/artefacts", operation_id = "listArtefacts",
    params(("id" = Uuid, Path), ("container" = String, Path), ArtefactQuery),
    responses((status = 200, body = ArtefactList)))]
pub async fn artefacts(
    State(app): State<App>,
    Path((id, container)): Path<(Uuid, String)>,
    Query(query): Query<ArtefactQuery>,
) -> Result<Json<ArtefactList>, Problem> {
    let not_surveyed = || Problem::missing("A survey of this project");
    match &query.field {
        None => _ = app.hub.store.surveyed_at(id, &container).await?.ok_or_else(not_surveyed)?,
        Some(field) => {
            let schema = super::rules::end_schema(&app, id, &container).await?.ok_or_else(not_surveyed)?;
            if schema.catalogue.kind(query.kind).is_none_or(|k| k.field(field).is_none()) {
                let detail = format!("a {} has no field “{field}” there", query.kind.word());
                return Err(Problem::field("/field", detail));
            }
        }
    }
    let filter = ArtefactFilter {
        kind: query.kind.id().into(),
        find: query.find.filter(|f| !f.trim().is_empty()),
        field: query.field.map(|f| (f, query.value.unwrap_or_default())),
        with_files: query.holds == Some(Holds::Files),
        with_read_losses: query.holds == Some(Holds::ReadLosses),
        after: query.after.unwrap_or(0),
        limit: query.limit.unwrap_or(PAGE).clamp(1, 500),
    };
    let (rows, total) = app.hub.store.list_artefacts(id, &container, &filter).await?;
    let next = (rows.len() as i64 == filter.limit).then(|| rows.last().map(|r| r.seq)).flatten();
    let items =
        rows.into_iter().map(|r| Ok(ListedArtefact { path: r.path, artefact: serde_json::from_value(r.body)? }));
    Ok(Json(ArtefactList {
        items: items.collect::<Result<_, Problem>>()?,
        total: total.counted,
        more: total.more,
        next,
    }))
}
