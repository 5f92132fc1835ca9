//! YAML files, with the line of each fault.

use serde::de::{DeserializeOwned, MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use serde_json::Value;
use serde_saphyr::Spanned;

use crate::pointer::unescaped;
use crate::{Fault, FileFault, parse};

/// Reads a file. What is no YAML is told alone, with its line; faults of form are all told, in the order of lines.
pub fn read_yaml<T: DeserializeOwned>(text: &str) -> Result<T, Vec<FileFault>> {
    let value: Value = serde_saphyr::from_str(text).map_err(|e| {
        let line = e.location().map_or(1, |l| l.line());
        // In words for who wrote the file, and not for who wrote the program that reads it.
        let detail = e.without_snippet().render_with_formatter(&serde_saphyr::UserMessageFormatter);
        vec![FileFault { line, fault: Fault { pointer: String::new(), detail } }]
    })?;
    parse(value).map_err(|faults| lines_of(text, faults))
}

/// The faults with the lines that they are in, in the order of lines.
pub fn lines_of(text: &str, faults: Vec<Fault>) -> Vec<FileFault> {
    let tree: Option<Placed> = serde_saphyr::from_str(text).ok();
    let line = |f: &Fault| tree.as_ref().map_or(1, |t| line_of(t, &f.pointer));
    let mut faults: Vec<FileFault> = faults.into_iter().map(|fault| FileFault { line: line(&fault), fault }).collect();
    faults.sort_by_key(|f| f.line);
    faults
}

/// The line of what a JSON Pointer (RFC 6901) leads to, or of the last thing on the way that is there.
fn line_of(tree: &Placed, pointer: &str) -> u64 {
    let (mut at, mut found) = (tree, tree.line);
    for part in pointer.split('/').skip(1) {
        let name = unescaped(part);
        let next = match &at.node {
            Node::Map(map) => map.iter().find(|(key, _)| key.value == name).map(|(key, value)| (line(key), value)),
            Node::List(list) => name.parse().ok().and_then(|n: usize| list.get(n)).map(|node| (node.line, node)),
            Node::Scalar => None,
        };
        let Some((place, node)) = next else { break };
        (at, found) = (node, place);
    }
    found
}

/// A part of a file, and the line where it begins: of what an alias stands for, where that is written.
struct Placed {
    line: u64,
    node: Node,
}

enum Node {
    Map(Vec<(Spanned<String>, Placed)>),
    List(Vec<Placed>),
    Scalar,
}

fn line<T>(spanned: &Spanned<T>) -> u64 {
    spanned.defined.line()
}

impl<'de> Deserialize<'de> for Placed {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Placed, D::Error> {
        let spanned = Spanned::<Node>::deserialize(deserializer)?;
        Ok(Placed { line: line(&spanned), node: spanned.value })
    }
}

impl<'de> Deserialize<'de> for Node {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Node, D::Error> {
        deserializer.deserialize_any(NodeVisitor)
    }
}

struct NodeVisitor;

impl<'de> Visitor<'de> for NodeVisitor {
    type Value = Node;

    fn expecting(&self, to: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        to.write_str("anything")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Node, A::Error> {
        let mut out = Vec::new();
        while let Some(member) = map.next_entry()? {
            out.push(member);
        }
        Ok(Node::Map(out))
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Node, A::Error> {
        let mut out = Vec::new();
        while let Some(node) = list.next_element()? {
            out.push(node);
        }
        Ok(Node::List(out))
    }

    fn visit_str<E>(self, _: &str) -> Result<Node, E> {
        Ok(Node::Scalar)
    }

    fn visit_bool<E>(self, _: bool) -> Result<Node, E> {
        Ok(Node::Scalar)
    }

    fn visit_i64<E>(self, _: i64) -> Result<Node, E> {
        Ok(Node::Scalar)
    }

    fn visit_u64<E>(self, _: u64) -> Result<Node, E> {
        Ok(Node::Scalar)
    }

    fn visit_f64<E>(self, _: f64) -> Result<Node, E> {
        Ok(Node::Scalar)
    }

    fn visit_unit<E>(self) -> Result<Node, E> {
        Ok(Node::Scalar)
    }

    fn visit_none<E>(self) -> Result<Node, E> {
        Ok(Node::Scalar)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_found_in_every_form_of_yaml() {
        let text = "\
first: 1
list:
  - a
  - b: {c: true, d: null}
    e: >
      long
anchor: &near
  key: 1.5
  deep:
    one: x
alias: *near
merged:
  <<: *near
  own: y
a/b: z
";
        let tree: Placed = serde_saphyr::from_str(text).expect("it is read");
        for (pointer, line) in [
            ("", 1),
            ("/first", 1),
            ("/list", 2),
            ("/list/0", 3),
            ("/list/1/b", 4),
            ("/list/1/b/d", 4),
            ("/list/1/e", 5),
            ("/anchor/deep/one", 10),
            ("/alias/key", 8),
            ("/merged/own", 14),
            ("/merged/deep/one", 10),
            ("/merged/nothing", 12),
            ("/list/7", 2),
            ("/a~1b", 15),
        ] {
            assert_eq!(line_of(&tree, pointer), line, "{pointer}");
        }
    }

    #[test]
    fn every_fault_is_told_with_its_line_in_their_order() {
        #[derive(serde::Deserialize, Debug)]
        #[serde(deny_unknown_fields)]
        #[allow(dead_code)]
        struct Thing {
            name: String,
            sizes: Vec<u32>,
        }
        let found = read_yaml::<Thing>("sizes: [1, big]\nnome: x\n").expect_err("it is wrong");
        let told: Vec<(u64, &str)> = found.iter().map(|f| (f.line, f.fault.pointer.as_str())).collect();
        assert_eq!(told, [(1, "/sizes/1"), (1, "/name"), (2, "/nome")]);
        let cut = read_yaml::<Thing>("name: x\nsizes: [1, 2").expect_err("it is no YAML");
        assert!(cut.len() == 1 && cut[0].line >= 2, "{cut:?}");
        assert_eq!(read_yaml::<Thing>("name: x\nsizes: [1]").expect("it is read").sizes, [1]);
    }
}
