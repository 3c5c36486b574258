//! Writes many paths, one a line, as fast as they can be copied.

use crate::frames::FrameSet;
use crate::template::{FrameField, PathPattern, Piece};

/// Bytes that are gathered before they are handed on.
const BATCH: usize = 1 << 16;

/// Hands on every path of a pattern, one a line, in batches of whole lines; memory does not grow
/// with their number.
///
/// # Errors
/// The first error that `take` gives.
pub fn list<E>(
    pattern: &PathPattern,
    frames: &FrameSet,
    take: &mut dyn FnMut(&[u8]) -> Result<(), E>,
) -> Result<(), E> {
    let mut batch: Vec<u8> = Vec::with_capacity(BATCH + 4096);
    for frame in frames.iter() {
        for piece in pattern.pieces() {
            match piece {
                Piece::Text(text) => batch.extend_from_slice(text.as_bytes()),
                Piece::Frame(field) => digits(*field, frame, &mut batch),
            }
        }
        batch.push(b'\n');
        if batch.len() >= BATCH {
            take(&batch)?;
            batch.clear();
        }
        if !pattern.has_frame() {
            break;
        }
    }
    take(&batch)
}

fn digits(field: FrameField, frame: i64, out: &mut Vec<u8>) {
    let least = match field {
        FrameField::Digits(digits) => usize::from(digits),
        FrameField::Any => 1,
    };
    let mut buffer = [b'0'; 20];
    let mut at = buffer.len();
    let mut rest = frame.unsigned_abs();
    while rest > 0 {
        at -= 1;
        buffer[at] = b'0' + (rest % 10) as u8;
        rest /= 10;
    }
    if frame < 0 {
        out.push(b'-');
    }
    out.extend_from_slice(&buffer[at.min(buffer.len() - least)..]);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lists_what_the_pattern_writes() {
        let pattern = PathPattern::new([
            Piece::Text("a.".into()),
            Piece::Frame(FrameField::Digits(4)),
            Piece::Text(".png".into()),
        ]);
        let frames: FrameSet = "-12-3,9998-10001,1000000".parse().unwrap();
        let mut listed = Vec::new();
        list(&pattern, &frames, &mut |batch| {
            listed.extend_from_slice(batch);
            Ok::<(), ()>(())
        })
        .unwrap();
        let plain: String = frames
            .iter()
            .map(|frame| pattern.path(frame) + "\n")
            .collect();
        assert_eq!(String::from_utf8(listed).unwrap(), plain);
    }
}
