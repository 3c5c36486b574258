//! The strips and tiles of a TIFF picture: TIFF revision 6.0, sections 3 (strips), 9 (PackBits), 13
//! (LZW), 15 (tiles) and 22 (JPEG), and its supplement 2 for Deflate. They are decoded one after the
//! other and thrown away.

use std::io::{self, BufReader, Read, Seek, SeekFrom, Write};

use flate2::bufread::ZlibDecoder;
use weezl::BitOrder;
use weezl::decode::Decoder;

use super::directory::{TiffSource, cut_short};
use super::rows::PieceRows;
use crate::facts::Flaw;

/// How the pieces of a picture are stored.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Compression {
    None,
    Lzw,
    Deflate,
    PackBits,
    Jpeg,
}

impl Compression {
    /// Its word, for people.
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Lzw => "lzw",
            Self::Deflate => "zip",
            Self::PackBits => "packbits",
            Self::Jpeg => "jpeg",
        }
    }

    pub(super) fn of(number: u64) -> Result<Self, Flaw> {
        Ok(match number {
            1 => Self::None,
            5 => Self::Lzw,
            7 => Self::Jpeg,
            8 | 32946 => Self::Deflate,
            32773 => Self::PackBits,
            other => {
                return Err(Flaw::unverifiable(format!(
                    "TIFF compression {other} is not decoded"
                )));
            }
        })
    }
}

/// One strip or tile.
pub(super) struct StripPiece {
    /// Where it is, in bytes.
    pub(super) at: u64,
    /// How long it is as it is stored, in bytes.
    pub(super) stored: u64,
    /// Bytes of its pixels.
    pub(super) wanted: u64,
    /// Width and height in pixels.
    pub(super) size: (u64, u64),
}

/// Decodes one strip or tile into its rows.
pub(super) fn decode<R: Read + Seek>(
    source: &mut TiffSource<R>,
    piece: &StripPiece,
    compression: Compression,
    rows: &mut PieceRows<'_>,
    tables: Option<&[u8]>,
) -> Result<(), Flaw> {
    if piece
        .at
        .checked_add(piece.stored)
        .is_none_or(|end| end > source.length)
    {
        return Err(cut_short());
    }
    if compression == Compression::Jpeg {
        let stream = source.read(piece.at, piece.stored)?;
        let (width, height) = crate::jpeg::decode_inside(&stream, tables)?;
        return if (u64::from(width), u64::from(height)) >= piece.size
            && u64::from(height) >= piece.size.1
        {
            Ok(())
        } else {
            Err(too_few())
        };
    }
    source.file.seek(SeekFrom::Start(piece.at))?;
    let stored = BufReader::with_capacity(1 << 16, (&mut source.file).take(piece.stored));
    let broken = |error: io::Error| Flaw::Broken(error.to_string());
    match compression {
        Compression::None | Compression::Jpeg => {
            let mut stored = stored.take(piece.wanted);
            io::copy(&mut stored, rows).map_err(broken)?;
        }
        Compression::Deflate => {
            io::copy(&mut ZlibDecoder::new(stored), rows).map_err(broken)?;
        }
        Compression::Lzw => {
            let mut decoder = Decoder::with_tiff_size_switch(BitOrder::Msb, 8);
            let decoded = decoder.into_stream(&mut *rows).decode_all(stored);
            // Some writers leave the code at the end out.
            match decoded.status {
                Ok(()) => {}
                Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => {}
                Err(error) => return Err(broken(error)),
            }
        }
        Compression::PackBits => pack_bits(stored, rows).map_err(broken)?,
    }
    if rows.count >= piece.wanted {
        Ok(())
    } else {
        Err(too_few())
    }
}

fn too_few() -> Flaw {
    Flaw::Broken("a strip or tile ends before its pixels do".to_owned())
}

fn pack_bits(mut stored: impl Read, pixels: &mut PieceRows<'_>) -> io::Result<()> {
    let mut head = [0];
    let mut bytes = [0; 129];
    while stored.read(&mut head)? == 1 {
        match head[0] as i8 {
            i8::MIN => {}
            run @ ..0 => {
                stored.read_exact(&mut bytes[..1])?;
                let length = 1 + usize::from(run.unsigned_abs());
                let value = bytes[0];
                bytes[..length].fill(value);
                pixels.write_all(&bytes[..length])?;
            }
            literal @ 0.. => {
                let length = 1 + literal as usize;
                stored.read_exact(&mut bytes[..length])?;
                pixels.write_all(&bytes[..length])?;
            }
        }
    }
    Ok(())
}
