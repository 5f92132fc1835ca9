//! The kinds of system that can be connected.

use axum::Json;
use axum::extract::State;
use hovrel_core::model::Kind;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::App;

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
