//! The order of the house: what imports what, in every crate, from the sources themselves.
//!
//! A module is a file or a folder. Within a folder, no modules may import one another in a circle; the core's own
//! modules stand in the order of the table in its `lib.rs`; and `docs/structure.md` draws what is really so.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

type Module = Vec<String>;

fn crates() -> Vec<(String, PathBuf)> {
    let all = Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("the folder of the crates");
    let mut found: Vec<_> = fs::read_dir(all).expect("it can be read").map(|e| e.expect("an entry").path()).collect();
    found.sort();
    let name = |path: &PathBuf| path.file_name().expect("a name").to_string_lossy().into_owned();
    found.iter().filter(|p| p.join("src").is_dir()).map(|p| (name(p), p.join("src"))).collect()
}

fn sources(folder: &Path, at: &Module, out: &mut Vec<(Module, String)>) {
    for entry in fs::read_dir(folder).expect("it can be read") {
        let path = entry.expect("an entry").path();
        let name = path.file_stem().expect("a name").to_string_lossy().into_owned();
        if path.is_dir() {
            sources(&path, &[at.as_slice(), &[name]].concat(), out);
        } else if path.extension().is_some_and(|e| e == "rs") {
            let own = if matches!(name.as_str(), "mod" | "lib" | "main") { vec![] } else { vec![name] };
            out.push(([at.as_slice(), &own].concat(), fs::read_to_string(&path).expect("it is text")));
        }
    }
}

/// Paths that begin with `crate` or `super` in the code of a module, its tests and comments left out.
fn paths(source: &str) -> Vec<Vec<String>> {
    let code: String = source.lines().filter(|l| !l.trim_start().starts_with("//")).map(|l| format!("{l}\n")).collect();
    let code = code.split("mod tests").next().unwrap_or_default();
    let is_name = |c: char| c.is_alphanumeric() || c == '_';
    let mut out = Vec::new();
    for start in ["crate::", "super::"] {
        for (at, _) in code.match_indices(start) {
            if code[..at].ends_with(is_name) || code[..at].ends_with("::") {
                continue;
            }
            let rest = &code[at..];
            let end = rest.find(|c: char| !is_name(c) && c != ':').unwrap_or(rest.len());
            let head: Vec<String> = rest[..end].split("::").filter(|s| !s.is_empty()).map(str::to_owned).collect();
            match rest[end..].strip_prefix('{').and_then(|list| list.split('}').next()) {
                Some(list) if rest[..end].ends_with("::") => out.extend(list.split(',').map(|one| {
                    let name = one.trim().split([':', ' ', '{']).next().unwrap_or_default();
                    [head.as_slice(), &[name.to_owned()]].concat()
                })),
                _ => out.push(head),
            }
        }
    }
    out
}

/// Which modules each module imports, as whole paths from the root of the crate.
fn imports(root: &Path) -> BTreeMap<Module, BTreeSet<Module>> {
    let mut all = Vec::new();
    sources(root, &Vec::new(), &mut all);
    let modules: BTreeSet<Module> = all.iter().map(|(m, _)| m.clone()).collect();
    let mut out: BTreeMap<Module, BTreeSet<Module>> = BTreeMap::new();
    for (module, source) in &all {
        let into = out.entry(module.clone()).or_default();
        for path in paths(source) {
            let up = path.iter().take_while(|s| *s == "super").count();
            let base = if path[0] == "crate" { &[] } else { &module[..module.len().saturating_sub(up)] };
            let mut to = [base, &path[up.max(1)..]].concat();
            while !to.is_empty() && !modules.contains(&to) {
                to.pop();
            }
            into.insert(to);
        }
    }
    out
}

/// Of the modules straight in a folder, which import which.
fn within(imports: &BTreeMap<Module, BTreeSet<Module>>, folder: &[String]) -> BTreeMap<String, BTreeSet<String>> {
    let child = |m: &Module| (m.len() > folder.len() && m.starts_with(folder)).then(|| m[folder.len()].clone());
    let mut out: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (from, to) in imports {
        let Some(from) = child(from) else { continue };
        let to = to.iter().filter_map(child).filter(|to| *to != from);
        out.entry(from.clone()).or_default().extend(to.collect::<Vec<_>>());
    }
    out
}

/// Takes off, again and again, what imports nothing that is left; what stays is in circles, or above them.
fn in_circles(mut graph: BTreeMap<String, BTreeSet<String>>) -> BTreeMap<String, BTreeSet<String>> {
    loop {
        let free: BTreeSet<String> = graph.iter().filter(|(_, to)| to.is_empty()).map(|(m, _)| m.clone()).collect();
        let above: BTreeSet<String> =
            graph.keys().filter(|m| !graph.values().any(|to| to.contains(*m))).cloned().collect();
        if free.is_empty() && above.is_empty() {
            return graph;
        }
        graph.retain(|m, _| !free.contains(m) && !above.contains(m));
        graph.values_mut().for_each(|to| to.retain(|m| !free.contains(m) && !above.contains(m)));
    }
}

#[test]
fn no_folder_imports_in_a_circle() {
    let mut wrong = Vec::new();
    let mut seen = 0;
    for (name, root) in crates() {
        let imports = imports(&root);
        let folders: BTreeSet<Module> =
            imports.keys().filter(|m| !m.is_empty()).map(|m| m[..m.len() - 1].to_vec()).collect();
        for folder in folders {
            seen += 1;
            let title = [std::slice::from_ref(&name), folder.as_slice()].concat().join(" ");
            let circles = in_circles(within(&imports, &folder));
            if !circles.is_empty() {
                wrong.push(format!("{title}: {circles:?}"));
            }
        }
    }
    assert!(seen > 30, "{seen} folders were found: the sources are not where they were");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn the_core_imports_only_what_stands_above_in_its_table() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let text = fs::read_to_string(root.join("lib.rs")).expect("lib.rs");
    let row = |line: &str| Some(line.strip_prefix("//! | [`")?.split('`').next()?.to_owned());
    let order: Vec<String> = text.lines().filter_map(row).collect();
    let graph = within(&imports(&root), &[]);
    let listed: BTreeSet<&String> = order.iter().collect();
    assert_eq!(listed, graph.keys().collect(), "the table names every module of the core");
    let place = |m: &str| order.iter().position(|o| o == m);
    for (from, to) in &graph {
        for to in to {
            assert!(place(to) < place(from), "{from} imports {to}, which stands below it");
        }
    }
}

/// Which crates of the workspace need which, from their manifests; what only tests need is left out.
fn between_crates() -> BTreeMap<String, BTreeSet<String>> {
    let needs = |src: &Path| -> BTreeSet<String> {
        let manifest = fs::read_to_string(src.with_file_name("Cargo.toml")).expect("a manifest");
        let own = manifest.split("[dependencies]").nth(1).unwrap_or_default();
        let own = own.split("\n[").next().unwrap_or_default();
        own.lines().filter_map(|l| Some(l.strip_prefix("hovrel-")?.split([' ', '.', '=']).next()?.to_owned())).collect()
    };
    crates().into_iter().map(|(name, src)| (name, needs(&src))).collect()
}

/// Without what follows from the rest: where a way leads over others, the straight one says nothing more.
fn without_detours(graph: &BTreeMap<String, BTreeSet<String>>) -> BTreeMap<String, BTreeSet<String>> {
    fn reach(graph: &BTreeMap<String, BTreeSet<String>>, from: &str, out: &mut BTreeSet<String>) {
        for to in graph.get(from).into_iter().flatten() {
            if out.insert(to.clone()) {
                reach(graph, to, out);
            }
        }
    }
    let further = |to: &String| {
        let mut out = BTreeSet::new();
        reach(graph, to, &mut out);
        out
    };
    let kept = |all: &BTreeSet<String>| {
        let over_others: BTreeSet<String> = all.iter().flat_map(further).collect();
        all.difference(&over_others).cloned().collect()
    };
    graph.iter().map(|(from, to)| (from.clone(), kept(to))).collect()
}

fn drawn(title: &str, graph: &BTreeMap<String, BTreeSet<String>>) -> String {
    let mut out = format!("\n## {title}\n\n```mermaid\nflowchart TD\n");
    for (from, to) in without_detours(graph) {
        match to.is_empty() && !graph.values().any(|all| all.contains(&from)) {
            true => out.push_str(&format!("  {from}\n")),
            false => to.iter().for_each(|to| out.push_str(&format!("  {from} --> {to}\n"))),
        }
    }
    out + "```\n"
}

/// With `HOVREL_DRAW=1` the drawing is made again.
#[test]
fn the_drawing_shows_what_imports_what() {
    let mut text =
        "# Structure\n\nWho imports whom, made from the sources by `core/tests/whole/structure.rs`, which also holds that \
                    no modules of any folder of\nany crate import one another in a circle. An arrow that follows from \
                    others is left out. Crates that only tests need are\nleft out too.\n"
            .to_owned();
    text += &drawn("Crates", &between_crates());
    for name in ["core", "engine", "server", "store", "connect"] {
        let (_, root) = crates().into_iter().find(|(n, _)| n == name).expect("the crate");
        text += &drawn(&format!("Modules of {name}"), &within(&imports(&root), &[]));
    }
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/structure.md");
    if std::env::var_os("HOVREL_DRAW").is_some() {
        fs::write(&file, &text).expect("it is written");
    }
    let kept = fs::read_to_string(&file).unwrap_or_default();
    assert!(kept == text, "docs/structure.md is not what the sources are; HOVREL_DRAW=1 draws it again");
}

/// The reader of the sources itself: what it takes for an import, and what it takes for a circle.
#[test]
fn imports_and_circles_are_found() {
    let source = "//! [`crate::no`]\nuse crate::a::{B, c::D};\nuse super::e::F;\nlet x = crate::g::h(super::super::i::J);\n\
                  #[cfg(test)]\nmod tests { use crate::z::Z; }";
    let found: Vec<String> = paths(source).iter().map(|p| p.join("::")).collect();
    assert_eq!(found, ["crate::a::B", "crate::a::c", "crate::g::h", "super::e::F", "super::super::i::J"]);
    let graph = |of: &[(&str, &[&str])]| {
        of.iter().map(|(m, to)| ((*m).to_owned(), to.iter().map(|t| (*t).to_owned()).collect())).collect()
    };
    assert!(in_circles(graph(&[("a", &["b", "c"]), ("b", &["c"]), ("c", &[])])).is_empty());
    let round = in_circles(graph(&[("a", &["b"]), ("b", &["c"]), ("c", &["b"]), ("d", &[])]));
    assert_eq!(round.keys().collect::<Vec<_>>(), ["b", "c"]);
}
