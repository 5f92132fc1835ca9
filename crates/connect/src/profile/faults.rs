//! Faults of sense in a profile: what can be read, and means nothing or something else than was meant.
//!
//! Decides by what each key is for: a place in an answer, a path of the system, a word for a type. Every place and path is
//! named in one table, so that none is looked at less closely than another. Knows nothing of any system.

use std::collections::{BTreeMap, HashMap};

use hovrel_core::model::{LinkType, ValueType};
use hovrel_intake::{Fault, escaped};
use serde_json::Value;

use super::{AddedAt, Concurrency, KindProfile, Paging, Profile, SignIn, Speaks};

/// Keys that hold places: JSON Pointers (RFC 6901). A star is any name.
const PLACES: &[&str] = &[
    "/sign_in/session/token",
    "/about/version",
    "/about/clock",
    "/about/zone",
    "/about/calls_per_minute",
    "/about/calls_per_second",
    "/about/calls_at_once",
    "/about/access",
    "/container_name",
    "/containers/items",
    "/containers/id",
    "/containers/paging/*/next",
    "/containers/paging/offset/total",
    "/containers/paging/cursor/total",
    "/people/items",
    "/people/id",
    "/people/name",
    "/people/login",
    "/people/email",
    "/people/paging/*/next",
    "/people/paging/offset/total",
    "/people/paging/cursor/total",
    "/schema/kinds",
    "/schema/kind_id",
    "/schema/depth",
    "/schema/fields",
    "/schema/id",
    "/schema/name",
    "/schema/type",
    "/schema/required",
    "/schema/read_only",
    "/schema/allowed",
    "/schema/max_length",
    "/schema/max_bytes",
    "/schema/media_types",
    "/schema/moves/*",
    "/schema/new_fields/kinds",
    "/schema/new_fields/name",
    "/schema/new_fields/type",
    "/schema/new_fields/allowed",
    "/schema/new_fields/max_length",
    "/schema/new_fields/id",
    "/schema/types/*/steps/items",
    "/schema/types/*/steps/action",
    "/schema/types/*/steps/expected",
    "/schema/types/*/steps/data",
    "/schema/types/*/steps/call/target",
    "/schema/types/*/steps/call/arguments/*",
    "/schema/types/*/steps/files/*",
    "/schema/types/*/table/*/*",
    "/kinds/*/list/items",
    "/kinds/*/list/id",
    "/kinds/*/list/paging/*/next",
    "/kinds/*/list/paging/offset/total",
    "/kinds/*/list/paging/cursor/total",
    "/kinds/*/batch/items",
    "/kinds/*/batch/answers",
    "/kinds/*/batch/made",
    "/kinds/*/key",
    "/kinds/*/version",
    "/kinds/*/parent",
    "/kinds/*/position",
    "/kinds/*/modified_at",
    "/kinds/*/modified_by",
    "/kinds/*/fields_at/*",
    "/kinds/*/concurrency/body",
    "/kinds/*/links/items",
    "/kinds/*/links/link_type",
    "/kinds/*/links/kind",
    "/kinds/*/links/id",
    "/kinds/*/links/url",
    "/kinds/*/comments/items",
    "/kinds/*/comments/id",
    "/kinds/*/comments/at",
    "/kinds/*/comments/by",
    "/kinds/*/comments/text",
    "/kinds/*/comments/added/id",
    "/kinds/*/history/items",
    "/kinds/*/history/id",
    "/kinds/*/history/at",
    "/kinds/*/history/by",
    "/kinds/*/history/field",
    "/kinds/*/history/before",
    "/kinds/*/history/after",
    "/kinds/*/history/added/id",
    "/kinds/*/files/items",
    "/kinds/*/files/name",
    "/kinds/*/files/media_type",
    "/kinds/*/files/bytes",
    "/kinds/*/files/sha256",
    "/kinds/*/files/id",
    "/errors/code",
    "/errors/text",
    "/errors/field",
];

/// Keys that hold paths of the system, the names that may stand in them in braces, and those that must.
const PATHS: &[(&str, &[&str], &[&str])] = &[
    ("/sign_in/session/path", &[], &[]),
    ("/sign_in/client_credentials/path", &[], &[]),
    ("/about/path", &[], &[]),
    ("/containers/path", &[], &[]),
    ("/people/path", &["container"], &[]),
    ("/schema/path", &["container"], &[]),
    ("/schema/new_fields/path", &["container", "kind"], &[]),
    ("/kinds/*/list/path", &["container", "kind"], &[]),
    ("/kinds/*/one", &["kind", "id"], &["id"]),
    ("/kinds/*/create", &["container", "kind"], &[]),
    ("/kinds/*/batch/path", &["container", "kind"], &[]),
    ("/kinds/*/find_by_origin", &["container", "kind", "mark"], &["mark"]),
    ("/kinds/*/move_at", &["kind", "id"], &["id"]),
    ("/kinds/*/comments/add", &["kind", "id"], &["id"]),
    ("/kinds/*/history/add", &["kind", "id"], &["id"]),
    ("/kinds/*/files/path", &["kind", "id", "name"], &["id", "name"]),
    ("/kinds/*/page", &["kind", "id"], &["id"]),
];

/// Keys that hold the names of headers (RFC 9110 §5.1).
const HEADERS: &[&str] = &[
    "/sign_in/key/header",
    "/sign_in/session/header",
    "/kinds/*/concurrency/header",
    "/kinds/*/list/paging/linked/total",
];

/// Keys that must not be empty.
const WORDS: &[&str] = &[
    "/profile",
    "/title",
    "/asks/*/id",
    "/asks/*/label",
    "/kinds/*/name",
    "/kinds/*/schema_id",
    "/kinds/*/title",
    "/kinds/*/root",
    "/kinds/*/origin_label/field",
    "/kinds/*/origin_label/prefix",
    "/kinds/*/files/schema_field",
    "/schema/types/*/words/yes",
    "/schema/types/*/words/no",
];

/// Items on a page, and items that are made at once; more is no page.
const LARGEST_PAGE: u64 = 10_000;

/// Texts at a pattern, with the pointer to each.
fn texts<'v>(written: &'v Value, pattern: &str) -> Vec<(String, &'v str)> {
    let mut at: Vec<(String, &Value)> = vec![(String::new(), written)];
    for part in pattern.split('/').skip(1) {
        let mut next = Vec::new();
        for (pointer, value) in at {
            match value {
                Value::Object(map) => {
                    let named = map.iter().filter(|(name, _)| part == "*" || *name == part);
                    next.extend(named.map(|(name, v)| (format!("{pointer}/{}", escaped(name)), v)));
                }
                Value::Array(list) if part == "*" => {
                    next.extend(list.iter().enumerate().map(|(n, v)| (format!("{pointer}/{n}"), v)));
                }
                _ => {}
            }
        }
        at = next;
    }
    at.into_iter().filter_map(|(pointer, value)| Some((pointer, value.as_str()?))).collect()
}

/// Why a text is no JSON Pointer.
fn no_place(text: &str) -> Option<String> {
    if !text.is_empty() && !text.starts_with('/') {
        return Some(format!("“{text}” is not a JSON Pointer; it must begin with / (RFC 6901 §3)"));
    }
    let escapes = text.split('~').skip(1).all(|after| after.starts_with(['0', '1']));
    (!escapes).then(|| format!("“{text}” is not a JSON Pointer; ~ is written ~0 in it (RFC 6901 §3)"))
}

/// Why a text is no path, with what may and must stand in it in braces.
fn no_path(text: &str, may: &[&str], must: &[&str]) -> Vec<String> {
    let mut out = Vec::new();
    if !text.starts_with('/') || text.starts_with("//") {
        out.push(format!("“{text}” is no path; it must begin with one /, or it would be part of the name of the host"));
    }
    if text.chars().any(|c| c.is_whitespace() || c.is_control()) || text.contains(['#', '\\']) {
        out.push(format!("“{text}” holds what can't stand in a path; write it in percent signs (RFC 3986 §2.1)"));
    }
    let braces = text.matches(['{', '}']).collect::<String>();
    if !braces.replace("{}", "").is_empty() {
        out.push(format!("“{text}” has a brace without another"));
    }
    let names: Vec<&str> = text.split('{').skip(1).filter_map(|s| s.split_once('}')).map(|(name, _)| name).collect();
    for name in names.iter().filter(|n| !may.contains(*n)) {
        out.push(format!("“{{{name}}}” means nothing here{}", could_be(may)));
    }
    for name in must.iter().filter(|n| !names.contains(n)) {
        out.push(format!("“{text}” lacks {{{name}}}"));
    }
    out
}

fn could_be(may: &[&str]) -> String {
    match may {
        [] => String::new(),
        all => format!("; {} could", all.iter().map(|n| format!("{{{n}}}")).collect::<Vec<_>>().join(" and ")),
    }
}

/// Whether a text is the name of a header: a token (RFC 9110 §5.6.2).
fn is_header(text: &str) -> bool {
    let is_token = |b: u8| b.is_ascii_alphanumeric() || b"!#$%&'*+-.^_`|~".contains(&b);
    !text.is_empty() && text.bytes().all(is_token)
}

/// Every fault. `written` is the profile as it was written, before anything was filled in.
pub(super) fn faults(p: &Profile, written: &Value) -> Vec<Fault> {
    let mut out = Vec::new();
    let mut fault = |pointer: &str, detail: String| out.push(Fault { pointer: pointer.to_owned(), detail });
    for (pointer, text) in PLACES.iter().flat_map(|pattern| texts(written, pattern)) {
        no_place(text).into_iter().for_each(|why| fault(&pointer, why));
    }
    for (pattern, may, must) in PATHS {
        for (pointer, text) in texts(written, pattern) {
            no_path(text, may, must).into_iter().for_each(|why| fault(&pointer, why));
        }
    }
    for (pointer, text) in HEADERS.iter().flat_map(|pattern| texts(written, pattern)) {
        if !is_header(text) {
            fault(&pointer, format!("“{text}” is not the name of a header (RFC 9110 §5.1)"));
        }
    }
    for (pointer, text) in WORDS.iter().flat_map(|pattern| texts(written, pattern)) {
        if text.trim().is_empty() {
            fault(&pointer, "it is empty".to_owned());
        }
    }
    types(p, &mut fault);
    kinds(p, &mut fault);
    sizes(p, &mut fault);
    rest(p, &mut fault);
    out
}

/// What the schema's types say of themselves.
fn types(p: &Profile, fault: &mut dyn FnMut(&str, String)) {
    for (word, of) in &p.schema.types {
        let at = format!("/schema/types/{}", escaped(word));
        let is = of.value_type;
        let name = serde_json::to_value(is).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default();
        let mut lacks = |key: &str, why: &str| fault(&at, format!("a type that is {name} lacks {key}, {why}"));
        match is {
            ValueType::RichText if of.format.is_none() => lacks("format", "the markup that its texts are in"),
            ValueType::Steps if of.steps.is_none() => lacks("steps", "the places of what a step holds"),
            ValueType::Steps if of.format.is_none() => lacks("format", "the markup that its texts are in"),
            ValueType::Table if of.table.is_none() => lacks("table", "the places of rows and cells"),
            ValueType::Reference | ValueType::References if of.refers_to.is_none() => {
                lacks("refers_to", "the kind that it points to");
            }
            _ => {}
        }
        let suits = |types: &[ValueType]| types.contains(&is);
        for (key, there, fits) in [
            ("steps", of.steps.is_some(), suits(&[ValueType::Steps])),
            ("table", of.table.is_some(), suits(&[ValueType::Table])),
            ("refers_to", of.refers_to.is_some(), suits(&[ValueType::Reference, ValueType::References])),
            ("words", of.words.is_some(), suits(&[ValueType::Boolean])),
            ("moves", of.moves, suits(&[ValueType::Choice])),
            ("origin_mark", of.origin_mark, suits(&[ValueType::Text])),
            ("format", of.format.is_some(), suits(&[ValueType::RichText, ValueType::Steps])),
        ] {
            if there && !fits {
                fault(&format!("{at}/{key}"), format!("a type that is {name} has none"));
            }
        }
        if let Some(kind) = of.refers_to.filter(|kind| !p.kinds.contains_key(kind)) {
            fault(&format!("{at}/refers_to"), format!("the profile has no kind {}", kind.id()));
        }
        if of.words.as_ref().is_some_and(|w| w.yes == w.no) {
            fault(&format!("{at}/words"), "yes and no are one word".to_owned());
        }
        if of.moves && p.schema.moves.is_none() {
            fault(&format!("{at}/moves"), "the schema lacks moves, the places where a kind lists its moves".to_owned());
        }
    }
}

/// What kinds say of one another, and of where Hovrel leaves its mark.
fn kinds(p: &Profile, fault: &mut dyn FnMut(&str, String)) {
    if p.kinds.is_empty() {
        fault("/kinds", "there is no kind".to_owned());
    }
    let mut by_word: HashMap<&str, &str> = HashMap::new();
    let has_mark = p.schema.types.values().any(|t| t.origin_mark);
    let has_files = p.schema.types.values().any(|t| t.value_type == ValueType::Attachments);
    let has_moves = p.schema.types.values().any(|t| t.moves);
    for (id, kind) in &p.kinds {
        let at = format!("/kinds/{}", id.id());
        if let Some(other) = by_word.insert(&kind.schema_id, id.id()) {
            fault(&format!("{at}/schema_id"), format!("“{}” is that of {other} already", kind.schema_id));
        }
        if !has_mark && kind.origin_label.is_none() {
            let why =
                "there is no place for the origin mark: no type has origin_mark, and the kind has no origin_label";
            fault(&at, why.to_owned());
        }
        if kind.files.is_some() && !has_files {
            fault(&format!("{at}/files"), "no type of the schema is attachments".to_owned());
        }
        if kind.move_at.is_some() && !has_moves {
            fault(&format!("{at}/move_at"), "no type of the schema has moves".to_owned());
        }
        for (key, added, add) in [
            (
                "comments",
                kind.comments.as_ref().and_then(|c| c.added.as_ref()),
                kind.comments.as_ref().and_then(|c| c.add.as_ref()),
            ),
            (
                "history",
                kind.history.as_ref().and_then(|h| h.added.as_ref()),
                kind.history.as_ref().and_then(|h| h.add.as_ref()),
            ),
        ] {
            if added.is_some() && add.is_none() {
                fault(&format!("{at}/{key}/added"), "nothing is added: add is lacking".to_owned());
            }
            if matches!(added, Some(AddedAt::Id(place)) if place.is_empty()) {
                fault(&format!("{at}/{key}/added/id"), "an id has a place of its own".to_owned());
            }
        }
        if p.speaks == Speaks::Xml {
            let posts = kind.comments.as_ref().filter(|c| c.add.is_some());
            if posts.is_some_and(|c| c.root.is_none()) {
                fault(&format!("{at}/comments"), "it lacks root, the element a comment is written in".to_owned());
            }
        }
        if kind.links.as_ref().is_some_and(|l| l.types.is_empty()) {
            fault(&format!("{at}/links/types"), "there is no type of link".to_owned());
        }
    }
}

/// Numbers that make no page, and calls.
fn sizes(p: &Profile, fault: &mut dyn FnMut(&str, String)) {
    let mut paging = |at: &str, paging: &Paging| {
        let (key, size) = match paging {
            Paging::All => return,
            Paging::Offset { size, .. } => ("offset", size),
            Paging::Cursor { size, .. } => ("cursor", size),
            Paging::Linked { size, .. } => ("linked", size),
        };
        if !(1..=LARGEST_PAGE).contains(&u64::from(*size)) {
            fault(&format!("{at}/paging/{key}/size"), format!("a page has 1 to {LARGEST_PAGE} items"));
        }
    };
    paging("/containers", &p.containers.paging);
    paging("/people", &p.people.paging);
    for (id, kind) in &p.kinds {
        paging(&format!("/kinds/{}/list", id.id()), &kind.list.paging);
    }
    for (id, kind) in &p.kinds {
        if kind.batch.as_ref().is_some_and(|b| !(1..=LARGEST_PAGE as usize).contains(&b.size)) {
            let at = format!("/kinds/{}/batch/size", id.id());
            fault(&at, format!("1 to {LARGEST_PAGE} items are made at once"));
        }
    }
    if !(1..=hovrel_core::bounds::MOST_CALLS_AT_ONCE).contains(&p.calls_at_once) {
        let most = hovrel_core::bounds::MOST_CALLS_AT_ONCE;
        fault("/calls_at_once", format!("1 to {most} calls are made at once"));
    }
}

/// The sign-in, links, and what a kind can't go without.
fn rest(p: &Profile, fault: &mut dyn FnMut(&str, String)) {
    for (n, ask) in p.asks.iter().enumerate() {
        if p.asks[..n].iter().any(|other| other.id == ask.id) {
            fault(&format!("/asks/{n}/id"), format!("“{}” is asked twice", ask.id));
        }
    }
    if let SignIn::Session { root: None, .. } = &p.sign_in
        && p.speaks == Speaks::Xml
    {
        fault("/sign_in/session", "it lacks root, the element that the sign-in is written in".to_owned());
    }
    let asked = |id: &str| p.asks.iter().any(|a| a.id == id);
    let not_asked = |id: &str| format!("“{id}” is not among what is asked");
    match &p.sign_in {
        SignIn::Key { ask, .. } if !asked(ask) => fault("/sign_in/key/ask", not_asked(ask)),
        SignIn::Session { body, .. } => {
            for (key, value) in body {
                let names = value.split('{').skip(1).filter_map(|s| s.split_once('}')).map(|(n, _)| n);
                names.filter(|n| !asked(n)).for_each(|n| fault(&format!("/sign_in/session/body/{key}"), not_asked(n)));
            }
        }
        SignIn::ClientCredentials { client, secret, .. } => {
            for (key, ask) in [("client", client), ("secret", secret)].into_iter().filter(|(_, a)| !asked(a)) {
                fault(&format!("/sign_in/client_credentials/{key}"), not_asked(ask));
            }
        }
        SignIn::Basic { login, password } => {
            for (key, ask) in [("login", login), ("password", password)].into_iter().filter(|(_, a)| !asked(a)) {
                fault(&format!("/sign_in/basic/{key}"), not_asked(ask));
            }
        }
        SignIn::Key { .. } => {}
    }
    for word in p.schema.new_fields.iter().flat_map(|n| n.types.values()) {
        if !p.schema.types.contains_key(word) {
            fault("/schema/new_fields/types", format!("the type “{word}” is not among the schema's types"));
        }
    }
    for (id, kind) in &p.kinds {
        let at = format!("/kinds/{}", id.id());
        for (link_type, words) in words_by_type(kind) {
            let written = words.iter().filter(|w| kind.links.iter().any(|l| l.written.contains(*w))).count();
            if words.len() > 1 && written != 1 {
                let all = words.iter().map(|w| format!("“{w}”")).collect::<Vec<_>>().join(", ");
                let why = format!("{all} all mean “{}”; name the one that is written on new links", link_type.word());
                fault(&format!("{at}/links/written"), why);
            }
        }
        for word in kind.links.iter().flat_map(|l| l.written.iter().filter(|w| !l.types.contains_key(*w))) {
            fault(&format!("{at}/links/written"), format!("“{word}” is not among the types of links"));
        }
        if kind.version.is_empty() && !matches!(kind.concurrency, Concurrency::LastWins) {
            let why = format!("{} lacks the place of its version; only last_wins goes without", kind.name);
            fault(&format!("{at}/version"), why);
        }
        if p.speaks == Speaks::Xml && kind.root.is_none() {
            fault(&format!("{at}/root"), format!("{} lacks root, the element an item is written in", kind.name));
        }
    }
}

/// The words for each type of link.
fn words_by_type(kind: &KindProfile) -> BTreeMap<&LinkType, Vec<&String>> {
    let mut out: BTreeMap<&LinkType, Vec<&String>> = BTreeMap::new();
    for (word, link_type) in kind.links.iter().flat_map(|l| &l.types) {
        out.entry(link_type).or_default().push(word);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::super::parse;

    const FERNWAY: &str = include_str!("../profiles/fernway.yaml");
    const OLDSTONE: &str = include_str!("../profiles/oldstone.yaml");
    const TALLYBENCH: &str = include_str!("../profiles/tallybench.yaml");

    /// A mistake in each profile that ships: what is written, what in its place, and words of the fault.
    const MISTAKES: &[(&str, &str, &str, &str)] = &[
        (FERNWAY, "version: /release", "version: release", "JSON Pointer"),
        (FERNWAY, "email: /mail", "email: mail", "JSON Pointer"),
        (FERNWAY, "calls_per_second: /pace/per_second", "calls_per_second: /pace/~2", "~0"),
        (FERNWAY, "from: /from, to", "from: from, to", "JSON Pointer"),
        (FERNWAY, "link_type: /rel", "link_type: rel", "JSON Pointer"),
        (FERNWAY, "before: /before", "before: before", "JSON Pointer"),
        (FERNWAY, "sha256: /sha256", "sha256: sha256", "JSON Pointer"),
        (FERNWAY, "path: /v2/about", "path: v2/about", "host"),
        (FERNWAY, "path: /v2/about", "path: \"@thief.example/\"", "host"),
        (FERNWAY, "path: /v2/projects\n", "path: //thief.example/v2\n", "host"),
        (FERNWAY, "path: /oauth/token,", "path: \"/oauth token\",", "percent"),
        (FERNWAY, "one: /v2/items/{id}", "one: /v2/items/{uid}", "{uid}"),
        (FERNWAY, "one: /v2/items/{id}", "one: /v2/items/id", "lacks {id}"),
        (FERNWAY, "one: /v2/items/{id}", "one: /v2/items/{id", "brace"),
        (FERNWAY, "path: /v2/projects/{container}/forms", "path: /v2/projects/{project}/forms", "{container} could"),
        (FERNWAY, "path: /v2/items/{id}/files/{name}", "path: /v2/items/{id}/files", "lacks {name}"),
        (FERNWAY, "&label={mark}", "&label=mark", "lacks {mark}"),
        (FERNWAY, "size: 100, total", "size: 0, total", "1 to"),
        (FERNWAY, "total: item-count", "total: \"item count\"", "header"),
        (FERNWAY, "schema_id: trouble", "schema_id: need", "already"),
        (FERNWAY, "origin_label: { field: labels, prefix: \"from:\" }", "trims: []", "origin mark"),
        (FERNWAY, "files: { is: attachments }", "files: { is: text }", "attachments"),
        (FERNWAY, "state: { is: choice, moves: true }", "state: { is: text, moves: true }", "has none"),
        (FERNWAY, "state: { is: choice, moves: true }", "state: { is: choice }", "moves"),
        (FERNWAY, "text: { is: rich_text, format: plain_links }", "text: { is: rich_text }", "format"),
        (FERNWAY, "line: { is: text }", "line: { is: reference }", "refers_to"),
        (FERNWAY, "line: { is: text }", "line: { is: reference, refers_to: folder }", "no kind folder"),
        (FERNWAY, "line: { is: text }", "line: { is: steps, format: plain }", "steps"),
        (FERNWAY, "line: { is: text }", "line: { is: table }", "table"),
        (FERNWAY, "line: { is: text }", "line: { is: boolean, words: { yes: ja, no: ja } }", "one word"),
        (FERNWAY, "line: { is: text }", "line: { is: integer, origin_mark: true }", "has none"),
        (FERNWAY, "label: Client secret", "label: \" \"", "empty"),
        (FERNWAY, "id: secret, label", "id: client, label", "twice"),
        (FERNWAY, "client: client,", "client: clients,", "not among what is asked"),
        (FERNWAY, "      add: /v2/items/{id}/remarks\n", "", "add is lacking"),
        (FERNWAY, "title: Fernway\n", "title: Fernway\ntitle: Fernway\n", "duplicate"),
        (FERNWAY, "speaks: json", "speaks: json\ncalls_at_once: 0", "1 to"),
        (
            FERNWAY,
            "types: { covers: verifies, splits: decomposes, hits: affects, concerns: relates_to }",
            "types: {}",
            "no type of link",
        ),
        (TALLYBENCH, "calls_per_minute: /", "calls_per_minute: ", "JSON Pointer"),
        (OLDSTONE, "token: /", "token: x/", "JSON Pointer"),
    ];

    #[test]
    fn every_mistake_is_told_with_its_line() {
        for text in [FERNWAY, OLDSTONE, TALLYBENCH] {
            assert!(parse("profile", text).is_ok());
        }
        for (text, written, instead, said) in MISTAKES {
            assert!(text.contains(written), "{written} is written");
            let wrong = text.replacen(written, instead, 1);
            let told: Vec<String> =
                parse("profile", &wrong).err().unwrap_or_default().iter().map(|f| f.to_string()).collect();
            let fits = told.iter().find(|t| t.contains(said));
            assert!(fits.is_some_and(|t| t.starts_with("profile, line ")), "{instead}: {told:?}");
            let of_a_library = ["Options", "serde", "Policy", "SAX", "libyaml"];
            assert!(told.iter().all(|t| of_a_library.iter().all(|w| !t.contains(w))), "{instead}: {told:?}");
        }
    }
}
