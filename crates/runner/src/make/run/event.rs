//! What a run reports while it goes on.

use std::path::Path;
use truepath_core::deliverable::DeliverableId;

use truepath_core::finding::Finding;
use truepath_core::forecast::Forecast;
use truepath_core::frame_progress::FrameProgress;
use truepath_core::frames::{Frame, FrameSet};

use super::Failure;

/// Something that happens in a run.
#[derive(Debug)]
pub enum Event<'a> {
    /// What is to do is known.
    Begun {
        /// Files that are wanted.
        wanted: u64,
        /// Files that are there already.
        there: u64,
        /// Files that are there and give way to new ones.
        replaced: u64,
        /// The frames that are there of each deliverable.
        done: &'a [FrameSet],
        /// How long it will take.
        forecast: &'a Forecast,
    },
    /// A process is started.
    Started {
        /// Its number in this run.
        process: u32,
        /// What it makes.
        label: &'a str,
        /// Indices of the deliverables that it makes.
        deliverables: &'a [DeliverableId],
        /// The frames that it makes.
        frames: &'a FrameSet,
        /// Its log.
        log: &'a Path,
    },
    /// A process has begun a frame.
    Frame {
        /// Its number.
        process: u32,
        /// The frame.
        frame: Frame,
    },
    /// A process shows how far its frame is.
    Progress {
        /// Its number.
        process: u32,
        /// What its engine reports.
        progress: FrameProgress,
    },
    /// A process has ended.
    Ended {
        /// Its number.
        process: u32,
    },
    /// A file has its true name.
    Published {
        /// Index of the deliverable.
        deliverable: DeliverableId,
        /// The frame.
        frame: Frame,
        /// The file.
        path: &'a str,
        /// Whether another run brought it.
        elsewhere: bool,
    },
    /// Pictures are whole and may still be wrong.
    Suspicious(&'a Finding),
    /// Something was in the way or not asked for, and was set aside.
    Aside {
        /// What it was.
        what: &'a str,
        /// Where it is now.
        to: &'a Path,
    },
    /// A frame failed.
    Failed(&'a Failure),
    /// Everything that was tried of some deliverables failed alike, and the rest is not tried.
    GivenUp {
        /// Indices of the deliverables.
        deliverables: &'a [DeliverableId],
        /// What they are, in words.
        label: &'a str,
        /// The frames that were tried.
        tried: &'a FrameSet,
        /// Why they failed.
        reason: &'a str,
    },
    /// Something that should be known.
    Remark(&'a str),
    /// Time goes by.
    Tick,
}

/// Sees what happens in a run.
pub trait Observer {
    /// Receives an event.
    fn see(&mut self, event: &Event<'_>);
}
