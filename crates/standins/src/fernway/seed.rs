//! Fernway's content: what the engineers track already, a part of it copied by hand from the old system.

use chrono::{TimeDelta, TimeZone, Utc};
use serde_json::json;

use super::state::{Person, State};
use crate::records::{File, Numbers, Past, Remark, made};
use crate::world::{self, PEOPLE, Size};

/// Every this many requirements of the old system was copied by hand.
const COPIED: usize = 9;

pub fn state(seed: u64, size: Size) -> State {
    let world = world::make(seed, size);
    let mut state = State { numbers: Numbers::after(100), ..State::default() };
    state.people.push(Person { uid: "p1".into(), handle: "bridge".into(), mail: None, name: "Bridge".into() });
    // One of the old system's people has no account here.
    for (n, p) in PEOPLE.iter().enumerate().filter(|(n, _)| *n != 6) {
        let mail = (n % 4 != 2).then(|| p.email.to_owned());
        let uid = format!("p{}", 20 + n);
        state.people.push(Person { uid, handle: p.login.to_owned(), mail, name: p.name.to_owned() });
    }
    let at = Utc.with_ymd_and_hms(2026, 5, 4, 7, 20, 0).single().expect("a time");
    let mut add = |form: &str, title: &str, values: &[(&str, serde_json::Value)], n: i64| {
        let number = state.numbers.take();
        let by = "p20";
        let mut record = made(form, number, at + TimeDelta::minutes(n), by, values);
        record.values.insert("title".into(), json!(title));
        record.remarks.push(Remark { at: record.changed, by: by.into(), text: "Seen at the weekly round.".into() });
        let (field, before) = ("title".to_owned(), String::new());
        record.trail.push(Past { at: record.changed, by: by.into(), field, before, after: title.into() });
        state.keep(record);
    };
    for (n, r) in world.holdings.requirements.iter().enumerate().filter(|(n, _)| n % COPIED == 4) {
        let values = [("body", json!("Copied by hand.")), ("state", json!("Noted")), ("level", json!(r.level))];
        add("need", &r.title, &values, n as i64);
    }
    for (n, title) in ["Workshop floor heating", "Spare cabin door in stock"].into_iter().enumerate() {
        add(
            "need",
            title,
            &[("body", json!("See https://wiki.skarnvik.example/workshop.")), ("state", json!("Noted"))],
            n as i64,
        );
    }
    let values = [("body", json!("It hums at night.")), ("state", json!("Reported")), ("importance", json!("Small"))];
    add("trouble", "Transformer hums", &values, 0);
    add("check", "Walk round the workshop", &[("list", json!("1. Look.\n2. Listen."))], 0);
    listened(&mut state);
    state.happened.clear();
    state
}

/// Two people listened to the transformer and gave their files one name.
fn listened(state: &mut State) {
    let heard = ["Loud from 22:10 to 22:40.\n", "Nothing heard.\n"].map(str::as_bytes);
    let files = heard.into_iter().zip(1..).map(|(bytes, file)| File {
        file,
        name: "listened.txt".into(),
        media_type: "text/plain".into(),
        bytes: bytes.len() as u64,
        sha256: state.blobs.put(bytes),
    });
    let files: Vec<File> = files.collect();
    for trouble in state.records.get_mut("trouble").into_iter().flat_map(|t| t.values_mut()) {
        trouble.files.clone_from(&files);
    }
}
