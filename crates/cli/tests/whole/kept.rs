//! A database that an earlier program left behind, with what the simulated systems held then (`tests/kept`): it opens, what
//! was being carried out goes on, a dry run finds what the one of that day found, and the proof proves as before.

use std::collections::BTreeSet;
use std::io::Read;
use std::path::{Path, PathBuf};

use flate2::read::GzDecoder;
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, Database, KNOWN, Known, Systems, eventually, is_over};
use serde_json::{Value, json};

use crate::program::Program;

fn kept() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/kept")
}

fn unpacked(name: &str) -> String {
    let file = std::fs::File::open(kept().join(name)).expect("it is kept");
    let mut text = String::new();
    GzDecoder::new(file).read_to_string(&mut text).expect("it can be unpacked");
    text
}

/// The systems as they were, and the database as it was, with the systems' addresses of now.
async fn brought_back(folder: &Path) -> (Systems, Database) {
    for known in KNOWN {
        let name = format!("{}.json", known.name.to_lowercase());
        std::fs::write(folder.join(&name), unpacked(&format!("{name}.gz"))).expect("it can be written");
    }
    let systems = Systems::start_in(Size::SMALL, Some(folder.to_owned())).await;
    let moved = |text: String| {
        let kept = |k: &&Known| format!("http://{}.kept", k.name.to_lowercase());
        KNOWN.iter().fold(text, |text, k| text.replace(&kept(k), &systems.running(k).url()))
    };
    for known in KNOWN {
        let there = |state: &mut Value| *state = serde_json::from_str(&moved(state.to_string())).expect("JSON");
        systems.running(known).change(there).expect("it is still a state");
    }
    let dump = moved(unpacked("database.sql.gz"));
    // What psql alone understands.
    let dump: Vec<&str> = dump.lines().filter(|l| !l.starts_with('\\')).collect();
    let database = Database::fresh().await;
    database.change(&dump.join("\n")).await;
    (systems, database)
}

/// What a plan says of each item, apart from what each plan numbers anew.
async fn found(client: &Client, plan: &Value) -> BTreeSet<String> {
    let told = |change: &Value| {
        let what = ["outcome", "fields", "fields_written", "conflicts_open", "losses", "faults", "steps", "files"];
        let what: Vec<String> = what.iter().map(|w| change[w].to_string()).collect();
        format!("{} {} {}", change["left"]["key"], change["right"]["key"], what.join(" "))
    };
    client.all_changes(plan).await.iter().map(told).collect()
}

/// What a proof says, apart from when.
fn proved(proof: &Value) -> Value {
    let mut proof = proof.clone();
    for of_its_day in ["id", "at", "made_at"] {
        proof.as_object_mut().expect("an object").remove(of_its_day);
    }
    proof
}

/// Where two pieces of JSON differ, and what stands there.
fn differences(was: &Value, is: &Value, at: &str) -> Vec<String> {
    match (was, is) {
        (Value::Object(was), Value::Object(is)) => {
            let names: BTreeSet<&String> = was.keys().chain(is.keys()).collect();
            let of = |name: &String| {
                let (was, is) = (was.get(name).unwrap_or(&Value::Null), is.get(name).unwrap_or(&Value::Null));
                differences(was, is, &format!("{at}/{name}"))
            };
            names.into_iter().flat_map(of).collect()
        }
        (Value::Array(was), Value::Array(is)) if was.len() == is.len() => {
            let both = was.iter().zip(is).enumerate();
            both.flat_map(|(n, (was, is))| differences(was, is, &format!("{at}/{n}"))).collect()
        }
        _ if was == is => Vec::new(),
        _ => vec![format!("{at}: {was} became {is}")],
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_of_before_opens_goes_on_and_proves_as_before() {
    let folder = tempfile::tempdir().expect("a folder");
    let (_systems, database) = brought_back(folder.path()).await;
    let routes = database.ask("select id::text as told from routes order by created_at").await;
    let [first, second] = routes.as_slice() else { panic!("{routes:?}") };
    let newest = format!("select id::text as told from plans where route_id = '{first}' order by made_at desc");
    let plan = database.ask(&newest).await;
    let written = "select concat_ws(' ', job_id, seq, right_id) as told from journal where right_id is not null";
    let written: BTreeSet<String> = database.ask(written).await.into_iter().collect();
    let pairs = "select concat_ws(' ', route_id, lane, left_id, right_id, let_go) as told from pairs order by 1";
    let pairs_then: BTreeSet<String> = database.ask(pairs).await.into_iter().collect();
    assert!(!written.is_empty() && !pairs_then.is_empty(), "there is something to be carried over");
    let program = Program::start_with_key(database, &std::fs::read_to_string(kept().join("key")).expect("a key")).await;

    // What was written, which pairs there are, and what was found are carried over into the tables of now.
    let now = "select concat_ws(' ', job_id, seq, item_id) as told from journal_items where written_end = 'right'";
    let now: BTreeSet<String> = program.ask(now).await.into_iter().collect();
    assert!(written.is_subset(&now), "{:?}", written.difference(&now).collect::<Vec<_>>());
    let pairs_now: BTreeSet<String> = program.ask(pairs).await.into_iter().collect();
    assert!(pairs_then.is_subset(&pairs_now), "{:?}", pairs_then.difference(&pairs_now).collect::<Vec<_>>());
    let former = "select outcome as told from changes where outcome in ('left_scope', 'taken_off')
                  union all select outcome from plan_counts where outcome in ('left_scope', 'taken_off')";
    assert!(program.ask(former).await.is_empty(), "codes that name no end are gone");
    let client = Client::sign_in(&program.address).await;

    // What was being carried out when the program ended goes on by itself, to its end.
    let transfer = async || {
        let jobs = client.get("/overview").await["jobs"].clone();
        let of_second = |j: &&Value| j["kind"] == "transfer" && j["route"] == second.as_str();
        let job = jobs.as_array().expect("jobs").iter().find(of_second).cloned()?;
        is_over(&job).then_some(job)
    };
    let job = eventually("the transfer that was cut off", transfer).await;
    assert_eq!((&job["state"], &job["result"]["refused"]), (&json!("done"), &json!(0)), "{job}");
    let plan_now = client.dry_run(second).await;
    let again = client.changes(&plan_now, "outcome=new_right").await;
    assert!(again.is_empty(), "nothing is made twice: {again:?}");
    let proof = client.prove(second).await;
    let unexplained = ["unexplained_items", "unexplained_fields"].map(|of| proof["headline"][of].as_u64());
    assert_eq!(unexplained, [Some(0), Some(0)], "{}", proof["headline"]);

    // The other proves as it did, and a dry run finds what the last one found.
    let before = client.get(&format!("/routes/{first}/proofs")).await["proof"].clone();
    assert!(before["lanes"].as_array().is_some_and(|f| !f.is_empty()), "{before}");
    let differs = differences(&proved(&before), &proved(&client.prove(first).await), "");
    assert!(differs.is_empty(), "{}", differs.join("\n"));
    let then = client.get(&format!("/plans/{}", plan[0])).await;
    let found_then = found(&client, &then).await;
    assert_eq!(found_then.len(), 4, "{found_then:?}");
    let now = client.dry_run(first).await;
    assert_eq!(found(&client, &now).await, found_then);

    // Carried out, all of it is in the forms of now, and nothing is left to do.
    client.decide_all(&now).await;
    let job = client.transfer(&now).await;
    let job = client.finish(&job).await;
    assert_eq!(job["state"], "done", "{job}");
    let last = client.dry_run(first).await;
    let left: Vec<Value> = client.all_changes(&last).await;
    assert!(left.iter().all(|c| !matches!(c["outcome"].as_str(), Some("update_right" | "new_right"))), "{left:?}");
    let old = "select count(*)::text as told from snapshots where octet_length(hash) <> 33";
    assert_eq!(program.ask(old).await, ["0"]);
    let rules = format!(
        "select distinct f.value ->> 'rule' as told from pairs p join snapshots s on s.hash = p.agreed,
             jsonb_each(s.body) f where p.route_id = '{first}'"
    );
    let former: Vec<String> = program.ask(&rules).await.into_iter().filter(|r| !r.starts_with("1:")).collect();
    assert!(former.is_empty(), "{former:?}");
}
