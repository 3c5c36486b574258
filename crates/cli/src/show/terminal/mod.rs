//! Pictures in a terminal: by half blocks, which every terminal with true color shows, by sixels, or by the graphics
//! protocol of kitty, which several terminals take.

pub(crate) mod blocks;
mod graphics;
pub(crate) mod keys;
mod sixel;

use std::io;

use clap::ValueEnum;
use truepath_core::picture::Size;
use truepath_media::Raster;

/// How pictures reach a terminal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Protocol {
    /// Two pixels in each cell
    Blocks,
    /// Sixels, as many terminals show them
    Sixel,
    /// The graphics protocol of kitty
    Graphics,
}

/// The cells of a terminal, and the pixels of each.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Cells {
    /// Across and down.
    pub(crate) count: Size,
    /// Pixels of a cell.
    pub(crate) pixels: Size,
}

impl Cells {
    /// Those of the terminal that standard output is, or some that fit anywhere.
    pub(crate) fn of_terminal() -> Self {
        let usual = Self {
            count: Size {
                width: 80,
                height: 24,
            },
            pixels: Size {
                width: 8,
                height: 16,
            },
        };
        let Ok(size) = rustix::termios::tcgetwinsize(io::stdout()) else {
            return usual;
        };
        if size.ws_col == 0 || size.ws_row == 0 {
            return usual;
        }
        let side = |pixels: u16, cells: u16, usual: u32| match pixels / cells {
            0 => usual,
            pixels => u32::from(pixels),
        };
        Self {
            count: Size {
                width: size.ws_col.into(),
                height: size.ws_row.into(),
            },
            pixels: Size {
                width: side(size.ws_xpixel, size.ws_col, usual.pixels.width),
                height: side(size.ws_ypixel, size.ws_row, usual.pixels.height),
            },
        }
    }
}

impl Protocol {
    /// What the terminal says of itself in variables; half blocks where it says nothing.
    pub(crate) fn usual() -> Self {
        let variable = |name: &str| std::env::var(name).unwrap_or_default().to_lowercase();
        Self::of_terminal(&variable("TERM"), &variable("TERM_PROGRAM"))
    }

    fn of_terminal(term: &str, program: &str) -> Self {
        let is = |names: &[&str]| {
            names
                .iter()
                .any(|name| term.contains(name) || program.contains(name))
        };
        if is(&["kitty", "ghostty", "wezterm"]) {
            Self::Graphics
        } else if is(&["sixel", "foot", "mlterm", "contour"]) {
            Self::Sixel
        } else {
            Self::Blocks
        }
    }

    /// The pixels that fit into some cells.
    pub(crate) fn room(self, cells: Cells, across: u32, down: u32) -> Size {
        match self {
            Self::Blocks => Size {
                width: across,
                height: down.saturating_mul(2),
            },
            Self::Sixel | Self::Graphics => Size {
                width: across.saturating_mul(cells.pixels.width),
                height: down.saturating_mul(cells.pixels.height),
            },
        }
    }

    /// What makes a terminal show a picture, with a new line at its end.
    pub(crate) fn stream(self, picture: &Raster) -> io::Result<String> {
        match self {
            Self::Blocks => {
                let mut stream = blocks::lines(picture).join("\n");
                stream.push('\n');
                Ok(stream)
            }
            Self::Sixel => Ok(sixel::stream(picture)),
            Self::Graphics => graphics::stream(picture),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn terminals_are_known_by_what_they_call_themselves() {
        assert_eq!(
            Protocol::of_terminal("xterm-256color", ""),
            Protocol::Blocks
        );
        assert_eq!(Protocol::of_terminal("xterm-kitty", ""), Protocol::Graphics);
        assert_eq!(
            Protocol::of_terminal("xterm-256color", "wezterm"),
            Protocol::Graphics
        );
        assert_eq!(Protocol::of_terminal("foot-extra", ""), Protocol::Sixel);
    }
}
