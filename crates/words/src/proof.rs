//! What a proof says: of the whole, of what does not agree, of items that are not there, of order and files.

use hovrel_core::model::End;
use hovrel_core::plan::Absence;
use hovrel_core::reconcile::{AbsentItem, DifferenceCause, FilesRead, Headline, OrderProof};

/// What it comes to, in one sentence for a person.
pub fn headline(headline: &Headline) -> String {
    let items = |n: u64| if n == 1 { "1 item".to_owned() } else { format!("{n} items") };
    let fields = |n: u64| if n == 1 { "1 field".to_owned() } else { format!("{n} fields") };
    let agrees = match headline.agrees {
        1 => "1 field is as it should be".to_owned(),
        n => format!("{n} fields are as they should be"),
    };
    let waits = match headline.waits_items {
        0 => "nothing waits for anybody".to_owned(),
        1 => "1 item waits".to_owned(),
        n => format!("{n} items wait"),
    };
    let unexplained = match (headline.unexplained_items, headline.unexplained_fields) {
        (0, _) => "nothing is unexplained".to_owned(),
        (n, 0) => format!("{} unexplained", items(n)),
        (n, f) => format!("{} unexplained ({})", items(n), fields(f)),
    };
    format!("{agrees}, {waits}, {unexplained}")
}

/// In a few words, for a person.
pub fn difference_cause(cause: DifferenceCause) -> &'static str {
    match cause {
        DifferenceCause::LeftOut => "left out",
        DifferenceCause::Undecided => "waits for a decision",
        DifferenceCause::CannotBeCarried => "the value can't be transferred",
        DifferenceCause::Refused => "refused by the end that is written",
        DifferenceCause::NotPlannedYet => "not in a plan yet",
        DifferenceCause::NotTransferredYet => "planned, not transferred yet",
        DifferenceCause::ChangedSince(End::Left) => "changed at the left since the transfer",
        DifferenceCause::ChangedSince(End::Right) => "changed at the right since the transfer",
        DifferenceCause::BothChangedSince => "changed at both ends since the transfer",
        DifferenceCause::RuleChanged => "the rule changed since the transfer",
        DifferenceCause::TargetMoved => "what it links to has moved",
        DifferenceCause::WaitsForOthers => "waits for an item it refers to",
        DifferenceCause::Unreadable(End::Left) => "the value at the left can't be read",
        DifferenceCause::Unreadable(End::Right) => "the value at the right can't be read",
        DifferenceCause::RemovedAt(End::Left) => "removed at the left since the transfer",
        DifferenceCause::RemovedAt(End::Right) => "removed at the right since the transfer",
        DifferenceCause::KeptByDecision => "what stood there was kept by decision",
        DifferenceCause::Turned => "as it was when the lane was turned round",
        DifferenceCause::ChangedOnSaving => "changed there when it was saved",
        DifferenceCause::Unexplained => "no reason is known",
    }
}

/// What became of it, for a person.
pub fn absence(absence: Absence, end: End) -> &'static str {
    match (absence, end) {
        (Absence::Gone, End::Left) => "gone at the left; its counterpart stays",
        (Absence::Gone, End::Right) => "gone at the right",
        (Absence::OutOfScope, End::Left) => "no longer in scope at the left; its counterpart stays",
        (Absence::OutOfScope, End::Right) => "no longer in scope at the right; its counterpart stays",
        (Absence::Elsewhere, End::Left) => "in another project at the left; its counterpart stays",
        (Absence::Elsewhere, End::Right) => "in another project at the right",
        (Absence::Unreadable, End::Left) => "can't be read at the left",
        (Absence::Unreadable, End::Right) => "can't be read at the right",
    }
}

/// What became of an item of a proof that is not there.
pub fn absent_item(item: &AbsentItem) -> &'static str {
    absence(item.what, item.end)
}

/// In one sentence for a person.
pub fn order(OrderProof { carried, folders, same }: OrderProof) -> String {
    let found = format!("in {same} of {folders} folders the items stand in the same order");
    match carried {
        true => format!("their order in folders is transferred; {found}"),
        false => format!("their order in folders is not kept there; {found}"),
    }
}

/// In one sentence for a person; `files` is none where no file was read.
pub fn files_read(files: Option<&FilesRead>) -> String {
    match files {
        None => "their files were compared by the digests that the systems state".to_owned(),
        Some(f) => {
            let not_read = match f.not_read.len() {
                0 => String::new(),
                n => format!(", {n} could not be read"),
            };
            format!(
                "{} of their {} files were read at both ends: {} have the same bytes{not_read}",
                f.read, f.of, f.same
            )
        }
    }
}
