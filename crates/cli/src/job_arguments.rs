//! The options that every command on a job has.

mod queued;

use std::path::{Path, PathBuf};

use clap::Args;
use truepath_core::deliverable::{Expansion, MOST_FILES, MOST_FRAMES, Selection, expand};
use truepath_core::finding::grouped;
use truepath_core::frames::FrameSet;
use truepath_core::nearest::advice;
use truepath_core::system::System;
use truepath_core::template::PathPattern;
use truepath_runner::hand_over::queue::is_queue_file;
use truepath_runner::load::{FOLDER_UNKNOWN, JOB_FILE, LoadError};
use truepath_runner::look::describe::frames_of_scenes;
use truepath_runner::look::splits;
use truepath_runner::record::run_record::When;
use truepath_runner::{Loaded, load};

use crate::error::CommandError;
use crate::show::WARNING;

/// With more shots than this, loading takes seconds: a remark says so.
const MANY_SHOTS: usize = 20_000;

/// What these options stand under in the help.
const SELECTION: &str = "Selection";

/// Which part of a job.
#[derive(Debug, Clone, Default, Args)]
struct SelectionArguments {
    /// Only these shots
    #[arg(long, value_name = "NAME", value_delimiter = ',', help_heading = SELECTION)]
    shot: Vec<String>,
    /// Only these cameras
    #[arg(long, value_name = "NAME", value_delimiter = ',', help_heading = SELECTION)]
    camera: Vec<String>,
    /// Only these variants
    #[arg(long, value_name = "NAME", value_delimiter = ',', help_heading = SELECTION)]
    variant: Vec<String>,
    /// Only these views
    #[arg(long, value_name = "NAME", value_delimiter = ',', help_heading = SELECTION)]
    view: Vec<String>,
    /// Only these passes
    #[arg(long, value_name = "NAME", value_delimiter = ',', help_heading = SELECTION)]
    pass: Vec<String>,
    /// Only these outputs
    #[arg(long, value_name = "NAME", value_delimiter = ',', help_heading = SELECTION)]
    output: Vec<String>,
    /// Only these frames, such as 1-10,20; names stay those of the whole shot
    #[arg(long, value_name = "FRAMES", allow_hyphen_values = true, help_heading = SELECTION)]
    frames: Option<FrameSet>,
}

impl From<SelectionArguments> for Selection {
    fn from(asked: SelectionArguments) -> Self {
        Self {
            shots: asked.shot,
            cameras: asked.camera,
            variants: asked.variant,
            views: asked.view,
            passes: asked.pass,
            outputs: asked.output,
            frames: asked.frames,
        }
    }
}

/// For which system paths are shown.
#[derive(Debug, Args)]
pub(crate) struct ForSystem {
    /// Show paths as another system has them: linux, windows or macos
    #[arg(long = "for", value_name = "SYSTEM", value_parser = system)]
    pub(crate) system: Option<System>,
}

impl ForSystem {
    /// A path as the system writes it.
    pub(crate) fn written(&self, path: &str) -> String {
        self.system
            .map_or_else(|| path.to_owned(), |system| system.written(path))
    }

    /// A pattern as the system writes it.
    pub(crate) fn pattern(&self, pattern: &PathPattern) -> PathPattern {
        self.system
            .map_or_else(|| pattern.clone(), |system| system.pattern(pattern))
    }
}

fn system(word: &str) -> Result<System, String> {
    System::from_name(word).ok_or_else(|| advice(word, &System::ALL.map(System::word)))
}

/// Which job, and which part of it.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct JobArguments {
    /// The job file; else truepath.toml here or in a folder above
    #[arg(long, value_name = "FILE")]
    job: Option<PathBuf>,
    #[command(flatten)]
    selection: SelectionArguments,
    /// How well to render: a preset of the job, or `trial`
    #[arg(long, value_name = "NAME")]
    preset: Option<String>,
    /// Render the ends small, to a folder of their own: the same as --preset trial
    #[arg(long, conflicts_with = "preset")]
    trial: bool,
    /// Only one part of the work, such as 2/4, for one of several machines
    #[arg(long, value_name = "PART/PARTS", help_heading = SELECTION)]
    share: Option<String>,
    /// How strong the machines of the shares are, or of the parts that are packed, such as 8,8,16,4
    #[arg(long, value_name = "WEIGHTS", help_heading = SELECTION)]
    weights: Option<String>,
    /// Deal the frames out in turn; else each part gets one block
    #[arg(long, requires = "share", help_heading = SELECTION)]
    interleaved: bool,
    /// Set a key for this call: camera=north, or shot.dawn.camera=north for one table
    #[arg(long, value_name = "KEY=VALUE")]
    set: Vec<String>,
    /// Whether engines may be started to report the frames of scenes.
    #[arg(skip)]
    asks_for_frames: bool,
}

/// Which job, named as the only argument of a command, and which part of it.
#[derive(Debug, Clone, Args)]
pub(crate) struct NamedJob {
    /// The job file, in place of --job; or a queue
    #[arg(value_name = "JOB", conflicts_with = "job")]
    named: Option<PathBuf>,
    #[command(flatten)]
    job: JobArguments,
}

impl NamedJob {
    /// The job that is meant.
    pub(crate) fn job(self) -> JobArguments {
        match self.named {
            Some(path) => self.job.of_job(path),
            None => self.job,
        }
    }
}

/// A job, and the chosen part of its deliverables.
pub(crate) struct Chosen {
    pub(crate) loaded: Loaded,
    pub(crate) chosen: Expansion,
    /// Whether it is only a part of the job.
    pub(crate) is_selected: bool,
    /// Whether it is all that the job wants, and nothing of that was changed for this call.
    pub(crate) whole: bool,
    /// How the job file is called.
    pub(crate) name: String,
}

impl Chosen {
    /// All deliverables of the job, without selection.
    pub(crate) fn all(&self) -> Expansion {
        expand(
            &self.loaded.job,
            &self.loaded.surroundings,
            &Selection::default(),
        )
    }

    /// Refuses more files than anybody renders: the work and the memory of a look grow with them.
    fn check_number(&self) -> Result<(), CommandError> {
        let refused = |what: &str, number: u64, most: u64| {
            Err(CommandError::Usage(format!(
                "{}: {what} wants {} files, and at most {} are looked at in one call; choose a part, such as --frames 1-96, \
                 or correct the frames",
                self.name,
                grouped(number),
                grouped(most)
            )))
        };
        let mut all: u64 = 0;
        for deliverable in &self.chosen.deliverables {
            let number = deliverable.files().count();
            if number > MOST_FRAMES {
                return refused(&deliverable.label(), number, MOST_FRAMES);
            }
            all = all.saturating_add(number);
        }
        if all > MOST_FILES {
            return refused("the job", all, MOST_FILES);
        }
        Ok(())
    }
}

impl JobArguments {
    /// Lets engines be started to report the frames of scenes whose shots say none.
    pub(crate) fn asking_for_frames(mut self, ask: bool) -> Self {
        self.asks_for_frames = ask;
        self
    }

    /// Loads and expands the job.
    pub(crate) fn load(self) -> Result<Chosen, CommandError> {
        self.load_to_look(When::Next, &[])
    }

    /// The file that was named, if any.
    pub(crate) fn file(&self) -> Option<&Path> {
        self.job.as_deref()
    }

    /// The job file as it was named.
    pub(crate) fn name(&self) -> String {
        let usual = || JOB_FILE.to_owned();
        let name = |path: &PathBuf| path.display().to_string();
        self.job.as_ref().map_or_else(usual, name)
    }

    /// The job that is meant where the first of some words may name its file: it ends in `.toml`. A
    /// word that does is taken out of them.
    pub(crate) fn named_by_first(self, words: &mut Vec<String>) -> Self {
        let names_a_job = |word: &String| {
            let ending = std::path::Path::new(word).extension();
            ending.is_some_and(|ending| ending == "toml")
        };
        if self.job.is_none() && words.first().is_some_and(names_a_job) {
            let path = PathBuf::from(words.remove(0));
            return self.of_job(path);
        }
        self
    }

    /// The same for another job file.
    pub(crate) fn of_job(&self, path: PathBuf) -> Self {
        Self {
            job: Some(path),
            ..self.clone()
        }
    }

    /// The same with only these outputs.
    pub(crate) fn of_outputs(&self, outputs: Vec<String>) -> Self {
        let mut limited = self.clone();
        limited.selection.output = outputs;
        limited
    }

    /// The same with further keys set.
    pub(crate) fn setting(&self, keys: Vec<String>) -> Self {
        let mut more = self.clone();
        more.set.extend(keys);
        more
    }

    /// Whether frames are chosen.
    pub(crate) fn chooses_frames(&self) -> bool {
        self.selection.frames.is_some()
    }

    /// Takes the weights of machines out of the options, for parts in place of shares.
    pub(crate) fn take_weights(&mut self) -> Option<String> {
        self.weights.take()
    }

    /// Loads and expands the job with keys that a command sets itself: it is the whole job all the
    /// same.
    pub(crate) fn load_with_keys(self, keys: &[String]) -> Result<Chosen, CommandError> {
        self.load_to_look(When::Next, keys)
    }

    /// Loads and expands the job as another system sees it.
    pub(crate) fn load_for(self, system: Option<System>) -> Result<Chosen, CommandError> {
        let chosen = self.load_at(When::Next, system)?;
        let astray = |path: &str| path.starts_with(FOLDER_UNKNOWN);
        if let Some(system) = system
            && chosen
                .chosen
                .deliverables
                .iter()
                .any(|one| astray(&one.root))
        {
            let system = system.word();
            return Err(CommandError::Usage(format!(
                "where {} lies on {system} is not known, and paths start there: add it to the job, \
                 such as [place] job = {{ {system} = '…' }}",
                chosen.name
            )));
        }
        Ok(chosen)
    }

    /// What --set is given, as it is.
    pub(crate) fn set_values(&self) -> &[String] {
        &self.set
    }

    /// Loads and expands the job of the latest run.
    pub(crate) fn load_latest(self) -> Result<Chosen, CommandError> {
        self.load_to_look(When::Latest, &[])
    }

    /// Loads and expands the job for a command that looks at no files of it.
    pub(crate) fn load_names(self) -> Result<Chosen, CommandError> {
        self.load_at(When::Next, None)
    }

    fn load_at(self, when: When, system: Option<System>) -> Result<Chosen, CommandError> {
        self.load_with(when, system, &[])
    }

    fn load_to_look(self, when: When, keys: &[String]) -> Result<Chosen, CommandError> {
        let chosen = self.load_with(when, None, keys)?;
        chosen.check_number()?;
        Ok(chosen)
    }

    fn load_with(
        self,
        when: When,
        system: Option<System>,
        keys: &[String],
    ) -> Result<Chosen, CommandError> {
        let here = std::env::current_dir().map_err(CommandError::outside("the current folder"))?;
        let mut path = truepath_runner::load::find(self.job.as_deref(), &here)?;
        if let Ok(below) = path.strip_prefix(&here) {
            path = below.to_owned();
        }
        if is_queue_file(&path) {
            return Err(CommandError::Usage(format!(
                "{} is a queue: `truepath queue --queue {0} run` works it off, and status, check, audit, report, show and sheet take it in place of a job",
                path.display()
            )));
        }
        let is_job = path.extension().is_some_and(|end| end == "toml");
        if !is_job && path.is_file() {
            let name = truepath_core::quote::posix(&path.display().to_string()).into_owned();
            return Err(CommandError::Usage(format!(
                "{} is no job file: those end in .toml. If it is a scene, make a job of it: `truepath new --for-scene {name}`; \
                 if you have the command line that renders it, `truepath adopt -- COMMAND`",
                path.display()
            )));
        }
        if self.weights.is_some() && self.share.is_none() {
            return Err(CommandError::Usage(
                "--weights says how strong the machines of --share are, such as --share 2/4 --weights 8,8,16,4".to_owned(),
            ));
        }
        let preset = if self.trial {
            Some("trial".to_owned())
        } else {
            self.preset.clone()
        };
        let shorthand = [
            ("preset", preset),
            ("share.part", self.share.clone()),
            ("share.weights", self.weights.clone()),
            (
                "share.interleaved",
                self.interleaved.then(|| "true".to_owned()),
            ),
        ];
        let shorthand = shorthand
            .into_iter()
            .filter_map(|(key, value)| Some(format!("{key}={}", value?)));
        let mut sets: Vec<String> = self.set.iter().cloned().chain(shorthand).collect();
        let as_it_is = sets.is_empty();
        sets.extend(keys.iter().cloned());
        let mut loaded = load(&path, &sets, crate::profiles::SHIPPED, when, system)?;
        if let Some(remark) =
            truepath_runner::record::run_record::remark(&loaded.state_folder(), &loaded.file)
        {
            crate::show::alert(&format!("{WARNING}warning{WARNING:#}: {remark}"));
        }
        let shots = loaded.job.shots.len();
        if shots > MANY_SHOTS {
            crate::show::remark(&format!(
                "looking through {} shots",
                truepath_core::finding::grouped(shots as u64)
            ));
        }
        let selection = Selection::from(self.selection);
        selection.check(&loaded.job)?;
        // A trial, or a job that was changed for one call, is not what the job wants.
        let is_selected = selection != Selection::default();
        let whole = !is_selected && as_it_is;
        let mut chosen = expand(&loaded.job, &loaded.surroundings, &selection);
        if !chosen.without_frames.is_empty()
            && frames_of_scenes(&mut loaded, &chosen, self.asks_for_frames)
        {
            chosen = expand(&loaded.job, &loaded.surroundings, &selection);
        }
        splits::take_found(&loaded, &mut chosen).map_err(|error| LoadError::State {
            path: loaded.state_folder().to_string(),
            error,
        })?;
        if let Some(asked) = &selection.frames
            && chosen.problems.is_empty()
            && chosen
                .deliverables
                .iter()
                .all(|one| one.common.frames.selected.is_empty())
        {
            return Err(CommandError::Usage(format!(
                "none of the chosen shots has a frame of --frames {asked}"
            )));
        }
        Ok(Chosen {
            loaded,
            chosen,
            is_selected,
            whole,
            name: path.display().to_string(),
        })
    }
}
