//! Resource shapes (OSLC Core 3.0, part 6): what a resource of a type holds, as fields.
//!
//! Decides for each property what it is here: a field of some type, the module that holds the resource, the
//! origin mark, a link, or something that Hovrel leaves as it is.

use hovrel_core::catalogue::FieldSchema;
use hovrel_core::model::{COMMENTS, HISTORY, Kind, LINKS, LinkType, ValueType};
use hovrel_core::text::TextFormat;
use oxrdf::NamedNode;
use oxrdf::vocab::{rdf as rdf_terms, xsd};

use super::rdf::Node;
use super::vocab;

/// What a property of a shape is here.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Role {
    Field,
    /// Allowed values are resources, by their label.
    Choice,
    Person,
    /// The collection that holds the resource.
    Collection,
    /// A node with the identifier of what this was made from.
    Origin,
    Link(LinkType),
    /// A reference to one resource of a kind.
    Reference(Kind),
    Discussion,
    /// What the resource was before: one node per version, with the values that came with it.
    Versions,
}

#[derive(Debug, Clone)]
pub struct Property {
    pub iri: NamedNode,
    pub role: Role,
    /// Whether literals of it are XML.
    pub xml: bool,
    pub many: bool,
    /// For links and references: the kind of what they lead to, where the shape says so.
    pub range: Option<Kind>,
    pub datatype: Option<NamedNode>,
    /// Labels of allowed resources, with their addresses.
    pub choices: Vec<(String, String)>,
    pub field: FieldSchema,
}

/// What a property says of itself; its allowed values may be in a resource of their own.
pub struct Described<'g> {
    pub node: Node<'g>,
    /// Literals, and resources with their labels.
    pub allowed: Vec<Allowed>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Allowed {
    Literal(String),
    Resource { iri: String, label: String },
}

/// What stays as it is: the system's own business.
const LEFT_ALONE: [&str; 5] = [
    "http://www.w3.org/1999/02/22-rdf-syntax-ns#type",
    "http://open-services.net/ns/core#serviceProvider",
    "http://open-services.net/ns/core#instanceShape",
    "http://open-services.net/ns/core#shortTitle",
    "http://open-services.net/ns/rm#uses",
];

/// A property that says too little of itself to be read.
pub struct TooLittle {
    pub name: String,
    pub why: String,
}

impl Property {
    /// None for what stays as it is.
    pub fn of(described: &Described<'_>) -> Result<Option<Property>, TooLittle> {
        let node = &described.node;
        let called = || node.text(vocab::TITLE).or_else(|| node.text(vocab::NAME)).unwrap_or_default();
        let Some(iri) = node.iri(vocab::PROPERTY_DEFINITION) else {
            return Err(TooLittle { name: called(), why: "its shape names no property definition".into() });
        };
        if LEFT_ALONE.contains(&iri.as_str()) {
            return Ok(None);
        }
        let Some(name) = node.text(vocab::NAME) else {
            return Err(TooLittle { name: iri, why: "its shape gives it no name".into() });
        };
        let title = node.text(vocab::TITLE).filter(|t| !t.is_empty()).unwrap_or_else(|| name.clone());
        let occurs = node.iri(vocab::OCCURS).unwrap_or_default();
        let many = [vocab::ONE_OR_MANY, vocab::ZERO_OR_MANY].iter().any(|o| o.as_str() == occurs);
        let value_type = node.iri(vocab::VALUE_TYPE).unwrap_or_default();
        let range = node.iris(vocab::RANGE);
        let kinds: Vec<Kind> = range.iter().filter_map(|r| vocab::kind(r)).collect();
        let is_literal = value_type.starts_with("http://www.w3.org/");
        let is_person = range.iter().any(|r| r == vocab::PERSON.as_str());
        let read_only = node.text(vocab::READ_ONLY).as_deref() == Some("true");
        let literals: Vec<String> = described
            .allowed
            .iter()
            .filter_map(|a| match a {
                Allowed::Literal(text) => Some(text.clone()),
                Allowed::Resource { .. } => None,
            })
            .collect();
        let choices: Vec<(String, String)> = described
            .allowed
            .iter()
            .filter_map(|a| match a {
                Allowed::Resource { iri, label } => Some((label.clone(), iri.clone())),
                Allowed::Literal(_) => None,
            })
            .collect();
        let role = if iri == vocab::SOURCE.as_str() && !is_literal {
            Role::Origin
        } else if iri == vocab::DISCUSSED_BY.as_str() {
            Role::Discussion
        } else if iri == vocab::HAS_VERSION.as_str() {
            Role::Versions
        } else if is_literal {
            Role::Field
        } else if is_person {
            Role::Person
        } else if kinds == [Kind::Folder] && !many {
            Role::Collection
        } else if let ([kind], false) = (kinds.as_slice(), many) {
            Role::Reference(*kind)
        } else if !choices.is_empty() {
            Role::Choice
        } else {
            Role::Link(vocab::link_type(&iri))
        };
        let xml = value_type == rdf_terms::XML_LITERAL.as_str();
        // The title is a line of text, even where it may hold inline elements (OSLC Core 3.0, part 7).
        let rich = xml && iri != vocab::TITLE.as_str();
        let has_list = !literals.is_empty();
        let value_type_here = match &role {
            Role::Person if many => ValueType::UserList,
            Role::Person => ValueType::User,
            Role::Choice if many => ValueType::ChoiceList,
            Role::Choice => ValueType::Choice,
            Role::Reference(_) | Role::Collection => ValueType::Reference,
            Role::Link(_) => ValueType::Links,
            Role::Discussion => ValueType::Comments,
            Role::Versions => ValueType::History,
            Role::Origin => ValueType::Text,
            Role::Field if rich => ValueType::RichText,
            Role::Field => match value_type.as_str() {
                _ if many => ValueType::ChoiceList,
                _ if has_list => ValueType::Choice,
                t if t == xsd::INTEGER.as_str() || t == xsd::INT.as_str() || t == xsd::LONG.as_str() => {
                    ValueType::Integer
                }
                t if [xsd::DECIMAL, xsd::DOUBLE, xsd::FLOAT].iter().any(|d| d.as_str() == t) => ValueType::Decimal,
                t if t == xsd::BOOLEAN.as_str() => ValueType::Boolean,
                t if t == xsd::DATE.as_str() => ValueType::Date,
                t if t == xsd::DATE_TIME.as_str() => ValueType::Instant,
                _ => ValueType::Text,
            },
        };
        let labels = || choices.iter().map(|(label, _)| label.clone()).collect();
        let field = FieldSchema {
            required: [vocab::EXACTLY_ONE, vocab::ONE_OR_MANY].iter().any(|o| o.as_str() == occurs),
            read_only,
            allowed: if has_list { Some(literals) } else { (role == Role::Choice).then(labels) },
            max_length: node.text(vocab::MAX_SIZE).and_then(|n| n.parse().ok()),
            format: rich.then_some(TextFormat::Xhtml),
            refers_to: match role {
                Role::Reference(kind) => Some(kind),
                _ => None,
            },
            origin_mark: role == Role::Origin,
            unique: false,
            ..FieldSchema::new(&name, &title, value_type_here)
        };
        let datatype = (is_literal && !xml).then(|| NamedNode::new_unchecked(value_type));
        let range = kinds.first().copied();
        match NamedNode::new(&iri) {
            Ok(iri) => Ok(Some(Property { iri, role, xml, many, range, datatype, choices, field })),
            Err(e) => Err(TooLittle { name, why: format!("“{iri}” is no address ({e})") }),
        }
    }
}

/// The fields of a kind: one for each property that is one, one for all links, one for comments, one for
/// versions.
pub fn fields(properties: &[Property]) -> Vec<FieldSchema> {
    let mut out: Vec<FieldSchema> = Vec::new();
    let mut types = Vec::new();
    for p in properties {
        match &p.role {
            Role::Collection => {}
            Role::Link(link) if !p.field.read_only => types.push(link.clone()),
            Role::Link(_) => {}
            Role::Discussion => out.push(FieldSchema {
                format: Some(TextFormat::Xhtml),
                read_only: true,
                ..FieldSchema::new(COMMENTS, "Comments", ValueType::Comments)
            }),
            Role::Versions => {
                out.push(FieldSchema { read_only: true, ..FieldSchema::new(HISTORY, "History", ValueType::History) })
            }
            _ => out.push(p.field.clone()),
        }
    }
    if !types.is_empty() {
        types.sort();
        types.dedup();
        out.push(FieldSchema { link_types: Some(types), ..FieldSchema::new(LINKS, "Links", ValueType::Links) });
    }
    out
}
