//! What players have to know of coded pictures and sound before they decode them.

use truepath_core::picture::Size;

use super::boxes::{boxed, full, words};
use super::sound::{BLOCK, SoundFacts, SoundFormat};

/// How pictures are coded.
pub(super) fn picture_entry(
    size: Size,
    parameters: Option<&[Vec<u8>]>,
    is_quicktime: bool,
) -> Vec<u8> {
    let side = |length: u32| (length as u16).to_be_bytes();
    let mut entry = vec![0, 0, 0, 0, 0, 0, 0, 1];
    entry.extend([0; 16]);
    entry.extend(side(size.width));
    entry.extend(side(size.height));
    // 72 pixels an inch both ways, one picture a sample, no name, 24 bits, no table of colors.
    entry.extend(words([0x48_0000, 0x48_0000, 0]));
    entry.extend([0, 1]);
    entry.extend([0; 32]);
    entry.extend([0, 24, 0xff, 0xff]);
    let Some(parameters) = parameters else {
        return boxed(b"jpeg", &[&entry]);
    };
    // BT.709 all through (ITU-T H.273: 1, 1, 1), of limited range.
    let color: &[u8] = if is_quicktime {
        b"nclc\0\x01\0\x01\0\x01"
    } else {
        b"nclx\0\x01\0\x01\0\x01\0"
    };
    boxed(
        b"avc1",
        &[
            &entry,
            &boxed(b"avcC", &[&configuration(parameters)]),
            &boxed(b"colr", &[color]),
        ],
    )
}

/// What a decoder of H.264 needs before the first picture (ISO/IEC 14496-15, 5.3.3.1).
fn configuration(parameters: &[Vec<u8>]) -> Vec<u8> {
    let of_type = |wanted: u8| {
        let is_wanted = move |unit: &&Vec<u8>| unit.first().is_some_and(|head| head & 31 == wanted);
        parameters.iter().filter(is_wanted).collect::<Vec<_>>()
    };
    let (sequences, pictures) = (of_type(7), of_type(8));
    let first = sequences.first().map_or(&[0; 4][..], |unit| unit);
    let at = |place: usize| first.get(place).copied().unwrap_or(0);
    // Lengths of four bytes.
    let mut bytes = vec![1, at(1), at(2), at(3), 0xff, 0xe0 | sequences.len() as u8];
    let add = |units: &[&Vec<u8>], bytes: &mut Vec<u8>| {
        for unit in units {
            bytes.extend((unit.len() as u16).to_be_bytes());
            bytes.extend(*unit);
        }
    };
    add(&sequences, &mut bytes);
    bytes.push(pictures.len() as u8);
    add(&pictures, &mut bytes);
    // Of the high profiles: 4:2:0, 8 bits, no extensions.
    if at(1) >= 100 {
        bytes.extend([0xfd, 0xf8, 0xf8, 0]);
    }
    bytes
}

/// How sound is coded.
pub(super) fn sound_entry(facts: &SoundFacts) -> Vec<u8> {
    let mut entry = vec![0, 0, 0, 0, 0, 0, 0, 1];
    match facts.format {
        SoundFormat::Flac => {
            entry.extend([0; 8]);
            entry.extend(facts.channels.to_be_bytes());
            entry.extend(facts.bits.to_be_bytes());
            let rate = u16::try_from(facts.rate).unwrap_or(0);
            entry.extend(words([0, u32::from(rate) << 16]));
            // The last block of metadata, of kind 0 and 34 bytes.
            let information = [&[0x80, 0, 0, 34][..], &stream_information(facts)].concat();
            boxed(b"fLaC", &[&entry, &full(b"dfLa", 0, &information)])
        }
        SoundFormat::Pcm16 | SoundFormat::Pcm24 => {
            // QuickTime file format, sound sample description, version 2.
            entry.extend([0, 2, 0, 0, 0, 0, 0, 0, 0, 3, 0, 16, 0xff, 0xfe, 0, 0]);
            entry.extend(words([0x1_0000, 72]));
            entry.extend(f64::from(facts.rate).to_be_bytes());
            /// Whole numbers with a sign, packed, the low byte first.
            const FLAGS: u32 = 4 | 8;
            let bytes = u32::from(facts.channels) * u32::from(facts.bits / 8);
            entry.extend(words([
                facts.channels.into(),
                0x7f00_0000,
                facts.bits.into(),
                FLAGS,
                bytes,
                1,
            ]));
            boxed(b"lpcm", &[&entry])
        }
    }
}

/// The block STREAMINFO of FLAC (RFC 9639, section 8.2), without a hash.
fn stream_information(facts: &SoundFacts) -> Vec<u8> {
    let block = (BLOCK as u16).to_be_bytes();
    let mut bytes = [block, block].concat();
    bytes.extend([0; 6]);
    let bits = u64::from(facts.rate) << 44
        | u64::from(facts.channels - 1) << 41
        | u64::from(facts.bits - 1) << 36
        | facts.length & 0xf_ffff_ffff;
    bytes.extend(bits.to_be_bytes());
    bytes.extend([0; 16]);
    bytes
}
