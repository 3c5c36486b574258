//! Bundles as one file: a tar, packed by Zstandard (RFC 8878).

use std::fs::{self, File};
use std::io::{self, BufReader, BufWriter, Read, Write};
use std::path::{Component, Path, PathBuf};

use tar::{Archive, Builder, EntryType, Header};

use super::list::LIST_FILE;
use crate::system::free_space;
use truepath_media::open_regular;

/// What archives end in.
pub(super) const ARCHIVE: &str = ".tar.zst";
/// How hard files are packed: pictures and scenes hardly get smaller by more.
const LEVEL: i32 = 3;

/// So many bytes may come out of any archive.
const MOST_OF_ANY: u64 = 256 << 20;
/// And so many more for each byte of it: pictures of one color are packed well.
const MOST_RATIO: u64 = 1000;

/// A reader that has so many bytes left, and refuses to give more.
struct Bounded<R> {
    reader: R,
    left: u64,
}

impl<R: Read> Read for Bounded<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.reader.read(buffer)?;
        match self.left.checked_sub(read as u64) {
            Some(left) => self.left = left,
            None => {
                return Err(io::Error::new(
                    io::ErrorKind::FileTooLarge,
                    "far more comes out of it than an archive of this size holds",
                ));
            }
        }
        Ok(read)
    }
}

/// Whether a path names an archive in place of a folder.
pub(super) fn is_archive(path: &Path) -> bool {
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    [ARCHIVE, ".tar"].iter().any(|end| name.ends_with(end)) && path.is_file()
}

/// Writes a folder with all its files into a new file, below a name. No owner and no time go in: the same content gives
/// the same bytes.
pub(super) fn write_archive(folder: &Path, name: &str, to: &Path) -> io::Result<()> {
    let out = File::options().write(true).create_new(true).open(to)?;
    let packed = zstd::Encoder::new(BufWriter::new(out), LEVEL)?;
    let mut tar = Builder::new(packed);
    for path in files_below(folder)? {
        let below = path.strip_prefix(folder).map_err(io::Error::other)?;
        let mut file = open_regular(&path)?;
        let mut header = Header::new_gnu();
        header.set_entry_type(EntryType::Regular);
        header.set_size(file.metadata()?.len());
        header.set_mode(0o644);
        header.set_mtime(0);
        tar.append_data(&mut header, Path::new(name).join(below), &mut file)?;
    }
    let mut out = tar.into_inner()?.finish()?;
    out.flush()?;
    out.get_ref().sync_all()
}

/// The files below a folder, in the order of their paths.
fn files_below(folder: &Path) -> io::Result<Vec<PathBuf>> {
    let mut found = Vec::new();
    let mut open = vec![folder.to_owned()];
    while let Some(folder) = open.pop() {
        for entry in fs::read_dir(folder)? {
            let entry = entry?;
            if entry.file_type()?.is_dir() {
                open.push(entry.path());
            } else {
                found.push(entry.path());
            }
        }
    }
    found.sort();
    Ok(found)
}

/// Unpacks an archive into a folder; gives the folder of the bundle in it. Nothing but files and folders below it is
/// unpacked.
///
/// # Errors
/// In words: when it is damaged, does not fit, or holds links or names that lead out of the folder.
pub(super) fn unpack_archive(archive: &Path, into: &Path) -> Result<PathBuf, String> {
    let damaged = |error: io::Error| format!("it cannot be unpacked: {error}");
    let file = open_regular(archive).map_err(damaged)?;
    let most = MOST_OF_ANY + MOST_RATIO * file.metadata().map_err(damaged)?.len();
    let file = BufReader::new(file);
    let is_packed = archive.extension().is_some_and(|end| end == "zst");
    let reader: Box<dyn Read> = if is_packed {
        Box::new(zstd::Decoder::new(file).map_err(damaged)?)
    } else {
        Box::new(file)
    };
    let mut tar = Archive::new(Bounded { reader, left: most });
    for entry in tar.entries().map_err(damaged)? {
        let mut entry = entry.map_err(damaged)?;
        let path = entry.path().map_err(damaged)?.into_owned();
        let shown = truepath_core::visible::visible(&path.to_string_lossy()).into_owned();
        let is_below = path
            .components()
            .all(|part| matches!(part, Component::Normal(_) | Component::CurDir));
        if !is_below {
            return Err(format!("the name {shown} leads out of its folder"));
        }
        let target = into.join(&path);
        match entry.header().entry_type() {
            EntryType::Directory => fs::create_dir_all(&target).map_err(damaged)?,
            EntryType::Regular | EntryType::Continuous => {
                let bytes = entry.size();
                if free_space(into).is_some_and(|free| free < bytes) {
                    return Err(format!(
                        "there is no room for {shown}, which takes {bytes} bytes"
                    ));
                }
                fs::create_dir_all(target.parent().unwrap_or(into)).map_err(damaged)?;
                let out = File::options().write(true).create_new(true).open(&target);
                let mut out = out.map_err(|error| format!("{shown}: {error}"))?;
                let copied = io::copy(&mut entry, &mut out).map_err(damaged)?;
                if copied != bytes {
                    return Err(format!("it is cut short in {shown}"));
                }
            }
            // What tar programs say of the whole archive or of the next entry.
            EntryType::XGlobalHeader | EntryType::XHeader => {}
            _ => return Err(format!("{shown} is a link or no file, which no bundle has")),
        }
    }
    // Archives hold the folder of the bundle, or what is in it.
    let folders = fs::read_dir(into).map_err(damaged)?.flatten();
    let candidates = folders.map(|entry| entry.path());
    let mut roots: Vec<PathBuf> = std::iter::once(into.to_owned())
        .chain(candidates)
        .filter(|folder| folder.join(LIST_FILE).is_file())
        .collect();
    match (roots.pop(), roots.is_empty()) {
        (Some(root), true) => Ok(root),
        (Some(_), false) => Err("it holds several bundles; unpack it, and name each".to_owned()),
        (None, _) => Err("it holds no bundle: there is no bundle.json in it".to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_leads_out_is_not_unpacked() {
        let folder = tempfile::tempdir().unwrap();
        let archive = folder.path().join("x.tar");
        let mut tar = Builder::new(File::create(&archive).unwrap());
        let mut header = Header::new_gnu();
        header.set_size(3);
        header.set_mode(0o644);
        // Written by hand: the library refuses such a name.
        header.as_gnu_mut().unwrap().name[..9].copy_from_slice(b"../../out");
        header.set_cksum();
        tar.append(&header, &b"abc"[..]).unwrap();
        tar.finish().unwrap();
        let into = folder.path().join("a/b/c");
        fs::create_dir_all(&into).unwrap();
        let refused = unpack_archive(&archive, &into).unwrap_err();
        assert!(refused.contains("leads out"), "{refused}");
        assert!(!folder.path().join("a/out").exists());
    }

    #[test]
    fn an_archive_that_unpacks_to_far_more_than_it_is_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let archive = folder.path().join("x.tar.zst");
        let file = File::create(&archive).unwrap();
        let mut tar = Builder::new(zstd::Encoder::new(file, LEVEL).unwrap());
        let mut header = Header::new_gnu();
        header.set_size(1 << 30);
        tar.append_data(&mut header, "b/zeros", io::repeat(0).take(1 << 30))
            .unwrap();
        tar.into_inner().unwrap().finish().unwrap();
        assert!(fs::metadata(&archive).unwrap().len() < 200_000);
        let into = folder.path().join("into");
        fs::create_dir(&into).unwrap();
        let refused = unpack_archive(&archive, &into).unwrap_err();
        assert!(refused.contains("far more comes out"), "{refused}");
        let unpacked = fs::metadata(into.join("b/zeros")).unwrap().len();
        assert!(unpacked <= MOST_OF_ANY + MOST_RATIO * 200_000);
    }

    #[test]
    fn links_are_refused() {
        let folder = tempfile::tempdir().unwrap();
        let archive = folder.path().join("x.tar");
        let mut tar = Builder::new(File::create(&archive).unwrap());
        let mut header = Header::new_gnu();
        header.set_entry_type(EntryType::Symlink);
        header.set_size(0);
        tar.append_link(&mut header, "b/link", "/etc/passwd")
            .unwrap();
        tar.finish().unwrap();
        let into = folder.path().join("into");
        fs::create_dir(&into).unwrap();
        let refused = unpack_archive(&archive, &into).unwrap_err();
        assert!(refused.contains("is a link"), "{refused}");
    }
}
