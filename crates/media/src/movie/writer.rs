//! Puts coded pictures and sound into a file.

use std::fs::File;
use std::io::{self, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::Path;

use truepath_core::movie::Fps;
use truepath_core::picture::Size;

use super::boxes::{Movie, SampleTable, Track, TrackKind};
use super::h264::{Encoder, H264Options};
use super::motion_jpeg;
use super::planes::Planes;
use super::sound::{Sound, SoundError, SoundFormat, SoundSource};
use crate::raster::Raster;

/// How the pictures of a movie are coded.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MovieCodec {
    /// H.264 with a quantizer from 0 to 51: lower is better.
    H264 {
        /// The quantizer.
        quantizer: u8,
    },
    /// Motion JPEG with a quality from 1 to 100.
    MotionJpeg {
        /// The quality.
        quality: u8,
    },
}

/// What a movie is to be.
#[derive(Debug, Clone)]
pub struct MovieOptions {
    /// The size of its pictures in pixels; both sides are even.
    pub size: Size,
    /// Frames per second.
    pub fps: Fps,
    /// How its pictures are coded.
    pub codec: MovieCodec,
    /// The files that are heard, all together, and how their sound is stored.
    pub sound: Option<(Vec<SoundSource>, SoundFormat)>,
    /// Whether the file is a QuickTime movie (`.mov`), else MPEG-4 (`.mp4`).
    pub is_quicktime: bool,
}

/// Why a movie cannot be written or read.
#[derive(Debug, thiserror::Error)]
pub enum MovieError {
    /// A picture that is not as large as the first.
    #[error("a picture has {found} pixels, and the movie {wanted}")]
    OtherSize {
        /// The size of the movie.
        wanted: Size,
        /// That of the picture.
        found: Size,
    },
    /// The encoder gave up.
    #[error("the encoder reports: {0}")]
    Coding(#[from] openh264::Error),
    /// The sound cannot be used.
    #[error(transparent)]
    Sound(#[from] SoundError),
    /// The file is no movie that is whole.
    #[error("{0}")]
    Broken(String),
    /// This program cannot decode it, so that nobody knows whether it is whole.
    #[error("it cannot be verified: {0}")]
    Unverifiable(String),
    /// The file cannot be read or written.
    #[error(transparent)]
    Io(#[from] io::Error),
}

/// Takes pictures one after another and makes a movie of them.
///
/// Coded pictures are kept in a file without a name until all are there: what players need to know first, stands
/// first in the movie, so that it plays while it loads.
pub struct MovieWriter {
    options: MovieOptions,
    coder: Coder,
    pictures: SampleTable,
    /// Sound and pictures lie beside each other, second by second.
    sound: Option<(Sound, SampleTable)>,
    body: BufWriter<File>,
    body_length: u64,
    /// The coded pictures of the present second.
    pending: Vec<Vec<u8>>,
}

enum Coder {
    H264(Box<Encoder>),
    MotionJpeg(u8),
}

/// Units of time in a second, and in a frame. Rates of many decimals are rounded to thousandths: players count in 32 bits.
fn time_scale(fps: Fps) -> (u64, u64) {
    const MOST: u64 = 240_000;
    match fps.ratio() {
        (rate, below) if rate <= MOST => (rate, below),
        _ => (((fps.value() * 1000.0).round() as u64).clamp(1, MOST), 1000),
    }
}

impl MovieWriter {
    /// Begins a movie; what is coded is kept in `folder` until it is finished, without a name there.
    ///
    /// # Errors
    /// When the sound cannot be read, or the folder not be written into.
    pub fn new(folder: &Path, options: MovieOptions) -> Result<Self, MovieError> {
        let (rate, below) = time_scale(options.fps);
        let second = (rate / below).clamp(1, 240) as u32;
        let coder = match options.codec {
            MovieCodec::H264 { quantizer } => Coder::H264(Box::new(Encoder::new(H264Options {
                quantizer,
                fps: options.fps.value(),
                key_every: 2 * second,
            })?)),
            MovieCodec::MotionJpeg { quality } => Coder::MotionJpeg(quality),
        };
        let sound = match &options.sound {
            Some((sources, format)) => {
                Some((Sound::open(sources, *format)?, SampleTable::default()))
            }
            None => None,
        };
        Ok(Self {
            coder,
            pictures: SampleTable::default(),
            sound,
            body: BufWriter::with_capacity(1 << 20, tempfile::tempfile_in(folder)?),
            body_length: 0,
            pending: Vec::new(),
            options,
        })
    }

    /// Adds a picture.
    ///
    /// # Errors
    /// When it has another size, or cannot be coded or kept.
    pub fn add(&mut self, picture: &Raster) -> Result<(), MovieError> {
        if picture.size() != self.options.size {
            return Err(MovieError::OtherSize {
                wanted: self.options.size,
                found: picture.size(),
            });
        }
        let bytes = match &mut self.coder {
            Coder::H264(encoder) => {
                let coded = encoder.encode(&Planes::of(picture))?;
                if coded.is_key {
                    let number = self.pictures.count() + self.pending.len() as u32 + 1;
                    self.pictures.keys.push(number);
                }
                coded.bytes
            }
            Coder::MotionJpeg(quality) => motion_jpeg::encode(picture, *quality)?,
        };
        self.pending.push(bytes);
        let (rate, below) = time_scale(self.options.fps);
        if self.pending.len() as u64 * below >= rate {
            self.end_second()?;
        }
        Ok(())
    }

    /// Writes the pictures of a second, and the sound up to their end.
    fn end_second(&mut self) -> Result<(), MovieError> {
        if self.pending.is_empty() {
            return Ok(());
        }
        let sizes = self.pending.iter().map(Vec::len);
        self.pictures.add_chunk(self.body_length, sizes);
        for bytes in self.pending.drain(..) {
            self.body.write_all(&bytes)?;
            self.body_length += bytes.len() as u64;
        }
        if let Some((sound, table)) = &mut self.sound {
            let (rate, below) = time_scale(self.options.fps);
            let ends = u64::from(self.pictures.count()) * below * u64::from(sound.rate());
            let blocks = sound.up_to(ends.div_ceil(rate))?;
            if !blocks.is_empty() {
                table.add_chunk(self.body_length, blocks.iter().map(Vec::len));
            }
            for block in blocks {
                self.body.write_all(&block)?;
                self.body_length += block.len() as u64;
            }
        }
        Ok(())
    }

    /// Ends the movie and writes it.
    ///
    /// # Errors
    /// When it has no picture, or cannot be written.
    pub fn finish(mut self, out: &mut impl Write) -> Result<(), MovieError> {
        self.end_second()?;
        if let Some((sound, table)) = &mut self.sound
            && let Some(block) = sound.finish()?
        {
            table.add_chunk(self.body_length, [block.len()]);
            self.body.write_all(&block)?;
            self.body_length += block.len() as u64;
        }
        if self.pictures.count() == 0 {
            return Err(MovieError::Broken("a movie needs a picture".to_owned()));
        }
        let (rate, below) = time_scale(self.options.fps);
        let parameters = match &self.coder {
            Coder::H264(encoder) => Some(encoder.parameters.as_slice()),
            Coder::MotionJpeg(_) => None,
        };
        let mut tracks = vec![Track {
            kind: TrackKind::Pictures {
                size: self.options.size,
                parameters,
            },
            time_scale: rate,
            durations: vec![(self.pictures.count(), below)],
            table: &self.pictures,
        }];
        if let Some((sound, table)) = &self.sound {
            tracks.push(Track {
                kind: TrackKind::Sound(sound.facts()),
                time_scale: sound.rate().into(),
                durations: sound.durations(),
                table,
            });
        }
        let movie = Movie {
            is_quicktime: self.options.is_quicktime,
            time_scale: rate,
            tracks,
        };
        out.write_all(&movie.head(self.body_length))?;
        let mut body = self
            .body
            .into_inner()
            .map_err(io::IntoInnerError::into_error)?;
        body.seek(SeekFrom::Start(0))?;
        let copied = io::copy(&mut (&body).take(self.body_length), out)?;
        if copied != self.body_length {
            return Err(io::Error::from(io::ErrorKind::UnexpectedEof).into());
        }
        Ok(out.flush()?)
    }
}
