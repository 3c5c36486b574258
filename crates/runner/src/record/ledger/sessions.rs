//! The lines of ledgers one after another, with all that they hold: for questions that are asked rarely.

use std::fs::File;
use std::io::{self, BufRead, BufReader};
use std::path::{Path, PathBuf};

use super::home::Home;
use super::written::sound;
use super::{Line, path};
use truepath_media::open_regular;

/// The ledgers of a folder, the oldest first.
pub(super) struct LedgerSessions {
    folder: PathBuf,
    home: Home,
    last: u32,
}

/// The sound lines of one ledger.
pub(super) struct SessionLines {
    /// The number of the run.
    pub(super) session: u32,
    lines: BufReader<File>,
    home: Home,
    skips_files: bool,
}

impl LedgerSessions {
    pub(super) fn of(folder: &Path) -> Self {
        Self {
            folder: folder.to_owned(),
            home: Home::of_ledgers(folder),
            last: 0,
        }
    }
}

impl Iterator for LedgerSessions {
    type Item = io::Result<SessionLines>;

    fn next(&mut self) -> Option<Self::Item> {
        self.last += 1;
        match open_regular(&path(&self.folder, self.last)) {
            // Ledgers are numbered without gaps.
            Err(error) if error.kind() == io::ErrorKind::NotFound => None,
            ledger => Some(ledger.map(|ledger| SessionLines {
                session: self.last,
                lines: BufReader::new(ledger),
                home: self.home.clone(),
                skips_files: false,
            })),
        }
    }
}

impl SessionLines {
    /// The same without the lines about single files, which nearly all are.
    pub(super) fn without_files(self) -> Self {
        Self {
            skips_files: true,
            ..self
        }
    }

    fn is_skipped(&self, line: &str) -> bool {
        let heads = ["{\"published\"", "{\"intent\""];
        self.skips_files && heads.iter().any(|head| line.starts_with(head))
    }
}

impl Iterator for SessionLines {
    type Item = io::Result<Line>;

    fn next(&mut self) -> Option<Self::Item> {
        let mut bytes = Vec::new();
        loop {
            bytes.clear();
            match self.lines.read_until(b'\n', &mut bytes) {
                Ok(0) => return None,
                Ok(_) => {}
                Err(error) => return Some(Err(error)),
            }
            let text = String::from_utf8_lossy(&bytes);
            let Some(line) = sound(text.trim_end_matches('\n')) else {
                continue;
            };
            if self.is_skipped(line) {
                continue;
            }
            // A line of a newer program is ignored.
            if let Ok(line) = serde_json::from_str(&self.home.whole_line(line)) {
                return Some(Ok(line));
            }
        }
    }
}
