//! What is done at the end of a run: a command, and a message to an address.

use std::process::{Command, Stdio};

use clap::{Args, ValueEnum};
use serde_json::json;
use truepath_runner::run::Report;

use crate::show::{WARNING, remark};

/// What is done at the end.
#[derive(Debug, Clone, Args)]
pub(super) struct Afterwards {
    /// A line for `sh` to run at the end. It finds the result in its environment:
    /// TRUEPATH_RESULT (complete, not-complete, stopped or broken-off), TRUEPATH_REASON of the last two,
    /// TRUEPATH_WANTED, TRUEPATH_THERE, TRUEPATH_FAILED
    #[arg(long, value_name = "COMMAND", help_heading = "At the end")]
    then: Option<String>,
    /// When it is run
    #[arg(
        long,
        value_name = "WHEN",
        value_enum,
        default_value = "always",
        requires = "then",
        help_heading = "At the end"
    )]
    then_when: When,
    /// Post the result as JSON to this address, by `curl`
    #[arg(long, value_name = "ADDRESS", help_heading = "At the end")]
    notify: Option<String>,
}

/// On which result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum When {
    /// Whatever came of it
    Always,
    /// When all is there
    Success,
    /// When something is missing
    Failure,
}

impl Afterwards {
    /// Does it for a run that came to its end.
    pub(super) fn carry_out(&self, job: &str, report: &Report) {
        let (result, reason) = match &report.halt {
            _ if report.is_complete() => ("complete", ""),
            Some(halt) => ("stopped", halt.why.as_str()),
            None => ("not-complete", ""),
        };
        self.tell_of(job, report, result, reason);
    }

    /// Does it for a run that did not begin, or could not go on.
    pub(super) fn broken_off(&self, job: &str, reason: &str) {
        self.tell_of(job, &Report::default(), "broken-off", reason);
    }

    /// What fails here is told, and changes no result.
    fn tell_of(&self, job: &str, report: &Report, result: &str, reason: &str) {
        let success = result == "complete";
        let asked = match self.then_when {
            When::Always => true,
            When::Success => success,
            When::Failure => !success,
        };
        if let Some(line) = self.then.as_ref().filter(|_| asked) {
            let mut shell = Command::new("sh");
            shell
                .args(["-c", line])
                .env("TRUEPATH_JOB", job)
                .env("TRUEPATH_RESULT", result)
                .env("TRUEPATH_REASON", reason)
                .env("TRUEPATH_WANTED", report.wanted.to_string())
                .env("TRUEPATH_THERE", report.there().to_string())
                .env("TRUEPATH_FAILED", report.failures.len().to_string());
            tell(shell.status(), "the command at the end");
        }
        if let Some(address) = &self.notify {
            let message = json!({
                "job": job,
                "result": result,
                "reason": reason,
                "wanted": report.wanted,
                "there": report.there(),
                "failed": report.failures.len(),
                "seconds": report.took.as_secs(),
            });
            let mut curl = Command::new("curl");
            curl.args(["--silent", "--show-error", "--fail", "--max-time", "30"])
                .args(["--header", "Content-Type: application/json"])
                .args(["--data", &message.to_string(), "--", address])
                .stdin(Stdio::null())
                .stdout(Stdio::null());
            tell(curl.status(), "the message at the end");
        }
    }
}

fn tell(ended: std::io::Result<std::process::ExitStatus>, what: &str) {
    let why = match ended {
        Ok(status) if status.success() => return,
        Ok(status) => status.to_string(),
        Err(error) => error.to_string(),
    };
    remark(&format!(
        "{WARNING}warning{WARNING:#}: {what} failed: {why}"
    ));
}
