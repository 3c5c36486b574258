//! The chunks of a run: what is missing, cut as the job, the profile and what was found allow it.

use std::borrow::Cow;
use std::collections::HashMap;

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
    let all = &expansion.deliverables;
    let selected = |index: DeliverableId| all[index].common.frames.selected.clone();
    let in_pieces = |index: DeliverableId| {
        !context.is_split_to_be_found(index) && all[index].is_planned_in_pieces()
    };
    let planned = plan_as(expansion, &selected, &in_pieces);
    let missing = |index: DeliverableId| Cow::Borrowed(&backlog.missing[index]);
    let sources = sources(expansion);
    let mut chunks = chunks(expansion, planned, &missing, &|first| {
        if context.is_split_to_be_found(first) {
            Purpose::FindSplit
        } else {
            purpose_of(in_pieces(first))
        }
    });
    for chunk in &mut chunks {
        let sources = sources.get(chunk.planned.deliverables.first());
        chunk.sources = sources.cloned().unwrap_or_default();
    }
    chunks
}

/// The chunks of a clip of which it was found whether it may be split; `missing` gives the frames that are missing of a
/// deliverable. What is rendered is assembled of nothing, so none of them has sources.
pub(super) fn chunks_of_clip(
    expansion: &Expansion,
    clip: &PlannedProcess,
    is_free: bool,
    missing: &dyn Fn(DeliverableId) -> FrameSet,
) -> Vec<Chunk> {
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
    let missing = |index: DeliverableId| Cow::Owned(missing(index));
    chunks(expansion, planned, &missing, &|first| {
        purpose_of(in_pieces(first))
    })
}

fn purpose_of(in_pieces: bool) -> Purpose {
    match in_pieces {
        true => Purpose::Pieces,
        false => Purpose::Clip,
    }
}

/// The chunks of some processes of which something is missing.
fn chunks<'m>(
    expansion: &Expansion,
    planned: Vec<PlannedProcess>,
    missing: &dyn Fn(DeliverableId) -> Cow<'m, FrameSet>,
    purpose: &dyn Fn(DeliverableId) -> Purpose,
) -> Vec<Chunk> {
    let lacking = planned.into_iter().filter_map(|planned| {
        let missing = planned.deliverables.iter().map(|index| missing(*index));
        let missing: Vec<Cow<'_, FrameSet>> = missing.collect();
        if missing
            .iter()
            .all(|frames| planned.frames.count_shared(frames) == 0)
        {
            return None;
        }
        let missing = FrameSet::union_of(missing.iter().map(|frames| &**frames));
        let one = planned.first(&expansion.deliverables);
        let purpose = purpose(*planned.deliverables.first());
        // What it renders besides is known when it begins.
        let planned = planned.with_frames(planned.frames.clone());
        let chunk = Chunk {
            most: one.common.processes.chunk,
            ..Chunk::new(planned, purpose, missing)
        };
        Some(match one.movie() {
            // One process must take it whole.
            Some(_) => Chunk {
                blocks: Blocks::whole(&chunk.planned.frames),
                ..chunk
            },
            None => chunk,
        })
    });
    lacking.collect()
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
