//! Writes the job that gives the command lines back.

use super::{AdoptError, Adoption, Meaning, Means};
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

    /// The values of a meaning, one a line.
    fn values(&self, means: Means) -> Option<Vec<&str>> {
        let column = self.column(means)?;
        let before = self.words[column].before.len();
        Some(
            self.columns[column]
                .iter()
                .map(|text| &text[before..])
                .collect(),
        )
    }

    /// The value of a meaning in a line, as a number.
    fn number(&self, means: Means, line: usize) -> Option<i64> {
        self.values(means)?[line].parse().ok()
    }

    /// The values of a meaning, each once, in order.
    fn distinct(&self, means: Means) -> Vec<&str> {
        let mut all: Vec<&str> = Vec::new();
        for value in self.values(means).into_iter().flatten() {
            if !all.contains(&value) {
                all.push(value);
            }
        }
        all
    }

    /// All frames that the lines render; none where they do not say any.
    fn frames(&self) -> Option<FrameSet> {
        let mut frames: Vec<i64> = Vec::new();
        for line in 0..self.count {
            frames.extend(self.frames_of(line)?);
        }
        Some(FrameSet::from_frames(frames))
    }

    /// The frames of a line.
    fn frames_of(&self, line: usize) -> Option<Vec<i64>> {
        let range = self.values(Means::Range).and_then(|values| {
            let (first, last) = values[line].split_once('-')?;
            Some((first.parse().ok()?, last.parse().ok()?))
        });
        let ends = self
            .number(Means::First, line)
            .zip(self.number(Means::Last, line));
        let one = self
            .number(Means::Frame, line)
            .or(self.number(Means::First, line));
        let (first, last) = range.or(ends).or(one.zip(one))?;
        let step = self.number(Means::Step, line).unwrap_or(1).max(1);
        let step = usize::try_from(step).unwrap_or(1);
        if last < first || last - first > 1_000_000 {
            return None;
        }
        Some((first..=last).step_by(step).collect())
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
            let piece = found.frames_of(line).map(FrameSet::from_frames);
            if !pieces.contains(&piece) {
                pieces.push(piece);
            }
        }
        pieces
    }
}

/// Writes the job.
pub(super) fn write(
    program: &str,
    columns: &[Vec<&str>],
    words: Vec<Meaning>,
    profile: Option<String>,
) -> Result<Adoption, AdoptError> {
    let found = Found {
        columns,
        words: &words,
        count: columns.first().map_or(1, Vec::len),
    };
    varies(&found)?;
    let Some(outputs) = found.values(Means::Output) else {
        return Err(AdoptError::NoOutput);
    };
    let mut remarks = Vec::new();
    let frames = found.frames();
    let scene = found.distinct(Means::Scene);
    if scene.is_empty() {
        remarks.push("no scene was recognised: a file that is there, and no picture".to_owned());
    }
    let (path, target) = output(&found, outputs[0], frames.is_some());
    let mut job = String::from(
        "# Made of a command line that was in use. `truepath check` looks at it, `truepath commands`\n# shows the line that it comes to, `truepath run` renders.\n\n",
    );
    let quoted = |text: &str| serde_json::Value::from(text).to_string();
    let escaped = |text: &str| text.replace('{', "{{").replace('}', "}}");
    let scene = scene
        .first()
        .map(|scene| format!("scene  = {}\n", quoted(&escaped(scene))));
    let scene = scene.unwrap_or_default();
    // A path that is not below the job starts from a place of its own.
    let (place, path) = match path.rsplit_once('/') {
        Some((folder, name)) if path.starts_with('/') => (
            format!("place  = {{ output = {} }}\n", quoted(folder)),
            format!("{{place.output}}/{name}"),
        ),
        _ => (String::new(), path),
    };
    match &frames {
        Some(frames) => job.push_str(&format!("{scene}frames = \"{frames}\"\n{place}")),
        None => {
            job.push_str(&format!(
                "{place}[shot.picture]\n{scene}\n[output.picture]\nstill  = 1\n"
            ));
            remarks.push("no frames were recognised, so it is a single picture".to_owned());
        }
    }
    let listed = |values: &[&str]| {
        let values: Vec<String> = values.iter().map(|value| quoted(value)).collect();
        values.join(", ")
    };
    let cameras = found.distinct(Means::Camera);
    match cameras.len() {
        0 => {}
        1 => job.push_str(&format!("camera = {}\n", quoted(cameras[0]))),
        _ => job.push_str(&format!("cameras = [{}]\n", listed(&cameras))),
    }
    let passes = found.distinct(Means::Pass);
    if !passes.is_empty() {
        job.push_str(&format!("passes = [{}]\n", listed(&passes)));
    }
    let size = found.values(Means::Size).map(|values| values[0].to_owned());
    let pair = found.values(Means::Width).zip(found.values(Means::Height));
    if let Some(size) = size.or(pair.map(|(width, height)| format!("{}x{}", width[0], height[0]))) {
        job.push_str(&format!("size   = \"{size}\"\n"));
    }
    if let Some(threads) = found.number(Means::Threads, 0) {
        job.push_str(&format!("threads = {threads}\n"));
    }
    job.push_str(&format!(
        "path   = {}\nrun    = [\n  {},\n",
        quoted(&path),
        quoted(&escaped(program))
    ));
    for word in &words {
        let value = token(word.means, &target);
        let text = match value {
            Some(value) => format!("{}{value}", escaped(&word.before)),
            None => escaped(&word.text),
        };
        job.push_str(&format!("  {},\n", quoted(&text)));
    }
    job.push_str("]\n");
    if let Some(name) = &profile {
        remarks.push(format!(
            "there is a profile for it: engine = \"{name}\" in place of the run line says the same, and knows more"
        ));
    }
    Ok(Adoption {
        program: program.to_owned(),
        words,
        profile,
        job,
        remarks,
    })
}

/// The token that stands for a meaning.
fn token(means: Means, target: &str) -> Option<String> {
    Some(
        match means {
            Means::Itself => return None,
            Means::Scene => "{scene.file}",
            Means::Output => return Some(target.to_owned()),
            Means::Frame => "{frame}",
            Means::First => "{first}",
            Means::Last => "{last}",
            Means::Step => "{step}",
            Means::Range => "{first}-{last}",
            Means::Width => "{width}",
            Means::Height => "{height}",
            Means::Size => "{width}x{height}",
            Means::Camera => "{camera}",
            Means::Pass => "{pass}",
            Means::Threads => "{threads}",
        }
        .to_owned(),
    )
}

/// Sees that only what a job can list differs from line to line.
fn varies(found: &Found<'_>) -> Result<(), AdoptError> {
    for (index, column) in found.columns.iter().enumerate() {
        let same = column.iter().all(|text| *text == column[0]);
        let listed = matches!(
            found.words[index].means,
            Means::Frame
                | Means::First
                | Means::Last
                | Means::Range
                | Means::Camera
                | Means::Pass
                | Means::Output
        );
        if !same && !listed {
            let mut texts: Vec<&str> = column.clone();
            texts.dedup();
            return Err(AdoptError::Varies {
                word: index + 2,
                texts: texts.join(", "),
            });
        }
    }
    Ok(())
}

/// The path of the job for what is written, and the words that stand for it in the run line.
fn output(found: &Found<'_>, output: &str, has_frames: bool) -> (String, String) {
    let (folder, name) = match output.rsplit_once('/') {
        Some((folder, name)) => (format!("{folder}/"), name),
        None => (String::new(), output),
    };
    let (stem, extension) = name.rsplit_once('.').unwrap_or((name, ""));
    let escaped = |text: &str| text.replace('{', "{{").replace('}', "}}");
    let mut path_stem = escaped(stem);
    let mut target = "{target}".to_owned();
    // ####, or %04d: the engine puts the digits there itself.
    let hashes = stem.chars().filter(|c| *c == '#').count();
    let printf = stem
        .find("%0")
        .zip(stem.find('d'))
        .filter(|(from, to)| from + 3 == *to);
    let digits = stem.len() - stem.trim_end_matches(|c: char| c.is_ascii_digit()).len();
    let frame = found
        .number(Means::Frame, 0)
        .or(found.number(Means::First, 0));
    if hashes > 0 && stem.contains(&"#".repeat(hashes)) {
        path_stem = path_stem.replace(&"#".repeat(hashes), &format!("{{frame:{hashes:02}}}"));
        target = format!("{{target.folder}}/{}", escaped(name));
    } else if let Some((from, to)) = printf {
        let count: usize = stem[from + 2..to].parse().unwrap_or(4);
        path_stem = path_stem.replace(&stem[from..=to], &format!("{{frame:{count:02}}}"));
        target = format!("{{target.folder}}/{}", escaped(name));
    } else if digits > 0 && stem[stem.len() - digits..].parse().ok() == frame {
        path_stem = format!(
            "{}{{frame:{digits:02}}}",
            escaped(&stem[..stem.len() - digits])
        );
    } else if has_frames {
        path_stem.push_str(".{frame:04}");
    }
    // What is listed stands in the name by its token.
    let mut folder = escaped(&folder);
    for (means, name) in [(Means::Camera, "{camera}"), (Means::Pass, "{pass}")] {
        let values = found.distinct(means);
        if let [first, _, ..] = &values[..] {
            path_stem = path_stem.replace(first, name);
            folder = folder.replace(first, name);
            target = target.replace(first, name);
        }
    }
    (format!("{folder}{path_stem}.{extension}"), target)
}
