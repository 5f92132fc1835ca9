//! How much of what comes from outside is taken: sizes, depths, numbers and times, all in one place.
//!
//! Decides no more than where the bounds are. Whoever reads something says what becomes of what is beyond: text without
//! its markup and a declared loss, a finding at the item, or a refusal of the answer. docs/security.md lists them with
//! the tests that stand with them.

use std::ops::RangeInclusive;
use std::time::Duration;

/// Markup nested deeper than this is read as text. Such nesting comes from broken exports, and what reads a document
/// must not run out of stack.
pub const DEEPEST_MARKUP: usize = 60;
/// A document nested deeper than this, counted in objects and lists of its JSON, is kept without what makes it so deep:
/// readers of JSON stop at 128, and the artefact and the plan are around it.
pub const DEEPEST_DOCUMENT: usize = 80;
/// The parser of HTML compares every tag with all elements that are open, so it is not given more than this.
pub const MOST_OPEN_ELEMENTS: usize = 256;
/// The parser of HTML compares every attribute of an element with the others, so it is not given more than this.
pub const MOST_ATTRIBUTES: usize = 1_000;
/// A rich text with more bytes is read as plain text.
pub const LONGEST_MARKUP: usize = 4 * 1024 * 1024;
/// A page inside a page inside a page of HTML is read, one more is not.
pub const PAGES_IN_PAGES: usize = 3;
/// Cells that nobody wrote, in all tables of a text: those that others reach over, and those that fill up short rows. A
/// table that needs more is read as text.
pub const MOST_ADDED_CELLS: usize = 100_000;
/// Losses that are told of one text one by one; of the others their number is told.
pub const MOST_LOSSES: usize = 1_000;
/// Characters that are shown of what was lost.
pub const LONGEST_LOSS: usize = 2_000;

/// An answer of a system that is larger is not read to its end.
pub const LARGEST_ANSWER: usize = 64 * 1024 * 1024;
/// What is read of an answer that refuses: enough for what it says.
pub const LARGEST_REFUSAL: usize = 64 * 1024;
/// Values in one answer; each takes some dozen bytes of memory, though it may be a single one in the answer.
pub const MOST_VALUES: usize = 4_000_000;
/// Statements in one answer of RDF.
pub const MOST_TRIPLES: usize = 1_000_000;
/// An answer nested deeper is refused.
pub const DEEPEST_ANSWER: usize = 100;
/// Pages of one list.
pub const MOST_PAGES: usize = 100_000;
/// Catalogues of projects that lead to one another.
pub const MOST_CATALOGUES: usize = 500;
/// Items of one kind in one project.
pub const MOST_ITEMS: usize = 2_000_000;
/// Bytes of answers that one reading of a project may take in all.
pub const LARGEST_READING: u64 = 4 * 1024 * 1024 * 1024;
/// Folders in one another that are named in a path; of one that stands deeper, the nearest ones.
pub const DEEPEST_FOLDER: usize = 100;
/// Characters of a folder's title that stand in a path.
pub const LONGEST_IN_PATH: usize = 300;
/// Characters of what a lane is called, and of the ids of lanes and rules.
pub const LONGEST_NAME: usize = 100;
/// The longest wait that a system may ask for.
pub const LONGEST_WAIT: Duration = Duration::from_secs(120);
/// A sign-in that a system calls good for longer is renewed after this all the same.
pub const LONGEST_SIGN_IN: Duration = Duration::from_secs(24 * 3600);
/// Calls at once, whatever a system or a profile allows.
pub const MOST_CALLS_AT_ONCE: usize = 64;
/// Calls a minute, whatever a system allows.
pub const MOST_CALLS_PER_MINUTE: u32 = 60_000;
/// Words of two texts that are compared one by one; of longer texts, what is between their equal beginnings and ends is
/// shown as changed.
pub const MOST_COMPARED_WORDS: usize = 8_000;
/// Pairs of parts (steps, blocks, rows) of two lists that are compared for which of them are which: a thousand of each. Longer
/// lists that were edited at both ends are put before a person.
pub const MOST_ALIGNED: usize = 1_000_000;
/// Years of days and times: more need an agreement (ISO 8601 §5.2.2.3, RFC 3339 §1), and counting with them leaves what a
/// calendar can hold.
pub const YEARS: RangeInclusive<i32> = 0..=9999;
/// Carrying a file takes no longer than this, there or back.
pub const LONGEST_FILE: Duration = Duration::from_secs(2 * 3600);
/// A system that takes nothing more of a file that is sent to it is given up after this time,
pub const LONGEST_FILE_SILENCE: Duration = Duration::from_secs(45);
/// and one that does not answer to the whole of it after this.
pub const LONGEST_FILE_ANSWER: Duration = Duration::from_secs(120);
/// Characters of what a system says of a refusal.
pub const LONGEST_MESSAGE: usize = 500;
/// Bytes of an id: it is a key of tables and their indexes.
pub const LONGEST_ID: usize = 1_000;
