//! How drawings are written: sheets, and differences.

use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

use truepath_media::Raster;

use crate::error::CommandError;
use crate::new_file::NewFile;

/// What a drawing is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum DrawingFormat {
    Png,
    Jpeg,
}

impl DrawingFormat {
    /// By the extension of a file.
    pub(crate) fn of(path: &Path) -> Result<Self, CommandError> {
        let extension = path
            .extension()
            .unwrap_or_default()
            .to_string_lossy()
            .to_lowercase();
        match extension.as_str() {
            "png" => Ok(Self::Png),
            "jpg" | "jpeg" => Ok(Self::Jpeg),
            _ => Err(CommandError::Usage(format!(
                "{} ends neither in .png nor in .jpg",
                path.display()
            ))),
        }
    }

    /// Writes a picture under a name that must be free.
    pub(crate) fn write(self, path: &Path, raster: &Raster) -> Result<(), (PathBuf, io::Error)> {
        let write = || -> io::Result<()> {
            let mut file = NewFile::begin(path)?;
            let mut out = BufWriter::new(file.file());
            match self {
                Self::Png => raster.write_png(&mut out)?,
                Self::Jpeg => raster.write_jpeg(&mut out, 90)?,
            }
            out.flush()?;
            drop(out);
            file.finish()
        };
        write().map_err(|error| (path.to_owned(), error))
    }
}
