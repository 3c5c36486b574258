//! What `truepath gather --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::frames::{Frame, FrameSet};
use truepath_runner::hand_over::bundle::{GatherReport, Gathered};

use super::VERSION;

/// What became of the frames of bundles
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct GatherShape {
    /// The version of this shape
    version: u32,
    /// In the order in which they were named
    bundles: Vec<BundleShape>,
}

/// A bundle
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct BundleShape {
    /// Its folder
    bundle: String,
    /// Why it cannot be gathered
    refused: Option<String>,
    /// Packed files that are not as they were packed
    edited: Vec<String>,
    /// What it makes
    deliverables: Vec<GatheredShape>,
}

/// The frames of one deliverable, each list such as `1-9,12`
#[derive(Debug, Serialize, JsonSchema)]
struct GatheredShape {
    /// The deliverable
    deliverable: String,
    /// Frames that came home now
    brought: String,
    /// Frames that were there already
    there: String,
    /// Frames that the bundle has not
    missing: String,
    /// Frames of other settings, which are not taken
    stale: String,
    /// Frames that no run has recorded
    unrecorded: String,
    /// Frames that are not taken
    refused: Vec<RefusedShape>,
}

/// A frame that is not taken
#[derive(Debug, Serialize, JsonSchema)]
struct RefusedShape {
    /// The frame
    frame: Frame,
    /// Why
    reason: String,
}

impl GatherShape {
    pub(crate) fn of(bundles: Vec<BundleShape>) -> Self {
        Self {
            version: VERSION,
            bundles,
        }
    }
}

impl BundleShape {
    pub(crate) fn of(report: &GatherReport) -> Self {
        let deliverables = report.result.iter().flatten();
        Self {
            bundle: report.bundle.display().to_string(),
            refused: report.result.as_ref().err().cloned(),
            edited: report.edited.clone(),
            deliverables: deliverables.map(GatheredShape::of).collect(),
        }
    }
}

impl GatheredShape {
    fn of(one: &Gathered) -> Self {
        let set = |frames: &[Frame]| FrameSet::from_frames(frames.iter().copied()).to_string();
        let refused = one.refused.iter().map(|(reason, frame)| RefusedShape {
            frame: *frame,
            reason: reason.clone(),
        });
        Self {
            deliverable: one.label.clone(),
            brought: set(&one.brought),
            there: set(&one.there),
            missing: set(&one.missing),
            stale: set(&one.stale),
            unrecorded: set(&one.unrecorded),
            refused: refused.collect(),
        }
    }
}
