//! The layers of OpenEXR files.
//!
//! - `file` knows the layers of a file by its header, and reads its rows one after another.
//! - `write` puts rows of layers into a new file: apart or together, bit for bit, in the memory of a few rows.
//! - `decoded` has the layers of a whole file in memory, to compare and show them.

mod decoded;
mod file;
mod write;

use crate::regular_file::open_regular;
use std::io::BufReader;
use std::path::Path;

use exr::meta::MetaData;
use truepath_core::picture::{FORMATS, FileFormat};

pub use decoded::{PictureLayer, read_layers};
pub use file::{FileLayer, LayeredFile};
pub use write::{ChosenLayer, LayerError, write_layers};

use crate::facts::{ExpectedPicture, Flaw};
use crate::quiet;
use crate::verify;

/// Sees that a file is a whole OpenEXR file, by the strict reader.
fn verify_whole(path: &Path) -> Result<(), Flaw> {
    let format = FORMATS
        .iter()
        .find(|one| one.format == Some(FileFormat::Exr));
    let format = format.ok_or_else(|| Flaw::unverifiable("EXR is not known"))?;
    verify(path, &ExpectedPicture::of_format(format)).map(drop)
}

/// What is not handled of channels.
fn of_fewer_samples() -> Flaw {
    Flaw::unverifiable("subsampled channels are not taken apart")
}

/// The layer that a channel of a part belongs to, and its name there.
fn layer_and_channel<'c>(part: &str, whole: &'c str) -> (String, &'c str) {
    let (group, name) = whole.rsplit_once('.').unwrap_or(("", whole));
    let layer = [part, group].join(".").trim_matches('.').to_owned();
    (layer, name)
}

/// The names of the layers of a file by its header alone, in the order of [`read_layers`].
///
/// # Errors
/// When it has no header of an OpenEXR file.
pub fn layer_names(path: &Path) -> Result<Vec<String>, Flaw> {
    let file = BufReader::new(open_regular(path)?);
    let header = quiet::decoding(|| {
        MetaData::read_from_buffered(file, false).map_err(|error| Flaw::Broken(error.to_string()))
    });
    let header =
        header.unwrap_or_else(|| Err(Flaw::Broken("the decoder gave up on it".to_owned())))?;
    let mut names = Vec::new();
    for part in &header.headers {
        let own = part.own_attributes.layer_name.as_ref();
        let own = own.map(ToString::to_string).unwrap_or_default();
        let mut of_part: Vec<String> = Vec::new();
        for channel in &part.channels.list {
            let (layer, _) = layer_and_channel(&own, &channel.name.to_string());
            if !of_part.contains(&layer) {
                of_part.push(layer);
            }
        }
        names.extend(of_part);
    }
    Ok(names)
}
