//! The published vocabularies: OSLC Core 3.0, Requirements Management 2.1, Quality Management 2.1, Change
//! Management 3.0 (OASIS), Dublin Core terms, FOAF; and what their types and properties are here.

use hovrel_core::model::{Kind, LinkType};
use oxrdf::NamedNodeRef;

const fn node(iri: &'static str) -> NamedNodeRef<'static> {
    NamedNodeRef::new_unchecked(iri)
}

pub const OSLC: &str = "http://open-services.net/ns/core#";
pub const RM: &str = "http://open-services.net/ns/rm#";
pub const QM: &str = "http://open-services.net/ns/qm#";
pub const CM: &str = "http://open-services.net/ns/cm#";
pub const DCTERMS: &str = "http://purl.org/dc/terms/";
pub const FOAF: &str = "http://xmlns.com/foaf/0.1/";

/// Prefixes for what is written.
pub const PREFIXES: [(&str, &str); 6] =
    [("oslc", OSLC), ("oslc_rm", RM), ("oslc_qm", QM), ("oslc_cm", CM), ("dcterms", DCTERMS), ("foaf", FOAF)];

macro_rules! oslc {
    ($($name:ident = $term:literal),* $(,)?) => {
        $(pub const $name: NamedNodeRef<'static> = node(concat!("http://open-services.net/ns/core#", $term));)*
    };
}

oslc! {
    CATALOGUE = "ServiceProviderCatalog", NESTED_CATALOGUE = "serviceProviderCatalog",
    PROVIDER = "ServiceProvider", HAS_PROVIDER = "serviceProvider",
    SERVICE = "service", CREATION_FACTORY = "creationFactory", CREATION = "creation",
    QUERY_CAPABILITY = "queryCapability", QUERY_BASE = "queryBase",
    RESOURCE_TYPE = "resourceType", RESOURCE_SHAPE = "resourceShape",
    RESPONSE_INFO = "ResponseInfo", NEXT_PAGE = "nextPage", TOTAL_COUNT = "totalCount",
    PROPERTY = "property", NAME = "name", PROPERTY_DEFINITION = "propertyDefinition", OCCURS = "occurs",
    VALUE_TYPE = "valueType", RANGE = "range", READ_ONLY = "readOnly", MAX_SIZE = "maxSize",
    ALLOWED_VALUE = "allowedValue", ALLOWED_VALUES = "allowedValues",
    EXACTLY_ONE = "Exactly-one", ONE_OR_MANY = "One-or-many", ZERO_OR_MANY = "Zero-or-many",
    MESSAGE = "message", DISCUSSED_BY = "discussedBy", COMMENT = "comment",
}

pub const TITLE: NamedNodeRef<'static> = node("http://purl.org/dc/terms/title");
pub const DESCRIPTION: NamedNodeRef<'static> = node("http://purl.org/dc/terms/description");
pub const IDENTIFIER: NamedNodeRef<'static> = node("http://purl.org/dc/terms/identifier");
pub const SOURCE: NamedNodeRef<'static> = node("http://purl.org/dc/terms/source");
pub const CREATED: NamedNodeRef<'static> = node("http://purl.org/dc/terms/created");
pub const CREATOR: NamedNodeRef<'static> = node("http://purl.org/dc/terms/creator");
pub const MODIFIED: NamedNodeRef<'static> = node("http://purl.org/dc/terms/modified");
pub const CONTRIBUTOR: NamedNodeRef<'static> = node("http://purl.org/dc/terms/contributor");
pub const HAS_VERSION: NamedNodeRef<'static> = node("http://purl.org/dc/terms/hasVersion");
/// PROV-O (W3C 2013): when a version came to be, and who made it.
pub const GENERATED_AT: NamedNodeRef<'static> = node("http://www.w3.org/ns/prov#generatedAtTime");
pub const ATTRIBUTED_TO: NamedNodeRef<'static> = node("http://www.w3.org/ns/prov#wasAttributedTo");
pub const MEMBER: NamedNodeRef<'static> = node("http://www.w3.org/2000/01/rdf-schema#member");
pub const LABEL: NamedNodeRef<'static> = node("http://www.w3.org/2000/01/rdf-schema#label");
pub const PERSON: NamedNodeRef<'static> = node("http://xmlns.com/foaf/0.1/Person");
pub const PERSON_NAME: NamedNodeRef<'static> = node("http://xmlns.com/foaf/0.1/name");
pub const PERSON_MAIL: NamedNodeRef<'static> = node("http://xmlns.com/foaf/0.1/mbox");
pub const PERSON_NICK: NamedNodeRef<'static> = node("http://xmlns.com/foaf/0.1/nick");

/// What a type of resource is here.
pub fn kind(type_iri: &str) -> Option<Kind> {
    if let Some(term) = type_iri.strip_prefix(RM) {
        return match term {
            "Requirement" => Some(Kind::Requirement),
            "RequirementCollection" => Some(Kind::Folder),
            _ => None,
        };
    }
    if let Some(term) = type_iri.strip_prefix(QM) {
        return match term {
            "TestCase" => Some(Kind::TestCase),
            "TestPlan" => Some(Kind::TestSuite),
            "TestExecutionRecord" => Some(Kind::Execution),
            "TestResult" => Some(Kind::Result),
            _ => None,
        };
    }
    match type_iri.strip_prefix(CM)? {
        "ChangeRequest" | "Defect" => Some(Kind::Defect),
        _ => None,
    }
}

/// The link types that have a property of their own; several properties may say the same.
const LINKS: [(&str, &str, LinkType); 18] = [
    (RM, "decomposes", LinkType::Decomposes),
    (RM, "decomposedBy", LinkType::DecomposedBy),
    (RM, "validatedBy", LinkType::VerifiedBy),
    (RM, "affectedBy", LinkType::AffectedBy),
    (QM, "validatesRequirement", LinkType::Verifies),
    (QM, "validatesRequirementCollection", LinkType::Verifies),
    (QM, "testsChangeRequest", LinkType::Verifies),
    (QM, "relatedChangeRequest", LinkType::RelatesTo),
    (QM, "affectedByChangeRequest", LinkType::AffectedBy),
    (CM, "affectsRequirement", LinkType::Affects),
    (CM, "affectsTestResult", LinkType::Affects),
    (CM, "affectedByDefect", LinkType::AffectedBy),
    (CM, "implementsRequirement", LinkType::Implements),
    (CM, "testedByTestCase", LinkType::VerifiedBy),
    (CM, "relatedTestCase", LinkType::RelatesTo),
    (CM, "relatedChangeRequest", LinkType::RelatesTo),
    (DCTERMS, "relation", LinkType::RelatesTo),
    (DCTERMS, "references", LinkType::RelatesTo),
];

/// The link type that a property says; its own words if it is none of the standard ones.
pub fn link_type(property: &str) -> LinkType {
    let known = |(vocabulary, term, _): &&(&str, &str, LinkType)| property.strip_prefix(*vocabulary) == Some(*term);
    match LINKS.iter().find(known) {
        Some((.., link)) => link.clone(),
        None => LinkType::Other(words(property)),
    }
}

/// `elaboratedBy` in words: “elaborated by”.
fn words(iri: &str) -> String {
    let term = iri.rsplit(['#', '/']).next().unwrap_or(iri);
    let mut out = String::new();
    for c in term.chars() {
        if c.is_uppercase() {
            out.push(' ');
        }
        out.extend(c.to_lowercase());
    }
    out.trim().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn types_and_properties_have_one_meaning() {
        assert_eq!(kind("http://open-services.net/ns/rm#Requirement"), Some(Kind::Requirement));
        assert_eq!(kind("http://open-services.net/ns/qm#TestResult"), Some(Kind::Result));
        assert_eq!(kind("http://open-services.net/ns/rm#Nothing"), None);
        assert_eq!(link_type("http://open-services.net/ns/qm#validatesRequirement"), LinkType::Verifies);
        let other = LinkType::Other("elaborated by".into());
        assert_eq!(link_type("http://open-services.net/ns/rm#elaboratedBy"), other);
    }
}
