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

/// A system as its profile describes it. docs/profiles.md says of each key what it means.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Profile {
    /// Its id, unique among profiles.
    pub profile: String,
    /// What the system is called in the connect form.
    pub title: String,
    /// A line about it in the connect form.
    pub about_it: String,
    /// The language of its answers.
    pub speaks: Speaks,
    /// What the connect form asks for.
    pub asks: Vec<Ask>,
    /// How calls say who sends them.
    pub sign_in: SignIn,
    /// Where the system tells of itself.
    pub about: About,
    /// Where its projects are listed.
    pub containers: Listing,
    /// Where the name of a project stands.
    pub container_name: String,
    /// Where its people are listed.
    pub people: People,
    /// How it describes its fields.
    pub schema: Schema,
    /// The kinds that it keeps.
    #[serde(deserialize_with = "by_word")]
    pub kinds: BTreeMap<Kind, KindProfile>,
    /// How it tells what went wrong.
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

/// The language of a system's answers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Speaks {
    /// JSON (RFC 8259).
    Json,
    /// XML 1.0, read as the JSON that it resembles.
    Xml,
}

/// Something that the connect form asks for.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Ask {
    /// How sign-in and paths name it.
    pub id: String,
    /// What stands beside its box.
    pub label: String,
    /// Whether it is sealed and never shown again.
    #[serde(default)]
    pub secret: bool,
}

/// How calls say who sends them.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum SignIn {
    /// A secret sent with every call.
    Key {
        /// The header that it is sent in.
        header: String,
        /// Which of the answers it is.
        ask: String,
    },
    /// A call that answers a token, which is sent with every call after it.
    Session {
        /// Where one signs in.
        path: String,
        /// The element that the body is, for XML.
        #[serde(default)]
        root: Option<String>,
        /// Body, with `{ask}` in place of what was asked.
        body: BTreeMap<String, String>,
        /// Where the token stands in the answer.
        token: String,
        /// The header that it is sent in.
        header: String,
    },
    /// OAuth 2 with the client's own credentials (RFC 6749 §4.4): a bearer token that expires.
    ClientCredentials {
        /// Where the token is asked for.
        path: String,
        /// Which of the answers is the client's id.
        client: String,
        /// Which of the answers is its secret.
        secret: String,
    },
    /// A name and a password with every call (RFC 7617).
    Basic {
        /// Which of the answers is the name.
        login: String,
        /// Which of the answers is the password.
        password: String,
    },
}

/// What the system says of itself.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct About {
    /// Where it is asked for.
    pub path: String,
    /// Where the version of the system stands.
    pub version: String,
    /// Where the time of its clock stands.
    pub clock: String,
    /// Where the name of the time zone stands, for systems whose times have no offset.
    #[serde(default)]
    pub zone: Option<String>,
    /// Where the limit of calls a minute stands.
    #[serde(default)]
    pub calls_per_minute: Option<String>,
    /// Where the limit of calls a second stands.
    #[serde(default)]
    pub calls_per_second: Option<String>,
    /// Where the number of calls at once stands.
    #[serde(default)]
    pub calls_at_once: Option<String>,
    /// Where the access stands, if the system says; `write` is the word that allows writing.
    #[serde(default)]
    pub access: Option<String>,
}

/// A list that is asked for page by page.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Listing {
    /// Where it is asked for.
    pub path: String,
    /// Where the items are.
    pub items: String,
    /// Where the id stands, from an item.
    pub id: String,
    /// How its pages go on.
    #[serde(default)]
    pub paging: Paging,
}

/// How the pages of a list go on.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Paging {
    /// There is one page.
    #[default]
    All,
    /// By how many items to leave out.
    Offset {
        /// The parameter that says how many to leave out.
        from: String,
        /// The parameter that says how many to give.
        count: String,
        /// Items on a page.
        size: u32,
        /// Where the number of all items stands.
        total: String,
    },
    /// By a word for where to go on.
    Cursor {
        /// The parameter that says where to go on.
        after: String,
        /// The parameter that says how many to give.
        limit: String,
        /// Items on a page.
        size: u32,
        /// Where the answer says where to go on.
        next: String,
        /// Where the number of all items stands, if it does.
        #[serde(default)]
        total: Option<String>,
    },
    /// A Link header leads to the next page (RFC 8288).
    Linked {
        /// The parameter that says how many to give.
        limit: String,
        /// Items on a page.
        size: u32,
        /// The header that tells how many there are in all.
        #[serde(default)]
        total: Option<String>,
    },
}

/// The people whom a system knows.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct People {
    /// Where they are asked for.
    pub path: String,
    /// Where they are in the answer.
    pub items: String,
    /// Where the id stands.
    pub id: String,
    /// Where the full name stands.
    pub name: String,
    /// Where the login stands, if it does.
    #[serde(default)]
    pub login: Option<String>,
    /// Where the e-mail address stands, if it does.
    #[serde(default)]
    pub email: Option<String>,
    /// How their pages go on.
    #[serde(default)]
    pub paging: Paging,
}

impl People {
    /// Them as a list like any other.
    pub fn listing(&self) -> Listing {
        let (path, items, id) = (self.path.clone(), self.items.clone(), self.id.clone());
        Listing { path, items, id, paging: self.paging.clone() }
    }
}

/// How the system describes its fields.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Schema {
    /// Where it is asked for.
    pub path: String,
    /// Where the kinds are.
    pub kinds: String,
    /// Where the id of a kind stands.
    pub kind_id: String,
    /// Where a kind says how many levels of folders it has.
    #[serde(default)]
    pub depth: Option<String>,
    /// Where the fields are, from the kind.
    pub fields: String,
    /// Where the id of a field stands.
    pub id: String,
    /// Where its name stands.
    pub name: String,
    /// Where its type stands, in the system's word.
    #[serde(rename = "type")]
    pub type_word: String,
    /// Where it says whether it must be filled.
    pub required: String,
    /// Where a field says that it can only be read.
    #[serde(default)]
    pub read_only: Option<String>,
    /// Where the values stand that it allows.
    #[serde(default)]
    pub allowed: Option<String>,
    /// Where the greatest length stands, in characters.
    #[serde(default)]
    pub max_length: Option<String>,
    /// Where the greatest size of a file stands, in bytes.
    #[serde(default)]
    pub max_bytes: Option<String>,
    /// Where the media types of files stand that are taken.
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

/// What a system's word for a type means.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct TypeOf {
    /// The type that it is.
    #[serde(rename = "is")]
    pub value_type: ValueType,
    /// How its rich text is written.
    #[serde(default)]
    pub format: Option<TextFormat>,
    /// Where the parts of its steps are.
    #[serde(default)]
    pub steps: Option<StepsAt>,
    /// How its table is written.
    #[serde(default)]
    pub table: Option<TableAt>,
    /// For references: the kind they lead to.
    #[serde(default)]
    pub refers_to: Option<Kind>,
    /// Whether the field carries the mark of where an item came from.
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

/// A system's words for yes and no.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct YesNo {
    /// What stands for yes.
    pub yes: String,
    /// What stands for no.
    pub no: String,
}

/// How a field is added to a kind. Places are in what is sent, but for `kinds` and `id`.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NewFieldsAt {
    /// Where it is asked for.
    pub path: String,
    /// Where a kind says that it takes new fields, from the kind.
    pub kinds: String,
    /// Where the name goes.
    pub name: String,
    /// Where the system's word for the type goes.
    #[serde(rename = "type")]
    pub type_word: String,
    /// Where the allowed values go.
    pub allowed: String,
    /// Where the greatest length goes.
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
    /// Where the state of a new item stands.
    pub first: String,
    /// Where the moves are.
    pub items: String,
    /// Where a move says from which state it leads.
    pub from: String,
    /// Where it says to which.
    pub to: String,
    /// Where it says which fields it asks for.
    pub asks: String,
}

/// Where comments are, from the item, and how one is added.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CommentsAt {
    /// Where the comments are.
    pub items: String,
    /// Where the id of a comment stands, in systems that give it one.
    #[serde(default)]
    pub id: Option<String>,
    /// Where the time stands.
    pub at: String,
    /// Where the author stands.
    pub by: String,
    /// Where the text stands.
    pub text: String,
    /// How the text is written.
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
    /// Where the entries are.
    pub items: String,
    /// Where the id of an entry stands, in systems that give it one.
    #[serde(default)]
    pub id: Option<String>,
    /// Where the time stands.
    pub at: String,
    /// Where the author stands.
    pub by: String,
    /// Where the name of the field stands.
    pub field: String,
    /// Where the former value stands.
    pub before: String,
    /// Where the later value stands.
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
    /// Where the steps are.
    pub items: String,
    /// Where the action stands.
    pub action: String,
    /// Where the expected result stands.
    pub expected: String,
    /// Where the data stand, if steps have any.
    #[serde(default)]
    pub data: Option<String>,
    /// Where a call of shared steps stands, if steps can make one.
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
    /// Where the files are, from the step.
    pub items: String,
    /// Where the name of a file stands.
    pub name: String,
}

/// Where a step says which shared steps it calls.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CallAt {
    /// Where the id of the shared steps stands.
    pub target: String,
    /// Where the values are that a call gives, if it can.
    #[serde(default)]
    pub arguments: Option<ArgumentsAt>,
}

/// Where the values are that a call gives to shared steps.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ArgumentsAt {
    /// Where they are, from the step.
    pub items: String,
    /// Where the name of the parameter stands.
    pub name: String,
    /// Where its value stands.
    pub value: String,
}

/// How a table of values is written.
#[derive(Debug, Clone, Deserialize)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum TableAt {
    /// Rows of cells, the first row being the column names.
    Rows {
        /// Where the rows are.
        items: String,
        /// Where the cells are, from a row.
        cells: String,
    },
    /// A list of named sets, each with a value per column.
    Sets {
        /// Where the name of a set stands.
        name: String,
        /// Where its values are.
        values: String,
        /// Where a value says which column it belongs to.
        column: String,
        /// Where the value itself stands.
        value: String,
    },
}

/// Where links are, from the item.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LinksAt {
    /// Where the links are.
    pub items: String,
    /// Where the type of a link stands, in the system's word.
    pub link_type: String,
    /// Where the kind of what is linked to stands, in the words of the schema.
    pub kind: String,
    /// Where the id of what is linked to stands.
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

/// What a system's artefacts of one kind are like.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct KindProfile {
    /// The system's word for the kind.
    pub name: String,
    /// Its id in the schema.
    pub schema_id: String,
    /// Where the items are listed.
    pub list: Listing,
    /// Where one item is, with `{id}`.
    pub one: String,
    /// Where an item is made.
    pub create: String,
    /// How several items are created in one call, for systems that can.
    #[serde(default)]
    pub batch: Option<BatchAt>,
    /// The element that a written item stands in, for XML.
    #[serde(default)]
    pub root: Option<String>,
    /// The query that finds an item by its origin mark, with `{mark}`.
    pub find_by_origin: String,
    /// Where the key stands by which people call an item.
    pub key: String,
    /// Where the version stands; of systems without one, the whole item stands for it.
    #[serde(default)]
    pub version: String,
    /// What every new item is created with.
    #[serde(default)]
    pub created_with: BTreeMap<String, String>,
    /// The label that is the origin mark, in systems without a field for it.
    #[serde(default)]
    pub origin_label: Option<OriginLabel>,
    /// Where an item is moved to another state, with `{id}`; the state is written at `/to`.
    #[serde(default)]
    pub move_at: Option<String>,
    /// Where the comments are; none if there are none.
    #[serde(default)]
    pub comments: Option<CommentsAt>,
    /// Where past changes are; none if they are not told.
    #[serde(default)]
    pub history: Option<HistoryAt>,
    /// Where the folder stands; none for kinds that are not kept in folders.
    #[serde(default)]
    pub parent: Option<String>,
    /// Where the number stands by which items are in order in their folder; none if they have no such number.
    #[serde(default)]
    pub position: Option<String>,
    /// Where the links are; none if there are none.
    #[serde(default)]
    pub links: Option<LinksAt>,
    /// Whether ids of parents are written as numbers.
    #[serde(default)]
    pub numeric_ids: bool,
    /// The field that is the title.
    pub title: String,
    /// Where the time of the last change stands.
    #[serde(default)]
    pub modified_at: Option<String>,
    /// Where its author stands.
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
    /// Where the files are; none if there are none.
    #[serde(default)]
    pub files: Option<Files>,
    /// Where a person sees the item.
    pub page: String,
}

/// A call that creates several items, each taken or refused by itself.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BatchAt {
    /// Where they are sent.
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

/// How a write says which version it is based on.
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

/// Where the files of an item are.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Files {
    /// The field of the schema that describes files.
    pub schema_field: String,
    /// Where they are, from the item.
    pub items: String,
    /// Where the name of a file stands.
    pub name: String,
    /// Where its media type stands.
    pub media_type: String,
    /// Where the number of bytes stands, in systems that tell it.
    #[serde(default)]
    pub bytes: Option<String>,
    /// Where the SHA-256 of the bytes stands, in systems that tell it.
    #[serde(default)]
    pub sha256: Option<String>,
    /// Where the bytes of a file are, with `{id}` and `{name}`.
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
    /// Where the code of an error stands.
    pub code: String,
    /// Where its text stands.
    pub text: String,
    /// Where the name of the field stands, if the system tells it.
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
    /// What the profile is called.
    pub name: String,
    /// The line, where it is known.
    pub line: Option<u64>,
    /// What is wrong there.
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
