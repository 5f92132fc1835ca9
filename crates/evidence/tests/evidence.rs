//! Signed files against the published vectors, and what is told of one that was changed.

use std::collections::BTreeMap;

use chrono::{DateTime, Utc};
use ed25519_dalek::{Signature, Signer, SigningKey};
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::model::{End, Kind, Value};
use hovrel_core::reconcile::{Difference, DifferenceCause, FieldProof, Headline, LaneProof, OrderProof, ProofItem};
use hovrel_core::rules::Direction;
use hovrel_evidence::*;
use proptest::prelude::*;
use uuid::Uuid;

const SECRET: [u8; 32] = [7; 32];

fn evidence() -> Evidence {
    let at: DateTime<Utc> = "2026-03-01T10:00:00Z".parse().expect("a time");
    let end = |system: &str| EndFacts {
        system: system.into(),
        address: "https://a.example".into(),
        container: "Lift <control>".into(),
    };
    let difference = Difference {
        left_key: "OS-7".into(),
        right_key: "TB-9".into(),
        title: "=1+1".into(),
        field: "title".into(),
        expected: Value::text("Wind <b>above</b> limit"),
        found: Value::Empty,
        cause: DifferenceCause::ChangedSince(End::Left),
    };
    let lane = LaneProof {
        order: Some(OrderProof { carried: true, folders: 3, same: 2 }),
        files: None,
        lane: "test_case".into(),
        name: String::new(),
        left_kind: Kind::TestCase,
        right_kind: Kind::TestCase,
        direction: Direction::ToRight,
        left_count: 12,
        paired: 11,
        right_count: 14,
        fields: vec![FieldProof { field: "title".into(), compared: 11, agree: 10, with_loss: 2, settled: 0 }],
        differences: vec![difference],
        missing: vec![ProofItem {
            id: "8".into(),
            key: "OS-8".into(),
            title: "Größe € \u{1F6A0}".into(),
            cause: DifferenceCause::Undecided,
        }],
        pieces: vec![],
        losses: vec![],
        absent: vec![],
        let_go: 0,
    };
    let loss = Loss {
        field: "title".into(),
        kind: LossKind::Truncated,
        cause: LossCause::TooLong { limit: 250 },
        before: "x".repeat(40_000),
        after: "x".into(),
    };
    Evidence {
        hovrel: "0.1.0".into(),
        route: RouteFacts {
            id: Uuid::nil(),
            name: "Lift control moves".into(),
            version: 3,
            left: end("Oldstone"),
            right: end("Tallybench"),
        },
        proof: ProofFacts {
            id: Uuid::nil(),
            at,
            headline: Headline::of(std::slice::from_ref(&lane)),
            lanes: vec![lane],
            losses_foreseen: 1,
            losses_unforeseen: 0,
        },
        ledger: vec![LedgerEntry { left_key: "OS-7".into(), right_key: "TB-9".into(), foreseen: true, loss }],
        names: BTreeMap::from([("test_case".into(), BTreeMap::from([("title".into(), "Title".into())]))]),
    }
}

fn bytes(digits: &str) -> Vec<u8> {
    (0..digits.len() / 2).map(|n| u8::from_str_radix(&digits[n * 2..n * 2 + 2], 16).expect("a byte")).collect()
}

/// RFC 8032 §7.1, tests 1 to 3.
#[test]
fn the_signature_is_the_published_one() {
    for (secret, public, message, signature) in [
        (
            "9d61b19deffd5a60ba844af492ec2cc44449c5697b326919703bac031cae7f60",
            "d75a980182b10ab7d54bfed3c964073a0ee172f3daa62325af021a68f707511a",
            "",
            "e5564300c360ac729086e2cc806e828a84877f1eb8e5d974d873e065224901555fb8821590a33bacc61e39701cf9b46bd25bf5f0595bbe24655141438e7a100b",
        ),
        (
            "4ccd089b28ff96da9db6c346ec114e0f5b8a319f35aba624da8cf6ed4fb8a6fb",
            "3d4017c3e843895a92b70aa74d1b7ebc9c982ccf2ec4968cc0cd55f12af4660c",
            "72",
            "92a009a9f0d4cab8720e820b5f642540a2b27b5416503f8fb3762223ebdb69da085ac1e43e15996e458f3613d0f11d8c387b2eaeb4302aeeb00d291612bb0c00",
        ),
        (
            "c5aa8df43f9f837bedb7442f31dcb7b166d38535076f094b85ce3a2e0b4458f7",
            "fc51cd8e6218a1a38da47ed00230f0580816ed13ba3303ac5deb911548908025",
            "af82",
            "6291d657deec24024827e69c3abe01a30ce548a284743a445e3680d7db5ac3ac18ff9b538d16f290ae67f760984dc6594a7c15e9716ed28dc027beceea1ec40a",
        ),
    ] {
        let secret: [u8; 32] = bytes(secret).try_into().expect("32 bytes");
        assert_eq!(public_key(&secret).to_vec(), bytes(public));
        let found: Signature = SigningKey::from_bytes(&secret).sign(&bytes(message));
        assert_eq!(found.to_bytes().to_vec(), bytes(signature));
    }
}

/// RFC 8785 §3.2.2 and §3.2.3, with the order of appendix B's member names; numbers of appendix B.
#[test]
fn the_canonical_form_is_the_published_one() {
    let canonical = |text: &str| {
        let value: serde_json::Value = serde_json::from_str(text).expect("JSON");
        String::from_utf8(serde_json_canonicalizer::to_vec(&value).expect("it has one")).expect("UTF-8")
    };
    let given = r#"{"numbers":[333333333.33333329,1E30,4.50,2e-3,0.000000000000000000000000001],"string":"\u20ac$\u000F\u000aA'\u0042\u0022\u005c\\\"\/","literals":[null,true,false]}"#;
    let wanted = r#"{"literals":[null,true,false],"numbers":[333333333.3333333,1e+30,4.5,0.002,1e-27],"string":"€$\u000f\nA'B\"\\\\\"/"}"#;
    assert_eq!(canonical(given), wanted);
    let names = r#"{"\u20ac":"Euro Sign","\r":"Carriage Return","\ufb33":"Hebrew Letter Dalet With Dagesh","1":"One","\ud83d\ude00":"Emoji: Grinning Face","\u0080":"Control","\u00f6":"Latin Small Letter O With Diaeresis"}"#;
    let order: Vec<usize> = ["Carriage", "One", "Control", "Latin", "Euro", "Emoji", "Hebrew"]
        .iter()
        .map(|word| canonical(names).find(word).expect("it is there"))
        .collect();
    assert!(order.is_sorted(), "{order:?}");
    for (number, text) in [
        ("0", "0"),
        ("-0", "0"),
        ("5e-324", "5e-324"),
        ("1.7976931348623157e308", "1.7976931348623157e+308"),
        ("9007199254740992", "9007199254740992"),
        ("1e21", "1e+21"),
        ("123456789012345680000", "123456789012345680000"),
        ("0.000001", "0.000001"),
        ("1e-7", "1e-7"),
    ] {
        assert_eq!(canonical(number), text);
    }
}

#[test]
fn what_was_signed_is_what_is_read() {
    let file = sign(&evidence(), &SECRET);
    let verified = verify(&file, None).expect("it holds");
    assert_eq!(verified.evidence, evidence());
    assert_eq!(verified.fingerprint, fingerprint(&public_key(&SECRET)));
    assert_eq!(sign(&evidence(), &SECRET), file, "the same evidence is the same file");
    assert!(verify(&file, Some(&verified.fingerprint)).is_ok());
    let other = fingerprint(&public_key(&[8; 32]));
    let refused = verify(&file, Some(&other)).expect_err("another key");
    assert_eq!(refused, NotVerified::OtherKey { found: verified.fingerprint, wanted: other });
}

#[test]
fn what_was_changed_is_named() {
    let file = String::from_utf8(sign(&evidence(), &SECRET)).expect("UTF-8");
    let refused = |changed: String| {
        assert_ne!(changed, file);
        verify(changed.as_bytes(), None).expect_err("it was changed")
    };
    let parts = |names: &[&str]| NotVerified::Changed { parts: names.iter().map(|n| (*n).to_owned()).collect() };
    assert_eq!(refused(file.replace("\"foreseen\":true", "\"foreseen\":false")), parts(&["ledger"]));
    assert_eq!(refused(file.replace("\"paired\":11", "\"paired\":12")), parts(&["proof"]));
    let both = file.replace("\"paired\":11", "\"paired\":12").replace("Lift control moves", "Lift control move");
    assert_eq!(refused(both), parts(&["proof", "route"]));
    let digest = file.find("\"digests\":{\"hovrel\":\"").expect("digests") + 22;
    let mut other = file.clone().into_bytes();
    other[digest] = if other[digest] == b'0' { b'1' } else { b'0' };
    assert_eq!(refused(String::from_utf8(other).expect("UTF-8")), parts(&["hovrel"]));
    let other_key: String = public_key(&[8; 32]).iter().map(|b| format!("{b:02x}")).collect();
    let mine: String = public_key(&SECRET).iter().map(|b| format!("{b:02x}")).collect();
    assert_eq!(refused(file.replace(&mine, &other_key)), NotVerified::Signature);
    assert!(matches!(refused(file.replacen(',', ", ", 1)), NotVerified::NotCanonical { .. }));
    assert!(matches!(refused(format!("{file}\n")), NotVerified::NotCanonical { .. }));
    assert!(matches!(refused(file[..file.len() - 1].to_owned()), NotVerified::NotJson { line: 1, .. }));
    assert!(matches!(verify(b"{}", None), Err(NotVerified::NotAProof(_))));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// A file changed by one byte, anywhere, is refused.
    #[test]
    fn a_changed_byte_is_found(place in any::<prop::sample::Index>(), by in 1u8..=255) {
        let mut small = evidence();
        small.ledger[0].loss.before = "short".into();
        let mut file = sign(&small, &SECRET);
        let at = place.index(file.len());
        file[at] ^= by;
        prop_assert!(verify(&file, None).is_err(), "byte {} by {}", at, by);
    }
}

#[test]
fn the_page_holds_everything_and_takes_nothing_for_markup() {
    let page = page(&evidence(), "abcd-ef01");
    for wanted in [
        "Proof of Lift control moves",
        "10 fields are as they should be, 2 items wait, nothing is unexplained",
        "waits for a decision",
        "Lift &lt;control&gt;",
        "Wind &lt;b&gt;above&lt;/b&gt; limit",
        "changed at the left since the transfer",
        "Größe € \u{1F6A0}",
        "the field takes 250 characters at most",
        "abcd-ef01",
    ] {
        assert!(page.contains(wanted), "{wanted}");
    }
    assert!(!page.contains("<script") && !page.contains("http://") && !page.contains("src="), "it needs nothing else");
}

/// Office Open XML as openpyxl reads it: the numbers are those of the evidence, and a text that looks like a formula
/// is a text.
#[test]
fn the_spreadsheet_is_read_by_another_program() {
    let python =
        std::env::var("HOVREL_TEST_PYTHON").expect("HOVREL_TEST_PYTHON is a Python with openpyxl; ./test makes one");
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("proof.xlsx");
    std::fs::write(&file, spreadsheet(&evidence()).expect("it is written")).expect("it is kept");
    let script = "import json, sys, openpyxl\n\
        book = openpyxl.load_workbook(sys.argv[1])\n\
        print(json.dumps({s.title: [[c.value for c in row] for row in s.iter_rows()] for s in book}))\n\
        assert all(c.data_type != 'f' for s in book for row in s.iter_rows() for c in row)";
    let out = std::process::Command::new(python).args(["-c", script]).arg(&file).output().expect("Python runs");
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let book: serde_json::Value = serde_json::from_slice(&out.stdout).expect("JSON");
    let sheets: Vec<&str> = book.as_object().expect("sheets").keys().map(String::as_str).collect();
    assert_eq!(sheets.len(), 8, "{sheets:?}");
    let order = "Their order in folders is transferred; in 2 of 3 folders the items stand in the same order";
    assert_eq!(book["Kinds"][1], serde_json::json!(["Test case", 12, 11, 14, 1, 1, order]));
    assert_eq!(
        book["Fields"][1].as_array().expect("a row")[..6],
        serde_json::json!(["Test case", "Title", 11, 10, 2, 0]).as_array().expect("a row")[..]
    );
    assert_eq!(book["Differences"][1][3], "=1+1");
    assert_eq!(book["Missing"][1][2], "Größe € \u{1F6A0}");
    let before = book["Losses"][1][5].as_str().expect("text");
    assert!(before.ends_with("… (cut here)") && before.chars().count() < 32_767, "{}", before.len());
    let rows = book["Summary"].as_array().expect("rows");
    let value = |what: &str| rows.iter().find(|r| r[0] == what).map(|r| r[1].clone()).expect("a row");
    assert_eq!((value("Without a counterpart"), value("Losses as foreseen")), (1.into(), 1.into()));
    assert_eq!((value("Items that wait"), value("Items unexplained")), (2.into(), 0.into()));
    assert_eq!(book["Waits"].as_array().expect("rows").len(), 3, "a head and two causes");
}
