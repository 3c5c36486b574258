//! Which pictures a command works on: those of folders and files that are named, else those of a job.

use std::path::PathBuf;

use clap::Args;
use truepath_runner::pictures::{PictureRow, pictures_of_job, pictures_of_paths};

use crate::job_arguments::{Chosen, JobArguments};
use crate::outcome::CommandError;

/// Folders and pictures, or a part of a job.
#[derive(Debug, Clone, Args)]
pub(crate) struct PictureArguments {
    /// Folders or pictures in place of a job
    paths: Vec<PathBuf>,
    #[command(flatten)]
    job: JobArguments,
}

/// The pictures that were chosen.
pub(crate) struct ChosenPictures {
    /// The name of the job, or the paths.
    pub(crate) title: String,
    /// There is at least one.
    pub(crate) rows: Vec<PictureRow>,
    /// The job, where they are of one.
    pub(crate) job: Option<Chosen>,
}

impl PictureArguments {
    /// The folders and pictures that are named.
    #[cfg(feature = "movies")]
    pub(crate) fn paths(&self) -> &[PathBuf] {
        &self.paths
    }

    /// Looks for the pictures.
    pub(crate) fn load(&self) -> Result<ChosenPictures, CommandError> {
        let mut chosen = if self.paths.is_empty() {
            let job = self.job.clone().load_latest()?;
            let rows = pictures_of_job(&job.loaded, &job.chosen.runnable());
            ChosenPictures {
                title: job.name.clone(),
                rows: rows.map_err(CommandError::outside("the state of the job"))?,
                job: Some(job),
            }
        } else {
            let names = self.paths.iter().map(|path| path.display().to_string());
            let title = names.collect::<Vec<_>>().join(", ");
            let rows = pictures_of_paths(&self.paths);
            ChosenPictures {
                rows: rows.map_err(CommandError::outside(title.clone()))?,
                title,
                job: None,
            }
        };
        // A selection may leave nothing of a deliverable.
        chosen.rows.retain(|row| !row.frames.is_empty());
        if chosen.rows.is_empty() {
            let nothing = "there are no pictures to show".to_owned();
            return Err(CommandError::Usage(nothing));
        }
        Ok(chosen)
    }
}
