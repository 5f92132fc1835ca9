//! One write on its way, as a machine without input or output.
//!
//! Decides what is done next after each answer and each look: a call that may have been done is never repeated before
//! looking, and what somebody did meanwhile is never written over. The engine drives it against systems; the model drives it
//! against every disturbance. Waiting, reading, calling and noting are done by whoever drives it.

/// What is to be done next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Next {
    /// Note what is about to be sent, then send it under the version that was last seen.
    Send,
    /// Read the item, and tell what was seen.
    Look,
    /// The item holds what was sent.
    Done {
        /// Whether the write's own answer says so; else a look does, and somebody may have been there since.
        own: bool,
    },
    /// Nothing more is done.
    End(Ending),
}

/// How a write ended that is not known to be done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Ending {
    /// The system refused it: nothing was written.
    Refused,
    /// Somebody changed what was to be written, or was faster each time: nothing was written.
    Changed,
    /// It was never done, in all tries.
    GaveUp,
    /// Something was sent without an answer, and it can't be told whether it was done. Nothing is tried again: it might undo
    /// what somebody did.
    InDoubt,
}

/// What a look at the item found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Seen {
    /// It holds all that is to be written.
    Sent,
    /// It is under the version that the write goes by.
    AsPlanned,
    /// It is another than planned, but the slots that are to be written stand as they did.
    SlotsAsPlanned,
    /// Somebody changed a slot that is to be written.
    Otherwise,
}

/// What came of a call.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Answer {
    /// It was done.
    Done,
    /// It was surely not done, and may be tried again.
    NotDone,
    /// Nobody knows whether it was done.
    Unknown,
    /// It was refused since the item is under another version.
    Changed,
    /// It was refused.
    Refused,
}

/// One write on its way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Carrying {
    tries: u8,
    faster: u8,
    /// A call got no answer, and no look has shown since that it was not done.
    doubt: bool,
    /// A call got no answer at any time: it may still come late.
    unanswered: bool,
}

impl Carrying {
    /// How often a call is tried.
    pub const TRIES: u8 = 6;
    /// How often somebody may be faster before the write is left.
    pub const FASTER: u8 = 5;

    /// A write that was begun before, perhaps, by somebody who was cut off: then it is looked first.
    pub fn begin(begun: bool) -> (Carrying, Next) {
        let next = if begun { Next::Look } else { Next::Send };
        (Carrying { tries: 0, faster: 0, doubt: begun, unanswered: begun }, next)
    }

    /// How many calls came to nothing.
    pub fn tries(&self) -> u8 {
        self.tries
    }

    /// After a look.
    pub fn seen(&mut self, seen: Seen) -> Next {
        match seen {
            Seen::Sent => Next::Done { own: false },
            Seen::AsPlanned => {
                self.doubt = false;
                Next::Send
            }
            // It may have been done, perhaps late, and somebody may have taken it back.
            Seen::SlotsAsPlanned | Seen::Otherwise if self.unanswered => Next::End(Ending::InDoubt),
            Seen::SlotsAsPlanned if self.faster < Self::FASTER => {
                self.faster += 1;
                Next::Send
            }
            Seen::SlotsAsPlanned | Seen::Otherwise => Next::End(Ending::Changed),
        }
    }

    /// After a call.
    pub fn answered(&mut self, answer: Answer) -> Next {
        match answer {
            Answer::Done => Next::Done { own: true },
            Answer::Changed => Next::Look,
            Answer::Refused if self.doubt => Next::End(Ending::InDoubt),
            Answer::Refused => Next::End(Ending::Refused),
            Answer::NotDone | Answer::Unknown => {
                self.tries += 1;
                self.doubt |= answer == Answer::Unknown;
                self.unanswered |= self.doubt;
                match (self.tries < Self::TRIES, answer) {
                    (true, Answer::Unknown) => Next::Look,
                    (true, _) => Next::Send,
                    (false, _) if self.doubt => Next::End(Ending::InDoubt),
                    (false, _) => Next::End(Ending::GaveUp),
                }
            }
        }
    }
}
