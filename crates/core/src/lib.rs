//! The heart of Hovrel: what artefacts are, how they are carried, compared, planned and proved.
//!
//! Knows: the canonical model and the laws of moving it. Never does: I/O, clocks, randomness, async,
//! SQL or HTTP. Every function takes data and returns data, so the laws are property tests (`tests/`).
//! Where to start: [`model`] for the nouns and [`rules`] for what a route is, then [`carry`], [`compare`], [`plan`] and
//! [`reconcile`]. Each module imports only modules that stand above it in this table:
//!
//! | module | decides |
//! |---|---|
//! | [`bounds`] | how much of what comes from outside is taken |
//! | [`slot`] | how the places of an artefact are spelt that a rule can read or fill |
//! | [`loss`] | what could not be carried exactly |
//! | [`model`] | what an artefact and a value are, and what a slot holds |
//! | [`diff`] | differences inside a text or a list of steps |
//! | [`merge`] | what two edits of one value make of it together |
//! | [`text`] | rich documents to and from HTML, Markdown and plain text |
//! | [`law`] | what becomes of a slot that people edit at both ends |
//! | [`workflow`] | which states can be reached from which |
//! | [`catalogue`] | what a system can hold |
//! | [`keepable`] | what the database can't keep, and what stands for it |
//! | [`coverage`] | which requirements a test case verifies |
//! | [`expression`] | what a condition or computed value in CEL names, is, and comes to |
//! | [`scope`] | which artefacts match a condition |
//! | [`rules`] | how lanes and rules are written down |
//! | [`agree`] | when two values say the same |
//! | [`base`] | what is remembered of a pair |
//! | [`identity`] | which artefact at one end is the counterpart of one at the other |
//! | [`survey`] | what is really in a system |
//! | [`cover`] | which artefacts a lane covers |
//! | [`carry`] | what a value becomes at the other end |
//! | [`prepare`] | what is done to items before they are converted |
//! | [`check`] | whether a lane is sound |
//! | [`suggest`] | which rules and value maps are proposed |
//! | [`plan`] | the ordered changes, their dependencies and decisions |
//! | [`conflict`] | what a person may choose where both ends were edited, and what a choice means |
//! | [`compare`] | what differs, against the base |
//! | [`rehearse`] | whether the other end would take what is planned |
//! | [`reconcile`] | the proof after a transfer |

#![warn(missing_docs)]

pub mod agree;
pub mod base;
pub mod bounds;
pub mod carry;
pub mod catalogue;
pub mod check;
pub mod compare;
pub mod conflict;
pub mod cover;
pub mod coverage;
pub mod diff;
pub mod expression;
pub mod identity;
pub mod keepable;
pub mod law;
pub mod loss;
pub mod merge;
pub mod model;
pub mod plan;
pub mod prepare;
pub mod reconcile;
pub mod rehearse;
pub mod rules;
pub mod scope;
pub mod slot;
pub mod suggest;
pub mod survey;
pub mod text;
pub mod workflow;
