//! The preparing step: what is made of a scene, once, before its frames.

use std::fs::{self, File};
use std::io::Write;
use std::path::Path;
use std::sync::atomic::Ordering;
use std::time::Duration;

use sha2::{Digest, Sha256};
use truepath_core::engine::Call;
use truepath_core::quote::posix_line;

use super::RunError;
use super::process::of_profile;
use super::work::Work;
use crate::disk::{free_name, hash_file, hex};
use crate::process::{Happening, Process};

impl Work<'_> {
    /// What was made of the scene of a call, made now if it is not there yet; the inner error says
    /// why it cannot be had.
    pub(super) fn prepared(
        &mut self,
        call: &Call<'_>,
        log: &mut File,
        log_path: &Path,
    ) -> Result<Result<Option<String>, String>, RunError> {
        let profile = call.profile;
        let (Some(step), Some(name)) = (
            &profile.prepare,
            call.prepared_name().map_err(of_profile(profile))?,
        ) else {
            return Ok(Ok(None));
        };
        let scene = call.deliverables[0].common.scene.as_ref();
        let mut hash = Sha256::new();
        if let Some(scene) = scene {
            match hash_file(Path::new(&scene.path)) {
                Ok(content) => hash.update(content),
                Err(error) => return Ok(Err(format!("the scene {}: {error}", scene.path))),
            }
        }
        for template in &step.arguments {
            hash.update(template.to_string());
        }
        let key = format!("{}-{}", profile.name, &hex(&hash.finalize())[..16]);
        let parent = self.state.join("prepared");
        let kept = parent.join(&key);
        let result = kept.join(&name);
        if !step.keep && !self.to_remove.contains(&kept) {
            self.to_remove.push(kept.clone());
        }
        if result.exists() {
            return Ok(Ok(Some(result.display().to_string())));
        }
        fs::create_dir_all(&parent).map_err(RunError::disk(&parent))?;
        // Made whole under another name first: what has the name is never half of it.
        let making = free_name(&parent, &format!("{key}.making"));
        fs::create_dir(&making).map_err(RunError::disk(&making))?;
        let target = making.join(&name).display().to_string();
        let call = Call {
            prepared: Some(&target),
            ..*call
        };
        let Some((program, arguments)) = call.preparation().map_err(of_profile(profile))? else {
            return Ok(Ok(None));
        };
        let Some(program) = self.program(&program) else {
            return Ok(Err(format!("the program `{program}` is not here")));
        };
        let words = arguments.iter().map(String::as_str);
        let line = posix_line(&program.display().to_string(), words);
        writeln!(log, "$ {line}").map_err(RunError::disk(log_path))?;
        let orders = Call {
            staging: &making.display().to_string(),
            ..call
        }
        .orders()
        .map_err(of_profile(profile))?;
        let env = match self.environment(profile, &orders) {
            Ok(env) => env,
            Err(reason) => return Ok(Err(reason)),
        };
        let started = Process::start(
            self.options.this_program,
            &program,
            &arguments,
            &env,
            &making,
        );
        let ended = match started {
            Ok(process) => self.wait(process, log).map_err(RunError::disk(log_path))?,
            Err(error) => Err(error.to_string()),
        };
        let outcome = match ended {
            Ok(()) if Path::new(&target).exists() => {
                fs::rename(&making, &kept).map_err(RunError::disk(&kept))?;
                return Ok(Ok(Some(result.display().to_string())));
            }
            Ok(()) => "it ended well but made nothing".to_owned(),
            Err(reason) => reason,
        };
        let _ = fs::remove_dir_all(&making);
        Ok(Err(format!("the scene could not be prepared: {outcome}")))
    }

    /// Waits for a process that makes no frames.
    fn wait(&self, mut process: Process, log: &mut File) -> std::io::Result<Result<(), String>> {
        loop {
            if self.options.interrupt.load(Ordering::Relaxed) {
                process.kill();
                return Ok(Err("interrupted".to_owned()));
            }
            match process.next(Duration::from_millis(100))? {
                Happening::Line(line) => writeln!(log, "{line}")?,
                Happening::Quiet => {}
                Happening::Ended(0) => return Ok(Ok(())),
                Happening::Ended(code) => {
                    return Ok(Err(format!("it ended with exit code {code}")));
                }
            }
        }
    }

    /// Removes what was prepared and is not to be kept.
    pub(super) fn remove_prepared(&self) {
        for folder in &self.to_remove {
            // What cannot be removed is in the state folder and does no harm there.
            let _ = fs::remove_dir_all(folder);
        }
    }
}
