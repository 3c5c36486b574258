//! `truepath paths`: every path that will be written.

use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use truepath_core::deliverable::{Deliverable, DeliverableKind, Movie, Picture, Sound};
use truepath_core::job::PlacedText;
use truepath_core::listing::list;
use truepath_core::picture::PixelValues;
use truepath_core::template::TokenValue;

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE, FOUND};
use crate::findings::{findings, has_errors};
use crate::job_arguments::{Chosen, ForSystem, NamedJob};
use crate::shapes::VERSION;
use crate::shapes::paths::{Paths, PathsEntry};
use crate::show::finding::print_all;
use crate::show::{FAINT, TITLE, files};

/// Show every path that will be written
///
/// Each deliverable is shown once: its picture, its template with the values of the tokens, its
/// frames, its first and last path.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath paths\n  truepath paths --shot dawn --pass depth\n  truepath paths --all --frames 1-10 | head"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    #[command(flatten)]
    elsewhere: ForSystem,
    /// Every path, one a line, for pipes
    #[arg(long)]
    all: bool,
    /// How the deliverables are printed
    #[arg(long, value_enum, default_value = "text", conflicts_with = "all")]
    format: OutputFormat,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let chosen = arguments.job.job().load_for(arguments.elsewhere.system)?;
    let deliverables = &chosen.chosen.deliverables;
    if arguments.all {
        let mut out = io::stdout().lock();
        for one in deliverables {
            let pattern = arguments.elsewhere.pattern(&one.pattern);
            list(&pattern, &one.common.frames.selected, &mut |batch| {
                out.write_all(batch)
            })?;
        }
        out.flush()?;
    } else if arguments.format == OutputFormat::Json {
        let entry =
            |one| PathsEntry::of(one, values(one), &|path| arguments.elsewhere.written(path));
        print_json(&Paths {
            version: VERSION,
            deliverables: deliverables.iter().map(entry).collect(),
        })?;
    } else {
        let mut out = crate::show::out();
        for one in deliverables {
            print(&mut out, one, &arguments.elsewhere)?;
        }
        let total = deliverables
            .iter()
            .map(|one| one.common.frames.selected.count())
            .sum();
        writeln!(out, "{TITLE}{}{TITLE:#} in {}", files(total), chosen.name)?;
        out.flush()?;
    }
    let code = report_unexpanded(&chosen);
    // All of a large job goes with the process; to take it apart takes time.
    std::mem::forget(chosen);
    code
}

/// What could not be expanded is reported, so that no list looks whole that is not.
pub(super) fn report_unexpanded(chosen: &Chosen) -> Result<ExitCode, CommandError> {
    if chosen.chosen.problems.is_empty() {
        return Ok(ExitCode::from(DONE));
    }
    let findings = findings(chosen);
    print_all(
        &mut anstream::stderr(),
        &chosen.loaded.job.sources,
        &findings,
        false,
    );
    Ok(ExitCode::from(if has_errors(&findings) {
        FOUND
    } else {
        DONE
    }))
}

fn print(out: &mut impl Write, one: &Deliverable, elsewhere: &ForSystem) -> io::Result<()> {
    let frames = &one.common.frames.selected;
    let label = one.label();
    let room = 72_usize.saturating_sub(label.chars().count());
    writeln!(
        out,
        "{TITLE}{label}{TITLE:#}{:>room$}",
        files(frames.count())
    )?;
    let row = |out: &mut dyn Write, name: &str, value: &str| {
        writeln!(out, "  {FAINT}{name:<9}{FAINT:#}{value}")
    };
    match one.movie() {
        Some(movie) => row(out, "movie", &movie_line(one, movie))?,
        None => row(out, "picture", &picture_line(one))?,
    }
    row(out, "template", &one.template.template.to_string())?;
    let values = values(one);
    if !values.is_empty() {
        let values: Vec<String> = values
            .iter()
            .map(|(name, value)| format!("{name} {value}"))
            .collect();
        row(out, "values", &values.join(", "))?;
    }
    let shown = one.movie().map_or(frames, |_| &one.common.frames.shot);
    row(out, "frames", &shown.to_string())?;
    if let (Some(first), Some(last)) = (frames.first(), frames.last()) {
        let name = match one.kind {
            DeliverableKind::Sequence => "first",
            DeliverableKind::Still | DeliverableKind::Movie(_) => "file",
        };
        row(out, name, &elsewhere.written(&one.path(first)))?;
        if last != first && one.pattern.has_frame() {
            row(out, "last", &elsewhere.written(&one.path(last)))?;
        }
    }
    writeln!(out)
}

/// The tokens of the template with their values, each once; the frame has none of its own, and
/// folders are seen in the paths.
fn values(one: &Deliverable) -> Vec<(String, String)> {
    let mut values: Vec<(String, String)> = Vec::new();
    for (token, _) in one.template.template.tokens() {
        let value = match one.token(&token.name) {
            TokenValue::Text(text) => text,
            TokenValue::Number(number) => number.to_string(),
            TokenValue::Date(date) => date.to_string(),
            TokenValue::Nothing | TokenValue::Path(_) | TokenValue::Frame | TokenValue::Unknown => {
                continue;
            }
        };
        if !values.iter().any(|(name, _)| *name == token.name) {
            values.push((token.name.clone(), value));
        }
    }
    values
}

/// What the pictures are, and what shares a file.
fn picture_line(one: &Deliverable) -> String {
    let mut line = picture(&one.picture);
    if one.kind == DeliverableKind::Still {
        line.push_str(", still");
    }
    if let Some(pixels) = &one.picture.color.pixels {
        line.push_str(match pixels.value {
            PixelValues::Linear => ", linear",
            PixelValues::Display => ", for display",
            PixelValues::Data => ", data",
        });
    }
    if one.planes.len() > 1 {
        let layers: Vec<String> = one
            .planes
            .iter()
            .map(|plane| {
                let words = [&plane.view, &plane.pass];
                let words = words
                    .into_iter()
                    .filter_map(|word| PlacedText::text_of(word.as_ref()));
                words.collect::<Vec<_>>().join(" ")
            })
            .collect();
        line = format!("{line}, one file of {}", layers.join(" + "));
    }
    if let Some(source) = one.layer_sources.first() {
        let from = &source.deliverable.common.names.output;
        line = format!("{line}, from {from} without rendering");
    }
    line
}

/// What a movie is, in a line; what is left to the encoder is not shown.
fn movie_line(one: &Deliverable, movie: &Movie) -> String {
    let from = match (&movie.from, &one.pass) {
        (Some(from), Some(pass)) => format!("from {} {}", from.value, pass.text),
        (Some(from), None) => format!("from {}", from.value),
        (None, _) => "written by the engine".to_owned(),
    };
    let sounds = movie.sounds();
    let sound = (!sounds.is_empty()).then(|| {
        let codec = movie
            .audio_codec
            .as_ref()
            .map_or("", |codec| codec.value.name);
        let name = |sound: &Sound| {
            let name = sound.file.value.rsplit('/').next();
            name.unwrap_or_default().to_owned()
        };
        let names: Vec<String> = sounds.iter().map(name).collect();
        let names = names.join(" + ");
        format!("sound {names} {codec}").trim_end().to_owned()
    });
    let words = [
        Some(movie.container.name().to_owned()),
        movie
            .codec
            .as_ref()
            .map(|codec| codec.value.name.to_owned()),
        movie
            .pixels
            .as_ref()
            .map(|pixels| pixels.value.name.to_owned()),
        movie
            .quality
            .as_ref()
            .map(|quality| format!("quality {}", quality.value)),
        movie
            .rate
            .as_ref()
            .map(|rate| format!("{} kbit/s", rate.value / 1000)),
        one.picture.size.as_ref().map(|size| size.value.to_string()),
        one.common.fps.as_ref().map(|fps| format!("{fps} fps")),
        Some(from),
        sound,
    ];
    words.into_iter().flatten().collect::<Vec<_>>().join(", ")
}

/// What the pictures are, in a line; what is left to the engine is not shown.
fn picture(picture: &Picture) -> String {
    let words = picture
        .requirements()
        .into_iter()
        .map(|(name, value)| match name {
            "bits" if value.starts_with(|c: char| c.is_ascii_digit()) => format!("{value} bit"),
            "quality" => format!("quality {value}"),
            "crop" => format!("only {value}"),
            "pixel-aspect" => format!("pixels {value}"),
            _ => value,
        });
    words.collect::<Vec<_>>().join(", ")
}
