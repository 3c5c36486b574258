//! Hashes of files.

use std::io::{self, Read, Seek, SeekFrom};
use std::path::Path;

use sha2::{Digest, Sha256};
use truepath_core::hex::hex;
use truepath_media::{HashKind, open_regular};

/// The SHA-256 (FIPS 180-4) of a file, in hexadecimal digits.
///
/// # Errors
/// When it cannot be read.
pub(crate) fn hash_file(path: &Path) -> io::Result<String> {
    Ok(truepath_media::hash_file(path, &[HashKind::Sha256])?.concat())
}

/// What stands before the digits of a BLAKE3 in a ledger. Digits alone are of SHA-256, which ledgers of before hold.
const BLAKE3: &str = "blake3:";

/// The hash of the content of a file, as ledgers record it.
///
/// # Errors
/// When it cannot be read.
pub(crate) fn content_hash(path: &Path) -> io::Result<String> {
    let digits = truepath_media::hash_file(path, &[HashKind::Blake3])?;
    Ok(recorded(HashKind::Blake3, &digits.concat()))
}

/// Whether a file has the content with a recorded hash.
///
/// # Errors
/// When it cannot be read.
pub(crate) fn has_content(path: &Path, hash: &str) -> io::Result<bool> {
    let (kind, digits) = hash_of_record(hash);
    Ok(truepath_media::hash_file(path, &[kind])?.concat() == digits)
}

/// How a recorded hash was made, and its digits.
pub(crate) fn hash_of_record(hash: &str) -> (HashKind, &str) {
    match hash.strip_prefix(BLAKE3) {
        Some(digits) => (HashKind::Blake3, digits),
        None => (HashKind::Sha256, hash),
    }
}

/// A hash as ledgers record it.
pub(crate) fn recorded(kind: HashKind, digits: &str) -> String {
    match kind {
        HashKind::Blake3 => format!("{BLAKE3}{digits}"),
        _ => digits.to_owned(),
    }
}

/// Files up to so many bytes are hashed whole by [`hash_outline`].
pub(crate) const OUTLINE_IS_WHOLE: u64 = 1 << 26;
/// Of larger ones it hashes so many bytes at either end.
const END: u64 = 1 << 20;

/// The SHA-256 of a file, or of a large one's length with its beginning and end: files that scenes
/// need may be caches of many gigabytes, and are looked at in every call.
pub(crate) fn hash_outline(path: &Path) -> io::Result<String> {
    let mut file = open_regular(path)?;
    let length = file.metadata()?.len();
    if length <= OUTLINE_IS_WHOLE {
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
