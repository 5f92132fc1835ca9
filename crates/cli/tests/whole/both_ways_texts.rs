//! Formatted texts and steps that are edited at both systems' own pages: an edit arrives in the source of the other end, where
//! what was not touched stays as it is written, and edits of different steps, or of different parts of one, are merged.

use std::collections::BTreeMap;

use hovrel_connect::Write;
use hovrel_core::model::{
    ATTACHMENTS, Artefact, COMMENTS, Document, Fields, Kind, LINKS, PARENT, POSITION, Step, Value as Held,
};
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, Known, OLDSTONE, Systems, TALLYBENCH, page_source, read_all, save_page, settled_route};
use serde_json::{Value, json};

use crate::both_ways::paired;
use crate::browser::walked;
use crate::program::Program;

pub struct Ground {
    pub systems: Systems,
    pub program: Program,
    pub client: Client,
    pub route: String,
}

/// Rules that carry both ways.
const BOTH_WAYS: [&str; 8] = ["title", "preconditions", "steps", PARENT, POSITION, COMMENTS, ATTACHMENTS, LINKS];

impl Ground {
    /// Test cases with their steps carried once, by a lane that carries both ways from then on.
    pub async fn begin() -> Ground {
        Ground::begin_with(&[Kind::TestCase], false).await
    }

    /// The same of other kinds, perhaps with links from the left cases to their counterparts.
    pub async fn begin_with(both_ways: &[Kind], link_back: bool) -> Ground {
        let (systems, program) = (Systems::start(Size::SMALL).await, Program::start().await);
        let client = Client::sign_in(&program.address).await;
        let kinds = [Kind::Folder, Kind::SharedSteps, Kind::TestCase];
        let (route, mut lanes) =
            settled_route(&client, &systems, &OLDSTONE, &TALLYBENCH, &kinds).await.expect("kinds in common");
        let lane = lanes.iter_mut().find(|lane| lane["left_kind"] == "test_case").expect("a lane of cases");
        lane["policies"]["link_back"] = json!(link_back);
        client.save_lanes(&route, &lanes).await;
        let plan = client.dry_run(&route).await;
        client.decide_all(&plan).await;
        client.finish(&client.transfer(&plan).await).await;
        for lane in lanes.iter_mut().filter(|lane| both_ways.iter().any(|kind| lane["left_kind"] == kind.id())) {
            lane["direction"] = json!("both");
            for rule in lane["rules"].as_array_mut().expect("rules") {
                let target = rule["into"]["right"]["target"].as_str().unwrap_or_default().to_owned();
                rule["back"] = json!(BOTH_WAYS.contains(&target.as_str()));
            }
        }
        client.save_lanes(&route, &lanes).await;
        Ground { systems, program, client, route }
    }

    /// Pairs of cases by what the left calls them.
    pub async fn items(&self) -> BTreeMap<String, (Artefact, Artefact)> {
        paired(&self.systems, &TALLYBENCH, Kind::TestCase)
            .await
            .into_iter()
            .map(|both| (both.0.key.clone(), both))
            .collect()
    }

    fn page(&self, known: &Known, id: &str) -> String {
        format!("{}/view/{id}", self.systems.address(known))
    }

    async fn save(&self, known: &Known, id: &str, fields: &[(&str, &str)]) {
        save_page(&self.page(known, id), fields).await;
    }

    async fn shown(&self, known: &Known, id: &str) -> String {
        page_source(&self.page(known, id)).await
    }

    pub async fn plan(&self) -> (Value, BTreeMap<String, Value>) {
        let plan = self.client.dry_run(&self.route).await;
        let all = self.client.all_changes(&plan).await.into_iter().filter(|c| c["outcome"] != "blocked");
        let by_key = |c: Value| (c["left"]["key"].as_str().unwrap_or_default().to_owned(), c);
        (plan, all.map(by_key).collect())
    }

    /// Takes over what one way left behind: nobody edited anything, and nobody is asked.
    pub async fn settle(&self) {
        let (plan, found) = self.plan().await;
        if let Some(asked) = found.values().find(|c| c["outcome"] == "conflict") {
            let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), asked["seq"]);
            panic!("nobody edited {}: {}", asked["left"]["key"], self.client.get(&path).await["fields"]);
        }
        self.client.finish(&self.client.transfer(&plan).await).await;
    }

    /// Carries out what a dry run finds by itself; nothing may be left to do by itself afterwards.
    pub async fn carry(&mut self, cut: Option<&str>) {
        self.run(cut).await;
        let (_, found) = self.plan().await;
        let asks = |c: &Value| c["outcome"] == "conflict" || is_odd(&c["left"]["key"]);
        let by_itself: Vec<&Value> = found.values().filter(|c| !asks(c)).collect();
        assert!(by_itself.is_empty(), "after {cut:?}: {by_itself:?}");
    }

    /// Carries out what a dry run finds by itself, cut off at a place or not.
    pub async fn run(&mut self, cut: Option<&str>) {
        let (plan, found) = self.plan().await;
        let job = match cut {
            None => self.client.transfer(&plan).await,
            Some(cut) => self.program.transfer_cut_at(&self.client, &plan, cut).await,
        };
        let job = self.client.finish(&job).await;
        let refused = self.client.get(&format!("/jobs/{}/refused", job["id"].as_str().expect("an id"))).await;
        let others = refused.as_array().expect("a list").iter().filter(|r| !is_odd(&r["key"])).count();
        assert_eq!((job["state"].as_str(), others), (Some("done"), 0), "{refused}: {found:?}");
    }
}

/// Its own system refuses what it holds, whatever is written.
fn is_odd(key: &Value) -> bool {
    *key == "OS-3003"
}

pub fn steps(item: &Artefact) -> &[Step] {
    match item.fields.get("steps") {
        Some(Held::Steps(steps)) => steps,
        _ => &[],
    }
}

/// What is written in a text area of a page.
fn written(page: &str, area: &str) -> String {
    let behind = page.split(&format!("name={area} ")).nth(1).and_then(|rest| rest.split_once('>'));
    let text = behind.and_then(|(_, rest)| rest.split_once("</textarea>")).map(|(text, _)| text);
    text.unwrap_or_else(|| panic!("there is no {area}")).to_owned()
}

/// Cases of three steps or more, none of which calls others.
fn fit(item: &(Artefact, Artefact)) -> bool {
    let plain = |a: &Artefact| steps(a).len() >= 3 && steps(a).iter().all(|s| s.call.is_none());
    plain(&item.0) && plain(&item.1) && steps(&item.0).len() == steps(&item.1).len()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn steps_are_edited_at_both_ends_in_their_source() {
    let mut ground = Ground::begin().await;
    ground.settle().await;
    let before = ground.items().await;
    let items: Vec<(Artefact, Artefact)> = before.values().filter(|item| fit(item)).take(4).cloned().collect();
    let [coloured, both, clash, swapped] = &items[..] else { panic!("{} cases with steps", items.len()) };

    // A colour that no document holds is there after an edit of the words beside it.
    let source = "<p style=\"color:#c00\">Check the <span class=\"warn\">brake pads</span> now</p>";
    ground.save(&OLDSTONE, &coloured.0.id, &[("action1", source), ("data1", "<p class=\"w\">Load 5 t</p>")]).await;
    ground.carry(None).await;
    let numbers = |page: &str| page.split("id=step-").skip(1).map(|s| s[..1].to_owned()).collect::<Vec<_>>();
    let numbered = numbers(&ground.shown(&TALLYBENCH, &coloured.1.id).await);
    let there = ground.items().await[&coloured.0.key].1.clone();
    let action = steps(&there)[0].action.plain();
    assert!(action.starts_with("Check the brake pads now"), "{action}");
    let edited = written(&ground.shown(&TALLYBENCH, &coloured.1.id).await, "action1").replace("pads now", "pads twice");
    ground.save(&TALLYBENCH, &coloured.1.id, &[("action1", &edited)]).await;
    ground.carry(None).await;
    let shown = ground.shown(&OLDSTONE, &coloured.0.id).await;
    assert!(shown.contains(&source.replace("now", "twice")), "{shown}");

    // An edit of one step leaves the numbers of all of them, and what the other end alone has.
    let page = ground.shown(&TALLYBENCH, &coloured.1.id).await;
    assert_eq!(numbers(&page), numbered);

    // One step's expected result at the left and its action at the right; another's at both ends.
    let at_length = format!("{} Mind the gate.", written(&ground.shown(&TALLYBENCH, &both.1.id).await, "action1"));
    ground.save(&OLDSTONE, &both.0.id, &[("expected1", "It holds at once")]).await;
    ground.save(&TALLYBENCH, &both.1.id, &[("action1", &at_length), ("expected3", "All is still")]).await;
    ground.save(&OLDSTONE, &clash.0.id, &[("action2", "Left words here")]).await;
    ground.save(&TALLYBENCH, &clash.1.id, &[("action2", "Quite other words")]).await;
    let (_, found) = ground.plan().await;
    assert_eq!(found[&clash.0.key]["outcome"], "conflict");
    assert_eq!(found[&both.0.key]["outcome"], "update_right");
    ground.carry(None).await;
    let now = ground.items().await;
    for item in [&now[&both.0.key].0, &now[&both.0.key].1] {
        let told = (steps(item)[0].expected.plain(), steps(item)[2].expected.plain());
        assert_eq!(told, ("It holds at once".to_owned(), "All is still".to_owned()), "{}", item.key);
        assert!(steps(item)[0].action.plain().ends_with(" Mind the gate."), "{:?}", steps(item)[0]);
    }
    let (left, right) = &now[&clash.0.key];
    let told = (steps(left)[1].action.plain(), steps(right)[1].action.plain());
    assert_eq!(told, ("Left words here".into(), "Quite other words".into()), "nothing is overwritten");
    for (key, was) in &before {
        if ![coloured, both, clash].iter().any(|item| item.0.key == *key) {
            assert_eq!(&now[key], was, "nothing else is touched");
        }
    }

    // A person puts both edits of that step together in the browser: both ends get both, in this order.
    let walk = vec![("ROUTE", ground.route.clone()), ("KEY", clash.0.key.clone())];
    walked(&ground.program, &["steps-merged"], walk).await;
    ground.carry(None).await;
    let now = ground.items().await;
    let (left, right) = &now[&clash.0.key];
    for item in [left, right] {
        let told: Vec<String> = steps(item).iter().map(|step| step.action.plain()).collect();
        assert_eq!(told[1..3], ["Left words here", "Quite other words"], "{}: {told:?}", item.key);
        assert_eq!(told.len(), steps(&clash.0).len() + 1, "{told:?}");
    }

    // Cut off between both ends of a merge.
    let cuts: &[&str] = if cfg!(feature = "failpoints") { &["update called", "made", "before done"] } else { &[] };
    for (round, cut) in cuts.iter().enumerate() {
        let (first, second) = (format!("Round {round} at the left"), format!("Round {round} at the right"));
        ground.save(&OLDSTONE, &swapped.0.id, &[("action1", &first)]).await;
        ground.save(&TALLYBENCH, &swapped.1.id, &[("action3", &second)]).await;
        ground.carry(Some(cut)).await;
        let now = ground.items().await;
        for item in [&now[&swapped.0.key].0, &now[&swapped.0.key].1] {
            let told = (steps(item)[0].action.plain(), steps(item)[2].action.plain());
            assert_eq!(told, (first.clone(), second.clone()), "{} after {cut}", item.key);
        }
    }
    assert_eq!(ground.client.prove(&ground.route).await["headline"]["unexplained_items"], 0);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_moved_or_new_at_the_right_is_in_the_folder_of_the_left() {
    let mut ground = Ground::begin().await;
    ground.settle().await;
    let there = ground.systems.connect(&TALLYBENCH);
    let before = ground.items().await;
    let items: Vec<&(Artefact, Artefact)> = before.values().filter(|item| fit(item)).collect();
    let moved = items[0];
    let target = items.iter().find(|item| item.0.parent != moved.0.parent).expect("two folders");
    let write = |id: Option<&Artefact>, fields: Fields| Write {
        kind: Kind::TestCase,
        id: id.map(|a| a.id.clone()),
        version: id.and_then(|a| a.version.clone()),
        fields,
        parent: Some(target.1.parent.clone()),
        in_source: false,
    };
    there.write(TALLYBENCH.container, &write(Some(&moved.1), Fields::default())).await.expect("it is moved");
    let step = |words: &str| Step { action: Document::from_text(words), ..Step::default() };
    let steps_there = Held::Steps(vec![step("Walk to the gate"), step("Look at the rope")]);
    let fields = [
        ("title", Held::text("Found at the gate")),
        ("priority", Held::choice("Normal")),
        ("status", Held::choice("active")),
        ("steps", steps_there),
    ]
    .into_iter()
    .collect();
    there.write(TALLYBENCH.container, &write(None, fields)).await.expect("it is made");

    let (_, found) = ground.plan().await;
    let outcomes: Vec<&str> = found.values().filter_map(|c| c["outcome"].as_str()).collect();
    assert!(outcomes.contains(&"new_left") && outcomes.contains(&"update_left"), "{found:?}");
    ground.carry(None).await;
    let now = read_all(&*ground.systems.connect(&OLDSTONE), OLDSTONE.container, Kind::TestCase).await;
    let at = |is: &dyn Fn(&&Artefact) -> bool| now.iter().find(is).expect("it is there");
    assert_eq!(at(&|a| a.id == moved.0.id).parent, target.0.parent);
    let made = at(&|a| a.title == "Found at the gate");
    assert_eq!(made.parent, target.0.parent);
    let told: Vec<String> = steps(made).iter().map(Step::plain).collect();
    assert_eq!(told, ["Walk to the gate", "Look at the rope"]);
}
