//! The environment that a set-up script leaves behind, captured once.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::Path;
use std::process::Command;

use crate::ask::output_of;
use crate::disk::{Disk, hash_file};

/// Variables that belong to the shell that was asked, and to nobody else.
const OF_THE_SHELL: [&str; 5] = ["_", "OLDPWD", "PWD", "SHLVL", "PS1"];

/// The variables that a script of a POSIX shell sets or changes, by name. What it prints is passed
/// over. The answer is kept in `folder` for as long as the script stays the same.
///
/// # Errors
/// When the script is not there, or ends with an error.
pub(crate) fn capture(
    disk: &dyn Disk,
    script: &Path,
    folder: &Path,
) -> io::Result<Vec<(String, String)>> {
    let kept = folder.join(format!("{}.json", hash_file(script)?));
    if let Ok(text) = fs::read_to_string(&kept)
        && let Ok(known) = serde_json::from_str(&text)
    {
        return Ok(known);
    }
    let before = environment(None)?;
    let mut after = environment(Some(script))?;
    after.retain(|name, value| {
        !OF_THE_SHELL.contains(&name.as_str()) && before.get(name) != Some(value)
    });
    let found: Vec<(String, String)> = after.into_iter().collect();
    disk.create_folders(folder)?;
    disk.write_whole(&kept, &serde_json::to_vec_pretty(&found)?)?;
    Ok(found)
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
    use super::*;
    use crate::disk::RealDisk;

    #[test]
    fn what_a_script_sets_is_captured_to_the_byte() {
        let folder = tempfile::tempdir().unwrap();
        let script = folder.path().join("env.sh");
        fs::write(
            &script,
            "echo loud\nLAMP='brass \"x\" $y\nsecond line'\nexport LAMP\nexport EMPTY=\nlocal_only=1\n",
        )
        .unwrap();
        let kept = folder.path().join("kept");
        let expected = [
            ("EMPTY".to_owned(), String::new()),
            ("LAMP".to_owned(), "brass \"x\" $y\nsecond line".to_owned()),
        ];
        assert_eq!(capture(&RealDisk, &script, &kept).unwrap(), expected);
        // From what was kept, without asking again.
        assert_eq!(capture(&RealDisk, &script, &kept).unwrap(), expected);
        fs::write(&script, "exit 3\n").unwrap();
        assert!(capture(&RealDisk, &script, &kept).is_err());
    }
}
