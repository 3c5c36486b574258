//! What the steps of the same deliverables share, worked out once.

use std::sync::Arc;

use super::written_name::{StepFiles, WrittenName, written_name};
use super::{ScriptError, ScriptOptions};
use crate::at_least_one::AtLeastOne;
use crate::command::{ArgumentError, Invocation, SharedParts};
use crate::deliverable::{Deliverable, DeliverableId, Expansion};
use crate::frames::FrameSet;
use crate::hex::hex;
use crate::plan::{PlannedProcess, ProcessNaming, label};
use crate::template::PathPattern;

/// What the steps of the same deliverables share.
pub(super) struct ProcessGroup<'e> {
    pub(super) members: AtLeastOne<DeliverableId>,
    pub(super) deliverables: AtLeastOne<&'e Deliverable>,
    pub(super) naming: ProcessNaming,
    pub(super) label: String,
    pub(super) patterns: Vec<PathPattern>,
    /// The folders, where the frame is no part of them.
    pub(super) folders: Option<Arc<[String]>>,
    pub(super) shared: SharedParts,
    /// What it brings, where the files have the same names in every staging folder.
    pub(super) placed: Option<Arc<[StepFiles]>>,
    pub(super) prepared_folder: String,
    pub(super) sources: Option<(PathPattern, FrameSet)>,
}

impl<'e> ProcessGroup<'e> {
    /// What the steps of the deliverables of a process share.
    pub(super) fn of(
        expansion: &'e Expansion,
        planned: &PlannedProcess,
        about: &ScriptOptions<'_>,
    ) -> Result<Self, ScriptError> {
        let members = planned.deliverables.clone();
        let deliverables = planned.members(&expansion.deliverables);
        let one = *deliverables.first();
        let framed = deliverables
            .iter()
            .any(|one| one.pattern.split().0.has_frame());
        let source = one.movie().and_then(|movie| movie.source.as_ref());
        let invocation = Invocation::planned(&one.common.engine, &deliverables, &planned.frames);
        let argument_error = argument_error(&invocation);
        let shared = SharedParts::of(&invocation).map_err(&argument_error)?;
        let patterns: Vec<PathPattern> = deliverables
            .iter()
            .map(|one| about.system.pattern(&one.pattern))
            .collect();
        let placed = if shared.output_names {
            Some(placed(&invocation, &patterns).map_err(&argument_error)?)
        } else {
            None
        };
        Ok(Self {
            naming: ProcessNaming::of(&members, &expansion.deliverables),
            label: label(&deliverables),
            patterns,
            shared,
            placed,
            folders: (!framed).then(|| folders(&deliverables, &planned.frames, about)),
            prepared_folder: format!("{}/truepath-prepared-{}", one.root, scene_mark(one)),
            sources: source.map(|source| {
                let pattern = about.system.pattern(&source.pattern);
                (pattern, source.common.frames.shot.clone())
            }),
            members,
            deliverables,
        })
    }

    /// Whether a process is of these deliverables.
    pub(super) fn is_of(&self, planned: &PlannedProcess) -> bool {
        self.members.is_copy_of(&planned.deliverables)
    }
}

/// The folders of the true names, each once.
pub(super) fn folders(
    deliverables: &[&Deliverable],
    frames: &FrameSet,
    about: &ScriptOptions<'_>,
) -> Arc<[String]> {
    let mut folders: Vec<String> = Vec::new();
    for folder in deliverables.iter().flat_map(|one| one.folders(frames)) {
        let folder = about.system.written(&folder);
        if !folders.contains(&folder) {
            folders.push(folder);
        }
    }
    folders.into()
}

/// What a process brings.
pub(super) fn placed(
    invocation: &Invocation<'_>,
    patterns: &[PathPattern],
) -> Result<Arc<[StepFiles]>, ArgumentError> {
    let mut placed = Vec::with_capacity(patterns.len());
    for (deliverable, pattern) in invocation.deliverables.iter().zip(patterns) {
        let written = match invocation.output_name(deliverable)? {
            Some(written) => written_name(&written),
            None => WrittenName::Any,
        };
        placed.push(StepFiles {
            written,
            pattern: pattern.clone(),
        });
    }
    Ok(placed.into())
}

/// Distinguishes scenes in the name of a folder.
fn scene_mark(one: &Deliverable) -> String {
    use sha2::{Digest, Sha256};
    let scene = one.common.scene.as_ref().map_or("", |scene| &scene.path);
    let hash = Sha256::digest(format!("{} {scene}", one.common.engine.name));
    hex(&hash[..6])
}

/// A mistake in the arguments of an engine.
pub(super) fn argument_error(
    invocation: &Invocation<'_>,
) -> impl Fn(ArgumentError) -> ScriptError + use<> {
    let engine = invocation.profile.name.clone();
    move |error| ScriptError::Arguments {
        engine: engine.clone(),
        error,
    }
}
