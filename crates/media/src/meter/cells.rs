//! A picture in small cells, of which it is known whether all of their pixels have one value: parts that were
//! never rendered show as rectangles of such cells.

use truepath_core::picture::{BlankPart, Size};
use xxhash_rust::xxh3::xxh3_64;

use super::RowPart;

/// The side of a cell in pixels, of pictures that are not very large.
const SIDE: u32 = 8;
/// Of larger pictures there are so many cells across or down at most.
const MOST: u32 = 512;

/// What is known of a cell.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Cell {
    Unseen,
    /// All pixels so far have the value with this digest.
    Constant(u32),
    Mixed,
}

/// The cells of a picture.
pub(crate) struct Cells {
    size: Size,
    side: u32,
    across: u32,
    cells: Vec<Cell>,
    /// How many cells of each line are not mixed.
    unmixed: Vec<u32>,
}

impl Cells {
    pub(super) fn new(size: Size) -> Self {
        let longest = size.width.max(size.height);
        let side = longest.div_ceil(MOST).next_power_of_two().max(SIDE);
        let (across, down) = (size.width.div_ceil(side), size.height.div_ceil(side));
        Self {
            size,
            side,
            across,
            cells: vec![Cell::Unseen; across as usize * down as usize],
            unmixed: vec![across; down as usize],
        }
    }

    /// Cells whose values are known: `across` and `down` of them, each with a digest where it has one value.
    pub(crate) fn of_values(
        size: Size,
        side: u32,
        (across, down): (u32, u32),
        value: impl Fn(u32, u32) -> Option<u32>,
    ) -> Self {
        let cell = |at: u32| value(at % across, at / across).map_or(Cell::Mixed, Cell::Constant);
        Self {
            size,
            side,
            across,
            cells: (0..across * down).map(cell).collect(),
            unmixed: Vec::new(),
        }
    }

    /// Takes the samples of a row, or of a part of it that begins at a column.
    pub(super) fn row(&mut self, column: u32, row: u32, parts: &[RowPart<'_>]) {
        let unmixed = self.unmixed.get_mut((row / self.side) as usize);
        let Some(unmixed) = unmixed.filter(|unmixed| **unmixed > 0) else {
            return;
        };
        let Some(first) = parts.iter().find(|part| part.first.is_some()) else {
            return;
        };
        let width = (first.bytes.len() / first.pixel().max(1)) as u32;
        let end = (column + width).min(self.size.width);
        let line = (row / self.side) as usize * self.across as usize;
        let mut at = column;
        while at < end {
            let place = line + (at / self.side) as usize;
            let next = ((at / self.side + 1) * self.side).min(end);
            let known = self.cells[place];
            if known != Cell::Mixed {
                let (from, to) = ((at - column) as usize, (next - column) as usize);
                self.cells[place] = match value(parts, from, to) {
                    Some(value) if known == Cell::Unseen || known == Cell::Constant(value) => {
                        Cell::Constant(value)
                    }
                    _ => {
                        *unmixed -= 1;
                        Cell::Mixed
                    }
                };
            }
            at = next;
        }
    }

    /// The largest part of one value with straight edges; none where the whole picture has one value.
    pub(crate) fn blank(&self) -> Option<BlankPart> {
        let mut largest: Option<BlankPart> = None;
        let mut take = |part: Option<BlankPart>| {
            if part.is_some_and(|part| largest.is_none_or(|known| part.area() > known.area())) {
                largest = part;
            }
        };
        let mut seen = vec![false; self.cells.len()];
        for place in 0..self.cells.len() {
            if let (Cell::Constant(_), false) = (self.cells[place], seen[place]) {
                take(self.rectangle(place, &mut seen));
            }
        }
        self.edges().into_iter().for_each(|edge| take(Some(edge)));
        largest
    }

    fn down(&self) -> u32 {
        self.cells.len() as u32 / self.across.max(1)
    }

    /// The cells of one value around a place, where they fill a rectangle.
    fn rectangle(&self, place: usize, seen: &mut [bool]) -> Option<BlankPart> {
        let value = self.cells[place];
        let across = self.across as usize;
        let (mut open, mut count) = (vec![place], 0_usize);
        let (mut left, mut right, mut top, mut bottom) = (usize::MAX, 0, usize::MAX, 0);
        seen[place] = true;
        while let Some(place) = open.pop() {
            let (x, y) = (place % across, place / across);
            count += 1;
            (left, right) = (left.min(x), right.max(x));
            (top, bottom) = (top.min(y), bottom.max(y));
            let beside = [
                (x > 0).then(|| place - 1),
                (x + 1 < across).then(|| place + 1),
                place.checked_sub(across),
                Some(place + across).filter(|place| *place < self.cells.len()),
            ];
            for next in beside.into_iter().flatten() {
                if !seen[next] && self.cells[next] == value {
                    seen[next] = true;
                    open.push(next);
                }
            }
        }
        let (width, height) = (right + 1 - left, bottom + 1 - top);
        let is_filled = width * height == count;
        let is_large = width >= 2 && height >= 2;
        let is_all = count == self.cells.len();
        (is_filled && is_large && !is_all).then(|| self.part(left, top, width, height))
    }

    /// Whole rows at the top and at the bottom, and whole columns at either side, that have one value: the
    /// same value may go on in the picture.
    fn edges(&self) -> Vec<BlankPart> {
        let (across, down) = (self.across as usize, self.down() as usize);
        if self.cells.is_empty() {
            return Vec::new();
        }
        let row =
            |y: usize| -> Option<Cell> { same((0..across).map(|x| self.cells[y * across + x])) };
        let column =
            |x: usize| -> Option<Cell> { same((0..down).map(|y| self.cells[y * across + x])) };
        let top = run(&mut (0..down).map(row));
        let bottom = run(&mut (0..down).rev().map(row));
        let left = run(&mut (0..across).map(column));
        let right = run(&mut (0..across).rev().map(column));
        let at = |x: usize, y: usize| self.cells[y * across + x];
        let mut parts = Vec::new();
        if has_edge(top, down, at(0, 0), |y| (0..across).map(move |x| at(x, y))) {
            parts.push(self.part(0, 0, across, top));
        }
        let from_below = |y| (0..across).map(move |x| at(x, down - 1 - y));
        if has_edge(bottom, down, at(0, down - 1), from_below) {
            parts.push(self.part(0, down - bottom, across, bottom));
        }
        if has_edge(left, across, at(0, 0), |x| (0..down).map(move |y| at(x, y))) {
            parts.push(self.part(0, 0, left, down));
        }
        let from_right = |x| (0..down).map(move |y| at(across - 1 - x, y));
        if has_edge(right, across, at(across - 1, 0), from_right) {
            parts.push(self.part(across - right, 0, right, down));
        }
        parts
    }

    /// A rectangle of cells in pixels.
    fn part(&self, left: usize, top: usize, width: usize, height: usize) -> BlankPart {
        let pixels = |cells: usize| cells as u32 * self.side;
        BlankPart {
            left: pixels(left),
            top: pixels(top),
            width: pixels(left + width).min(self.size.width) - pixels(left),
            height: pixels(top + height).min(self.size.height) - pixels(top),
        }
    }
}

/// Whether `length` of `of` lines of one value end with an edge: most cells of the next line have another value.
/// Without one only what is large stands out from a plain background.
fn has_edge<I: Iterator<Item = Cell>>(
    length: usize,
    of: usize,
    value: Cell,
    line: impl Fn(usize) -> I,
) -> bool {
    if !(1..of).contains(&length) {
        return false;
    }
    let (mut alike, mut cells) = (0, 0);
    for cell in line(length) {
        alike += usize::from(cell == value);
        cells += 1;
    }
    alike * 2 < cells || length * 3 >= of
}

/// The value that all cells have.
fn same(mut cells: impl Iterator<Item = Cell>) -> Option<Cell> {
    let first = cells.next()?;
    (matches!(first, Cell::Constant(_)) && cells.all(|cell| cell == first)).then_some(first)
}

/// How many of some lines, from the first on, have the same value.
fn run(lines: &mut dyn Iterator<Item = Option<Cell>>) -> usize {
    let Some(Some(first)) = lines.next() else {
        return 0;
    };
    1 + lines.take_while(|line| *line == Some(first)).count()
}

/// A digest of the value that the pixels of a row have, from one to another; none where they differ.
fn value(parts: &[RowPart<'_>], from: usize, to: usize) -> Option<u32> {
    let mut digest = 0;
    for part in parts.iter().filter(|part| part.first.is_some()) {
        let pixel = part.pixel();
        let bytes = part.bytes.get(from * pixel..to * pixel)?;
        // Equal to itself, a pixel further on.
        if bytes[pixel..] != bytes[..bytes.len() - pixel] {
            return None;
        }
        digest ^= xxh3_64(&bytes[..pixel]) as u32;
        digest = digest.rotate_left(7);
    }
    Some(digest)
}
