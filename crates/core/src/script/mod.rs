//! Scripts: the plan as a file that a shell runs without True Path.
//!
//! A new kind is a file here, and a line in [`KINDS`].

mod batch;
mod json;
mod power_shell;
mod process_group;
mod shell;
mod slurm;
mod step;
mod written_name;

use std::fmt::{self, Write};

use crate::command::ArgumentError;
use crate::deliverable::Expansion;
use crate::plan::PlannedProcess;
use crate::system::System;

pub use batch::word as batch_word;
use process_group::ProcessGroup;
pub use step::{Preparing, Step};
pub use written_name::{StepFiles, WrittenName};

/// What a script is about, and how it behaves.
#[derive(Debug, Clone)]
pub struct ScriptOptions<'a> {
    /// How the job file is called.
    pub job: &'a str,
    /// The system that it is for.
    pub system: System,
    /// What the programs that profiles name are called there, in the order of first use; a program
    /// that is not listed is called as its profile says.
    pub programs: &'a [(String, String)],
    /// Whether it stops after the first failure.
    pub stop: bool,
    /// A line of its own shell that runs at the end, whatever happened.
    pub then: Option<&'a str>,
    /// What a cluster is asked for.
    pub cluster: Cluster,
}

/// What a cluster is asked for.
#[derive(Debug, Clone, Default)]
pub struct Cluster {
    /// The partition.
    pub partition: Option<String>,
    /// The longest that a task may take, seconds.
    pub seconds: Option<u64>,
    /// The memory of a task.
    pub memory: Option<String>,
    /// How many tasks may run at once.
    pub max_tasks: Option<u64>,
}

/// Why a script cannot be written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ScriptError {
    /// The arguments cannot be written.
    #[error("{engine}: {error}")]
    Arguments {
        /// The engine.
        engine: String,
        /// Why.
        error: ArgumentError,
    },
    /// A text holds what the shell has no safe way to write.
    #[error("{shell} has no safe way to write {character} of {text:?}; {advice}")]
    Character {
        /// The shell.
        shell: &'static str,
        /// The character, in words.
        character: String,
        /// The text.
        text: String,
        /// What would work.
        advice: &'static str,
    },
    /// The engine needs what the shell cannot do.
    #[error("{engine} {needs}, which {shell} cannot do; use `truepath run` there")]
    Beyond {
        /// The engine.
        engine: String,
        /// What it needs.
        needs: &'static str,
        /// The shell.
        shell: &'static str,
    },
    /// A command is longer than the system takes.
    #[error(
        "the command of {step} has {length} {unit}, and {system} takes {limit}; render fewer frames a process (`chunk`)"
    )]
    TooLong {
        /// The step.
        step: String,
        /// How long.
        length: usize,
        /// What is counted.
        unit: &'static str,
        /// The system.
        system: &'static str,
        /// The limit.
        limit: usize,
    },
}

/// A kind of script.
pub trait ScriptKind: Sync {
    /// The word on the command line.
    fn word(&self) -> &'static str;
    /// What it is, for the help.
    fn meaning(&self) -> &'static str;
    /// The system that it is for where it is not set; none for the one of this machine.
    fn system(&self) -> Option<System>;
    /// Writes what stands before the steps.
    ///
    /// # Errors
    /// When the text cannot be handed over.
    fn head(
        &self,
        about: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result;
    /// Writes a step; its number counts from 1.
    ///
    /// # Errors
    /// When it cannot be written safely, or the text cannot be handed over.
    fn step(
        &self,
        about: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        number: usize,
        step: &Step,
        out: &mut dyn Write,
    ) -> Result<(), WriteError>;
    /// Writes what stands after them.
    ///
    /// # Errors
    /// When the text cannot be handed over.
    fn foot(
        &self,
        about: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result;
}

/// What is known of all steps before any is worked out.
#[derive(Debug, Clone, Default)]
pub struct ScriptOutline {
    /// How many there are.
    pub count: usize,
    /// The numbers of those that put movies together, from 1.
    pub movies: Vec<usize>,
}

impl ScriptOutline {
    /// The outline of a plan.
    #[must_use]
    pub fn of(expansion: &Expansion, plan: &[PlannedProcess]) -> Self {
        let is_movie = |one: &PlannedProcess| one.first(&expansion.deliverables).is_assembled();
        Self {
            count: plan.len(),
            movies: (1..)
                .zip(plan)
                .filter(|(_, one)| is_movie(one))
                .map(|(number, _)| number)
                .collect(),
        }
    }
}

/// Why nothing more is written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum WriteError {
    /// A step cannot be written.
    #[error(transparent)]
    Script(#[from] ScriptError),
    /// The text cannot be handed over.
    #[error("the script cannot be written")]
    Out(#[from] fmt::Error),
}

/// Every kind of script.
pub const KINDS: [&dyn ScriptKind; 5] = [
    &shell::Shell,
    &batch::Batch,
    &power_shell::PowerShell,
    &slurm::Slurm,
    &json::Json,
];

/// The steps of some planned_processes, in order.
pub fn steps<'s>(
    expansion: &'s Expansion,
    plan: &'s [PlannedProcess],
    about: &'s ScriptOptions<'_>,
) -> impl Iterator<Item = Result<Step, ScriptError>> + 's {
    let mut group: Option<ProcessGroup<'s>> = None;
    plan.iter().map(move |planned| {
        let known = group.take().filter(|known| known.is_of(planned));
        let known = match known {
            Some(known) => known,
            None => ProcessGroup::of(expansion, planned, about)?,
        };
        Step::of(group.insert(known), planned, about)
    })
}

/// A remark must stay a remark, whatever a name holds.
#[must_use]
pub fn one_line(text: &str) -> String {
    text.replace(char::is_control, "?")
}

/// What every script says first.
const PROMISE: [&str; 4] = [
    "Each step renders into a new folder of its own and brings what it finds to the true names.",
    "A file that is there is never replaced, and a step whose files are all there is left out.",
    "It does not decode the pictures, as `truepath run` does; afterwards, `truepath audit` says",
    "whether all of them are whole.",
];

/// What every script says first, each line behind the sign of a remark; `between` parts the first
/// line from the others.
fn remarks(
    (sign, between): (&str, &str),
    job: &str,
    outline: &ScriptOutline,
    out: &mut dyn Write,
) -> fmt::Result {
    let count = outline.count;
    writeln!(
        out,
        "{sign} The {count} steps of {job}, written by True Path."
    )?;
    out.write_str(between)?;
    for line in PROMISE {
        writeln!(out, "{sign} {line}")?;
    }
    Ok(())
}
