//! Reads an engine's log by the patterns of its profile.

use std::collections::BTreeMap;
use std::io::{BufRead, BufReader, Read, Seek, SeekFrom};
use std::path::Path;
use truepath_media::open_regular;

use regex::Regex;
use truepath_core::frame_progress::{FrameProgress, seconds_of};
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::picture::RenderedSamples;
use truepath_core::profile::{LogKind, Profile};

/// What a line means.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum LineMeaning {
    /// A frame has begun.
    Frame(Frame),
    /// A file is final.
    File(String),
    /// A file holds an intermediate state.
    Saved(String),
    /// How far the frame is.
    Progress(FrameProgress),
    /// What the frame has got that is finished next.
    Samples(RenderedSamples),
    /// A warning.
    Warning(String),
    /// An error.
    Error(String),
}

/// The patterns of one profile, compiled.
#[derive(Debug)]
pub(crate) struct LogReader {
    patterns: Vec<(LogKind, Regex)>,
    /// The frames of the process, which lines may count.
    frames: FrameSet,
}

impl LogReader {
    /// Compiles the patterns.
    ///
    /// # Errors
    /// When one is no regular expression.
    pub(crate) fn new(profile: &Profile) -> Result<Self, regex::Error> {
        let patterns = profile
            .log
            .iter()
            .map(|pattern| Ok((pattern.kind, Regex::new(&pattern.find)?)))
            .collect::<Result<_, regex::Error>>()?;
        Ok(Self {
            patterns,
            frames: FrameSet::empty(),
        })
    }

    /// The same for a process of which the frames are known.
    pub(crate) fn of_frames(self, frames: &FrameSet) -> Self {
        Self {
            frames: frames.clone(),
            ..self
        }
    }

    /// What a line means, if anything.
    pub(crate) fn read(&self, line: &str) -> Option<LineMeaning> {
        self.patterns.iter().find_map(|(kind, pattern)| {
            let found = pattern.captures(line)?;
            let group = |name: &str| found.name(name).map(|text| text.as_str().to_owned());
            let samples = || {
                let wanted = group("of").and_then(|text| text.parse().ok());
                let done = group("samples")?.parse().ok()?;
                Some(RenderedSamples { done, wanted })
            };
            match kind {
                LogKind::Frame => {
                    let named = group("frame").and_then(|text| text.parse().ok());
                    let counted = || {
                        let index: u64 = group("index")?.parse().ok()?;
                        self.frames.nth(index.checked_sub(1)?)
                    };
                    named.or_else(counted).map(LineMeaning::Frame)
                }
                LogKind::File => group("file").map(LineMeaning::File),
                LogKind::Saved => group("file").map(LineMeaning::Saved),
                LogKind::Progress => {
                    let percent = group("percent").and_then(|text| text.parse::<f64>().ok());
                    let progress = FrameProgress {
                        percent: percent.filter(|percent| (0.0..=100.0).contains(percent)),
                        samples: samples(),
                        left: group("left").and_then(|text| seconds_of(&text)),
                    };
                    (progress != FrameProgress::default())
                        .then_some(LineMeaning::Progress(progress))
                }
                LogKind::Samples => samples().map(LineMeaning::Samples),
                LogKind::Warning => group("text").map(LineMeaning::Warning),
                LogKind::Error => group("text").map(LineMeaning::Error),
            }
        })
    }
}

/// What the run itself says in a line of a kept log: the text after the time and `= `. `None` for a
/// line of the engine, whatever it holds.
pub(crate) fn run_says(line: &str) -> Option<&str> {
    let (_, text) = line.split_once(' ')?;
    text.strip_prefix("= ")
}

/// What the engine printed in a line of a kept log, after the time; `None` for a line of the run.
pub(crate) fn engine_says(line: &str) -> Option<&str> {
    let (_, printed) = line.split_once(' ')?;
    run_says(line).is_none().then_some(printed)
}

/// What a log of an earlier run reports of finished frames.
#[derive(Debug, Default)]
pub(crate) struct FinishedInLog {
    /// Files that the engine named as final.
    pub(crate) named: Vec<String>,
    /// The last frame that it reported to have begun.
    pub(crate) begun: Option<Frame>,
    /// The samples that it reported, by the frame that it was at.
    pub(crate) samples: BTreeMap<Frame, RenderedSamples>,
    /// The first error that it reported of each frame, where the frame is known.
    pub(crate) errors: BTreeMap<Frame, String>,
}

/// Reads the log of a process of an earlier run; what cannot be read proves nothing.
pub(crate) fn finished_in_log(profile: &Profile, frames: &FrameSet, log: &Path) -> FinishedInLog {
    let mut heard = FinishedInLog::default();
    let counts = [LogKind::File, LogKind::Frame, LogKind::Error];
    let has_patterns = profile.log.iter().any(|one| counts.contains(&one.kind));
    let (true, Ok(reader), Ok(file)) = (has_patterns, LogReader::new(profile), open_regular(log))
    else {
        return heard;
    };
    let reader = reader.of_frames(frames);
    let mut lines = BufReader::new(file);
    let mut bytes = Vec::new();
    while matches!(lines.read_until(b'\n', &mut bytes), Ok(1..)) {
        let text = String::from_utf8_lossy(&bytes);
        let line = text.trim_end_matches('\n');
        if let Some(printed) = engine_says(line) {
            match reader.read(printed) {
                Some(LineMeaning::File(name)) => heard.named.push(name),
                Some(LineMeaning::Frame(frame)) => heard.begun = heard.begun.max(Some(frame)),
                Some(LineMeaning::Samples(samples)) => {
                    if let Some(frame) = heard.begun {
                        heard.samples.insert(frame, samples);
                    }
                }
                Some(LineMeaning::Error(text)) => {
                    let only = || frames.first().filter(|_| frames.count() == 1);
                    if let Some(frame) = heard.begun.or_else(only) {
                        heard.errors.entry(frame).or_insert(text);
                    }
                }
                _ => {}
            }
        }
        bytes.clear();
    }
    heard
}

/// The frame that a log reports to have begun last, and how far that is.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(crate) struct LastInLog {
    pub(crate) frame: Option<Frame>,
    pub(crate) progress: FrameProgress,
}

/// Reads the end of the log of a process that is at work; nothing where it cannot be read, such as on another machine.
pub(crate) fn last_in_log(profile: &Profile, frames: &FrameSet, log: &Path) -> LastInLog {
    /// Bytes of the end that are read: a log may be long, and is read often.
    const END: u64 = 1 << 16;
    let mut last = LastInLog::default();
    let (Ok(reader), Ok(mut file)) = (LogReader::new(profile), open_regular(log)) else {
        return last;
    };
    let reader = reader.of_frames(frames);
    let length = file.metadata().map_or(0, |facts| facts.len());
    let mut bytes = Vec::new();
    let read = file
        .seek(SeekFrom::Start(length.saturating_sub(END)))
        .and_then(|_| file.read_to_end(&mut bytes));
    if read.is_err() {
        return last;
    }
    let text = String::from_utf8_lossy(&bytes);
    for printed in text.lines().filter_map(engine_says) {
        match reader.read(printed) {
            Some(LineMeaning::Frame(frame)) => {
                last = LastInLog {
                    frame: Some(frame),
                    ..LastInLog::default()
                };
            }
            // The next frame has not begun.
            Some(LineMeaning::File(_)) => last.progress = FrameProgress::default(),
            Some(LineMeaning::Progress(progress)) => last.progress = progress,
            _ => {}
        }
    }
    last
}

#[cfg(test)]
mod tests {
    use std::fs;

    use truepath_core::profile::LogPattern;

    use super::*;
    use crate::sample::Project;

    #[test]
    fn a_line_of_an_engine_is_not_the_runs_own_whatever_it_holds() {
        let own = "08:00:00.000 = a.png is renders/a.png";
        assert_eq!(run_says(own), Some("a.png is renders/a.png"));
        for line in [
            "08:00:00.000 camera = a.png is renders/a.png",
            "08:00:00.000  = a.png is renders/a.png",
            "08:00:00.000 =a.png",
            "",
        ] {
            assert_eq!(run_says(line), None, "{line}");
        }
    }

    #[test]
    fn a_line_means_what_the_first_pattern_says_that_finds_it() {
        let project = Project::new();
        let reader = LogReader::new(&project.deliverable(0).common.engine).unwrap();
        for (line, meaning) in [
            ("frame -12", Some(LineMeaning::Frame(-12))),
            (
                "wrote a b.png",
                Some(LineMeaning::File("a b.png".to_owned())),
            ),
            (
                "progress 40 %",
                Some(LineMeaning::Progress(FrameProgress {
                    percent: Some(40.0),
                    ..FrameProgress::default()
                })),
            ),
            (
                "progress 8 of 32 samples, 1:35 left",
                Some(LineMeaning::Progress(FrameProgress {
                    percent: None,
                    samples: Some(RenderedSamples {
                        done: 8,
                        wanted: Some(32),
                    }),
                    left: Some(95.0),
                })),
            ),
            (
                "samples 30 of 32",
                Some(LineMeaning::Samples(RenderedSamples {
                    done: 30,
                    wanted: Some(32),
                })),
            ),
            ("progress 400 %", None),
            (
                "warning: no lamp",
                Some(LineMeaning::Warning("no lamp".to_owned())),
            ),
            (
                "error: no scene",
                Some(LineMeaning::Error("no scene".to_owned())),
            ),
            // More digits than a frame can have are no frame.
            ("frame 99999999999999999999", None),
            ("  frame 3", None),
            ("", None),
        ] {
            assert_eq!(reader.read(line), meaning, "{line}");
        }
    }

    #[test]
    fn what_the_run_itself_wrote_into_a_log_proves_nothing() {
        let project = Project::new();
        let log = project.path("0001.log");
        let frames = "1-9".parse().unwrap();
        let lines = [
            "04:05:06 = wrote by the run.png",
            "04:05:06 frame 3",
            "04:05:07 samples 30 of 32",
            "04:05:07 wrote dawn_f3.png",
            "04:05:07 frame 5",
            "04:05:08 frame 4",
            "frame 9",
            "04:05:08 wrote half",
        ];
        fs::write(&log, lines.join("\n")).unwrap();
        let heard = finished_in_log(&project.deliverable(0).common.engine, &frames, &log);
        assert_eq!(heard.begun, Some(5));
        assert_eq!(heard.named, ["dawn_f3.png", "half"]);
        let samples = heard.samples.get(&3).map(ToString::to_string);
        assert_eq!(samples.as_deref(), Some("30 of 32 samples"));
        let nothing = finished_in_log(
            &project.deliverable(0).common.engine,
            &frames,
            &project.path("no such.log"),
        );
        assert!(nothing.named.is_empty() && nothing.begun.is_none());
    }

    #[test]
    fn the_end_of_a_log_shows_how_far_its_frame_is() {
        let project = Project::new();
        let log = project.path("0001.log");
        let frames = "1-9".parse().unwrap();
        let engine = &project.deliverable(0).common.engine;
        let end = |lines: &[&str]| {
            // More before it than is read.
            let before = "04:05:05 frame 1\n04:05:05 progress 1 of 32 samples, 0:50 left\n";
            fs::write(&log, before.repeat(2000) + &lines.join("\n")).unwrap();
            last_in_log(engine, &frames, &log)
        };
        let samples = |one: LastInLog| one.progress.samples.map(|samples| samples.done);
        let last = end(&[
            "04:05:06 frame 3",
            "04:05:07 progress 8 of 32 samples, 0:35 left",
        ]);
        assert_eq!((last.frame, samples(last)), (Some(3), Some(8)));
        assert_eq!(last.progress.left, Some(35.0));
        // A frame that has just begun, one that is finished, and a line that is half written.
        let last = end(&["04:05:06 frame 4"]);
        assert_eq!((last.frame, samples(last)), (Some(4), None));
        let last = end(&["04:05:06 wrote a.png"]);
        assert_eq!((last.frame, samples(last)), (Some(1), None));
        let last = end(&["04:05:06 frame 5", "04:05:07 progr"]);
        assert_eq!((last.frame, samples(last)), (Some(5), None));
        // What the run says itself is no word of the engine.
        let last = end(&["04:05:06 = frame 7"]);
        assert_eq!((last.frame, samples(last)), (Some(1), Some(1)));
        assert_eq!(
            last_in_log(engine, &frames, Path::new("nowhere")),
            LastInLog::default()
        );
    }

    #[test]
    fn frames_that_an_engine_counts_are_those_of_its_process() {
        let project = Project::new();
        let mut engine = Profile::clone(&project.deliverable(0).common.engine);
        engine.log = vec![LogPattern {
            kind: LogKind::Frame,
            find: r"^rendering (?P<index>\d+) of".to_owned(),
        }];
        let reader = LogReader::new(&engine).unwrap();
        let read = |reader: &LogReader, line: &str| reader.read(line);
        assert_eq!(read(&reader, "rendering 1 of 3"), None);
        let reader = reader.of_frames(&"-3,7,12-20/4".parse().unwrap());
        for (line, frame) in [
            ("rendering 1 of 5", Some(-3)),
            ("rendering 2 of 5", Some(7)),
            ("rendering 4 of 5", Some(16)),
            ("rendering 0 of 5", None),
            ("rendering 6 of 5", None),
        ] {
            assert_eq!(read(&reader, line), frame.map(LineMeaning::Frame), "{line}");
        }
    }
}
