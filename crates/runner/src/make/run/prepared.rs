//! The preparing step: what is made of a scene, once, before its frames.

use std::io;
use std::path::Path;
use std::time::Duration;

use sha2::{Digest, Sha256};
use truepath_core::command::Invocation;
use truepath_core::hex::hex;
use truepath_core::profile::Preparation;

use super::RunError;
use super::engine_process::{EngineProcess, of_profile};
use super::start::Started;
use crate::disk::{create_free_folder, hash_file};
use crate::make::process::{Process, ProcessEvent};
use crate::record::state_folder::StateFolder;
use crate::system::Exit;

/// What was made of a scene.
pub(super) enum Prepared {
    /// It is here; none where the engine wants nothing prepared.
    Ready(Option<String>),
    /// It cannot be had, for this reason.
    Not(String),
}

impl EngineProcess<'_> {
    /// What was made of the scene of an invocation, made now if it is not there yet.
    pub(super) fn prepared(&mut self, invocation: &Invocation<'_>) -> Result<Prepared, RunError> {
        let profile = invocation.profile;
        let name = invocation.prepared_name().map_err(of_profile(profile))?;
        let (Some(step), Some(name)) = (&profile.prepare, name) else {
            return Ok(Prepared::Ready(None));
        };
        let key = match self.key_of_preparation(invocation, step) {
            Ok(key) => key,
            Err(reason) => return Ok(Prepared::Not(reason)),
        };
        let parent = self.worker.context.state.prepared();
        let kept = parent.join(&key);
        let result = kept.join(&name);
        let workshop = self.worker.workshop;
        let _alone = workshop.prepare_alone();
        if !step.keep {
            workshop.do_not_keep(&kept);
        }
        if result.exists() {
            return Ok(Prepared::Ready(Some(result.display().to_string())));
        }
        let disk = self.worker.context.disk;
        disk.create_folders(&parent)
            .map_err(RunError::disk(&parent))?;
        // Made whole under another name first: what has the name is never half of it.
        let name_of_making = StateFolder::name_of_making(&key, self.worker.context.session.number);
        let making =
            create_free_folder(disk, &parent, &name_of_making).map_err(RunError::disk(&parent))?;
        let failure = self.prepare(invocation, &making, &making.join(&name))?;
        if let Some(reason) = failure {
            // What is left there does no harm.
            let _ = disk.remove_tree(&making);
            return Ok(Prepared::Not(reason));
        }
        match disk.rename_over(&making, &kept) {
            // Another run was faster, and made the same.
            Err(_) if result.exists() => {
                disk.remove_tree(&making).map_err(RunError::disk(&making))?;
            }
            renamed => renamed.map_err(RunError::disk(&kept))?,
        }
        Ok(Prepared::Ready(Some(result.display().to_string())))
    }

    /// What distinguishes the preparation of a scene from all others; the error is a sentence.
    fn key_of_preparation(
        &self,
        invocation: &Invocation<'_>,
        step: &Preparation,
    ) -> Result<String, String> {
        let mut hash = Sha256::new();
        if let Some(scene) = &invocation.first().common.scene {
            let content = hash_file(Path::new(&scene.path));
            hash.update(content.map_err(|error| format!("the scene {}: {error}", scene.path))?);
        }
        for template in &step.arguments {
            hash.update(template.to_string());
        }
        let digits = hex(&hash.finalize());
        Ok(format!("{}-{}", invocation.profile.name, &digits[..16]))
    }

    /// Makes it in a folder; gives why it could not be made, if so.
    fn prepare(
        &mut self,
        invocation: &Invocation<'_>,
        making: &Path,
        target: &Path,
    ) -> Result<Option<String>, RunError> {
        let profile = invocation.profile;
        let (folder, prepared) = (making.display().to_string(), target.display().to_string());
        let invocation = Invocation {
            prepared: Some(&prepared),
            staging: &folder,
            ..*invocation
        };
        let Some((program, arguments)) = invocation.preparation().map_err(of_profile(profile))?
        else {
            return Ok(None);
        };
        let spec = invocation.spec().map_err(of_profile(profile))?;
        let ended = match self.start(&program, &arguments, &spec, making, making)? {
            Started::Running(process) => self
                .wait(*process)
                .map_err(RunError::disk(self.log.path()))?,
            Started::Not(reason) => return Ok(Some(reason)),
        };
        let failure = match ended {
            None if target.exists() => return Ok(None),
            None => "it ended well but made nothing".to_owned(),
            Some(reason) => reason,
        };
        Ok(Some(format!("the scene could not be prepared: {failure}")))
    }

    /// Waits for a process that makes no frames; gives why it failed, if it did.
    fn wait(&mut self, mut process: Process<'_>) -> io::Result<Option<String>> {
        loop {
            if self.worker.board.halted().is_some() {
                process.kill();
                return Ok(Some("interrupted".to_owned()));
            }
            match process.next(Duration::from_millis(100))? {
                ProcessEvent::Line(line) => self.log.engine(&line, false)?,
                ProcessEvent::Quiet => {}
                ProcessEvent::Ended(exit) => {
                    self.log.engine_ended()?;
                    return Ok(match exit {
                        Exit::Code(0) => None,
                        Exit::Code(code) => Some(format!("it ended with exit code {code}")),
                        Exit::Signal(signal) => Some(format!("it was ended by signal {signal}")),
                    });
                }
            }
        }
    }
}
