//! A script for Slurm: an array job whose tasks are the steps, and movies as a job after it.
//!
//! Options and variables are those of sbatch(1). Started by hand the script hands itself to the
//! cluster; started as a task of an array it does its steps.

use std::fmt::{self, Write};

use super::shell::{FUNCTIONS, head, step};
use super::{Cluster, ScriptKind, ScriptOptions, ScriptOutline, Step, WriteError, one_line};
use crate::quote::posix;
use crate::system::System;

/// `slurm`
pub(super) struct Slurm;

/// The most tasks of an array: `MaxArraySize` is 1001 where nobody has set it (slurm.conf(5)). With
/// more steps, each task does several.
const MOST_TASKS: usize = 1000;

impl ScriptKind for Slurm {
    fn word(&self) -> &'static str {
        "slurm"
    }

    fn meaning(&self) -> &'static str {
        "A script that hands itself to a Slurm cluster, as an array of tasks"
    }

    fn system(&self) -> Option<System> {
        Some(System::Linux)
    }

    fn head(
        &self,
        about: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result {
        head(about, outline, out)?;
        writeln!(
            out,
            "# `sh THIS` hands it to the cluster: an array of tasks, and after it the movies.\n"
        )?;
        out.write_str(FUNCTIONS)?;
        writeln!(out, "stop=0\nall={}\n", outline.count)?;
        writeln!(out, "# do_step NUMBER\ndo_step() {{\ncase $1 in")
    }

    fn step(
        &self,
        _: &ScriptOptions<'_>,
        _: &ScriptOutline,
        number: usize,
        one: &Step,
        out: &mut dyn Write,
    ) -> Result<(), WriteError> {
        writeln!(out, "{number})\n# {}", one_line(&one.title))?;
        step(one, number, out)?;
        Ok(writeln!(out, ";;")?)
    }

    fn foot(
        &self,
        about: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result {
        writeln!(out, "esac\n}}\n")?;
        let movies: Vec<String> = outline.movies.iter().map(ToString::to_string).collect();
        writeln!(out, "movies='{}'\n", movies.join(" "))?;
        out.write_str(TASKS)?;
        submit(about, outline, out)
    }
}

/// What a task of an array does: every step of its kind, from its own number on, so many apart.
const TASKS: &str = r#"# is_movie NUMBER
is_movie() {
  case " $movies " in *" $1 "*) return 0 ;; esac
  return 1
}

# frames FIRST APART, movies FIRST APART: the steps of a task
frames() {
  task=$1
  while [ "$task" -le "$all" ]; do
    is_movie "$task" || do_step "$task"
    task=$((task + $2))
  done
}
movies() {
  task=0
  for movie in $movies; do
    task=$((task + 1))
    if [ $(((task - $1) % $2)) -eq 0 ]; then do_step "$movie"; fi
  done
}

if [ -n "${SLURM_ARRAY_TASK_ID:-}" ]; then
  "$1" "$SLURM_ARRAY_TASK_ID" "$2"
  summary
  [ "$failed_steps" -eq 0 ] && [ "$missing_frames" -eq 0 ]
  exit
fi
if ! [ -f "$0" ]; then
  echo 'the cluster needs this script as a file: sh FILE' >&2
  exit 2
fi
set -e
"#;

/// Hands the script in.
fn submit(about: &ScriptOptions<'_>, outline: &ScriptOutline, out: &mut dyn Write) -> fmt::Result {
    let cluster = &about.cluster;
    let options = cluster.options();
    let options: String = options
        .iter()
        .map(|one| format!(" {}", posix(one)))
        .collect();
    let max_tasks = cluster
        .max_tasks
        .map_or(String::new(), |count| format!("%{count}"));
    writeln!(
        out,
        "submit() {{ sbatch --parsable --job-name=true-path --output=/dev/null{options} \"$@\"; }}\nafter="
    )?;
    let movies = outline.movies.len();
    for (kind, count) in [("frames", outline.count - movies), ("movies", movies)] {
        if count == 0 {
            continue;
        }
        // Frames are identified by their numbers among all steps.
        let tasks = match kind {
            "frames" => outline.count.min(MOST_TASKS),
            _ => count.min(MOST_TASKS),
        };
        // A movie whose frames failed says so itself; it must not wait for ever.
        writeln!(
            out,
            "job=$(submit ${{after:+--dependency=afterany:$after}} --array=1-{tasks}{max_tasks} \"$0\" {kind} {tasks})\n\
             after=${{job%%;*}}\n\
             echo \"{kind}: job $after, {count} steps in {tasks} tasks\""
        )?;
    }
    if let Some(then) = about.then {
        writeln!(
            out,
            "submit ${{after:+--dependency=afterany:$after}} --wrap {} >/dev/null",
            posix(then)
        )?;
    }
    Ok(())
}

impl Cluster {
    /// What is asked of the cluster, as sbatch(1) takes it.
    #[must_use]
    pub fn options(&self) -> Vec<String> {
        let partition = self
            .partition
            .as_ref()
            .map(|name| format!("--partition={name}"));
        let seconds = self
            .seconds
            .map(|seconds| format!("--time={}", time(seconds)));
        let memory = self.memory.as_ref().map(|memory| format!("--mem={memory}"));
        [partition, seconds, memory].into_iter().flatten().collect()
    }
}

/// Days, hours, minutes and seconds, as sbatch(1) takes them.
fn time(seconds: u64) -> String {
    let (days, rest) = (seconds / 86_400, seconds % 86_400);
    let (hours, minutes, seconds) = (rest / 3600, rest % 3600 / 60, rest % 60);
    format!("{days}-{hours:02}:{minutes:02}:{seconds:02}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_written_as_the_cluster_takes_them() {
        assert_eq!(time(4 * 3600), "0-04:00:00");
        assert_eq!(time(100_000), "1-03:46:40");
    }
}
