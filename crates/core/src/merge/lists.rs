//! Two edits of a list whose parts may be rewritten: steps, blocks of a text, rows of a table.
//!
//! Decides which parts are which by their likeness, puts two edits of one part together by what it is made of, and lets a
//! part that one edit moved be rewritten by the other. What one edit did alone is as that edit left it. Two edits clash
//! that touch each other: a rewritten part and a removed one, two moves of one, two insertions at one place.

use super::align::{EQUAL, FLOOR, align};
use super::words::Words;

/// What the parts of a list are.
pub(super) struct Parts<'p, T> {
    /// By what they are alike.
    pub words: &'p dyn Fn(&T) -> Words,
    /// What two edits of one part make of it together.
    pub merge: &'p dyn Fn(&T, &T, &T) -> Option<T>,
}

/// A stretch of a list that two edits touched, or not.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Stretch<T> {
    /// What both edits make of it together.
    Made(Vec<T>),
    /// Both changed it, and differently: what it was, and what it is after each of them.
    Clash([Vec<T>; 3]),
}

/// What both edits make of a list; none where they clash.
pub(super) fn merge<T: Clone + PartialEq>(base: &[T], one: &[T], other: &[T], parts: &Parts<'_, T>) -> Option<Vec<T>> {
    if let Some(whole) = three(base, one, other) {
        return Some(whole.to_vec());
    }
    let places = [aligned(base, one, parts.words)?, aligned(base, other, parts.words)?];
    let (mut one, mut other) = (one.to_vec(), other.to_vec());
    let moved = [moves(base, &one, &places[0]), moves(base, &other, &places[1])];
    let perhaps_moved = [perhaps_moved(base, &one, &places[0], parts), perhaps_moved(base, &other, &places[1], parts)];
    let mut twice = Vec::new();
    for (n, part) in base.iter().enumerate() {
        match [0, 1].map(|edit| (moved[edit][n], places[edit][n])) {
            [(Some(_), _), (Some(_), _)] => twice.push(part),
            // The other edit of it goes where it was moved to.
            [(Some(to), _), (_, Some(at))] => one[to] = std::mem::replace(&mut other[at], part.clone()),
            [(_, Some(at)), (Some(to), _)] => other[to] = std::mem::replace(&mut one[at], part.clone()),
            [(Some(_), _), _] | [_, (Some(_), _)] => return None,
            // Each may have moved and rewritten it: then it would be there twice.
            [(_, None), (_, None)] if perhaps_moved.iter().all(|edit| edit[n]) => return None,
            _ => {}
        }
    }
    let out = put_together(base, &one, &other, &places, parts)?;
    // Both moved it: it may not be at both places.
    let times = |list: &[T], part: &T| list.iter().filter(|p| *p == part).count();
    let once = |part: &&T| times(&out, part) <= times(&one, part).max(times(&other, part));
    twice.iter().all(once).then_some(out)
}

/// Where each of the `old` parts is among the `new` ones, by the words that both say; see [`align`].
pub(super) fn aligned<T: PartialEq>(old: &[T], new: &[T], words: &dyn Fn(&T) -> Words) -> Option<Vec<Option<usize>>> {
    let said = [old, new].map(|list| list.iter().map(words).collect::<Vec<_>>());
    align(old.len(), new.len(), |i, j| if old[i] == new[j] { EQUAL } else { said[0][i].likeness(&said[1][j]) })
}

/// For each of the `new` parts, which of the `old` ones it is: as it was, wherever it stands now, or rewritten. None if
/// there are too many of them.
pub(super) fn kept<T: PartialEq>(old: &[T], new: &[T], words: &dyn Fn(&T) -> Words) -> Option<Vec<Option<usize>>> {
    let mut out = vec![None; new.len()];
    let places = aligned(old, new, words)?;
    for (n, at) in places.iter().enumerate() {
        if let Some(at) = at {
            out[*at] = Some(n);
        }
    }
    // Of equal ones it makes no difference which is which, but for how they are written.
    let mut left: Vec<usize> = (0..old.len()).filter(|n| places[*n].is_none()).collect();
    for (part, from) in new.iter().zip(&mut out).filter(|(_, from)| from.is_none()) {
        *from = left.iter().position(|n| old[*n] == *part).map(|found| left.remove(found));
    }
    Some(out)
}

/// A list and what two edits made of it, stretch by stretch.
pub(super) fn stretches<T: Clone + PartialEq>(
    [base, one, other]: [&[T]; 3],
    parts: &Parts<'_, T>,
) -> Option<Vec<Stretch<T>>> {
    let places = [aligned(base, one, parts.words)?, aligned(base, other, parts.words)?];
    let mut out = Vec::new();
    let mut at = [0, 0, 0];
    for found in in_all(&places, [base.len(), one.len(), other.len()]) {
        let [b, o, t] = [0, 1, 2].map(|list| at[list]..found[list]);
        let (b, o, t) = (&base[b], &one[o], &other[t]);
        out.push(match three(b, o, t) {
            Some(made) => Stretch::Made(made.to_vec()),
            None => Stretch::Clash([b.to_vec(), o.to_vec(), t.to_vec()]),
        });
        if let (Some(b), Some(o), Some(t)) = (base.get(found[0]), one.get(found[1]), other.get(found[2])) {
            out.push(match three(b, o, t).cloned().or_else(|| (parts.merge)(b, o, t)) {
                Some(part) => Stretch::Made(vec![part]),
                None => Stretch::Clash([vec![b.clone()], vec![o.clone()], vec![t.clone()]]),
            });
        }
        at = found.map(|n| n + 1);
    }
    Some(out)
}

/// The places of the parts that all three lists have, and the ends of the lists behind them.
fn in_all(places: &[Vec<Option<usize>>; 2], ends: [usize; 3]) -> Vec<[usize; 3]> {
    let found = (0..ends[0]).filter_map(|n| Some([n, places[0][n]?, places[1][n]?]));
    found.chain([ends]).collect()
}

fn put_together<T: Clone + PartialEq>(
    base: &[T],
    one: &[T],
    other: &[T],
    places: &[Vec<Option<usize>>; 2],
    parts: &Parts<'_, T>,
) -> Option<Vec<T>> {
    let mut out = Vec::new();
    let mut at = [0, 0, 0];
    for found in in_all(places, [base.len(), one.len(), other.len()]) {
        let [b, o, t] = [0, 1, 2].map(|list| at[list]..found[list]);
        out.extend_from_slice(three(&base[b], &one[o], &other[t])?);
        if let (Some(b), Some(o), Some(t)) = (base.get(found[0]), one.get(found[1]), other.get(found[2])) {
            out.push(match three(b, o, t) {
                Some(part) => part.clone(),
                None => (parts.merge)(b, o, t)?,
            });
        }
        at = found.map(|n| n + 1);
    }
    Some(out)
}

/// What both edits make of lists whose places are fixed, such as the cells of a row; none of different lengths.
pub(super) fn place_by_place<T>(
    base: &[T],
    one: &[T],
    other: &[T],
    merge: impl Fn(&T, &T, &T) -> Option<T>,
) -> Option<Vec<T>> {
    if base.len() != one.len() || base.len() != other.len() {
        return None;
    }
    base.iter().zip(one.iter().zip(other)).map(|(b, (o, t))| merge(b, o, t)).collect()
}

/// What both edits make of what has no parts: none if they differ.
pub(super) fn three<'t, T: PartialEq + ?Sized>(base: &'t T, one: &'t T, other: &'t T) -> Option<&'t T> {
    if one == other || other == base {
        Some(one)
    } else if one == base {
        Some(other)
    } else {
        None
    }
}

/// Whether a part that an edit took out may be one that it put in somewhere else, rewritten.
fn perhaps_moved<T: PartialEq>(base: &[T], list: &[T], places: &[Option<usize>], parts: &Parts<'_, T>) -> Vec<bool> {
    let (gone, new) = out_and_in(base, list, places);
    let said: Vec<Words> = new.iter().map(|at| (parts.words)(&list[*at])).collect();
    let mut out = vec![false; base.len()];
    for n in gone {
        let words = (parts.words)(&base[n]);
        out[n] = said.iter().any(|new| words.likeness(new) >= FLOOR);
    }
    out
}

/// The places of the parts that an edit took out of the old list, and of those that it put into the new one.
fn out_and_in<T>(base: &[T], list: &[T], places: &[Option<usize>]) -> (Vec<usize>, Vec<usize>) {
    let gone = (0..base.len()).filter(|n| places[*n].is_none()).collect();
    (gone, (0..list.len()).filter(|at| !places.contains(&Some(*at))).collect())
}

/// Where the parts went that stand as they were at another place: of those of which there is one alone.
fn moves<T: PartialEq>(base: &[T], list: &[T], places: &[Option<usize>]) -> Vec<Option<usize>> {
    let (gone, new) = out_and_in(base, list, places);
    let mut out = vec![None; base.len()];
    for &n in &gone {
        let mut alike = new.iter().filter(|at| list[**at] == base[n]);
        let alone = gone.iter().filter(|other| base[**other] == base[n]).count() == 1;
        if let (true, Some(at), None) = (alone, alike.next(), alike.next()) {
            out[n] = Some(*at);
        }
    }
    out
}
