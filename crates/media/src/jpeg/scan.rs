//! The scans of a picture: which blocks each holds, and what it brings of them. ITU-T T.81, annexes A.2
//! (order of blocks), B.2.3 (scan headers) and G.1.1 (progressive order).

use super::bits::BitReader;
use super::blocks::{difference, first, refine, sequential};
use super::broken;
use super::huffman::Huffman;
use crate::facts::Flaw;

/// What the scans read so far have defined.
#[derive(Default)]
pub(super) struct Tables {
    dc: [Option<Huffman>; 4],
    ac: [Option<Huffman>; 4],
    /// In blocks (MCUs); 0 for none.
    pub(super) restart_interval: u32,
    /// The divisor of DC coefficients, by quantization table.
    dc_steps: [u16; 4],
    /// Whether the blocks are kept, to measure the picture.
    keeps_blocks: bool,
}

impl Tables {
    /// No tables; `keeps_blocks` where the picture is measured.
    pub(super) fn new(keeps_blocks: bool) -> Self {
        Self {
            keeps_blocks,
            ..Self::default()
        }
    }

    /// Remembers what DC coefficients are divided by: the first of the 64 values of each table.
    pub(super) fn define_quantization(&mut self, mut content: &[u8]) -> Result<(), Flaw> {
        let unread = || broken("its quantization tables cannot be read");
        while let Some((&what, rest)) = content.split_first() {
            let size = if what >> 4 == 0 { 64 } else { 128 };
            let (table, rest) = rest.split_at_checked(size).ok_or_else(unread)?;
            let step = match size {
                64 => u16::from(table[0]),
                _ => u16::from_be_bytes([table[0], table[1]]),
            };
            *self
                .dc_steps
                .get_mut(usize::from(what & 15))
                .ok_or_else(unread)? = step;
            content = rest;
        }
        Ok(())
    }

    pub(super) fn define_huffman(&mut self, mut content: &[u8]) -> Result<(), Flaw> {
        let unread = || broken("its Huffman tables cannot be read");
        while let Some((&what, rest)) = content.split_first() {
            let (table, rest) = Huffman::read(rest).ok_or_else(unread)?;
            let tables = match what >> 4 {
                0 => &mut self.dc,
                1 => &mut self.ac,
                _ => return Err(unread()),
            };
            *tables.get_mut(usize::from(what & 15)).ok_or_else(unread)? = Some(table);
            content = rest;
        }
        Ok(())
    }
}

/// The lowest bit that a scan may be of (ITU-T T.81, table B.3).
const LOWEST_BIT: u8 = 13;

/// No scan has brought this coefficient yet.
const UNSEEN: u8 = u8::MAX;

/// The picture, and how much of it the scans have brought.
pub(super) struct ScanFrame {
    pub(super) precision: u8,
    pub(super) width: u32,
    pub(super) height: u32,
    pub(super) components: Vec<Component>,
    progressive: bool,
    /// Largest sampling factors of all components.
    largest: (u32, u32),
}

pub(super) struct Component {
    id: u8,
    /// Sampling factors, horizontal and vertical.
    factors: (u32, u32),
    /// In blocks, without those that only fill up the last MCU.
    size: (u32, u32),
    /// In blocks, with them.
    padded: (u32, u32),
    /// By coefficient: the lowest bit that scans have brought.
    brought: [u8; 64],
    /// By block, in progressive pictures: a bit for each coefficient that is not zero.
    nonzero: Vec<u64>,
    /// The number of its quantization table, and what DC coefficients are divided by.
    quantization: u8,
    pub(super) dc_step: u16,
    /// By block, where they are kept.
    pub(super) blocks: Vec<Block>,
}

/// What is kept of a block.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Block {
    /// Its DC coefficient.
    pub(super) dc: i16,
    /// How many other coefficients are not zero.
    pub(super) nonzero: u8,
}

impl Component {
    /// Width and height in blocks, without those that only fill up the last MCU.
    pub(super) fn size(&self) -> (u32, u32) {
        self.size
    }

    /// What is kept of a block.
    pub(super) fn block(&self, column: u32, row: u32) -> Block {
        let at = row as usize * self.padded.0 as usize + column as usize;
        let mut block = self.blocks.get(at).copied().unwrap_or_default();
        if let Some(nonzero) = self.nonzero.get(at) {
            // The first bit stands for DC.
            block.nonzero = (nonzero & !1).count_ones() as u8;
        }
        block
    }
}

/// What a scan brings.
struct ScanHeader {
    /// Place of the component, and its tables for DC and AC.
    components: Vec<(usize, usize, usize)>,
    /// First and last coefficient.
    band: (usize, usize),
    /// The bit that earlier scans ended with; 0 in a first scan.
    high: u8,
    /// The lowest bit of this scan.
    low: u8,
}

/// What decoding carries from block to block.
#[derive(Default)]
struct DecoderState {
    predictions: [i32; 4],
    /// Blocks that are at their end already.
    at_end: u32,
}

impl ScanFrame {
    pub(super) fn read(process: u8, content: &[u8]) -> Result<Self, Flaw> {
        if !matches!(process, 0..=2) {
            return Err(Flaw::unverifiable(format!(
                "JPEG process {process} (lossless, hierarchical or arithmetic) is not decoded"
            )));
        }
        let unread = || broken("its frame header cannot be read");
        let [precision, y1, y0, x1, x0, count, ref list @ ..] = *content else {
            return Err(unread());
        };
        let (width, height) = (
            u32::from(u16::from_be_bytes([x1, x0])),
            u32::from(u16::from_be_bytes([y1, y0])),
        );
        // Other precisions are those of lossless processes (ITU-T T.81, table B.2).
        if !matches!(precision, 8 | 12) {
            return Err(unread());
        }
        if width == 0 || list.len() != usize::from(count) * 3 || !(1..=4).contains(&count) {
            return Err(unread());
        }
        if height == 0 {
            return Err(Flaw::unverifiable("its height stands after its first scan"));
        }
        let factors = |one: &[u8]| (u32::from(one[1] >> 4), u32::from(one[1] & 15));
        let each = list.chunks_exact(3);
        if each
            .clone()
            .map(factors)
            .any(|(x, y)| !(1..=4).contains(&x) || !(1..=4).contains(&y))
        {
            return Err(unread());
        }
        let largest = each
            .clone()
            .map(factors)
            .fold((1, 1), |(x, y), one| (x.max(one.0), y.max(one.1)));
        let mcus = (
            width.div_ceil(8 * largest.0),
            height.div_ceil(8 * largest.1),
        );
        let progressive = process == 2;
        let components = each.map(|one| {
            let (x, y) = factors(one);
            let blocks = |length: u32, own: u32, all: u32| (length * own).div_ceil(all).div_ceil(8);
            Component {
                id: one[0],
                factors: (x, y),
                size: (blocks(width, x, largest.0), blocks(height, y, largest.1)),
                padded: (mcus.0 * x, mcus.1 * y),
                brought: [UNSEEN; 64],
                nonzero: Vec::new(),
                quantization: one[2],
                dc_step: 0,
                blocks: Vec::new(),
            }
        });
        Ok(Self {
            precision,
            width,
            height,
            components: components.collect(),
            progressive,
            largest,
        })
    }

    /// Whether the scans have brought all of the picture.
    pub(super) fn is_whole(&self) -> Result<(), Flaw> {
        let all = self.components.iter().flat_map(|one| one.brought);
        match all.max() {
            Some(0) => Ok(()),
            _ => Err(broken("scans are missing: it is not at its full quality")),
        }
    }

    /// Decodes the scan whose data begin at a place; gives the place of the marker after it.
    pub(super) fn scan(
        &mut self,
        header: &[u8],
        tables: &Tables,
        bytes: &[u8],
        at: usize,
    ) -> Result<usize, Flaw> {
        let header = self.header(header)?;
        // Each block of a first DC scan takes a bit at least: no more memory than the file allows.
        if self.progressive && header.band.0 == 0 && header.high == 0 {
            for (index, ..) in &header.components {
                let one = &mut self.components[*index];
                let blocks = one.padded.0 as usize * one.padded.1 as usize;
                if blocks / 8 > bytes.len() {
                    return Err(broken("its picture data end before the picture does"));
                }
                one.nonzero = vec![0; blocks];
            }
        }
        if tables.keeps_blocks {
            self.make_room_for_blocks(&header, tables, bytes.len());
        }
        let mut bits = BitReader::new(bytes, at);
        let mut carried = DecoderState::default();
        let (across, down) = match &header.components[..] {
            [(only, ..)] => self.components[*only].size,
            _ => (
                self.width.div_ceil(8 * self.largest.0),
                self.height.div_ceil(8 * self.largest.1),
            ),
        };
        let (mut since_restart, mut restarts) = (0, 0_u8);
        for row in 0..down {
            for column in 0..across {
                if tables.restart_interval > 0 && since_restart == tables.restart_interval {
                    self.nothing_is_left_over(&carried)?;
                    bits.restart(restarts % 8)?;
                    restarts = (restarts + 1) % 8;
                    carried = DecoderState::default();
                    since_restart = 0;
                }
                since_restart += 1;
                if let [only] = header.components[..] {
                    self.block(
                        &header,
                        only,
                        (column, row),
                        tables,
                        &mut bits,
                        &mut carried,
                    )?;
                    continue;
                }
                for component in &header.components {
                    let (x, y) = self.components[component.0].factors;
                    for inner in 0..x * y {
                        let place = (column * x + inner % x, row * y + inner / x);
                        self.block(&header, *component, place, tables, &mut bits, &mut carried)?;
                    }
                }
            }
        }
        self.nothing_is_left_over(&carried)?;
        bits.end()
    }

    /// Makes room for the blocks that a scan brings.
    fn make_room_for_blocks(&mut self, header: &ScanHeader, tables: &Tables, bytes: usize) {
        for (index, ..) in &header.components {
            let one = &mut self.components[*index];
            let blocks = one.padded.0 as usize * one.padded.1 as usize;
            // Each takes a bit at least: no more memory than the file allows.
            if one.blocks.is_empty() && blocks / 8 <= bytes {
                one.blocks = vec![Block::default(); blocks];
                let step = tables.dc_steps.get(usize::from(one.quantization));
                one.dc_step = step.copied().unwrap_or(0);
            }
        }
    }

    fn nothing_is_left_over(&self, carried: &DecoderState) -> Result<(), Flaw> {
        match carried.at_end {
            0 => Ok(()),
            _ => Err(broken("its picture data speak of more blocks than it has")),
        }
    }

    fn header(&mut self, content: &[u8]) -> Result<ScanHeader, Flaw> {
        let unread = || broken("a scan header cannot be read");
        let (&count, rest) = content.split_first().ok_or_else(unread)?;
        let (list, rest) = rest
            .split_at_checked(usize::from(count) * 2)
            .ok_or_else(unread)?;
        let [first, last, approximation] = *rest else {
            return Err(unread());
        };
        let mut components = Vec::new();
        for one in list.chunks_exact(2) {
            let place = self.components.iter().position(|known| known.id == one[0]);
            components.push((
                place.ok_or_else(unread)?,
                usize::from(one[1] >> 4),
                usize::from(one[1] & 15),
            ));
        }
        let (band, high, low) = if self.progressive {
            (
                (first.into(), last.into()),
                approximation >> 4,
                approximation & 15,
            )
        } else {
            ((0, 63), 0, 0)
        };
        if high.max(low) > LOWEST_BIT {
            return Err(broken("a scan is of bits that no picture has"));
        }
        let header = ScanHeader {
            components,
            band,
            high,
            low,
        };
        self.fits(&header)?;
        Ok(header)
    }

    /// Whether a scan goes on where those before it ended; marks what it brings.
    fn fits(&mut self, header: &ScanHeader) -> Result<(), Flaw> {
        let (first, last) = header.band;
        let is_band = if self.progressive {
            last < 64 && (first, last) != (0, 63) && (first == 0) == (last == 0) && first <= last
        } else {
            true
        };
        let is_one = header.components.len() == 1 || header.band.0 == 0;
        if header.components.is_empty() || !is_band || !is_one {
            return Err(broken("a scan header cannot be read"));
        }
        for (index, ..) in &header.components {
            let one = &mut self.components[*index];
            // AC coefficients come after the DC coefficient of their block.
            if self.progressive && first > 0 && one.brought[0] == UNSEEN {
                return Err(broken("its scans are out of order"));
            }
            for brought in &mut one.brought[first..=last] {
                let goes_on = match header.high {
                    0 => *brought == UNSEEN,
                    high => *brought == high && header.low + 1 == high,
                };
                if !goes_on {
                    return Err(broken("its scans are out of order"));
                }
                *brought = header.low;
            }
        }
        Ok(())
    }

    fn block(
        &mut self,
        header: &ScanHeader,
        (index, dc, ac): (usize, usize, usize),
        (column, row): (u32, u32),
        tables: &Tables,
        bits: &mut BitReader<'_>,
        carried: &mut DecoderState,
    ) -> Result<(), Flaw> {
        let no_table = || broken("a Huffman table is missing");
        let dc = || {
            tables
                .dc
                .get(dc)
                .and_then(Option::as_ref)
                .ok_or_else(no_table)
        };
        let ac = || {
            tables
                .ac
                .get(ac)
                .and_then(Option::as_ref)
                .ok_or_else(no_table)
        };
        if header.band.0 == 0 {
            if header.high > 0 {
                bits.skip(1)?;
                return Ok(());
            }
            let prediction = &mut carried.predictions[index];
            *prediction += difference(dc()?, bits, self.precision)?;
            if prediction.unsigned_abs() > 1 << (self.precision + 3) {
                return Err(broken("its picture data are out of range"));
            }
            let dc = *prediction << header.low;
            let one = &mut self.components[index];
            let at = row as usize * one.padded.0 as usize + column as usize;
            if let Some(block) = one.blocks.get_mut(at) {
                block.dc = dc as i16;
            }
        }
        if !self.progressive {
            let nonzero = sequential(ac()?, bits)?;
            let one = &mut self.components[index];
            let at = row as usize * one.padded.0 as usize + column as usize;
            if let Some(block) = one.blocks.get_mut(at) {
                block.nonzero = nonzero;
            }
            return Ok(());
        }
        if header.band.0 == 0 {
            return Ok(());
        }
        let one = &mut self.components[index];
        let at = row as usize * one.padded.0 as usize + column as usize;
        let nonzero = one
            .nonzero
            .get_mut(at)
            .ok_or_else(|| broken("its scans are out of order"))?;
        match header.high {
            0 => first(ac()?, bits, header.band, nonzero, &mut carried.at_end),
            _ => refine(ac()?, bits, header.band, nonzero, &mut carried.at_end),
        }
    }
}
