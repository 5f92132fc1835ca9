//! Rich text: one document tree, read from and written to HTML, Markdown and plain text.
//!
//! Decides what each format can hold. Readers return the document and what they could not keep;
//! [`carry`] writes a document, reads back what it wrote, and declares every difference as a loss, so
//! that what a target will hold is known before it is written. Sources: the WHATWG parsing rules
//! (through html5ever), CommonMark 0.31 and GitHub Flavored Markdown tables and strikethrough (through
//! comrak), XHTML as OMG ReqIF 1.2 takes it (through quick-xml).

mod bounded;
mod carry;
mod html_read;
mod html_write;
mod markdown_read;
mod markdown_write;
mod patch;
mod plain;
mod simplify;
mod xhtml_read;

use serde::{Deserialize, Serialize};

pub use carry::{Carried, carry};
pub use patch::patched;

use html_write::Dialect;

use crate::bounds::{LONGEST_LOSS, LONGEST_MARKUP, MOST_LOSSES};
use crate::loss::{LossCause, LossKind};
use crate::model::Document;

/// How a field writes rich text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum TextFormat {
    /// HTML.
    Html,
    /// Markdown.
    Markdown,
    /// Text without formatting.
    Plain,
    /// Plain text in which bare addresses are links.
    PlainLinks,
    /// The XHTML that ReqIF takes, as XML.
    Xhtml,
}

/// Something a document lost on its way into or out of a format.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct TextLoss {
    /// What was lost.
    pub kind: LossKind,
    /// Why it was lost.
    pub cause: LossCause,
    /// The text concerned, on one line.
    pub about: String,
}

/// Reads `text` in `format`. Never fails: what can't be kept is listed.
pub fn read(text: &str, format: TextFormat) -> (Document, Vec<TextLoss>) {
    if text.len() > LONGEST_MARKUP {
        let cause = LossCause::NoSuchMarkup { element: "markup in so long a text".to_owned() };
        let loss = TextLoss { kind: LossKind::Flattened, cause, about: text.to_owned() };
        // Plain text has no markup to lose.
        let losses = if format == TextFormat::Plain { Vec::new() } else { few(vec![loss]) };
        return (plain::read(text), losses);
    }
    let (document, mut losses) = match format {
        TextFormat::Html => html_read::read(text),
        TextFormat::Markdown => markdown_read::read(text),
        TextFormat::Plain => (plain::read(text), Vec::new()),
        TextFormat::PlainLinks => (plain::read_links(text), Vec::new()),
        TextFormat::Xhtml => xhtml_read::read(text),
    };
    let document = bounded::bounded(document, &mut losses);
    (document, few(losses))
}

/// Losses that are told one by one, each with the beginning of its words; of more their number is told.
fn few(mut losses: Vec<TextLoss>) -> Vec<TextLoss> {
    let more = losses.len().saturating_sub(MOST_LOSSES);
    losses.truncate(MOST_LOSSES);
    for loss in &mut losses {
        if let Some((end, _)) = loss.about.char_indices().nth(LONGEST_LOSS) {
            loss.about.truncate(end);
            loss.about.push('…');
        }
    }
    if more > 0 {
        let cause = LossCause::NoSuchMarkup { element: "more markup of this text".to_owned() };
        losses.push(TextLoss { kind: LossKind::Dropped, cause, about: format!("{more} more") });
    }
    losses
}

/// Writes `document` in `format`, without looking whether it survives; see [`carry`].
pub fn write(document: &Document, format: TextFormat) -> String {
    match format {
        TextFormat::Html => html_write::write(document, Dialect::Html),
        TextFormat::Xhtml => html_write::write(document, Dialect::Xhtml),
        TextFormat::Markdown => markdown_write::write(document),
        TextFormat::Plain | TextFormat::PlainLinks => plain::write(document),
    }
}
