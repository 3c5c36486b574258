//! `truepath queue`: several jobs in an order that may change, worked off as one.
//!
//! - `change` adds, moves, switches and removes entries.
//! - `overview` shows the queue: what is there, what is left, and when it will be done.
//! - `work` runs its jobs; `watch` reads the file again meanwhile.

mod change;
mod clashes;
mod overview;
mod watch;
mod work;

pub(in crate::commands) use clashes::clashes;

use std::path::PathBuf;
use std::process::ExitCode;

use clap::{Args, Subcommand};

use super::OutputFormat;
use crate::error::CommandError;

/// Run several jobs one after another
///
/// A queue is a TOML file with a table `entry` for each job: `job`, and as far as they are wanted `shot`, `camera`,
/// `variant`, `view`, `pass`, `output`, `frames`, `set`, `preset`, `note` and `on`. It may be edited by hand or by these
/// commands at any time, also while it is worked on. Without a command it is shown.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath queue add orrery/truepath.toml --shot dawn --note 'for Monday'\n  truepath queue\n  truepath queue move 3 1\n  truepath queue run --until 07:00 --then 'echo $TRUEPATH_RESULT >morning.txt'\n  truepath status queue.toml"
)]
pub(crate) struct Arguments {
    /// The file of the queue
    #[arg(long, value_name = "FILE", default_value = "queue.toml", global = true)]
    queue: PathBuf,
    /// How the queue is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
    #[command(subcommand)]
    command: Option<QueueCommand>,
}

#[derive(Debug, Subcommand)]
enum QueueCommand {
    Add(change::AddArguments),
    /// Put an entry at another place
    #[command(
        after_help = "Example:\n  truepath queue move 3 1    the third entry becomes the first"
    )]
    Move {
        /// The number of the entry, as `truepath queue` shows it
        number: usize,
        /// The place that it gets
        place: usize,
    },
    /// Switch entries off: they stay in the queue and are not run
    #[command(after_help = "Example:\n  truepath queue off 2 4")]
    Off {
        /// Their numbers, as `truepath queue` shows them
        #[arg(required = true)]
        numbers: Vec<usize>,
    },
    /// Switch entries on again
    #[command(after_help = "Example:\n  truepath queue on 2 4")]
    On {
        /// Their numbers, as `truepath queue` shows them
        #[arg(required = true)]
        numbers: Vec<usize>,
    },
    /// Take entries out of the queue; no file of their jobs is touched
    #[command(after_help = "Example:\n  truepath queue remove 2")]
    Remove {
        /// Their numbers, as `truepath queue` shows them
        #[arg(required = true)]
        numbers: Vec<usize>,
    },
    Run(work::RunArguments),
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    use truepath_core::queue::QueueEdit;
    let queue = &arguments.queue;
    match arguments.command {
        None => overview::run(queue, arguments.format),
        Some(QueueCommand::Add(added)) => change::add(queue, added),
        Some(QueueCommand::Move { number, place }) => {
            change::change(queue, &QueueEdit::Move(number, place))
        }
        Some(QueueCommand::Off { numbers }) => {
            change::change(queue, &QueueEdit::Switch(numbers, false))
        }
        Some(QueueCommand::On { numbers }) => {
            change::change(queue, &QueueEdit::Switch(numbers, true))
        }
        Some(QueueCommand::Remove { numbers }) => {
            change::change(queue, &QueueEdit::Remove(numbers))
        }
        Some(QueueCommand::Run(run)) => work::run(queue, run),
    }
}
