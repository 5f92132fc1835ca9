"""Reads RDF with rdflib, a library that Hovrel does not use, and says whether texts say the same.

Standard input: a JSON list of groups; a group is a list of [media type, base address, text]. All texts of a
group must be isomorphic graphs (RDF 1.1 Concepts, section 3.6) with at least one triple. Standard output:
one line per group with its number of triples.
"""

import json
import sys

from rdflib import Graph
from rdflib.compare import isomorphic, graph_diff

FORMATS = {"text/turtle": "turtle", "application/rdf+xml": "xml", "application/ld+json": "json-ld"}

for group in json.load(sys.stdin):
    graphs = []
    for media_type, base, text in group:
        graph = Graph()
        graph.parse(data=text, format=FORMATS[media_type], publicID=base)
        graphs.append(graph)
    first = graphs[0]
    for other in graphs[1:]:
        if not isomorphic(first, other):
            _, left, right = graph_diff(first, other)
            sys.exit(f"not the same:\n{left.serialize()}\n---\n{right.serialize()}")
    if len(first) == 0:
        sys.exit("nothing is said")
    print(len(first))
