//! Checkpoints: what an engine goes on from when it was stopped in the middle of a frame.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::{fs, io};

use truepath_core::engine::{Call, Checkpoint, Profile, fill};
use truepath_core::template::{PathPattern, TokenValue, expand};

use super::process::Members;
use super::work::Work;
use super::{Event, RunError};
use crate::disk::{hash_file, remove};
use crate::staging;

impl Work<'_> {
    /// Where the checkpoints of a deliverable are kept; those of other settings are of no use.
    fn checkpoint_folder(&self, index: usize) -> Option<PathBuf> {
        let fingerprint = self.credits[index].fingerprint.as_ref()?;
        Some(self.state.folder.join("checkpoints").join(fingerprint))
    }

    /// Lays the latest there is of a process's frames into its staging folder; gives the arguments
    /// that tell the engine to go on from it. Where `tries` processes in a row came to nothing, that
    /// many of the latest are passed over: one of them may be what the engine fails on.
    pub(super) fn checkpoints_laid_in(
        &self,
        call: &Call<'_>,
        members: &Members<'_>,
        tries: u32,
    ) -> Result<Vec<String>, RunError> {
        let Some(checkpoint) = &call.profile.checkpoint else {
            return Ok(Vec::new());
        };
        let (Some(pattern), Some(folder)) = (
            names(checkpoint, call),
            self.checkpoint_folder(members[0].0),
        ) else {
            return Ok(Vec::new());
        };
        let mut laid = false;
        for (name, numbers) in rotation(&folder) {
            let frame = pattern.read(&name).flatten();
            if frame.is_none_or(|frame| call.frames.contains(frame))
                && let Some(latest) = numbers.iter().rev().nth(tries as usize)
            {
                let (from, to) = (
                    numbered(&folder, &name, *latest),
                    Path::new(call.staging).join(&name),
                );
                // The copy stays until the frame is done: this process may die too.
                match fs::copy(&from, &to) {
                    Ok(_) => laid = true,
                    // Another run is done with the frame.
                    Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                    Err(error) => return Err(RunError::disk(&to)(error)),
                }
            }
        }
        let mut arguments = Vec::new();
        for template in checkpoint.put.iter().filter(|_| laid) {
            arguments.extend(fill(template, &|name| call.token(name)).unwrap_or_default());
        }
        Ok(arguments)
    }

    /// Keeps copies of what a process has to go on from, the last few of each frame; when it has
    /// `ended`, nothing stays in its staging folder, and nothing of frames that are done.
    pub(super) fn keep_checkpoints(
        &self,
        profile: &Profile,
        members: &Members<'_>,
        staged: &Path,
        ended: bool,
    ) -> Result<(), RunError> {
        let Some(checkpoint) = &profile.checkpoint else {
            return Ok(());
        };
        let one = members[0].1;
        let Some(folder) = self.checkpoint_folder(members[0].0) else {
            return Ok(());
        };
        let alone = [one];
        let call = Call::planned(profile, &alone, &one.common.clip);
        let Some(pattern) = names(checkpoint, &call) else {
            return Ok(());
        };
        let kept = rotation(&folder);
        for name in staging::files(staged).map_err(RunError::disk(staged))? {
            if pattern.read(&name).is_none() {
                continue;
            }
            let from = staged.join(&name);
            let numbers = kept.get(&name).map_or(&[][..], Vec::as_slice);
            let most = one.common.limits.checkpoint_keep;
            match keep(&folder, &name, &from, numbers, most) {
                Ok(()) if ended => remove(&from).map_err(RunError::disk(&from))?,
                Ok(()) => {}
                // It has written another one, or is done with the frame.
                Err(error) if !ended && error.kind() == io::ErrorKind::NotFound => {}
                // No frame hangs on it. One that stays behind is set aside with all that does.
                Err(error) => self.tell(&Event::Remark(&format!(
                    "the checkpoint {} could not be kept: {error}",
                    from.display()
                ))),
            }
        }
        if ended {
            // Those of frames that are done are of no use any more.
            for (name, numbers) in rotation(&folder) {
                let frame = pattern.read(&name).flatten();
                if frame.is_some_and(|frame| Path::new(&one.path(frame)).is_file()) {
                    for number in numbers {
                        let old = numbered(&folder, &name, number);
                        remove(&old).map_err(RunError::disk(&old))?;
                    }
                }
            }
        }
        Ok(())
    }
}

/// Keeps a copy of a checkpoint as the latest, and of those before it the last few.
fn keep(folder: &Path, name: &str, from: &Path, numbers: &[u32], most: usize) -> io::Result<()> {
    // What was laid in and not gone on from would only push out the others.
    let is_old = |number: &u32| is_same(&numbered(folder, name, *number), from);
    if numbers.iter().any(is_old) {
        return Ok(());
    }
    fs::create_dir_all(folder)?;
    let next = numbers.last().map_or(1, |last| last + 1);
    let half = folder.join(format!(".{name}.half"));
    fs::copy(from, &half)?;
    fs::rename(&half, numbered(folder, name, next))?;
    let surplus = (numbers.len() + 1).saturating_sub(most);
    for number in &numbers[..surplus.min(numbers.len())] {
        remove(&numbered(folder, name, *number))?;
    }
    Ok(())
}

/// The checkpoints that are kept, each name with its numbers, the latest last.
fn rotation(folder: &Path) -> BTreeMap<String, Vec<u32>> {
    let mut kept: BTreeMap<String, Vec<u32>> = BTreeMap::new();
    for file in staging::files(folder).unwrap_or_default() {
        if let Some((name, number)) = file.rsplit_once('~')
            && let Ok(number) = number.parse()
        {
            kept.entry(name.to_owned()).or_default().push(number);
        }
    }
    kept.values_mut()
        .for_each(|numbers| numbers.sort_unstable());
    kept
}

fn numbered(folder: &Path, name: &str, number: u32) -> PathBuf {
    folder.join(format!("{name}~{number}"))
}

/// Whether two files have the same content, as far as can be told.
fn is_same(one: &Path, other: &Path) -> bool {
    let size = |path: &Path| fs::metadata(path).ok().map(|found| found.len());
    size(one) == size(other)
        && matches!((hash_file(one), hash_file(other)), (Ok(one), Ok(other)) if one == other)
}

/// The names of the checkpoints of a call.
fn names(checkpoint: &Checkpoint, call: &Call<'_>) -> Option<PathPattern> {
    let value = |name: &str| match name {
        "frame" => TokenValue::Frame,
        _ => call.token(name),
    };
    expand(&checkpoint.files, &value).ok()
}
