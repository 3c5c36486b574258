//! The understudy's scenes: a sun, and planets on rings, in TOML.

use std::collections::BTreeMap;

use serde::Deserialize;
use truepath_core::nearest::advice;

use crate::mishap::Mishap;

/// A scene.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Scene {
    /// What it is called in the pictures.
    pub title: String,
    /// Its frames, such as `1-96`; the planets go round once in them.
    pub frames: String,
    /// Its size in pixels, such as `512x512`.
    pub size: String,
    /// The passes that it can render; the first is rendered when none is asked for.
    pub passes: Vec<String>,
    /// Its cameras.
    pub camera: BTreeMap<String, Camera>,
    /// The camera that is used when none is asked for.
    pub default_camera: String,
    /// The sun in the middle.
    pub sun: Sun,
    /// The planets.
    #[serde(default)]
    pub planet: Vec<Planet>,
    /// How it misbehaves.
    #[serde(default)]
    pub mishap: Mishap,
}

/// A camera.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Camera {
    /// How flat the rings lie: 0 from above, 1 from the side.
    pub tilt: f32,
    /// Turned around the sun, in turns.
    #[serde(default)]
    pub turn: f32,
    /// Magnification.
    #[serde(default = "one")]
    pub zoom: f32,
}

fn one() -> f32 {
    1.0
}

/// The sun.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Sun {
    /// Radius; the picture's half width is 1.
    pub radius: f32,
    /// Red, green and blue, scene-linear.
    pub color: [f32; 3],
}

/// A planet.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Planet {
    /// Radius of its ring.
    pub ring: f32,
    /// Radius of the planet.
    pub radius: f32,
    /// Turns over the whole scene.
    pub turns: f32,
    /// Where it starts, in turns.
    #[serde(default)]
    pub start: f32,
    /// Red, green and blue, scene-linear.
    pub color: [f32; 3],
}

/// Why a scene cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum SceneError {
    /// It is not what a scene looks like.
    #[error("the scene cannot be read: {0}")]
    Unreadable(#[from] toml::de::Error),
    /// It has no such camera or pass.
    #[error("the scene has no {kind} `{name}`: {advice}")]
    Unknown {
        /// `camera` or `pass`.
        kind: &'static str,
        /// What was asked for.
        name: String,
        /// What would work.
        advice: String,
    },
}

impl Scene {
    /// Reads a scene.
    ///
    /// # Errors
    /// When the text is no scene.
    pub fn parse(text: &str) -> Result<Self, SceneError> {
        Ok(toml::from_str(text)?)
    }

    /// The camera of a name, or the scene's own.
    ///
    /// # Errors
    /// When there is none.
    pub fn camera(&self, name: Option<&str>) -> Result<Camera, SceneError> {
        let name = name.unwrap_or(&self.default_camera);
        let known: Vec<&str> = self.camera.keys().map(String::as_str).collect();
        self.camera
            .get(name)
            .copied()
            .ok_or_else(|| SceneError::Unknown {
                kind: "camera",
                name: name.to_owned(),
                advice: advice(name, &known),
            })
    }

    /// Holds a pass against the scene.
    ///
    /// # Errors
    /// When it is none of its passes.
    pub(crate) fn check_pass(&self, name: &str) -> Result<(), SceneError> {
        let known: Vec<&str> = self.passes.iter().map(String::as_str).collect();
        if known.contains(&name) {
            return Ok(());
        }
        Err(SceneError::Unknown {
            kind: "pass",
            name: name.to_owned(),
            advice: advice(name, &known),
        })
    }
}
