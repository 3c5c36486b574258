//! The log of one process: every line with the time at which it came. Of an engine that prints without
//! end the first and the last lines are kept, and those between that mention frames.

use std::collections::VecDeque;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::finding::count;
use truepath_core::visible::visible;

use crate::clock::time_of_day;
use crate::disk::{Append, Disk, free_name};

/// A log that is being written.
pub(super) struct Log {
    file: Box<dyn Append>,
    path: PathBuf,
    lines: u64,
    /// Bytes of what the engine printed so far, as they are in the file.
    written: u64,
    /// The last lines beyond the first, which stand at the end of the log.
    tail: VecDeque<String>,
    tail_bytes: usize,
    left_out: u64,
}

/// So many bytes of what an engine prints are kept from its beginning, and from its end.
const HEAD: u64 = 16 << 20;
const TAIL: usize = 1 << 20;

impl Log {
    pub(super) fn create(disk: &dyn Disk, path: PathBuf) -> io::Result<Self> {
        let (file, path) = match disk.create_log(&path) {
            // The answer of a file server was lost: an empty one is there.
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                let folder = path.parent().unwrap_or(Path::new("/"));
                let name = path.file_name().unwrap_or_default().to_string_lossy();
                let path = free_name(folder, &name);
                (disk.create_log(&path)?, path)
            }
            created => (created?, path),
        };
        Ok(Self {
            file,
            path,
            lines: 0,
            written: 0,
            tail: VecDeque::new(),
            tail_bytes: 0,
            left_out: 0,
        })
    }

    pub(super) fn path(&self) -> &Path {
        &self.path
    }

    /// How many lines it has.
    pub(super) fn lines(&self) -> u64 {
        self.lines
    }

    /// What the engine printed; what `about_frame` of a frame is kept in any case.
    pub(super) fn engine(&mut self, line: &str, says: bool) -> io::Result<()> {
        let line = stamped("", line);
        if says || self.written < HEAD {
            self.written += line.len() as u64;
            return self.write(&line);
        }
        self.tail_bytes += line.len();
        self.tail.push_back(line);
        while self.tail_bytes > TAIL {
            let Some(first) = self.tail.pop_front() else {
                break;
            };
            self.tail_bytes -= first.len();
            self.left_out += 1;
        }
        Ok(())
    }

    /// Writes the last lines, once the engine has ended.
    pub(super) fn engine_ended(&mut self) -> io::Result<()> {
        if self.left_out > 0 {
            let lines = count(self.left_out, "line is", "lines are");
            self.run(&format!("{lines} left out here"))?;
            self.left_out = 0;
        }
        self.tail_bytes = 0;
        for line in std::mem::take(&mut self.tail) {
            self.write(&line)?;
        }
        Ok(())
    }

    /// What the run did.
    pub(super) fn run(&mut self, line: &str) -> io::Result<()> {
        self.write(&stamped("= ", line))
    }

    /// One call: a reader never sees half a line.
    fn write(&mut self, line: &str) -> io::Result<()> {
        self.lines += 1;
        self.file.append(line.as_bytes(), false)
    }
}

/// A line with the time.
fn stamped(sign: &str, line: &str) -> String {
    let now = time_of_day().strftime("%H:%M:%S%.3f").to_string();
    format!("{now} {sign}{}\n", visible(line))
}
