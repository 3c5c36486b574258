//! Keys as they are pressed, without a line to be ended.

use std::io;
use std::time::{Duration, Instant};

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::termios::{
    LocalModes, OptionalActions, SpecialCodeIndex, Termios, tcgetattr, tcsetattr,
};

/// A key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Key {
    Letter(char),
    Left,
    Right,
    Up,
    Down,
    /// There are no more.
    End,
}

/// Reads keys from standard input; a terminal is as it was before when this goes.
pub(crate) struct Keys {
    before: Option<Termios>,
    waiting: Vec<u8>,
}

impl Keys {
    pub(crate) fn new() -> io::Result<Self> {
        let before = tcgetattr(io::stdin()).ok();
        if let Some(before) = &before {
            let mut raw = before.clone();
            raw.local_modes
                .remove(LocalModes::ICANON | LocalModes::ECHO | LocalModes::ISIG);
            raw.special_codes[SpecialCodeIndex::VMIN] = 1;
            raw.special_codes[SpecialCodeIndex::VTIME] = 0;
            tcsetattr(io::stdin(), OptionalActions::Now, &raw)?;
        }
        Ok(Self {
            before,
            waiting: Vec::new(),
        })
    }

    /// The next key until a moment; none where none was pressed.
    pub(crate) fn next(&mut self, until: Instant) -> io::Result<Option<Key>> {
        loop {
            if let Some((key, length)) = key(&self.waiting) {
                self.waiting.drain(..length);
                return Ok(Some(key));
            }
            let left = until.saturating_duration_since(Instant::now());
            // The rest of an escape sequence follows at once.
            let left = if self.waiting.is_empty() {
                left
            } else {
                left.min(Duration::from_millis(50))
            };
            let stdin = io::stdin();
            let mut fds = [PollFd::new(&stdin, PollFlags::IN)];
            let timeout = Timespec {
                tv_sec: left.as_secs() as _,
                tv_nsec: left.subsec_nanos() as _,
            };
            match poll(&mut fds, Some(&timeout)) {
                Ok(0) if self.waiting.is_empty() => return Ok(None),
                // A lone escape.
                Ok(0) => {
                    self.waiting.clear();
                    return Ok(Some(Key::Letter('\u{1b}')));
                }
                Ok(_) => {}
                Err(rustix::io::Errno::INTR) => return Ok(None),
                Err(error) => return Err(error.into()),
            }
            let mut bytes = [0; 64];
            // Past the buffer of the library, which the system's poll does not know.
            match rustix::io::read(&stdin, &mut bytes)? {
                0 => return Ok(Some(Key::End)),
                read => self.waiting.extend(&bytes[..read]),
            }
        }
    }
}

impl Drop for Keys {
    fn drop(&mut self) {
        if let Some(before) = &self.before {
            // Nothing can be done about a terminal that is gone.
            let _ = tcsetattr(io::stdin(), OptionalActions::Now, before);
        }
    }
}

/// The first key of some bytes, and how many bytes it is; none where more have to come.
fn key(bytes: &[u8]) -> Option<(Key, usize)> {
    match bytes {
        [] | [0x1b] | [0x1b, b'[' | b'O'] => None,
        [0x1b, b'[' | b'O', arrow, ..] => {
            let key = match arrow {
                b'A' => Key::Up,
                b'B' => Key::Down,
                b'C' => Key::Right,
                b'D' => Key::Left,
                // Keys of several bytes that mean nothing here end with a letter or a tilde.
                _ => {
                    let end = bytes[2..]
                        .iter()
                        .position(|byte| byte.is_ascii_alphabetic() || *byte == b'~')?;
                    return Some((Key::Letter('\0'), end + 3));
                }
            };
            Some((key, 3))
        }
        [letter, ..] => Some((Key::Letter(char::from(*letter)), 1)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_and_arrows_are_different_keys() {
        assert_eq!(key(b" "), Some((Key::Letter(' '), 1)));
        assert_eq!(key(b"\x1b[C."), Some((Key::Right, 3)));
        assert_eq!(key(b"\x1bOA"), Some((Key::Up, 3)));
        assert_eq!(key(b"\x1b[15~q"), Some((Key::Letter('\0'), 5)));
        assert_eq!(key(b"\x1b["), None);
        assert_eq!(key(b""), None);
    }
}
