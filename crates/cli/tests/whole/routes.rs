//! Several routes whose items are linked: in whatever order they run, links lead to where the items are now.

use hovrel_core::model::{Artefact, Kind, LinkEnd, LinkType};
use hovrel_standins::world::Size;
use hovrel_testkit::{CAIRNBOOK, Client, FERNWAY, Known, OLDSTONE, Systems, TALLYBENCH, read_all, settled_route};
use reqwest::Method;
use serde_json::json;

use crate::meanwhile::relate;
use crate::program::Program;

const CASES: &[Kind] =
    &[Kind::Folder, Kind::SharedSteps, Kind::TestCase, Kind::TestSuite, Kind::TestRun, Kind::Execution, Kind::Result];
const TRACKED: &[Kind] = &[Kind::Requirement, Kind::Defect];

/// Runs a route until nothing is left to do; the number of changes at the first run.
async fn run(client: &Client, systems: &Systems, left: &Known, right: &Known, kinds: &[Kind]) -> u64 {
    let (route, _) = settled_route(client, systems, left, right, kinds).await.expect("kinds in common");
    again(client, &route).await
}

async fn again(client: &Client, route: &str) -> u64 {
    let plan = client.dry_run(route).await;
    client.decide_all(&plan).await;
    if plan["included"] != 0 || plan["conflicts"] != 0 {
        let job = client.finish(&client.transfer(&plan).await).await;
        assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    }
    plan["changes"].as_u64().expect("a number")
}

/// The routes that begin at a system.
fn ids_from<'r>(routes: &'r serde_json::Value, system: &str) -> Vec<&'r str> {
    let list = routes.as_array().expect("routes").iter();
    list.filter(|r| r["left"]["system_name"] == system).map(|r| r["id"].as_str().expect("an id")).collect()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn links_between_routes_lead_to_where_the_items_are_now() {
    for requirements_first in [true, false] {
        let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
        let client = Client::sign_in(&program.address).await;
        let mut order = vec![(&OLDSTONE, &FERNWAY, TRACKED), (&OLDSTONE, &TALLYBENCH, CASES)];
        if !requirements_first {
            order.reverse();
        }
        order.push((&CAIRNBOOK, &FERNWAY, &[Kind::Requirement]));
        for (left, right, kinds) in order {
            run(&client, &systems, left, right, kinds).await;
        }
        // What ran first learns at its next run where the rest came to be, and then there is no more.
        let routes = client.get("/routes").await;
        let ids: Vec<String> =
            routes.as_array().expect("routes").iter().map(|r| r["id"].as_str().expect("an id").to_owned()).collect();
        // A route that is made later is followed from the start only by what is made after it.
        let from_oldstone: Vec<&str> = ids_from(&routes, "Oldstone");
        for route in &from_oldstone {
            let others: Vec<&str> = from_oldstone.iter().copied().filter(|other| other != route).collect();
            client.follow(route, &others).await;
        }
        for route in &ids {
            again(&client, route).await;
        }
        for route in &ids {
            let plan = client.dry_run(route).await;
            let left = client.all_changes(&plan).await;
            assert!(
                left.iter().all(|c| c["outcome"] == "blocked"),
                "requirements first {requirements_first}: {left:?}"
            );
        }

        let (old, tally, fern) = (systems.connect(&OLDSTONE), systems.connect(&TALLYBENCH), systems.connect(&FERNWAY));
        let before = read_all(&*old, OLDSTONE.container, Kind::TestCase).await;
        let cases = read_all(&*tally, TALLYBENCH.container, Kind::TestCase).await;
        let needs = read_all(&*fern, FERNWAY.container, Kind::Requirement).await;
        let troubles = read_all(&*fern, FERNWAY.container, Kind::Defect).await;
        let carried =
            |list: &[Artefact], mark: String| list.iter().find(|a| a.origin.as_deref() == Some(mark.as_str())).cloned();
        let mut verified = 0;
        for case in &before {
            let Some(there) = carried(&cases, format!("Oldstone:{}", case.key)) else { continue };
            for link in case.links.iter().filter(|l| l.link_type == LinkType::Verifies) {
                let LinkEnd::Artefact { id, .. } = &link.target else { continue };
                let need = carried(&needs, format!("Oldstone:{id}")).expect("the requirement was carried");
                let wanted = LinkEnd::Url(need.url.clone().expect("it has an address"));
                assert!(there.links.iter().any(|l| l.target == wanted), "{}: {:?}", case.key, there.links);
                verified += 1;
            }
        }
        assert!(verified > 30, "{verified} links were followed");
        // A defect leads to the case where it is now.
        let addresses: Vec<&String> = cases.iter().filter_map(|c| c.url.as_ref()).collect();
        let hits = troubles.iter().filter(|t| t.origin.is_some()).flat_map(|t| &t.links);
        let there = hits.filter(|l| matches!(&l.target, LinkEnd::Url(u) if addresses.contains(&u))).count();
        assert!(there > 0, "defects lead to the cases at the new place: {troubles:?} {:?}", &addresses[..2]);
        // And the parts of a requirement are with one another, those out of the requirements server too.
        let parts = |from: &str| {
            let of = needs.iter().filter(|n| n.origin.as_deref().is_some_and(|o| o.starts_with(from)));
            of.flat_map(|n| &n.links).filter(|l| l.link_type == LinkType::Decomposes).collect::<Vec<_>>()
        };
        for from in ["Oldstone:", "Cairnbook:"] {
            let parts = parts(from);
            assert!(!parts.is_empty(), "{from} has parts");
            let inside = |l: &&hovrel_core::model::Link| matches!(l.target, LinkEnd::Artefact { .. });
            assert!(parts.iter().all(inside), "{from} {parts:?}");
        }
    }
}

/// Where a container is chosen by folder, each container has a route of its own, and links between their items
/// are links still.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn folders_choose_a_container_each_by_its_route() {
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let sites = Known { container: "SITE", ..FERNWAY };
    let under = |folder: &str| json!({"row": {"field": "@folder", "op": "under", "value": folder}});
    let rest = ["Line & cabins", "Gates & tickets", "Passenger information", "Evacuation"].map(under);
    // One more link, from the one to the other.
    let old = systems.connect(&OLDSTONE);
    let cases = read_all(&*old, OLDSTONE.container, Kind::TestCase).await;
    let folders = read_all(&*old, OLDSTONE.container, Kind::Folder).await;
    let brakes = |c: &&Artefact| {
        let folder = folders.iter().find(|f| Some(&f.id) == c.parent.as_ref());
        folder.is_some_and(|f| ["Emergency stop", "Service brake", "Track brake", "Slack rope"].contains(&&*f.title))
    };
    let (from, to) = (cases.iter().find(brakes), cases.iter().rfind(|c| !brakes(c)));
    relate(&*old, OLDSTONE.container, from.expect("a case of the brakes"), to.expect("another")).await;

    let mut ids = Vec::new();
    for (right, scope) in [(&FERNWAY, under("Drive & brakes")), (&sites, json!({"any": rest}))] {
        let made = settled_route(&client, &systems, &OLDSTONE, right, &[Kind::TestCase]).await;
        let (id, mut lanes) = made.expect("kinds in common");
        lanes[0]["left_scope"] = scope;
        let path = format!("/routes/{id}");
        let now = client.get(&path).await;
        let body = json!({"name": now["name"], "lanes": lanes});
        let (status, said) = client.call(Method::PUT, &path, Some(body), now["version"].as_i64()).await;
        assert!(status.is_success(), "{said}");
        again(&client, &id).await;
        ids.push(id);
    }
    // Nothing of the first changed when another was made after it; asked to follow that, it learns where the rest came
    // to be, and then there is no more.
    assert_eq!(client.dry_run(&ids[0]).await["changes"], 0);
    client.follow(&ids[0], &[&ids[1]]).await;
    assert!(again(&client, &ids[0]).await > 0);
    for id in &ids {
        assert_eq!(client.dry_run(id).await["changes"], 0);
    }

    let fern = systems.connect(&FERNWAY);
    let before = read_all(&*old, OLDSTONE.container, Kind::TestCase).await;
    let mut there: Vec<(&str, Artefact)> = Vec::new();
    for container in [FERNWAY.container, sites.container] {
        let found = read_all(&*fern, container, Kind::TestCase).await.into_iter().filter(|c| c.origin.is_some());
        there.extend(found.map(|c| (container, c)));
    }
    assert_eq!(there.len(), before.len(), "each is there once");
    let carried = |key: &str| {
        let mark = format!("Oldstone:{key}");
        there.iter().find(|(_, c)| c.origin.as_ref() == Some(&mark)).unwrap_or_else(|| panic!("{key} was carried"))
    };
    assert!(there.iter().all(|(container, c)| c.key.starts_with(container)), "keys are those of the container");
    let mut across = 0;
    for case in &before {
        let (container, now) = carried(&case.key);
        for link in case.links.iter().filter(|l| l.link_type == LinkType::RelatesTo) {
            let LinkEnd::Artefact { kind: Kind::TestCase, id } = &link.target else { continue };
            let (other, target) = carried(id);
            let wanted = LinkEnd::Artefact { kind: Kind::TestCase, id: target.id.clone() };
            assert!(now.links.iter().any(|l| l.target == wanted), "{} to {id}: {:?}", case.key, now.links);
            across += usize::from(container != other);
        }
    }
    assert!(across > 0, "links were followed from one container to another");
}

/// Two routes between the same ends, planned before either of them ran: each item is made once, whoever comes first, and
/// the other route finds it as a counterpart.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn two_routes_that_were_planned_at_once_make_an_item_once() {
    // One that takes no mark twice, and one that takes whatever it is given.
    for right in [&TALLYBENCH, &FERNWAY] {
        planned_at_once(right).await;
    }
}

async fn planned_at_once(right: &'static Known) {
    let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let mut plans = Vec::new();
    for name in ["First", "Second"] {
        let (route, _) = settled_route(&client, &systems, &OLDSTONE, right, &[]).await.expect("kinds in common");
        client.save(&route, json!({"name": name})).await;
        let plan = client.dry_run(&route).await;
        client.decide_all(&plan).await;
        plans.push((route, plan));
    }
    let mut jobs = Vec::new();
    for (_, plan) in &plans {
        jobs.push(client.transfer(plan).await);
    }
    for job in &jobs {
        assert_eq!(client.finish(job).await["state"], "done");
    }
    let once = async || {
        let there = systems.connect(right);
        let mut marks = std::collections::BTreeMap::<String, u32>::new();
        for kind in there.catalogue(right.container).await.expect("a catalogue").kinds {
            for item in read_all(&*there, right.container, kind.kind).await {
                if let Some(mark) = item.origin {
                    *marks.entry(format!("{:?} {mark}", kind.kind)).or_default() += 1;
                }
            }
        }
        assert!(marks.len() > 60, "{}", marks.len());
        let twice: Vec<&String> = marks.iter().filter(|(_, n)| **n > 1).map(|(mark, _)| mark).collect();
        assert!(twice.is_empty(), "{twice:?}");
    };
    once().await;
    // What one of them was refused, since the other was making it, is a counterpart in its next plan, or made then.
    for (route, _) in &plans {
        let next = client.dry_run(route).await;
        client.decide_all(&next).await;
        let job = client.finish(&client.transfer(&next).await).await;
        assert_eq!((job["state"].as_str(), job["result"]["refused"].as_i64()), (Some("done"), Some(0)), "{job}");
    }
    once().await;
}
