//! H.264 (ITU-T H.264) by the library openh264: 8 bits, 4:2:0, without pictures that refer to later ones.

use openh264::OpenH264API;
use openh264::decoder::Decoder as LibraryDecoder;
use openh264::encoder::{
    Complexity, Encoder as LibraryEncoder, EncoderConfig, FrameRate, IntraFramePeriod, Profile,
    QpRange, RateControlMode, UsageType, VuiConfig,
};
use openh264::formats::YUVSlices;
use truepath_core::picture::Size;

use super::planes::Planes;
use super::writer::MovieError;

/// NAL units, by their type (table 7-1).
const SEQUENCE_PARAMETERS: u8 = 7;
const PICTURE_PARAMETERS: u8 = 8;

/// How a movie is coded.
#[derive(Debug, Clone, Copy)]
pub(super) struct H264Options {
    /// The quantizer, from 0 to 51: lower is better.
    pub(super) quantizer: u8,
    pub(super) fps: f64,
    /// A picture that stands for itself comes after so many at the latest, so that players can jump.
    pub(super) key_every: u32,
}

/// Codes pictures one after another.
pub(super) struct Encoder {
    library: LibraryEncoder,
    /// What stands before the pictures: parameters of the sequence and of its pictures.
    pub(super) parameters: Vec<Vec<u8>>,
}

/// A picture as it is stored.
pub(super) struct Coded {
    /// Its units, each after its length in four bytes (ISO/IEC 14496-15).
    pub(super) bytes: Vec<u8>,
    /// Whether it stands for itself.
    pub(super) is_key: bool,
}

impl Encoder {
    pub(super) fn new(options: H264Options) -> Result<Self, MovieError> {
        let config = EncoderConfig::new()
            .usage_type(UsageType::CameraVideoRealTime)
            .rate_control_mode(RateControlMode::Bufferbased)
            .qp(QpRange::new(options.quantizer, options.quantizer))
            .bitrate(openh264::encoder::BitRate::from_bps(50_000_000))
            .max_frame_rate(FrameRate::from_hz(options.fps as f32))
            .intra_frame_period(IntraFramePeriod::from_num_frames(options.key_every))
            .complexity(Complexity::Medium)
            .profile(Profile::High)
            .scene_change_detect(true)
            .adaptive_quantization(false)
            .background_detection(false)
            .skip_frames(false)
            // More threads would make other bytes.
            .num_threads(1)
            .vui(VuiConfig::bt709());
        Ok(Self {
            library: LibraryEncoder::with_api_config(OpenH264API::from_source(), config)?,
            parameters: Vec::new(),
        })
    }

    pub(super) fn encode(&mut self, planes: &Planes) -> Result<Coded, MovieError> {
        let (width, height) = (planes.size.width as usize, planes.size.height as usize);
        let slices = YUVSlices::new(
            (&planes.luma, &planes.blue, &planes.red),
            (width, height),
            (width, width / 2, width / 2),
        );
        let stream = self.library.encode(&slices)?;
        let mut coded = Coded {
            bytes: Vec::new(),
            is_key: false,
        };
        let layers = (0..stream.num_layers()).filter_map(|at| stream.layer(at));
        for layer in layers {
            for unit in (0..layer.nal_count()).filter_map(|at| layer.nal_unit(at)) {
                let unit = without_start(unit);
                match unit.first().map(|head| head & 31) {
                    Some(SEQUENCE_PARAMETERS | PICTURE_PARAMETERS) => {
                        coded.is_key = true;
                        if !self.parameters.iter().any(|known| known == unit) {
                            self.parameters.push(unit.to_vec());
                        }
                    }
                    Some(_) => {
                        coded.bytes.extend((unit.len() as u32).to_be_bytes());
                        coded.bytes.extend(unit);
                    }
                    None => {}
                }
            }
        }
        Ok(coded)
    }
}

/// A unit without the mark that stands before it in a stream (annex B).
fn without_start(unit: &[u8]) -> &[u8] {
    let zeros = unit.iter().take_while(|byte| **byte == 0).count();
    match unit.get(zeros) {
        Some(1) if zeros >= 2 => &unit[zeros + 1..],
        _ => unit,
    }
}

/// Decodes pictures one after another.
pub(super) struct Decoder {
    library: LibraryDecoder,
}

impl Decoder {
    /// One that knows the parameters that stand before the pictures.
    pub(super) fn new(parameters: &[Vec<u8>]) -> Result<Self, MovieError> {
        let mut decoder = Self {
            library: LibraryDecoder::new()?,
        };
        for unit in parameters {
            decoder.take(&stream([unit.as_slice()]))?;
        }
        Ok(decoder)
    }

    /// Decodes a picture as it is stored; gives its size, or none where it is no picture.
    pub(super) fn decode(&mut self, bytes: &[u8]) -> Result<Option<Size>, MovieError> {
        let mut units = Vec::new();
        let mut rest = bytes;
        while let Some((length, after)) = rest.split_first_chunk::<4>() {
            let length = u32::from_be_bytes(*length) as usize;
            let Some((unit, after)) = after.split_at_checked(length) else {
                return Err(MovieError::Broken(
                    "a picture ends before its end".to_owned(),
                ));
            };
            units.push(unit);
            rest = after;
        }
        self.take(&stream(units))
    }

    fn take(&mut self, stream: &[u8]) -> Result<Option<Size>, MovieError> {
        use openh264::formats::YUVSource;
        let picture = self.library.decode(stream)?;
        Ok(picture.map(|picture| {
            let (width, height) = picture.dimensions();
            Size {
                width: width as u32,
                height: height as u32,
            }
        }))
    }
}

/// Units as a stream, each after its mark.
fn stream<'u>(units: impl IntoIterator<Item = &'u [u8]>) -> Vec<u8> {
    let mut stream = Vec::new();
    for unit in units {
        stream.extend([0, 0, 0, 1]);
        stream.extend(unit);
    }
    stream
}
