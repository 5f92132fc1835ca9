//! The API, folder by subject.

pub mod account;
pub mod artefacts;
mod called;
pub mod conflicts;
mod etags;
pub mod evidence;
pub mod find;
pub mod jobs;
pub mod keys;
pub mod ledger;
mod losses;
pub mod matches;
pub(crate) mod names;
pub mod new_field;
pub mod plans;
pub mod preview;
pub mod proofs;
pub mod quiet;
pub mod record;
mod route_file;
pub mod routes;
pub mod rules;
pub mod scope;
pub mod standing;
mod suggested;
pub mod systems;
mod uses;
pub mod versions;
mod words;

use axum::Json;
use axum::http::StatusCode;
use axum::routing::get;
use utoipa::openapi::info::InfoBuilder;
use utoipa::openapi::{Content, OpenApi, PathItem, Ref, ResponseBuilder};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::App;
use crate::problem::Problem;

fn described() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(account::setup, account::make_first))
        .routes(routes!(account::session, account::sign_in, account::sign_out))
        .routes(routes!(keys::list, keys::make))
        .routes(routes!(keys::revoke))
        .routes(routes!(find::find))
        .routes(routes!(find::overview))
        .routes(routes!(systems::profiles::profiles))
        .routes(routes!(systems::connect::list, systems::connect::make))
        .routes(routes!(systems::connect::try_out))
        .routes(routes!(systems::connect::one, systems::connect::change, systems::connect::remove))
        .routes(routes!(systems::check::check))
        .routes(routes!(systems::surveys::containers))
        .routes(routes!(systems::surveys::surveys, systems::surveys::survey))
        .routes(routes!(systems::items::folder_tree))
        .routes(routes!(uses::list))
        .routes(routes!(systems::items::artefacts))
        .routes(routes!(artefacts::one))
        .routes(routes!(routes::list, routes::make))
        .routes(routes!(routes::propose))
        .routes(routes!(route_file::import))
        .routes(routes!(route_file::export))
        .routes(routes!(routes::one, routes::save, routes::remove))
        .routes(routes!(versions::list))
        .routes(routes!(routes::rename))
        .routes(routes!(routes::change_ends))
        .routes(routes!(versions::one))
        .routes(routes!(versions::compare))
        .routes(routes!(versions::note))
        .routes(routes!(rules::schema))
        .routes(routes!(rules::checks))
        .routes(routes!(rules::turn))
        .routes(routes!(scope::names))
        .routes(routes!(scope::scope))
        .routes(routes!(preview::preview))
        .routes(routes!(preview::preview_return))
        .routes(routes!(rules::values_met))
        .routes(routes!(rules::suggestions))
        .routes(routes!(rules::people_met))
        .routes(routes!(new_field::propose, new_field::make))
        .routes(routes!(matches::list, matches::settle))
        .routes(routes!(matches::others))
        .routes(routes!(matches::side_by_side))
        .routes(routes!(conflicts::listed::list))
        .routes(routes!(conflicts::listed::groups))
        .routes(routes!(conflicts::listed::editors))
        .routes(routes!(conflicts::detail::one))
        .routes(routes!(conflicts::settle::similar))
        .routes(routes!(conflicts::settle::settle))
        .routes(routes!(conflicts::settle::reopen))
        .routes(routes!(record::list))
        .routes(routes!(plans::begin::dry_run))
        .routes(routes!(plans::figures::one))
        .routes(routes!(plans::listed::changes))
        .routes(routes!(plans::detail::change, plans::decide::decide))
        .routes(routes!(plans::decide::include))
        .routes(routes!(plans::decide::decide_alike))
        .routes(routes!(plans::decide::undo))
        .routes(routes!(plans::receipt::one))
        .routes(routes!(quiet::pairs))
        .routes(routes!(quiet::of_lane))
        .routes(routes!(quiet::alone))
        .routes(routes!(plans::file::file))
        .routes(routes!(plans::begin::transfer))
        .routes(routes!(jobs::one))
        .routes(routes!(jobs::want))
        .routes(routes!(jobs::retry))
        .routes(routes!(jobs::refused))
        .routes(routes!(ledger::list))
        .routes(routes!(ledger::groups))
        .routes(routes!(jobs::events))
        .routes(routes!(proofs::latest, proofs::prove))
        .routes(routes!(proofs::list))
        .routes(routes!(evidence::file))
        .routes(routes!(evidence::key))
}

/// Types that only a recursive type or a query refers to, which the collector does not follow.
#[derive(utoipa::OpenApi)]
#[openapi(components(schemas(
    Problem,
    hovrel_core::scope::ConditionRow,
    hovrel_core::scope::Operator,
    systems::items::Holds,
    quiet::QuietPairs,
    hovrel_core::model::End,
    evidence::Form
)))]
struct NotFollowed;

/// The OpenAPI description of everything served.
pub fn description() -> OpenApi {
    let (_, mut api) = described().split_for_parts();
    api.merge(<NotFollowed as utoipa::OpenApi>::openapi());
    api.info = InfoBuilder::new().title("Hovrel").version("1").build();
    api.servers = Some(vec![utoipa::openapi::Server::new("/api/v1")]);
    tell_errors(&mut api);
    api
}

/// Every operation answers errors as problems, whoever finds them: the door, the session, or the operation itself.
fn tell_errors(api: &mut OpenApi) {
    let problem = |about: &str| {
        let content = Content::new(Some(Ref::from_schema_name("Problem")));
        ResponseBuilder::new().description(about).content("application/problem+json", content).build()
    };
    for item in api.paths.paths.values_mut() {
        let PathItem { get, put, post, delete, patch, .. } = item;
        for operation in [get, put, post, delete, patch].into_iter().flatten() {
            let responses = &mut operation.responses.responses;
            responses.insert("4XX".into(), problem("What is wrong with the request, and what to do").into());
            responses.insert("5XX".into(), problem("What Hovrel or a system could not do").into());
        }
    }
}

pub fn router() -> axum::Router<App> {
    let (router, _) = described().split_for_parts();
    router
        .route("/openapi.json", get(async || Json(description())))
        .fallback(async || Problem::missing("This address"))
        .method_not_allowed_fallback(async || StatusCode::METHOD_NOT_ALLOWED)
}
