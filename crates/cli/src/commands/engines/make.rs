//! Makes a profile of a run line.

use std::io::{self, Write};
use std::path::Path;
use std::process::ExitCode;

use truepath_core::job::{Key, Value};
use truepath_core::profile::{Profile, profile_of_run};

use crate::error::{CommandError, DONE};
use crate::job_arguments::JobArguments;
use crate::show::remark;

pub(super) fn make(
    name: &str,
    job: JobArguments,
    to: Option<&Path>,
) -> Result<ExitCode, CommandError> {
    let chosen = job.load()?;
    let job = &chosen.loaded.job;
    let tables = std::iter::once(&job.project)
        .chain(job.outputs.iter().map(|one| &one.table))
        .chain(job.shots.iter().map(|one| &one.table));
    let mut runs = tables.filter_map(|table| table.get(Key::Run));
    let Some(setting) = runs.next() else {
        return Err(CommandError::Usage(format!(
            "{} has no run line: it takes one such as run = [\"myrender\", \"--frame\", \"{{frame}}\", \"{{target}}\"]",
            chosen.name
        )));
    };
    let Value::Run(line) = &setting.value.value else {
        return Ok(ExitCode::from(DONE));
    };
    let profile = Profile::of_run(line, &setting.value.place);
    let text = profile_of_run(line, name, &profile);
    match to {
        None => write!(io::stdout(), "{text}")?,
        Some(path) => {
            let refused = CommandError::outside(path.display().to_string());
            let written = match path.parent() {
                Some(folder) => std::fs::create_dir_all(folder),
                None => Ok(()),
            };
            written
                .and_then(|()| std::fs::File::create_new(path))
                .and_then(|mut file| file.write_all(text.as_bytes()))
                .map_err(refused)?;
            remark(&format!(
                "{} is written; say engine = \"{name}\" in place of the run line",
                path.display()
            ));
        }
    }
    Ok(ExitCode::from(DONE))
}
