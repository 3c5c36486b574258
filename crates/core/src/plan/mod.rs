//! The plan: the processes to start, in order.
//!
//! ```
//! use truepath_core::deliverable::{DeliverableId, Selection, Surroundings, expand};
//! use truepath_core::job::{no_files, read};
//! use truepath_core::plan::plan;
//! use truepath_core::profile::Profiles;
//!
//! let job = r#"
//! scene  = "dawn.scene"
//! frames = "1-10"
//! chunk  = 4
//! split  = "free"
//! path   = "renders/{shot}.{frame:04}.png"
//! run    = ["myrender", "{scene.file}", "{first}", "{last}", "{target}"]
//! "#;
//! let reading = read("truepath.toml", job, &[], &mut no_files);
//! let around = Surroundings::of_folder("/show", Profiles::default());
//! let expansion = expand(&reading.job, &around, &Selection::default());
//! let all = |id: DeliverableId| expansion.deliverables[id].common.frames.selected.clone();
//! let chunks: Vec<String> = plan(&expansion, &all)
//!     .iter()
//!     .map(|process| process.frames.to_string())
//!     .collect();
//! assert_eq!(chunks, ["1-4", "5-8", "9-10"]);
//! ```

mod blocks;
mod order;

use std::collections::HashMap;
use std::sync::Arc;

use sha2::{Digest, Sha256};

pub use blocks::Blocks;
pub use order::spread;
use order::{by_turns, permuted};

use crate::at_least_one::AtLeastOne;
use crate::deliverable::{Deliverable, DeliverableId, Expansion};
use crate::frames::FrameSet;
use crate::hex::hex;
use crate::job::PlacedText;

/// One process to start. Its arguments are written out on demand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlannedProcess {
    /// Indices of the deliverables that it makes, all of one shot, output, camera and engine.
    pub deliverables: AtLeastOne<DeliverableId>,
    /// The frames that it makes of each.
    pub frames: FrameSet,
    /// Frames that it renders besides, since its clip may not be split; they are thrown away.
    pub besides: FrameSet,
}

impl PlannedProcess {
    /// The process that makes some frames and nothing else.
    #[must_use]
    pub fn of(deliverables: AtLeastOne<DeliverableId>, frames: FrameSet) -> Self {
        Self {
            deliverables,
            frames,
            besides: FrameSet::empty(),
        }
    }

    /// The process that makes some frames of a clip that may not be split: it renders all of the clip.
    #[must_use]
    pub fn of_clip(
        deliverables: AtLeastOne<DeliverableId>,
        frames: FrameSet,
        all: &[Deliverable],
    ) -> Self {
        let clip = all[*deliverables.first()].clip();
        let besides = clip.difference(&frames).unwrap_or_default();
        Self {
            deliverables,
            frames,
            besides,
        }
    }

    /// Other frames of the same deliverables.
    #[must_use]
    pub fn with_frames(&self, frames: FrameSet) -> Self {
        Self::of(self.deliverables.clone(), frames)
    }

    /// All frames that it renders.
    #[must_use]
    pub fn rendered(&self) -> FrameSet {
        if self.besides.is_empty() {
            return self.frames.clone();
        }
        let all = self.frames.union(&self.besides);
        all.unwrap_or_else(|_| self.frames.clone())
    }

    /// How many files it makes.
    #[must_use]
    pub fn files(&self) -> u64 {
        self.frames.count() * self.deliverables.len() as u64
    }

    /// What it makes.
    #[must_use]
    pub fn members<'a>(&self, deliverables: &'a [Deliverable]) -> AtLeastOne<&'a Deliverable> {
        self.deliverables.map(|index| &deliverables[*index])
    }

    /// The first of what it makes: what all of it shares is asked of that.
    #[must_use]
    pub fn first<'a>(&self, deliverables: &'a [Deliverable]) -> &'a Deliverable {
        &deliverables[*self.deliverables.first()]
    }

    /// Distinguishes it from every other, on every machine and in every run: twelve hexadecimal digits of a
    /// hash of what it makes.
    #[must_use]
    pub fn identity(&self, deliverables: &[Deliverable]) -> String {
        ProcessNaming::of(&self.deliverables, deliverables).identity(&self.frames)
    }

    /// A short name for logs and folders, of ASCII letters, digits and `-`.
    #[must_use]
    pub fn name(&self, deliverables: &[Deliverable]) -> String {
        ProcessNaming::of(&self.deliverables, deliverables).name(&self.frames)
    }
}

/// What some deliverables of one process are, in a few words.
#[must_use]
pub fn label(deliverables: &[&Deliverable]) -> String {
    let label = deliverables
        .first()
        .map_or_else(String::new, |one| one.label());
    match deliverables.len() {
        0 | 1 => label,
        several => format!("{label} and {} more", several - 1),
    }
}

/// What the names of the processes of some deliverables share.
#[derive(Debug, Clone)]
pub struct ProcessNaming {
    name: String,
    hash: Sha256,
}

impl ProcessNaming {
    /// What they share.
    #[must_use]
    pub fn of(members: &AtLeastOne<DeliverableId>, deliverables: &[Deliverable]) -> Self {
        let mut hash = Sha256::new();
        for index in members.iter() {
            let one = &deliverables[*index];
            // Where the place lies on this machine is no part of it.
            let path = one.pattern.sketch();
            hash.update(path.strip_prefix(&*one.root).unwrap_or(&path));
            hash.update([0]);
        }
        let one = &deliverables[*members.first()];
        let common = &one.common;
        let pass = one.pass.as_ref().filter(|_| members.len() == 1);
        let mut name = String::new();
        for word in [
            Some(common.names.shot.as_str()),
            PlacedText::text_of(common.names.variant.as_ref()),
            PlacedText::text_of(common.names.view.as_ref()),
            PlacedText::text_of(common.names.camera.as_ref()),
            Some(common.names.output.as_str()),
            PlacedText::text_of(pass),
        ]
        .into_iter()
        .flatten()
        {
            let plain: String = word
                .chars()
                .map(|c| if c.is_ascii_alphanumeric() { c } else { '-' })
                .take(24)
                .collect();
            name.push_str(plain.trim_matches('-'));
            name.push('-');
        }
        Self { name, hash }
    }

    /// The identity of the process of some frames.
    #[must_use]
    pub fn identity(&self, frames: &FrameSet) -> String {
        let mut hash = self.hash.clone();
        hash.update(frames.to_string());
        hex(&hash.finalize()[..6])
    }

    /// The name of the process of some frames.
    #[must_use]
    pub fn name(&self, frames: &FrameSet) -> String {
        let (first, last) = (frames.first().unwrap_or(0), frames.last().unwrap_or(0));
        if first == last {
            format!("{}{first}", self.name)
        } else {
            format!("{}{first}-{last}", self.name)
        }
    }
}

/// The processes that make all chosen frames, in the order in which they are done.
#[must_use]
pub fn whole_plan(expansion: &Expansion) -> Vec<PlannedProcess> {
    plan(expansion, &|index| {
        expansion.deliverables[index].common.frames.selected.clone()
    })
}

/// The processes that make the wanted frames of each deliverable, in the order in which they are
/// done; `wanted` gives the frames of the deliverable with an index. What is assembled of others comes
/// right after the last process of these. A clip is split only where the job, the profile or an earlier run
/// says that it may be.
#[must_use]
pub fn plan(
    expansion: &Expansion,
    wanted: &dyn Fn(DeliverableId) -> FrameSet,
) -> Vec<PlannedProcess> {
    plan_as(expansion, wanted, &|index| {
        expansion.deliverables[index].is_planned_in_pieces()
    })
}

/// The same, where `in_pieces` says whose clips are split.
#[must_use]
pub fn plan_as(
    expansion: &Expansion,
    wanted: &dyn Fn(DeliverableId) -> FrameSet,
    in_pieces: &dyn Fn(DeliverableId) -> bool,
) -> Vec<PlannedProcess> {
    let all = &expansion.deliverables;
    let mut groups: Vec<(AtLeastOne<DeliverableId>, FrameSet)> = Vec::new();
    let mut assembled = Vec::new();
    for (index, deliverable) in DeliverableId::with_each(all) {
        let frames = wanted(index);
        if frames.is_empty() || deliverable.common.engine.is_absent {
            continue;
        }
        if deliverable.is_assembled() {
            assembled.push((index, frames));
            continue;
        }
        let together = deliverable.common.engine.takes_all_passes();
        // Passes of one output stand side by side, so the search never goes far back.
        let mate = groups
            .iter_mut()
            .rev()
            .take_while(|(members, _)| {
                together && Arc::ptr_eq(&all[*members.first()].common, &deliverable.common)
            })
            .find(|(members, known)| {
                alike(&all[*members.first()], deliverable) && *known == frames
            });
        match mate {
            Some((members, _)) => members.push(index),
            None => groups.push((AtLeastOne::one(index), frames)),
        }
    }
    let mut plan = Vec::new();
    let manner = |group: &(AtLeastOne<DeliverableId>, FrameSet)| {
        let common = &all[*group.0.first()].common;
        (common.processes.spread, common.processes.priority)
    };
    for row in groups.chunk_by(|one, other| manner(one) == manner(other)) {
        let pieces = row.iter().map(|(members, frames)| {
            if in_pieces(*members.first()) {
                pieces(all, members, frames)
            } else {
                let members = members.clone();
                vec![PlannedProcess::of_clip(members, frames.clone(), all)]
            }
        });
        if manner(&row[0]).0 {
            plan.extend(by_turns(pieces.collect()));
        } else {
            plan.extend(pieces.flatten());
        }
    }
    // A movie may be of pictures that are assembled themselves.
    let (movies, pictures) = assembled
        .into_iter()
        .partition(|(index, _)| all[*index].movie().is_some());
    with_assembled(all, with_assembled(all, plan, pictures), movies)
}

/// The processes of deliverables that share them.
fn pieces(
    all: &[Deliverable],
    members: &AtLeastOne<DeliverableId>,
    frames: &FrameSet,
) -> Vec<PlannedProcess> {
    let common = &all[*members.first()].common;
    let takes = common.engine.takes;
    let mut pieces = match (common.processes.spread, common.processes.chunk) {
        // Without chunks the ends and the middle come first, and then all the rest.
        (true, None) if frames.count() > 3 => {
            let ends = [
                frames.nth(0),
                frames.nth(frames.count() - 1),
                frames.nth((frames.count() - 1) / 2),
            ];
            let ends: Vec<FrameSet> = ends
                .into_iter()
                .flatten()
                .map(|one| FrameSet::range(one, one))
                .collect();
            let rest = ends.iter().fold(frames.clone(), |rest, one| {
                rest.difference(one).unwrap_or(rest)
            });
            let rest = takes.cut(&common.frames.shot, &rest, None);
            ends.into_iter().chain(rest).collect()
        }
        (_, chunk) => takes.cut(&common.frames.shot, frames, chunk),
    };
    if common.processes.spread && common.processes.chunk.is_some() {
        let order = spread(pieces.len());
        pieces = permuted(pieces, &order);
    }
    let Some(deliverables) = AtLeastOne::new(members.to_vec()) else {
        return Vec::new();
    };
    pieces
        .into_iter()
        .map(|frames| PlannedProcess::of(deliverables.clone(), frames))
        .collect()
}

/// Puts the processes of what is assembled right after the last process of what it is assembled of.
fn with_assembled(
    all: &[Deliverable],
    plan: Vec<PlannedProcess>,
    assembled: Vec<(DeliverableId, FrameSet)>,
) -> Vec<PlannedProcess> {
    if assembled.is_empty() {
        return plan;
    }
    let mut last: HashMap<DeliverableId, usize> = HashMap::new();
    for (at, planned) in plan.iter().enumerate() {
        last.extend(planned.deliverables.iter().map(|index| (*index, at)));
    }
    let last: HashMap<String, usize> = last
        .into_iter()
        .map(|(index, at)| (all[index].pattern.sketch(), at))
        .collect();
    let mut after: HashMap<usize, Vec<PlannedProcess>> = HashMap::new();
    let mut ready = Vec::new();
    for (index, frames) in assembled {
        let one = &all[index];
        let sources = one.sources(frames.first().unwrap_or(0)).into_iter();
        let last_of_sources = sources
            .filter_map(|(source, _)| last.get(&source.pattern.sketch()))
            .max();
        // Where there is none, these are there, or somebody else's work.
        let place = last_of_sources.map_or(&mut ready, |at| after.entry(*at).or_default());
        place.extend(pieces(all, &AtLeastOne::one(index), &frames));
    }
    let mut out = Vec::with_capacity(plan.len());
    for (at, planned) in plan.into_iter().enumerate() {
        out.push(planned);
        out.extend(after.remove(&at).into_iter().flatten());
    }
    out.extend(ready);
    out
}

/// Whether one process can make two passes of an output: the same but for the path.
fn alike(one: &Deliverable, other: &Deliverable) -> bool {
    // What goes into one file comes out of one process of its own.
    one.planes.len() == 1
        && other.planes.len() == 1
        && one.picture.requirements() == other.picture.requirements()
        && one
            .settings
            .iter()
            .map(|(key, word)| (key, &word.text))
            .eq(other.settings.iter().map(|(key, word)| (key, &word.text)))
}
