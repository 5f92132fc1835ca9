//! What a filter asks for is something, or it is refused with its place: an empty list would say that there is none.

use reqwest::Method;
use serde_json::{Value, json};

use crate::{Routed, routed};

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_unknown_filter_is_refused_with_its_place() {
    let Routed { client, route, _both } = routed().await;
    let plan = client.dry_run(&route).await;
    let changes = format!("/plans/{}/changes", plan["id"].as_str().expect("an id"));
    let systems = client.get("/systems").await;
    let oldstone = systems.as_array().and_then(|s| s.iter().find(|s| s["name"] == "Oldstone")).expect("it is there");
    let container = format!("/systems/{}/containers", oldstone["id"].as_str().expect("an id"));
    let artefacts = format!("{container}/lift-control/artefacts");
    let told = async |path: &str| {
        let (status, said) = client.call(Method::GET, path, None, None).await;
        let place = said["fields"][0]["pointer"].as_str().unwrap_or_default().to_owned();
        (status.as_u16(), place)
    };
    for (path, place) in [
        (format!("{changes}?outcome=gone"), "/outcome"),
        (format!("{changes}?kind=case"), "/kind"),
        (format!("{changes}?field=colour"), "/field"),
        (format!("{changes}?colour=red"), "/colour"),
        (format!("{changes}?limit=many"), "/limit"),
        (format!("{artefacts}?kind=test_case&field=colour&value=red"), "/field"),
        (format!("{artefacts}?kind=case"), "/kind"),
        (format!("{artefacts}?kind=test_case&holds=water"), "/holds"),
    ] {
        assert_eq!(told(&path).await, (422, place.to_owned()), "{path}");
    }
    assert_eq!(told(&format!("{container}/nowhere/artefacts?kind=test_case")).await.0, 404, "never surveyed");
    // What is known and met nowhere is an empty list.
    let none = client.get(&format!("{changes}?outcome=gone_left")).await;
    assert_eq!((&none["total"], &none["items"]), (&json!(0), &json!([])));
    let body = json!({"filter": {"field": "colour"}, "included": false});
    let include = changes.replace("/changes", "/include");
    let (status, said) = client.call(Method::POST, &include, Some(body), None).await;
    assert_eq!(status.as_u16(), 422, "{said}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_proof_reads_as_many_files_as_it_is_asked_to() {
    let Routed { client, route, _both } = routed().await;
    let plan = client.dry_run(&route).await;
    client.decide_all(&plan).await;
    client.finish(&client.transfer(&plan).await).await;
    let proofs = format!("/routes/{route}/proofs");
    for body in [
        json!({"files": {"sample": 0}}),
        json!({"files": {"sample": 100_001}}),
        json!({"files": "some"}),
        json!({"file": "all"}),
    ] {
        let (status, said) = client.call(Method::POST, &proofs, Some(body.clone()), None).await;
        assert_eq!(status.as_u16(), 422, "{body}: {said}");
    }
    let read = async |body: Value| {
        let job = client.finish(&client.post(&proofs, body).await).await;
        assert_eq!(job["state"], "done", "{job}");
        let proof = client.get(&proofs).await["proof"].clone();
        let of = |lane: &Value, what: &str| lane["files"][what].as_u64().unwrap_or(0);
        let lanes = proof["lanes"].as_array().expect("lanes").clone();
        let sum = |what: &str| lanes.iter().map(|l| of(l, what)).sum::<u64>();
        (sum("of"), sum("read"), sum("same"), sum("bytes"))
    };
    let (of, all, same, bytes) = read(json!({"files": "all"})).await;
    assert!(of > 3 && (of, of) == (all, same) && bytes > 0, "{of} {all} {same} {bytes}");
    assert_eq!(read(json!({"files": {"sample": 2}})).await.1, 2);
    assert_eq!(read(json!({"files": "none"})).await, (0, 0, 0, 0));
    // Other bytes at the right are found by reading, though every digest that is stated agrees.
    _both.tallybench.faults.set(hovrel_standins::fault::FaultPlan { other_bytes: 1000, ..Default::default() });
    let (_, all, same, _) = read(json!({"files": "all"})).await;
    _both.tallybench.faults.set(Default::default());
    assert!(all > 0 && same == 0, "{same} of {all}");
    let proof = client.get(&proofs).await["proof"].clone();
    assert_eq!(proof["headline"]["unexplained_fields"].as_u64(), Some(all), "{}", proof["headline"]);
}
