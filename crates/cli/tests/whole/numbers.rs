//! One arithmetic: each number that a dry run, a receipt, a ledger, a proof, the overview or a saved file shows is
//! counted again from the lists that it stands for, from the files, and from the database by hand. Over the demo, and
//! over a world in which every verdict occurs.

use std::collections::{BTreeMap, BTreeSet};

use hovrel_core::model::Kind;
use hovrel_standins::world::Size;
use hovrel_testkit::{Client, OLDSTONE, Systems, TALLYBENCH, connectors, in_address, rule_into_right};
use reqwest::Method;
use serde_json::{Value, json};

use crate::evidence::sheets;
use crate::meanwhile::edit;
use crate::program::Program;

/// What was shown otherwise than counted, all of it, so that one run tells everything.
#[derive(Default)]
struct Sums {
    stage: String,
    compared: usize,
    wrong: Vec<String>,
}

impl Sums {
    fn same(&mut self, what: &str, shown: impl Into<Value>, counted: impl Into<Value>) {
        let (shown, counted) = (shown.into(), counted.into());
        self.compared += 1;
        if shown != counted {
            self.wrong.push(format!("{}: {what}: {shown} is shown, {counted} counted", self.stage));
        }
    }
}

fn number(of: &Value) -> i64 {
    of.as_i64().unwrap_or_else(|| panic!("a number, not {of}"))
}

fn list(of: &Value) -> &[Value] {
    of.as_array().unwrap_or_else(|| panic!("a list, not {of}"))
}

fn text(of: &Value) -> &str {
    of.as_str().unwrap_or_else(|| panic!("a text, not {of}"))
}

fn sum(of: &[Value], field: &str) -> i64 {
    of.iter().map(|one| number(&one[field])).sum()
}

/// How often each text occurs.
fn tally<'t>(of: impl Iterator<Item = &'t str>) -> BTreeMap<&'t str, i64> {
    let mut out = BTreeMap::new();
    of.for_each(|one| *out.entry(one).or_default() += 1);
    out
}

/// A route with all that counts it.
struct World {
    systems: Systems,
    program: Program,
    client: Client,
    route: String,
    sums: Sums,
}

/// Reasons for which a field is in conflict, named here once more so that the count does not come from the program.
const IN_CONFLICT: [&str; 4] = ["both_changed", "no_base", "rule_changed_over_kept", "perhaps_there"];

impl World {
    async fn begin(size: Size) -> World {
        let (systems, program) = (Systems::start(size).await, Program::start().await);
        let client = Client::sign_in(&program.address).await;
        let route = client.make_route(&systems).await;
        World { systems, program, client, route, sums: Sums::default() }
    }

    /// How many rows of the database.
    async fn count(&self, rows: &str) -> i64 {
        self.number_of("count(*)", rows).await
    }

    async fn sum(&self, column: &str, rows: &str) -> i64 {
        self.number_of(&format!("coalesce(sum({column}), 0)"), rows).await
    }

    async fn number_of(&self, what: &str, rows: &str) -> i64 {
        let told = self.program.ask(&format!("select ({what})::text as told from {rows}")).await;
        told[0].parse().unwrap_or_else(|_| panic!("a number, not {told:?}"))
    }

    /// How many changes of a plan a filter finds, paged through to the end; their total is never less than that.
    async fn found(&mut self, plan: &str, filter: &str) -> i64 {
        let (mut found, mut after) = (0, String::new());
        loop {
            let page = self.client.get(&format!("/plans/{plan}/changes?limit=500&{filter}{after}")).await;
            found += list(&page["items"]).len() as i64;
            match page["next"].as_i64() {
                Some(next) => after = format!("&after={next}"),
                None => {
                    // What matches a filter is counted to 500, and more than that is told as more.
                    let total = if page["more"] == true { found } else { number(&page["total"]) };
                    self.sums.same(&format!("the total over “{filter}”"), total, found);
                    return found;
                }
            }
        }
    }

    /// The figures of a plan against its list, each of its filters, its file and the database.
    async fn plan(&mut self, plan: &Value) {
        let id = text(&plan["id"]);
        let figure = self.client.get(&format!("/plans/{id}")).await;
        let listed = self.client.all_changes(plan).await;
        let file = self.client.get(&format!("/plans/{id}/file")).await;
        let written = list(&file["changes"]);
        let changes: Vec<&Value> = written.iter().filter(|w| w["change"]["outcome"] != "in_step").collect();
        let included: Vec<&&Value> = changes.iter().filter(|w| w["decision"]["included"] == true).collect();
        let fields = |of: &Value| of["change"]["fields"].as_array().cloned().unwrap_or_default();
        let clashes = |of: &Value| {
            let in_conflict = |f: &Value| IN_CONFLICT.contains(&text(&f["reason"]));
            fields(of).iter().filter(|f| in_conflict(f)).count() as i64
        };
        let of = |condition: &str| format!("changes where plan_id = '{id}' and outcome <> 'in_step' and {condition}");
        let in_database = [
            ("changes", self.count(&of("true")).await),
            ("included", self.count(&of("(decision ->> 'included')::boolean")).await),
            ("with_losses", self.count(&of("jsonb_array_length(body -> 'losses') > 0")).await),
            ("conflicts", self.sum("conflicts", &of("true")).await),
            ("in_conflict", self.count(&of("open > 0")).await),
            ("open_conflicts", self.sum("open", &of("true")).await),
            ("refused", self.count(&of("included and jsonb_array_length(refusals) > 0")).await),
            ("undoable", self.count(&format!("decision_steps where plan_id = '{id}'")).await),
        ];
        for (name, counted) in in_database {
            self.sums.same(&format!("plan, {name}, by the database"), number(&figure[name]), counted);
        }
        let in_list = |test: &dyn Fn(&Value) -> bool| listed.iter().filter(|c| test(c)).count() as i64;
        let by_list = [
            ("changes", listed.len() as i64),
            ("included", in_list(&|c| c["included"] == true)),
            ("with_losses", in_list(&|c| number(&c["losses"]) > 0)),
            ("in_conflict", in_list(&|c| number(&c["conflicts_open"]) > 0)),
            ("open_conflicts", sum(&listed, "conflicts_open")),
            ("refused", in_list(&|c| c["included"] == true && !list(&c["refusals"]).is_empty())),
        ];
        for (name, counted) in by_list {
            self.sums.same(&format!("plan, {name}, by its list"), number(&figure[name]), counted);
        }
        let by_file = [
            ("changes", changes.len() as i64),
            ("included", included.len() as i64),
            ("conflicts", changes.iter().map(|w| clashes(w)).sum()),
        ];
        for (name, counted) in by_file {
            self.sums.same(&format!("plan, {name}, by its file"), number(&figure[name]), counted);
        }
        let filters = [
            ("with_losses=true", number(&figure["with_losses"])),
            ("in_conflict=true", number(&figure["in_conflict"])),
            ("left_out=true", number(&figure["changes"]) - number(&figure["included"])),
            ("refused=true", number(&figure["refused"])),
            ("", number(&figure["changes"])),
        ];
        for (filter, shown) in filters {
            let found = self.found(id, filter).await;
            self.sums.same(&format!("plan, what “{filter}” opens"), shown, found);
        }
        // Chips that divide: by what is done, and by kind. Together they are all changes.
        let outcomes = list(&figure["outcomes"]);
        self.sums.same("plan, all outcomes together", sum(outcomes, "count"), number(&figure["changes"]));
        for (outcome, kind) in outcomes.iter().map(|o| (text(&o["outcome"]), text(&o["kind"]))).collect::<BTreeSet<_>>()
        {
            let of: Vec<Value> =
                outcomes.iter().filter(|o| o["outcome"] == outcome && o["kind"] == kind).cloned().collect();
            let found = self.found(id, &format!("outcome={outcome}&kind={kind}")).await;
            self.sums.same(&format!("plan, {outcome} of {kind}"), sum(&of, "count"), found);
        }
        let mut with_field: BTreeMap<String, i64> = BTreeMap::new();
        for w in &changes {
            let names: BTreeSet<String> = fields(w).iter().map(|f| text(&f["field"]).to_owned()).collect();
            names.into_iter().for_each(|name| *with_field.entry(name).or_default() += 1);
        }
        for (field, counted) in &with_field {
            let found = self.found(id, &format!("field={}", in_address(field))).await;
            self.sums.same(&format!("plan, changes with {field}"), found, *counted);
        }
        let named: BTreeSet<&str> = list(&figure["fields"]).iter().map(text).collect();
        self.sums.same("plan, its fields", json!(named), json!(with_field.keys().collect::<BTreeSet<_>>()));
        self.scope(&figure, &listed).await;
        self.overview(&figure).await;
    }

    /// Each item in scope is in step, or one change, or let go.
    async fn scope(&mut self, figure: &Value, listed: &[Value]) {
        // Of these the left item is no longer in scope.
        let outside = |c: &&Value| ["gone_left", "out_of_scope_left"].contains(&text(&c["outcome"]));
        let gone = listed.iter().filter(outside).count() as i64;
        let inside = number(&figure["in_step"]) + listed.len() as i64 - gone + number(&figure["let_go"]);
        self.sums.same("items in scope", number(&figure["left_in_scope"]), inside);
    }

    /// Where the overview says that the route stands.
    async fn overview(&mut self, figure: &Value) {
        let overview = self.client.get("/overview").await;
        let route =
            list(&overview["routes"]).iter().find(|r| r["id"] == self.route.as_str()).expect("the route").clone();
        self.sums.same("overview, the plan", route["plan"].clone(), figure.clone());
        let pairs = self.count(&format!("pairs where route_id = '{}'", self.route)).await;
        self.sums.same("overview, pairs", number(&route["pairs"]), pairs);
        // What is in scope is told as surveyed; a dry run reads both ends itself.
        let kinds: BTreeSet<&str> = list(&route["lanes"]).iter().map(|l| text(&l["left_kind"])).collect();
        let kinds = kinds.into_iter().map(|k| format!("'{k}'")).collect::<Vec<_>>().join(", ");
        let left = &route["left"];
        let surveyed = self
            .count(&format!(
                "artefacts where system_id = '{}' and container = '{}' and kind in ({kinds})",
                text(&left["system"]),
                text(&left["container"])
            ))
            .await;
        self.sums.same("overview, of all", number(&route["scope"]["total"]), surveyed);
        if self.sums.stage == "the demo" || self.sums.stage == "first" {
            let scope = (number(&route["scope"]["matched"]), number(&route["scope"]["total"]));
            let read = (number(&figure["left_in_scope"]), number(&figure["left_total"]));
            self.sums.same("overview, scope as surveyed and as read", json!(scope), json!(read));
        }
    }

    /// The page before a transfer, or the receipt after it, against the plan, the journal and the ledger.
    async fn receipt(&mut self, plan: &Value, job: Option<&Value>) {
        let id = text(&plan["id"]);
        let figure = self.client.get(&format!("/plans/{id}")).await;
        let receipt = self.client.get(&format!("/plans/{id}/receipt")).await;
        let lines: Vec<Value> = list(&receipt["lines"]).to_vec();
        let moves = lines.iter().filter(|l| l["doing"] == "remember").cloned().collect::<Vec<_>>();
        let planned = sum(&lines, "planned");
        self.sums.same("receipt, what is included", planned - sum(&moves, "planned"), number(&figure["included"]));
        let by_hand = self.count(&format!("changes where plan_id = '{id}' and included")).await;
        self.sums.same("receipt, all lines, by the database", planned, by_hand);
        // Calls and links by hand, over what is included; items made in one call have a share of it each.
        self.sums.same(
            "receipt, calls and time as the dry run has them",
            receipt["estimate"].clone(),
            figure["estimate"].clone(),
        );
        let those = format!("changes where plan_id = '{id}' and included and outcome <> 'in_step'");
        for end in ["right", "left"] {
            let of_kinds =
                format!("(select ceil(round(sum({end}_calls)::numeric, 6)) as calls from {those} group by kind) kinds");
            let by_hand = self.sum("calls", &of_kinds).await;
            self.sums.same(&format!("receipt, calls {end}"), receipt["estimate"]["calls"][end].clone(), by_hand);
        }
        let linked =
            self.count(&format!("{those} and links_back and decision ->> 'let_go' is distinct from 'true'")).await;
        self.sums.same("receipt, links back", number(&receipt["links_back"]), linked);
        self.sums.same("dry run, links back", number(&figure["links_back"]), linked);
        let losses = list(&receipt["losses"]);
        let Some(job) = job else {
            self.sums.same("receipt, done before anything was done", sum(&lines, "done"), 0);
            return;
        };
        let job_id = text(&job["id"]);
        let (done, refused) = (sum(&lines, "done"), sum(&lines, "refused"));
        // That both ends came to the same by themselves is remembered, and is no change that was carried out.
        self.sums.same("receipt, done", done - sum(&moves, "done"), number(&job["result"]["done"]));
        self.sums.same("receipt, refused", refused, number(&job["result"]["refused"]));
        self.sums.same("receipt, done or refused is all that was planned", done + refused, planned);
        for (state, shown) in [("done", done), ("refused", refused)] {
            let query = format!("journal where job_id = '{job_id}' and state = '{state}'");
            let counted = self.count(&query).await;
            self.sums.same(&format!("receipt, {state}, by the journal"), shown, counted);
        }
        let listed = self.client.get(&format!("/jobs/{job_id}/refused")).await;
        self.sums.same("receipt, the list of what was refused", refused, list(&listed).len() as i64);

        // The ledger: its list, its groups, each group as a filter, and the receipt say one number.
        let ledger = self.client.ledger(job).await;
        let groups = self.client.get(&format!("/jobs/{job_id}/losses/groups")).await;
        let counted = self.count(&format!("losses where job_id = '{job_id}'")).await;
        self.sums.same("ledger, by the database", ledger.len() as i64, counted);
        self.sums.same("ledger, its groups", ledger.len() as i64, sum(list(&groups), "count"));
        let foreseen = ledger.iter().filter(|l| l["foreseen"] == true).count() as i64;
        self.sums.same("receipt, foreseen losses", sum(losses, "foreseen"), foreseen);
        self.sums.same("receipt, losses not foreseen", sum(losses, "not_foreseen"), ledger.len() as i64 - foreseen);
        for group in list(&groups) {
            let filter = format!(
                "cause={}&kind={}&field={}",
                in_address(text(&group["cause"])),
                text(&group["kind"]),
                in_address(text(&group["field"]))
            );
            let page = self.client.get(&format!("/jobs/{job_id}/losses?{filter}&limit=1")).await;
            let same = |g: &&Value| ["cause", "kind", "field"].iter().all(|k| g[*k] == group[*k]);
            let of: Vec<Value> = list(&groups).iter().filter(same).cloned().collect();
            self.sums.same(&format!("ledger, what {} opens", group["why"]), sum(&of, "count"), number(&page["total"]));
        }
        if refused == 0 {
            self.sums.same("receipt, losses that were planned", sum(losses, "planned"), foreseen);
        }
    }

    /// A proof against its lists, its files, the overview, the ledger and the database.
    async fn proof(&mut self, settled: bool) -> Value {
        let proof = self.client.prove(&self.route).await;
        let (id, lanes) = (text(&proof["id"]), list(&proof["lanes"]));
        let all = |name: &str| lanes.iter().flat_map(|l| list(&l[name])).collect::<Vec<_>>();
        let (differences, missing, losses) = (all("differences"), all("missing"), all("losses"));
        for lane in lanes {
            let (paired, missing) = (number(&lane["paired"]), list(&lane["missing"]).len() as i64);
            let let_go_in_scope = number(&lane["left_count"]) - paired - missing;
            // Of what was let go, some is not in scope any more.
            let bound = (0..=number(&lane["let_go"])).contains(&let_go_in_scope);
            self.sums.same(&format!("proof, {} at the left are paired, missing or let go", lane["lane"]), bound, true);
            for field in list(&lane["fields"]) {
                let differing = list(&lane["differences"]).iter().filter(|d| d["field"] == field["field"]);
                let open = differing.filter(|d| !is_settled(d)).count() as i64;
                let agree = number(&field["agree"]) + number(&field["settled"]);
                self.sums.same(
                    &format!("proof, {} of {}: compared", field["field"], lane["lane"]),
                    number(&field["compared"]),
                    agree + open,
                );
            }
        }
        let open = differences.iter().filter(|d| !is_settled(d)).count() as i64;
        let shown = number(&proof["differences"]);
        self.sums.same("proof, differences", shown, (differences.len() + missing.len()) as i64);
        let headline = &proof["headline"];
        let waits = list(&headline["waits"]);
        let fields = number(&headline["waits_fields"]) + number(&headline["unexplained_fields"]);
        self.sums.same("proof, fields that wait or are unexplained", fields, open);
        self.sums.same("proof, waiting fields by cause", number(&headline["waits_fields"]), sum(waits, "fields"));
        let ledger = number(&proof["losses_foreseen"]) + number(&proof["losses_unforeseen"]);
        let standing = self.count(&format!("losses where route_id = '{}'", self.route)).await;
        self.sums.same("proof, losses that stand in the ledger", ledger, standing);
        if settled {
            // By the rules as they are, and by what transfers recorded, if nothing came in between.
            self.sums.same("proof, losses by the rules and in the ledger", losses.len() as i64, ledger);
        }
        let unforeseen = list(&proof["unforeseen"]).len() as i64;
        self.sums.same("proof, its list of unforeseen losses", number(&proof["losses_unforeseen"]), unforeseen);
        let mut kept = Vec::new();
        for column in ["differences", "waits", "unexplained"] {
            kept.push(self.number_of(column, &format!("proofs where id = '{id}'")).await);
        }
        let head = self.client.get(&format!("/routes/{}/proofs/list", self.route)).await["proofs"][0].clone();
        let overview = self.client.get("/overview").await;
        let route =
            list(&overview["routes"]).iter().find(|r| r["id"] == self.route.as_str()).expect("the route").clone();
        let figures = [
            ("differences", shown),
            ("waits", number(&headline["waits_items"])),
            ("unexplained", number(&headline["unexplained_items"]).max(number(&headline["unexplained_fields"]))),
        ];
        for ((name, shown), kept) in figures.into_iter().zip(kept) {
            self.sums.same(&format!("proof, {name}, among earlier proofs"), number(&head[name]), shown);
            self.sums.same(&format!("proof, {name}, in the overview"), number(&route["proof"][name]), shown);
            self.sums.same(&format!("proof, {name}, in the database"), kept, shown);
        }
        self.files(&proof, &differences, &missing, ledger).await;
        proof
    }

    /// The files of a proof have as many rows as its lists, and its headline.
    async fn files(&mut self, proof: &Value, differences: &[&Value], missing: &[&Value], losses: i64) {
        let folder = tempfile::tempdir().expect("a folder");
        let path = |form: &str| format!("/routes/{}/proofs/{}/files/{form}", self.route, text(&proof["id"]));
        let file = folder.path().join("proof.xlsx");
        std::fs::write(&file, self.client.bytes(&path("xlsx")).await).expect("it is kept");
        let page = String::from_utf8(self.client.bytes(&path("html")).await).expect("text");
        let signed = self.client.get(&path("json")).await;
        let book = sheets(&file);
        let rows = |sheet: &str| list(&book[sheet]).len() as i64;
        self.sums.same("spreadsheet, differences", rows("Differences"), differences.len() as i64);
        self.sums.same("spreadsheet, missing", rows("Missing"), missing.len() as i64);
        self.sums.same("spreadsheet, losses", rows("Losses"), losses);
        for (row, lane) in list(&book["Kinds"]).iter().zip(list(&proof["lanes"])) {
            for (at, name) in [(1, "left_count"), (2, "paired"), (3, "right_count")] {
                self.sums.same(
                    &format!("spreadsheet, {name} of {}", lane["lane"]),
                    row[at].clone(),
                    lane[name].clone(),
                );
            }
        }
        self.sums.same("page, losses", page.matches("<span class=\"loss\">").count() as i64, losses);
        let told = text(&proof["headline"]["told"]);
        self.sums.same("page, the headline", page.contains(told), true);
        for name in ["agrees", "waits_items", "waits_fields", "unexplained_items", "unexplained_fields"] {
            let signed = signed["evidence"]["proof"]["headline"][name].clone();
            self.sums.same(&format!("signed file, {name}"), signed, proof["headline"][name].clone());
        }
    }

    /// Dry run, the page before, transfer, receipt and proof, each counted again.
    async fn round(&mut self, stage: &str, settled: bool) -> Value {
        self.sums.stage = stage.to_owned();
        let plan = self.client.dry_run(&self.route).await;
        self.plan(&plan).await;
        self.receipt(&plan, None).await;
        let job = self.client.finish(&self.client.transfer(&plan).await).await;
        assert_eq!(job["state"], "done", "{job}");
        self.plan(&plan).await;
        self.receipt(&plan, Some(&job)).await;
        self.proof(settled).await
    }

    fn end(self) {
        assert!(
            self.sums.wrong.is_empty(),
            "{} of {}:\n{}",
            self.sums.wrong.len(),
            self.sums.compared,
            self.sums.wrong.join("\n")
        );
        println!("{} numbers compared", self.sums.compared);
    }
}

/// A difference that is on record: decided, or as the right made it.
fn is_settled(difference: &Value) -> bool {
    ["kept_by_decision", "changed_on_saving", "removed_at_right"].contains(&text(&difference["cause"]))
}

/// Has every verdict occur in the next dry run: what people at both ends do between two of them, and one rule.
async fn every_verdict(world: &World) {
    let (old, tally) = connectors(&world.systems);
    let paired = async |left: u32| {
        let mark = format!("Oldstone:OS-{left}");
        let found = tally.find_by_origin(TALLYBENCH.container, Kind::TestCase, &mark).await.expect("an answer");
        found.unwrap_or_else(|| panic!("{mark} was carried")).id
    };
    let at_left = async |number: u32, name: &str| {
        edit(&*old, OLDSTONE.container, &format!("OS-{number}"), "name", name).await;
    };
    let at_right = async |number: u32, name: &str| {
        edit(&*tally, TALLYBENCH.container, &paired(number).await, "title", name).await;
    };
    at_left(2001, "Changed at the left").await;
    at_right(2002, "Changed at the right").await;
    at_left(2003, "One thing at the left").await;
    at_right(2003, "Another at the right").await;
    at_left(2004, "The same at both ends").await;
    at_right(2004, "The same at both ends").await;
    let (gone, unreadable) = (paired(2005).await, paired(2006).await);
    let at_tallybench = |state: &mut Value| {
        let cases = state["cases"].as_object_mut().expect("cases");
        cases.remove(&gone).expect("it was there");
        cases.get_mut(&unreadable).expect("it was there")["own"]["own_1"] = json!("many");
    };
    world.systems.tallybench.change(at_tallybench).expect("it is still a state");
    let at_oldstone = |state: &mut Value| {
        let cases = state["cases"].as_object_mut().expect("cases");
        cases.remove("2007").expect("it was there");
        // Nobody touched these otherwise: that something was said of them is gone.
        let untouched = cases.iter_mut().filter(|(number, _)| number.as_str() > "2011");
        untouched.for_each(|(_, case)| case["remarks"] = json!([]));
        let mut new = cases["2008"].clone();
        new["number"] = json!(9001);
        cases.insert("9001".into(), new);
        let mut blocked = cases["2009"].clone();
        (blocked["number"], blocked["state"]) = (json!(9002), json!("Nobody knows"));
        cases.insert("9002".into(), blocked);
    };
    world.systems.oldstone.change(at_oldstone).expect("it is still a state");
    let mut lanes = list(&world.client.get(&format!("/routes/{}", world.route)).await["lanes"]).to_vec();
    let lane = lanes.iter_mut().find(|l| l["left_kind"] == "test_case").expect("a lane");
    lane["left_scope"] = json!({"row": {"field": "@key", "op": "is_not", "value": "OS-2010"}});
    // What the survey found has a row each; a value that came since is in none.
    let rules = lane["rules"].as_array_mut().expect("rules");
    let status = rules.iter_mut().find(|r| r["into"]["right"]["target"] == "status").expect("a rule for it");
    let map = status["into"]["right"]["conversions"]
        .as_array_mut()
        .expect("a list")
        .iter_mut()
        .find_map(|c| c.get_mut("value_map"));
    let map = map.expect("a value map");
    for value in ["In review", "Draft"] {
        map["rows"].as_array_mut().expect("rows").push(json!({"left": value, "right": "active"}));
    }
    map["otherwise"] = json!("block");
    world.client.save_lanes(&world.route, &lanes).await;
}

/// A number of its own at the right, filled with the same for every item: what is no number there can't be read.
async fn own_number(world: &World) {
    let field = json!({"name": "Runs a year", "value_type": "integer"});
    let ask = format!("/routes/{}/new-field", world.route);
    let made = world.client.post(&ask, json!({"end": "right", "kind": "test_case", "field": field})).await;
    let mut lanes = list(&world.client.get(&format!("/routes/{}", world.route)).await["lanes"]).to_vec();
    let lane = lanes.iter_mut().find(|l| l["left_kind"] == "test_case").expect("a lane");
    let three = json!({"constant": {"type": "integer", "value": 3}});
    let rule = rule_into_right(made["id"].as_str().expect("an id"), three);
    lane["rules"].as_array_mut().expect("rules").push(rule);
    world.client.save_lanes(&world.route, &lanes).await;
}

/// What a person would decide of some: a conflict each way, one included, one let go, one left out, one undone.
async fn decide_some(world: &World, plan: &Value) {
    let id = text(&plan["id"]);
    let patch = async |outcome: &str, at: usize, body: Value| {
        let found = world.client.changes(plan, &format!("outcome={outcome}")).await;
        let Some(change) = found.get(at) else { return };
        let path = format!("/plans/{id}/changes/{}", change["seq"]);
        let (status, said) = world.client.call(Method::PATCH, &path, Some(body), None).await;
        assert!(status.is_success(), "{outcome}: {said}");
    };
    patch("conflict", 0, json!({"included": true, "fields": {"title": "write_right"}})).await;
    patch("held_right", 0, json!({"included": true, "fields": {"title": "keep_right"}})).await;
    patch("gone_right", 0, json!({"included": true})).await;
    patch("gone_left", 0, json!({"let_go": true})).await;
    patch("new_right", 0, json!({"included": false})).await;
    patch("adopt", 0, json!({"as_new": true, "included": true})).await;
    let (status, said) = world.client.call(Method::POST, &format!("/plans/{id}/undo"), Some(json!({})), None).await;
    assert!(status.is_success(), "{said}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_numbers_of_the_demo_add_up() {
    let mut world = World::begin(Size::DEMO).await;
    world.round("the demo", true).await;
    world.end();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_numbers_of_every_verdict_add_up() {
    let mut world = World::begin(Size::SMALL).await;
    own_number(&world).await;
    let proof = world.round("first", true).await;
    assert!(number(&proof["headline"]["waits_items"]) > 0, "some wait for a person");
    every_verdict(&world).await;
    world.sums.stage = "every verdict".into();
    let plan = world.client.dry_run(&world.route).await;
    let outcomes = tally(list(&plan["outcomes"]).iter().map(|o| text(&o["outcome"])));
    let wanted = [
        "adopt",
        "blocked",
        "conflict",
        "gone_left",
        "gone_right",
        "held_right",
        "new_right",
        "out_of_scope_left",
        "taken_off_left",
        "unreadable",
        "update_right",
    ];
    assert_eq!(outcomes.keys().copied().collect::<Vec<_>>(), wanted, "{outcomes:?}");
    world.proof(false).await;
    world.plan(&plan).await;
    decide_some(&world, &plan).await;
    world.plan(&plan).await;
    world.round("decided", false).await;
    world.round("afterwards", false).await;
    world.end();
}
