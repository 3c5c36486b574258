//! The sound of a movie: read from a WAV file, cut or filled with silence to the length of the pictures, and stored
//! without loss, as PCM or FLAC (RFC 9639).

use std::fs::File;
use std::io::BufReader;
use std::path::{Path, PathBuf};

use flacenc::bitsink::ByteSink;
use flacenc::component::{BitRepr, StreamInfo};
use flacenc::config;
use flacenc::error::{Verified, Verify};
use flacenc::source::{Fill, FrameBuf};
use hound::{SampleFormat, WavReader, WavSpec};

/// How sound is stored.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SoundFormat {
    /// Whole numbers of 16 bits.
    Pcm16,
    /// Whole numbers of 24 bits.
    Pcm24,
    /// FLAC, of as many bits as the file has, 24 at most.
    Flac,
}

/// Why a sound cannot be used.
#[derive(Debug, thiserror::Error)]
#[error("the sound {path} cannot be used: {reason}", path = path.display())]
pub struct SoundError {
    path: PathBuf,
    reason: String,
}

/// What players have to know of a sound.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct SoundFacts {
    pub(super) format: SoundFormat,
    pub(super) channels: u16,
    /// Samples per second of each channel.
    pub(super) rate: u32,
    /// Bits of a sample.
    pub(super) bits: u16,
    /// Samples of each channel.
    pub(super) length: u64,
}

/// So many samples of each channel are in a block of FLAC.
pub(super) const BLOCK: usize = 4096;
/// The least that the encoder takes.
const LEAST_BLOCK: usize = 64;

/// A sound that is read as the pictures go on.
pub(super) struct Sound {
    path: PathBuf,
    reader: WavReader<BufReader<File>>,
    facts: SoundFacts,
    /// Samples of all channels that are silent before the sound begins.
    silence: u64,
    /// Samples of all channels that are read and not yet in a block.
    waiting: Vec<i32>,
    /// Samples of each channel that are read, silence included.
    read: u64,
    flac: Option<Flac>,
    last_block: usize,
}

struct Flac {
    config: Verified<config::Encoder>,
    info: StreamInfo,
    blocks: usize,
}

impl Sound {
    /// Opens a sound that begins so many seconds after the first picture; negative, so much of it is left out.
    pub(super) fn open(path: &Path, format: SoundFormat, offset: f64) -> Result<Self, SoundError> {
        let fault = |reason: String| SoundError {
            path: path.to_owned(),
            reason,
        };
        let mut reader = WavReader::open(path).map_err(|error| fault(error.to_string()))?;
        let spec = reader.spec();
        if spec.channels == 0 || spec.channels > 8 || spec.sample_rate == 0 {
            return Err(fault(format!(
                "it has {} channels of {} samples a second",
                spec.channels, spec.sample_rate
            )));
        }
        let offset = (offset * f64::from(spec.sample_rate)).round();
        if offset < 0.0 {
            let skipped = (-offset as u64).min(u64::from(reader.duration())) as u32;
            let error = |error: std::io::Error| fault(error.to_string());
            reader.seek(skipped).map_err(error)?;
        }
        let bits = match format {
            SoundFormat::Pcm16 => 16,
            SoundFormat::Pcm24 => 24,
            SoundFormat::Flac if spec.bits_per_sample <= 16 => 16,
            SoundFormat::Flac => 24,
        };
        let flac = match format {
            SoundFormat::Flac => Some(
                Flac::new(spec, bits.into())
                    .ok_or_else(|| fault("FLAC has no place for it".to_owned()))?,
            ),
            _ => None,
        };
        Ok(Self {
            path: path.to_owned(),
            facts: SoundFacts {
                format,
                channels: spec.channels,
                rate: spec.sample_rate,
                bits,
                length: 0,
            },
            reader,
            silence: offset.max(0.0) as u64 * u64::from(spec.channels),
            waiting: Vec::new(),
            read: 0,
            flac,
            last_block: 0,
        })
    }

    /// Samples per second of each channel.
    pub(super) fn rate(&self) -> u32 {
        self.facts.rate
    }

    /// The sound from where it was to so many samples of each channel, in blocks. Of FLAC the last block may be short,
    /// which only the last of a stream may be: what does not fill a block waits for the next call.
    pub(super) fn up_to(&mut self, end: u64) -> Result<Vec<Vec<u8>>, SoundError> {
        let channels = usize::from(self.facts.channels);
        let wanted = end.saturating_sub(self.read) as usize * channels;
        let samples = self.samples(wanted)?;
        self.read += (samples.len() / channels) as u64;
        match &mut self.flac {
            None => {
                self.facts.length = self.read;
                let bytes = usize::from(self.facts.bits / 8);
                let stored = samples
                    .chunks_exact(channels)
                    .map(|frame| {
                        let sample = |sample: &i32| sample.to_le_bytes().into_iter().take(bytes);
                        frame.iter().flat_map(sample).collect()
                    })
                    .collect();
                Ok(stored)
            }
            Some(_) => {
                self.waiting.extend(samples);
                let mut blocks = Vec::new();
                while self.waiting.len() >= BLOCK * channels {
                    let block: Vec<i32> = self.waiting.drain(..BLOCK * channels).collect();
                    blocks.push(self.block(&block)?);
                }
                Ok(blocks)
            }
        }
    }

    /// So many samples of all channels, of the bits that are stored; silence where the file ends before.
    fn samples(&mut self, count: usize) -> Result<Vec<i32>, SoundError> {
        let silent = self.silence.min(count as u64) as usize;
        self.silence -= silent as u64;
        let (all, count) = (count, count - silent);
        let spec = self.reader.spec();
        let bits = i32::from(self.facts.bits);
        let path = &self.path;
        let fault = |error: hound::Error| SoundError {
            path: path.clone(),
            reason: error.to_string(),
        };
        let mut samples: Vec<i32> = match spec.sample_format {
            SampleFormat::Int => {
                let shift = bits - i32::from(spec.bits_per_sample);
                let scaled = |sample: i32| {
                    if shift >= 0 {
                        sample << shift
                    } else {
                        sample >> -shift
                    }
                };
                let read = self.reader.samples::<i32>().take(count);
                read.map(|one| one.map(scaled)).collect::<Result<_, _>>()
            }
            SampleFormat::Float => {
                let most = f64::from((1_i32 << (bits - 1)) - 1);
                let scaled =
                    |sample: f32| (f64::from(sample.clamp(-1.0, 1.0)) * most).round() as i32;
                let read = self.reader.samples::<f32>().take(count);
                read.map(|one| one.map(scaled)).collect::<Result<_, _>>()
            }
        }
        .map_err(fault)?;
        if silent > 0 {
            samples.splice(..0, std::iter::repeat_n(0, silent));
        }
        samples.resize(all, 0);
        Ok(samples)
    }

    /// Ends the sound; gives what has waited.
    pub(super) fn finish(&mut self) -> Result<Option<Vec<u8>>, SoundError> {
        let channels = usize::from(self.facts.channels);
        if self.flac.is_none() || self.waiting.is_empty() {
            return Ok(None);
        }
        let mut block = std::mem::take(&mut self.waiting);
        if block.len() < LEAST_BLOCK * channels {
            block.resize(LEAST_BLOCK * channels, 0);
        }
        self.block(&block).map(Some)
    }

    /// A block of FLAC.
    fn block(&mut self, samples: &[i32]) -> Result<Vec<u8>, SoundError> {
        let channels = usize::from(self.facts.channels);
        let length = samples.len() / channels;
        let block = self
            .flac
            .as_mut()
            .and_then(|flac| flac.block(samples, channels));
        self.facts.length += length as u64;
        if length < BLOCK {
            self.last_block = length;
        }
        block.ok_or_else(|| SoundError {
            path: self.path.clone(),
            reason: "FLAC has no place for it".to_owned(),
        })
    }

    pub(super) fn facts(&self) -> SoundFacts {
        self.facts
    }

    /// How many blocks there are of each length in samples.
    pub(super) fn durations(&self) -> Vec<(u32, u64)> {
        let Some(flac) = &self.flac else {
            return vec![(self.facts.length as u32, 1)];
        };
        let whole = flac.blocks - usize::from(self.last_block > 0);
        let rows = [(whole as u32, BLOCK as u64), (1, self.last_block as u64)];
        rows.into_iter()
            .filter(|(count, length)| *count > 0 && *length > 0)
            .collect()
    }
}

impl Flac {
    fn new(spec: WavSpec, bits: usize) -> Option<Self> {
        let config = config::Encoder::default().into_verified().ok()?;
        let info = StreamInfo::new(spec.sample_rate as usize, spec.channels.into(), bits).ok()?;
        Some(Self {
            config,
            info,
            blocks: 0,
        })
    }

    fn block(&mut self, samples: &[i32], channels: usize) -> Option<Vec<u8>> {
        let mut buffer = FrameBuf::with_size(channels, samples.len() / channels).ok()?;
        buffer.fill_interleaved(samples).ok()?;
        let frame =
            flacenc::encode_fixed_size_frame(&self.config, &buffer, self.blocks, &self.info)
                .ok()?;
        self.blocks += 1;
        let mut sink = ByteSink::new();
        frame.write(&mut sink).ok()?;
        Some(sink.into_inner())
    }
}
