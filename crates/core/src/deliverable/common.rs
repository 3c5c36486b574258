//! What the deliverables of one output, shot, variant and view share.

use std::sync::Arc;
use std::time::Duration;

use super::expand::{At, Expander, Shared};
use super::movie::OutputKind;
use super::problem::ProblemKind;
use super::resolve::{template, wanted};
use super::{Common, Limits};
use crate::engine::Takes;
use crate::frames::FrameSet;
use crate::job::{Key, Value};
use crate::layers::Chain;
use crate::source::{Layer, Sourced};

/// What is asked for, and how many deliverables hang on it.
#[derive(Clone, Copy)]
pub(super) struct Asked {
    pub(super) kind: OutputKind,
    pub(super) count: u64,
}

impl<'j> Expander<'j> {
    /// What the deliverables of a chain share; the camera is still to come.
    pub(super) fn common(
        &mut self,
        at: At<'j>,
        chain: &Chain<'j>,
        shared: Shared<'j, '_>,
        asked: Asked,
    ) -> Option<Common> {
        let (mut common, is_unset) = self.common_of_chain(at, chain, asked)?;
        common.variant = shared.variant.cloned();
        common.view = shared.view.cloned();
        common.preset = shared.preset.cloned();
        if let Some(path) = chain.get(Key::Scene).and_then(template) {
            common.scene = Some(self.scene(&path, &common, asked.count)?);
        }
        if is_unset && !self.frames_of_scene(at, chain, &mut common, asked) {
            return None;
        }
        // A movie is made of the whole shot or not at all.
        if asked.kind == OutputKind::Movie && common.chosen.is_empty() {
            return None;
        }
        self.version_of_scene(chain, &mut common, asked.count)
            .then_some(common)
    }

    fn common_of_chain(
        &mut self,
        at: At<'j>,
        chain: &Chain<'j>,
        Asked { kind, count }: Asked,
    ) -> Option<(Common, bool)> {
        let engine = match kind {
            OutputKind::Movie if chain.get(Key::MovieFrom).is_some() => {
                self.encoder(chain, at.output)?
            }
            _ => self.engine(chain, at, count)?,
        };
        let frames = chain.value(Key::Frames, |value| match value {
            Value::Frames(frames) => Some(frames.clone()),
            _ => None,
        });
        // A still of a shot without frames is all that is needed, and so is one picture of an engine
        // that is not told of frames.
        let frames = frames.or_else(|| still(chain, kind)).or_else(|| {
            let is_told = engine.place.is_none() || engine.takes != Takes::Nothing;
            (!is_told).then(|| one_frame(at))
        });
        let is_unset = frames.is_none();
        let (frames, clip, chosen) =
            self.frames(chain, kind, frames.unwrap_or_else(|| one_frame(at)));
        let common = Common {
            shot_index: at.shot_index,
            output_index: at.output_index,
            shot: at.shot.name.clone(),
            output: at.output.name.clone(),
            project: chain.text(Key::Name).map(|name| name.value),
            camera: None,
            variant: None,
            view: None,
            preset: None,
            priority: chain.number(Key::Priority).unwrap_or(0),
            env: chain.merged(Key::Env),
            engine,
            scene: None,
            clip,
            frames,
            chosen,
            version: chain.number(Key::Version),
            fps: chain.text(Key::Fps).map(|fps| fps.value),
            threads: chain.number(Key::Threads),
            limits: limits(chain),
            chunk: chunk(chain),
            spread: chain
                .text(Key::Order)
                .is_some_and(|order| order.value == "spread"),
            allows_unverifiable: chain
                .text(Key::Unverifiable)
                .is_some_and(|word| word.value == "allow"),
            project_values: Arc::clone(&self.project_values),
        };
        Some((common, is_unset))
    }

    /// The frames of an output, those of its shot, and those that are chosen.
    fn frames(
        &self,
        chain: &Chain<'j>,
        kind: OutputKind,
        frames: Sourced<FrameSet>,
    ) -> (Sourced<FrameSet>, FrameSet, FrameSet) {
        let still = still(chain, kind);
        let clip = frames.value.clone();
        let asked_for = match &still {
            Some(still) => still.value.clone(),
            None => wanted(chain, &clip),
        };
        let chosen = match &self.selection.frames {
            None => asked_for,
            // Both sets were read from short texts, so what they share is never too intricate.
            Some(asked) => asked_for.intersection(asked).unwrap_or_default(),
        };
        let (frames, chosen) = match kind {
            OutputKind::Sequence => (frames, chosen),
            OutputKind::Still => (still.unwrap_or(frames), chosen),
            OutputKind::Movie => {
                let whole = chosen == clip;
                let first = FrameSet::from_frames(clip.first());
                let chosen = if whole {
                    first.clone()
                } else {
                    FrameSet::empty()
                };
                (frames.with(first), chosen)
            }
        };
        (frames, clip, chosen)
    }

    /// Takes the frames that the scene has, where somebody told; else that is a problem.
    fn frames_of_scene(
        &mut self,
        at: At<'j>,
        chain: &Chain<'j>,
        common: &mut Common,
        Asked { kind, count }: Asked,
    ) -> bool {
        let scene = common.scene.as_ref();
        let told = scene.and_then(|scene| self.around.scene_frames.get(&scene.path));
        if let Some(frames) = told {
            let frames = one_frame(at).with(frames.clone());
            let (frames, clip, chosen) = self.frames(chain, kind, frames);
            (common.frames, common.clip, common.chosen) = (frames, clip, chosen);
            return true;
        }
        if let Some(scene) = scene {
            let unknown = (Arc::clone(&common.engine), scene.path.clone());
            self.expansion.without_frames.push(unknown);
        }
        let place = at.shot.name_place.clone();
        self.problem(ProblemKind::Unset(Key::Frames), place, count);
        false
    }
}

/// The frame of a still.
fn still(chain: &Chain<'_>, kind: OutputKind) -> Option<Sourced<FrameSet>> {
    let still = chain.value(Key::Still, |value| match value {
        Value::Number(frame) => Some(FrameSet::range(*frame, *frame)),
        _ => None,
    });
    still.filter(|_| kind == OutputKind::Still)
}

/// One frame that nobody set.
fn one_frame(at: At<'_>) -> Sourced<FrameSet> {
    Sourced {
        value: FrameSet::range(1, 1),
        layer: Layer::BuiltIn,
        place: at.shot.name_place.clone(),
    }
}

fn limits(chain: &Chain<'_>) -> Limits {
    let number = |key| {
        chain
            .number(key)
            .and_then(|number| u32::try_from(number).ok())
    };
    Limits {
        start: duration(chain, Key::StartTimeout),
        frame: duration(chain, Key::FrameTimeout),
        silence: duration(chain, Key::SilenceTimeout),
        retries: number(Key::Retries).unwrap_or(2),
        retry_pause: duration(chain, Key::RetryPause).unwrap_or(Duration::from_secs(5)),
        checkpoint_every: duration(chain, Key::CheckpointEvery).unwrap_or(Duration::from_secs(600)),
        checkpoint_keep: number(Key::CheckpointKeep).map_or(3, |number| number.max(1) as usize),
    }
}

fn duration(chain: &Chain<'_>, key: Key) -> Option<Duration> {
    chain
        .value(key, |value| match value {
            Value::Duration(length) => Some(*length),
            _ => None,
        })
        .map(|length| length.value)
}

/// The most frames of one process: said, or so many that its start takes at most a tenth of it.
fn chunk(chain: &Chain<'_>) -> Option<u64> {
    if let Some(chunk) = chain.number(Key::Chunk).filter(|chunk| *chunk > 0) {
        return u64::try_from(chunk).ok();
    }
    let start = duration(chain, Key::StartUp)?.as_secs_f64();
    let frame = duration(chain, Key::FrameTime)?.as_secs_f64();
    Some((start * 9.0 / frame).ceil().clamp(1.0, 1e9) as u64)
}
