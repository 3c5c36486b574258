//! The small pictures of a page, as many and as large as fit.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use rayon::prelude::*;
use truepath_core::file_state::FileState;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::picture::Size;
use truepath_core::spread::spread_frames;
use truepath_media::{Flaw, ProxyOptions};
use truepath_runner::follow::pictures::PictureRow;
use truepath_runner::look::proxy_cache::cached_proxy;

use crate::burn_in::RowText;
use crate::data_view::{DataView, legend};

/// What a page may take.
#[derive(Debug, Clone, Copy)]
pub(super) struct Budget {
    pub(super) bytes: u64,
    pub(super) fps: f64,
}

/// Pictures that belong together, and how they are shown.
pub(super) struct RowView<'r> {
    pub(super) row: &'r PictureRow,
    pub(super) text: &'r RowText,
    pub(super) data: DataView,
}

/// Pictures of a page that belong together.
pub(super) struct ShownRow {
    pub(super) title: String,
    pub(super) width: u32,
    pub(super) height: u32,
    pub(super) fps: f64,
    /// How many frames it has, also those that are not in the page.
    pub(super) total: u64,
    /// How many of all are not valid, by the word for their state.
    pub(super) not_valid: Vec<(&'static str, u64)>,
    /// Those in the page.
    pub(super) frames: Vec<ShownFrame>,
}

/// So many frames that are not valid are in the page, whatever their number.
const MOST_NOT_VALID: u64 = 200;

/// Frames spread over a row, and with them those that are not valid or suspicious.
fn frames_in_page(row: &PictureRow, most: u64) -> Vec<Frame> {
    let spread = FrameSet::from_frames(spread_frames(&row.frames, most));
    let marked = row.states.iter().chain(&row.suspicions);
    let with_marked = marked.fold(spread, |all, (_, frames)| {
        let some = FrameSet::from_frames(spread_frames(frames, MOST_NOT_VALID));
        all.union(&some).unwrap_or(all)
    });
    with_marked.iter().collect()
}

/// A frame of a page.
pub(super) struct ShownFrame {
    pub(super) frame: Frame,
    pub(super) state: &'static str,
    /// The code of a rule that says that it may be wrong though it is whole.
    pub(super) suspicion: Option<&'static str>,
    /// As a data URL; none where there is nothing to see.
    pub(super) picture: Option<String>,
    size: Option<(u32, u32)>,
}

impl ShownFrame {
    /// Its state, and the code of what may be wrong with it.
    pub(super) fn words(&self) -> String {
        match self.suspicion {
            None => self.state.to_owned(),
            Some(code) => format!("{}, {code}", self.state),
        }
    }
}

/// Pixels of the longer side, from the largest that is tried to the smallest.
const SIDES: [u32; 5] = [480, 360, 240, 160, 96];
/// The quality of the pictures, from 1 to 100.
const QUALITY: u8 = 78;
/// So many frames are tried to see how large they become.
const SAMPLES: u64 = 12;

/// The pictures of some rows, and what was left out to make them fit.
pub(super) fn shown_rows(rows: &[RowView<'_>], budget: Budget) -> (Vec<ShownRow>, Option<String>) {
    let frames: u64 = rows.iter().map(|view| view.row.frames.count()).sum();
    let samples: Vec<(&RowView<'_>, Frame)> = rows
        .iter()
        .flat_map(|view| {
            spread_frames(&view.row.frames, SAMPLES.div_ceil(rows.len() as u64))
                .into_iter()
                .map(move |frame| (view, frame))
        })
        .take(SAMPLES as usize * 4)
        .collect();
    let estimate = |side: u32| -> u64 {
        let bytes = samples.par_iter().map(|(view, frame)| {
            let shown = shown_frame(view, *frame, side, None);
            shown.picture.map_or(0, |picture| picture.len() as u64)
        });
        bytes.sum::<u64>() * frames / (samples.len() as u64).max(1)
    };
    // A tenth is left for texts and for what the samples do not show.
    let fits = |bytes: u64| bytes <= budget.bytes * 9 / 10;
    let smallest = SIDES[SIDES.len() - 1];
    let side = SIDES.iter().copied().find(|side| fits(estimate(*side)));
    let (side, part) = match side {
        Some(side) => (side, 1.0),
        None => {
            let bytes = estimate(smallest).max(1);
            (smallest, (budget.bytes * 9 / 10) as f64 / bytes as f64)
        }
    };
    let shown = rows.iter().map(|view| {
        let most = ((view.row.frames.count() as f64 * part).floor() as u64).max(1);
        let frames = frames_in_page(view.row, if part < 1.0 { most } else { u64::MAX });
        shown_row(view, &frames, side, budget.fps)
    });
    let shown: Vec<ShownRow> = shown.collect();
    let note = (part < 1.0).then(|| {
        let kept: usize = shown.iter().map(|row| row.frames.len()).sum();
        format!("{kept} of {frames} frames are in the page, spread over all: more do not fit, --size allows a larger one")
    });
    (shown, note)
}

fn shown_row(view: &RowView<'_>, frames: &[Frame], side: u32, fps: f64) -> ShownRow {
    let range = data_range(view);
    let frames: Vec<ShownFrame> = frames
        .par_iter()
        .map(|frame| shown_frame(view, *frame, side, range))
        .collect();
    let size = frames.iter().find_map(|one| one.size).unwrap_or((320, 180));
    let states = view.row.states.iter();
    let mut not_valid: Vec<(&'static str, u64)> = states
        .map(|(word, frames)| (*word, frames.count()))
        .collect();
    // What only decoding shows.
    for frame in frames
        .iter()
        .filter(|one| one.state != FileState::Valid.word())
    {
        if view.row.state(frame.frame).is_none() {
            match not_valid.iter_mut().find(|(word, _)| *word == frame.state) {
                Some((_, number)) => *number += 1,
                None => not_valid.push((frame.state, 1)),
            }
        }
    }
    let legend = legend(view.data.display(view.row, 0.0, range));
    let legend = legend.map_or_else(String::new, |legend| format!("  {legend}"));
    ShownRow {
        title: format!("{}{legend}", view.row.title),
        width: size.0,
        height: size.1,
        fps,
        total: view.row.frames.count(),
        not_valid,
        frames,
    }
}

/// The least and the greatest value of data, by some frames spread over it: the same for all, so that it does not
/// flicker.
fn data_range(view: &RowView<'_>) -> Option<(f32, f32)> {
    let row = view.row;
    if !view.data.is_data(row) {
        return None;
    }
    let options = ProxyOptions {
        within: Size::square(96),
        is_data: true,
    };
    let frames = spread_frames(&row.frames, 8);
    let ranges = frames.par_iter().filter_map(|frame| {
        let path = row.path(*frame)?;
        cached_proxy(&path, options).ok()?.range()
    });
    ranges.reduce_with(|(low, high), (least, most)| (low.min(least), high.max(most)))
}

fn shown_frame(
    view: &RowView<'_>,
    frame: Frame,
    longest: u32,
    range: Option<(f32, f32)>,
) -> ShownFrame {
    let row = view.row;
    let nothing = |state| ShownFrame {
        frame,
        state,
        suspicion: None,
        picture: None,
        size: None,
    };
    let state = row.state(frame);
    let Some(path) = row.path(frame).filter(|path| path.is_file()) else {
        return nothing(state.unwrap_or("missing"));
    };
    let options = ProxyOptions {
        within: Size::square(longest),
        is_data: view.data.is_data(row),
    };
    let proxy = match cached_proxy(&path, options) {
        Ok(proxy) => proxy,
        Err(Flaw::Unverifiable(_)) => return nothing("unverifiable"),
        Err(_) => return nothing("broken"),
    };
    let display = view.data.display(row, 0.0, range.or_else(|| proxy.range()));
    let mut bytes = Vec::new();
    let mut raster = proxy.shown(display);
    view.text.draw(frame, &mut raster);
    if raster.write_jpeg(&mut bytes, QUALITY).is_err() {
        return nothing("unverifiable");
    }
    ShownFrame {
        frame,
        state: state.unwrap_or("valid"),
        suspicion: row.suspicion(frame),
        picture: Some(format!("data:image/jpeg;base64,{}", STANDARD.encode(bytes))),
        size: Some((proxy.size.width, proxy.size.height)),
    }
}
