//! Writes the job that gives the command lines back: in the short form where the lines are all
//! combinations of frames, cameras and passes, else with a shot for each kind of line.

use super::found::AdoptedLines;
use super::group::{LineGroup, common_output, groups, is_product, name_settings};
use super::guess;
use super::output::AdoptedOutput;
use super::shots::{by_shot, shot_names};
use super::{AdoptError, Adoption, Meaning, Script, ValueMeaning};
use crate::at_least_one::AtLeastOne;
use crate::picture::format_of_extension;
use crate::profile::{Makes, Profile};
use crate::template::{Part, Template};

/// Writes the job.
pub(super) fn write(
    program: &str,
    columns: &[Vec<&str>],
    mut words: Vec<Meaning>,
    script: &Script,
    profile: Option<&Profile>,
) -> Result<Adoption, AdoptError> {
    name_settings(columns, &mut words)?;
    if let Some(error) = unclear_name(&words) {
        return Err(error);
    }
    let found = AdoptedLines {
        columns,
        words: &words,
        count: columns.first().map_or(1, Vec::len),
    };
    let is_written = [
        ValueMeaning::Output,
        ValueMeaning::OutputFolder,
        ValueMeaning::OutputName,
    ];
    if !is_written
        .iter()
        .any(|means| found.column(*means).is_some())
    {
        return Err(AdoptError::NoOutput { words });
    }
    let mut remarks = Vec::new();
    if found.column(ValueMeaning::Scene).is_none() {
        remarks.push(
            "no scene was recognised: a file that is there, or a name behind a flag such as --scene"
                .to_owned(),
        );
    }
    let has_backslash = |column: &Vec<&str>| column.iter().any(|word| word.contains('\\'));
    if columns.iter().any(has_backslash) {
        remarks.push(
            "the line has paths of Windows: on other systems write / instead of \\ in `path` and `scene`, and a place for a drive"
                .to_owned(),
        );
    }
    for line in &script.afterwards {
        remarks.push(format!(
            "`{line}` is no part of the job; do it at the end of a run: --then {}",
            crate::quote::posix(line)
        ));
    }
    if found.frames(&[0]).is_none() {
        remarks.push("no frames were recognised, so it is a single picture".to_owned());
    }
    let all: Vec<usize> = (0..found.count).collect();
    if let (Some(part), Some(clip)) = (found.frames(&all), found.shot(&all))
        && part != clip
    {
        remarks.push(format!(
            "these are frames {part} of the clip {clip}: the job has the clip, and `run --frames {part}` renders this part"
        ));
    }
    if let Some(profile) = profile {
        remarks.extend(about_profile(profile, &words));
    }
    let groups = groups(&found).ok_or(AdoptError::Nothing)?;
    let job = if is_product(&found, &groups) {
        short(program, &found, &groups, script)
    } else {
        long(program, &found, &groups, script)
    };
    Ok(Adoption {
        program: program.to_owned(),
        job,
        profile: profile.map(|profile| profile.name.clone()),
        remarks,
        words,
    })
}

/// The name of what is written without its folder, or a whole path that is called a name.
fn unclear_name(words: &[Meaning]) -> Option<AdoptError> {
    let has = |means: ValueMeaning| words.iter().any(|word| word.means == means);
    let mut named = (2..).zip(words);
    let (number, word) = named.find(|(_, word)| word.means == ValueMeaning::OutputName)?;
    let value = word.text.get(word.before.len()..).unwrap_or_default();
    let extension = value.rsplit_once('.').map_or("", |(_, end)| end);
    let advice = if value.contains('/') || format_of_extension(extension).is_some() {
        "a whole path is the output: --meaning={word}=output"
    } else if has(ValueMeaning::Output) || has(ValueMeaning::OutputFolder) {
        return None;
    } else {
        "say which word is the folder that it is written to, such as --meaning=--dest=output-folder"
    };
    Some(AdoptError::UnclearName {
        word: number,
        text: value.to_owned(),
        advice: advice.replace("{word}", &number.to_string()),
        words: words.to_vec(),
    })
}

/// What there is to say about the profile of the program: whether its arguments explain the line.
fn about_profile(profile: &Profile, words: &[Meaning]) -> Option<String> {
    if profile.makes != Makes::Pictures {
        return None;
    }
    let name = &profile.name;
    let unexplained: Vec<&str> = words
        .iter()
        .filter(|word| word.means == ValueMeaning::Itself)
        .map(|word| word.text.as_str())
        .filter(|text| !is_argument(profile, text))
        .collect();
    let by_profile = |word: &&Meaning| guess::by_profile(profile, &word.text).is_some();
    let explained = words.iter().filter(by_profile).count();
    match unexplained[..] {
        [] => Some(format!(
            "there is a profile, \"{name}\", which explains every word of the line. You can write engine = \"{name}\" in place of the run line"
        )),
        // A profile that explains nothing is for something else.
        _ if explained == 0 => None,
        _ => Some(format!(
            "there is a profile for it, engine = \"{name}\", which does not know {}; so the line is kept",
            unexplained.join(" ")
        )),
    }
}

/// Whether a word is an argument of a profile as it stands.
fn is_argument(profile: &Profile, text: &str) -> bool {
    let templates = profile.arguments.iter().flat_map(|one| &one.put);
    let is_text =
        |template: &Template| matches!(template.parts(), [Part::Text(known)] if known == text);
    let in_map = profile.maps.iter().flat_map(|map| &map.rows);
    templates.clone().any(is_text) || in_map.into_iter().any(|(_, word)| word == text)
}

/// A basic string of TOML.
fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

fn escaped(text: &str) -> String {
    text.replace('{', "{{").replace('}', "}}")
}

const HEAD: &str = "# Made of command lines that were in use. `truepath check` looks at it, `truepath commands`\n# shows the lines that it makes, `truepath run` renders.\n\n";

/// A path that is not below the job starts from a place of its own: the line for the place, and the path.
fn placed(path: &str) -> (Option<String>, String) {
    match path.rsplit_once('/') {
        Some((folder, name)) if path.starts_with('/') => {
            // A place holds no tokens.
            let fixed = folder.find('{').map_or(folder, |at| {
                folder[..at]
                    .rsplit_once('/')
                    .map_or("/", |(above, _)| above)
            });
            let rest = &folder[fixed.len()..];
            (
                Some(format!(
                    "output = {}",
                    quoted(if fixed.is_empty() { "/" } else { fixed })
                )),
                format!("{{place.output}}{rest}/{name}"),
            )
        }
        _ => (None, path.to_owned()),
    }
}

/// Keys that all lines share: size and threads.
fn shared_keys(
    found: &AdoptedLines<'_>,
    line: usize,
    skip: &dyn Fn(ValueMeaning) -> bool,
) -> String {
    let mut text = String::new();
    let pair = found
        .of(ValueMeaning::Width, line)
        .zip(found.of(ValueMeaning::Height, line));
    let size = found.of(ValueMeaning::Size, line).map(str::to_owned);
    if let Some(size) = size.or(pair.map(|(width, height)| format!("{width}x{height}")))
        && !skip(ValueMeaning::Size)
    {
        text.push_str(&format!("size   = \"{size}\"\n"));
    }
    if let Some(threads) = found.number(ValueMeaning::Threads, line)
        && !skip(ValueMeaning::Threads)
    {
        text.push_str(&format!("threads = {threads}\n"));
    }
    text
}

fn env(script: &Script) -> String {
    if script.env.is_empty() {
        return String::new();
    }
    let variables = script.env.iter();
    let variables: Vec<String> = variables
        .map(|(name, value)| format!("{name} = {}", quoted(value)))
        .collect();
    format!("env    = {{ {} }}\n", variables.join(", "))
}

/// The run line.
fn run_line(program: &str, found: &AdoptedLines<'_>, output: &AdoptedOutput) -> String {
    let mut text = format!("run    = [\n  {},\n", quoted(&escaped(program)));
    for (column, word) in found.words.iter().enumerate() {
        let value = token(word, found.value(column, 0), output);
        let argument = match value {
            Some(value) => format!("{}{value}", escaped(&word.before)),
            None => escaped(&word.text),
        };
        text.push_str(&format!("  {},\n", quoted(&argument)));
    }
    text + "]\n"
}

/// The job in the short form.
fn short(
    program: &str,
    found: &AdoptedLines<'_>,
    groups: &AtLeastOne<LineGroup>,
    script: &Script,
) -> String {
    let all: Vec<usize> = (0..found.count).collect();
    let frames = found.shot(&all);
    let output = common_output(found, groups).unwrap_or_else(|| groups.first().output.clone());
    let (place, path) = placed(&output.path.template());
    let mut job = String::from(HEAD);
    let scene = found.of(ValueMeaning::Scene, 0);
    let scene = scene.map(|scene| format!("scene  = {}\n", quoted(&escaped(scene))));
    let scene = scene.unwrap_or_default();
    let place = place.map(|place| format!("place  = {{ {place} }}\n"));
    let place = place.unwrap_or_default();
    match &frames {
        Some(frames) => job.push_str(&format!("{scene}frames = \"{frames}\"\n{place}")),
        None => job.push_str(&format!(
            "{place}[shot.picture]\n{scene}\n[output.picture]\nstill  = 1\n"
        )),
    }
    let listed = |values: &[&str]| {
        let values: Vec<String> = values.iter().map(|value| quoted(value)).collect();
        values.join(", ")
    };
    match &found.distinct(ValueMeaning::Camera)[..] {
        [] => {}
        [one] => job.push_str(&format!("camera = {}\n", quoted(one))),
        several => job.push_str(&format!("cameras = [{}]\n", listed(several))),
    }
    let passes = found.distinct(ValueMeaning::Pass);
    if !passes.is_empty() {
        job.push_str(&format!("passes = [{}]\n", listed(&passes)));
    }
    job.push_str(&shared_keys(found, 0, &|_| false));
    job.push_str(&env(script));
    job.push_str(&format!("path   = {}\n", quoted(&path)));
    job.push_str(&run_line(program, found, &output));
    job
}

/// The job with a shot for each kind of line.
fn long(
    program: &str,
    found: &AdoptedLines<'_>,
    groups: &AtLeastOne<LineGroup>,
    script: &Script,
) -> String {
    let (output, names) = match common_output(found, groups) {
        Some(output) => (output, shot_names(found, groups)),
        None => by_shot(found, groups),
    };
    let (place, path) = placed(&output.path.template());
    let varies = |means: ValueMeaning| match means {
        ValueMeaning::Size => [
            ValueMeaning::Size,
            ValueMeaning::Width,
            ValueMeaning::Height,
        ]
        .iter()
        .any(|one| found.column(*one).is_some_and(|at| found.varies(at))),
        means => found.column(means).is_some_and(|at| found.varies(at)),
    };
    let mut job = format!("{HEAD}[project]\n");
    job.push_str(&shared_keys(found, 0, &varies));
    job.push_str(&env(script));
    job.push_str(&run_line(program, found, &output));
    if let Some(place) = place {
        job.push_str(&format!("\n[place]\n{place}\n"));
    }
    for (group, name) in groups.iter().zip(&names) {
        let line = *group.lines.first();
        job.push_str(&format!("\n[shot.{}]\n", quoted(name)));
        if let Some(scene) = found.of(ValueMeaning::Scene, line) {
            job.push_str(&format!("scene  = {}\n", quoted(&escaped(scene))));
        }
        match found.shot(&group.lines) {
            Some(frames) => job.push_str(&format!("frames = \"{frames}\"\n")),
            None => job.push_str("frames = \"1\"\n"),
        }
        if let Some(camera) = found.of(ValueMeaning::Camera, line) {
            job.push_str(&format!("camera = {}\n", quoted(camera)));
        }
        if let Some(pass) = found.of(ValueMeaning::Pass, line) {
            job.push_str(&format!("passes = [{}]\n", quoted(pass)));
        }
        job.push_str(&shared_keys(found, line, &|means| !varies(means)));
        let settings: Vec<String> = group
            .values
            .iter()
            .filter(|(column, _)| found.words[*column].means == ValueMeaning::Setting)
            .map(|(column, value)| {
                format!(
                    "{} = {}",
                    quoted(&found.words[*column].setting),
                    quoted(value)
                )
            })
            .collect();
        if !settings.is_empty() {
            job.push_str(&format!("settings = {{ {} }}\n", settings.join(", ")));
        }
    }
    job.push_str(&format!("\n[output.frames]\npath   = {}\n", quoted(&path)));
    if found.frames(&[0]).is_none() {
        job.push_str("still  = 1\n");
    }
    job
}

/// The token that stands for a word.
fn token(word: &Meaning, value: &str, output: &AdoptedOutput) -> Option<String> {
    // Digits with zeros before them have a width.
    let number = |token: &str, value: &str| {
        let is_padded = value.len() > 1 && value.starts_with('0');
        if is_padded && value.chars().all(|c| c.is_ascii_digit()) {
            format!("{{{token}:{:02}}}", value.len())
        } else {
            format!("{{{token}}}")
        }
    };
    Some(match word.means {
        ValueMeaning::Itself | ValueMeaning::OutputName | ValueMeaning::OutputType => return None,
        ValueMeaning::Output | ValueMeaning::OutputFolder => output.target.template(),
        ValueMeaning::Setting => format!("{{settings.{}}}", word.setting),
        ValueMeaning::Scene => "{scene.file}".to_owned(),
        ValueMeaning::Frame => number("frame", value),
        ValueMeaning::First => number("first", value),
        ValueMeaning::Last => number("last", value),
        ValueMeaning::ClipFirst => number("clip.first", value),
        ValueMeaning::ClipLast => number("clip.last", value),
        ValueMeaning::Range => {
            let (first, last) = value.split_once(word.between)?;
            let (first, last) = (number("first", first), number("last", last));
            format!("{first}{}{last}", word.between)
        }
        ValueMeaning::Step => "{step}".to_owned(),
        ValueMeaning::Width => "{width}".to_owned(),
        ValueMeaning::Height => "{height}".to_owned(),
        ValueMeaning::Size => "{width}x{height}".to_owned(),
        ValueMeaning::Camera => "{camera}".to_owned(),
        ValueMeaning::Pass => "{pass}".to_owned(),
        ValueMeaning::Threads => "{threads}".to_owned(),
    })
}
