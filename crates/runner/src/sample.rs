//! A project in a temporary folder, for the tests of this crate.

use std::fs;
use std::path::{Path, PathBuf};

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::deliverable::{Deliverable, DeliverableId, Expansion, Selection, expand};
use truepath_core::picture::{Bits, Channels, Size};
use truepath_media::Canvas;

use crate::load::{Loaded, load};
use crate::make::publish::Provenance;
use crate::record::ledger::Record;
use crate::record::run_record::When;
use crate::record::state_folder::StateFolder;

/// The profile of the simulated renderer.
const UNDERSTUDY: &str = include_str!("../../cli/engines/understudy.toml");

/// A project in a temporary folder.
pub(crate) struct Project {
    folder: tempfile::TempDir,
    pub(crate) loaded: Loaded,
    pub(crate) expansion: Expansion,
}

impl Project {
    /// Three frames of 4 by 2 pixels, in two passes.
    pub(crate) fn new() -> Self {
        Self::with("frames = \"1-3\"\npasses = [\"beauty\", \"depth\"]\n")
    }

    /// Frames of 4 by 2 pixels, with more lines in the job.
    pub(crate) fn with(lines: &str) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let job = format!(
            "scene = \"kiln.toml\"\nengine = \"understudy\"\nsize = \"4x2\"\n{lines}\
             path = \"renders/{{shot}}{{?_{{pass}}}}.{{frame:04}}.png\"\n"
        );
        let path = folder.path().join("truepath.toml");
        fs::write(&path, job).unwrap();
        fs::write(folder.path().join("kiln.toml"), "title = \"kiln\"\n").unwrap();
        fs::create_dir(folder.path().join("renders")).unwrap();
        let profiles = [("understudy", UNDERSTUDY)];
        let loaded = load(&path, &[], &profiles, When::Next, None).unwrap();
        let expansion = expand(&loaded.job, &loaded.surroundings, &Selection::default());
        assert!(expansion.problems.is_empty(), "{:?}", expansion.problems);
        Self {
            folder,
            loaded,
            expansion,
        }
    }

    /// A path in its folder.
    pub(crate) fn path(&self, relative: &str) -> PathBuf {
        self.folder.path().join(relative)
    }

    pub(crate) fn state(&self) -> StateFolder {
        self.loaded.state_folder()
    }

    pub(crate) fn deliverable(&self, index: usize) -> &Deliverable {
        &self.expansion.deliverables[index]
    }

    /// The members of one process that makes all deliverables.
    pub(crate) fn members(&self) -> AtLeastOne<(DeliverableId, &Deliverable, Provenance)> {
        let all = DeliverableId::with_each(&self.expansion.deliverables);
        AtLeastOne::new(all.map(|(index, one)| (index, one, provenance())).collect()).unwrap()
    }

    /// The names of the files in a folder, sorted.
    pub(crate) fn names(&self, relative: &str) -> Vec<String> {
        names(&self.path(relative))
    }
}

/// The names of what is in a folder, sorted.
pub(crate) fn names(folder: &Path) -> Vec<String> {
    let entries = fs::read_dir(folder).unwrap();
    let mut names: Vec<String> = entries
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    names.sort();
    names
}

/// What made the pictures of these tests.
pub(crate) fn provenance() -> Provenance {
    Provenance {
        engine: "understudy".to_owned(),
        fingerprint: Some("f".repeat(32)),
        run: Some("2026-02-03T04:05:06/0".to_owned()),
    }
}

/// A whole picture of 4 by 2 pixels, of one gray.
pub(crate) fn picture(path: &Path, gray: f32) {
    let size = Size {
        width: 4,
        height: 2,
    };
    sized_picture(path, size, gray);
}

/// A whole picture of one gray.
pub(crate) fn sized_picture(path: &Path, size: Size, gray: f32) {
    let mut canvas = Canvas::new(size, Channels::Rgb);
    canvas.values.fill(gray);
    let mut bytes = Vec::new();
    canvas.write_png(&mut bytes, Bits::Eight).unwrap();
    fs::write(path, bytes).unwrap();
}

/// What a ledger records of a file that has its true name.
pub(crate) fn record_of(path: &Path) -> Record {
    crate::make::publish::record(path, path, &provenance()).unwrap()
}
