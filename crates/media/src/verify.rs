//! Decodes a picture whole and compares it with what was asked for.

use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom};
use std::path::Path;

use truepath_core::picture::format;

use crate::facts::{ExpectedPicture, Facts, Flaw, MOST_MEMORY};
use crate::quiet;

/// Decodes every pixel of a file and compares it with what was asked for. Memory grows with a block of
/// the picture at most, but for WebP (all pixels) and JPEG (the file).
///
/// # Errors
/// The first thing that is wrong with the file.
pub fn verify(path: &Path, wanted: &ExpectedPicture) -> Result<Facts, Flaw> {
    let mut file = File::open(path)?;
    let mut head = [0; 16];
    let length = read_up_to(&mut file, &mut head)?;
    if length == 0 {
        return Err(Flaw::Empty);
    }
    let found = format_of(&head[..length]);
    if found.is_some_and(|found| found != wanted.format.name)
        || (found.is_none() && wanted.format.name != "tga")
    {
        return Err(Flaw::OtherFormat {
            wanted: wanted.format.name,
            found: found.map_or_else(
                || "of no known format".to_owned(),
                |name| format!("{name} by its content"),
            ),
        });
    }
    let length = file.seek(SeekFrom::End(0))?;
    file.seek(SeekFrom::Start(0))?;
    let reader = BufReader::with_capacity(1 << 16, file);
    // Before anything is allocated by what the file says of itself.
    let expect = |facts: &Facts| facts.compare(wanted);
    // A decoder that panics on a damaged file has found it damaged.
    quiet::decoding(|| match wanted.format.name {
        "png" => crate::png_file::decode(reader, &expect),
        "exr" => crate::exr_file::decode(reader, wanted),
        "dpx" => crate::dpx_file::decode(reader, &expect),
        "tiff" => crate::tiff::decode(reader, &expect),
        "tga" => crate::tga_file::decode(reader, &expect),
        "bmp" => crate::bmp_file::decode(reader, &expect),
        "hdr" => crate::hdr_file::decode(reader, &expect),
        "webp" => crate::webp_file::decode(reader, &expect),
        "jpeg" => {
            let facts = crate::jpeg::decode(&whole(reader, length)?)?;
            expect(&facts)?;
            Ok(facts)
        }
        other => Err(Flaw::unverifiable(format!("{other} is not decoded"))),
    })
    .unwrap_or_else(|| Err(Flaw::Broken("the decoder gave up on it".to_owned())))
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
fn format_of(head: &[u8]) -> Option<&'static str> {
    let name = match head {
        [0x89, b'P', b'N', b'G', ..] => "png",
        [0x76, 0x2f, 0x31, 0x01, ..] => "exr",
        [b'S', b'D', b'P', b'X', ..] | [b'X', b'P', b'D', b'S', ..] => "dpx",
        [0xff, 0xd8, 0xff, ..] => "jpeg",
        [b'I', b'I', 42 | 43, 0, ..] | [b'M', b'M', 0, 42 | 43, ..] => "tiff",
        [b'B', b'M', ..] => "bmp",
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
        ] => "webp",
        [b'#', b'?', b'R', ..] => "hdr",
        _ => return None,
    };
    format(name).map(|facts| facts.name)
}

fn read_up_to(file: &mut File, buffer: &mut [u8]) -> io::Result<usize> {
    let mut filled = 0;
    while filled < buffer.len() {
        match file.read(&mut buffer[filled..])? {
            0 => break,
            read => filled += read,
        }
    }
    Ok(filled)
}
