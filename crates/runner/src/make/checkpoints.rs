//! Checkpoints: what an engine continues a frame from that it was stopped in. They are copied out of
//! the staging folder while the engine works, and kept until their frame is finished.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::{fs, io};

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::command::{Invocation, fill};
use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::profile::Checkpoint;
use truepath_core::template::{PathPattern, TokenValue, expand};

use crate::disk::{Disk, copy_new, hash_file, rename_over, unique_beside};
use crate::look::fingerprint::without_limits;
use crate::make::staging;
use crate::record::ledger::Files;
use crate::record::state_folder::StateFolder;

/// The checkpoints of a deliverable with its settings; those of other settings are of no use.
pub(crate) struct Checkpoints<'c> {
    checkpoint: &'c Checkpoint,
    deliverable: &'c Deliverable,
    pattern: PathPattern,
    folder: PathBuf,
    /// What is recorded of frames that may have been stopped before they had all their samples, where the job keeps the
    /// checkpoints of these.
    stopped: Option<Files>,
    disk: &'c dyn Disk,
}

/// Checkpoints that were laid into a staging folder.
#[derive(Debug, Default)]
pub(crate) struct RestoredCheckpoints {
    /// The arguments that make the engine continue from them.
    pub(crate) arguments: Vec<String>,
    /// The frames that are continued.
    pub(crate) frames: Vec<Frame>,
}

impl<'c> Checkpoints<'c> {
    /// Those of the first deliverable of a call; none where its engine has no checkpoints.
    pub(crate) fn of(
        disk: &'c dyn Disk,
        state: &StateFolder,
        fingerprint: Option<&str>,
        deliverable: &'c Deliverable,
        files: &Files,
    ) -> Option<Self> {
        let profile = &deliverable.common.engine;
        let checkpoint = profile.checkpoint.as_ref()?;
        let alone = AtLeastOne::one(deliverable);
        let invocation = Invocation::planned(profile, &alone, &deliverable.common.frames.shot);
        let paths = || {
            let frames = deliverable.common.frames.selected.iter();
            frames.map(|frame| deliverable.path(frame))
        };
        let keeps_stopped = deliverable.common.processes.limits.keeps_stopped;
        Some(Self {
            stopped: keeps_stopped.then(|| files.only(paths())),
            pattern: names(checkpoint, &invocation)?,
            checkpoint,
            deliverable,
            folder: state.checkpoints(without_limits(fingerprint?)),
            disk,
        })
    }

    /// Lays the latest of a process's frames into its staging folder. Where `tries` processes in a row
    /// failed, that many of the latest are ignored: one of them may be what the engine fails on.
    pub(crate) fn lay_in(
        &self,
        invocation: &Invocation<'_>,
        tries: u32,
    ) -> io::Result<RestoredCheckpoints> {
        let mut laid_in = RestoredCheckpoints::default();
        let mut laid = false;
        for (name, numbers) in rotation(&self.folder) {
            let frame = self.pattern.read(&name).flatten();
            if frame.is_none_or(|frame| invocation.frames.contains(frame))
                && let Some(latest) = numbers.iter().rev().nth(tries as usize)
            {
                let from = numbered(&self.folder, &name, *latest);
                // The copy stays until the frame is done: this process may die too.
                let to = Path::new(invocation.staging).join(&name);
                match copy_new(self.disk, &from, &to) {
                    Ok(()) => {
                        laid = true;
                        laid_in
                            .frames
                            .extend(frame.or_else(|| invocation.frames.first()));
                    }
                    // Another run is done with the frame.
                    Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                    Err(error) => return Err(error),
                }
            }
        }
        for template in self.checkpoint.put.iter().filter(|_| laid) {
            let arguments = fill(template, &|name| invocation.token(name));
            laid_in.arguments.extend(arguments.unwrap_or_default());
        }
        Ok(laid_in)
    }

    /// Keeps copies of what a staging folder holds to continue from, the last few of each frame. With
    /// `ended` they do not stay in the staging folder. Gives remarks on what could not be kept: no
    /// frame depends on it.
    pub(crate) fn keep(&self, staged: &Path, ended: bool) -> io::Result<Vec<String>> {
        let mut remarks = Vec::new();
        let kept = rotation(&self.folder);
        for name in staging::files(staged)? {
            let Some(frame) = self.pattern.read(&name) else {
                continue;
            };
            let from = staged.join(&name);
            let is_done = frame.is_some_and(|frame| self.is_done(frame));
            if ended && is_done {
                self.disk.remove_file(&from)?;
                continue;
            }
            let numbers = kept.get(&name).map_or(&[][..], Vec::as_slice);
            let most = self.deliverable.common.processes.limits.checkpoint_keep;
            match keep(self.disk, &self.folder, &name, &from, numbers, most) {
                Ok(()) if ended => self.disk.remove_file(&from)?,
                Ok(()) => {}
                // It has written another one, or is done with the frame.
                Err(error) if !ended && error.kind() == io::ErrorKind::NotFound => {}
                // One that stays behind is set aside with all that does.
                Err(error) => remarks.push(format!(
                    "the checkpoint {} could not be kept: {error}",
                    from.display()
                )),
            }
        }
        Ok(remarks)
    }

    /// Removes those of frames that are done.
    pub(crate) fn remove_done(&self) -> io::Result<()> {
        let mut left = false;
        for (name, numbers) in rotation(&self.folder) {
            let frame = self.pattern.read(&name).flatten();
            if frame.is_some_and(|frame| self.is_done(frame)) {
                for number in numbers {
                    self.disk
                        .remove_file(&numbered(&self.folder, &name, number))?;
                }
            } else {
                left = true;
            }
        }
        if !left {
            // Another run may be keeping one there right now; then it stays.
            let _ = self.disk.remove_folder(&self.folder);
        }
        Ok(())
    }

    /// Those of some frames that can be continued.
    pub(crate) fn continuable(&self, frames: &FrameSet) -> Vec<Frame> {
        let kept = rotation(&self.folder);
        let frame = |name: &String| self.pattern.read(name).flatten();
        kept.keys()
            .filter_map(frame)
            .filter(|frame| frames.contains(*frame))
            .collect()
    }

    /// Whether a frame has its picture, and no later run is to go on with it.
    fn is_done(&self, frame: Frame) -> bool {
        let path = self.deliverable.path(frame);
        let record = self.stopped.as_ref().and_then(|files| files.get(&path));
        let samples = record.and_then(|record| record.origin.samples);
        let is_stopped = samples.is_some_and(|samples| samples.missed().is_some());
        !is_stopped && Path::new(&path).is_file()
    }
}

/// Keeps a copy of a checkpoint as the latest, and of those before it the last few.
fn keep(
    disk: &dyn Disk,
    folder: &Path,
    name: &str,
    from: &Path,
    numbers: &[u32],
    most: usize,
) -> io::Result<()> {
    // What was laid in and not continued would only push out the others.
    let is_old = |number: &u32| is_same(&numbered(folder, name, *number), from);
    if numbers.iter().any(is_old) {
        return Ok(());
    }
    disk.create_folders(folder)?;
    let next = numbered(folder, name, numbers.last().map_or(1, |last| last + 1));
    let half = unique_beside(&next);
    let kept = copy_new(disk, from, &half).and_then(|()| rename_over(disk, &half, &next));
    if let Err(error) = kept {
        // Half a checkpoint is of no use.
        let _ = disk.remove_file(&half);
        return Err(error);
    }
    let surplus = (numbers.len() + 1).saturating_sub(most);
    for number in &numbers[..surplus.min(numbers.len())] {
        disk.remove_file(&numbered(folder, name, *number))?;
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

/// Whether two files have the same content, as far as can be known.
fn is_same(one: &Path, other: &Path) -> bool {
    let size = |path: &Path| fs::metadata(path).ok().map(|found| found.len());
    size(one) == size(other)
        && matches!((hash_file(one), hash_file(other)), (Ok(one), Ok(other)) if one == other)
}

/// The names of the checkpoints of a call.
pub(crate) fn names(checkpoint: &Checkpoint, invocation: &Invocation<'_>) -> Option<PathPattern> {
    let value = |name: &str| match name {
        "frame" => TokenValue::Frame,
        _ => invocation.token(name),
    };
    expand(&checkpoint.files, &value).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::RealDisk;
    use crate::disk::faulty::{Fault, FaultyDisk};
    use crate::sample::{Project, names, picture};

    const FINGERPRINT: &str = "00112233";

    fn of<'c>(project: &'c Project, disk: &'c dyn Disk) -> Checkpoints<'c> {
        let state = project.state();
        Checkpoints::of(
            disk,
            &state,
            Some(FINGERPRINT),
            project.deliverable(0),
            &Files::default(),
        )
        .unwrap()
    }

    fn project() -> Project {
        let project = Project::with("frames = \"1-3\"\ncheckpoint.keep = 2\n");
        fs::create_dir(project.path("renders/staging")).unwrap();
        project
    }

    /// What the engine calls the checkpoint of a frame.
    fn name(checkpoints: &Checkpoints<'_>, frame: Frame) -> String {
        checkpoints.pattern.path(frame)
    }

    fn write(project: &Project, name: &str, content: &str) -> PathBuf {
        let path = project.path("renders/staging").join(name);
        fs::write(&path, content).unwrap();
        path
    }

    #[test]
    fn the_last_few_states_of_a_frame_are_kept() {
        let project = project();
        let checkpoints = of(&project, &RealDisk);
        let name = name(&checkpoints, 2);
        let staging = project.path("renders/staging");
        for state in ["10 %", "20 %", "20 %", "30 %"] {
            write(&project, &name, state);
            assert_eq!(checkpoints.keep(&staging, false).unwrap(), [""; 0]);
        }
        let kept: Vec<String> = names(&checkpoints.folder);
        let contents: Vec<String> = kept
            .iter()
            .map(|name| fs::read_to_string(checkpoints.folder.join(name)).unwrap())
            .collect();
        // One that is as the last is not kept twice.
        assert_eq!(contents, ["20 %", "30 %"], "{kept:?}");
        assert_eq!(checkpoints.continuable(&"1-3".parse().unwrap()), [2]);
        assert!(checkpoints.continuable(&"1,3".parse().unwrap()).is_empty());
        // What is no checkpoint stays out of it.
        write(&project, "notes.txt", "mine");
        checkpoints.keep(&staging, false).unwrap();
        assert_eq!(names(&checkpoints.folder), kept);
    }

    #[test]
    fn a_frame_goes_on_from_the_latest_or_from_the_one_before_what_fails() {
        let project = project();
        let checkpoints = of(&project, &RealDisk);
        let name = name(&checkpoints, 2);
        let staging = project.path("renders/staging");
        for state in ["10 %", "20 %"] {
            write(&project, &name, state);
            checkpoints.keep(&staging, false).unwrap();
        }
        let deliverables = AtLeastOne::one(project.deliverable(0));
        let folder = staging.display().to_string();
        for (tries, frames, laid) in [
            (0, "1-3", Some("20 %")),
            (1, "1-3", Some("10 %")),
            (2, "1-3", None),
            (0, "3", None),
        ] {
            fs::remove_file(staging.join(&name)).unwrap_or_default();
            let frames: FrameSet = frames.parse().unwrap();
            let profile = &project.deliverable(0).common.engine;
            let mut invocation = Invocation::planned(profile, &deliverables, &frames);
            invocation.staging = &folder;
            let restored = checkpoints.lay_in(&invocation, tries).unwrap();
            let found = fs::read_to_string(staging.join(&name)).ok();
            assert_eq!(found.as_deref(), laid, "{tries} tries of {frames}");
            let (arguments, continued) = match laid {
                Some(_) => (vec!["--go-on".to_owned()], vec![2]),
                None => (Vec::new(), Vec::new()),
            };
            assert_eq!(restored.arguments, arguments);
            assert_eq!(restored.frames, continued);
        }
    }

    #[test]
    fn of_frames_that_are_done_nothing_is_kept() {
        let project = project();
        let checkpoints = of(&project, &RealDisk);
        let staging = project.path("renders/staging");
        let (done, open) = (name(&checkpoints, 1), name(&checkpoints, 2));
        write(&project, &done, "90 %");
        write(&project, &open, "40 %");
        checkpoints.keep(&staging, true).unwrap();
        assert!(names(&staging).is_empty());
        assert_eq!(names(&checkpoints.folder).len(), 2);
        picture(Path::new(&project.deliverable(0).path(1)), 0.5);
        checkpoints.remove_done().unwrap();
        assert_eq!(checkpoints.continuable(&"1-3".parse().unwrap()), [2]);
        // With the last frame its folder goes too.
        picture(Path::new(&project.deliverable(0).path(2)), 0.5);
        checkpoints.remove_done().unwrap();
        assert!(!checkpoints.folder.exists());
    }

    #[test]
    fn a_full_disk_costs_a_checkpoint_and_no_frame() {
        let project = project();
        let full = FaultyDisk::at("copy_new", Fault::Refused(io::ErrorKind::StorageFull));
        let checkpoints = of(&project, &full);
        let path = write(&project, &name(&checkpoints, 2), "40 %");
        let remarks = checkpoints
            .keep(&project.path("renders/staging"), false)
            .unwrap();
        assert_eq!(remarks.len(), 1);
        assert!(
            remarks[0].contains(&path.display().to_string()),
            "{remarks:?}"
        );
        assert!(path.exists());
        assert!(checkpoints.continuable(&"1-3".parse().unwrap()).is_empty());
    }
}
