//! The core as those who call it see it: its laws, the worked examples it is held to, and how its rooms stand.

#[path = "../model/mod.rs"]
mod model;

mod both_comments;
mod both_members;
mod both_ways;
mod calls;
mod carry;
mod commonmark;
mod conflicts;
mod expression;
mod fingerprints;
mod identity;
mod lanes;
mod laws;
mod left_out;
mod lists;
mod mentions;
mod merging;
mod new_at_either_end;
mod patched;
mod policies;
mod returns;
mod scope;
mod small;
mod structure;
mod survey;
mod text;
mod there_and_back;
mod two_way;
mod verdict;
mod worlds;
