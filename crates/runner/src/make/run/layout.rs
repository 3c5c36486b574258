//! The chunks of a run: what is missing, cut as the job, the profile and what was found allow it.

use std::collections::{HashMap, VecDeque};

use truepath_core::deliverable::{DeliverableId, Expansion};
use truepath_core::frames::FrameSet;
use truepath_core::plan::{Blocks, PlannedProcess, plan_as};

use super::chunk_queue::{Chunk, Purpose};
use super::context::RunContext;
use super::existing_files::Backlog;

/// The chunks of which something is missing when the run begins. They are those of all that is selected, so that every
/// run of the same job has the same. A clip of which nobody knows whether it may be split is one, to find it out.
pub(super) fn first_chunks(context: &RunContext<'_>, backlog: &Backlog) -> Vec<Chunk> {
    let expansion = context.expansion;
    let selected =
        |index: DeliverableId| expansion.deliverables[index].common.frames.selected.clone();
    let in_pieces = |index: DeliverableId| {
        !context.is_split_to_be_found(index) && expansion.deliverables[index].is_planned_in_pieces()
    };
    let planned = plan_as(expansion, &selected, &in_pieces);
    chunks(context, backlog, planned, &|first| {
        if context.is_split_to_be_found(first) {
            Purpose::FindSplit
        } else if in_pieces(first) {
            Purpose::Pieces
        } else {
            Purpose::Clip
        }
    })
}

/// The chunks of a clip of which it was found whether it may be split.
pub(super) fn chunks_of(
    context: &RunContext<'_>,
    backlog: &Backlog,
    clip: &PlannedProcess,
    is_free: bool,
) -> Vec<Chunk> {
    let expansion = context.expansion;
    let selected = |index: DeliverableId| {
        if clip.deliverables.contains(&index) {
            expansion.deliverables[index].common.frames.selected.clone()
        } else {
            FrameSet::empty()
        }
    };
    let in_pieces =
        |index: DeliverableId| is_free || expansion.deliverables[index].common.frames.is_sample;
    let planned = plan_as(expansion, &selected, &in_pieces);
    chunks(context, backlog, planned, &|first| {
        if in_pieces(first) {
            Purpose::Pieces
        } else {
            Purpose::Clip
        }
    })
}

/// The chunks of some processes of which something is missing.
fn chunks(
    context: &RunContext<'_>,
    backlog: &Backlog,
    planned: Vec<PlannedProcess>,
    purpose: &dyn Fn(DeliverableId) -> Purpose,
) -> Vec<Chunk> {
    let expansion = context.expansion;
    let sources = sources(expansion);
    planned
        .into_iter()
        .filter(|one| {
            let lacks =
                |index: &DeliverableId| one.frames.count_shared(&backlog.missing[*index]) > 0;
            one.deliverables.iter().any(lacks)
        })
        .map(|planned| {
            let lacking = planned
                .deliverables
                .iter()
                .map(|index| &backlog.missing[*index]);
            let missing = lacking.fold(FrameSet::empty(), |all, one| all.union(one).unwrap_or(all));
            let one = planned.first(&expansion.deliverables);
            let purpose = purpose(*planned.deliverables.first());
            // What one process must take whole is one block.
            let is_cut = one.movie().is_none() && matches!(purpose, Purpose::Pieces);
            Chunk {
                sources: sources
                    .get(planned.deliverables.first())
                    .cloned()
                    .unwrap_or_default(),
                blocks: if is_cut {
                    Blocks::of(&planned.frames)
                } else {
                    Blocks::whole(&planned.frames)
                },
                missing,
                most: one.common.processes.chunk,
                planned: planned.with_frames(planned.frames.clone()),
                purpose,
                attempts: VecDeque::new(),
                failed_probes: Vec::new(),
                claims: Vec::new(),
                at_work: None,
                was_tried: false,
                is_one_by_one: false,
            }
        })
        .collect()
}

/// The deliverables that others are assembled from, by the index of these.
fn sources(expansion: &Expansion) -> HashMap<DeliverableId, Vec<DeliverableId>> {
    let all = &expansion.deliverables;
    let assembled: Vec<(DeliverableId, Vec<String>)> = DeliverableId::with_each(all)
        .filter(|(_, one)| one.is_assembled())
        .map(|(index, one)| {
            let sources = one.sources(one.common.frames.shot.first().unwrap_or(0));
            let paths = sources.iter().map(|(source, _)| source.pattern.sketch());
            (index, paths.collect())
        })
        .collect();
    if assembled.is_empty() {
        return HashMap::new();
    }
    let sequences = DeliverableId::with_each(all).rev();
    let by_path: HashMap<String, DeliverableId> = sequences
        .map(|(index, one)| (one.pattern.sketch(), index))
        .collect();
    assembled
        .into_iter()
        .map(|(index, paths)| {
            let known = paths.iter().filter_map(|path| by_path.get(path).copied());
            (index, known.collect())
        })
        .collect()
}
