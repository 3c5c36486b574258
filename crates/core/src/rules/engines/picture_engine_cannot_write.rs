//! A picture that the engine has no word for.

use crate::command::map_row;
use crate::deliverable::Movie;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject, one_of};

/// TP505 `picture-engine-cannot-write`.
pub(super) const RULE: Rule = Rule {
    code: "TP505",
    name: "picture-engine-cannot-write",
    severity: Severity::Error,
    what: "The engine cannot write the format, bits or channels that are asked for.",
    why: "It would write something else.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.tif"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Ask for something that the engine writes.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let missing = |one: &crate::deliverable::Deliverable| {
        one.common.engine.maps.iter().find_map(|table| {
            match map_row(&one.common.engine, one, &table.name) {
                Some((asked, None)) if !asked.is_empty() => Some((table.name.clone(), asked)),
                _ => None,
            }
        })
    };
    subject
        .once(|one| {
            // What the format itself cannot hold is reported by other rules.
            let picture = &one.picture;
            let sound = picture
                .bits
                .as_ref()
                .is_none_or(|bits| picture.format.bits.contains(&bits.value))
                && picture
                    .channels
                    .as_ref()
                    .is_none_or(|one| picture.format.channels.contains(&one.value))
                && picture
                    .compression
                    .as_ref()
                    .is_none_or(|one| picture.format.compressions.contains(&one.value.as_str()))
                && one.movie().is_none_or(is_sound);
            let asked = missing(one).filter(|_| sound)?;
            Some((one.common.engine.name.clone(), asked))
        })
        .into_iter()
        .map(|(one, (_, (table, asked)), files)| {
            let engine = &one.common.engine;
            let rows: Vec<&str> = engine
                .maps
                .iter()
                .filter(|words| words.name == table)
                .flat_map(|words| words.rows.iter().map(|(row, _)| row.as_str()))
                .collect();
            let picture = &one.picture;
            // The key at fault: the last of those that choose the row and that the job sets.
            let keys = engine.maps.iter().filter(|words| words.name == table);
            let of_key = |key: &String| match key.as_str() {
                "channels" => picture.channels.as_ref().map(|one| &one.place),
                "bits" => picture.bits.as_ref().map(|one| &one.place),
                "compression" => picture.compression.as_ref().map(|one| &one.place),
                "quality" => picture.quality.as_ref().map(|one| &one.place),
                "format" => picture.format_place.as_ref(),
                "pixels" => one
                    .movie()
                    .and_then(|movie| Some(&movie.pixels.as_ref()?.place)),
                "codec" => one
                    .movie()
                    .and_then(|movie| Some(&movie.codec.as_ref()?.place)),
                _ => None,
            };
            let place = keys
                .flat_map(|words| words.by.iter().rev())
                .find_map(of_key)
                .unwrap_or(&one.template.place);
            rule.finding(format!("{} cannot write `{asked}`", engine.name))
                .at(place, "")
                .so(format!(
                    "{} would be something else",
                    count(files, "file", "files")
                ))
                .advise(format!("it writes {}", one_of(rows)))
        })
        .collect()
}

/// Whether the codec itself can do what is asked of it, and fits the container.
fn is_sound(movie: &Movie) -> bool {
    let Some(codec) = movie.codec.as_ref().map(|codec| codec.value) else {
        return true;
    };
    let holds = |pixels: &str| codec.pixel_formats.contains(&pixels);
    let offers = |quality: &str| codec.qualities.contains(&quality);
    movie.container.codecs.contains(&codec.name)
        && movie
            .pixels
            .as_ref()
            .is_none_or(|pixels| holds(pixels.value.name))
        && movie
            .quality
            .as_ref()
            .is_none_or(|quality| offers(&quality.value))
}
