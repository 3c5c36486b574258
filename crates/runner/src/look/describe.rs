//! What a scene has: from a file beside it, or from its engine.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::process::Command;

use serde::Deserialize;
use truepath_core::command::fill;
use truepath_core::deliverable::Expansion;
use truepath_core::frames::FrameSet;
use truepath_core::profile::Profile;
use truepath_core::scene_facts::SceneFacts;
use truepath_core::template::TokenValue;

use crate::Loaded;
use crate::disk::{Disk, RealDisk, hash_file};
use crate::look::ask::output_of;
use crate::look::program::find_program;
use truepath_media::read_text;

/// The form of a description; keys that nobody knows yet are passed over.
#[derive(Debug, Deserialize)]
struct Described {
    frames: Option<String>,
    size: Option<String>,
    fps: Option<f64>,
    cameras: Option<Vec<String>>,
    camera: Option<String>,
    passes: Option<Vec<String>>,
    settings: Option<Vec<String>>,
    files: Option<Vec<String>>,
}

/// Why nothing is known of a scene.
#[derive(Debug, thiserror::Error)]
pub enum DescribeError {
    /// The engine's program is not found.
    #[error("the program {0} is not found")]
    NoProgram(String),
    /// The engine cannot be asked, or did not answer.
    #[error("{program} does not describe {scene}: {reason}")]
    NoAnswer {
        /// The program.
        program: String,
        /// The scene.
        scene: String,
        /// Why.
        reason: String,
    },
    /// What was reported is no description.
    #[error("{from} does not describe a scene: {reason}")]
    Unreadable {
        /// Where it is from.
        from: String,
        /// Why.
        reason: String,
    },
}

/// The file beside a scene that says what it has.
#[must_use]
pub(crate) fn facts_file(scene: &Path) -> PathBuf {
    let mut name = scene.as_os_str().to_owned();
    name.push(".facts.json");
    PathBuf::from(name)
}

/// What the file beside a scene says; `None` when there is none.
///
/// # Errors
/// When it cannot be read.
fn facts_beside(scene: &Path) -> Result<Option<SceneFacts>, DescribeError> {
    let path = facts_file(scene);
    match read_text(&path) {
        Ok(text) => read(&path.display().to_string(), &text).map(Some),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(DescribeError::Unreadable {
            from: path.display().to_string(),
            reason: error.to_string(),
        }),
    }
}

/// What a scene of a job has: by the file beside it, else by what was answered before for the same
/// content, else, with leave, by its engine. What the engine answers is kept in the job's state folder.
///
/// # Errors
/// When something should answer and does not.
pub(crate) fn describe_kept(
    profile: &Profile,
    scene: &Path,
    loaded: &Loaded,
    leave: bool,
) -> Result<Option<SceneFacts>, DescribeError> {
    if let Some(facts) = facts_beside(scene)? {
        return Ok(Some(facts));
    }
    let folder = loaded.state_folder().scenes();
    // Where there is nobody to ask, the scene need not be read for its hash.
    if profile.describe.is_none() || (!leave && !folder.is_dir()) {
        return Ok(None);
    }
    let kept = kept_at(profile, scene, &folder);
    let answer = kept.as_ref().and_then(|path| read_text(path).ok());
    if let Some(facts) = answer.and_then(|text| read("kept", &text).ok()) {
        return Ok(Some(facts));
    }
    if !leave {
        return Ok(None);
    }
    let Some(answer) = ask(profile, scene, &loaded.folder)? else {
        return Ok(None);
    };
    let facts = read(&profile.program, &answer)?;
    if let Some(path) = kept {
        // What cannot be kept is asked again the next time.
        let disk = RealDisk;
        let _ = disk
            .create_folders(&folder)
            .and_then(|()| disk.write_whole(&path, answer.as_bytes()));
    }
    Ok(Some(facts))
}

/// Where the answer of an engine about a scene of this content is kept.
fn kept_at(profile: &Profile, scene: &Path, folder: &Path) -> Option<PathBuf> {
    let hash = hash_file(scene).ok()?;
    Some(folder.join(format!("{hash}-{}.json", profile.name)))
}

/// What a scene has: by the file beside it, else by its engine; `None` when neither says.
/// Starts a program.
///
/// # Errors
/// When something should answer and does not.
pub fn describe(
    profile: &Profile,
    scene: &Path,
    folder: &Path,
    may_ask: bool,
) -> Result<Option<SceneFacts>, DescribeError> {
    if let Some(facts) = facts_beside(scene)? {
        return Ok(Some(facts));
    }
    if !may_ask {
        return Ok(None);
    }
    match ask(profile, scene, folder)? {
        Some(answer) => read(&profile.program, &answer).map(Some),
        None => Ok(None),
    }
}

/// What the engine prints about a scene; `None` when it cannot be asked.
fn ask(profile: &Profile, scene: &Path, folder: &Path) -> Result<Option<String>, DescribeError> {
    let Some(ask) = &profile.describe else {
        return Ok(None);
    };
    let program = if profile.program == Profile::THIS_PROGRAM {
        std::env::current_exe().ok()
    } else {
        find_program(&profile.program, folder)
    };
    let program = program.ok_or_else(|| DescribeError::NoProgram(profile.program.clone()))?;
    let no_answer = |reason: String| DescribeError::NoAnswer {
        program: program.display().to_string(),
        scene: scene.display().to_string(),
        reason,
    };
    let text = |path: &Path| TokenValue::Text(path.display().to_string());
    let value = |name: &str| match name {
        "scene.file" => text(scene),
        "scene.folder" => scene.parent().map_or(TokenValue::Nothing, text),
        _ => TokenValue::Unknown,
    };
    let mut arguments = Vec::new();
    for template in ask {
        let argument = fill(template, &value).map_err(|error| no_answer(error.to_string()))?;
        arguments.extend(argument);
    }
    let output = output_of(Command::new(&program).args(&arguments))
        .map_err(|error| no_answer(error.to_string()))?;
    if !output.status.success() {
        let printed = String::from_utf8_lossy(&output.stderr);
        let mut lines = printed.lines().filter(|line| !line.trim().is_empty());
        return Err(no_answer(
            lines.next().unwrap_or("it says nothing").to_owned(),
        ));
    }
    Ok(Some(String::from_utf8_lossy(&output.stdout).into_owned()))
}

fn read(from: &str, text: &str) -> Result<SceneFacts, DescribeError> {
    let answer: Described =
        serde_json::from_str(text).map_err(|error| DescribeError::Unreadable {
            from: from.to_owned(),
            reason: error.to_string(),
        })?;
    Ok(SceneFacts {
        frames: answer.frames,
        size: answer.size,
        fps: answer.fps.and_then(|fps| fps.to_string().parse().ok()),
        cameras: answer.cameras,
        camera: answer.camera,
        passes: answer.passes,
        settings: answer.settings,
        files: answer.files,
    })
}

/// Finds out the frames of scenes whose shots say none: by earlier answers, and with `ask` by
/// starting their engines. Gives whether any became known.
pub fn frames_of_scenes(loaded: &mut Loaded, expansion: &Expansion, ask: bool) -> bool {
    let mut found = HashMap::new();
    for (profile, scene) in &expansion.without_frames {
        let answer = describe_kept(profile, Path::new(scene), loaded, ask);
        let frames = answer.ok().flatten().and_then(|facts| facts.frames);
        if let Some(frames) = frames.and_then(|text| text.parse::<FrameSet>().ok()) {
            found.insert(scene.clone(), frames);
        }
    }
    let is_news = !found.is_empty();
    loaded.surroundings.scene_frames.extend(found);
    is_news
}
