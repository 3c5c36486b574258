//! The preparing step: what is made of a scene, once, before its frames.

use std::fs;
use std::path::Path;
use std::time::Duration;

use sha2::{Digest, Sha256};
use truepath_core::command::Invocation;

use super::RunError;
use super::log::Log;
use super::process::of_profile;
use super::work::Work;
use crate::disk::{create_free_folder, hash_file, hex};
use crate::lock::lock;
use crate::process::{Exit, Happening, Process};

impl Work<'_> {
    /// What was made of the scene of a call, made now if it is not there yet; the inner error says
    /// why it cannot be had.
    pub(super) fn prepared(
        &self,
        invocation: &Invocation<'_>,
        log: &mut Log,
    ) -> Result<Result<Option<String>, String>, RunError> {
        let profile = invocation.profile;
        let (Some(step), Some(name)) = (
            &profile.prepare,
            invocation.prepared_name().map_err(of_profile(profile))?,
        ) else {
            return Ok(Ok(None));
        };
        let scene = invocation.deliverables[0].common.scene.as_ref();
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
        let parent = self.state.folder.join("prepared");
        let kept = parent.join(&key);
        let result = kept.join(&name);
        // One thread makes it, the others wait.
        let _alone = lock(&self.preparing);
        if !step.keep && !self.to_remove().contains(&kept) {
            self.to_remove().push(kept.clone());
        }
        if result.exists() {
            return Ok(Ok(Some(result.display().to_string())));
        }
        fs::create_dir_all(&parent).map_err(RunError::disk(&parent))?;
        // DeliverableKind whole under another name first: what has the name is never half of it.
        let making = create_free_folder(&parent, &format!("{key}.making"))
            .map_err(RunError::disk(&parent))?;
        let target = making.join(&name).display().to_string();
        let invocation = Invocation {
            prepared: Some(&target),
            ..*invocation
        };
        let Some((program, arguments)) = invocation.preparation().map_err(of_profile(profile))?
        else {
            return Ok(Ok(None));
        };
        let spec = Invocation {
            staging: &making.display().to_string(),
            ..invocation
        }
        .spec()
        .map_err(of_profile(profile))?;
        let ended = match self.start(profile, (&program, &arguments), &spec, &making, log)? {
            Ok(process) => self
                .wait(process, log)
                .map_err(RunError::disk(log.path()))?,
            Err(reason) => {
                fs::remove_dir_all(&making).map_err(RunError::disk(&making))?;
                return Ok(Err(reason));
            }
        };
        let outcome = match ended {
            Ok(()) if Path::new(&target).exists() => {
                match fs::rename(&making, &kept) {
                    // Another run was faster, and made the same.
                    Err(_) if result.exists() => {
                        fs::remove_dir_all(&making).map_err(RunError::disk(&making))?;
                    }
                    renamed => renamed.map_err(RunError::disk(&kept))?,
                }
                return Ok(Ok(Some(result.display().to_string())));
            }
            Ok(()) => "it ended well but made nothing".to_owned(),
            Err(reason) => reason,
        };
        let _ = fs::remove_dir_all(&making);
        Ok(Err(format!("the scene could not be prepared: {outcome}")))
    }

    /// Waits for a process that makes no frames.
    fn wait(&self, mut process: Process<'_>, log: &mut Log) -> std::io::Result<Result<(), String>> {
        loop {
            if self.board.halted().is_some() {
                process.kill();
                return Ok(Err("interrupted".to_owned()));
            }
            match process.next(Duration::from_millis(100))? {
                Happening::Line(line) => log.engine(&line, false)?,
                Happening::Quiet => {}
                Happening::Ended(Exit::Code(0)) => {
                    log.engine_ended()?;
                    return Ok(Ok(()));
                }
                Happening::Ended(Exit::Code(code)) => {
                    return Ok(Err(format!("it ended with exit code {code}")));
                }
                Happening::Ended(Exit::Signal(signal)) => {
                    return Ok(Err(format!("it was ended by signal {signal}")));
                }
            }
        }
    }

    /// Removes what was prepared and is not to be kept.
    pub(super) fn remove_prepared(&self) {
        for folder in self.to_remove().iter() {
            // What cannot be removed is in the state folder and does no harm there.
            let _ = fs::remove_dir_all(folder);
        }
    }
}
