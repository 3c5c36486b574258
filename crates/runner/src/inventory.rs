//! What is there already, compared with the ledger and, where that does not know it, decoded.

use std::collections::BTreeMap;
use std::io;
use std::path::Path;

use rayon::prelude::*;
use truepath_core::deliverable::Deliverable;
use truepath_core::finding::grouped;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::picture::{PictureMeasure, RenderedSamples};
use truepath_media::{ExamineOptions, ExpectedPicture, Flaw, HashKind, examine, verify};

use crate::disk::{Stamp, recorded, stamp};
use crate::ledger::{KnownFile, Ledger};

/// What stands under a true name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum FileOnDisk {
    /// Nothing.
    Missing,
    /// What the ledger says, made with today's settings.
    Valid,
    /// The bytes that the ledger says, with another time of last change.
    Touched,
    /// A whole picture of the right kind that the ledger does not know.
    Unrecorded,
    /// What the ledger says, made with other settings.
    Stale,
    /// A whole picture of the right kind that is not the one that was published; with what differs.
    Changed(String),
    /// No such picture; with the reason.
    Broken(String),
    /// This program cannot decode it; with the reason.
    Unverifiable(String),
}

/// Frames by a reason.
#[derive(Debug, Default)]
pub(crate) struct ByReason(BTreeMap<String, Vec<Frame>>);

impl ByReason {
    pub(crate) fn add(&mut self, reason: String, frame: Frame) {
        self.0.entry(reason).or_default().push(frame);
    }

    pub(crate) fn frames(self) -> Vec<(String, FrameSet)> {
        let all = self.0.into_iter();
        all.map(|(reason, frames)| (reason, FrameSet::from_frames(frames)))
            .collect()
    }
}

/// All frames, for whatever reason.
pub(crate) fn all_frames(by_reason: &[(String, FrameSet)]) -> FrameSet {
    by_reason
        .iter()
        .fold(FrameSet::empty(), |sum, (_, frames)| {
            sum.union(frames).unwrap_or(sum)
        })
}

/// What differs between a file and the one that was published.
pub(crate) fn difference(published: Stamp, found: Stamp) -> String {
    if published.size == found.size {
        "not the bytes that were published, though as many".to_owned()
    } else {
        format!(
            "not the bytes that were published: {} bytes, {} then",
            grouped(found.size),
            grouped(published.size)
        )
    }
}

/// How closely a file is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Depth {
    /// By size and time; it is not opened.
    Stamp,
    /// It is decoded where the ledger does not know it as it is.
    Unknown,
    /// It is decoded whatever the ledger says.
    Decode,
    /// It is decoded and measured.
    Measure,
}

/// What a look at a file shows.
#[derive(Debug)]
pub(crate) struct FileLook {
    pub(crate) there: FileOnDisk,
    /// What there is besides in a file that was decoded.
    pub(crate) notes: Vec<String>,
    pub(crate) measure: Option<PictureMeasure>,
    /// How many samples its pixels have, by the ledger.
    pub(crate) samples: Option<RenderedSamples>,
    pub(crate) bytes: u64,
    /// Whether it was opened.
    pub(crate) is_opened: bool,
}

impl FileLook {
    pub(crate) fn of(there: FileOnDisk) -> Self {
        Self {
            there,
            notes: Vec::new(),
            measure: None,
            samples: None,
            bytes: 0,
            is_opened: false,
        }
    }
}

impl FileOnDisk {
    /// Whether it is a whole picture of the right kind.
    pub(crate) fn is_whole(&self) -> bool {
        matches!(
            self,
            Self::Valid | Self::Touched | Self::Unrecorded | Self::Changed(_) | Self::Stale
        )
    }
}

/// Looks at files; with `decode` every file is read whole, else only those that the ledger does
/// not know.
pub(crate) fn look(
    deliverable: &Deliverable,
    frames: &FrameSet,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    decode: bool,
) -> Vec<(Frame, FileOnDisk)> {
    let all: Vec<Frame> = frames.iter().collect();
    let looker = Looker::new(deliverable, ledger, fingerprint);
    let depth = if decode {
        Depth::Decode
    } else {
        Depth::Unknown
    };
    let one = |frame: &Frame| (*frame, looker.look(*frame, depth).there);
    // Looking at a file takes microseconds, decoding it milliseconds.
    let few = if decode { 8 } else { 4096 };
    if all.len() < few {
        all.iter().map(one).collect()
    } else {
        all.par_iter().map(one).collect()
    }
}

/// Looks at the files of a sequence as `status` does: those that are as recorded by size and time are not opened, others
/// are; of files that the ledger does not know only so many.
pub(crate) fn look_briefly(
    deliverable: &Deliverable,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    most_unrecorded: usize,
) -> QuickLook {
    let frames = &deliverable.common.frames.selected;
    let looker = Looker::new(deliverable, ledger, fingerprint);
    let one = |frame: &Frame| {
        let path = deliverable.path(*frame);
        let record = ledger.published.get(&path);
        let found = stamp(Path::new(&path));
        let there = match (found, record) {
            (Ok(None), _) => Some(FileOnDisk::Missing),
            (Err(error), _) => Some(FileOnDisk::Broken(error.to_string())),
            (Ok(Some(found)), Some(record)) if record.stamp == found => {
                Some(as_recorded(record, fingerprint, &looker.wanted))
            }
            (Ok(Some(_)), Some(_)) => Some(looker.look(*frame, Depth::Unknown).there),
            (Ok(Some(_)), None) => None,
        };
        let bytes = match &there {
            Some(FileOnDisk::Missing) => 0,
            _ => record.map_or(0, |record| record.stamp.size),
        };
        (*frame, there, bytes)
    };
    let all: Vec<Frame> = frames.iter().collect();
    let seen: Vec<(Frame, Option<FileOnDisk>, u64)> = if all.len() < 4096 {
        all.iter().map(one).collect()
    } else {
        all.par_iter().map(one).collect()
    };
    let mut brief = QuickLook::default();
    let mut unrecorded: Vec<Frame> = Vec::new();
    for (frame, there, bytes) in seen {
        brief.bytes += bytes;
        match there {
            Some(there) => brief.frames.push((frame, there)),
            None => unrecorded.push(frame),
        }
    }
    if unrecorded.len() <= most_unrecorded {
        let set = FrameSet::from_frames(unrecorded);
        let seen = look(deliverable, &set, ledger, fingerprint, false);
        brief.frames.extend(seen);
    } else {
        brief.not_looked_into = FrameSet::from_frames(unrecorded);
    }
    brief
}

/// What a brief look finds.
#[derive(Debug, Default)]
pub(crate) struct QuickLook {
    pub(crate) frames: Vec<(Frame, FileOnDisk)>,
    /// Files that the ledger does not know and that were not opened.
    pub(crate) not_looked_into: FrameSet,
    /// Bytes of the recorded files that are there.
    pub(crate) bytes: u64,
}

/// Looks at the files of a deliverable.
pub(crate) struct Looker<'l> {
    deliverable: &'l Deliverable,
    ledger: &'l Ledger,
    fingerprint: Option<&'l str>,
    wanted: ExpectedPicture,
}

impl<'l> Looker<'l> {
    pub(crate) fn new(
        deliverable: &'l Deliverable,
        ledger: &'l Ledger,
        fingerprint: Option<&'l str>,
    ) -> Self {
        Self {
            deliverable,
            ledger,
            fingerprint,
            wanted: ExpectedPicture::from(deliverable),
        }
    }

    /// Looks at the file of a frame.
    pub(crate) fn look(&self, frame: Frame, depth: Depth) -> FileLook {
        let path = self.deliverable.path(frame);
        let file = Path::new(&path);
        let found = match stamp(file) {
            Ok(None) => return FileLook::of(FileOnDisk::Missing),
            Ok(Some(found)) => found,
            Err(error) => return FileLook::of(FileOnDisk::Broken(error.to_string())),
        };
        let record = self.ledger.published.get(&path);
        let is_as_recorded = record.is_some_and(|record| record.stamp == found);
        let mut look = FileLook {
            bytes: found.size,
            samples: record.and_then(|record| record.origin.samples),
            ..FileLook::of(FileOnDisk::Missing)
        };
        look.there = match (depth, record) {
            (Depth::Stamp | Depth::Unknown, Some(record)) if is_as_recorded => {
                as_recorded(record, self.fingerprint, &self.wanted)
            }
            (Depth::Stamp, Some(record)) => FileOnDisk::Changed(difference(record.stamp, found)),
            (Depth::Stamp, None) => FileOnDisk::Unrecorded,
            _ => self.examine(file, found, record, depth, &mut look),
        };
        look
    }

    /// Decodes a file, and compares its bytes with the record.
    fn examine(
        &self,
        file: &Path,
        found: Stamp,
        record: Option<&KnownFile>,
        depth: Depth,
        look: &mut FileLook,
    ) -> FileOnDisk {
        let kinds: Vec<HashKind> = record.iter().map(|record| record.hash.kind()).collect();
        let options = ExamineOptions {
            hashes: &kinds,
            measure: depth == Depth::Measure,
        };
        let seen = examine(file, &self.wanted, options);
        look.is_opened = true;
        look.measure = seen.measure;
        let is_stale = record.is_some_and(|record| is_stale(record, self.fingerprint));
        let unverifiable = match seen.facts {
            Err(Flaw::Unverifiable(reason)) => {
                Some(reason).filter(|_| !self.wanted.allows_unverifiable)
            }
            // What other settings made may well be another kind of picture.
            Err(flaw) if is_stale && flaw.is_wrong_kind() => None,
            // A file that is being written or removed is not what it was a moment ago.
            Err(_) if stamp(file).ok().flatten() != Some(found) => {
                return FileOnDisk::Broken("it changes while it is read".to_owned());
            }
            Err(flaw) => return FileOnDisk::Broken(flaw.to_string()),
            Ok(facts) => {
                look.notes = facts.notes;
                None
            }
        };
        let Some(record) = record else {
            return unverifiable.map_or(FileOnDisk::Unrecorded, FileOnDisk::Unverifiable);
        };
        let Some(digits) = seen.hashes else {
            return FileOnDisk::Broken("it cannot be read to its end".to_owned());
        };
        let hash = recorded(record.hash.kind(), &digits.concat());
        match unverifiable {
            _ if hash != record.hash.to_string() => {
                FileOnDisk::Changed(difference(record.stamp, found))
            }
            _ if is_stale => FileOnDisk::Stale,
            Some(reason) => FileOnDisk::Unverifiable(reason),
            None if record.stamp == found => FileOnDisk::Valid,
            None => FileOnDisk::Touched,
        }
    }
}

/// Why a file cannot be decoded here that counts as whole all the same, where the job allows that.
pub(crate) fn unverifiable(deliverable: &Deliverable, file: &Path) -> Option<String> {
    if !deliverable.common.allows_unverifiable || deliverable.is_assembled() {
        return None;
    }
    match verify(file, &ExpectedPicture::from(deliverable)) {
        Err(Flaw::Unverifiable(reason)) => Some(reason),
        _ => None,
    }
}

fn is_stale(record: &KnownFile, fingerprint: Option<&str>) -> bool {
    let made = record.fingerprint();
    made.is_some() && fingerprint.is_some() && made != fingerprint
}

/// What a file is that is as recorded by size and time, and is not opened.
fn as_recorded(
    record: &KnownFile,
    fingerprint: Option<&str>,
    wanted: &ExpectedPicture,
) -> FileOnDisk {
    match &record.origin.unverifiable {
        _ if is_stale(record, fingerprint) => FileOnDisk::Stale,
        Some(reason) if !wanted.allows_unverifiable => FileOnDisk::Unverifiable(reason.to_string()),
        _ => FileOnDisk::Valid,
    }
}

/// Why a file that is taken as it is cannot be, if it cannot: it must be the right kind of picture all
/// the same.
pub(crate) fn refused(deliverable: &Deliverable, path: &str) -> Option<String> {
    match verify(Path::new(path), &ExpectedPicture::from(deliverable)) {
        Ok(_) | Err(Flaw::Unverifiable(_)) => None,
        Err(flaw) => Some(flaw.to_string()),
    }
}

/// Whether a folder, links followed, is still inside its place.
pub(crate) fn stays_inside(folder: &Path, root: &Path) -> io::Result<bool> {
    Ok(folder.canonicalize()?.starts_with(root.canonicalize()?))
}

#[cfg(test)]
mod tests {
    use std::fs;

    use truepath_core::picture::Size;

    use super::*;
    use crate::sample::{Project, picture, provenance, record_of, sized_picture};

    const WIDE: Size = Size {
        width: 8,
        height: 2,
    };

    /// What is there of frame 1 of a project's first deliverable.
    fn seen(project: &Project, ledger: &Ledger, fingerprint: &str, decode: bool) -> FileOnDisk {
        let one: FrameSet = "1".parse().unwrap();
        let first = project.deliverable(0);
        let mut seen = look(first, &one, ledger, Some(fingerprint), decode);
        seen.pop().unwrap().1
    }

    #[test]
    fn a_file_is_what_name_ledger_settings_and_bytes_make_it() {
        let project = Project::new();
        let path = project.deliverable(0).path(1);
        let file = Path::new(&path);
        let today = provenance().fingerprint.unwrap();
        let mut ledger = Ledger::default();
        assert_eq!(seen(&project, &ledger, &today, false), FileOnDisk::Missing);

        picture(file, 0.5);
        assert_eq!(
            seen(&project, &ledger, &today, false),
            FileOnDisk::Unrecorded
        );
        ledger.publish(&record_of(file));
        assert_eq!(seen(&project, &ledger, &today, false), FileOnDisk::Valid);
        assert_eq!(seen(&project, &ledger, &today, true), FileOnDisk::Valid);
        assert_eq!(
            seen(&project, &ledger, "other settings", false),
            FileOnDisk::Stale
        );

        // The same bytes at another time.
        let old = fs::FileTimes::new().set_modified(std::time::UNIX_EPOCH);
        fs::File::options()
            .write(true)
            .open(file)
            .unwrap()
            .set_times(old)
            .unwrap();
        assert_eq!(seen(&project, &ledger, &today, false), FileOnDisk::Touched);

        // Another whole picture of the right kind, one of another size, and half of one.
        picture(file, 0.75);
        let changed = seen(&project, &ledger, &today, false);
        assert!(matches!(changed, FileOnDisk::Changed(_)), "{changed:?}");
        sized_picture(file, WIDE, 0.5);
        let broken = seen(&project, &ledger, &today, false);
        assert!(
            matches!(&broken, FileOnDisk::Broken(why) if why.contains("8x2")),
            "{broken:?}"
        );
        fs::write(file, b"\x89PNG").unwrap();
        let broken = seen(&project, &ledger, &today, false);
        assert!(matches!(broken, FileOnDisk::Broken(_)), "{broken:?}");
    }

    #[test]
    fn a_changed_byte_shows_only_when_the_bytes_are_read() {
        let project = Project::new();
        let path = project.deliverable(0).path(1);
        let file = Path::new(&path);
        picture(file, 0.5);
        let today = provenance().fingerprint.unwrap();
        let mut ledger = Ledger::default();
        ledger.publish(&record_of(file));
        let time = fs::metadata(file).unwrap().modified().unwrap();
        // As long as before, with the time of before: what a bad cable or disk does.
        let mut bytes = fs::read(file).unwrap();
        let last = bytes.len() - 20;
        bytes[last] ^= 1;
        fs::write(file, bytes).unwrap();
        let times = fs::FileTimes::new().set_modified(time);
        fs::File::options()
            .write(true)
            .open(file)
            .unwrap()
            .set_times(times)
            .unwrap();
        assert_eq!(seen(&project, &ledger, &today, false), FileOnDisk::Valid);
        assert_ne!(seen(&project, &ledger, &today, true), FileOnDisk::Valid);
    }

    #[test]
    fn a_folder_or_a_link_in_the_place_of_a_frame_is_broken() {
        let project = Project::new();
        let path = project.deliverable(0).path(1);
        fs::create_dir(&path).unwrap();
        let ledger = Ledger::default();
        for decode in [false, true] {
            let broken = seen(&project, &ledger, "", decode);
            assert!(matches!(&broken, FileOnDisk::Broken(_)), "{broken:?}");
        }
    }

    #[test]
    fn a_brief_look_opens_only_so_many_files() {
        let project = Project::new();
        let first = project.deliverable(0);
        for frame in 1..=3 {
            picture(Path::new(&first.path(frame)), 0.5);
        }
        let mut ledger = Ledger::default();
        ledger.publish(&record_of(Path::new(&first.path(2))));
        let brief = look_briefly(first, &ledger, None, 1);
        assert_eq!(brief.frames, [(2, FileOnDisk::Valid)]);
        assert_eq!(brief.not_looked_into.to_string(), "1,3");
        let size = fs::metadata(first.path(2)).unwrap().len();
        assert_eq!(brief.bytes, size);
        let all = look_briefly(first, &ledger, None, 2);
        assert_eq!(all.frames.len(), 3);
        assert!(all.not_looked_into.is_empty());
    }

    #[test]
    fn frames_are_shown_by_reason() {
        let mut reasons = ByReason::default();
        for (reason, frame) in [("cut short", 3), ("8x2", 7), ("cut short", 2)] {
            reasons.add(reason.to_owned(), frame);
        }
        let frames = reasons.frames();
        let shown: Vec<String> = frames
            .iter()
            .map(|(why, set)| format!("{why}: {set}"))
            .collect();
        assert_eq!(shown, ["8x2: 7", "cut short: 2-3"]);
        assert_eq!(all_frames(&frames).to_string(), "2-3,7");
    }

    #[test]
    fn a_link_out_of_its_place_is_seen() {
        let folder = tempfile::tempdir().unwrap();
        let (place, other) = (folder.path().join("place"), folder.path().join("other"));
        fs::create_dir_all(place.join("renders")).unwrap();
        fs::create_dir(&other).unwrap();
        crate::system::symlink("../other", &place.join("link")).unwrap();
        assert!(stays_inside(&place.join("renders"), &place).unwrap());
        assert!(!stays_inside(&place.join("link"), &place).unwrap());
    }
}
