"""Alignments by Biopython's pairwise aligner, which Hovrel does not use: for each list of likenesses, the pairs that all the
best global alignments have in common. A line of JSON in, a line of JSON out."""

import json
import sys

from Bio.Align import PairwiseAligner, substitution_matrices

NEVER = -1e6
FLOOR = 600


def certain(likeness):
    old, new = len(likeness), len(likeness[0])
    ours = "".join(chr(ord("A") + i) for i in range(old))
    theirs = "".join(chr(ord("a") + j) for j in range(new))
    scores = substitution_matrices.Array(alphabet=ours + theirs, dims=2)
    scores[:, :] = NEVER
    for i, row in enumerate(likeness):
        for j, like in enumerate(row):
            if like >= FLOOR:
                scores[ours[i], theirs[j]] = like
    aligner = PairwiseAligner(mode="global")
    aligner.gap_score = 0
    aligner.substitution_matrix = scores
    common = None
    for alignment in aligner.align(ours, theirs):
        pairs = set()
        for (begin, end), (other, _) in zip(*alignment.aligned):
            pairs |= {(int(begin) + n, int(other) + n) for n in range(int(end - begin))}
        common = pairs if common is None else common & pairs
    return sorted(common or [])


for line in sys.stdin:
    print(json.dumps(certain(json.loads(line))), flush=True)
