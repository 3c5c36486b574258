//! A script for Slurm: an array job whose tasks are the steps, and movies as a job after it.
//!
//! Options and variables are those of sbatch(1). Started by hand the script hands itself to the
//! cluster; started as a task of an array it does its steps.

use std::fmt::Write;

use super::shell::{FUNCTIONS, head, step};
use super::{About, Kind, ScriptError, Step, Steps, WriteError, one_line};
use crate::quote::posix;
use crate::system::System;

/// `slurm`
pub(super) struct Slurm;

/// The most tasks of an array: `MaxArraySize` is 1001 where nobody has set it (slurm.conf(5)). With
/// more steps, each task does several.
const MOST_TASKS: usize = 1000;

impl Kind for Slurm {
    fn word(&self) -> &'static str {
        "slurm"
    }

    fn meaning(&self) -> &'static str {
        "A script that hands itself to a Slurm cluster, as an array of tasks"
    }

    fn system(&self) -> Option<System> {
        Some(System::Linux)
    }

    fn write(
        &self,
        about: &About<'_>,
        steps: &Steps<'_>,
        out: &mut dyn Write,
    ) -> Result<(), WriteError> {
        writeln!(out, "#!/bin/sh")?;
        head(about, steps, out)?;
        writeln!(
            out,
            "# `sh THIS` hands it to the cluster: an array of tasks, and after it the movies.\n"
        )?;
        out.write_str(FUNCTIONS)?;
        let all: Vec<Step> = steps.iter(about).collect::<Result<_, ScriptError>>()?;
        let (movies, frames): (Vec<&Step>, Vec<&Step>) = all.iter().partition(|one| one.is_movie);
        writeln!(out, "stop=0\nall={}\n", all.len())?;
        for (kind, part) in [("frames", &frames), ("movies", &movies)] {
            writeln!(out, "# {kind} NUMBER: one step\n{kind}() {{\ncase $1 in")?;
            for (number, one) in part.iter().enumerate() {
                writeln!(out, "{number})\n# {}", one_line(&one.title))?;
                step(one, number + 1, out)?;
                writeln!(out, ";;")?;
            }
            writeln!(out, "esac\n}}\n")?;
        }
        submit(about, (frames.len(), movies.len()), out)
    }
}

/// What is done by whom: a task does its steps, anybody else hands the script in.
fn submit(
    about: &About<'_>,
    (frames, movies): (usize, usize),
    out: &mut dyn Write,
) -> Result<(), WriteError> {
    writeln!(
        out,
        "if [ -n \"${{SLURM_ARRAY_TASK_ID:-}}\" ]; then\n\
         \x20 task=$SLURM_ARRAY_TASK_ID\n\
         \x20 while [ \"$task\" -lt \"$2\" ]; do\n\
         \x20   \"$1\" \"$task\"\n\
         \x20   task=$((task + $3))\n\
         \x20 done\n\
         \x20 summary\n\
         \x20 [ \"$failed_steps\" -eq 0 ] && [ \"$missing_frames\" -eq 0 ]\n\
         \x20 exit\n\
         fi\n"
    )?;
    let mut options = String::new();
    let cluster = &about.cluster;
    if let Some(partition) = &cluster.partition {
        options.push_str(&format!(" {}", posix(&format!("--partition={partition}"))));
    }
    if let Some(seconds) = cluster.seconds {
        options.push_str(&format!(" --time={}", time(seconds)));
    }
    if let Some(memory) = &cluster.memory {
        options.push_str(&format!(" {}", posix(&format!("--mem={memory}"))));
    }
    let at_once = cluster
        .at_once
        .map_or(String::new(), |count| format!("%{count}"));
    writeln!(
        out,
        "if ! [ -f \"$0\" ]; then\n  echo 'the cluster needs this script as a file: sh FILE' >&2\n  exit 2\nfi\nset -e"
    )?;
    writeln!(
        out,
        "submit() {{ sbatch --parsable --job-name=true-path --output=/dev/null{options} \"$@\"; }}"
    )?;
    writeln!(out, "after=")?;
    for (kind, count) in [("frames", frames), ("movies", movies)] {
        if count == 0 {
            continue;
        }
        let tasks = count.min(MOST_TASKS);
        // A movie whose frames failed tells so itself; it must not wait for ever.
        writeln!(
            out,
            "job=$(submit ${{after:+--dependency=afterany:$after}} --array=0-{}{at_once} \"$0\" {kind} {count} {tasks})\n\
             after=${{job%%;*}}\n\
             echo \"{kind}: job $after, {count} steps in {tasks} tasks\"",
            tasks - 1
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
