//! TGA: TGA file format specification, version 2.0, of 1991.

use std::io::{BufRead, Read};

use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found};
use crate::passed_over::{cut_short, pass_over};

/// What the footer of version 2.0 ends with.
const SIGNATURE: &[u8] = b"TRUEVISION-XFILE.\0";
const FOOTER: usize = 26;

/// Decodes every pixel.
pub(crate) fn decode(
    mut reader: impl BufRead,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
) -> Result<Facts, Flaw> {
    let mut head = [0; 18];
    reader.read_exact(&mut head).map_err(cut_short)?;
    let short = |at: usize| u16::from_le_bytes([head[at], head[at + 1]]);
    let (kind, depth) = (head[2], head[16]);
    let map = if head[1] == 1 {
        u64::from(short(5)) * u64::from(head[7]).div_ceil(8)
    } else {
        0
    };
    let (channels, bits) = match (kind & 7, depth, head[7]) {
        (1, 8 | 16, 15 | 16 | 24) if head[1] == 1 => (Found::Known(Channels::Rgb), Bits::Eight),
        (1, 8 | 16, 32) if head[1] == 1 => (Found::Known(Channels::Rgba), Bits::Eight),
        (2, 15 | 16 | 24, _) => (Found::Known(Channels::Rgb), Bits::Eight),
        (2, 32, _) => (Found::Known(Channels::Rgba), Bits::Eight),
        (3, 8, _) => (Found::Known(Channels::Gray), Bits::Eight),
        (3, 16, _) => (Found::Known(Channels::GrayAlpha), Bits::Eight),
        _ => {
            return Err(Flaw::OtherFormat {
                wanted: "tga",
                found: "of no known format".to_owned(),
            });
        }
    };
    if !matches!(kind, 1..=3 | 9..=11) || short(12) == 0 || short(14) == 0 {
        return Err(Flaw::Broken("its header cannot be read".to_owned()));
    }
    let size = Size {
        width: short(12).into(),
        height: short(14).into(),
    };
    let mut facts = Facts::new(size, channels, Found::Known(bits));
    expect(&facts)?;
    pass_over(&mut reader, u64::from(head[0]) + map)?;
    let bytes = u64::from(depth.div_ceil(8));
    let pixels = u64::from(size.width) * u64::from(size.height);
    match kind {
        9..=11 => runs(&mut reader, pixels, bytes)?,
        _ => pass_over(&mut reader, pixels * bytes)?,
    }
    let mut tail = Vec::new();
    reader.take(1 << 20).read_to_end(&mut tail)?;
    if tail.is_empty() || (tail.len() >= FOOTER && tail.ends_with(SIGNATURE)) {
        return Ok(facts);
    }
    // Its first letters, at the place where they stand in a footer.
    let is_footer = (1..SIGNATURE.len())
        .rev()
        .any(|cut| cut >= 4 && tail.ends_with(&SIGNATURE[..cut]));
    if is_footer {
        Err(Flaw::Broken("it ends within its footer".to_owned()))
    } else {
        facts.note_bytes_after_the_end(tail.len());
        Ok(facts)
    }
}

/// Packets of up to 128 pixels: one pixel that repeats, or each for itself.
fn runs(reader: &mut impl BufRead, pixels: u64, bytes: u64) -> Result<(), Flaw> {
    let mut done = 0;
    while done < pixels {
        let mut head = [0];
        reader.read_exact(&mut head).map_err(cut_short)?;
        let count = u64::from(head[0] & 127) + 1;
        let stored = if head[0] & 128 == 0 { count } else { 1 };
        pass_over(reader, stored * bytes)?;
        done += count;
    }
    if done == pixels {
        Ok(())
    } else {
        Err(Flaw::Broken(
            "its last run is longer than the picture".to_owned(),
        ))
    }
}
