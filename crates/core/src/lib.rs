//! The heart of Hovrel: what artefacts are, how they are mapped, compared, planned and proved.
//!
//! Knows: the canonical model and the laws of moving it. Never does: I/O, clocks, randomness, async,
//! SQL or HTTP. Every function takes data and returns data, so the laws are property tests (`tests/`).
//! Where to start: [`model`] for the nouns, then [`mapping`], [`compare`], [`plan`] and [`reconcile`].
//!
//! | module | decides |
//! |---|---|
//! | [`bounds`] | how much of what comes from outside is taken |
//! | [`model`] | what an artefact and a value are |
//! | [`catalogue`] | what a system can hold |
//! | [`survey`] | what is really in a system |
//! | [`expression`] | what a condition or computed value in CEL names, is, and comes to |
//! | [`scope`] | which artefacts a lane covers |
//! | [`text`] | rich documents to and from HTML, Markdown and plain text |
//! | [`mapping`] | how a field is filled from the other end, and whether a rule is sound |
//! | [`identity`] | which artefact at the right is the counterpart of one at the left |
//! | [`compare`] | what differs, against the base |
//! | [`plan`] | the ordered changes, their dependencies and decisions |
//! | [`diff`] | differences inside a text or a list of steps |
//! | [`loss`] | what could not be carried exactly |
//! | [`reconcile`] | the proof after a transfer |

pub mod bounds;
pub mod catalogue;
pub mod compare;
pub mod coverage;
pub mod diff;
pub mod expression;
pub mod identity;
pub mod loss;
pub mod mapping;
pub mod model;
pub mod plan;
pub mod reconcile;
pub mod rehearse;
pub mod scope;
pub mod survey;
pub mod text;
pub mod workflow;
