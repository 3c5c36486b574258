//! The layers of a file that is decoded whole, to be compared and shown.

use std::io::BufReader;
use std::path::Path;

use exr::image::{AnyChannel, AnyChannels, FlatSamples, Layer};
use exr::math::Vec2;
use exr::meta::MetaData;
use exr::meta::attribute::Text;
use exr::meta::header::{Header, ImageAttributes, LayerAttributes};
use exr::prelude::{ReadChannels, ReadLayers, read};
use truepath_core::picture::{PixelFault, Size};

use crate::facts::Flaw;
use crate::proxy::{BYTES_OF_A_PIXEL, Proxy};
use crate::regular_file::open_regular;

use super::{layer_and_channel, of_fewer_samples, verify_whole};

/// One layer of a file: channels that are called alike but for their last part.
#[derive(Debug, Clone)]
pub struct PictureLayer {
    /// Its name; empty where its channels have none before them.
    pub name: String,
    layer: Layer<AnyChannels<FlatSamples>>,
    image: ImageAttributes,
}

impl PictureLayer {
    /// The size of its pixels.
    fn size(&self) -> Size {
        Size {
            width: self.layer.size.width() as u32,
            height: self.layer.size.height() as u32,
        }
    }

    /// The size of the picture that it is a part of.
    fn display(&self) -> Size {
        let size = self.image.display_window.size;
        Size {
            width: size.width() as u32,
            height: size.height() as u32,
        }
    }

    /// Where its pixels begin in that picture, from the left and from the top.
    fn place(&self) -> (i32, i32) {
        let own = self.layer.attributes.layer_position;
        let display = self.image.display_window.position;
        (own.x() - display.x(), own.y() - display.y())
    }

    /// Its values in the place that they have in the picture: R, G, B and A by their names, one other channel as gray, up
    /// to three in their order; what is left is noted. Where the layer has no pixels there is nothing, with no alpha.
    #[must_use]
    pub fn proxy(&self) -> Proxy {
        let size = self.display();
        let own = self.size();
        let channels = &self.layer.channel_data.list;
        let named = |name: &str| channels.iter().find(|one| one.name == *name);
        let alpha = named("A");
        let colors: Vec<&AnyChannel<FlatSamples>> =
            ["R", "G", "B"].into_iter().filter_map(named).collect();
        let colors = if colors.is_empty() {
            channels.iter().filter(|one| one.name != *"A").collect()
        } else {
            colors
        };
        let count = size.width as usize * size.height as usize;
        let mut pixels = vec![[0.0, 0.0, 0.0, 0.0]; count];
        let mut faults = vec![PixelFault::None; count];
        let (left, top) = self.place();
        for (row, y) in (0..own.height).zip(i64::from(top)..) {
            for (column, x) in (0..own.width).zip(i64::from(left)..) {
                if !(0..i64::from(size.width)).contains(&x)
                    || !(0..i64::from(size.height)).contains(&y)
                {
                    continue;
                }
                let from = row as usize * own.width as usize + column as usize;
                let value =
                    |channel: &AnyChannel<FlatSamples>| value_at(&channel.sample_data, from);
                let color = match colors[..] {
                    [] => [0.0; 3],
                    [gray] => [value(gray); 3],
                    [first, second] => [value(first), value(second), 0.0],
                    [first, second, third, ..] => [value(first), value(second), value(third)],
                };
                let alpha = alpha.map_or(1.0, value);
                let at = y as usize * size.width as usize + x as usize;
                pixels[at] = [color[0], color[1], color[2], alpha];
                faults[at] = PixelFault::of(&pixels[at]);
            }
        }
        let used: Vec<&Text> = colors.iter().take(3).map(|one| &one.name).collect();
        let rest = channels.iter().map(|one| &one.name);
        let rest = rest.filter(|name| !used.contains(name) && **name != *"A");
        let rest: Vec<String> = rest.map(ToString::to_string).collect();
        let notes = if rest.is_empty() {
            Vec::new()
        } else {
            vec![format!(
                "the channels {} of the layer {}",
                rest.join(", "),
                self.name
            )]
        };
        Proxy {
            source: size,
            size,
            pixels,
            faults,
            notes,
        }
    }
}

fn value_at(samples: &FlatSamples, at: usize) -> f32 {
    match samples {
        FlatSamples::F16(values) => values.get(at).map_or(0.0, |value| value.to_f32()),
        FlatSamples::F32(values) => values.get(at).copied().unwrap_or_default(),
        FlatSamples::U32(values) => values.get(at).map_or(0.0, |value| *value as f32),
    }
}

/// The layers of a file, which is decoded whole in so many bytes of memory: the parts of it, and of each the groups of channels, in its order.
///
/// # Errors
/// What is wrong with the file. Deep data and subsampled channels are not handled.
pub fn read_layers(path: &Path, most_memory: u64) -> Result<Vec<PictureLayer>, Flaw> {
    verify_whole(path)?;
    let meta = MetaData::read_from_buffered(BufReader::new(open_regular(path)?), false);
    let meta = meta.map_err(|error| Flaw::Broken(error.to_string()))?;
    let bytes = |header: &Header| {
        let samples = header.channels.bytes_per_pixel as u64;
        header.layer_size.area() as u64 * (samples + BYTES_OF_A_PIXEL)
    };
    let bytes = meta.headers.iter().map(bytes).sum();
    if bytes > most_memory {
        return Err(Flaw::needs_memory(bytes, most_memory));
    }
    let reader = read()
        .no_deep_data()
        .largest_resolution_level()
        .all_channels()
        .all_layers()
        .all_attributes();
    let image = reader
        .non_parallel()
        .from_buffered(BufReader::new(open_regular(path)?));
    let image = image.map_err(|error| Flaw::Broken(error.to_string()))?;
    let mut layers = Vec::new();
    for part in image.layer_data {
        let own = part
            .attributes
            .layer_name
            .as_ref()
            .map(ToString::to_string)
            .unwrap_or_default();
        let mut groups: Vec<(String, Vec<AnyChannel<FlatSamples>>)> = Vec::new();
        for mut channel in part.channel_data.list {
            if channel.sampling != Vec2(1, 1) {
                return Err(of_fewer_samples());
            }
            let whole = channel.name.to_string();
            let (group, name) = layer_and_channel(&own, &whole);
            let name = Text::new_or_none(name)
                .ok_or_else(|| Flaw::Broken(format!("its channel {whole} has no name")))?;
            channel.name = name;
            match groups.iter_mut().find(|(known, _)| *known == group) {
                Some((_, channels)) => channels.push(channel),
                None => groups.push((group, vec![channel])),
            }
        }
        for (name, channels) in groups {
            layers.push(PictureLayer {
                name,
                layer: Layer {
                    channel_data: AnyChannels::sort(channels.into_iter().collect()),
                    attributes: LayerAttributes {
                        layer_name: None,
                        ..part.attributes.clone()
                    },
                    size: part.size,
                    encoding: part.encoding,
                },
                image: image.attributes.clone(),
            });
        }
    }
    Ok(layers)
}
