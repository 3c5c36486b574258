//! Cuts a path into digit runs and the rest.

use std::fmt::Write;

use crate::frames::{Frame, FrameSet, StepRange};
use crate::template::{FrameField, PathPattern, Piece};

use super::member::{Run, Sequence};

/// A path in which every run of digits is replaced by its length: `shot4/beauty.4.exr`. What has the
/// same outline has its digits in the same places. The rest has no digits, so the lengths stand out.
pub(super) type NameOutline = String;

/// A sequence as pieces whose digit runs have fixed lengths.
pub(super) fn members(
    index: usize,
    pattern: &PathPattern,
    frames: &FrameSet,
) -> Vec<(NameOutline, Sequence)> {
    let mut widths: Vec<u8> = pattern
        .pieces()
        .iter()
        .filter_map(|piece| match piece {
            Piece::Frame(FrameField::Digits(digits)) => Some(*digits),
            Piece::Frame(FrameField::Any) => Some(1),
            Piece::Text(_) => None,
        })
        .collect();
    widths.sort_unstable();
    widths.dedup();
    let ranges: Vec<StepRange> = if widths.is_empty() {
        frames.first().map(StepRange::single).into_iter().collect()
    } else {
        frames.ranges().to_vec()
    };
    ranges
        .iter()
        .flat_map(|range| by_length(range, &widths))
        .map(|frames| {
            let (outline, runs) = cut(pattern, &frames);
            (
                outline,
                Sequence {
                    index,
                    runs,
                    frames,
                },
            )
        })
        .collect()
}

/// A range in pieces of which every frame is printed with the same number of digits.
fn by_length(range: &StepRange, widths: &[u8]) -> Vec<StepRange> {
    let Some(smallest) = widths.first() else {
        return vec![*range];
    };
    if range.first() >= 0 && range.last() < 10_i64.pow(u32::from((*smallest).min(18))) {
        return vec![*range];
    }
    let mut borders: Vec<Frame> = vec![0];
    for digits in *smallest..18 {
        let border = 10_i64.pow(u32::from(digits));
        borders.extend([border, 1 - border]);
    }
    borders.sort_unstable();
    let mut pieces = Vec::new();
    let mut rest = Some(*range);
    for border in borders {
        let Some(now) = rest else { break };
        if border <= now.first() {
            continue;
        }
        pieces.extend(StepRange::new(
            now.first(),
            now.last().min(border - 1),
            now.step(),
        ));
        let behind = (border - now.first() + now.step() - 1) / now.step() * now.step();
        rest = StepRange::new(now.first() + behind, now.last(), now.step());
    }
    pieces.extend(rest);
    pieces
}

fn cut(pattern: &PathPattern, frames: &StepRange) -> (NameOutline, Vec<Run>) {
    let mut cutter = Cutter {
        outline: NameOutline::with_capacity(128),
        runs: Vec::with_capacity(8),
        digits: 0,
    };
    let negative = frames.last() < 0;
    let length = frames.first().unsigned_abs().to_string().len();
    for piece in pattern.pieces() {
        match piece {
            Piece::Text(text) => cutter.text(text),
            Piece::Frame(field) => {
                if negative {
                    cutter.text("-");
                }
                let width = match field {
                    FrameField::Digits(digits) => usize::from(*digits),
                    FrameField::Any => 1,
                };
                cutter.number(length.max(width), 0, if negative { -1 } else { 1 });
            }
        }
    }
    cutter.end_digits();
    (cutter.outline, cutter.runs)
}

struct Cutter {
    outline: NameOutline,
    runs: Vec<Run>,
    /// Digits of the run that is being read.
    digits: usize,
}

impl Cutter {
    fn text(&mut self, mut text: &str) {
        while let Some(at) = text.find(|c: char| c.is_ascii_digit()) {
            self.plain(&text[..at]);
            let digit = text.as_bytes()[at] - b'0';
            self.number(1, i128::from(digit), 0);
            text = &text[at + 1..];
        }
        self.plain(text);
    }

    fn plain(&mut self, text: &str) {
        if !text.is_empty() {
            self.end_digits();
            self.outline.push_str(text);
        }
    }

    fn number(&mut self, digits: usize, base: i128, scale: i128) {
        if self.digits == 0 {
            self.runs.push(Run { base: 0, scale: 0 });
        }
        self.digits += digits;
        let shift = 10_i128
            .checked_pow(u32::try_from(digits).unwrap_or(0))
            .unwrap_or(1);
        if let Some(run) = self.runs.last_mut() {
            // Runs of more than some 35 digits lose their highest places, which only makes them
            // meet more often than they should.
            run.base = run.base.wrapping_mul(shift).wrapping_add(base);
            run.scale = run.scale.wrapping_mul(shift).wrapping_add(scale);
        }
    }

    fn end_digits(&mut self) {
        if self.digits > 0 {
            // Into a text nothing fails.
            let _ = write!(self.outline, "{}", self.digits);
            self.digits = 0;
        }
    }
}
