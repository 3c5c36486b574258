//! Names that make no difference to the picture.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use crate::at_least_one::AtLeastOne;
use crate::command::{Invocation, PictureInputs};
use crate::deliverable::{Deliverable, Movie};
use crate::finding::{Finding, Severity, count, grouped};
use crate::frames::FrameSet;
use crate::job::{Key, PlacedText};
use crate::profile::{Each, Profile};
use crate::rules::{Rule, Subject, one_of};

/// TP523 `same-picture`.
pub(super) const RULE: Rule = Rule {
    code: "TP523",
    name: "same-picture",
    severity: Severity::Error,
    what: "Two files have different names and would hold the same picture: nothing that reaches the engine differs.",
    why: "One picture would be rendered several times, and taken for several cameras, views, passes or variants.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
cameras = ["front", "top"]
path = "renders/{shot}_{camera}.{frame:04}.png"
run = ["myrender", "--input", "{scene.file}", "--frame", "{frame}", "--to", "{target}"]
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
cameras = ["front", "top"]
path = "renders/{shot}_{camera}.{frame:04}.png"
run = ["myrender", "--input", "{scene.file}", ["--camera", "{camera}"], "--frame", "{frame}", "--to", "{target}"]
"#,
    fix: "Tell the engine what the names say: by an argument, a setting, a variable or another scene.",
    check,
};

/// What distinguishes deliverables of one shot and output by name.
pub(super) const KINDS: [&str; 4] = ["camera", "view", "pass", "variant"];

/// What a deliverable is called by a kind.
pub(super) fn word<'d>(one: &'d Deliverable, kind: &str) -> Option<&'d PlacedText> {
    let common = &one.common;
    match kind {
        "camera" => common.names.camera.as_ref(),
        "view" => common.names.view.as_ref(),
        "pass" => one.pass.as_ref(),
        _ => common.names.variant.as_ref(),
    }
}

/// What can change the pictures of each engine, worked out once.
#[derive(Default)]
pub(super) struct PictureOf {
    known: HashMap<usize, PictureInputs>,
}

impl PictureOf {
    /// That of an engine.
    pub(super) fn of(&mut self, profile: &Arc<Profile>) -> &PictureInputs {
        let key = Arc::as_ptr(profile) as usize;
        let of_profile = || PictureInputs::of(profile);
        self.known.entry(key).or_insert_with(of_profile)
    }
}

/// All deliverables of each shot and output of which anything is selected, in their order.
pub(super) fn by_shot_and_output<'a>(subject: &Subject<'a>) -> Vec<Vec<&'a Deliverable>> {
    let key = |one: &Deliverable| (one.common.shot_index, one.common.output_index);
    let selected: HashSet<_> = subject.expansion.deliverables.iter().map(key).collect();
    let mut places: HashMap<(usize, usize), usize> = HashMap::new();
    let mut groups: Vec<Vec<&Deliverable>> = Vec::new();
    let all = subject.whole.deliverables.iter();
    for one in all.filter(|one| selected.contains(&key(one))) {
        let key = key(one);
        let place = *places.entry(key).or_insert_with(|| {
            groups.push(Vec::new());
            groups.len() - 1
        });
        groups[place].push(one);
    }
    groups
}

/// Pictures that are the same for one cause.
struct SamePictures<'a> {
    kinds: Vec<&'static str>,
    first: &'a Deliverable,
    second: &'a Deliverable,
    /// The names of the first kind, each once.
    names: Vec<&'a str>,
    copies: u64,
    files: u64,
}

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let mut inputs = PictureOf::default();
    let mut causes: Vec<SamePictures<'_>> = Vec::new();
    for group in by_shot_and_output(subject) {
        let differing: Vec<&'static str> = KINDS
            .into_iter()
            .filter(|kind| {
                let text =
                    |one: &Deliverable| PlacedText::text_of(word(one, kind)).map(str::to_owned);
                let first = text(group[0]);
                group.iter().any(|one| text(one) != first)
            })
            .collect();
        let is_absent = group[0].common.engine.is_absent;
        if differing.is_empty() || is_absent || all_reach(&group, &differing) {
            continue;
        }
        let mut same: HashMap<String, Vec<&Deliverable>> = HashMap::new();
        let mut order: Vec<String> = Vec::new();
        for one in group {
            let Some(reaching) = reaching(one, inputs.of(&one.common.engine)) else {
                continue;
            };
            let members = same.entry(reaching.clone()).or_insert_with(|| {
                order.push(reaching);
                Vec::new()
            });
            members.push(one);
        }
        for members in order.iter().filter_map(|key| same.remove(key)) {
            gather(subject, members, &differing, &mut causes);
        }
    }
    causes.iter().map(|cause| cause.finding(rule)).collect()
}

/// Adds the same pictures of one shot and output to those of the same cause.
fn gather<'a>(
    subject: &Subject<'a>,
    members: Vec<&'a Deliverable>,
    differing: &[&'static str],
    causes: &mut Vec<SamePictures<'a>>,
) {
    let is_meant = |one: &Deliverable| subject.chain(one).setting(Key::SamePicture).is_some();
    let [first, second, ..] = members[..] else {
        return;
    };
    if members.iter().any(|one| is_meant(one)) {
        return;
    }
    let kinds: Vec<&'static str> = differing
        .iter()
        .copied()
        .filter(|kind| {
            let text = |one: &Deliverable| PlacedText::text_of(word(one, kind)).map(str::to_owned);
            members.iter().any(|one| text(one) != text(first))
        })
        .collect();
    let files = |one: &&Deliverable| one.common.frames.files.value.count();
    let all: u64 = members.iter().map(files).sum();
    let copies = all - files(&first);
    // Profiles of `run` lines are made anew for every few shots.
    let engine = &first.common.engine;
    let known = causes.iter_mut().find(|known| {
        let other = &known.first.common.engine;
        known.kinds == kinds && other.name == engine.name && other.place == engine.place
    });
    if let Some(known) = known {
        known.copies += copies;
        known.files += all;
        return;
    }
    let mut names: Vec<&str> = Vec::new();
    for one in &members {
        let name = kinds.first().and_then(|kind| word(one, kind));
        let name = PlacedText::text_of(name).unwrap_or("none");
        if !names.contains(&name) {
            names.push(name);
        }
    }
    causes.push(SamePictures {
        kinds,
        first,
        second,
        names,
        copies,
        files: all,
    });
}

/// Whether every kind reaches the engine in an argument that is always there: nothing else has to be
/// looked at.
fn all_reach(group: &[&Deliverable], kinds: &[&str]) -> bool {
    let profile = &group[0].common.engine;
    let is_one = |one: &&Deliverable| Arc::ptr_eq(&one.common.engine, profile) && one.is_rendered();
    group.iter().all(is_one)
        && kinds.iter().all(|kind| {
            let each = Each::of_token(kind);
            profile.arguments.iter().any(|argument| {
                let tokens = argument.put.iter().flat_map(|one| one.tokens());
                let mut tokens = tokens.peekable();
                argument.changes_picture
                    && argument.when.is_empty()
                    && (argument.each.is_none() || argument.each == each)
                    && tokens.peek().is_some()
                    && tokens.all(|(token, is_optional)| token.name == *kind && !is_optional)
            })
        })
}

/// Everything that reaches the engine for a deliverable, as a text, and how the engine names its files;
/// also what it is assembled from. None where that is not known.
fn reaching(one: &Deliverable, inputs: &PictureInputs) -> Option<String> {
    let common = &one.common;
    let mut text = String::new();
    for (name, value) in inputs.of_deliverable(one).ok()? {
        text.push_str(&format!("{name} {} {value}\n", value.len()));
    }
    if let Some(scene) = &common.scene {
        text.push_str(&scene.path);
    }
    let first = FrameSet::from_frames(common.frames.shot.first());
    let alone = AtLeastOne::one(one);
    let invocation = Invocation::planned(&common.engine, &alone, &first);
    if let Some(name) = invocation.output_name(one).ok()? {
        text.push('\n');
        text.push_str(&name.sketch());
    }
    for (source, _) in one.sources(0) {
        text.push('\n');
        text.push_str(&source.pattern.sketch());
    }
    for sound in one.movie().map(Movie::sounds).unwrap_or_default() {
        text.push('\n');
        text.push_str(&sound.file.value);
    }
    text.push_str(&format!("\n{}", common.frames.shot));
    Some(text)
}

impl SamePictures<'_> {
    fn finding(&self, rule: &Rule) -> Finding {
        let engine = &self.first.common.engine;
        let kind = self.kinds.first().copied().unwrap_or("camera");
        let names = one_of(self.names.iter().take(4)).replace(" or ", " and ");
        let and_more = match self.names.len().saturating_sub(4) {
            0 => String::new(),
            more => format!(" and {more} more"),
        };
        let is_assembled = self.first.is_assembled();
        let place = self.kinds.iter().find_map(|kind| word(self.second, kind));
        let place = place.map_or(&self.second.template.place, |word| &word.place);
        let finding = rule
            .finding(format!(
                "the {kind}s {names}{and_more} are the same picture: nothing that reaches {} differs",
                engine.name
            ))
            .at(place, "makes no difference")
            .so(format!(
                "{} of {} would be copies under other names",
                grouped(self.copies),
                count(self.files, "file", "files")
            ));
        let finding = if is_assembled {
            finding.advise("put each together from another sequence, or leave all but one out")
        } else if engine.place.is_some() {
            finding.advise(format!(
                "pass it to the renderer: add a group such as [\"--{kind}\", \"{{{kind}}}\"] to `run`, with the flag that it has for this"
            ))
        } else {
            finding.advise(format!(
                "no argument of {} has `{{{kind}}}`: set what makes it different in `settings`, `env` or `scene`, or add the argument to its profile",
                engine.name
            ))
        };
        finding.advise("where that is meant, say why: same-picture = \"…\"")
    }
}
