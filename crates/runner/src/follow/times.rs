//! What rendering took, as the ledgers of a job record it.

use std::collections::HashMap;
use std::io;

use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::times::EndedProcess;

use crate::Loaded;
use crate::record::ledger::{ProcessEntry, ended_processes};

/// All processes that have ended and made something of `expansion`, the oldest first; those of a chosen frame
/// alone with just that.
///
/// # Errors
/// When a ledger cannot be read.
pub fn ended(loaded: &Loaded, expansion: &Expansion) -> io::Result<Vec<EndedProcess>> {
    let all = &expansion.deliverables;
    let by_path: HashMap<String, &Deliverable> =
        all.iter().map(|one| (one.pattern.sketch(), one)).collect();
    let entries = ended_processes(&loaded.state_folder().ledgers())?;
    Ok(entries
        .into_iter()
        .filter_map(|entry| of_entry(entry, &by_path))
        .collect())
}

fn of_entry(entry: ProcessEntry, by_path: &HashMap<String, &Deliverable>) -> Option<EndedProcess> {
    let ProcessEntry {
        machine,
        staged,
        took,
        used,
        ..
    } = entry;
    let members: Vec<&&Deliverable> = staged
        .members
        .iter()
        .filter_map(|member| by_path.get(&member.path))
        .collect();
    let first = members.first()?;
    let frames: FrameSet = staged.frames.parse().unwrap_or_default();
    let chosen = &first.common.frames.selected;
    if frames.count_shared(chosen) == 0 {
        return None;
    }
    let passes: Vec<&str> = members
        .iter()
        .filter_map(|one| one.pass.as_ref().map(|pass| pass.text.as_str()))
        .collect();
    let seconds = took.as_ref().map_or(0.0, |took| took.seconds);
    let mut each: Vec<(Frame, f64)> =
        took.as_ref()
            .map_or_else(Vec::new, |took| match &took.each[..] {
                [] => share(took.seconds, took.frames, &frames),
                each => each.to_vec(),
            });
    each.retain(|(frame, _)| chosen.contains(*frame));
    let start = took.as_ref().map_or(0.0, |took| took.start);
    Some(EndedProcess {
        shot: first.common.names.shot.clone(),
        output: first.common.names.output.clone(),
        pass: passes.join(", "),
        label: staged.label,
        machine,
        engine: staged.engine,
        frames,
        each,
        wall: used.as_ref().map_or(start + seconds, |used| used.wall),
        cpu: used.as_ref().map_or(0.0, |used| used.cpu),
        memory: used.as_ref().map_or(0, |used| used.memory),
        failure: match used {
            Some(used) => (used.end != "success").then_some(used.end),
            None if took.is_none() => Some("it brought nothing".to_owned()),
            None => None,
        },
    })
}

/// The frames of a process that is recorded with their sum alone.
fn share(seconds: f64, brought: f64, frames: &FrameSet) -> Vec<(Frame, f64)> {
    let count = brought.round().max(1.0);
    let each = seconds / count;
    frames
        .iter()
        .take(count as usize)
        .map(|frame| (frame, each))
        .collect()
}
