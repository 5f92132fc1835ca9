//! Pictures in texts that are named by a system's own address of a file: an item's own arrive with it and are shown
//! there, another item's are told and lead back, and none shows another item's file.

use hovrel_core::model::{Artefact, Document, Inline, Kind, Value as Held};
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, OLDSTONE, Systems, TALLYBENCH, read_all, settled_route};
use serde_json::{Value, json};

use crate::program::Program;

/// Where the pictures of an item's texts are.
fn sources(item: &Artefact) -> Vec<String> {
    let found = std::cell::RefCell::new(Vec::new());
    let see = |document: &Document| {
        document.with_inlines(&|inline| {
            if let Inline::Image { source, .. } = inline {
                found.borrow_mut().push(source.clone());
            }
            None
        })
    };
    for (_, value) in item.fields.iter() {
        let _: Held = value.clone().map_documents(&see);
    }
    found.into_inner()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn pictures_lead_to_the_files_that_they_show() {
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let old = systems.address(&OLDSTONE);
    let (mut own, mut other) = (String::new(), String::new());
    let mut names = (String::new(), String::new());
    let change = |state: &mut Value| {
        let cases = state["cases"].as_object_mut().expect("cases");
        let name = |case: &Value| case["files"][0]["name"].as_str().map(str::to_owned);
        let with: Vec<(String, String)> =
            cases.iter().filter(|(n, _)| n.starts_with('2')).filter_map(|(n, c)| Some((n.clone(), name(c)?))).collect();
        (own, other) = (with[0].0.clone(), with[1].0.clone());
        names = (with[0].1.clone(), with[1].1.clone());
        cases[&own]["description"] = json!(format!(
            "<p>Ours: <img src=\"/os/cases/OS-{own}/files/{}\" alt=\"ours\">, again <img src=\"{old}/os/cases/OS-{own}/files/{}?v=2\" \
             alt=\"ours\">; theirs: <img src=\"/os/cases/OS-{other}/files/{}\" alt=\"theirs\">.</p>",
            names.0, names.0, names.1
        ));
    };
    systems.oldstone.change(change).expect("it is still a state");
    let client = Client::sign_in(&program.address).await;
    let kinds = [Kind::Folder, Kind::TestCase];
    let (route, _) = settled_route(&client, &systems, &OLDSTONE, &TALLYBENCH, &kinds).await.expect("kinds in common");
    let plan = client.dry_run(&route).await;
    let changes = client.all_changes(&plan).await;
    let change = changes.iter().find(|c| c["left"]["key"] == format!("OS-{own}")).expect("it is planned");
    let plan_id = plan["id"].as_str().expect("an id");
    let change = client.get(&format!("/plans/{plan_id}/changes/{}", change["seq"])).await;
    let fields = change["fields"].as_array().expect("fields");
    let losses = fields.iter().flat_map(|f| f["losses"].as_array().expect("losses"));
    let told: Vec<&Value> =
        losses.filter(|l| l["why"].as_str().is_some_and(|why| why.contains("a file of another item"))).collect();
    assert_eq!(told.len(), 1, "what belongs to another is told before: {told:?}");
    client.decide_all(&plan).await;
    let job = client.finish(&client.transfer(&plan).await).await;
    assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    let there = read_all(&*systems.connect(&TALLYBENCH), TALLYBENCH.container, Kind::TestCase).await;
    let mark = format!("Oldstone:OS-{own}");
    let item = there.iter().find(|c| c.origin.as_deref() == Some(&*mark)).expect("it was carried");
    let back = format!("{old}/os/cases/OS-{other}/files/{}", names.1);
    assert_eq!(sources(item), [names.0.as_str(), names.0.as_str(), back.as_str()]);
    assert!(item.attachments.iter().any(|f| f.name == names.0), "the file came with it: {:?}", item.attachments);
    let next = client.dry_run(&route).await;
    assert_eq!(next["included"], 0, "{:?}", client.all_changes(&next).await);
    assert_eq!(client.prove(&route).await["headline"]["unexplained_items"], 0);
}
