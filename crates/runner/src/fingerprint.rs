//! The fingerprint of what makes a picture: not of chunks, threads, staging or machine.

use std::collections::HashMap;
use std::io;
use std::path::Path;

use sha2::{Digest, Sha256};
use truepath_core::deliverable::Deliverable;
use truepath_core::job::Word;

use crate::disk::{hash_file, hex};

/// Makes fingerprints; every scene is read once.
#[derive(Debug, Default)]
pub(crate) struct Fingerprints {
    scenes: HashMap<String, String>,
}

impl Fingerprints {
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
