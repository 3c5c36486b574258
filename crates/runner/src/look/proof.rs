//! Proves a movie: a program decodes all of it, and what it found is compared with the job.

use std::path::Path;
use std::process::{Command, Stdio};

use regex::Regex;
use truepath_core::command::fill;
use truepath_core::deliverable::{Deliverable, Movie};
use truepath_core::profile::{MovieProof, Profile};
use truepath_core::template::TokenValue;
use truepath_media::Flaw;
#[cfg(feature = "movies")]
use truepath_media::MovieError;

use crate::look::program::program_of_engine;

/// Proves a movie; gives the program that did it, none where its encoder names no program for that.
///
/// # Errors
/// What is wrong with it.
pub(crate) fn prove(
    deliverable: &Deliverable,
    movie: &Path,
    folder: &Path,
) -> Result<Option<String>, Flaw> {
    if std::fs::metadata(movie)?.len() == 0 {
        return Err(Flaw::Empty);
    }
    let Some(proof) = &deliverable.common.engine.proof else {
        return prove_here(deliverable, movie);
    };
    let this_program = std::env::current_exe().unwrap_or_default();
    let Some(program) = program_of_engine(&proof.program, &this_program, folder) else {
        return Err(Flaw::Unverifiable(format!(
            "`{}`, which proves it, is not on this machine",
            proof.program
        )));
    };
    let found = match ask(proof, &program, movie) {
        Ok(text) => against(&proof.find, deliverable, &text),
        Err(reason) if proof.program == Profile::THIS_PROGRAM => Some(reason),
        Err(reason) => Some(format!("{} found: {reason}", proof.program)),
    };
    match found {
        Some(reason) => Err(Flaw::Movie(reason)),
        None => Ok(Some(proof.program.clone())),
    }
}

/// Proves a movie without another program, where its engine names none.
#[cfg(feature = "movies")]
fn prove_here(deliverable: &Deliverable, movie: &Path) -> Result<Option<String>, Flaw> {
    let facts = match truepath_media::examine_movie(movie) {
        Ok(facts) => facts,
        Err(MovieError::Unverifiable(reason)) => return Err(Flaw::Unverifiable(reason)),
        Err(error) => return Err(Flaw::Movie(error.to_string())),
    };
    let found = format!(
        "frames {}\nwidth {}\nheight {}",
        facts.frames, facts.size.width, facts.size.height
    );
    let patterns = [
        r"^frames (?P<frames>\d+)$",
        r"^width (?P<width>\d+)$",
        r"^height (?P<height>\d+)$",
    ];
    let patterns = patterns.map(str::to_owned);
    match against(&patterns, deliverable, &found) {
        Some(reason) => Err(Flaw::Movie(reason)),
        None => Ok(Some(Profile::THIS_PROGRAM.to_owned())),
    }
}

#[cfg(not(feature = "movies"))]
fn prove_here(_: &Deliverable, _: &Path) -> Result<Option<String>, Flaw> {
    let reason =
        "its engine names no program that proves it, and this one was built without movies";
    Err(Flaw::Unverifiable(reason.to_owned()))
}

fn ask(proof: &MovieProof, program: &Path, movie: &Path) -> Result<String, String> {
    let path = movie.display().to_string();
    let value = |name: &str| match name {
        "target" => TokenValue::Text(path.clone()),
        _ => TokenValue::Unknown,
    };
    let mut arguments = Vec::new();
    for template in &proof.arguments {
        arguments.extend(fill(template, &value).map_err(|error| error.to_string())?);
    }
    let output = Command::new(program)
        .args(&arguments)
        .stdin(Stdio::null())
        .output()
        .map_err(|error| error.to_string())?;
    let printed = [&output.stdout[..], b"\n", &output.stderr].concat();
    let printed = String::from_utf8_lossy(&printed).into_owned();
    if output.status.success() {
        return Ok(printed);
    }
    let errors = String::from_utf8_lossy(&output.stderr);
    Err(errors
        .lines()
        .last()
        .unwrap_or("an error")
        .trim()
        .to_owned())
}

/// Compares what was found with what is wanted.
fn against(patterns: &[String], deliverable: &Deliverable, printed: &str) -> Option<String> {
    let size = deliverable.picture.file_size();
    let slate = deliverable.movie().map_or(0, Movie::slate_frames);
    let wanted = [
        (
            "frames",
            Some(deliverable.common.frames.shot.count() + slate),
            "frames",
        ),
        (
            "width",
            size.map(|size| size.width.into()),
            "pixels in a row",
        ),
        (
            "height",
            size.map(|size| size.height.into()),
            "rows of pixels",
        ),
    ];
    for find in patterns {
        let Ok(pattern) = Regex::new(find) else {
            return Some(format!("its pattern {find:?} cannot be read"));
        };
        for found in printed.lines().filter_map(|line| pattern.captures(line)) {
            if let Some(error) = found.name("error") {
                return Some(error.as_str().to_owned());
            }
            for (group, wanted, what) in wanted {
                let Some(number) = found.name(group) else {
                    continue;
                };
                let is = number.as_str().parse::<u64>().ok();
                if let Some(wanted) = wanted.filter(|wanted| is != Some(*wanted)) {
                    return Some(format!("it has {} {what}, not {wanted}", number.as_str()));
                }
            }
        }
    }
    None
}
