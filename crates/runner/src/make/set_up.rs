//! The environment that a set-up script leaves behind, captured once by each run. It is kept in memory only: an answer in a
//! file of the project could be anybody's.

use std::collections::BTreeMap;
use std::io;
use std::path::Path;
use std::process::Command;
use std::sync::Mutex;

use crate::disk::hash_file;
use crate::lock::lock;
use crate::look::ask::output_of;

/// Variables that belong to the shell that was asked, and to nobody else.
const OF_THE_SHELL: [&str; 5] = ["_", "OLDPWD", "PWD", "SHLVL", "PS1"];

/// Names and values of variables.
type Variables = Vec<(String, String)>;

/// What scripts have set, by their content.
static KNOWN: Mutex<BTreeMap<String, Variables>> = Mutex::new(BTreeMap::new());

/// The variables that a script of a POSIX shell sets or changes, by name. What it prints is passed
/// over. It is started once, for as long as it stays the same.
///
/// # Errors
/// When the script is not there, or ends with an error.
pub(crate) fn capture(script: &Path) -> io::Result<Variables> {
    let hash = hash_file(script)?;
    // Held while the script is at work: others wait for its answer.
    let mut known = lock(&KNOWN);
    if let Some(variables) = known.get(&hash) {
        return Ok(variables.clone());
    }
    let before = environment(None)?;
    let mut after = environment(Some(script))?;
    after.retain(|name, value| {
        !OF_THE_SHELL.contains(&name.as_str()) && before.get(name) != Some(value)
    });
    let variables: Variables = after.into_iter().collect();
    known.insert(hash, variables.clone());
    Ok(variables)
}

/// The environment of a shell, after a script where one is named.
fn environment(script: Option<&Path>) -> io::Result<BTreeMap<String, String>> {
    // `env -0` ends each variable with a byte that none of them can hold.
    let line = match script {
        Some(_) => "set -e; . \"$1\" >/dev/null; exec env -0",
        None => "exec env -0",
    };
    let mut shell = Command::new("sh");
    shell.args(["-c", line, "sh"]);
    if let Some(script) = script {
        shell.arg(script);
    }
    let output = output_of(&mut shell)?;
    if !output.status.success() {
        let printed = String::from_utf8_lossy(&output.stderr).trim().to_owned();
        return Err(io::Error::other(format!(
            "it ended with {}: {printed}",
            output.status
        )));
    }
    Ok(output
        .stdout
        .split(|byte| *byte == 0)
        .filter_map(|one| {
            let text = String::from_utf8_lossy(one).into_owned();
            let (name, value) = text.split_once('=')?;
            Some((name.to_owned(), value.to_owned()))
        })
        .collect())
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use std::fs;

    use super::*;

    #[test]
    fn what_a_script_sets_is_captured_to_the_byte() {
        let folder = tempfile::tempdir().unwrap();
        let script = folder.path().join("env.sh");
        fs::write(
            &script,
            "echo loud\nLAMP='brass \"x\" $y\nsecond line'\nexport LAMP\nexport EMPTY=\nlocal_only=1\n",
        )
        .unwrap();
        let expected = [
            ("EMPTY".to_owned(), String::new()),
            ("LAMP".to_owned(), "brass \"x\" $y\nsecond line".to_owned()),
        ];
        for _ in 0..2 {
            assert_eq!(capture(&script).unwrap(), expected);
        }
        fs::write(&script, "exit 3\n").unwrap();
        assert!(capture(&script).is_err());
    }
}
