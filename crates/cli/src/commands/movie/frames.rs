//! The frames of a movie: pictures as a display shows them, and what stands for those that are not there.

use std::borrow::Cow;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use clap::ValueEnum;
use jiff::Zoned;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::movie::Fps;
use truepath_core::picture::{DisplayOptions, PixelValues, Size};
use truepath_core::spread::spread_frames;
use truepath_core::template::TokenValue;
use truepath_media::{
    DisplayCurve, Flaw, Proxy, ProxyOptions, Raster, Weight, displayed, fitted_text, proxy,
    text_width,
};

use super::Arguments;
use super::source::MovieSource;
use crate::burn_in::BurnIn;
use crate::error::CommandError;

/// What stands for a frame that is missing or broken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(super) enum Missing {
    /// No movie is made
    Refuse,
    /// The frame before it
    Hold,
    /// Black, with the number of the frame
    Black,
    /// A slate that says what is wrong
    Slate,
}

/// Draws the frames of a movie.
pub(super) struct FramePainter<'m> {
    source: &'m MovieSource,
    /// The size of the movie in pixels: that of the first picture that is there, on even sides.
    pub(super) size: Size,
    /// The size of the pictures.
    pub(super) picture: Size,
    missing: Missing,
    burn_in: &'m BurnIn,
    fps: Fps,
    date: Zoned,
    /// How light is shown.
    curve: DisplayCurve,
    /// What the values of pixels are, where somebody says it.
    values: Option<PixelValues>,
    /// The values of data that are shown as black and white.
    range: Option<(f32, f32)>,
    stand_ins: AtomicU64,
}

const BLACK: [u8; 3] = [0; 3];
const GRAY: [u8; 3] = [40; 3];
const WHITE: [u8; 3] = [235; 3];
const ORANGE: [u8; 3] = [240, 160, 60];
/// Pixels around a text.
const MARGIN: u32 = 6;

impl<'m> FramePainter<'m> {
    pub(super) fn new(
        arguments: &'m Arguments,
        source: &'m MovieSource,
        fps: Fps,
    ) -> Result<Self, CommandError> {
        let mut painter = Self {
            source,
            size: Size::square(0),
            picture: Size::square(0),
            missing: arguments.missing,
            burn_in: &arguments.burn_in,
            fps,
            date: Zoned::now(),
            curve: DisplayCurve::new(arguments.transfer),
            values: arguments
                .values
                .or(source.is_data.then_some(PixelValues::Data)),
            range: None,
            stand_ins: AtomicU64::new(0),
        };
        if painter.values == Some(PixelValues::Data) {
            painter.range = painter.range_of_some();
        }
        // Mistakes in the text are found before anything is decoded.
        painter.text_of(source.frames.first().copied().unwrap_or(0))?;
        let mut first_fault = None;
        for frame in &source.frames {
            match painter.decoded(*frame) {
                Ok(first) => {
                    painter.picture = first.size();
                    painter.size = even(first.size());
                    break;
                }
                Err(fault) if painter.missing == Missing::Refuse => {
                    return Err(refused(source, *frame, &fault));
                }
                Err(fault) => first_fault = first_fault.or(Some((*frame, fault))),
            }
        }
        let least = 16;
        if painter.size.width < least || painter.size.height < least {
            return Err(match first_fault {
                Some((frame, fault)) if painter.picture.width == 0 => {
                    refused(source, frame, &fault)
                }
                _ => CommandError::Usage(format!(
                    "pictures of {} are too small for a movie: it takes {least} pixels on each side",
                    painter.picture
                )),
            });
        }
        Ok(painter)
    }

    /// How many frames something else stands for.
    pub(super) fn stand_ins(&self) -> u64 {
        self.stand_ins.load(Ordering::Relaxed)
    }

    fn path(&self, frame: Frame) -> Option<PathBuf> {
        self.source.path(frame).filter(|path| path.exists())
    }

    /// The values of data that are shown as black and white.
    pub(super) fn range(&self) -> Option<(f32, f32)> {
        self.range
    }

    /// The least and the greatest value of frames that are spread over all.
    fn range_of_some(&self) -> Option<(f32, f32)> {
        const SOME: u64 = 9;
        let frames = FrameSet::from_frames(self.source.frames.iter().copied());
        let ranges = spread_frames(&frames, SOME)
            .into_iter()
            .filter_map(|frame| {
                let data = data_of(&self.path(frame)?, Size::square(256));
                data.ok()?.range()
            });
        ranges.reduce(|(low, high), (least, most)| (low.min(least), high.max(most)))
    }

    fn decoded(&self, frame: Frame) -> Result<Raster, String> {
        let path = self.path(frame).ok_or_else(|| "it is missing".to_owned())?;
        let shown = match self.range {
            Some(range) => data_of(&path, Size::square(u32::MAX)).map(|data| {
                data.shown(DisplayOptions {
                    exposure: 0.0,
                    range: Some(range),
                    has_false_color: false,
                })
            }),
            None => displayed(&path, &self.curve, self.values),
        };
        shown.map_err(|flaw| flaw.to_string())
    }

    /// The picture of a frame; none where the frame before it stands there.
    pub(super) fn draw(&self, frame: Frame) -> Result<Option<Raster>, CommandError> {
        let fault = match self.decoded(frame) {
            Ok(raster) if raster.size() == self.picture => {
                let is_whole = self.size == self.picture;
                return Ok(Some(if is_whole {
                    raster
                } else {
                    raster.cut(self.size)
                }));
            }
            // Another size is no accident of one frame.
            Ok(raster) => {
                return Err(CommandError::Usage(format!(
                    "frame {frame} has {} pixels, and the first {}",
                    raster.size(),
                    self.picture
                )));
            }
            Err(fault) => fault,
        };
        if self.missing == Missing::Refuse {
            return Err(refused(self.source, frame, &fault));
        }
        self.stand_ins.fetch_add(1, Ordering::Relaxed);
        Ok(match self.missing {
            Missing::Refuse | Missing::Hold => None,
            Missing::Black => Some(self.card(BLACK, &[(format!("{frame}"), WHITE)])),
            Missing::Slate => {
                Some(self.card(GRAY, &[(format!("frame {frame}"), WHITE), (fault, ORANGE)]))
            }
        })
    }

    /// A black frame.
    pub(super) fn black(&self) -> Raster {
        Raster::new(self.size, BLACK)
    }

    /// What the movie shows, in words.
    pub(super) fn slate(&self) -> Raster {
        let frames = &self.source.frames;
        let range = match (frames.first(), frames.last()) {
            (Some(first), Some(last)) => {
                format!("frames {first} to {last}, {} in all", frames.len())
            }
            _ => String::new(),
        };
        self.card(
            GRAY,
            &[
                (self.source.name.clone(), WHITE),
                (range, WHITE),
                (
                    format!("{} frames per second, {}", self.fps, self.picture),
                    WHITE,
                ),
                (self.date.strftime("%Y-%m-%d %H:%M").to_string(), WHITE),
            ],
        )
    }

    /// Lines of text on a color.
    fn card(&self, color: [u8; 3], lines: &[(String, [u8; 3])]) -> Raster {
        let mut card = Raster::new(self.size, color);
        let height = Weight::Title.height() + MARGIN;
        let top = self.size.height.saturating_sub(height * lines.len() as u32) / 2;
        for (at, (line, color)) in (0..).zip(lines) {
            let room = self.size.width.saturating_sub(2 * MARGIN);
            let line = fitted_text(line, room, Weight::Title);
            let left = self
                .size
                .width
                .saturating_sub(text_width(&line, Weight::Title))
                / 2;
            card.text((left, top + at * height), &line, *color, Weight::Title);
        }
        card
    }

    /// A frame with the text in its corner.
    pub(super) fn lettered<'r>(&self, raster: &'r Raster, frame: Frame) -> Cow<'r, Raster> {
        let Ok(Some(text)) = self.text_of(frame) else {
            return Cow::Borrowed(raster);
        };
        let mut lettered = raster.clone();
        lettered.burn_in(&text, self.burn_in.corner);
        Cow::Owned(lettered)
    }

    /// The text of a frame.
    fn text_of(&self, frame: Frame) -> Result<Option<String>, CommandError> {
        let value = |name: &str| match name {
            "name" => TokenValue::Text(self.source.name.clone()),
            "frame" => TokenValue::Number(frame),
            "fps" => TokenValue::Text(self.fps.to_string()),
            "date" => TokenValue::Date(self.date.datetime()),
            _ => TokenValue::Unknown,
        };
        self.burn_in
            .text(&value, "{name}, {frame}, {fps} and {date}")
    }
}

/// A picture whose values are no light.
fn data_of(path: &Path, within: Size) -> Result<Proxy, Flaw> {
    let is_data = true;
    proxy(path, ProxyOptions { within, is_data })
}

fn refused(source: &MovieSource, frame: Frame, fault: &str) -> CommandError {
    let what = match source.path(frame) {
        Some(path) => format!("frame {frame}, {}", path.display()),
        None => format!("frame {frame} of {}", source.name),
    };
    CommandError::Usage(format!(
        "{what}: {fault}; choose what to show instead: --missing hold, black or slate"
    ))
}

/// Even sides, as H.264 needs them.
fn even(size: Size) -> Size {
    Size {
        width: size.width & !1,
        height: size.height & !1,
    }
}
