//! RDF as text: Turtle, RDF/XML and JSON-LD, read into graphs and written from them; and looking into graphs.

use std::collections::{HashMap, HashSet};

use hovrel_core::bounds::{DEEPEST_ANSWER, MOST_TRIPLES};
use hovrel_core::model::Fingerprint;
use oxrdf::vocab::rdf;
use oxrdf::{BlankNodeRef, Graph, NamedNodeRef, NamedOrBlankNodeRef, QuadRef, Term, TermRef, Triple};

use super::vocab::PREFIXES;

/// How RDF is written. The order is that of preference: an answer that was cut is never taken for a whole
/// one in XML and JSON, but may be in Turtle.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Speech {
    RdfXml,
    JsonLd,
    Turtle,
}

pub const ACCEPT: &str = "application/rdf+xml, application/ld+json;q=0.9, text/turtle;q=0.8";

impl Speech {
    pub fn media_type(self) -> &'static str {
        match self {
            Speech::RdfXml => "application/rdf+xml",
            Speech::JsonLd => "application/ld+json",
            Speech::Turtle => "text/turtle",
        }
    }

    /// By a media type without parameters.
    pub fn of(media_type: &str) -> Option<Speech> {
        match media_type {
            "application/rdf+xml" | "application/xml" | "text/xml" => Some(Speech::RdfXml),
            "application/ld+json" => Some(Speech::JsonLd),
            "text/turtle" | "application/x-turtle" => Some(Speech::Turtle),
            _ => None,
        }
    }
}

/// Reads a graph. `base` is where the text came from, which relative addresses in it are relative to. Ends with an error
/// once it is not `wanted` any more.
pub fn read(text: &str, speech: Speech, base: &str, wanted: &dyn Fn() -> bool) -> Result<Graph, String> {
    whole(text, speech)?;
    let mut graph = Graph::new();
    let mut put = |triple: &Triple| {
        graph.insert(triple);
        match graph.len() {
            n if n > MOST_TRIPLES => Err(format!("it holds more than {MOST_TRIPLES} statements")),
            n if n % 1000 == 0 && !wanted() => Err("its reading was given up".to_owned()),
            _ => Ok(()),
        }
    };
    match speech {
        Speech::Turtle => {
            let parser = oxttl::TurtleParser::new().with_base_iri(base).map_err(|e| e.to_string())?;
            for triple in parser.for_slice(text) {
                put(&triple.map_err(|e| e.to_string())?)?;
            }
        }
        Speech::RdfXml => {
            let parser = oxrdfxml::RdfXmlParser::new().with_base_iri(base).map_err(|e| e.to_string())?;
            for triple in parser.for_slice(text) {
                put(&triple.map_err(|e| e.to_string())?)?;
            }
        }
        Speech::JsonLd => {
            let parser = oxjsonld::JsonLdParser::new().with_base_iri(base).map_err(|e| e.to_string())?;
            for quad in parser.for_slice(text) {
                let quad = quad.map_err(|e| e.to_string())?;
                put(&Triple::from(quad))?;
            }
        }
    }
    Ok(graph)
}

/// Whether a text ends where it should: the parsers take what they get.
fn whole(text: &str, speech: Speech) -> Result<(), String> {
    match speech {
        Speech::Turtle => Ok(()),
        Speech::JsonLd => serde_json::from_str::<serde::de::IgnoredAny>(text).map(|_| ()).map_err(|e| e.to_string()),
        Speech::RdfXml => {
            let mut reader = quick_xml::Reader::from_str(text);
            let (mut depth, mut elements) = (0usize, 0usize);
            loop {
                match reader.read_event().map_err(|e| e.to_string())? {
                    // What it declares could be put in place of a few letters again and again.
                    quick_xml::events::Event::DocType(_) => {
                        return Err("a document type declaration is not accepted".into());
                    }
                    quick_xml::events::Event::Start(_) if depth == DEEPEST_ANSWER => {
                        return Err(format!("elements are nested more than {DEEPEST_ANSWER} deep"));
                    }
                    quick_xml::events::Event::Start(_) => {
                        depth += 1;
                        elements += 1;
                    }
                    quick_xml::events::Event::End(_) => depth = depth.saturating_sub(1),
                    quick_xml::events::Event::Empty(_) => elements += 1,
                    quick_xml::events::Event::Eof if depth > 0 => return Err("it ends in the middle".into()),
                    quick_xml::events::Event::Eof if elements == 0 => return Err("it holds nothing".into()),
                    quick_xml::events::Event::Eof => return Ok(()),
                    _ => {}
                }
            }
        }
    }
}

/// Writes a graph. Fails only if a term can't be written in the syntax.
pub fn write(graph: &Graph, speech: Speech) -> Result<String, String> {
    let mut triples: Vec<Triple> = graph.iter().map(|t| t.into_owned()).collect();
    // What is said of one thing stands together, as people expect it.
    triples.sort_by_cached_key(|t| (t.subject.to_string(), t.predicate.to_string(), t.object.to_string()));
    let said = |e: std::io::Error| e.to_string();
    let bytes = match speech {
        Speech::Turtle => {
            let mut writer = oxttl::TurtleSerializer::new();
            for (prefix, iri) in PREFIXES {
                writer = writer.with_prefix(prefix, iri).map_err(|e| e.to_string())?;
            }
            let mut writer = writer.for_writer(Vec::new());
            triples.iter().try_for_each(|t| writer.serialize_triple(t)).map_err(said)?;
            writer.finish().map_err(said)?
        }
        Speech::RdfXml => {
            let mut writer = oxrdfxml::RdfXmlSerializer::new();
            for (prefix, iri) in PREFIXES {
                writer = writer.with_prefix(prefix, iri).map_err(|e| e.to_string())?;
            }
            let mut writer = writer.for_writer(Vec::new());
            triples.iter().try_for_each(|t| writer.serialize_triple(t)).map_err(said)?;
            writer.finish().map_err(said)?
        }
        Speech::JsonLd => {
            let mut writer = oxjsonld::JsonLdSerializer::new();
            for (prefix, iri) in PREFIXES {
                writer = writer.with_prefix(prefix, iri).map_err(|e| e.to_string())?;
            }
            let mut writer = writer.for_writer(Vec::new());
            for t in &triples {
                let graph = oxrdf::GraphNameRef::DefaultGraph;
                writer.serialize_quad(QuadRef::new(&t.subject, &t.predicate, &t.object, graph)).map_err(said)?;
            }
            writer.finish().map_err(said)?
        }
    };
    String::from_utf8(bytes).map_err(|e| e.to_string())
}

/// Nodes without an address that lead to one another in a circle are followed this far.
const DEEPEST: u8 = 6;

/// A description of a node in another that is longer stands there by its fingerprint.
const LONGEST_INSIDE: usize = 4_096;

fn short(text: String) -> String {
    if text.len() > LONGEST_INSIDE { Fingerprint::of(text.as_str()).short() } else { text }
}

/// One node of a graph, for looking at.
#[derive(Clone, Copy)]
pub struct Node<'g> {
    pub graph: &'g Graph,
    pub subject: NamedOrBlankNodeRef<'g>,
}

impl<'g> Node<'g> {
    /// The subjects of a type.
    pub fn of_type(graph: &'g Graph, of: NamedNodeRef<'_>) -> Vec<Node<'g>> {
        graph.subjects_for_predicate_object(rdf::TYPE, of).map(|subject| Node { graph, subject }).collect()
    }

    pub fn all(&self, property: NamedNodeRef<'_>) -> Vec<TermRef<'g>> {
        self.graph.objects_for_subject_predicate(self.subject, property).collect()
    }

    pub fn one(&self, property: NamedNodeRef<'_>) -> Option<TermRef<'g>> {
        self.graph.object_for_subject_predicate(self.subject, property)
    }

    /// The text of a literal, or the address of a resource.
    pub fn text(&self, property: NamedNodeRef<'_>) -> Option<String> {
        self.one(property).map(text_of)
    }

    pub fn iri(&self, property: NamedNodeRef<'_>) -> Option<String> {
        self.iris(property).into_iter().next()
    }

    pub fn iris(&self, property: NamedNodeRef<'_>) -> Vec<String> {
        let named = |t: TermRef<'_>| match t {
            TermRef::NamedNode(n) => Some(n.as_str().to_owned()),
            _ => None,
        };
        let mut found: Vec<String> = self.all(property).into_iter().filter_map(named).collect();
        found.sort();
        found
    }

    /// The nodes that a property leads to, whether they have an address or not.
    pub fn nodes(&self, property: NamedNodeRef<'_>) -> Vec<Node<'g>> {
        let node = |t: TermRef<'g>| {
            let subject = match t {
                TermRef::NamedNode(n) => NamedOrBlankNodeRef::from(n),
                TermRef::BlankNode(b) => NamedOrBlankNodeRef::from(b),
                _ => return None,
            };
            Some(Node { graph: self.graph, subject })
        };
        self.all(property).into_iter().filter_map(node).collect()
    }

    pub fn address(&self) -> Option<&'g str> {
        match self.subject {
            NamedOrBlankNodeRef::NamedNode(n) => Some(n.as_str()),
            NamedOrBlankNodeRef::BlankNode(_) => None,
        }
    }

    pub fn is_empty(&self) -> bool {
        self.graph.triples_for_subject(self.subject).next().is_none()
    }

    /// What is said of the node, nodes without an address included, in an order of its own: equal for
    /// graphs that say the same, whatever names such nodes have in them.
    pub fn description(&self) -> String {
        self.described(0, &mut HashMap::new())
    }

    /// `told` are the nodes without an address that were described at some depth, so that each is once.
    fn described(&self, depth: u8, told: &mut HashMap<(BlankNodeRef<'g>, u8), String>) -> String {
        let mut lines = Vec::new();
        for t in self.graph.triples_for_subject(self.subject) {
            lines.push(match t.object {
                TermRef::BlankNode(b) if depth < DEEPEST => {
                    let inner = match told.get(&(b, depth)) {
                        Some(known) => known.clone(),
                        None => {
                            let node = Node { graph: self.graph, subject: b.into() };
                            let text = short(node.described(depth + 1, told));
                            told.insert((b, depth), text.clone());
                            text
                        }
                    };
                    format!("{} [{inner}]", t.predicate)
                }
                TermRef::BlankNode(_) => format!("{} []", t.predicate),
                other => format!("{} {other}", t.predicate),
            });
        }
        lines.sort();
        lines.join("\n")
    }

    /// What is said of the node and of the nodes without an address that hang on it.
    pub fn closure(&self) -> Graph {
        let mut out = Graph::new();
        let mut open = vec![self.subject];
        let mut seen: HashSet<BlankNodeRef<'_>> = HashSet::new();
        while let Some(subject) = open.pop() {
            for triple in self.graph.triples_for_subject(subject) {
                if let TermRef::BlankNode(b) = triple.object
                    && seen.insert(b)
                {
                    open.push(b.into());
                }
                out.insert(triple);
            }
        }
        out
    }
}

pub fn text_of(term: TermRef<'_>) -> String {
    match term {
        TermRef::Literal(l) => l.value().to_owned(),
        TermRef::NamedNode(n) => n.as_str().to_owned(),
        _ => String::new(),
    }
}

/// The text of a property that has one value; none if it has none, several, or no literal.
pub fn literal(graph: &Graph, subject: NamedOrBlankNodeRef<'_>, property: NamedNodeRef<'_>) -> Option<String> {
    let mut objects = graph.objects_for_subject_predicate(subject, property);
    match (objects.next(), objects.next()) {
        (Some(TermRef::Literal(one)), None) => Some(one.value().to_owned()),
        _ => None,
    }
}

/// Takes away everything that is said of a subject by one property, and what hung on it without an address.
pub fn clear(graph: &mut Graph, subject: NamedOrBlankNodeRef<'_>, property: NamedNodeRef<'_>) {
    let objects: Vec<Term> = graph.objects_for_subject_predicate(subject, property).map(TermRef::into_owned).collect();
    for object in objects {
        if let Term::BlankNode(b) = &object {
            let hung = Node { graph, subject: b.as_ref().into() }.closure();
            hung.iter().for_each(|t| {
                graph.remove(t);
            });
        }
        graph.remove(oxrdf::TripleRef::new(subject, property, &object));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Nodes without an address that lead to themselves and to one another by many properties: each is described once at
    /// each depth, and the description does not grow with the ways to it.
    #[test]
    fn a_node_that_leads_to_itself_is_described_once() {
        let mut text = String::from("<http://a.example/1> <http://a.example/p> _:b0 .");
        for (n, m, p) in (0..12).flat_map(|n| (0..12).flat_map(move |m| (0..40).map(move |p| (n, m, p)))) {
            text.push_str(&format!("_:b{n} <http://a.example/p{p}> _:b{m} .\n"));
        }
        let graph = read(&text, Speech::Turtle, "http://a.example/", &|| true).expect("it is Turtle");
        let named = oxrdf::NamedNode::new("http://a.example/1").expect("an address");
        let node = Node { graph: &graph, subject: named.as_ref().into() };
        assert!(node.description().len() < 2 * LONGEST_INSIDE, "{}", node.description().len());
        assert_eq!(node.closure().len(), graph.len());
    }

    #[test]
    fn a_document_type_is_refused_before_anything_is_put_in_its_place() {
        let text =
            "<!DOCTYPE r [<!ENTITY e \"x\">]><rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\"/>";
        let refused = read(text, Speech::RdfXml, "http://a.example/", &|| true);
        assert!(refused.is_err_and(|why| why.contains("document type")));
    }

    /// A cut answer is an error and never a smaller graph, in the syntaxes that are asked for first.
    #[test]
    fn a_cut_answer_is_no_answer() {
        let turtle = "<http://a.example/1> <http://purl.org/dc/terms/title> \"One\" ; \
                      <http://purl.org/dc/terms/source> [ <http://purl.org/dc/terms/identifier> \"x\" ] .\
                      <http://a.example/2> <http://purl.org/dc/terms/title> \"Two\" .";
        let graph = read(turtle, Speech::Turtle, "http://a.example/", &|| true).expect("it is Turtle");
        assert_eq!(graph.len(), 4);
        for speech in [Speech::RdfXml, Speech::JsonLd] {
            let text = write(&graph, speech).expect("it can be written");
            assert_eq!(read(&text, speech, "http://a.example/", &|| true).map(|g| g.len()), Ok(4));
            let whole = text.trim_end().len();
            for end in 0..whole {
                let cut = read(&text[..end], speech, "http://a.example/", &|| true);
                assert!(cut.is_err(), "{speech:?} cut at {end} of {whole}: {:?}", &text[..end]);
            }
            assert!(read("{\"<so>: far", speech, "http://a.example/", &|| true).is_err(), "{speech:?}");
        }
    }
}
