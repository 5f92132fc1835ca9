//! What people wait for while they read, at 100,000 artefacts and a plan of 100,000 changes: `./bench`.
//!
//! The real router over HTTP on a real database, in a release build. Each view is asked for by one reader, and by twenty at
//! once; told are the middle and the 99th of a hundred, in milliseconds, and as a ratio to the shortest answer there is
//! (who is signed in), asked for in the same way.

use std::time::Instant;

use futures::future::join_all;
use hovrel_core::model::{Artefact, End, FieldKey, Kind, Value};
use hovrel_core::plan::{Brief, Change, Decision, FieldChange, FieldReason, Outcome, Side};
use hovrel_engine::{Hub, WorkerOptions, run_worker};
use hovrel_standins::world::Size;
use hovrel_store::{ArtefactRow, NewArtefact, NewChange, Plan, Sealer, Seen, Store};
use hovrel_testkit::{Client, Database, Systems};
use serde_json::json;
use uuid::Uuid;

const ARTEFACTS: usize = 100_000;
const READERS: [usize; 2] = [1, 20];
/// Answers of each view, by all readers together.
const ANSWERS: usize = 400;

/// Twelve words of the ropeway, so that parts of titles are met as often as in real ones.
const WORDS: [&str; 12] =
    ["line", "wind", "brake", "cabin", "door", "tower", "rescue", "speed", "station", "grip", "drive", "sensor"];

fn artefact(n: usize) -> Artefact {
    let word = |m: usize| WORDS[(n / m) % WORDS.len()];
    let title = format!("The {} stops by the {} when the {} says so, case {n}", word(1), word(12), word(144));
    let texts = ["precondition", "purpose", "notes"].map(|field| {
        let text = format!("{} {}. ", word(7), word(5)).repeat(30);
        (FieldKey::from(field), Value::text(format!("{text}{n}")))
    });
    Artefact {
        key: format!("OS-{}", 100_000 + n),
        version: Some("1".into()),
        position: n as u32,
        title,
        fields: texts.into_iter().collect(),
        ..Artefact::bare(Kind::TestCase, &format!("bench-{n}"))
    }
}

fn change(n: usize, lane: &str) -> Change {
    let item = artefact(n);
    let field = |(key, value): (&FieldKey, &Value)| FieldChange {
        left: Some(value.clone()),
        write: value.clone(),
        right: None,
        reason: FieldReason::New,
        ..FieldChange::of((&**key).into())
    };
    let mut change =
        Change::new(n as u32, lane, (Kind::TestCase, Kind::TestCase), End::Right, Outcome::New(End::Right));
    change.left = Some(Side::of(&item, "Lines / Tests".into()));
    change.fields = item.fields.iter().map(field).collect();
    change.left_side = item.fields.iter().map(|(k, v)| ((&**k).into(), v.clone())).collect();
    change
}

fn change_row(plan: Uuid, change: &Change) -> Result<NewChange, serde_json::Error> {
    let left = change.left.as_ref().expect("a left side");
    Ok(NewChange {
        plan_id: plan,
        seq: change.seq as i32,
        lane: change.lane.clone(),
        kind: change.kind.id().into(),
        outcome: change.outcome.id().into(),
        left_id: Some(left.id.clone()),
        left_key: left.key.clone(),
        right_key: String::new(),
        title: left.title.clone(),
        field_names: change.fields.iter().map(|f| f.field.to_string()).collect(),
        losses: i32::from(change.seq.is_multiple_of(9)),
        conflicts: 0,
        open: 0,
        brief: serde_json::to_value(Brief::of(change))?,
        body: serde_json::to_value(change)?,
        decision: serde_json::to_value(Decision::default_for(change))?,
        included: true,
        refusals: json!([]),
        right_calls: 1.0,
        left_calls: 0.0,
        links_back: false,
    })
}

fn artefact_row(system: Uuid, container: &str, n: usize) -> Result<NewArtefact, serde_json::Error> {
    let item = artefact(n);
    let row = ArtefactRow {
        system_id: system,
        container: container.into(),
        kind: item.kind.id().into(),
        external_id: item.id.clone(),
        seq: n as i32 + 1,
        key: item.key.clone(),
        title: item.title.clone(),
        path: "Lines / Tests".into(),
        body: serde_json::to_value(&item)?,
    };
    Ok(NewArtefact { row, words: item.title })
}

/// A pair for each artefact, and what an hourly synchronisation leaves behind in three years.
fn years(route: &Uuid, lane: &str) -> String {
    const HOURS: u32 = 3 * 365 * 24;
    let hash = "decode(repeat('00', 32), 'hex')";
    format!(
        "insert into snapshots (hash, body) values ({hash}, '{{}}');
        insert into pairs (route_id, lane, left_id, right_id, left_base, right_base, left_key, right_key)
            select '{route}', '{lane}', 'bench-' || n, 'right-' || n, {hash}, {hash}, 'OS-' || n, 'TB-' || n
            from generate_series(0, {ARTEFACTS} - 1) n;
        insert into jobs (id, kind, route_id, state, created_at, finished_at)
            select gen_random_uuid(), kind, '{route}', 'done', now() - n * interval '1 hour', now() - n * interval '1 hour'
            from generate_series(1, {HOURS}) n, unnest(array['dry_run', 'transfer', 'proof']) kind;
        insert into plans (id, route_id, route_version, lanes, summary, digest, made_at)
            select gen_random_uuid(), route_id, 1, lanes, summary, digest, now() - n * interval '1 hour'
            from generate_series(1, {HOURS}) n, (select * from plans where route_id = '{route}' limit 1) p;
        insert into proofs (id, route_id, body, differences, at)
            select gen_random_uuid(), '{route}', '{{}}', 0, now() - n * interval '1 hour'
            from generate_series(1, {HOURS}) n"
    )
}

/// How long each answer took, in milliseconds, in order.
async fn asked(client: &Client, readers: usize, path: impl Fn(usize) -> String) -> Vec<f64> {
    let each = ANSWERS / readers;
    let path = &path;
    let reader = |r: usize| async move {
        let mut took = Vec::with_capacity(each);
        for n in 0..each {
            let begun = Instant::now();
            client.bytes(&path(r * each + n)).await;
            took.push(begun.elapsed().as_secs_f64() * 1000.0);
        }
        took
    };
    let mut took: Vec<f64> = join_all((0..readers).map(reader)).await.into_iter().flatten().collect();
    took.sort_by(f64::total_cmp);
    took
}

#[tokio::main]
async fn main() {
    let database = Database::fresh().await;
    let store = Store::open(&database.url, 16).await.expect("the schema is made");
    let sealer = Sealer::new(&Sealer::new_key()).expect("a key");
    let hub = Hub::new(store, sealer, hovrel_connect::Offer::shipped(), hovrel_connect::Outside::anywhere());
    tokio::spawn(run_worker(hub.clone(), WorkerOptions::default(), Default::default()));
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let address = format!("http://{}", listener.local_addr().expect("an address"));
    let store = hub.store.clone();
    tokio::spawn(hovrel_server::serve(listener, hovrel_server::router(hub, vec![]), Default::default()));

    // Two small ends, then the left in its place with as many test cases as are asked for.
    let both = Systems::start(Size::SMALL).await;
    let client = Client::sign_in(&address).await;
    let route = client.make_route(&both).await;
    let kept = client.get(&format!("/routes/{route}")).await;
    let route: Uuid = route.parse().expect("an id");
    let system: Uuid = kept["left"]["system"].as_str().expect("a system").parse().expect("an id");
    let container = kept["left"]["container"].as_str().expect("a container").to_owned();
    let lane = kept["lanes"].as_array().expect("lanes").iter().find(|l| l["left_kind"] == "test_case").expect("one");
    let lane = lane["id"].as_str().expect("an id").to_owned();
    let survey = store.survey(system, &container).await.expect("it can be read").expect("it is there");
    let begun = Instant::now();
    let rows = (0..ARTEFACTS).map(|n| artefact_row(system, &container, n));
    let kept =
        store.keep_survey(system, &container, "Lift control", &survey.catalogue, &survey.survey, Box::new(rows)).await;
    kept.expect("it is kept");
    println!("{ARTEFACTS} artefacts kept in {:.1} s", begun.elapsed().as_secs_f64());
    // The rules of a small plan are those of the large one.
    let first = client.dry_run(&route.to_string()).await;
    let first: Uuid = first["id"].as_str().expect("an id").parse().expect("an id");
    let plan = Plan { id: Uuid::now_v7(), ..store.plan(first).await.expect("it is there") };
    let begun = Instant::now();
    let rows = (0..ARTEFACTS).map(|n| Ok((change_row(plan.id, &change(n, &lane))?, Vec::new())));
    store.keep_plan(&plan, Box::new(rows), &[], &[], &Seen::default()).await.expect("it is kept");
    println!("a plan of {ARTEFACTS} kept in {:.1} s", begun.elapsed().as_secs_f64());

    database.change(&years(&route, &lane)).await;

    // A database does so by itself within a minute of so many new rows.
    for table in ["artefacts", "changes", "pairs", "jobs", "plans", "proofs"] {
        database.change(&format!("vacuum analyze {table}")).await;
    }

    let items = format!("/systems/{system}/containers/{container}/artefacts?kind=test_case");
    let artefact = format!("/systems/{system}/containers/{container}/artefact?kind=test_case");
    let changes = format!("/plans/{}/changes", plan.id);
    let page = |n: usize| (n * 977) % (ARTEFACTS - 200);
    let word = |n: usize| WORDS[n % WORDS.len()];
    type View<'v> = (&'v str, Box<dyn Fn(usize) -> String + 'v>);
    let views: Vec<View<'_>> = vec![
        ("who is signed in", Box::new(|_| "/session".into())),
        ("a page of artefacts", Box::new(|n| format!("{items}&after={}", page(n)))),
        ("… by a part of a title that few have", Box::new(|n| format!("{items}&find=case {}", page(n)))),
        ("… by a part of a title that many have", Box::new(|n| format!("{items}&find={} stops", word(n)))),
        ("the finder, by a key", Box::new(|n| format!("/find?q=OS-{}", 100_000 + page(n)))),
        ("the finder, by a word that many have", Box::new(|n| format!("/find?q={}", word(n)))),
        ("a page of changes", Box::new(|n| format!("{changes}?after={}", page(n)))),
        ("… by a part of a title that few have", Box::new(|n| format!("{changes}?find=case {}", page(n)))),
        ("… with losses", Box::new(|n| format!("{changes}?with_losses=true&after={}", page(n)))),
        ("a change", Box::new(|n| format!("{changes}/{}", page(n)))),
        ("an artefact, and what became of it", Box::new(|n| format!("{artefact}&id=bench-{}", page(n)))),
        ("where a route stands", Box::new(|_| format!("/routes/{route}"))),
        ("the plan in numbers", Box::new(|_| format!("/plans/{}", plan.id))),
        ("the overview", Box::new(|_| "/overview".into())),
    ];
    for readers in READERS {
        println!("\n{readers} reader(s)                              middle ms   p99 ms   p99 to the shortest");
        let mut shortest = 0.0;
        for (name, path) in &views {
            let took = asked(&client, readers, path).await;
            let (middle, last) = (took[took.len() / 2], took[took.len() * 99 / 100]);
            if shortest == 0.0 {
                shortest = last;
            }
            println!("{name:<46} {middle:>8.1} {last:>8.1} {:>10.1}", last / shortest);
        }
    }
}
