//! Hashes of large files: each is read once, and known again by its identity, size and times. What is known is kept in the
//! user's cache; where nothing can be kept, the file is read again.

use std::fs::{self};
use std::io::{self, Read, Seek, SeekFrom};
use std::path::Path;

use rayon::prelude::*;
use sha2::{Digest, Sha256};
use truepath_core::hex::hex;
use truepath_media::{hash_bytes, open_regular, read_text};

use crate::disk::{Disk, OUTLINE_IS_WHOLE, RealDisk};
use crate::look::user_folders::user_cache;
use crate::system::{changed_at, device, file_number, modified_at, next_data};

/// The hash of the whole content of a file of which an outline is not all; none of others, and of one that cannot be read.
pub(crate) fn whole_hash(path: &Path) -> Option<String> {
    let facts = fs::metadata(path).ok()?;
    if facts.len() <= OUTLINE_IS_WHOLE {
        return None;
    }
    let known_by = format!(
        "{} {} {} {} {}",
        device(path).ok()?,
        file_number(path),
        facts.len(),
        modified_at(&facts),
        changed_at(&facts)
    );
    let name = hex(&Sha256::digest(known_by.as_bytes())[..16]);
    let entry = user_cache("inputs").map(|folder| folder.join(name));
    let kept = entry.as_ref().and_then(|entry| read_text(entry).ok());
    if let Some(kept) = kept.filter(|text| text.len() == 64) {
        return Some(kept);
    }
    let hash = hash_of_blocks(path).ok()?;
    if let Some(entry) = entry {
        let folder = entry.parent().unwrap_or(Path::new("/"));
        // A cache that cannot be written costs time and nothing else.
        let _ =
            fs::create_dir_all(folder).and_then(|()| RealDisk.write_whole(&entry, hash.as_bytes()));
    }
    Some(hash)
}

/// Bytes of the blocks that large files are hashed in.
const BLOCK: u64 = 1 << 20;
/// So many blocks are read at a time.
const AT_A_TIME: usize = 32;

/// The hash of a file by its blocks: they are hashed on all cores, and holes are not read. Blocks that follow one another
/// and are alike count as a row, so that the hash is the same whether zeros are a hole or not.
fn hash_of_blocks(path: &Path) -> io::Result<String> {
    let mut file = open_regular(path)?;
    let length = file.metadata()?.len();
    let empty = hash_bytes(&vec![0; BLOCK as usize]);
    let mut rows = Rows::default();
    let mut at = 0;
    while at < length {
        let data = next_data(&file, at).unwrap_or(at).min(length);
        // Whole blocks of a hole.
        let hole = (data - at) / BLOCK;
        if hole > 0 {
            rows.add(&empty, hole);
            at += hole * BLOCK;
            continue;
        }
        file.seek(SeekFrom::Start(at))?;
        let mut bytes = Vec::new();
        let read = (&mut file)
            .take(BLOCK * AT_A_TIME as u64)
            .read_to_end(&mut bytes)?;
        if read == 0 {
            break;
        }
        let blocks: Vec<&[u8]> = bytes.chunks(BLOCK as usize).collect();
        let hashes: Vec<String> = blocks.par_iter().map(|block| hash_bytes(block)).collect();
        hashes.iter().for_each(|hash| rows.add(hash, 1));
        at += read as u64;
    }
    Ok(rows.finish(length))
}

/// Rows of blocks that are alike.
#[derive(Default)]
struct Rows {
    hasher: Sha256,
    row: Option<(String, u64)>,
}

impl Rows {
    fn add(&mut self, hash: &str, blocks: u64) {
        match &mut self.row {
            Some((known, count)) if known == hash => *count += blocks,
            _ => {
                self.end_row();
                self.row = Some((hash.to_owned(), blocks));
            }
        }
    }

    fn end_row(&mut self) {
        if let Some((hash, count)) = self.row.take() {
            self.hasher.update(format!("{count} {hash}\n"));
        }
    }

    fn finish(mut self, length: u64) -> String {
        self.end_row();
        self.hasher.update(format!("{length} bytes\n"));
        hex(&self.hasher.finalize())
    }
}

#[cfg(test)]
mod tests {
    use std::fs::File;

    use std::io::Write;

    use super::*;

    #[test]
    fn zeros_are_zeros_whether_they_are_a_hole_or_not() {
        let folder = tempfile::tempdir().unwrap();
        let (one, other) = (folder.path().join("one"), folder.path().join("other"));
        let mut holes = File::create(&one).unwrap();
        holes.set_len(5 * BLOCK + 17).unwrap();
        holes.seek(SeekFrom::Start(3 * BLOCK - 5)).unwrap();
        holes.write_all(b"0123456789").unwrap();
        fs::write(&other, fs::read(&one).unwrap()).unwrap();
        let hash = hash_of_blocks(&one).unwrap();
        assert_eq!(hash, hash_of_blocks(&other).unwrap());
        for (at, byte) in [(0, b"x"), (3 * BLOCK, b"x"), (5 * BLOCK + 16, b"x")] {
            let mut bytes = fs::read(&one).unwrap();
            bytes[at as usize] = byte[0];
            fs::write(&other, &bytes).unwrap();
            assert_ne!(hash, hash_of_blocks(&other).unwrap(), "{at}");
        }
        holes.set_len(5 * BLOCK + 18).unwrap();
        assert_ne!(hash, hash_of_blocks(&one).unwrap());
        // What nobody can read whole is mostly a hole.
        holes.set_len(2_000_000_000_000).unwrap();
        hash_of_blocks(&one).unwrap();
    }
}
