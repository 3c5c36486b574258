//! The directories of a TIFF file, classic or BigTIFF: TIFF revision 6.0, section 2, and the BigTIFF
//! layout of libtiff, where counts and offsets have 64 bits.

use std::io::{Read, Seek, SeekFrom};

use crate::facts::Flaw;

/// So many values of a field at most; strips and tiles are counted by it.
const MOST_VALUES: u64 = 1 << 24;

/// Reads numbers in the byte order of the file.
pub(super) struct TiffSource<R> {
    pub(super) file: R,
    pub(super) length: u64,
    little: bool,
    /// Whether offsets have 64 bits.
    big: bool,
}

/// The fields of one picture, by tag.
#[derive(Debug, Default)]
pub(super) struct Directory {
    fields: Vec<(u16, Field)>,
}

#[derive(Debug)]
struct Field {
    kind: u16,
    count: u64,
    /// The values where they fit, else where they are.
    inside: [u8; 8],
}

impl<R: Read + Seek> TiffSource<R> {
    /// Whether the low byte of a number comes first.
    pub(super) fn is_little(&self) -> bool {
        self.little
    }

    /// Opens a file; gives the place of its first directory too.
    pub(super) fn open(mut file: R) -> Result<(Self, u64), Flaw> {
        let length = file.seek(SeekFrom::End(0))?;
        file.seek(SeekFrom::Start(0))?;
        let mut head = [0; 4];
        file.read_exact(&mut head).map_err(|_| cut_short())?;
        let mut source = Self {
            file,
            length,
            little: head[0] == b'I',
            big: false,
        };
        match source.number(&head[2..4]) {
            42 => {
                let first = source.offset()?;
                Ok((source, first))
            }
            43 => {
                source.big = true;
                let layout = source.bytes::<4>()?;
                if source.number(&layout[..2]) != 8 {
                    return Err(Flaw::Broken("its header cannot be read".to_owned()));
                }
                let first = source.offset()?;
                Ok((source, first))
            }
            _ => Err(Flaw::Broken("its header cannot be read".to_owned())),
        }
    }

    fn bytes<const N: usize>(&mut self) -> Result<[u8; N], Flaw> {
        let mut bytes = [0; N];
        self.file.read_exact(&mut bytes).map_err(|_| cut_short())?;
        Ok(bytes)
    }

    /// A whole number of up to eight bytes.
    fn number(&self, bytes: &[u8]) -> u64 {
        let add = |sum: u64, byte: &u8| (sum << 8) | u64::from(*byte);
        if self.little {
            bytes.iter().rev().fold(0, add)
        } else {
            bytes.iter().fold(0, add)
        }
    }

    fn offset(&mut self) -> Result<u64, Flaw> {
        if self.big {
            self.bytes::<8>().map(|bytes| self.number(&bytes))
        } else {
            self.bytes::<4>().map(|bytes| self.number(&bytes))
        }
    }

    /// Reads the directory at a place; gives the place of the next too, 0 for none.
    pub(super) fn directory(&mut self, at: u64) -> Result<(Directory, u64), Flaw> {
        self.file.seek(SeekFrom::Start(at))?;
        let count = if self.big {
            self.bytes::<8>().map(|bytes| self.number(&bytes))?
        } else {
            self.bytes::<2>().map(|bytes| self.number(&bytes))?
        };
        if count > 4096 {
            return Err(Flaw::Broken(format!("a directory of {count} fields")));
        }
        let mut directory = Directory::default();
        for _ in 0..count {
            let head = self.bytes::<4>()?;
            let (tag, kind) = (self.number(&head[..2]), self.number(&head[2..]));
            let mut inside = [0; 8];
            let count = self.offset()?;
            if self.big {
                inside = self.bytes::<8>()?
            } else {
                inside[..4].copy_from_slice(&self.bytes::<4>()?)
            }
            let field = Field {
                kind: kind as u16,
                count,
                inside,
            };
            self.is_inside(&field)?;
            directory.fields.push((tag as u16, field));
        }
        let next = self.offset()?;
        Ok((directory, next))
    }

    /// Whether the values of a field lie in the file, whatever they mean.
    fn is_inside(&self, field: &Field) -> Result<(), Flaw> {
        let width = match field.kind {
            1 | 2 | 6 | 7 => 1,
            3 | 8 => 2,
            4 | 9 | 11 | 13 => 4,
            5 | 10 | 12 | 16..=18 => 8,
            // Readers pass over types that they do not know.
            _ => return Ok(()),
        };
        let fits = if self.big { 8 } else { 4 };
        let length = field.count.saturating_mul(width);
        let at = self.number(&field.inside[..fits]);
        if length > fits as u64 && at.saturating_add(length) > self.length {
            Err(cut_short())
        } else {
            Ok(())
        }
    }

    /// The values of a field, as whole numbers; none where it is not there.
    pub(super) fn values(&mut self, directory: &Directory, tag: u16) -> Result<Vec<u64>, Flaw> {
        let Some((_, field)) = directory.fields.iter().find(|(known, _)| *known == tag) else {
            return Ok(Vec::new());
        };
        let width = match field.kind {
            // Bytes, and bytes without a meaning.
            1 | 2 | 6 | 7 => 1,
            3 | 8 => 2,
            4 | 9 | 13 => 4,
            16..=18 => 8,
            other => return Err(Flaw::Broken(format!("field {tag} has type {other}"))),
        };
        let bytes = self.content(field, tag, width)?;
        let values = bytes.chunks_exact(width as usize);
        Ok(values.map(|value| self.number(value)).collect())
    }

    /// The only value of a field, or what it is where it is not there.
    pub(super) fn value(&mut self, of: &Directory, tag: u16, otherwise: u64) -> Result<u64, Flaw> {
        Ok(self.values(of, tag)?.first().copied().unwrap_or(otherwise))
    }

    fn content(&mut self, field: &Field, tag: u16, width: u64) -> Result<Vec<u8>, Flaw> {
        let length = field.count.saturating_mul(width);
        if field.count > MOST_VALUES || length > self.length {
            return Err(Flaw::Broken(format!(
                "field {tag} has {} values, more than the file can hold",
                field.count
            )));
        }
        let fits = if self.big { 8 } else { 4 };
        if length <= fits {
            return Ok(field.inside[..length as usize].to_vec());
        }
        let at = self.number(&field.inside[..fits as usize]);
        self.read(at, length)
    }

    /// A piece of the file.
    pub(super) fn read(&mut self, at: u64, length: u64) -> Result<Vec<u8>, Flaw> {
        if at.checked_add(length).is_none_or(|end| end > self.length) {
            return Err(cut_short());
        }
        self.file.seek(SeekFrom::Start(at))?;
        let mut bytes = vec![0; length as usize];
        self.file.read_exact(&mut bytes).map_err(|_| cut_short())?;
        Ok(bytes)
    }
}

pub(super) fn cut_short() -> Flaw {
    Flaw::Broken("it ends before its picture does".to_owned())
}
