//! Files that get their name when they are whole, and never replace another.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;

use crate::error::CommandError;

/// A file that is being written beside the place where it will be.
pub(crate) struct NewFile {
    file: Begun,
    to: PathBuf,
}

/// Until it has its name.
enum Begun {
    /// It has no name at all, and is gone with this process.
    Unnamed(File, PathBuf),
    /// It has another one, on systems and disks that know no files without names.
    Named(NamedTempFile),
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
        let file = match unnamed(folder_of(to)) {
            Some((file, path)) => Begun::Unnamed(file, path),
            None => Begun::Named(named_in(folder_of(to), "")?),
        };
        Ok(Self {
            file,
            to: to.to_owned(),
        })
    }

    /// What is to be written.
    pub(crate) fn file(&mut self) -> &mut File {
        match &mut self.file {
            Begun::Unnamed(file, _) => file,
            Begun::Named(file) => file.as_file_mut(),
        }
    }

    /// Where this process can read it until it has its name.
    pub(crate) fn path(&self) -> &Path {
        match &self.file {
            Begun::Unnamed(_, path) => path,
            Begun::Named(file) => file.path(),
        }
    }

    /// Gives it its name, once its bytes are on the disk.
    pub(crate) fn finish(mut self) -> io::Result<()> {
        self.file().sync_all()?;
        match self.file {
            Begun::Unnamed(_, path) => give_name(&path, &self.to),
            Begun::Named(file) => {
                let named = file.persist_noclobber(&self.to);
                named.map(drop).map_err(|error| error.error)
            }
        }
    }
}

/// A file under a name that nobody else uses, with this ending; it is gone unless it is given another name.
pub(crate) fn named_in(folder: &Path, ending: &str) -> io::Result<NamedTempFile> {
    let open = |path: &Path| {
        File::options()
            .read(true)
            .write(true)
            .create_new(true)
            .open(path)
    };
    tempfile::Builder::new()
        .prefix(".truepath-")
        .suffix(ending)
        .make_in(folder, open)
}

/// A file without a name on the disk of a folder, and where this process can read it; none where there is no such thing.
#[cfg(target_os = "linux")]
fn unnamed(folder: &Path) -> Option<(File, PathBuf)> {
    use rustix::fs::{Mode, OFlags, open};
    use std::os::fd::AsRawFd;
    let mode = Mode::from_raw_mode(0o666);
    let file = open(
        folder,
        OFlags::TMPFILE | OFlags::RDWR | OFlags::CLOEXEC,
        mode,
    )
    .ok()?;
    let file = File::from(file);
    let path = PathBuf::from(format!("/proc/self/fd/{}", file.as_raw_fd()));
    path.exists().then_some((file, path))
}

#[cfg(not(target_os = "linux"))]
fn unnamed(_: &Path) -> Option<(File, PathBuf)> {
    None
}

/// Gives a file without a name its name, which must be free.
#[cfg(target_os = "linux")]
fn give_name(unnamed: &Path, to: &Path) -> io::Result<()> {
    use rustix::fs::{AtFlags, CWD, linkat};
    Ok(linkat(CWD, unnamed, CWD, to, AtFlags::SYMLINK_FOLLOW)?)
}

#[cfg(not(target_os = "linux"))]
fn give_name(_: &Path, _: &Path) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
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
