//! What a terminal shows of a frame.

use truepath_core::frames::Frame;
use truepath_core::picture::{DisplayOptions, Size};
use truepath_media::{ProxyOptions, Raster};
use truepath_runner::follow::pictures::PictureRow;
use truepath_runner::look::proxy_cache::cached_proxy;

use crate::data_view::DataView;
use crate::show::terminal::{Cells, Protocol};

/// Where pictures are drawn.
#[derive(Debug, Clone, Copy)]
pub(super) struct Canvas {
    pub(super) protocol: Protocol,
    pub(super) cells: Cells,
    /// Cells that pictures may take, across and down.
    pub(super) width: u32,
    pub(super) height: u32,
}

/// A frame as a display shows it, not larger than some pixels, and how; why it cannot be shown, where it cannot.
pub(super) fn drawn(
    row: &PictureRow,
    frame: Frame,
    within: Size,
    exposure: f32,
    data: DataView,
) -> Result<(Raster, DisplayOptions), String> {
    let path = row.path(frame).filter(|path| path.is_file());
    let path = path.ok_or_else(|| "missing".to_owned())?;
    let options = ProxyOptions {
        within,
        is_data: data.is_data(row),
    };
    let proxy = cached_proxy(&path, options).map_err(|flaw| flaw.to_string())?;
    let display = data.display(row, exposure, proxy.range());
    Ok((proxy.shown(display), display))
}
