//! Contact sheets: rows of small pictures with what they are called and what state they are in.

use truepath_core::picture::{Size, false_color};

use crate::raster::{Raster, Weight, fitted_text, text_width};

/// A row of a sheet.
#[derive(Debug, Clone, Default)]
pub struct SheetRow {
    /// What its pictures are, and how they are shown.
    pub title: String,
    /// Of data, the scale of their values, from the least to the greatest; whether it is in colors.
    pub scale: Option<bool>,
    /// The pictures.
    pub cells: Vec<SheetCell>,
}

/// A picture of a sheet.
#[derive(Debug, Clone, Default)]
pub struct SheetCell {
    /// What stands below it, such as its frame.
    pub label: String,
    /// A state that is not as it should be, which is drawn as such.
    pub state: Option<CellState>,
    /// The picture; none where there is none to see.
    pub picture: Option<Raster>,
}

/// A state that is drawn.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CellState {
    /// The word for it.
    pub word: String,
    /// Whether nothing good can be there, or it is only to be looked at.
    pub is_bad: bool,
}

/// What sheets look like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SheetOptions {
    /// Pixels of a page.
    pub page: Size,
    /// Pictures in a row.
    pub columns: u32,
}

const MARGIN: u32 = 16;
const GAP: u32 = 8;
/// Pixels of a scale across.
const SCALE: u32 = 96;
const BACKGROUND: [u8; 3] = [22, 24, 29];
const PLACE: [u8; 3] = [38, 41, 48];
const TEXT: [u8; 3] = [216, 218, 222];
const FAINT: [u8; 3] = [140, 144, 152];
const BAD: [u8; 3] = [235, 87, 87];
const DOUBTFUL: [u8; 3] = [226, 170, 60];

impl SheetOptions {
    /// The most pixels of a picture of a row on its longer side.
    #[must_use]
    pub fn picture(&self) -> u32 {
        let columns = self.columns.max(1);
        let across = self
            .page
            .width
            .saturating_sub(2 * MARGIN + (columns - 1) * GAP)
            / columns;
        // At least one row with its title fits onto a page.
        let down = self
            .page
            .height
            .saturating_sub(2 * MARGIN + head() + row_text());
        across.min(down).max(16)
    }

    /// Pixels of a row with pictures of so many pixels down.
    fn row(&self, picture: u32) -> u32 {
        picture + row_text()
    }
}

/// Pixels of the head of a page.
fn head() -> u32 {
    Weight::Title.height() + 2 * GAP
}

/// Pixels of the texts of a row.
fn row_text() -> u32 {
    Weight::Regular.height() * 2 + 3 * GAP
}

/// Draws the pages of a sheet, one after the other: `row` gives each row when its turn comes, so that no more than a
/// page is held. Gives whether a letter was missing in the font.
///
/// # Errors
/// What `page` gives.
pub fn draw_sheet<E>(
    title: &str,
    options: SheetOptions,
    rows: usize,
    row: &mut dyn FnMut(usize) -> SheetRow,
    page: &mut dyn FnMut(usize, &Raster) -> Result<(), E>,
) -> Result<bool, E> {
    let mut number = 0;
    let mut is_missing = false;
    let mut raster = begin(title, options, &mut is_missing);
    let mut top = MARGIN + head();
    let mut is_empty = true;
    for at in 0..rows {
        let row = row(at);
        let tallest = row.cells.iter().filter_map(|cell| cell.picture.as_ref());
        let tallest = tallest.map(|picture| picture.size().height).max();
        let height = tallest
            .unwrap_or(options.picture() * 9 / 16)
            .min(options.picture());
        let needed = options.row(height);
        if !is_empty && top + needed > options.page.height.saturating_sub(MARGIN) {
            page(number, &raster)?;
            number += 1;
            raster = begin(title, options, &mut is_missing);
            top = MARGIN + head();
        }
        is_missing |= draw_row(&mut raster, &row, options, top, height);
        top += needed;
        is_empty = false;
    }
    page(number, &raster)?;
    Ok(is_missing)
}

fn begin(title: &str, options: SheetOptions, is_missing: &mut bool) -> Raster {
    let mut raster = Raster::new(options.page, BACKGROUND);
    let title = fitted_text(
        title,
        options.page.width.saturating_sub(2 * MARGIN),
        Weight::Title,
    );
    *is_missing |= raster.text((MARGIN, MARGIN), &title, TEXT, Weight::Title);
    raster
}

fn draw_row(
    raster: &mut Raster,
    row: &SheetRow,
    options: SheetOptions,
    top: u32,
    height: u32,
) -> bool {
    let across = options.page.width.saturating_sub(2 * MARGIN);
    let room = across - row.scale.map_or(0, |_| (SCALE + GAP).min(across));
    let title = fitted_text(&row.title, room, Weight::Regular);
    let mut is_missing = raster.text((MARGIN, top), &title, TEXT, Weight::Regular);
    if let Some(has_colors) = row.scale {
        let left = MARGIN + text_width(&title, Weight::Regular) + GAP;
        draw_scale(raster, (left, top + 2), has_colors);
    }
    let top = top + Weight::Regular.height() + GAP;
    let width = options.picture();
    for (at, cell) in (0..options.columns).zip(&row.cells) {
        let left = MARGIN + at * (width + GAP);
        let shape = Size { width, height };
        raster.fill((left, top), shape, PLACE);
        if let Some(picture) = &cell.picture {
            let size = picture.size();
            let inside = (
                left + width.saturating_sub(size.width) / 2,
                top + height.saturating_sub(size.height) / 2,
            );
            raster.draw(inside, picture);
        }
        let below = top + height + GAP / 2;
        let label = fitted_text(&cell.label, width, Weight::Regular);
        is_missing |= raster.text((left, below), &label, FAINT, Weight::Regular);
        if let Some(state) = &cell.state {
            let color = if state.is_bad { BAD } else { DOUBTFUL };
            raster.frame((left, top), (width, height), color);
            raster.frame(
                (left + 1, top + 1),
                (width - 2, height.saturating_sub(2)),
                color,
            );
            if cell.picture.is_none() {
                cross(raster, (left, top), shape, color);
            }
            let word = fitted_text(&state.word, width, Weight::Regular);
            let wide = text_width(&word, Weight::Regular);
            let plate = Size {
                width: wide + 8,
                height: Weight::Regular.height() + 4,
            };
            raster.fill((left + 2, top + 2), plate, BACKGROUND);
            is_missing |= raster.text((left + 6, top + 4), &word, color, Weight::Regular);
        }
    }
    is_missing
}

/// The values of data from the least to the greatest, as they are shown.
fn draw_scale(raster: &mut Raster, (left, top): (u32, u32), has_colors: bool) {
    for x in 0..SCALE {
        let value = x as f32 / (SCALE - 1) as f32;
        let color = if has_colors {
            false_color(value)
        } else {
            [(value * 255.0).round() as u8; 3]
        };
        for y in 0..Weight::Regular.height() - 4 {
            raster.set(left + x, top + y, color);
        }
    }
}

/// Two lines from corner to corner.
fn cross(raster: &mut Raster, (left, top): (u32, u32), size: Size, color: [u8; 3]) {
    let longest = size.width.max(size.height).max(2);
    for at in 0..longest {
        let x = at * (size.width - 1) / (longest - 1);
        let y = at * (size.height.max(1) - 1) / (longest - 1);
        raster.set(left + x, top + y, color);
        raster.set(left + size.width - 1 - x, top + y, color);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const OPTIONS: SheetOptions = SheetOptions {
        page: Size {
            width: 400,
            height: 300,
        },
        columns: 2,
    };

    fn row(state: Option<&str>) -> SheetRow {
        let picture = Raster::new(
            Size {
                width: 100,
                height: 60,
            },
            [10, 200, 30],
        );
        let cell = SheetCell {
            label: "0001".to_owned(),
            state: state.map(|word| CellState {
                word: word.to_owned(),
                is_bad: true,
            }),
            picture: state.is_none().then_some(picture),
        };
        SheetRow {
            title: "dawn".to_owned(),
            scale: None,
            cells: vec![cell.clone(), cell],
        }
    }

    fn pages(rows: usize, state: Option<&str>) -> Vec<Raster> {
        let mut pages = Vec::new();
        let drawn = draw_sheet(
            "orrery",
            OPTIONS,
            rows,
            &mut |_| row(state),
            &mut |number, page| {
                assert_eq!(number, pages.len());
                pages.push(page.clone());
                Ok::<(), ()>(())
            },
        );
        assert_eq!(drawn, Ok(false));
        pages
    }

    #[test]
    fn rows_go_onto_as_many_pages_as_they_need() {
        assert_eq!(pages(0, None).len(), 1);
        assert_eq!(pages(2, None).len(), 1);
        assert_eq!(pages(5, None).len(), 3);
        let all = pages(1, None);
        // The pictures are there in their own colors.
        let green = all[0]
            .bytes()
            .chunks_exact(3)
            .filter(|pixel| *pixel == [10, 200, 30])
            .count();
        assert_eq!(green, 2 * 100 * 60);
    }

    #[test]
    fn what_is_missing_is_crossed_out_with_its_word() {
        let page = &pages(1, Some("missing"))[0];
        let red = page
            .bytes()
            .chunks_exact(3)
            .filter(|pixel| *pixel == BAD)
            .count();
        assert!(red > 1000, "{red}");
    }
}
