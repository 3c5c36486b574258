//! The worst frames as a sheet.

use std::path::Path;

use truepath_core::picture::{DisplayOptions, Size};
use truepath_media::{
    CellState, Pair, ProxyOptions, Raster, SheetCell, SheetOptions, SheetRow, draw_sheet, proxy,
};

use super::{Arguments, usable_memory};
use crate::compared::{Compared, ComparedFrame};

/// The worst frames of both sides side by side, and what differs.
pub(super) fn draw(compared: &Compared, names: &[String; 2], arguments: &Arguments) -> Raster {
    let options = SheetOptions {
        page: Size {
            width: 1280,
            height: 0,
        },
        columns: 3,
    };
    let most = arguments.worst.clamp(1, 12);
    // Frames that do not differ are no news, unless there is nothing else.
    let differs = |one: &&ComparedFrame| !one.is_alike();
    let count = compared
        .frames
        .iter()
        .filter(differs)
        .count()
        .clamp(1, most);
    let worst = &compared.frames[..compared.frames.len().min(count)];
    let longest = 400;
    let options = SheetOptions {
        page: Size {
            height: 80 + worst.len().max(1) as u32 * (longest + 60),
            ..options.page
        },
        ..options
    };
    let mut row = |at: usize| row_of(&worst[at], arguments, longest.min(options.picture()));
    let title = format!(
        "{}  {}  difference x {}",
        names[0], names[1], arguments.gain
    );
    let mut page = Raster::new(options.page, [0; 3]);
    let mut take = |_: usize, raster: &Raster| {
        page = raster.clone();
        Ok::<(), std::convert::Infallible>(())
    };
    let Ok(_) = draw_sheet(&title, options, worst.len(), &mut row, &mut take);
    page.without_empty_bottom(16)
}

fn row_of(one: &ComparedFrame, arguments: &Arguments, longest: u32) -> SheetRow {
    let pair = pair_of(one);
    let sides = pair.as_ref().map(|pair| pair.sides(longest));
    let alone = |path: &Path| {
        let options = ProxyOptions {
            within: Size::square(longest),
            is_data: false,
        };
        let proxy = proxy(path, options).ok()?;
        Some(proxy.shown(DisplayOptions::default()))
    };
    let [first, second] = match sides {
        Some(sides) => sides.map(Some),
        None => [alone(&one.paths.0), alone(&one.paths.1)],
    };
    let values = arguments.values.compared();
    let difference = pair.map(|pair| pair.picture(values, arguments.gain).reduced(longest));
    let label = match &one.result {
        Ok(seen) => format!(
            "largest {:.5}, {:.2}% of the pixels",
            seen.largest,
            seen.share * 100.0
        ),
        Err(error) => error.to_string(),
    };
    let cell = |label: &str, picture: Option<Raster>| SheetCell {
        label: label.to_owned(),
        state: picture.is_none().then(|| CellState {
            word: "not to be compared".to_owned(),
            is_bad: true,
        }),
        picture,
    };
    SheetRow {
        title: format!("{} {}", one.pass(), one.frame),
        scale: None,
        cells: vec![
            cell("first", first),
            cell("second", second),
            cell(&label, difference),
        ],
    }
}

/// The pictures of a frame, or of one layer of it.
fn pair_of(one: &ComparedFrame) -> Option<Pair> {
    let (first, second) = &one.paths;
    if one.layer.is_empty() {
        return Pair::read(first, second, usable_memory()).ok();
    }
    let layers = Pair::by_layer(first, second, usable_memory()).ok()?;
    let (_, pair) = layers.into_iter().find(|(name, _)| *name == one.layer)?;
    pair.ok()
}
