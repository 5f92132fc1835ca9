//! The functions that expressions may call: the language's own, those of its strings extension, and two of Hovrel's.

use std::sync::{Arc, LazyLock};

use cel::Env;
use cel::common::types::{CelBool, CelString};
use serde::Serialize;

use super::types::Type;

/// `fold(text)`: without regard to capitals.
fn fold(text: &CelString) -> CelString<'static> {
    CelString::from(text.inner().to_lowercase())
}

/// `under(path, folder)`: the folder itself or one below it.
fn under(path: &CelString, folder: &CelString) -> CelBool {
    CelBool::from(is_under(path.inner(), folder.inner()))
}

pub(crate) fn is_under(path: &str, folder: &str) -> bool {
    path.strip_prefix(folder).is_some_and(|rest| rest.is_empty() || rest.starts_with(" / "))
}

static ENVIRONMENT: LazyLock<Arc<Env>> = LazyLock::new(|| {
    let mut env = Env::stdlib();
    let added = env.add_extension(cel::extensions::strings).and_then(|()| {
        cel::add_overload!(env, fn fold: (CelString) -> CelString)?;
        cel::add_overload!(env, fn under: (CelString, CelString) -> CelBool)
    });
    added.expect("no name is taken twice");
    Arc::new(env)
});

pub(super) fn environment() -> &'static Arc<Env> {
    &ENVIRONMENT
}

/// One form of a function: what it is called on, what it takes, what it gives.
pub(super) struct Signature {
    pub name: &'static str,
    pub on: Option<Type>,
    pub takes: Vec<Type>,
    pub gives: Type,
}

static SIGNATURES: LazyLock<Vec<Signature>> = LazyLock::new(|| {
    use Type::*;
    let texts = || Type::list(Text);
    let any_list = || Type::list(Any);
    let mut out = Vec::new();
    let mut global = |name, takes: Vec<Type>, gives: Type| out.push(Signature { name, on: None, takes, gives });
    for of in [Text, any_list(), Map, Bytes] {
        global("size", vec![of], Int);
    }
    global("matches", vec![Text, Text], Bool);
    global("string", vec![Any], Text);
    for of in [Text, Int, Uint, Double, Time] {
        global("int", vec![of], Int);
    }
    for of in [Text, Int, Uint, Double] {
        global("uint", vec![of.clone()], Uint);
        global("double", vec![of], Double);
    }
    for of in [Text, Bool] {
        global("bool", vec![of], Bool);
    }
    global("bytes", vec![Text], Bytes);
    for of in [Text, Int, Time] {
        global("timestamp", vec![of], Time);
    }
    for of in [Text, Duration] {
        global("duration", vec![of], Duration);
    }
    global("type", vec![Any], Sort);
    global("dyn", vec![Any], Any);
    global("fold", vec![Text], Text);
    global("under", vec![Text, Text], Bool);
    global("strings.quote", vec![Text], Text);
    let mut member =
        |name, on: Type, takes: Vec<Type>, gives: Type| out.push(Signature { name, on: Some(on), takes, gives });
    for name in ["contains", "startsWith", "endsWith", "matches"] {
        member(name, Text, vec![Text], Bool);
    }
    for of in [Text, any_list(), Map, Bytes] {
        member("size", of, vec![], Int);
    }
    for name in ["lowerAscii", "upperAscii", "trim", "reverse"] {
        member(name, Text, vec![], Text);
    }
    for name in ["indexOf", "lastIndexOf"] {
        member(name, Text, vec![Text], Int);
        member(name, Text, vec![Text, Int], Int);
    }
    member("charAt", Text, vec![Int], Text);
    member("replace", Text, vec![Text, Text], Text);
    member("replace", Text, vec![Text, Text, Int], Text);
    member("split", Text, vec![Text], texts());
    member("split", Text, vec![Text, Int], texts());
    member("substring", Text, vec![Int], Text);
    member("substring", Text, vec![Int, Int], Text);
    member("format", Text, vec![any_list()], Text);
    member("join", texts(), vec![], Text);
    member("join", texts(), vec![Text], Text);
    for name in ["getHours", "getMinutes", "getSeconds", "getMilliseconds"] {
        member(name, Duration, vec![], Int);
    }
    for name in [
        "getFullYear",
        "getMonth",
        "getDate",
        "getDayOfMonth",
        "getDayOfWeek",
        "getDayOfYear",
        "getHours",
        "getMinutes",
        "getSeconds",
        "getMilliseconds",
    ] {
        member(name, Time, vec![], Int);
        member(name, Time, vec![Text], Int);
    }
    out
});

/// The forms of a function; empty if there is none of this name.
pub(super) fn signatures(name: &str) -> impl Iterator<Item = &'static Signature> {
    SIGNATURES.iter().filter(move |s| s.name == name)
}

/// A function, for completion.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Function {
    /// What it is called.
    pub name: String,
    /// Whether it stands behind a dot.
    pub member: bool,
    /// What it takes and gives, in words.
    pub form: String,
}

/// Every function and macro that there is, once for each of its forms.
pub fn functions() -> Vec<Function> {
    let words = |s: &Signature| {
        let takes: Vec<String> = s.on.iter().chain(&s.takes).map(ToString::to_string).collect();
        format!("{} → {}", takes.join(", "), s.gives)
    };
    let declared = SIGNATURES.iter().map(|s| Function { name: s.name.into(), member: s.on.is_some(), form: words(s) });
    let macros = [
        ("has", false, "whether a field holds something"),
        ("all", true, "x, condition: of a list, all"),
        ("exists", true, "x, condition: of a list, at least one"),
        ("exists_one", true, "x, condition: of a list, exactly one"),
        ("map", true, "x, value: of a list, what each becomes"),
        ("filter", true, "x, condition: of a list, those that"),
    ];
    let macros = macros.map(|(name, member, form)| Function { name: name.into(), member, form: form.into() });
    declared.chain(macros).collect()
}
