//! Decodes every picture of a movie.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

use truepath_core::picture::Size;

use super::container::OtherContainer;
use super::h264::Decoder;
use super::read::{FoundTrack, tracks};
use super::writer::MovieError;
use crate::regular_file::open_regular;

/// What a movie is.
#[derive(Debug, Clone, PartialEq)]
pub struct MovieFacts {
    /// How many pictures were decoded.
    pub frames: u64,
    /// Their size in pixels.
    pub size: Size,
    /// How long it plays, in seconds.
    pub seconds: f64,
    /// How long its sound is, in seconds; none where it has none.
    pub sound_seconds: Option<f64>,
}

/// The most bytes of a coded picture.
const MOST_BYTES: u32 = 512 << 20;

/// Decodes every picture of a movie in H.264 or Motion JPEG. Of other movies it is looked at whether the file ends where it
/// announces, and whether its tables and units fit together.
///
/// # Errors
/// `Broken` when it is not whole; `Unverifiable` when nothing is wrong, and its pictures cannot be decoded here.
pub fn examine_movie(path: &Path) -> Result<MovieFacts, MovieError> {
    let broken = |what: &str| MovieError::Broken(what.to_owned());
    let mut file = open_regular(path)?;
    let length = file.metadata()?.len();
    if length == 0 {
        return Err(broken("it is empty (0 bytes)"));
    }
    if let Some(container) = OtherContainer::of(&mut file)? {
        container.check_length(&mut file)?;
        return Err(MovieError::Unverifiable(format!(
            "this program does not decode movies in {}",
            container.name()
        )));
    }
    let tracks = tracks(&mut file)?;
    let pictures = tracks.iter().find(|track| &track.handler == b"vide");
    let pictures = pictures.ok_or_else(|| broken("it has no pictures"))?;
    let sound = tracks.iter().find(|track| &track.handler == b"soun");
    for (at, size) in tracks.iter().flat_map(|track| &track.samples) {
        if at + u64::from(*size) > length || *size > MOST_BYTES {
            return Err(broken("its tables point beyond its end"));
        }
    }
    if pictures.samples.is_empty() {
        let reason = "its pictures lie in fragments, which this program does not read";
        return Err(MovieError::Unverifiable(reason.to_owned()));
    }
    let size = pictures.size.unwrap_or(Size::square(0));
    let decoded = match &pictures.coding {
        b"avc1" if pictures.is_reordered => {
            walk_units(&mut file, pictures)?;
            return Err(MovieError::Unverifiable(
                "its pictures are not stored in the order in which they are shown, which the decoder inside does not take"
                    .to_owned(),
            ));
        }
        b"avc1" => {
            let mut decoder = Decoder::new(&pictures.parameters)?;
            each(&mut file, pictures, size, |bytes| decoder.decode(bytes))?
        }
        b"jpeg" => each(&mut file, pictures, size, jpeg)?,
        coding => {
            walk_units(&mut file, pictures)?;
            return Err(MovieError::Unverifiable(format!(
                "this program does not decode pictures that are coded as {}",
                String::from_utf8_lossy(coding).trim()
            )));
        }
    };
    Ok(MovieFacts {
        frames: decoded,
        size,
        seconds: pictures.seconds(),
        sound_seconds: sound.map(FoundTrack::seconds),
    })
}

/// Walks over the units of all coded pictures: together they fill each picture to its last byte. Codecs without units
/// pass.
fn walk_units(file: &mut File, track: &FoundTrack) -> Result<(), MovieError> {
    let Some(prefix) = track.unit_length else {
        return Ok(());
    };
    let mut bytes = Vec::new();
    for (number, (at, length)) in (1_u64..).zip(&track.samples) {
        bytes.resize(*length as usize, 0);
        file.seek(SeekFrom::Start(*at))?;
        file.read_exact(&mut bytes)?;
        let mut rest = &bytes[..];
        while !rest.is_empty() {
            let unit = rest.split_at_checked(prefix).and_then(|(size, after)| {
                let size = size
                    .iter()
                    .fold(0, |sum, byte| sum << 8 | usize::from(*byte));
                after.get(size..).filter(|_| size > 0)
            });
            rest =
                unit.ok_or_else(|| MovieError::Broken(format!("picture {number} is damaged")))?;
        }
    }
    Ok(())
}

/// Decodes the samples of a track; how many pictures they are.
fn each(
    file: &mut File,
    track: &FoundTrack,
    size: Size,
    mut decode: impl FnMut(&[u8]) -> Result<Option<Size>, MovieError>,
) -> Result<u64, MovieError> {
    let mut count = 0;
    let mut bytes = Vec::new();
    for (at, length) in &track.samples {
        bytes.resize(*length as usize, 0);
        file.seek(SeekFrom::Start(*at))?;
        file.read_exact(&mut bytes)?;
        let number = count + 1;
        match decode(&bytes)? {
            Some(found) if found == size => count += 1,
            Some(found) => {
                return Err(MovieError::Broken(format!(
                    "picture {number} has {found} pixels, not {size}"
                )));
            }
            None => {
                return Err(MovieError::Broken(format!(
                    "picture {number} cannot be decoded"
                )));
            }
        }
    }
    Ok(count)
}

fn jpeg(bytes: &[u8]) -> Result<Option<Size>, MovieError> {
    let (width, height) = crate::jpeg::decode_inside(bytes, None)
        .map_err(|flaw| MovieError::Broken(flaw.to_string()))?;
    Ok(Some(Size { width, height }))
}

#[cfg(test)]
mod tests {
    use truepath_core::movie::Fps;

    use super::*;
    use crate::movie::{MovieCodec, MovieOptions, MovieWriter, SoundFormat, SoundSource};
    use crate::raster::Raster;

    const SIZE: Size = Size {
        width: 96,
        height: 64,
    };

    fn wav(folder: &Path, seconds: f64, bits: u16) -> std::path::PathBuf {
        let path = folder.join("tone.wav");
        let spec = hound::WavSpec {
            channels: 2,
            sample_rate: 48_000,
            bits_per_sample: bits,
            sample_format: hound::SampleFormat::Int,
        };
        let mut writer = hound::WavWriter::create(&path, spec).unwrap();
        for at in 0..(seconds * 48_000.0) as u32 {
            let value = (f64::from(at) / 17.0).sin() * f64::from(1 << (bits - 2));
            writer.write_sample(value as i32).unwrap();
            writer.write_sample(-value as i32).unwrap();
        }
        writer.finalize().unwrap();
        path
    }

    fn movie(codec: MovieCodec, fps: &str, frames: u32, sound: Option<SoundFormat>) -> Vec<u8> {
        let folder = tempfile::tempdir().unwrap();
        let options = MovieOptions {
            size: SIZE,
            fps: fps.parse::<Fps>().unwrap(),
            codec,
            sound: sound.map(|format| {
                let path = wav(folder.path(), 1.5, 16);
                (vec![SoundSource { path, offset: 0.0 }], format)
            }),
            is_quicktime: sound.is_some_and(|format| format != SoundFormat::Flac),
        };
        let mut writer = MovieWriter::new(folder.path(), options).unwrap();
        for frame in 0..frames {
            let shade = (frame * 255 / frames) as u8;
            writer
                .add(&Raster::new(SIZE, [shade, 255 - shade, 60]))
                .unwrap();
        }
        let mut bytes = Vec::new();
        writer.finish(&mut bytes).unwrap();
        bytes
    }

    fn examined(bytes: &[u8]) -> Result<MovieFacts, MovieError> {
        let file = tempfile::NamedTempFile::new().unwrap();
        std::fs::write(file.path(), bytes).unwrap();
        examine_movie(file.path())
    }

    const H264: MovieCodec = MovieCodec::H264 { quantizer: 24 };
    const JPEG: MovieCodec = MovieCodec::MotionJpeg { quality: 90 };

    #[test]
    fn what_is_written_is_read_back() {
        for codec in [H264, JPEG] {
            let odd = examined(&movie(codec, "23.976123456", 50, None)).unwrap();
            assert!((odd.seconds - 50.0 / 23.976).abs() < 1e-3, "{odd:?}");
            for sound in [
                None,
                Some(SoundFormat::Flac),
                Some(SoundFormat::Pcm16),
                Some(SoundFormat::Pcm24),
            ] {
                for fps in ["23.976", "25", "12.5"] {
                    let facts = examined(&movie(codec, fps, 50, sound)).unwrap();
                    assert_eq!((facts.frames, facts.size), (50, SIZE));
                    let seconds = fps.parse::<Fps>().unwrap().exact().seconds(50);
                    assert!(
                        (facts.seconds - seconds).abs() < 1e-6,
                        "{codec:?} {fps}: {facts:?}"
                    );
                    let half = 0.5 / fps.parse::<f64>().unwrap();
                    // Silence to the length of the pictures, or the rest left out.
                    let sound_seconds = facts.sound_seconds.unwrap_or(seconds);
                    assert!(
                        (sound_seconds - seconds).abs() < half,
                        "{sound:?} {fps}: {facts:?}"
                    );
                    assert_eq!(facts.sound_seconds.is_some(), sound.is_some());
                }
            }
        }
    }

    #[test]
    fn the_same_pictures_make_the_same_bytes_and_no_part_of_them_passes_for_all() {
        for codec in [H264, JPEG] {
            let bytes = movie(codec, "24", 30, Some(SoundFormat::Flac));
            assert!(bytes == movie(codec, "24", 30, Some(SoundFormat::Flac)));
            for part in [0, 7, 40, 400, bytes.len() / 2, bytes.len() - 1] {
                assert!(examined(&bytes[..part]).is_err(), "{part} bytes");
            }
        }
    }

    #[test]
    fn damage_is_reported_and_nothing_panics() {
        let bytes = movie(JPEG, "24", 6, None);
        for at in (0..bytes.len().min(1200)).step_by(3) {
            let mut damaged = bytes.clone();
            damaged[at] ^= 0xff;
            // Whatever is found, it is found without a crash.
            let _ = examined(&damaged);
        }
        let mut black = bytes.clone();
        let end = black.len();
        black[end - 900..end - 300].fill(0xff);
        assert!(examined(&black).is_err());
    }

    #[test]
    fn a_picture_of_another_size_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let options = MovieOptions {
            size: SIZE,
            fps: Fps::whole(24),
            codec: JPEG,
            sound: None,
            is_quicktime: true,
        };
        let mut writer = MovieWriter::new(folder.path(), options).unwrap();
        let other = Raster::new(Size::square(32), [0; 3]);
        assert!(matches!(
            writer.add(&other),
            Err(MovieError::OtherSize { .. })
        ));
        assert!(writer.finish(&mut Vec::new()).is_err());
    }
}
