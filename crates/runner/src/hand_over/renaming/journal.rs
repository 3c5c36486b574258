//! Where renames are written down: in a folder of the user, since what comes with a project must not rename anything. A lock
//! and a note lie beside the files, which can only refuse. One rename is a file whose name says how far it is: `0001.going`, `0001.done`,
//! `0001.undoing`, `0001.undone`; to go from one to the next is a rename of that file.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::thread;
use std::time::{Duration, Instant};

use sha2::{Digest, Sha256};
use truepath_core::hex::hex;
use truepath_core::visible::visible_bytes;

use super::{Plan, Step};
use crate::disk::{Disk, rename as surely_rename, write_durably};
use crate::record::presence::machine;
use crate::system::{identity, lock_file, make_private, open_own, user_name};
use truepath_media::{MOST_LIST, MOST_TEXT, read_regular};

/// How long a call that is just ending is waited for, and how often it is looked at: a program that this process has
/// started holds the lock too, for the instant before it is its own.
const PATIENCE: Duration = Duration::from_secs(2);
const PAUSE: Duration = Duration::from_millis(5);

/// The folder beside the files, with the lock and the note.
const FOLDER: &str = ".truepath-renames";
/// Who has not finished renaming here.
const NOTE: &str = "unfinished";

/// The renames of a folder; nobody else works with them as long as this is there.
pub struct Journal<'d> {
    disk: &'d dyn Disk,
    /// Where the lists are.
    folder: PathBuf,
    /// Where the lock and the note are.
    beside: PathBuf,
    _lock: File,
}

/// What became of renames.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outcome {
    /// So many files have their new names.
    Renamed(usize),
    /// So many files have their old names again.
    Undone {
        /// So many.
        files: usize,
        /// Those that are not there any more, by the names that they were given.
        gone: Vec<String>,
    },
}

/// Why files are not renamed.
#[derive(Debug, thiserror::Error)]
pub enum JournalError {
    /// Another call is at work.
    #[error("another call renames files here: {0} is locked")]
    Busy(String),
    /// Somebody else has not finished.
    #[error("{0}; only that user can finish it or take it back")]
    OfSomebodyElse(String),
    /// There is nothing to undo.
    #[error("nothing was renamed from here")]
    Nothing,
    /// A file is not where the plan has it, or a name that it goes to is taken.
    #[error(
        "{path} {what}, so that nothing more is renamed; what was done is written down in {journal}"
    )]
    Changed {
        /// The file.
        path: String,
        /// What is the matter with it.
        what: String,
        /// The journal.
        journal: String,
    },
    /// The disk refuses.
    #[error("{path}: {error}")]
    Disk {
        /// The path.
        path: String,
        /// Why.
        error: io::Error,
    },
}

impl JournalError {
    fn changed(path: &str, what: &str, journal: &Path) -> Self {
        Self::Changed {
            path: path.to_owned(),
            what: what.to_owned(),
            journal: journal.display().to_string(),
        }
    }
}

fn disk_error(path: &Path) -> impl FnOnce(io::Error) -> JournalError + use<> {
    let path = path.display().to_string();
    move |error| JournalError::Disk { path, error }
}

impl<'d> Journal<'d> {
    /// Whether anything was ever renamed from a folder, or is being renamed.
    #[must_use]
    pub fn is_begun(folder: &Path, lists: &Path) -> bool {
        folder.join(FOLDER).is_dir() || list_of(folder, lists).is_dir()
    }

    /// Opens that of a folder; the lists are kept below `lists`, a folder of the user.
    ///
    /// # Errors
    /// When another call is at work, somebody else has not finished, or the disk refuses.
    pub fn open(disk: &'d dyn Disk, folder: &Path, lists: &Path) -> Result<Self, JournalError> {
        let beside = folder.join(FOLDER);
        let folder = list_of(folder, lists);
        for folder in [&beside, &folder] {
            disk.create_folders(folder).map_err(disk_error(folder))?;
        }
        make_private(&folder).map_err(disk_error(&folder))?;
        let path = beside.join("lock");
        if !path.symlink_metadata().is_ok_and(|facts| facts.is_file()) {
            let made = disk.write_new(&path, b"");
            made.map_err(disk_error(&path))?;
        }
        let file = open_own(&path).map_err(disk_error(&path))?;
        let begun = Instant::now();
        while lock_file(&file).is_err() {
            if begun.elapsed() > PATIENCE {
                return Err(JournalError::Busy(path.display().to_string()));
            }
            thread::sleep(PAUSE);
        }
        let journal = Self {
            disk,
            folder,
            beside,
            _lock: file,
        };
        journal.refuse_those_of_others()?;
        Ok(journal)
    }

    /// Somebody else may have begun here, whose list nobody else can read.
    fn refuse_those_of_others(&self) -> Result<(), JournalError> {
        let note = self.beside.join(NOTE);
        let is_note = note
            .symlink_metadata()
            .is_ok_and(|facts| facts.is_file() && facts.len() < 1000);
        if is_note && !self.is_unfinished()? {
            let words = read_regular(&note, MOST_TEXT).map_err(disk_error(&note))?;
            if words == own_note().as_bytes() {
                return self.remove_note();
            }
            return Err(JournalError::OfSomebodyElse(visible_bytes(&words)));
        }
        Ok(())
    }

    /// Says beside the files that they are being renamed, and by whom.
    fn write_note(&self) -> Result<(), JournalError> {
        let note = self.beside.join(NOTE);
        write_durably(self.disk, &note, own_note().as_bytes()).map_err(disk_error(&note))
    }

    fn remove_note(&self) -> Result<(), JournalError> {
        let note = self.beside.join(NOTE);
        self.disk.remove_file(&note).map_err(disk_error(&note))
    }

    /// Finishes what an earlier call has begun, forwards or backwards; what became of it, where there was something.
    ///
    /// # Errors
    /// When a file is not where it should be, or the disk refuses.
    pub fn finish(&self) -> Result<Option<Outcome>, JournalError> {
        if let Some(number) = self.last("going")? {
            return self.go(number).map(Some);
        }
        match self.last("undoing")? {
            Some(number) => self.go_back(number).map(Some),
            None => Ok(None),
        }
    }

    /// Whether an earlier call was cut short.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn is_unfinished(&self) -> Result<bool, JournalError> {
        Ok(self.last("going")?.is_some() || self.last("undoing")?.is_some())
    }

    /// Renames files by a plan.
    ///
    /// # Errors
    /// When a file is not where it should be, or the disk refuses; the next call goes on, or undoes it.
    pub fn rename(&self, plan: &Plan) -> Result<Outcome, JournalError> {
        let mut last = 0;
        for state in ["going", "done", "undoing", "undone"] {
            last = last.max(self.last(state)?.unwrap_or(0));
        }
        let path = self.path(last + 1, "going");
        let text = serde_json::to_vec(plan).map_err(|error| disk_error(&path)(error.into()))?;
        self.write_note()?;
        write_durably(self.disk, &path, &text).map_err(disk_error(&path))?;
        self.go(last + 1)
    }

    /// Gives the files of the last renames their old names.
    ///
    /// # Errors
    /// When nothing was renamed, a file is not where it went to, its old name is taken, or the disk refuses; what
    /// would stand in the way is found before any file moves.
    pub fn undo(&self) -> Result<Outcome, JournalError> {
        let (number, state) = match (self.last("going")?, self.last("done")?) {
            (Some(number), _) => (number, "going"),
            (None, Some(number)) => (number, "done"),
            (None, None) => return Err(JournalError::Nothing),
        };
        self.check_way_back(number, state)?;
        self.write_note()?;
        self.set(number, state, "undoing")?;
        self.go_back(number)
    }

    fn path(&self, number: u32, state: &str) -> PathBuf {
        self.folder.join(format!("{number:04}.{state}"))
    }

    /// The last one in a state.
    fn last(&self, state: &str) -> Result<Option<u32>, JournalError> {
        let entries = fs::read_dir(&self.folder).map_err(disk_error(&self.folder))?;
        let numbers = entries.flatten().filter_map(|entry| {
            let name = entry.file_name();
            let (number, found) = name.to_str()?.split_once('.')?;
            (found == state).then(|| number.parse().ok()).flatten()
        });
        Ok(numbers.max())
    }

    fn set(&self, number: u32, from: &str, to: &str) -> Result<(), JournalError> {
        let (from, to) = (self.path(number, from), self.path(number, to));
        surely_rename(self.disk, &from, &to).map_err(disk_error(&from))?;
        self.disk
            .sync_folder(&self.folder)
            .map_err(disk_error(&self.folder))
    }

    fn read(&self, number: u32, state: &str) -> Result<Plan, JournalError> {
        let path = self.path(number, state);
        let bytes = read_regular(&path, MOST_LIST).map_err(disk_error(&path))?;
        serde_json::from_slice(&bytes).map_err(|error| disk_error(&path)(error.into()))
    }

    /// Does what is left of a plan.
    fn go(&self, number: u32) -> Result<Outcome, JournalError> {
        let plan = self.read(number, "going")?;
        let done = how_far(&plan.steps);
        for folder in &plan.folders {
            let made = self.disk.create_folders(Path::new(folder));
            made.map_err(disk_error(Path::new(folder)))?;
        }
        for (step, done) in plan.steps.iter().zip(done) {
            if done {
                self.drop_first_name(step)?;
            } else {
                self.step(&step.from, &step.to, step.file, &self.path(number, "going"))?;
            }
        }
        self.sync(&plan)?;
        self.set(number, "going", "done")?;
        self.remove_note()?;
        Ok(Outcome::Renamed(count(&plan)))
    }

    /// Undoes what was done of a plan.
    fn go_back(&self, number: u32) -> Result<Outcome, JournalError> {
        let plan = self.read(number, "undoing")?;
        let done = how_far(&plan.steps);
        for (step, done) in plan.steps.iter().zip(done).rev() {
            if done {
                self.step(
                    &step.to,
                    &step.from,
                    step.file,
                    &self.path(number, "undoing"),
                )?;
            }
        }
        self.sync(&plan)?;
        for folder in plan.folders.iter().rev() {
            // Somebody may have put something into it.
            let _ = self.disk.remove_folder(Path::new(folder));
        }
        self.set(number, "undoing", "undone")?;
        self.remove_note()?;
        let gone = gone(&plan.steps);
        Ok(Outcome::Undone {
            files: count(&plan) - gone.len(),
            gone,
        })
    }

    fn step(
        &self,
        from: &str,
        to: &str,
        file: (u64, u64),
        journal: &Path,
    ) -> Result<(), JournalError> {
        let changed = |path: &str, what: &str| JournalError::changed(path, what, journal);
        if identity(Path::new(from)).ok() != Some(file) {
            return Err(changed(from, "is not the file that it was"));
        }
        match surely_rename(self.disk, Path::new(from), Path::new(to)) {
            Ok(()) => Ok(()),
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                Err(changed(to, "is taken by another file meanwhile"))
            }
            Err(error) => Err(disk_error(Path::new(from))(error)),
        }
    }

    /// Where a file system cannot rename without replacing, a file has both names for an instant, and may have been
    /// left so.
    fn drop_first_name(&self, step: &Step) -> Result<(), JournalError> {
        let has = |path: &str| identity(Path::new(path)).ok() == Some(step.file);
        if has(&step.from) && has(&step.to) {
            let from = Path::new(&step.from);
            self.disk.remove_file(from).map_err(disk_error(from))?;
        }
        Ok(())
    }

    /// That each file is where it went to, and that the names it came from are free.
    fn check_way_back(&self, number: u32, state: &str) -> Result<(), JournalError> {
        let plan = self.read(number, state)?;
        let journal = self.path(number, state);
        let changed = |path: &str, what: &str| JournalError::changed(path, what, &journal);
        let done = how_far(&plan.steps);
        if state == "done"
            && let Some((step, _)) = plan
                .steps
                .iter()
                .zip(&done)
                .find(|(step, done)| !**done && is_there(&step.to))
        {
            return Err(changed(&step.to, "is not the file that was renamed"));
        }
        // Names that some of these files have now become free on the way.
        let ours: BTreeSet<(u64, u64)> = plan.steps.iter().map(|step| step.file).collect();
        for step in &plan.steps {
            if let Ok(there) = identity(Path::new(&step.from))
                && !ours.contains(&there)
            {
                return Err(changed(&step.from, "is taken by another file by now"));
            }
        }
        Ok(())
    }

    /// Makes sure that all names stay.
    fn sync(&self, plan: &Plan) -> Result<(), JournalError> {
        let paths = plan.steps.iter().flat_map(|step| [&step.from, &step.to]);
        let folders: BTreeSet<&Path> = paths.filter_map(|path| Path::new(path).parent()).collect();
        for folder in folders.into_iter().filter(|folder| folder.is_dir()) {
            self.disk.sync_folder(folder).map_err(disk_error(folder))?;
        }
        Ok(())
    }
}

/// What this user writes beside files that are being renamed.
fn own_note() -> String {
    let user = user_name().unwrap_or_else(|| "somebody".to_owned());
    format!("files here are being renamed by {user} on {}", machine())
}

/// Where the lists of a folder are kept, by its resolved path.
fn list_of(folder: &Path, lists: &Path) -> PathBuf {
    let real = fs::canonicalize(folder).unwrap_or_else(|_| folder.to_owned());
    let hash = Sha256::digest(real.as_os_str().as_encoded_bytes());
    lists.join(hex(&hash[..16]))
}

/// Files of a plan; one that goes by a temporary name is one.
fn count(plan: &Plan) -> usize {
    let files: BTreeSet<(u64, u64)> = plan.steps.iter().map(|step| step.file).collect();
    files.len()
}

/// Files that are under none of their names any more: the last name of each.
fn gone(steps: &[Step]) -> Vec<String> {
    let mut last: BTreeMap<(u64, u64), &str> = BTreeMap::new();
    for step in steps {
        last.insert(step.file, &step.to);
    }
    for step in steps {
        let has = |path: &str| identity(Path::new(path)).ok() == Some(step.file);
        if has(&step.from) || has(&step.to) {
            last.remove(&step.file);
        }
    }
    last.into_values().map(str::to_owned).collect()
}

fn is_there(path: &str) -> bool {
    Path::new(path).symlink_metadata().is_ok()
}

/// Which steps are done: those up to the last whose new name the file has.
fn how_far(steps: &[Step]) -> Vec<bool> {
    let mut reached: HashMap<(u64, u64), usize> = HashMap::new();
    for (at, step) in steps.iter().enumerate() {
        if identity(Path::new(&step.to)).ok() == Some(step.file) {
            reached.insert(step.file, at);
        }
    }
    let is_done =
        |(at, step): (usize, &Step)| reached.get(&step.file).is_some_and(|last| at <= *last);
    steps.iter().enumerate().map(is_done).collect()
}
