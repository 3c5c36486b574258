//! Loads a job from the disk, with the profiles that it can use, and answers core's questions.

use std::fs;
use std::io;
use std::path::{Component, Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};

use truepath_core::configuration::{Configuration, read_configuration};
use truepath_core::deliverable::{Person, Surroundings};
use truepath_core::finding::Finding;
use truepath_core::job::{Job, Key, Value, is_job, read};
use truepath_core::profile::{Profile, Profiles, read_profile};
use truepath_core::rules::unknown_codes;
use truepath_core::source::{SourceKind, Sources};
use truepath_core::system::System;
use truepath_core::template::{TokenValue, expand, refuse_component};
use truepath_core::token::Token;

use crate::lock::lock;
use crate::record::ledger::Ledger;
use crate::record::run_record::{RunBegan, When};
use crate::record::state_folder::StateFolder;
use crate::threads::AllCores;
use truepath_media::read_text;

/// The name of a job file.
pub const JOB_FILE: &str = "truepath.toml";

/// A job that was loaded.
#[derive(Debug)]
pub struct Loaded {
    /// The job.
    pub job: Job,
    /// The name of its file.
    pub file: String,
    /// Its absolute folder.
    pub folder: PathBuf,
    /// What core must know of its surroundings.
    pub surroundings: Surroundings,
    /// When its run began, or would begin now.
    pub began: RunBegan,
    /// What its ledgers recorded when they were read last: reading on costs less than reading again.
    pub(crate) ledger: Mutex<Option<Ledger>>,
    /// Whether the user has agreed that programs are started which profiles of the project name.
    agreed: AtomicBool,
}

impl Loaded {
    /// The user lets programs be started that profiles of the project name: who calls a run agrees to what `check` and
    /// `commands` show.
    pub(crate) fn agree_to_its_programs(&self) {
        self.agreed.store(true, Ordering::Relaxed);
    }

    /// Whether a program may be started that a profile names.
    pub(crate) fn may_start(&self, profile: &Profile) -> bool {
        !profile.is_of_project || self.agreed.load(Ordering::Relaxed)
    }
}

impl Loaded {
    /// What the ledgers record, with what was written since they were read last.
    pub(crate) fn read_ledger(&self, folder: &Path) -> io::Result<Ledger> {
        let kept = lock(&self.ledger).take();
        let mut ledger = kept.unwrap_or_default();
        ledger.refresh(folder)?;
        Ok(ledger)
    }

    /// Keeps what the ledgers recorded.
    pub(crate) fn keep_ledger(&self, ledger: Ledger) {
        *lock(&self.ledger) = Some(ledger);
    }
}

impl Loaded {
    /// The state folder: `state` of the job file, or `.truepath` beside it.
    #[must_use]
    pub fn state_folder(&self) -> StateFolder {
        let setting = self.job.setting(Key::State);
        if let Some(setting) = setting
            && let Value::Template(template, _) = &setting.value.value
            && let Ok(pattern) = expand(template, &|name| self.place(name))
        {
            return StateFolder::new(self.folder.join(pattern.path(0)));
        }
        StateFolder::new(self.folder.join(StateFolder::NAME))
    }

    /// The value of a token in `state`, which takes places only.
    fn place(&self, name: &str) -> TokenValue {
        let Some((Token::Place, name)) = Token::read(name) else {
            return TokenValue::Unknown;
        };
        if name == "job" {
            return TokenValue::Path(self.surroundings.job_folder.clone());
        }
        let place = self.job.places.iter().find(|place| place.name == name);
        let folder = place.and_then(|place| place.folder(self.surroundings.system));
        folder.map_or(TokenValue::Unknown, |folder| {
            TokenValue::Path(folder.value.clone())
        })
    }
}

/// Stands for the folder of the job file on another system, where the job does not say.
pub const FOLDER_UNKNOWN: &str = "/?";

/// The system of this machine; one that is none of the known is taken for the first.
pub(crate) fn here() -> System {
    System::from_name(std::env::consts::OS).unwrap_or(System::Linux)
}

/// Why a job cannot be loaded.
#[derive(Debug, thiserror::Error)]
pub enum LoadError {
    /// There is no job file.
    #[error("there is no {JOB_FILE} here or in a folder above; write one, or name it with --job")]
    NotFound,
    /// The job file cannot be read.
    #[error("{path}: {error}")]
    Unreadable {
        /// The file.
        path: String,
        /// Why.
        error: io::Error,
    },
    /// The record of the latest run cannot be read.
    #[error("the state folder {path} cannot be used: {error}")]
    State {
        /// The folder.
        path: String,
        /// Why.
        error: io::Error,
    },
    /// A folder's name is not Unicode, and job files are.
    #[error("the folder {0} has a name that is not Unicode")]
    NotUnicode(String),
    /// A folder has control characters in its name.
    #[error(
        "the folder {0} has control characters in its name, and the paths of all frames would; rename it"
    )]
    Hidden(String),
    /// What stands in it is wrong.
    #[error("the job file has mistakes")]
    Mistakes {
        /// The texts that the findings point into.
        sources: Box<Sources>,
        /// What is wrong.
        findings: Vec<Finding>,
    },
}

impl LoadError {
    /// The first mistake, and the texts that it points into, where there are mistakes.
    #[must_use]
    pub fn first_mistake(&self) -> Option<(&Sources, &Finding)> {
        match self {
            Self::Mistakes { sources, findings } => Some((sources, findings.first()?)),
            _ => None,
        }
    }
}

/// Finds the job file: the one that is named, or the first from `from` upwards.
///
/// # Errors
/// When there is none.
pub fn find(named: Option<&Path>, from: &Path) -> Result<PathBuf, LoadError> {
    match named {
        Some(path) if path.is_dir() => Ok(path.join(JOB_FILE)),
        Some(path) => Ok(path.to_owned()),
        None => from
            .ancestors()
            .map(|folder| folder.join(JOB_FILE))
            .find(|path| path.is_file())
            .ok_or(LoadError::NotFound),
    }
}

/// Loads a job, the configuration of this machine and the profiles that it can use. `shipped` are
/// the profiles that ship: name and text. `elsewhere` is a system that paths are made for in place
/// of this one.
///
/// # Errors
/// When a file cannot be read or has mistakes.
pub fn load(
    path: &Path,
    sets: &[String],
    shipped: &[(&str, &'static str)],
    when: When,
    elsewhere: Option<System>,
) -> Result<Loaded, LoadError> {
    let text = read_text(path).map_err(unreadable(path))?;
    let absolute = std::path::absolute(path).map_err(unreadable(path))?;
    let mut folder = absolute.parent().unwrap_or(Path::new("/")).to_owned();
    // The paths of frames have no `..`, and those in the ledgers start at this folder.
    if folder.components().any(|part| part == Component::ParentDir) {
        folder = fs::canonicalize(&folder).map_err(unreadable(path))?;
    }
    if folder.to_string_lossy().contains(char::is_control) {
        return Err(LoadError::Hidden(folder.display().to_string()));
    }
    let mut fetch = |name: &str| read_text(&folder.join(name)).map_err(|error| error.to_string());
    let reading = read(&path.display().to_string(), &text, sets, &mut fetch);
    let is_sound = reading.is_sound();
    let mut job = reading.job;
    let mut findings = reading.findings;
    let before = findings.len();
    findings.extend(unknown_codes(&job));
    if !is_sound || findings.len() > before {
        return Err(LoadError::Mistakes {
            sources: Box::new(job.sources),
            findings,
        });
    }
    let here = here();
    let system = elsewhere.unwrap_or(here);
    let configuration = read_own_configuration(&mut job.sources, &mut findings)?;
    configuration.apply(&mut job);
    findings.extend(job.fill_environment(system, &|name| std::env::var(name).ok()));
    let person = with_system(configuration.person);
    let profiles = read_profiles(&folder, shipped, &mut job.sources, &mut findings)?;
    if !findings.is_empty() {
        return Err(LoadError::Mistakes {
            sources: Box::new(job.sources),
            findings,
        });
    }
    let job_folder = if system == here {
        let name = folder.to_str();
        name.ok_or_else(|| LoadError::NotUnicode(folder.display().to_string()))?
            .to_owned()
    } else {
        job_folder_elsewhere(&job, system)
    };
    let mut loaded = Loaded {
        job,
        surroundings: Surroundings {
            job_folder,
            system,
            person,
            began: None,
            profiles,
            scene_frames: std::collections::HashMap::new(),
            executor: &AllCores,
        },
        file: absolute
            .file_name()
            .unwrap_or_default()
            .to_string_lossy()
            .into_owned(),
        folder,
        began: RunBegan::default(),
        ledger: Mutex::default(),
        agreed: AtomicBool::default(),
    };
    let state = loaded.state_folder();
    let began = state
        .check_format()
        .and_then(|()| RunBegan::find(&state, &loaded.file, when));
    loaded.began = began.map_err(|error| LoadError::State {
        path: state.to_string(),
        error,
    })?;
    // To know the local time, the system's whole list of time zones is read.
    if loaded.job.sources.mention("{date") {
        loaded.surroundings.began = Some(loaded.began.instant());
    }
    Ok(loaded)
}

/// The other job files in the folder of a job.
///
/// # Errors
/// When one of them cannot be read or has mistakes: then nobody knows what it wants.
pub fn other_jobs(
    loaded: &Loaded,
    shipped: &[(&str, &'static str)],
) -> Result<Vec<Loaded>, LoadError> {
    let entries = fs::read_dir(&loaded.folder).map_err(unreadable(&loaded.folder))?;
    let mut paths: Vec<PathBuf> = entries
        .filter_map(|entry| Some(entry.ok()?.path()))
        .filter(|path| path.extension().is_some_and(|end| end == "toml") && path.is_file())
        .filter(|path| path.file_name().is_some_and(|name| *name != *loaded.file))
        .collect();
    paths.sort();
    let mut jobs = Vec::new();
    for path in paths {
        let text = read_text(&path).map_err(unreadable(&path))?;
        if is_job(&text) {
            jobs.push(load(&path, &[], shipped, When::Latest, None)?);
        }
    }
    Ok(jobs)
}

fn unreadable(path: &Path) -> impl FnOnce(io::Error) -> LoadError {
    let path = path.display().to_string();
    |error| LoadError::Unreadable { path, error }
}

/// The configuration of this machine, where it has one; mistakes in it go to the findings.
fn read_own_configuration(
    sources: &mut Sources,
    findings: &mut Vec<Finding>,
) -> Result<Configuration, LoadError> {
    let Some(path) = configuration_file() else {
        return Ok(Configuration::default());
    };
    let text = read_text(&path).map_err(unreadable(&path))?;
    let read = read_configuration(&path.display().to_string(), &text, here(), sources);
    Ok(read.unwrap_or_else(|mistakes| {
        findings.extend(mistakes);
        Configuration::default()
    }))
}

/// The folder of the job file on another system than this.
fn job_folder_elsewhere(job: &Job, system: System) -> String {
    let named = job.places.iter().find(|place| place.name == "job");
    let named = named.and_then(|place| place.folder(system));
    named.map_or(FOLDER_UNKNOWN.to_owned(), |folder| {
        system.inside(&folder.value)
    })
}

/// The profiles that a job in a folder can use, those of its own first. `shipped` are those that
/// ship: name and text.
///
/// # Errors
/// When one cannot be read or has mistakes.
pub fn profiles(folder: &Path, shipped: &[(&str, &'static str)]) -> Result<Profiles, LoadError> {
    let mut sources = Sources::default();
    let mut findings = Vec::new();
    let profiles = read_profiles(folder, shipped, &mut sources, &mut findings)?;
    if findings.is_empty() {
        return Ok(profiles);
    }
    Err(LoadError::Mistakes {
        sources: Box::new(sources),
        findings,
    })
}

fn read_profiles(
    folder: &Path,
    shipped: &[(&str, &'static str)],
    sources: &mut Sources,
    findings: &mut Vec<Finding>,
) -> Result<Profiles, LoadError> {
    let mut profiles = Profiles::default();
    let own = own_profiles(folder).map_err(unreadable(&folder.join("engines")))?;
    for (name, text) in &own {
        match read_profile(name, text, SourceKind::File, sources) {
            Ok(profile) => profiles.add(Arc::new(Profile {
                is_of_project: true,
                replaces_shipped: shipped.iter().any(|(known, _)| *known == profile.name),
                ..profile
            })),
            Err(mistakes) => findings.extend(mistakes),
        }
    }
    // The project's own profile wins over one that ships.
    for (name, text) in shipped {
        profiles.add_shipped(name, text);
    }
    Ok(profiles)
}

/// The configuration of this machine: `TRUEPATH_CONFIG`, else `truepath/config.toml` in
/// `XDG_CONFIG_HOME` or in `.config` of the home folder.
fn configuration_file() -> Option<PathBuf> {
    let named = |name: &str| {
        std::env::var_os(name)
            .filter(|value| !value.is_empty())
            .map(PathBuf::from)
    };
    named("TRUEPATH_CONFIG").or_else(|| {
        let folder = named("XDG_CONFIG_HOME").or_else(|| Some(named("HOME")?.join(".config")))?;
        let path = folder.join("truepath/config.toml");
        path.is_file().then_some(path)
    })
}

/// What the system says of user and machine, where the configuration says nothing.
fn with_system(person: Person) -> Person {
    // A name that no file name can hold is no name to use.
    let sound = |text: String| refuse_component(&text).is_none().then_some(text);
    let by_variable = || std::env::var("USER").ok();
    // Services and clusters start programs without it: the system knows the user by its number.
    let by_system = crate::system::user_name;
    let user = || by_variable().or_else(by_system).and_then(sound);
    Person {
        user: person.user.or_else(user),
        artist: person.artist,
        host: person
            .host
            .or_else(|| sound(crate::record::presence::machine())),
    }
}

/// The profiles in `engines/` beside the job file, by name.
fn own_profiles(folder: &Path) -> io::Result<Vec<(String, String)>> {
    let mut paths = match fs::read_dir(folder.join("engines")) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        entries => entries?
            .map(|entry| entry.map(|entry| entry.path()))
            .collect::<io::Result<Vec<PathBuf>>>()?,
    };
    paths.retain(|path| {
        path.extension()
            .is_some_and(|extension| extension == "toml")
    });
    paths.sort();
    paths
        .into_iter()
        .map(|path| Ok((path.display().to_string(), read_text(&path)?)))
        .collect()
}
