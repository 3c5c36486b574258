//! What `truepath run --dry-run --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::deliverable::Deliverable;
use truepath_runner::make::run::Foreseen;

use super::VERSION;

/// What a run would do about each wanted file. Sets of frames are written as `1-9,12`
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DryRunShape {
    /// The version of this shape
    version: u32,
    /// Files that are wanted
    wanted: u64,
    /// Files that would be made
    to_make: u64,
    /// In the order of the job
    deliverables: Vec<ForeseenShape>,
}

/// What would be done about the files of a deliverable
#[derive(Debug, Serialize, JsonSchema)]
struct ForeseenShape {
    /// Its shot, variant, view, camera, pass and output
    deliverable: String,
    /// The pattern of its paths
    path: String,
    /// Made where nothing is
    made: String,
    /// Made; the file that is there is removed once its successor is verified
    replaced: String,
    /// Made; the file that is there is kept in the folder set-aside beside it
    set_aside: String,
    /// Kept, and valid
    kept: String,
    /// Kept, and not valid
    kept_not_valid: String,
    /// Not made, with the reason
    not_made: Vec<NotMadeShape>,
    /// In the way of a run that must not begin then
    refused: String,
}

/// Frames that are not made
#[derive(Debug, Serialize, JsonSchema)]
struct NotMadeShape {
    frames: String,
    reason: String,
}

impl DryRunShape {
    pub(crate) fn of(deliverables: &[Deliverable], foreseen: &[Foreseen]) -> Self {
        let shape = |(one, foreseen): (&Deliverable, &Foreseen)| ForeseenShape {
            deliverable: one.label(),
            path: one.pattern.sketch(),
            made: foreseen.made.to_string(),
            replaced: foreseen.replaced.to_string(),
            set_aside: foreseen.set_aside.to_string(),
            kept: foreseen.kept.to_string(),
            kept_not_valid: foreseen.reported.to_string(),
            not_made: foreseen
                .not_made
                .iter()
                .map(|(reason, frames)| NotMadeShape {
                    frames: frames.to_string(),
                    reason: reason.clone(),
                })
                .collect(),
            refused: foreseen.refused.to_string(),
        };
        Self {
            version: VERSION,
            wanted: deliverables.iter().map(|one| one.files().count()).sum(),
            to_make: foreseen.iter().map(|one| one.to_make().count()).sum(),
            deliverables: deliverables.iter().zip(foreseen).map(shape).collect(),
        }
    }
}
