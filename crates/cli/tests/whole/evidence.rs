//! A proof handed on: the page, the spreadsheet and the signed file of a real transfer say the same, and the
//! program checks what it signed.

use std::path::Path;
use std::process::{Command, Output};

use hovrel_standins::world::Size;
use hovrel_testkit::{Client, Systems};
use serde_json::Value;

use crate::program::Program;

fn verify(arguments: &[&str], file: &Path) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_hovrel"));
    command.args(["proof", "verify"]).arg(file).args(arguments).output().expect("the program runs")
}

/// Every sheet of a spreadsheet as openpyxl reads it.
pub fn sheets(file: &Path) -> Value {
    let python = std::env::var("HOVREL_TEST_PYTHON").expect("a Python with openpyxl; ./test makes one");
    let script = "import json, sys, openpyxl\n\
        book = openpyxl.load_workbook(sys.argv[1])\n\
        print(json.dumps({s.title: [[c.value for c in row] for row in s.iter_rows(min_row=2)] for s in book}))";
    let out = Command::new(python).args(["-c", script]).arg(file).output().expect("Python runs");
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).expect("JSON")
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_proof_is_handed_on_and_checked() {
    let (both, program) = (Systems::start(Size::SMALL).await, Program::start().await);
    let client = Client::sign_in(&program.address).await;
    let route = client.make_route(&both).await;
    let plan = client.dry_run(&route).await;
    client.finish(&client.transfer(&plan).await).await;
    let proof = client.prove(&route).await;
    let folder = tempfile::tempdir().expect("a folder");
    let saved = async |form: &str| {
        let path = format!("/routes/{route}/proofs/{}/files/{form}", proof["id"].as_str().expect("an id"));
        let file = folder.path().join(format!("proof.{form}"));
        std::fs::write(&file, client.bytes(&path).await).expect("it is kept");
        file
    };
    let (page, sheet, signed) = (saved("html").await, saved("xlsx").await, saved("json").await);

    // Each says what the proof says.
    let book = sheets(&sheet);
    let lanes = proof["lanes"].as_array().expect("lanes");
    let kinds = book["Kinds"].as_array().expect("rows");
    assert_eq!(kinds.len(), lanes.len());
    for (row, lane) in kinds.iter().zip(lanes) {
        let size = |list: &str| lane[list].as_array().expect("a list").len();
        assert_eq!((&row[1], &row[2], &row[3]), (&lane["left_count"], &lane["paired"], &lane["right_count"]), "{row}");
        assert_eq!((&row[4], &row[5]), (&size("missing").into(), &size("differences").into()), "{row}");
    }
    let all = |list: &str| lanes.iter().map(|l| l[list].as_array().expect("a list").len()).sum::<usize>();
    let rows = |sheet: &str| book[sheet].as_array().expect("rows").len();
    assert_eq!((rows("Differences"), rows("Missing")), (all("differences"), all("missing")));
    assert!(rows("Missing") > 0, "what waited for a person");
    let ledger = proof["losses_foreseen"].as_u64().zip(proof["losses_unforeseen"].as_u64()).map(|(a, b)| a + b);
    assert_eq!(Some(rows("Losses") as u64), ledger);
    let text = std::fs::read_to_string(page).expect("a page");
    let headline = proof["headline"]["told"].as_str().expect("a headline");
    assert!(text.contains(headline) && text.contains("What waits for you"), "{headline}");
    assert_eq!(text.matches("<span class=\"loss\">").count() as u64, ledger.expect("a number"));

    // The signed file is checked by itself, with the key that the interface shows, and refused once it is another.
    let key = client.get("/signing-key").await["fingerprint"].as_str().expect("a fingerprint").to_owned();
    let good = verify(&["--key", &key], &signed);
    let told = String::from_utf8_lossy(&good.stdout).into_owned();
    assert!(good.status.success() && told.contains(&key) && told.contains("Lift control moves"), "{good:?}");
    assert!(told.contains(headline), "{told}");
    assert_eq!(verify(&[], &signed).status.code(), Some(0));
    assert_eq!(verify(&["--key", "0000-0000"], &signed).status.code(), Some(1));
    let mut bytes = std::fs::read(&signed).expect("the file");
    let at = bytes.windows(9).position(|w| w == b"\"paired\":").expect("a number") + 9;
    bytes[at] = if bytes[at] == b'9' { b'8' } else { bytes[at] + 1 };
    std::fs::write(&signed, bytes).expect("it is changed");
    let bad = verify(&[], &signed);
    let why = String::from_utf8_lossy(&bad.stderr).into_owned();
    assert!(bad.status.code() == Some(1) && why.contains("proof was changed after signing"), "{why}");
    assert_eq!(verify(&[], &folder.path().join("nowhere")).status.code(), Some(2));
}
