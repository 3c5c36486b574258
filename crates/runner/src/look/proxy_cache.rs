//! Proxies that were made before, by the content of their files, in the cache folder of the user. It is bounded, and a
//! damaged entry counts as none.

use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::SystemTime;

use truepath_core::picture::{PixelFault, Size};
use truepath_media::{
    Flaw, HashKind, MOST_TEXT, Proxy, ProxyOptions, hash_bytes, hash_file, proxy, read_regular,
};

use crate::disk::{Disk, RealDisk};
use crate::look::user_folders::user_cache;

/// What entries begin with; another number where proxies are made otherwise.
const MAGIC: &[u8; 8] = b"TPPROXY1";
/// Bytes that the cache may take.
const MOST_BYTES: u64 = 1 << 30;
/// Larger proxies are not kept, in pixels.
const MOST_PIXELS: usize = 1 << 20;
/// Bytes of the hash at the end of an entry.
const HASH: usize = 64;

/// Whether this process has written an entry.
static HAS_WRITTEN: AtomicBool = AtomicBool::new(false);

/// The folder of the cache; none where the user has none.
#[must_use]
pub fn folder() -> Option<&'static Path> {
    static FOLDER: OnceLock<Option<PathBuf>> = OnceLock::new();
    FOLDER.get_or_init(|| user_cache("proxies")).as_deref()
}

/// The proxy of a picture, from the cache where it is there; else it is made, and kept.
///
/// # Errors
/// What is wrong with the file, or that it is of a kind that cannot be shown.
pub fn cached_proxy(path: &Path, options: ProxyOptions) -> Result<Proxy, Flaw> {
    let Some(entry) = folder().and_then(|folder| entry_of(folder, path, options).ok()) else {
        return proxy(path, options);
    };
    if let Some(known) = read_regular(&entry, MOST_TEXT)
        .ok()
        .and_then(|bytes| read(&bytes))
    {
        // What is used is young.
        let file = File::options().append(true).open(&entry);
        let _ = file.and_then(|file| file.set_modified(SystemTime::now()));
        return Ok(known);
    }
    let made = proxy(path, options)?;
    if made.pixels.len() <= MOST_PIXELS {
        // A cache that cannot be written costs time and nothing else.
        if write(&entry, &written(&made)).is_ok() {
            HAS_WRITTEN.store(true, Ordering::Relaxed);
        }
    }
    Ok(made)
}

/// Where the proxy of a file is kept: by its content, and how it is made.
fn entry_of(folder: &Path, path: &Path, options: ProxyOptions) -> io::Result<PathBuf> {
    let content = hash_file(path, &[HashKind::Blake3])?.concat();
    // Some formats are known by their extension alone.
    let extension = path.extension().unwrap_or_default().to_string_lossy();
    let ProxyOptions { within, is_data } = options;
    let key = format!("{content} {} {within} {is_data}", extension.to_lowercase());
    let hash = hash_bytes(key.as_bytes());
    Ok(folder.join(&hash[..2]).join(&hash[2..]))
}

/// An entry is whole when it has its name.
fn write(entry: &Path, bytes: &[u8]) -> io::Result<()> {
    let folder = entry.parent().unwrap_or(Path::new("."));
    fs::create_dir_all(folder)?;
    let half = crate::disk::unique_beside(entry);
    let mut file = File::create_new(&half)?;
    let written = file
        .write_all(bytes)
        .and_then(|()| RealDisk.rename_over(&half, entry));
    if written.is_err() {
        let _ = RealDisk.remove_file(&half);
    }
    written
}

/// A proxy as bytes, with the hash of all of them at their end.
fn written(proxy: &Proxy) -> Vec<u8> {
    let mut bytes = MAGIC.to_vec();
    let sides = [
        proxy.source.width,
        proxy.source.height,
        proxy.size.width,
        proxy.size.height,
    ];
    for side in sides {
        bytes.extend(side.to_le_bytes());
    }
    bytes.extend((proxy.notes.len() as u32).to_le_bytes());
    for note in &proxy.notes {
        bytes.extend((note.len() as u32).to_le_bytes());
        bytes.extend(note.as_bytes());
    }
    for fault in &proxy.faults {
        bytes.push(match fault {
            PixelFault::None => 0,
            PixelFault::NotANumber => 1,
            PixelFault::Infinite => 2,
        });
    }
    for value in proxy.pixels.as_flattened() {
        bytes.extend(value.to_le_bytes());
    }
    let hash = hash_bytes(&bytes);
    bytes.extend(hash.as_bytes());
    bytes
}

/// Reads an entry; none where it is damaged.
fn read(bytes: &[u8]) -> Option<Proxy> {
    let (body, hash) = bytes.split_at_checked(bytes.len().checked_sub(HASH)?)?;
    if hash_bytes(body).as_bytes() != hash {
        return None;
    }
    let mut rest = body.strip_prefix(MAGIC)?;
    let (source, size) = (take_size(&mut rest)?, take_size(&mut rest)?);
    let mut notes = Vec::new();
    for _ in 0..take_number(&mut rest)? {
        let length = take_number(&mut rest)? as usize;
        let (note, after) = rest.split_at_checked(length)?;
        notes.push(String::from_utf8(note.to_vec()).ok()?);
        rest = after;
    }
    let count = size.width as usize * size.height as usize;
    let (faults, values) = rest.split_at_checked(count)?;
    let faults = faults.iter().map(|fault| match fault {
        1 => PixelFault::NotANumber,
        2 => PixelFault::Infinite,
        _ => PixelFault::None,
    });
    let (values, none) = values.as_chunks::<4>();
    let (pixels, rest) = values.as_chunks::<4>();
    if pixels.len() != count || !rest.is_empty() || !none.is_empty() {
        return None;
    }
    Some(Proxy {
        source,
        size,
        faults: faults.collect(),
        pixels: pixels
            .iter()
            .map(|pixel| pixel.map(f32::from_le_bytes))
            .collect(),
        notes,
    })
}

fn take_number(rest: &mut &[u8]) -> Option<u32> {
    let (number, after) = rest.split_first_chunk::<4>()?;
    *rest = after;
    Some(u32::from_le_bytes(*number))
}

fn take_size(rest: &mut &[u8]) -> Option<Size> {
    Some(Size {
        width: take_number(rest)?,
        height: take_number(rest)?,
    })
}

/// Removes what has not been used for longest, where the cache has become too large.
pub fn trim() {
    if let (true, Some(folder)) = (HAS_WRITTEN.load(Ordering::Relaxed), folder()) {
        trim_to(folder, MOST_BYTES);
    }
}

fn trim_to(folder: &Path, most: u64) {
    let folders = fs::read_dir(folder).into_iter().flatten().flatten();
    let files =
        folders.flat_map(|folder| fs::read_dir(folder.path()).into_iter().flatten().flatten());
    let mut all: Vec<(SystemTime, u64, PathBuf)> = files
        .filter_map(|file| {
            let facts = file.metadata().ok().filter(fs::Metadata::is_file)?;
            Some((facts.modified().ok()?, facts.len(), file.path()))
        })
        .collect();
    let mut bytes: u64 = all.iter().map(|(_, bytes, _)| bytes).sum();
    if bytes <= most {
        return;
    }
    all.sort();
    for (_, size, path) in all {
        // Well below, so that the next picture does not begin it again.
        if bytes <= most / 10 * 9 {
            break;
        }
        if RealDisk.remove_file(&path).is_ok() {
            bytes -= size;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn made() -> Proxy {
        Proxy {
            source: Size {
                width: 30,
                height: 20,
            },
            size: Size {
                width: 3,
                height: 2,
            },
            pixels: (0..6).map(|at| [at as f32, -0.5, 1e-9, 1.0]).collect(),
            faults: vec![PixelFault::Infinite; 6],
            notes: vec!["two layers".to_owned()],
        }
    }

    #[test]
    fn what_is_read_is_what_was_written_and_damage_is_found() {
        let bytes = written(&made());
        assert_eq!(read(&bytes), Some(made()));
        for at in 0..bytes.len() {
            let mut damaged = bytes.clone();
            damaged[at] ^= 1;
            assert_eq!(read(&damaged), None, "byte {at}");
            assert_eq!(read(&bytes[..at]), None, "cut at {at}");
        }
    }

    #[test]
    fn the_oldest_go_first() {
        let folder = tempfile::tempdir().unwrap();
        for number in 0..10_u64 {
            let path = folder.path().join(format!("a{}/{number}", number % 3));
            write(&path, &[0; 100]).unwrap();
            let then = SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(number);
            let file = File::options().append(true).open(&path).unwrap();
            file.set_modified(then).unwrap();
        }
        trim_to(folder.path(), 1000);
        let left = || {
            let folders = fs::read_dir(folder.path()).unwrap().flatten();
            let files = folders.flat_map(|one| fs::read_dir(one.path()).unwrap().flatten());
            let mut names: Vec<String> = files
                .map(|one| one.file_name().to_string_lossy().into_owned())
                .collect();
            names.sort();
            names
        };
        assert_eq!(left().len(), 10);
        trim_to(folder.path(), 500);
        assert_eq!(left(), ["6", "7", "8", "9"]);
    }
}
