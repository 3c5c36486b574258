//! The fingerprint of what makes a picture: not of chunks, threads, staging or machine.

use std::collections::HashMap;
use std::io;
use std::path::Path;

use sha2::{Digest, Sha256};
use truepath_core::deliverable::Deliverable;
use truepath_core::engine::{Call, SourceFiles, arguments};
use truepath_core::frames::FrameSet;
use truepath_core::job::Word;

use crate::disk::{hash_file, hex};

/// Makes fingerprints; every scene is read once.
#[derive(Debug, Default)]
pub(crate) struct Fingerprints {
    scenes: HashMap<String, String>,
}

impl Fingerprints {
    /// Every scene that was read, with the hash of what it held.
    pub(crate) fn scenes(self) -> HashMap<String, String> {
        self.scenes
    }

    /// The fingerprint of a movie, from the hashes of the frames that it is put together from.
    pub(crate) fn of_movie(
        &mut self,
        deliverable: &Deliverable,
        frames: &[String],
    ) -> io::Result<String> {
        let mut hasher = Sha256::new();
        let common = &deliverable.common;
        let staging = FrameSet::from_frames(common.clip.first());
        let call = Call {
            profile: &common.engine,
            deliverables: &[deliverable],
            frames: &staging,
            staging: "",
            prepared: None,
        };
        // Where the frames and the sound lie is no part of it, and what they hold is.
        let audio = deliverable.movie().and_then(|movie| movie.audio.as_ref());
        let sound = match audio {
            Some(audio) => hash_file(Path::new(&audio.value))?,
            None => String::new(),
        };
        let source = deliverable.movie().and_then(|movie| movie.source.as_ref());
        let printf = source.map(|source| SourceFiles::of(source));
        for argument in arguments(&call, true).unwrap_or_default() {
            let is_source =
                matches!(&printf, Some(SourceFiles::Direct { printf, .. }) if *printf == argument);
            if !is_source && audio.is_none_or(|audio| audio.value != argument) {
                hasher.update(format!("argument {} {argument}\n", argument.len()));
            }
        }
        hasher.update(format!("sound {sound}\n"));
        for hash in frames {
            hasher.update(format!("frame {hash}\n"));
        }
        Ok(hex(&hasher.finalize()[..16]))
    }

    /// The fingerprint of the pictures of a deliverable.
    pub(crate) fn of(&mut self, deliverable: &Deliverable) -> io::Result<String> {
        let common = &deliverable.common;
        let scene = match &common.scene {
            None => String::new(),
            Some(scene) => match self.scenes.get(&scene.path) {
                Some(hash) => hash.clone(),
                None => {
                    let hash = hash_file(Path::new(&scene.path))?;
                    self.scenes.insert(scene.path.clone(), hash.clone());
                    hash
                }
            },
        };
        let mut hasher = Sha256::new();
        let mut add = |name: &str, value: &str| {
            // Lengths keep neighbours apart.
            hasher.update(format!("{name} {} {value}\n", value.len()));
        };
        add("engine", &common.engine.name);
        for argument in &common.engine.arguments {
            for template in argument.put.iter().filter(|_| argument.changes_picture) {
                add("argument", &template.to_string());
            }
        }
        add("scene", &scene);
        for end in [common.clip.first(), common.clip.last()] {
            add("clip", &end.unwrap_or(0).to_string());
        }
        for (name, value) in deliverable.picture.said() {
            add(name, &value);
        }
        add(
            "camera",
            Word::text_of(common.camera.as_ref()).unwrap_or_default(),
        );
        for plane in deliverable.planes.iter() {
            add(
                "pass",
                Word::text_of(plane.pass.as_ref()).unwrap_or_default(),
            );
            add(
                "view",
                Word::text_of(plane.view.as_ref()).unwrap_or_default(),
            );
        }
        for (table, values) in [("setting", &deliverable.settings), ("env", &common.env)] {
            let mut values: Vec<_> = values.iter().collect();
            values.sort_by(|one, other| one.0.cmp(&other.0));
            for (key, word) in values {
                add(table, key);
                add(key, &word.text);
            }
        }
        Ok(hex(&hasher.finalize()[..16]))
    }
}
