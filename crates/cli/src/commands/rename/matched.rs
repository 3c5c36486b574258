//! Which files are meant, and which names they are to have.

use std::fs;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Deliverable;
use truepath_core::renaming::{NameReader, Rename};
use truepath_core::template::{ExpandError, Template, TemplateError, TokenValue, Values, expand};

use super::{Arguments, text_of};
use crate::error::CommandError;

/// Files with the names that they are to have.
pub(super) struct Matched {
    pub(super) renames: Vec<Rename>,
    /// Files that fit and are left, by their names, and why.
    pub(super) left: Vec<(String, String)>,
    /// The current folder.
    pub(super) here: String,
}

/// Where the files of a template may lie: the folder of its parts without tokens, and how many levels below it.
struct Ground {
    folder: PathBuf,
    levels: usize,
}

pub(super) fn matched(arguments: &Arguments) -> Result<Matched, CommandError> {
    let here = std::env::current_dir().map_err(CommandError::outside("the current folder"))?;
    let from = arguments.from.as_deref().unwrap_or_default();
    let known = known_values(arguments)?;
    let reader = NameReader::new(from, &known).map_err(|error| of_template(from, &error))?;
    let namer = match &arguments.to {
        Some(to) => Namer::Template(
            to.clone(),
            to.parse().map_err(|error| of_template(to, &error))?,
        ),
        None => {
            let chosen = arguments.job.clone().load_latest()?;
            Namer::Job(chosen.chosen.deliverables)
        }
    };
    let mut matched = Matched {
        renames: Vec::new(),
        left: Vec::new(),
        here: text_of(&here),
    };
    let ground = ground(from);
    let mut names = Vec::new();
    collect(&ground.folder, ground.levels, &mut names)?;
    names.sort();
    for name in names {
        let values = match reader.read(&name) {
            Ok(None) => continue,
            Ok(Some(values)) => values,
            Err(unclear) => {
                let ways = unclear.readings.iter().map(sketch).collect::<Vec<_>>();
                let why = format!(
                    "it can be read as {}; --set makes it clear",
                    ways.join(" or as ")
                );
                matched.left.push((name, why));
                continue;
            }
        };
        match namer.name(&values, &known, arguments.shift) {
            Ok(to) => {
                let absolute = |path: &str| {
                    let path = here.join(path);
                    text_of(&path.components().collect::<PathBuf>())
                };
                matched.renames.push(Rename {
                    from: absolute(&name),
                    to: absolute(&to),
                });
            }
            Err(why) => matched.left.push((name, why)),
        }
    }
    if matched.renames.is_empty() && matched.left.is_empty() {
        return Err(CommandError::Usage(format!(
            "no file fits {from} in {}",
            ground.folder.display()
        )));
    }
    Ok(matched)
}

/// The values that --set gives to tokens.
fn known_values(arguments: &Arguments) -> Result<Vec<(String, String)>, CommandError> {
    if arguments.to_job {
        return Ok(Vec::new());
    }
    let pair = |text: &String| {
        let (token, value) = text.split_once('=').ok_or_else(|| {
            CommandError::Usage(format!(
                "--set takes TOKEN=VALUE such as shot=dawn, not `{text}`"
            ))
        })?;
        Ok((token.to_owned(), value.to_owned()))
    };
    arguments.job.set_values().iter().map(pair).collect()
}

fn of_template(text: &str, error: &TemplateError) -> CommandError {
    let spot = &text[error.span.clone()];
    CommandError::Usage(format!("{error}, at `{spot}`: {}", error.advice))
}

fn sketch(values: &Values) -> String {
    let pairs = values
        .iter()
        .map(|(token, value)| format!("{token} {value}"));
    pairs.collect::<Vec<_>>().join(", ")
}

fn ground(template: &str) -> Ground {
    let parts: Vec<&str> = template.split('/').collect();
    let fixed = parts
        .iter()
        .take(parts.len() - 1)
        .take_while(|part| !part.contains('{'))
        .count();
    let folder = match &parts[..fixed] {
        [] => PathBuf::from("."),
        [""] => PathBuf::from("/"),
        fixed => PathBuf::from(fixed.join("/")),
    };
    Ground {
        folder,
        levels: parts.len() - fixed,
    }
}

/// Files so many levels below a folder, as the template writes their paths. Names that are not Unicode are no
/// template's.
fn collect(folder: &Path, levels: usize, names: &mut Vec<String>) -> Result<(), CommandError> {
    let entries = fs::read_dir(folder).map_err(CommandError::outside(text_of(folder)))?;
    for entry in entries {
        let entry = entry.map_err(CommandError::outside(text_of(folder)))?;
        let kind = entry
            .file_type()
            .map_err(CommandError::outside(text_of(folder)))?;
        let path = entry.path();
        if kind.is_dir() {
            let is_hidden = entry.file_name().as_encoded_bytes().starts_with(b".");
            if levels > 1 && !is_hidden {
                collect(&path, levels - 1, names)?;
            }
        } else if levels == 1
            && let Some(path) = path.to_str()
        {
            names.push(path.strip_prefix("./").unwrap_or(path).to_owned());
        }
    }
    Ok(())
}

/// What gives the new names.
enum Namer {
    Template(String, Template),
    Job(Vec<Deliverable>),
}

impl Namer {
    /// The new name of a file with these values; the error is why it has none.
    fn name(
        &self,
        values: &Values,
        known: &[(String, String)],
        shift: i64,
    ) -> Result<String, String> {
        let value = |token: &str| {
            let of = |all: &[(String, String)]| {
                all.iter()
                    .find(|(name, _)| name == token)
                    .map(|(_, value)| value.clone())
            };
            of(values).or_else(|| of(known))
        };
        let frame = match value("frame").map(|text| text.parse::<i64>()) {
            None => None,
            Some(Ok(frame)) => Some(
                frame
                    .checked_add(shift)
                    .ok_or("its frame would be too large")?,
            ),
            Some(Err(_)) => return Err("its frame is too large".to_owned()),
        };
        match self {
            Self::Template(text, template) => {
                let token = |token: &str| match (token, value(token)) {
                    ("frame", Some(_)) => TokenValue::Frame,
                    (_, None) => TokenValue::Nothing,
                    (_, Some(value)) => match value.parse::<i64>() {
                        Ok(number) => TokenValue::Number(number),
                        Err(_) => TokenValue::Text(value),
                    },
                };
                let pattern = expand(template, &token).map_err(|errors| {
                    let first = errors.first().map(ExpandError::to_string);
                    format!(
                        "{}: {text} needs it, and --set can give it",
                        first.unwrap_or_default()
                    )
                })?;
                Ok(pattern.path(frame.unwrap_or(0)))
            }
            Self::Job(deliverables) => {
                let fits = |one: &&Deliverable| {
                    values
                        .iter()
                        .filter(|(token, _)| token != "frame")
                        .all(|(token, value)| match one.token(token) {
                            TokenValue::Text(text) | TokenValue::Path(text) => text == *value,
                            TokenValue::Number(number) => value.parse() == Ok(number),
                            _ => true,
                        })
                        && one.movie().is_none()
                };
                let mut fitting = deliverables.iter().filter(fits);
                let one = fitting.next().ok_or("no output of the job is like it")?;
                if let Some(other) = fitting.next() {
                    return Err(format!(
                        "it may be of {} or of {}: name the pass, camera … in the template, or choose with --shot, --output …",
                        one.label(),
                        other.label()
                    ));
                }
                let wanted = &one.common.frames.files.value;
                let frame = match frame {
                    Some(frame) => frame,
                    None => wanted.first().unwrap_or(0),
                };
                if !wanted.contains(frame) {
                    return Err(format!("{} has no frame {frame}", one.label()));
                }
                Ok(one.path(frame))
            }
        }
    }
}
