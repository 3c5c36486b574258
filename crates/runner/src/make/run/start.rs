//! How a program is started: where it is, and in which environment.

use std::path::Path;

use truepath_core::command::ProcessSpec;
use truepath_core::profile::Profile;
use truepath_core::quote::posix_line;

use super::RunError;
use super::context::RunContext;
use super::engine_process::EngineProcess;
use crate::make::mask::Mask;
use crate::make::process::{Process, Start};
use crate::make::set_up::capture;

/// What every program needs of the environment that the run was started in: where programs and
/// the user's own files are, language and time zone, and where temporary files go.
const PASSED_ON: [&str; 14] = [
    "PATH",
    "HOME",
    "USER",
    "LOGNAME",
    "SHELL",
    "LANG",
    "LANGUAGE",
    "TZ",
    "TMPDIR",
    "TERM",
    "LD_LIBRARY_PATH",
    "XDG_RUNTIME_DIR",
    "XDG_CONFIG_HOME",
    "XDG_CACHE_HOME",
];

/// A program that was to be started.
pub(super) enum Started<'p> {
    /// It runs.
    Running(Box<Process<'p>>),
    /// It does not, for this reason.
    Not(String),
}

impl<'w> EngineProcess<'w> {
    /// Starts a program for the engine, in a folder; it writes to `staging`.
    pub(super) fn start(
        &mut self,
        program: &str,
        arguments: &[String],
        spec: &ProcessSpec,
        folder: &Path,
        staging: &Path,
    ) -> Result<Started<'w>, RunError> {
        let (context, workshop) = (self.worker.context, self.worker.workshop);
        let Some(path) = context.program(program) else {
            return Ok(Started::Not(format!("the program `{program}` is not here")));
        };
        let mut env = match environment(context, &self.profile, spec) {
            Ok(env) => env,
            Err(reason) => return Ok(Started::Not(reason)),
        };
        let secrets: Vec<(String, String)> = secrets(spec).collect();
        env.extend(secrets.iter().cloned());
        let mask = Mask::new(secrets.into_iter().map(|(_, value)| value));
        let words = arguments.iter().map(String::as_str);
        let line = posix_line(&path.display().to_string(), words);
        let written = self.log.run(&mask.masked(format!("$ {line}")));
        written.map_err(RunError::disk(self.log.path()))?;
        if workshop.supervisor.is_just_gone() {
            self.worker.journal.remark(
                "the supervisor of this run was ended by somebody: should this run be killed as well, engines go on",
            );
        }
        let started = Process::start(
            &workshop.supervisor,
            Start {
                program: &path,
                arguments,
                env: &env,
                mask: &mask,
                folder,
                staging,
                background_limit: self.profile.background_limit,
            },
        );
        Ok(match started {
            Ok(process) => Started::Running(Box::new(process)),
            Err(error) => Started::Not(format!("{} cannot be started: {error}", path.display())),
        })
    }
}

/// The secrets that are there: set by the job, or in the environment that the run was started in.
fn secrets(spec: &ProcessSpec) -> impl Iterator<Item = (String, String)> {
    spec.secrets.iter().filter_map(|(name, set)| {
        let value = set.clone().or_else(|| std::env::var(name).ok())?;
        Some((name.clone(), value))
    })
}

/// The environment of an engine, and nothing else: what every program needs, what the profile says that
/// it needs, what the set-up script sets, and over it what profile and job say. The error is a sentence.
fn environment(
    context: &RunContext<'_>,
    profile: &Profile,
    spec: &ProcessSpec,
) -> Result<Vec<(String, String)>, String> {
    let mut env: Vec<(String, String)> = std::env::vars_os()
        .filter_map(|(name, value)| Some((name.into_string().ok()?, value.into_string().ok()?)))
        .filter(|(name, _)| {
            PASSED_ON.contains(&name.as_str())
                || name.starts_with("LC_")
                || profile.needs.contains(name)
        })
        .collect();
    if let Some(script) = &profile.set_up {
        let path = context.loaded.folder.join(script);
        let captured = capture(&path);
        env.extend(captured.map_err(|error| format!("the set-up script {script}: {error}"))?);
    }
    env.extend(spec.env.iter().cloned());
    Ok(env)
}
