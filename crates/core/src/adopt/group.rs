//! Command lines in groups that differ in their frames only.

use std::collections::BTreeSet;

use super::found::{AdoptedLines, OF_FRAMES};
use super::output::{AdoptedOutput, output};
use super::path::Path;
use super::{AdoptError, Meaning, ValueMeaning};
use crate::at_least_one::AtLeastOne;

/// Lines that differ in their frames only.
pub(super) struct LineGroup {
    pub(super) lines: AtLeastOne<usize>,
    /// The values of the columns that differ among groups, by column.
    pub(super) values: Vec<(usize, String)>,
    /// What it writes.
    pub(super) output: AdoptedOutput,
}

/// The lines in groups that differ in their frames only.
pub(super) fn groups(found: &AdoptedLines<'_>) -> Option<AtLeastOne<LineGroup>> {
    let listed: Vec<usize> = (0..found.words.len())
        .filter(|column| {
            let means = found.words[*column].means;
            found.varies(*column) && !OF_FRAMES.contains(&means) && means != ValueMeaning::Output
        })
        .collect();
    let mut groups: Vec<LineGroup> = Vec::new();
    for line in 0..found.count {
        let values: Vec<(usize, String)> = listed
            .iter()
            .map(|column| (*column, found.value(*column, line).to_owned()))
            .collect();
        let output = output(found, line);
        let known = groups
            .iter_mut()
            .find(|one| one.values == values && one.output == output);
        match known {
            Some(known) => known.lines.push(line),
            None => groups.push(LineGroup {
                lines: AtLeastOne::one(line),
                values,
                output,
            }),
        }
    }
    AtLeastOne::new(groups)
}

/// Whether the lines are all combinations of some frames, cameras and passes.
pub(super) fn is_product(found: &AdoptedLines<'_>, groups: &AtLeastOne<LineGroup>) -> bool {
    let is_listed = |group: &LineGroup| {
        group.values.iter().all(|(column, _)| {
            let means = found.words[*column].means;
            matches!(
                means,
                ValueMeaning::Camera | ValueMeaning::Pass | ValueMeaning::OutputFolder
            )
        })
    };
    let pieces = |group: &LineGroup| -> BTreeSet<String> {
        let frames = group.lines.iter().filter_map(|line| found.frames_of(*line));
        frames.map(|frames| frames.to_string()).collect()
    };
    let combinations: BTreeSet<(Option<&str>, Option<&str>)> = groups
        .iter()
        .map(|group| {
            let line = *group.lines.first();
            (
                found.of(ValueMeaning::Camera, line),
                found.of(ValueMeaning::Pass, line),
            )
        })
        .collect();
    let cameras = found.distinct(ValueMeaning::Camera).len().max(1);
    let passes = found.distinct(ValueMeaning::Pass).len().max(1);
    groups.iter().all(is_listed)
        && groups
            .iter()
            .all(|one| pieces(one) == pieces(groups.first()))
        && combinations.len() == groups.len()
        && groups.len() == cameras * passes
        && common_output(found, groups).is_some()
}

/// Words that differ from line to line and mean nothing that a job knows become settings, named by their
/// flags.
pub(super) fn name_settings(
    columns: &[Vec<&str>],
    words: &mut [Meaning],
) -> Result<(), AdoptError> {
    let known = [
        ValueMeaning::Scene,
        ValueMeaning::Output,
        ValueMeaning::OutputFolder,
        ValueMeaning::Camera,
        ValueMeaning::Pass,
        ValueMeaning::Width,
        ValueMeaning::Height,
        ValueMeaning::Size,
        ValueMeaning::Threads,
    ];
    for at in 0..words.len() {
        let column = &columns[at];
        let is_same = column.iter().all(|text| *text == column[0]);
        let means = words[at].means;
        if is_same || known.contains(&means) || OF_FRAMES.contains(&means) {
            continue;
        }
        let (before, _) = split_flag(column);
        let flag = match (before, at.checked_sub(1)) {
            ("", Some(previous))
                if columns[previous]
                    .iter()
                    .all(|one| *one == columns[previous][0]) =>
            {
                columns[previous][0]
            }
            (before, _) => before,
        };
        let name: String = flag
            .trim_matches(|c: char| !c.is_ascii_alphanumeric())
            .chars()
            .map(|c| if c.is_ascii_alphanumeric() { c } else { '-' })
            .collect();
        let is_flag = flag.starts_with(['-', '+', '/']) || !before.is_empty();
        if name.is_empty() || !is_flag {
            let mut texts: Vec<&str> = column.clone();
            texts.dedup();
            return Err(AdoptError::Varies {
                word: at + 2,
                texts: texts.join(", "),
                words: words.to_vec(),
            });
        }
        words[at].before = before.to_owned();
        words[at].means = ValueMeaning::Setting;
        words[at].setting = name;
    }
    Ok(())
}

/// What stands before the value in every text of a column: `--mood=`.
pub(super) fn split_flag<'t>(column: &[&'t str]) -> (&'t str, &'t str) {
    let first = column[0];
    let at = first.find('=').map_or(0, |at| at + 1);
    let (before, value) = first.split_at(at);
    if column.iter().all(|text| text.starts_with(before)) {
        (before, value)
    } else {
        ("", first)
    }
}

/// The tokens that may stand in a path for the values of a group, with those values.
pub(super) fn tokens(found: &AdoptedLines<'_>, group: &LineGroup) -> Vec<(String, String)> {
    let line = *group.lines.first();
    let mut tokens = Vec::new();
    for (column, value) in &group.values {
        let word = &found.words[*column];
        match word.means {
            ValueMeaning::Camera => tokens.push(("{camera}".to_owned(), value.clone())),
            ValueMeaning::Pass => tokens.push(("{pass}".to_owned(), value.clone())),
            ValueMeaning::Setting => {
                tokens.push((format!("{{settings.{}}}", word.setting), value.clone()));
            }
            _ => {}
        }
    }
    if let Some(scene) = found.of(ValueMeaning::Scene, line)
        && found.distinct(ValueMeaning::Scene).len() > 1
    {
        let name = scene.rsplit('/').next().unwrap_or(scene);
        let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
        tokens.push(("{scene}".to_owned(), stem.to_owned()));
    }
    tokens
}

/// Groups whose outputs are tried as a template for all.
const MOST_TRIED: usize = 8;

/// One output whose tokens give that of every group; none where there is no such.
pub(super) fn common_output(
    found: &AdoptedLines<'_>,
    groups: &AtLeastOne<LineGroup>,
) -> Option<AdoptedOutput> {
    // A value may stand in a name by chance as well: then the template of another group fits all.
    groups.iter().take(MOST_TRIED).find_map(|group| {
        let mut common = group.output.clone();
        for (token, value) in tokens(found, group) {
            common.path.replace_word(&value, &token);
            common.target.replace_word(&value, &token);
        }
        let fits = |other: &LineGroup| {
            let values = tokens(found, other);
            let is_same = |common: &Path, own: &Path| common.filled(&values) == own.filled(&[]);
            is_same(&common.path, &other.output.path)
                && is_same(&common.target, &other.output.target)
        };
        groups.iter().all(fits).then_some(common)
    })
}
