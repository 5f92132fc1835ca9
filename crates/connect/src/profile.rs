//! Profiles: what a system is like, as data (YAML).
//!
//! A profile says how to sign in, where lists are, how pages go on, how fields are typed and written,
//! how concurrency and errors are told. Places in answers are JSON Pointers (RFC 6901); XML is read as
//! the JSON it resembles: attributes become `@name`, text beside them `#text`. A broken profile is
//! refused with line and key.

mod faults;

use std::collections::BTreeMap;

use hovrel_core::model::{Kind, Link, LinkType, ValueType};
use hovrel_core::text::TextFormat;
use hovrel_intake::{FileFault, by_word, lines_of, read_yaml};
use serde::Deserialize;
use serde_json::Value;

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Profile {
    pub profile: String,
    pub title: String,
    pub about_it: String,
    pub speaks: Speaks,
    /// What the connect form asks for.
    pub asks: Vec<Ask>,
    pub sign_in: SignIn,
    pub about: About,
    pub containers: Listing,
    pub container_name: String,
    pub people: People,
    pub schema: Schema,
    #[serde(deserialize_with = "by_word")]
    pub kinds: BTreeMap<Kind, KindProfile>,
    pub errors: Errors,
    /// Whether the system leaves out of its answers what is empty. If not, what is left out is not known, and moves
    /// nothing.
    #[serde(default)]
    pub leaves_out_empty: bool,
    /// Calls at once, where the system does not say.
    #[serde(default = "four")]
    pub calls_at_once: usize,
}

fn four() -> usize {
    4
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Speaks {
    Json,
    Xml,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Ask {
    pub id: String,
    pub label: String,
    #[serde(default)]
    pub secret: bool,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum SignIn {
    /// A secret sent with every call.
    Key { header: String, ask: String },
    /// A call that answers a token, which is sent with every call after it.
    Session {
        path: String,
        #[serde(default)]
        root: Option<String>,
        /// Body, with `{ask}` in place of what was asked.
        body: BTreeMap<String, String>,
        token: String,
        header: String,
    },
    /// OAuth 2 with the client's own credentials (RFC 6749 §4.4): a bearer token that expires.
    ClientCredentials { path: String, client: String, secret: String },
    /// A name and a password with every call (RFC 7617).
    Basic { login: String, password: String },
}

/// What the system says of itself.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct About {
    pub path: String,
    pub version: String,
    pub clock: String,
    /// Where the name of the time zone stands, for systems whose times have no offset.
    #[serde(default)]
    pub zone: Option<String>,
    #[serde(default)]
    pub calls_per_minute: Option<String>,
    #[serde(default)]
    pub calls_per_second: Option<String>,
    #[serde(default)]
    pub calls_at_once: Option<String>,
    /// Where the access stands, if the system says; `write` is the word that allows writing.
    #[serde(default)]
    pub access: Option<String>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Listing {
    pub path: String,
    /// Where the items are.
    pub items: String,
    pub id: String,
    #[serde(default)]
    pub paging: Paging,
}

#[derive(Debug, Clone, Default, Deserialize)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Paging {
    #[default]
    All,
    Offset {
        from: String,
        count: String,
        size: u32,
        total: String,
    },
    Cursor {
        after: String,
        limit: String,
        size: u32,
        next: String,
        #[serde(default)]
        total: Option<String>,
    },
    /// A Link header leads to the next page (RFC 8288).
    Linked {
        limit: String,
        size: u32,
        /// The header that tells how many there are in all.
        #[serde(default)]
        total: Option<String>,
    },
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct People {
    pub path: String,
    pub items: String,
    pub id: String,
    pub name: String,
    #[serde(default)]
    pub login: Option<String>,
    #[serde(default)]
    pub email: Option<String>,
    #[serde(default)]
    pub paging: Paging,
}

impl People {
    pub fn listing(&self) -> Listing {
        let (path, items, id) = (self.path.clone(), self.items.clone(), self.id.clone());
        Listing { path, items, id, paging: self.paging.clone() }
    }
}

/// How the system describes its fields.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Schema {
    pub path: String,
    pub kinds: String,
    pub kind_id: String,
    #[serde(default)]
    pub depth: Option<String>,
    pub fields: String,
    pub id: String,
    pub name: String,
    #[serde(rename = "type")]
    pub type_word: String,
    pub required: String,
    /// Where a field says that it can only be read.
    #[serde(default)]
    pub read_only: Option<String>,
    #[serde(default)]
    pub allowed: Option<String>,
    #[serde(default)]
    pub max_length: Option<String>,
    #[serde(default)]
    pub max_bytes: Option<String>,
    #[serde(default)]
    pub media_types: Option<String>,
    /// Where the moves between states stand, from the kind.
    #[serde(default)]
    pub moves: Option<MovesAt>,
    /// How a field is added, where the system lets one.
    #[serde(default)]
    pub new_fields: Option<NewFieldsAt>,
    /// The system's words for types.
    pub types: BTreeMap<String, TypeOf>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct TypeOf {
    #[serde(rename = "is")]
    pub value_type: ValueType,
    #[serde(default)]
    pub format: Option<TextFormat>,
    #[serde(default)]
    pub steps: Option<StepsAt>,
    #[serde(default)]
    pub table: Option<TableAt>,
    /// For references: the kind they lead to.
    #[serde(default)]
    pub refers_to: Option<Kind>,
    #[serde(default)]
    pub origin_mark: bool,
    /// Whether no two items of a kind may hold the same value.
    #[serde(default)]
    pub unique: bool,
    /// For choices: whether they are reached by moves.
    #[serde(default)]
    pub moves: bool,
    /// For yes or no: the system's own words for them.
    #[serde(default)]
    pub words: Option<YesNo>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct YesNo {
    pub yes: String,
    pub no: String,
}

/// How a field is added to a kind. Places are in what is sent, but for `kinds` and `id`.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NewFieldsAt {
    pub path: String,
    /// Where a kind says that it takes new fields, from the kind.
    pub kinds: String,
    pub name: String,
    #[serde(rename = "type")]
    pub type_word: String,
    pub allowed: String,
    pub max_length: String,
    /// Where the answer says which id it got.
    pub id: String,
    /// The system's word for each type that it makes.
    #[serde(deserialize_with = "by_word")]
    pub types: BTreeMap<ValueType, String>,
}

/// Where a kind says how its items move from one state to another.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MovesAt {
    pub first: String,
    pub items: String,
    pub from: String,
    pub to: String,
    pub asks: String,
}

/// Where comments are, from the item, and how one is added.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CommentsAt {
    pub items: String,
    /// Where the id of a comment stands, in systems that give it one.
    #[serde(default)]
    pub id: Option<String>,
    pub at: String,
    pub by: String,
    pub text: String,
    pub format: TextFormat,
    /// Where a comment is posted; none if they can only be read.
    #[serde(default)]
    pub add: Option<String>,
    /// What the answer to that shows.
    #[serde(default)]
    pub added: Option<AddedAt>,
    /// The element a posted comment stands in, for XML.
    #[serde(default)]
    pub root: Option<String>,
    /// Whether author and time can be set.
    #[serde(default)]
    pub backdated: bool,
}

/// Where recorded changes are, from the item.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct HistoryAt {
    pub items: String,
    /// Where the id of an entry stands, in systems that give it one.
    #[serde(default)]
    pub id: Option<String>,
    pub at: String,
    pub by: String,
    pub field: String,
    pub before: String,
    pub after: String,
    /// Where a past change is posted, for systems that can be backdated.
    #[serde(default)]
    pub add: Option<String>,
    /// What the answer to that shows.
    #[serde(default)]
    pub added: Option<AddedAt>,
}

/// What the answer to something added shows.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum AddedAt {
    /// The whole item, with what was added in it.
    Item,
    /// The id of what was added, at this place.
    Id(String),
}

/// An origin mark that is one of an item's labels.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OriginLabel {
    /// The field of labels.
    pub field: String,
    /// How the label begins.
    pub prefix: String,
}

/// Where the parts of steps are, from the field.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct StepsAt {
    pub items: String,
    pub action: String,
    pub expected: String,
    #[serde(default)]
    pub data: Option<String>,
    #[serde(default)]
    pub call: Option<CallAt>,
    /// Where a step says which of the item's files belong to it.
    #[serde(default)]
    pub files: Option<StepFilesAt>,
}

/// The files of a step, by their names.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct StepFilesAt {
    pub items: String,
    pub name: String,
}

/// Where a step says which shared steps it calls.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CallAt {
    pub target: String,
    #[serde(default)]
    pub arguments: Option<ArgumentsAt>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ArgumentsAt {
    pub items: String,
    pub name: String,
    pub value: String,
}

/// How a table of values is written.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum TableAt {
    /// Rows of cells, the first row being the column names.
    Rows { items: String, cells: String },
    /// A list of named sets, each with a value per column.
    Sets { name: String, values: String, column: String, value: String },
}

/// Where links are, from the item.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LinksAt {
    pub items: String,
    pub link_type: String,
    /// Where the kind of what is linked to stands, in the words of the schema.
    pub kind: String,
    pub id: String,
    /// Where the address stands, for links that lead elsewhere.
    pub url: String,
    /// The system's words for types of links.
    pub types: BTreeMap<String, LinkType>,
    /// Of several words for one type, the one that is written on a new link.
    #[serde(default)]
    pub written: Vec<String>,
}

impl LinksAt {
    /// The word for a link: its own, if it was read with one that means its type here, or else the one for new links.
    pub fn word<'w>(&'w self, link: &'w Link) -> &'w str {
        let means = |word: &str| self.types.get(word) == Some(&link.link_type);
        if let Some(word) = link.word.as_deref().filter(|w| means(w)) {
            return word;
        }
        let written = self.written.iter().find(|w| means(w));
        let only = || self.types.iter().find(|(_, t)| **t == link.link_type).map(|(word, _)| word);
        written.or_else(only).map_or_else(|| link.link_type.word(), String::as_str)
    }
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct KindProfile {
    /// The system's word for the kind.
    pub name: String,
    pub schema_id: String,
    pub list: Listing,
    pub one: String,
    pub create: String,
    /// How several items are created in one call, for systems that can.
    #[serde(default)]
    pub batch: Option<BatchAt>,
    /// The element that a written item stands in, for XML.
    #[serde(default)]
    pub root: Option<String>,
    /// The query that finds an item by its origin mark, with `{mark}`.
    pub find_by_origin: String,
    pub key: String,
    /// Where the version stands; of systems without one, the whole item stands for it.
    #[serde(default)]
    pub version: String,
    /// What every new item is created with.
    #[serde(default)]
    pub created_with: BTreeMap<String, String>,
    #[serde(default)]
    pub origin_label: Option<OriginLabel>,
    /// Where an item is moved to another state, with `{id}`; the state is written at `/to`.
    #[serde(default)]
    pub move_at: Option<String>,
    #[serde(default)]
    pub comments: Option<CommentsAt>,
    #[serde(default)]
    pub history: Option<HistoryAt>,
    /// Where the folder stands; none for kinds that are not kept in folders.
    #[serde(default)]
    pub parent: Option<String>,
    /// Where the number stands by which items are in order in their folder; none if they have no such number.
    #[serde(default)]
    pub position: Option<String>,
    #[serde(default)]
    pub links: Option<LinksAt>,
    /// Whether ids of parents are written as numbers.
    #[serde(default)]
    pub numeric_ids: bool,
    /// The field that is the title.
    pub title: String,
    #[serde(default)]
    pub modified_at: Option<String>,
    #[serde(default)]
    pub modified_by: Option<String>,
    /// Places of fields that are not at `/{id}`.
    #[serde(default)]
    pub fields_at: BTreeMap<String, String>,
    /// How a write says which version it is based on.
    pub concurrency: Concurrency,
    /// What a change of an item sends.
    #[serde(default)]
    pub updates: Updates,
    /// Fields that are saved without the spaces at their ends.
    #[serde(default)]
    pub trims: Vec<String>,
    #[serde(default)]
    pub files: Option<Files>,
    /// Where a person sees the item.
    pub page: String,
}

/// A call that creates several items, each taken or refused by itself.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BatchAt {
    pub path: String,
    /// Items at once, at most.
    pub size: usize,
    /// Where the items stand in the body.
    pub items: String,
    /// Where the answers stand, in the order of the items.
    pub answers: String,
    /// Where the item that was made stands in an answer; an answer without it is an error.
    pub made: String,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Concurrency {
    /// A header, as If-Match (RFC 9110 §13.1.1).
    Header(String),
    /// A place in the body.
    Body(String),
    /// Not at all: the last write wins. Hovrel reads before it writes, and writes only over what it saw.
    LastWins,
}

/// What a change of an item sends.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Updates {
    /// The fields that change; what is not sent stays as it is.
    #[default]
    Fields,
    /// The whole item as it was read, with the fields that change: what is not sent would be emptied.
    Whole,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Files {
    /// The field of the schema that describes files.
    pub schema_field: String,
    pub items: String,
    pub name: String,
    pub media_type: String,
    /// Where the number of bytes stands, in systems that tell it.
    #[serde(default)]
    pub bytes: Option<String>,
    /// Where the SHA-256 of the bytes stands, in systems that tell it.
    #[serde(default)]
    pub sha256: Option<String>,
    pub path: String,
    /// Where the id of a file stands, for systems that let two files of an item have one name: such a file is
    /// fetched and removed by its id, which then stands for `{name}` in the path.
    #[serde(default)]
    pub id: Option<String>,
}

/// How errors are told.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Errors {
    pub code: String,
    pub text: String,
    #[serde(default)]
    pub field: Option<String>,
    /// Codes that mean somebody changed the item.
    pub changed: Vec<String>,
    /// Codes that mean an item with this origin mark exists.
    #[serde(default)]
    pub duplicate: Vec<String>,
}

/// A fault in a profile.
#[derive(Debug, Clone, thiserror::Error)]
#[error("{name}{}: {why}", .line.map(|l| format!(", line {l}")).unwrap_or_default())]
pub struct ProfileFault {
    pub name: String,
    pub line: Option<u64>,
    pub why: String,
}

/// Reads a profile. `name` is how the faults call it. Faults of form are all reported together, with their lines; so
/// are faults of sense, of a profile whose form is right.
pub fn parse(name: &str, yaml: &str) -> Result<Profile, Vec<ProfileFault>> {
    let told = |FileFault { line, fault }: FileFault| {
        let key =
            fault.pointer.rsplit('/').next().filter(|k| !k.is_empty() && !fault.detail.contains(&format!("`{k}`")));
        let why = key.map_or_else(|| fault.detail.clone(), |key| format!("{key}: {}", fault.detail));
        ProfileFault { name: name.to_owned(), line: Some(line), why }
    };
    let told = |faults: Vec<FileFault>| {
        let mut out: Vec<ProfileFault> = faults.into_iter().map(told).collect();
        // What several kinds share by an anchor is wrong once.
        out.dedup_by(|a, b| (a.line, &a.why) == (b.line, &b.why));
        out
    };
    let written: Value = read_yaml(yaml).map_err(told)?;
    let formed = hovrel_intake::parse(written.clone());
    let mut profile: Profile = formed.map_err(|faults| told(lines_of(yaml, faults)))?;
    profile.kinds.values_mut().for_each(KindProfile::name_kind);
    let faults = faults::faults(&profile, &written);
    if faults.is_empty() { Ok(profile) } else { Err(told(lines_of(yaml, faults))) }
}

impl KindProfile {
    /// Puts the kind's own word where paths say `{kind}`, so that kinds that are alike are described once.
    fn name_kind(&mut self) {
        let KindProfile {
            schema_id,
            list,
            one,
            create,
            batch,
            find_by_origin,
            move_at,
            comments,
            history,
            files,
            page,
            ..
        } = self;
        let paths = [Some(&mut list.path), Some(one), Some(create), Some(find_by_origin), Some(page), move_at.as_mut()];
        let added = comments.iter_mut().flat_map(|c| &mut c.add).chain(history.iter_mut().flat_map(|h| &mut h.add));
        let several = batch.iter_mut().map(|b| &mut b.path).chain(files.iter_mut().map(|f| &mut f.path));
        for path in paths.into_iter().flatten().chain(added).chain(several) {
            *path = path.replace("{kind}", schema_id);
        }
        for value in self.created_with.values_mut() {
            *value = value.replace("{kind}", &self.schema_id);
        }
    }
}

/// The profiles that ship with Hovrel.
pub fn shipped() -> Vec<Profile> {
    [
        ("oldstone.yaml", include_str!("profiles/oldstone.yaml")),
        ("tallybench.yaml", include_str!("profiles/tallybench.yaml")),
        ("fernway.yaml", include_str!("profiles/fernway.yaml")),
    ]
    .into_iter()
    .filter_map(|(name, yaml)| parse(name, yaml).map_err(|f| tracing::error!("{f:?}")).ok())
    .collect()
}
