//! An engine at work: its process group, and the lines that it prints.

use std::cell::Cell;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, SyncSender, TryRecvError, sync_channel};
use std::thread;
use std::time::Duration;

use truepath_core::visible::visible_bytes;

use crate::clock::Moment;
use crate::make::mask::Mask;
use crate::make::supervisor::Supervisor;
use crate::system::{
    Exit, Group, ProcessMarks, Usage, in_own_group, pipe_name, usage_of_tree, wait_with_usage,
    works_on,
};

/// Something that an engine's process did.
#[derive(Debug)]
pub(crate) enum ProcessEvent {
    /// It printed a line.
    Line(String),
    /// It ended.
    Ended(Exit),
    /// Nothing for a while.
    Quiet,
}

/// A line that is longer than this is cut, in bytes.
const LONGEST_LINE: usize = 64 * 1024;
/// How many lines may wait; then the engine waits.
const MOST_WAITING: usize = 1024;
/// How soon it is looked at again whether a process is still there that has closed its output: most
/// are gone at once.
const STEPS: (Duration, Duration) = (Duration::from_micros(50), Duration::from_millis(5));

/// How often it is looked whether an engine has ended whose output others hold open.
const OFTEN: Duration = Duration::from_millis(80);
/// How often it is measured what an engine uses.
const BETWEEN_MEASURES: Duration = Duration::from_millis(240);
/// How long what an engine printed is waited for after its end, where others hold its output open.
const LAST_WORDS: Duration = Duration::from_secs(2);
/// How long what an engine leaves behind may work on its pictures where its profile does not say it.
const LONGEST_SURVIVAL: Duration = Duration::from_secs(60);
/// The variable by which the processes of one engine are known.
const VARIABLE: &str = "TRUEPATH_PROCESS";

/// A process group with an engine in it.
pub(crate) struct Process<'w> {
    engine: Child,
    group: Group,
    lines: Receiver<String>,
    ended: Option<ProcessEnd>,
    supervisor: &'w Supervisor,
    signs: ProcessMarks,
    /// When it was looked at last.
    looked: Moment,
    /// Whether no line was waiting once it had ended.
    is_read_up: bool,
    /// When it was measured last what it uses.
    measured: Moment,
    /// What it used so far; all that it used once it has ended.
    usage: Usage,
    /// What it left behind and was ended, by name.
    left_behind: Vec<String>,
    /// Where it writes, and whether it was started there.
    staging: (PathBuf, bool),
    /// How long what the engine leaves behind may work on its pictures.
    background_limit: Duration,
    /// Since when the engine itself has ended.
    alone_since: Option<Moment>,
    /// What it left behind and still worked on its pictures after the longest time, by name.
    survivor: Option<String>,
    /// Whether it was asked to end.
    is_ending: Cell<bool>,
}

/// How it ended, and when.
#[derive(Debug, Clone, Copy)]
struct ProcessEnd {
    exit: Exit,
    since: Moment,
}

/// What is started.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Start<'s> {
    pub(crate) program: &'s Path,
    pub(crate) arguments: &'s [String],
    /// All of its environment.
    pub(crate) env: &'s [(String, String)],
    /// What is masked in what it prints.
    pub(crate) mask: &'s Mask,
    /// The folder that it works in.
    pub(crate) folder: &'s Path,
    /// The folder that it writes to.
    pub(crate) staging: &'s Path,
    /// How long what it leaves behind may work on its pictures.
    pub(crate) background_limit: Option<Duration>,
}

impl<'w> Process<'w> {
    /// Starts a program in a process group of its own, which the supervisor ends when this run dies.
    pub(crate) fn start(supervisor: &'w Supervisor, start: Start<'_>) -> io::Result<Self> {
        // One pipe for both, so that lines stay in the order in which they were printed.
        let (input, output) = io::pipe()?;
        let pipe = pipe_name(&output)?;
        let mark = supervisor.mark_of_process();
        let mut command = Command::new(start.program);
        command
            .args(start.arguments)
            .env_clear()
            .envs(start.env.iter().map(|(name, value)| (name, value)))
            .env(Supervisor::MARK, supervisor.mark())
            .env(VARIABLE, &mark)
            .current_dir(start.folder)
            .stdin(Stdio::null())
            .stdout(output.try_clone()?)
            .stderr(output);
        in_own_group(&mut command);
        let engine = supervisor.engines.start(|| command.spawn(), Child::id)?;
        // This process holds no end of the pipe that engines write to.
        drop(command);
        let group = Group::of(&engine)?;
        let (sender, lines) = sync_channel(MOST_WAITING);
        read_lines(input, sender, start.mask.clone());
        let process = Self {
            engine,
            group,
            lines,
            ended: None,
            supervisor,
            signs: ProcessMarks {
                variable: format!("{VARIABLE}={mark}"),
                pipe,
            },
            looked: Moment::now(),
            is_read_up: false,
            measured: Moment::now(),
            usage: Usage::default(),
            left_behind: Vec::new(),
            staging: (start.staging.to_owned(), start.folder == start.staging),
            background_limit: start.background_limit.unwrap_or(LONGEST_SURVIVAL),
            alone_since: None,
            survivor: None,
            is_ending: Cell::new(false),
        };
        supervisor.watch(group);
        Ok(process)
    }

    /// What happens next, waiting at most so long. The end is reported after the last line.
    pub(crate) fn next(&mut self, patience: Duration) -> io::Result<ProcessEvent> {
        // Also while somebody prints without a pause.
        if self.looked.elapsed() > OFTEN {
            self.looked = Moment::now();
            if let Some(ended) = self.ended {
                // Something outside of its tree still holds its output open; all that the engine itself
                // printed is read by now.
                if self.is_read_up && ended.since.elapsed() > LAST_WORDS {
                    return Ok(ProcessEvent::Ended(ended.exit));
                }
            } else if !self.lives(Duration::ZERO)? && !self.is_survived() {
                self.wait()?;
            }
        }
        let waiting = match self.lines.try_recv() {
            Ok(line) => Ok(line),
            Err(TryRecvError::Disconnected) => Err(RecvTimeoutError::Disconnected),
            Err(TryRecvError::Empty) => {
                self.is_read_up |= self.ended.is_some();
                self.lines.recv_timeout(patience)
            }
        };
        match waiting {
            Ok(line) => Ok(ProcessEvent::Line(line)),
            Err(RecvTimeoutError::Disconnected) => {
                // Nobody can print any more: either it has ended, or it has closed its output.
                if self.ended.is_none() && self.lives(patience)? {
                    return Ok(ProcessEvent::Quiet);
                }
                if self.ended.is_none() && self.is_survived() {
                    thread::sleep(OFTEN.min(patience));
                    return Ok(ProcessEvent::Quiet);
                }
                Ok(ProcessEvent::Ended(self.wait()?))
            }
            Err(RecvTimeoutError::Timeout) => Ok(ProcessEvent::Quiet),
        }
    }

    /// Whether the engine is still there after so long at most; it is not waited for, so that its
    /// number stays its own.
    fn lives(&self, patience: Duration) -> io::Result<bool> {
        let (mut step, longest) = STEPS;
        let mut waited = Duration::ZERO;
        loop {
            if self.group.has_ended()? {
                return Ok(false);
            }
            if waited >= patience {
                return Ok(true);
            }
            thread::sleep(step);
            waited += step;
            step = (step * 2).min(longest);
        }
    }

    /// Whether something that the engine left behind still works on its pictures, which may take a while.
    fn is_survived(&mut self) -> bool {
        let since = *self.alone_since.get_or_insert_with(Moment::now);
        if self.is_ending.get() {
            return false;
        }
        let (staging, is_start) = &self.staging;
        let survivor = works_on(staging, *is_start, self.group, &self.signs);
        if since.elapsed() <= self.background_limit {
            return survivor.is_some();
        }
        self.survivor = survivor;
        false
    }

    /// What the engine left behind and still worked on its pictures when it was ended, by name; once it has ended.
    pub(crate) fn survivor(&self) -> Option<&str> {
        self.survivor.as_deref()
    }

    /// Measures what it and all that it started use; none where it was measured a moment ago.
    pub(crate) fn measure(&mut self) -> Option<Usage> {
        if self.ended.is_some() || self.measured.elapsed() <= BETWEEN_MEASURES {
            return None;
        }
        self.measured = Moment::now();
        self.usage.grow(usage_of_tree(self.group.number())?);
        Some(self.usage)
    }

    /// What it and all that it started have used, as far as it was measured; all of it once it has ended.
    pub(crate) fn usage(&self) -> Usage {
        self.usage
    }

    /// Processes that it left behind and that were ended, by name; once it has ended.
    pub(crate) fn left_behind(&self) -> &[String] {
        &self.left_behind
    }

    /// Asks the whole group to end.
    pub(crate) fn terminate(&self) {
        self.is_ending.set(true);
        // The engine is not yet waited for, so its number is still its own.
        if self.ended.is_none() {
            self.group.terminate();
        }
    }

    /// Ends the whole group, forcibly.
    pub(crate) fn kill(&self) {
        self.is_ending.set(true);
        if self.ended.is_none() {
            self.group.kill();
        }
    }

    fn wait(&mut self) -> io::Result<Exit> {
        if let Some(ended) = self.ended {
            return Ok(ended.exit);
        }
        // Whatever is left of the group goes while the engine still holds its number.
        self.group.wait_for_end()?;
        self.kill();
        self.supervisor.forget(self.group);
        let (exit, usage) = wait_with_usage(&mut self.engine)?;
        self.usage.grow(usage);
        self.supervisor.engines.forget(self.group);
        self.left_behind = self.supervisor.engines.end_orphans_of(&self.signs);
        let since = Moment::now();
        self.ended = Some(ProcessEnd { exit, since });
        Ok(exit)
    }
}

impl Drop for Process<'_> {
    fn drop(&mut self) {
        self.kill();
        let _ = self.wait();
    }
}

/// Sends every line of a stream; a carriage return ends a line too.
fn read_lines(mut stream: impl Read + Send + 'static, sender: SyncSender<String>, mask: Mask) {
    thread::spawn(move || {
        let mut buffer = [0; 8192];
        let mut line: Vec<u8> = Vec::new();
        loop {
            let read = match stream.read(&mut buffer) {
                Ok(0) => break,
                Ok(read) => read,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
                Err(_) => break,
            };
            for &byte in &buffer[..read] {
                if byte != b'\n' && byte != b'\r' {
                    if line.len() < LONGEST_LINE {
                        line.push(byte);
                    }
                } else if !line.is_empty() {
                    if sender.send(mask.masked(visible_bytes(&line))).is_err() {
                        return;
                    }
                    line.clear();
                }
            }
        }
        if !line.is_empty() {
            let _ = sender.send(mask.masked(visible_bytes(&line)));
        }
    });
}
