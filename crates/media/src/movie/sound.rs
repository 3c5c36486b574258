//! The sound of a movie: of one file or several together, cut or filled with silence to the length of the pictures, and
//! stored without loss, as PCM or FLAC (RFC 9639).

use std::path::PathBuf;

use flacenc::bitsink::ByteSink;
use flacenc::component::{BitRepr, StreamInfo};
use flacenc::config;
use flacenc::error::{Verified, Verify};
use flacenc::source::{Fill, FrameBuf};

use super::sound_file::SoundFile;

/// A file that is heard in a movie.
#[derive(Debug, Clone, PartialEq)]
pub struct SoundSource {
    /// The file.
    pub path: PathBuf,
    /// When it begins, in seconds from the first picture; negative, so much of its beginning is left out.
    pub offset: f64,
}

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
/// Why a sound is refused that FLAC cannot hold.
const NO_PLACE: &str = "FLAC has no place for it";
/// The least that the encoder takes.
const LEAST_BLOCK: usize = 64;

/// A sound that is read as the pictures go on.
pub(super) struct Sound {
    files: Vec<(PathBuf, SoundFile)>,
    facts: SoundFacts,
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
    /// Opens the files that are heard together. Those with one channel are heard in all.
    pub(super) fn open(sources: &[SoundSource], format: SoundFormat) -> Result<Self, SoundError> {
        let mut files: Vec<(PathBuf, SoundFile)> = Vec::new();
        for SoundSource { path, offset } in sources {
            let fault = |reason: String| SoundError {
                path: path.clone(),
                reason,
            };
            let file = SoundFile::open(path, *offset).map_err(fault)?;
            if let Some((first, known)) = files.first()
                && known.rate != file.rate
            {
                return Err(fault(format!(
                    "it has {} samples a second, and {} has {}: sounds that are heard together have the same",
                    file.rate,
                    first.display(),
                    known.rate
                )));
            }
            files.push((path.clone(), file));
        }
        let channels = files.iter().map(|(_, file)| file.channels).max();
        let channels = channels.unwrap_or(1);
        for (path, file) in &files {
            if file.channels != 1 && file.channels != channels {
                return Err(SoundError {
                    path: path.clone(),
                    reason: format!(
                        "it has {} channels, and another has {channels}",
                        file.channels
                    ),
                });
            }
        }
        let deepest = files.iter().map(|(_, file)| file.bits).max();
        let bits = match format {
            SoundFormat::Pcm16 => 16,
            SoundFormat::Pcm24 => 24,
            SoundFormat::Flac if deepest.is_none_or(|bits| bits <= 16) => 16,
            SoundFormat::Flac => 24,
        };
        let rate = files.first().map_or(48_000, |(_, file)| file.rate);
        let flac = match format {
            SoundFormat::Flac => {
                let flac = Flac::new(rate, channels, bits.into());
                Some(flac.ok_or_else(|| {
                    SoundError {
                        path: files
                            .first()
                            .map(|(path, _)| path.clone())
                            .unwrap_or_default(),
                        reason: NO_PLACE.to_owned(),
                    }
                })?)
            }
            _ => None,
        };
        Ok(Self {
            files,
            facts: SoundFacts {
                format,
                channels,
                rate,
                bits,
                length: 0,
            },
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

    /// So many samples of all channels, of the bits that are stored: the sum of all files, no louder than fits.
    fn samples(&mut self, count: usize) -> Result<Vec<i32>, SoundError> {
        let channels = usize::from(self.facts.channels);
        let bits = self.facts.bits;
        let mut sum: Option<Vec<i32>> = None;
        for (path, file) in &mut self.files {
            let own = usize::from(file.channels);
            let samples = file.samples(count / channels * own, bits);
            let mut samples = samples.map_err(|reason| SoundError {
                path: path.clone(),
                reason,
            })?;
            if own < channels {
                let heard = samples
                    .iter()
                    .flat_map(|one| std::iter::repeat_n(*one, channels));
                samples = heard.collect();
            }
            match &mut sum {
                None => sum = Some(samples),
                Some(sum) => {
                    let most = (1_i64 << (bits - 1)) - 1;
                    for (one, other) in sum.iter_mut().zip(samples) {
                        let both = i64::from(*one) + i64::from(other);
                        *one = both.clamp(-most - 1, most) as i32;
                    }
                }
            }
        }
        Ok(sum.unwrap_or_else(|| vec![0; count]))
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
            path: self
                .files
                .first()
                .map(|(path, _)| path.clone())
                .unwrap_or_default(),
            reason: NO_PLACE.to_owned(),
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
    fn new(rate: u32, channels: u16, bits: usize) -> Option<Self> {
        let config = config::Encoder::default().into_verified().ok()?;
        let info = StreamInfo::new(rate as usize, channels.into(), bits).ok()?;
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
