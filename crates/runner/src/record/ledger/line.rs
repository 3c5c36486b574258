//! What the lines of a ledger record.

use std::io;

use serde::{Deserialize, Serialize};
use truepath_core::forecast::{Effort, RenderedFrames};
use truepath_core::frames::FrameSet;
use truepath_core::picture::{PictureKind, PictureMeasure, RenderedSamples};
use truepath_core::split::FoundSplit;

use crate::disk::Stamp;

/// What a line records.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Line {
    /// A run has begun.
    Began(SessionBegan),
    /// A staging folder was made.
    Staged(Staged),
    /// The process of a staging folder has ended, and all that it brought is reported.
    Left {
        /// The number of the process in its run.
        process: u32,
        /// What it took; none of one that brought nothing.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        took: Option<ProcessTime>,
        /// What it used, whatever it brought; none of one that was not started, or whose run died.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        used: Option<ProcessUse>,
        /// Whether its staging folder, which is empty, is kept for the next process.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        kept: bool,
    },
    /// Another number of processes at once was found to be right.
    Chosen(Chosen),
    /// A process has ended with success: what it left is finished.
    Succeeded {
        /// The number of the process in its run.
        process: u32,
    },
    /// What makes the pictures of a fingerprint: names and values.
    Inputs {
        /// The fingerprint.
        fingerprint: String,
        /// Names and values.
        inputs: Vec<(String, String)>,
    },
    /// What was found about the clips of a line: whether they may be split over several processes.
    Split {
        /// What the line is known by.
        key: String,
        /// What was found.
        found: FoundSplit,
    },
    /// A picture that is not proven to be finished, or not the one that is wanted, was moved aside.
    Unproven(Unproven),
    /// Such a picture was removed, since its frame is finished.
    Discarded {
        /// Where it was.
        aside: String,
    },
    /// A file is about to get its true name.
    Intent(Intent),
    /// A file has its true name.
    Published {
        /// The frame.
        frame: i64,
        /// How it came there.
        how: FileOrigin,
        /// What there is to say of it.
        record: Record,
    },
    /// Files are held aside while an engine writes in their folder.
    Held(HeldAside),
    /// A file was in the way and was renamed.
    Aside {
        /// Where it was.
        path: String,
        /// Where it is.
        to: String,
        /// Why.
        why: String,
    },
    /// Frames could not be made.
    Failed(Failed),
    /// Warnings of one kind in the logs of the run.
    Warned(Warned),
    /// The run starts nothing for the moment, and why.
    Waits {
        /// What it waits for.
        why: String,
    },
    /// What a run that died left is recovered.
    Recovered {
        /// The number of that run.
        session: u32,
    },
    /// The run has ended, and left nothing behind.
    Ended,
}

/// The format of ledgers and of the other files of the state folder.
pub const FORMAT: u32 = 2;

/// The error of something that a newer version of this program wrote.
pub(crate) fn newer_format(what: &str, format: u32) -> io::Error {
    io::Error::new(
        io::ErrorKind::Unsupported,
        format!(
            "{what} is of format {format}, and this version of True Path knows formats up to {FORMAT}; use the version that wrote it, or a newer one"
        ),
    )
}

fn first_format() -> u32 {
    1
}

/// A run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SessionBegan {
    /// The machine.
    pub machine: String,
    /// The job file's name.
    pub job: String,
    /// When, as RFC 3339, by that machine's clock.
    pub time: String,
    /// Where its logs are.
    pub logs: String,
    /// The format of the ledger: [`FORMAT`].
    #[serde(default = "first_format")]
    pub format: u32,
}

/// A staging folder, and what is rendered in it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Staged {
    /// The folder.
    pub folder: String,
    /// The number of its process in the run.
    pub process: u32,
    /// What the process makes, in words.
    pub label: String,
    /// The engine, with its version where it reports one; empty in ledgers of before.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub engine: String,
    /// Its log.
    pub log: String,
    /// When it began, as RFC 3339, by that machine's clock.
    pub time: String,
    /// The frames.
    pub frames: String,
    /// The deliverables.
    pub members: Vec<StagedMember>,
    /// Frames that are rendered besides and thrown away.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub besides: String,
    /// Whether nothing of it is published before it is known whether its clip may be split.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub held: bool,
    /// Files that were given to the engine, by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub given: Vec<String>,
}

/// A picture that was moved aside because nothing proves that it is finished.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Unproven {
    /// The true name that it would have.
    pub path: String,
    /// Where it is.
    pub aside: String,
    /// Its size and time.
    pub stamp: Stamp,
    /// The hash of its bytes, of one that decodes as what is wanted.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hash: Option<String>,
    /// The fingerprint of what made it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fingerprint: Option<String>,
    /// The exit code of its process, where that ended by itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub code: Option<i32>,
}

/// What a process took for the frames that it brought.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ProcessTime {
    /// Seconds until it began its first frame; 0 of one that does not say.
    pub start: f64,
    /// Seconds from then to its end.
    pub seconds: f64,
    /// Frames that it brought.
    pub frames: f64,
    /// Pixels of each.
    pub pixels: u64,
    /// Samples for each pixel.
    pub samples: f64,
    /// Of several frames each with the share of the seconds that it took.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub each: Vec<(i64, f64)>,
}

impl ProcessTime {
    /// What each frame took, as far as that is known of a process.
    pub(crate) fn frames_of(&self, staged: &Staged) -> Vec<(i64, f64)> {
        if !self.each.is_empty() {
            return self.each.clone();
        }
        let frame = || staged.frames.parse::<FrameSet>().ok()?.first();
        let alone = (self.frames == 1.0).then(frame).flatten();
        alone
            .map(|frame| (frame, self.seconds))
            .into_iter()
            .collect()
    }

    /// The same, as what later ones are expected from.
    pub(crate) fn rendered(&self) -> RenderedFrames {
        RenderedFrames {
            effort: Effort {
                pixels: self.pixels,
                samples: self.samples,
            },
            frames: self.frames,
            seconds: self.seconds,
            start: self.start,
        }
    }
}

/// What a process used, and how it ended.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ProcessUse {
    /// Seconds from its start to its end.
    pub wall: f64,
    /// Seconds of processor time, of all its threads and of all that it started.
    pub cpu: f64,
    /// Bytes of memory at most.
    pub memory: u64,
    /// Threads that it was given, where it was given any.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub threads: Option<i64>,
    /// How it ended, in words: `success` or the reason.
    pub end: String,
    /// Which try this was, from 1.
    pub attempt: u32,
}

/// How many processes work at once on a machine.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Chosen {
    /// The machine.
    pub machine: String,
    /// Its cores.
    pub cores: usize,
    /// Processes at once.
    pub processes: usize,
    /// Why, as a sentence.
    pub why: String,
}

/// Files that are held aside.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct HeldAside {
    /// Their folder.
    pub folder: String,
    /// Where they are meanwhile.
    pub hold: String,
}

/// A deliverable that is rendered in a staging folder.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StagedMember {
    /// The pattern of its paths.
    pub path: String,
    /// The fingerprint of what makes its pictures.
    pub fingerprint: String,
}

/// A file that is about to get its true name.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Intent {
    /// Its staging name.
    pub staged: String,
    /// The frame.
    pub frame: i64,
    /// What becomes of a file that has the name already; none where there must not be one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub replaces: Option<Replaces>,
    /// The hash of a file that is removed, as it was published; one that has other bytes by then is set aside.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub removed_hash: Option<String>,
    /// All there is to say once it has its true name.
    pub record: Record,
}

/// What becomes of a file whose name a new one takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Replaces {
    /// It is removed once the ledger records the new one.
    Remove,
    /// It is kept aside.
    Keep,
}

/// Frames of one deliverable that could not be made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Failed {
    /// The pattern of their paths.
    pub path: String,
    /// The frames.
    pub frames: String,
    /// Why.
    pub reason: String,
    /// The log of the last process that should have made them.
    pub log: Option<String>,
}

/// Warnings of one kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Warned {
    /// The warning, with `#` for numbers.
    pub kind: String,
    /// How many there were.
    pub count: u64,
}

/// How a file came to its true name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum FileOrigin {
    /// Rendered by this run.
    Rendered,
    /// Finished by an earlier run that was killed.
    Recovered,
    /// Found there, decoded and taken.
    Adopted,
    /// Of other settings, and taken as it is because a user asked for it.
    Accepted,
}

/// What is recorded of a published file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Record {
    /// Its path.
    pub path: String,
    /// Bytes.
    pub size: u64,
    /// Time of last change, nanoseconds since 1970.
    pub modified: i64,
    /// The hash of its bytes: `blake3:` and 64 hexadecimal digits, or the digits of a SHA-256 alone, which ledgers
    /// of before hold.
    pub hash: String,
    /// Fingerprint of what made the picture; none when nobody knows.
    pub fingerprint: Option<String>,
    /// The engine, with its version where it reports one.
    pub engine: String,
    /// The machine.
    pub machine: String,
    /// When, as RFC 3339, by that machine's clock.
    pub time: String,
    /// The run that it belongs to: when that began.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub run: Option<String>,
    /// Why it could not be decoded, of a file that was published without that.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unverifiable: Option<String>,
    /// What the picture shows, where it was measured.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub picture: Option<PictureMeasure>,
    /// How many samples its pixels have, where the engine reports that.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub samples: Option<RenderedSamples>,
    /// An error that its engine reported of the frame, and ended with success all the same.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub error: Option<String>,
    /// The program that proved a movie.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub proven_by: Option<String>,
    /// Its size, channels and bits, where it was just decoded; they are not written down.
    #[serde(skip)]
    pub kind: Option<PictureKind>,
}
