//! What the words of a command line mean: by the profile of the program, else by the look of the
//! words and of the flags before them.

use super::Folder;
use super::meaning::{Hint, Meaning, ValueMeaning};
use crate::movie::container_of_extension;
use crate::picture::format_of_extension;
use crate::profile::Profile;
use crate::template::{Part, Template};

/// The meaning of every column.
pub(super) fn guess(
    columns: &[Vec<&str>],
    folder: &dyn Folder,
    profile: Option<&Profile>,
    hints: &[Hint],
) -> Vec<Meaning> {
    let mut words: Vec<Meaning> = Vec::new();
    for (index, column) in columns.iter().enumerate() {
        let text = column[0];
        let flag = index.checked_sub(1).map(|before| columns[before][0]);
        let hinted = by_hint(hints, index + 2, text, flag);
        let known = || profile.and_then(|profile| by_profile(profile, text));
        let (before, means) = hinted
            .or_else(known)
            .unwrap_or_else(|| by_look(text, flag, words.last(), folder));
        words.push(Meaning {
            text: text.to_owned(),
            before: before.to_owned(),
            setting: String::new(),
            between: match means {
                ValueMeaning::Range => {
                    range(&text[before.len()..]).map_or("-", |(.., between)| between)
                }
                _ => "",
            },
            means,
        });
    }
    whole_clip(&mut words);
    scene_without_flag(&mut words);
    only_one(&mut words, ValueMeaning::Scene, hints);
    only_one(&mut words, ValueMeaning::Output, hints);
    words
}

/// Whether some word of the lines is one that the user speaks of: a flag, or the number of a word.
pub(super) fn is_meant(flag: &str, columns: &[Vec<&str>]) -> bool {
    let has_number = |number: usize| (2..columns.len() + 2).contains(&number);
    let mut words = columns.iter().flatten();
    flag.parse().is_ok_and(has_number) || words.any(|word| word.starts_with(flag))
}

/// The meaning that the user gives: of a flag with its value in the same word or the next one, or of
/// the word with a number; the program is word 1.
fn by_hint<'t>(
    hints: &[Hint],
    number: usize,
    text: &'t str,
    flag: Option<&str>,
) -> Option<(&'t str, ValueMeaning)> {
    hints.iter().find_map(|(name, means)| {
        let joined = text
            .strip_prefix(name.as_str())
            .filter(|value| !value.is_empty() && name.parse::<usize>().is_err())
            .map(|value| value.strip_prefix('=').unwrap_or(value))
            .filter(|value| !value.is_empty())
            .map(|value| (&text[..text.len() - value.len()], *means));
        let is_next = flag == Some(name.as_str()) || name.parse() == Ok(number);
        joined.or(is_next.then_some(("", *means)))
    })
}

/// First and last of a text such as `1-96`, `1:96` or `1..96`, and what stands between.
pub(super) fn range(value: &str) -> Option<(i64, i64, &'static str)> {
    ["..", "-", ":", ","].into_iter().find_map(|between| {
        let (first, last) = value.split_once(between)?;
        Some((first.parse().ok()?, last.parse().ok()?, between))
    })
}

/// A line that gives its clip and no part of it renders the whole clip: its ends are those of the range.
fn whole_clip(words: &mut [Meaning]) {
    let has = |means: ValueMeaning| words.iter().any(|word| word.means == means);
    let gives_part = has(ValueMeaning::Frame)
        || has(ValueMeaning::Range)
        || (has(ValueMeaning::First) && has(ValueMeaning::Last));
    if gives_part && has(ValueMeaning::ClipFirst) && has(ValueMeaning::ClipLast) {
        return;
    }
    for word in words {
        word.means = match word.means {
            ValueMeaning::ClipFirst => ValueMeaning::First,
            ValueMeaning::ClipLast => ValueMeaning::Last,
            means => means,
        };
    }
}

/// A scene that is not there stands alone: a name with an extension, and no flag before it.
fn scene_without_flag(words: &mut [Meaning]) {
    if words.iter().any(|word| word.means == ValueMeaning::Scene) {
        return;
    }
    let is_flag = |text: &str| text.starts_with(['-', '+']) && !text.contains('=');
    let found = (0..words.len()).rev().find(|&at| {
        let word = &words[at];
        let extension = word.text.rsplit_once('.').map_or("", |(_, end)| end);
        let after_flag = at > 0 && is_flag(&words[at - 1].text);
        word.means == ValueMeaning::Itself
            && !word.text.starts_with(['-', '+'])
            && !after_flag
            && (1..=6).contains(&extension.len())
            && extension.starts_with(|c: char| c.is_ascii_alphabetic())
            && extension.chars().all(|c| c.is_ascii_alphanumeric())
    });
    if let Some(at) = found {
        words[at].means = ValueMeaning::Scene;
    }
}

/// Of several that look alike the last is taken for the output, and the first for the scene.
fn only_one(words: &mut [Meaning], means: ValueMeaning, hints: &[Hint]) {
    if hints.iter().any(|(_, hinted)| *hinted == means) {
        return;
    }
    let found: Vec<usize> = (0..words.len())
        .filter(|index| words[*index].means == means)
        .collect();
    let keep = match means {
        ValueMeaning::Output => found.last(),
        _ => found.first(),
    };
    for index in &found {
        if Some(index) != keep {
            words[*index].means = ValueMeaning::Itself;
            words[*index].before.clear();
        }
    }
}

/// The meaning by an argument of the profile that is a text and one token.
pub(super) fn by_profile<'t>(profile: &Profile, text: &'t str) -> Option<(&'t str, ValueMeaning)> {
    let templates = profile.arguments.iter().flat_map(|one| &one.put);
    templates.filter_map(|template| fits(template, text)).next()
}

fn fits<'t>(template: &Template, text: &'t str) -> Option<(&'t str, ValueMeaning)> {
    let [Part::Text(before), Part::Token(token)] = template.parts() else {
        return None;
    };
    let value = text.strip_prefix(before.as_str())?;
    let means = ValueMeaning::of_token(&token.name)?;
    let number = !matches!(
        means,
        ValueMeaning::Scene
            | ValueMeaning::Output
            | ValueMeaning::Camera
            | ValueMeaning::Pass
            | ValueMeaning::Range
    );
    (!value.is_empty() && (!number || value.parse::<i64>().is_ok()))
        .then_some((&text[..before.len()], means))
}

/// The meaning by the look of a word and of the flag before it.
fn by_look<'t>(
    text: &'t str,
    flag: Option<&str>,
    last: Option<&Meaning>,
    folder: &dyn Folder,
) -> (&'t str, ValueMeaning) {
    // Where the value begins: after `=`, after a flag of a sign and letters, or at once.
    let mut starts = vec![0];
    if let Some(at) = text.find('=') {
        starts.insert(0, at + 1);
    }
    if text.starts_with(['+', '-']) {
        // A path right behind its flag of one letter: +Ikiln.pov
        let short =
            text.starts_with('+') || text[1..].starts_with(|c: char| c.is_ascii_uppercase());
        if short && text.len() > 2 && text.is_char_boundary(2) {
            starts.push(2);
        }
        let letters = text[1..].find(|c: char| !c.is_ascii_alphabetic());
        starts.extend(letters.map(|at| at + 1).filter(|at| *at > 1));
    }
    for start in starts {
        let (before, value) = text.split_at(start);
        if value.is_empty()
            || (start == 0 && text.starts_with(['-', '+']) && text.parse::<i64>().is_err())
        {
            continue;
        }
        let name = if before.is_empty() {
            flag.unwrap_or("")
        } else {
            before
        };
        let name = name
            .trim_matches(|c: char| !c.is_ascii_alphanumeric())
            .to_lowercase();
        if let Some(means) = of_value(value, &name, last, folder) {
            return (before, means);
        }
    }
    ("", ValueMeaning::Itself)
}

const OUTPUT_FOLDER: &[&str] = &[
    "dir",
    "folder",
    "directory",
    "outdir",
    "out-dir",
    "output-dir",
    "output-folder",
    "output-directory",
    "target-dir",
    "dest-dir",
];
const OUTPUT_TYPE: &[&str] = &[
    "format",
    "type",
    "ext",
    "extension",
    "filetype",
    "file-type",
    "image-format",
    "output-format",
];
const OUTPUT_NAME: &[&str] = &[
    "name",
    "basename",
    "prefix",
    "filename",
    "file-name",
    "output-name",
    "image-name",
    "out-name",
];
const SCENE: &[&str] = &["scene", "input", "in", "i", "scene-file", "file"];

fn of_value(
    value: &str,
    flag: &str,
    last: Option<&Meaning>,
    folder: &dyn Folder,
) -> Option<ValueMeaning> {
    let extension = value
        .rsplit_once('.')
        .map_or("", |(_, extension)| extension);
    let has = |words: &[&str]| words.contains(&flag);
    let picture =
        format_of_extension(extension).is_some() || container_of_extension(extension).is_some();
    if picture {
        return Some(ValueMeaning::Output);
    }
    let is_number = value.parse::<i64>().is_ok();
    if folder.has(value) {
        return Some(ValueMeaning::Scene);
    }
    if has(OUTPUT_FOLDER) && !is_number {
        return Some(ValueMeaning::OutputFolder);
    }
    if has(OUTPUT_TYPE) && (format_of_extension(value).is_some() || !is_number) {
        return Some(ValueMeaning::OutputType);
    }
    if has(OUTPUT_NAME) && !is_number {
        return Some(ValueMeaning::OutputName);
    }
    if has(SCENE) && !extension.is_empty() && !is_number {
        return Some(ValueMeaning::Scene);
    }
    if is_number {
        return match flag {
            _ if has(&["frame", "f", "fr", "only-frame"]) => Some(ValueMeaning::Frame),
            _ if has(&[
                "first",
                "start",
                "s",
                "from",
                "begin",
                "b",
                "sf",
                "start-frame",
                "frame-start",
                "first-frame",
                "kfi",
            ]) =>
            {
                Some(ValueMeaning::First)
            }
            _ if has(&[
                "last",
                "end",
                "e",
                "to",
                "ef",
                "end-frame",
                "frame-end",
                "last-frame",
                "kff",
            ]) =>
            {
                Some(ValueMeaning::Last)
            }
            _ if has(&["step", "by", "every", "frame-step", "j"]) => Some(ValueMeaning::Step),
            _ if has(&["width", "w", "x", "res-x", "xres"]) => Some(ValueMeaning::Width),
            _ if has(&["height", "h", "y", "res-y", "yres"]) => Some(ValueMeaning::Height),
            _ if has(&["threads", "t", "numthreads", "j", "wt", "num-threads"]) => {
                Some(ValueMeaning::Threads)
            }
            _ if has(&["res", "size", "resolution"]) => Some(ValueMeaning::Width),
            // The second number of a pair: -res 1920 1080
            _ if last.is_some_and(|last| {
                last.means == ValueMeaning::Width && last.before.is_empty()
            }) =>
            {
                Some(ValueMeaning::Height)
            }
            _ => None,
        };
    }
    let pair = |sign: char| {
        let (one, other) = value.split_once(sign)?;
        Some((one.parse::<i64>().ok()?, other.parse::<i64>().ok()?))
    };
    if pair('x').is_some_and(|(width, height)| width > 0 && height > 0) {
        return Some(ValueMeaning::Size);
    }
    if flag.contains("frame") || has(&["f", "fr", "range", "r"]) {
        return range(value).map(|_| ValueMeaning::Range);
    }
    match flag {
        _ if flag.starts_with("cam") => Some(ValueMeaning::Camera),
        _ if has(&["pass", "layer", "passes", "layers"]) => Some(ValueMeaning::Pass),
        _ => None,
    }
}
