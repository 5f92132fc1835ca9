//! Evidence as a page: one HTML file with everything in it, that reads on a screen and prints on paper.

use hovrel_core::reconcile::{FileNotRead, LaneProof, Weight};
use maud::{DOCTYPE, Markup, PreEscaped, html};

use crate::Evidence;
use crate::words::{besides, capital, lane_word};

const STYLE: &str = "
:root { color-scheme: light dark; --ink: #1b2428; --quiet: #4d5a60; --hair: #ddd8cc; --paper: #fffefb;
  --left: #0a6b84; --right: #a04b08; --clash: #b0123b; --loss: #6d3fa0 }
@media (prefers-color-scheme: dark) { :root { --ink: #e8e6df; --quiet: #a9b3b5; --hair: #39444a; --paper: #14191b;
  --left: #5cc1d8; --right: #f0a25b; --clash: #ff8ba4; --loss: #c39bec } }
body { margin: 2.5rem auto; max-width: 62rem; padding: 0 1.5rem; background: var(--paper); color: var(--ink);
  font: 15px/1.5 system-ui, sans-serif }
h1 { font-size: 1.5rem; margin: 0 0 .2rem } h2 { font-size: 1.1rem; margin: 2.2rem 0 .6rem }
p, dl { margin: 0 0 .6rem } .quiet { color: var(--quiet) } .left { color: var(--left) } .right { color: var(--right) }
dl { display: grid; grid-template-columns: 12rem 1fr; gap: .15rem 1rem } dt { color: var(--quiet) } dd { margin: 0 }
table { width: 100%; border-collapse: collapse } th { text-align: left; font-weight: 600; color: var(--quiet) }
th, td { padding: .3rem .8rem .3rem 0; border-bottom: 1px solid var(--hair); vertical-align: top;
  overflow-wrap: anywhere } .n { text-align: right; font-variant-numeric: tabular-nums }
td.key { font-family: ui-monospace, monospace; white-space: nowrap; overflow-wrap: normal }
.bad { color: var(--clash) } .loss { color: var(--loss) } del { color: var(--quiet) }
@media print { body { margin: 0; max-width: none; font-size: 10pt; padding: 0 } thead { display: table-header-group }
  tr, dl { break-inside: avoid } h2 { break-after: avoid } @page { margin: 18mm 15mm } }
";

/// The evidence as an HTML page. `fingerprint` is that of the key that signs the file of the same evidence.
pub fn page(e: &Evidence, fingerprint: &str) -> String {
    let (route, proof) = (&e.route, &e.proof);
    let title = format!("Proof of {}", route.name);
    let body: Markup = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width";
                title { (title) }
                style { (PreEscaped(STYLE)) }
            }
            body {
                h1 { (title) }
                p class=(if e.proof.headline.unexplained_items > 0 { "bad" } else { "" }) { (e.headline()) "." }
                dl {
                    dt { "Left end" } dd { (end(&route.left, "left")) }
                    dt { "Right end" } dd { (end(&route.right, "right")) }
                    dt { "Both ends read" } dd { (proof.at.format("%-d %B %Y, %H:%M:%S")) " UTC" }
                    dt { "Rules" } dd { "version " (route.version) }
                    dt { "Losses" } dd {
                        (proof.losses_foreseen) " as foreseen, " (proof.losses_unforeseen) " not foreseen"
                    }
                    dt { "Proof" } dd { (proof.id) }
                    dt { "Key of the signed file" } dd { (fingerprint) }
                }
                (waits(e))
                (counts(e))
                (fields(e))
                (differences(e))
                (missing(e))
                (absent(e))
                (losses(e))
                p class="quiet" { "Made by Hovrel " (e.hovrel) ". The signed file of this proof can be checked with “hovrel proof verify”." }
            }
        }
    };
    body.into_string()
}

fn end(end: &crate::EndFacts, class: &str) -> Markup {
    html! { b class=(class) { (end.system) } ", " (end.container) " " span class="quiet" { (end.address) } }
}

fn waits(e: &Evidence) -> Markup {
    html! {
        @if !e.proof.headline.waits.is_empty() {
            h2 { "What waits for you" }
            table {
                thead { tr { th { "For what" } th.n { "items" } th.n { "of these whole" } th.n { "fields" } } }
                tbody { @for w in &e.proof.headline.waits { tr {
                    td { (capital(hovrel_words::difference_cause(w.cause))) } td.n { (w.items) } td.n { (w.whole) } td.n { (w.fields) }
                } } }
            }
        }
    }
}

fn absent(e: &Evidence) -> Markup {
    html! {
        @if e.proof.lanes.iter().any(|l| !l.absent.is_empty()) {
            h2 { "Items of pairs that are not there to be compared" }
            table {
                thead { tr { th { "Kind" } th { "Item" } th { "Counterpart" } th { "Title" } th { "What became of it" } } }
                tbody { @for lane in &e.proof.lanes { @for item in &lane.absent { tr {
                    td { (lane_word(lane)) }
                    td.key { (item.key(item.end)) }
                    td.key { (item.key(item.end.other())) }
                    td { (item.title) } td { (hovrel_words::absent_item(item)) }
                } } } }
            }
        }
    }
}

fn counts(e: &Evidence) -> Markup {
    html! {
        h2 { "What is there" }
        table {
            thead { tr {
                th { "Kind" } th.n { "in scope at " (e.route.left.system) } th.n { "paired" }
                th.n { "in scope at " (e.route.right.system) } th.n { "missing" } th.n { "fields that differ" }
            } }
            tbody { @for lane in &e.proof.lanes { tr {
                td { (lane_word(lane)) } td.n { (lane.left_count) } td.n { (lane.paired) }
                td.n { (lane.right_count) }
                td.n { (lane.missing.len()) }
                td.n { (lane.differences.len()) }
            } } }
        }
        ul { @for lane in &e.proof.lanes { @for told in besides(lane) { li { (lane_word(lane)) ": " (told) "." } } } }
        @if e.proof.lanes.iter().any(|l| not_read(l).next().is_some()) {
            h2 { "Files that could not be read" }
            table {
                thead { tr { th { "Item" } th { "File" } th { "Why" } } }
                tbody { @for lane in &e.proof.lanes { @for file in not_read(lane) { tr {
                    td { span.left { (file.left_key) } " " span.right { (file.right_key) } }
                    td { (file.name) } td { "at the " (file.end.id()) ": " (file.why) }
                } } } }
            }
        }
    }
}

fn not_read(lane: &LaneProof) -> impl Iterator<Item = &FileNotRead> {
    lane.files.iter().flat_map(|f| &f.not_read)
}

fn fields(e: &Evidence) -> Markup {
    html! {
        h2 { "Field by field" }
        table {
            thead { tr {
                th { "Kind" } th { "Field" } th.n { "compared" } th.n { "agree" } th.n { "with a declared loss" } th.n { "as decided or saved" }
                th.n { "pieces expected" } th.n { "there" } th.n { "only where it is written" }
            } }
            tbody { @for lane in &e.proof.lanes { @for field in &lane.fields {
                @let pieces = lane.pieces.iter().find(|p| p.field == field.field);
                tr {
                    td { (lane_word(lane)) } td { (e.field_name(lane.right_kind, &field.field)) }
                    td.n { (field.compared) } td.n { (field.agree) }
                    td.n.loss[field.with_loss > 0] { (field.with_loss) } td.n { (field.settled) }
                    @if let Some(p) = pieces { td.n { (p.expected) } td.n { (p.there) } td.n { (p.only_there) } }
                    @else { td.n { "–" } td.n { "–" } td.n { "–" } }
                }
            } } }
        }
    }
}

fn differences(e: &Evidence) -> Markup {
    html! {
        @if e.differing() > 0 {
            h2 { "What differs, and why" }
            table {
                thead { tr { th { "Item" } th { "Field" } th { "expected" } th { "found" } th { "Why" } } }
                tbody { @for lane in &e.proof.lanes { @for d in &lane.differences { tr {
                    td { span.left { (d.left_key) } " " span.right { (d.right_key) } br; (d.title) }
                    td { (e.field_name(lane.right_kind, &d.field)) }
                    td { (d.expected.display()) } td { (d.found.display()) }
                    td.bad[d.cause.weight() == Weight::Unexplained] { (hovrel_words::difference_cause(d.cause)) }
                } } } }
            }
        }
    }
}

fn missing(e: &Evidence) -> Markup {
    html! {
        @if e.missing() > 0 {
            h2 { "What is missing at the end that is written" }
            table {
                thead { tr { th { "Kind" } th { "Item" } th { "Title" } th { "Why" } } }
                tbody { @for lane in &e.proof.lanes { @for item in &lane.missing { tr {
                    td { (lane_word(lane)) } td.key { (item.key) } td { (item.title) }
                    td.bad[item.cause.weight() == Weight::Unexplained] { (hovrel_words::difference_cause(item.cause)) }
                } } } }
            }
        }
    }
}

fn losses(e: &Evidence) -> Markup {
    html! {
        h2 { "What could not be transferred exactly" }
        @if e.ledger.is_empty() { p { "Nothing." } }
        @else {
            table {
                thead { tr { th { "Item" } th { "Field" } th { "What happened" } th { "before" } th { "after" } th { "foreseen" } } }
                tbody { @for entry in &e.ledger { tr {
                    td.key { (entry.left_key) " " (entry.right_key) } td { (e.loss_field(&entry.loss.field)) }
                    td { span.loss { (hovrel_words::loss_kind(entry.loss.kind)) } ": " (hovrel_words::loss_cause(&entry.loss.cause)) }
                    td { del { (entry.loss.before) } } td { (entry.loss.after) }
                    td.bad[!entry.foreseen] { @if entry.foreseen { "yes" } @else { "no" } }
                } } }
            }
        }
    }
}
