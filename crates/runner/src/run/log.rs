//! The log of one process: every line with the time at which it came.

use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use crate::clock::time_of_day;

/// A log that is being written.
pub(super) struct Log {
    file: File,
    path: PathBuf,
    lines: u64,
}

impl Log {
    pub(super) fn create(path: PathBuf) -> io::Result<Self> {
        let file = File::create_new(&path)?;
        let lines = 0;
        Ok(Self { file, path, lines })
    }

    pub(super) fn path(&self) -> &Path {
        &self.path
    }

    /// How many lines it has.
    pub(super) fn lines(&self) -> u64 {
        self.lines
    }

    /// What the engine printed.
    pub(super) fn engine(&mut self, line: &str) -> io::Result<()> {
        self.write("", line)
    }

    /// What the run did.
    pub(super) fn run(&mut self, line: &str) -> io::Result<()> {
        self.write("= ", line)
    }

    fn write(&mut self, sign: &str, line: &str) -> io::Result<()> {
        self.lines += 1;
        let now = time_of_day().strftime("%H:%M:%S%.3f").to_string();
        // One call: a reader never sees half a line.
        self.file
            .write_all(format!("{now} {sign}{line}\n").as_bytes())
    }
}
