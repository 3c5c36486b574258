//! Asks an engine whether it is here and answers.

use std::path::{Path, PathBuf};

use truepath_core::profile::Profile;

use crate::look::program::program_of_engine;
use crate::make::run::name_and_version;

/// What there is of an engine on this machine.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Probed {
    /// Where its program is; none where it is not found.
    pub program: Option<PathBuf>,
    /// The version that it reports, where it was asked and answered.
    pub version: Option<String>,
    /// Whether it was asked.
    pub asked: bool,
}

/// Looks for an engine's program; with `leave` it is started to report its version.
#[must_use]
pub fn probe(profile: &Profile, this_program: &Path, folder: &Path, leave: bool) -> Probed {
    let program = program_of_engine(&profile.program, this_program, folder);
    let asks = profile.version.is_some() || profile.is_this_program();
    let asked = leave && program.is_some() && asks;
    let version = asked
        .then(|| name_and_version(profile, folder))
        .and_then(|answer| {
            answer
                .strip_prefix(&format!("{} ", profile.name))
                .map(str::to_owned)
        });
    Probed {
        program,
        version,
        asked,
    }
}
