//! Decodes a picture whole and holds it against what was asked for.

use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom};
use std::path::Path;

use truepath_core::picture::format;

use crate::facts::{Facts, Flaw, Wanted};

/// Decodes every pixel of a file and holds it against what was asked for. Memory grows with a
/// block of the picture where the format is stored in blocks (EXR, PNG).
///
/// # Errors
/// The first thing that is wrong with the file.
pub fn verify(path: &Path, wanted: &Wanted) -> Result<Facts, Flaw> {
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
    file.seek(SeekFrom::Start(0))?;
    let reader = BufReader::with_capacity(1 << 16, file);
    // A decoder that panics on a damaged file has found it damaged.
    let decoded =
        std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| match wanted.format.name {
            "png" => crate::png_file::decode(reader),
            "exr" => crate::exr_file::decode(reader, &wanted.planes),
            "dpx" => crate::dpx_file::decode(reader),
            name => crate::image_file::decode(reader, name),
        }))
        .unwrap_or_else(|_| Err(Flaw::Broken("the decoder gave up on it".to_owned())))?;
    compare(wanted, decoded)
}

fn compare(wanted: &Wanted, facts: Facts) -> Result<Facts, Flaw> {
    let differs = |what, wanted: String, found: String| Flaw::Other {
        what,
        wanted,
        found,
    };
    if let Some(size) = wanted.size.filter(|size| *size != facts.size) {
        return Err(differs("size", size.to_string(), facts.size.to_string()));
    }
    if let Some(channels) = wanted
        .channels
        .filter(|channels| *channels != facts.channels)
    {
        return Err(differs(
            "set of channels",
            channels.to_string(),
            facts.channels.to_string(),
        ));
    }
    if let Some(bits) = wanted.bits.filter(|bits| *bits != facts.bits) {
        return Err(differs("depth", bits.to_string(), facts.bits.to_string()));
    }
    Ok(facts)
}

/// The format that the first bytes of a file tell.
fn format_of(head: &[u8]) -> Option<&'static str> {
    let name = match head {
        [0x89, b'P', b'N', b'G', ..] => "png",
        [0x76, 0x2f, 0x31, 0x01, ..] => "exr",
        [b'S', b'D', b'P', b'X', ..] | [b'X', b'P', b'D', b'S', ..] => "dpx",
        [0xff, 0xd8, 0xff, ..] => "jpeg",
        [b'I', b'I', 42, 0, ..] | [b'M', b'M', 0, 42, ..] => "tiff",
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
