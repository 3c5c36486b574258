//! How long a sound is: WAV, by its headers (RIFF, with the chunks `fmt ` and `data`).

use crate::regular_file::open_regular;
use std::io::{self, BufReader, Read, Seek, SeekFrom};
use std::path::Path;

/// The length of a WAV file in seconds.
///
/// # Errors
/// When it cannot be read, or is no WAV file.
pub fn wav_seconds(path: &Path) -> io::Result<f64> {
    let mut reader = BufReader::new(open_regular(path)?);
    let mut head = [0; 12];
    reader.read_exact(&mut head)?;
    if &head[..4] != b"RIFF" || &head[8..] != b"WAVE" {
        return Err(io::Error::other("it is no WAV file"));
    }
    let mut bytes_a_second = None;
    loop {
        let mut chunk = [0; 8];
        reader.read_exact(&mut chunk)?;
        let length = u32::from_le_bytes([chunk[4], chunk[5], chunk[6], chunk[7]]);
        match (&chunk[..4], bytes_a_second) {
            (b"data", Some(rate)) if rate > 0 => return Ok(f64::from(length) / f64::from(rate)),
            (b"fmt ", _) if length >= 16 => {
                let mut format = [0; 16];
                reader.read_exact(&mut format)?;
                let rate = [format[8], format[9], format[10], format[11]];
                bytes_a_second = Some(u32::from_le_bytes(rate));
                skip(&mut reader, length - 16)?;
            }
            _ => skip(&mut reader, length)?,
        }
    }
}

/// Chunks begin at even bytes.
fn skip(reader: &mut (impl Read + Seek), length: u32) -> io::Result<()> {
    reader.seek(SeekFrom::Current(i64::from(length) + i64::from(length % 2)))?;
    Ok(())
}
