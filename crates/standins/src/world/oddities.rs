//! What real data contains: the cases that go wrong in a careless migration.

use chrono::NaiveDate;

use super::{World, WorldCase, WorldFile, WorldFolder, WorldStep, sketch};

/// Number of the case with each oddity, for tests and for the demo's tour.
pub const LONG_TITLE: u32 = 3001;
pub const TABLE_IN_STEP: u32 = 3002;
pub const VALUE_OFF_LIST: u32 = 3003;
pub const WHO_LEFT: u32 = 3004;
pub const WORD_PROCESSOR: u32 = 3005;
pub const OTHER_SCRIPTS: u32 = 3006;
pub const NO_IMPORTANCE: u32 = 3007;
pub const REFUSED_FILE: u32 = 3008;
pub const TWIN: u32 = 3009;
pub const DEEP: u32 = 3011;

pub fn add(world: &mut World) {
    let folder = |name: &str| world.folders.iter().position(|f| f.name == name).unwrap_or(0);
    let (stop, wind, readers, radio) = (folder("Emergency stop"), folder("Wind"), folder("Readers"), folder("Radio"));

    // Eight levels: more than many systems allow.
    let mut deep = folder("Evacuation");
    for name in ["Drills", "Summit", "Winter", "Night", "Team B", "Ladder"] {
        world.folders.push(WorldFolder { name: name.to_owned(), parent: Some(deep) });
        deep = world.folders.len() - 1;
    }

    let long: String = "Stop from the desk brings all cabins to rest "
        .chars()
        .chain("while every gate stays closed and every display says so ".chars().cycle())
        .take(400)
        .collect();
    let mut cases = vec![
        case(LONG_TITLE, stop, long.trim_end(), "<p>The title was pasted from a safety note.</p>"),
        WorldCase {
            steps: vec![WorldStep {
                data: "<p>CO<sub>2</sub> sensor off</p>".to_owned(),
                ..WorldStep::says(
                    "<p>Set the values one by one:</p><table><tr><th>Wind</th><th>Speed</th></tr><tr><td>10 m/s</td><td>6 m/s</td></tr>\
                 <tr><td>16 m/s<table><tr><td>gusts</td><td>22 m/s</td></tr></table></td><td>2 m/s</td></tr></table>",
                    "<p>The line follows the table.</p>",
                )
            }],
            ..case(TABLE_IN_STEP, wind, "Line follows the wind table", "<p>Values from the wind study.</p>")
        },
        WorldCase {
            importance: Some("Middling or grave".into()),
            ..case(VALUE_OFF_LIST, wind, "Wind vane frozen in place", "<p>Typed in before the list was closed.</p>")
        },
        WorldCase {
            owner: Some("tormod".into()),
            // These shared steps lead back to themselves.
            steps: vec![WorldStep::calls(4, &[])],
            ..case(WHO_LEFT, readers, "Reader in direct sunlight", "<p>Owner has left the company.</p>")
        },
        case(
            WORD_PROCESSOR,
            readers,
            "Reader answers a cold pass",
            "<p class=\"MsoNormal\" style=\"margin-bottom:8.0pt;line-height:107%\"><span lang=\"EN-GB\" style=\"font-size:11.0pt\">\
             Lay the pass in the <u>freezer</u> over&nbsp;night.<o:p></o:p></span></p><p class=\"MsoListParagraph\">\
             <span style=\"color:red\">Never use a guest's pass.</span></p><h2>Why</h2><p>Two complaints in <b><i>January</i></b>; see OS-2010.</p>",
        ),
        case(
            OTHER_SCRIPTS,
            radio,
            "Radio call in العربية and 日本語 🚡 reaches the desk",
            "<p>مرحبا — the call sign is <code>HARBOUR*1</code>. 緊急停止 🛑 &lt;not markup&gt; 2 * 3 * 4</p>",
        ),
        WorldCase {
            importance: None,
            ..case(NO_IMPORTANCE, radio, "Radio battery lasts a shift", "<p>Nobody set an importance.</p>")
        },
        WorldCase {
            files: vec![
                WorldFile {
                    name: "strain gauge.smr".into(),
                    media_type: "application/x-strain-record",
                    bytes: (0..60_000u32).map(|n| (n % 251) as u8).collect(),
                },
                WorldFile { name: "where to stand.png".into(), media_type: "image/png", bytes: sketch(REFUSED_FILE) },
            ],
            ..case(
                REFUSED_FILE,
                stop,
                "Rope strain at a hard stop",
                "<p>Record: see files. <img src=\"where to stand.png\" alt=\"\"></p>",
            )
        },
        case(TWIN, stop, "Stop button is lit", "<p>First of two of one name.</p>"),
        case(TWIN + 1, stop, "Stop button is lit", "<p>Second of two of one name.</p>"),
        case(DEEP, deep, "Ladder reaches a cabin at tower 11", "<p>Filed eight folders deep.</p>"),
    ];
    world.cases.append(&mut cases);
}

fn case(number: u32, folder: usize, title: &str, description: &str) -> WorldCase {
    WorldCase {
        number,
        folder,
        title: title.to_owned(),
        description: description.to_owned(),
        importance: Some("Middling".into()),
        state: "Ready",
        brake_class: "Service (fail-safe, spring)".into(),
        estimate: "00:45".into(),
        labels: vec!["regression", "winter"],
        owner: Some("ibrekke".into()),
        steps: vec![WorldStep::says("<p>Do what the title says.</p>", "<p>It is so.</p>")],
        parameters: Vec::new(),
        verifies: None,
        relates: Vec::new(),
        area: 0,
        files: Vec::new(),
        changed: NaiveDate::from_ymd_opt(2026, 9, 2).and_then(|d| d.and_hms_opt(9, 30, 0)).expect("a date"),
        changed_by: "mtveit",
    }
}
