//! What `truepath compare --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;

use super::VERSION;
use crate::compared::{Compared, ComparedFrame};

/// How much pictures differ
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CompareShape {
    /// The version of this shape
    version: u32,
    /// Whether no value differs by more than the tolerance, and nothing is missing on either side
    alike: bool,
    /// The frames that both sides have, the worst first
    frames: Vec<ComparedShape>,
    /// What only the first side has
    only_first: Vec<String>,
    /// What only the second side has
    only_second: Vec<String>,
}

/// A frame of both sides
#[derive(Debug, Serialize, JsonSchema)]
struct ComparedShape {
    /// What it is a frame of
    sequence: String,
    /// The layer of the files; none for their main one
    layer: Option<String>,
    /// The frame
    frame: i64,
    /// The first file
    first: String,
    /// The second file
    second: String,
    /// Why they cannot be compared
    error: Option<String>,
    /// What else is in the files and was not compared
    not_compared: Vec<String>,
    /// The largest difference of a color value
    largest: Option<f32>,
    /// The mean difference of all color values
    mean: Option<f64>,
    /// The largest difference of alpha
    alpha_largest: Option<f32>,
    /// The mean difference of alpha
    alpha_mean: Option<f64>,
    /// Peak signal to noise ratio in decibels; none where nothing differs
    psnr: Option<f64>,
    /// Structural similarity; 1 where nothing differs
    ssim: Option<f64>,
    /// The part of the pixels that differ by more than the tolerance, from 0 to 1
    share: Option<f64>,
    /// Pixels that are a number on one side alone
    broken: Option<u64>,
}

impl CompareShape {
    pub(crate) fn of(compared: &Compared, alike: bool) -> Self {
        Self {
            version: VERSION,
            alike,
            frames: compared.frames.iter().map(ComparedShape::of).collect(),
            only_first: compared.only.0.clone(),
            only_second: compared.only.1.clone(),
        }
    }
}

impl ComparedShape {
    fn of(one: &ComparedFrame) -> Self {
        let seen = one.result.as_ref().ok();
        Self {
            sequence: one.title.clone(),
            layer: Some(one.layer.clone()).filter(|layer| !layer.is_empty()),
            frame: one.frame,
            first: one.paths.0.display().to_string(),
            second: one.paths.1.display().to_string(),
            error: one.result.as_ref().err().map(ToString::to_string),
            not_compared: one.notes.clone(),
            largest: seen.map(|seen| seen.largest),
            mean: seen.map(|seen| seen.mean),
            alpha_largest: seen.map(|seen| seen.alpha.0),
            alpha_mean: seen.map(|seen| seen.alpha.1),
            psnr: seen.map(|seen| seen.psnr).filter(|psnr| psnr.is_finite()),
            ssim: seen.map(|seen| seen.ssim),
            share: seen.map(|seen| seen.share),
            broken: seen.map(|seen| seen.broken),
        }
    }
}
