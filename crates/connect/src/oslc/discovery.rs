//! What a provider offers: from the catalogue of service providers to shapes and people.

use std::collections::{BTreeMap, HashSet};

use hovrel_core::bounds::MOST_CATALOGUES;
use hovrel_core::catalogue::{Catalogue, CatalogueFinding, KindSchema, NotRead, User};
use hovrel_core::model::Kind;
use oxrdf::{Graph, NamedNode};

use super::client::{Client, named};
use super::rdf::{Node, Speech};
use super::shape::{Allowed, Described, Property, Role, TooLittle, fields};
use super::vocab;
use crate::{ConnectError, Container};

/// One service provider: what routes connect.
pub struct Provider {
    pub kinds: BTreeMap<Kind, Offered>,
    pub users: Vec<User>,
    pub findings: Vec<CatalogueFinding>,
}

/// What is offered for one kind.
pub struct Offered {
    pub resource_type: NamedNode,
    pub query_base: String,
    /// Where resources are made; none if they can only be read.
    pub creation: Option<String>,
    pub name: String,
    pub properties: Vec<Property>,
    /// How the provider writes RDF.
    pub speech: Speech,
}

impl Provider {
    pub fn catalogue(&self) -> Catalogue {
        let kinds = self.kinds.iter().map(|(kind, offered)| KindSchema {
            // Collections are not in one another.
            max_depth: (*kind == Kind::Folder).then_some(1),
            in_folders: *kind == Kind::Folder || offered.properties.iter().any(|p| p.role == Role::Collection),
            needs_folder: offered.properties.iter().any(|p| p.role == Role::Collection && p.field.required),
            writable: offered.creation.is_some(),
            ..KindSchema::new(*kind, &offered.name, fields(&offered.properties))
        });
        Catalogue { kinds: kinds.collect(), users: self.users.clone(), findings: self.findings.clone() }
    }
}

/// The service providers that an address leads to: of a catalogue, of those in it, or one by itself.
pub async fn containers(client: &Client) -> Result<(Vec<Container>, Option<String>), ConnectError> {
    let mut found = Vec::new();
    let mut date = None;
    let mut open = vec![client.transport.address.clone()];
    let mut seen = HashSet::new();
    while let Some(iri) = open.pop() {
        if !seen.insert(iri.clone()) {
            continue;
        }
        if seen.len() > MOST_CATALOGUES {
            let why = format!("it points to more than {MOST_CATALOGUES} other catalogues");
            return Err(ConnectError::TooMuch { address: client.transport.address.clone(), why });
        }
        let answer = client.get(&iri).await?;
        date = date.or(answer.date);
        for catalogue in Node::of_type(&answer.graph, vocab::CATALOGUE) {
            open.extend(catalogue.iris(vocab::NESTED_CATALOGUE));
        }
        for provider in providers(&answer.graph) {
            let Some(address) = provider.address() else { continue };
            let name = provider.text(vocab::TITLE).unwrap_or_else(|| address.to_owned());
            found.push(Container { id: client.id(address), name });
        }
    }
    found.sort_by(|a, b| a.name.cmp(&b.name));
    found.dedup_by(|a, b| a.id == b.id);
    Ok((found, date))
}

fn providers(graph: &Graph) -> Vec<Node<'_>> {
    let listed = Node::of_type(graph, vocab::CATALOGUE).into_iter().flat_map(|c| c.nodes(vocab::HAS_PROVIDER));
    listed.chain(Node::of_type(graph, vocab::PROVIDER)).collect()
}

pub async fn provider(client: &Client, container: &str) -> Result<Provider, ConnectError> {
    let iri = client.iri(container);
    let answer = client.get(&iri).await?;
    let subject = named(&iri)?;
    let mut out = Provider { kinds: BTreeMap::new(), users: Vec::new(), findings: Vec::new() };
    for service in answer.node(&subject).nodes(vocab::SERVICE) {
        let factories = service.nodes(vocab::CREATION_FACTORY);
        for query in service.nodes(vocab::QUERY_CAPABILITY) {
            let Some(query_base) = query.iri(vocab::QUERY_BASE) else { continue };
            for resource_type in query.iris(vocab::RESOURCE_TYPE) {
                let Some(kind) = vocab::kind(&resource_type).filter(|k| !out.kinds.contains_key(k)) else { continue };
                let makes = |f: &&Node<'_>| f.iris(vocab::RESOURCE_TYPE).contains(&resource_type);
                let factory = factories.iter().find(makes);
                let of_factory = factory.and_then(|f| f.iri(vocab::RESOURCE_SHAPE));
                let Some(shape) = of_factory.or_else(|| query.iri(vocab::RESOURCE_SHAPE)) else {
                    let why = "the provider tells no shape of it".to_owned();
                    let what = NotRead::SaysTooLittle { why };
                    out.findings.push(CatalogueFinding { kind, field: None, what });
                    continue;
                };
                let Shape { name, speech, properties, too_little } = read_shape(client, &shape, &mut out.users).await?;
                out.findings.extend(too_little.into_iter().map(|TooLittle { name, why }| CatalogueFinding {
                    kind,
                    field: Some(name),
                    what: NotRead::SaysTooLittle { why },
                }));
                let short = resource_type.rsplit('#').next().unwrap_or_default().to_owned();
                out.kinds.insert(
                    kind,
                    Offered {
                        query_base: query_base.clone(),
                        creation: factory.and_then(|f| f.iri(vocab::CREATION)),
                        name: name.unwrap_or(short),
                        properties,
                        speech,
                        resource_type: NamedNode::new_unchecked(resource_type),
                    },
                );
            }
        }
    }
    if out.kinds.is_empty() {
        let why = "it offers no query with a shape for requirements, tests or change requests".to_owned();
        return Err(ConnectError::Malformed { address: iri, why });
    }
    out.users.sort_by(|a, b| a.id.cmp(&b.id));
    out.users.dedup_by(|a, b| a.id == b.id);
    Ok(out)
}

/// A shape as it was read.
struct Shape {
    name: Option<String>,
    speech: Speech,
    properties: Vec<Property>,
    too_little: Vec<TooLittle>,
}

async fn read_shape(client: &Client, iri: &str, users: &mut Vec<User>) -> Result<Shape, ConnectError> {
    let answer = client.get(iri).await?;
    let subject = named(iri)?;
    let shape = answer.node(&subject);
    let (mut properties, mut too_little) = (Vec::new(), Vec::new());
    for node in shape.nodes(vocab::PROPERTY) {
        let mut allowed = Vec::new();
        let is_person = node.iris(vocab::RANGE).iter().any(|r| r == vocab::PERSON.as_str());
        let mut take = |holder: &Node<'_>| {
            for term in holder.all(vocab::ALLOWED_VALUE) {
                match term {
                    oxrdf::TermRef::Literal(l) => allowed.push(Allowed::Literal(l.value().to_owned())),
                    oxrdf::TermRef::NamedNode(n) => {
                        let told = Node { graph: holder.graph, subject: n.into() };
                        if is_person {
                            users.extend(person(client, &told));
                        } else {
                            let last = n.as_str().rsplit(['/', '#']).next().unwrap_or_default().to_owned();
                            let label = told.text(vocab::TITLE).or_else(|| told.text(vocab::LABEL)).unwrap_or(last);
                            allowed.push(Allowed::Resource { iri: n.as_str().to_owned(), label });
                        }
                    }
                    _ => {}
                }
            }
        };
        take(&node);
        if let Some(elsewhere) = node.iri(vocab::ALLOWED_VALUES) {
            let answer = client.get(&elsewhere).await?;
            take(&answer.node(&named(&elsewhere)?));
        }
        number_labels(&mut allowed);
        // A set has no order; a list of values is shown in one.
        allowed.sort_by_key(|a| match a {
            Allowed::Literal(text) => text.clone(),
            Allowed::Resource { label, .. } => label.clone(),
        });
        match Property::of(&Described { node, allowed }) {
            Ok(found) => properties.extend(found),
            Err(found) => too_little.push(found),
        }
    }
    properties.sort_by_key(|p| (p.iri.as_str() != vocab::TITLE.as_str(), p.field.id.clone()));
    Ok(Shape { name: shape.text(vocab::TITLE), speech: answer.speech, properties, too_little })
}

/// Values of one label are told apart: each goes back as the resource that it was read from.
fn number_labels(allowed: &mut [Allowed]) {
    let mut taken: HashSet<String> = HashSet::new();
    allowed.sort_by(|a, b| match (a, b) {
        (Allowed::Resource { iri: a, .. }, Allowed::Resource { iri: b, .. }) => a.cmp(b),
        _ => std::cmp::Ordering::Equal,
    });
    for value in allowed {
        let Allowed::Resource { label, .. } = value else { continue };
        let mut own = label.clone();
        let mut n = 1;
        while !taken.insert(own.clone()) {
            n += 1;
            own = format!("{label} ({n})");
        }
        *label = own;
    }
}

fn person(client: &Client, node: &Node<'_>) -> Option<User> {
    let id = client.id(node.address()?);
    Some(User {
        login: node.text(vocab::PERSON_NICK),
        email: node.text(vocab::PERSON_MAIL).map(|m| m.trim_start_matches("mailto:").to_owned()),
        name: node.text(vocab::PERSON_NAME).unwrap_or_else(|| id.clone()),
        active: true,
        id,
    })
}
