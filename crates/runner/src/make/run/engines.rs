//! Asks engines for their versions.

use std::path::Path;
use std::process::Command;

use regex::Regex;
use truepath_core::profile::Profile;

use crate::look::ask::output_of;
use crate::look::program::find_program;

/// The engine's name, with its version where it reports one.
pub(crate) fn name_and_version(profile: &Profile, folder: &Path) -> String {
    if profile.program == Profile::THIS_PROGRAM {
        return format!("{} {}", profile.name, env!("CARGO_PKG_VERSION"));
    }
    match version(profile, folder) {
        Some(version) => format!("{} {version}", profile.name),
        None => profile.name.clone(),
    }
}

fn version(profile: &Profile, folder: &Path) -> Option<String> {
    let query = profile.version.as_ref()?;
    let program = find_program(&profile.program, folder)?;
    let output = output_of(Command::new(program).args(&query.ask)).ok()?;
    let text = [output.stdout, output.stderr].concat();
    let pattern = Regex::new(&query.find).ok()?;
    pattern
        .captures(&String::from_utf8_lossy(&text))?
        .name("version")
        .map(|version| version.as_str().to_owned())
}
