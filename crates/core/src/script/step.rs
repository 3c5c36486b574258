//! A step of a script: one process, what it needs, and where its files go.

use std::sync::Arc;

use super::process_group::{ProcessGroup, argument_error, folders, placed};
use super::written_name::{StepFiles, true_name};
use super::{ScriptError, ScriptOptions};
use crate::command::{Invocation, ProcessSpec};
use crate::frames::FrameSet;
use crate::plan::PlannedProcess;
use crate::profile::Naming as EngineNaming;
use crate::template::PathPattern;

/// One process, what it needs, and where its files go. Paths are written as the system has them.
#[derive(Debug, Clone)]
pub struct Step {
    /// Its name, which no other step has: letters, digits and `-`.
    pub name: String,
    /// What it makes, in words.
    pub title: String,
    /// The folder of its log and its staging folder.
    pub folder: String,
    /// The folders of the true names, each once.
    pub folders: Arc<[String]>,
    /// Its staging folder.
    pub staging: String,
    /// How it is started; the program as it is called there.
    pub spec: ProcessSpec,
    /// The set-up script whose environment it needs.
    pub set_up: Option<String>,
    /// Exit codes, besides 0, that mean success.
    pub success_codes: Vec<i64>,
    /// Whether it finishes each frame before it begins the next.
    pub in_order: bool,
    /// What has to be made of its scene before.
    pub preparing: Option<Preparing>,
    /// What it brings.
    pub placed: Arc<[StepFiles]>,
    /// Of a movie the frames that it is assembled from, all of which must be there.
    pub sources: Option<(PathPattern, FrameSet)>,
    /// The engine's name.
    pub engine: String,
    /// Where the engine writes, when that is where the scene says.
    pub writes_elsewhere: bool,
    /// The frames that it makes of each.
    pub frames: FrameSet,
}

/// What has to be made of a scene once.
#[derive(Debug, Clone)]
pub struct Preparing {
    /// The folder of the result, which no other scene has.
    pub folder: String,
    /// The result.
    pub result: String,
    /// The program.
    pub program: String,
    /// Its arguments.
    pub arguments: Vec<String>,
    /// Whether it stays when all is done.
    pub keep: bool,
}

impl Step {
    /// The step of a process.
    ///
    /// # Errors
    /// When its arguments cannot be written.
    pub(super) fn of(
        group: &ProcessGroup<'_>,
        planned: &PlannedProcess,
        about: &ScriptOptions<'_>,
    ) -> Result<Self, ScriptError> {
        let deliverables = &group.deliverables;
        let one = *deliverables.first();
        let profile = &one.common.engine;
        let frames = &planned.frames;
        let above = folder_of(&one.path(frames.first().unwrap_or(0)));
        let name = format!(
            "{}-{}",
            group.naming.name(frames),
            group.naming.identity(frames)
        );
        let staging = format!("{above}/truepath-{name}");
        let rendered = planned.rendered();
        let scouting = Invocation {
            profile,
            deliverables,
            frames: &rendered,
            staging: &staging,
            prepared: None,
            threads: None,
        };
        let argument_error = argument_error(&scouting);
        let prepared_folder = &group.prepared_folder;
        let result = scouting
            .prepared_name()
            .map_err(&argument_error)?
            .map(|name| format!("{prepared_folder}/{name}"));
        let invocation = Invocation {
            prepared: result.as_deref(),
            ..scouting
        };
        let mut spec = invocation
            .spec_beside(&group.shared)
            .map_err(&argument_error)?;
        let called = |program: &str| {
            let known = about.programs.iter().find(|(name, _)| name == program);
            known.map_or_else(|| program.to_owned(), |(_, called)| called.clone())
        };
        spec.program = called(&spec.program);
        let written = |path: &str| about.system.written(path);
        spec.folder = spec.folder.as_deref().map(written);
        let preparing = match (invocation.preparation().map_err(&argument_error)?, &result) {
            (Some((program, arguments)), Some(result)) => Some(Preparing {
                folder: written(prepared_folder),
                result: written(result),
                program: called(&program),
                arguments,
                keep: profile.prepare.as_ref().is_some_and(|step| step.keep),
            }),
            _ => None,
        };
        let placed = match &group.placed {
            Some(placed) => Arc::clone(placed),
            None => placed(&invocation, &group.patterns).map_err(&argument_error)?,
        };
        let title = if one.movie().is_some() {
            format!("{}, the movie", group.label)
        } else if planned.besides.is_empty() {
            format!("{}, frames {frames}", group.label)
        } else {
            format!(
                "{}, frames {frames} of the clip {rendered}, which is rendered whole",
                group.label
            )
        };
        let folders = match &group.folders {
            Some(folders) => Arc::clone(folders),
            None => folders(deliverables, frames, about),
        };
        let step = Self {
            name,
            title,
            folder: written(&above),
            folders,
            staging: written(&staging),
            set_up: profile.set_up.clone(),
            success_codes: profile.success_codes.clone(),
            in_order: profile.in_order,
            preparing,
            placed,
            sources: group.sources.clone(),
            engine: profile.name.clone(),
            writes_elsewhere: profile.writes.is_some()
                && matches!(profile.naming, EngineNaming::Learned),
            frames: frames.clone(),
            spec,
        };
        step.fits(about)?;
        Ok(step)
    }

    /// Tells that a shell cannot do what the engine needs.
    pub(super) fn beyond(&self, needs: &'static str, shell: &'static str) -> ScriptError {
        ScriptError::Beyond {
            engine: self.engine.clone(),
            needs,
            shell,
        }
    }

    /// Sees that it needs nothing that only scripts for POSIX shells can do.
    pub(super) fn is_plain(&self, shell: &'static str) -> Result<(), ScriptError> {
        let needs = [
            (self.writes_elsewhere, "writes where its scene says"),
            (!self.spec.links.is_empty(), "needs links"),
            (!self.spec.files.is_empty(), "needs files written for it"),
            (
                self.set_up.is_some(),
                "needs a set-up script of a POSIX shell",
            ),
            (self.preparing.is_some(), "needs a preparing step"),
        ];
        match needs.into_iter().find(|(needed, _)| *needed) {
            Some((_, needs)) => Err(self.beyond(needs, shell)),
            None => Ok(()),
        }
    }

    /// A true name as the shells know it: the text before the frame, the text after it, and the
    /// digits.
    pub(super) fn true_name(
        &self,
        pattern: &PathPattern,
        shell: &'static str,
    ) -> Result<(String, String, u8), ScriptError> {
        true_name(pattern)
            .ok_or_else(|| self.beyond("has the frame more than once in its paths", shell))
    }

    /// The words of its command: program and arguments.
    pub fn words(&self) -> impl Iterator<Item = &str> {
        std::iter::once(self.spec.program.as_str())
            .chain(self.spec.arguments.iter().map(String::as_str))
    }

    /// Sees that the system takes a command so long. Linux takes 128 KiB an argument and 2 MiB in
    /// all (execve(2), for the usual stack), Windows 32 767 characters (`CreateProcess`), macOS
    /// 1 MiB (`ARG_MAX`).
    fn fits(&self, about: &ScriptOptions<'_>) -> Result<(), ScriptError> {
        use crate::system::System;
        let bytes: usize = self.words().map(|word| word.len() + 1).sum();
        let longest = self.words().map(|word| word.len() + 1).max().unwrap_or(0);
        let (limit, length) = match about.system {
            System::Windows => (
                32_767,
                self.words().map(|word| word.chars().count() + 3).sum(),
            ),
            System::Linux if longest > 131_072 => (131_072, longest),
            System::Linux => (2_000_000, bytes),
            System::Macos => (1_000_000, bytes),
        };
        if length <= limit {
            return Ok(());
        }
        Err(ScriptError::TooLong {
            step: self.title.clone(),
            length,
            unit: if about.system == System::Windows {
                "characters"
            } else {
                "bytes"
            },
            system: about.system.word(),
            limit,
        })
    }
}

fn folder_of(path: &str) -> String {
    path.rsplit_once('/')
        .map_or("", |(above, _)| above)
        .to_owned()
}
