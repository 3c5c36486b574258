//! Puts layers of files into a new file, row by row.

use std::io::{self, Seek, Write};

use exr::block::writer::ChunksWriter;
use exr::block::{BlockIndex, UncompressedBlock};
use exr::compression::Compression;
use exr::meta::BlockDescription;
use exr::meta::attribute::{ChannelDescription, LevelMode, LineOrder, Text, TileDescription};
use exr::meta::header::{Header, LayerAttributes};
use truepath_core::picture::Size;

use super::file::LayeredFile;
use crate::exr_compression::{is_lossless, lossless};

/// A layer that goes into a new file.
#[derive(Debug, Clone)]
pub struct ChosenLayer {
    /// The number of its file.
    pub file: usize,
    /// The number of the layer in that file.
    pub layer: usize,
    /// What it is called in the new file; empty for the picture itself.
    pub name: String,
}

/// Why layers cannot be put into one file.
#[derive(Debug, thiserror::Error)]
pub enum LayerError {
    /// Two of them have one name.
    #[error("two layers have the name {0:?}")]
    Twice(String),
    /// A name that no layer can have.
    #[error("{0:?} is no name of a layer: it takes letters, digits, and . _ - between them")]
    Name(String),
    /// They are parts of pictures of several sizes.
    #[error("the layers are of pictures of {0} and of {1}")]
    Sizes(Size, Size),
    /// A file cannot be read, or the new one not be written.
    #[error("{0}")]
    Write(String),
}

/// Where a channel of the new file is taken from: the file, its part, and the channel in it.
type Source = (usize, usize, usize);

/// Writes layers into one file: as channels `name.R` of one part where all have the same pixels, else as one part each.
/// What is packed without loss is packed alike, all else by ZIP; `compression` may be another way without loss, by its
/// word in job files. Every sample stays as it is.
///
/// # Errors
/// When two have one name, they are of pictures of several sizes, or a file cannot be read or written.
pub fn write_layers(
    files: &mut [LayeredFile],
    chosen: &[ChosenLayer],
    compression: Option<&str>,
    out: &mut (impl Write + Seek),
) -> Result<(), LayerError> {
    check(files, chosen)?;
    let groups: Vec<Vec<&ChosenLayer>> = if in_one_part(files, chosen) {
        vec![chosen.iter().collect()]
    } else {
        chosen.iter().map(|one| vec![one]).collect()
    };
    let compression = compression.and_then(lossless);
    let (mut headers, mut sources) = (Vec::new(), Vec::new());
    for group in &groups {
        let (header, of_channels) = part(files, group, groups.len() > 1, compression)?;
        headers.push(header);
        sources.push(of_channels);
    }
    let mut unreadable: Option<io::Error> = None;
    let written = exr::block::write(out, headers.into(), true, |meta, chunks| {
        let mut compressor = chunks.sequential_blocks_compressor(&meta);
        for (number, header) in meta.headers.iter().enumerate() {
            for (index, tile) in header.blocks_increasing_y_order().enumerate() {
                let place = header.get_absolute_block_pixel_coordinates(tile.location)?;
                let block = BlockIndex {
                    layer: number,
                    pixel_position: place.position.to_usize("position of a block")?,
                    pixel_size: place.size,
                    level: tile.location.level_index,
                };
                let block = UncompressedBlock::from_lines(&header.channels, block, |line| {
                    let (file, part, channel) = sources[number][line.location.channel];
                    let at = line.location.position;
                    let channels = &header.channels.list;
                    let size = channels[line.location.channel]
                        .sample_type
                        .bytes_per_sample();
                    match files[file].row(part, channel, at.y()) {
                        Ok(row) => {
                            let from = at.x() * size;
                            line.value
                                .copy_from_slice(&row[from..from + line.value.len()]);
                        }
                        Err(error) => unreadable = Some(error),
                    }
                });
                if unreadable.is_some() {
                    return Err(exr::error::Error::Aborted);
                }
                compressor.compress_block(index, block)?;
            }
        }
        Ok(())
    });
    match unreadable {
        Some(error) => Err(LayerError::Write(error.to_string())),
        None => written.map_err(|error| LayerError::Write(error.to_string())),
    }
}

/// Sees that the layers can stand in one file.
fn check(files: &[LayeredFile], chosen: &[ChosenLayer]) -> Result<(), LayerError> {
    let display = |one: &ChosenLayer| {
        files[one.file].meta.headers[0]
            .shared_attributes
            .display_window
    };
    let Some(first) = chosen.first() else {
        return Err(LayerError::Write("there are no layers".to_owned()));
    };
    for (at, one) in chosen.iter().enumerate() {
        let allowed = |one: char| one.is_alphanumeric() || matches!(one, '.' | '_' | '-' | ' ');
        let is_name =
            one.name.chars().all(allowed) && !one.name.starts_with('.') && !one.name.ends_with('.');
        if !is_name {
            return Err(LayerError::Name(one.name.clone()));
        }
        if chosen[..at].iter().any(|before| before.name == one.name) {
            return Err(LayerError::Twice(one.name.clone()));
        }
        if display(one) != display(first) {
            let size = |one: &ChosenLayer| files[one.file].layers()[one.layer].display;
            return Err(LayerError::Sizes(size(first), size(one)));
        }
    }
    Ok(())
}

/// Whether all have the same pixels, so that they can be channels of one part.
fn in_one_part(files: &[LayeredFile], chosen: &[ChosenLayer]) -> bool {
    let pixels = |one: &ChosenLayer| {
        let layer = &files[one.file].layers()[one.layer];
        (layer.size, layer.place)
    };
    chosen
        .windows(2)
        .all(|two| pixels(&two[0]) == pixels(&two[1]))
}

/// The header of a part of some layers, and where each of its channels is taken from.
fn part(
    files: &[LayeredFile],
    layers: &[&ChosenLayer],
    is_one_of_several: bool,
    compression: Option<Compression>,
) -> Result<(Header, Vec<Source>), LayerError> {
    let of = |one: &ChosenLayer| {
        let file = &files[one.file];
        let layer = &file.layers()[one.layer];
        (layer, &file.meta.headers[layer.part])
    };
    let mut channels: Vec<(ChannelDescription, Source)> = Vec::new();
    for one in layers {
        let (layer, header) = of(one);
        for (short, number) in &layer.channels {
            let whole = if one.name.is_empty() || is_one_of_several {
                short.clone()
            } else {
                format!("{}.{short}", one.name)
            };
            let mut channel = header.channels.list[*number].clone();
            channel.name = text(&whole)?;
            channels.push((channel, (one.file, layer.part, *number)));
        }
    }
    channels.sort_by(|(one, _), (other, _)| one.name.cmp(&other.name));
    let (list, sources): (Vec<ChannelDescription>, Vec<Source>) = channels.into_iter().unzip();
    let (_, first) = of(layers[0]);
    // A part among others must have a name.
    let name = match (is_one_of_several, layers[0].name.as_str()) {
        (false, _) => None,
        (true, "") => Some(text("main")?),
        (true, name) => Some(text(name)?),
    };
    // Rows of several files are at hand at once only where these are cut alike.
    let is_cut_alike = layers.iter().all(|one| of(one).1.blocks == first.blocks);
    let (blocks, order) = match first.blocks {
        BlockDescription::Tiles(tiles) if is_cut_alike => {
            let single = TileDescription {
                level_mode: LevelMode::Singular,
                ..tiles
            };
            (BlockDescription::Tiles(single), LineOrder::Unspecified)
        }
        _ => (BlockDescription::ScanLines, LineOrder::Increasing),
    };
    let kept = Some(first.compression).filter(|one| is_lossless(*one));
    let own = compression.or(kept).unwrap_or(Compression::ZIP16);
    let header = Header::new(text("part")?, first.layer_size, list.into())
        .with_encoding(own, blocks, order)
        .with_attributes(LayerAttributes {
            layer_name: name,
            ..first.own_attributes.clone()
        })
        .with_shared_attributes(first.shared_attributes.clone());
    Ok((header, sources))
}

fn text(name: &str) -> Result<Text, LayerError> {
    Text::new_or_none(name).ok_or_else(|| LayerError::Name(name.to_owned()))
}
