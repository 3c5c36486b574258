//! Resolves what deliverables of one request share: engine, frames, scene, version.

use std::sync::Arc;
use std::time::Duration;

use super::context::Context;
use super::engine::JobEngines;
use super::request::{OutputKind, OutputRequest};
use super::version::version_of_scene;
use super::{
    Common, Expansion, Frames, Limits, Names, PathTemplate, ProblemKind, Processes, Scene,
};
use crate::frames::FrameSet;
use crate::job::{FramesToRender, Key, PlacedText};
use crate::precedence::Chain;
use crate::profile::{FramesPerProcess, Profile};
use crate::source::{Level, Sourced};
use crate::split::{Split, SplitWord};

impl<'j> Context<'j> {
    /// What the deliverables of a request share, for one camera; what stands in the way is reported.
    pub(super) fn common(
        &self,
        request: &OutputRequest<'j>,
        chain: &Chain<'j>,
        engines: &mut JobEngines,
        expansion: &mut Expansion,
    ) -> Option<Common> {
        let count = request.deliverables();
        let engine = engines.of(self, request, chain, expansion)?;
        let frames = known_frames(request, chain, &engine);
        // Names in the scene's path may need the frames of the shot.
        let known_or_one = frames.clone().unwrap_or_else(|| one_frame(request));
        let mut common = Common {
            shot_index: request.shot_index,
            output_index: request.output_index,
            names: Names {
                project: chain.value(Key::Name),
                shot: request.shot.name.clone(),
                output: request.output.name.clone(),
                variant: request.variant.cloned(),
                view: request.view.cloned(),
                camera: None,
                preset: request.preset.clone(),
                version: chain.value(Key::Version),
            },
            frames: self.frames(chain, request.kind, known_or_one),
            processes: processes(chain, &engine),
            engine,
            scene: None,
            scene_files: Arc::default(),
            fps: chain.value(Key::Fps),
            allows_unverifiable: chain.value::<String>(Key::Unverifiable).as_deref()
                == Some("allow"),
            project_values: Arc::clone(&self.project_values),
        };
        if let Some(path) = chain.setting(Key::Scene).and_then(PathTemplate::of_setting) {
            common.scene = Some(self.file(&path, &common, count, expansion)?);
        }
        if let Some(paths) = chain.value::<Vec<PathTemplate>>(Key::SceneFiles) {
            let mut file = |path| self.file(path, &common, count, expansion);
            let files: Option<Vec<Scene>> = paths.iter().map(&mut file).collect();
            common.scene_files = files?.into();
        }
        if frames.is_none() {
            let frames = self.frames_of_scene(request, &common, expansion)?;
            common.frames = self.frames(chain, request.kind, frames);
        }
        // A movie is made of the whole shot or not at all.
        if request.kind == OutputKind::Movie && common.frames.selected.is_empty() {
            return None;
        }
        version_of_scene(chain, &mut common, count, expansion).then_some(common)
    }

    /// The frames of a shot as an output has them.
    fn frames(&self, chain: &Chain<'j>, kind: OutputKind, frames: Sourced<FrameSet>) -> Frames {
        let still = still(chain, kind);
        let shot = frames.value.clone();
        let wanted = match &still {
            Some(still) => still.value.clone(),
            None => frames_to_render(chain, &shot),
        };
        let selected = match &self.selection.frames {
            None => wanted,
            // Both sets were read from short texts, so what they share is never too intricate.
            Some(asked) => wanted.intersection(asked).unwrap_or_default(),
        };
        let is_sample = chain.value(Key::Only) == Some(FramesToRender::FirstMiddleLast);
        let (files, selected) = match kind {
            OutputKind::Sequence => (frames, selected),
            OutputKind::Still => (still.unwrap_or(frames), selected),
            OutputKind::Movie => {
                let first = FrameSet::from_frames(shot.first());
                let selected = if selected == shot {
                    first.clone()
                } else {
                    FrameSet::empty()
                };
                (frames.with(first), selected)
            }
        };
        Frames {
            shot,
            files,
            selected,
            is_sample,
        }
    }

    /// The frames that the scene has, where somebody asked it; else that is a problem.
    fn frames_of_scene(
        &self,
        request: &OutputRequest<'j>,
        common: &Common,
        expansion: &mut Expansion,
    ) -> Option<Sourced<FrameSet>> {
        if let Some(scene) = &common.scene {
            if let Some(frames) = self.around.scene_frames.get(&scene.path) {
                return Some(one_frame(request).with(frames.clone()));
            }
            let unknown = (Arc::clone(&common.engine), scene.path.clone());
            expansion.without_frames.push(unknown);
        }
        let place = request.shot.name_place.clone();
        expansion.report(
            ProblemKind::Unset(Key::Frames),
            place,
            request.deliverables(),
        );
        None
    }
}

/// The frames of a shot as the job sets them; none where the scene has to provide them.
fn known_frames(
    request: &OutputRequest<'_>,
    chain: &Chain<'_>,
    engine: &Profile,
) -> Option<Sourced<FrameSet>> {
    let frames = chain.get(Key::Frames);
    // A still of a shot without frames is all that is needed, and so is one picture of an engine that
    // takes no frames.
    frames.or_else(|| still(chain, request.kind)).or_else(|| {
        let takes_none = engine.place.is_some() && engine.takes == FramesPerProcess::Nothing;
        takes_none.then(|| one_frame(request))
    })
}

/// The frame of a still.
fn still(chain: &Chain<'_>, kind: OutputKind) -> Option<Sourced<FrameSet>> {
    let still = chain.get::<i64>(Key::Still);
    let still = still.filter(|_| kind == OutputKind::Still)?;
    Some(still.map(|frame| FrameSet::range(frame, frame)))
}

/// One frame that nobody set.
fn one_frame(request: &OutputRequest<'_>) -> Sourced<FrameSet> {
    Sourced {
        value: FrameSet::range(1, 1),
        level: Level::BuiltIn,
        place: request.shot.name_place.clone(),
    }
}

/// The frames that a preset asks for, of those of the shot.
fn frames_to_render(chain: &Chain<'_>, frames: &FrameSet) -> FrameSet {
    match chain.value(Key::Only) {
        Some(FramesToRender::FirstMiddleLast) => FrameSet::from_frames(
            [
                frames.first(),
                frames.nth(frames.count().saturating_sub(1) / 2),
                frames.last(),
            ]
            .into_iter()
            .flatten(),
        ),
        Some(FramesToRender::All) | None => frames.clone(),
    }
}

fn processes(chain: &Chain<'_>, engine: &Profile) -> Processes {
    let small = |key| {
        let number = chain.value::<u64>(key);
        number.and_then(|number| u32::try_from(number).ok())
    };
    let said = chain.value::<String>(Key::Split);
    let said = said.and_then(|word| SplitWord::of_word(&word));
    Processes {
        split: said.or(engine.split).map_or(Split::Unknown, Split::Said),
        priority: chain.value(Key::Priority).unwrap_or(0),
        env: chain.merged(Key::Env),
        secret: chain
            .value::<Vec<PlacedText>>(Key::Secret)
            .unwrap_or_default()
            .into(),
        threads: chain.value(Key::Threads),
        chunk: chunk(chain),
        is_chunk_set: chain.value::<u64>(Key::Chunk).is_some(),
        spread: chain.value::<String>(Key::Order).as_deref() == Some("spread"),
        limits: Limits {
            start: chain.value(Key::StartTimeout),
            frame: chain.value(Key::FrameTimeout),
            silence: chain.value(Key::SilenceTimeout),
            retries: small(Key::Retries).unwrap_or(2),
            retry_pause: chain
                .value(Key::RetryPause)
                .unwrap_or(Duration::from_secs(5)),
            checkpoint_every: chain
                .value(Key::CheckpointEvery)
                .unwrap_or(Duration::from_secs(600)),
            keeps_stopped: chain.value(Key::StopAtGoOn) == Some(true),
            checkpoint_keep: small(Key::CheckpointKeep).map_or(3, |number| number.max(1) as usize),
        },
    }
}

/// The most frames of one process: as set, or so many that its start takes at most a tenth of it.
fn chunk(chain: &Chain<'_>) -> Option<u64> {
    if let Some(chunk) = chain.value::<u64>(Key::Chunk).filter(|chunk| *chunk > 0) {
        return Some(chunk);
    }
    let start = chain.value::<Duration>(Key::StartUp)?.as_secs_f64();
    let frame = chain.value::<Duration>(Key::FrameTime)?.as_secs_f64();
    Some((start * 9.0 / frame).ceil().clamp(1.0, 1e9) as u64)
}
