//! What a run would do, without doing it: its own decisions, in the same order.

use std::io;

use truepath_core::deliverable::Expansion;
use truepath_core::frames::{Frame, FrameSet};

use super::decision::{Decider, DueFrames, FileDecision, sources_first};
use super::{FileAction, Policy};
use crate::Loaded;
use crate::look::fingerprint::Fingerprints;
use crate::look::inventory::{Accepted, Depth, Inventory, described, refused};
use crate::record::ledger::Replaces;
use crate::record::run_record::{self, RunRecord};

/// What a run would do about the files of a deliverable. Each wanted file is in one of these.
#[derive(Debug, Clone, Default)]
pub struct Foreseen {
    /// Made where nothing is.
    pub made: FrameSet,
    /// Made, and the file that is there is removed once its successor is verified.
    pub replaced: FrameSet,
    /// Made, and the file that is there is kept beside it in `set-aside`.
    pub set_aside: FrameSet,
    /// Kept, and counted as valid.
    pub kept: FrameSet,
    /// Kept, and not valid: stale, changed or unverifiable.
    pub reported: FrameSet,
    /// Neither made nor valid, since what it is made from is not valid: the reason, and the frames.
    pub not_made: Vec<(String, FrameSet)>,
    /// In the way of a run that must not begin then.
    pub refused: FrameSet,
}

impl Foreseen {
    /// All files that are made.
    #[must_use]
    pub fn to_make(&self) -> FrameSet {
        let more = [&self.replaced, &self.set_aside];
        more.iter().fold(self.made.clone(), |all, frames| {
            all.union(frames).unwrap_or(all)
        })
    }
}

/// What a run would do, by deliverable, in the order of the expansion.
///
/// # Errors
/// When the state or the ledgers cannot be read.
pub fn foresee(
    loaded: &Loaded,
    expansion: &Expansion,
    policy: Policy,
) -> io::Result<Vec<Foreseen>> {
    let state = loaded.state_folder();
    let before = run_record::latest(&state, &loaded.file)?;
    let existing = policy.existing.word();
    let run = RunRecord::of_call(before.as_ref(), loaded.began.instant(), existing).id();
    let ledger = loaded.read_ledger(&state.ledgers())?;
    let files = &ledger.published;
    let own = |path: &str| {
        let record = files.get(path);
        record.is_some_and(|record| record.origin.run.as_deref() == Some(&run))
    };
    let decider = Decider { policy, own: &own };
    let inventory = Inventory::new(loaded, expansion, &mut Fingerprints::new(loaded));
    let mut due = DueFrames::default();
    let mut accepted = Accepted::default();
    let mut all = vec![Foreseen::default(); expansion.deliverables.len()];
    for index in sources_first(&expansion.deliverables) {
        let deliverable = &expansion.deliverables[index];
        let looker = inventory.of(index);
        let selected = &deliverable.common.frames.selected;
        let mut sorted = Sorted::default();
        let is_refused =
            |frame: Frame| refused(deliverable, &deliverable.path(frame), &loaded.folder).is_some();
        if deliverable.is_assembled() {
            for frame in selected.iter() {
                let is_due = due.are_sources_of(deliverable, frame);
                let decision = decider.assembled(looker, frame, files, is_due, &accepted);
                let lacking = if is_made(decision.action) {
                    looker
                        .assembly_accepting(frame, Depth::Unknown, files, &accepted)
                        .err()
                        .map(|lacking| due.taken_from(deliverable, frame, lacking))
                } else {
                    None
                };
                match lacking.filter(|lacking| !lacking.is_empty()) {
                    Some(lacking) => sorted.not_made(described(&lacking), frame),
                    None => sorted.add(&decision, &is_refused),
                }
            }
        } else {
            for decision in decider.rendered(looker, selected, files) {
                if deliverable.common.engine.is_absent && is_made(decision.action) {
                    let reason = "the job names no engine that renders it";
                    sorted.not_made(reason.to_owned(), decision.frame);
                } else {
                    sorted.add(&decision, &is_refused);
                }
            }
        }
        accepted.add(deliverable, FrameSet::from_frames(sorted.accepted.clone()));
        let foreseen = sorted.done();
        due.add(deliverable, foreseen.to_make());
        all[index] = foreseen;
    }
    loaded.keep_ledger(ledger);
    Ok(all)
}

fn is_made(action: FileAction) -> bool {
    matches!(
        action,
        FileAction::Render | FileAction::SetAside | FileAction::Replace(_)
    )
}

#[derive(Default)]
struct Sorted {
    made: Vec<Frame>,
    replaced: Vec<Frame>,
    set_aside: Vec<Frame>,
    kept: Vec<Frame>,
    reported: Vec<Frame>,
    refused: Vec<Frame>,
    /// Those of the kept that are taken as they are.
    accepted: Vec<Frame>,
    not_made: crate::look::inventory::ByReason,
}

impl Sorted {
    fn not_made(&mut self, reason: String, frame: Frame) {
        self.not_made.add(reason, frame);
    }

    fn add(&mut self, decision: &FileDecision, is_refused: &dyn Fn(Frame) -> bool) {
        if decision.action == FileAction::Accept {
            // What is of another kind cannot be taken as it is.
            if is_refused(decision.frame) {
                self.reported.push(decision.frame);
                return;
            }
            self.accepted.push(decision.frame);
        }
        let frames = match decision.action {
            FileAction::Render => &mut self.made,
            FileAction::Replace(Replaces::Remove) => &mut self.replaced,
            FileAction::Replace(Replaces::Keep) | FileAction::SetAside => &mut self.set_aside,
            FileAction::Keep | FileAction::Adopt | FileAction::Restamp | FileAction::Accept => {
                &mut self.kept
            }
            FileAction::Report => &mut self.reported,
            FileAction::Refuse => &mut self.refused,
        };
        frames.push(decision.frame);
    }

    fn done(self) -> Foreseen {
        Foreseen {
            made: FrameSet::from_frames(self.made),
            replaced: FrameSet::from_frames(self.replaced),
            set_aside: FrameSet::from_frames(self.set_aside),
            kept: FrameSet::from_frames(self.kept),
            reported: FrameSet::from_frames(self.reported),
            refused: FrameSet::from_frames(self.refused),
            not_made: self.not_made.frames(),
        }
    }
}
