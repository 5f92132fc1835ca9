//! The kept OpenAPI description is what the server serves; the web client's types are made from it.

#[test]
fn the_kept_description_is_the_servers_own() {
    let kept =
        std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/openapi.json")).expect("it is kept");
    let kept: serde_json::Value = serde_json::from_str(&kept).expect("JSON");
    let served = serde_json::to_value(hovrel_server::description()).expect("JSON");
    assert!(kept == served, "run: hovrel openapi > docs/openapi.json, then npm run types in web");
}
