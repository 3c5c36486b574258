//! Which files of a staging folder are proven to be finished, and which of those are what is wanted.

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::Path;
use std::thread;
use std::time::Duration;

use truepath_core::frames::Frame;

use super::{CollectError, FoundFile, FrameFlaw, StagingArea, name_of, verified};
use crate::crash::point;
use crate::disk::{changed_at, modified_at, stamp};
use crate::make::publish::VerifiedFile;
use crate::record::ledger::FileOrigin;
use crate::system::is_open_for_writing;

/// What proves that files are finished.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Evidence<'a> {
    /// Files that the engine named as final.
    pub(crate) named: &'a [String],
    /// Whether files count of which a later frame has begun: the engine works in order.
    pub(crate) in_order: bool,
    /// Whether the process ended by itself with success.
    pub(crate) success: bool,
    /// Whether lines of its log may still have to be read.
    pub(crate) log_goes_on: bool,
}

impl StagingArea<'_> {
    /// Those of some files whose end is proven.
    pub(crate) fn finished(
        &self,
        files: &[String],
        evidence: Evidence<'_>,
    ) -> Result<Vec<FoundFile>, CollectError> {
        let mut found = self.recognise(files)?;
        if evidence.success {
            return Ok(found);
        }
        let passed = if evidence.in_order {
            self.passed(files, &found, evidence.log_goes_on)?
        } else {
            BTreeSet::new()
        };
        let named: BTreeSet<String> = evidence.named.iter().map(|name| name_of(name)).collect();
        found.retain(|(name, ..)| named.contains(name) || passed.contains(name));
        Ok(found)
    }

    /// Files of which a later frame has begun since they last changed: a later frame's picture or
    /// checkpoint changed after them, or the log says so.
    pub(super) fn passed(
        &self,
        files: &[String],
        found: &[FoundFile],
        log_goes_on: bool,
    ) -> io::Result<BTreeSet<String>> {
        // What the log reports of a frame is read before its file is published: files alone may be ahead of it.
        let by_files = !log_goes_on || !self.reports_samples();
        // What was moved here from where the engine writes has the time of the move.
        let time = match self.profile.writes {
            Some(_) => modified_at,
            None => changed_at,
        };
        let mut signs: Vec<(Frame, i128)> = Vec::new();
        let mut times: BTreeMap<&str, i128> = BTreeMap::new();
        for (name, _, frame) in found {
            if let Some(when) = time(&self.folder.join(name))? {
                signs.push((*frame, when));
                times.insert(name, when);
            }
        }
        if let Some(pattern) = &self.checkpoints {
            for name in files {
                if let Some(Some(frame)) = pattern.read(name)
                    && let Some(when) = time(&self.folder.join(name))?
                {
                    signs.push((frame, when));
                }
            }
        }
        let latest = self.begun.max(self.published);
        let passed = found.iter().filter(|(name, _, frame)| {
            let Some(changed) = times.get(name.as_str()) else {
                return false;
            };
            let mut later = signs.iter().filter(|(other, _)| other > frame);
            Some(*frame) < latest || (by_files && later.any(|(_, when)| when > changed))
        });
        Ok(passed.map(|(name, ..)| name.clone()).collect())
    }

    /// Those of some finished files that decode whole as what is wanted; what is wrong with the others
    /// is kept.
    pub(super) fn verified(
        &mut self,
        found: Vec<FoundFile>,
        at_work: bool,
    ) -> Result<Vec<(usize, VerifiedFile)>, CollectError> {
        let mut ready = Vec::new();
        let mut patience = PATIENCE;
        for (name, output, frame) in found {
            let known = &self.outputs[output];
            let staged = self.folder.join(&name);
            let Some(seen) = stamp(&staged)? else {
                continue;
            };
            let seen = Some(seen);
            let is_the_same = |flaw: &FrameFlaw| flaw.seen.is_none_or(|then| Some(then) == seen);
            if known.done.contains(&frame) || known.flaws.get(&frame).is_some_and(is_the_same) {
                continue;
            }
            if is_open_for_writing(&staged)?
                && (at_work || !is_closed_in_time(&staged, &mut patience)?)
            {
                if !at_work {
                    let flaw = FrameFlaw::still_written(seen);
                    self.outputs[output].flaws.insert(frame, flaw);
                }
                continue;
            }
            if let Some(error) = self.errors.get(&frame).filter(|_| self.profile.error_fails) {
                let flaw = FrameFlaw::reported(error, seen);
                self.outputs[output].flaws.insert(frame, flaw);
                continue;
            }
            point("complete");
            let known = &mut self.outputs[output];
            let content = match verified(known.deliverable, &staged, seen) {
                Ok(content) => content,
                Err(flaw) => {
                    known.flaws.insert(frame, flaw);
                    continue;
                }
            };
            known.flaws.remove(&frame);
            point("verified");
            let samples = self.samples.get(&frame).copied();
            let mut one = known.ready(staged, frame, FileOrigin::Rendered, content, samples)?;
            one.record.error = self.errors.get(&frame).cloned();
            ready.push((output, one));
        }
        Ok(ready)
    }
}

/// How long the files of a process that has ended are waited for, should somebody still write them.
const PATIENCE: Duration = Duration::from_secs(5);
const STEP: Duration = Duration::from_millis(20);

/// Whether a file is closed before the patience is over; what was waited is taken from it.
fn is_closed_in_time(file: &Path, patience: &mut Duration) -> io::Result<bool> {
    while is_open_for_writing(file)? {
        let Some(left) = patience.checked_sub(STEP) else {
            return Ok(false);
        };
        *patience = left;
        thread::sleep(STEP);
    }
    Ok(true)
}
