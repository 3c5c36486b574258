//! Facts of movies: containers, codecs, sound and how pixels are stored.

mod audio;
mod built_in;
mod codec;
mod container;
mod corner;
mod estimate;
mod fps;
mod pixels;

pub use audio::{AUDIO_CODECS, AudioCodecFacts, audio_codec};
pub use built_in::{BUILT_IN, BUILT_IN_CODECS, BuiltInCodec, built_in_codec, built_in_sounds};
pub(crate) use codec::QUALITIES;
pub use codec::{CODECS, CodecFacts, codec};
pub use container::{CONTAINERS, ContainerFacts, container, container_of_extension};
pub use corner::Corner;
pub(crate) use estimate::rule_of_thumb;
pub use fps::{Fps, FpsError};
pub use pixels::PixelFormat;
pub(crate) use pixels::{PIXEL_FORMATS, pixel_format};

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_name_in_a_table_is_a_row_of_another() {
        for container in &CONTAINERS {
            assert!(!container.codecs.is_empty() && !container.audio_codecs.is_empty());
            for name in container.codecs {
                assert!(codec(name).is_some(), "{name}");
            }
            for name in container.audio_codecs {
                assert!(audio_codec(name).is_some(), "{name}");
            }
            for extension in container.format.extensions {
                assert_eq!(
                    container_of_extension(extension).map(ContainerFacts::name),
                    Some(container.name())
                );
            }
        }
        for row in &BUILT_IN_CODECS {
            let facts = codec(row.codec).unwrap();
            assert!(facts.pixel_formats.contains(&row.pixels), "{}", row.codec);
            for name in row.containers {
                let container = container(name).unwrap();
                assert!(container.codecs.contains(&row.codec), "{name}");
                for sound in built_in_sounds(name) {
                    assert!(container.audio_codecs.contains(sound), "{sound}");
                }
            }
        }
        for codec in &CODECS {
            for name in codec.pixel_formats {
                assert!(pixel_format(name).is_some(), "{name}");
            }
            for quality in codec.qualities {
                assert!(QUALITIES.contains(quality), "{quality}");
            }
            assert!(
                CONTAINERS
                    .iter()
                    .any(|one| one.codecs.contains(&codec.name)),
                "{} fits into no container",
                codec.name
            );
        }
    }
}
