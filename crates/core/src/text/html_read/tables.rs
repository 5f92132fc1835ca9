//! Tables of HTML: rows in the order in which a page shows them, cells in their columns.
//!
//! Decides where a cell stands that others reach into (the forming-a-table algorithm of the HTML standard, §4.9.12),
//! and what of a table the document has no place for.

use ego_tree::NodeRef;
use scraper::Node;

use super::Reader;
use super::style::Marks;
use crate::model::Block;

/// The HTML standard allows as many (§4.9.11).
const WIDEST_CELL: usize = 1000;
/// Beyond this a cell that reaches down does not reach further.
const LONGEST_CELL: usize = 65534;

struct Row<'a> {
    node: NodeRef<'a, Node>,
    in_head: bool,
}

pub fn table(reader: &mut Reader, table: NodeRef<'_, Node>, marks: &Marks, depth: usize) -> Vec<Block> {
    let mut out = Vec::new();
    for caption in children(table, "caption") {
        reader.lose("caption", caption);
        out.extend(reader.inside(caption, marks, depth + 1));
    }
    let rows = rows(table);
    let mut made: Vec<Vec<Vec<Block>>> = Vec::new();
    // Of each column, how many more rows the cell above reaches down.
    let mut reached: Vec<usize> = Vec::new();
    let mut header = false;
    for (n, row) in rows.iter().enumerate() {
        let mut cells: Vec<Vec<Block>> = Vec::new();
        let mut all_headings = true;
        let (marks, lost) = super::style::styled(row.node, marks);
        reader.lose_each(lost, row.node);
        let skip = |cells: &mut Vec<Vec<Block>>, reached: &mut Vec<usize>, left: &mut usize| {
            while reached.get(cells.len()).is_some_and(|more| *more > 0) && take_one(left) {
                reached[cells.len()] -= 1;
                cells.push(Vec::new());
            }
        };
        let of_row: Vec<_> =
            row.node.children().filter(|c| name(*c).is_some_and(|n| matches!(n, "td" | "th"))).collect();
        let headings = of_row.iter().all(|c| name(*c) == Some("th"));
        for cell in of_row {
            skip(&mut cells, &mut reached, &mut reader.cells_left);
            let Some(element) = cell.value().as_element() else { continue };
            let span = |attribute: &str, most: usize| {
                element.attr(attribute).and_then(|s| s.trim().parse::<usize>().ok()).unwrap_or(1).min(most)
            };
            let (wide, tall) = (span("colspan", WIDEST_CELL).max(1), span("rowspan", LONGEST_CELL));
            // A height of 0 reaches to the end of the table.
            let tall = if tall == 0 { rows.len() - n } else { tall.min(rows.len() - n) };
            if wide > 1 {
                reader.lose("cell over several columns", cell);
            }
            if tall > 1 {
                reader.lose("cell over several rows", cell);
            }
            if element.name() == "th" && !(headings && n == 0) {
                reader.lose("heading of a row", cell);
            }
            all_headings &= element.name() == "th";
            let (marks, lost) = super::style::styled(cell, &marks);
            reader.lose_each(lost, cell);
            reader.note_attributes(cell, element);
            for column in 0..wide {
                let at = cells.len();
                if column > 0 && !take_one(&mut reader.cells_left) {
                    break;
                }
                if reached.len() <= at {
                    reached.resize(at + 1, 0);
                }
                reached[at] = tall - 1;
                cells.push(if column == 0 { reader.inside(cell, &marks, depth + 1) } else { Vec::new() });
            }
        }
        // Cells from above may stand beyond the last one of the row.
        reached.truncate(reached.iter().rposition(|more| *more > 0).map_or(0, |last| last + 1));
        while cells.len() < reached.len() && take_one(&mut reader.cells_left) {
            let at = cells.len();
            reached[at] = reached[at].saturating_sub(1);
            cells.push(Vec::new());
        }
        if cells.is_empty() {
            continue;
        }
        match (made.is_empty(), row.in_head) {
            (true, in_head) => header = in_head || all_headings,
            (false, true) => reader.lose("second row of headings", row.node),
            (false, false) => {}
        }
        made.push(cells);
    }
    // Rows are filled up to the widest.
    let widest = made.iter().map(Vec::len).max().unwrap_or(0);
    let added: usize = made.iter().map(|row| widest - row.len()).sum();
    if added > reader.cells_left {
        reader.lose("table with so many empty cells", table);
        out.extend(made.into_iter().flatten().flatten());
    } else {
        reader.cells_left -= added;
        out.push(Block::Table { header, rows: made });
    }
    out
}

/// Takes one of what is left, if anything is.
fn take_one(left: &mut usize) -> bool {
    let some = *left > 0;
    *left = left.saturating_sub(1);
    some
}

/// The rows of a table: those of its head first and those of its foot last, wherever they are written.
fn rows(table: NodeRef<'_, Node>) -> Vec<Row<'_>> {
    let (mut head, mut body, mut foot) = (Vec::new(), Vec::new(), Vec::new());
    for child in table.children() {
        match name(child) {
            Some("thead") => head.extend(children(child, "tr").into_iter().map(|node| Row { node, in_head: true })),
            Some("tbody") => body.extend(children(child, "tr").into_iter().map(|node| Row { node, in_head: false })),
            Some("tfoot") => foot.extend(children(child, "tr").into_iter().map(|node| Row { node, in_head: false })),
            Some("tr") => body.push(Row { node: child, in_head: false }),
            _ => {}
        }
    }
    head.into_iter().chain(body).chain(foot).collect()
}

fn children<'a>(parent: NodeRef<'a, Node>, wanted: &str) -> Vec<NodeRef<'a, Node>> {
    parent.children().filter(|c| name(*c) == Some(wanted)).collect()
}

fn name(node: NodeRef<'_, Node>) -> Option<&str> {
    node.value().as_element().map(|e| e.name())
}
