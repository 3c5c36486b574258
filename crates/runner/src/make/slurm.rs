//! Speaks to a Slurm cluster: submits arrays of tasks and asks what became of them.

use std::io;
use std::path::Path;
use std::process::Command;

use crate::look::ask::output_of;

/// A task that did not end well.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BadTask {
    /// Its number in the array.
    pub task: String,
    /// Its state there, such as `FAILED` or `TIMEOUT`.
    pub state: String,
    /// Why, in the cluster's own words.
    pub reason: String,
    /// Its exit code.
    pub exit: String,
}

/// Hands in a script as an array of tasks; gives the number of the job. What the tasks print goes to
/// `output`, with `%a` for the number of the task.
///
/// # Errors
/// When `sbatch` is not here or refuses.
pub fn submit(script: &Path, tasks: u64, options: &[String], output: &Path) -> io::Result<String> {
    let printed = ask(Command::new("sbatch")
        .arg("--parsable")
        .arg("--job-name=true-path")
        .arg(format!("--array=1-{tasks}"))
        .arg(format!("--output={}", output.display()))
        // What is killed with its node is taken over by the others, and need not come back.
        .arg("--no-requeue")
        .args(options)
        .arg(script))?;
    // With several clusters their name stands behind.
    Ok(printed
        .trim()
        .split(';')
        .next()
        .unwrap_or_default()
        .to_owned())
}

/// How many tasks of a job wait or run.
///
/// # Errors
/// When `squeue` is not here or the cluster does not answer.
pub fn open_tasks(job: &str) -> io::Result<usize> {
    let answer =
        ask(Command::new("squeue").args(["--noheader", "--array", "--format=%T", "--jobs", job]));
    match answer {
        Ok(text) => Ok(text.lines().filter(|line| !line.trim().is_empty()).count()),
        // A job that is over for a while is not known any more.
        Err(error) if error.to_string().contains("Invalid job id") => Ok(0),
        Err(error) => Err(error),
    }
}

/// The tasks of a job that did not end well, as long as the cluster remembers.
///
/// # Errors
/// When `scontrol` is not here.
pub fn bad_tasks(job: &str) -> io::Result<Vec<BadTask>> {
    match ask(Command::new("scontrol").args(["--oneliner", "show", "job", job])) {
        Ok(text) => Ok(text.lines().filter_map(bad_task).collect()),
        Err(error) if error.to_string().contains("Invalid job id") => Ok(Vec::new()),
        Err(error) => Err(error),
    }
}

/// Reads a line of `scontrol`: words of the form `Key=value`.
fn bad_task(line: &str) -> Option<BadTask> {
    let field = |key: &str| {
        line.split_whitespace()
            .find_map(|word| word.strip_prefix(key)?.strip_prefix('='))
            .map(str::to_owned)
    };
    let state = field("JobState")?;
    if matches!(
        state.as_str(),
        "COMPLETED" | "RUNNING" | "PENDING" | "COMPLETING"
    ) {
        return None;
    }
    Some(BadTask {
        task: field("ArrayTaskId").unwrap_or_default(),
        state,
        reason: field("Reason").unwrap_or_default(),
        exit: field("ExitCode").unwrap_or_default(),
    })
}

fn ask(command: &mut Command) -> io::Result<String> {
    let program = command.get_program().to_string_lossy().into_owned();
    let output = output_of(command)
        .map_err(|error| io::Error::new(error.kind(), format!("{program}: {error}")))?;
    if output.status.success() {
        return Ok(String::from_utf8_lossy(&output.stdout).into_owned());
    }
    let printed = String::from_utf8_lossy(&output.stderr).trim().to_owned();
    Err(io::Error::other(format!("{program}: {printed}")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_task_that_failed_is_read() {
        let line = "JobId=12 ArrayJobId=11 ArrayTaskId=3 JobName=true-path JobState=FAILED Reason=NonZeroExitCode Dependency=(null) ExitCode=1:0";
        let task = bad_task(line).unwrap();
        assert_eq!(
            (
                task.task.as_str(),
                task.state.as_str(),
                task.reason.as_str(),
                task.exit.as_str()
            ),
            ("3", "FAILED", "NonZeroExitCode", "1:0")
        );
        assert_eq!(bad_task(&line.replace("FAILED", "COMPLETED")), None);
        assert_eq!(bad_task("no such line"), None);
    }
}
