//! The samples of one sound file, in the bits that a movie stores: WAV, and what else decodes to samples of its own, such
//! as FLAC, MP3, Ogg Vorbis and AIFF.

use crate::regular_file::open_regular;
use std::collections::VecDeque;
use std::fs::File;
use std::io::{BufReader, ErrorKind};
use std::path::Path;

use hound::{SampleFormat, WavReader};
use symphonia::core::audio::SampleBuffer;
use symphonia::core::codecs::{Decoder, DecoderOptions};
use symphonia::core::errors::Error;
use symphonia::core::formats::{FormatOptions, FormatReader};
use symphonia::core::io::MediaSourceStream;
use symphonia::core::probe::Hint;

/// A sound file that is read from its beginning.
pub(super) struct SoundFile {
    /// How many channels it has.
    pub(super) channels: u16,
    /// Samples per second of each channel.
    pub(super) rate: u32,
    /// Bits of its samples.
    pub(super) bits: u16,
    /// Samples of all channels that are silent before the sound begins.
    silence: u64,
    reader: Reader,
}

enum Reader {
    Wav(WavReader<BufReader<File>>),
    Other(Box<Decoded>),
}

/// Decodes packet by packet.
struct Decoded {
    format: Box<dyn FormatReader>,
    decoder: Box<dyn Decoder>,
    track: u32,
    /// Samples of 32 bits that are decoded and not yet taken.
    waiting: VecDeque<i32>,
}

impl SoundFile {
    /// Opens a sound that begins so many seconds after the first picture; negative, so much of it is left out.
    ///
    /// # Errors
    /// In words.
    pub(super) fn open(path: &Path, offset: f64) -> Result<Self, String> {
        let file = open_regular(path).map_err(|error| error.to_string())?;
        let mut sound = match WavReader::new(BufReader::new(file)) {
            Ok(reader) => {
                let spec = reader.spec();
                Self {
                    channels: spec.channels,
                    rate: spec.sample_rate,
                    bits: spec.bits_per_sample,
                    silence: 0,
                    reader: Reader::Wav(reader),
                }
            }
            // By another reader, unless it says of itself that it is such a file.
            Err(error @ (hound::Error::Unsupported | hound::Error::TooWide)) => {
                return Err(error.to_string());
            }
            Err(error) => Decoded::open(path).map_err(|other| format!("{error}; {other}"))?,
        };
        if sound.channels == 0 || sound.channels > 8 || sound.rate == 0 {
            return Err(format!(
                "it has {} channels of {} samples a second",
                sound.channels, sound.rate
            ));
        }
        let samples = (offset.abs() * f64::from(sound.rate)).round() as u64;
        if offset < 0.0 {
            sound.skip(samples)?;
        } else {
            sound.silence = samples * u64::from(sound.channels);
        }
        Ok(sound)
    }

    /// Leaves out so many samples of each channel.
    fn skip(&mut self, samples: u64) -> Result<(), String> {
        match &mut self.reader {
            Reader::Wav(reader) => {
                let skipped = samples.min(u64::from(reader.duration())) as u32;
                reader.seek(skipped).map_err(|error| error.to_string())
            }
            Reader::Other(decoded) => {
                let mut left = samples * u64::from(self.channels);
                while left > 0 && decoded.has_some()? {
                    let taken = left.min(decoded.waiting.len() as u64);
                    decoded.waiting.drain(..taken as usize);
                    left -= taken;
                }
                Ok(())
            }
        }
    }

    /// So many samples of all channels, of so many bits; silence where the file ends before.
    pub(super) fn samples(&mut self, count: usize, bits: u16) -> Result<Vec<i32>, String> {
        let silent = self.silence.min(count as u64) as usize;
        self.silence -= silent as u64;
        let mut samples = vec![0; silent];
        let wanted = count - silent;
        match &mut self.reader {
            Reader::Wav(reader) => samples.extend(of_wav(reader, wanted, bits)?),
            Reader::Other(decoded) => {
                while samples.len() < count && decoded.has_some()? {
                    let taken = decoded.waiting.len().min(count - samples.len());
                    let taken = decoded.waiting.drain(..taken);
                    samples.extend(taken.map(|sample| sample >> (32 - bits)));
                }
            }
        }
        samples.resize(count, 0);
        Ok(samples)
    }
}

/// Samples of a WAV file, as far as there are some.
fn of_wav(
    reader: &mut WavReader<BufReader<File>>,
    count: usize,
    bits: u16,
) -> Result<Vec<i32>, String> {
    let spec = reader.spec();
    let samples = match spec.sample_format {
        SampleFormat::Int => {
            let shift = i32::from(bits) - i32::from(spec.bits_per_sample);
            let scaled = |sample: i32| {
                if shift >= 0 {
                    sample << shift
                } else {
                    sample >> -shift
                }
            };
            let read = reader.samples::<i32>().take(count);
            read.map(|one| one.map(scaled)).collect::<Result<_, _>>()
        }
        SampleFormat::Float => {
            let most = f64::from((1_i32 << (bits - 1)) - 1);
            let scaled = |sample: f32| (f64::from(sample.clamp(-1.0, 1.0)) * most).round() as i32;
            let read = reader.samples::<f32>().take(count);
            read.map(|one| one.map(scaled)).collect::<Result<_, _>>()
        }
    };
    samples.map_err(|error: hound::Error| error.to_string())
}

impl Decoded {
    fn open(path: &Path) -> Result<SoundFile, String> {
        let file = open_regular(path).map_err(|error| error.to_string())?;
        let stream = MediaSourceStream::new(Box::new(file), Default::default());
        let mut hint = Hint::new();
        if let Some(extension) = path.extension().and_then(|end| end.to_str()) {
            hint.with_extension(extension);
        }
        // What encoders put before and after the sound is no part of it.
        let options = FormatOptions {
            enable_gapless: true,
            ..FormatOptions::default()
        };
        let probed =
            symphonia::default::get_probe().format(&hint, stream, &options, &Default::default());
        let format = probed.map_err(|error| error.to_string())?.format;
        let track = format
            .default_track()
            .ok_or_else(|| "it holds no sound".to_owned())?;
        let parameters = &track.codec_params;
        let decoder = symphonia::default::get_codecs()
            .make(parameters, &DecoderOptions::default())
            .map_err(|error| error.to_string())?;
        let mut decoded = Box::new(Self {
            track: track.id,
            decoder,
            waiting: VecDeque::new(),
            format,
        });
        // Some formats say what they hold only with the first packet.
        decoded.has_some()?;
        let parameters = decoded.decoder.codec_params();
        Ok(SoundFile {
            channels: parameters
                .channels
                .map_or(0, |channels| channels.count() as u16),
            rate: parameters.sample_rate.unwrap_or(0),
            bits: parameters.bits_per_sample.unwrap_or(16) as u16,
            silence: 0,
            reader: Reader::Other(decoded),
        })
    }

    /// Whether there is a sample; decodes until there is one, or the end.
    fn has_some(&mut self) -> Result<bool, String> {
        while self.waiting.is_empty() {
            let packet = match self.format.next_packet() {
                Err(Error::IoError(error)) if error.kind() == ErrorKind::UnexpectedEof => {
                    return Ok(false);
                }
                packet => packet.map_err(|error| error.to_string())?,
            };
            if packet.track_id() != self.track {
                continue;
            }
            let decoded = self.decoder.decode(&packet);
            let decoded = decoded.map_err(|error| error.to_string())?;
            let mut buffer = SampleBuffer::<i32>::new(decoded.capacity() as u64, *decoded.spec());
            buffer.copy_interleaved_ref(decoded);
            self.waiting.extend(buffer.samples());
        }
        Ok(true)
    }
}
