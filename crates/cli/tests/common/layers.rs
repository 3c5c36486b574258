//! The layers of EXR files, as another reader sees them.
#![allow(dead_code, unreachable_pub, clippy::unwrap_used)]

use std::collections::BTreeMap;
use std::path::Path;

use exr::image::FlatSamples;
use exr::prelude::{ReadChannels, ReadLayers, read};

/// Every channel of every part by its whole name, as bits.
pub fn bits(path: &Path) -> BTreeMap<String, Vec<u32>> {
    let image = read()
        .no_deep_data()
        .largest_resolution_level()
        .all_channels()
        .all_layers()
        .all_attributes()
        .from_file(path)
        .unwrap();
    let mut all = BTreeMap::new();
    for part in image.layer_data {
        let own = part
            .attributes
            .layer_name
            .map(|name| format!("{name}."))
            .unwrap_or_default();
        for channel in part.channel_data.list {
            let samples = match channel.sample_data {
                FlatSamples::F16(all) => all.iter().map(|one| u32::from(one.to_bits())).collect(),
                FlatSamples::F32(all) => all.iter().map(|one| one.to_bits()).collect(),
                FlatSamples::U32(all) => all,
            };
            all.insert(format!("{own}{}", channel.name), samples);
        }
    }
    all
}
