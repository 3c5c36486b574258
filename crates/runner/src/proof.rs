//! Proves a movie: a program decodes all of it, and what it found is compared with the job.

use std::path::Path;
use std::process::{Command, Stdio};

use regex::Regex;
use truepath_core::command::fill;
use truepath_core::deliverable::{Deliverable, Movie};
use truepath_core::profile::{MovieProof, Profile};
use truepath_core::template::TokenValue;
use truepath_media::Flaw;

use crate::program::program_of_engine;

/// What is wrong with a movie; none when it is proven, or its encoder names no program for that.
pub(crate) fn flaw(deliverable: &Deliverable, movie: &Path, folder: &Path) -> Option<Flaw> {
    match std::fs::metadata(movie) {
        Ok(meta) if meta.len() == 0 => return Some(Flaw::Empty),
        Ok(_) => {}
        Err(error) => return Some(error.into()),
    }
    let proof = deliverable.common.engine.proof.as_ref()?;
    let this_program = std::env::current_exe().unwrap_or_default();
    let Some(program) = program_of_engine(&proof.program, &this_program, folder) else {
        return Some(Flaw::Unverifiable(format!(
            "`{}`, which proves it, is not on this machine",
            proof.program
        )));
    };
    match ask(proof, &program, movie) {
        Ok(text) => against(proof, deliverable, &text).map(Flaw::Movie),
        Err(reason) if proof.program == Profile::THIS_PROGRAM => Some(Flaw::Movie(reason)),
        Err(reason) => Some(Flaw::Movie(format!("{} found: {reason}", proof.program))),
    }
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
fn against(proof: &MovieProof, deliverable: &Deliverable, printed: &str) -> Option<String> {
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
    for find in &proof.find {
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
