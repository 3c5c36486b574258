//! Movies of other containers than MP4 and QuickTime: which one, and whether the file is as long as it announces. Sources:
//! RFC 8794 and RFC 9559 for EBML and Matroska, which WebM is a part of; the OpenDML AVI file format extensions.

use std::io::{self, Read, Seek, SeekFrom};

use super::writer::MovieError;

/// A container that this program does not decode.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum OtherContainer {
    /// Matroska or WebM.
    Matroska,
    Avi,
}

impl OtherContainer {
    /// The one that a file is of, by its first bytes.
    pub(super) fn of(file: &mut (impl Read + Seek)) -> io::Result<Option<Self>> {
        let mut head = [0; 12];
        file.seek(SeekFrom::Start(0))?;
        let mut read = 0;
        while read < head.len() {
            match file.read(&mut head[read..])? {
                0 => break,
                more => read += more,
            }
        }
        Ok(if head.starts_with(&EBML) {
            Some(Self::Matroska)
        } else if head.starts_with(b"RIFF") && &head[8..] == b"AVI " {
            Some(Self::Avi)
        } else {
            None
        })
    }

    /// What people call it.
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Matroska => "Matroska or WebM",
            Self::Avi => "AVI",
        }
    }

    /// Whether a file ends before the end that it announces.
    pub(super) fn check_length(self, file: &mut (impl Read + Seek)) -> Result<(), MovieError> {
        let length = file.seek(SeekFrom::End(0))?;
        let end = match self {
            Self::Matroska => end_of_segment(file)?,
            Self::Avi => end_of_riff(file, length)?,
        };
        match end {
            Some(end) if end > length => Err(MovieError::Broken(format!(
                "it ends after {length} bytes, and announces {end}"
            ))),
            _ => Ok(()),
        }
    }
}

const EBML: [u8; 4] = [0x1a, 0x45, 0xdf, 0xa3];
const SEGMENT: [u8; 4] = [0x18, 0x53, 0x80, 0x67];

/// Where the segment of a Matroska file ends; none where it does not say so.
fn end_of_segment(file: &mut (impl Read + Seek)) -> io::Result<Option<u64>> {
    file.seek(SeekFrom::Start(4))?;
    let Some(header) = size(file)? else {
        return Ok(None);
    };
    let begin = file.stream_position()?.saturating_add(header);
    file.seek(SeekFrom::Start(begin))?;
    let mut id = [0; 4];
    if file.read_exact(&mut id).is_err() || id != SEGMENT {
        return Ok(None);
    }
    let size = size(file)?;
    let begin = file.stream_position()?;
    Ok(size.map(|size| begin.saturating_add(size)))
}

/// A size of EBML: as many bytes as its first has leading zeros, and one; none where all bits are set, which means that
/// it is not known.
fn size(file: &mut impl Read) -> io::Result<Option<u64>> {
    let mut first = [0];
    file.read_exact(&mut first)?;
    let more = first[0].leading_zeros() as usize;
    if more > 7 {
        return Ok(None);
    }
    let mut bytes = [0; 8];
    file.read_exact(&mut bytes[..more])?;
    let mask = (1_u64 << (7 - more)) - 1;
    let mut value = u64::from(first[0]) & mask;
    let mut is_unknown = value == mask;
    for byte in &bytes[..more] {
        value = value << 8 | u64::from(*byte);
        is_unknown &= *byte == 0xff;
    }
    Ok((!is_unknown).then_some(value))
}

/// Where the last of the RIFF chunks of an AVI file ends, which lie one behind the other.
fn end_of_riff(file: &mut (impl Read + Seek), length: u64) -> io::Result<Option<u64>> {
    let mut at = 0;
    while at + 8 <= length {
        file.seek(SeekFrom::Start(at))?;
        let mut head = [0; 8];
        file.read_exact(&mut head)?;
        if &head[..4] != b"RIFF" {
            break;
        }
        let size = u32::from_le_bytes([head[4], head[5], head[6], head[7]]);
        // Chunks begin at even bytes.
        at += 8 + u64::from(size) + u64::from(size % 2);
    }
    // The byte that fills up the last one may be left out.
    Ok(Some(if at == length + 1 { length } else { at }))
}

#[cfg(test)]
mod tests {
    use std::io::Cursor;

    use super::*;

    #[test]
    fn what_is_shorter_than_it_announces_is_cut() {
        let mut matroska = EBML.to_vec();
        matroska.extend([0x82, 1, 2]);
        matroska.extend(SEGMENT);
        matroska.extend([0x40, 10]);
        matroska.extend([7; 10]);
        let mut avi = b"RIFF\x0e\0\0\0AVI ".to_vec();
        avi.extend([7; 10]);
        for whole in [matroska, avi] {
            let check = |bytes: &[u8]| {
                let mut file = Cursor::new(bytes.to_vec());
                let container = OtherContainer::of(&mut file).unwrap().unwrap();
                container.check_length(&mut file)
            };
            assert!(check(&whole).is_ok());
            assert!(check(&whole[..whole.len() - 3]).is_err());
        }
        let mut other = Cursor::new(b"ftyp".to_vec());
        assert_eq!(OtherContainer::of(&mut other).unwrap(), None);
    }

    #[test]
    fn a_segment_of_unknown_size_announces_no_end() {
        let mut file = EBML.to_vec();
        file.push(0x80);
        file.extend(SEGMENT);
        file.extend([0x01, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff]);
        assert_eq!(end_of_segment(&mut Cursor::new(file)).unwrap(), None);
    }
}
