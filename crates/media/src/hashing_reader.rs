//! Hashes a file while it is decoded, so that its bytes are read from the disk once.

use crate::regular_file::open_regular;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::Path;

use sha2::Digest;
use truepath_core::hex::hex;

/// How a file is hashed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum HashKind {
    /// BLAKE3, of 256 bits.
    Blake3,
    /// SHA-256 (FIPS 180-4), which ledgers of before hold.
    Sha256,
    /// MD5 (RFC 1321), which some lists of files ask for.
    Md5,
}

impl HashKind {
    /// What lists of such hashes end in.
    #[must_use]
    pub fn extension(self) -> &'static str {
        match self {
            Self::Blake3 => "b3",
            Self::Sha256 => "sha256",
            Self::Md5 => "md5",
        }
    }
}

enum Hasher {
    Blake3(Box<blake3::Hasher>),
    Sha256(sha2::Sha256),
    Md5(md5::Md5),
}

/// Hashes bytes by several functions at once.
pub(crate) struct Hashers(Vec<Hasher>);

impl Hashers {
    pub(crate) fn new(kinds: &[HashKind]) -> Self {
        let hasher = |kind: &HashKind| match kind {
            HashKind::Blake3 => Hasher::Blake3(Box::default()),
            HashKind::Sha256 => Hasher::Sha256(sha2::Sha256::new()),
            HashKind::Md5 => Hasher::Md5(md5::Md5::new()),
        };
        Self(kinds.iter().map(hasher).collect())
    }

    pub(crate) fn update(&mut self, bytes: &[u8]) {
        for hasher in &mut self.0 {
            match hasher {
                Hasher::Blake3(hasher) => {
                    hasher.update(bytes);
                }
                Hasher::Sha256(hasher) => hasher.update(bytes),
                Hasher::Md5(hasher) => hasher.update(bytes),
            }
        }
    }

    /// The hashes in hexadecimal digits, in the order that was asked for.
    pub(crate) fn digits(self) -> Vec<String> {
        let digits = |hasher| match hasher {
            Hasher::Blake3(hasher) => hasher.finalize().to_hex().to_string(),
            Hasher::Sha256(hasher) => hex(&hasher.finalize()),
            Hasher::Md5(hasher) => hex(&hasher.finalize()),
        };
        self.0.into_iter().map(digits).collect()
    }
}

/// Hashes a file by several functions in one pass; gives the hashes in hexadecimal digits, in the order that was
/// asked for.
///
/// # Errors
/// When it cannot be read.
pub fn hash_file(path: &Path, kinds: &[HashKind]) -> io::Result<Vec<String>> {
    HashingReader::new(open_regular(path)?, kinds).finish()
}

/// The BLAKE3 of some bytes in hexadecimal digits.
#[must_use]
pub fn hash_bytes(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}

/// So many bytes are read at a time where nobody asks for them but the hash.
const BLOCK: usize = 1 << 16;

/// A file that is read in any order and hashed from its beginning to its end.
pub(crate) struct HashingReader<R> {
    file: R,
    hashers: Hashers,
    /// Where the reader is, in bytes.
    at: u64,
    /// So many bytes are hashed.
    hashed: u64,
}

impl<R: Read + Seek> HashingReader<R> {
    /// A file at its beginning.
    pub(crate) fn new(file: R, kinds: &[HashKind]) -> Self {
        Self {
            file,
            hashers: Hashers::new(kinds),
            at: 0,
            hashed: 0,
        }
    }

    /// Hashes what lies between the bytes that are hashed and the place where the reader is.
    fn catch_up(&mut self) -> io::Result<()> {
        if self.hashers.0.is_empty() || self.at <= self.hashed {
            return Ok(());
        }
        self.file.seek(SeekFrom::Start(self.hashed))?;
        let mut block = vec![0; BLOCK];
        while self.hashed < self.at {
            let wanted = (self.at - self.hashed).min(BLOCK as u64) as usize;
            match self.file.read(&mut block[..wanted])? {
                // The file ends before that place.
                0 => break,
                read => {
                    self.hashers.update(&block[..read]);
                    self.hashed += read as u64;
                }
            }
        }
        self.file.seek(SeekFrom::Start(self.at))?;
        Ok(())
    }

    /// Hashes what is left, and gives the hashes.
    pub(crate) fn finish(mut self) -> io::Result<Vec<String>> {
        if self.hashers.0.is_empty() {
            return Ok(Vec::new());
        }
        self.file.seek(SeekFrom::Start(self.hashed))?;
        let mut block = vec![0; BLOCK];
        loop {
            match self.file.read(&mut block)? {
                0 => return Ok(self.hashers.digits()),
                read => self.hashers.update(&block[..read]),
            }
        }
    }
}

impl<R: Read + Seek> Read for HashingReader<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.catch_up()?;
        let read = self.file.read(buffer)?;
        let end = self.at + read as u64;
        // What was read before is hashed; behind the end of the file there is nothing to catch up with.
        let is_new = !self.hashers.0.is_empty() && read > 0 && end > self.hashed;
        if let (true, Some(known)) = (is_new, self.hashed.checked_sub(self.at)) {
            self.hashers.update(&buffer[known as usize..read]);
            self.hashed = end;
        }
        self.at = end;
        Ok(read)
    }
}

impl<R: Read + Seek> Seek for HashingReader<R> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.at = self.file.seek(to)?;
        Ok(self.at)
    }
}

#[cfg(test)]
mod tests {
    use std::io::Cursor;

    use super::*;

    #[test]
    fn whatever_is_read_in_whatever_order_the_hash_is_that_of_all_bytes() {
        let bytes: Vec<u8> = (0..200_000_u32).map(|at| ((at * 7) >> 3) as u8).collect();
        let kinds = [HashKind::Blake3, HashKind::Sha256, HashKind::Md5];
        let mut plain = Hashers::new(&kinds);
        plain.update(&bytes);
        let plain = plain.digits();
        for places in [
            &[] as &[(u64, usize)],
            &[(0, 200_000)],
            &[(150_000, 10), (10, 5), (199_999, 100), (0, 70_000)],
            &[(300_000, 10), (0, 1)],
        ] {
            let mut reader = HashingReader::new(Cursor::new(&bytes), &kinds);
            for (at, length) in places {
                reader.seek(SeekFrom::Start(*at)).unwrap();
                let mut read = Vec::new();
                (&mut reader)
                    .take(*length as u64)
                    .read_to_end(&mut read)
                    .unwrap();
                let end = bytes.len().min(*at as usize + length);
                let start = end.min(*at as usize);
                assert_eq!(read, bytes[start..end]);
                // The same where nothing is hashed.
                let mut plain = HashingReader::new(Cursor::new(&bytes), &[]);
                plain.seek(SeekFrom::Start(*at)).unwrap();
                let mut read = Vec::new();
                plain.take(*length as u64).read_to_end(&mut read).unwrap();
                assert_eq!(read, bytes[start..end]);
            }
            assert_eq!(reader.finish().unwrap(), plain, "{places:?}");
        }
    }

    #[test]
    fn known_texts_have_their_published_hashes() {
        // The empty text: BLAKE3's test vectors, FIPS 180-4, RFC 1321.
        let empty = Hashers::new(&[HashKind::Blake3, HashKind::Sha256, HashKind::Md5]).digits();
        assert_eq!(
            empty,
            [
                "af1349b9f5f9a1a6a0404dea36dcc9499bcb25c9adc112b7cc9a93cae41f3262",
                "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855",
                "d41d8cd98f00b204e9800998ecf8427e",
            ]
        );
    }
}
