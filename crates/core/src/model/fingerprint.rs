//! Fingerprints: what stands for a value where only a change of it matters, in the database too.
//!
//! Decides how a thing becomes bytes, and which hash is taken of them: BLAKE3 over JSON in one form, which neither the
//! compiler nor the order of a type's fields decides. The number of that form goes with every fingerprint, so that one
//! of another form is told from one of another value. What an item holds has a form of its own: see `named_values`.

use std::cell::{Cell, RefCell};
use std::hash::{Hash, Hasher};
use std::io;
use std::rc::Rc;

use serde::{Serialize, Serializer};

/// The form in which things are hashed as JSON.
pub const FORM: u8 = 1;

/// Room that is kept for what is hashed next; what needs more gives it back.
const KEPT_ROOM: usize = 256 * 1024;

thread_local! {
    static ROOM: Cell<Vec<u8>> = const { Cell::new(Vec::new()) };
}

/// Bytes of a hash that stand in a short fingerprint.
const SHORT: usize = 12;

/// BLAKE3 over the canonical JSON of a thing, behind the number of the form. Equal things have equal fingerprints.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint([u8; 33]);

impl Fingerprint {
    /// The digest of something, over its canonical JSON (RFC 8785).
    pub fn of<T: Serialize + ?Sized>(thing: &T) -> Fingerprint {
        Fingerprint::of_bytes(FORM, |out| *out = write_canonical(thing, std::mem::take(out)))
    }

    /// Of the bytes that a thing has in a form. They are written to an empty list, whose room is used again and again:
    /// a hundred thousand lists of that size cost more than what is done with them.
    pub(super) fn of_bytes(form: u8, write: impl FnOnce(&mut Vec<u8>)) -> Fingerprint {
        ROOM.with(|room| {
            let mut bytes = room.take();
            write(&mut bytes);
            let mut out = [form; 33];
            out[1..].copy_from_slice(blake3::hash(&bytes).as_bytes());
            bytes.clear();
            bytes.shrink_to(KEPT_ROOM);
            room.set(bytes);
            Fingerprint(out)
        })
    }

    /// The fingerprint of a map with these entries, without collecting them.
    pub fn of_map<K: Serialize, V: Serialize>(entries: impl Iterator<Item = (K, V)>) -> Fingerprint {
        Fingerprint::of(&Entries(RefCell::new(Some(entries))))
    }

    /// As it is kept in the database.
    pub fn as_bytes(&self) -> &[u8; 33] {
        &self.0
    }

    /// One that was kept. Bytes that are none are a fingerprint of nothing.
    pub fn from_bytes(bytes: &[u8]) -> Fingerprint {
        Fingerprint(bytes.try_into().unwrap_or([0; 33]))
    }

    /// As a short text, with the form in front: `1:` and 24 hexadecimal digits.
    pub fn short(&self) -> String {
        format!("{}:{}", self.0[0], hex::encode(&self.0[1..=SHORT]))
    }
}

impl std::fmt::Debug for Fingerprint {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.short())
    }
}

/// How a short fingerprint was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ShortForm {
    /// The form in which digests are made now.
    Now,
    /// By the standard library's `Hash`, before forms had numbers: 12 hexadecimal digits. Older databases hold these for
    /// comments that were carried, for rules and for plans.
    Former,
}

impl ShortForm {
    /// The form of a text that may be a short fingerprint; none if it is something else.
    pub fn of_text(text: &str) -> Option<ShortForm> {
        let is = |digits: &str, many| digits.len() == many && digits.bytes().all(|b| b.is_ascii_hexdigit());
        match text.split_once(':') {
            Some((form, digits)) => (form == FORM.to_string() && is(digits, 2 * SHORT)).then_some(ShortForm::Now),
            None => is(text, 12).then_some(ShortForm::Former),
        }
    }

    /// The form of one that was kept.
    pub fn of_kept(kept: &str) -> ShortForm {
        if kept.contains(':') { ShortForm::Now } else { ShortForm::Former }
    }

    /// The short digest of something, in this form.
    pub fn of<T: Serialize + Hash + ?Sized>(self, thing: &T) -> String {
        match self {
            ShortForm::Now => Fingerprint::of(thing).short(),
            ShortForm::Former => former(thing),
        }
    }

    /// Of a thing as it was hashed as JSON from the beginning.
    pub fn of_json<T: Serialize + ?Sized>(self, thing: &T) -> String {
        match self {
            ShortForm::Now => Fingerprint::of(thing).short(),
            ShortForm::Former => former(&serde_json::to_string(thing).unwrap_or_default()),
        }
    }
}

fn former<T: Hash + ?Sized>(thing: &T) -> String {
    let mut bytes = Gathered(Vec::new());
    thing.hash(&mut bytes);
    hex::encode(&blake3::hash(&bytes.0).as_bytes()[..6])
}

struct Gathered(Vec<u8>);

impl Hasher for Gathered {
    fn write(&mut self, bytes: &[u8]) {
        self.0.extend_from_slice(bytes);
    }

    fn finish(&self) -> u64 {
        // Only the bytes are read; the 64-bit form exists to satisfy the trait.
        0
    }
}

/// Entries that are written as a map, once.
struct Entries<I>(RefCell<Option<I>>);

impl<K: Serialize, V: Serialize, I: Iterator<Item = (K, V)>> Serialize for Entries<I> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.0.take().into_iter().flatten())
    }
}

/// JSON in the one form that is hashed: as RFC 8785 has it, without spaces and with the members of an object in order,
/// but for two things. Whole numbers are written whole, since a double does not hold all of them; and members are in
/// the order of the bytes in which their names are written.
pub fn canonical<T: Serialize + ?Sized>(thing: &T) -> Vec<u8> {
    write_canonical(thing, Vec::new())
}

/// Canonical JSON, in the room of a list that is empty.
fn write_canonical<T: Serialize + ?Sized>(thing: &T, room: Vec<u8>) -> Vec<u8> {
    let written = Rc::new(RefCell::new(room));
    let mut serializer = serde_json::Serializer::with_formatter(
        Sink(written.clone()),
        Ordered { written: written.clone(), members: vec![], open: vec![] },
    );
    // Nothing that the model holds can't be JSON: what could not would be hashed as far as it was written.
    let _ = thing.serialize(&mut serializer);
    drop(serializer);
    Rc::into_inner(written).map(RefCell::into_inner).unwrap_or_default()
}

/// What was written, shared with [`Ordered`].
struct Sink(Rc<RefCell<Vec<u8>>>);

impl io::Write for Sink {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.borrow_mut().extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Where a member of an object that is being written begins, where its name ends and where it ends itself.
#[derive(Clone, Copy, Default)]
struct Member {
    begin: usize,
    named: usize,
    end: usize,
}

impl Member {
    /// Its name as it is written, without the quotation marks around it.
    fn name<'w>(&self, written: &'w [u8]) -> &'w [u8] {
        written.get(self.begin + 1..self.named.saturating_sub(1)).unwrap_or_default()
    }
}

/// Puts the members of each object in order when it is whole.
struct Ordered {
    written: Rc<RefCell<Vec<u8>>>,
    /// The members of the objects that are being written, those of the innermost last.
    members: Vec<Member>,
    /// Where the members of each of these objects begin.
    open: Vec<usize>,
}

impl Ordered {
    fn here(&self) -> usize {
        self.written.borrow().len()
    }

    fn member(&mut self) -> Option<&mut Member> {
        self.members.last_mut()
    }
}

impl serde_json::ser::Formatter for Ordered {
    fn begin_object<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.open.push(self.members.len());
        writer.write_all(b"{")
    }

    fn begin_object_key<W: ?Sized + io::Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        if !first {
            writer.write_all(b",")?;
        }
        let begin = self.here();
        self.members.push(Member { begin, ..Member::default() });
        Ok(())
    }

    fn end_object_key<W: ?Sized + io::Write>(&mut self, _: &mut W) -> io::Result<()> {
        let here = self.here();
        if let Some(member) = self.member() {
            member.named = here;
        }
        Ok(())
    }

    fn end_object_value<W: ?Sized + io::Write>(&mut self, _: &mut W) -> io::Result<()> {
        let here = self.here();
        if let Some(member) = self.member() {
            member.end = here;
        }
        Ok(())
    }

    fn end_object<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        let first = self.open.pop().unwrap_or_default();
        let members = &mut self.members[first..];
        let mut all = self.written.borrow_mut();
        if !members.is_sorted_by(|a, b| a.name(&all) <= b.name(&all)) {
            let begin = members[0].begin;
            members.sort_by(|a, b| a.name(&all).cmp(b.name(&all)));
            let whole: Vec<&[u8]> = members.iter().map(|m| &all[m.begin..m.end]).collect();
            let whole = whole.join(&b',');
            all.truncate(begin);
            all.extend_from_slice(&whole);
        }
        drop(all);
        self.members.truncate(first);
        writer.write_all(b"}")
    }
}
