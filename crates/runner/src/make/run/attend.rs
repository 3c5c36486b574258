//! Attends to an engine at work: reads its log, publishes what it finishes, and ends it when it takes
//! too long.

use std::sync::Arc;
use std::time::Duration;

use truepath_core::frame_progress::FrameProgress;
use truepath_core::profile::Profile;

use super::engine_process::EngineProcess;
use super::outcome::End;
use super::times::Times;
use super::{Event, RunError};
use crate::clock::{Moment, nanoseconds_now, pause};
use crate::make::engine_log::{LineMeaning, LogReader};
use crate::make::process::{Process, ProcessEvent};
use crate::make::staging_area::{CollectError, Evidence, StagingArea};
use crate::system::Exit;

/// How often an engine is looked at that says nothing.
const TICK: Duration = Duration::from_millis(100);
/// How long a group may take to end when it is asked to.
const GRACE: Duration = Duration::from_secs(5);
/// A process that works for so long counts as one that works.
const LIVES: Duration = Duration::from_secs(60);
/// How long an engine may go on that has brought everything.
const AFTER_THE_LAST: Duration = Duration::from_secs(10);

/// What is known of an engine at work.
struct EngineProgress {
    reader: LogReader,
    /// What it reported last of how far its frame is.
    reported: Option<FrameProgress>,
    times: Times,
    /// Whether a frame is finished as soon as a later one has begun.
    is_watched: bool,
    /// Files that it named before they were finished.
    named: Vec<String>,
    /// Why it is ended, and when it was asked to.
    ending: Option<(End, Moment)>,
}

impl EngineProcess<'_> {
    /// Sees a process through to its end.
    pub(super) fn attend(
        &mut self,
        mut process: Process<'_>,
        area: &mut StagingArea<'_>,
    ) -> Result<(), RunError> {
        let profile = Arc::clone(&self.profile);
        let reader = LogReader::new(&profile).map_err(|error| RunError::Pattern {
            engine: profile.name.clone(),
            error,
        })?;
        self.outcome.started = nanoseconds_now();
        let mut progress = EngineProgress {
            reader: reader.of_frames(&area.frames),
            reported: None,
            times: Times::now(),
            is_watched: area.is_predictable() && profile.in_order && self.is_believed(),
            named: Vec::new(),
            ending: None,
        };
        loop {
            if let Some(usage) = process.measure() {
                self.worker.pace.uses(self.turn, usage);
            }
            if progress.times.started.elapsed() > LIVES
                && self.worker.prospects.lives(&self.attempt.planned)
            {
                self.worker.board.look_again();
            }
            self.end_if_due(&process, &mut progress, area);
            let event = process.next(pause(TICK));
            let mut published = match event.map_err(RunError::disk(&area.folder))? {
                ProcessEvent::Ended(exit) => return self.has_ended(&process, exit, progress),
                ProcessEvent::Quiet => 0,
                ProcessEvent::Line(line) => self.read_line(&line, &mut progress, area)?,
            };
            if published == 0 {
                published = self.look_for_finished(&mut progress, area)?;
            }
            let times = &mut progress.times;
            if published > 0 {
                self.outcome.published += published;
                times.frame = Moment::now();
                times.at_work = true;
                if area.is_whole() {
                    times.whole.get_or_insert(Moment::now());
                }
            }
            let every = self.limits().checkpoint_every;
            if profile.checkpoint.is_some() && times.checkpoint.elapsed() > every {
                self.keep_checkpoints(area, false)?;
                times.checkpoint = Moment::now();
            }
        }
    }

    fn has_ended(
        &mut self,
        process: &Process<'_>,
        exit: Exit,
        progress: EngineProgress,
    ) -> Result<(), RunError> {
        let journal = self.worker.journal;
        journal.remark_on_left_behind(process.left_behind());
        let written = self.log.engine_ended();
        written.map_err(RunError::disk(self.log.path()))?;
        let started = progress.times.started;
        let usage = process.usage();
        self.outcome.used = Some((started.elapsed(), usage));
        self.worker.pace.uses(self.turn, usage);
        self.outcome.took = started.elapsed().saturating_sub(self.outcome.start);
        self.outcome.end = match (progress.ending, process.survivor()) {
            (Some((end, _)), _) => end,
            (None, Some(survivor)) => End::Survived(survivor.to_owned()),
            (None, None) => end_of(exit, &self.profile),
        };
        // An error after which the engine ends with success would be in its log alone.
        let error = self.outcome.complaint.first_error();
        if let Some(error) = error.filter(|_| self.outcome.end == End::Success) {
            let text = format!("error: {error}");
            let mut warnings = journal.warnings();
            warnings.add(&text, self.log.path(), self.log.lines());
        }
        Ok(())
    }

    /// A line of the log; gives how many files were published.
    fn read_line(
        &mut self,
        line: &str,
        progress: &mut EngineProgress,
        area: &mut StagingArea<'_>,
    ) -> Result<u64, RunError> {
        progress.times.line = Moment::now();
        let meaning = progress.reader.read(line);
        // Some engines repeat it thousands of times a frame.
        if let Some(LineMeaning::Progress(now)) = meaning
            && progress.reported.replace(now) == Some(now)
        {
            return Ok(0);
        }
        if matches!(meaning, Some(LineMeaning::Frame(_))) {
            progress.reported = None;
        }
        let written = self.log.engine(line, meaning.is_some());
        written.map_err(RunError::disk(self.log.path()))?;
        self.outcome.complaint.line(line);
        match meaning {
            Some(LineMeaning::File(name)) if area.is_predictable() && self.is_believed() => {
                let evidence = Evidence {
                    log_goes_on: true,
                    named: std::slice::from_ref(&name),
                    ..Evidence::default()
                };
                let published = self.collect_at_work(area, evidence)?;
                let named = &mut progress.named;
                if published == 0 && area.expects(&name) && !named.contains(&name) {
                    named.push(name);
                }
                Ok(published)
            }
            Some(meaning) => {
                self.understood(meaning, &mut progress.times, area);
                Ok(0)
            }
            None => Ok(0),
        }
    }

    /// What follows from a line of the log that names no file.
    fn understood(&mut self, meaning: LineMeaning, times: &mut Times, area: &mut StagingArea<'_>) {
        let (journal, process) = (self.worker.journal, self.number);
        match meaning {
            LineMeaning::Frame(frame) => {
                if area.begun.is_none() {
                    self.outcome.start = times.started.elapsed();
                }
                area.begun = area.begun.max(Some(frame));
                times.frame = Moment::now();
                times.at_work = true;
                times.samples = 0;
                journal.event(&Event::Frame { process, frame });
            }
            LineMeaning::Progress(progress) => {
                if let Some(samples) = progress.samples {
                    times.samples = samples.done;
                    self.outcome.samples = Some(samples);
                }
                journal.event(&Event::Progress { process, progress });
            }
            LineMeaning::Samples(samples) => {
                times.samples = samples.done;
                area.got(samples);
            }
            LineMeaning::Warning(text) => {
                let log = &self.log;
                journal.warnings().add(&text, log.path(), log.lines());
            }
            LineMeaning::Error(text) => {
                area.failed(&text);
                self.outcome.complaint.error(&text);
            }
            LineMeaning::Saved(name) => self.saved(&name, times, area),
            LineMeaning::File(_) => {}
        }
    }

    /// Publishes what is finished without a word, or was named too soon; also while the engine prints
    /// without a pause. Gives how many files.
    fn look_for_finished(
        &mut self,
        progress: &mut EngineProgress,
        area: &mut StagingArea<'_>,
    ) -> Result<u64, RunError> {
        if progress.times.looked.elapsed() < TICK {
            return Ok(0);
        }
        progress.times.looked = Moment::now();
        if !progress.is_watched && progress.named.is_empty() {
            return Ok(0);
        }
        let evidence = Evidence {
            named: &progress.named,
            in_order: progress.is_watched,
            success: false,
            log_goes_on: true,
        };
        let published = self.collect_at_work(area, evidence)?;
        progress.named.retain(|name| area.expects(name));
        Ok(published)
    }

    /// Asks the process to end where there is a reason, and ends it forcibly where it does not.
    fn end_if_due(
        &self,
        process: &Process<'_>,
        progress: &mut EngineProgress,
        area: &StagingArea<'_>,
    ) {
        if let Some((_, since)) = &progress.ending {
            if since.elapsed() > GRACE {
                process.kill();
            }
            return;
        }
        let Some(end) = self.why_end(&mut progress.times, area) else {
            return;
        };
        match self.worker.board.halted() {
            Some(halt) if !halt.finish => process.kill(),
            _ => process.terminate(),
        }
        progress.ending = Some((end, Moment::now()));
    }

    /// Why a process is to be ended, if it is.
    fn why_end(&self, times: &mut Times, area: &StagingArea<'_>) -> Option<End> {
        let published = self.outcome.published;
        // It has brought everything and does not go.
        if times
            .whole
            .is_some_and(|since| since.elapsed() > AFTER_THE_LAST)
        {
            return Some(End::Success);
        }
        if let Some(halt) = self.worker.board.halted() {
            let since = times.halted.get_or_insert(Moment::now());
            // What was finished since then was the frame that was nearly done.
            let finished = times.at_work && published > 0 && times.frame > *since;
            // What can be continued need not be waited for.
            if !halt.finish
                || finished
                || self.profile.checkpoint.is_some()
                || since.elapsed() > times.to_finish(published)
            {
                return Some(End::Halted);
            }
        }
        if area.wrong_kind().is_some() {
            return Some(End::WrongKind);
        }
        if self.has_saved_all(area) {
            return Some(End::Stopped);
        }
        times.too_long(self.limits())
    }

    /// Publishes what is finished while the engine works; gives how many files.
    fn collect_at_work(
        &mut self,
        area: &mut StagingArea<'_>,
        evidence: Evidence<'_>,
    ) -> Result<u64, RunError> {
        if self.attempt.held {
            return Ok(0);
        }
        let journal = self.worker.journal;
        match area.collect(&|files| journal.publish(files), evidence, true) {
            Ok(harvest) => self.collected(harvest),
            // More files may show it.
            Err(CollectError::Learn(_)) => Ok(0),
            Err(error) => Err(error.into()),
        }
    }
}

/// How a process ended that nobody asked to.
fn end_of(exit: Exit, profile: &Profile) -> End {
    match exit {
        Exit::Code(0) => End::Success,
        Exit::Code(code) if profile.success_codes.contains(&i64::from(code)) => End::Success,
        Exit::Code(code) => End::Code(code),
        Exit::Signal(signal) => End::Signal(signal),
    }
}
