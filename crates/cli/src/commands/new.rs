//! `truepath new`: writes a commented start job file.

use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use clap::Args;
use truepath_core::nearest::advice;
use truepath_core::profile::{Makes, Profile, Profiles};
use truepath_core::start::{StartScene, Work, start};
use truepath_runner::load::{JOB_FILE, profiles};
use truepath_runner::look::describe::describe;

use crate::error::{CommandError, DONE};
use crate::show::remark;

/// Write a commented start job file
///
/// For an engine and a kind of work. What the scene provides (frames, size, cameras) is filled in: by
/// the file beside it (SCENE.facts.json), else by asking the engine, where it can be asked. The
/// file passes `truepath check` as it is written. A file that is there is never replaced.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath new --for-scene scenes/dawn.toml\n  truepath new --engine povray --work passes\n  truepath new --engine understudy --work show --to shows/orrery.toml"
)]
pub(crate) struct Arguments {
    /// The engine; else the one that the scene's extension belongs to
    #[arg(long, value_name = "NAME")]
    engine: Option<String>,
    /// The kind of work: sequence, passes, stereo, stills, movie or show
    #[arg(long, value_name = "KIND", default_value = "sequence", value_parser = work)]
    work: Work,
    /// A scene; may be given several times. Else the engine's scenes in the folder of the job file, or in scenes/ there
    #[arg(long, value_name = "FILE")]
    for_scene: Vec<PathBuf>,
    /// Also start the program of a profile of this project, to ask what the scenes have
    #[arg(long)]
    ask_engine: bool,
    /// The file to write
    #[arg(long, value_name = "FILE", default_value = JOB_FILE)]
    to: PathBuf,
}

fn work(word: &str) -> Result<Work, String> {
    let found = Work::ALL.into_iter().find(|work| work.word() == word);
    found.ok_or_else(|| advice(word, &Work::ALL.map(Work::word)))
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let absolute =
        std::path::absolute(&arguments.to).map_err(CommandError::outside("the current folder"))?;
    let folder = absolute.parent().unwrap_or(Path::new("/")).to_owned();
    let profiles = profiles(&folder, crate::profiles::SHIPPED)?;
    let engine = engine(&arguments, &profiles)?;
    // What came with a folder starts no program unless the user says so.
    let may_ask = arguments.ask_engine || !engine.is_of_project;
    if !may_ask && engine.describe.is_some() {
        remark(&format!(
            "the profile {} belongs to this project, so its program was not asked what the scenes have; --ask-engine asks it",
            engine.name
        ));
    }
    let scenes = match &arguments.for_scene[..] {
        [] => scenes_here(&folder, &engine, may_ask)?,
        named => named
            .iter()
            .map(|path| scene(path, &folder, &engine, may_ask))
            .collect::<Result<_, _>>()?,
    };
    let text = start(arguments.work, &engine, &scenes);
    let name = arguments.to.display().to_string();
    let mut file = File::create_new(&absolute).map_err(|error| match error.kind() {
        io::ErrorKind::AlreadyExists => CommandError::Usage(format!(
            "{name} is there already, and is left as it is; write another one with --to"
        )),
        _ => CommandError::outside(&*name)(error),
    })?;
    file.write_all(text.as_bytes())
        .and_then(|()| file.sync_all())
        .map_err(CommandError::outside(&*name))?;
    remark(&format!(
        "wrote {name}: {} with {}; look at it with `truepath paths`",
        arguments.work.word(),
        engine.name
    ));
    Ok(ExitCode::from(DONE))
}

fn engine(arguments: &Arguments, profiles: &Profiles) -> Result<Arc<Profile>, CommandError> {
    let renderers: Vec<Arc<Profile>> = profiles
        .all()
        .filter(|one| one.makes == Makes::Pictures)
        .collect();
    let names: Vec<&str> = renderers.iter().map(|one| one.name.as_str()).collect();
    if let Some(name) = &arguments.engine {
        return profiles.find(name).ok_or_else(|| {
            CommandError::Usage(format!(
                "there is no engine `{name}`: {}",
                advice(name, &names)
            ))
        });
    }
    let Some(scene) = arguments.for_scene.first() else {
        return Err(CommandError::Usage(format!(
            "say for which engine (--engine {}) or for which scene (--for-scene FILE)",
            names.join(" or ")
        )));
    };
    let extension = scene.extension().unwrap_or_default().to_string_lossy();
    let mut able = profiles
        .all()
        .filter(|one| one.scenes.iter().any(|known| *known == extension));
    match (able.next(), able.next()) {
        (Some(only), None) => Ok(only),
        _ => Err(CommandError::Usage(format!(
            "no profile here is for scenes such as {}. If you have the command line that renders it, make a job of that: \
             `truepath adopt -- COMMAND`; or write a job with a `run` line by hand. For an engine that has a profile: --engine {}",
            scene.display(),
            names.join(" or ")
        ))),
    }
}

/// The engine's scenes in the job's folder, else in `scenes/`, by name. A file that the engine
/// does not know for a scene is none, whatever its extension.
fn scenes_here(
    folder: &Path,
    engine: &Profile,
    may_ask: bool,
) -> Result<Vec<StartScene>, CommandError> {
    for place in [folder.to_owned(), folder.join("scenes")] {
        let entries = match fs::read_dir(&place) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            entries => entries.map_err(CommandError::outside(&*place.display().to_string()))?,
        };
        let mut paths: Vec<PathBuf> = entries
            .map(|entry| entry.map(|entry| entry.path()))
            .collect::<io::Result<_>>()
            .map_err(CommandError::outside(&*place.display().to_string()))?;
        paths.sort();
        let found: Vec<StartScene> = paths
            .iter()
            .filter(|path| {
                let extension = path.extension().unwrap_or_default().to_string_lossy();
                engine.scenes.iter().any(|known| *known == extension) && path.is_file()
            })
            .filter_map(|path| scene(path, folder, engine, may_ask).ok())
            .collect();
        if !found.is_empty() {
            return Ok(found);
        }
    }
    let extensions: Vec<String> = engine.scenes.iter().map(|one| format!("*.{one}")).collect();
    Err(CommandError::Usage(format!(
        "there is no scene of {} here ({}); name one with --for-scene",
        engine.name,
        extensions.join(", ")
    )))
}

fn scene(
    path: &Path,
    folder: &Path,
    engine: &Profile,
    may_ask: bool,
) -> Result<StartScene, CommandError> {
    let name = path.display().to_string();
    let absolute = std::path::absolute(path).map_err(CommandError::outside(&*name))?;
    if !absolute.is_file() {
        return Err(CommandError::Usage(format!("there is no scene {name}")));
    }
    let facts = describe(engine, &absolute, folder, may_ask)
        .map_err(|error| CommandError::Usage(error.to_string()))?
        .unwrap_or_default();
    let relative = absolute.strip_prefix(folder).unwrap_or(&absolute);
    Ok(StartScene {
        path: relative.display().to_string(),
        facts,
    })
}
