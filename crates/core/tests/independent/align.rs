//! Which parts of two lists are which, beside Biopython's pairwise aligner (`align.py`): the pairs that every best alignment has.

use hovrel_core::merge::{EQUAL, align};

/// Pseudo-random numbers, the same each time (Marsaglia 2003, “Xorshift RNGs”).
struct Numbers(u64);

impl Numbers {
    fn below(&mut self, bound: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0 % bound
    }
}

/// A planted fault: an aligner that takes one of several best alignments.
fn with_a_tie_taken(likeness: &[Vec<u32>]) -> Vec<(usize, usize)> {
    let (old, new) = (likeness.len(), likeness[0].len());
    let alike = |i: usize, j: usize| Some(likeness[i][j]).filter(|like| *like >= 600);
    let mut best = vec![vec![0; new + 1]; old + 1];
    for i in (0..old).rev() {
        for j in (0..new).rev() {
            let with = alike(i, j).map_or(0, |like| best[i + 1][j + 1] + like);
            best[i][j] = with.max(best[i + 1][j]).max(best[i][j + 1]);
        }
    }
    let (mut i, mut j, mut out) = (0, 0, Vec::new());
    while i < old && j < new {
        if alike(i, j).is_some_and(|like| best[i][j] == best[i + 1][j + 1] + like) {
            out.push((i, j));
            (i, j) = (i + 1, j + 1);
        } else if best[i][j] == best[i + 1][j] {
            i += 1;
        } else {
            j += 1;
        }
    }
    out
}

#[test]
fn an_alignment_is_what_all_the_best_ones_have_in_common() {
    let mut numbers = Numbers(0x5ca1_ab1e);
    let cases: Vec<Vec<Vec<u32>>> = (0..400)
        .map(|_| {
            let (old, new) = (1 + numbers.below(5), 1 + numbers.below(5));
            // Few different likenesses, so that alignments are often equally good.
            let mut like = || [0, 500, 599, 600, 700, 800, EQUAL, EQUAL][numbers.below(8) as usize];
            (0..old).map(|_| (0..new).map(|_| like()).collect()).collect()
        })
        .collect();
    let told = super::told_by("align.py", cases.iter().map(|case| serde_json::json!(case)));
    assert_eq!(told.lines().count(), cases.len());
    let (mut uncertain, mut found_out) = (0, 0);
    for (likeness, told) in cases.iter().zip(told.lines()) {
        let theirs: Vec<(usize, usize)> = serde_json::from_str(told).expect("pairs");
        let found = align(likeness.len(), likeness[0].len(), |i, j| likeness[i][j]).expect("they are short");
        let ours: Vec<(usize, usize)> = found.iter().enumerate().filter_map(|(i, j)| Some((i, (*j)?))).collect();
        assert_eq!(ours, theirs, "{likeness:?}");
        found_out += usize::from(with_a_tie_taken(likeness) != theirs);
        uncertain += usize::from(ours.len() < likeness.len().min(likeness[0].len()));
    }
    assert!(found_out > 50, "a tie that is taken is found in {found_out} cases");
    assert!((100..390).contains(&uncertain), "{uncertain} of {} had several best alignments or none", cases.len());
}
