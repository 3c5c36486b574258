//! What is done at the end of a run: a command, and a message to an address.

use std::process::{Command, Stdio};

use clap::{Args, ValueEnum};
use serde_json::{Value, json};

use super::ended::{JobEnded, JobResult, worst};

use crate::show::{WARNING, remark};

/// What is done at the end.
#[derive(Debug, Clone, Default, Args)]
pub(super) struct Afterwards {
    /// A line for `sh` to run once, at the end of all jobs. It finds the result in its environment:
    /// TRUEPATH_JOB, TRUEPATH_RESULT (complete, stopped, not-complete or aborted: the worst of several),
    /// TRUEPATH_REASON, TRUEPATH_WANTED, TRUEPATH_THERE, TRUEPATH_FAILED
    #[arg(long, value_name = "COMMAND", help_heading = "At the end")]
    then: Option<String>,
    /// The same after each of several jobs
    #[arg(long, value_name = "COMMAND", help_heading = "At the end")]
    then_each: Option<String>,
    /// When they are run
    #[arg(
        long,
        value_name = "WHEN",
        value_enum,
        default_value = "always",
        help_heading = "At the end"
    )]
    then_when: AfterResult,
    /// Post the result as JSON to this address once, at the end of all jobs, by `curl`
    #[arg(long, value_name = "ADDRESS", help_heading = "At the end")]
    notify: Option<String>,
}

/// On which result.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
enum AfterResult {
    /// Whatever the result
    #[default]
    Always,
    /// When all is there
    Success,
    /// When something is missing
    Failure,
}

impl Afterwards {
    /// Does it for one of several jobs.
    pub(super) fn after_each(&self, ended: &JobEnded) {
        if let Some(line) = &self.then_each {
            self.command(line, std::slice::from_ref(ended), "the command after a job");
        }
    }

    /// Does it at the end of all jobs.
    pub(super) fn at_the_end(&self, all: &[JobEnded]) {
        if all.iter().any(|one| one.result == JobResult::Running) {
            return;
        }
        if let Some(line) = &self.then {
            self.command(line, all, "the command at the end");
        }
        if let Some(address) = &self.notify {
            let mut curl = Command::new("curl");
            curl.args(["--silent", "--show-error", "--fail", "--max-time", "30"])
                .args(["--header", "Content-Type: application/json"])
                .args(["--data", &message(all).to_string(), "--", address])
                .stdin(Stdio::null())
                .stdout(Stdio::null());
            warn(curl.status(), "the message at the end");
        }
    }

    /// What fails here is reported, and changes no result.
    fn command(&self, line: &str, all: &[JobEnded], what: &str) {
        let Some(worst) = worst(all) else {
            return;
        };
        let success = worst.result == JobResult::Complete;
        let is_asked = match self.then_when {
            AfterResult::Always => true,
            AfterResult::Success => success,
            AfterResult::Failure => !success,
        };
        if !is_asked {
            return;
        }
        let jobs: Vec<&str> = all.iter().map(|one| one.job.as_str()).collect();
        let sum = |number: fn(&JobEnded) -> u64| all.iter().map(number).sum::<u64>().to_string();
        let mut shell = Command::new("sh");
        shell
            .args(["-c", line])
            .env("TRUEPATH_JOB", jobs.join(" "))
            .env("TRUEPATH_RESULT", worst.result.word())
            .env("TRUEPATH_REASON", &worst.reason)
            .env("TRUEPATH_WANTED", sum(|one| one.wanted))
            .env("TRUEPATH_THERE", sum(|one| one.valid))
            .env("TRUEPATH_FAILED", sum(|one| one.failed));
        warn(shell.status(), what);
    }
}

/// The result of all jobs, and of each where there are several.
fn message(all: &[JobEnded]) -> Value {
    let of = |one: &JobEnded| {
        json!({
            "job": one.job,
            "result": one.result.word(),
            "reason": one.reason,
            "wanted": one.wanted,
            "there": one.valid,
            "failed": one.failed,
            "seconds": one.took.as_secs(),
        })
    };
    match all {
        [one] => of(one),
        _ => {
            let worst = worst(all);
            json!({
                "result": worst.map(|one| one.result.word()),
                "wanted": all.iter().map(|one| one.wanted).sum::<u64>(),
                "there": all.iter().map(|one| one.valid).sum::<u64>(),
                "failed": all.iter().map(|one| one.failed).sum::<u64>(),
                "jobs": all.iter().map(of).collect::<Vec<_>>(),
            })
        }
    }
}

fn warn(ended: std::io::Result<std::process::ExitStatus>, what: &str) {
    let why = match ended {
        Ok(status) if status.success() => return,
        Ok(status) => status.to_string(),
        Err(error) => error.to_string(),
    };
    remark(&format!(
        "{WARNING}warning{WARNING:#}: {what} failed: {why}"
    ));
}
