//! How a program is started: where it is, and in which environment.

use std::path::PathBuf;

use truepath_core::command::ProcessSpec;
use truepath_core::profile::Profile;
use truepath_core::quote::posix_line;

use super::log::Log;
use super::work::Work;
use super::{Event, RunError};
use crate::process::{Process, Start};
use crate::program::program_of_engine;

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

impl<'a> Work<'a> {
    /// Starts a program for an engine, or tells why it cannot be started.
    pub(super) fn start(
        &self,
        profile: &Profile,
        (program, arguments): (&str, &[String]),
        spec: &ProcessSpec,
        folder: &std::path::Path,
        log: &mut Log,
    ) -> Result<Result<Process<'_>, String>, RunError> {
        let Some(path) = self.program(program) else {
            return Ok(Err(format!("the program `{program}` is not here")));
        };
        let env = match self.environment(profile, spec) {
            Ok(env) => env,
            Err(reason) => return Ok(Err(reason)),
        };
        let words = arguments.iter().map(String::as_str);
        let line = posix_line(&path.display().to_string(), words);
        log.run(&format!("$ {line}"))
            .map_err(RunError::disk(log.path()))?;
        if self.warden.is_just_gone() {
            self.tell(&Event::Remark(
                "the supervisor of this run was ended by somebody: should this run be killed as well, engines go on",
            ));
        }
        let started = Process::start(
            &self.warden,
            Start {
                program: &path,
                arguments,
                env: &env,
                folder,
            },
        );
        Ok(started.map_err(|error| format!("{} cannot be started: {error}", path.display())))
    }

    /// Where a program is.
    pub(super) fn program(&self, name: &str) -> Option<PathBuf> {
        program_of_engine(name, self.options.this_program, &self.loaded.folder)
    }

    /// The environment of an engine, and nothing else: what every program needs, what the profile
    /// says that it needs, what the set-up script sets, and over it what profile and job say.
    fn environment(
        &self,
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
            let path = self.loaded.folder.join(script);
            let captured = crate::set_up::capture(&path, &self.state.folder.join("set-up"));
            env.extend(captured.map_err(|error| format!("the set-up script {script}: {error}"))?);
        }
        env.extend(spec.env.iter().cloned());
        Ok(env)
    }
}
