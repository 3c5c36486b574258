//! Texts in the corners of pictures that are shown: the options, and what they make.

use clap::Args;
use truepath_core::command::{burn_in_of, fill};
use truepath_core::frames::Frame;
use truepath_core::movie::Corner;
use truepath_core::template::{Template, TokenValue};
use truepath_runner::follow::pictures::PictureRow;

use crate::error::CommandError;
use crate::picture_arguments::ChosenPictures;

/// A text in every picture, and where it stands.
#[derive(Debug, Clone, Args)]
pub(crate) struct BurnIn {
    /// A text in every picture: of folders and files with the tokens {name}, {frame} and {date}, and {fps} in movies; of a
    /// job with those of the job in sheets and reports
    #[arg(long = "burn-in", value_name = "TEXT")]
    template: Option<Template>,
    /// Where that text stands: top-left, top-right, bottom-left or bottom-right
    #[arg(long, value_name = "CORNER", default_value = "bottom-left", value_parser = corner)]
    pub(crate) corner: Corner,
}

fn corner(text: &str) -> Result<Corner, String> {
    Corner::of_word(text)
        .ok_or_else(|| format!("one of {}", Corner::ALL.map(Corner::word).join(", ")))
}

impl BurnIn {
    /// The text with the values of its tokens; none where there is none. `known` are the tokens that have some.
    pub(crate) fn text(
        &self,
        value: &dyn Fn(&str) -> TokenValue,
        known: &str,
    ) -> Result<Option<String>, CommandError> {
        let Some(template) = &self.template else {
            return Ok(None);
        };
        fill(template, value)
            .map_err(|error| CommandError::Usage(format!("--burn-in: {error}; it takes {known}")))
    }

    /// The texts of rows of pictures, in their order: of a job with the values of its deliverables.
    pub(crate) fn of_rows(&self, chosen: &ChosenPictures) -> Result<Vec<RowText>, CommandError> {
        let date = jiff::Zoned::now().datetime();
        let of_row = |(at, row): (usize, &PictureRow)| {
            let mut burn_in = self.clone();
            if let (Some(template), Some(one)) = (&self.template, chosen.deliverable(at)) {
                let filled = burn_in_of(template, one);
                let filled =
                    filled.map_err(|error| CommandError::Usage(format!("--burn-in: {error}")))?;
                burn_in.template = Some(filled);
            }
            let name = row.title.clone();
            let text = RowText {
                burn_in,
                name,
                date,
            };
            // A mistake is found before anything is decoded.
            text.try_of(row.frames.first().unwrap_or(0))?;
            Ok(text)
        };
        chosen.rows.iter().enumerate().map(of_row).collect()
    }
}

/// The text of the pictures of a row.
pub(crate) struct RowText {
    burn_in: BurnIn,
    name: String,
    date: jiff::civil::DateTime,
}

impl RowText {
    /// Draws the text of a frame.
    pub(crate) fn draw(&self, frame: Frame, picture: &mut truepath_media::Raster) {
        if let Ok(Some(text)) = self.try_of(frame) {
            picture.burn_in(&text, self.burn_in.corner);
        }
    }

    fn try_of(&self, frame: Frame) -> Result<Option<String>, CommandError> {
        let value = |name: &str| match name {
            "name" => TokenValue::Text(self.name.clone()),
            "frame" => TokenValue::Number(frame),
            "date" => TokenValue::Date(self.date),
            _ => TokenValue::Unknown,
        };
        self.burn_in.text(&value, "{name}, {frame} and {date}")
    }
}
