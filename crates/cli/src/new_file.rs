//! Files that get their name when they are whole, and never replace another.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;

use crate::outcome::CommandError;

/// A file that is being written beside the place where it will be.
pub(crate) struct NewFile {
    file: NamedTempFile,
    to: PathBuf,
}

impl NewFile {
    /// Begins a file under a name that must be free.
    pub(crate) fn begin(to: &Path) -> io::Result<Self> {
        if to.symlink_metadata().is_ok() {
            return Err(io::Error::new(
                io::ErrorKind::AlreadyExists,
                "it is there already, and is not replaced",
            ));
        }
        let file =
            tempfile::Builder::new()
                .prefix(".truepath-")
                .make_in(folder_of(to), |path| {
                    File::options()
                        .read(true)
                        .write(true)
                        .create_new(true)
                        .open(path)
                })?;
        Ok(Self {
            file,
            to: to.to_owned(),
        })
    }

    /// What is to be written.
    pub(crate) fn file(&mut self) -> &mut File {
        self.file.as_file_mut()
    }

    /// Where it is until it has its name.
    pub(crate) fn path(&self) -> &Path {
        self.file.path()
    }

    /// Gives it its name, once its bytes are on the disk.
    pub(crate) fn finish(self) -> io::Result<()> {
        self.file.as_file().sync_all()?;
        self.file
            .persist_noclobber(&self.to)
            .map_err(|error| error.error)?;
        Ok(())
    }
}

/// The folder of a file, which may be the one that this program works in.
pub(crate) fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    }
}

/// How a file that cannot be begun is reported: a name that is taken is a mistake of the call.
pub(crate) fn taken(to: &Path) -> impl FnOnce(io::Error) -> CommandError {
    let what = to.display().to_string();
    move |error| match error.kind() {
        io::ErrorKind::AlreadyExists => {
            CommandError::Usage(format!("{what} is there already, and is not replaced"))
        }
        _ => CommandError::outside(what)(error),
    }
}
