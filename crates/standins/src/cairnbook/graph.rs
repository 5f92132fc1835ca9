//! Cairnbook's RDF: records as graphs, graphs as records, and the three syntaxes.

use axum::http::HeaderMap;
use axum::http::header::ACCEPT;
use chrono::{DateTime, FixedOffset, Utc};
use oxrdf::vocab::{rdf, xsd};
use oxrdf::{
    BlankNode, Graph, GraphNameRef, Literal, NamedNode, NamedOrBlankNode, NamedOrBlankNodeRef, QuadRef, Term, TermRef,
    Triple,
};
use serde_json::{Map, Value, json};

use super::kinds::LINKS;
use super::state::uid;
use crate::records::{Field, Form, Kind, Link, Past, Record, Refusal, as_text};

const PREFIXES: [(&str, &str); 7] = [
    ("oslc", "http://open-services.net/ns/core#"),
    ("oslc_rm", "http://open-services.net/ns/rm#"),
    ("dcterms", "http://purl.org/dc/terms/"),
    ("foaf", "http://xmlns.com/foaf/0.1/"),
    ("rdfs", "http://www.w3.org/2000/01/rdf-schema#"),
    ("prov", "http://www.w3.org/ns/prov#"),
    ("rq", "http://cairnbook.example/ns#"),
];

/// `dcterms:title` in full.
pub fn term(short: &str) -> NamedNode {
    let (prefix, rest) = short.split_once(':').unwrap_or(("", short));
    let known = PREFIXES.iter().find(|(p, _)| *p == prefix).map_or("", |(_, iri)| iri);
    NamedNode::new_unchecked(format!("{known}{rest}"))
}

pub fn property(field: &Field) -> NamedNode {
    term(match field.id {
        "title" => "dcterms:title",
        "description" => "dcterms:description",
        "contributor" => "dcterms:contributor",
        "subject" => "dcterms:subject",
        "source" => "dcterms:source",
        "volume" => "dcterms:isPartOf",
        "level" => "rq:level",
        _ => "rq:state",
    })
}

pub fn type_of(kind: &Kind) -> NamedNode {
    term(if kind.id == "volume" { "oslc_rm:RequirementCollection" } else { "oslc_rm:Requirement" })
}

/// Puts triples into a graph.
pub struct Build<'a> {
    pub graph: &'a mut Graph,
    pub base: &'a str,
}

impl Build<'_> {
    pub fn at(&self, path: &str) -> NamedNode {
        NamedNode::new_unchecked(format!("{}{path}", self.base))
    }

    pub fn put(&mut self, s: &NamedOrBlankNode, p: &str, o: impl Into<Term>) {
        self.graph.insert(&Triple::new(s.clone(), term(p), o));
    }

    pub fn is_a(&mut self, s: &NamedOrBlankNode, of: NamedNode) {
        self.graph.insert(&Triple::new(s.clone(), rdf::TYPE.into_owned(), of));
    }

    pub fn text(&mut self, s: &NamedOrBlankNode, p: &str, text: &str) {
        self.put(s, p, Literal::new_simple_literal(text));
    }

    pub fn xml(&mut self, s: &NamedOrBlankNode, p: &str, xml: &str) {
        self.put(s, p, xml_literal(xml));
    }

    pub fn number(&mut self, s: &NamedOrBlankNode, p: &str, n: usize) {
        self.put(s, p, Literal::new_typed_literal(n.to_string(), xsd::INTEGER));
    }

    /// A field's text as it is told.
    fn term_of(&mut self, field: &Field, text: &str) -> Term {
        match field.form {
            Form::Rich => xml_literal(text),
            Form::Person => self.at(&format!("/rm/people/{text}")).into(),
            Form::Ref(_) => self.at(&format!("/rm/r/{text}")).into(),
            Form::Mark => {
                let source: NamedOrBlankNode = BlankNode::default().into();
                self.text(&source, "dcterms:identifier", text);
                source.into()
            }
            _ if field.id == "title" => xml_literal(&escape(text)),
            _ => Literal::new_simple_literal(text).into(),
        }
    }

    /// The versions of a record (PROV-O): the first with the values from before what was written down, each other
    /// with those that came with it.
    fn versions(&mut self, s: &NamedOrBlankNode, r: &Record, kind: &Kind, moment: &dyn Fn(DateTime<Utc>) -> Literal) {
        let told = |name: &str| kind.fields.iter().find(|f| f.id == name && f.form != Form::Mark);
        let mut first: Vec<(&Field, &str)> = Vec::new();
        let mut later: Vec<(&Past, Vec<(&Field, &str)>)> = Vec::new();
        for past in &r.trail {
            let Some(field) = told(&past.field) else { continue };
            if !first.iter().any(|(f, _)| f.id == field.id) {
                first.push((field, &past.before));
            }
            match later.last_mut().filter(|(p, _)| (p.at, &p.by) == (past.at, &past.by)) {
                Some((_, values)) => values.push((field, &past.after)),
                None => later.push((past, vec![(field, &past.after)])),
            }
        }
        if first.is_empty() {
            return;
        }
        let all = std::iter::once((None, first)).chain(later.into_iter().map(|(past, values)| (Some(past), values)));
        for (n, (past, values)) in all.enumerate() {
            let version: NamedOrBlankNode = BlankNode::default().into();
            self.put(s, "dcterms:hasVersion", version.clone());
            self.is_a(&version, term("prov:Entity"));
            self.text(&version, "dcterms:identifier", &(n + 1).to_string());
            if let Some(past) = past {
                self.put(&version, "prov:generatedAtTime", moment(past.at));
                let by = self.at(&format!("/rm/people/{}", past.by));
                self.put(&version, "prov:wasAttributedTo", by);
            }
            for (field, text) in values {
                let value = match text.is_empty() {
                    true => Literal::new_simple_literal("").into(),
                    false => self.term_of(field, text),
                };
                self.graph.insert(&Triple::new(version.clone(), property(field), value));
            }
        }
    }

    /// Everything that is told of a record.
    pub fn record(&mut self, r: &Record, kind: &Kind) {
        let s: NamedOrBlankNode = self.at(&format!("/rm/r/{}", uid(r.number))).into();
        self.is_a(&s, type_of(kind));
        self.text(&s, "dcterms:identifier", &r.number.to_string());
        let moment = |at: chrono::DateTime<chrono::Utc>| {
            let local = at.with_timezone(&FixedOffset::east_opt(7200).expect("two hours"));
            Literal::new_typed_literal(local.to_rfc3339(), xsd::DATE_TIME)
        };
        self.put(&s, "dcterms:modified", moment(r.changed));
        for field in kind.fields {
            let value = r.values.get(field.id).cloned().unwrap_or(Value::Null);
            let text = as_text(&value);
            let p = property(field);
            if field.form == Form::Tags {
                for tag in value.as_array().into_iter().flatten() {
                    let tag = Literal::new_simple_literal(as_text(tag));
                    self.graph.insert(&Triple::new(s.clone(), p.clone(), tag));
                }
                continue;
            }
            if text.is_empty() {
                continue;
            }
            let term = self.term_of(field, &text);
            self.graph.insert(&Triple::new(s.clone(), p, term));
        }
        for link in &r.links {
            let end = if link.id.is_empty() {
                NamedNode::new_unchecked(&link.url)
            } else {
                self.at(&format!("/rm/r/{}", link.id))
            };
            self.put(&s, &link.word, end);
        }
        self.versions(&s, r, kind, &moment);
        if !r.remarks.is_empty() {
            let discussion: NamedOrBlankNode = BlankNode::default().into();
            self.put(&s, "oslc:discussedBy", discussion.clone());
            self.is_a(&discussion, term("oslc:Discussion"));
            for remark in &r.remarks {
                let comment: NamedOrBlankNode = BlankNode::default().into();
                self.put(&discussion, "oslc:comment", comment.clone());
                self.is_a(&comment, term("oslc:Comment"));
                self.xml(&comment, "dcterms:description", &remark.text);
                self.put(&comment, "dcterms:created", moment(remark.at));
                let by = self.at(&format!("/rm/people/{}", remark.by));
                self.put(&comment, "dcterms:creator", by);
            }
        }
    }
}

fn xml_literal(xml: &str) -> Term {
    Literal::new_typed_literal(xml, rdf::XML_LITERAL).into()
}

fn escape(text: &str) -> String {
    quick_xml::escape::escape(text).into_owned()
}

/// The values and links that a sent graph has for a resource of a kind. What Cairnbook does not know, or
/// sets itself, is passed over.
pub fn taken(
    graph: &Graph,
    subject: NamedOrBlankNodeRef<'_>,
    kind: &Kind,
    base: &str,
) -> Result<(Map<String, Value>, Vec<Link>), Refusal> {
    let mut values = Map::new();
    for field in kind.fields {
        let p = property(field);
        let terms: Vec<TermRef<'_>> = graph.objects_for_subject_predicate(subject, &p).collect();
        let bad = |why: String| (field.id.to_owned(), why);
        let literal = |t: &TermRef<'_>| match t {
            TermRef::Literal(l) => Ok(l.value().to_owned()),
            _ => Err(bad("a literal is needed".into())),
        };
        if field.form != Form::Tags && terms.len() > 1 {
            return Err(bad("there is only one".into()));
        }
        let Some(first) = terms.first() else {
            let nothing = if field.form == Form::Tags { json!([]) } else { Value::Null };
            values.insert(field.id.into(), nothing);
            continue;
        };
        let value = match field.form {
            Form::Tags => {
                let mut tags = terms.iter().map(literal).collect::<Result<Vec<_>, _>>()?;
                tags.sort();
                json!(tags)
            }
            Form::Person => json!(own(first, base, "/rm/people/").ok_or_else(|| bad("it is nobody here".into()))?),
            Form::Ref(_) => json!(own(first, base, "/rm/r/").ok_or_else(|| bad("it is nothing here".into()))?),
            Form::Mark => {
                let node = match first {
                    TermRef::BlankNode(b) => NamedOrBlankNodeRef::from(*b),
                    TermRef::NamedNode(n) => NamedOrBlankNodeRef::from(*n),
                    _ => return Err(bad("a node with an identifier is needed".into())),
                };
                let told = graph.object_for_subject_predicate(node, &term("dcterms:identifier"));
                json!(told.as_ref().map(literal).transpose()?)
            }
            Form::Rich => {
                let xml = literal(first)?;
                well_formed(&xml).map_err(bad)?;
                json!(xml)
            }
            _ if field.id == "title" => {
                let xml = literal(first)?;
                let text = quick_xml::escape::unescape(&xml).map_err(|e| bad(e.to_string()))?;
                json!(text)
            }
            _ => json!(literal(first)?),
        };
        values.insert(field.id.into(), value);
    }
    let mut links = Vec::new();
    for (word, _) in LINKS {
        for object in graph.objects_for_subject_predicate(subject, &term(word)) {
            let TermRef::NamedNode(end) = object else {
                return Err((word.into(), "a link leads to an address".into()));
            };
            links.push(match own(&object, base, "/rm/r/") {
                Some(id) => Link { word: word.into(), kind: "requirement".into(), id, url: String::new() },
                None => Link { word: word.into(), url: end.as_str().into(), ..Link::default() },
            });
        }
    }
    links.sort_by(|a, b| (&a.word, &a.id, &a.url).cmp(&(&b.word, &b.id, &b.url)));
    Ok((values, links))
}

/// The last part of an address of this server.
fn own(term: &TermRef<'_>, base: &str, path: &str) -> Option<String> {
    match term {
        TermRef::NamedNode(n) => Some(n.as_str().strip_prefix(base)?.strip_prefix(path)?.to_owned()),
        _ => None,
    }
}

fn well_formed(xml: &str) -> Result<(), String> {
    let mut reader = quick_xml::Reader::from_str(xml);
    loop {
        match reader.read_event() {
            Ok(quick_xml::events::Event::Eof) => return Ok(()),
            Ok(_) => {}
            Err(e) => return Err(format!("it is no XML: {e}")),
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Syntax {
    Turtle,
    RdfXml,
    JsonLd,
}

const SYNTAXES: [(&str, Syntax); 4] = [
    ("text/turtle", Syntax::Turtle),
    ("application/rdf+xml", Syntax::RdfXml),
    ("application/ld+json", Syntax::JsonLd),
    ("application/xml", Syntax::RdfXml),
];

impl Syntax {
    pub fn of(media_type: &str) -> Option<Syntax> {
        let plain = media_type.split(';').next().unwrap_or_default().trim();
        SYNTAXES.iter().find(|(name, _)| *name == plain).map(|(_, s)| *s)
    }

    /// The syntax that is liked best by its quality (RFC 9110 §12.5.1); Turtle if all are welcome.
    pub fn wanted(headers: &HeaderMap) -> Option<Syntax> {
        let accept = headers.get(ACCEPT).and_then(|v| v.to_str().ok()).unwrap_or("*/*");
        let mut best: Option<(f32, Syntax)> = None;
        for part in accept.split(',') {
            let (name, rest) = part.trim().split_once(';').unwrap_or((part.trim(), ""));
            let quality = rest.trim().strip_prefix("q=").and_then(|q| q.parse().ok()).unwrap_or(1.0);
            let found = if name.trim() == "*/*" { Some(Syntax::Turtle) } else { Syntax::of(name) };
            if let Some(syntax) = found
                && best.is_none_or(|(q, _)| quality > q)
            {
                best = Some((quality, syntax));
            }
        }
        best.map(|(_, syntax)| syntax)
    }

    pub fn media_type(self) -> &'static str {
        match self {
            Syntax::Turtle => "text/turtle",
            Syntax::RdfXml => "application/rdf+xml",
            Syntax::JsonLd => "application/ld+json",
        }
    }
}

pub fn read(bytes: &[u8], syntax: Syntax, base: &str) -> Result<Graph, String> {
    fn all<E: std::fmt::Display>(triples: impl Iterator<Item = Result<Triple, E>>) -> Result<Graph, String> {
        let mut graph = Graph::new();
        for triple in triples {
            graph.insert(&triple.map_err(|e| e.to_string())?);
        }
        Ok(graph)
    }
    let bad = |e: oxrdf::IriParseError| e.to_string();
    match syntax {
        Syntax::Turtle => all(oxttl::TurtleParser::new().with_base_iri(base).map_err(bad)?.for_slice(bytes)),
        Syntax::RdfXml => all(oxrdfxml::RdfXmlParser::new().with_base_iri(base).map_err(bad)?.for_slice(bytes)),
        Syntax::JsonLd => {
            let parser = oxjsonld::JsonLdParser::new().with_base_iri(base).map_err(bad)?;
            all(parser.for_slice(bytes).map(|quad| quad.map(Triple::from)))
        }
    }
}

pub fn write(graph: &Graph, syntax: Syntax) -> Result<Vec<u8>, String> {
    let mut triples: Vec<Triple> = graph.iter().map(|t| t.into_owned()).collect();
    triples.sort_by_cached_key(|t| (t.subject.to_string(), t.predicate.to_string()));
    let bad = |e: oxrdf::IriParseError| e.to_string();
    let failed = |e: std::io::Error| e.to_string();
    match syntax {
        Syntax::Turtle => {
            let mut out = oxttl::TurtleSerializer::new();
            for (prefix, iri) in PREFIXES {
                out = out.with_prefix(prefix, iri).map_err(bad)?;
            }
            let mut out = out.for_writer(Vec::new());
            triples.iter().try_for_each(|t| out.serialize_triple(t)).map_err(failed)?;
            out.finish().map_err(failed)
        }
        Syntax::RdfXml => {
            let mut out = oxrdfxml::RdfXmlSerializer::new();
            for (prefix, iri) in PREFIXES {
                out = out.with_prefix(prefix, iri).map_err(bad)?;
            }
            let mut out = out.for_writer(Vec::new());
            triples.iter().try_for_each(|t| out.serialize_triple(t)).map_err(failed)?;
            out.finish().map_err(failed)
        }
        Syntax::JsonLd => {
            let mut out = oxjsonld::JsonLdSerializer::new();
            for (prefix, iri) in PREFIXES {
                out = out.with_prefix(prefix, iri).map_err(bad)?;
            }
            let mut out = out.for_writer(Vec::new());
            for t in &triples {
                out.serialize_quad(QuadRef::new(&t.subject, &t.predicate, &t.object, GraphNameRef::DefaultGraph))
                    .map_err(failed)?;
            }
            out.finish().map_err(failed)
        }
    }
}

/// A link word for a person; see [`LINKS`].
pub fn shown_link(word: &str) -> &'static str {
    LINKS.iter().find(|(w, _)| *w == word).map_or("", |(_, label)| label)
}
