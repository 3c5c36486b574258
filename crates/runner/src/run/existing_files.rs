//! What is there already when a run begins, and what the policy says about it.

use std::collections::{BTreeMap, HashMap};
use std::path::Path;
use std::sync::Arc;

use truepath_core::deliverable::Deliverable;
use truepath_core::finding::count;
use truepath_core::frames::{Frame, FrameSet};

use super::context::RunContext;
use super::journal::Journal;
use super::{Event, Failure, FileAction, Report, RunError};
use crate::inventory::{ByReason, FileOnDisk, look, refused, unverifiable};
use crate::ledger::{FileOrigin, Line, Replaces, SessionRecord};
use crate::publish::{Provenance, record};
use crate::staging;

/// What is there and what is not, of each deliverable.
#[derive(Default)]
pub(super) struct Backlog {
    pub(super) missing: Vec<FrameSet>,
    pub(super) replaced: Vec<HashMap<Frame, Replaces>>,
}

/// How many files another version of an engine made, by that and by today's.
type OtherVersions = BTreeMap<(String, String), u64>;

/// Frames of a deliverable that are kept and reported.
#[derive(Default)]
struct FramesToReport {
    stale: Vec<Frame>,
    changed: ByReason,
    unverifiable: ByReason,
}

impl FramesToReport {
    fn add(&mut self, there: FileOnDisk, frame: Frame) {
        match there {
            FileOnDisk::Changed(difference) => self.changed.add(difference, frame),
            FileOnDisk::Unverifiable(reason) => self.unverifiable.add(reason, frame),
            _ => self.stale.push(frame),
        }
    }

    fn into_report(self, index: usize, report: &mut Report) {
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
    /// Looks at what is there, and does about it what the policy says.
    pub(super) fn take_inventory(&self) -> Result<Backlog, RunError> {
        let mut backlog = Backlog::default();
        let mut refused: Vec<String> = Vec::new();
        let mut others = OtherVersions::new();
        for (index, deliverable) in self.context.expansion.deliverables.iter().enumerate() {
            let chosen = &deliverable.common.frames.selected;
            self.journal.report().wanted += chosen.count();
            // Whether a movie is there as it should be shows when its frames are.
            let (missing, replaced) = if deliverable.is_assembled() {
                (chosen.clone(), HashMap::new())
            } else {
                self.inventory_of(index, deliverable, &mut refused, &mut others)?
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
            backlog.missing.push(missing);
            backlog.replaced.push(replaced);
        }
        if let Some(first) = refused.first() {
            return Err(RunError::Refused {
                count: refused.len() as u64,
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

    fn inventory_of(
        &self,
        index: usize,
        deliverable: &Deliverable,
        in_the_way: &mut Vec<String>,
        others: &mut OtherVersions,
    ) -> Result<(FrameSet, HashMap<Frame, Replaces>), RunError> {
        let provenance = &self.context.provenance[index];
        let chosen = &deliverable.common.frames.selected;
        let seen = look(
            deliverable,
            chosen,
            &self.journal.known(),
            provenance.fingerprint.as_deref(),
            self.context.policy.verify_all,
        );
        let mut missing: Vec<Frame> = Vec::new();
        let mut to_report = FramesToReport::default();
        let mut replaced = HashMap::new();
        for (frame, there) in seen {
            if there == FileOnDisk::Missing {
                missing.push(frame);
                continue;
            }
            let path = deliverable.path(frame);
            match self.context.policy.action(&there, || self.is_own(&path)) {
                FileAction::Refuse => in_the_way.push(path),
                FileAction::Replace(replaces) => {
                    replaced.insert(frame, replaces);
                    missing.push(frame);
                }
                FileAction::Render => missing.push(frame),
                FileAction::SetAside => {
                    let why = match there {
                        FileOnDisk::Broken(reason) => reason,
                        _ => String::new(),
                    };
                    self.make_room(&path, &why)?;
                    missing.push(frame);
                }
                FileAction::Keep => {
                    if let Some(made_by) = self.other_engine(&path, provenance) {
                        *others
                            .entry((made_by, provenance.engine.clone()))
                            .or_default() += 1;
                    }
                    self.keep(there == FileOnDisk::Valid && !self.context.policy.verify_all);
                }
                FileAction::Report => {
                    to_report.add(there, frame);
                    self.keep(!self.context.policy.verify_all);
                }
                // Another run is just bringing it.
                FileAction::Adopt if self.is_on_its_way(&path)? => self.keep(true),
                FileAction::Adopt => {
                    let unknown = Provenance::without_run(provenance.run.clone());
                    self.take_in(deliverable, frame, &unknown, FileOrigin::Adopted)?;
                    self.journal.report().adopted += 1;
                    self.keep(false);
                }
                FileAction::Restamp => {
                    self.restamp(deliverable, frame)?;
                    self.keep(false);
                }
                FileAction::Accept => match refused(deliverable, &path) {
                    Some(reason) => {
                        let refused = (index, frame, reason);
                        self.journal.report().not_accepted.push(refused);
                        to_report.stale.push(frame);
                        self.keep(false);
                    }
                    None => {
                        self.take_in(deliverable, frame, provenance, FileOrigin::Accepted)?;
                        self.journal.report().accepted += 1;
                        self.keep(false);
                    }
                },
            }
        }
        to_report.into_report(index, &mut self.journal.report());
        Ok((FrameSet::from_frames(missing), replaced))
    }

    /// The engine that made a file with today's settings, where it is not today's in all but its
    /// version: nobody knows whether that shows.
    fn other_engine(&self, path: &str, provenance: &Provenance) -> Option<String> {
        let known = self.journal.known();
        let record = known.published.get(path)?;
        let engine = &record.origin.engine;
        let is_other = record.fingerprint().is_some() && **engine != *provenance.engine;
        is_other.then(|| engine.to_string())
    }

    fn keep(&self, unread: bool) {
        let mut report = self.journal.report();
        report.kept += 1;
        report.unread += u64::from(unread);
    }

    /// Whether the run that goes on has made a file.
    pub(super) fn is_own(&self, path: &str) -> bool {
        let run = self
            .context
            .provenance
            .first()
            .and_then(|provenance| provenance.run.as_deref());
        let known = self.journal.known();
        let record = known.published.get(path);
        run.is_some() && record.is_some_and(|record| record.origin.run.as_deref() == run)
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

    pub(super) fn set_aside(&self, file: &Path, why: &str) -> Result<std::path::PathBuf, RunError> {
        let folder = file.parent().unwrap_or(Path::new("/"));
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        let to = staging::set_aside(self.context.disk, file, folder, &name)
            .map_err(RunError::disk(file))?;
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
