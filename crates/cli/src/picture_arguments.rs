//! Which pictures a command works on: those of folders and files that are named, else those of a job, or of the jobs of a
//! queue.

use std::path::PathBuf;

use clap::Args;
use truepath_core::deliverable::Deliverable;
use truepath_core::movie::Fps;
use truepath_runner::follow::pictures::{PictureRow, pictures_of_job, pictures_of_paths};
use truepath_runner::hand_over::queue::{is_queue_file, load_queue};

use crate::error::CommandError;
use crate::job_arguments::{Chosen, JobArguments};
use crate::show::states::remark_on_set_aside;

/// Folders and pictures, or a part of a job.
#[derive(Debug, Clone, Args)]
pub(crate) struct PictureArguments {
    /// Folders or pictures in place of a job; or a job file or a queue
    paths: Vec<PathBuf>,
    #[command(flatten)]
    job: JobArguments,
}

/// The pictures that were chosen.
pub(crate) struct ChosenPictures {
    /// The name of the job or the queue, or the paths.
    pub(crate) title: String,
    /// There is at least one.
    pub(crate) rows: Vec<PictureRow>,
    /// The jobs that they are of.
    pub(crate) jobs: Vec<Chosen>,
    /// The job of each row and its deliverable there.
    deliverables: Vec<(usize, usize)>,
}

impl ChosenPictures {
    /// The deliverable of a row; none of folders and files.
    pub(crate) fn deliverable(&self, row: usize) -> Option<&Deliverable> {
        let (job, deliverable) = *self.deliverables.get(row)?;
        let chosen = &self.jobs.get(job)?.chosen;
        chosen.deliverables.get(deliverable)
    }

    /// The first rate that a job says.
    pub(crate) fn fps(&self) -> Option<Fps> {
        let jobs = self.jobs.iter();
        let mut deliverables = jobs.flat_map(|job| &job.chosen.deliverables);
        deliverables.find_map(|one| one.common.fps)
    }

    /// Takes the pictures of a job, under a name where there are several.
    fn add(&mut self, name: Option<String>, job: Chosen) -> Result<(), CommandError> {
        let wanted = job.wanted()?;
        let rows = pictures_of_job(&job.loaded, wanted);
        let rows = rows.map_err(CommandError::outside("the state of the job"))?;
        let pictures = wanted.deliverables.iter();
        let pictures = pictures.filter(|one| one.movie().is_none());
        for (mut row, one) in rows.into_iter().zip(pictures) {
            // A selection may leave nothing of a deliverable.
            if row.frames.is_empty() {
                continue;
            }
            let all = job.chosen.deliverables.iter();
            let at = all.take_while(|other| other.pattern != one.pattern).count();
            if let Some(name) = &name {
                row.title = format!("{name} · {}", row.title);
            }
            self.rows.push(row);
            self.deliverables.push((self.jobs.len(), at));
        }
        self.jobs.push(job);
        Ok(())
    }
}

impl PictureArguments {
    /// The folders and pictures that are named.
    #[cfg(feature = "movies")]
    pub(crate) fn paths(&self) -> &[PathBuf] {
        &self.paths
    }

    /// The job that is meant, where no folders and pictures are named.
    fn job(&self) -> Option<JobArguments> {
        match &self.paths[..] {
            [] => Some(self.job.clone()),
            [path] if path.extension().is_some_and(|end| end == "toml") => {
                Some(self.job.of_job(path.clone()))
            }
            _ => None,
        }
    }

    /// Looks for the pictures.
    pub(crate) fn load(&self) -> Result<ChosenPictures, CommandError> {
        let mut chosen = ChosenPictures {
            title: String::new(),
            rows: Vec::new(),
            jobs: Vec::new(),
            deliverables: Vec::new(),
        };
        match self.job() {
            None => {
                let names = self.paths.iter().map(|path| path.display().to_string());
                chosen.title = names.collect::<Vec<_>>().join(", ");
                let found = pictures_of_paths(&self.paths);
                let found = found.map_err(CommandError::outside(chosen.title.clone()))?;
                remark_on_set_aside(&found.set_aside);
                chosen.rows = found.rows;
                chosen.rows.retain(|row| !row.frames.is_empty());
            }
            Some(job) => match job.file().filter(|path| is_queue_file(path)) {
                Some(path) => {
                    let queue = load_queue(path)?;
                    chosen.title = path.display().to_string();
                    for entry in queue.entries.iter().filter(|entry| entry.is_on) {
                        let of_entry = job.of_entry(path, entry).load_latest();
                        let added = of_entry.and_then(|job| chosen.add(Some(entry.label()), job));
                        // One that cannot be loaded does not hide the others.
                        if let Err(error) = added {
                            error.report();
                        }
                    }
                }
                None => {
                    let job = job.load_latest()?;
                    chosen.title = job.name.clone();
                    chosen.add(None, job)?;
                }
            },
        }
        if chosen.rows.is_empty() {
            let nothing = "there are no pictures to show".to_owned();
            return Err(CommandError::Usage(nothing));
        }
        Ok(chosen)
    }
}
