//! Motion JPEG: each picture a file of its own (ITU-T T.81), so that every frame can be cut out exactly.

use super::writer::MovieError;
use crate::raster::Raster;

/// The JPEG of a picture, of a quality from 1 to 100.
pub(super) fn encode(raster: &Raster, quality: u8) -> Result<Vec<u8>, MovieError> {
    let mut bytes = Vec::new();
    raster.write_jpeg(&mut bytes, quality)?;
    Ok(bytes)
}
