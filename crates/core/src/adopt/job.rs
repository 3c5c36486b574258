//! Writes the job that gives the command lines back: in the short form where the lines are all
//! combinations of frames, cameras and passes, else with a shot for each kind of line.

use std::collections::BTreeSet;

use super::guess::range;
use super::path::Path;
use super::{AdoptError, Adoption, Meaning, Means, Script};
use crate::frames::FrameSet;

/// What the lines say of one job.
struct Found<'a> {
    columns: &'a [Vec<&'a str>],
    words: &'a [Meaning],
    count: usize,
}

impl Found<'_> {
    /// The column of a meaning.
    fn column(&self, means: Means) -> Option<usize> {
        self.words.iter().position(|word| word.means == means)
    }

    /// The value of a column in a line, without what stands before it.
    fn value(&self, column: usize, line: usize) -> &str {
        let before = self.words[column].before.len();
        self.columns[column][line].get(before..).unwrap_or_default()
    }

    /// The value of a meaning in a line.
    fn of(&self, means: Means, line: usize) -> Option<&str> {
        Some(self.value(self.column(means)?, line))
    }

    /// The value of a meaning in a line, as a number.
    fn number(&self, means: Means, line: usize) -> Option<i64> {
        self.of(means, line)?.parse().ok()
    }

    /// The values of a meaning, each once, in order.
    fn distinct(&self, means: Means) -> Vec<&str> {
        let mut all: Vec<&str> = Vec::new();
        for value in (0..self.count).filter_map(|line| self.of(means, line)) {
            if !all.contains(&value) {
                all.push(value);
            }
        }
        all
    }

    /// Whether a column differs from line to line.
    fn varies(&self, column: usize) -> bool {
        let texts = &self.columns[column];
        texts.iter().any(|text| *text != texts[0])
    }

    /// The frames of a line.
    fn frames_of(&self, line: usize) -> Option<FrameSet> {
        let pair = self.of(Means::Range, line).and_then(range);
        let pair = pair.map(|(first, last, _)| (first, last));
        let ends = self
            .number(Means::First, line)
            .zip(self.number(Means::Last, line));
        let one = self
            .number(Means::Frame, line)
            .or(self.number(Means::First, line));
        let (first, last) = pair.or(ends).or(one.zip(one))?;
        let step = self.number(Means::Step, line).unwrap_or(1).max(1);
        let text = match step {
            1 => format!("{first}-{last}"),
            step => format!("{first}-{last}/{step}"),
        };
        text.parse().ok()
    }

    /// All frames that some lines render; none where one does not say any.
    fn frames(&self, lines: &[usize]) -> Option<FrameSet> {
        let mut frames = FrameSet::empty();
        for line in lines {
            frames = frames.union(&self.frames_of(*line)?).ok()?;
        }
        Some(frames)
    }
}

impl Adoption {
    /// The frames of each line, each piece once; a line that says none has no piece of its own.
    #[must_use]
    pub fn pieces(&self, lines: &[Vec<String>]) -> Vec<Option<FrameSet>> {
        let columns: Vec<Vec<&str>> = (1..=self.words.len())
            .map(|column| lines.iter().map(|line| line[column].as_str()).collect())
            .collect();
        let found = Found {
            columns: &columns,
            words: &self.words,
            count: lines.len(),
        };
        let mut pieces = Vec::new();
        for line in 0..lines.len() {
            let piece = found.frames_of(line);
            if !pieces.contains(&piece) {
                pieces.push(piece);
            }
        }
        pieces
    }
}

/// Lines that differ in their frames only.
struct Group {
    lines: Vec<usize>,
    /// The values of the columns that differ among groups, by column.
    values: Vec<(usize, String)>,
    /// What it writes.
    output: Output,
}

/// What a line writes, and how the run line says it.
#[derive(Clone, PartialEq)]
struct Output {
    path: Path,
    target: Path,
}

/// Meanings of which the frames are made.
const OF_FRAMES: [Means; 5] = [
    Means::Frame,
    Means::First,
    Means::Last,
    Means::Range,
    Means::Step,
];

/// Writes the job.
pub(super) fn write(
    program: &str,
    columns: &[Vec<&str>],
    mut words: Vec<Meaning>,
    script: &Script,
    profile: Option<String>,
) -> Result<Adoption, AdoptError> {
    name_settings(columns, &mut words)?;
    let found = Found {
        columns,
        words: &words,
        count: columns.first().map_or(1, Vec::len),
    };
    let is_written = [Means::Output, Means::OutputFolder, Means::OutputName];
    if !is_written
        .iter()
        .any(|means| found.column(*means).is_some())
    {
        return Err(AdoptError::NoOutput { words });
    }
    let mut remarks = Vec::new();
    if found.column(Means::Scene).is_none() {
        remarks.push(
            "no scene was recognised: a file that is there, or a name behind a flag such as --scene"
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
    if let Some(name) = &profile {
        remarks.push(format!(
            "there is a profile for it: engine = \"{name}\" in place of the run line says the same, and knows more"
        ));
    }
    let groups = groups(&found);
    let job = if is_product(&found, &groups) {
        short(program, &found, &groups, script)
    } else {
        long(program, &found, &groups, script)
    };
    Ok(Adoption {
        program: program.to_owned(),
        job,
        profile,
        remarks,
        words,
    })
}

/// Words that differ from line to line and mean nothing that a job knows become settings, named by their
/// flags.
fn name_settings(columns: &[Vec<&str>], words: &mut [Meaning]) -> Result<(), AdoptError> {
    let known = [
        Means::Scene,
        Means::Output,
        Means::OutputFolder,
        Means::Camera,
        Means::Pass,
        Means::Width,
        Means::Height,
        Means::Size,
        Means::Threads,
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
        words[at].means = Means::Setting;
        words[at].setting = name;
    }
    Ok(())
}

/// What stands before the value in every text of a column: `--mood=`.
fn split_flag<'t>(column: &[&'t str]) -> (&'t str, &'t str) {
    let first = column[0];
    let at = first.find('=').map_or(0, |at| at + 1);
    let (before, value) = first.split_at(at);
    match column.iter().all(|text| text.starts_with(before)) {
        true => (before, value),
        false => ("", first),
    }
}

/// The lines in groups that differ in their frames only.
fn groups(found: &Found<'_>) -> Vec<Group> {
    let listed: Vec<usize> = (0..found.words.len())
        .filter(|column| {
            let means = found.words[*column].means;
            found.varies(*column) && !OF_FRAMES.contains(&means) && means != Means::Output
        })
        .collect();
    let mut groups: Vec<Group> = Vec::new();
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
            None => groups.push(Group {
                lines: vec![line],
                values,
                output,
            }),
        }
    }
    groups
}

/// Whether the lines are all combinations of some frames, cameras and passes.
fn is_product(found: &Found<'_>, groups: &[Group]) -> bool {
    let is_listed = |group: &Group| {
        group.values.iter().all(|(column, _)| {
            let means = found.words[*column].means;
            matches!(means, Means::Camera | Means::Pass | Means::OutputFolder)
        })
    };
    let pieces = |group: &Group| -> BTreeSet<String> {
        let frames = group.lines.iter().filter_map(|line| found.frames_of(*line));
        frames.map(|frames| frames.to_string()).collect()
    };
    let combinations: BTreeSet<(Option<&str>, Option<&str>)> = groups
        .iter()
        .map(|group| {
            let line = group.lines[0];
            (found.of(Means::Camera, line), found.of(Means::Pass, line))
        })
        .collect();
    let cameras = found.distinct(Means::Camera).len().max(1);
    let passes = found.distinct(Means::Pass).len().max(1);
    groups.iter().all(is_listed)
        && groups.iter().all(|one| pieces(one) == pieces(&groups[0]))
        && combinations.len() == groups.len()
        && groups.len() == cameras * passes
        && common_output(found, groups).is_some()
}

/// What a line writes.
fn output(found: &Found<'_>, line: usize) -> Output {
    let Some(output) = found.of(Means::Output, line) else {
        return output_of_parts(found, line);
    };
    let (folder, name) = match output.rsplit_once('/') {
        Some((folder, name)) => (format!("{folder}/"), name),
        None => (String::new(), output),
    };
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let mut path = Path::of(output);
    let mut target = Path::of("");
    target.put(0..0, "{target}".to_owned());
    let in_folder = || {
        let mut target = Path::of(&format!("/{name}"));
        target.put(0..0, "{target.folder}".to_owned());
        target
    };
    let at = |from: usize, to: usize| folder.len() + from..folder.len() + to;
    // ####, or %04d: the engine puts the digits there itself.
    let hashes = stem.chars().filter(|c| *c == '#').count();
    let printf = stem.find('%').and_then(|from| {
        let to = from + stem[from..].find('d')?;
        let width = &stem[from + 1..to];
        let is_width = width.chars().all(|c| c.is_ascii_digit());
        is_width.then(|| (from, to, width.trim_start_matches('0').to_owned()))
    });
    let digits = stem.len() - stem.trim_end_matches(|c: char| c.is_ascii_digit()).len();
    let frame = found
        .number(Means::Frame, line)
        .or(found.number(Means::First, line));
    let run = "#".repeat(hashes);
    if let Some(from) = stem.find(&run).filter(|_| hashes > 0) {
        path.put(at(from, from + hashes), format!("{{frame:{hashes:02}}}"));
        target = in_folder();
    } else if let Some((from, to, width)) = printf {
        let token = match width.parse::<usize>() {
            Ok(width) => format!("{{frame:{width:02}}}"),
            Err(_) => "{frame}".to_owned(),
        };
        path.put(at(from, to + 1), token);
        target = in_folder();
    } else if digits > 0 && stem[stem.len() - digits..].parse().ok() == frame {
        path.put(
            at(stem.len() - digits, stem.len()),
            format!("{{frame:{digits:02}}}"),
        );
    } else if found.frames_of(line).is_some() {
        path.put(at(stem.len(), stem.len()), ".{frame:04}".to_owned());
        // The name is the same for every frame.
        if found
            .frames_of(line)
            .is_some_and(|frames| frames.count() == 1)
        {
            target = in_folder();
        }
    }
    Output { path, target }
}

/// What a line writes that says folder, name and kind of file apart.
fn output_of_parts(found: &Found<'_>, line: usize) -> Output {
    let folder = found.of(Means::OutputFolder, line).unwrap_or(".");
    let slash = if folder.ends_with('/') { "/" } else { "" };
    let name = found.of(Means::OutputName, line).unwrap_or("picture");
    let kind = found.of(Means::OutputType, line).unwrap_or("png");
    let kind = crate::picture::format(&kind.to_ascii_lowercase()).map_or_else(
        || kind.to_ascii_lowercase(),
        |facts| facts.extensions[0].to_owned(),
    );
    let folder = match folder.trim_end_matches('/') {
        "." | "" => String::new(),
        folder => format!("{folder}/"),
    };
    let mut path = Path::of(&format!("{folder}{name}.{kind}"));
    let at = folder.len() + name.len();
    if found.frames_of(line).is_some() {
        path.put(at..at, ".{frame:04}".to_owned());
    }
    let mut target = Path::of(slash);
    target.put(0..0, "{target.folder}".to_owned());
    Output { path, target }
}

/// The tokens that may stand in a path for the values of a group, with those values.
fn tokens(found: &Found<'_>, group: &Group) -> Vec<(String, String)> {
    let line = group.lines[0];
    let mut tokens = Vec::new();
    for (column, value) in &group.values {
        let word = &found.words[*column];
        match word.means {
            Means::Camera => tokens.push(("{camera}".to_owned(), value.clone())),
            Means::Pass => tokens.push(("{pass}".to_owned(), value.clone())),
            Means::Setting => {
                tokens.push((format!("{{settings.{}}}", word.setting), value.clone()));
            }
            _ => {}
        }
    }
    if let Some(scene) = found.of(Means::Scene, line)
        && found.distinct(Means::Scene).len() > 1
    {
        let name = scene.rsplit('/').next().unwrap_or(scene);
        let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
        tokens.push(("{scene}".to_owned(), stem.to_owned()));
    }
    tokens
}

/// One output whose tokens give that of every group; none where their names cannot be told by tokens.
fn common_output(found: &Found<'_>, groups: &[Group]) -> Option<Output> {
    let mut common = groups[0].output.clone();
    for (token, value) in tokens(found, &groups[0]) {
        common.path.replace_word(&value, &token);
        common.target.replace_word(&value, &token);
    }
    let is_of = |group: &Group| {
        let mut own = group.output.clone();
        for (token, value) in tokens(found, group) {
            own.path.replace_word(&value, &token);
            own.target.replace_word(&value, &token);
        }
        own == common
    };
    groups.iter().all(is_of).then_some(common)
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
fn shared_keys(found: &Found<'_>, line: usize, skip: &dyn Fn(Means) -> bool) -> String {
    let mut text = String::new();
    let pair = found
        .of(Means::Width, line)
        .zip(found.of(Means::Height, line));
    let size = found.of(Means::Size, line).map(str::to_owned);
    if let Some(size) = size.or(pair.map(|(width, height)| format!("{width}x{height}")))
        && !skip(Means::Size)
    {
        text.push_str(&format!("size   = \"{size}\"\n"));
    }
    if let Some(threads) = found.number(Means::Threads, line)
        && !skip(Means::Threads)
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
fn run_line(program: &str, found: &Found<'_>, output: &Output) -> String {
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
fn short(program: &str, found: &Found<'_>, groups: &[Group], script: &Script) -> String {
    let all: Vec<usize> = (0..found.count).collect();
    let frames = found.frames(&all);
    let output = common_output(found, groups).unwrap_or_else(|| groups[0].output.clone());
    let (place, path) = placed(&output.path.template());
    let mut job = String::from(HEAD);
    let scene = found.of(Means::Scene, 0);
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
    match &found.distinct(Means::Camera)[..] {
        [] => {}
        [one] => job.push_str(&format!("camera = {}\n", quoted(one))),
        several => job.push_str(&format!("cameras = [{}]\n", listed(several))),
    }
    let passes = found.distinct(Means::Pass);
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
fn long(program: &str, found: &Found<'_>, groups: &[Group], script: &Script) -> String {
    let (output, names) = match common_output(found, groups) {
        Some(output) => (output, shot_names(found, groups)),
        None => by_shot(found, groups),
    };
    let (place, path) = placed(&output.path.template());
    let varies = |means: Means| match means {
        Means::Size => [Means::Size, Means::Width, Means::Height]
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
        let line = group.lines[0];
        job.push_str(&format!("\n[shot.{}]\n", quoted(name)));
        if let Some(scene) = found.of(Means::Scene, line) {
            job.push_str(&format!("scene  = {}\n", quoted(&escaped(scene))));
        }
        match found.frames(&group.lines) {
            Some(frames) => job.push_str(&format!("frames = \"{frames}\"\n")),
            None => job.push_str("frames = \"1\"\n"),
        }
        if let Some(camera) = found.of(Means::Camera, line) {
            job.push_str(&format!("camera = {}\n", quoted(camera)));
        }
        if let Some(pass) = found.of(Means::Pass, line) {
            job.push_str(&format!("passes = [{}]\n", quoted(pass)));
        }
        job.push_str(&shared_keys(found, line, &|means| !varies(means)));
        let settings: Vec<String> = group
            .values
            .iter()
            .filter(|(column, _)| found.words[*column].means == Means::Setting)
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

/// Names for the shots of some groups: what differs among them, else a number.
fn shot_names(found: &Found<'_>, groups: &[Group]) -> Vec<String> {
    let named = |group: &Group| {
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
fn plain(text: &str) -> String {
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
fn common_ends(texts: &[String]) -> (String, Vec<String>, String) {
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
fn by_shot(found: &Found<'_>, groups: &[Group]) -> (Output, Vec<String>) {
    let with = |part: fn(&Output) -> &Path| -> Vec<String> {
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
        return (groups[0].output.clone(), shot_names(found, groups));
    }
    let target = match is_same {
        true => groups[0].output.target.clone(),
        false => Path::of_template(&format!("{target_start}{{shot}}{target_end}")),
    };
    let path = Path::of_template(&format!("{start}{{shot}}{end}"));
    (Output { path, target }, names)
}

/// The token that stands for a word.
fn token(word: &Meaning, value: &str, output: &Output) -> Option<String> {
    // Digits with zeros before them have a width.
    let number = |token: &str, value: &str| {
        let is_padded = value.len() > 1 && value.starts_with('0');
        match is_padded && value.chars().all(|c| c.is_ascii_digit()) {
            true => format!("{{{token}:{:02}}}", value.len()),
            false => format!("{{{token}}}"),
        }
    };
    Some(match word.means {
        Means::Itself | Means::OutputName | Means::OutputType => return None,
        Means::Output | Means::OutputFolder => output.target.template(),
        Means::Setting => format!("{{settings.{}}}", word.setting),
        Means::Scene => "{scene.file}".to_owned(),
        Means::Frame => number("frame", value),
        Means::First => number("first", value),
        Means::Last => number("last", value),
        Means::Range => {
            let (first, last) = value.split_once(word.between)?;
            let (first, last) = (number("first", first), number("last", last));
            format!("{first}{}{last}", word.between)
        }
        Means::Step => "{step}".to_owned(),
        Means::Width => "{width}".to_owned(),
        Means::Height => "{height}".to_owned(),
        Means::Size => "{width}x{height}".to_owned(),
        Means::Camera => "{camera}".to_owned(),
        Means::Pass => "{pass}".to_owned(),
        Means::Threads => "{threads}".to_owned(),
    })
}
