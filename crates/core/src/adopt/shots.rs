//! Names for the shots of an adopted job.

use std::collections::BTreeSet;

use super::found::AdoptedLines;
use super::group::{LineGroup, tokens};
use super::output::AdoptedOutput;
use super::path::Path;
use crate::at_least_one::AtLeastOne;

/// Names for the shots of some groups: what differs among them, else a number.
pub(super) fn shot_names(found: &AdoptedLines<'_>, groups: &AtLeastOne<LineGroup>) -> Vec<String> {
    let named = |group: &LineGroup| {
        let tokens = tokens(found, group);
        let words: Vec<String> = tokens.into_iter().map(|(_, value)| plain(&value)).collect();
        words.join("-")
    };
    let names: Vec<String> = groups.iter().map(named).collect();
    let differ: BTreeSet<&String> = names.iter().collect();
    if differ.len() == groups.len() && names.iter().all(|name| !name.is_empty()) {
        names
    } else {
        (1..=groups.len())
            .map(|number| format!("line{number}"))
            .collect()
    }
}

/// A text as the name of a shot.
pub(super) fn plain(text: &str) -> String {
    let sign = |c: char| {
        if c.is_alphanumeric() || "-_.".contains(c) {
            c
        } else {
            '-'
        }
    };
    text.chars().map(sign).collect()
}

/// What some texts have in common at their beginning and end, and what is between.
pub(super) fn common_ends(texts: &[String]) -> (String, Vec<String>, String) {
    let all: Vec<Vec<char>> = texts.iter().map(|text| text.chars().collect()).collect();
    let shortest = all.iter().map(Vec::len).min().unwrap_or(0);
    let is_common = |at: usize| all.iter().all(|text| text[at] == all[0][at]);
    let before = (0..shortest).take_while(|at| is_common(*at)).count();
    let is_common_end = |at: &usize| {
        let sign = |text: &Vec<char>| text[text.len() - 1 - at];
        all.iter().all(|text| sign(text) == sign(&all[0]))
    };
    let after = (0..shortest - before).take_while(is_common_end).count();
    let middle = |text: &Vec<char>| text[before..text.len() - after].iter().collect();
    let first = &all[0];
    (
        first[..before].iter().collect(),
        all.iter().map(middle).collect(),
        first[first.len() - after..].iter().collect(),
    )
}

/// Names of shots such that the path differs by them alone: what the paths of the groups have not in
/// common.
pub(super) fn by_shot(
    found: &AdoptedLines<'_>,
    groups: &AtLeastOne<LineGroup>,
) -> (AdoptedOutput, Vec<String>) {
    let with = |part: fn(&AdoptedOutput) -> &Path| -> Vec<String> {
        groups
            .iter()
            .map(|group| part(&group.output).template())
            .collect()
    };
    let (start, names, end) = common_ends(&with(|output| &output.path));
    let differ: BTreeSet<&String> = names.iter().collect();
    let is_name = |name: &String| !name.is_empty() && !name.contains(['/', '{', '}']);
    let targets = with(|output| &output.target);
    let (target_start, target_names, target_end) = common_ends(&targets);
    let is_same = targets.iter().all(|target| *target == targets[0]);
    if differ.len() < groups.len()
        || !names.iter().all(is_name)
        || !(is_same || target_names == names)
    {
        return (groups.first().output.clone(), shot_names(found, groups));
    }
    let target = if is_same {
        groups.first().output.target.clone()
    } else {
        Path::of_template(&format!("{target_start}{{shot}}{target_end}"))
    };
    let path = Path::of_template(&format!("{start}{{shot}}{end}"));
    (AdoptedOutput { path, target }, names)
}
