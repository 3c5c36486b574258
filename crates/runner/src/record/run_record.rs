//! The record of the latest run of a job file: when it began, which is decided once and kept for as long as the run is
//! not complete, and what it did about files that were there.

use std::io;
use std::sync::OnceLock;

use jiff::Zoned;
use jiff::civil::DateTime;
use serde::{Deserialize, Serialize};

use crate::disk::{Disk, free_name, rename, write_durably};
use crate::record::ledger::{FORMAT, newer_format};
use crate::record::state_folder::StateFolder;
use truepath_media::{MOST_TEXT, read_regular};

/// The record of the latest run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RunRecord {
    /// When it began, in the local time of the machine that began it.
    pub instant: DateTime,
    /// Whether all that the job wants was there at its end.
    pub complete: bool,
    /// The format of the record.
    #[serde(default)]
    pub format: u32,
    /// Counts the calls of the run that ended: what one call replaced, the next one that
    /// is to replace replaces again.
    #[serde(default)]
    pub pass: u32,
    /// Whether the last call brought all that was chosen in it.
    #[serde(default)]
    pub pass_ended: bool,
    /// What that call did about files that were there, as the job says it.
    #[serde(default)]
    pub existing: String,
}

impl RunRecord {
    /// That of a call that begins now: it goes on with the call before, unless that ended or
    /// did something else about files that were there.
    #[must_use]
    pub(crate) fn of_call(before: Option<&Self>, instant: DateTime, existing: &str) -> Self {
        let before = before.filter(|before| before.instant == instant);
        let pass = before.map_or(0, |before| {
            let goes_on = !before.pass_ended && before.existing == existing;
            before.pass + u32::from(!goes_on)
        });
        Self {
            instant,
            complete: false,
            pass,
            pass_ended: false,
            existing: existing.to_owned(),
            format: FORMAT,
        }
    }

    /// What distinguishes the files of this call and of those that it goes on with from all others.
    #[must_use]
    pub fn id(&self) -> String {
        format!("{}/{}", self.instant, self.pass)
    }
}

/// Which instant a command is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum When {
    /// That of the run that goes on, or of one that would begin now.
    Next,
    /// That of the latest run, complete or not.
    Latest,
}

/// The record of the latest run of the job file with this name, if there is one.
///
/// # Errors
/// When it cannot be read.
pub fn latest(state: &StateFolder, job: &str) -> io::Result<Option<RunRecord>> {
    match read_regular(&state.run_record(job), MOST_TEXT) {
        // What cannot be read is reported, and no reason to stop: the next run is a new one.
        Ok(bytes) => {
            let record: Option<RunRecord> = serde_json::from_slice(&bytes).ok();
            match record {
                Some(record) if record.format > FORMAT => {
                    Err(newer_format("the record of the latest run", record.format))
                }
                record => Ok(record),
            }
        }
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}

/// What is wrong with the record of the latest run, if anything is: its file and line.
#[must_use]
pub fn remark(state: &StateFolder, job: &str) -> Option<String> {
    let path = state.run_record(job);
    let error = serde_json::from_slice::<RunRecord>(&read_regular(&path, MOST_TEXT).ok()?).err()?;
    Some(format!(
        "{}:{}: the record of the latest run cannot be read ({error}), and is ignored; the next run keeps it beside its own",
        path.display(),
        error.line()
    ))
}

/// When the run began that a command is about: found out when somebody asks, and the same from then on.
#[derive(Debug, Default)]
pub struct RunBegan {
    /// The instant, once it is known.
    instant: OnceLock<DateTime>,
    /// The run before, where a new one would begin.
    before: Option<DateTime>,
}

impl RunBegan {
    /// When the run began that a command is about.
    ///
    /// # Errors
    /// When the record of the latest run cannot be read.
    pub fn find(state: &StateFolder, job: &str, when: When) -> io::Result<Self> {
        Ok(match latest(state, job)? {
            Some(record) if when == When::Latest || !record.complete => Self {
                instant: OnceLock::from(record.instant),
                before: None,
            },
            Some(record) => Self {
                instant: OnceLock::new(),
                before: Some(record.instant),
            },
            None => Self::default(),
        })
    }

    /// The instant, in local time and whole seconds.
    #[must_use]
    pub fn instant(&self) -> DateTime {
        *self.instant.get_or_init(|| match self.before {
            // A run is known by its instant: the next one has a later one, however soon it begins.
            Some(before) => now().max(before.saturating_add(jiff::Span::new().seconds(1))),
            None => now(),
        })
    }
}

/// The time now, in whole seconds.
fn now() -> DateTime {
    let now = Zoned::now().datetime();
    now.with().subsec_nanosecond(0).build().unwrap_or(now)
}

/// Writes the record, whole or not at all.
///
/// # Errors
/// When the disk refuses.
pub fn write(
    disk: &dyn Disk,
    state: &StateFolder,
    job: &str,
    record: &RunRecord,
) -> io::Result<()> {
    let path = state.run_record(job);
    if remark(state, job).is_some() {
        let name = format!("run-{job}.json.unread");
        rename(disk, &path, &free_name(state.path(), &name))?;
    }
    write_durably(disk, &path, &serde_json::to_vec(record)?)
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;
    use crate::disk::RealDisk;
    use crate::sample::names;

    fn at(text: &str) -> DateTime {
        text.parse().unwrap()
    }

    fn state() -> (tempfile::TempDir, StateFolder) {
        let folder = tempfile::tempdir().unwrap();
        let state = StateFolder::new(folder.path().to_owned());
        (folder, state)
    }

    #[test]
    fn a_call_goes_on_with_the_one_before_until_that_has_ended() {
        let began = at("2026-02-03T04:05:06");
        let first = RunRecord::of_call(None, began, "keep");
        assert_eq!(first.id(), "2026-02-03T04:05:06/0");
        // Killed: the next call goes on with it.
        let second = RunRecord::of_call(Some(&first), began, "keep");
        assert_eq!(second.id(), first.id());
        // Ended, or asked to do something else about files that are there.
        let ended = RunRecord {
            pass_ended: true,
            ..second.clone()
        };
        assert_eq!(RunRecord::of_call(Some(&ended), began, "keep").pass, 1);
        assert_eq!(RunRecord::of_call(Some(&second), began, "replace").pass, 1);
        // Another run counts from the beginning.
        let later = at("2026-02-03T04:05:07");
        assert_eq!(RunRecord::of_call(Some(&ended), later, "keep").pass, 0);
    }

    #[test]
    fn a_run_keeps_its_instant_until_it_is_complete() {
        let (_folder, state) = state();
        let unknown = RunBegan::find(&state, "truepath.toml", When::Latest).unwrap();
        assert_eq!(unknown.instant(), unknown.instant());

        // Far ahead of any clock, so that the next one shows how it is chosen.
        let began = at("2999-12-30T23:59:59");
        let mut record = RunRecord::of_call(None, began, "keep");
        write(&RealDisk, &state, "truepath.toml", &record).unwrap();
        for when in [When::Next, When::Latest] {
            let found = RunBegan::find(&state, "truepath.toml", when).unwrap();
            assert_eq!(found.instant(), began);
        }
        record.complete = true;
        write(&RealDisk, &state, "truepath.toml", &record).unwrap();
        let latest = RunBegan::find(&state, "truepath.toml", When::Latest).unwrap();
        assert_eq!(latest.instant(), began);
        let next = RunBegan::find(&state, "truepath.toml", When::Next).unwrap();
        assert_eq!(next.instant(), at("2999-12-31T00:00:00"));
        // Another job file of the folder has its own.
        let other = RunBegan::find(&state, "trial.toml", When::Latest).unwrap();
        assert_ne!(other.instant(), began);
    }

    #[test]
    fn a_record_that_cannot_be_read_is_reported_and_kept() {
        let (folder, state) = state();
        let path = state.run_record("truepath.toml");
        fs::write(&path, "{\n  \"instant\": ").unwrap();
        assert_eq!(latest(&state, "truepath.toml").unwrap(), None);
        let remark = remark(&state, "truepath.toml").unwrap();
        assert!(
            remark.starts_with(&format!("{}:2: ", path.display())),
            "{remark}"
        );
        let record = RunRecord::of_call(None, at("2026-02-03T04:05:06"), "keep");
        write(&RealDisk, &state, "truepath.toml", &record).unwrap();
        assert_eq!(latest(&state, "truepath.toml").unwrap(), Some(record));
        assert_eq!(
            names(folder.path()),
            ["run-truepath.toml.json", "run-truepath.toml.json.unread"]
        );
        assert_eq!(super::remark(&state, "truepath.toml"), None);
    }
}
