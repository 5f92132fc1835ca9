//! Resources to artefacts and back, by what the shape says of each property.
//!
//! Decides nothing about triples that the shape does not name: they stay as they are when a resource is put.

use std::collections::HashMap;

use chrono::{DateTime, FixedOffset};
use hovrel_core::keepable::keepable_artefact;
use hovrel_core::loss::Loss;
use hovrel_core::model::{
    Artefact, COMMENTS, Comment, Decimal, Document, Fields, HISTORY, HistoryEntry, Kind, LINKS, Link, LinkEnd, PARENT,
    Reference, Stamp, Value, ValueType, is_mark, read_day,
};
use hovrel_core::text;
use hovrel_core::text::TextFormat;
use oxrdf::vocab::{rdf as rdf_terms, xsd};
use oxrdf::{BlankNode, Graph, Literal, NamedNode, NamedNodeRef, NamedOrBlankNodeRef, Term, TermRef, TripleRef};

use super::client::{Client, version};
use super::discovery::Offered;
use super::rdf::{self, Node};
use super::shape::{Property, Role};
use super::vocab;
use crate::told::{self, not_readable};
use crate::{ConnectError, Write};

pub fn artefact(client: &Client, kind: Kind, offered: &Offered, node: &Node<'_>) -> Result<Artefact, ConnectError> {
    let Some(iri) = node.address() else {
        let why = "a resource has no address".to_owned();
        return Err(ConnectError::Malformed { address: client.transport.address.clone(), why });
    };
    let id = client.id(iri);
    let mut out = Artefact::bare(kind, &id);
    let mut fields = Fields::default();
    for p in &offered.properties {
        match &p.role {
            Role::Link(_) | Role::Discussion | Role::Versions => {}
            Role::Collection => out.parent = collection(client, p, node, &mut out.read_losses),
            _ => {
                let value = value(client, p, node, &mut out.read_losses).settled();
                if p.role == Role::Origin {
                    out.origin = Some(value.display()).filter(|mark| is_mark(mark));
                }
                fields.set(p.field.id.as_str(), value);
            }
        }
    }
    let title = offered.properties.iter().find(|p| p.iri.as_str() == vocab::TITLE.as_str());
    out.title = title.and_then(|p| fields.get(&p.field.id)).map(Value::display).unwrap_or_default();
    out.key = node.text(vocab::IDENTIFIER).unwrap_or_else(|| id.clone());
    out.url = Some(iri.to_owned());
    out.version = Some(version(node));
    out.created = stamp(client, node, vocab::CREATED, vocab::CREATOR);
    out.modified = stamp(client, node, vocab::MODIFIED, vocab::CONTRIBUTOR);
    out.fields = fields;
    out.links = links(client, kind, offered, node, &mut out.read_losses);
    out.comments = comments(client, node, &mut out.read_losses);
    out.history = history(client, offered, node, &mut out.read_losses);
    told::with_short_id(&out, "resource", &client.transport.address)?;
    Ok(keepable_artefact(out))
}

/// What a resource stands in: one of what it names, and the rest is told.
fn collection(client: &Client, p: &Property, node: &Node<'_>, losses: &mut Vec<Loss>) -> Option<String> {
    let mut found = addresses(p, node, PARENT, losses).into_iter();
    let first = found.next();
    losses.extend(found.map(|more| not_readable(PARENT, "it stands in several places, and can stand in one", more)));
    first.map(|iri| client.id(&iri))
}

/// The addresses that a property leads to, in their order; what is no address is told.
fn addresses(p: &Property, node: &Node<'_>, field: &str, losses: &mut Vec<Loss>) -> Vec<String> {
    let others = node.all(p.iri.as_ref()).into_iter().filter(|t| !matches!(t, TermRef::NamedNode(_)));
    let told = |t: TermRef<'_>| not_readable(field, &format!("“{}” is not an address", p.field.name), t.to_string());
    losses.extend(others.map(told));
    node.iris(p.iri.as_ref())
}

fn stamp(client: &Client, node: &Node<'_>, at: NamedNodeRef<'_>, by: NamedNodeRef<'_>) -> Option<Stamp> {
    let at = DateTime::parse_from_rfc3339(&node.text(at)?).ok()?;
    Some(Stamp { at: Some(at), by: node.iri(by).map(|p| client.id(&p)) })
}

/// Who and when something was said or changed. A time that can't be read is told.
fn stamp_of_piece(
    client: &Client,
    node: &Node<'_>,
    (at, by): (NamedNodeRef<'_>, NamedNodeRef<'_>),
    field: &str,
    losses: &mut Vec<Loss>,
) -> Stamp {
    stamp(client, node, at, by).unwrap_or_else(|| {
        let told = node.text(at).unwrap_or_default();
        let what = if told.is_empty() { "it has no time" } else { "its time can't be read" };
        losses.push(not_readable(field, what, told));
        Stamp { at: None, by: node.iri(by).map(|p| client.id(&p)) }
    })
}

fn value(client: &Client, p: &Property, node: &Node<'_>, losses: &mut Vec<Loss>) -> Value {
    let mut terms = node.all(p.iri.as_ref());
    // A graph has no order.
    terms.sort_by_cached_key(|t| t.to_string());
    if !p.many && p.role != Role::Origin {
        for more in terms.iter().skip(1) {
            let what = "the resource holds several values, where its shape allows one";
            losses.push(not_readable(&p.field.id, what, rdf::text_of(*more)));
        }
    }
    let texts = || {
        let mut found: Vec<String> = terms.iter().map(|t| rdf::text_of(*t)).filter(|t| !t.is_empty()).collect();
        found.sort();
        found
    };
    let label = |iri: &String| p.choices.iter().find(|(_, i)| i == iri).map_or(iri.clone(), |(label, _)| label.clone());
    let Some(first) = terms.first() else { return Value::Empty };
    // What has no address and is no text is nothing that another system could be told by.
    let bare = node.nodes(p.iri.as_ref()).into_iter().find(|n| n.address().is_none());
    match (bare, &p.role) {
        (Some(bare), Role::Person) => {
            losses.push(not_readable(&p.field.id, "the person has no address", bare.description()));
            return Value::Empty;
        }
        (Some(bare), role) if *role != Role::Origin => return Value::Unreadable(bare.description()),
        _ => {}
    }
    match &p.role {
        Role::Person if p.many => Value::UserList(texts().iter().map(|t| client.id(t)).collect()),
        Role::Person => Value::User(client.id(&rdf::text_of(*first))),
        Role::Choice if p.many => Value::ChoiceList(texts().iter().map(label).collect()),
        Role::Choice => Value::Choice(label(&rdf::text_of(*first))),
        Role::Reference(_) => Value::Reference(Reference::Known(client.id(&rdf::text_of(*first)))),
        Role::Origin => {
            let told = node.nodes(p.iri.as_ref()).iter().find_map(|s| s.text(vocab::IDENTIFIER));
            told.map_or(Value::Empty, Value::Text)
        }
        _ if p.many => Value::ChoiceList(texts()),
        _ => literal(p, &rdf::text_of(*first), losses),
    }
}

fn literal(p: &Property, written: &str, losses: &mut Vec<Loss>) -> Value {
    let unreadable = || Value::Unreadable(written.to_owned());
    match p.field.value_type {
        ValueType::RichText => {
            Value::RichText(told::rich(written, p.field.format.unwrap_or(TextFormat::Xhtml), &p.field.id, losses))
        }
        ValueType::Integer => written.parse().map_or_else(|_| unreadable(), Value::Integer),
        ValueType::Decimal => Decimal::parse_number(written).map_or_else(|_| unreadable(), Value::Decimal),
        ValueType::Boolean => match written {
            "true" | "1" => Value::Boolean(true),
            "false" | "0" => Value::Boolean(false),
            _ => unreadable(),
        },
        ValueType::Date => read_day(written).map_or_else(unreadable, Value::Date),
        ValueType::Instant => {
            DateTime::<FixedOffset>::parse_from_rfc3339(written).map_or_else(|_| unreadable(), Value::Instant)
        }
        ValueType::Choice => Value::Choice(written.to_owned()),
        _ if p.xml => Value::Text(plain(written, &p.field.id, losses)),
        _ => Value::Text(written.to_owned()),
    }
}

/// The text of an XML literal in which there are usually no elements.
fn plain(xml: &str, field: &str, losses: &mut Vec<Loss>) -> String {
    if xml.contains('<') {
        return told::rich(xml, TextFormat::Xhtml, field, losses).plain();
    }
    quick_xml::escape::unescape(xml).map_or_else(|_| xml.to_owned(), |t| t.into_owned())
}

fn links(client: &Client, kind: Kind, offered: &Offered, node: &Node<'_>, losses: &mut Vec<Loss>) -> Vec<Link> {
    let mut out = Vec::new();
    for p in &offered.properties {
        let Role::Link(link_type) = &p.role else { continue };
        for iri in addresses(p, node, LINKS, losses) {
            // Where the shape does not say what it leads to, it is taken to be of the same kind.
            let target = match client.is_here(&iri) {
                true => LinkEnd::Artefact { kind: p.range.unwrap_or(kind), id: client.id(&iri) },
                false => LinkEnd::Url(iri),
            };
            out.push(Link { link_type: link_type.clone(), target, word: Some(p.iri.as_str().to_owned()) });
        }
    }
    out.sort();
    out.dedup();
    out
}

/// Comments of the discussion, where it comes with the resource.
fn comments(client: &Client, node: &Node<'_>, losses: &mut Vec<Loss>) -> Vec<Comment> {
    let said = node.nodes(vocab::DISCUSSED_BY).into_iter().flat_map(|d| d.nodes(vocab::COMMENT));
    let mut out: Vec<Comment> = said
        .map(|c| {
            let stamp = stamp_of_piece(client, &c, (vocab::CREATED, vocab::CREATOR), COMMENTS, losses);
            let written = c.text(vocab::DESCRIPTION).unwrap_or_default();
            let body = told::rich(&written, TextFormat::Xhtml, COMMENTS, losses);
            Comment { id: c.address().map(|iri| client.id(iri)), stamp, body }
        })
        .collect();
    out.sort_by_cached_key(|c| (c.stamp.at, c.body.plain()));
    out
}

/// What changed from version to version, where versions come with the resource: each holds the values that came
/// with it, and the first those from before.
fn history(client: &Client, offered: &Offered, node: &Node<'_>, losses: &mut Vec<Loss>) -> Vec<HistoryEntry> {
    let numbered = |v: Node<'_>| v.text(vocab::IDENTIFIER).and_then(|n| n.parse::<u64>().ok());
    let mut versions = node.nodes(vocab::HAS_VERSION);
    versions.sort_by_key(|v| numbered(*v));
    let mut held: HashMap<&str, String> = HashMap::new();
    let mut out = Vec::new();
    for (n, version) in versions.iter().enumerate() {
        // The first one only says what was held before anything was changed.
        let is_first = n == 0 && version.text(vocab::GENERATED_AT).is_none();
        let by = (!is_first)
            .then(|| stamp_of_piece(client, version, (vocab::GENERATED_AT, vocab::ATTRIBUTED_TO), HISTORY, losses));
        for p in offered.properties.iter().filter(|p| !version.all(p.iri.as_ref()).is_empty()) {
            // What a version says of itself is no value of the resource.
            let of_its_own = [vocab::IDENTIFIER, vocab::CREATED, vocab::CREATOR, vocab::MODIFIED];
            let is_value = !matches!(p.role, Role::Link(_) | Role::Discussion | Role::Versions);
            if !is_value || of_its_own.contains(&p.iri.as_ref()) {
                continue;
            }
            let after = value(client, p, version, &mut Vec::new()).display();
            let before = held.insert(&p.field.id, after.clone()).unwrap_or_default();
            if let Some(stamp) = by.clone().filter(|_| before != after) {
                let id = version.address().map(|iri| format!("{} {}", client.id(iri), p.field.id));
                out.push(HistoryEntry { id, stamp, field: p.field.id.clone(), before, after });
            }
        }
    }
    out
}

/// The graph to send: what is there, or nothing for a new resource, with what is to be written.
pub fn graph(
    client: &Client,
    offered: &Offered,
    subject: &NamedNode,
    now: Graph,
    write: &Write,
) -> Result<Graph, ConnectError> {
    let mut graph = now;
    let at = NamedOrBlankNodeRef::from(subject.as_ref());
    if write.id.is_none() {
        graph.insert(TripleRef::new(at, rdf_terms::TYPE, &offered.resource_type));
    }
    for (id, value) in write.fields.iter() {
        if &**id == LINKS {
            put_links(client, offered, &mut graph, at, value)?;
            continue;
        }
        // Fields are checked against the catalogue before they come here.
        let Some(p) = offered.properties.iter().find(|p| p.field.id == **id) else { continue };
        let there = write.in_source.then(|| rdf::literal(&graph, at, p.iri.as_ref())).flatten();
        rdf::clear(&mut graph, at, p.iri.as_ref());
        for term in terms(client, p, value, there.as_deref())? {
            graph.insert(TripleRef::new(at, &p.iri, &term));
        }
        if let (Role::Origin, Value::Text(mark)) = (&p.role, value) {
            let source = BlankNode::default();
            graph.insert(TripleRef::new(at, &p.iri, &source));
            graph.insert(TripleRef::new(&source, vocab::IDENTIFIER, &Literal::new_simple_literal(mark)));
        }
    }
    if let (Some(parent), Some(p)) = (&write.parent, offered.properties.iter().find(|p| p.role == Role::Collection)) {
        rdf::clear(&mut graph, at, p.iri.as_ref());
        if let Some(id) = parent {
            graph.insert(TripleRef::new(at, &p.iri, &address(client, &p.field.name, id)?));
        }
    }
    Ok(graph)
}

fn address(client: &Client, field: &str, id: &str) -> Result<NamedNode, ConnectError> {
    let refused = |text: String| ConnectError::Refused { field: field.to_owned(), text };
    NamedNode::new(client.iri(id)).map_err(|e| refused(format!("“{id}” is no address: {e}")))
}

/// `there` is what is written there, for texts that are changed in it.
fn terms(client: &Client, p: &Property, value: &Value, there: Option<&str>) -> Result<Vec<Term>, ConnectError> {
    let named = |id: &str| address(client, &p.field.name, id).map(Term::from);
    let typed = |text: String| -> Term {
        match &p.datatype {
            Some(datatype) if datatype.as_ref() != xsd::STRING => Literal::new_typed_literal(text, datatype.clone()),
            _ => Literal::new_simple_literal(text),
        }
        .into()
    };
    let xml = |text: String| -> Term { Literal::new_typed_literal(text, rdf_terms::XML_LITERAL).into() };
    let choice = |label: &String| -> Result<Term, ConnectError> {
        match p.choices.iter().find(|(l, _)| l == label) {
            Some((_, iri)) => named(iri),
            None => Ok(typed(label.clone())),
        }
    };
    Ok(match value {
        Value::Empty | Value::Unreadable(_) => Vec::new(),
        Value::Text(_) if p.role == Role::Origin => Vec::new(),
        Value::Text(text) if p.xml => vec![xml(quick_xml::escape::escape(text.as_str()).into_owned())],
        Value::RichText(document) => vec![xml(rich(p, document, there)?)],
        Value::Choice(label) => vec![choice(label)?],
        Value::ChoiceList(list) => list.iter().map(choice).collect::<Result<_, _>>()?,
        Value::User(id) => vec![named(id)?],
        Value::UserList(list) => list.iter().map(|id| named(id)).collect::<Result<_, _>>()?,
        Value::Reference(reference) => vec![named(reference.id())?],
        Value::Boolean(yes) => vec![typed(yes.to_string())],
        other => vec![typed(other.display())],
    })
}

fn rich(p: &Property, document: &Document, there: Option<&str>) -> Result<String, ConnectError> {
    let format = p.field.format.unwrap_or(TextFormat::Xhtml);
    match there {
        Some(there) => told::patched(there, format, document, &p.field.id),
        None => Ok(text::write(document, format)),
    }
}

/// Each link by the property that it was read by, or else by one of its type that may be written and leads to its kind;
/// all others gone. What can only be read stays as it is.
fn put_links(
    client: &Client,
    offered: &Offered,
    graph: &mut Graph,
    at: NamedOrBlankNodeRef<'_>,
    value: &Value,
) -> Result<(), ConnectError> {
    let properties: Vec<&Property> =
        offered.properties.iter().filter(|p| matches!(p.role, Role::Link(_)) && !p.field.read_only).collect();
    properties.iter().for_each(|p| rdf::clear(graph, at, p.iri.as_ref()));
    let Value::Links(list) = value else { return Ok(()) };
    for link in list {
        let (kind, iri) = match &link.target {
            LinkEnd::Artefact { kind, id } | LinkEnd::Pending { kind, id } => (Some(*kind), client.iri(id)),
            LinkEnd::Url(url) => (None, url.clone()),
        };
        let read_by = link.word.as_deref();
        let kept = |p: &Property| matches!(p.role, Role::Link(_)) && p.field.read_only;
        if offered.properties.iter().any(|p| kept(p) && Some(p.iri.as_str()) == read_by) {
            continue;
        }
        let means = |p: &&&Property| p.role == Role::Link(link.link_type.clone());
        let its_own = |p: &&&Property| means(p) && Some(p.iri.as_str()) == read_by;
        let to_its_kind = |p: &&&Property| means(p) && kind.is_some() && p.range == kind;
        let to_any = |p: &&&Property| means(p) && (kind.is_none() || p.range.is_none());
        let mut tried = properties.iter().find(its_own);
        tried = tried.or_else(|| properties.iter().find(to_its_kind)).or_else(|| properties.iter().find(to_any));
        let Some(p) = tried else {
            let text = format!("there is no link “{}” to such a thing", link.link_type.word());
            return Err(ConnectError::Refused { field: LINKS.into(), text });
        };
        let end = address(client, LINKS, &iri)?;
        graph.insert(TripleRef::new(at, &p.iri, TermRef::from(end.as_ref())));
    }
    Ok(())
}
