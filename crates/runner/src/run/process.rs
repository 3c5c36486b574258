//! One process of an engine: its staging folder, what is laid into it, and how it is started.

use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Deliverable;
use truepath_core::engine::{ArgumentError, Call, Orders, Profile};
use truepath_core::plan::{Invocation, label};
use truepath_core::quote::posix_line;

use super::attend::Troubled;
use super::outcome::{End, Outcome};
use super::work::Work;
use super::{Event, RunError};
use crate::harvest::{Field, When};
use crate::ledger::{Line, Member, Staged};
use crate::outside::Outside;
use crate::process::Process;
use crate::program::program_of_engine;
use crate::staging;

impl Work<'_> {
    /// Starts one process and sees it through.
    pub(super) fn process(&mut self, invocation: &Invocation) -> Result<Outcome, RunError> {
        self.processes += 1;
        let expansion = self.expansion;
        let deliverables = invocation.members(&expansion.deliverables);
        let members: Vec<(usize, &Deliverable)> = invocation
            .deliverables
            .iter()
            .copied()
            .zip(deliverables.iter().copied())
            .collect();
        let profile = std::sync::Arc::clone(&deliverables[0].common.engine);
        let folder = self.folders(&deliverables, &invocation.frames)?;
        let name = invocation.name(&expansion.deliverables);
        let log_path = self
            .session
            .logs
            .join(format!("{:04}-{name}.log", self.processes));
        let mut log = File::create_new(&log_path).map_err(RunError::disk(&log_path))?;
        self.watch.see(&Event::Started {
            label: &label(&deliverables),
            frames: match deliverables[0].is_put_together() {
                true => &deliverables[0].common.clip,
                false => &invocation.frames,
            },
            log: &log_path,
        });
        let mut outcome = Outcome {
            end: End::Interrupted,
            began: None,
            last_error: None,
            published: 0,
            missing: Vec::new(),
            log: log_path.clone(),
            unknown_files: None,
        };
        let scouting = Call {
            profile: &profile,
            deliverables: &deliverables,
            frames: &invocation.frames,
            staging: "",
            prepared: None,
        };
        let prepared = match self.prepared(&scouting, &mut log, &log_path)? {
            Ok(prepared) => prepared,
            Err(reason) => {
                outcome.end = End::NotStarted(reason);
                outcome.missing = members
                    .iter()
                    .map(|(index, _)| (*index, invocation.frames.clone(), Default::default()))
                    .collect();
                return Ok(outcome);
            }
        };
        let staging = staging::create(
            self.options.disk,
            &folder,
            self.session.number,
            self.processes,
        )
        .map_err(RunError::disk(&folder))?;
        let staging_name = staging.display().to_string();
        let call = Call {
            staging: &staging_name,
            prepared: prepared.as_deref(),
            ..scouting
        };
        let mut orders = call.orders().map_err(of_profile(&profile))?;
        let given: Vec<String> = orders.files.iter().map(|(name, _)| name.clone()).collect();
        let members_told = members.iter().map(|(index, one)| Member {
            path: one.pattern.sketch(),
            fingerprint: self.credits[*index].fingerprint.clone().unwrap_or_default(),
        });
        let line = Line::Staged(Staged {
            folder: staging_name.clone(),
            frames: invocation.frames.to_string(),
            members: members_told.collect(),
            given: given.clone(),
        });
        self.session
            .ledger
            .write(&line)
            .map_err(RunError::disk(&staging))?;
        self.lay_in(&orders, &staging)?;
        orders
            .arguments
            .extend(self.checkpoints_laid_in(&call, &members)?);
        let writes = call.writes().map_err(of_profile(&profile))?;
        let outside = match &writes {
            Some(writes) => Some(
                Outside::begin(self.options.disk, &mut self.session.ledger, writes)
                    .map_err(RunError::disk(&staging))?,
            ),
            None => None,
        };
        let crops = members
            .iter()
            .map(|(index, one)| (*index, *one, self.credits[*index].clone()))
            .collect();
        let mut field = Field::new(staging, crops, invocation.frames.clone(), &profile);
        match self.start(&profile, &orders, &field.staging, (&mut log, &log_path))? {
            Ok(process) => self.attend(process, &mut field, &mut log, &mut outcome)?,
            Err(reason) => outcome.end = End::NotStarted(reason),
        }
        if let Some(outside) = outside {
            outside
                .end(self.options.disk, &field.staging)
                .map_err(RunError::disk(&field.staging))?;
        }
        match self.harvest(&mut field, When::Ended) {
            Ok(published) => outcome.published += published,
            Err(Troubled::Unknown(reason)) => outcome.unknown_files = Some(reason),
            Err(Troubled::Run(error)) => return Err(*error),
        }
        outcome.missing = field
            .crops
            .iter()
            .map(|crop| (crop.index, field.missing(crop), crop.flaws.clone()))
            .collect();
        self.keep_checkpoints(&profile, &members, &field.staging)?;
        for to in staging::clear(self.options.disk, &field.staging, &name, &given)
            .map_err(RunError::disk(&folder))?
        {
            self.watch.see(&Event::Aside {
                what: "a file that was not asked for or is not whole",
                to: &to,
            });
        }
        Ok(outcome)
    }

    /// Lays links and files into a staging folder.
    fn lay_in(&self, orders: &Orders, staging: &Path) -> Result<(), RunError> {
        for (name, target) in &orders.links {
            self.options
                .disk
                .link(target, &staging.join(name))
                .map_err(RunError::disk(staging))?;
        }
        for (name, text) in &orders.files {
            let path = staging.join(name);
            File::create_new(&path)
                .and_then(|mut file| file.write_all(text.as_bytes()))
                .map_err(RunError::disk(&path))?;
        }
        Ok(())
    }

    /// Starts the engine, or tells why it cannot be started.
    fn start(
        &mut self,
        profile: &Profile,
        orders: &Orders,
        staging: &Path,
        (log, log_path): (&mut File, &Path),
    ) -> Result<Result<Process, String>, RunError> {
        let Some(program) = self.program(&profile.program) else {
            return Ok(Err(format!(
                "the program `{}` is not here",
                profile.program
            )));
        };
        let env = match self.environment(profile, orders) {
            Ok(env) => env,
            Err(reason) => return Ok(Err(reason)),
        };
        let words = orders.arguments.iter().map(String::as_str);
        let line = posix_line(&program.display().to_string(), words);
        writeln!(log, "$ {line}").map_err(RunError::disk(log_path))?;
        let folder = orders.folder.as_ref().map_or(staging, Path::new);
        let started = Process::start(
            self.options.this_program,
            &program,
            &orders.arguments,
            &env,
            folder,
        );
        Ok(started.map_err(|error| format!("the supervisor cannot be started: {error}")))
    }

    /// Where a program is.
    pub(super) fn program(&self, name: &str) -> Option<PathBuf> {
        program_of_engine(name, self.options.this_program, &self.loaded.folder)
    }

    /// What is added to the environment: what the set-up script sets, and over it what profile and
    /// job say.
    pub(super) fn environment(
        &self,
        profile: &Profile,
        orders: &Orders,
    ) -> Result<Vec<(String, String)>, String> {
        let mut env = Vec::new();
        if let Some(script) = &profile.set_up {
            let path = self.loaded.folder.join(script);
            let kept = self.state.join("set-up");
            let captured = crate::set_up::capture(&path, &kept);
            env = captured.map_err(|error| format!("the set-up script {script}: {error}"))?;
        }
        env.extend(orders.env.iter().cloned());
        Ok(env)
    }
}

/// A mistake of a profile that shows only when it is used.
pub(super) fn of_profile(profile: &Profile) -> impl FnOnce(ArgumentError) -> RunError + use<> {
    let name = profile.name.clone();
    move |error| RunError::Harvest(format!("{name}: {error}"))
}
