//! Reads a picture once, and learns all from it: whether it is whole and what was asked for, the hash of its
//! bytes, and what it shows.

use std::io::{self, BufReader, Cursor, Read, Seek, SeekFrom};
use std::path::Path;

use truepath_core::picture::{FORMATS, FileFormat, FormatFacts, PictureMeasure};

use crate::facts::{ExpectedPicture, Facts, Flaw, MOST_MEMORY};
use crate::hashing_reader::{HashKind, HashingReader};
use crate::meter::Meter;
use crate::quiet;
use crate::regular_file::open_regular;

/// What is to be learned of a picture besides whether it is whole.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct ExamineOptions<'k> {
    /// How its bytes are hashed.
    pub hashes: &'k [HashKind],
    /// Whether it is measured.
    pub measure: bool,
}

/// What was learned of a picture.
#[derive(Debug)]
pub struct Examination {
    /// What it is, or the first thing that is wrong with it.
    pub facts: Result<Facts, Flaw>,
    /// The hashes of its bytes in hexadecimal digits, in the order that was asked for; none where the file
    /// cannot be read to its end.
    pub hashes: Option<Vec<String>>,
    /// What it shows; none where that is not known.
    pub measure: Option<PictureMeasure>,
}

/// Decodes every pixel of a file, compares it with what was asked for, hashes and measures it, in one pass over
/// its bytes. Memory grows with a block of the picture at most, but for WebP (all pixels), JPEG (the file) and PNG of up
/// to 64 MB (file and pixels).
pub fn examine(path: &Path, wanted: &ExpectedPicture, options: ExamineOptions<'_>) -> Examination {
    let mut file = match open_regular(path) {
        Ok(file) => HashingReader::new(file, options.hashes),
        Err(error) => {
            return Examination {
                facts: Err(error.into()),
                hashes: None,
                measure: None,
            };
        }
    };
    let mut meter = Meter::new(options.measure);
    let facts = decode_with(&mut file, wanted, &mut meter);
    Examination {
        measure: facts.as_ref().ok().and_then(|_| meter.measure()),
        facts,
        hashes: file.finish().ok(),
    }
}

/// Decodes every pixel of a file and compares it with what was asked for.
///
/// # Errors
/// The first thing that is wrong with the file.
pub fn verify(path: &Path, wanted: &ExpectedPicture) -> Result<Facts, Flaw> {
    examine(path, wanted, ExamineOptions::default()).facts
}

/// Decodes every pixel of a file, and hands its rows to a meter.
pub(crate) fn decode_with(
    file: &mut (impl Read + Seek),
    wanted: &ExpectedPicture,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    let mut head = [0; 16];
    let length = read_up_to(file, &mut head)?;
    if length == 0 {
        return Err(Flaw::Empty);
    }
    let found = format_of(&head[..length]);
    // A TGA file begins with no mark of its own.
    if found.is_some_and(|found| found.format != wanted.format.format)
        || (found.is_none() && wanted.format.format != Some(FileFormat::Tga))
    {
        return Err(Flaw::OtherFormat {
            wanted: wanted.format.name,
            found: found.map_or_else(
                || "of no known format".to_owned(),
                |found| format!("{} by its content", found.name),
            ),
        });
    }
    let length = file.seek(SeekFrom::End(0))?;
    file.seek(SeekFrom::Start(0))?;
    let mut reader = BufReader::with_capacity(1 << 16, file);
    // Before anything is allocated by what the file says of itself.
    let expect = |facts: &Facts| facts.compare(wanted);
    // A decoder that panics on a damaged file has found it damaged.
    quiet::decoding(|| match wanted.format.format {
        // Its chunks are walked before their pixels are decoded: the bytes are read once all the same.
        Some(FileFormat::Png) if length <= crate::png_file::MOST_AT_ONCE => {
            let bytes = whole(reader.get_mut(), length)?;
            crate::png_file::decode(Cursor::new(bytes), &expect, meter)
        }
        Some(FileFormat::Png) => crate::png_file::decode(reader, &expect, meter),
        Some(FileFormat::Exr) => crate::exr_file::decode(reader, wanted, meter),
        Some(FileFormat::Dpx) => crate::dpx_file::decode(reader, &expect, meter),
        Some(FileFormat::Tiff) => crate::tiff::decode(reader, &expect, meter),
        Some(FileFormat::Tga) => crate::tga_file::decode(reader, &expect, meter),
        Some(FileFormat::Bmp) => crate::bmp_file::decode(reader, &expect, meter),
        Some(FileFormat::Hdr) => crate::hdr_file::decode(reader, &expect, meter),
        Some(FileFormat::Webp) => crate::webp_file::decode(reader, &expect, meter),
        Some(FileFormat::Jpeg) => crate::jpeg::decode(&whole(reader, length)?, &expect, meter),
        None => Err(Flaw::unverifiable("it is no picture".to_owned())),
    })
    .unwrap_or_else(|| Err(Flaw::Broken("the decoder gave up on it".to_owned())))
}

/// The format of a picture, by its first bytes, and of those that have no mark there by the extension; none where it
/// is no picture that this program knows.
///
/// # Errors
/// When it cannot be read.
pub fn recognise(path: &Path) -> io::Result<Option<&'static FormatFacts>> {
    let mut head = [0; 16];
    let length = read_up_to(&mut open_regular(path)?, &mut head)?;
    let is_tga = path
        .extension()
        .is_some_and(|extension| extension.eq_ignore_ascii_case("tga"));
    let tga = || {
        FORMATS
            .iter()
            .find(|one| one.format == Some(FileFormat::Tga))
    };
    Ok(format_of(&head[..length]).or_else(|| tga().filter(|_| is_tga)))
}

/// All bytes of a file.
fn whole(mut reader: impl Read, length: u64) -> Result<Vec<u8>, Flaw> {
    if length > MOST_MEMORY {
        return Err(Flaw::too_large(length));
    }
    let mut bytes = Vec::with_capacity(length as usize);
    reader.read_to_end(&mut bytes)?;
    Ok(bytes)
}

/// The format that the first bytes of a file show.
fn format_of(head: &[u8]) -> Option<&'static FormatFacts> {
    let format = match head {
        [0x89, b'P', b'N', b'G', ..] => FileFormat::Png,
        [0x76, 0x2f, 0x31, 0x01, ..] => FileFormat::Exr,
        [b'S', b'D', b'P', b'X', ..] | [b'X', b'P', b'D', b'S', ..] => FileFormat::Dpx,
        [0xff, 0xd8, 0xff, ..] => FileFormat::Jpeg,
        [b'I', b'I', 42 | 43, 0, ..] | [b'M', b'M', 0, 42 | 43, ..] => FileFormat::Tiff,
        [b'B', b'M', ..] => FileFormat::Bmp,
        [
            b'R',
            b'I',
            b'F',
            b'F',
            _,
            _,
            _,
            _,
            b'W',
            b'E',
            b'B',
            b'P',
            ..,
        ] => FileFormat::Webp,
        [b'#', b'?', b'R', ..] => FileFormat::Hdr,
        _ => return None,
    };
    FORMATS.iter().find(|facts| facts.format == Some(format))
}

/// Fills a buffer as far as there are bytes; gives how many there are.
pub(crate) fn read_up_to(file: &mut impl Read, buffer: &mut [u8]) -> io::Result<usize> {
    let mut filled = 0;
    while filled < buffer.len() {
        match file.read(&mut buffer[filled..])? {
            0 => break,
            read => filled += read,
        }
    }
    Ok(filled)
}

#[cfg(test)]
mod tests {
    use std::cell::Cell;
    use std::io::Write;

    use truepath_core::picture::FileFormat;

    use super::*;

    /// Counts the bytes that are read.
    struct Counting<'c, R>(R, &'c Cell<u64>);

    impl<R: Read> Read for Counting<'_, R> {
        fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
            let read = self.0.read(into)?;
            self.1.set(self.1.get() + read as u64);
            Ok(read)
        }
    }

    impl<R: Seek> Seek for Counting<'_, R> {
        fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
            self.0.seek(to)
        }
    }

    /// Noise in chunks of a few hundred bytes, as some programs write them.
    fn png_of_small_chunks() -> Vec<u8> {
        let mut file = Vec::new();
        let mut encoder = png::Encoder::new(&mut file, 400, 400);
        encoder.set_color(png::ColorType::Rgb);
        encoder.set_compression(png::Compression::Fast);
        let mut header = encoder.write_header().unwrap();
        let mut writer = header.stream_writer_with_size(500).unwrap();
        let noise = (0..400 * 400 * 3_u32).map(|at| (at.wrapping_mul(2_654_435_761) >> 13) as u8);
        writer.write_all(&noise.collect::<Vec<u8>>()).unwrap();
        writer.finish().unwrap();
        header.finish().unwrap();
        file
    }

    #[test]
    fn the_bytes_of_a_picture_are_read_once_and_hashed_on_the_way() {
        let bytes = png_of_small_chunks();
        assert!(bytes.windows(4).filter(|name| name == b"IDAT").count() > 300);
        let png = FORMATS
            .iter()
            .find(|one| one.format == Some(FileFormat::Png));
        let wanted = ExpectedPicture::of_format(png.unwrap());
        let read = Cell::new(0);
        let counting = Counting(Cursor::new(&bytes), &read);
        let mut file = HashingReader::new(counting, &[HashKind::Blake3]);
        let mut meter = Meter::new(true);
        decode_with(&mut file, &wanted, &mut meter).unwrap();
        assert!(meter.measure().is_some());
        assert_eq!(file.finish().unwrap(), [crate::hash_bytes(&bytes)]);
        let (read, length) = (read.get(), bytes.len() as u64);
        assert!(
            read < length + 100,
            "{read} bytes read of a file of {length}"
        );
    }
}
