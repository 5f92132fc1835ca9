//! How good matching and suggestions are: precision and recall on seeded worlds whose right answer is known.
//!
//! Writes nothing unless `HOVREL_WRITE_DOCS` is set; else `docs/matching.md` must be what is measured.

mod matching;
mod suggestions;

/// Right ones among those found, and found ones among those that there are, in percent.
#[derive(Debug, Clone, Copy, Default)]
pub struct Quality {
    pub right: usize,
    pub found: usize,
    pub there: usize,
}

impl Quality {
    pub fn add(&mut self, other: Quality) {
        self.right += other.right;
        self.found += other.found;
        self.there += other.there;
    }

    pub fn precision(self) -> f64 {
        if self.found == 0 { 100.0 } else { 100.0 * self.right as f64 / self.found as f64 }
    }

    pub fn recall(self) -> f64 {
        100.0 * self.right as f64 / self.there as f64
    }

    /// Two cells of a table.
    pub fn cells(self) -> String {
        format!("{:.1} % | {:.1} %", self.precision(), self.recall())
    }
}

#[test]
fn the_measured_quality_is_what_the_page_says() {
    let page = format!(
        "# How good matching and suggestions are\n\nWritten by `crates/core/tests/quality` from seeded worlds whose right \
         answer is known. *Precision*: of what was found, how much is right. *Recall*: of what there is to find, how \
         much was found.\n\n{}\n{}",
        matching::measured(),
        suggestions::measured()
    );
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/matching.md");
    if std::env::var_os("HOVREL_WRITE_DOCS").is_some() {
        std::fs::write(path, &page).expect("the page can be written");
    }
    let kept = std::fs::read_to_string(path).expect("docs/matching.md is there");
    assert_eq!(kept, page, "run it again with HOVREL_WRITE_DOCS=1 and read what changed");
}
