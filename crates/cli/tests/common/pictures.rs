//! Pictures to look at, and what was drawn of them.
#![allow(dead_code, unreachable_pub, clippy::unwrap_used)]

use std::fs;
use std::path::Path;

use super::{Project, linear};

/// A picture that was drawn.
pub fn read(path: &Path) -> image::RgbImage {
    image::open(path).unwrap().to_rgb8()
}

/// How many pixels have a color.
pub fn count(image: &image::RgbImage, color: [u8; 3]) -> usize {
    image.pixels().filter(|pixel| pixel.0 == color).count()
}

/// Five gray pictures, the fourth missing, in a folder `p`.
pub fn five_frames() -> Project {
    let project = Project::empty();
    fs::create_dir(project.path("p")).unwrap();
    for frame in [1, 2, 3, 5] {
        let path = project.path(&format!("p/a.{frame:04}.exr"));
        linear(&path, 0.18, frame as f32 / 10.0);
    }
    project
}
