//! Bytes that must be there and need not be looked at.

use std::io::{self, BufRead, Read};

use crate::facts::Flaw;

/// Reads over bytes that must be there.
pub(crate) fn pass_over(reader: &mut impl BufRead, bytes: u64) -> Result<(), Flaw> {
    let there = io::copy(&mut reader.take(bytes), &mut io::sink())?;
    if there == bytes {
        Ok(())
    } else {
        Err(cut_short(io::ErrorKind::UnexpectedEof.into()))
    }
}

/// What an error of reading means for a picture.
pub(crate) fn cut_short(error: io::Error) -> Flaw {
    match error.kind() {
        io::ErrorKind::UnexpectedEof => Flaw::Broken("it ends before its pixels do".to_owned()),
        _ => Flaw::Unreadable(error),
    }
}
