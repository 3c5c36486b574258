//! How values that are no light are shown: the options, and what they mean for a row of pictures.

use clap::Args;
use truepath_core::picture::DisplayOptions;
use truepath_runner::follow::pictures::PictureRow;

/// How values that are no light are shown, such as depth.
#[derive(Debug, Clone, Copy, Args)]
pub(crate) struct DataView {
    /// Show values as data, from this one in black to that one in white; unset, of data from the least to the greatest
    #[arg(long, value_name = "LOW,HIGH", value_parser = range, allow_hyphen_values = true)]
    range: Option<(f32, f32)>,
    /// Show values as data, in colors from dark blue over green and yellow to white in place of grays
    #[arg(long)]
    false_color: bool,
}

fn range(text: &str) -> Result<(f32, f32), String> {
    let values = text.split_once(',');
    let values = values.and_then(|(low, high)| {
        let number = |text: &str| text.trim().parse::<f32>().ok();
        Some((number(low)?, number(high)?))
    });
    values
        .filter(|(low, high)| low.is_finite() && high.is_finite() && low < high)
        .ok_or_else(|| "it takes two numbers, the lower one first, such as 0,25".to_owned())
}

impl DataView {
    /// Whether the values of a row are shown as data.
    pub(crate) fn is_data(&self, row: &PictureRow) -> bool {
        row.is_data || self.range.is_some() || self.false_color
    }

    /// How a row is shown: `found` are the least and the greatest value of its pictures.
    pub(crate) fn display(
        &self,
        row: &PictureRow,
        exposure: f32,
        found: Option<(f32, f32)>,
    ) -> DisplayOptions {
        DisplayOptions {
            exposure,
            range: self.range.or(found).filter(|_| self.is_data(row)),
            has_false_color: self.false_color,
        }
    }
}

/// Which values the ends of a range are, in words: `black 0.120, white 4.000`.
pub(crate) fn legend(display: DisplayOptions) -> Option<String> {
    let (low, high) = display.range?;
    let (dark, bright) = if display.has_false_color {
        ("blue", "white")
    } else {
        ("black", "white")
    };
    Some(format!("{dark} {low:.3}, {bright} {high:.3}"))
}
