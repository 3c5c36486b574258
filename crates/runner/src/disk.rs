//! The disk behind a trait: every operation that changes something goes through it.

use std::fs::{self, File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use sha2::{Digest, Sha256};

/// What a run does to the disk.
pub trait Disk: Sync {
    /// Makes a folder and all above it, and makes sure that they stay.
    ///
    /// # Errors
    /// When the disk refuses.
    fn create_folders(&self, folder: &Path) -> io::Result<()>;

    /// Makes a folder that must not be there yet.
    ///
    /// # Errors
    /// When it is there or the disk refuses.
    fn create_new_folder(&self, folder: &Path) -> io::Result<()>;

    /// Lays a symbolic link.
    ///
    /// # Errors
    /// When the name is taken or the disk refuses.
    fn link(&self, target: &str, name: &Path) -> io::Result<()>;

    /// Makes sure that the bytes of a file stay.
    ///
    /// # Errors
    /// When the disk refuses; then the bytes must be taken for lost.
    fn sync_file(&self, path: &Path) -> io::Result<()>;

    /// Makes sure that the names in a folder stay.
    ///
    /// # Errors
    /// When the disk refuses.
    fn sync_folder(&self, folder: &Path) -> io::Result<()>;

    /// Renames a file and never replaces one.
    ///
    /// # Errors
    /// `AlreadyExists` when the name is taken, or what the disk says.
    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Copies a file to a name that is free, and makes sure that the bytes stay.
    ///
    /// # Errors
    /// When the name is taken or the disk refuses.
    fn copy_new(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Opens a new file to append to.
    ///
    /// # Errors
    /// When the name is taken or the disk refuses.
    fn create_log(&self, path: &Path) -> io::Result<Box<dyn Append>>;

    /// Lets two files change their names, each atomically taking the other's place.
    ///
    /// # Errors
    /// When one is not there, or the file system cannot do it.
    fn exchange(&self, one: &Path, other: &Path) -> io::Result<()>;

    /// Gives a file of our own a second name, which must be free.
    ///
    /// # Errors
    /// `AlreadyExists` when the name is taken, or what the disk says.
    fn second_name(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Writes a small file of our own whole, in place of what has the name.
    ///
    /// # Errors
    /// When the disk refuses.
    fn write_whole(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;

    /// Writes a small file of our own whose name must be free.
    ///
    /// # Errors
    /// When the name is taken or the disk refuses.
    fn write_new(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;

    /// Removes a file.
    ///
    /// # Errors
    /// When the disk refuses.
    fn remove_file(&self, path: &Path) -> io::Result<()>;

    /// Removes a folder of our own with all that is in it.
    ///
    /// # Errors
    /// When the disk refuses.
    fn remove_tree(&self, folder: &Path) -> io::Result<()>;
}

/// A file that lines are appended to.
pub trait Append: Send {
    /// Appends bytes; with `sync` they stay once this returns.
    ///
    /// # Errors
    /// When the disk refuses.
    fn append(&mut self, bytes: &[u8], sync: bool) -> io::Result<()>;
}

/// The disk of this machine.
#[derive(Debug, Clone, Copy, Default)]
pub struct RealDisk;

impl Disk for RealDisk {
    fn create_folders(&self, folder: &Path) -> io::Result<()> {
        if folder.is_dir() {
            return Ok(());
        }
        if let Some(above) = folder
            .parent()
            .filter(|above| !above.as_os_str().is_empty())
        {
            self.create_folders(above)?;
            match fs::create_dir(folder) {
                Err(error) if error.kind() != io::ErrorKind::AlreadyExists => return Err(error),
                _ => {}
            }
            return self.sync_folder(above);
        }
        fs::create_dir_all(folder)
    }

    fn create_new_folder(&self, folder: &Path) -> io::Result<()> {
        fs::create_dir(folder)
    }

    fn link(&self, target: &str, name: &Path) -> io::Result<()> {
        rustix::fs::symlink(target, name).map_err(io::Error::from)
    }

    fn sync_file(&self, path: &Path) -> io::Result<()> {
        File::open(path)?.sync_all()
    }

    fn sync_folder(&self, folder: &Path) -> io::Result<()> {
        File::open(folder)?.sync_all()
    }

    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        use rustix::fs::{CWD, RenameFlags, renameat_with};
        match renameat_with(CWD, from, CWD, to, RenameFlags::NOREPLACE) {
            Ok(()) => Ok(()),
            // A file system that knows no flags: a link never replaces either.
            Err(
                rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS | rustix::io::Errno::NOTSUP,
            ) => {
                fs::hard_link(from, to)?;
                fs::remove_file(from)
            }
            Err(error) => Err(error.into()),
        }
    }

    fn copy_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        let mut source = File::open(from)?;
        let mut copy = OpenOptions::new().write(true).create_new(true).open(to)?;
        io::copy(&mut source, &mut copy)?;
        copy.sync_all()
    }

    fn create_log(&self, path: &Path) -> io::Result<Box<dyn Append>> {
        let file = OpenOptions::new()
            .append(true)
            .create_new(true)
            .open(path)?;
        Ok(Box::new(RealLog(file)))
    }

    fn exchange(&self, one: &Path, other: &Path) -> io::Result<()> {
        use rustix::fs::{CWD, RenameFlags, renameat_with};
        Ok(renameat_with(CWD, one, CWD, other, RenameFlags::EXCHANGE)?)
    }

    fn second_name(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::hard_link(from, to)
    }

    fn write_whole(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        let mut half = path.as_os_str().to_owned();
        half.push(".half");
        fs::write(&half, bytes)?;
        fs::rename(&half, path)
    }

    fn write_new(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        File::create_new(path)?.write_all(bytes)
    }

    fn remove_file(&self, path: &Path) -> io::Result<()> {
        fs::remove_file(path)
    }

    fn remove_tree(&self, folder: &Path) -> io::Result<()> {
        // Most are empty by then, and need not be looked through.
        match fs::remove_dir(folder) {
            Err(error) if error.kind() == io::ErrorKind::DirectoryNotEmpty => {
                fs::remove_dir_all(folder)
            }
            removed => removed,
        }
    }
}

struct RealLog(File);

impl Append for RealLog {
    fn append(&mut self, bytes: &[u8], sync: bool) -> io::Result<()> {
        self.0.write_all(bytes)?;
        if sync { self.0.sync_data() } else { Ok(()) }
    }
}

/// Size and time of last change of a file; what is compared before its bytes are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Stamp {
    /// Bytes.
    pub size: u64,
    /// Nanoseconds since 1970.
    pub modified: i64,
}

/// The stamp of a regular file; `None` where there is no file of any kind.
///
/// # Errors
/// When the disk refuses, or something else than a regular file stands there.
pub fn stamp(path: &Path) -> io::Result<Option<Stamp>> {
    use std::os::unix::fs::MetadataExt;
    match fs::symlink_metadata(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
        Ok(meta) if !meta.is_file() => Err(io::Error::new(
            io::ErrorKind::AlreadyExists,
            "something else than a file has this name",
        )),
        Ok(meta) => Ok(Some(Stamp {
            size: meta.len(),
            modified: meta.mtime() * 1_000_000_000 + meta.mtime_nsec(),
        })),
    }
}

/// The SHA-256 (FIPS 180-4) of a file, in hexadecimal digits.
///
/// # Errors
/// When it cannot be read.
pub fn hash_file(path: &Path) -> io::Result<String> {
    let mut file = File::open(path)?;
    let mut hasher = Sha256::new();
    let mut buffer = vec![0; 1 << 16];
    loop {
        match file.read(&mut buffer)? {
            0 => return Ok(hex(&hasher.finalize())),
            read => hasher.update(&buffer[..read]),
        }
    }
}

/// Files up to so many bytes are hashed whole by [`hash_outline`].
const WHOLE: u64 = 1 << 26;
/// Of larger ones it hashes so many bytes at either end.
const END: u64 = 1 << 20;

/// The SHA-256 of a file, or of a large one's length with its beginning and end: files that scenes
/// need may be caches of many gigabytes, and are looked at in every call.
pub(crate) fn hash_outline(path: &Path) -> io::Result<String> {
    let mut file = File::open(path)?;
    let length = file.metadata()?.len();
    if length <= WHOLE {
        return hash_file(path);
    }
    let mut hasher = Sha256::new();
    hasher.update(length.to_le_bytes());
    let mut bytes = Vec::new();
    for start in [0, length - END] {
        bytes.clear();
        file.seek(SeekFrom::Start(start))?;
        (&mut file).take(END).read_to_end(&mut bytes)?;
        hasher.update(&bytes);
    }
    Ok(hex(&hasher.finalize()))
}

/// Bytes as hexadecimal digits.
pub(crate) fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// A name in a folder that is free: `name`, `name.2`, `name.3` …
pub(crate) fn free_name(folder: &Path, name: &str) -> PathBuf {
    let mut path = folder.join(name);
    let mut number = 2;
    while fs::symlink_metadata(&path).is_ok() {
        path = folder.join(format!("{name}.{number}"));
        number += 1;
    }
    path
}
