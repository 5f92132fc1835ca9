//! Evidence as a spreadsheet (Office Open XML, ISO/IEC 29500), one sheet per question.
//!
//! Texts are written as texts, never as formulas. A cell holds 32,767 characters and a sheet 1,048,576 rows
//! (ISO/IEC 29500 leaves them to the application; common practice): longer texts are cut with a mark, longer lists
//! go on in another sheet.

use rust_xlsxwriter::{Color, Format, Workbook, Worksheet, XlsxError};

use crate::Evidence;
use crate::words::{besides, capital, lane_word};

/// A spreadsheet that could not be written.
#[derive(Debug, thiserror::Error)]
#[error("the spreadsheet could not be written: {0}")]
pub struct NotWritten(#[from] XlsxError);

const LONGEST_CELL: usize = 32_000;
const MOST_ROWS: usize = 1_000_000;

enum Cell<'a> {
    Text(&'a str),
    Number(u64),
}

impl<'a> From<&'a str> for Cell<'a> {
    fn from(text: &'a str) -> Cell<'a> {
        Cell::Text(text)
    }
}

impl From<u64> for Cell<'_> {
    fn from(number: u64) -> Self {
        Cell::Number(number)
    }
}

/// The evidence as the bytes of a spreadsheet.
///
/// # Errors
/// If the writer refuses it.
pub fn spreadsheet(evidence: &Evidence) -> Result<Vec<u8>, NotWritten> {
    let mut book = Workbook::new();
    summary(&mut book, evidence)?;
    kinds(&mut book, evidence)?;
    fields(&mut book, evidence)?;
    differences(&mut book, evidence)?;
    missing(&mut book, evidence)?;
    waits(&mut book, evidence)?;
    absent(&mut book, evidence)?;
    losses(&mut book, evidence)?;
    Ok(book.save_to_buffer()?)
}

/// One sheet (or more, if the list is longer than one takes) with a head that stays in sight.
struct Table<'b> {
    book: &'b mut Workbook,
    name: &'static str,
    heads: &'static [(&'static str, f64)],
    sheets: usize,
    row: usize,
}

impl<'b> Table<'b> {
    fn new(
        book: &'b mut Workbook,
        name: &'static str,
        heads: &'static [(&'static str, f64)],
    ) -> Result<Self, XlsxError> {
        let mut table = Table { book, name, heads, sheets: 0, row: 0 };
        table.begin()?;
        Ok(table)
    }

    fn begin(&mut self) -> Result<(), XlsxError> {
        self.sheets += 1;
        let name = if self.sheets == 1 { self.name.to_owned() } else { format!("{} {}", self.name, self.sheets) };
        let head = Format::new().set_bold().set_background_color(Color::RGB(0xF0_EC_E3));
        let sheet = self.book.add_worksheet().set_name(name)?;
        for (n, (title, width)) in self.heads.iter().enumerate() {
            sheet.write_string_with_format(0, n as u16, *title, &head)?;
            sheet.set_column_width(n as u16, *width)?;
        }
        sheet.set_freeze_panes(1, 0)?;
        self.row = 0;
        Ok(())
    }

    fn sheet(&mut self) -> Result<&mut Worksheet, XlsxError> {
        let last = self.book.worksheets().len() - 1;
        self.book.worksheet_from_index(last)
    }

    fn push(&mut self, cells: &[Cell<'_>]) -> Result<(), XlsxError> {
        if self.row == MOST_ROWS {
            self.begin()?;
        }
        self.row += 1;
        let row = self.row as u32;
        let sheet = self.sheet()?;
        for (n, cell) in cells.iter().enumerate() {
            match cell {
                Cell::Text(text) => sheet.write_string(row, n as u16, cut(text))?,
                Cell::Number(number) => sheet.write_number(row, n as u16, *number as f64)?,
            };
        }
        Ok(())
    }
}

fn cut(text: &str) -> std::borrow::Cow<'_, str> {
    match text.char_indices().nth(LONGEST_CELL) {
        Some((at, _)) => format!("{} … (cut here)", &text[..at]).into(),
        None => text.into(),
    }
}

fn summary(book: &mut Workbook, e: &Evidence) -> Result<(), XlsxError> {
    let mut table = Table::new(book, "Summary", &[("What", 30.0), ("Value", 70.0)])?;
    let (route, proof) = (&e.route, &e.proof);
    let end = |end: &crate::EndFacts| format!("{} ({}), {}", end.system, end.address, end.container);
    let (left, right, at) = (end(&route.left), end(&route.right), proof.at.to_rfc3339());
    let (headline, id) = (e.headline(), proof.id.to_string());
    let sum = |of: fn(&hovrel_core::reconcile::LaneProof) -> u64| proof.lanes.iter().map(of).sum::<u64>();
    let rows: [(&str, Cell<'_>); 17] = [
        ("Outcome", headline.as_str().into()),
        ("Fields as they should be", proof.headline.agrees.into()),
        ("Items that wait", proof.headline.waits_items.into()),
        ("Items unexplained", proof.headline.unexplained_items.into()),
        ("Route", route.name.as_str().into()),
        ("Version of the rules", (route.version as u64).into()),
        ("Left end", left.as_str().into()),
        ("Right end", right.as_str().into()),
        ("Proved at", at.as_str().into()),
        ("Proof", id.as_str().into()),
        ("Items in scope at the left", sum(|l| l.left_count).into()),
        ("With a counterpart", sum(|l| l.paired).into()),
        ("Without a counterpart", (e.missing() as u64).into()),
        ("Fields that differ", (e.differing() as u64).into()),
        ("Losses as foreseen", proof.losses_foreseen.into()),
        ("Losses not foreseen", proof.losses_unforeseen.into()),
        ("Hovrel", e.hovrel.as_str().into()),
    ];
    for (what, value) in rows {
        table.push(&[what.into(), value])?;
    }
    Ok(())
}

fn kinds(book: &mut Workbook, e: &Evidence) -> Result<(), XlsxError> {
    let heads = &[
        ("Kind", 20.0),
        ("In scope at the left", 18.0),
        ("Paired", 12.0),
        ("In scope at the right", 18.0),
        ("Missing", 12.0),
        ("Fields that differ", 16.0),
        ("Order and files", 60.0),
    ];
    let mut table = Table::new(book, "Kinds", heads)?;
    for lane in &e.proof.lanes {
        let kind = lane_word(lane);
        table.push(&[
            kind.as_str().into(),
            lane.left_count.into(),
            lane.paired.into(),
            lane.right_count.into(),
            (lane.missing.len() as u64).into(),
            (lane.differences.len() as u64).into(),
            capital(&besides(lane).join("; ")).as_str().into(),
        ])?;
    }
    Ok(())
}

fn fields(book: &mut Workbook, e: &Evidence) -> Result<(), XlsxError> {
    let heads = &[
        ("Kind", 20.0),
        ("Field", 24.0),
        ("Compared", 12.0),
        ("Agree", 12.0),
        ("With a declared loss", 18.0),
        ("As decided or saved", 18.0),
        ("Pieces expected", 16.0),
        ("Pieces there", 14.0),
        ("Only where it is written", 22.0),
    ];
    let mut table = Table::new(book, "Fields", heads)?;
    for lane in &e.proof.lanes {
        let kind = lane_word(lane);
        for field in &lane.fields {
            let name = e.field_name(lane.right_kind, &field.field);
            let mut row: Vec<Cell<'_>> = vec![
                kind.as_str().into(),
                name.into(),
                field.compared.into(),
                field.agree.into(),
                field.with_loss.into(),
                field.settled.into(),
            ];
            if let Some(pieces) = lane.pieces.iter().find(|p| p.field == field.field) {
                row.extend([pieces.expected.into(), pieces.there.into(), Cell::from(pieces.only_there)]);
            }
            table.push(&row)?;
        }
    }
    Ok(())
}

fn differences(book: &mut Workbook, e: &Evidence) -> Result<(), XlsxError> {
    let heads = &[
        ("Kind", 16.0),
        ("Left", 14.0),
        ("Right", 14.0),
        ("Title", 40.0),
        ("Field", 20.0),
        ("Expected", 50.0),
        ("Found", 50.0),
        ("Why", 40.0),
    ];
    let mut table = Table::new(book, "Differences", heads)?;
    for lane in &e.proof.lanes {
        let kind = lane_word(lane);
        for d in &lane.differences {
            let (expected, found) = (d.expected.display(), d.found.display());
            table.push(&[
                kind.as_str().into(),
                d.left_key.as_str().into(),
                d.right_key.as_str().into(),
                d.title.as_str().into(),
                e.field_name(lane.right_kind, &d.field).into(),
                expected.as_str().into(),
                found.as_str().into(),
                hovrel_words::difference_cause(d.cause).into(),
            ])?;
        }
    }
    Ok(())
}

fn missing(book: &mut Workbook, e: &Evidence) -> Result<(), XlsxError> {
    let heads = &[("Kind", 16.0), ("Left", 14.0), ("Title", 60.0), ("Why", 40.0)];
    let mut table = Table::new(book, "Missing", heads)?;
    for lane in &e.proof.lanes {
        let kind = lane_word(lane);
        for item in &lane.missing {
            let why = hovrel_words::difference_cause(item.cause);
            let (key, title) = (item.key.as_str(), item.title.as_str());
            table.push(&[kind.as_str().into(), key.into(), title.into(), why.into()])?;
        }
    }
    Ok(())
}

fn waits(book: &mut Workbook, e: &Evidence) -> Result<(), XlsxError> {
    let heads = &[("Waits for", 44.0), ("Items", 12.0), ("Of these whole", 16.0), ("Fields", 12.0)];
    let mut table = Table::new(book, "Waits", heads)?;
    for w in &e.proof.headline.waits {
        table.push(&[
            hovrel_words::difference_cause(w.cause).into(),
            w.items.into(),
            w.whole.into(),
            w.fields.into(),
        ])?;
    }
    Ok(())
}

fn absent(book: &mut Workbook, e: &Evidence) -> Result<(), XlsxError> {
    let heads = &[("Kind", 16.0), ("Left", 14.0), ("Right", 14.0), ("Title", 60.0), ("What became of it", 50.0)];
    let mut table = Table::new(book, "Not there", heads)?;
    for lane in &e.proof.lanes {
        let kind = lane_word(lane);
        for item in &lane.absent {
            table.push(&[
                kind.as_str().into(),
                item.left_key.as_str().into(),
                item.right_key.as_str().into(),
                item.title.as_str().into(),
                hovrel_words::absent_item(item).into(),
            ])?;
        }
    }
    Ok(())
}

fn losses(book: &mut Workbook, e: &Evidence) -> Result<(), XlsxError> {
    let heads = &[
        ("Left", 14.0),
        ("Right", 14.0),
        ("Field", 20.0),
        ("What happened", 16.0),
        ("Why", 50.0),
        ("Before", 50.0),
        ("After", 50.0),
        ("Foreseen", 10.0),
    ];
    let mut table = Table::new(book, "Losses", heads)?;
    for entry in &e.ledger {
        let why = hovrel_words::loss_cause(&entry.loss.cause);
        table.push(&[
            entry.left_key.as_str().into(),
            entry.right_key.as_str().into(),
            e.loss_field(&entry.loss.field).into(),
            hovrel_words::loss_kind(entry.loss.kind).into(),
            why.as_str().into(),
            entry.loss.before.as_str().into(),
            entry.loss.after.as_str().into(),
            if entry.foreseen { "yes" } else { "no" }.into(),
        ])?;
    }
    Ok(())
}
