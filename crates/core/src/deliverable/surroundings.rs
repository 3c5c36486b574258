//! What a job must know of the world around it.

use std::collections::HashMap;

use jiff::civil::DateTime;

use crate::executor::{Executor, OneThread};
use crate::frames::FrameSet;
use crate::profile::Profiles;
use crate::system::System;

/// What a job must know of the world around it.
#[derive(Debug, Clone)]
pub struct Surroundings {
    /// The absolute folder of the job file, with `/` between components.
    pub job_folder: String,
    /// The system that paths are made for.
    pub system: System,
    /// Who makes it, and on which machine.
    pub person: Person,
    /// When the run began, in the local time of the machine that began it; none where no name has a date.
    pub began: Option<DateTime>,
    /// The profiles that are known.
    pub profiles: Profiles,
    /// The frames of scenes, by their absolute paths, where somebody asked: for shots that set none.
    pub scene_frames: HashMap<String, FrameSet>,
    /// What large jobs are worked on with.
    pub executor: &'static dyn Executor,
}

impl Surroundings {
    /// Those of a job in a folder of a Linux machine of which nothing else is known, on one thread.
    #[must_use]
    pub fn of_folder(job_folder: &str, profiles: Profiles) -> Self {
        Self {
            job_folder: job_folder.to_owned(),
            system: System::Linux,
            person: Person::default(),
            began: None,
            profiles,
            scene_frames: HashMap::new(),
            executor: &OneThread,
        }
    }
}

/// Values that are the same for the whole job.
#[derive(Debug, Clone)]
pub struct ProjectValues {
    /// `[token]`
    pub tokens: Vec<(String, String)>,
    /// Places with their absolute folders.
    pub places: Vec<(String, String)>,
    /// The system that the paths are made for.
    pub system: System,
    /// Who and where.
    pub person: Person,
    /// When the run began.
    pub began: Option<DateTime>,
}

/// Who makes it, and on which machine.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Person {
    /// The user's name.
    pub user: Option<String>,
    /// The artist.
    pub artist: Option<String>,
    /// The machine's name.
    pub host: Option<String>,
}
