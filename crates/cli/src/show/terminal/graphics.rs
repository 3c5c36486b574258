//! The graphics protocol of kitty: a PNG in base 64, in pieces of 4096 bytes at most, each between an APC and its end.

use std::fmt::Write;
use std::io;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use truepath_media::Raster;

/// The most bytes of a piece.
const PIECE: usize = 4096;

/// What makes a terminal show a picture.
pub(super) fn stream(picture: &Raster) -> io::Result<String> {
    let mut png = Vec::new();
    picture.write_png(&mut png)?;
    let text = STANDARD.encode(png);
    let mut stream = String::new();
    let mut rest = text.as_str();
    let mut keys = "a=T,f=100,q=2,";
    while !rest.is_empty() {
        let (piece, after) = rest.split_at(rest.len().min(PIECE));
        let more = u8::from(!after.is_empty());
        // Writing into a text cannot fail.
        let _ = write!(stream, "\u{1b}_G{keys}m={more};{piece}\u{1b}\\");
        (rest, keys) = (after, "");
    }
    stream.push('\n');
    Ok(stream)
}

#[cfg(test)]
mod tests {
    use truepath_core::picture::Size;

    use super::*;

    #[test]
    fn the_stream_gives_the_pixels_back() {
        let side = 120;
        let mut picture = Raster::new(Size::square(side), [5, 6, 7]);
        // Noise, so that it takes several pieces.
        let mut state = 1_u32;
        for at in 0..side * side {
            state ^= state << 13;
            state ^= state >> 17;
            state ^= state << 5;
            let [red, green, blue, _] = state.to_le_bytes();
            picture.set(at % side, at / side, [red, green, blue]);
        }
        let stream = stream(&picture).unwrap();
        let mut base64 = String::new();
        let pieces: Vec<&str> = stream.trim_end().split_terminator("\u{1b}\\").collect();
        assert!(pieces.len() > 2);
        for (at, piece) in pieces.iter().enumerate() {
            let (keys, text) = piece
                .strip_prefix("\u{1b}_G")
                .unwrap()
                .split_once(';')
                .unwrap();
            assert_eq!(keys.contains("a=T,f=100"), at == 0);
            assert_eq!(keys.ends_with("m=0"), at + 1 == pieces.len());
            assert!(text.len() <= PIECE);
            base64.push_str(text);
        }
        let png = STANDARD.decode(base64).unwrap();
        let read = image::load_from_memory(&png).unwrap().to_rgb8();
        assert_eq!(read.as_raw(), picture.bytes());
    }
}
