//! Looks at files: by size and time where the ledger records them so, else by their content.

use std::borrow::Cow;
use std::io;
use std::path::Path;
use std::sync::Arc;

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::Frame;
use truepath_core::picture::{PictureKind, PictureMeasure, RenderedSamples};
use truepath_media::{ExamineOptions, ExpectedPicture, Flaw, HashKind, examine, verify};

use super::accepted::Accepted;
use super::depth::{Depth, LookAtFiles};
use super::found::{FileOnDisk, difference};
use super::neighbours::Neighbours;
use super::sources::{LackingFiles, SourcesLook};
use super::today::{Assembly, Today, WantedFingerprint};

use crate::Loaded;
use crate::disk::{Stamp, has_content, recorded, stamp};
use crate::look::fingerprint::Fingerprint;
use crate::look::proof;
use crate::record::ledger::{Files, KnownFile};

/// What a look at a file shows.
#[derive(Debug)]
pub(crate) struct FileLook {
    pub(crate) found: FileOnDisk,
    /// What else there is in a file that was decoded.
    pub(crate) notes: Vec<String>,
    pub(crate) measure: Option<PictureMeasure>,
    /// What the picture is, of one that was decoded.
    pub(crate) kind: Option<PictureKind>,
    /// How many samples its pixels have, by the ledger.
    pub(crate) samples: Option<RenderedSamples>,
    pub(crate) bytes: u64,
    /// Whether it was opened.
    pub(crate) is_opened: bool,
}

impl FileLook {
    fn of(found: FileOnDisk) -> Self {
        Self {
            found,
            notes: Vec::new(),
            measure: None,
            kind: None,
            samples: None,
            bytes: 0,
            is_opened: false,
        }
    }
}

/// Looks at the files of a deliverable.
pub(crate) struct Looker<'l> {
    deliverable: &'l Deliverable,
    today: Today<'l>,
    wanted: ExpectedPicture,
    around: LookAround<'l>,
}

/// What all lookers of a job share.
#[derive(Clone)]
pub(crate) struct LookAround<'l> {
    loaded: &'l Loaded,
    /// The jobs beside it.
    neighbours: Arc<Neighbours>,
}

impl<'l> LookAround<'l> {
    /// That of a job.
    pub(crate) fn of(loaded: &'l Loaded) -> Self {
        Self {
            loaded,
            neighbours: Arc::new(Neighbours::of(&loaded.folder)),
        }
    }
}

impl<'l> Looker<'l> {
    /// Looks at the files of a deliverable; `fingerprint` gives that of a deliverable that is rendered, none where nobody
    /// knows it.
    pub(crate) fn new(
        deliverable: &'l Deliverable,
        around: &LookAround<'l>,
        fingerprint: &mut dyn FnMut(&Deliverable) -> Option<Fingerprint>,
    ) -> Self {
        Self {
            deliverable,
            wanted: ExpectedPicture::from(deliverable),
            today: if deliverable.is_assembled() {
                let mut looker = |source| -> Box<dyn LookAtFiles + 'l> {
                    Box::new(Looker::new(source, around, fingerprint))
                };
                Today::Assembled(Assembly::new(deliverable, &mut looker))
            } else {
                Today::Rendered(fingerprint(deliverable))
            },
            around: around.clone(),
        }
    }

    /// The deliverable.
    pub(crate) fn deliverable(&self) -> &'l Deliverable {
        self.deliverable
    }

    /// The fingerprint that the picture of a frame should have that is rendered; none of others, and where nobody knows it.
    pub(crate) fn fingerprint(&self, frame: Frame) -> Option<Cow<'_, Fingerprint>> {
        match &self.today {
            Today::Rendered(fingerprint) => fingerprint
                .as_ref()
                .map(|fingerprint| fingerprint.of_frame(self.deliverable, frame)),
            Today::Assembled(_) => None,
        }
    }

    /// The fingerprint that a file should have that is made from others, or what is lacking of these.
    pub(crate) fn assembly(
        &self,
        frame: Frame,
        depth: Depth,
        files: &Files,
    ) -> Result<Option<String>, LackingFiles> {
        self.assembly_accepting(frame, depth, files, Accepted::NONE)
    }

    /// The same as it is once a run has taken some of them as they are.
    pub(crate) fn assembly_accepting(
        &self,
        frame: Frame,
        depth: Depth,
        files: &Files,
        accepted: &Accepted,
    ) -> Result<Option<String>, LackingFiles> {
        let Today::Assembled(assembly) = &self.today else {
            return Ok(None);
        };
        let sources = SourcesLook::new(
            self.deliverable,
            &assembly.sources,
            frame,
            depth,
            files,
            accepted,
        );
        if !sources.lacking.is_empty() {
            return Err(sources.lacking);
        }
        Ok(assembly.fingerprint(self.deliverable, &sources.hashes))
    }

    /// How many of the files that a file is made from the ledger does not record, by size and time.
    pub(super) fn unrecorded_sources(&self, frame: Frame, files: &Files) -> usize {
        match &self.today {
            Today::Rendered(_) => 0,
            Today::Assembled(assembly) => {
                let sources = SourcesLook::new(
                    self.deliverable,
                    &assembly.sources,
                    frame,
                    Depth::Stamp,
                    files,
                    Accepted::NONE,
                );
                sources.not_opened
            }
        }
    }

    /// Looks at the file of a frame.
    pub(crate) fn look(&self, frame: Frame, depth: Depth, files: &Files) -> FileLook {
        self.look_accepting(frame, depth, files, Accepted::NONE)
    }

    /// The same as it is once a run has taken some files as they are that it is made from.
    pub(crate) fn look_accepting(
        &self,
        frame: Frame,
        depth: Depth,
        files: &Files,
        accepted: &Accepted,
    ) -> FileLook {
        let path = self.deliverable.path(frame);
        let file = Path::new(&path);
        let on_disk = match stamp(file) {
            Ok(None) => return FileLook::of(FileOnDisk::Missing),
            Ok(Some(on_disk)) => on_disk,
            Err(error) => return FileLook::of(refused_by_disk(&error)),
        };
        let record = files.get(&path);
        let is_as_recorded = record.is_some_and(|record| record.stamp.may_show(on_disk));
        let mut look = FileLook {
            bytes: on_disk.size,
            samples: record.and_then(|record| record.origin.samples),
            ..FileLook::of(FileOnDisk::Missing)
        };
        if let Some(error) = record.and_then(|record| record.origin.error.as_deref()) {
            look.notes
                .push(format!("the engine reported an error: {error}"));
        }
        let record = record.map(|record| {
            let wanted = self
                .today
                .fingerprint(self.deliverable, frame, depth, files, accepted);
            Recorded {
                file: record,
                is_stale: is_stale(record, &wanted),
            }
        });
        look.found = match (depth, &record) {
            (Depth::Stamp | Depth::Unknown, Some(record)) if is_as_recorded => {
                self.as_recorded(record)
            }
            (Depth::Stamp, Some(record)) => {
                FileOnDisk::Changed(difference(record.file.stamp, on_disk))
            }
            (Depth::Stamp, None) => FileOnDisk::Unrecorded,
            _ => self.by_content(file, on_disk, record.as_ref(), depth, &mut look),
        };
        if look.found == FileOnDisk::Unrecorded
            && let Some(folder) = self.around.neighbours.publisher(&path, on_disk)
        {
            let folder = folder.display();
            let reason = format!("not this job's: the job in {folder} has published it");
            look.found = FileOnDisk::Changed(reason);
        }
        look
    }

    /// Reads a file, and compares it with the record, or with what is wanted.
    fn by_content(
        &self,
        file: &Path,
        on_disk: Stamp,
        record: Option<&Recorded<'_>>,
        depth: Depth,
        look: &mut FileLook,
    ) -> FileOnDisk {
        look.is_opened = true;
        // What was published was verified then: where the bytes are the same, so is all else.
        let is_movie_enough = depth != Depth::Decode || !self.may_prove();
        let is_enough = depth == Depth::Bytes || (self.is_movie() && is_movie_enough);
        if let Some(record) = record.filter(|_| is_enough) {
            match has_content(file, &record.file.hash.to_string()) {
                Err(error) => return refused_by_disk(&error),
                Ok(true) if record.file.stamp.may_show(on_disk) => return self.as_recorded(record),
                Ok(true) => return self.touched(record),
                Ok(false) => {}
            }
        }
        if self.is_movie() {
            self.prove(file, on_disk, record)
        } else {
            self.examine(file, on_disk, record, depth, look)
        }
    }

    fn is_movie(&self) -> bool {
        self.deliverable.movie().is_some()
    }

    /// Whether the program may be started that proves its movies.
    fn may_prove(&self) -> bool {
        let engine = &self.deliverable.common.engine;
        engine.proof.is_none() || self.around.loaded.may_start(engine)
    }

    /// Lets a program prove a movie, and compares its bytes with the record.
    fn prove(&self, file: &Path, on_disk: Stamp, record: Option<&Recorded<'_>>) -> FileOnDisk {
        let proven = if self.may_prove() {
            proof::prove(self.deliverable, file, &self.around.loaded.folder).map(drop)
        } else {
            let engine = &self.deliverable.common.engine.name;
            Err(Flaw::Unverifiable(format!(
                "the profile {engine} belongs to this project: only a run starts the program that proves it"
            )))
        };
        let unverifiable = match proven {
            Ok(()) => None,
            Err(Flaw::Unverifiable(reason)) => Some(reason),
            Err(flaw) => return broken(&flaw),
        };
        let same = |record: &Recorded<'_>| has_content(file, &record.file.hash.to_string());
        match record.map(same) {
            Some(Err(error)) => refused_by_disk(&error),
            same => self.against_record(
                on_disk,
                record,
                same.is_some_and(|same| same.unwrap_or(false)),
                unverifiable,
            ),
        }
    }

    /// Decodes a picture, and compares its bytes with the record.
    fn examine(
        &self,
        file: &Path,
        on_disk: Stamp,
        record: Option<&Recorded<'_>>,
        depth: Depth,
        look: &mut FileLook,
    ) -> FileOnDisk {
        let kinds: Vec<HashKind> = record
            .iter()
            .map(|record| record.file.hash.kind())
            .collect();
        let options = ExamineOptions {
            hashes: &kinds,
            measure: depth == Depth::Measure,
        };
        let seen = examine(file, &self.wanted, options);
        look.measure = seen.measure;
        let unverifiable = match seen.facts {
            Err(Flaw::Unverifiable(reason)) => Some(reason),
            // What other settings made may well be another kind of picture.
            Err(flaw) if record.is_some_and(|record| record.is_stale) && flaw.is_wrong_kind() => {
                None
            }
            // A file that is being written or removed is not what it was a moment ago.
            Err(_) if stamp(file).ok().flatten() != Some(on_disk) => {
                return FileOnDisk::Broken("it changes while it is read".to_owned());
            }
            Err(flaw) => return broken(&flaw),
            Ok(facts) => {
                look.kind = Some(facts.kind());
                look.notes.extend(facts.notes);
                None
            }
        };
        let is_same = match (record, seen.hashes) {
            (Some(record), Some(digits)) => {
                let hash = &record.file.hash;
                recorded(hash.kind(), &digits.concat()) == hash.to_string()
            }
            (Some(_), None) => {
                return FileOnDisk::Broken("it cannot be read to its end".to_owned());
            }
            (None, _) => false,
        };
        self.against_record(on_disk, record, is_same, unverifiable)
    }

    /// What a file is that was read whole: whether its bytes are those that are recorded, and why it could not be decoded.
    fn against_record(
        &self,
        on_disk: Stamp,
        record: Option<&Recorded<'_>>,
        is_same: bool,
        unverifiable: Option<String>,
    ) -> FileOnDisk {
        let unverifiable = unverifiable.filter(|_| !self.wanted.allows_unverifiable);
        let Some(record) = record else {
            return unverifiable.map_or(FileOnDisk::Unrecorded, FileOnDisk::Unverifiable);
        };
        if !is_same {
            return FileOnDisk::Changed(difference(record.file.stamp, on_disk));
        }
        // The run that published a movie has proven these very bytes.
        if self.is_movie() && record.file.origin.unverifiable.is_none() {
            return if record.file.stamp.may_show(on_disk) {
                self.as_recorded(record)
            } else {
                self.touched(record)
            };
        }
        match unverifiable {
            _ if record.is_stale => FileOnDisk::Stale,
            Some(reason) => FileOnDisk::Unverifiable(reason),
            None if record.file.stamp.may_show(on_disk) => FileOnDisk::Valid,
            None => FileOnDisk::Touched,
        }
    }

    /// What a file is whose bytes are those that are recorded, by size and time or by their hash.
    fn as_recorded(&self, record: &Recorded<'_>) -> FileOnDisk {
        match &record.file.origin.unverifiable {
            _ if record.is_stale => FileOnDisk::Stale,
            Some(reason) if !self.wanted.allows_unverifiable => {
                FileOnDisk::Unverifiable(reason.to_string())
            }
            _ => FileOnDisk::Valid,
        }
    }

    /// The same of one whose time of last change is another.
    fn touched(&self, record: &Recorded<'_>) -> FileOnDisk {
        match self.as_recorded(record) {
            FileOnDisk::Valid => FileOnDisk::Touched,
            other => other,
        }
    }
}

impl LookAtFiles for Looker<'_> {
    fn deliverable(&self) -> &Deliverable {
        self.deliverable
    }

    fn found(&self, frame: Frame, depth: Depth, files: &Files, accepted: &Accepted) -> FileOnDisk {
        self.look_accepting(frame, depth, files, accepted).found
    }
}

/// A recorded file, and whether it was made with other settings or from other files than those of today.
struct Recorded<'r> {
    file: &'r KnownFile,
    is_stale: bool,
}

/// Files of which nobody recorded what made them are never stale, as long as what they should be made from is whole.
fn is_stale(record: &KnownFile, wanted: &WantedFingerprint<'_>) -> bool {
    match (record.fingerprint(), wanted) {
        (_, WantedFingerprint::NotWhole) => true,
        (Some(made), WantedFingerprint::Known(wanted)) => !wanted.is(made),
        (None, _) | (_, WantedFingerprint::Unknown) => false,
    }
}

/// What a file is that the disk does not let this program look at.
fn refused_by_disk(error: &io::Error) -> FileOnDisk {
    match error.kind() {
        io::ErrorKind::PermissionDenied => {
            FileOnDisk::Unverifiable("it may not be read by this user".to_owned())
        }
        io::ErrorKind::NotFound => FileOnDisk::Missing,
        _ => FileOnDisk::Broken(error.to_string()),
    }
}

/// What a file is in which something is wrong.
fn broken(flaw: &Flaw) -> FileOnDisk {
    match flaw {
        Flaw::Unreadable(error) if error.kind() == io::ErrorKind::PermissionDenied => {
            refused_by_disk(error)
        }
        flaw => FileOnDisk::Broken(flaw.to_string()),
    }
}

/// Why a file cannot be decoded here that counts as whole all the same, where the job allows that.
pub(crate) fn unverifiable(deliverable: &Deliverable, file: &Path) -> Option<String> {
    if !deliverable.common.allows_unverifiable || deliverable.movie().is_some() {
        return None;
    }
    match verify(file, &ExpectedPicture::from(deliverable)) {
        Err(Flaw::Unverifiable(reason)) => Some(reason),
        _ => None,
    }
}

/// Why a file that is taken as it is cannot be, if it cannot: it must be the right kind of file all the same.
pub(crate) fn refused(deliverable: &Deliverable, path: &str, folder: &Path) -> Option<String> {
    let file = Path::new(path);
    let seen = if deliverable.movie().is_some() {
        proof::prove(deliverable, file, folder).map(drop)
    } else {
        verify(file, &ExpectedPicture::from(deliverable)).map(drop)
    };
    match seen {
        Ok(()) | Err(Flaw::Unverifiable(_)) => None,
        Err(flaw) => Some(flaw.to_string()),
    }
}
