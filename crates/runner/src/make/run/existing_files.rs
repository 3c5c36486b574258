//! What is there already when a run begins, and what the policy says about it.

use std::collections::{BTreeMap, HashMap};
use std::path::Path;
use std::sync::Arc;

use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::finding::count;
use truepath_core::frames::{Frame, FrameSet};

use super::context::RunContext;
use super::decision::{Decider, DueFrames, FileDecision, sources_first};
use super::journal::Journal;
use super::{Event, Existing, Failure, FileAction, Report, RunError};
use crate::disk::{has_content, stamp};
use crate::look::inventory::{Accepted, ByReason, FileOnDisk, refused, unverifiable};
use crate::make::publish::{Provenance, UNKNOWN_ENGINE, record};
use crate::record::aside::set_aside;
use crate::record::ledger::Hash;
use crate::record::ledger::{FileOrigin, Files, Line, Replaces, SessionRecord};

/// What is there and what is not, of each deliverable.
#[derive(Default)]
pub(super) struct Backlog {
    pub(super) missing: Vec<FrameSet>,
    pub(super) replaced: Vec<HashMap<Frame, Replaces>>,
    /// The frames that the run is to make.
    due: DueFrames,
}

impl Backlog {
    /// Whether a file is made from one that the run was to make when it began.
    pub(super) fn has_sources_of(&self, deliverable: &Deliverable, frame: Frame) -> bool {
        self.due.are_sources_of(deliverable, frame)
    }
}

/// How many files another version of an engine made, by that and by today's.
type OtherVersions = BTreeMap<(String, String), u64>;

/// Frames of a deliverable that are kept, and are not valid.
#[derive(Default)]
struct FramesToReport {
    stale: Vec<Frame>,
    changed: ByReason,
    unverifiable: ByReason,
}

impl FramesToReport {
    fn add(&mut self, found: FileOnDisk, frame: Frame) {
        match found {
            FileOnDisk::Changed(difference) => self.changed.add(difference, frame),
            FileOnDisk::Unverifiable(reason) => self.unverifiable.add(reason, frame),
            _ => self.stale.push(frame),
        }
    }

    fn into_report(self, index: DeliverableId, report: &mut Report) {
        let of_it = |(reason, frames)| (index, reason, frames);
        report
            .changed
            .extend(self.changed.frames().into_iter().map(of_it));
        let unverifiable = self.unverifiable.frames().into_iter();
        report.unverifiable.extend(unverifiable.map(of_it));
        if !self.stale.is_empty() {
            report
                .stale
                .push((index, FrameSet::from_frames(self.stale)));
        }
    }
}

/// The files that are there under true names.
#[derive(Clone, Copy)]
pub(super) struct ExistingFiles<'r> {
    pub(super) context: &'r RunContext<'r>,
    pub(super) journal: &'r Journal<'r>,
}

impl ExistingFiles<'_> {
    /// Looks at what is there, and does about it what the policy says. What is made from other files is judged when these
    /// are there; only whether it is in the way of the run is known before.
    pub(super) fn take_inventory(&self) -> Result<Backlog, RunError> {
        let deliverables = &self.context.expansion.deliverables;
        let mut backlog = Backlog {
            missing: vec![FrameSet::empty(); deliverables.len()],
            replaced: vec![HashMap::new(); deliverables.len()],
            due: DueFrames::default(),
        };
        let mut in_the_way: Vec<String> = Vec::new();
        let mut others = OtherVersions::new();
        for index in sources_first(deliverables) {
            let deliverable = &deliverables[index];
            let chosen = &deliverable.common.frames.selected;
            self.journal.report().wanted += deliverable.files().count();
            let (missing, replaced) = if deliverable.is_assembled() {
                in_the_way.extend(self.assembled_in_the_way(index));
                (chosen.clone(), HashMap::new())
            } else {
                self.inventory_of(index, &mut in_the_way, &mut others)?
            };
            if deliverable.common.engine.is_absent && !missing.is_empty() {
                let reason = "it is not there, and the job names no engine that renders it";
                self.journal.failed_silently(
                    missing
                        .iter()
                        .map(|frame| Failure {
                            deliverable: index,
                            frame,
                            reason: reason.to_owned(),
                            log: None,
                        })
                        .collect(),
                )?;
            }
            let due = if deliverable.is_assembled() {
                let files = deliverable.files().iter().filter(|file| {
                    backlog.has_sources_of(deliverable, file.frame)
                        || std::fs::symlink_metadata(file.path()).is_err()
                });
                FrameSet::from_frames(files.map(|file| file.frame))
            } else {
                missing.clone()
            };
            backlog.due.add(deliverable, due);
            backlog.missing[index] = missing;
            backlog.replaced[index] = replaced;
        }
        if let Some(first) = in_the_way.first() {
            return Err(RunError::Refused {
                count: in_the_way.len() as u64,
                first: first.clone(),
            });
        }
        for ((made_by, today), files) in others {
            let files = count(files, "file is", "files are");
            self.journal.remark(&format!(
                "{files} there that {made_by} made; today it is {today}"
            ));
        }
        Ok(backlog)
    }

    /// What decides about files.
    fn decider<'d>(&self, own: &'d (dyn Fn(&str) -> bool + Sync)) -> Decider<'d> {
        Decider {
            policy: self.context.policy,
            own,
        }
    }

    /// The files of a deliverable that is made from others which keep the run from beginning.
    fn assembled_in_the_way(&self, index: DeliverableId) -> Vec<String> {
        let policy = self.context.policy;
        if !matches!(policy.existing, Existing::Refuse | Existing::NextVersion) {
            return Vec::new();
        }
        let files = self.context.expansion.deliverables[index].files().iter();
        files
            .map(|file| file.path())
            .filter(|path| {
                let is_there = std::fs::symlink_metadata(path).is_ok();
                is_there && !self.is_own(path)
            })
            .collect()
    }

    /// What is done about a file that is made from others, now that these are as they will be. What is known of it is
    /// copied, since proving it takes a while.
    pub(super) fn decide_assembled(
        &self,
        index: DeliverableId,
        frame: Frame,
        known: &Files,
        is_due: bool,
    ) -> FileDecision {
        let looker = self.context.inventory.of(index);
        let own = |path: &str| self.is_own_by(known, path);
        self.decider(&own)
            .assembled(looker, frame, known, is_due, &Accepted::default())
    }

    fn inventory_of(
        &self,
        index: DeliverableId,
        in_the_way: &mut Vec<String>,
        others: &mut OtherVersions,
    ) -> Result<(FrameSet, HashMap<Frame, Replaces>), RunError> {
        let looker = self.context.inventory.of(index);
        let deliverable = looker.deliverable();
        let decisions = {
            let known = self.journal.known();
            let own = |path: &str| self.is_own_by(&known.published, path);
            let chosen = &deliverable.common.frames.selected;
            self.decider(&own)
                .rendered(looker, chosen, &known.published)
        };
        let mut missing: Vec<Frame> = Vec::new();
        let mut to_report = FramesToReport::default();
        let mut replaced = HashMap::new();
        for FileDecision {
            frame,
            found,
            action,
        } in decisions
        {
            match action {
                FileAction::Refuse => {
                    let path = deliverable.path(frame);
                    let today = looker.fingerprint(frame);
                    let is_today = |made: &str| today.as_ref().is_some_and(|one| one.is(made));
                    // Runs that are started alike share their work, whoever brings the first file.
                    if in_the_way.is_empty() && self.is_brought_alike(&path, &is_today)? {
                        self.keep(true);
                    } else {
                        in_the_way.push(path);
                    }
                }
                FileAction::Replace(replaces) => {
                    replaced.insert(frame, replaces);
                    missing.push(frame);
                }
                FileAction::Render => missing.push(frame),
                FileAction::SetAside => {
                    let why = found.reason().unwrap_or_default();
                    match self.make_room(&deliverable.path(frame), &why) {
                        Err(error) if !error.ends_the_run(self.context.state.path()) => {
                            self.journal.failed_silently(vec![Failure {
                                deliverable: index,
                                frame,
                                reason: format!("{why}, and it cannot be set aside: {error}"),
                                log: None,
                            }])?;
                        }
                        made => {
                            made?;
                            missing.push(frame);
                        }
                    }
                }
                FileAction::Keep => {
                    let path = deliverable.path(frame);
                    let provenance = &self.context.provenance[index];
                    if let Some(made_by) = self.other_engine(&path, provenance) {
                        *others
                            .entry((made_by, provenance.engine.clone()))
                            .or_default() += 1;
                    }
                    self.keep(found == FileOnDisk::Valid && !self.context.policy.verify_all);
                }
                FileAction::Report => to_report.add(found, frame),
                // Another run is just bringing it.
                FileAction::Adopt if self.is_on_its_way(&deliverable.path(frame))? => {
                    self.keep(true);
                }
                FileAction::Adopt | FileAction::Restamp | FileAction::Accept => {
                    let fingerprint = looker.fingerprint(frame);
                    let fingerprint = fingerprint.map(|one| one.now.clone());
                    if !self.take_as(index, frame, action, fingerprint)? {
                        to_report.stale.push(frame);
                    }
                }
            }
        }
        to_report.into_report(index, &mut self.journal.report());
        Ok((FrameSet::from_frames(missing), replaced))
    }

    /// Takes a file that is there: as one that no run made, with its new time, or although its settings are others. Gives
    /// whether it counts as valid from now on; the fingerprint is that of today.
    pub(super) fn take_as(
        &self,
        index: DeliverableId,
        frame: Frame,
        action: FileAction,
        fingerprint: Option<String>,
    ) -> Result<bool, RunError> {
        let deliverable = &self.context.expansion.deliverables[index];
        let provenance = &self.context.provenance[index];
        match action {
            FileAction::Restamp => self.restamp(deliverable, frame)?,
            FileAction::Accept => {
                let path = deliverable.path(frame);
                if let Some(reason) = refused(deliverable, &path, &self.context.loaded.folder) {
                    let refused = (index, frame, reason);
                    self.journal.report().not_accepted.push(refused);
                    return Ok(false);
                }
                let accepted = Provenance {
                    fingerprint,
                    ..provenance.clone()
                };
                self.take_in(deliverable, frame, &accepted, FileOrigin::Accepted)?;
                self.journal.report().accepted += 1;
            }
            _ => {
                let adopted = Provenance::of_adopted(fingerprint, provenance.run.clone());
                self.take_in(deliverable, frame, &adopted, FileOrigin::Adopted)?;
                self.journal.report().adopted += 1;
            }
        }
        self.keep(false);
        Ok(true)
    }

    /// Reports a file that is kept and is not valid.
    pub(super) fn report_kept(&self, index: DeliverableId, frame: Frame, found: FileOnDisk) {
        let mut to_report = FramesToReport::default();
        to_report.add(found, frame);
        to_report.into_report(index, &mut self.journal.report());
    }

    /// The engine that made a file with today's settings, where it is not today's in all but its
    /// version: nobody knows whether that shows.
    fn other_engine(&self, path: &str, provenance: &Provenance) -> Option<String> {
        let known = self.journal.known();
        let record = known.published.get(path)?;
        let engine = &record.origin.engine;
        let is_made_here = record.fingerprint().is_some() && **engine != *UNKNOWN_ENGINE;
        let is_other = is_made_here && **engine != *provenance.engine;
        is_other.then(|| engine.to_string())
    }

    pub(super) fn keep(&self, unread: bool) {
        let mut report = self.journal.report();
        report.kept += 1;
        report.unread += u64::from(unread);
    }

    /// Whether the run that goes on has made a file.
    pub(super) fn is_own(&self, path: &str) -> bool {
        self.is_own_by(&self.journal.known().published, path)
    }

    fn is_own_by(&self, files: &Files, path: &str) -> bool {
        let first = self.context.provenance.first();
        let run = first.and_then(|provenance| provenance.run.as_deref());
        let record = files.get(path);
        run.is_some() && record.is_some_and(|record| record.origin.run.as_deref() == run)
    }

    /// Compares what this run has published once more, by size and time, and where these differ by its bytes: an engine may have kept a name or a descriptor of
    /// a file, and have written to it since.
    pub(super) fn check_published(&self) {
        for (index, deliverable) in DeliverableId::with_each(&self.context.expansion.deliverables) {
            let mut changed = ByReason::default();
            for file in deliverable.files().iter() {
                let path = file.path();
                let record = {
                    let known = self.journal.known();
                    let record = known.published.get(&path);
                    record
                        .filter(|_| self.is_own_by(&known.published, &path))
                        .map(|record| (record.stamp, record.hash))
                };
                let now = stamp(Path::new(&path)).ok().flatten();
                // A copy from an archive may have another time, and the same bytes.
                let is_same =
                    |hash: Hash| has_content(Path::new(&path), &hash.to_string()).unwrap_or(true);
                if let (Some((then, hash)), Some(now)) = (record, now)
                    && then != now
                    && !is_same(hash)
                {
                    let reason = "it was written to after it was published";
                    changed.add(reason.to_owned(), file.frame);
                }
            }
            let mut report = self.journal.report();
            for (reason, frames) in changed.frames() {
                report.changed_since += frames.count();
                report.changed.push((index, reason, frames));
            }
        }
    }

    /// Whether another run has written down that it is about to bring a file. It does so before the file is
    /// there, so that whoever sees the file finds the line.
    fn is_on_its_way(&self, path: &str) -> Result<bool, RunError> {
        self.journal.refresh()?;
        let known = self.journal.known();
        let about_to = |record: &SessionRecord| {
            record
                .intents
                .iter()
                .any(|intent| intent.record.path == path)
        };
        Ok(known.published.get(path).is_some() || known.sessions.values().any(about_to))
    }

    /// Whether another run is at work, and a file was brought, or is about to be, with a fingerprint that is wanted.
    fn is_brought_alike(
        &self,
        path: &str,
        is_wanted: &dyn Fn(&str) -> bool,
    ) -> Result<bool, RunError> {
        self.journal.refresh()?;
        let known = self.journal.known();
        if self.context.session.others_at_work(&known).is_empty() {
            return Ok(false);
        }
        let mut sessions = known.sessions.values();
        let is_about_to = sessions.any(|record| {
            let mut intents = record.intents.iter();
            intents.any(|intent| {
                let made = intent.record.fingerprint.as_deref();
                intent.record.path == path && made.is_some_and(is_wanted)
            })
        });
        let published = known.published.get(path);
        let made = published.and_then(|known| known.fingerprint());
        Ok(is_about_to || made.is_some_and(is_wanted))
    }

    pub(super) fn set_aside(&self, file: &Path, why: &str) -> Result<std::path::PathBuf, RunError> {
        let folder = file.parent().unwrap_or(Path::new("/"));
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        let to =
            set_aside(self.context.disk, file, folder, &name, why).map_err(RunError::disk(file))?;
        let line = Line::Aside {
            path: file.display().to_string(),
            to: to.display().to_string(),
            why: why.to_owned(),
        };
        self.journal.write(line, file)?;
        Ok(to)
    }

    /// Sets aside what is in the way, and says so.
    pub(super) fn make_room(&self, path: &str, why: &str) -> Result<(), RunError> {
        let to = self.set_aside(Path::new(path), why)?;
        let what = format!("{path}: {why}");
        self.journal.event(&Event::Aside {
            what: &what,
            to: &to,
        });
        Ok(())
    }

    /// A file with the bytes that the ledger knows has another time: the ledger gets that.
    fn restamp(&self, deliverable: &Deliverable, frame: Frame) -> Result<(), RunError> {
        let path = deliverable.path(frame);
        let provenance = {
            let known = self.journal.known();
            let origin = known
                .published
                .get(&path)
                .map(|record| Arc::clone(&record.origin));
            origin.map(|origin| Provenance {
                engine: origin.engine.to_string(),
                fingerprint: origin.fingerprint.as_deref().map(str::to_owned),
                run: origin.run.as_deref().map(str::to_owned),
            })
        };
        match provenance {
            Some(provenance) => self.take_in(deliverable, frame, &provenance, FileOrigin::Adopted),
            None => Ok(()),
        }
    }

    /// Takes a file that is there into the ledger.
    pub(super) fn take_in(
        &self,
        deliverable: &Deliverable,
        frame: Frame,
        provenance: &Provenance,
        how: FileOrigin,
    ) -> Result<(), RunError> {
        let path = deliverable.path(frame);
        let file = Path::new(&path);
        let mut record = record(file, file, provenance).map_err(RunError::disk(file))?;
        record.unverifiable = unverifiable(deliverable, file);
        self.journal.known().publish(&record);
        self.journal
            .write(Line::Published { frame, how, record }, file)
    }
}
