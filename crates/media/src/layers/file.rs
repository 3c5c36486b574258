//! A file whose layers are known by its header, and whose rows are read one after another.

use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use exr::block::UncompressedBlock;
use exr::block::chunk::Chunk;
use exr::math::Vec2;
use exr::meta::attribute::SampleType;
use exr::meta::header::Header;
use exr::meta::{BlockDescription, MetaData};
use truepath_core::picture::Size;

use super::{layer_and_channel, of_fewer_samples, verify_whole};
use crate::exr_blocks::BlockUnpacker;
use crate::facts::Flaw;
use crate::quiet;
use crate::regular_file::open_regular;

/// A layer of a file, by its header: channels that are called alike but for their last part.
#[derive(Debug, Clone)]
pub struct FileLayer {
    /// Its name; empty where its channels have none before them.
    pub name: String,
    /// The number of its part in the file.
    pub(super) part: usize,
    /// Its channels: the name of each without that of the layer, and its number in the part.
    pub(super) channels: Vec<(String, usize)>,
    /// Width and height of its pixels.
    pub size: Size,
    /// Width and height of the picture that it is a part of.
    pub display: Size,
    /// Where its pixels begin in that picture, from the left and from the top.
    pub place: (i32, i32),
    /// The words for the samples of its channels: `half`, `float` or `whole`.
    pub samples: Vec<&'static str>,
}

impl FileLayer {
    /// The names of its channels, without that of the layer.
    pub fn channel_names(&self) -> impl Iterator<Item = &str> {
        self.channels.iter().map(|(name, _)| name.as_str())
    }
}

/// A file of layers that is whole.
pub struct LayeredFile {
    path: PathBuf,
    file: BufReader<File>,
    pub(super) meta: MetaData,
    /// Where each block of each part begins in the file, in the order of `blocks_increasing_y_order`.
    offsets: Vec<Vec<u64>>,
    layers: Vec<FileLayer>,
    unpacker: BlockUnpacker,
    /// Rows that were read last, of one part.
    rows: Option<Rows>,
}

/// Some rows of a part: of each row the samples of each channel in turn.
struct Rows {
    part: usize,
    first: usize,
    bytes: Vec<Vec<u8>>,
}

impl LayeredFile {
    /// Opens a file, which is decoded whole first, by the strict reader.
    ///
    /// # Errors
    /// What is wrong with the file. Deep data and subsampled channels are not handled.
    pub fn open(path: &Path) -> Result<Self, Flaw> {
        verify_whole(path)?;
        let mut counted = Counted {
            inner: BufReader::new(open_regular(path)?),
            bytes: 0,
        };
        let read = || MetaData::read_from_buffered(&mut counted, true);
        let meta = quiet::decoding(read);
        let meta = meta.ok_or_else(|| Flaw::Broken("the decoder gave up on it".to_owned()))?;
        let meta = meta.map_err(|error| Flaw::Broken(error.to_string()))?;
        let (mut file, table) = (counted.inner, counted.bytes);
        file.seek(SeekFrom::Start(table))?;
        let mut offsets = Vec::new();
        for header in &meta.headers {
            let mut of_part = Vec::with_capacity(header.chunk_count.min(1 << 20));
            for _ in 0..header.chunk_count {
                let mut offset = [0; 8];
                file.read_exact(&mut offset)?;
                of_part.push(u64::from_le_bytes(offset));
            }
            offsets.push(of_part);
        }
        let mut layers = Vec::new();
        for (part, header) in meta.headers.iter().enumerate() {
            layers.extend(layers_of_part(part, header)?);
        }
        Ok(Self {
            path: path.to_owned(),
            file,
            meta,
            offsets,
            layers,
            unpacker: BlockUnpacker::new(),
            rows: None,
        })
    }

    /// The file.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Its layers: the parts of it, and of each the groups of channels, in its order.
    #[must_use]
    pub fn layers(&self) -> &[FileLayer] {
        &self.layers
    }

    /// The samples of a channel of a part in a row, from the top; native bytes.
    pub(super) fn row(&mut self, part: usize, channel: usize, y: usize) -> io::Result<&[u8]> {
        let is_known = self.rows.as_ref().is_some_and(|rows| {
            rows.part == part && (rows.first..rows.first + rows.bytes.len()).contains(&y)
        });
        if !is_known {
            let rows = self.read_rows(part, y)?;
            self.rows = Some(rows);
        }
        let header = &self.meta.headers[part];
        let width = header.layer_size.width();
        let start = place_in_row(header, channel);
        let length = header.channels.list[channel].sample_type.bytes_per_sample() * width;
        let rows = self.rows.as_ref().ok_or_else(|| broken("no rows"))?;
        let row = rows.bytes.get(y - rows.first);
        row.and_then(|row| row.get(start..start + length))
            .ok_or_else(|| broken("a row is too short"))
    }

    /// Reads the blocks that hold a row, and by that the rows beside it.
    fn read_rows(&mut self, part: usize, y: usize) -> io::Result<Rows> {
        let header = &self.meta.headers[part];
        let (width, height) = (header.layer_size.width(), header.layer_size.height());
        let lines = header.max_block_pixel_size().height().max(1);
        let first = y / lines * lines;
        let count = lines.min(height - first);
        let bytes_of_row = header.channels.bytes_per_pixel * width;
        let mut bytes = vec![vec![0; bytes_of_row]; count];
        // Those of the whole picture come before those of its smaller copies.
        let across = match header.blocks {
            BlockDescription::ScanLines => 1,
            BlockDescription::Tiles(tiles) => width.div_ceil(tiles.tile_size.width().max(1)),
        };
        let row = y / lines;
        for index in row * across..(row + 1) * across {
            let offset = self.offsets[part].get(index).copied();
            let offset = offset.ok_or_else(|| broken("a block is missing"))?;
            self.file.seek(SeekFrom::Start(offset))?;
            let chunk = Chunk::read(&mut self.file, &self.meta)
                .map_err(|error| broken(&error.to_string()))?;
            let chunk = self.unpacker.unpack(chunk, &self.meta.headers);
            let block = UncompressedBlock::decompress_chunk(chunk, &self.meta, true)
                .map_err(|error| broken(&error.to_string()))?;
            let header = &self.meta.headers[part];
            for line in block.lines(&header.channels) {
                let at = line.location;
                let size = header.channels.list[at.channel]
                    .sample_type
                    .bytes_per_sample();
                let from = place_in_row(header, at.channel) + at.position.x() * size;
                let row = at
                    .position
                    .y()
                    .checked_sub(first)
                    .and_then(|row| bytes.get_mut(row));
                let room = row.and_then(|row| row.get_mut(from..from + line.value.len()));
                room.ok_or_else(|| broken("a block lies elsewhere"))?
                    .copy_from_slice(line.value);
            }
        }
        Ok(Rows { part, first, bytes })
    }
}

/// Where the samples of a channel begin in a row of a part, in bytes.
fn place_in_row(header: &Header, channel: usize) -> usize {
    let before = header.channels.list[..channel].iter();
    let bytes: usize = before.map(|one| one.sample_type.bytes_per_sample()).sum();
    bytes * header.layer_size.width()
}

fn broken(what: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, what.to_owned())
}

/// The layers of a part, in the order of their first channels.
fn layers_of_part(part: usize, header: &Header) -> Result<Vec<FileLayer>, Flaw> {
    let own = header.own_attributes.layer_name.as_ref();
    let own = own.map(ToString::to_string).unwrap_or_default();
    let size = |size: Vec2<usize>| Size {
        width: size.width() as u32,
        height: size.height() as u32,
    };
    let display = header.shared_attributes.display_window;
    let position = header.own_attributes.layer_position;
    let mut layers: Vec<FileLayer> = Vec::new();
    for (number, channel) in header.channels.list.iter().enumerate() {
        if channel.sampling != Vec2(1, 1) {
            return Err(of_fewer_samples());
        }
        let whole = channel.name.to_string();
        let (name, short) = layer_and_channel(&own, &whole);
        if short.is_empty() {
            return Err(Flaw::Broken(format!("its channel {whole} has no name")));
        }
        let word = match channel.sample_type {
            SampleType::F16 => "half",
            SampleType::F32 => "float",
            SampleType::U32 => "whole",
        };
        let known = layers.iter_mut().find(|known| known.name == name);
        let layer = match known {
            Some(known) => known,
            None => {
                layers.push(FileLayer {
                    name,
                    part,
                    channels: Vec::new(),
                    size: size(header.layer_size),
                    display: size(display.size),
                    place: (
                        position.x() - display.position.x(),
                        position.y() - display.position.y(),
                    ),
                    samples: Vec::new(),
                });
                let last = layers.len() - 1;
                &mut layers[last]
            }
        };
        layer.channels.push((short.to_owned(), number));
        layer.samples.push(word);
    }
    Ok(layers)
}

/// Counts the bytes that are read.
struct Counted<R> {
    inner: R,
    bytes: u64,
}

impl<R: Read> Read for Counted<R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let read = self.inner.read(into)?;
        self.bytes += read as u64;
        Ok(read)
    }
}
