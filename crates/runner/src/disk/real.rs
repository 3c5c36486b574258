//! The disk of this machine.

use std::fs::{self, File, OpenOptions};
use std::io::{self, Write};
use std::path::Path;

use super::{Append, Disk, Rewriter, unique_beside};
use crate::system;
use truepath_media::open_regular;

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
        system::symlink(target, name)
    }

    fn sync_file(&self, path: &Path) -> io::Result<()> {
        File::open(path)?.sync_all()
    }

    fn sync_folder(&self, folder: &Path) -> io::Result<()> {
        system::sync_folder(folder)
    }

    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        system::rename_new(from, to)
    }

    fn rename_over(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::rename(from, to)
    }

    fn copy_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        let mut source = open_regular(from)?;
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
        system::exchange(one, other)
    }

    fn second_name(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::hard_link(from, to)
    }

    fn write_whole(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        let half = unique_beside(path);
        // Never through a link that somebody has laid there.
        File::create_new(&half)?.write_all(bytes)?;
        fs::rename(&half, path)
    }

    fn write_new(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        File::create_new(path)?.write_all(bytes)
    }

    fn create_locked(&self, path: &Path, bytes: &[u8]) -> io::Result<File> {
        let whole = unique_beside(path);
        let mut file = File::create_new(&whole)?;
        file.write_all(bytes)?;
        system::lock_file(&file)?;
        crate::crash::point("locked");
        fs::rename(&whole, path)?;
        Ok(file)
    }

    fn rewriter(&self, path: &Path) -> Rewriter {
        let path = path.to_owned();
        Box::new(move |bytes| {
            // A link, or a file with further names, is somebody's: it gives way to a file of our own.
            let is_own = fs::symlink_metadata(&path)
                .is_ok_and(|facts| facts.is_file() && system::names(&facts) < 2);
            if !is_own {
                return RealDisk.write_whole(&path, bytes);
            }
            let mut file = system::open_own(&path)?;
            file.write_all(bytes)
        })
    }

    fn copy_permissions(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::set_permissions(to, fs::metadata(from)?.permissions())
    }

    fn remove_folder(&self, folder: &Path) -> io::Result<()> {
        fs::remove_dir(folder)
    }

    fn remove_file(&self, path: &Path) -> io::Result<()> {
        gone(fs::remove_file(path))
    }

    fn remove_tree(&self, folder: &Path) -> io::Result<()> {
        // Most are empty by then, and need not be looked through.
        match fs::remove_dir(folder) {
            Err(error) if error.kind() == io::ErrorKind::DirectoryNotEmpty => {
                gone(fs::remove_dir_all(folder))
            }
            removed => gone(removed),
        }
    }
}

/// What is not there any more need not be removed: a file server that was asked twice says so.
fn gone(removed: io::Result<()>) -> io::Result<()> {
    match removed {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
        removed => removed,
    }
}

struct RealLog(File);

impl Append for RealLog {
    fn append(&mut self, bytes: &[u8], sync: bool) -> io::Result<()> {
        self.0.write_all(bytes)?;
        if sync { self.0.sync_data() } else { Ok(()) }
    }
}
