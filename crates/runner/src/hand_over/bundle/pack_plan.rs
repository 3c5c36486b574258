//! What goes into the bundles of a job.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use truepath_core::command::frame_files;
use truepath_core::deliverable::{Deliverable, Expansion, Share};
use truepath_core::frames::FrameSet;
use truepath_core::job::{BundledJob, Key};
use truepath_core::source::{Place, SourceId};

use super::pack_error::{OutsideFile, PackError, disk_error};
use super::packed_files::FileList;
use crate::Loaded;
use crate::follow::status::{Follower, Row};
use crate::look::fingerprint::Fingerprints;

/// What is packed, and how.
#[derive(Debug, Clone)]
pub struct PackOptions {
    /// How strong each machine is; as many as there are parts.
    pub weights: Vec<u64>,
    /// Only frames that are not there yet.
    pub only_missing: bool,
    /// Files and folders outside of the project that may be packed.
    pub with: Vec<PathBuf>,
    /// The preset that was chosen.
    pub preset: Option<String>,
}

/// What goes into the bundles.
#[derive(Debug)]
pub struct PackPlan {
    /// The parts that have anything to make.
    pub parts: Vec<PartPlan>,
    /// How many parts the work was cut into.
    pub of: u64,
    /// The files that each bundle gets: where they are, and their paths below it.
    pub files: Vec<(PathBuf, String)>,
    /// The bytes of those files.
    pub bytes: u64,
    /// How many deliverables are made at home, once the frames are there: those that are assembled.
    pub at_home: u64,
    name: String,
    pub(super) bundled: BundledJob,
    /// What makes the pictures of each deliverable.
    pub(super) fingerprints: Vec<Option<String>>,
}

/// The part of a bundle.
#[derive(Debug)]
pub struct PartPlan {
    /// Which, from 1.
    pub number: u64,
    /// The name of the bundle.
    pub name: String,
    /// How many frames it makes.
    pub frames: u64,
    /// The frames of each deliverable.
    pub(super) frames_of: Vec<FrameSet>,
}

impl PackPlan {
    /// Looks at what there is to pack; nothing is written.
    ///
    /// # Errors
    /// When there is nothing to make, or files lie where a bundle cannot have them.
    pub fn new(
        loaded: &Loaded,
        expansion: &Expansion,
        options: &PackOptions,
    ) -> Result<Self, PackError> {
        if loaded.job.short && options.preset.is_some() {
            return Err(PackError::Job(
                "a job without tables has no place for a preset; write it with tables to pack it with one"
                    .to_owned(),
            ));
        }
        let all = &expansion.deliverables;
        let mut wanted = frames_to_pack(loaded, expansion, options)?;
        let mut at_home = 0;
        for (one, frames) in all.iter().zip(&mut wanted) {
            if one.is_assembled() || one.common.engine.is_absent {
                at_home += u64::from(!frames.is_empty());
                *frames = FrameSet::empty();
            }
        }
        let mut labels = BTreeSet::new();
        if let Some(twice) = all.iter().find(|one| !labels.insert(one.label())) {
            return Err(PackError::Job(format!(
                "two parts of the job are called {}",
                twice.label()
            )));
        }
        let name = bundle_name(loaded, all);
        let of = options.weights.len() as u64;
        let mut parts = Vec::new();
        let mut whole = expansion.clone();
        whole.keep_frames(&wanted);
        for number in 1..=of {
            let mut cut = whole.clone();
            let share = Share {
                part: number,
                weights: options.weights.clone(),
                interleaved: false,
                place: Place {
                    source: SourceId(0),
                    span: 0..0,
                },
            };
            share.keep(&mut cut);
            let frames_of: Vec<FrameSet> = cut
                .deliverables
                .iter()
                .map(|one| one.common.frames.selected.clone())
                .collect();
            let frames: u64 = frames_of.iter().map(FrameSet::count).sum();
            if frames > 0 {
                parts.push(PartPlan {
                    number,
                    name: format!("{name}-part{number}of{of}"),
                    frames,
                    frames_of,
                });
            }
        }
        if parts.is_empty() {
            return Err(PackError::Nothing(if options.only_missing {
                "nothing is missing".to_owned()
            } else {
                "no frame is chosen that another machine could render".to_owned()
            }));
        }
        let mut fingerprints = Fingerprints::new(loaded);
        let of_each: Vec<Option<String>> = all
            .iter()
            .map(|one| {
                let is_rendered = !one.is_assembled();
                let of = is_rendered.then(|| fingerprints.of(one).ok()).flatten();
                of.map(|fingerprint| fingerprint.now)
            })
            .collect();
        let mut packer = FileList::new(loaded, all);
        packer.add_job_files(loaded)?;
        fingerprints
            .needed_files()
            .for_each(|file| packer.add(file));
        for one in all {
            let named = fingerprints.named_files(one).into_iter();
            named.for_each(|file| packer.add(&file));
        }
        let chosen = parts
            .iter()
            .flat_map(|part: &PartPlan| all.iter().zip(&part.frames_of));
        for (one, frames) in chosen {
            let files = frames.iter().flat_map(|frame| frame_files(one, frame));
            files.for_each(|file| packer.add(Path::new(&file)));
        }
        for (scene, (hash, _)) in fingerprints.scenes() {
            packer.add_scene(Path::new(&scene), &hash, loaded)?;
        }
        let FileList {
            files,
            outside,
            no_text,
            places,
            ..
        } = packer;
        if !no_text.is_empty() {
            return Err(PackError::NoText(no_text.into_iter().collect()));
        }
        if !outside.is_empty() {
            let sized = outside.into_iter().map(|path| {
                let bytes = fs::metadata(&path).map_or(0, |facts| facts.len());
                (path, bytes)
            });
            return Err(PackError::Outside(sized.collect()));
        }
        let files: Vec<(PathBuf, String)> =
            files.into_iter().map(|(to, from)| (from, to)).collect();
        let mut allowed = vec![loaded.folder.clone()];
        allowed.extend(options.with.iter().cloned());
        // What engines said of scenes.
        let answers = loaded.state_folder().scenes();
        allowed.extend(answers.is_dir().then_some(answers));
        let strange = outside_of(&allowed, &files)?;
        if !strange.is_empty() {
            return Err(PackError::Unnamed(strange));
        }
        let size =
            |(from, _): &(PathBuf, String)| fs::metadata(from).map_or(0, |facts| facts.len());
        Ok(Self {
            bytes: files.iter().map(size).sum(),
            parts,
            of,
            files,
            at_home,
            name,
            bundled: BundledJob {
                is_short: loaded.job.short,
                part: Vec::new(),
                places,
                preset: options.preset.clone(),
                has_state: loaded.job.setting(Key::State).is_some(),
            },
            fingerprints: of_each,
        })
    }

    /// What the bundles are called, but for their parts.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }
}

/// The frames of each deliverable that are to be packed.
fn frames_to_pack(
    loaded: &Loaded,
    expansion: &Expansion,
    options: &PackOptions,
) -> Result<Vec<FrameSet>, PackError> {
    let selected = |one: &Deliverable| one.common.frames.selected.clone();
    if !options.only_missing {
        return Ok(expansion.deliverables.iter().map(selected).collect());
    }
    let status = Follower::new(loaded, expansion).look();
    let status = status.map_err(disk_error(loaded.state_folder().path()))?;
    Ok(status.rows.iter().map(Row::missing).collect())
}

/// `orrery-v003`
fn bundle_name(loaded: &Loaded, all: &[Deliverable]) -> String {
    let first = all.first().map(|one| &one.common.names);
    let folder = || {
        loaded
            .folder
            .file_name()
            .map(|name| name.to_string_lossy().into_owned())
    };
    let name = first
        .and_then(|names| names.project.clone())
        .or_else(folder)
        .unwrap_or_else(|| "job".to_owned());
    match first.and_then(|names| names.version) {
        Some(version) => format!("{name}-v{version:03}"),
        None => name,
    }
}

/// The files that lie in none of some folders once links are resolved: a job of a stranger must not carry away what it points
/// at.
fn outside_of(
    folders: &[PathBuf],
    files: &[(PathBuf, String)],
) -> Result<Vec<OutsideFile>, PackError> {
    let mut allowed = Vec::new();
    for path in folders {
        allowed.push(fs::canonicalize(path).map_err(disk_error(path))?);
    }
    let mut outside = Vec::new();
    for (from, to) in files {
        let real = fs::canonicalize(from).map_err(disk_error(from))?;
        if !allowed.iter().any(|folder| real.starts_with(folder)) {
            let bytes = fs::metadata(&real).map_or(0, |facts| facts.len());
            outside.push(OutsideFile {
                path: real,
                bytes,
                packed_as: to.clone(),
            });
        }
    }
    Ok(outside)
}
