//! Recovers what runs that died left behind: one run does it, and whatever it does can be done again.

use std::collections::BTreeSet;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::thread;
use std::time::Duration;

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::deliverable::{Deliverable, DeliverableId, Expansion};
use truepath_core::frames::FrameSet;

use crate::StateFolder;
use crate::clock::timestamp;
use crate::disk::{Disk, has_content, stamp};
use crate::make::checkpoints::Checkpoints;
use crate::make::engine_log::{self, FinishedInLog};
use crate::make::job_folders::JobFolders;
use crate::make::outside::give_back;
use crate::make::publish::{
    Provenance, PublishError, PublishedFile, VerifiedFile, carry_out, record_carried_out,
};
use crate::make::session::Session;
use crate::make::staging;
use crate::make::staging_area::{CollectError, Evidence, FoundFile, StagingArea};
use crate::make::unproven;
use crate::record::ledger::{Files, Intent, Line, Record, SessionRecord, Staged, Unproven};
use crate::system::is_written_in;

/// A process that is about to start has all files of its parent open for an instant: only what stays open is written.
const LOOKS: u32 = 5;
const BETWEEN_LOOKS: Duration = Duration::from_millis(20);

fn is_still_written_in(staging: &Path) -> bool {
    (0..LOOKS).all(|look| {
        if look > 0 {
            thread::sleep(BETWEEN_LOOKS);
        }
        is_written_in(staging, None)
    })
}

/// What was recovered.
#[derive(Debug, Default)]
pub(crate) struct Recovered {
    /// Files that have their true names now, with a ledger line.
    pub(crate) records: Vec<Record>,
    /// Files that could not be used and were set aside.
    pub(crate) aside: Vec<PathBuf>,
    /// Pictures that nothing proves, moved aside.
    pub(crate) unproven: Vec<Unproven>,
    /// Staging folders in which somebody still writes.
    pub(crate) busy: Vec<String>,
    /// What the ledger speaks of, and is not of this job's runs as far as can be known.
    pub(crate) strange: Vec<String>,
}

impl Recovered {
    fn take(&mut self, brought: PublishedFile) {
        self.records.push(brought.record);
        self.aside.extend(brought.aside);
    }
}

/// What picking up needs.
pub(crate) struct Recovery<'a> {
    pub(crate) disk: &'a dyn Disk,
    pub(crate) state: &'a StateFolder,
    pub(crate) session: &'a Session<'a>,
    pub(crate) expansion: &'a Expansion,
    pub(crate) provenance: &'a [Provenance],
    /// What is recorded of published files.
    pub(crate) published: &'a Files,
    /// What may be moved or removed.
    pub(crate) job_folders: JobFolders<'a>,
    pub(crate) recovered: Recovered,
}

impl<'a> Recovery<'a> {
    /// Finishes what stands between the steps of publishing, then harvests the staging folders.
    pub(crate) fn recover(
        &mut self,
        record: &SessionRecord,
        elsewhere: bool,
    ) -> Result<(), CollectError> {
        for intent in &record.intents {
            self.finish(intent)?;
        }
        for held in &record.held {
            if !self.is_own(&held.hold)
                || Path::new(&held.hold).parent() != Some(Path::new(&held.folder))
            {
                continue;
            }
            give_back(self.disk, Path::new(&held.folder), Path::new(&held.hold))?;
        }
        for staged in &record.staged {
            self.clear(staged, record, elsewhere)?;
        }
        // What was kept for later processes is empty, but for what nobody asked for.
        let later: BTreeSet<&String> = record.staged.iter().map(|staged| &staged.folder).collect();
        for folder in record.kept.iter().filter(|folder| !later.contains(folder)) {
            if self.is_own(folder) {
                self.set_aside(Path::new(folder), &[])?;
            }
        }
        Ok(())
    }

    /// Whether a folder that the ledger speaks of is this job's; one that is there and is not is reported.
    fn is_own(&mut self, folder: &str) -> bool {
        let path = Path::new(folder);
        let is_own = self.job_folders.is_own_folder(path);
        if !is_own && fs::symlink_metadata(path).is_ok() {
            self.recovered.strange.push(folder.to_owned());
        }
        is_own
    }

    /// Takes the steps that are left of a file that was about to get its true name.
    fn finish(&mut self, intent: &Intent) -> Result<(), CollectError> {
        let record = &intent.record;
        let to = Path::new(&record.path);
        let staged = Path::new(&intent.staged);
        let staging = staged.parent().unwrap_or(Path::new("/"));
        let is_staged =
            self.job_folders.is_own_folder(staging) || self.job_folders.is_set_aside(staged);
        let is_there = same(to, record)?;
        if !self.job_folders.is_true_name(&record.path) || !(is_there || is_staged) {
            return Ok(());
        }
        // What takes a name on file systems that cannot rename without replacing.
        let is_placeholder =
            stamp(to).is_ok_and(|there| there.is_some_and(|there| there.size == 0));
        if is_placeholder && same(staged, record)? {
            self.disk.remove_file(to)?;
        }
        let mut ledger = self.session.publisher.ledger();
        let finished = if is_there {
            record_carried_out(self.disk, &mut ledger, intent.clone())
        } else if (intent.replaces.is_some() || stamp(to).is_ok_and(|there| there.is_none()))
            && same(Path::new(&intent.staged), record)?
        {
            carry_out(self.disk, &mut ledger, intent.clone())
        } else {
            return Ok(());
        };
        match finished {
            Ok(brought) => self.recovered.take(brought),
            Err(PublishError::Taken(_)) => {}
            Err(PublishError::Fenced) => return Err(CollectError::Fenced),
            Err(PublishError::Disk(error)) => return Err(error.into()),
        }
        Ok(())
    }

    /// Takes what is finished out of a staging folder, sets the rest aside, and removes it.
    fn clear(
        &mut self,
        staged: &Staged,
        record: &SessionRecord,
        elsewhere: bool,
    ) -> Result<(), CollectError> {
        let staging = PathBuf::from(&staged.folder);
        if self.job_folders.is_instead_of_own_folder(&staging) {
            let aside = staging::clear(self.disk, &staging, "instead-of", &[])?;
            self.recovered.aside.extend(aside);
            return Ok(());
        }
        if !staging.is_dir() || !self.is_own(&staged.folder) {
            return Ok(());
        }
        if is_still_written_in(&staging) {
            self.recovered.busy.push(staged.folder.clone());
            return Ok(());
        }
        let alike = self.alike(staged);
        let frames: FrameSet = staged.frames.parse().unwrap_or_default();
        if let Some(alike) = AtLeastOne::new(alike).filter(|_| !frames.is_empty()) {
            self.harvest(staged, record, elsewhere, &alike, frames)?;
        }
        self.set_aside(&staging, &staged.given)
    }

    /// The deliverables that a staging folder was made for and that the same settings would make again: only
    /// those are worth taking.
    fn alike(&self, staged: &Staged) -> Vec<(DeliverableId, &'a Deliverable, Provenance)> {
        let frames: FrameSet = staged.frames.parse().unwrap_or_default();
        let frame = frames.first().unwrap_or(0);
        let all = DeliverableId::with_each(&self.expansion.deliverables);
        all.filter_map(|(index, deliverable)| {
            // The files of the frame are hashed only where the name is the same.
            let path = deliverable.pattern.sketch();
            let mut members = staged
                .members
                .iter()
                .filter(|member| member.path == path)
                .peekable();
            members.peek()?;
            let provenance = self.provenance[index].clone().of_frame(deliverable, frame);
            members
                .any(|member| Some(&member.fingerprint) == provenance.fingerprint.as_ref())
                .then_some((index, deliverable, provenance))
        })
        .collect()
    }

    /// Brings what is finished in a staging folder to its true names; keeps checkpoints, and moves aside what
    /// nothing proves.
    fn harvest(
        &mut self,
        staged: &Staged,
        record: &SessionRecord,
        elsewhere: bool,
        alike: &AtLeastOne<(DeliverableId, &Deliverable, Provenance)>,
        frames: FrameSet,
    ) -> Result<(), CollectError> {
        let staging = PathBuf::from(&staged.folder);
        let (_, first, provenance) = alike.first();
        let profile = std::sync::Arc::clone(&first.common.engine);
        let mut area = StagingArea::new(staging.clone(), alike, frames, &profile);
        let besides: FrameSet = staged.besides.parse().unwrap_or_default();
        for output in &mut area.outputs {
            output.besides = besides.clone();
            let is_free = |frame: &i64| {
                let path = output.deliverable.path(*frame);
                stamp(Path::new(&path)).is_ok_and(|there| there.is_none())
            };
            output.done = area.frames.iter().filter(|frame| !is_free(frame)).collect();
        }
        let finished = finished(&mut area, staged, record)?;
        // On another machine somebody may still write: what is copied, nobody else has open.
        let own = elsewhere.then(|| self.copied(staged)).transpose()?;
        if let Some((own, _)) = &own {
            area.folder.clone_from(own);
        }
        let publish = |files: Vec<VerifiedFile>| {
            let stands = || self.session.presence.stands();
            self.session.publisher.publish(self.disk, &stands, files)
        };
        // What was rendered to find out whether a clip may be split is not proven to be the right picture.
        let finished = if staged.held { Vec::new() } else { finished };
        let harvest = area.collect_finished(&publish, finished)?;
        for one in harvest.collected {
            if own.is_some() {
                let name = one.staged.file_name().unwrap_or_default();
                self.disk.remove_file(&staging.join(name))?;
            }
            self.recovered.take(one.brought);
        }
        // A run that died over picking this up may have brought copies of these.
        area.folder.clone_from(&staging);
        for besides in area.besides_left_over() {
            self.disk.remove_file(&besides)?;
        }
        for twin in area.twins()? {
            self.disk.remove_file(&twin)?;
        }
        let fingerprint = provenance.fingerprint.as_deref();
        let kept = Checkpoints::of(self.disk, self.state, fingerprint, first, self.published);
        if let Some(checkpoints) = kept {
            checkpoints.keep(&staging, true)?;
            checkpoints.remove_done()?;
        }
        let moved = unproven::move_aside(self.disk, &area, &|_, _| None, None)?;
        let lines: Vec<Line> = moved.iter().cloned().map(Line::Unproven).collect();
        self.session.publisher.ledger().note(&lines)?;
        self.recovered.unproven.extend(moved);
        if let Some((own, process)) = own {
            self.disk.remove_tree(&own)?;
            self.session.publisher.ledger().note(&[Line::Left {
                process,
                took: None,
                used: None,
                kept: false,
            }])?;
        }
        Ok(())
    }

    /// Sets aside what is in a staging folder, and removes it.
    fn set_aside(&mut self, staging: &Path, given: &[String]) -> Result<(), CollectError> {
        if staging.is_dir() {
            let aside = staging::clear(self.disk, staging, "unfinished", given)?;
            self.recovered.aside.extend(aside);
        }
        Ok(())
    }

    /// The files of a staging folder, copied into one of this run's own, which has a number.
    fn copied(&self, staged: &Staged) -> io::Result<(PathBuf, u32)> {
        let staging = Path::new(&staged.folder);
        let folder = staging.parent().unwrap_or(Path::new("/"));
        let process = self.session.next_process();
        let own = self.session.staging_folder(folder, process);
        let files = staging::files_of_another(staging)?;
        // Written down before it is there. Should this run die, its copies are removed like given files: what
        // they were made of is still where it was.
        self.session
            .publisher
            .ledger()
            .note(&[Line::Staged(Staged {
                folder: own.display().to_string(),
                process,
                label: format!("picking up {}", staged.label),
                engine: staged.engine.clone(),
                log: staged.log.clone(),
                time: timestamp(),
                frames: String::new(),
                members: Vec::new(),
                besides: String::new(),
                held: false,
                given: files.clone(),
            })])?;
        self.session.mark.make(self.disk, &own)?;
        for file in files {
            self.disk.copy_new(&staging.join(&file), &own.join(&file))?;
        }
        Ok((own, process))
    }
}

/// The files of a staging folder that are proven to be finished.
fn finished(
    area: &mut StagingArea<'_>,
    staged: &Staged,
    record: &SessionRecord,
) -> Result<Vec<FoundFile>, CollectError> {
    // What its log reports of files and frames was read before the run died.
    let FinishedInLog {
        named,
        begun,
        samples,
        errors,
    } = engine_log::finished_in_log(area.profile(), &area.frames, Path::new(&staged.log));
    area.begun = begun;
    area.heard_before(samples, errors);
    let evidence = Evidence {
        named: &named,
        in_order: area.profile().in_order,
        success: record.succeeded.contains(&staged.process),
        log_goes_on: false,
    };
    let files = staging::files(&area.folder)?;
    match area.finished(&files, evidence) {
        // Half a set of files that show nothing is no reason to stop.
        Err(CollectError::Learn(_)) => Ok(Vec::new()),
        finished => finished,
    }
}

/// Whether a file is the one that a record describes, byte for byte.
fn same(path: &Path, record: &Record) -> io::Result<bool> {
    match stamp(path) {
        Ok(Some(found)) if found.size == record.size => has_content(path, &record.hash),
        _ => Ok(false),
    }
}
